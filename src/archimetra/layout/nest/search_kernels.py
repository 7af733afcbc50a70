"""Compiled loops of the search: the map of what every place of a part would overlap, and taking overlapping parts apart by them.

Guided local search: an overlap that lasts weighs more and more (Voudouris and Tsang, Guided local search, 1999).
"""

from __future__ import annotations

import numpy as np
from numba import njit

_SWEEPS = 400
_PATIENCE = 100  # sweeps without a total 2 % better
_HEAVIEST = 1e6


@njit(cache=True, nogil=True)
def chance(state):
    """The next number in [0, 1) of a xorshift generator; ``state`` (1,) uint64, never 0."""
    x = state[0]
    x ^= x << np.uint64(13)
    x ^= x >> np.uint64(7)
    x ^= x << np.uint64(17)
    state[0] = x
    return np.float64(x >> np.uint64(11)) / 9007199254740992.0


@njit(cache=True, nogil=True)
def depth(t, a, b, dx, dy):
    """How deep shape b displaced by (dx, dy) lies in shape a, cells."""
    i, j = dx - t.low[a, b, 0], dy - t.low[a, b, 1]
    if i < 0 or j < 0 or i >= t.span[a, b, 0] or j >= t.span[a, b, 1] or t.at[a, b] < 0:
        return np.float32(0.0)
    return t.pool[t.at[a, b] + i * t.span[a, b, 1] + j]


@njit(cache=True, nogil=True, fastmath=True)
def _add(row, other, weight):
    for k in range(len(row)):
        row[k] += weight * other[k]


@njit(cache=True, nogil=True, fastmath=True)
def _least(row):
    low = row[0]
    for k in range(1, len(row)):
        low = min(low, row[k])
    return low


@njit(cache=True, nogil=True)
def least_place(t, zone_of, x_of, y_of, shape_of, weights, i, z, b, x0, x1, y0, y1, room, random, work):
    """(weighted overlap, x, y) of the best place for item ``i`` as shape ``b`` in zone ``z`` with x0 <= x < x1, y0 <= y < y1; one of
    several equals by chance. ``room`` is a buffer large enough."""
    nx, ny = x1 - x0, y1 - y0
    field = room[: nx * ny]
    field[:] = 0
    work[0] += nx * ny
    for j in range(len(zone_of)):
        if j == i or zone_of[j] != z or weights[j] <= 0:
            continue
        a = shape_of[j]
        begin, high = t.at[a, b], t.span[a, b, 1]
        left, low = x_of[j] + t.low[a, b, 0] - x0, y_of[j] + t.low[a, b, 1] - y0
        j0, j1 = max(-low, 0), min(high, ny - low)
        if j0 >= j1:
            continue
        for k in range(max(-left, 0), min(t.span[a, b, 0], nx - left)):
            at = (left + k) * ny + low
            source = begin + k * high
            _add(field[at + j0 : at + j1], t.pool[source + j0 : source + j1], weights[j])
            work[0] += j1 - j0
    best = np.float32(np.inf)
    equals, x, y = 0, x0, y0
    for k in range(nx):
        row = field[k * ny : (k + 1) * ny]
        low_here = _least(row)
        if low_here > best:
            continue
        if low_here < best:
            best, equals = low_here, 0
        for m in range(ny):
            if row[m] == best:
                equals += 1
                if chance(random) * equals < 1.0:
                    x, y = x0 + k, y0 + m
    return best, x, y


@njit(cache=True, nogil=True)
def all_depths(t, zone_of, x_of, y_of, shape_of, fixed):
    """Overlap of every two items (n, n) in cells."""
    n = len(zone_of)
    out = np.zeros((n, n), np.float32)
    for i in range(n):
        for j in range(i):
            if zone_of[i] >= 0 and zone_of[i] == zone_of[j] and not (fixed[i] and fixed[j]):
                a, b = shape_of[j], shape_of[i]
                out[i, j] = out[j, i] = depth(t, a, b, x_of[i] - x_of[j], y_of[i] - y_of[j])
    return out


@njit(cache=True, nogil=True)
def columns_of(t, room, z, b):
    return np.int64(np.floor(room[z, 0] - t.size[b, 0] + 1e-9)) + 1


@njit(cache=True, nogil=True)
def rows_of(t, room, z, b):
    return np.int64(np.floor(room[z, 1] - t.size[b, 1] + 1e-9)) + 1


