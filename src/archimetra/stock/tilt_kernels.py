"""Compiled loop of the tilted view: a floating horizon for each column of the screen.

Seen parallel, all rays of a column lie over one straight line of the field. Walked from near to far, each height is put on a screen row; what rises
above the highest row so far is seen, the rest is hidden. Hidden surfaces are exact and walls come for free.
"""

from __future__ import annotations

from math import ceil, floor, sqrt

import numpy as np
from numba import njit

_STEP = 0.75  # cells from sample to sample
_SMOOTH = 1.2  # neighbours that differ by fewer cells are one slope, not a wall


@njit(cache=True, nogil=True)
def tilt(field, wood, under, thickness, width, height, cell, view, depth, pixels, first, last):
    """Fill columns ``first`` to ``last`` of ``pixels`` (h, w) uint32 0xffRRGGBB, and of ``depth`` (h, w) how far beyond the middle what is seen lies, mm
    (inf where nothing of the sheet is). ``view``: middle on the board x, y; cosine and sine of the turn; sine and cosine of the elevation; pixels per
    mm. ``wood`` (ny, nx, 3) uint8 is the sheet's face, ``under`` (3,) what shows where it is cut through."""
    rows, columns = pixels.shape
    ny, nx = field.shape
    mx, my, ct, st, se, ce, ppm = view[0], view[1], view[2], view[3], view[4], view[5], view[6]
    for column in range(first, last):
        u = (column + 0.5 - columns / 2) / ppm
        # across the screen (ct, st), away from the eye (-st, ct)
        ax, ay = mx + u * ct, my + u * st
        t0, t1 = -1e18, 1e18
        for axis in range(2):
            a = ax if axis == 0 else ay
            d = -st if axis == 0 else ct
            size = width if axis == 0 else height
            if abs(d) < 1e-12:
                if a <= 0.0 or a >= size:
                    t1 = t0 - 1.0
                continue
            near, far = -a / d, (size - a) / d
            if near > far:
                near, far = far, near
            t0, t1 = max(t0, near), min(t1, far)
        if t1 <= t0:
            continue
        # rows from here down are done: below the foot of the sheet nothing of it is
        top = min(rows, int(floor(rows / 2 - (t0 * se - thickness * ce) * ppm)) + 1)
        step = max(_STEP * cell, 0.35 / ppm)
        count = max(1, int(ceil((t1 - t0) / step)))
        before = -thickness
        for n in range(count + 1):
            t = min(t0 + n * step, t1)
            x, y = ax - t * st, ay + t * ct
            i = min(max(int(x / cell), 0), nx - 1)
            j = min(max(int(y / cell), 0), ny - 1)
            z = field[j, i]
            west, east = field[j, max(i - 1, 0)], field[j, min(i + 1, nx - 1)]
            south, north = field[max(j - 1, 0), i], field[min(j + 1, ny - 1), i]
            is_through = z <= -thickness + 1e-4
            gx, gy = (east - west) / (2 * cell), (north - south) / (2 * cell)
            steep = max(max(abs(east - z), abs(z - west)), max(abs(north - z), abs(z - south)))
            if steep < _SMOOTH * cell and not is_through:
                z += (x - (i + 0.5) * cell) * gx + (y - (j + 0.5) * cell) * gy
            z = min(max(z, -thickness), 0.0)
            base = rows / 2 - t * se * ppm
            here = int(floor(base - z * ce * ppm))
            foot = int(floor(base - before * ce * ppm)) if z > before else here
            if here < top:
                # light from the left, behind and above, as on the plan
                size = sqrt(1.0 + gx * gx + gy * gy)
                light = (0.55 * gx - 0.55 * gy + 0.63) / size / 0.63
                light = 0.70 + 0.30 * min(max(light, 0.0), 1.35)
                if is_through:
                    r, g, b = under[0] * 0.92, under[1] * 0.92, under[2] * 0.92
                    wr, wg, wb = r, g, b
                else:
                    pale = 0.0 if z > -0.01 else 0.22
                    r = (wood[j, i, 0] * (1 - pale) + 255.0 * pale) * light
                    g = (wood[j, i, 1] * (1 - pale) + 244.0 * pale) * light
                    b = (wood[j, i, 2] * (1 - pale) + 222.0 * pale) * light
                    # a wall shows by the side it faces
                    side = 0.74 + 0.16 * (-st * 0.7 + ct * 0.3)
                    wr, wg, wb = wood[j, i, 0] * side, wood[j, i, 1] * side, wood[j, i, 2] * side
                floor_colour = _packed(r, g, b)
                wall_colour = _packed(wr, wg, wb)
                for row in range(max(here, 0), min(top, rows)):
                    # between the foot of a wall and its head is wall; below its foot the ground that comes nearer
                    pixels[row, column] = (
                        wall_colour if z > before + 1e-3 and row < foot and row > here else floor_colour
                    )
                    depth[row, column] = t
                top = here
            before = z
            if top <= 0:
                break


@njit(cache=True, inline="always")
def _packed(r, g, b):
    r, g, b = min(max(r, 0.0), 255.0), min(max(g, 0.0), 255.0), min(max(b, 0.0), 255.0)
    return np.uint32(0xFF000000) | (np.uint32(r) << np.uint32(16)) | (np.uint32(g) << np.uint32(8)) | np.uint32(b)
