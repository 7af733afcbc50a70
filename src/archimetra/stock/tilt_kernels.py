"""Compiled loops of the tilted view: a floating horizon for each column of the screen, then solids by their depth.

Seen parallel, all rays of a column lie over one straight line of the field. Walked from near to far, each height is put on a screen row; what rises
above the highest row so far is seen, the rest is hidden. Hidden surfaces are exact and walls come for free. Level ground has the colour it has on
the plan, with the same light and shadow; walls are lit by the side they face.

Everything else (bed, clamps, pins, the bit) is put in by its depth: along one pixel's ray what lies nearer on the board is nearer to the eye.
"""

from __future__ import annotations

from math import ceil, floor, sqrt

import numpy as np
from numba import njit

_STEP = 0.75  # cells from sample to sample
_SMOOTH = 1.2  # neighbours that differ by fewer cells are one slope, not a wall
_STEEPEST, _EVEN = 6.0, 0.35  # steeper ones too where they rise evenly: the flanks of V bits, not steps
_LX, _LY = -0.55 / 0.63, 0.55 / 0.63  # towards the light, as on the plan


@njit(cache=True, nogil=True)
def tilt(field, painted, hollow, wood, sheet, grain, cell, view, depth, pixels, first, last):
    """Fill columns ``first`` to ``last`` of ``pixels`` (h, w) uint32 0xffRRGGBB, and of ``depth`` (h, w) how far beyond the middle what is seen lies, mm
    (inf where nothing of the sheet is).

    ``painted`` (ny, nx) uint32 is the plan's picture, its first row the field's last; ``wood`` (3,) the colour of fresh walls, ``grain`` (2,) the
    way it runs. ``sheet``: width, height, thickness. ``hollow`` (2, ny, nx) the bottom and top of what is hollowed out under wood, or
    (2, 0, 0). ``view``: middle on the board x, y; cosine and sine of the turn; sine and cosine of the elevation; pixels per mm."""
    rows, columns = pixels.shape
    ny, nx = field.shape
    width, height, thickness = sheet[0], sheet[1], sheet[2]
    mx, my, ct, st, se, ce, ppm = view[0], view[1], view[2], view[3], view[4], view[5], view[6]
    has_hollow = hollow.shape[1] > 0
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
        step = max(_STEP * cell, 0.35 / ppm)
        # what is below the picture needs no walking to
        if se > 1e-9:
            t0 = max(t0, t0 + step * floor(((-rows / 2 / ppm) / se - thickness / se - t0) / step))
        # rows from here down are done: below the foot of the sheet nothing of it is
        top = min(rows, int(floor(rows / 2 - (t0 * se - thickness * ce) * ppm)) + 1)
        count = max(1, int(ceil((t1 - t0) / step)))
        before = -thickness
        has_skipped = False
        for n in range(count + 1):
            t = min(t0 + n * step, t1)
            if rows / 2 - t * se * ppm >= top:  # even the sheet's top would be hidden there
                has_skipped = True
                continue
            if has_skipped:
                x, y = ax - (t - step) * st, ay + (t - step) * ct
                before = field[min(max(int(y / cell), 0), ny - 1), min(max(int(x / cell), 0), nx - 1)]
                before = min(max(before, -thickness), 0.0)
                has_skipped = False
            x, y = ax - t * st, ay + t * ct
            i = min(max(int(x / cell), 0), nx - 1)
            j = min(max(int(y / cell), 0), ny - 1)
            z = field[j, i]
            is_through = z <= -thickness + 1e-4
            z = min(max(z, -thickness), 0.0)
            base = rows / 2 - t * se * ppm
            here = int(floor(base - z * ce * ppm))
            if here < top:
                slope = -1.0  # from cell to cell, where the ground rises evenly
                if not is_through:
                    west, east = field[j, max(i - 1, 0)], field[j, min(i + 1, nx - 1)]
                    south, north = field[max(j - 1, 0), i], field[min(j + 1, ny - 1), i]
                    steep = max(max(abs(east - z), abs(z - west)), max(abs(north - z), abs(z - south)))
                    bend = max(abs(east - 2 * z + west), abs(north - 2 * z + south))
                    if steep < _SMOOTH * cell or (steep < _STEEPEST * cell and bend < _EVEN * steep):
                        slope = steep
                        z += ((x / cell - i - 0.5) * (east - west) + (y / cell - j - 0.5) * (north - south)) / 2
                        z = min(max(z, -thickness), 0.0)
                        here = int(floor(base - z * ce * ppm))
                foot = int(floor(base - before * ce * ppm)) if z > before else here
                colour = painted[ny - 1 - j, i]
                is_wall = z > before + 1e-3 and foot - 1 > here and z - before > 1.6 * slope + 1e-3
                side = 0.0
                if is_wall:
                    side = _side_light(field, i, j, x, y, cell, st, ct, grain)
                for row in range(max(here, 0), min(top, rows)):
                    # between the foot of a wall and its head is wall; below its foot the ground that comes nearer
                    if is_wall and here < row < foot:
                        at = (base - row - 0.5) / (ce * ppm)  # its height there
                        light = side * (0.72 + 0.28 * min((at - before) / 3.0, 1.0))
                        if has_hollow and hollow[0, j, i] < at < hollow[1, j, i]:
                            light *= 0.32
                        pixels[row, column] = _packed(wood[0] * light, wood[1] * light, wood[2] * light)
                    else:
                        pixels[row, column] = colour
                    depth[row, column] = t
                top = min(top, here)
            before = z
            if top <= 0:
                break


