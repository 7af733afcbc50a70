"""Compiled loops of ``shade``: heights to pixels under one light from the upper left.

Three things make depth read at a glance, each worked out once per cell: how the surface faces the light, whether something
nearer to the light stands in its way (a horizon carried along the light's diagonal, so that the cost does not depend on how far a
shadow falls), and how much of the sky the ground around hides (the mean height around, in a near and a wide window).
"""

from __future__ import annotations

import numpy as np
from numba import njit

LIGHT = (-0.55, 0.55, 0.63)
"""Towards the light: from the left, from behind, from above."""
FALL = 1.25
"""How far a shadow's edge falls, mm for each mm along x (and y): the light's slope along its diagonal."""
_SOFT_MM = 0.7  # a shadow is full where the ground lies this far under its edge
_EDGE_CELLS = 4.0  # steeper than this from cell to cell is a wall: steeper than the flanks of a 30 degree bit
_NO_EDGE = np.float32(-1e9)
_ENDS, _GREEN = np.uint32(0x00FF00FF), np.uint32(0x0000FF00)
_STRIP = 128  # cells beside each other that are looked at together: most of a sheet is not cut
_NOTHING_MM = np.float32(1e-3)  # means are running sums, and come back to zero not quite


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def grain(out, x0, y0, cell, along_x, along_y, base, line, first, last):
    """Rows ``first`` to ``last`` of ``out`` (ny, nx) uint32 0x00RRGGBB: wood whose grain runs along (along_x, along_y), as bands and fine lines
    that wander, between the tones ``base`` and ``line`` (3,)."""
    one, half = np.float32(1.0), np.float32(0.5)
    for j in range(first, last):
        y = y0 + (j + 0.5) * cell
        row = out[j]
        for i in range(len(row)):
            x = x0 + (i + 0.5) * cell
            along, across = np.float32(x * along_x + y * along_y), np.float32(y * along_x - x * along_y)
            warp = (
                across
                + np.float32(2.4) * np.sin(along / np.float32(61))
                + np.float32(3.5) * np.sin(across / np.float32(47))
            )
            warp += np.float32(1.1) * np.sin(along / np.float32(23) + across / np.float32(31))
            bands = half + half * np.sin(warp * np.float32(0.62) + np.float32(1.3) * np.sin(warp * np.float32(0.17)))
            fine = half + half * np.sin(warp * np.float32(5.1) + np.float32(0.8) * np.sin(along / np.float32(9)))
            mix = min(max(np.float32(0.36) * bands * bands * bands + np.float32(0.14) * fine, np.float32(0.0)), one)
            r, g, b = (
                base[0] + (line[0] - base[0]) * mix,
                base[1] + (line[1] - base[1]) * mix,
                base[2] + (line[2] - base[2]) * mix,
            )
            row[i] = (
                (np.uint32(np.int32(r)) << np.uint32(16))
                | (np.uint32(np.int32(g)) << np.uint32(8))
                | np.uint32(np.int32(b))
            )


@njit(cache=True, nogil=True)
def horizon(field, edge, drop):
    """``edge`` (ny, nx) float32: how high the shadow's edge stands over each cell, for a light from the left and behind. ``drop`` is its
    fall from cell to cell along the diagonal, mm."""
    ny, nx = field.shape
    drop = np.float32(drop)
    edge[ny - 1, :] = _NO_EDGE
    for j in range(ny - 2, -1, -1):
        above, over, row = field[j + 1, : nx - 1], edge[j + 1, : nx - 1], edge[j, 1:]
        edge[j, 0] = _NO_EDGE
        for i in range(len(row)):
            row[i] = max(above[i], over[i]) - drop


