"""Compiled loops of ``probe``: which moves come near a place, and how low they leave it."""

from __future__ import annotations

from math import floor

import numpy as np
from numba import njit

from archimetra.stock.sweep_kernels import cut_z, reach


@njit(cache=True)
def binned(points, bit_of, shapes, radii, tangents, tips, x0, y0, size, nx, ny):
    """Moves by the squares of a grid they may cut in: ``(moves (k,), first (nx ny + 1,))``."""
    boxes = np.empty((len(points), 4), np.int64)
    first = np.zeros(nx * ny + 1, np.int64)
    for n in range(len(points)):
        boxes[n] = 0, -1, 0, -1
        if n == 0 or (points[n - 1, 2] >= 0.0 and points[n, 2] >= 0.0):
            continue
        b = bit_of[n]
        wide = reach(shapes[b], radii[b], tangents[b], tips[b], -min(points[n - 1, 2], points[n, 2]))
        boxes[n, 0] = max(int(floor((min(points[n - 1, 0], points[n, 0]) - wide - x0) / size)), 0)
        boxes[n, 1] = min(int(floor((max(points[n - 1, 0], points[n, 0]) + wide - x0) / size)), nx - 1)
        boxes[n, 2] = max(int(floor((min(points[n - 1, 1], points[n, 1]) - wide - y0) / size)), 0)
        boxes[n, 3] = min(int(floor((max(points[n - 1, 1], points[n, 1]) + wide - y0) / size)), ny - 1)
        for j in range(boxes[n, 2], boxes[n, 3] + 1):
            for i in range(boxes[n, 0], boxes[n, 1] + 1):
                first[j * nx + i + 1] += 1
    first = np.cumsum(first)
    moves = np.empty(first[-1], np.int64)
    cursor = first[:-1].copy()
    for n in range(len(points)):
        for j in range(boxes[n, 2], boxes[n, 3] + 1):
            for i in range(boxes[n, 0], boxes[n, 1] + 1):
                moves[cursor[j * nx + i]] = n
                cursor[j * nx + i] += 1
    return moves, first


@njit(cache=True)
def heights_at(where, points, bit_of, shapes, radii, tangents, tips, x0, y0, size, nx, ny, moves, first):
    """How high the wood stands at places (n, 2), 0 on the sheet's top."""
    out = np.zeros(len(where))
    for k in range(len(where)):
        px, py = where[k, 0], where[k, 1]
        i, j = int(floor((px - x0) / size)), int(floor((py - y0) / size))
        if i < 0 or j < 0 or i >= nx or j >= ny:
            continue
        low = 0.0
        for m in range(first[j * nx + i], first[j * nx + i + 1]):
            n = moves[m]
            if min(points[n - 1, 2], points[n, 2]) >= low:
                continue
            b = bit_of[n]
            z = cut_z(
                px, py, points[n - 1, 0], points[n - 1, 1], points[n - 1, 2], points[n, 0], points[n, 1], points[n, 2],
                shapes[b], radii[b], tangents[b], tips[b],
            )  # fmt: skip
            low = min(low, z)
        out[k] = low
    return out
