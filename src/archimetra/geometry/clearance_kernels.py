"""Compiled loops of ``clearance``: which half-edges of a segment Voronoi diagram lie inside, and its level curves.

A *half-edge* runs along the border of one cell, its twin along the other side. A *chain* is the part of a cell's border that
lies inside the region, from the site out and back to it. A *piece* is half of a half-edge, split at its apex (the point
nearest to the sites) where there is one, so that the clearance rises or falls along it. Units: grid.
"""

from __future__ import annotations

from math import hypot, sqrt

import numpy as np
from numba import njit

ON_OUTLINE = 0.5  # grid units: a vertex nearer to the outline than this lies on it
LINE, PARABOLA, BISECTOR = 0, 1, 2  # clearance linear, (s^2 + h^2) / 2h, sqrt(s^2 + h^2)


@njit(cache=True)
def vertex_radii(n, start, cell, is_segment, ax, ay, bx, by, vx, vy):
    """Clearance (n,) of each vertex, measured to the site of any cell around it."""
    radius = np.full(n, -1.0)
    for e in range(len(start)):
        v = start[e]
        if v < 0 or radius[v] >= 0.0:
            continue
        c = cell[e]
        radius[v] = _site_distance(c, is_segment, ax, ay, bx, by, vx[v], vy[v])
    return radius


@njit(cache=True)
def _site_distance(c, is_segment, ax, ay, bx, by, x, y):
    dx, dy = x - ax[c], y - ay[c]
    if not is_segment[c]:
        return hypot(dx, dy)
    ux, uy = bx[c] - ax[c], by[c] - ay[c]
    return abs(ux * dy - uy * dx) / hypot(ux, uy)


@njit(cache=True)
def inside_edges(start, end, cell, is_segment, ax, ay, bx, by, vx, vy, radius):
    """Which half-edges lie inside: (e,) bool. A vertex off the outline lies inside where it is left of a segment whose cell
    it borders; vertices among point sites only take it from their neighbours."""
    n = len(vx)
    side = np.zeros(n, np.int8)
    for e in range(len(start)):
        c = cell[e]
        if not is_segment[c]:
            continue
        for v in (start[e], end[e]):
            if v >= 0 and side[v] == 0 and radius[v] >= ON_OUTLINE:
                cross = (bx[c] - ax[c]) * (vy[v] - ay[c]) - (by[c] - ay[c]) * (vx[v] - ax[c])
                side[v] = 1 if cross > 0 else -1
    changed = True
    while changed:
        changed = False
        for e in range(0, len(start), 2):
            a, b = start[e], end[e]
            if a < 0 or b < 0 or radius[a] < ON_OUTLINE or radius[b] < ON_OUTLINE:
                continue
            if side[a] == 0 and side[b] != 0:
                side[a] = side[b]
                changed = True
            elif side[b] == 0 and side[a] != 0:
                side[b] = side[a]
                changed = True
    out = np.zeros(len(start), np.bool_)
    for e in range(len(start)):
        a, b = start[e], end[e]
        if a >= 0 and b >= 0:
            out[e] = (radius[a] >= ON_OUTLINE and side[a] == 1) or (radius[b] >= ON_OUTLINE and side[b] == 1)
    return out


@njit(cache=True)
def chains_of(start, end, cell, inside, radius, vertex_count):
    """Inside half-edges in walking order and where each chain begins: ``(order (k,), first (m + 1,))``."""
    n = len(start)
    head = np.full(vertex_count + 1, 0, np.int64)
    for e in range(n):
        if inside[e]:
            head[start[e] + 1] += 1
    head = np.cumsum(head)
    cursor = head[:-1].copy()
    out_edges = np.empty(head[-1], np.int64)
    for e in range(n):
        if inside[e]:
            out_edges[cursor[start[e]]] = e
            cursor[start[e]] += 1
    order = np.empty(head[-1], np.int64)
    first = np.empty(head[-1] + 1, np.int64)
    used = np.zeros(n, np.bool_)
    count, chains = 0, 0
    for sweep in range(2):  # chains that leave the outline, then any closed round without touching it
        for seed in range(n):
            if not inside[seed] or used[seed]:
                continue
            if sweep == 0 and radius[start[seed]] >= ON_OUTLINE:
                continue
            first[chains] = count
            chains += 1
            e = seed
            while e >= 0 and not used[e]:
                used[e] = True
                order[count] = e
                count += 1
                v = end[e]
                if radius[v] < ON_OUTLINE:
                    break
                following = -1
                for k in range(head[v], head[v + 1]):
                    candidate = out_edges[k]
                    if cell[candidate] == cell[e] and not used[candidate]:
                        following = candidate
                        break
                e = following
    first[chains] = count
    return order[:count], first[: chains + 1]


