"""A contour the bit's centre follows: lines and arcs, addressed by arc length, whole arrays at a time.

A *station* is an arc length along the track. On a closed track stations go on past the end (round
again); on an open one they turn back at the ends, so one number line describes any number of
passes to and fro.
"""

from __future__ import annotations

import numpy as np

from archimetra.geometry.arrays import BoolArray, ByteArray, FloatArray, IntArray
from archimetra.geometry.path import Path
from archimetra.geometry.segments import Kind, arc_centres
from archimetra.toolpath.shared.moves import Move


class Track:
    """Made from a path of lines and arcs; cubics raise ValueError."""

    def __init__(self, path: Path) -> None:
        if (path.kinds == Kind.CUBIC).any():
            raise ValueError("a track is made of lines and arcs")
        lengths = path.segment_lengths()
        keep = lengths > 0
        self._path = path
        self.is_closed = path.closed
        self._p = path.nodes[:-1][keep]
        self._q = path.nodes[1:][keep]
        self._bulge = path.params[keep, 0]
        self._is_arc = path.kinds[keep] == Kind.ARC
        self._ends = np.cumsum(lengths[keep])
        self._starts = self._ends - lengths[keep]
        self.length = float(self._ends[-1]) if len(self._ends) else 0.0
        self._centre = np.zeros_like(self._p)
        if self._is_arc.any():
            arcs = self._is_arc
            self._centre[arcs] = arc_centres(self._p[arcs], self._q[arcs], self._bulge[arcs])
        from_centre = self._p - self._centre
        self._radius = np.where(self._is_arc, np.hypot(from_centre[:, 0], from_centre[:, 1]), np.inf)
        self._angle = np.arctan2(from_centre[:, 1], from_centre[:, 0])
        self._sweep = np.where(self._is_arc, 4 * np.arctan(self._bulge), 0.0)

    def __len__(self) -> int:
        return len(self._ends)

    def reversed(self) -> Track:
        """The same line walked the other way."""
        return Track(self._path.reverse())

    def part(self, a: float, b: float) -> Track:
        """The stretch from station a to b > a as an open track of its own; round the seam of a closed one too."""
        stations = np.concatenate(([a], self.nodes_between(a, b), [b]))
        middle, is_back = self._folded((stations[:-1] + stations[1:]) / 2)
        i = self._element_at(middle)
        share = np.diff(stations) / (self._ends[i] - self._starts[i])
        bulges = np.tan(self._sweep[i] * share / 4) * np.where(is_back, -1.0, 1.0)
        return Track(Path.arcs(self.points(stations), bulges, closed=False))

    def nodes_between(self, a: float, b: float) -> FloatArray:
        """Stations strictly between a < b where one line or arc ends and the next begins (turning points included)."""
        joints, period = self._ends, self.length
        if not self.is_closed:
            joints = np.concatenate((joints, 2 * self.length - joints[-2::-1], [2 * self.length]))
            period *= 2
        first, last = int(np.floor(a / period)) - 1, int(np.floor(b / period))
        every = np.concatenate([joints + turn * period for turn in range(first, last + 1)])
        return np.asarray(every[np.searchsorted(every, a + 1e-9) : np.searchsorted(every, b - 1e-9)])

    def points(self, stations: FloatArray) -> FloatArray:
        """Points (n, 2) at stations."""
        s, _ = self._folded(stations)
        return self._on_elements(self._element_at(s), s)

    def point(self, station: float) -> tuple[float, float]:
        """Where one station lies, mm."""
        x, y = self.points(np.array([station]))[0]
        return float(x), float(y)

    def moves(self, stations: FloatArray) -> tuple[FloatArray, ByteArray, FloatArray]:
        """Points (n, 2), kinds and arc centres of the moves through rising stations; row 0 is the start.

        Between two neighbouring stations there must be no joint; equal stations give a straight move on the spot.
        """
        half = np.diff(stations) / 2
        middle, is_back = self._folded(stations[:-1] + half)
        i = self._element_at(middle)
        # each move lies on one element: its end is found from its middle, not searched for again
        ends = self._on_elements(i, middle + np.where(is_back, -half, half))
        kind = np.full(len(stations), Move.LINE, dtype=np.uint8)
        centre = np.zeros((len(stations), 2))
        arcs = np.flatnonzero(self._is_arc[i] & (half > 5e-10))
        is_left = (self._bulge[i[arcs]] > 0) != is_back[arcs]
        kind[arcs + 1] = np.where(is_left, Move.ARC_CCW, Move.ARC_CW)
        centre[arcs + 1] = self._centre[i[arcs]]
        return np.vstack((self.points(stations[:1]), ends)), kind, centre

    def _element_at(self, s: FloatArray) -> IntArray:
        return np.minimum(np.searchsorted(self._ends, s, side="left"), len(self._ends) - 1)

    def _on_elements(self, i: IntArray, s: FloatArray) -> FloatArray:
        """Points at folded stations of the given elements, joints to the bit."""
        t = (s - self._starts[i]) / (self._ends[i] - self._starts[i])
        out = self._p[i] + (self._q[i] - self._p[i]) * t[:, None]
        is_inner = (t > 1e-12) & (t < 1 - 1e-12)
        arcs = self._is_arc[i] & is_inner
        k = i[arcs]
        angle = self._angle[k] + self._sweep[k] * t[arcs]
        out[arcs] = self._centre[k] + self._radius[k, None] * np.column_stack((np.cos(angle), np.sin(angle)))
        ends = i[~is_inner]
        out[~is_inner] = np.where(t[~is_inner, None] > 0.5, self._q[ends], self._p[ends])
        return np.asarray(out)

    def straight_stretches(self) -> FloatArray:
        """(k, 2) start and end stations of straight lines, rising, joined where one goes on in the same direction."""
        lines = np.flatnonzero(~self._is_arc)
        if not len(lines):
            return np.zeros((0, 2))
        d = self._q[lines] - self._p[lines]
        d /= np.hypot(d[:, 0], d[:, 1])[:, None]
        cross = d[:-1, 0] * d[1:, 1] - d[:-1, 1] * d[1:, 0]
        goes_on = (np.diff(lines) == 1) & (np.abs(cross) < 0.01) & ((d[:-1] * d[1:]).sum(axis=1) > 0)
        first = np.concatenate(([True], ~goes_on))
        last = np.concatenate((~goes_on, [True]))
        return np.column_stack((self._starts[lines[first]], self._ends[lines[last]]))

    def corners(self, *, sharper_than_degrees: float, tighter_than_mm: float, with_curves: bool = False) -> FloatArray:
        """Stations of sharp turns: joints that turn, and arcs so tight that they are a corner gone round."""
        turn_in, turn_out = self._tangents()
        before = turn_out if self.is_closed else turn_out[:-1]
        after = np.roll(turn_in, -1, axis=0) if self.is_closed else turn_in[1:]
        cross = before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0]
        angle = np.degrees(np.abs(np.arctan2(cross, (before * after).sum(axis=1))))
        joints = self._ends[: len(angle)][angle > sharper_than_degrees]
        tight = (
            self._is_arc & (self._radius < tighter_than_mm) & (np.degrees(np.abs(self._sweep)) > sharper_than_degrees)
        )
        middles = (self._starts + self._ends)[tight] / 2
        marks = [joints, middles]
        if with_curves and tight.any():
            # all along a tight curve, ends included, a mark every so often
            marks += [self._starts[tight], self._ends[tight]]
            long = np.flatnonzero(tight & (self._ends - self._starts > tighter_than_mm / 2))
            marks += [np.arange(self._starts[k], self._ends[k], tighter_than_mm / 4) for k in long]
        out = np.unique(np.concatenate(marks))
        return np.asarray(np.unique(out % self.length) if self.is_closed else out)

    def near(self, point: FloatArray) -> tuple[float, float]:
        """A station about nearest to a point, and its distance: on each element the foot on its chord. Fast; for links."""
        d = self._q - self._p
        size = np.maximum((d * d).sum(axis=1), 1e-18)
        t = np.clip(((point - self._p) * d).sum(axis=1) / size, 0.0, 1.0)
        gaps = np.hypot(*(self._p + d * t[:, None] - point).T)
        k = int(np.argmin(gaps))
        station = float(self._starts[k] + t[k] * (self._ends[k] - self._starts[k]))
        there = self.points(np.array([station]))[0]
        return station, float(np.hypot(*(there - point)))

    def nearest(self, points: FloatArray) -> tuple[FloatArray, FloatArray]:
        """The stations nearest to points (n, 2), and how far away they are (n,). Exact: on a line the foot of the
        perpendicular, on an arc the place in the same direction from its centre, or an end."""
        d = self._q - self._p
        size = np.maximum((d * d).sum(axis=1), 1e-18)
        arcs = np.flatnonzero(self._is_arc)
        stations, gaps = np.empty(len(points)), np.empty(len(points))
        for n, point in enumerate(points):
            t = np.clip(((point - self._p) * d).sum(axis=1) / size, 0.0, 1.0)
            gap = np.hypot(*(self._p + d * t[:, None] - point).T)
            if len(arcs):
                t[arcs], gap[arcs] = self._nearest_on_arcs(arcs, point)
            k = int(np.argmin(gap))
            stations[n] = self._starts[k] + t[k] * (self._ends[k] - self._starts[k])
            gaps[n] = gap[k]
        return stations, gaps

    def _nearest_on_arcs(self, k: IntArray, point: FloatArray) -> tuple[FloatArray, FloatArray]:
        """The share of each arc at which it is nearest to a point, and how far away that is."""
        away, sweep = point - self._centre[k], self._sweep[k]
        turn = np.mod((np.arctan2(away[:, 1], away[:, 0]) - self._angle[k]) * np.sign(sweep), 2 * np.pi)
        is_beside = turn <= np.abs(sweep)
        to_begin, to_end = np.hypot(*(self._p[k] - point).T), np.hypot(*(self._q[k] - point).T)
        share = np.where(is_beside, turn / np.abs(sweep), np.where(to_begin <= to_end, 0.0, 1.0))
        gap = np.where(is_beside, np.abs(np.hypot(*away.T) - self._radius[k]), np.minimum(to_begin, to_end))
        return share, gap

    def tangents_at(self, stations: FloatArray) -> FloatArray:
        """Unit directions of travel (n, 2) at stations (just past a joint)."""
        s, is_back = self._folded(np.asarray(stations, dtype=np.float64) + 1e-7)
        i = self._element_at(s)
        d = (self._q[i] - self._p[i]) / np.maximum(self._ends[i] - self._starts[i], 1e-12)[:, None]
        size = np.hypot(d[:, 0], d[:, 1])
        d = d / np.where(size > 0, size, 1.0)[:, None]
        arcs = self._is_arc[i]
        k = i[arcs]
        t = (s[arcs] - self._starts[k]) / (self._ends[k] - self._starts[k])
        angle = self._angle[k] + self._sweep[k] * t
        turn = np.sign(self._sweep[k])
        d[arcs] = np.column_stack((-np.sin(angle) * turn, np.cos(angle) * turn))
        return np.asarray(np.where(is_back[:, None], -d, d))

    def _tangents(self) -> tuple[FloatArray, FloatArray]:
        """Unit directions where each element begins and ends."""
        d = self._q - self._p
        d = d / np.hypot(d[:, 0], d[:, 1])[:, None]
        half = self._sweep / 2
        c, s = np.cos(half)[:, None], np.sin(half)[:, None]
        side = np.column_stack((-d[:, 1], d[:, 0]))
        return d * c - side * s, d * c + side * s

    def _folded(self, stations: FloatArray) -> tuple[FloatArray, BoolArray]:
        """Stations brought back onto the track, and where the walk is backwards."""
        if self.is_closed:
            s = np.mod(stations, self.length)
            return s, np.zeros(len(s), dtype=bool)
        s = np.mod(stations, 2 * self.length)
        is_back = s > self.length
        return np.where(is_back, 2 * self.length - s, s), is_back


def ring_distance(a: FloatArray, b: float, length: float) -> FloatArray:
    """How far apart stations lie on a closed track, the shorter way round."""
    d = np.mod(np.abs(a - b), length)
    return np.asarray(np.minimum(d, length - d))


def nearest_on_ring(stations: FloatArray, marks: FloatArray, length: float) -> FloatArray:
    """How far each station (n, ...) in [0, length) lies from the nearest mark, either way round; ``marks`` rise.

    The length where there are no marks.
    """
    if not len(marks):
        return np.full(stations.shape, length)
    around = np.concatenate(([marks[-1] - length], marks, [marks[0] + length]))
    after = np.clip(np.searchsorted(around, stations), 1, len(around) - 1)
    return np.asarray(np.minimum(stations - around[after - 1], around[after] - stations))
