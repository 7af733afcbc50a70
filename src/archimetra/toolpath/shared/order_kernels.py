"""Compiled loops of ``order``: nearest neighbour on a grid, then moving and turning stretches of the tour.

A precedence holds throughout: a contour comes after everything whose parent it is.
"""

from __future__ import annotations

from math import hypot, sqrt

import numpy as np
from numba import njit

_NEIGHBOURS = 12


@njit(cache=True)
def nearest_first(starts, ends, parent, can_turn, x, y):
    """Greedy order over contours that are free, and which are walked from their end. Cells of a grid hold the free ends, so
    that each step looks only around where the bit stands."""
    n = len(starts)
    waiting = np.zeros(n, np.int64)
    for k in range(n):
        if parent[k] >= 0:
            waiting[parent[k]] += 1
    x0 = min(starts[:, 0].min(), ends[:, 0].min())
    y0 = min(starts[:, 1].min(), ends[:, 1].min())
    width = max(max(starts[:, 0].max(), ends[:, 0].max()) - x0, 1e-6)
    height = max(max(starts[:, 1].max(), ends[:, 1].max()) - y0, 1e-6)
    side = max(1, int(sqrt(n / 2.0)))
    cell = max(max(width, height) / side * 1.0000001, 1e-3)
    nx, ny = int(width / cell) + 1, int(height / cell) + 1
    # linked lists of entries (2k: start of k, 2k + 1: its end)
    head = np.full(nx * ny, -1, np.int64)
    link = np.full(2 * n, -1, np.int64)
    back = np.full(2 * n, -1, np.int64)
    for k in range(n):
        if waiting[k] == 0:
            _enter(2 * k, starts[k, 0], starts[k, 1], head, link, back, x0, y0, cell, nx)
            if can_turn[k]:
                _enter(2 * k + 1, ends[k, 0], ends[k, 1], head, link, back, x0, y0, cell, nx)
    order = np.empty(n, np.int64)
    turned = np.zeros(n, np.bool_)
    for step in range(n):
        # from the nearest cell of the grid: what is brought into the box comes nearer to all in it, so the bound holds
        ci = min(max(int((x - x0) / cell), 0), nx - 1)
        cj = min(max(int((y - y0) / cell), 0), ny - 1)
        best, choice = 1e300, -1
        far = max(nx, ny) + 1
        for ring in range(far + 1):
            if choice >= 0 and ((ring - 1) * cell) ** 2 > best and ring > 0:
                break
            for j in range(max(cj - ring, 0), min(cj + ring, ny - 1) + 1):
                edge = j == cj - ring or j == cj + ring
                stride = 1 if edge or ring == 0 else 2 * ring
                for i in range(ci - ring, ci + ring + 1, stride):
                    if i < 0 or i >= nx:
                        continue
                    entry = head[j * nx + i]
                    while entry >= 0:
                        k = entry // 2
                        px = starts[k, 0] if entry % 2 == 0 else ends[k, 0]
                        py = starts[k, 1] if entry % 2 == 0 else ends[k, 1]
                        d = (px - x) ** 2 + (py - y) ** 2
                        if d < best or (d == best and entry < choice):
                            best, choice = d, entry
                        entry = link[entry]
        k = choice // 2
        order[step] = k
        turned[step] = choice % 2 == 1
        _leave(2 * k, starts[k, 0], starts[k, 1], head, link, back, x0, y0, cell, nx)
        if can_turn[k]:
            _leave(2 * k + 1, ends[k, 0], ends[k, 1], head, link, back, x0, y0, cell, nx)
        if turned[step]:
            x, y = starts[k, 0], starts[k, 1]
        else:
            x, y = ends[k, 0], ends[k, 1]
        p = parent[k]
        if p >= 0:
            waiting[p] -= 1
            if waiting[p] == 0:
                _enter(2 * p, starts[p, 0], starts[p, 1], head, link, back, x0, y0, cell, nx)
                if can_turn[p]:
                    _enter(2 * p + 1, ends[p, 0], ends[p, 1], head, link, back, x0, y0, cell, nx)
    return order, turned


