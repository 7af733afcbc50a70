"""Compiled loop that finds, for every two convex pieces near each other, the line that keeps them apart best."""

from __future__ import annotations

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def separations(points, first, owner, kind, boxes, reach):
    """For every pair of convex pieces of different owners within ``reach`` that must not meet: rows of (owner a, owner b, gap, nx, ny).

    Of kind 0 must not meet 0, of kind 1 not 2.

    Piece k has the corners ``points[first[k]:first[k + 1]]`` counter-clockwise. ``gap`` is the largest distance a line at right angles
    to (nx, ny), along a side of one of them, leaves between them; less than 0 where they overlap. (nx, ny) leads from a to b.
    """
    n = len(owner)
    out = np.empty((256, 5))
    count = 0
    by_left = np.argsort(boxes[:, 0])
    for k in range(n):
        p = by_left[k]
        for m in range(k + 1, n):
            q = by_left[m]
            if boxes[q, 0] > boxes[p, 2] + reach:
                break
            if owner[p] == owner[q] or not (kind[p] == kind[q] == 0 or kind[p] + kind[q] == 3):
                continue
            if boxes[q, 1] > boxes[p, 3] + reach or boxes[q, 3] < boxes[p, 1] - reach:
                continue
            a, b = (p, q) if owner[p] < owner[q] else (q, p)
            gap, nx, ny = -np.inf, 0.0, 0.0
            for side in range(2):
                one, other = (a, b) if side == 0 else (b, a)
                lo, hi = first[one], first[one + 1]
                for i in range(lo, hi):
                    j = i + 1 if i + 1 < hi else lo
                    ex, ey = points[j, 0] - points[i, 0], points[j, 1] - points[i, 1]
                    long = (ex * ex + ey * ey) ** 0.5
                    if long < 1e-9:
                        continue
                    ux, uy = ey / long, -ex / long  # outwards
                    near = np.inf
                    for v in range(first[other], first[other + 1]):
                        near = min(near, ux * (points[v, 0] - points[i, 0]) + uy * (points[v, 1] - points[i, 1]))
                    if near > gap:
                        gap = near
                        nx, ny = (ux, uy) if side == 0 else (-ux, -uy)
            if gap <= reach:
                if count == len(out):
                    more = np.empty((2 * count, 5))
                    more[:count] = out
                    out = more
                out[count, 0], out[count, 1], out[count, 2] = owner[a], owner[b], gap
                out[count, 3], out[count, 4] = nx, ny
                count += 1
    return out[:count].copy()
