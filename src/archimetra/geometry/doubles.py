"""Lines drawn twice: found whole, reversed or overlapping in part.

All measures are within a tolerance in mm. Twins are segments that cover each other wholly; overlaps are lines on one line, or
arcs on one circle, that share a stretch longer than ``SHORTEST`` tolerances.
"""

from __future__ import annotations

from math import pi
from typing import NamedTuple

import numpy as np
import shapely
from scipy.spatial import cKDTree

from archimetra.geometry.arrays import AnyArray, BoolArray, ByteArray, FloatArray, IntArray
from archimetra.geometry.segments import Kind, Segments, arcs_of, boxes

SHORTEST = 10.0
SHORTEST_TWIN = 4.0  # segments shorter than this many tolerances lie beside their neighbours anyway
_PASSES = 8
_MOST_PAIRS = 4_000_000


def twins(segments: Segments, *, tolerance_mm: float, groups: IntArray | None = None) -> IntArray:
    """For each segment the number of the first of its group that covers it wholly, either way round; -1 for none, and for
    segments shorter than ``SHORTEST_TWIN`` tolerances."""
    out = np.full(len(segments.p), -1, dtype=np.int64)
    rows = np.flatnonzero(np.hypot(*(segments.q - segments.p).T) > SHORTEST_TWIN * tolerance_mm)
    if len(rows) > 1:
        found = _twins(segments.rows(rows), tolerance_mm, None if groups is None else groups[rows])
        has = found >= 0
        out[rows[has]] = rows[found[has]]
    return out


def _twins(segments: Segments, tolerance_mm: float, groups: IntArray | None) -> IntArray:
    p, q, kinds, _params = segments
    n = len(p)
    out = np.full(n, -1, dtype=np.int64)
    middle = middles(segments)
    d = np.abs(q - p)
    group = np.zeros(n) if groups is None else groups * (10 * tolerance_mm + 1.0)
    features = np.column_stack((middle, d / 2, group, kinds * 1000.0))
    cells = np.round(features / 1e-7)
    _, first, which = np.unique(cells, axis=0, return_index=True, return_inverse=True)
    which = which.ravel()
    pairs = cKDTree(features[first]).query_pairs(2 * tolerance_mm, output_type="ndarray")
    i, j = first[pairs[:, 0]], first[pairs[:, 1]]
    i, j = np.minimum(i, j), np.maximum(i, j)
    same = np.flatnonzero(first[which] != np.arange(n))  # to the bit alike in these measures
    i, j = np.concatenate((i, first[which[same]])), np.concatenate((j, same))
    is_twin = _cover_each_other(segments, i, j, tolerance_mm)
    i, j = i[is_twin], j[is_twin]
    order = np.lexsort((i, j))[::-1]
    out[j[order]] = i[order]  # the smallest comes last and stays
    chained = (out >= 0) & (out[np.maximum(out, 0)] >= 0)
    if chained.any():
        # a fan of lines each a hair from the next is not one line: only what lies on one that stays is its twin
        out[:] = -1
        for a, b in sorted(zip(i.tolist(), j.tolist(), strict=True), key=lambda pair: (pair[1], pair[0])):
            if out[a] < 0 and out[b] < 0:
                out[b] = a
    return out


def _cover_each_other(segments: Segments, i: IntArray, j: IntArray, tolerance_mm: float) -> BoolArray:
    p, q, kinds, params = segments
    along = np.maximum(_gap(p[i], p[j]), _gap(q[i], q[j]))
    against = np.maximum(_gap(p[i], q[j]), _gap(q[i], p[j]))
    fits = (kinds[i] == kinds[j]) & (np.minimum(along, against) <= tolerance_mm)
    is_cubic = kinds[i] == Kind.CUBIC
    if is_cubic.any():
        a, b = params[i], params[j]
        straight = np.maximum(_gap(a[:, :2], b[:, :2]), _gap(a[:, 2:], b[:, 2:]))
        turned = np.maximum(_gap(a[:, :2], b[:, 2:]), _gap(a[:, 2:], b[:, :2]))
        handles = np.minimum(np.maximum(straight, along), np.maximum(turned, against))
        fits &= ~is_cubic | (handles <= 2 * tolerance_mm)
    middle = middles(Segments(p[i], q[i], kinds[i], params[i])), middles(Segments(p[j], q[j], kinds[j], params[j]))
    return np.asarray(fits & (_gap(*middle) <= tolerance_mm))


