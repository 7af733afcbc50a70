"""Running order of contours: what lies inside comes first; among those free the nearest, then improved by local search."""

from __future__ import annotations

import numpy as np

from archimetra.geometry.arrays import BoolArray, FloatArray, IntArray
from archimetra.toolpath.shared.order_kernels import improved, nearest_first

ROUNDS = 40  # of improvement at most; each is one look at every contour


def inside_first(
    starts: FloatArray,
    parent: IntArray,
    *,
    begin: tuple[float, float] = (0.0, 0.0),
    ends: FloatArray | None = None,
    can_turn: BoolArray | None = None,
) -> list[int]:
    """Indices of contours in running order; negative ones (``~k``) are walked from their end.

    ``starts`` (n, 2) are their start points, ``ends`` where they differ (open lines), and ``parent`` the contour around each
    (-1: none). A contour waits until everything inside it is done; ``can_turn`` marks lines that may be walked from either
    end. The travel is never longer than by always going to the nearest.
    """
    n = len(starts)
    if n == 0:
        return []
    starts = np.ascontiguousarray(starts, dtype=np.float64)
    stops = starts if ends is None else np.ascontiguousarray(ends, dtype=np.float64)
    turns = np.zeros(n, dtype=bool) if can_turn is None else np.ascontiguousarray(can_turn)
    parent = np.ascontiguousarray(parent, dtype=np.int64)
    order, is_turned = nearest_first(starts, stops, parent, turns, begin[0], begin[1])
    order, is_turned = improved(starts, stops, parent, turns, order, is_turned, begin[0], begin[1], ROUNDS)
    return [~int(k) if t else int(k) for k, t in zip(order, is_turned, strict=True)]


def travel(
    starts: FloatArray, order: list[int], *, ends: FloatArray | None = None, begin: tuple[float, float]
) -> float:
    """How far the bit flies in this order, mm."""
    stops = starts if ends is None else ends
    at, out = np.asarray(begin, dtype=np.float64), 0.0
    for k in order:
        a, b = (starts[k], stops[k]) if k >= 0 else (stops[~k], starts[~k])
        out += float(np.hypot(*(a - at)))
        at = b
    return out