@njit(cache=True)
def edge_forms(start, end, cell, linear, is_segment, ax, ay, bx, by, vx, vy):
    """How the clearance runs along each half-edge: its form, its apex clearance (-1 where both ends lie on one side of the
    apex) and, for the form's formula, the foot or middle point and h: ``(form, apex, fx, fy, h)``."""
    n = len(start)
    form = np.zeros(n, np.int8)
    apex = np.full(n, -1.0)
    fx, fy, h = np.zeros(n), np.zeros(n), np.zeros(n)
    for e in range(n):
        a, b = start[e], end[e]
        if a < 0 or b < 0:
            continue
        c, o = cell[e], cell[e ^ 1]
        if not is_segment[c] and not is_segment[o]:
            form[e] = BISECTOR
            fx[e], fy[e] = (ax[c] + ax[o]) / 2, (ay[c] + ay[o]) / 2
            h[e] = hypot(ax[c] - ax[o], ay[c] - ay[o]) / 2
            ux, uy = -(ay[o] - ay[c]), ax[o] - ax[c]
            low = h[e]
        elif not linear[e]:
            form[e] = PARABOLA
            s, p = (c, o) if is_segment[c] else (o, c)
            ux, uy = bx[s] - ax[s], by[s] - ay[s]
            size = hypot(ux, uy)
            ux, uy = ux / size, uy / size
            t = (ax[p] - ax[s]) * ux + (ay[p] - ay[s]) * uy
            fx[e], fy[e] = ax[s] + ux * t, ay[s] + uy * t
            h[e] = hypot(ax[p] - fx[e], ay[p] - fy[e])
            low = h[e] / 2
        else:
            continue
        ta = (vx[a] - fx[e]) * ux + (vy[a] - fy[e]) * uy
        tb = (vx[b] - fx[e]) * ux + (vy[b] - fy[e]) * uy
        if ta * tb < 0.0:
            apex[e] = low
    return form, apex, fx, fy, h


@njit(cache=True)
def point_at(e, level, is_second, start, end, cell, is_segment, ax, ay, bx, by, vx, vy, radius, form, fx, fy, h):
    """The point of a half-edge where the clearance is ``level``; of two such points the one nearer its end, if asked."""
    a, b = start[e], end[e]
    if form[e] == LINE:
        span = radius[b] - radius[a]
        t = (level - radius[a]) / span if span != 0.0 else 0.0
        t = min(max(t, 0.0), 1.0)
        return vx[a] + t * (vx[b] - vx[a]), vy[a] + t * (vy[b] - vy[a])
    c, o = cell[e], cell[e ^ 1]
    if form[e] == BISECTOR:
        ux, uy = -(ay[o] - ay[c]), ax[o] - ax[c]
        size = hypot(ux, uy)
        ux, uy = ux / size, uy / size
        s = sqrt(max(level * level - h[e] * h[e], 0.0))
        nx, ny = 0.0, 0.0
    else:
        g = c if is_segment[c] else o
        p = o if is_segment[c] else c
        ux, uy = bx[g] - ax[g], by[g] - ay[g]
        size = hypot(ux, uy)
        ux, uy = ux / size, uy / size
        s = sqrt(max(2 * h[e] * level - h[e] * h[e], 0.0))
        nx, ny = (ax[p] - fx[e]) / h[e] * level, (ay[p] - fy[e]) / h[e] * level
    ta = (vx[a] - fx[e]) * ux + (vy[a] - fy[e]) * uy
    tb = (vx[b] - fx[e]) * ux + (vy[b] - fy[e]) * uy
    sign = 1.0 if (tb > ta) == is_second else -1.0
    if ta * tb >= 0.0:  # no apex between the ends: both lie on one side
        sign = 1.0 if ta + tb > 0 else -1.0
    return fx[e] + nx + ux * s * sign, fy[e] + ny + uy * s * sign


