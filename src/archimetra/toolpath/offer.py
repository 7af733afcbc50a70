"""What a kind of cut offers for picked shapes: what is known of them, the bits at hand, and an offer."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import cached_property
from typing import Any

import msgspec
import shapely

from archimetra.artwork.text_form import TextForm
from archimetra.edits import rack
from archimetra.geometry.region import polygons_of
from archimetra.job.bits import UNDERCUTS, Bit, BitKind
from archimetra.job.ids import BitId, CutId
from archimetra.job.job import Board, Job
from archimetra.job.shapes import Shape
from archimetra.toolpath.shared.circles import Circle, circles_of
from archimetra.toolpath.shared.contours import kept_region

WIDEST_HOLE_MM = 40.0  # circles wider than this are openings rather than holes
_MOST_SHAPES = 400  # beyond it the areas are not looked into; offers stay, their bits are guessed by boxes


class Picked:
    """Shapes, and what a kind needs to know of them to offer itself."""

    def __init__(self, job: Job, board: Board, shapes: Sequence[Shape], bits: BitsAtHand) -> None:
        self.job, self.board, self.shapes, self.bits = job, board, shapes, bits
        self.closed = [shape for shape in shapes if shape.is_closed and shape.paths]
        self.opened = [shape for shape in shapes if any(not path.closed for path in shape.paths)]

    @cached_property
    def holes(self) -> list[Circle]:
        """The circles where all that is closed are circles no wider than a hole; else none."""
        circles = [c for c in circles_of(self.closed) if c.diameter <= WIDEST_HOLE_MM]
        return circles if len(circles) == sum(len(shape.paths) for shape in self.closed) else []

    @cached_property
    def room(self) -> float:
        """How wide the widest bit is that goes into the shapes' area somewhere, mm."""
        closed = self.closed
        if not closed:
            return 0.0
        if len(closed) > _MOST_SHAPES or sum(len(path) for shape in closed for path in shape.paths) > 20_000:
            boxes = [shape.bounds() for shape in closed[:_MOST_SHAPES]]
            return max(min(b[2] - b[0], b[3] - b[1]) for b in boxes)
        area = kept_region(closed)
        circles = [shapely.length(shapely.maximum_inscribed_circle(p, tolerance=0.05)) for p in polygons_of(area)[:60]]
        return 2 * max((float(r) for r in circles), default=0.0)

    @property
    def thickness(self) -> float:
        return self.board.sheet.thickest

    @property
    def are_letters(self) -> bool:
        """Words, or what a drawing's text came in as: readers name those by the text they were."""
        return bool(self.closed) and all(
            isinstance(shape.form, TextForm)
            or (shape.origin is not None and shape.origin.key.lstrip("#").startswith("text"))
            for shape in self.closed
        )


class Offer(msgspec.Struct, frozen=True, eq=False, kw_only=True):
    """A cut that would make sense: what it is called, why (may hold lengths: ``base.findings.mm``), with which bit and settings. Offers are listed by ``place``; one that
    ``leads`` stands first. ``after`` adds what the made cut wants beside it."""

    place: float
    title: str
    why: str
    bit: Bit
    fields: dict[str, Any] = {}
    leads: bool = False
    after: Callable[[Job, CutId, BitsAtHand], Job] | None = None
    name: str = ""
    takes_only_areas: bool = False


class BitsAtHand:
    """The job's bits first, then the rack's."""

    def __init__(self, job: Job, shop: rack.Rack) -> None:
        self._job = job
        self._own = list(job.bits)
        self._shop = [bit for bit in shop.bits if all(bit.name != own.name for own in job.bits)]

    def taken(self, bit: Bit) -> tuple[Job, BitId]:
        """The job with this bit in it, and its id there."""
        if any(own.id == bit.id and own is bit for own in self._own):
            return self._job, bit.id
        edit, id_ = rack.take(self._job, bit)
        return edit.job, id_

    def all_taken(self, *wanted: Bit, job: Job | None = None) -> tuple[Job, tuple[BitId, ...]]:
        """The job (or another made of it) with all of these bits in it, and their ids there."""
        job, ids = job or self._job, list[BitId]()
        for bit in wanted:
            known = next((own.id for own in job.bits if own.name == bit.name), None)
            if known is None:
                edit, known = rack.take(job, bit)
                job = edit.job
            ids.append(known)
        return job, tuple(ids)

    def carver(self) -> Bit | None:
        """A V bit to carve with: 60 degrees or what comes nearest, the widest of those."""
        return self.vee(60.0)

    def vee(self, degrees: float) -> Bit | None:
        """The V bit whose angle comes nearest, the widest of those."""
        for bits in (self._own, self._shop):
            vees = [b for b in bits if b.kind is BitKind.VEE]
            if vees:
                return min(vees, key=lambda b: (abs(b.angle - degrees), -b.diameter))
        return None

    def straight(self, depth: float, *, at_most: float = 1e9) -> Bit:
        """The widest straight bit that fits and is long enough; where none is, the narrowest that is long enough."""
        for bits in (self._own, [*self._own, *self._shop]):
            straight = [b for b in bits if b.kind is BitKind.STRAIGHT]
            fitting = [b for b in straight if b.diameter <= at_most + 1e-9 and b.cutting_length >= depth]
            if fitting:
                return max(fitting, key=lambda b: b.diameter)
        long = [b for b in straight if b.cutting_length >= depth] or straight or self._own
        return min(long, key=lambda b: b.diameter)

    def for_hole(self, diameter: float, depth: float) -> Bit:
        """A drill of that size, or the widest straight bit that leaves room to go round."""
        for bits in (self._own, self._shop):
            for bit in bits:
                if bit.kind is BitKind.DRILL and abs(bit.diameter - diameter) < 0.05 and bit.cutting_length >= depth:
                    return bit
        exact = [b for b in self._own if b.kind is BitKind.STRAIGHT and abs(b.diameter - diameter) < 0.02]
        return exact[0] if exact else self.straight(depth, at_most=0.75 * diameter)

    def engraver(self) -> Bit:
        for bits in (self._own, self._shop):
            pointed = [b for b in bits if b.kind in (BitKind.VEE, BitKind.TAPERED_BALL)]
            if pointed:
                return min(pointed, key=lambda b: (b.angle, b.diameter))
        return min(self._own, key=lambda b: b.diameter)

    def undercut(self) -> Bit | None:
        found = [b for b in [*self._own, *self._shop] if b.kind in UNDERCUTS]
        return found[0] if found else None

    def surfacer(self) -> Bit:
        for bits in (self._own, self._shop):
            for bit in bits:
                if bit.kind is BitKind.SURFACING:
                    return bit
        return self.straight(0.0)
