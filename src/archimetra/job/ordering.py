"""The running order of a board's cuts: what must come before what, and as few bit changes as that allows.

Before all comes facing. A pocket comes before what clears its rest, a hole or pocket before the slot that enters by it, a groove before
the slot it relieves, the floor of a V-carve before the carving, and everything inside an outline before the outline that cuts it out. Shapes count by their boxes here; the
checks look at the true ones.
"""

from __future__ import annotations

from archimetra.job.cut_parts import Entry, Side
from archimetra.job.cuts import CarveCut, Cut, EngraveCut, FacingCut, HoleCut, PocketCut, ProfileCut, SlotCut
from archimetra.job.ids import CutId
from archimetra.job.job import Board

Box = tuple[float, float, float, float]

# what suits to be done first, where nothing forces it: shallow work on a whole board, then openings, then outlines
_RANKS: dict[type[Cut], int] = {
    FacingCut: 0,
    PocketCut: 1,
    CarveCut: 2,
    EngraveCut: 2,
    HoleCut: 3,
    SlotCut: 4,
    ProfileCut: 5,
}


def suited_order(board: Board) -> tuple[Cut, ...]:
    """The board's cuts in an order that keeps every precedence; of those free, the ones of the bit that is in first."""
    cuts = list(board.cuts)
    before = precedences(board)
    waiting = {cut.id: {a for a, b in before if b == cut.id} for cut in cuts}
    out: list[Cut] = []
    bit = None
    while cuts:
        free = [cut for cut in cuts if not waiting[cut.id]]
        if not free:  # precedences in a ring: keep the order there was
            free = cuts[:1]
        same = [cut for cut in free if cut.bit == bit]
        if not same:
            # the bit whose free cuts can all be done now, soonest in rank; more of them break ties
            count = {b: sum(c.bit == b for c in free) for b in {c.bit for c in free}}
            late = {b: any(c.bit == b and c not in free for c in cuts) for b in count}
            lead = min(free, key=lambda c: (_first(c), late[c.bit], _rank(c), -count[c.bit], board.cuts.index(c)))
            same = [cut for cut in free if cut.bit == lead.bit]
        chosen = min(same, key=lambda c: (_rank(c), board.cuts.index(c)))
        bit = chosen.bit
        out.append(chosen)
        cuts.remove(chosen)
        for left in waiting.values():
            left.discard(chosen.id)
    return tuple(out)


def precedences(board: Board) -> set[tuple[CutId, CutId]]:
    """Pairs (earlier, later) that the wood asks for."""
    boxes = {cut.id: _box(board, cut) for cut in board.cuts}
    out: set[tuple[CutId, CutId]] = set()
    for cut in board.cuts:
        for other in board.cuts:
            if cut.id != other.id and _comes_before(board, cut, other, boxes):
                out.add((cut.id, other.id))
    return out


def _comes_before(board: Board, cut: Cut, other: Cut, boxes: dict[CutId, Box | None]) -> bool:
    if isinstance(cut, FacingCut) and not isinstance(other, FacingCut):
        return True
    if isinstance(other, FacingCut):
        return False
    if isinstance(other, PocketCut) and other.rest_of == cut.id:
        return True
    if isinstance(other, CarveCut) and isinstance(cut, PocketCut):
        root = board.whose_shapes(cut)
        if isinstance(root, CarveCut):
            return root.id == other.id
    mine, its = boxes[cut.id], boxes[other.id]
    if mine is None or its is None:
        return False
    if isinstance(other, PocketCut) and other.entry is Entry.HOLE and isinstance(cut, HoleCut):
        return _meet(mine, its)
    if isinstance(other, SlotCut) and isinstance(cut, HoleCut | PocketCut | EngraveCut):
        return _meet(mine, its)
    if isinstance(other, ProfileCut) and other.side is Side.INSIDE and other.is_through(board.sheet):
        return _within(mine, its) and not (
            isinstance(cut, ProfileCut) and mine == its
        )  # what falls out is done by then
    is_outline = isinstance(other, ProfileCut) and other.side is Side.OUTSIDE and other.is_through(board.sheet)
    if is_outline and _within(mine, its):
        same_part = isinstance(cut, ProfileCut) and cut.side is Side.OUTSIDE and cut.is_through(board.sheet)
        return not same_part or mine != its
    return False


def _rank(cut: Cut) -> int:
    if isinstance(cut, ProfileCut) and cut.side is not Side.OUTSIDE:
        return 4
    return _RANKS[type(cut)]


def _first(cut: Cut) -> int:
    return 0 if isinstance(cut, FacingCut) else 1


def _box(board: Board, cut: Cut) -> Box | None:
    boxes = [shape.bounds() for shape in board.shapes_of(cut)]
    if not boxes:
        return None
    return min(b[0] for b in boxes), min(b[1] for b in boxes), max(b[2] for b in boxes), max(b[3] for b in boxes)


def _meet(a: Box, b: Box) -> bool:
    return a[0] <= b[2] and b[0] <= a[2] and a[1] <= b[3] and b[1] <= a[3]


def _within(a: Box, b: Box) -> bool:
    return b[0] <= a[0] + 1e-6 and b[1] <= a[1] + 1e-6 and a[2] <= b[2] + 1e-6 and a[3] <= b[3] + 1e-6
