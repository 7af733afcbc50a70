"""Compiled loops of ``distance``: segments sorted into square cells, searched ring by ring of cells."""

from __future__ import annotations

from math import floor, sqrt

import numpy as np
from numba import njit


@njit(cache=True)
def fill_cells(a, b, x0, y0, cell, nx, ny):
    """Segment numbers by cell: ``starts`` (nx * ny + 1,) into ``items``; a segment sits in every cell its box meets."""
    counts = np.zeros(nx * ny + 1, np.int64)
    for k in range(len(a)):
        i0, i1, j0, j1 = _box(a[k], b[k], x0, y0, cell, nx, ny)
        for j in range(j0, j1 + 1):
            for i in range(i0, i1 + 1):
                counts[j * nx + i + 1] += 1
    starts = np.cumsum(counts)
    cursor = starts[:-1].copy()
    items = np.empty(starts[-1], np.int64)
    for k in range(len(a)):
        i0, i1, j0, j1 = _box(a[k], b[k], x0, y0, cell, nx, ny)
        for j in range(j0, j1 + 1):
            for i in range(i0, i1 + 1):
                c = j * nx + i
                items[cursor[c]] = k
                cursor[c] += 1
    return starts, items


@njit(cache=True)
def _box(p, q, x0, y0, cell, nx, ny):
    i0 = int(floor((min(p[0], q[0]) - x0) / cell))
    i1 = int(floor((max(p[0], q[0]) - x0) / cell))
    j0 = int(floor((min(p[1], q[1]) - y0) / cell))
    j1 = int(floor((max(p[1], q[1]) - y0) / cell))
    # the far border belongs to the last cell
    return min(max(i0, 0), nx - 1), min(i1, nx - 1), min(max(j0, 0), ny - 1), min(j1, ny - 1)


@njit(cache=True)
def nearest_gaps(points, a, b, starts, items, x0, y0, cell, nx, ny, limit):
    """Distance from each point to the nearest segment; ``limit`` where none is nearer than that."""
    out = np.empty(len(points), np.float64)
    for n in range(len(points)):
        px, py = points[n, 0], points[n, 1]
        best = limit * limit
        ci, cj = int(floor((px - x0) / cell)), int(floor((py - y0) / cell))
        reach = int(limit / cell) + 1
        for ring in range(reach + 1):
            if ring > 1 and ((ring - 1) * cell) ** 2 > best:
                break
            for j in range(max(cj - ring, 0), min(cj + ring, ny - 1) + 1):
                edge = j == cj - ring or j == cj + ring
                step = 1 if edge or ring == 0 else 2 * ring
                for i in range(ci - ring, ci + ring + 1, step):
                    if i < 0 or i >= nx:
                        continue
                    c = j * nx + i
                    for s in range(starts[c], starts[c + 1]):
                        k = items[s]
                        ax, ay = a[k, 0], a[k, 1]
                        dx, dy = b[k, 0] - ax, b[k, 1] - ay
                        size = dx * dx + dy * dy
                        t = ((px - ax) * dx + (py - ay) * dy) / size if size > 0.0 else 0.0
                        t = min(max(t, 0.0), 1.0)
                        ex, ey = px - ax - t * dx, py - ay - t * dy
                        d = ex * ex + ey * ey
                        if d < best:
                            best = d
        out[n] = sqrt(best)
    return out
