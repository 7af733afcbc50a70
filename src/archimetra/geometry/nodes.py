"""Nodes of a path: moved, added, taken away, made smooth or sharp; segments made straight or curved; paths broken and joined.

Nodes are numbered from 0; a closed path's last node is its first and has no number of its own. Every function gives a
new path (or several) and leaves the shape elsewhere to the bit.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from math import hypot

import numpy as np

from archimetra.geometry.arrays import ByteArray, FloatArray
from archimetra.geometry.cubic import cubic_points
from archimetra.geometry.path import Path
from archimetra.geometry.segments import Kind

SAME_MM = 1e-4  # ends this near are one point


def node_count(path: Path) -> int:
    return len(path) if path.closed else len(path) + 1


def move_nodes(path: Path, which: Collection[int], dx: float, dy: float) -> Path:
    """Nodes shifted, the handles beside them with them. An arc with a moved end keeps its bulge."""
    nodes, params = path.nodes.copy(), path.params.copy()
    step = np.array([dx, dy])
    n = len(path)
    for node in which:
        nodes[node] += step
        if path.closed and node == 0:
            nodes[n] += step
        after, before = node, node - 1
        if before < 0 and path.closed:
            before = n - 1
        if after < n and path.kinds[after] == Kind.CUBIC:
            params[after, 0:2] += step
        if before >= 0 and path.kinds[before] == Kind.CUBIC:
            params[before, 2:4] += step
    return Path(nodes, path.kinds, params, closed=path.closed)


def move_handle(path: Path, segment: int, second: bool, to: tuple[float, float], *, keeps_smooth: bool) -> Path:
    """One handle of a cubic brought to a place; where the node was smooth, the handle across it turns along."""
    params = path.params.copy()
    here = slice(2, 4) if second else slice(0, 2)
    node = (segment + 1) if second else segment
    was_smooth = keeps_smooth and is_smooth(path, node % node_count(path) if path.closed else node)
    params[segment, here] = to
    other = segment + 1 if second else segment - 1
    if path.closed:
        other %= len(path)
    if was_smooth and 0 <= other < len(path) and other != segment and path.kinds[other] == Kind.CUBIC:
        there = slice(0, 2) if second else slice(2, 4)
        at = path.nodes[node]
        away = at - np.asarray(to)
        size = float(hypot(*away))
        if size > 1e-12:
            params[other, there] = at + away / size * float(hypot(*(path.params[other, there] - at)))
    return Path(path.nodes, path.kinds, params, closed=path.closed)


def add_node(path: Path, segment: int, t: float) -> Path:
    """A node on a segment, at its parameter (0 to 1); the line stays as it is."""
    t = min(max(t, 1e-6), 1 - 1e-6)
    ends = np.concatenate(([0.0], np.cumsum(path.segment_lengths())))
    p, q = path.nodes[segment], path.nodes[segment + 1]
    params = path.params[segment]
    kind = int(path.kinds[segment])
    if kind == Kind.CUBIC:
        c = np.array([p, params[0:2], params[2:4], q])
        a, b, d = c[0] + t * (c[1] - c[0]), c[1] + t * (c[2] - c[1]), c[2] + t * (c[3] - c[2])
        e, f = a + t * (b - a), b + t * (d - b)
        middle = e + t * (f - e)
        rows = np.array([[*a, *e], [*f, *d]])
    else:
        middle = path.point_at(float(ends[segment]) + t * float(ends[segment + 1] - ends[segment]))
        bulge = params[0] if kind == Kind.ARC else 0.0
        rows = np.zeros((2, 4))
        rows[:, 0] = np.tan(np.arctan(bulge) * np.array([t, 1 - t]))
    return _spliced(path, segment, segment + 1, [middle], [kind, kind], rows)


def delete_nodes(path: Path, which: Collection[int]) -> Path | None:
    """The path without some nodes; two curved neighbours become one curve that leaves and arrives as they did. None
    where too few nodes are left to make anything."""
    for node in sorted(set(which), reverse=True):
        path_or_none = _without_node(path, node)
        if path_or_none is None or (path_or_none.closed and abs(path_or_none.area()) < SAME_MM * path_or_none.length()):
            return None  # a triangle less a node is a line there and back
        path = path_or_none
    return path


def _without_node(path: Path, node: int) -> Path | None:
    n = len(path)
    if path.closed:
        if n <= 2:
            return None
        if node == 0:  # begin one node further on, so that the node lies inside
            path, node = _begun_at(path, 1), n - 1
    elif n <= 1:
        return None
    elif node == 0:
        return Path(path.nodes[1:], path.kinds[1:], path.params[1:], closed=False)
    elif node == n:
        return Path(path.nodes[:-1], path.kinds[:-1], path.params[:-1], closed=False)
    a, b = node - 1, node
    if path.kinds[a] == Kind.LINE and path.kinds[b] == Kind.LINE:
        return _spliced(path, a, b + 1, [], [Kind.LINE], np.zeros((1, 4)))
    arc = _one_arc(path, a, b)
    if arc is not None:
        return _spliced(path, a, b + 1, [], [Kind.ARC], np.array([[arc, 0.0, 0.0, 0.0]]))
    whole = curves(path, (a, b))
    p, q = whole.nodes[a], whole.nodes[b + 1]
    first, last = whole.params[a, 0:2] - p, whole.params[b, 2:4] - q
    la, lb = float(path.segment_lengths()[a]), float(path.segment_lengths()[b])
    row = np.array([[*(p + first * (la + lb) / max(la, 1e-9)), *(q + last * (la + lb) / max(lb, 1e-9))]])
    return _spliced(path, a, b + 1, [], [Kind.CUBIC], row)


def _one_arc(path: Path, a: int, b: int) -> float | None:
    """The bulge of two neighbouring arcs of one circle as one; None where they are not, or go all round."""
    if path.kinds[a] != Kind.ARC or path.kinds[b] != Kind.ARC:
        return None
    one, two = path.arc(a), path.arc(b)
    off = hypot(*(one[0] - two[0])) + abs(one[1] - two[1])
    sweep = one[3] + two[3]
    if off > 1e-6 * max(one[1], 1.0) or one[3] * two[3] < 0 or abs(sweep) > 2 * np.pi - 1e-3:
        return None
    return float(np.tan(sweep / 4))


def lines(path: Path, which: Collection[int]) -> Path:
    """Segments made straight."""
    kinds, params = path.kinds.copy(), path.params.copy()
    rows = list(which)
    kinds[rows], params[rows] = Kind.LINE, 0.0
    return Path(path.nodes, kinds, params, closed=path.closed)


def curves(path: Path, which: Collection[int]) -> Path:
    """Segments made cubic, as nearly as one cubic can follow them: lines exactly, arcs of a quarter to 3e-4 of
    their radius."""
    kinds, params = path.kinds.copy(), path.params.copy()
    for k in which:
        p, q = path.nodes[k], path.nodes[k + 1]
        if path.kinds[k] == Kind.LINE:
            params[k] = [*(p + (q - p) / 3), *(q - (q - p) / 3)]
        elif path.kinds[k] == Kind.ARC:
            centre, _, _, sweep = path.arc(k)
            handle = 4 / 3 * np.tan(sweep / 4)
            (px, py), (qx, qy) = p - centre, q - centre
            params[k] = [p[0] - handle * py, p[1] + handle * px, q[0] + handle * qy, q[1] - handle * qx]
        kinds[k] = Kind.CUBIC
    return Path(path.nodes, kinds, params, closed=path.closed)


def is_smooth(path: Path, node: int) -> bool:
    """Whether the line runs through a node without a corner (turn below a hundredth of a degree)."""
    ways = _ways(path, node)
    if ways is None:
        return False
    u, v = ways
    return bool(u @ v > 0 and abs(u[0] * v[1] - u[1] * v[0]) < 2e-4)


def _ways(path: Path, node: int) -> tuple[FloatArray, FloatArray] | None:
    """Directions in which the path reaches a node and leaves it; None at an open end."""
    n = len(path)
    before, after = node - 1, node
    if path.closed:
        before, after = before % n, after % n
    if before < 0 or after >= n:
        return None
    ends = np.concatenate(([0.0], np.cumsum(path.segment_lengths())))
    step = 1e-7 * float(ends[-1])
    at_before = float(ends[before + 1])
    into = path.direction_at(at_before - step)
    out = path.direction_at(float(ends[after]) + step)
    return into, out


def smooth(path: Path, which: Collection[int]) -> Path:
    """Nodes made smooth: lines and arcs beside them become curves, and the handles are laid in line."""
    for node in sorted(set(which), reverse=True):
        if is_smooth(path, node):
            continue
        path, node = _with_short_arcs(path, node)
        n = len(path)
        before, after = node - 1, node
        if path.closed:
            before, after = before % n, after % n
        if before < 0 or after >= n:
            continue
        path = curves(path, [k for k in (before, after) if path.kinds[k] != Kind.CUBIC])
        params = path.params.copy()
        at = path.nodes[node]
        arriving, leaving = at - params[before, 2:4], params[after, 0:2] - at
        la, lb = float(hypot(*arriving)), float(hypot(*leaving))
        way = arriving / max(la, 1e-12) + leaving / max(lb, 1e-12)
        if hypot(*way) < 1e-9:
            way = np.array([-arriving[1], arriving[0]])
        way = way / hypot(*way)
        params[before, 2:4] = at - way * la
        params[after, 0:2] = at + way * lb
        path = Path(path.nodes, path.kinds, params, closed=path.closed)
    return path


def _with_short_arcs(path: Path, node: int) -> tuple[Path, int]:
    """The path with the arcs beside a node no longer than a quarter: one cubic follows no more. The node's number then."""
    n = len(path)
    for segment, is_before in (
        (node % n if path.closed else node, False),
        ((node - 1) % n if path.closed else node - 1, True),
    ):
        if not 0 <= segment < len(path) or path.kinds[segment] != Kind.ARC:
            continue
        sweep = abs(path.arc(segment)[3])
        if sweep > np.pi / 2 + 1e-9:
            share = np.pi / 2 / sweep
            path = add_node(path, segment, 1 - share if is_before else share)
            if is_before and node > 0:
                node += 1
    return path, node


