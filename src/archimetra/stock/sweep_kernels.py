"""Compiled loops of the stock: how low a bit leaves each place it passes over.

A move runs straight from (x0, y0, z0) to (x1, y1, z1) at the bit's tip. With s the distance along the
move, m the distance across, L its length, k = dz / L its slope and u the tip's place, clamped to [0, L]:

    flat   horizontal: z0.     sloped: u = s + sgn(-k) sqrt(R^2 - m^2),  z = z0 + k u
    V      q = k t: u = s - m q / sqrt(1 - q^2),  z = z0 + k u + max(d - rt, 0) / t   (|q| >= 1: lower end)
    ball   u = s - k / sqrt(1 + k^2) sqrt(R^2 - m^2),  z = z0 + k u + R - sqrt(R^2 - m^2 - (s - u)^2)

    taper  a ball of radius rt that goes over into a cone where its slope is the cone's; height is convex in u, so the
           least of its values at the two stationary places, the joints and the ends is the least of all

R is the bit's radius, rt the radius of a V bit's flat (of a tapered ball's tip), t the tangent of its half angle. The forms are
exact; the tests compare them with brute sampling.

An *undercut* bit is R wide below a neck of radius rt. Seen from above it opens the wood as wide as its neck; under its head's
top it hollows it out unseen, unless nothing stands above. Its ``tangent`` holds the height of the head: positive for a
head with a flat top, negative for flanks that run from R at the bottom to the neck at that height.
"""

from __future__ import annotations

from math import atan, ceil, cos, floor, sin, sqrt

import numpy as np
from numba import njit

FLAT, BALL, VEE, TAPER, UNDERCUT = 0, 1, 2, 3, 4
TILE = 64
_FAR = np.float32(1e9)


@njit(cache=True)
def cut_z(px, py, x0, y0, z0, x1, y1, z1, shape, radius, tangent, tip):
    """How low the move leaves the point (px, py); 1e9 where it does not reach it."""
    dx, dy = x1 - x0, y1 - y0
    length = sqrt(dx * dx + dy * dy)
    qx, qy = px - x0, py - y0
    if length < 1e-9:
        d = sqrt(qx * qx + qy * qy)
        if d > radius:
            return 1e9
        low = min(z0, z1)
        if shape in (FLAT, UNDERCUT):
            return low
        if shape == BALL:
            return low + radius - sqrt(radius * radius - d * d)
        if shape == TAPER:
            return low + taper_rise(d, tangent, tip)
        return low + max(d - tip, 0.0) / tangent
    s = (qx * dx + qy * dy) / length
    m = abs(qx * dy - qy * dx) / length
    if m > radius:
        return 1e9
    nearest = min(max(s, 0.0), length)
    if (s - nearest) ** 2 + m * m > radius * radius:
        return 1e9
    k = (z1 - z0) / length
    reach = sqrt(max(radius * radius - m * m, 0.0))
    if shape == UNDERCUT:
        return min(z0, z1)
    if shape == TAPER:
        return _taper_z(s, m, k, z0, length, reach, tangent, tip)
    if shape == FLAT:
        u = s + reach if k < 0 else s - reach
        return z0 + k * min(max(u, 0.0), length)
    if shape == BALL:
        u = min(max(s - k / sqrt(1 + k * k) * reach, 0.0), length)
        return z0 + k * u + radius - sqrt(max(radius * radius - m * m - (s - u) ** 2, 0.0))
    q = k * tangent
    if abs(q) >= 1.0:
        u = length if k < 0 else 0.0
    else:
        u = s - m * q / sqrt(1 - q * q)
    # the depth is convex in u, so the best place the bit can reach is the best one brought within its reach
    u = min(max(u, max(s - reach, 0.0)), min(s + reach, length))
    d = sqrt((s - u) ** 2 + m * m)
    best = z0 + k * u + max(d - tip, 0.0) / tangent
    if tip > 0 and m <= tip:
        half = sqrt(tip * tip - m * m)
        if s >= -half and s <= length + half:
            u = s + half if k < 0 else s - half
            best = min(best, z0 + k * min(max(u, 0.0), length))
    return best


@njit(cache=True)
def taper_rise(d, tangent, tip):
    """Height over its tip of a tapered ball's edge at a distance from its axis."""
    a = atan(tangent)
    joint = tip * cos(a)
    if d <= joint:
        return tip - sqrt(max(tip * tip - d * d, 0.0))
    return tip * (1.0 - sin(a)) + (d - joint) / tangent


