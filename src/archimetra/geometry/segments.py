"""Many line, arc and cubic segments at once: boxes, chords, lengths.

A run of n segments is four arrays: begins ``p`` and ends ``q`` (n, 2), ``kinds`` (n,) and ``params`` (n, 4) as in
``path``. Segments of many paths may be put end to end, so that a drawing of thousands of paths is one call.
"""

from __future__ import annotations

from enum import IntEnum
from typing import NamedTuple

import numpy as np

from archimetra.geometry.arrays import AnyArray, ByteArray, FloatArray, IntArray
from archimetra.geometry.cubic import cubic_lengths


class Kind(IntEnum):
    LINE = 0
    ARC = 1
    CUBIC = 2


class Segments(NamedTuple):
    p: FloatArray
    q: FloatArray
    kinds: ByteArray
    params: FloatArray

    def rows(self, which: AnyArray) -> Segments:
        """Some of them, by numbers or by a mask."""
        return Segments(self.p[which], self.q[which], self.kinds[which], self.params[which])


class Arcs(NamedTuple):
    """Centres (n, 2), radii, start angles and signed sweeps (n,) in radians."""

    centre: FloatArray
    radius: FloatArray
    start: FloatArray
    sweep: FloatArray


def arc_centres(p: FloatArray, q: FloatArray, bulges: FloatArray) -> FloatArray:
    """Centres (n, 2) of arcs from p to q (n, 2): on the chord's bisector, (1 - b^2) / 4b chords to the left."""
    d = q - p
    normal = np.column_stack((-d[:, 1], d[:, 0]))
    return np.asarray((p + q) / 2 + normal * ((1 - bulges**2) / (4 * bulges))[:, None])


def arcs_of(p: FloatArray, q: FloatArray, bulges: FloatArray) -> Arcs:
    centre = arc_centres(p, q, bulges)
    d = p - centre
    return Arcs(centre, np.hypot(d[:, 0], d[:, 1]), np.arctan2(d[:, 1], d[:, 0]), 4 * np.arctan(bulges))


def boxes(segments: Segments) -> FloatArray:
    """Exact (n, 4): x0 y0 x1 y1 of each segment, curve extremes included."""
    p, q, kinds, params = segments
    low, high = np.minimum(p, q), np.maximum(p, q)
    rows = np.flatnonzero(kinds == Kind.ARC)
    if len(rows):
        arcs = arcs_of(p[rows], q[rows], params[rows, 0])
        first = np.minimum(arcs.start, arcs.start + arcs.sweep)
        last = np.maximum(arcs.start, arcs.start + arcs.sweep)
        # an arc of at most a full turn passes at most five quarter points
        quarter = np.ceil(first / (np.pi / 2))[:, None] + np.arange(5)
        passed = (quarter * (np.pi / 2) <= last[:, None])[:, :, None]
        around = np.stack((np.cos(quarter * (np.pi / 2)), np.sin(quarter * (np.pi / 2))), axis=2)
        points = arcs.centre[:, None, :] + arcs.radius[:, None, None] * around
        low[rows] = np.minimum(low[rows], np.where(passed, points, np.inf).min(axis=1))
        high[rows] = np.maximum(high[rows], np.where(passed, points, -np.inf).max(axis=1))
    rows = np.flatnonzero(kinds == Kind.CUBIC)
    if len(rows):
        a0, a1, a2, a3 = p[rows], params[rows, 0:2], params[rows, 2:4], q[rows]
        for t in _stationary(a0, a1, a2, a3):
            s = 1 - t
            points = s**3 * a0 + 3 * s * s * t * a1 + 3 * s * t * t * a2 + t**3 * a3
            inside = (t > 0) & (t < 1)
            low[rows] = np.where(inside, np.minimum(low[rows], points), low[rows])
            high[rows] = np.where(inside, np.maximum(high[rows], points), high[rows])
    return np.hstack((low, high))


