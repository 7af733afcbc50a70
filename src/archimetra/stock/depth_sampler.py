"""The finished stock measured at any place, exactly: no cells, every move that comes near is asked how low it leaves the place."""

from __future__ import annotations

from collections.abc import Sequence
from math import ceil
from typing import Any

import numpy as np

from archimetra.geometry.arrays import FloatArray
from archimetra.job.bits import Bit
from archimetra.stock import depth_sampler_kernels as kernels
from archimetra.stock.bitshapes import bit_shapes
from archimetra.toolpath.shared.moves import straightened
from archimetra.toolpath.shared.program import Run

CHORD_MM = 0.0005  # arcs become chords this near
_MOST_SQUARES = 400_000


class DepthSampler:
    """Of one run. Squares of some mm sort the moves, so that a place asks only those near it."""

    def __init__(self, run: Run, bits: Sequence[Bit], *, width: float, height: float) -> None:
        points, rows = straightened(run.xyz, run.kind, run.centre, chord_tolerance_mm=CHORD_MM)
        numbers = {bit.id: number for number, bit in enumerate(bits)}
        of_block = np.array([numbers[block.bit] for block in run.blocks] or [0], dtype=np.int64)
        bit_of = np.where(run.block[rows] >= 0, of_block[run.block[rows]], 0)
        size = max(1.0, float(np.sqrt((width + 20) * (height + 20) / _MOST_SQUARES)))
        nx, ny = ceil((width + 20) / size), ceil((height + 20) / size)
        given: tuple[Any, ...] = (
            np.ascontiguousarray(points),
            bit_of,
            *bit_shapes(bits).arguments(),
            -10.0,
            -10.0,
            size,
            nx,
            ny,
        )
        self._given: tuple[Any, ...] = (*given, *kernels.binned(*given))

    def depths(self, places: FloatArray) -> FloatArray:
        """How deep the wood is cut at places (n, 2) of the board, mm (n,); 0 where it is not."""
        where = np.ascontiguousarray(places, dtype=np.float64)
        return np.asarray(-kernels.heights_at(where, *self._given))