@njit(cache=True)
def _taper_z(s, m, k, z0, length, reach, tangent, tip):
    low, high = max(s - reach, 0.0), min(s + reach, length)
    best = min(_taper_at(low, s, m, k, z0, tangent, tip), _taper_at(high, s, m, k, z0, tangent, tip))
    if m < tip:
        u = s - k / sqrt(1 + k * k) * sqrt(tip * tip - m * m)
        best = min(best, _taper_at(min(max(u, low), high), s, m, k, z0, tangent, tip))
    joint = tip * cos(atan(tangent))
    if m < joint:
        w = sqrt(joint * joint - m * m)
        for u in (s - w, s + w):
            best = min(best, _taper_at(min(max(u, low), high), s, m, k, z0, tangent, tip))
    q = k * tangent
    if abs(q) < 1.0:
        u = s - m * q / sqrt(1 - q * q)
        best = min(best, _taper_at(min(max(u, low), high), s, m, k, z0, tangent, tip))
    return best


@njit(cache=True)
def _taper_at(u, s, m, k, z0, tangent, tip):
    return z0 + k * u + taper_rise(sqrt((s - u) ** 2 + m * m), tangent, tip)


@njit(cache=True)
def reach(shape, radius, tangent, tip, depth):
    """How far from its axis a bit whose tip is this deep below the sheet's top cuts at most: beyond it lies above the wood."""
    if depth <= 0.0:
        return 0.0
    if shape == VEE:
        return min(radius, tip + depth * tangent)
    if shape == BALL:
        return radius if depth >= radius else sqrt(2 * radius * depth - depth * depth)
    if shape == TAPER:
        a = atan(tangent)
        joint, height = tip * cos(a), tip * (1.0 - sin(a))
        if depth <= height:
            return sqrt(max(2 * tip * depth - depth * depth, 0.0))
        return min(radius, joint + (depth - height) * tangent)
    return radius


@njit(cache=True)
def head_top(d, radius, tangent, tip):
    """How high over its bottom the head of an undercut bit reaches at a distance from its axis (beyond the neck)."""
    if tangent > 0:
        return tangent
    return -tangent * (radius - d) / (radius - tip)


@njit(cache=True)
def _distance(px, py, x0, y0, dx, dy, length):
    if length < 1e-9:
        return sqrt((px - x0) ** 2 + (py - y0) ** 2)
    t = min(max(((px - x0) * dx + (py - y0) * dy) / (length * length), 0.0), 1.0)
    return sqrt((px - x0 - t * dx) ** 2 + (py - y0 - t * dy) ** 2)


@njit(cache=True, nogil=True)
def sweep(field, origin_x, origin_y, cell, points, first, last, bit_of, shapes, radii, tangents, tips, tiles):
    """Lower ``field`` (ny, nx) float32, its corner at the origin, by the moves that end at points first ... last - 1 (rapids included: they cut
    what they hit). ``bit_of`` names each move's bit; ``tiles`` marks the 64 x 64 tiles that were touched."""
    for n in range(max(first, 1), last):
        _sweep_move(field, origin_x, origin_y, cell, points, n, bit_of, shapes, radii, tangents, tips, tiles)


@njit(cache=True, nogil=True)
def sweep_some(field, origin_x, origin_y, cell, points, some, bit_of, shapes, radii, tangents, tips, tiles):
    """The same by the moves that end at ``some`` of the points (m,)."""
    for n in some:
        _sweep_move(field, origin_x, origin_y, cell, points, n, bit_of, shapes, radii, tangents, tips, tiles)