@njit(cache=True)
def level_curves(
    level, order, first, start, end, cell, is_segment, ax, ay, bx, by, vx, vy, radius, form, apex, fx, fy, h
):
    """The closed curves at which the clearance is ``level``, area of more clearance on the left.

    Returns ``(x, y, bulge, begins)``: nodes in walking order, the bulge of the line or arc that leaves each, and where
    each loop begins (m + 1,). A piece is crossed where exactly one of its ends has less than ``level``: judged on the stored
    values alone, so that both cells that share it agree.
    """
    n = len(start)
    by_key = np.full(2 * n, -1, np.int64)
    room = len(order) + 2
    x, y = np.empty(room), np.empty(room)
    key_from, key_to = np.empty(room, np.int64), np.empty(room, np.int64)
    site = np.empty(room, np.int64)
    count = 0
    for m in range(len(first) - 1):
        open_element = -1
        for k in range(first[m], first[m + 1]):
            e = order[k]
            ra, rb = radius[start[e]], radius[end[e]]
            halves = 2 if apex[e] >= 0.0 else 1
            for half in range(halves):
                low_end = ra if half == 0 else apex[e]
                high_end = rb if half == halves - 1 else apex[e]
                if (low_end < level) == (high_end < level):
                    continue
                # the same half of the twin is counted from its other end
                is_second = half == 1
                canonical = (half if e % 2 == 0 else halves - 1 - half) if halves == 2 else 0
                key = 2 * (e - e % 2) + canonical
                px, py = point_at(
                    e, level, is_second, start, end, cell, is_segment, ax, ay, bx, by, vx, vy, radius, form, fx, fy, h
                )
                if high_end >= level:  # rising: the level curve enters this cell
                    if count >= room - 1:
                        x, y = _grown(x), _grown(y)
                        key_from, key_to, site = _grown_int(key_from), _grown_int(key_to), _grown_int(site)
                        room = len(x)
                    x[count], y[count] = px, py
                    key_from[count], key_to[count] = key, -1
                    site[count] = cell[e]
                    open_element = count
                    count += 1
                elif open_element >= 0:
                    key_to[open_element] = key
                    open_element = -1
    for i in range(count):
        by_key[key_from[i]] = i
    out_x, out_y, out_b = np.empty(count), np.empty(count), np.empty(count)
    begins = np.empty(count + 1, np.int64)
    used = np.zeros(count, np.bool_)
    placed, loops = 0, 0
    for seed in range(count):
        if used[seed]:
            continue
        begin = placed
        i = seed
        closed = False
        while i >= 0 and not used[i]:
            used[i] = True
            following = by_key[key_to[i]] if key_to[i] >= 0 else -1
            out_x[placed], out_y[placed] = x[i], y[i]
            out_b[placed] = 0.0
            if following >= 0 and not is_segment[site[i]]:
                c = site[i]
                sx, sy = x[i] - ax[c], y[i] - ay[c]
                tx, ty = x[following] - ax[c], y[following] - ay[c]
                angle = np.arctan2(sx * ty - sy * tx, sx * tx + sy * ty)
                out_b[placed] = np.tan(angle / 4)
            placed += 1
            i = following
            closed = i == seed
        if closed:
            begins[loops] = begin
            loops += 1
        else:
            placed = begin  # cannot happen on sound diagrams; the caller measures what it gets
    begins[loops] = placed
    return out_x[:placed], out_y[:placed], out_b[:placed], begins[: loops + 1]


@njit(cache=True)
def _grown(a):
    out = np.empty(2 * len(a))
    out[: len(a)] = a
    return out


@njit(cache=True)
def _grown_int(a):
    out = np.empty(2 * len(a), np.int64)
    out[: len(a)] = a
    return out


