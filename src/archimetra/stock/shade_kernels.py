"""Compiled loop of ``shade``: heights to pixels, light from the upper left."""

from __future__ import annotations

from math import sqrt

import numpy as np
from numba import njit

_SHADOW_REACH = 10


@njit(cache=True, nogil=True)
def shade(field, wood, under, thickness, cell, pixels, x0, y0, x1, y1):
    """Fill ``pixels`` (ny, nx) uint32 0xffRRGGBB, row 0 at the back of the sheet, for cells [x0, x1) x [y0, y1).

    ``wood`` (ny, nx, 3) uint8 is the sheet's face, ``under`` (3,) what shows where it is cut through.
    """
    ny, nx = field.shape
    bottom = -thickness + 1e-4
    for j in range(y0, y1):
        for i in range(x0, x1):
            h = field[j, i]
            through = h <= bottom
            west = field[j, max(i - 1, 0)]
            east = field[j, min(i + 1, nx - 1)]
            south = field[max(j - 1, 0), i]
            north = field[min(j + 1, ny - 1), i]
            gx = (min(max(east, -thickness), 0.0) - min(max(west, -thickness), 0.0)) / (2 * cell)
            gy = (min(max(north, -thickness), 0.0) - min(max(south, -thickness), 0.0)) / (2 * cell)
            size = sqrt(1.0 + gx * gx + gy * gy)
            light = (0.55 * gx - 0.55 * gy + 0.63) / size / 0.63  # light from (-1, 1, 1.15)
            light = 0.72 + 0.28 * min(max(light, 0.0), 1.35)
            depth = min(max(-h / thickness, 0.0), 1.0)
            if through:
                r, g, b = under[0] * 1.0, under[1] * 1.0, under[2] * 1.0
                light = 1.0
            else:
                tone = 1.0 - 0.16 * depth - (0.07 if h < -0.001 else 0.0)
                r, g, b = wood[j, i, 0] * tone, wood[j, i, 1] * tone, wood[j, i, 2] * tone
            dark = 0.0
            for k in range(1, _SHADOW_REACH):
                a, c = i - k, j + k
                if a < 0 or c >= ny:
                    break
                rise = field[c, a] - h - k * cell * 1.25
                if rise > 0.0:
                    dark = max(dark, min(rise / 2.0, 1.0) * (1.0 - k / _SHADOW_REACH))
            light *= 1.0 - 0.42 * dark
            r, g, b = min(r * light, 255.0), min(g * light, 255.0), min(b * light, 255.0)
            pixels[ny - 1 - j, i] = np.uint32(0xFF000000) | (np.uint32(r) << 16) | (np.uint32(g) << 8) | np.uint32(b)
