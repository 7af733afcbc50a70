"""Compiled loops of ``skeleton``: which axis edges draw a true branch, the chains they make, and those chains as points.

Units: grid. An *axis edge* is one of each pair of primary half-edges inside the region, by its number in the diagram.
"""

from __future__ import annotations

from math import hypot, sqrt

import numpy as np
from numba import njit

from archimetra.geometry.clearance_kernels import BISECTOR, LINE, ON_OUTLINE, _frame, _pieces, point_at

TRUE_CORNER_COS = 0.9659258262890683  # cos 15 degrees: a sharper turn of the outline is a corner, not a flattened curve


@njit(cache=True)
def edge_lengths(rows, start, end, cell, is_segment, ax, ay, bx, by, vx, vy, form, fx, fy, h):
    """Length of each axis edge along itself (k,), of parabolas by their closed form."""
    out = np.empty(len(rows))
    for k in range(len(rows)):
        e = rows[k]
        a, b = start[e], end[e]
        out[k] = hypot(vx[b] - vx[a], vy[b] - vy[a])
        if form[e] != LINE and form[e] != BISECTOR and h[e] > 0.0:
            ux, uy, _, _, _ = _frame(e, cell, is_segment, ax, ay, bx, by, fx, fy, h, form)
            ta = (vx[a] - fx[e]) * ux + (vy[a] - fy[e]) * uy
            tb = (vx[b] - fx[e]) * ux + (vy[b] - fy[e]) * uy
            out[k] = abs(_parabola(tb, h[e]) - _parabola(ta, h[e]))
    return out


@njit(cache=True)
def _parabola(s, h):
    """Arc length of y = s^2 / 2h from its apex."""
    root = sqrt(h * h + s * s)
    return (s * root / h + h * np.log((s + root) / h)) / 2


@njit(cache=True)
def _edges_around(rows, start, end, vertex_count):
    """Places in ``rows`` by the vertices they meet at: those of vertex v are ``around[head[v]:head[v + 1]]``."""
    head = np.zeros(vertex_count + 1, np.int64)
    for e in rows:
        head[start[e] + 1] += 1
        head[end[e] + 1] += 1
    head = np.cumsum(head)
    cursor = head[:-1].copy()
    around = np.empty(head[-1], np.int64)
    for k in range(len(rows)):
        for v in (start[rows[k]], end[rows[k]]):
            around[cursor[v]] = k
            cursor[v] += 1
    return head, around


@njit(cache=True)
def pruned(residual, vertex_count, rows, length, start, end, cell, is_segment, ax, ay, bx, by, radius):
    """Which axis edges stay (k,) bool, and the vertices at which whole branches end as a point (m,).

    Leaves are peeled while what is lost stays within ``residual``: a vertex u carries the excess E(u) of what was peeled
    into it; peeling u-v costs E(u) + R(u) + |uv| - R(v). By the triangle inequality every disc that goes lies within that of
    the disc at v. A branch into a true corner whose tip was peeled is put back whole.
    """
    head, around = _edges_around(rows, start, end, vertex_count)
    degree = head[1:] - head[:-1]
    first_degree = degree.copy()
    alive = np.ones(len(rows), np.bool_)
    excess = np.zeros(vertex_count)
    onto = np.full(vertex_count, -1, np.int64)  # the edge a peeled vertex went by
    waiting = np.empty(vertex_count + 2 * len(rows), np.int64)
    count = 0
    for v in range(vertex_count):
        if degree[v] == 1:
            waiting[count] = v
            count += 1
    done = 0
    while done < count:
        u = waiting[done]
        done += 1
        if degree[u] != 1:
            continue
        k = -1
        for n in range(head[u], head[u + 1]):
            if alive[around[n]]:
                k = around[n]
                break
        e = rows[k]
        v = end[e] if start[e] == u else start[e]
        cost = excess[u] + radius[u] + length[k] - radius[v]
        if cost > residual:
            continue
        alive[k] = False
        onto[u] = k
        degree[u] = 0
        degree[v] -= 1
        excess[v] = max(excess[v], cost)
        if degree[v] == 1:
            waiting[count] = v
            count += 1
    for u in range(vertex_count):
        if first_degree[u] != 1 or onto[u] < 0 or radius[u] >= ON_OUTLINE:
            continue
        e = rows[onto[u]]
        c, o = cell[e], cell[e ^ 1]
        if not (is_segment[c] and is_segment[o]):
            continue
        cx, cy, ox, oy = bx[c] - ax[c], by[c] - ay[c], bx[o] - ax[o], by[o] - ay[o]
        if (cx * ox + cy * oy) / (hypot(cx, cy) * hypot(ox, oy)) > TRUE_CORNER_COS:
            continue
        v, total = u, radius[u]
        while onto[v] >= 0:
            total += length[onto[v]]
            f = rows[onto[v]]
            v = end[f] if start[f] == v else start[f]
        if total - radius[v] <= 0.1 * residual:
            continue
        v = u
        while onto[v] >= 0:
            k = onto[v]
            onto[v] = -1
            f = rows[k]
            w = end[f] if start[f] == v else start[f]
            if not alive[k]:
                alive[k] = True
                degree[v] += 1
                degree[w] += 1
            v = w
    points = np.empty(vertex_count, np.int64)
    m = 0
    for v in range(vertex_count):
        if first_degree[v] > 0 and degree[v] == 0 and onto[v] < 0:
            points[m] = v
            m += 1
    return alive, points[:m]


