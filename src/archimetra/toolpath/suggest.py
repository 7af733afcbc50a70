"""Which cuts make sense for picked shapes, each with the bit that suits it and why: one click to a good default."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import Any

import msgspec
import shapely

from archimetra.artwork.text_form import TextForm
from archimetra.geometry.region import polygons_of
from archimetra.job import cutting, inlaying, rack, stamping
from archimetra.job.bits import UNDERCUTS, Bit, BitKind
from archimetra.job.cut_parts import Side
from archimetra.job.cuts import CarveCut, Cut, EngraveCut, FacingCut, HoleCut, PocketCut, ProfileCut, SlotCut
from archimetra.job.edit import Edit, board_of, replace
from archimetra.job.ids import BitId, BoardId, CutId, InlayId, LayerId
from archimetra.job.inlays import InlayKind
from archimetra.job.job import Board, Job
from archimetra.job.shapes import Shape
from archimetra.toolpath.circles import circles_of, sizes_of
from archimetra.toolpath.contours import kept_region

WIDEST_HOLE_MM = 40.0  # circles wider than this are openings rather than holes
_MOST_SHAPES = 400  # beyond it the areas are not looked into; the suggestions stay, their bits are guessed by boxes


class Suggestion(msgspec.Struct, frozen=True, eq=False):
    """A cut that would make sense: what it is called, why, and with which bit. ``make`` adds it."""

    kind: type[Cut]
    title: str
    why: str
    bit: Bit
    make: Callable[[], tuple[Edit, CutId]]


def suggestions(
    job: Job, board_id: BoardId, shapes: Sequence[Shape], shop: rack.Rack, *, layer: LayerId | None = None
) -> list[Suggestion]:
    """Cuts that suit the shapes, the likeliest first. Bits are the job's own, or the rack's where the job has none that
    fits."""
    board = board_of(job, board_id)
    bits = _Bits(job, shop, board)
    ids = tuple(shape.id for shape in shapes)
    out: list[Suggestion] = []

    def offer(kind: type[Cut], title: str, why: str, bit: Bit, *, with_floor: bool = False, **fields: Any) -> None:
        def make() -> tuple[Edit, CutId]:
            taken, own = bits.taken(bit)
            taken_ids = () if layer else ids
            cut = cutting.new_cut(taken, board_id, kind, taken_ids, bit=own, layer=layer, **fields)
            if layer and len(shapes) != 1:
                cut = replace(cut, name=f"{cutting.NAMES[kind]} {board_of(job, board_id).layer(layer).name}")  # type: ignore[union-attr]
            edit = cutting.add_cut(taken, board_id, cut, f"Add {title.lower()}")
            if with_floor:
                floor = bits.straight(cut.end_depth, at_most=0.5 * room)
                edit = replace(edit, job=_with_floor(edit.job, cut.id, floor, bits))
            return edit, cut.id

        out.append(Suggestion(kind, title, why, bit, make))

    closed = [shape for shape in shapes if shape.is_closed and shape.paths]
    opened = [shape for shape in shapes if any(not path.closed for path in shape.paths)]
    circles = [c for c in circles_of(closed) if c.diameter <= WIDEST_HOLE_MM]
    is_holes = bool(circles) and len(circles) == sum(len(shape.paths) for shape in closed)
    room = _room(closed)
    thickness = board.sheet.thickest
    if is_holes:
        sizes = sizes_of(circles)
        words = ", ".join(f"{count} of {size:g} mm" for size, count in sizes[:4])
        bit = bits.for_hole(sizes[0][0], thickness)
        how = "drilled" if abs(bit.diameter - sizes[0][0]) < 0.05 else "bored round"
        offer(HoleCut, "Holes", f"{words}; {how}", bit)
    if closed and not is_holes:
        bit = bits.straight(thickness)
        offer(ProfileCut, "Outline, outside", f"cut out through {thickness:g} mm", bit, side=Side.OUTSIDE)
    if closed:
        bit = bits.straight(board.sheet.thinnest / 2, at_most=0.55 * room)
        offer(PocketCut, "Pocket", f"{room:.1f} mm at its widest", bit)
        bit = bits.straight(thickness, at_most=0.8 * room)
        offer(ProfileCut, "Opening, inside", "cut through, the inside falls out", bit, side=Side.INSIDE)
    if closed and is_holes:
        bit = bits.straight(thickness)
        offer(ProfileCut, "Outline, outside", f"cut out through {thickness:g} mm", bit, side=Side.OUTSIDE)
    if closed and not is_holes:
        _offer_carving(board, room, bits, offer)
        out.extend(_inlays(job, board_id, board, closed, bits, room))
    if shapes:
        bit = bits.engraver()
        words = (
            f"{len(opened)} open line{'' if len(opened) == 1 else 's'}" if opened else "along the outlines themselves"
        )
        offer(EngraveCut, "Line engraving", words, bit)
    if opened:
        found = bits.undercut()
        if found is not None:
            offer(SlotCut, "Undercut slot", "in and out where it is open", found)
    bit = bits.surfacer()
    area = "of the picked areas" if closed else "of the whole sheet"
    out.append(_facing(job, board_id, board, closed, bits, bit, area))
    lead = _lead(shapes, board, opened, is_holes)
    if lead is None and closed and all(_is_lettering(shape) for shape in closed):
        lead = CarveCut
    return sorted(out, key=lambda s: 0 if s.kind is lead else 1)


def _offer_carving(board: Board, room: float, bits: _Bits, offer: Callable[..., None]) -> None:
    """A V-carve, with a depth limit where the strokes are wider than the bit or the sheet take."""
    bit = bits.carver()
    if bit is None:
        return
    limit = round(min(bit.rise_at(bit.radius), board.sheet.thinnest / 2), 1)
    needs = bit.rise_at(min(room / 2, bit.radius))
    has_floor = room / 2 > bit.radius or needs > limit
    depth = min(limit, 5.0) if has_floor else 0.0
    why = f"flat floor at {depth:g} mm, cleared by a straight bit" if has_floor else f"{needs:.1f} mm at its deepest"
    offer(CarveCut, "V-carve", why, bit, end_depth=depth, with_floor=has_floor)


def _inlays(
    job: Job, board_id: BoardId, board: Board, closed: Sequence[Shape], bits: _Bits, room: float
) -> Iterator[Suggestion]:
    """Both kinds of inlay and a stamp: more than one cut each, so each has its own maker."""
    ids = [shape.id for shape in closed]
    carver = bits.carver()
    depth = round(min(5.0, board.sheet.thinnest / 3), 1)
    if carver is not None:
        floor = bits.straight(depth, at_most=0.8 * room)
        out = bits.straight(board.sheet.thickest)

        def vee() -> tuple[Edit, CutId]:
            taken, (v, f, o) = bits.all_taken(carver, floor, out)
            edit, inlay = inlaying.add_inlay(
                taken,
                board_id,
                ids,
                kind=InlayKind.VEE,
                bit=v,
                floor_bit=f,
                out_bit=o,
                depth=min(depth, carver.rise_at(carver.radius) - 2.5),
                margin=max(8.0, out.diameter + 5.0),
            )
            return edit, _pocket_cut(edit.job, inlay)

        def stamp() -> tuple[Edit, CutId]:
            taken, (v, f, o) = bits.all_taken(carver, floor, out)
            return stamping.add_stamp(taken, board_id, ids, bit=v, floor_bit=f, out_bit=o, depth=min(2.0, depth))

        yield Suggestion(
            CarveCut,
            "V inlay",
            "both halves from one setting, the plug on a board of its own",
            carver,
            vee,
        )
        yield Suggestion(CarveCut, "Stamp", "mirrored and left standing in a frame", carver, stamp)
    fine = bits.straight(depth, at_most=0.5 * room)

    def upright() -> tuple[Edit, CutId]:
        taken, (b,) = bits.all_taken(fine)
        edit, inlay = inlaying.add_inlay(taken, board_id, ids, kind=InlayKind.STRAIGHT, bit=b)
        return edit, _pocket_cut(edit.job, inlay)

    yield Suggestion(PocketCut, "Straight inlay", "corners rounded so that both mate", fine, upright)


def _pocket_cut(job: Job, inlay_id: InlayId) -> CutId:
    inlay = job.inlay(inlay_id)
    assert inlay is not None
    pocket, _ = inlaying.halves(job, inlay)
    assert pocket is not None
    return pocket.id


def _lead(shapes: Sequence[Shape], board: Board, opened: Sequence[Shape], is_holes: bool) -> type[Cut] | None:
    """What the shapes look most like."""
    if not shapes:
        return FacingCut
    if len(opened) == len(shapes):
        return EngraveCut
    return HoleCut if is_holes else None


def _facing(
    job: Job, board_id: BoardId, board: Board, closed: Sequence[Shape], bits: _Bits, bit: Bit, area: str
) -> Suggestion:
    def make() -> tuple[Edit, CutId]:
        taken, own = bits.taken(bit)
        ids = [shape.id for shape in closed]
        cut = cutting.new_cut(taken, board_id, FacingCut, ids, bit=own, name="Facing")
        return cutting.add_cut(taken, board_id, cut), cut.id

    return Suggestion(FacingCut, "Facing", area, bit, make)


def _room(closed: Sequence[Shape]) -> float:
    """How wide the widest bit is that goes into the shapes' area somewhere, mm."""
    if not closed:
        return 0.0
    if len(closed) > _MOST_SHAPES or sum(len(path) for shape in closed for path in shape.paths) > 20_000:
        boxes = [shape.bounds() for shape in closed[:_MOST_SHAPES]]
        return max(min(b[2] - b[0], b[3] - b[1]) for b in boxes)
    area = kept_region(closed)
    circles = [shapely.length(shapely.maximum_inscribed_circle(p, tolerance=0.05)) for p in polygons_of(area)[:60]]
    return 2 * max((float(r) for r in circles), default=0.0)