def lying_on(segments: Segments, *, tolerance_mm: float, sure_mm: float) -> tuple[IntArray, IntArray]:
    """Pairs (i, j) of lines or arcs that share a stretch within the tolerance, and of curves alike within ``sure_mm``."""
    keep = np.ones(len(segments.p), dtype=bool)
    i, j, *_ = _overlapping(segments, keep, tolerance_mm)
    twin = twins(segments, tolerance_mm=sure_mm)
    has = np.flatnonzero(twin >= 0)
    return np.concatenate((i, twin[has])), np.concatenate((j, has))


def part_of(one: Segments, place: FloatArray) -> tuple[float, float]:
    """Where along a line or an arc (a share of it, from 0 to 1) a place is nearest, and how far off it is."""
    p, q = one.p[0], one.q[0]
    if one.kinds[0] == Kind.ARC:
        arc = arcs_of(one.p, one.q, one.params[:, 0])
        d = place - arc.centre[0]
        sweep = float(arc.sweep[0])
        turn = float(np.mod((np.arctan2(d[1], d[0]) - arc.start[0]) * np.sign(sweep), 2 * pi))
        return turn / abs(sweep), abs(float(np.hypot(*d)) - float(arc.radius[0]))
    u = q - p
    share = float(np.dot(place - p, u) / np.dot(u, u))
    return share, float(abs(u[0] * (place - p)[1] - u[1] * (place - p)[0]) / np.hypot(*u))


def middles(segments: Segments) -> FloatArray:
    """The point (n, 2) half way along each segment (cubics: at half their parameter)."""
    p, q, kinds, params = segments
    out = (p + q) / 2
    arc = kinds == Kind.ARC
    d = (q - p)[arc]
    out[arc] += np.column_stack((d[:, 1], -d[:, 0])) * (params[arc, :1] / 2)  # the sagitta, to the right of the chord
    cubic = kinds == Kind.CUBIC
    out[cubic] = (p[cubic] + 3 * params[cubic, :2] + 3 * params[cubic, 2:] + q[cubic]) / 8
    return np.asarray(out)


class Overlaps(NamedTuple):
    """``segments`` as they are left, ``keep`` (n,) which of them are, ``dropped`` (k, 2) where something went, and ``shared``
    (j, 2) pairs of numbers of segments that lie on each other and may not be touched. ``is_whole`` is not set where so many
    lines cross that not all could be looked at."""

    segments: Segments
    keep: BoolArray
    dropped: FloatArray
    shared: IntArray
    is_whole: bool = True


def without_overlaps(segments: Segments, is_loose: BoolArray, *, tolerance_mm: float) -> Overlaps:
    """Loose lines and arcs cut back to what no other segment covers; of two loose ones the later gives way."""
    p, q, params = segments.p.copy(), segments.q.copy(), segments.params.copy()
    keep = np.ones(len(p), dtype=bool)
    dropped: list[FloatArray] = []
    shared = np.zeros((0, 2), np.int64)
    for turn in range(_PASSES):
        now = Segments(p, q, segments.kinds, params)
        i, j, low, high, is_whole = _overlapping(now, keep, tolerance_mm)
        fixed = ~is_loose[i] & ~is_loose[j]
        if turn == 0:
            shared = np.column_stack((i, j))[fixed]
        i, j, low, high = i[~fixed], j[~fixed], low[~fixed], high[~fixed]
        if not len(i):
            break
        # `low, high` say which stretch of j, from 0 to 1, lies on i: one change a segment and pass
        _, once = np.unique(j, return_index=True)
        touched = np.zeros(len(p), dtype=bool)
        changed = False
        for k in once.tolist():
            a, b = int(i[k]), int(j[k])
            if touched[a] or touched[b]:
                continue
            touched[a] = touched[b] = changed = True
            dropped.append(_cut_back(p, q, params, segments.kinds, keep, b, float(low[k]), float(high[k])))
        if not changed:
            break
    spots = np.array(dropped).reshape(-1, 2)
    return Overlaps(Segments(p, q, segments.kinds, params), keep, spots, shared, is_whole)