@njit(cache=True)
def _enter(entry, px, py, head, link, back, x0, y0, cell, nx):
    c = int((py - y0) / cell) * nx + int((px - x0) / cell)
    link[entry] = head[c]
    back[entry] = -1
    if head[c] >= 0:
        back[head[c]] = entry
    head[c] = entry


@njit(cache=True)
def _leave(entry, px, py, head, link, back, x0, y0, cell, nx):
    c = int((py - y0) / cell) * nx + int((px - x0) / cell)
    if back[entry] >= 0:
        link[back[entry]] = link[entry]
    else:
        head[c] = link[entry]
    if link[entry] >= 0:
        back[link[entry]] = back[entry]


@njit(cache=True)
def improved(starts, ends, parent, can_turn, order, turned, x, y, rounds):
    """The tour with single contours moved to better places and stretches turned round, until neither helps."""
    n = len(order)
    if n < 3:
        return order, turned
    near = _near_lists(starts, ends)
    place = np.empty(n, np.int64)
    for i in range(n):
        place[order[i]] = i
    for _ in range(rounds):
        moved = _move_each(starts, ends, parent, can_turn, order, turned, place, near, x, y)
        moved += _turn_stretches(starts, ends, parent, can_turn, order, turned, place, near, x, y)
        if moved == 0:
            break
    return order, turned


@njit(cache=True)
def _near_lists(starts, ends):
    """For each contour those whose starts or ends are nearest to its own, by brute force over a sorted axis."""
    n = len(starts)
    count = min(_NEIGHBOURS, n - 1)
    out = np.empty((n, count), np.int64)
    by_x = np.argsort(starts[:, 0])
    rank = np.empty(n, np.int64)
    for i in range(n):
        rank[by_x[i]] = i
    for k in range(n):
        found = np.full(count, 1e300)
        who = np.full(count, -1, np.int64)
        up, down = rank[k] + 1, rank[k] - 1
        while up < n or down >= 0:
            gap_up = starts[by_x[up], 0] - starts[k, 0] if up < n else 1e300
            gap_down = starts[k, 0] - starts[by_x[down], 0] if down >= 0 else 1e300
            gap = min(gap_up, gap_down)
            if gap * gap > found[count - 1]:
                break
            if gap_up <= gap_down:
                c = by_x[up]
                up += 1
            else:
                c = by_x[down]
                down -= 1
            d = (starts[c, 0] - ends[k, 0]) ** 2 + (starts[c, 1] - ends[k, 1]) ** 2
            d = min(d, (ends[c, 0] - starts[k, 0]) ** 2 + (ends[c, 1] - starts[k, 1]) ** 2)
            d = max(d, 0.0)
            if d < found[count - 1]:
                slot = count - 1
                while slot > 0 and found[slot - 1] > d:
                    found[slot], who[slot] = found[slot - 1], who[slot - 1]
                    slot -= 1
                found[slot], who[slot] = d, c
        out[k] = who
    return out


@njit(cache=True)
def _enters(starts, ends, k, t):
    return (ends[k, 0], ends[k, 1]) if t else (starts[k, 0], starts[k, 1])


@njit(cache=True)
def _gap(starts, ends, order, turned, i, j, x, y):
    """Travel from the contour at place i (-1: the beginning) to the one at place j (n: nowhere)."""
    if j >= len(order):
        return 0.0
    if i < 0:
        ax, ay = x, y
    else:
        ax, ay = _enters(starts, ends, order[i], not turned[i])
    bx, by = _enters(starts, ends, order[j], turned[j])
    return hypot(bx - ax, by - ay)


