"""Distance from many points to many segments, exact, limited to a reach."""

from __future__ import annotations

from collections.abc import Sequence
from math import ceil, sqrt

import numpy as np

from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.distance_kernels import fill_cells, nearest_gaps

_MAX_CELLS = 4_000_000


class SegmentField:
    """The segments of some rings or lines of points (n, 2), ready to be asked for distances."""

    def __init__(self, lines: Sequence[FloatArray], *, reach_mm: float) -> None:
        self._a = np.ascontiguousarray(np.vstack([line[:-1] for line in lines]))
        self._b = np.ascontiguousarray(np.vstack([line[1:] for line in lines]))
        self._reach = reach_mm
        low = np.minimum(self._a.min(axis=0), self._b.min(axis=0))
        width, height = np.maximum(np.maximum(self._a, self._b).max(axis=0) - low, 1e-6)
        per_segment = sqrt(width * height / max(len(self._a), 1))
        cell = max(per_segment, reach_mm / 8, sqrt(width * height / _MAX_CELLS))
        nx, ny = max(1, ceil(width / cell)), max(1, ceil(height / cell))
        self._grid = (float(low[0]), float(low[1]), float(cell), nx, ny)
        self._starts, self._items = fill_cells(self._a, self._b, *self._grid)

    def gaps(self, points: FloatArray) -> FloatArray:
        """Distance (n,) of each point (n, 2) to the nearest segment; the reach where it is farther than that."""
        points = np.ascontiguousarray(points)
        gaps: FloatArray = nearest_gaps(points, self._a, self._b, self._starts, self._items, *self._grid, self._reach)
        return gaps