def _with_floor(job: Job, cut_id: CutId, floor: Bit, bits: _Bits) -> Job:
    own = next((bit.id for bit in job.bits if bit.name == floor.name), None)
    if own is None:
        edit, own = rack.take(job, floor)
        job = edit.job
    return cutting.add_floor(job, cut_id, own)[0].job


class _Bits:
    """The job's bits first, then the rack's."""

    def __init__(self, job: Job, shop: rack.Rack, board: Board) -> None:
        self._job, self._board = job, board
        self._own = list(job.bits)
        self._shop = [bit for bit in shop.bits if all(bit.name != own.name for own in job.bits)]

    def taken(self, bit: Bit) -> tuple[Job, BitId]:
        """The job with this bit in it, and its id there."""
        if any(own.id == bit.id and own is bit for own in self._own):
            return self._job, bit.id
        edit, id_ = rack.take(self._job, bit)
        return edit.job, id_

    def all_taken(self, *wanted: Bit) -> tuple[Job, tuple[BitId, ...]]:
        """The job with all of these bits in it, and their ids there."""
        job, ids = self._job, list[BitId]()
        for bit in wanted:
            known = next((own.id for own in job.bits if own.name == bit.name), None)
            if known is None:
                edit, known = rack.take(job, bit)
                job = edit.job
            ids.append(known)
        return job, tuple(ids)

    def carver(self) -> Bit | None:
        """A V bit to carve with: 60 degrees or what comes nearest, the widest of those."""
        for bits in (self._own, self._shop):
            vees = [b for b in bits if b.kind is BitKind.VEE]
            if vees:
                return min(vees, key=lambda b: (abs(b.angle - 60), -b.diameter))
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


def _is_lettering(shape: Shape) -> bool:
    """Words, or what a drawing's text came in as: readers name those by the text they were."""
    return isinstance(shape.form, TextForm) or (
        shape.origin is not None and shape.origin.key.lstrip("#").startswith("text")
    )