@njit(cache=True)
def _move_each(starts, ends, parent, can_turn, order, turned, place, near, x, y):
    n = len(order)
    moved = 0
    for k in range(n):
        i = place[k]
        # the places it may take: after all inside it, before what is around it
        low, high = 0, n - 1
        if parent[k] >= 0:
            high = place[parent[k]] - 1
        for c in range(n):
            if parent[c] == k:
                low = max(low, place[c] + 1)
        if low >= high and low == i:
            continue
        before = _gap(starts, ends, order, turned, i - 1, i, x, y) + _gap(starts, ends, order, turned, i, i + 1, x, y)
        if i + 1 < n:
            ax, ay = (x, y) if i == 0 else _enters(starts, ends, order[i - 1], not turned[i - 1])
            bx, by = _enters(starts, ends, order[i + 1], turned[i + 1])
            before -= hypot(bx - ax, by - ay)
        best, best_place, best_turn = before - 1e-9, -1, False
        for m in near[k]:
            if m < 0:
                continue
            for side in range(2):
                j = place[m] + side  # it would stand in front of what is at place j now
                if j == i or j == i + 1:
                    continue
                final = j - 1 if j > i else j
                if final < low or final > high:
                    continue
                for t in range(2 if can_turn[k] else 1):
                    turn = (turned[i] != (t == 1)) if can_turn[k] else turned[i]
                    px, py = _enters(starts, ends, k, turn)
                    qx, qy = _enters(starts, ends, k, not turn)
                    ax, ay = (x, y) if j == 0 else _enters(starts, ends, order[j - 1], not turned[j - 1])
                    cost = hypot(px - ax, py - ay)
                    if j < n:
                        bx, by = _enters(starts, ends, order[j], turned[j])
                        cost += hypot(bx - qx, by - qy) - hypot(bx - ax, by - ay)
                    if cost < best:
                        best, best_place, best_turn = cost, final, turn
        if best_place >= 0:
            step = 1 if best_place > i else -1
            for p in range(i, best_place, step):
                order[p], turned[p] = order[p + step], turned[p + step]
                place[order[p]] = p
            order[best_place], turned[best_place] = k, best_turn
            place[k] = best_place
            moved += 1
    return moved


@njit(cache=True)
def _turn_stretches(starts, ends, parent, can_turn, order, turned, place, near, x, y):
    """2-opt: a stretch walked the other way round. Contours in it keep their own direction unless they may turn, so its
    inner travel is worked out anew."""
    n = len(order)
    moved = 0
    for i in range(n - 1):
        a = order[i - 1] if i > 0 else -1
        if a < 0:
            continue
        here = _gap(starts, ends, order, turned, i - 1, i, x, y)
        if here <= 1e-9:
            continue
        for m in near[a]:
            if m < 0:
                continue
            j = place[m]
            if j <= i or j - i > 400:
                continue
            ax, ay = _enters(starts, ends, a, not turned[i - 1])
            bx, by = _enters(starts, ends, m, turned[j] != can_turn[m])
            if hypot(bx - ax, by - ay) >= here:
                continue
            if _would_break(parent, order, place, i, j):
                continue
            old = 0.0
            for p in range(i, j + 2):
                old += _gap(starts, ends, order, turned, p - 1, p, x, y)
            _reverse(order, turned, can_turn, place, i, j)
            new = 0.0
            for p in range(i, j + 2):
                new += _gap(starts, ends, order, turned, p - 1, p, x, y)
            if new < old - 1e-9:
                moved += 1
                break
            _reverse(order, turned, can_turn, place, i, j)
    return moved


@njit(cache=True)
def _would_break(parent, order, place, i, j):
    for p in range(i, j + 1):
        q = parent[order[p]]
        while q >= 0:
            if i <= place[q] <= j:
                return True
            q = parent[q]
    return False


@njit(cache=True)
def _reverse(order, turned, can_turn, place, i, j):
    while i < j:
        order[i], order[j] = order[j], order[i]
        turned[i], turned[j] = turned[j], turned[i]
        place[order[i]], place[order[j]] = i, j
        turned[i] = turned[i] != can_turn[order[i]]
        turned[j] = turned[j] != can_turn[order[j]]
        i += 1
        j -= 1
    if i == j:
        turned[i] = turned[i] != can_turn[order[i]]
