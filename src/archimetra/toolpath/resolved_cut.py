"""``ResolvedCut``: everything that follows from the job for one cut, worked out once, and nothing else.

Forms, sketches, checks, planners and the writer read it; none of them derives it again. A plan is a pure function of it, so a digest
of it is the key of the plan. Depths count from the face the cut starts at: the sheet's top, or what facing left of it, ``face`` mm
further down.
"""

from __future__ import annotations

from collections.abc import Iterator

import msgspec

from archimetra.job.bits import Bit, Recipe
from archimetra.job.cut_parts import Side
from archimetra.job.cuts import Clears, Cut
from archimetra.job.footprints import covers
from archimetra.job.job import Board, Job
from archimetra.job.shapes import Shape
from archimetra.job.sheet import Sheet
from archimetra.toolpath.carve_depths import CarveDepths

replace = msgspec.structs.replace


class PriorCut(msgspec.Struct, frozen=True):
    """A cut that has run before and opened the wood, or the V-carve a floor belongs to: its settings, its bit and its shapes. It ended
    ``depth`` mm below the face it started at, which lay ``face`` below the sheet's top."""

    cut: Cut
    bit: Bit
    shapes: tuple[Shape, ...]
    depth: float = 0.0
    face: float = 0.0


class ResolvedCut(msgspec.Struct, frozen=True, kw_only=True):
    """One cut as it will run. ``cut`` has the depths it shares with others and feeds the machine can do; ``sheet`` is as thick as it is when the
    cut starts, ``retract`` counts from its face. ``asked`` is the recipe as set, ``recipe`` as the machine runs it, and ``reasons`` why that
    differs. ``previous_bit`` is the one whose rest this cut clears, ``rest_follows`` says that another clears this one's;
    ``waste_outlines`` are shapes cut out elsewhere, past whose edges a pocket may run; ``tab_zones`` the shapes tabs keep out of;
    ``carving`` the depths of a V-carve, or of the one whose floor this is."""

    cut: Cut
    bit: Bit
    asked: Recipe
    recipe: Recipe
    reasons: tuple[str, ...] = ()
    shapes: tuple[Shape, ...]
    sheet: Sheet
    retract: float
    face: float = 0.0
    previous_bit: Bit | None = None
    waste_outlines: tuple[Shape, ...] = ()
    tab_zones: tuple[Shape, ...] = ()
    prior: tuple[PriorCut, ...] = ()
    rest_follows: bool = False
    carving: CarveDepths | None = None

    @property
    def depth(self) -> float:
        """The end depth that is set; of a V-carve its limit."""
        return self.cut.depth(self.sheet)

    @property
    def ends_at(self) -> float:
        """How deep it goes at the most: a V-carve ends where its limit, its bit or the sheet let it."""
        return self.carving.floor_depth if self.carving is not None else self.depth

    @property
    def is_through(self) -> bool:
        return self.cut.is_through(self.sheet)

    def depth_of(self, prior: PriorCut) -> float:
        """How deep a cut before this one went, below the face this one starts at."""
        return prior.depth + prior.face - self.face


class Resolving:
    """What the rows of the kinds look at to work out what is theirs."""

    def __init__(self, job: Job, board: Board, cut: Cut, sheet: Sheet) -> None:
        self.job, self.board, self.cut, self.sheet = job, board, cut, sheet
        self.bit = self.bit_of(cut)
        self.asked = cut.recipe(self.bit, board.sheet.material)

    def bit_of(self, cut: Cut) -> Bit:
        bit = self.job.bit(cut.bit)
        assert bit is not None, "the job file and every edit keep bits that are in use"
        return bit

    @property
    def root(self) -> Cut:
        """The cut whose shapes and depths count."""
        return self.board.root_cut(self.cut)

    def prior(self) -> Iterator[PriorCut]:
        """The cuts before this one that leave something open."""
        board = self.board
        for earlier in board.cuts:
            if earlier.id == self.cut.id:
                return
            if earlier.is_on and earlier.opening is not None:
                face = faced_before(board, earlier)
                depth = earlier.depth(less(board.sheet, face))
                yield PriorCut(earlier, self.bit_of(earlier), board.shapes_of(earlier), depth, face)

    def floors(self) -> Iterator[PriorCut]:
        """The cuts before this one that clear its flat floor."""
        for earlier in self.board.cuts:
            if earlier.id == self.cut.id:
                return
            if earlier.is_on and earlier.clears is not None and self.board.root_cut(earlier).id == self.cut.id:
                yield PriorCut(earlier, self.bit_of(earlier), ())

    def waste_outlines(self) -> Iterator[Shape]:
        """The shapes whose outside is cut through: what lies around them is waste."""
        for cut in self.board.cuts:
            if cut.loosens is Side.OUTSIDE and cut.is_on and cut.goes_through:
                yield from self.board.shapes_of(cut)

    def previous_bit(self) -> Bit | None:
        """The smallest of the bits that went before in a chain of cuts that clear each other's rest."""
        seen, found = {self.cut.id}, list[Bit]()
        cut: Cut | None = self.cut
        while cut is not None and cut.clears is Clears.REST:
            cut = self.board.cut(cut.parent)
            if cut is None or cut.id in seen or cut.leftover is not Clears.REST:
                break
            seen.add(cut.id)
            found.append(self.bit_of(cut))
        return min(found, key=lambda bit: bit.diameter) if found else None


def faced_before(board: Board, cut: Cut) -> float:
    """How far below the sheet's top the face lies that ``cut`` starts at, mm: what the facing cuts that run before it, are on
    and cover its shapes have taken off."""
    taken = 0.0
    for earlier in board.cuts:
        if earlier.id == cut.id:
            break
        if earlier.lowers_face and earlier.is_on and _covers(board, earlier, cut):
            taken += earlier.depth(less(board.sheet, taken))
    return taken


def _covers(board: Board, facing: Cut, cut: Cut) -> bool:
    """By outlines: facing an area counts for a cut whose shapes all lie in it."""
    return facing.takes_whole_sheet or covers(board.shapes_of(facing), board.shapes_of(cut))


def less(sheet: Sheet, face: float) -> Sheet:
    """The sheet when so much has been taken off its face."""
    return replace(sheet, readings=(max(sheet.thickest - face, 0.1),)) if face > 0 else sheet
