"""``Task``: everything a planner needs to know of the job for one cut, and nothing else.

A plan is a pure function of its task, so a digest of the task is the key of the plan. Depths in a task count from the face
the cut starts at: the sheet's top, or what facing left of it, ``face`` mm further down.
"""

from __future__ import annotations

from collections.abc import Iterator

import msgspec

from archimetra.job.bits import Bit, Recipe
from archimetra.job.cut_parts import Entry, Side
from archimetra.job.cuts import CarveCut, Cut, EngraveCut, FacingCut, HoleCut, PocketCut, ProfileCut, SlotCut
from archimetra.job.footprints import covers
from archimetra.job.job import Board, Job
from archimetra.job.recipes import held
from archimetra.job.shapes import Shape
from archimetra.job.sheet import Sheet
from archimetra.toolpath.carving import carving_of

replace = msgspec.structs.replace


class Earlier(msgspec.Struct, frozen=True):
    """A cut that has run before and opened the wood, or the V-carve a floor belongs to: its settings, its bit and its shapes. It ended
    ``depth`` mm below the face it started at, which lay ``face`` below the sheet's top."""

    cut: Cut
    bit: Bit
    shapes: tuple[Shape, ...]
    depth: float = 0.0
    face: float = 0.0


class Task(msgspec.Struct, frozen=True, kw_only=True):
    """One cut to plan. ``sheet`` is as thick as it is when the cut starts; ``hop`` counts from its face. ``larger`` is the bit
    whose rest this cut clears, ``rest_follows`` where another clears this one's; ``parts`` are shapes cut out elsewhere, past whose edges a pocket may run; ``zones`` the
    shapes tabs keep out of."""

    cut: Cut
    bit: Bit
    recipe: Recipe
    shapes: tuple[Shape, ...]
    sheet: Sheet
    hop: float
    face: float = 0.0
    larger: Bit | None = None
    parts: tuple[Shape, ...] = ()
    zones: tuple[Shape, ...] = ()
    earlier: tuple[Earlier, ...] = ()
    rest_follows: bool = False

    @property
    def depth(self) -> float:
        return self.cut.depth(self.sheet)

    def depth_of(self, earlier: Earlier) -> float:
        """How deep an earlier cut went, below the face this one starts at."""
        return earlier.depth + earlier.face - self.face


def task_of(job: Job, board: Board, cut: Cut) -> Task:
    """The task of one of the board's cuts."""
    bit = job.bit(cut.bit)
    assert bit is not None, "the job file and every edit keep bits that are in use"
    shapes = board.shapes_of(cut)
    face = faced_before(board, cut)
    sheet = board.sheet
    if face > 0:
        sheet = replace(sheet, readings=(max(sheet.thickest - face, 0.1),))
    limits = held(cut.recipe(bit, sheet.material), job.machine)
    recipe = limits.recipe
    if isinstance(cut, ProfileCut | PocketCut) and cut.finish_feed is not None:
        cut = replace(cut, finish_feed=limits.feed_of(cut.finish_feed, job.machine))
    larger: Bit | None = None
    parts: tuple[Shape, ...] = ()
    zones: tuple[Shape, ...] = ()
    earlier: tuple[Earlier, ...] = ()
    if isinstance(cut, PocketCut):
        larger = _larger_bit(job, board, cut)
        root = board.whose_shapes(cut)
        if isinstance(root, CarveCut):
            carver = job.bit(root.bit)
            assert carver is not None, "the job file and every edit keep bits that are in use"
            floor = carving_of(root, carver, sheet)
            cut = replace(
                cut, start_depth=root.start_depth, end_depth=floor.floor_depth, goes_through=False, wall_allowance=0.0,
                floor_allowance=0.0, open_edges=False,
            )  # fmt: skip
            earlier = (Earlier(root, carver, ()),)
        elif root is not cut and isinstance(root, PocketCut):
            # the larger bit has taken the walls' allowance off where it fits; in the corners left to this one it goes with the rest
            cut = replace(
                cut, start_depth=root.start_depth, end_depth=root.end_depth, goes_through=root.goes_through,
                allowance=root.allowance, wall_allowance=0.0, open_edges=root.open_edges,
            )  # fmt: skip
        if cut.open_edges:
            parts = tuple(_cut_out(board))
        if cut.entry is Entry.HOLE:
            earlier += tuple(e for e in _earlier(job, board, cut) if isinstance(e.cut, HoleCut))
    elif isinstance(cut, CarveCut):
        earlier = tuple(_floor_cuts(job, board, cut))
    elif isinstance(cut, SlotCut):
        earlier = tuple(_earlier(job, board, cut))
    elif isinstance(cut, ProfileCut) and cut.tabs.avoid:
        zones = tuple(shape for shape in board.shapes if shape.layer == cut.tabs.avoid)
    return Task(
        cut=cut, bit=bit, recipe=recipe, shapes=shapes, sheet=sheet, hop=board.flight.hop + face, face=face,
        larger=larger, parts=parts, zones=zones, earlier=earlier, rest_follows=_rest_follows(board, cut),
    )  # fmt: skip