def _cut_back(
    p: FloatArray, q: FloatArray, params: FloatArray, kinds: ByteArray, keep: BoolArray, k: int, low: float, high: float
) -> FloatArray:
    """Take the stretch from ``low`` to ``high`` off segment ``k``; a point of what went. A stretch in the middle takes
    the shorter rest with it only if that rest is on the other segment's line anyway, so it never gets here."""
    one = Segments(p[k : k + 1], q[k : k + 1], kinds[k : k + 1], params[k : k + 1])
    spot = _point(one, (low + high) / 2)
    if low <= 1e-9 and high >= 1 - 1e-9:
        keep[k] = False
    elif low <= 1e-9:
        start = _point(one, high)
        params[k, 0] = _part_bulge(params[k, 0], 1 - high, kinds[k])
        p[k] = start
    else:
        end = _point(one, low)
        params[k, 0] = _part_bulge(params[k, 0], low, kinds[k])
        q[k] = end
    return spot


def _part_bulge(bulge: float, share: float, kind: int) -> float:
    return float(np.tan(np.arctan(bulge) * share)) if kind == Kind.ARC else bulge


def _point(one: Segments, t: float) -> FloatArray:
    p, q, kinds, params = one
    if kinds[0] != Kind.ARC:
        return np.asarray(p[0] + t * (q[0] - p[0]))
    arc = arcs_of(p, q, params[:, 0])
    angle = arc.start[0] + arc.sweep[0] * t
    return np.asarray(arc.centre[0] + arc.radius[0] * np.array([np.cos(angle), np.sin(angle)]))


def _overlapping(
    segments: Segments, keep: BoolArray, tolerance_mm: float
) -> tuple[IntArray, IntArray, FloatArray, FloatArray, bool]:
    """Pairs (i, j) of which i covers the stretch ``low`` to ``high`` of j, with one end of j in it. Both orders are looked
    at; the later segment gives way unless only the earlier is covered at an end."""
    is_long = np.hypot(*(segments.q - segments.p).T) > SHORTEST_TWIN * tolerance_mm
    rows = np.flatnonzero(keep & is_long & (segments.kinds != Kind.CUBIC))
    none = np.zeros(0, np.int64), np.zeros(0, np.int64), np.zeros(0), np.zeros(0), True
    if len(rows) < 2:
        return none
    around = boxes(segments.rows(rows))
    grown = shapely.box(*(around + np.array([-1, -1, 1, 1]) * tolerance_mm).T)
    i, j, is_whole = _touching(grown, segments.kinds[rows])
    i, j = rows[i], rows[j]
    apart = _run_apart(segments, i, j)
    i, j = i[~apart], j[~apart]
    found = []
    for first, second in ((i, j), (j, i)):
        for kind, covered in ((Kind.LINE, _lines_covered), (Kind.ARC, _arcs_covered)):
            k = np.flatnonzero(segments.kinds[first] == kind)
            low, high, is_on = covered(segments, first[k], second[k], tolerance_mm)
            # only a stretch that reaches an end of the segment can be cut off it
            is_on &= (low <= 1e-9) | (high >= 1 - 1e-9)
            found.append((first[k][is_on], second[k][is_on], low[is_on], high[is_on]))
    ci, cj, cl, ch = (np.concatenate(parts) for parts in zip(*found, strict=True))
    # prefer dropping the whole of something, then the later one
    order = np.lexsort((ci, cj < ci, (ch - cl) < 1 - 1e-9))
    ci, cj, cl, ch = ci[order], cj[order], cl[order], ch[order]
    pair = np.sort(np.column_stack((ci, cj)), axis=1)
    _, once = np.unique(pair, axis=0, return_index=True)
    once = np.sort(once)
    return ci[once], cj[once], cl[once], ch[once], is_whole


def _run_apart(segments: Segments, i: IntArray, j: IntArray) -> BoolArray:
    """Pairs of lines too far from parallel to share ``SHORTEST`` tolerances; of ten thousand crossing lines this leaves few."""
    d = segments.q - segments.p
    u = (d / np.maximum(np.hypot(*d.T), 1e-300)[:, None]).astype(np.float32)
    is_line = segments.kinds == Kind.LINE
    return np.asarray(is_line[i] & (np.abs(u[i, 0] * u[j, 1] - u[i, 1] * u[j, 0]) > 0.5))