@njit(cache=True, nogil=True)
def _sweep_move(field, origin_x, origin_y, cell, points, n, bit_of, shapes, radii, tangents, tips, tiles):
    ny, nx = field.shape
    x0, y0, z0 = points[n - 1, 0] - origin_x, points[n - 1, 1] - origin_y, points[n - 1, 2]
    x1, y1, z1 = points[n, 0] - origin_x, points[n, 1] - origin_y, points[n, 2]
    if z0 >= 0.0 and z1 >= 0.0:
        return
    b = bit_of[n]
    shape, radius, tangent, tip = shapes[b], radii[b], tangents[b], tips[b]
    wide = reach(shape, radius, tangent, tip, -min(z0, z1))
    low, high = min(y0, y1) - wide, max(y0, y1) + wide
    if max(x0, x1) + wide < 0.0 or min(x0, x1) - wide > nx * cell:  # beside what the field covers
        return
    j0, j1 = max(int(ceil(low / cell - 0.5)), 0), min(int(floor(high / cell - 0.5)), ny - 1)
    dx, dy = x1 - x0, y1 - y0
    length = sqrt(dx * dx + dy * dy)
    level = shape == FLAT and abs(z1 - z0) < 1e-9
    z = np.float32(z0)
    for j in range(j0, j1 + 1):
        y = (j + 0.5) * cell
        left, right = _row_span(y, x0, y0, x1, y1, dx, dy, length, wide)
        if left > right:
            continue
        i0, i1 = max(int(ceil(left / cell - 0.5)), 0), min(int(floor(right / cell - 0.5)), nx - 1)
        if i0 > i1:
            continue
        for t in range(i0 // TILE, i1 // TILE + 1):
            tiles[j // TILE, t] = True
        row = field[j, i0 : i1 + 1]
        if shape == UNDERCUT:
            bottom = min(z0, z1)
            for i in range(len(row)):
                d = _distance((i0 + i + 0.5) * cell, y, x0, y0, dx, dy, length)
                if d > radius:
                    continue
                # beside the neck the wood above the head stays, where there is any
                if length < 1e-9 or d <= tip or row[i] <= bottom + head_top(d, radius, tangent, tip):
                    row[i] = min(row[i], np.float32(bottom))
        elif level:
            for i in range(len(row)):
                row[i] = min(row[i], z)
        elif shape in (VEE, FLAT, BALL):
            qx, qy = (i0 + 0.5) * cell - x0, y - y0
            if length < 1e-9:
                low_row(row, qx, qy, cell, 0.0, 0.0, 0.0, 0.0, min(z0, z1), shape, radius, tangent, tip)
            else:
                low_row(
                    row,
                    qx,
                    qy,
                    cell,
                    dx / length,
                    dy / length,
                    length,
                    (z1 - z0) / length,
                    z0,
                    shape,
                    radius,
                    tangent,
                    tip,
                )
        else:
            for i in range(len(row)):
                v = np.float32(cut_z((i0 + i + 0.5) * cell, y, x0, y0, z0, x1, y1, z1, shape, radius, tangent, tip))
                row[i] = min(row[i], v)


@njit(cache=True, nogil=True, error_model="numpy", fastmath={"nnan", "ninf", "nsz", "contract"})
def low_row(row, qx, qy, cell, ux, uy, length, k, z0, shape, radius, tangent, tip):
    """Lower a row of cells, the first (qx, qy) from where the move begins and all within the bit's reach of it. ``cut_z`` in loops without a
    branch, so that several cells are worked out at once; of a plunge, ``length`` 0, the direction is 0 as well."""
    if shape == VEE:
        q = k * tangent
        if k == 0.0:
            for i in range(len(row)):
                x = qx + i * cell
                u = min(max(x * ux + qy * uy, 0.0), length)
                ax, ay = x - u * ux, qy - u * uy
                row[i] = min(row[i], np.float32(z0 + max(sqrt(ax * ax + ay * ay) - tip, 0.0) / tangent))
            return
        # steeper than the cone nothing but the lower end counts: it lies infinitely far along
        lean = q / sqrt(1.0 - q * q) if abs(q) < 1.0 else (1e9 if k > 0.0 else -1e9)
        for i in range(len(row)):
            x = qx + i * cell
            s, m = x * ux + qy * uy, abs(x * uy - qy * ux)
            wide = sqrt(max(radius * radius - m * m, 0.0))
            u = s - m * lean if abs(q) < 1.0 else -lean
            u = min(max(u, max(s - wide, 0.0)), min(s + wide, length))
            row[i] = min(row[i], np.float32(z0 + k * u + max(sqrt((s - u) * (s - u) + m * m) - tip, 0.0) / tangent))
        if tip > 0.0:
            ahead = 1.0 if k < 0.0 else -1.0
            for i in range(len(row)):
                x = qx + i * cell
                s, m = x * ux + qy * uy, abs(x * uy - qy * ux)
                half = sqrt(max(tip * tip - m * m, 0.0))
                v = z0 + k * min(max(s + ahead * half, 0.0), length)
                is_under = (m <= tip) & (s >= -half) & (s <= length + half)
                row[i] = min(row[i], np.float32(v if is_under else 1e9))
    elif shape == FLAT:
        ahead = 1.0 if k < 0.0 else -1.0
        for i in range(len(row)):
            x = qx + i * cell
            m = x * uy - qy * ux
            u = x * ux + qy * uy + ahead * sqrt(max(radius * radius - m * m, 0.0))
            row[i] = min(row[i], np.float32(z0 + k * min(max(u, 0.0), length)))
    else:
        lean = k / sqrt(1.0 + k * k)
        for i in range(len(row)):
            x = qx + i * cell
            if length > 0.0:
                s, m = x * ux + qy * uy, x * uy - qy * ux
            else:
                s, m = x, qy
            across = max(radius * radius - m * m, 0.0)
            u = min(max(s - lean * sqrt(across), 0.0), length)
            row[i] = min(row[i], np.float32(z0 + k * u + radius - sqrt(max(across - (s - u) * (s - u), 0.0))))


@njit(cache=True, nogil=True)
def lay_tiles(field, tiles, heights, where):
    """Lower ``field`` (ny, nx) float32 to ``heights`` (n, TILE, TILE) in its ``tiles`` (n, 2), row and column, that are marked in ``where``."""
    ny, nx = field.shape
    for n in range(len(tiles)):
        if not where[tiles[n, 0], tiles[n, 1]]:
            continue
        j0, i0 = tiles[n, 0] * TILE, tiles[n, 1] * TILE
        wide = min(TILE, nx - i0)
        for j in range(min(TILE, ny - j0)):
            row, low = field[j0 + j, i0 : i0 + wide], heights[n, j]
            for i in range(wide):
                row[i] = min(row[i], low[i])


@njit(cache=True, nogil=True)
def take_tiles(field, tiles, heights, clears):
    """Copy the ``tiles`` (n, 2) of ``field`` (ny, nx) to ``heights`` (n, TILE, TILE); with ``clears`` they are 0 then."""
    ny, nx = field.shape
    for n in range(len(tiles)):
        j0, i0 = tiles[n, 0] * TILE, tiles[n, 1] * TILE
        wide = min(TILE, nx - i0)
        for j in range(min(TILE, ny - j0)):
            heights[n, j, :wide] = field[j0 + j, i0 : i0 + wide]
            if clears:
                field[j0 + j, i0 : i0 + wide] = 0.0


@njit(cache=True, nogil=True)
def clear_tiles(field, tiles, base, has_base):
    """Set the ``tiles`` (n, 2) of ``field`` (ny, nx) back to those of ``base``, or to 0."""
    ny, nx = field.shape
    for n in range(len(tiles)):
        j0, i0 = tiles[n, 0] * TILE, tiles[n, 1] * TILE
        wide = min(TILE, nx - i0)
        for j in range(min(TILE, ny - j0)):
            if has_base:
                field[j0 + j, i0 : i0 + wide] = base[j0 + j, i0 : i0 + wide]
            else:
                field[j0 + j, i0 : i0 + wide] = 0.0


@njit(cache=True, nogil=True)
def unlike_tiles(a, b, tiles):
    """Mark the tiles in which two fields (ny, nx) float32 differ."""
    ny, nx = a.shape
    for j in range(ny):
        for t in range(tiles.shape[1]):
            if tiles[j // TILE, t]:
                continue
            one, other = a[j, t * TILE : min((t + 1) * TILE, nx)], b[j, t * TILE : min((t + 1) * TILE, nx)]
            differ = 0
            for i in range(len(one)):
                differ += one[i] != other[i]
            if differ:
                tiles[j // TILE, t] = True


@njit(cache=True, nogil=True)
def sweep_hollow(hollow, origin_x, origin_y, cell, points, last, bit_of, shapes, radii, tangents, tips):
    """What undercut bits hollow out beside their neck by the moves that end at points 1 ... last - 1: ``hollow`` (2, ny, nx) float32 takes
    the lowest bottom and the highest top at each cell (top below bottom: nothing)."""
    ny, nx = hollow.shape[1], hollow.shape[2]
    for n in range(1, last):
        b = bit_of[n]
        if shapes[b] != UNDERCUT:
            continue
        x0, y0, z0 = points[n - 1, 0] - origin_x, points[n - 1, 1] - origin_y, points[n - 1, 2]
        x1, y1, z1 = points[n, 0] - origin_x, points[n, 1] - origin_y, points[n, 2]
        bottom = min(z0, z1)
        if bottom >= 0.0:
            continue
        radius, tangent, tip = radii[b], tangents[b], tips[b]
        dx, dy = x1 - x0, y1 - y0
        length = sqrt(dx * dx + dy * dy)
        if length < 1e-9:  # down into what is open
            continue
        j0 = max(int(ceil((min(y0, y1) - radius) / cell - 0.5)), 0)
        j1 = min(int(floor((max(y0, y1) + radius) / cell - 0.5)), ny - 1)
        for j in range(j0, j1 + 1):
            y = (j + 0.5) * cell
            left, right = _row_span(y, x0, y0, x1, y1, dx, dy, length, radius)
            if left > right:
                continue
            for i in range(max(int(ceil(left / cell - 0.5)), 0), min(int(floor(right / cell - 0.5)), nx - 1) + 1):
                d = _distance((i + 0.5) * cell, y, x0, y0, dx, dy, length)
                if tip < d <= radius:
                    hollow[0, j, i] = min(hollow[0, j, i], np.float32(bottom))
                    hollow[1, j, i] = max(hollow[1, j, i], np.float32(bottom + head_top(d, radius, tangent, tip)))


@njit(cache=True)
def _row_span(y, x0, y0, x1, y1, dx, dy, length, radius):
    """The x span in which a row at y lies within the radius of the move: two discs and the slab between them."""
    left, right = 1e18, -1e18
    h = radius * radius - (y - y0) ** 2
    if h >= 0:
        w = sqrt(h)
        left, right = x0 - w, x0 + w
    h = radius * radius - (y - y1) ** 2
    if h >= 0:
        w = sqrt(h)
        left, right = min(left, x1 - w), max(right, x1 + w)
    if length > 0 and dy != 0.0:
        # the slab's side edges: lines parallel to the move at +-radius, cut at this row within the move's length
        nx, ny = -dy / length * radius, dx / length * radius
        for sign in (-1.0, 1.0):
            t = (y - (y0 + sign * ny)) / dy
            if 0.0 <= t <= 1.0:
                x = x0 + sign * nx + t * dx
                left, right = min(left, x), max(right, x)
    elif length > 0 and abs(y - y0) <= radius:
        left, right = min(left, min(x0, x1)), max(right, max(x0, x1))
    return left, right


@njit(cache=True, nogil=True)
def sweep_line(heights, hollow, ax, ay, bx, by, points, last, fraction, bit_of, shapes, radii, tangents, tips):
    """Lower ``heights`` (n,), evenly spaced samples of the line a-b, by the moves that end at points 1 ... last - 1 and the
    first ``fraction`` of the move that ends at ``last``. ``hollow`` (2, n) takes the bottom and the top of what undercut bits
    hollow out under wood that stays (top below bottom: nothing)."""
    n = len(heights)
    lx, ly = bx - ax, by - ay
    line = sqrt(lx * lx + ly * ly)
    ux, uy = lx / line, ly / line
    step = line / (n - 1)
    stop = min(last + 1, len(points)) if fraction > 0 else last
    for k in range(1, stop):
        x0, y0, z0 = points[k - 1, 0], points[k - 1, 1], points[k - 1, 2]
        x1, y1, z1 = points[k, 0], points[k, 1], points[k, 2]
        if k == last:
            x1, y1, z1 = x0 + fraction * (x1 - x0), y0 + fraction * (y1 - y0), z0 + fraction * (z1 - z0)
        if z0 >= 0.0 and z1 >= 0.0:
            continue
        b = bit_of[k]
        radius = radii[b]
        wide = reach(shapes[b], radius, tangents[b], tips[b], -min(z0, z1))
        m0 = (y0 - ay) * ux - (x0 - ax) * uy
        m1 = (y1 - ay) * ux - (x1 - ax) * uy
        if (m0 > wide and m1 > wide) or (m0 < -wide and m1 < -wide):
            continue
        s0 = (x0 - ax) * ux + (y0 - ay) * uy
        s1 = (x1 - ax) * ux + (y1 - ay) * uy
        i0 = max(int(ceil((min(s0, s1) - wide) / step)), 0)
        i1 = min(int(floor((max(s0, s1) + wide) / step)), n - 1)
        if shapes[b] == UNDERCUT:
            dx, dy = x1 - x0, y1 - y0
            length = sqrt(dx * dx + dy * dy)
            bottom = min(z0, z1)
            for i in range(i0, i1 + 1):
                d = _distance(ax + ux * step * i, ay + uy * step * i, x0, y0, dx, dy, length)
                if d > radius:
                    continue
                top = bottom + head_top(d, radius, tangents[b], tips[b])
                if length < 1e-9 or d <= tips[b] or heights[i] <= top:
                    heights[i] = min(heights[i], bottom)
                else:
                    hollow[0, i] = min(hollow[0, i], bottom)
                    hollow[1, i] = max(hollow[1, i], top)
            continue
        for i in range(i0, i1 + 1):
            z = cut_z(
                ax + ux * step * i, ay + uy * step * i, x0, y0, z0, x1, y1, z1, shapes[b], radius, tangents[b], tips[b]
            )
            if z < heights[i]:
                heights[i] = z
