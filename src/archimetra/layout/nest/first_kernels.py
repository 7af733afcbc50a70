"""Compiled loop of the first answer: parts one after the other, each as far left as it goes."""

from __future__ import annotations

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def block(t, taken, columns, rows, moves, zone, shape, x, y):
    """Note in the maps of a zone where no shape can lie any more because ``shape`` lies at (x, y)."""
    for b in range(len(columns[zone])):
        if not moves[b]:
            continue
        begin, nx, ny = t.at[shape, b], t.span[shape, b, 0], t.span[shape, b, 1]
        x0, y0 = x + t.low[shape, b, 0], y + t.low[shape, b, 1]
        wide, high = columns[zone, b], rows[zone, b]
        for i in range(max(-x0, 0), min(nx, wide - x0)):
            for j in range(max(-y0, 0), min(ny, high - y0)):
                if t.pool[begin + i * ny + j] > 0:
                    taken[zone, b, x0 + i, y0 + j] = 1


@njit(cache=True, nogil=True)
def place_in_order(t, order, part_of, first, number, room, moves, zone_of, x_of, y_of, shape_of, work):
    """Place the items of ``order`` that have no zone yet: in the first zone there is room in, with the turn whose right end comes out
    least, then lowest. ``room`` (z, 2) in cells; items that have a zone stay. What finds no room keeps zone -1.

    ``part_of`` (n,) is each item's part; the shapes of part p are ``first[p]`` to ``first[p] + number[p]``.
    """
    zones, shapes = len(room), len(t.size)
    columns, rows = np.zeros((zones, shapes), np.int64), np.zeros((zones, shapes), np.int64)
    for z in range(zones):
        for b in range(shapes):
            columns[z, b] = max(int(np.floor(room[z, 0] - t.size[b, 0] + 1e-9)) + 1, 0)
            rows[z, b] = max(int(np.floor(room[z, 1] - t.size[b, 1] + 1e-9)) + 1, 0)
    widest, highest = max(columns.max(), 1), max(rows.max(), 1)
    taken = np.zeros((zones, shapes, widest, highest), np.uint8)
    begin = np.zeros((zones, shapes), np.int64)
    for i in range(len(zone_of)):
        if zone_of[i] >= 0:
            block(t, taken, columns, rows, moves, zone_of[i], shape_of[i], x_of[i], y_of[i])
    placed = 0
    for i in order:
        if zone_of[i] >= 0:
            continue
        part = part_of[i]
        for z in range(zones):
            best_end, best_y, best_x, best = np.inf, 0, 0, -1
            for b in range(first[part], first[part] + number[part]):
                x, y = begin[z, b], 0
                found = False
                while x < columns[z, b] and x + t.size[b, 0] <= best_end:
                    for row in range(rows[z, b]):
                        if taken[z, b, x, row] == 0:
                            y, found = row, True
                            break
                    work[0] += rows[z, b]
                    if found:
                        break
                    x += 1
                if not found:
                    if x >= columns[z, b]:
                        begin[z, b] = x
                    continue
                begin[z, b] = x
                end = x + t.size[b, 0]
                if end < best_end - 1e-9 or (end <= best_end + 1e-9 and y < best_y):
                    best_end, best_y, best_x, best = end, y, x, b
            if best >= 0:
                zone_of[i], x_of[i], y_of[i], shape_of[i] = z, best_x, best_y, best
                block(t, taken, columns, rows, moves, z, best, best_x, best_y)
                placed += 1
                break
    return placed
