"""Parts that share edges, told apart: the faces of the net their lines make decide, before doubled lines are dropped.

Two parts laid edge to edge are often drawn each whole, so that what lies between them is drawn twice; exactly, a hair apart, or
with the taller one's edge running on. Dropping what is drawn twice would leave one part open. So wherever loose lines of a
drawing cover each other, the lines connected with them are cut at every place where another ends on them, those that lie on
each other become one edge that remembers how often it was drawn, and the faces of the net that makes are looked at: an edge
with a face on both sides that was drawn twice is an edge two parts share, and every face is a part with its own copy of it.
"""

from __future__ import annotations

from collections import defaultdict
from math import hypot
from typing import NamedTuple

import numpy as np
import shapely
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from archimetra.geometry.arrays import AnyArray, BoolArray, FloatArray, IntArray
from archimetra.geometry.clusters import clusters
from archimetra.geometry.doubles import lying_on, middles, part_of
from archimetra.geometry.faces import Way, chained, faces
from archimetra.geometry.path import Path
from archimetra.geometry.pieces import Pieces
from archimetra.geometry.segments import Kind, Segments, boxes

SHORTEST = 4.0  # a net with a line shorter than this many tolerances is too fine to be told apart
MOST_EDGES = 60_000  # in one net
MOST_AT_A_JOINT = 64
MOST_LOOKED_AT = 1_000_000
MOST_ASKED = 4_000  # in a net of single lines: with more it is a pattern, not parts


class Nets(NamedTuple):
    """``paths`` are the parts and what loose lines hang on them, ``members`` the numbers of the pieces each was made of. Of
    ``is_used`` pieces nothing else is left. ``twice`` (k, 2) lie half way along edges two parts share and were drawn for both,
    ``once`` along those drawn once, ``extra`` along lines drawn more often than parts need."""

    paths: list[Path]
    members: list[IntArray]
    is_used: BoolArray
    twice: FloatArray
    once: FloatArray
    extra: FloatArray


def parts_of_nets(
    pieces: Pieces, groups: IntArray, *, tolerance_mm: float, double_mm: float, every: bool = False
) -> Nets:
    """The parts of every net in which lines cover each other within the tolerance; ``every`` takes edges drawn once for shared
    ones wherever lines enclose areas on both sides of them."""
    segments = pieces.segments()
    owner = np.repeat(np.arange(pieces.number), np.diff(pieces.first))
    none = Nets([], [], np.zeros(pieces.number, dtype=bool), *[np.zeros((0, 2))] * 3)
    if pieces.number < 2:
        return none
    net, is_covered = _connected(segments, owner, groups, tolerance_mm, double_mm, with_covered=not every)
    paths: list[Path] = []
    members: list[IntArray] = []
    is_used = np.zeros(pieces.number, dtype=bool)
    places: dict[str, list[FloatArray]] = {"twice": [], "once": [], "extra": []}
    wanted = np.unique(net) if every else np.unique(net[is_covered])
    rows_of = _rows_by(net, wanted)
    for rows in rows_of:
        if not 2 < len(rows) <= (MOST_ASKED if every else MOST_EDGES):
            continue
        found = _told_apart(segments, rows, owner, tolerance_mm, double_mm, every)
        if found is None:
            continue
        paths += found.paths
        members += found.members
        is_used[np.unique(owner[rows])] = True
        for name in places:
            places[name] += getattr(found, name)
    return Nets(paths, members, is_used, *[np.array(places[n]).reshape(-1, 2) for n in ("twice", "once", "extra")])


def areas_between(pieces: Pieces, groups: IntArray, *, tolerance_mm: float, double_mm: float) -> FloatArray:
    """Half way along lines drawn once that have an enclosed area on both sides (k, 2)."""
    if pieces.number < 3:
        return np.zeros((0, 2))
    ends = np.concatenate((pieces.begins(), pieces.ends()))
    layer = np.tile(groups, 2).astype(np.float64) * 1e6
    around = np.bincount(clusters(np.column_stack((ends, layer)), tolerance_mm))
    if not (around > 2).any():
        return np.zeros((0, 2))  # nowhere do three ends meet
    return parts_of_nets(pieces, groups, tolerance_mm=tolerance_mm, double_mm=double_mm, every=True).once


def _rows_by(net: IntArray, wanted: IntArray) -> list[IntArray]:
    order = np.argsort(net, kind="stable")
    low, high = np.searchsorted(net[order], wanted), np.searchsorted(net[order], wanted, side="right")
    return [order[a:b] for a, b in zip(low.tolist(), high.tolist(), strict=True)]


