"""Where the machine has to reach for each tile: how many tiles a side takes, where each begins, and within what its seams may lie."""

from __future__ import annotations

from collections.abc import Sequence
from math import ceil
from typing import NamedTuple

EDGE_MM = 0.5  # the outermost tiles reach this far beyond the outermost move; more than rounding takes away
STEP_MM = 0.1
MOST_TILES = 60  # along one side


class Span(NamedTuple):
    """One side of the board, in tiles. ``low`` to ``high`` is where bits' centres go; ``starts`` is where the reach of each tile begins, which goes
    ``travel`` from there; ``seams`` stand between them."""

    low: float
    high: float
    travel: float
    starts: tuple[float, ...]
    seams: tuple[float, ...] = ()

    def room(self, k: int, margin: float) -> tuple[float, float]:
        """Within what the seam after tile k may lie so that both tiles reach ``margin`` past it."""
        return self.starts[k + 1] + margin, self.starts[k] + self.travel - margin

    def cell(self, k: int) -> tuple[float, float]:
        """From seam to seam; beyond the outermost everything."""
        edges = (float("-inf"), *self.seams, float("inf"))
        return edges[k], edges[k + 1]

    def reach(self, k: int) -> tuple[float, float]:
        return self.starts[k], self.starts[k] + self.travel


def span_of(low: float, high: float, travel: float, *, base: float, margin: float, least_overlap: float) -> Span:
    """The fewest tiles that cover a side, their reaches as far over each other as they come, by equal steps. ``base`` is where the reach begins as
    the board lies now; a side that fits keeps that as nearly as it can. Each tile cuts ``margin`` past its seams, and two reaches share
    ``least_overlap`` at least."""
    if high - low <= travel:
        return Span(low, high, travel, (min(max(base, high - travel), low),))
    overlap = max(2 * margin, least_overlap) + STEP_MM  # a step is rounded up
    first, last = low - EDGE_MM, high + EDGE_MM - travel
    count = 1 + max(1, ceil((last - first) / max(travel - overlap, 1e-9) - 1e-9))
    count = min(count, MOST_TILES)
    # the first lies as the board does now, where that costs no further tile
    first = min(max(base, last - (count - 1) * (travel - overlap)), first)
    step = ceil((last - first) / (count - 1) / STEP_MM - 1e-9) * STEP_MM
    return Span(low, high, travel, tuple(round(first + step * k, 6) for k in range(count)))


def with_seams(span: Span, seams: Sequence[float], *, margin: float) -> Span:
    """The span with these seams, its inner reaches moved as little as lets each go ``margin`` past them."""
    starts = list(span.starts)
    edges = (span.low - EDGE_MM + margin, *seams, span.high + EDGE_MM - margin)
    for k in range(len(starts)):
        least, most = edges[k + 1] + margin - span.travel, edges[k] - margin
        starts[k] = min(max(starts[k], least), most)
    return span._replace(starts=tuple(starts), seams=tuple(seams))


def tile_name(row: int, column: int) -> str:
    """A1, A2 ... along the front, then B1: letters from the front to the back, numbers from left to right."""
    return f"{chr(ord('A') + row % 26)}{'' if row < 26 else row // 26}{column + 1}"
