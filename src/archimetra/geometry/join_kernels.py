"""Loops of ``joining``: end points matched in order of their distance, chains walked."""

from __future__ import annotations

import numpy as np
from numba import njit


@njit(cache=True)
def match_pairs(pairs, lengths, mate, leader, total, own_factor, tolerance):
    """Match the ends of pairs (k, 2), nearest first, where both are still free; ``mate`` (2m,) is filled in place.

    End 2i begins piece i and end 2i + 1 ends it. ``leader`` and ``total`` (m,) keep chains and their lengths: a chain
    closes on itself only where it is longer than ``own_factor`` tolerances, so that specks do not become rings.
    """
    for k in range(len(pairs)):
        a, b = pairs[k, 0], pairs[k, 1]
        if mate[a] >= 0 or mate[b] >= 0 or a == b:
            continue
        i, j = a // 2, b // 2
        while leader[i] != i:
            leader[i] = leader[leader[i]]
            i = leader[i]
        while leader[j] != j:
            leader[j] = leader[leader[j]]
            j = leader[j]
        if i == j:
            if total[i] <= own_factor * tolerance:
                continue
        else:
            leader[j] = i
            total[i] += total[j]
        mate[a], mate[b] = b, a


@njit(cache=True)
def walk_chains(mate):
    """Pieces in running order (m,), whether each is walked backwards, where chains begin, and whether they close."""
    m = len(mate) // 2
    order = np.empty(m, np.int64)
    backward = np.zeros(m, np.bool_)
    starts = np.empty(m, np.int64)
    closed = np.zeros(m, np.bool_)
    seen = np.zeros(m, np.bool_)
    n, chains = 0, 0
    for rings in range(2):  # open chains from their ends first, what is left are rings
        for piece in range(m):
            if seen[piece]:
                continue
            if rings == 0:
                if mate[2 * piece] < 0:
                    end = 2 * piece
                elif mate[2 * piece + 1] < 0:
                    end = 2 * piece + 1
                else:
                    continue
            else:
                end = 2 * piece
            starts[chains] = n
            closed[chains] = rings == 1
            chains += 1
            while True:
                i = end // 2
                if seen[i]:
                    break
                seen[i] = True
                order[n] = i
                backward[n] = end % 2 == 1
                n += 1
                end = mate[end + 1 - 2 * (end % 2)]
                if end < 0:
                    break
    return order, backward, starts[:chains], closed[:chains]