@njit(cache=True, nogil=True)
def put_in(t, zone_of, x_of, y_of, shape_of, i, part_of, first, number, room, zones, buffer, random, work):
    """Put item ``i`` where it overlaps least, whichever way round and in whichever of the first ``zones`` zones. Whether it has a place
    at all."""
    weights = np.ones(len(zone_of))
    best, best_z, best_b, best_x, best_y = np.inf, -1, 0, 0, 0
    for z in range(zones):
        for b in range(first[part_of[i]], first[part_of[i]] + number[part_of[i]]):
            nx, ny = columns_of(t, room, z, b), rows_of(t, room, z, b)
            if nx <= 0 or ny <= 0:
                continue
            value, x, y = least_place(
                t, zone_of, x_of, y_of, shape_of, weights, i, z, b, 0, nx, 0, ny, buffer, random, work
            )
            if value < best:
                best, best_z, best_b, best_x, best_y = value, z, b, x, y
    if best_z >= 0:
        zone_of[i], shape_of[i], x_of[i], y_of[i] = best_z, best_b, best_x, best_y
    return best_z >= 0


@njit(cache=True, nogil=True)
def separate(
    t, zone_of, x_of, y_of, shape_of, part_of, first, number, fixed, room, sigma, local, buffer, random, work, budget, stop,
):  # fmt: skip
    """Take the items apart; the arrays hold the layout with the least overlap found. Gives that overlap, 0 where all lie free.

    ``sigma`` (n,) weighs items by size, ``local`` is the share of moves that look only near by. Ends when the work is over the
    ``budget`` or ``stop[0]`` is set.
    """
    n = len(zone_of)
    depths = all_depths(t, zone_of, x_of, y_of, shape_of, fixed)
    weight = np.ones((n, n), np.float32)
    weights = np.zeros(n)
    zones = len(room)
    best_total = np.inf
    kept_zone, kept_x, kept_y, kept_shape = zone_of.copy(), x_of.copy(), y_of.copy(), shape_of.copy()
    idle = 0
    order = np.arange(n).astype(np.int64)
    for _ in range(_SWEEPS):
        total, deepest = 0.0, 0.0
        for i in range(n):
            for j in range(i):
                if depths[i, j] > 0:
                    total += depths[i, j]
                    deepest = max(deepest, depths[i, j])
        if total < best_total:
            idle = 0 if total < 0.98 * best_total else idle + 1
            best_total = total
            kept_zone[:], kept_x[:], kept_y[:], kept_shape[:] = zone_of, x_of, y_of, shape_of
        else:
            idle += 1
        if total == 0 or idle > _PATIENCE or stop[0] != 0 or work[0] >= budget:
            break
        work[0] += n * n // 2
        for i in range(n):
            for j in range(i):
                if depths[i, j] > 0:
                    w = min(weight[i, j] * (1.2 + 0.8 * depths[i, j] / deepest), _HEAVIEST)
                else:
                    w = max(0.95 * weight[i, j], 1.0)
                weight[i, j] = weight[j, i] = w
        for k in range(n - 1, 0, -1):
            other = int(chance(random) * (k + 1))
            order[k], order[other] = order[other], order[k]
        for place in range(n):
            i = int(order[place])
            if fixed[i] or zone_of[i] < 0:
                continue
            now = 0.0
            for j in range(n):
                weights[j] = weight[i, j] * sigma[i] * sigma[j]
                now += weights[j] * depths[i, j]
            if now == 0:
                continue
            part = part_of[i]
            ways = number[part]
            tries = min(ways, 4)
            is_near = chance(random) < local
            best, best_z, best_b, best_x, best_y = np.inf, -1, 0, 0, 0
            for attempt in range(tries):
                if ways <= 4:
                    b = first[part] + attempt
                else:
                    b = shape_of[i] if attempt == 0 else first[part] + int(chance(random) * ways)
                for z in range(zones):
                    if is_near and z != zone_of[i]:
                        continue
                    x0, y0, x1, y1 = 0, 0, columns_of(t, room, z, b), rows_of(t, room, z, b)
                    if is_near:
                        reach_x, reach_y = int(0.6 * t.size[b, 0]) + 4, int(0.6 * t.size[b, 1]) + 4
                        x0, y0 = max(x0, x_of[i] - reach_x), max(y0, y_of[i] - reach_y)
                        x1, y1 = min(x1, x_of[i] + reach_x + 1), min(y1, y_of[i] + reach_y + 1)
                    if x0 >= x1 or y0 >= y1:
                        continue
                    value, x, y = least_place(
                        t, zone_of, x_of, y_of, shape_of, weights, i, z, b, x0, x1, y0, y1, buffer, random, work
                    )
                    if value < best:
                        best, best_z, best_b, best_x, best_y = value, z, b, x, y
            if best_z >= 0 and best <= now:
                zone_of[i], shape_of[i], x_of[i], y_of[i] = best_z, best_b, best_x, best_y
                for j in range(n):
                    d = np.float32(0.0)
                    if j != i and zone_of[j] == best_z:
                        d = depth(t, shape_of[j], best_b, best_x - x_of[j], best_y - y_of[j])
                    depths[i, j] = depths[j, i] = d
            if stop[0] != 0 or work[0] >= budget:
                break
    zone_of[:], x_of[:], y_of[:], shape_of[:] = kept_zone, kept_x, kept_y, kept_shape
    return best_total
