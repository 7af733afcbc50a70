"""Compiled loop of ``carve_ways``: which strokes are worth going over twice."""

from __future__ import annotations

import numpy as np
from numba import njit

_MUCH = 1e30


@njit(cache=True)
def repeated(a, b, cost, node_count, hop):
    """Which edges (m,) bool to walk twice so that walking, with a lift of cost ``hop`` for every trail but the first, takes least.

    Edges a-b of the given costs make a graph; a trail starts and ends at nodes of odd degree. On a tree that spans a
    connected part the choice is exact: ``below[v, d, c]`` is the least cost of v and all under it when the edge to its parent is walked
    twice (d = 1) and c (0, 1, 2 or more) odd nodes lie there; odd nodes beyond two cost half a lift each. Edges off the tree
    are walked once.
    """
    m = len(a)
    head = np.zeros(node_count + 1, np.int64)
    for e in range(m):
        head[a[e] + 1] += 1
        head[b[e] + 1] += 1
    head = np.cumsum(head)
    cursor = head[:-1].copy()
    around = np.empty(head[-1], np.int64)
    for e in range(m):
        around[cursor[a[e]]] = e
        cursor[a[e]] += 1
        around[cursor[b[e]]] = e
        cursor[b[e]] += 1
    # breadth first: the children of a node stand side by side in ``order``
    up = np.full(node_count, -2, np.int64)
    order = np.empty(node_count, np.int64)
    first_child, child_end = np.zeros(node_count, np.int64), np.zeros(node_count, np.int64)
    count = 0
    for root in range(node_count):
        if up[root] != -2 or head[root] == head[root + 1]:
            continue
        up[root] = -1
        k = count
        order[count] = root
        count += 1
        while k < count:
            v = order[k]
            k += 1
            first_child[v] = count
            for n in range(head[v], head[v + 1]):
                e = around[n]
                w = b[e] if a[e] == v else a[e]
                if up[w] == -2:
                    up[w] = e
                    order[count] = w
                    count += 1
            child_end[v] = count
    # merged[v, p, c]: the children of v taken together, p the parity of v's degree so far
    merged = np.full((node_count, 2, 3), _MUCH)
    below = np.full((node_count, 2, 3), _MUCH)
    came = np.zeros((node_count, 2, 3, 2), np.int64)  # of below[v, d, c]: p and c of merged[v]
    took = np.zeros((node_count, 2, 3, 4), np.int64)  # of merged[parent] once v is in: p, c before and d, c of v
    for k in range(count - 1, -1, -1):
        v = order[k]
        state = np.full((2, 3), _MUCH)
        state[(head[v + 1] - head[v]) % 2, 0] = 0.0
        for n in range(first_child[v], child_end[v]):
            w = order[n]
            after = np.full((2, 3), _MUCH)
            for p in range(2):
                for c in range(3):
                    if state[p, c] >= _MUCH:
                        continue
                    for d in range(2):
                        for i in range(3):
                            if below[w, d, i] >= _MUCH:
                                continue
                            value = state[p, c] + below[w, d, i] + d * cost[up[w]] + max(c + i - 2, 0) * hop / 2
                            q, to = (p + d) % 2, min(c + i, 2)
                            if value < after[q, to]:
                                after[q, to] = value
                                took[w, q, to, 0], took[w, q, to, 1] = p, c
                                took[w, q, to, 2], took[w, q, to, 3] = d, i
            state = after
        merged[v] = state
        for d in range(2):
            for p in range(2):
                odd = (p + d) % 2
                for c in range(3):
                    if state[p, c] >= _MUCH:
                        continue
                    value = state[p, c] + (hop / 2 if odd == 1 and c == 2 else 0.0)
                    to = min(c + odd, 2)
                    if value < below[v, d, to]:
                        below[v, d, to] = value
                        came[v, d, to, 0], came[v, d, to, 1] = p, c
    twice = np.zeros(m, np.bool_)
    chosen = np.zeros((node_count, 2), np.int64)  # d and c of each node
    for k in range(count):
        v = order[k]
        if up[v] == -1:
            best = _MUCH
            for c in range(3):
                if below[v, 0, c] < best:
                    best = below[v, 0, c]
                    chosen[v, 0], chosen[v, 1] = 0, c
        p, c = came[v, chosen[v, 0], chosen[v, 1], 0], came[v, chosen[v, 0], chosen[v, 1], 1]
        for n in range(child_end[v] - 1, first_child[v] - 1, -1):  # the last one merged is the first to be taken off
            w = order[n]
            q, to = p, c
            p, c = took[w, q, to, 0], took[w, q, to, 1]
            chosen[w, 0], chosen[w, 1] = took[w, q, to, 2], took[w, q, to, 3]
            twice[up[w]] = chosen[w, 0] == 1
    return twice
