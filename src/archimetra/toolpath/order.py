"""Running order of contours: what lies inside comes first, then the nearest next one."""

from __future__ import annotations

import numpy as np

from archimetra.geometry.arrays import FloatArray, IntArray


def inside_first(starts: FloatArray, parent: IntArray, *, begin: tuple[float, float] = (0.0, 0.0)) -> list[int]:
    """Indices of contours in running order.

    ``starts`` (n, 2) are their start points and ``parent`` the contour around each (-1: none). A contour
    waits until everything inside it is done; among those free, the nearest to the last one comes next.
    """
    waiting = np.bincount(parent[parent >= 0], minlength=len(parent))
    is_free = waiting == 0
    is_done = np.zeros(len(parent), dtype=bool)
    at = np.asarray(begin, dtype=np.float64)
    out: list[int] = []
    for _ in range(len(parent)):
        free = np.flatnonzero(is_free & ~is_done)
        k = int(free[np.argmin(((starts[free] - at) ** 2).sum(axis=1))])
        out.append(k)
        is_done[k] = True
        at = starts[k]
        if parent[k] >= 0:
            waiting[parent[k]] -= 1
            is_free[parent[k]] = waiting[parent[k]] == 0
    return out