def sharp(path: Path, which: Collection[int]) -> Path:
    """Nodes made corners: the handles beside them are drawn in to a third of the way to the next node."""
    params = path.params.copy()
    n = len(path)
    for node in which:
        before, after = node - 1, node
        if path.closed:
            before, after = before % n, after % n
        at = path.nodes[node]
        if 0 <= before < n and path.kinds[before] == Kind.CUBIC:
            params[before, 2:4] = at + (path.nodes[before] - at) / 3
        if 0 <= after < n and path.kinds[after] == Kind.CUBIC:
            params[after, 0:2] = at + (path.nodes[after + 1] - at) / 3
    return Path(path.nodes, path.kinds, params, closed=path.closed)


def broken(path: Path, which: Collection[int]) -> list[Path]:
    """The path cut apart at nodes."""
    cuts = sorted(set(which))
    if not cuts:
        return [path]
    if path.closed:
        path = _begun_at(path, cuts[0])
        cuts = [node - cuts[0] for node in cuts[1:]]
        path = Path(path.nodes, path.kinds, path.params, closed=False)
    edges = [0, *[node for node in cuts if 0 < node < len(path)], len(path)]
    return [
        Path(path.nodes[a : b + 1], path.kinds[a:b], path.params[a:b], closed=False)
        for a, b in zip(edges[:-1], edges[1:], strict=True)
    ]


