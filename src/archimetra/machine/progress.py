"""How far a run is: where on the plan's time a line of its file stands, and how long the rest will take."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from archimetra.geometry.arrays import FloatArray, IntArray
from archimetra.machine.runs import pace_of

SOON_S = 30.0  # what was known of the machine before counts as much as this much of the run


class LineTimes:
    """``ends`` (lines,) the moment of the plan each line of a file ends at, s; ``begin`` the one the file begins at."""

    def __init__(self, ends: FloatArray, begin: float) -> None:
        self.ends, self.begin = ends, begin

    @classmethod
    def of_rows(cls, rows: IntArray, times: FloatArray, last: int) -> LineTimes:
        """From the row of the run that each line carries out (-1 for none) and the moments (rows of the run,) at which they end. Rows from ``last`` on
        are none of the file: its way to the park height at the end is the run's own last row."""
        known = np.flatnonzero((rows >= 0) & (rows < last))
        if not len(known):
            return cls(np.zeros(len(rows)), 0.0)
        first = int(rows[known[0]])
        begin = float(times[first - 1]) if first > 0 else 0.0
        ends = np.full(len(rows), begin)
        ends[known] = times[rows[known]]
        return cls(np.maximum.accumulate(ends), begin)

    @property
    def end(self) -> float:
        return float(self.ends[-1]) if len(self.ends) else self.begin

    def at(self, line: int, share: float) -> float:
        """The moment of the plan when so much of a line (from 0) is done."""
        if line < 0 or not len(self.ends):
            return self.begin
        line = min(line, len(self.ends) - 1)
        before = float(self.ends[line - 1]) if line > 0 else self.begin
        return before + share * (float(self.ends[line]) - before)


def time_left(rest_s: float, foretold_s: float, taken_s: float, timed: Sequence[tuple[float, float]]) -> float:
    """How long the rest will take: what was foretold for it, as many times as long as the run took so far; soon after the beginning as long as runs on
    this machine took before, in pairs (foretold, taken)."""
    pace = (taken_s + SOON_S * pace_of(timed)) / (foretold_s + SOON_S)
    return max(rest_s, 0.0) * pace