@njit(cache=True)
def _side_light(field, i, j, x, y, cell, st, ct, grain):
    """How bright a wall stands at a place: by the way it faces, read off the ground some cells around, and by its grain."""
    ny, nx = field.shape
    reach = 4
    gx, gy = 0.0, 0.0
    for k in range(-reach, reach + 1, 2):
        a, b = min(max(j + k, 0), ny - 1), min(max(i + k, 0), nx - 1)
        gx += field[a, min(i + reach, nx - 1)] - field[a, max(i - reach, 0)]
        gy += field[min(j + reach, ny - 1), b] - field[max(j - reach, 0), b]
    if i < reach and st < 0.0 and x < cell * 1.5:
        gx, gy = 1.0, 0.0  # the sheet's own sides
    elif i >= nx - reach and st > 0.0 and x > (nx - 1.5) * cell:
        gx, gy = -1.0, 0.0
    elif j < reach and y < cell * 1.5:
        gx, gy = 0.0, 1.0
    elif j >= ny - reach and ct < 0.0 and y > (ny - 1.5) * cell:
        gx, gy = 0.0, -1.0
    size = sqrt(gx * gx + gy * gy)
    if size < 1e-6:
        gx, gy, size = -st, ct, 1.0
    gx, gy = gx / size, gy / size  # uphill: the wall faces the other way
    facing = -(gx * _LX + gy * _LY) / 1.235
    end = abs(gx * grain[0] + gy * grain[1])
    return (0.80 + 0.22 * facing) * (1.0 - 0.12 * end)


@njit(cache=True, inline="always")
def _packed(r, g, b):
    r, g, b = min(max(r, 0.0), 255.0), min(max(g, 0.0), 255.0), min(max(b, 0.0), 255.0)
    return np.uint32(0xFF000000) | (np.uint32(r) << np.uint32(16)) | (np.uint32(g) << np.uint32(8)) | np.uint32(b)