def _stationary(a0: FloatArray, a1: FloatArray, a2: FloatArray, a3: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Both parameters (n, 2), by axis, where each coordinate of cubics stands still; outside [0, 1] for none.

    The derivative is a t^2 + b t + c; the two roots as q / a and c / q, which loses nothing when a is tiny.
    """
    c = a1 - a0
    b = 2 * (a0 - 2 * a1 + a2)
    a = a3 - 3 * a2 + 3 * a1 - a0
    under = b * b - 4 * a * c
    half = -(b + np.where(b < 0, -1.0, 1.0) * np.sqrt(np.maximum(under, 0.0))) / 2
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        first, second = half / a, c / half
    none = under < 0
    out = [np.where(none | ~np.isfinite(t), -1.0, np.clip(t, -1.0, 2.0)) for t in (first, second)]
    return out[0], out[1]


def flattened(segments: Segments, chord_tolerance_mm: float) -> tuple[FloatArray, IntArray]:
    """Points (m, 2) whose chords stay within the tolerance, the begin of no segment among them and the end of each,
    to the bit; and how many points (n,) each segment gave."""
    p, q, kinds, params = segments
    counts = np.ones(len(kinds), dtype=np.int64)
    arc_rows, cubic_rows = np.flatnonzero(kinds == Kind.ARC), np.flatnonzero(kinds == Kind.CUBIC)
    arcs = arcs_of(p[arc_rows], q[arc_rows], params[arc_rows, 0])
    # sagitta r (1 - cos(step / 2)) <= tolerance
    cosine = 1 - chord_tolerance_mm / np.maximum(arcs.radius, chord_tolerance_mm)
    step = np.where(arcs.radius > chord_tolerance_mm, 2 * np.arccos(cosine), np.pi / 2)
    counts[arc_rows] = np.maximum(1, np.ceil(np.abs(arcs.sweep) / np.maximum(step, 1e-9) - 1e-9)).astype(np.int64)
    a0, a1, a2, a3 = p[cubic_rows], params[cubic_rows, 0:2], params[cubic_rows, 2:4], q[cubic_rows]
    # chord error <= |B''| / 8 n^2 and |B''| <= 6 |second difference|
    second = np.maximum(np.hypot(*(a0 - 2 * a1 + a2).T), np.hypot(*(a1 - 2 * a2 + a3).T))
    counts[cubic_rows] = np.maximum(1, np.ceil(np.sqrt(0.75 * second / chord_tolerance_mm))).astype(np.int64)
    source = np.repeat(np.arange(len(kinds)), counts)
    first = np.cumsum(counts) - counts
    number = np.arange(len(source)) - first[source] + 1
    out = q[source]
    t = number / counts[source]
    place = np.zeros(len(kinds), dtype=np.int64)
    for rows, kind in ((arc_rows, Kind.ARC), (cubic_rows, Kind.CUBIC)):
        if not len(rows):
            continue
        place[rows] = np.arange(len(rows))
        inner = np.flatnonzero((kinds[source] == kind) & (number < counts[source]))
        k, u = place[source[inner]], t[inner, None]
        if kind == Kind.ARC:
            angle = arcs.start[k] + arcs.sweep[k] * t[inner]
            out[inner] = arcs.centre[k] + arcs.radius[k, None] * np.column_stack((np.cos(angle), np.sin(angle)))
        else:
            s = 1 - u
            out[inner] = s**3 * a0[k] + 3 * s * s * u * a1[k] + 3 * s * u * u * a2[k] + u**3 * a3[k]
    return out, counts


def lengths(segments: Segments) -> FloatArray:
    """Arc length (n,) of each segment."""
    p, q, kinds, params = segments
    out = np.hypot(*(q - p).T)
    rows = np.flatnonzero(kinds == Kind.ARC)
    if len(rows):
        b = np.abs(params[rows, 0])
        out[rows] *= (1 + b * b) / b * np.arctan(b)  # r = chord (1 + b^2) / 4b, sweep = 4 atan b
    rows = np.flatnonzero(kinds == Kind.CUBIC)
    if len(rows):
        out[rows] = cubic_lengths(np.stack((p[rows], params[rows, 0:2], params[rows, 2:4], q[rows]), axis=1))
    return np.asarray(out)
