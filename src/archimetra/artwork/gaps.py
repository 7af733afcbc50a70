"""Gaps that are wider than what is closed without asking, found by the drawing's own statistics.

Ends of lines that were meant to meet lie much nearer to each other than ends that were not, and much nearer than the lines are
long. So of all pairs of open ends that are each other's nearest, the near ones up to the first leap in their distances count.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from scipy.spatial import cKDTree

from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.path import Path, lengths_of

MOST_MM = 2.0  # ends farther apart were meant to be
MOST_SHARE = 0.15  # of the shorter of the two lines
LEAP = 4.0  # a distance this many times the one before belongs to something else


class Gaps(NamedTuple):
    """``places`` (k, 2) half way between the ends, the ``widest`` of the gaps, and a round distance that closes them all."""

    places: FloatArray
    widest: float
    within_mm: float


def gaps_left(lines: Sequence[Path], groups: Sequence[int]) -> Gaps | None:
    """The gaps between open lines of a group, or of a line with itself; None where there are none."""
    lines, groups = _with_segments(lines, groups)
    if not lines:
        return None
    ends = np.array([(line.nodes[0], line.nodes[-1]) for line in lines]).reshape(-1, 2)
    length = np.repeat(lengths_of(lines), 2)
    layer = np.repeat(np.asarray(groups, dtype=np.float64), 2) * (MOST_MM * LEAP * 10)
    where = np.column_stack((ends, layer))
    # the end itself, the nearest other one, and the next after that
    distance, nearest = cKDTree(where).query(where, k=3, distance_upper_bound=MOST_MM * LEAP)
    gap, next_gap, other = distance[:, 1], distance[:, 2], nearest[:, 1]
    rows = np.flatnonzero((other < len(ends)) & (gap > 1e-6))
    rows = rows[other[other[rows]] == rows]
    is_lone = np.minimum(next_gap[rows], next_gap[other[rows]]) > LEAP * gap[rows]
    if is_lone.sum() < 0.5 * len(rows):
        return None  # ends lie this near to each other all over: chance, not gaps
    rows = rows[is_lone]
    rows = rows[(rows < other[rows]) & (gap[rows] <= MOST_SHARE * np.minimum(length[rows], length[other[rows]]))]
    if not len(rows):
        return None
    rows = rows[np.argsort(gap[rows])]
    leaps = np.flatnonzero(gap[rows][1:] > LEAP * gap[rows][:-1])
    rows = rows[: int(leaps[0]) + 1] if len(leaps) else rows
    widest = float(gap[rows].max())
    if widest > MOST_MM:
        return None  # the distances run on without a leap: these ends were never meant to meet
    return Gaps((ends[rows] + ends[other[rows]]) / 2, widest, _round_up(widest * 1.05))


def _with_segments(lines: Sequence[Path], groups: Sequence[int]) -> tuple[list[Path], list[int]]:
    kept = [(line, group) for line, group in zip(lines, groups, strict=True) if len(line) and not line.closed]
    return [line for line, _ in kept], [group for _, group in kept]


def _round_up(mm: float) -> float:
    """The next of 0.1, 0.15, 0.2, 0.3, 0.5, 0.7, 1 and so on."""
    power = float(10.0 ** np.floor(np.log10(mm)))
    for step in (1.0, 1.5, 2.0, 3.0, 5.0, 7.0):
        if mm <= step * power * (1 + 1e-9):
            return round(step * power, 6)
    return round(10.0 * power, 6)