@njit(cache=True)
def chained(rows, start, end, vertex_count):
    """Axis edges in chains from fork to fork or tip: ``(order (k,), is_turned (k,), first (m + 1,))``. A ring without a fork is
    one chain that ends where it begins."""
    head, around = _edges_around(rows, start, end, vertex_count)
    used = np.zeros(len(rows), np.bool_)
    order = np.empty(len(rows), np.int64)
    turned = np.zeros(len(rows), np.bool_)
    first = np.empty(len(rows) + 1, np.int64)
    placed, chains = 0, 0
    for sweep in range(2):
        for v in range(vertex_count):
            degree = head[v + 1] - head[v]
            if degree == 0 or (sweep == 0 and degree == 2):
                continue
            for n in range(head[v], head[v + 1]):
                if used[around[n]]:
                    continue
                first[chains] = placed
                chains += 1
                k, at = around[n], v
                while k >= 0:
                    used[k] = True
                    e = rows[k]
                    order[placed] = e
                    turned[placed] = start[e] != at
                    placed += 1
                    at = end[e] if start[e] == at else start[e]
                    k = -1
                    if head[at + 1] - head[at] == 2:
                        for m in range(head[at], head[at + 1]):
                            if not used[around[m]]:
                                k = around[m]
    first[chains] = placed
    return order, turned, first[: chains + 1]


@njit(cache=True)
def chain_points(
    chord,
    level,
    order,
    turned,
    first,
    start,
    end,
    cell,
    is_segment,
    ax,
    ay,
    bx,
    by,
    vx,
    vy,
    radius,
    form,
    apex,
    fx,
    fy,
    h,
):
    """Chains as points (x, y, R) with exact clearances: ``(points (n, 3), first (m + 1,))``.

    Curved edges are sampled so that R taken as linear between points is at most ``chord`` too large. Where R passes
    ``level`` within an edge a point stands exactly there.
    """
    room = 0
    for e in order:
        room += _pieces(e, chord, start, end, cell, is_segment, ax, ay, bx, by, vx, vy, form, fx, fy, h) + 3
    out = np.empty((room + len(first), 3))
    begins = np.empty(len(first), np.int64)
    n = 0
    for c in range(len(first) - 1):
        begins[c] = n
        for p in range(first[c], first[c + 1]):
            e = order[p]
            a, b = start[e], end[e]
            if turned[p]:
                a, b = b, a
            if p == first[c]:
                out[n, 0], out[n, 1], out[n, 2] = vx[a], vy[a], radius[a]
                n += 1
            count = _pieces(e, chord, start, end, cell, is_segment, ax, ay, bx, by, vx, vy, form, fx, fy, h)
            ux, uy, px, py, straight, ta, tb = 0.0, 0.0, 0.0, 0.0, True, 0.0, 0.0
            if form[e] != LINE and h[e] > 0.0:
                ux, uy, px, py, straight = _frame(e, cell, is_segment, ax, ay, bx, by, fx, fy, h, form)
                ta = (vx[a] - fx[e]) * ux + (vy[a] - fy[e]) * uy
                tb = (vx[b] - fx[e]) * ux + (vy[b] - fy[e]) * uy
            # where the edge passes the level: on either side of its apex at most once
            crossing = np.full(2, 2.0)
            ra, rb = radius[a], radius[b]
            halves = 2 if apex[e] >= 0.0 else 1
            for half in range(halves):
                lo = ra if half == 0 else apex[e]
                hi = rb if half == halves - 1 else apex[e]
                if (lo < level) == (hi < level):
                    continue
                is_second = (half == 1) != turned[p]
                x, y = point_at(
                    e, level, is_second, start, end, cell, is_segment, ax, ay, bx, by, vx, vy, radius, form, fx, fy, h
                )
                if form[e] != LINE and h[e] > 0.0:
                    share = ((x - fx[e]) * ux + (y - fy[e]) * uy - ta) / (tb - ta) if tb != ta else 0.0
                else:
                    span = hypot(vx[b] - vx[a], vy[b] - vy[a])
                    share = hypot(x - vx[a], y - vy[a]) / span if span > 0.0 else 0.0
                crossing[half] = share
            last = 0.0
            for k in range(1, count + 1):
                share = k / count
                for half in range(2):
                    s = crossing[half]
                    if last < s < share and s < 1.0:
                        is_second = (half == 1) != turned[p]
                        x, y = point_at(
                            e, level, is_second, start, end, cell, is_segment, ax, ay, bx, by, vx, vy, radius, form, fx,
                            fy, h,
                        )  # fmt: skip
                        out[n, 0], out[n, 1], out[n, 2] = x, y, level
                        n += 1
                if k == count:
                    out[n, 0], out[n, 1], out[n, 2] = vx[b], vy[b], radius[b]
                else:
                    t = ta + (tb - ta) * share
                    if straight:
                        r = sqrt(t * t + h[e] * h[e])
                        out[n, 0], out[n, 1], out[n, 2] = fx[e] + ux * t, fy[e] + uy * t, r
                    else:
                        r = (t * t + h[e] * h[e]) / (2 * h[e])
                        out[n, 0], out[n, 1], out[n, 2] = fx[e] + ux * t + px * r, fy[e] + uy * t + py * r, r
                n += 1
                last = share
    begins[len(first) - 1] = n
    return out[:n], begins


