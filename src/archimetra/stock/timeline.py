"""The stock at any moment of a run: a heightfield, keyframes of the tiles that changed, replay from the nearest.

Heights are float32 mm, 0 on the sheet's top, never clipped at its bottom; where a sheet has no wood they lie below it from the
start. Walls are known to half a cell; ``section`` does not use the field and is exact. A field need not cover the whole sheet: what is looked at
closely has one of its own, in fine cells.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from math import ceil

import numpy as np
import shapely

from archimetra.geometry.arrays import AnyArray, BoolArray, FloatArray, IntArray
from archimetra.geometry.sheets import cells_inside
from archimetra.job.bits import Bit
from archimetra.job.sheet import NO_WOOD_MM, Sheet
from archimetra.stock.bands import in_bands
from archimetra.stock.bitshapes import bit_shapes
from archimetra.stock.grid import Grid, whole
from archimetra.stock.sweep_kernels import TILE, UNDERCUT, sweep, sweep_hollow, sweep_line, sweep_some
from archimetra.toolpath.shared.moves import straightened
from archimetra.toolpath.shared.program import Run

KEYFRAME_WORK = 6_000_000  # cell updates between keyframes: some 10 to 20 ms of replay
_WORK_PER_MOVE = 150


class StockTimeline:
    """Built once per run; ``seek`` moves ``field`` to a moment. Not safe for several threads at once."""

    def __init__(
        self,
        sheet: Sheet,
        run: Run,
        bits: Sequence[Bit],
        *,
        cell: float,
        grid: Grid | None = None,
        times: FloatArray | None = None,
        field: AnyArray | None = None,
        keyframe_work: float = KEYFRAME_WORK,
        progress: Callable[[float], None] = lambda share: None,
    ) -> None:
        """``times`` (n,) are the seconds at which each row of the run ends; without them each row takes one.
        ``grid`` says which part of the sheet the field covers (all of it, in cells of ``cell`` mm); ``field`` may be a given float32 array of its
        shape."""
        self.sheet = sheet
        self.grid = grid or whole(sheet, cell)
        self.cell = cell = self.grid.cell
        self.shape = self.grid.shape
        self.field = np.zeros(self.shape, dtype=np.float32) if field is None else field
        self._base = _without_wood(sheet, self.grid)
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
            self._sweep_moves(part, 1, 2, bit_of, changed)
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

    @property
    def has_undercuts(self) -> bool:
        """Whether the run has a bit that hollows wood out."""
        return bool((self._bits.shapes[np.unique(self._bit_of)] == UNDERCUT).any())

    def hollow_field(self) -> AnyArray:
        """Bottom and top (2, ny, nx) float32 of what is hollowed out under wood that stands at the moment sought last; inf and -inf
        where nothing is."""
        hollow = np.empty((2, *self.shape), dtype=np.float32)
        hollow[0], hollow[1] = np.inf, -np.inf
        if len(self._points):
            grid = self.grid
            sweep_hollow(
                hollow, grid.x0, grid.y0, grid.cell, self._points, self._at, self._bit_of, *self._bits.arguments()
            )
        is_gone = self.field <= hollow[0] + 1e-6  # opened from above since
        hollow[0][is_gone], hollow[1][is_gone] = np.inf, -np.inf
        return hollow

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
        a, b = self._points[:-1], self._points[1:]
        is_high = (a[:, 2] >= 0) & (b[:, 2] >= 0)
        x0, y0, x1, y1 = self.grid.extent
        low, high = np.minimum(a, b), np.maximum(a, b)
        is_high |= (
            (high[:, 0] < x0 - radius)
            | (low[:, 0] > x1 + radius)
            | (high[:, 1] < y0 - radius)
            | (low[:, 1] > y1 + radius)
        )
        done = np.cumsum(np.where(is_high, 1.0, work))
        count = max(1, ceil(float(done[-1]) / keyframe_work))
        marks = np.searchsorted(done, done[-1] * np.arange(1, count) / count) + 1
        return [1, *sorted({int(mark) for mark in marks if 1 < mark < len(self._points)}), len(self._points)]

    def _sweep(self, first: int, last: int, tiles: BoolArray) -> None:
        self._sweep_moves(self._points, first, last, self._bit_of, tiles)

    def _sweep_moves(self, points: FloatArray, first: int, last: int, bit_of: IntArray, tiles: BoolArray) -> None:
        sweep(
            self.field,
            self.grid.x0,
            self.grid.y0,
            self.cell,
            points,
            first,
            last,
            bit_of,
            *self._bits.arguments(),
            tiles,
        )

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


class StockParts:
    """The stock at a moment, in as many parts as are asked for: what moves are near one is found before they are swept."""

    def __init__(
        self,
        sheet: Sheet,
        run: Run,
        bits: Sequence[Bit],
        *,
        times: FloatArray | None = None,
        chord_tolerance_mm: float = 0.01,
    ) -> None:
        """``times`` as for a timeline."""
        self._sheet = sheet
        points, rows = straightened(run.xyz, run.kind, run.centre, chord_tolerance_mm=chord_tolerance_mm)
        self._points = np.require(points, requirements=["C", "W"])
        self._bits = bit_shapes(bits)
        numbers = {bit.id: number for number, bit in enumerate(bits)}
        of_block = np.array([numbers[block.bit] for block in run.blocks] or [0], dtype=np.int64)
        self._bit_of = np.where(run.block[rows] >= 0, of_block[run.block[rows]], 0)
        ends = np.arange(len(run), dtype=np.float64) if times is None else times
        self._times = _spread_times(ends, rows)
        a, b = self._points[:-1], self._points[1:]
        radius = self._bits.radii[self._bit_of[1:]][:, None]
        self._low, self._high = np.minimum(a, b)[:, :2] - radius, np.maximum(a, b)[:, :2] + radius
        self._is_low = (a[:, 2] < 0) | (b[:, 2] < 0)

    def field(self, grid: Grid, seconds: float | None = None) -> AnyArray:
        """Heights (ny, nx) float32 of a part, at a moment or after all of the run."""
        base = _without_wood(self._sheet, grid)
        field = np.zeros(grid.shape, dtype=np.float32) if base is None else base.astype(np.float32)
        x0, y0, x1, y1 = grid.extent
        near = (self._high > (x0, y0)).all(axis=1) & (self._low < (x1, y1)).all(axis=1) & self._is_low
        some = np.flatnonzero(near) + 1
        points, bit_of = self._points, self._bit_of
        if seconds is not None and len(points) > 1:
            k = int(np.searchsorted(self._times, seconds, side="right"))
            some = some[some < k]
            if 0 < k < len(points):  # and the share of the move that is under way
                begin, end = float(self._times[k - 1]), float(self._times[k])
                share = (seconds - begin) / (end - begin) if end > begin else 0.0
                points = np.vstack((points, points[k - 1], points[k - 1] + share * (points[k] - points[k - 1])))
                bit_of = np.concatenate((bit_of, [bit_of[k], bit_of[k]]))
                some = np.concatenate((some, [len(points) - 1]))

        def band(first: int, last: int) -> None:
            tiles = np.zeros((ceil((last - first) / TILE), ceil(grid.shape[1] / TILE)), dtype=bool)
            sweep_some(
                field[first:last], grid.x0, grid.y0 + first * grid.cell, grid.cell, points, some, bit_of, *self._bits.arguments(), tiles
            )  # fmt: skip

        if len(some):
            in_bands(grid.shape[0], band)
        return field


def _without_wood(sheet: Sheet, grid: Grid) -> AnyArray | None:
    """The field before anything is cut; None where it is 0 all over."""
    if not sheet.outline:
        return None
    region = shapely.transform(sheet.region, lambda xy: xy - (grid.x0, grid.y0))
    inside = cells_inside(region, grid.shape, grid.cell)
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
