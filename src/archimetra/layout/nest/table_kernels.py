"""Compiled loops that make the tables: which displacements of one shape against another overlap, and how deep."""

from __future__ import annotations

from math import ceil, floor

import numpy as np
from numba import njit

_EPS = 1e-7  # cells; contact counts as overlap, or equal shapes shifted along an edge would look free


@njit(cache=True, nogil=True)
def overlap_table(edges, a0, a1, leads_a, b0, b1, leads_b, x0, y0, nx, ny):
    """Which integer displacements d of shape b meet shape a, closed: (nx, ny) of 0 and 1 for d from (x0, y0) on.

    Edges of both cross where d lies in the parallelogram e_a + (-e_b) of some pair; one lies in the other where a point of it does.
    """
    change = np.zeros((nx, ny + 1), np.int32)
    px, py = np.empty(5), np.empty(5)
    for i in range(a0, a1):
        ax, ay = edges[i, 0], edges[i, 1]
        ux, uy = edges[i, 2] - ax, edges[i, 3] - ay
        for j in range(b0, b1):
            bx, by = edges[j, 0], edges[j, 1]
            vx, vy = edges[j, 2] - bx, edges[j, 3] - by
            px[0], py[0] = ax - bx, ay - by
            px[1], py[1] = px[0] + ux, py[0] + uy
            px[2], py[2] = px[1] - vx, py[1] - vy
            px[3], py[3] = px[0] - vx, py[0] - vy
            px[4], py[4] = px[0], py[0]
            low = min(min(px[0], px[1]), min(px[2], px[3]))
            high = max(max(px[0], px[1]), max(px[2], px[3]))
            for column in range(max(ceil(low - _EPS), x0), min(floor(high + _EPS), x0 + nx - 1) + 1):
                y_low, y_high = np.inf, -np.inf
                for k in range(4):
                    xa, xb = px[k], px[k + 1]
                    if min(xa, xb) - _EPS <= column <= max(xa, xb) + _EPS:
                        if abs(xb - xa) < 1e-9:
                            y_low, y_high = min(y_low, min(py[k], py[k + 1])), max(y_high, max(py[k], py[k + 1]))
                        else:
                            t = min(max((column - xa) / (xb - xa), 0.0), 1.0)
                            y = py[k] + t * (py[k + 1] - py[k])
                            y_low, y_high = min(y_low, y), max(y_high, y)
                if y_low <= y_high:
                    _mark(change, column - x0, y_low, y_high, y0, ny)
    crossings = np.empty(max(a1 - a0, b1 - b0))
    for n in range(len(leads_b)):
        _fill(change, edges, a0, a1, -leads_b[n, 0], -leads_b[n, 1], 1.0, crossings, x0, y0, nx, ny)
    for n in range(len(leads_a)):
        _fill(change, edges, b0, b1, leads_a[n, 0], leads_a[n, 1], -1.0, crossings, x0, y0, nx, ny)
    out = np.empty((nx, ny), np.uint8)
    for column in range(nx):
        count = 0
        for row in range(ny):
            count += change[column, row]
            out[column, row] = 1 if count > 0 else 0
    return out


@njit(cache=True, nogil=True)
def _mark(change, column, y_low, y_high, y0, ny):
    low = max(ceil(y_low - _EPS) - y0, 0)
    high = min(floor(y_high + _EPS) - y0, ny - 1)
    if low <= high:
        change[column, low] += 1
        change[column, high + 1] -= 1


@njit(cache=True, nogil=True)
def _fill(change, edges, e0, e1, shift_x, shift_y, sign, crossings, x0, y0, nx, ny):
    """What lies within ``sign`` times the shape, moved by the shift, by even and odd crossings."""
    for column in range(nx):
        x = sign * (column + x0 - shift_x)
        count = 0
        for k in range(e0, e1):
            xa, xb = edges[k, 0], edges[k, 2]
            if (xa <= x) != (xb <= x):
                y = edges[k, 1] + (x - xa) / (xb - xa) * (edges[k, 3] - edges[k, 1])
                crossings[count] = sign * y + shift_y
                count += 1
        found = np.sort(crossings[:count])
        for k in range(0, count - 1, 2):
            _mark(change, column, found[k], found[k + 1], y0, ny)


@njit(cache=True, nogil=True)
def penetration(occupied):
    """How far each occupied cell is from the nearest free one, in cells; 0 where free. Exact, by lower envelopes of parabolas
    (Felzenszwalb and Huttenlocher, Distance Transforms of Sampled Functions, 2012). The border must be free."""
    nx, ny = occupied.shape
    far = nx + ny
    along = np.empty((nx, ny), np.int64)
    for i in range(nx):
        gap = far
        for j in range(ny):
            gap = gap + 1 if occupied[i, j] else 0
            along[i, j] = gap
        gap = far
        for j in range(ny - 1, -1, -1):
            gap = gap + 1 if occupied[i, j] else 0
            along[i, j] = min(along[i, j], gap)
    out = np.zeros((nx, ny), np.float32)
    at = np.empty(nx, np.int64)
    edge = np.empty(nx + 1)
    for j in range(ny):
        k = 0
        at[0] = 0
        edge[0], edge[1] = -np.inf, np.inf
        for i in range(1, nx):
            own = along[i, j] * along[i, j] + i * i
            while True:
                v = at[k]
                s = (own - along[v, j] * along[v, j] - v * v) / (2.0 * (i - v))
                if s > edge[k]:
                    break
                k -= 1
            k += 1
            at[k] = i
            edge[k], edge[k + 1] = s, np.inf
        k = 0
        for i in range(nx):
            while edge[k + 1] < i:
                k += 1
            v = at[k]
            if occupied[i, j]:
                out[i, j] = ((i - v) * (i - v) + along[v, j] * along[v, j]) ** 0.5
    return out


@njit(cache=True, nogil=True)
def build_tables(edges, first, leads, lead, pairs, low, count, at, pool):
    """The tables of the ``pairs`` (n, 4) into the ``pool``, and those of the pairs the other way round: two shapes, and which of the
    outlines stand for them."""
    for n in range(len(pairs)):
        a, b, p, q = pairs[n, 0], pairs[n, 1], pairs[n, 2], pairs[n, 3]
        nx, ny = count[a, b, 0], count[a, b, 1]
        occupied = overlap_table(
            edges, first[p], first[p + 1], leads[lead[p] : lead[p + 1]], first[q], first[q + 1],
            leads[lead[q] : lead[q + 1]], low[a, b, 0], low[a, b, 1], nx, ny,
        )  # fmt: skip
        depth = penetration(occupied)
        begin, other = at[a, b], at[b, a]
        cells = nx * ny
        k = 0
        for i in range(nx):
            for j in range(ny):
                pool[begin + k] = depth[i, j]
                pool[other + cells - 1 - k] = depth[i, j]
                k += 1