def _rest_follows(board: Board, cut: Cut) -> bool:
    return any(isinstance(c, PocketCut) and c.is_on and c.rest_of == cut.id for c in board.cuts)


def faced_before(board: Board, cut: Cut) -> float:
    """How far below the sheet's top the face lies that ``cut`` starts at, mm: what the facing cuts that run before it, are on
    and cover its shapes have taken off."""
    taken = 0.0
    for earlier in board.cuts:
        if earlier.id == cut.id:
            break
        if isinstance(earlier, FacingCut) and earlier.is_on and _covers(board, earlier, cut):
            sheet = replace(board.sheet, readings=(max(board.sheet.thickest - taken, 0.1),))
            taken += earlier.depth(sheet if earlier.target > 0 else board.sheet)
    return taken


def _covers(board: Board, facing: FacingCut, cut: Cut) -> bool:
    """By outlines: facing an area counts for a cut whose shapes all lie in it."""
    return facing.is_whole_sheet or covers(board.shapes_of(facing), board.shapes_of(cut))


def _larger_bit(job: Job, board: Board, cut: PocketCut) -> Bit | None:
    """The smallest of the bits that went before in a chain of pockets that clear each other's rest."""
    seen, found = {cut.id}, list[Bit]()
    parent = board.cut(cut.rest_of) if cut.rest_of else None
    while isinstance(parent, PocketCut) and parent.id not in seen:
        seen.add(parent.id)
        bit = job.bit(parent.bit)
        if bit is not None:
            found.append(bit)
        parent = board.cut(parent.rest_of) if parent.rest_of else None
    return min(found, key=lambda bit: bit.diameter) if found else None


def _floor_cuts(job: Job, board: Board, cut: CarveCut) -> Iterator[Earlier]:
    """The straight bits that clear a V-carve's floor before it."""
    for earlier in board.cuts:
        if earlier.id == cut.id:
            return
        bit = job.bit(earlier.bit)
        if (
            earlier.is_on
            and isinstance(earlier, PocketCut)
            and bit is not None
            and board.whose_shapes(earlier).id == cut.id
        ):
            yield Earlier(earlier, bit, ())


def _cut_out(board: Board) -> Iterator[Shape]:
    """The shapes whose outside is cut through: what lies around them is waste."""
    for cut in board.cuts:
        if isinstance(cut, ProfileCut) and cut.is_on and cut.side is Side.OUTSIDE and cut.goes_through:
            yield from board.shapes_of(cut)


def _earlier(job: Job, board: Board, cut: Cut) -> Iterator[Earlier]:
    for earlier in board.cuts:
        if earlier.id == cut.id:
            return
        bit = job.bit(earlier.bit)
        if earlier.is_on and bit is not None and isinstance(earlier, HoleCut | PocketCut | EngraveCut | ProfileCut):
            face = faced_before(board, earlier)
            sheet = replace(board.sheet, readings=(max(board.sheet.thickest - face, 0.1),)) if face > 0 else board.sheet
            yield Earlier(earlier, bit, board.shapes_of(earlier), earlier.depth(sheet), face)
