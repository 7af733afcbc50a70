"""Compiled loop of ``timing``: speeds at the joints of moves, and the time each takes."""

from __future__ import annotations

from math import sqrt

import numpy as np
from numba import njit


@njit(cache=True)
def trapezoid_times(length, cruise, acceleration, joint):
    """Seconds per move (n,). ``joint`` (n,) limits the speed with which move i is begun (mm/s)."""
    n = len(length)
    entry = joint.copy()
    following = 0.0
    for i in range(n - 1, -1, -1):  # what can still be braked away within each move
        entry[i] = min(entry[i], cruise[i], sqrt(following * following + 2 * acceleration[i] * length[i]))
        following = entry[i]
    speed = 0.0
    out = np.zeros(n, np.float64)
    for i in range(n):
        begin = min(entry[i], speed)
        end = entry[i + 1] if i + 1 < n else 0.0
        a, s, v = acceleration[i], length[i], cruise[i]
        if s <= 0.0:
            continue  # no way, no time: the speed passes on to the next move
        end = min(end, v, sqrt(begin * begin + 2 * a * s))
        peak = min(v, sqrt((2 * a * s + begin * begin + end * end) / 2))
        peak = max(peak, max(begin, end))
        ramps = (2 * peak * peak - begin * begin - end * end) / (2 * a)
        out[i] = (2 * peak - begin - end) / a + max(s - ramps, 0.0) / peak
        speed = end
    return out
