"""Compiled loop of ``offset.thinned``: which points of a line can go."""

from __future__ import annotations

from math import asin, atan2, hypot, pi

import numpy as np
from numba import njit


@njit(cache=True)
def needed_points(points, tolerance):
    """Which points (n,) to keep so that every dropped one lies within the tolerance of the chord over it.

    From each kept point on, a chord may go as long as its direction passes all points so far within the tolerance
    (each narrows the cone of such directions) and it leads on and on away. First and last stay.
    """
    n = len(points)
    keep = np.zeros(n, np.bool_)
    keep[0] = keep[n - 1] = True
    anchor = 0
    base, low, high, far = 0.0, -pi, pi, 0.0
    for j in range(1, n):
        dx, dy = points[j, 0] - points[anchor, 0], points[j, 1] - points[anchor, 1]
        away = hypot(dx, dy)
        if j == anchor + 1:
            base, low, high, far = atan2(dy, dx), -pi, pi, 0.0
        turn = atan2(dy, dx) - base
        if turn > pi:
            turn -= 2 * pi
        elif turn < -pi:
            turn += 2 * pi
        if not low <= turn <= high or away < far:
            anchor = j - 1
            keep[anchor] = True
            dx, dy = points[j, 0] - points[anchor, 0], points[j, 1] - points[anchor, 1]
            away = hypot(dx, dy)
            base, low, high, turn = atan2(dy, dx), -pi, pi, 0.0
        if away > tolerance:
            half = asin(tolerance / away)
            low, high = max(low, turn - half), min(high, turn + half)
        far = away
    return keep
