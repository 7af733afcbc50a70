"""The stock at any moment of a run: a heightfield, keyframes of the tiles that changed, replay from the nearest.

Cell (j, i) is centred at ((i + 0.5) cell, (j + 0.5) cell) in board coordinates; heights are float32 mm, 0 on
the sheet's top, never clipped at its bottom; where a sheet has no wood they lie below it from the start. Walls are known to half a cell; ``section`` does not
use the field and is exact.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from math import ceil, sqrt

import numpy as np
import shapely

from archimetra.geometry.arrays import AnyArray, BoolArray, FloatArray, IntArray
from archimetra.geometry.sheets import cells_inside
from archimetra.job.bits import Bit
from archimetra.job.sheet import NO_WOOD_MM, Sheet
from archimetra.stock.bitshapes import bit_shapes
from archimetra.stock.sweep_kernels import TILE, sweep, sweep_line
from archimetra.toolpath.shared.moves import straightened
from archimetra.toolpath.shared.program import Run

MOST_CELLS = 3_000_000
FINEST_MM = 0.1
KEYFRAME_WORK = 6_000_000  # cell updates between keyframes: some 10 to 20 ms of replay
_WORK_PER_MOVE = 150


def cell_for(sheet: Sheet, *, most_cells: int = MOST_CELLS) -> float:
    """The finest cell, in twentieths of a mm, that keeps the sheet within ``most_cells``."""
    fine = sqrt(sheet.width * sheet.height / most_cells)
    return max(FINEST_MM, ceil(fine * 20) / 20)


def grid_shape(sheet: Sheet, cell: float) -> tuple[int, int]:
    """Rows and columns of a field."""
    return ceil(sheet.height / cell - 1e-9), ceil(sheet.width / cell - 1e-9)


class StockTimeline:
    """Built once per run; ``seek`` moves ``field`` to a moment. Not safe for several threads at once."""

    def __init__(
        self,
        sheet: Sheet,
        run: Run,
        bits: Sequence[Bit],
        *,
        cell: float,
        times: FloatArray | None = None,
        field: AnyArray | None = None,
        keyframe_work: float = KEYFRAME_WORK,
        progress: Callable[[float], None] = lambda share: None,
    ) -> None:
        """``times`` (n,) are the seconds at which each row of the run ends; without them each row takes one.
        ``field`` may be a given float32 array (in shared memory, say) of the right shape."""
        self.sheet = sheet
        self.cell = cell
        self.shape = grid_shape(sheet, cell)
        self.field = np.zeros(self.shape, dtype=np.float32) if field is None else field
        self._base = _without_wood(sheet, self.shape, cell)
        self.field[...] = 0.0 if self._base is None else self._base
        self._points, self._rows = straightened(run.xyz, run.kind, run.centre, chord_tolerance_mm=cell / 20)
        self._points = np.require(
            self._points, requirements=["C", "W"]
        )  # of one kind: each has kernels compiled for itself
        self._bits = bit_shapes(bits)
        numbers = {bit.id: number for number, bit in enumerate(bits)}
        of_block = np.array([numbers[block.bit] for block in run.blocks] or [0], dtype=np.int64)
        self._bit_of = np.where(run.block[self._rows] >= 0, of_block[run.block[self._rows]], 0)
        ends = np.arange(len(run), dtype=np.float64) if times is None else times
        self._times = _spread_times(ends, self._rows)
        tiles = (ceil(self.shape[0] / TILE), ceil(self.shape[1] / TILE))
        self._tiles = np.zeros(tiles, dtype=bool)
        self._keys: list[int] = [1]  # key k holds the state before the move that ends at this point
        self._saved: dict[tuple[int, int], list[tuple[int, AnyArray]]] = {}
        self._at = 1  # moves up to the point before this one are swept,
        self._fraction = 0.0  # and this share of the one that ends there
        self._build(keyframe_work, progress)

    @property
    def points(self) -> FloatArray:
        """The run's points with arcs straightened, (m, 3)."""
        return self._points

    @property
    def duration(self) -> float:
        """Seconds of the whole run."""
        return float(self._times[-1]) if len(self._times) else 0.0

    def index_at(self, seconds: float) -> tuple[int, float]:
        """``(k, fraction)``: moves up to point k - 1 are done, and this share of the one that ends at point k."""
        k = int(np.searchsorted(self._times, seconds, side="right"))
        if k >= len(self._times):
            return len(self._times), 0.0
        begin = float(self._times[k - 1]) if k else 0.0
        span = float(self._times[k]) - begin
        return max(k, 1), ((seconds - begin) / span if span > 0 and k else 0.0)

    def seek(self, seconds: float) -> BoolArray:
        """Bring ``field`` to this moment; the tiles (ty, tx) that may differ from before."""
        k, fraction = self.index_at(seconds)
        changed = np.zeros_like(self._tiles)
        key = int(np.searchsorted(self._keys, k, side="right")) - 1
        # part of a move already swept does no harm on the way forward: the whole move covers it
        if k < self._at or (k == self._at and fraction < self._fraction) or self._keys[key] > self._at:
            changed |= self._restore(key)
        self._sweep(self._at, k, changed)
        self._at, self._fraction = k, fraction
        if fraction > 0 and k < len(self._points):
            a, b = self._points[k - 1], self._points[k]
            part = np.ascontiguousarray(np.array([a, a + fraction * (b - a)]))
            bit_of = np.array([0, self._bit_of[k]], dtype=np.int64)
            sweep(self.field, 0.0, 0.0, self.cell, part, 1, 2, bit_of, *self._bits.arguments(), changed)
        return changed

    def section(self, a: tuple[float, float], b: tuple[float, float], seconds: float, *, samples: int) -> FloatArray:
        """Heights (samples,) along the line a to b at a moment, exact at every sample whatever the cell."""
        return self.hollow_section(a, b, seconds, samples=samples)[0]

    def hollow_section(
        self, a: tuple[float, float], b: tuple[float, float], seconds: float, *, samples: int
    ) -> tuple[FloatArray, FloatArray]:
        """The same, and what undercut bits have hollowed out under wood that stays: (2, samples) bottom and top, nan where
        nothing is."""
        k, fraction = self.index_at(seconds)
        heights = _line_without_wood(self.sheet, a, b, samples)
        hollow = np.vstack((np.full(samples, np.inf), np.full(samples, -np.inf)))
        if a != b and len(self._points):
            sweep_line(heights, hollow, *a, *b, self._points, k, fraction, self._bit_of, *self._bits.arguments())
        is_gone = (hollow[1] < hollow[0]) | (heights <= hollow[0] + 1e-9)  # opened from above since
        hollow[:, is_gone] = np.nan
        return heights, hollow

    # ---- inner workings

    def _build(self, keyframe_work: float, progress: Callable[[float], None]) -> None:
        """Sweep the whole run once, saving the tiles that each stretch touched."""
        stops = self._stops(keyframe_work)
        for number, (first, last) in enumerate(zip(stops[:-1], stops[1:], strict=True)):
            progress(number / len(stops))
            touched = np.zeros_like(self._tiles)
            self._sweep(first, last, touched)
            key = len(self._keys)
            self._keys.append(last)
            for j, i in np.argwhere(touched):
                self._saved.setdefault((int(j), int(i)), []).append((key, self._tile(int(j), int(i)).copy()))
        self._at = stops[-1]

    def _stops(self, keyframe_work: float) -> list[int]:
        """Point numbers at which keyframes are taken, by work done."""
        if len(self._points) < 2:
            return [1]
        d = np.diff(self._points[:, :2], axis=0)
        length = np.hypot(d[:, 0], d[:, 1])
        radius = self._bits.radii[self._bit_of[1:]]
        work = (2 * radius * length + np.pi * radius**2) / self.cell**2 + _WORK_PER_MOVE
        is_high = (self._points[:-1, 2] >= 0) & (self._points[1:, 2] >= 0)
        done = np.cumsum(np.where(is_high, 1.0, work))
        count = max(1, ceil(float(done[-1]) / keyframe_work))
        marks = np.searchsorted(done, done[-1] * np.arange(1, count) / count) + 1
        return [1, *sorted({int(mark) for mark in marks if 1 < mark < len(self._points)}), len(self._points)]

    def _sweep(self, first: int, last: int, tiles: BoolArray) -> None:
        sweep(self.field, 0.0, 0.0, self.cell, self._points, first, last, self._bit_of, *self._bits.arguments(), tiles)

    def _tile(self, j: int, i: int) -> AnyArray:
        return self.field[j * TILE : (j + 1) * TILE, i * TILE : (i + 1) * TILE]

    def _untouched(self, j: int, i: int) -> AnyArray | float:
        return 0.0 if self._base is None else self._base[j * TILE : (j + 1) * TILE, i * TILE : (i + 1) * TILE]

    def _restore(self, key: int) -> BoolArray:
        changed = np.zeros_like(self._tiles)
        for (j, i), versions in self._saved.items():
            changed[j, i] = True
            chosen = None
            for saved_key, tile in versions:
                if saved_key > key:
                    break
                chosen = tile
            self._tile(j, i)[...] = self._untouched(j, i) if chosen is None else chosen
        self._at = self._keys[key]
        self._fraction = 0.0
        return changed


def _without_wood(sheet: Sheet, shape: tuple[int, int], cell: float) -> AnyArray | None:
    """The field before anything is cut; None where it is 0 all over."""
    if not sheet.outline:
        return None
    inside = cells_inside(sheet.region, shape, cell)
    return np.where(inside, np.float32(0), np.float32(-sheet.thickest - NO_WOOD_MM))


def _line_without_wood(sheet: Sheet, a: tuple[float, float], b: tuple[float, float], samples: int) -> FloatArray:
    heights = np.zeros(samples)
    if sheet.outline:
        at = np.linspace(a, b, samples)
        heights[~shapely.intersects_xy(sheet.region, at)] = -sheet.thickest - NO_WOOD_MM
    return heights


def _spread_times(ends: FloatArray, rows: IntArray) -> FloatArray:
    """End times of straightened points: a row's time shared evenly among its chords."""
    if not len(rows):
        return np.zeros(0)
    counts = np.bincount(rows, minlength=len(ends))
    first = np.cumsum(counts) - counts
    share = (np.arange(len(rows)) - first[rows] + 1) / counts[rows]
    begins = np.concatenate(([0.0], ends[:-1]))
    return np.asarray(begins[rows] + (ends[rows] - begins[rows]) * share)