def joined_ends(one: Path, at_end: bool, two: Path, at_begin: bool) -> Path:
    """Two open paths as one: the end (or begin) of one to the begin (or end) of the other, by a straight line where they
    do not meet. The same path twice closes it."""
    if one is two:
        return closed_straight(one)
    first = one if at_end else one.reverse()
    second = two if at_begin else two.reverse()
    if np.abs(first.nodes[-1] - second.nodes[0]).max() < 1e-9:
        nodes = np.vstack((first.nodes, second.nodes[1:]))
        kinds = np.concatenate((first.kinds, second.kinds))
        params = np.vstack((first.params, second.params))
    else:
        nodes = np.vstack((first.nodes, second.nodes))
        kinds = np.concatenate((first.kinds, [np.uint8(Kind.LINE)], second.kinds))
        params = np.vstack((first.params, np.zeros((1, 4)), second.params))
    return Path(nodes, kinds, params, closed=False)


def closed_straight(path: Path) -> Path:
    """An open path closed with a line from its end to its begin; without one where they lie within ``SAME_MM``."""
    if float(hypot(*(path.nodes[-1] - path.nodes[0]))) <= SAME_MM:
        nodes = path.nodes.copy()
        nodes[-1] = nodes[0]
        return Path(nodes, path.kinds, path.params, closed=True)
    nodes = np.vstack((path.nodes, path.nodes[:1]))
    kinds = np.append(path.kinds, np.uint8(Kind.LINE))
    return Path(nodes, kinds, np.vstack((path.params, np.zeros((1, 4)))), closed=True)


def _begun_at(path: Path, node: int) -> Path:
    """A closed path begun at another of its nodes."""
    nodes = np.vstack((path.nodes[node:-1], path.nodes[: node + 1]))
    kinds = np.concatenate((path.kinds[node:], path.kinds[:node]))
    return Path(nodes, kinds, np.vstack((path.params[node:], path.params[:node])), closed=True)


def _spliced(
    path: Path, first: int, last: int, inner: Sequence[FloatArray], kinds: Sequence[int], params: FloatArray
) -> Path:
    """Segments ``first`` up to ``last`` replaced, with ``inner`` nodes between their outer ones."""
    nodes = np.vstack([path.nodes[: first + 1], *[np.asarray(at)[None] for at in inner], path.nodes[last:]])
    all_kinds: ByteArray = np.concatenate((path.kinds[:first], np.array(kinds, np.uint8), path.kinds[last:]))
    return Path(nodes, all_kinds, np.vstack((path.params[:first], params, path.params[last:])), closed=path.closed)


def nearest_on(path: Path, at: tuple[float, float]) -> tuple[int, float, float]:
    """The segment nearest to a point, the parameter on it, and the distance."""
    best = (0, 0.0, float("inf"))
    for k in range(len(path)):
        t, gap = path.nearest_on_segment(k, at)
        if gap < best[2]:
            best = (k, t, gap)
    return best


def point_on(path: Path, segment: int, t: float) -> FloatArray:
    """The point at a segment's parameter."""
    if path.kinds[segment] == Kind.CUBIC:
        c = path.params[segment]
        p = np.array([path.nodes[segment], c[0:2], c[2:4], path.nodes[segment + 1]])
        return np.asarray(cubic_points(p, np.array([t]))[0])
    ends = np.concatenate(([0.0], np.cumsum(path.segment_lengths())))
    return path.point_at(float(ends[segment]) + t * float(ends[segment + 1] - ends[segment]))