def _connected(
    segments: Segments, owner: IntArray, groups: IntArray, tolerance_mm: float, double_mm: float, *, with_covered: bool
) -> tuple[IntArray, BoolArray]:
    """Which net each segment belongs to, and whether another covers a stretch of it."""
    n = len(segments.p)
    ends = np.concatenate((segments.p, segments.q))
    layer = np.tile(groups[owner], 2).astype(np.float64) * 1e6  # apart from one another
    joint = clusters(np.column_stack((ends, layer)), tolerance_mm)
    i = j = np.zeros(0, np.int64)
    if with_covered:
        i, j = lying_on(segments, tolerance_mm=tolerance_mm, sure_mm=double_mm)
    same = groups[owner[i]] == groups[owner[j]]
    i, j = i[same], j[same]
    is_covered = np.zeros(n, dtype=bool)
    is_covered[i] = is_covered[j] = True
    a = np.concatenate((np.tile(np.arange(n), 2), i, np.arange(1, n)[owner[1:] == owner[:-1]]))
    b = np.concatenate((n + joint, j, np.arange(0, n - 1)[owner[1:] == owner[:-1]]))
    size = n + int(joint.max()) + 1
    links = coo_matrix((np.ones(len(a), dtype=bool), (a, b)), shape=(size, size))
    return connected_components(links, directed=False)[1][:n], is_covered


class _Edges(NamedTuple):
    lines: list[Path]
    joints: list[tuple[int, int]]
    rows: list[int]  # the segment each came from


class _Found(NamedTuple):
    paths: list[Path]
    members: list[IntArray]
    twice: list[FloatArray]
    once: list[FloatArray]
    extra: list[FloatArray]


def _told_apart(
    segments: Segments, rows: IntArray, owner: IntArray, tolerance_mm: float, double_mm: float, every: bool
) -> _Found | None:
    """One net's parts; None where it is not a net of parts, or too fine to be told apart."""
    mine = segments.rows(rows)
    if np.hypot(*(mine.q - mine.p).T).min() < SHORTEST * tolerance_mm:
        return None
    cut = _cut_at_joints(mine, tolerance_mm)
    if cut is None:
        return None
    half = _halves(cut.lines)
    copies = _same_edges(cut, half, tolerance_mm)
    lines = [cut.lines[c[0]] for c in copies]
    joints = [cut.joints[c[0]] for c in copies]
    times = np.array([len(c) for c in copies])
    if _cross(lines):
        return None
    ways = faces(lines, joints)
    seen = np.bincount([k for way in ways for k, _ in way], minlength=len(lines))
    is_shared = seen == 2
    has_polyline = bool((np.bincount(owner[rows])[owner[rows]] > 1).any()) and bool((times > 1).any())
    if not ((is_shared & (times > 1)).any() or (every and is_shared.any()) or has_polyline) or not (seen > 0).any():
        return None
    if has_polyline and not is_shared.any() and (seen > 1).any():
        return None
    if is_shared.any() and not every and not (is_shared & (times > 1)).any():
        return None  # a net of single lines: which of them are parts is not ours to say
    paths, members = [], []
    for way in ways:
        path, came = _walked(cut, half, copies, way, double_mm)
        paths.append(path)
        members.append(np.unique(owner[rows[came]]))
    for k in np.flatnonzero(seen == 0).tolist():  # a line that hangs on the net, or leads nowhere
        paths.append(lines[k])
        members.append(np.unique(owner[rows[cut.rows[copies[k][0]]]])[:1])
    spot = half[[c[0] for c in copies]]
    return _Found(
        paths, members,
        [spot[k] for k in np.flatnonzero(is_shared & (times > 1))],
        [spot[k] for k in np.flatnonzero(is_shared & (times == 1))],
        [spot[k] for k in np.flatnonzero(times > np.maximum(seen, 1))],
    )  # fmt: skip


