"""Depth passes laid along a track: ramps, tabs and the moves that result."""

from __future__ import annotations

from math import ceil, inf, radians, tan

import numpy as np

from archimetra.geometry.arrays import BoolArray, FloatArray
from archimetra.toolpath.shared.moves import MoveList, Role
from archimetra.toolpath.shared.track import Track

MOST_ROUNDS = 200  # of a line a ramp may take to get down
TAB_SLOPE = 1.0  # sloped tabs fall at 45 degrees


def pass_depths(start: float, end: float, per_pass: float) -> FloatArray:
    """Depths (n,) below the face after each pass, equal steps of at most ``per_pass``."""
    count = max(1, ceil((end - start) / per_pass - 1e-9))
    return np.asarray(start + (end - start) * np.arange(1, count + 1) / count)


def ramp_length(drop: float, degrees: float, line: float = inf) -> float:
    """How far a ramp of this slope goes, mm; on a very short line no more than ``MOST_ROUNDS`` of it, steeper if need be."""
    return min(drop / tan(radians(degrees)), MOST_ROUNDS * line)


class Lifts:
    """Where the bit rises over tabs: spans (n, 2) of stations at ``top``, and slopes outside them where asked, which fall by
    ``fall`` mm a mm."""

    def __init__(
        self, track: Track, spans: FloatArray, *, top: float, slope_length: float = 0.0, fall: float = TAB_SLOPE
    ) -> None:
        self.spans, self.top, self.slope, self.fall = spans, top, slope_length, fall
        self._track = track

    def lowest_at(self, station: float) -> float:
        """How low the bit may go at a station of the track: on a tab its top, beside a sloped one the slope."""
        if not len(self.spans):
            return -inf
        turns = (-self._track.length, 0.0, self._track.length) if self._track.is_closed else (0.0,)
        spans = np.vstack([self.spans + turn for turn in turns])
        gap = np.maximum(np.maximum(spans[:, 0] - station, station - spans[:, 1]), 0.0).min()
        return float(self.top - gap * self.fall) if gap <= self.slope else -inf

    def on_part(self, part: Track, first: float, last: float) -> Lifts:
        """The lifts on the stretch of this track from station ``first`` to ``last``, which is the track ``part``."""
        spans = spans_within(self.spans, first, last, self._track.length if self._track.is_closed else 0.0)
        return Lifts(part, spans, top=self.top, slope_length=self.slope, fall=self.fall)

    def unrolled(self, a: float, b: float) -> FloatArray:
        """Spans for every turn that [a, b] touches, rising; an open track is walked to and fro."""
        spans, period = self.spans, self._track.length
        if not self._track.is_closed:
            period *= 2
            spans = np.vstack((spans, (period - spans)[:, ::-1]))
        first, last = int(np.floor((a - self.slope) / period)) - 1, int(np.floor((b + self.slope) / period)) + 1
        every = np.vstack([spans + turn * period for turn in range(first, last + 1)])
        every = every[(every[:, 1] + self.slope > a) & (every[:, 0] - self.slope < b)]
        return np.asarray(every[np.argsort(every[:, 0])])


def no_lifts(track: Track) -> Lifts:
    return Lifts(track, np.zeros((0, 2)), top=0.0)


def spans_within(spans: FloatArray, first: float, last: float, period: float) -> FloatArray:
    """Of spans on a track those that meet the stretch from ``first`` to ``last``, in stations of that stretch; round the seam where a
    ``period`` is given."""
    turns = (-period, 0.0, period) if period > 0 else (0.0,)
    every = np.vstack([spans + turn for turn in turns]).reshape(-1, 2)
    every = every[(every[:, 1] > first) & (every[:, 0] < last)]
    return np.clip(every[np.argsort(every[:, 0])], first, last) - first


