"""In which order and direction the strokes of a carving are walked: trails with few lifts and little gone over twice.

Strokes make a graph: tips, forks, and the places where they meet the rim of a floor are its nodes. A walk that never lifts
exists where at most two nodes are of odd degree. Going over a short stroke twice costs less than a lift, a lift less than going
over a long one: ``carve_kernels.repeated`` weighs them. What is left of odd nodes is paired, near ones first, by lifts.
"""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np

from archimetra.geometry.arrays import BoolArray, FloatArray, IntArray
from archimetra.toolpath.carve.kernels import repeated

SAME_MM = 1e-4  # ends that lie this close are one node


class Trail(msgspec.Struct, frozen=True, eq=False):
    """One walk without a lift: strokes by number, each with whether it is walked from its end."""

    strokes: tuple[tuple[int, bool], ...]
    begin: int  # node


class Ways(msgspec.Struct, frozen=True, eq=False):
    """The trails in the order they are walked, and the node (n, 2) at both ends of each stroke."""

    trails: tuple[Trail, ...]
    nodes: IntArray


def ways(lines: Sequence[FloatArray], *, mm_per_s: float, lift_s: float) -> Ways:
    """How to walk all lines (n, 2 or 3) of a carving. ``lift_s`` is what going up, over and down again takes."""
    if not lines:
        return Ways((), np.zeros((0, 2), dtype=np.int64))
    ends = np.array([(line[0, :2], line[-1, :2]) for line in lines])
    keys = np.rint(ends.reshape(-1, 2) / SAME_MM).astype(np.int64)
    _, first, number = np.unique(keys, axis=0, return_index=True, return_inverse=True)
    nodes = number.reshape(-1, 2)
    places = ends.reshape(-1, 2)[first]
    lengths = np.array([np.hypot(*np.diff(line[:, :2], axis=0).T).sum() for line in lines])
    a, b = np.ascontiguousarray(nodes[:, 0]), np.ascontiguousarray(nodes[:, 1])
    twice = repeated(a, b, lengths / mm_per_s, len(places), lift_s)
    parts = connected(nodes, len(places))
    height_at = np.zeros(len(places))
    for line, (u, v) in zip(lines, nodes, strict=True):
        if line.shape[1] > 2:
            height_at[u], height_at[v] = line[0, 2], line[-1, 2]
    trails: list[Trail] = []
    at = np.zeros(2)
    remaining = list(parts)
    while remaining:
        # the part whose nearest node is nearest to where the last one ended
        k = _nearest_part(remaining, nodes, places, at)
        part = remaining.pop(k)
        found = _trails(lines, nodes, places, height_at, part, twice, at)
        trails.extend(found)
        stroke, back = found[-1].strokes[-1]
        at = places[nodes[stroke, 0 if back else 1]]
    return Ways(tuple(trails), nodes)


def deeper_lines(lines: Sequence[FloatArray], before: float, *, longest_mm: float) -> list[FloatArray]:
    """The parts of lines (x, y, z) that lie below a height, with those above it that join them by no more than ``longest_mm``: going on
    along these, which are cut already, takes less than a lift."""
    pieces: list[FloatArray] = []
    is_deep: list[bool] = []
    for line in lines:
        for part in _parted(line, before):
            pieces.append(part)
            is_deep.append(bool((part[:, 2] < before - 1e-9).any()))
    if not pieces:
        return []
    ends = np.array([(line[0, :2], line[-1, :2]) for line in pieces]).reshape(-1, 2)
    _, number = np.unique(np.rint(ends / SAME_MM).astype(np.int64), axis=0, return_inverse=True)
    nodes = number.reshape(-1, 2)
    length = np.array([np.hypot(*np.diff(piece[:, :2], axis=0).T).sum() for piece in pieces])
    kept = np.array(is_deep) | (length <= longest_mm)
    kept[(nodes[:, 0] == nodes[:, 1]) & ~np.array(is_deep)] = False
    # what leads nowhere is taken off, end by end
    degree = np.bincount(nodes[kept].ravel(), minlength=int(nodes.max()) + 1)
    waiting = True
    while waiting:
        waiting = False
        for k in np.flatnonzero(kept & ~np.array(is_deep)):
            if degree[nodes[k, 0]] == 1 or degree[nodes[k, 1]] == 1:
                kept[k], waiting = False, True
                degree[nodes[k]] -= 1
    return [piece for piece, keep in zip(pieces, kept, strict=True) if keep]


def _parted(line: FloatArray, z: float) -> list[FloatArray]:
    """A line (x, y, z) in pieces that lie wholly above or wholly below a height."""
    if len(line) < 2:
        return []
    low = line[:, 2] < z - 1e-9
    if low.all() or not low.any():
        return [line]
    points, cuts = [line[0]], list[int]()
    for a, b in zip(line[:-1], line[1:], strict=True):
        if (a[2] - z) * (b[2] - z) < -1e-18:
            points.append(a + (b - a) * (a[2] - z) / (a[2] - b[2]))
            cuts.append(len(points) - 1)
        elif abs(b[2] - z) <= 1e-9:
            cuts.append(len(points))
        points.append(b)
    whole = np.array(points)
    marks = sorted({0, *cuts, len(whole) - 1})
    return [whole[a : b + 1] for a, b in zip(marks[:-1], marks[1:], strict=True) if b > a]


def _nearest_part(parts: list[IntArray], nodes: IntArray, places: FloatArray, at: FloatArray) -> int:
    if len(parts) == 1:
        return 0
    gaps = [float(np.hypot(*(places[nodes[part].ravel()] - at).T).min()) for part in parts]
    return int(np.argmin(gaps))


