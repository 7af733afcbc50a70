"""Distance from many points to many segments, exact, limited to a reach."""

from __future__ import annotations

from collections.abc import Sequence
from math import ceil, sqrt

import numpy as np

from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.distance_kernels import fill_cells, nearest_gaps

_MAX_CELLS = 100_000  # more cost more to set up than they save


class SegmentField:
    """The segments of some rings or lines of points (n, 2), ready to be asked for distances."""

    def __init__(self, lines: Sequence[FloatArray], *, reach_mm: float) -> None:
        self._a = np.ascontiguousarray(np.vstack([line[:-1] for line in lines]))
        self._b = np.ascontiguousarray(np.vstack([line[1:] for line in lines]))
        self._reach = reach_mm
        # column by column: reductions along the rows of a narrow array are many times slower
        columns = (*self._a.T, *self._b.T)
        low = [min(float(columns[k].min()), float(columns[k + 2].min())) for k in (0, 1)]
        high = [max(float(columns[k].max()), float(columns[k + 2].max())) for k in (0, 1)]
        width, height = (max(top - bottom, 1e-6) for bottom, top in zip(low, high, strict=True))
        # outlines are lines: cells as long as a few segments hold a few each, however many lie empty between them
        segment = float(np.abs(self._b - self._a).sum()) / max(len(self._a), 1)
        cell = max(2 * segment, reach_mm / 4, sqrt(width * height / _MAX_CELLS), width / 4000, height / 4000)
        nx, ny = max(1, ceil(width / cell)), max(1, ceil(height / cell))
        self._grid = (low[0], low[1], float(cell), nx, ny)
        self._starts, self._items = fill_cells(self._a, self._b, *self._grid)

    def gaps(self, points: FloatArray) -> FloatArray:
        """Distance (n,) of each point (n, 2) to the nearest segment; the reach where it is farther than that."""
        points = np.ascontiguousarray(points)
        gaps: FloatArray = nearest_gaps(points, self._a, self._b, self._starts, self._items, *self._grid, self._reach)
        return gaps