def lay_pass(
    moves: MoveList,
    track: Track,
    *,
    a: float,
    b: float,
    z_from: float,
    z_to: float,
    ramp: float,
    lifts: Lifts,
    feed: float,
    plunge: float,
    pass_no: int,
) -> None:
    """One walk from station a to b: down from ``z_from`` to ``z_to`` over the first ``ramp`` mm, then level.

    Over ``lifts`` the bit stays at their top or above, and on their slopes no lower than those. The bit already stands at a,
    ``z_from``; without a ramp it first goes straight down. Sloped moves are slowed so that their vertical part keeps to the
    plunge feed.
    """
    breaks, tab_z, is_tab = _breaks(track, a, b, z_from, z_to, ramp, lifts)
    z_left, z_right = _level(breaks[:-1], a, z_from, z_to, ramp), _level(breaks[1:], a, z_from, z_to, ramp)
    if ramp <= 0:
        z_left = np.full_like(z_left, z_to)
    z_left, z_right = np.maximum(z_left, tab_z[:, 0]), np.maximum(z_right, tab_z[:, 1])
    jump = np.abs(np.diff(np.concatenate(([z_from], np.column_stack((z_left, z_right)).ravel())))[0::2]) > 1e-9
    # rows: for each stretch its vertical step, where there is one, then the stretch itself
    count = len(z_left)
    rows = np.concatenate((np.arange(count)[jump] * 2, np.arange(count) * 2 + 1))
    order = np.argsort(rows, kind="stable")
    stations = np.concatenate((breaks[:-1][jump], breaks[1:]))[order]
    z = np.concatenate((z_left[jump], z_right))[order]
    on_tab = np.concatenate((is_tab[jump], is_tab))[order]
    points, kind, centre = track.moves(np.concatenate(([a], stations)))
    xyz = np.column_stack((points[1:], z))
    before = np.vstack(([[*points[0], z_from]], xyz[:-1]))
    run = np.diff(np.concatenate(([a], stations)))
    drop = before[:, 2] - z
    in_space = np.hypot(run, drop)
    speed = np.full(len(z), feed)
    falling = drop > 1e-9
    speed[falling] = np.minimum(feed, plunge * in_space[falling] / drop[falling])
    role = np.where(on_tab, Role.TAB, np.where(falling, Role.ENTRY, Role.CUT)).astype(np.uint8)
    moves.add(xyz, kind[1:], centre[1:], speed, role, pass_no)


def _level(s: FloatArray, a: float, z_from: float, z_to: float, ramp: float) -> FloatArray:
    """Depth of the bare pass at stations."""
    if ramp <= 0:
        return np.full(len(s), z_to)
    return np.asarray(z_from + (z_to - z_from) * np.clip((s - a) / ramp, 0.0, 1.0))


def _breaks(
    track: Track, a: float, b: float, z_from: float, z_to: float, ramp: float, lifts: Lifts
) -> tuple[FloatArray, FloatArray, BoolArray]:
    """Rising stations from a to b at which anything changes; for the stretches between them, the lowest the tabs allow at
    both ends (n, 2), and which lie on a tab."""
    spans = lifts.unrolled(a, b) if len(lifts.spans) and z_to < lifts.top else np.zeros((0, 2))
    slope = lifts.slope
    extra = [track.nodes_between(a, b), spans.ravel()]
    if slope > 0:
        extra += [spans[:, 0] - slope, spans[:, 1] + slope]
    if 0 < ramp < b - a:
        extra.append(np.array([a + ramp]))
    if ramp > 0 and z_from > lifts.top > z_to:
        extra.append(np.array([a + ramp * (z_from - lifts.top) / (z_from - z_to)]))
    inner = np.sort(np.concatenate(extra), kind="stable")  # a few marks among rising nodes
    inner = inner[(inner > a + 1e-9) & (inner < b - 1e-9)]
    inner = inner[np.concatenate(([True], np.diff(inner) > 1e-9))] if len(inner) else inner
    breaks = np.concatenate(([a], inner, [b]))
    low = np.full((len(breaks) - 1, 2), -np.inf)
    middle = (breaks[:-1] + breaks[1:]) / 2
    is_tab = np.searchsorted(spans.ravel(), middle) % 2 == 1  # lifts rise and never touch
    low[is_tab] = lifts.top
    if slope > 0 and len(spans):
        for column, stations in ((0, breaks[:-1]), (1, breaks[1:])):
            nearest = np.min(
                np.maximum(
                    np.maximum(spans[None, :, 0] - stations[:, None], stations[:, None] - spans[None, :, 1]), 0.0
                ),
                axis=1,
            )
            low[:, column] = np.where(nearest <= slope + 1e-9, lifts.top - nearest * lifts.fall, low[:, column])
        on_slope = (low > -np.inf).all(axis=1)
        low[~on_slope] = -np.inf
        is_tab |= on_slope
    return breaks, low, is_tab