@njit(cache=True)
def needed(points, first, tolerance):
    """Which points of some lines (n, 3) must stay so that none moves farther than the tolerance in space, (n,) bool; ends
    always do (Douglas and Peucker)."""
    keep = np.zeros(len(points), np.bool_)
    stack = np.empty((len(points) + 2, 2), np.int64)
    for c in range(len(first) - 1):
        a, b = first[c], first[c + 1] - 1
        if b < a:
            continue
        keep[a], keep[b] = True, True
        stack[0, 0], stack[0, 1] = a, b
        size = 1
        while size > 0:
            size -= 1
            i, j = stack[size, 0], stack[size, 1]
            if j - i < 2:
                continue
            dx, dy, dz = points[j, 0] - points[i, 0], points[j, 1] - points[i, 1], points[j, 2] - points[i, 2]
            span = dx * dx + dy * dy + dz * dz
            worst, at = -1.0, -1
            for k in range(i + 1, j):
                qx, qy, qz = points[k, 0] - points[i, 0], points[k, 1] - points[i, 1], points[k, 2] - points[i, 2]
                t = (qx * dx + qy * dy + qz * dz) / span if span > 0.0 else 0.0
                t = min(max(t, 0.0), 1.0)
                d = (qx - t * dx) ** 2 + (qy - t * dy) ** 2 + (qz - t * dz) ** 2
                if d > worst:
                    worst, at = d, k
            if worst > tolerance * tolerance:
                keep[at] = True
                stack[size, 0], stack[size, 1] = i, at
                stack[size + 1, 0], stack[size + 1, 1] = at, j
                size += 2
    return keep


@njit(cache=True)
def clipped(points, first, low, high):
    """The parts of lines (x, y, R) where low <= R <= high, R taken as linear between points: ``(points, first)``."""
    out = np.empty((2 * len(points) + 2, 3))
    begins = np.empty(len(points) + 2, np.int64)
    n, m = 0, 0
    for c in range(len(first) - 1):
        is_open = False
        for k in range(first[c], first[c + 1] - 1):
            ra, rb = points[k, 2], points[k + 1, 2]
            t0, t1 = 0.0, 1.0
            if ra == rb:
                if ra < low or ra > high:
                    is_open = False
                    continue
            else:
                ta, tb = (low - ra) / (rb - ra), (high - ra) / (rb - ra)
                t0, t1 = max(min(ta, tb), 0.0), min(max(ta, tb), 1.0)
                if t0 >= t1:
                    is_open = False
                    continue
            if not is_open or t0 > 0.0:
                begins[m] = n
                m += 1
                for d in range(3):
                    out[n, d] = points[k, d] if t0 == 0.0 else points[k, d] + t0 * (points[k + 1, d] - points[k, d])
                if t0 > 0.0:
                    out[n, 2] = low if abs(out[n, 2] - low) < abs(out[n, 2] - high) else high
                n += 1
            for d in range(3):
                out[n, d] = points[k + 1, d] if t1 == 1.0 else points[k, d] + t1 * (points[k + 1, d] - points[k, d])
            if t1 < 1.0:
                out[n, 2] = low if abs(out[n, 2] - low) < abs(out[n, 2] - high) else high
            n += 1
            is_open = t1 == 1.0
    begins[m] = n
    return out[:n], begins[: m + 1]


@njit(cache=True)
def with_level(points, first, level):
    """Lines (x, y, R) with a point wherever R passes ``level``: ``(points, first)``."""
    out = np.empty((2 * len(points) + 1, 3))
    begins = np.empty(len(first), np.int64)
    n = 0
    for c in range(len(first) - 1):
        begins[c] = n
        for k in range(first[c], first[c + 1]):
            if k > first[c]:
                ra, rb = points[k - 1, 2], points[k, 2]
                if (ra < level and rb > level) or (ra > level and rb < level):
                    t = (level - ra) / (rb - ra)
                    for d in range(2):
                        out[n, d] = points[k - 1, d] + t * (points[k, d] - points[k - 1, d])
                    out[n, 2] = level
                    n += 1
            out[n] = points[k]
            n += 1
    begins[len(first) - 1] = n
    return out[:n], begins