def _cut_at_joints(mine: Segments, tolerance_mm: float) -> _Edges | None:
    """The segments cut where another's end lies on them; ends within the tolerance are one joint."""
    n = len(mine.p)
    ends = np.concatenate((mine.p, mine.q))
    joint = clusters(ends, tolerance_mm)
    count = int(joint.max()) + 1
    if np.bincount(joint).max() > MOST_AT_A_JOINT:
        return None  # a fan, not corners of parts
    places = np.stack([np.bincount(joint, ends[:, k], count) for k in (0, 1)], axis=1) / np.bincount(joint)[:, None]
    around = boxes(mine)
    grown = shapely.box(*(around + np.array([-1, -1, 1, 1]) * tolerance_mm).T)
    found = _on_boxes(grown, places)
    if found is None:
        return None
    at, of = found
    cuts: dict[int, list[tuple[float, int]]] = defaultdict(list)
    for spot, k in zip(at.tolist(), of.tolist(), strict=True):
        if joint[k] == spot or joint[n + k] == spot or mine.kinds[k] == Kind.CUBIC:
            continue
        share, gap = part_of(mine.rows(np.array([k])), places[spot])
        if gap <= tolerance_mm and 0.0 < share < 1.0:
            cuts[k].append((share, spot))
    lines, joints, rows = [], [], []
    for k in range(n):
        one = Path(np.array([mine.p[k], mine.q[k]]), mine.kinds[k : k + 1], mine.params[k : k + 1], closed=False)
        stops = [(0.0, int(joint[k])), *sorted(cuts.get(k, ())), (1.0, int(joint[n + k]))]
        for (low, a), (high, b) in zip(stops[:-1], stops[1:], strict=True):
            part = one if (low, high) == (0.0, 1.0) else _stretch(one, low, high)
            if a == b and part.length() < SHORTEST * tolerance_mm:
                continue
            if a == b:
                return None  # a loop of one line: it is an outline by itself
            lines.append(part)
            joints.append((a, b))
            rows.append(k)
    return _Edges(lines, joints, rows)


def _on_boxes(grown: AnyArray, places: FloatArray) -> tuple[IntArray, IntArray] | None:
    """Pairs (place, box) of places within boxes; None where long slanting lines make too many."""
    tree = shapely.STRtree(grown)
    at, of, total = [], [], 0
    for part in np.array_split(np.arange(len(places)), max(1, len(places) // 200)):
        a, b = tree.query(shapely.points(places[part]))
        at.append(part[a])
        of.append(b)
        total += len(a)
        if total > MOST_LOOKED_AT:
            return None
    return np.concatenate(at), np.concatenate(of)


def _stretch(one: Path, low: float, high: float) -> Path:
    """The stretch of a line or an arc between two shares of it."""
    length = one.length()
    nodes = np.array([one.point_at(low * length), one.point_at(high * length)])
    params = one.params.copy()
    if one.kinds[0] == Kind.ARC:
        params[0, 0] = np.tan(np.arctan(params[0, 0]) * (high - low))
    return Path(nodes, one.kinds, params, closed=False)


def _halves(lines: list[Path]) -> FloatArray:
    """The point half way along each of some edges (k, 2)."""
    return middles(
        Segments(
            np.array([line.nodes[0] for line in lines]), np.array([line.nodes[-1] for line in lines]),
            np.concatenate([line.kinds for line in lines]), np.vstack([line.params for line in lines]),
        )
    )  # fmt: skip


def _same_edges(cut: _Edges, half: FloatArray, tolerance_mm: float) -> list[list[int]]:
    """Edges between the same joints that lie on each other, as one."""
    between: dict[tuple[int, int], list[list[int]]] = defaultdict(list)
    for k, (a, b) in enumerate(cut.joints):
        known = between[(min(a, b), max(a, b))]
        for copies in known:
            if np.hypot(*(half[k] - half[copies[0]])) <= 1.5 * tolerance_mm:
                copies.append(k)
                break
        else:
            known.append([k])
    return [copies for known in between.values() for copies in known]


def _cross(lines: list[Path]) -> bool:
    """Whether any two edges meet elsewhere than at their ends."""
    flat = shapely.linestrings(
        np.vstack([line.flatten(0.01) for line in lines]),
        indices=np.repeat(np.arange(len(lines)), [len(line.flatten(0.01)) for line in lines]),
    )
    a, b = shapely.STRtree(flat).query(flat, predicate="crosses")
    return bool((a < b).any())


def _walked(
    cut: _Edges, half: FloatArray, copies: list[list[int]], way: Way, double_mm: float
) -> tuple[Path, IntArray]:
    """A face as one closed path. Of copies a hair apart it takes the one that lies furthest to its own side."""
    parts, came = [], []
    for k, is_back in way:
        first = copies[k][0]
        best = first
        if len(copies[k]) > 1:
            (ax, ay), (bx, by) = cut.lines[first].nodes
            side = (-1.0 if is_back else 1.0) / hypot(bx - ax, by - ay)
            off = [((bx - ax) * (half[c, 1] - ay) - (by - ay) * (half[c, 0] - ax)) * side for c in copies[k]]
            if max(off) - min(off) > double_mm:
                best = copies[k][off.index(max(off))]
        line = cut.lines[best]
        turned = cut.joints[best] != cut.joints[first]
        parts.append(line.reverse() if turned != is_back else line)
        came.append(cut.rows[best])
    return chained(parts), np.array(came)