def _touching(grown: AnyArray, kinds: ByteArray) -> tuple[IntArray, IntArray, bool]:
    """Pairs (i < j) of boxes of the same kind that touch. Ten thousand lines through one point make more pairs than can
    be looked at; past ``_MOST_PAIRS`` the rest goes unseen, and the last value is not set."""
    tree = shapely.STRtree(grown)
    found_i, found_j, total = [], [], 0
    for part in np.array_split(np.arange(len(grown)), max(1, len(grown) // 100)):
        a, b = tree.query(grown[part])  # what is asked and what is in the tree are boxes: no need to look closer
        total += len(a)
        i = part[a]
        keep = (i < b) & (kinds[i] == kinds[b])
        found_i.append(i[keep])
        found_j.append(b[keep])
        if total > _MOST_PAIRS:
            return np.concatenate(found_i), np.concatenate(found_j), False
    return np.concatenate(found_i), np.concatenate(found_j), True


def _lines_covered(
    segments: Segments, i: IntArray, j: IntArray, tolerance_mm: float
) -> tuple[FloatArray, FloatArray, BoolArray]:
    """Which stretch of line j lies on line i, and whether it does at all."""
    p, q = segments.p, segments.q
    u = q[i] - p[i]
    size = np.maximum(np.hypot(*u.T), 1e-300)
    u = u / size[:, None]
    a, b = p[j] - p[i], q[j] - p[i]
    off_a, off_b = u[:, 0] * a[:, 1] - u[:, 1] * a[:, 0], u[:, 0] * b[:, 1] - u[:, 1] * b[:, 0]
    along_a, along_b = (a * u).sum(axis=1), (b * u).sum(axis=1)
    span = along_b - along_a
    length = np.abs(span)
    flat = np.where(length > 0, span, 1.0)
    ends = np.stack(((0 - along_a) / flat, (size - along_a) / flat))
    low, high = np.clip(ends.min(axis=0), 0, 1), np.clip(ends.max(axis=0), 0, 1)
    slack = tolerance_mm / np.maximum(length, 1e-300)
    low, high = np.where(low < slack, 0.0, low), np.where(high > 1 - slack, 1.0, high)
    # the offset is measured on the stretch they share, not at far ends that only point the same way
    off_low, off_high = off_a + (off_b - off_a) * low, off_a + (off_b - off_a) * high
    is_on = (np.maximum(np.abs(off_low), np.abs(off_high)) <= tolerance_mm) & (length > 0)
    is_on &= (high - low) * length > np.minimum(SHORTEST * tolerance_mm, 0.9 * length)
    return low, high, np.asarray(is_on)


def _arcs_covered(
    segments: Segments, i: IntArray, j: IntArray, tolerance_mm: float
) -> tuple[FloatArray, FloatArray, BoolArray]:
    """Which stretch of arc j lies on arc i, and whether it does at all; stretches that do so twice count as not."""
    p, q, params = segments.p, segments.q, segments.params[:, 0]
    if not len(i):
        return np.zeros(0), np.zeros(0), np.zeros(0, dtype=bool)
    one, two = arcs_of(p[i], q[i], params[i]), arcs_of(p[j], q[j], params[j])
    alike = (_gap(one.centre, two.centre) <= tolerance_mm) & (np.abs(one.radius - two.radius) <= tolerance_mm)
    start = np.where(one.sweep >= 0, one.start, one.start + one.sweep)
    begin = np.where(two.sweep >= 0, two.start, two.start + two.sweep)
    wide, span = np.abs(one.sweep), np.abs(two.sweep)
    slack = tolerance_mm / np.maximum(two.radius, 1e-9)
    at = np.mod(start - begin + slack, 2 * pi) - slack  # where i begins, seen from where j begins
    first_low, first_high = at, np.minimum(at + wide, span)
    wrap_high = np.minimum(at + wide - 2 * pi, span)  # i may come round to j's begin once more
    use_wrap = (first_high - first_low) < wrap_high
    low, high = np.where(use_wrap, 0.0, first_low), np.where(use_wrap, wrap_high, first_high)
    low, high = np.where(low < slack, 0.0, low), np.where(high > span - slack, span, high)
    is_on = alike & (high - low > np.minimum(SHORTEST * slack, 0.9 * span))
    low, high = np.clip(low / span, 0, 1), np.clip(high / span, 0, 1)
    back = two.sweep < 0
    return np.where(back, 1 - high, low), np.where(back, 1 - low, high), np.asarray(is_on)


def _gap(a: FloatArray, b: FloatArray) -> FloatArray:
    return np.asarray(np.hypot(a[:, 0] - b[:, 0], a[:, 1] - b[:, 1]))
