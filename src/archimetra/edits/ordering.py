"""The running order of a board's cuts: what must come before what, and as few bit changes as that allows.

Before all comes facing. A pocket comes before what clears its rest, a hole or pocket before the slot that enters by it, a groove before
the slot it relieves, the floor of a V-carve before the carving, and everything inside an outline before the outline that cuts it out. Inside is
decided shape by shape and by the outlines themselves: copies that lie about do not lie in each other, and what stands beside an
outline is not in its box only.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import product

from archimetra.job.cut_parts import Side
from archimetra.job.cuts import Cut, kind_of
from archimetra.job.ids import CutId, ShapeId
from archimetra.job.job import Board

Pair = tuple[CutId, CutId]  # the earlier, the later


def suited_order(board: Board) -> tuple[Cut, ...]:
    """The board's cuts in an order that keeps every precedence; of those free, the ones of the bit that is in first."""
    if len(board.cuts) < 2:
        return board.cuts
    place = {cut.id: k for k, cut in enumerate(board.cuts)}
    waiting: dict[CutId, set[CutId]] = {cut.id: set() for cut in board.cuts}
    for earlier, later in precedences(board):
        waiting[later].add(earlier)
    left = dict(zip(place, board.cuts, strict=True))
    out: list[Cut] = []
    bit = None
    while left:
        free = [cut for cut in left.values() if not waiting[cut.id]]
        if not free:  # precedences in a ring: keep the order there was
            free = [next(iter(left.values()))]
        same = [cut for cut in free if cut.bit == bit]
        if not same:
            # the bit whose free cuts can all be done now, soonest in rank; more of them break ties
            count = {b: sum(c.bit == b for c in free) for b in {c.bit for c in free}}
            now = {cut.id for cut in free}
            late = {cut.bit for cut in left.values() if cut.id not in now}
            lead = min(free, key=lambda c: (_first(c), c.bit in late, _rank(c), -count[c.bit], place[c.id]))
            same = [cut for cut in free if cut.bit == lead.bit]
        chosen = min(same, key=lambda c: (_rank(c), place[c.id]))
        bit = chosen.bit
        out.append(chosen)
        del left[chosen.id]
        for others in waiting.values():
            others.discard(chosen.id)
    return tuple(out)


def precedences(board: Board) -> set[Pair]:
    """Pairs (earlier, later) that the wood asks for."""
    out = set(_by_kind(board))
    related = {frozenset(pair) for pair in out}
    out |= {pair for pair in _by_place(board) if pair[0] != pair[1] and frozenset(pair) not in related}
    return out


def _by_kind(board: Board) -> Iterator[Pair]:
    """What follows from what cuts are and name."""
    facings = [cut for cut in board.cuts if cut.lowers_face]
    yield from ((a.id, b.id) for a, b in product(facings, board.cuts) if not b.lowers_face)
    for cut in board.cuts:
        if cut.clears is None:
            continue
        parent, root = board.cut(cut.parent), board.root_cut(cut)
        if parent is not None and parent.goes_first:
            yield parent.id, cut.id
        if not root.goes_first:
            yield cut.id, root.id


def _by_place(board: Board) -> Iterator[Pair]:
    """What follows from where shapes lie: inside an outline that is cut out, or where a slot or a pocket is entered."""
    cuts = [cut for cut in board.cuts if not cut.lowers_face]
    takers: dict[ShapeId, list[Cut]] = {}
    for cut in cuts:
        for shape in board.shapes_of(cut):
            takers.setdefault(shape.id, []).append(cut)
    outlines = [cut for cut in cuts if cut.loosens is not None and _is_through(cut, board)]
    entered = [cut for cut in cuts if cut.enters_by]
    if len(cuts) < 2 or not takers or not (outlines or entered):
        return
    import numpy as np  # neither is needed to show a window
    import shapely

    from archimetra.job.footprints import enclosed_by, filled_by, lines_of

    ids = list(takers)
    lines = lines_of([found for id_ in ids if (found := board.shape(id_)) is not None])
    tree = shapely.STRtree(lines)
    rooms = [(cut, shape) for cut in outlines for shape in board.shapes_of(cut)]
    if rooms:
        is_outside = np.array([cut.loosens is Side.OUTSIDE for cut, _ in rooms])
        room = np.empty(len(rooms), dtype=object)
        for side, area_of in ((is_outside, enclosed_by), (~is_outside, filled_by)):
            room[side] = area_of([rooms[k][1] for k in np.flatnonzero(side)])
        number = {cut.id: k for k, cut in enumerate(cuts)}
        only = np.array([number[takers[id_][0].id] if len(takers[id_]) == 1 else -1 for id_ in ids])
        whose = np.array([number[cut.id] for cut, _ in rooms])
        outer, inner = tree.query(room)  # by boxes
        others = only[inner] != whose[outer]  # most shapes lie in their own outline alone
        outer, inner = outer[others], inner[others]
        shapely.prepare(room[np.unique(outer)])
        is_inside = shapely.covers(room[outer], lines[inner])
        for k, at in zip(outer[is_inside].tolist(), inner[is_inside].tolist(), strict=True):
            cut, shape = rooms[k]
            for other in takers[ids[at]]:
                # the same outline again is no work inside it
                if shape.id != ids[at] or not other.is_same_outline(cut):
                    yield other.id, cut.id
    for cut in entered:
        own = board.shapes_of(cut)
        if not own:
            continue
        into = filled_by(own) if cut.enters_area else lines_of(own)
        for inner in tree.query(into, predicate="intersects")[1].tolist():
            yield from ((other.id, cut.id) for other in takers[ids[inner]] if other.opening in cut.enters_by)


def _is_through(cut: Cut, board: Board) -> bool:
    """Whether a cut parts the sheet. Where the sheet has been faced it is thinner than it was."""
    faced = sum(facing.depth(board.sheet) for facing in board.cuts if facing.lowers_face and facing.is_on)
    return cut.goes_through or cut.depth(board.sheet) >= board.sheet.thinnest - faced


def _rank(cut: Cut) -> int:
    return kind_of(cut).rank(cut)


def _first(cut: Cut) -> int:
    return 0 if cut.lowers_face else 1