@njit(cache=True, nogil=True)
def fill_triangles(triangles, colours, opacities, depth, pixels):
    """Put triangles (n, 3, 3), corners as screen x, y and how far away, into a picture where nothing nearer stands. ``colours`` (n, 3) 0 to 255; an
    opacity below 1 lets through what is behind and leaves its depth."""
    rows, columns = pixels.shape
    for n in range(len(triangles)):
        (ax, ay, az), (bx, by, bz), (cx, cy, cz) = triangles[n, 0], triangles[n, 1], triangles[n, 2]
        area = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay)
        if abs(area) < 1e-9:
            continue
        x0, x1 = max(int(floor(min(ax, min(bx, cx)))), 0), min(int(ceil(max(ax, max(bx, cx)))), columns)
        y0, y1 = max(int(floor(min(ay, min(by, cy)))), 0), min(int(ceil(max(ay, max(by, cy)))), rows)
        opacity = opacities[n]
        for row in range(y0, y1):
            for column in range(x0, x1):
                px, py = column + 0.5, row + 0.5
                u = ((bx - px) * (cy - py) - (cx - px) * (by - py)) / area
                v = ((cx - px) * (ay - py) - (ax - px) * (cy - py)) / area
                w = 1.0 - u - v
                if u < -1e-9 or v < -1e-9 or w < -1e-9:
                    continue
                away = u * az + v * bz + w * cz
                if away < depth[row, column]:
                    if opacity >= 1.0:
                        depth[row, column] = away
                        pixels[row, column] = _packed(colours[n, 0], colours[n, 1], colours[n, 2])
                    else:
                        old, rest = pixels[row, column], 1.0 - opacity
                        pixels[row, column] = _packed(
                            colours[n, 0] * opacity + ((old >> np.uint32(16)) & np.uint32(255)) * rest,
                            colours[n, 1] * opacity + ((old >> np.uint32(8)) & np.uint32(255)) * rest,
                            colours[n, 2] * opacity + (old & np.uint32(255)) * rest,
                        )


@njit(cache=True, nogil=True)
def fill_turned(outline, colours, stripes, at, view, depth, pixels):
    """Put a body turned about an upright axis at ``at`` (3,) into a picture: ``outline`` (m, 2) radius and height over ``at`` from below to above,
    ``colours`` (m, 3) from each to the next, ``stripes`` (m,) how many flutes wind about it there. ``view`` as for ``tilt``."""
    rows, columns = pixels.shape
    ct, st, se, ce, ppm = view[2], view[3], view[4], view[5], view[6]
    dx, dy = at[0] - view[0], at[1] - view[1]
    across, away = dx * ct + dy * st, -dx * st + dy * ct
    for k in range(len(outline) - 1):
        r0, z0, r1, z1 = outline[k, 0], outline[k, 1], outline[k + 1, 0], outline[k + 1, 1]
        widest = max(r0, r1)
        c0 = max(int(floor(columns / 2 + (across - widest) * ppm)), 0)
        c1 = min(int(ceil(columns / 2 + (across + widest) * ppm)) + 1, columns)
        # a level ring is a disc, filled from its near edge to its far one; a steep one is walked up along its near side
        steps = max(2, int(ceil((abs(z1 - z0) * ce + abs(r1 - r0) * se + 0.5) * ppm * 1.5)))
        for column in range(c0, c1):
            u = (column + 0.5 - columns / 2) / ppm - across
            for n in range(steps + 1):
                f = n / steps
                r, z = r0 + (r1 - r0) * f, z0 + (z1 - z0) * f
                if abs(u) > r:
                    continue
                back = sqrt(r * r - u * u)
                for side in range(2):
                    if side == 1 and z1 - z0 > 1e-9:
                        break  # the far side of a wall is hidden by the near one
                    v = -back if side == 0 else back
                    t = away + v
                    row = int(floor(rows / 2 - (t * se + (at[2] + z) * ce) * ppm))
                    if not 0 <= row < rows or t >= depth[row, column] + 1e-6:
                        continue
                    # the light from the left, behind and above, on a wall that faces (u, v)
                    wx, wy = (u * ct - v * st) / max(r, 1e-9), (u * st + v * ct) / max(r, 1e-9)
                    light = 0.74 + 0.30 * (wx * _LX + wy * _LY) / 1.235 if z1 > z0 else 1.0
                    if stripes[k] > 0 and z1 > z0:
                        wind = np.arctan2(v, u) / (2 * np.pi) * stripes[k] + z / (4.0 * max(widest, 0.5))
                        if wind - floor(wind) < 0.36:
                            light *= 0.62
                    depth[row, column] = t
                    pixels[row, column] = _packed(colours[k, 0] * light, colours[k, 1] * light, colours[k, 2] * light)
