"""Loose pieces joined end to end into as few, as closed outlines as they make: n log n in the pieces.

Ends that meet exactly, two by two, are joined first; then ends nearest to each other within the tolerance. Where three
or more ends meet, an outline that comes back to that place is closed on itself, and of the rest the two that run
on into each other most smoothly are joined; what is left is told as a fork. Two lines are joined where
they cross, if that is within the tolerance of both ends; everything else half way between the ends.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from archimetra.geometry.arrays import BoolArray, ByteArray, FloatArray, IntArray
from archimetra.geometry.join_kernels import match_pairs, walk_chains
from archimetra.geometry.path import Path, paths_of
from archimetra.geometry.pieces import Pieces, directions, taken
from archimetra.geometry.segments import Kind

SAME_MM = 1e-6  # ends this near are one point
OWN_FACTOR = 4.0  # an outline closes on itself only if it is this many tolerances long
SMOOTH_DEGREES = 30.0  # at a fork only a turn below this joins by itself
MOST_AT_A_FORK = 24


class Joined(NamedTuple):
    """``chains`` are the outlines, ``members`` the numbers of the pieces each was made of, in running order. ``bridged``
    (k, 2) are the places where a gap was closed and ``widest`` the largest of them in mm; at ``forks`` (j, 2) three or
    more ends were left apart."""

    chains: list[Path]
    members: list[IntArray]
    bridged: FloatArray
    widest: float
    forks: FloatArray


def join(
    pieces: Pieces,
    *,
    tolerance_mm: float,
    groups: Sequence[int] | IntArray | None = None,
    settles_forks: bool = True,
) -> Joined:
    """Join the pieces of each group among themselves. A piece without length must not be among them. Without
    ``settles_forks`` every chain ends where more than two ends meet."""
    none = np.zeros((0, 2))
    if not pieces.number:
        return Joined([], [], none, 0.0, none)
    at = np.empty((2 * pieces.number, 2))
    at[0::2], at[1::2] = pieces.begins(), pieces.ends()
    group = np.zeros(pieces.number, np.int64) if groups is None else np.asarray(groups, dtype=np.int64)
    group = np.repeat(group, 2)
    mate = np.full(len(at), -1, dtype=np.int64)
    chains = _Chains(pieces, mate, tolerance_mm)
    chains.match(_exact_pairs(at, group))
    chains.match(_near_pairs(at, group, np.flatnonzero(mate < 0), tolerance_mm))
    forks = _settle_forks(chains, at, group) if settles_forks else none
    order, backward, starts, closed = walk_chains(mate)
    return _assembled(taken(pieces, order, backward), order, starts, closed, tolerance_mm, forks)


class _Chains:
    """Which end is joined to which, and how long the chains are so far."""

    def __init__(self, pieces: Pieces, mate: IntArray, tolerance_mm: float) -> None:
        self.pieces = pieces
        self.mate = mate
        self.tolerance = tolerance_mm
        self.leader = np.arange(pieces.number)
        self.total = pieces.piece_lengths()

    def match(self, pairs: IntArray) -> None:
        if len(pairs):
            match_pairs(pairs, self.total, self.mate, self.leader, self.total, OWN_FACTOR, self.tolerance)

    def other_ends(self) -> IntArray:
        """For every end that is free the free end at the other side of its chain, -1 for the rest."""
        order, backward, starts, closed = walk_chains(self.mate)
        out = np.full(len(self.mate), -1, dtype=np.int64)
        stops = np.append(starts[1:], len(order))
        first, last = order[starts], order[stops - 1]
        head = 2 * first + backward[starts]
        tail = 2 * last + ~backward[stops - 1]
        is_open = ~closed
        out[head[is_open]], out[tail[is_open]] = tail[is_open], head[is_open]
        return out


def _exact_pairs(at: FloatArray, group: IntArray) -> IntArray:
    """Pairs of ends that meet in one point where no third does."""
    spot = _spots(at, group)
    order = np.argsort(spot, kind="stable")
    count = np.bincount(spot)
    first = np.concatenate(([0], np.cumsum(count)[:-1]))[count == 2]
    return np.column_stack((order[first], order[first + 1]))


def _spots(at: FloatArray, group: IntArray) -> IntArray:
    """A number for each end, the same for ends at the same point and in the same group."""
    cells = np.round(at / SAME_MM).astype(np.int64)
    order = np.lexsort((cells[:, 1], cells[:, 0], group))
    rows = np.column_stack((group, cells))[order]
    fresh = np.ones(len(rows), dtype=bool)
    fresh[1:] = (rows[1:] != rows[:-1]).any(axis=1)
    out = np.empty(len(at), dtype=np.int64)
    out[order] = np.cumsum(fresh) - 1
    return out


def _near_pairs(at: FloatArray, group: IntArray, free: IntArray, tolerance_mm: float) -> IntArray:
    """Pairs of free ends within the tolerance, nearest first. Many ends in one point stand in by the first two."""
    if len(free) < 2:
        return np.zeros((0, 2), np.int64)
    spot = _spots(at[free], group[free])
    order = np.argsort(spot, kind="stable")
    count = np.bincount(spot)
    begin = np.concatenate(([0], np.cumsum(count)[:-1]))
    alone = free[order[begin[count == 1]]]  # where more meet, it is a fork and is looked at as one
    if len(alone) < 2:
        return np.zeros((0, 2), np.int64)
    pairs = cKDTree(_apart(at[alone], group[alone], tolerance_mm)).query_pairs(tolerance_mm, output_type="ndarray")
    pairs = alone[pairs]
    gap = np.hypot(*(at[pairs[:, 0]] - at[pairs[:, 1]]).T)
    # equal gaps are taken in the order of the pieces, so that the result does not hang on the tree's
    return np.asarray(pairs[np.lexsort((pairs[:, 1], pairs[:, 0], gap))])


def _apart(at: FloatArray, group: IntArray, tolerance_mm: float) -> FloatArray:
    """Points (n, 3): groups lifted so far apart that they never come near each other."""
    return np.column_stack((at, group * (10.0 * tolerance_mm + 1.0)))


def _settle_forks(chains: _Chains, at: FloatArray, group: IntArray) -> FloatArray:
    """Join what can be joined where more than two ends meet; the places (j, 2) where three or more stay apart."""
    free = np.flatnonzero(chains.mate < 0)
    if len(free) < 2:
        return np.zeros((0, 2))
    for round_ in range(2):
        cluster = _clusters(at[free], group[free], chains.tolerance)
        other = chains.other_ends()
        place = np.full(len(at), -1, dtype=np.int64)
        place[free] = cluster
        if round_ == 0:  # outlines that come back to where they began
            back = free[(other[free] >= 0) & (place[other[free]] == cluster) & (free < other[free])]
            chains.match(np.column_stack((back, other[back])))
        else:
            chains.match(_smoothest(chains, free, cluster))
        free = np.flatnonzero(chains.mate < 0)
        if len(free) < 2:
            return np.zeros((0, 2))
    cluster = _clusters(at[free], group[free], chains.tolerance)
    count = np.bincount(cluster)
    forked = np.flatnonzero(count >= 3)
    where = np.searchsorted(np.sort(cluster), forked)
    return np.asarray(at[free[np.argsort(cluster, kind="stable")[where]]])


def _clusters(at: FloatArray, group: IntArray, tolerance_mm: float) -> IntArray:
    """A number for each free end (n,), the same for ends that lie together within the tolerance."""
    spot = _spots(at, group)
    _, sample = np.unique(spot, return_index=True)
    pairs = cKDTree(_apart(at[sample], group[sample], tolerance_mm)).query_pairs(tolerance_mm, output_type="ndarray")
    size = len(sample)
    links = coo_matrix((np.ones(len(pairs), dtype=bool), (pairs[:, 0], pairs[:, 1])), shape=(size, size))
    _, label = connected_components(links, directed=False)
    return np.asarray(label[spot], dtype=np.int64)


def _smoothest(chains: _Chains, free: IntArray, cluster: IntArray) -> IntArray:
    """Pairs of free ends of the same place, smoothest first; any turn where only two are left."""
    leave, arrive = directions(chains.pieces)
    heading = np.where(
        (free % 2 == 0)[:, None], leave[free // 2], -arrive[free // 2]
    )  # out of the place, into the piece
    order = np.argsort(cluster, kind="stable")
    count = np.bincount(cluster)
    begin = np.concatenate(([0], np.cumsum(count)[:-1]))
    found: list[tuple[float, int, int]] = []
    for first, size in zip(begin[count >= 2].tolist(), count[count >= 2].tolist(), strict=True):
        if size > MOST_AT_A_FORK:
            continue
        rows = order[first : first + size]
        cosine = np.clip(-heading[rows] @ heading[rows].T, -1.0, 1.0)
        turn = np.degrees(np.arccos(cosine))
        for i in range(size):
            for j in range(i + 1, size):
                if size == 2 or turn[i, j] < SMOOTH_DEGREES:
                    found.append((float(turn[i, j]), int(free[rows[i]]), int(free[rows[j]])))
    found.sort()
    return np.array([(a, b) for _, a, b in found], dtype=np.int64).reshape(-1, 2)


def _assembled(
    run: Pieces, order: IntArray, starts: IntArray, closed: BoolArray, tolerance_mm: float, forks: FloatArray
) -> Joined:
    """Chains as paths. ``run`` are the pieces in running order; neighbours are brought to one point."""
    p, q, params = run.p.copy(), run.q.copy(), run.params.copy()
    stops = np.append(starts[1:], len(order))
    is_last = np.zeros(len(order), dtype=bool)
    is_last[stops - 1] = True
    before = np.flatnonzero(~is_last)
    after = before + 1
    before = np.append(before, stops[closed] - 1)
    after = np.append(after, starts[closed])
    row_a, row_b = run.first[before + 1] - 1, run.first[after]
    gap = np.hypot(*(q[row_a] - p[row_b]).T)
    apart = gap > 0
    row_a, row_b, gap = row_a[apart], row_b[apart], gap[apart]
    where = _meeting(p, q, run.kinds, row_a, row_b, tolerance_mm)
    for rows, columns, ends in ((row_a, slice(2, 4), q), (row_b, slice(0, 2), p)):
        is_cubic = run.kinds[rows] == Kind.CUBIC
        params[rows[is_cubic], columns] += (where - ends[rows])[is_cubic]  # the handle goes along, the tangent stays
        ends[rows] = where
    segment = np.concatenate((run.first[starts], run.first[-1:]))
    sizes = np.diff(segment)
    nodes = np.empty((len(p) + len(starts), 2))
    last = np.cumsum(sizes + 1) - 1
    is_inner = np.ones(len(nodes), dtype=bool)
    is_inner[last] = False
    nodes[is_inner] = p
    nodes[last] = q[segment[1:] - 1]
    nodes[last[closed]] = nodes[last[closed] - sizes[closed]]
    chains = paths_of(nodes, run.kinds.copy(), params, sizes.tolist(), closed.tolist())
    told = gap > SAME_MM
    members = np.split(order, starts[1:])
    return Joined(chains, members, where[told], float(gap.max(initial=0.0)), forks)


def _meeting(
    p: FloatArray, q: FloatArray, kinds: ByteArray, row_a: IntArray, row_b: IntArray, tolerance_mm: float
) -> FloatArray:
    """Where segments ``row_a`` (their ends) and ``row_b`` (their begins) are to meet (n, 2)."""
    end, begin = q[row_a], p[row_b]
    middle = (end + begin) / 2
    u, v = end - p[row_a], q[row_b] - begin
    cross = u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]
    size = np.hypot(*u.T) * np.hypot(*v.T)
    is_sound = (kinds[row_a] == Kind.LINE) & (kinds[row_b] == Kind.LINE) & (np.abs(cross) > 0.05 * size)
    d = begin - end
    with np.errstate(divide="ignore", invalid="ignore"):
        t = (d[:, 0] * v[:, 1] - d[:, 1] * v[:, 0]) / cross
        crossing = end + t[:, None] * u
        far = np.maximum(np.hypot(*(crossing - end).T), np.hypot(*(crossing - begin).T))
    is_sound &= far <= tolerance_mm
    return np.where(is_sound[:, None], crossing, middle)