@njit(cache=True)
def sampled_axis(rows, chord, start, end, cell, is_segment, ax, ay, bx, by, vx, vy, radius, form, fx, fy, h):
    """The medial axis as short straight pieces: ``(x0, y0, r0, x1, y1, r1)``, clearance exact at their ends.

    Between the ends of a piece linear interpolation overstates the clearance of a curved edge by at most ``chord``:
    a step ds along the directrix does so by ds^2 / 4h.
    """
    total = 0
    for e in rows:
        total += _pieces(e, chord, start, end, cell, is_segment, ax, ay, bx, by, vx, vy, form, fx, fy, h)
    out = np.empty((total, 6))
    n = 0
    for e in rows:
        count = _pieces(e, chord, start, end, cell, is_segment, ax, ay, bx, by, vx, vy, form, fx, fy, h)
        a, b = start[e], end[e]
        x, y, r = vx[a], vy[a], radius[a]
        if count > 1:
            ux, uy, px, py, straight = _frame(e, cell, is_segment, ax, ay, bx, by, fx, fy, h, form)
            ta = (vx[a] - fx[e]) * ux + (vy[a] - fy[e]) * uy
            tb = (vx[b] - fx[e]) * ux + (vy[b] - fy[e]) * uy
        for k in range(count):
            if k == count - 1:
                nx, ny, nr = vx[b], vy[b], radius[b]
            else:
                t = ta + (tb - ta) * (k + 1) / count
                if straight:
                    nr = sqrt(t * t + h[e] * h[e])
                    nx, ny = fx[e] + ux * t, fy[e] + uy * t
                else:
                    nr = (t * t + h[e] * h[e]) / (2 * h[e])
                    nx, ny = fx[e] + ux * t + px * nr, fy[e] + uy * t + py * nr
            out[n, 0], out[n, 1], out[n, 2] = x, y, r
            out[n, 3], out[n, 4], out[n, 5] = nx, ny, nr
            x, y, r = nx, ny, nr
            n += 1
    return out


@njit(cache=True)
def _frame(e, cell, is_segment, ax, ay, bx, by, fx, fy, h, form):
    """Direction along the directrix (or bisector), and from the foot to the focus, of a curved edge."""
    c, o = cell[e], cell[e ^ 1]
    if form[e] == BISECTOR:
        ux, uy = -(ay[o] - ay[c]), ax[o] - ax[c]
        size = hypot(ux, uy)
        return ux / size, uy / size, 0.0, 0.0, True
    g = c if is_segment[c] else o
    p = o if is_segment[c] else c
    ux, uy = bx[g] - ax[g], by[g] - ay[g]
    size = hypot(ux, uy)
    return ux / size, uy / size, (ax[p] - fx[e]) / h[e], (ay[p] - fy[e]) / h[e], False


@njit(cache=True)
def _pieces(e, chord, start, end, cell, is_segment, ax, ay, bx, by, vx, vy, form, fx, fy, h):
    if form[e] == LINE or h[e] <= 0.0:
        return 1
    ux, uy, _, _, _ = _frame(e, cell, is_segment, ax, ay, bx, by, fx, fy, h, form)
    a, b = start[e], end[e]
    span = abs((vx[b] - vx[a]) * ux + (vy[b] - vy[a]) * uy)
    step = sqrt(4 * h[e] * chord)
    return min(max(1, int(np.ceil(span / step))), 2000)


@njit(cache=True)
def segment_gap(px, py, qx, qy, a, b, limit):
    """Least distance between the segment p-q and any of the segments a-b, ``limit`` where none is nearer."""
    best = limit
    low_x, high_x = min(px, qx), max(px, qx)
    low_y, high_y = min(py, qy), max(py, qy)
    for k in range(len(a)):
        if min(a[k, 0], b[k, 0]) - high_x > best or low_x - max(a[k, 0], b[k, 0]) > best:
            continue
        if min(a[k, 1], b[k, 1]) - high_y > best or low_y - max(a[k, 1], b[k, 1]) > best:
            continue
        best = min(best, _between(px, py, qx, qy, a[k, 0], a[k, 1], b[k, 0], b[k, 1]))
        if best <= 0.0:
            return 0.0
    return best


@njit(cache=True)
def _between(px, py, qx, qy, ax, ay, bx, by):
    ux, uy, wx, wy = qx - px, qy - py, bx - ax, by - ay
    s1 = ux * (ay - py) - uy * (ax - px)
    s2 = ux * (by - py) - uy * (bx - px)
    s3 = wx * (py - ay) - wy * (px - ax)
    s4 = wx * (qy - ay) - wy * (qx - ax)
    if s1 * s2 < 0.0 and s3 * s4 < 0.0:
        return 0.0
    best = _to_segment(px, py, ax, ay, bx, by)
    best = min(best, _to_segment(qx, qy, ax, ay, bx, by))
    best = min(best, _to_segment(ax, ay, px, py, qx, qy))
    return min(best, _to_segment(bx, by, px, py, qx, qy))


@njit(cache=True)
def _to_segment(x, y, ax, ay, bx, by):
    dx, dy = bx - ax, by - ay
    size = dx * dx + dy * dy
    t = ((x - ax) * dx + (y - ay) * dy) / size if size > 0.0 else 0.0
    t = min(max(t, 0.0), 1.0)
    return hypot(x - ax - t * dx, y - ay - t * dy)