@njit(cache=True, nogil=True, error_model="numpy")
def mean_around(field, low, out, radius):
    """``out`` (ny, nx) float32: the mean of the heights in a square of ``radius`` cells to each side, none counted lower than ``low`` nor
    above the sheet's top."""
    ny, nx = field.shape
    low, top = np.float32(low), np.float32(0.0)
    padded = np.zeros(nx + 2 * radius + 1, dtype=np.float32)  # sums of columns, with nothing beyond both ends
    sums = padded[radius + 1 : radius + 1 + nx]
    share = np.empty(nx, dtype=np.float32)
    for i in range(nx):
        share[i] = np.float32(1.0 / (min(i + radius, nx - 1) - max(i - radius, 0) + 1))
    for j in range(min(radius, ny)):
        row = field[j]
        for i in range(nx):
            sums[i] += min(max(row[i], low), top)
    for j in range(ny):
        if j + radius < ny:
            row = field[j + radius]
            for i in range(nx):
                sums[i] += min(max(row[i], low), top)
        if j - radius - 1 >= 0:
            row = field[j - radius - 1]
            for i in range(nx):
                sums[i] -= min(max(row[i], low), top)
        high = np.float32(1.0 / (min(j + radius, ny - 1) - max(j - radius, 0) + 1))
        ahead, behind, to = padded[2 * radius + 1 :], padded[:nx], out[j]
        for i in range(nx):
            to[i] = ahead[i] - behind[i]
        total = np.float32(0.0)
        for i in range(min(radius, nx)):
            total += sums[i]
        for i in range(nx):
            total += to[i]
            to[i] = total
        for i in range(nx):
            to[i] *= share[i] * high


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _is_plain(middle, south, north, edges, nears, wides, begin, end):
    """Whether nothing is cut, shaded or hidden in a strip: there the picture is the face itself."""
    least = most = np.float32(0.0)
    for i in range(begin, end):
        least = min(least, middle[i], middle[i + 1], middle[i + 2], south[i], north[i])
        most = max(most, edges[i])
        least = min(least, min(nears[i], wides[i]) + _NOTHING_MM)
    return least >= np.float32(0.0) and most <= np.float32(0.0)


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _shade_strip(row, south, north, edges, nears, wides, woods, to, low, scales, grain, under):
    """``to`` (n,) uint32 for cells beside each other: their heights and those of a neighbour at each end (n + 2,), those south and north of
    them, the horizon, the means around, the face; ``scales`` are those ``shade`` works out once."""
    # no more arrays than these: the compiler runs on several cells at once only where it can tell few apart
    top, bottom = np.float32(0.0), low + np.float32(1e-4)
    half, edge_drop, near_by, wide_by, deep_by = scales
    lx, ly, lz = np.float32(0.55 / 0.63), np.float32(-0.55 / 0.63), np.float32(1.0)
    zero, one, white = np.float32(0.0), np.float32(1.0), np.float32(255.0)
    soft = np.float32(1.0 / _SOFT_MM)
    along_x, along_y = grain
    ur, ug, ub = under
    for i in range(len(to)):
        h, west, east = row[i + 1], row[i], row[i + 2]
        own = min(max(h, low), top)
        # over the edge of a wall the ground is level up to it: what lies far below is not part of its slope
        least = max(own - edge_drop, low)
        gx = (min(max(east, least), top) - min(max(west, least), top)) * half
        gy = (min(max(north[i], least), top) - min(max(south[i], least), top)) * half
        if (east < least) | (west < least):
            gx = zero
        if (north[i] < least) | (south[i] < least):
            gy = zero
        size = one / np.sqrt(one + gx * gx + gy * gy)
        light = min(max((lx * gx + ly * gy + lz) * size, zero), np.float32(1.5))
        light = np.float32(0.62) + np.float32(0.38) * light
        shadow = min(max((edges[i] - own) * soft, zero), one)
        hidden = min(max((nears[i] - own) * near_by, zero), np.float32(0.8))
        hidden += min(max((wides[i] - own) * wide_by, zero), np.float32(0.9))
        light *= (one - np.float32(0.34) * shadow) * (one - np.float32(0.28) * hidden)
        tint = np.int32(woods[i])
        r, g, b = np.float32((tint >> 16) & 255), np.float32((tint >> 8) & 255), np.float32(tint & 255)
        # fresh wood is paler than the weathered face; across the grain it drinks the light
        is_cut = one if h < np.float32(-0.001) else zero
        end = abs(gx * along_x + gy * along_y) * size
        pale = is_cut * (np.float32(0.26) - np.float32(0.2) * end)
        r += (white - r) * pale
        g += (np.float32(246.0) - g) * pale
        b += (np.float32(226.0) - b) * pale
        tone = light * (one + own * deep_by - is_cut * np.float32(0.08) * end)
        is_through = h <= bottom
        r = min((ur * light if is_through else r * tone), white)
        g = min((ug * light if is_through else g * tone), white)
        b = min((ub * light if is_through else b * tone), white)
        to[i] = (
            np.uint32(0xFF000000)
            | (np.uint32(np.int32(r)) << np.uint32(16))
            | (np.uint32(np.int32(g)) << np.uint32(8))
            | np.uint32(np.int32(b))
        )


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def shade(field, edge, near, wide, reach, wood, under, thickness, cell, grain_x, grain_y, pixels, box, at):
    """Fill ``pixels`` (ny, nx) uint32 0xffRRGGBB, row 0 the last of the cells, for the cells ``box`` (x0, y0, x1, y1).

    ``wood`` (ny, nx) uint32 is the sheet's face, ``under`` (3,) what shows where it is cut through; the grain runs along (grain_x,
    grain_y). The rest lies around the box: ``field`` holds it with one cell more on every side; in ``edge``, the light's horizon, and
    ``near`` and ``wide``, the means around over windows of ``reach`` (2,) mm, its first cell stands at ``at`` (column, row)."""
    # rows are taken as slices and indexed from 0: only so does the loop run on several cells at once
    x0, y0, x1, y1 = box
    left, bottom_row = at
    nx, ny = x1 - x0, y1 - y0
    last = pixels.shape[0] - 1
    low = np.float32(-thickness)
    scales = np.array(
        (0.5 / cell, _EDGE_CELLS * cell, 0.8 / reach[0], 0.45 / reach[1], 0.10 / thickness), dtype=np.float32
    )
    grain_along = np.array((grain_x, grain_y), dtype=np.float32)
    beneath = np.array((under[0], under[1], under[2]), dtype=np.float32)
    for j in range(ny):
        middle = field[j + 1]
        south, north = field[j, 1 : nx + 1], field[j + 2, 1 : nx + 1]
        row = bottom_row + j
        edges, nears, wides = edge[row, left : left + nx], near[row, left : left + nx], wide[row, left : left + nx]
        woods, to = wood[y0 + j, x0:x1], pixels[last - y0 - j, x0:x1]
        begin = 0
        while begin < nx:
            end = min(((x0 + begin) // _STRIP + 1) * _STRIP - x0, nx)
            if _is_plain(middle, south, north, edges, nears, wides, begin, end):
                for i in range(begin, end):
                    to[i] = np.uint32(0xFF000000) | woods[i]
            else:
                _shade_strip(
                    middle[begin : end + 2], south[begin:end], north[begin:end],
                    edges[begin:end], nears[begin:end], wides[begin:end], woods[begin:end], to[begin:end], low, scales, grain_along, beneath,
                )  # fmt: skip
            begin = end


@njit(cache=True, nogil=True)
def halved(fine, out, x0, y0, x1, y1):
    """Each pixel of ``out`` (h, w) in columns x0 to x1 and rows y0 to y1 the mean of four of ``fine`` (2h, 2w)."""
    for row in range(y0, y1):
        a, b, to = fine[2 * row], fine[2 * row + 1], out[row]
        for column in range(x0, x1):
            p, q, r, s = a[2 * column], a[2 * column + 1], b[2 * column], b[2 * column + 1]
            # red and blue at once: their sums of four do not meet
            ends = (p & _ENDS) + (q & _ENDS) + (r & _ENDS) + (s & _ENDS) + np.uint32(0x00020002)
            green = (p & _GREEN) + (q & _GREEN) + (r & _GREEN) + (s & _GREEN) + np.uint32(0x00000200)
            to[column] = np.uint32(0xFF000000) | ((ends >> np.uint32(2)) & _ENDS) | ((green >> np.uint32(2)) & _GREEN)
