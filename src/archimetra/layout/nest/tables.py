"""Tables of how deep one shape lies in another, for every displacement in cells: overlap of two parts is one lookup."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from typing import NamedTuple

import numpy as np

from archimetra.geometry.arrays import AnyArray, FloatArray, IntArray
from archimetra.layout.nest.grown import Oriented, edges_of
from archimetra.layout.nest.table_kernels import build_tables

BORDER = 2  # free cells around what can overlap
MOST_BYTES = 300 << 20


class Tables(NamedTuple):
    """Depths in cells in one ``pool``. That of shape b displaced by (dx, dy) cells against shape a stands at
    ``at[a, b] + (dx - low[a, b, 0]) * span[a, b, 1] + dy - low[a, b, 1]``; outside it is 0. ``at`` is -1 where both never move.
    ``size`` (k, 2) is the width and height of each part as it lies, not grown, in cells."""

    pool: AnyArray
    at: IntArray
    low: IntArray
    span: IntArray
    size: FloatArray


def cell_for(shapes: list[Oriented], fineness: float) -> float:
    """The size of a cell in mm: ``fineness`` of them along the side of a square as large as the mean shape, coarser where the tables
    would take too much memory."""
    moved = [shape for shape in shapes if shape.part >= 0]
    cell = float(np.sqrt(np.mean([shape.region.area for shape in moved]))) / fineness
    boxes = np.array([shape.region.bounds for shape in shapes])
    widths = boxes[:, 2:] - boxes[:, :2]
    while True:
        spans = widths / cell
        cells = (spans[:, None, 0] + spans[None, :, 0] + 5) * (spans[:, None, 1] + spans[None, :, 1] + 5)
        if cells.sum() * 4 <= MOST_BYTES:
            return cell
        cell *= 1.25


def tables_of(shapes: list[Oriented], cell: float) -> Tables:
    """Tables for every pair of shapes of which one moves; made on two threads."""
    k = len(shapes)
    regions = [shape.region for shape in shapes] + [shape.bare for shape in shapes]
    edges = edges_of(regions, cell)
    moves = np.array([shape.part >= 0 for shape in shapes])
    number = np.arange(k)
    # against what never moves a part counts as itself, not grown
    of_a = np.where(moves[None, :] | ~moves[:, None], number[:, None], number[:, None] + k)
    of_b = np.where(moves[:, None] | ~moves[None, :], number[None, :], number[None, :] + k)
    size = np.array([(shape.width, shape.height) for shape in shapes]) / cell
    boxes = np.array([region.bounds for region in regions]) / cell
    low = np.floor(boxes[of_a, :2] - boxes[of_b, 2:]).astype(np.int64) - BORDER + 1
    high = np.ceil(boxes[of_a, 2:] - boxes[of_b, :2]).astype(np.int64) + BORDER - 1
    count = high - low + 1
    # the table of (b, a) is that of (a, b) read backwards: their bounds must be each other's negative
    upper = np.triu_indices(k, 1)
    low[upper[1], upper[0]] = -(low[upper] + count[upper] - 1)
    count[upper[1], upper[0]] = count[upper]
    at = np.full((k, k), -1, np.int64)
    cells = count[..., 0] * count[..., 1]
    pairs, begin = [], 0
    for a in range(k):
        for b in range(a, k):
            if moves[a] or moves[b]:
                pairs.append((a, b, int(of_a[a, b]), int(of_b[a, b])))
                at[a, b] = begin
                begin += int(cells[a, b])
                at[b, a] = at[a, b] if a == b else begin
                begin += int(cells[a, b]) if a != b else 0
    pool = np.zeros(begin, np.float32)
    low, count = np.ascontiguousarray(low), np.ascontiguousarray(count)
    todo = np.array(pairs, np.int64).reshape(-1, 4)
    with ThreadPoolExecutor(2) as threads:
        halves = [
            threads.submit(build_tables, *edges, np.ascontiguousarray(todo[n::2]), low, count, at, pool) for n in (0, 1)
        ]
        for half in halves:
            half.result()
    return Tables(pool, at, low, count, size)