def connected(nodes: IntArray, node_count: int) -> list[IntArray]:
    """Stroke numbers by connected part."""
    leader = list(range(node_count))

    def lead(k: int) -> int:
        while leader[k] != k:
            leader[k] = leader[leader[k]]
            k = leader[k]
        return k

    for u, v in nodes.tolist():
        leader[lead(u)] = lead(v)
    label = np.array([lead(u) for u in nodes[:, 0].tolist()])
    order = np.argsort(label, kind="stable")
    cuts = np.flatnonzero(np.diff(label[order])) + 1
    return np.split(order, cuts)


def _trails(
    lines: Sequence[FloatArray], nodes: IntArray, places: FloatArray, height_at: FloatArray, part: IntArray, twice: BoolArray,
    at: FloatArray,
) -> list[Trail]:  # fmt: skip
    """The trails of one connected part: one walk round it by Hierholzer's method, cut where it lifts."""
    copies = [(int(k), int(nodes[k, 0]), int(nodes[k, 1])) for k in part.tolist() for _ in range(2 if twice[k] else 1)]
    degree: dict[int, int] = {}
    for _, u, v in copies:
        degree[u] = degree.get(u, 0) + 1
        degree[v] = degree.get(v, 0) + 1
    odd = [node for node, count in degree.items() if count % 2]
    lifts = _paired(odd, places)
    if lifts:  # the walk begins after the longest lift, which then need not be made
        lifts.sort(key=lambda pair: -float(np.hypot(*(places[pair[0]] - places[pair[1]]))))
        u, v = lifts.pop(0)
        begin = min((u, v), key=lambda node: (-round(float(height_at[node]), 3), float(np.hypot(*(places[node] - at)))))
    else:
        begin = min(degree, key=lambda node: (-round(float(height_at[node]), 3), float(np.hypot(*(places[node] - at)))))
    edges = copies + [(-1, u, v) for u, v in lifts]
    walk = _euler(edges, begin, lines, nodes)
    trails, current = [], list[tuple[int, bool]]()
    start = begin
    for stroke, u, v in walk:
        if stroke < 0:
            if current:
                trails.append(Trail(tuple(current), start))
            current, start = [], v
            continue
        if not current:
            start = u
        current.append((stroke, bool(nodes[stroke, 0] != u)))
    if current:
        trails.append(Trail(tuple(current), start))
    return trails


def _paired(odd: list[int], places: FloatArray) -> list[tuple[int, int]]:
    """Odd nodes in pairs, the nearest first."""
    if len(odd) < 2:
        return []
    if len(odd) == 2:
        return [(odd[0], odd[1])]
    points = places[odd]
    out: list[tuple[int, int]] = []
    if len(odd) > 1500:  # in the order they lie along the walk from left to right: too many to weigh each against each
        order = np.lexsort((points[:, 1], np.round(points[:, 0], 1)))
        return [(odd[a], odd[b]) for a, b in zip(order[0::2], order[1::2], strict=True)]
    gaps = np.hypot(*(points[:, None] - points[None]).transpose(2, 0, 1))
    i, j = np.triu_indices(len(odd), 1)
    is_free = np.ones(len(odd), dtype=bool)
    for k in np.argsort(gaps[i, j], kind="stable"):
        if is_free[i[k]] and is_free[j[k]]:
            is_free[i[k]] = is_free[j[k]] = False
            out.append((odd[i[k]], odd[j[k]]))
            if 2 * len(out) == len(odd):
                break
    return out


def _euler(
    edges: list[tuple[int, int, int]], begin: int, lines: Sequence[FloatArray], nodes: IntArray
) -> list[tuple[int, int, int]]:
    """One walk over all edges from ``begin``: (stroke, from node, to node) each. At a fork it goes on as straight as it can."""
    at_node: dict[int, list[int]] = {}
    for e, (_, u, v) in enumerate(edges):
        at_node.setdefault(u, []).append(e)
        if v != u:
            at_node.setdefault(v, []).append(e)
    used = [False] * len(edges)
    stack: list[tuple[int, int, int]] = [(begin, -1, begin)]  # node, edge that led here, node before
    out: list[tuple[int, int, int]] = []
    while stack:
        node, came_by, before = stack[-1]
        free = [e for e in at_node.get(node, ()) if not used[e]]
        if not free:
            stack.pop()
            if came_by >= 0:
                out.append((edges[came_by][0], before, node))
            continue
        e = free[0] if len(free) == 1 else _straightest(free, came_by, node, before, edges, lines, nodes)
        used[e] = True
        _, u, v = edges[e]
        stack.append((v if u == node else u, e, node))
    out.reverse()
    return out


def _straightest(
    free: list[int], came_by: int, node: int, before: int, edges: list[tuple[int, int, int]], lines: Sequence[FloatArray],
    nodes: IntArray,
) -> int:  # fmt: skip
    strokes = [e for e in free if edges[e][0] >= 0]
    if not strokes:
        return free[0]
    if came_by < 0 or edges[came_by][0] < 0:
        return strokes[0]
    arrives = -_leaving(edges[came_by][0], node, lines, nodes)
    return max(strokes, key=lambda e: float(arrives @ _leaving(edges[e][0], node, lines, nodes)))


def _leaving(stroke: int, node: int, lines: Sequence[FloatArray], nodes: IntArray) -> FloatArray:
    """The direction in which a stroke leaves a node."""
    line = lines[stroke]
    d = line[1, :2] - line[0, :2] if nodes[stroke, 0] == node else line[-2, :2] - line[-1, :2]
    return np.asarray(d / max(float(np.hypot(*d)), 1e-12))
