"""Compiled loop of ``arcfit``: the longest line or arc that stays near a run of points."""

from __future__ import annotations

from math import atan2, hypot, pi

import numpy as np
from numba import njit


@njit(cache=True)
def arc_fits(points, i, j, bulge, tolerance):
    """Whether the arc of this bulge from point i to j passes every point and mid-chord within the tolerance,
    in order (0 bulge: the straight line)."""
    px, py = points[i, 0], points[i, 1]
    dx, dy = points[j, 0] - px, points[j, 1] - py
    chord = hypot(dx, dy)
    if chord == 0.0:
        return False
    if bulge == 0.0:
        last = 0.0
        for k in range(i + 1, j):
            ax, ay = points[k, 0] - px, points[k, 1] - py
            if abs(ax * dy - ay * dx) > tolerance * chord:
                return False
            along = ax * dx + ay * dy
            if along < last:
                return False
            last = along
        return last <= chord * chord
    k4 = (1.0 - bulge * bulge) / (4.0 * bulge)
    cx, cy = px + dx / 2 - dy * k4, py + dy / 2 + dx * k4
    radius = hypot(px - cx, py - cy)
    low = max(radius - tolerance, 0.0) ** 2
    high = (radius + tolerance) ** 2
    turn = 1.0 if bulge > 0 else -1.0
    ux, uy = px - cx, py - cy  # previous point seen from the centre
    for k in range(i + 1, j + 1):
        vx, vy = points[k, 0] - cx, points[k, 1] - cy
        mx, my = (ux + vx) / 2, (uy + vy) / 2
        if not low <= mx * mx + my * my <= high:
            return False
        if (ux * vy - uy * vx) * turn <= 0.0:  # must go round in order; sweep <= 180 keeps this enough
            return False
        if k < j and not low <= vx * vx + vy * vy <= high:
            return False
        ux, uy = vx, vy
    return True


@njit(cache=True)
def bulge_through(points, i, j, k):
    """Bulge of the arc from i to j through k: tan of half the angle the chord is short of straight at k."""
    ax, ay = points[i, 0] - points[k, 0], points[i, 1] - points[k, 1]
    bx, by = points[j, 0] - points[k, 0], points[j, 1] - points[k, 1]
    # inscribed angle at k is pi - sweep / 2; bulge = tan(sweep / 4)
    angle = atan2(ax * by - ay * bx, ax * bx + ay * by)
    half = (pi - abs(angle)) / 2
    return np.tan(half) if angle < 0 else -np.tan(half)


@njit(cache=True)
def best_bulge(points, i, j, tolerance):
    """``(fits, bulge)`` of a line or arc from i to j; tries the line, then arcs through the middle and the spread."""
    if j == i + 1 or arc_fits(points, i, j, 0.0, tolerance):
        return True, 0.0
    if hypot(points[j, 0] - points[i, 0], points[j, 1] - points[i, 1]) <= 4 * tolerance:
        return False, 0.0
    middle = bulge_through(points, i, j, (i + j) // 2)
    if abs(middle) <= 1.0 and arc_fits(points, i, j, middle, tolerance):
        return True, middle
    low, high = 1e300, -1e300
    step = max(1, (j - i) // 16)
    for k in range(i + max(1, (j - i) // 4), j - (j - i) // 4 + 1, step):
        if k <= i or k >= j:
            continue
        b = bulge_through(points, i, j, k)
        low, high = min(low, b), max(high, b)
    between = (low + high) / 2
    if low <= high and abs(between) <= 1.0 and arc_fits(points, i, j, between, tolerance):
        return True, between
    return False, 0.0


@njit(cache=True)
def fit_run(points, corners, tolerance):
    """Greedy: from each start grow by doubling, then bisect. Returns end indices and bulges."""
    n = len(points)
    ends = np.empty(n, np.int64)
    bulges = np.empty(n, np.float64)
    count = 0
    i = 0
    next_corner = np.empty(n, np.int64)
    ahead = n - 1
    for k in range(n - 1, -1, -1):
        next_corner[k] = ahead
        if corners[k]:
            ahead = k
    while i < n - 1:
        limit = next_corner[i]
        good, bulge = i + 1, 0.0
        step = 1
        bad = limit + 1
        while good < limit:
            j = min(good + step, limit)
            fits, b = best_bulge(points, i, j, tolerance)
            if not fits:
                bad = j
                break
            good, bulge = j, b
            step *= 2
        while bad - good > 1 and bad <= limit:
            j = (good + bad) // 2
            fits, b = best_bulge(points, i, j, tolerance)
            if fits:
                good, bulge = j, b
            else:
                bad = j
        ends[count], bulges[count] = good, bulge
        count += 1
        i = good
    return ends[:count], bulges[:count]
