"""The stock at any moment of a run: a heightfield, the stretches of the run laid on each other, replay from the end of the nearest.

Heights are float32 mm, 0 on the sheet's top, never clipped at its bottom; where a sheet has no wood they lie below it from the
start. Walls are known to half a cell; ``section`` does not use the field and is exact. A field need not cover the whole sheet: what is looked at
closely has one of its own, in fine cells.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from itertools import pairwise
from math import ceil

import numpy as np
import shapely

from archimetra.geometry.arrays import AnyArray, BoolArray, FloatArray, IntArray
from archimetra.geometry.sheets import cells_inside
from archimetra.job.bits import Bit
from archimetra.job.sheet import NO_WOOD_MM, Sheet
from archimetra.stock.bands import in_bands
from archimetra.stock.grid import Grid, whole
from archimetra.stock.stretches import (
    KEYFRAME_WORK,
    Kept,
    Moves,
    Stretch,
    lay,
    moves_of,
    stretch_ends,
    swept,
    swept_apart,
    tile_marks,
)
from archimetra.stock.sweep_kernels import TILE, clear_tiles, sweep_hollow, sweep_line, sweep_some
from archimetra.toolpath.shared.program import Run


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
        kept: Kept | None = None,
    ) -> None:
        """``times`` (n,) are the seconds at which each row of the run ends; without them each row takes one.
        ``grid`` says which part of the sheet the field covers (all of it, in cells of ``cell`` mm); ``field`` may be a given float32 array of its
        shape. ``kept`` holds what stretches of other runs left, and takes those of this one."""
        self.sheet = sheet
        self.grid = grid or whole(sheet, cell)
        self.cell = cell = self.grid.cell
        self.shape = self.grid.shape
        self.field = np.zeros(self.shape, dtype=np.float32) if field is None else field
        self._base = _without_wood(sheet, self.grid)
        self.field[...] = 0.0 if self._base is None else self._base
        self._moves, self._rows = moves_of(run, bits, chord_tolerance_mm=cell / 20)
        ends = np.arange(len(run), dtype=np.float64) if times is None else times
        self._times = _spread_times(ends, self._rows)
        self._ends = stretch_ends(self._moves, self.grid, run.block[self._rows], keyframe_work)
        self._stretches: list[Stretch] = []  # number k lies between points k and k + 1 of the ends
        self._sweep_all({} if kept is None else kept)
        self._at = self._ends[-1]  # moves up to the point before this one are swept,
        self._fraction = 0.0  # and this share of the one that ends there

    @property
    def points(self) -> FloatArray:
        """The run's points with arcs straightened, (m, 3)."""
        return self._moves.points

    @property
    def kept_bytes(self) -> int:
        """What its stretches take up."""
        return sum(stretch.nbytes for stretch in self._stretches)

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
        changed = tile_marks(self.shape)
        # part of a move already swept does no harm on the way forward: the whole move covers it
        if k < self._at or (k == self._at and fraction < self._fraction):
            changed |= self._go_back(k)
        self._go_on(k, changed)
        self._at, self._fraction = k, fraction
        points = self.points
        if fraction > 0 and k < len(points):
            a, b = points[k - 1], points[k]
            part = np.ascontiguousarray(np.array([a, a + fraction * (b - a)]))
            bit_of = np.array([0, self._moves.bit_of[k]], dtype=np.int64)
            self._moves._replace(points=part, bit_of=bit_of).sweep(self.field, self.grid, 1, 2, changed)
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
        points, bit_of, bits = self._moves
        if a != b and len(points):
            sweep_line(heights, hollow, *a, *b, points, k, fraction, bit_of, *bits.arguments())
        is_gone = (hollow[1] < hollow[0]) | (heights <= hollow[0] + 1e-9)  # opened from above since
        hollow[:, is_gone] = np.nan
        return heights, hollow

    @property
    def has_undercuts(self) -> bool:
        """Whether the run has a bit that hollows wood out."""
        return self._moves.has_undercuts(1, len(self.points))

    def hollow_field(self) -> AnyArray:
        """Bottom and top (2, ny, nx) float32 of what is hollowed out under wood that stands at the moment sought last; inf and -inf
        where nothing is."""
        return _hollow_under(self.field, self._moves, self.grid, self._at)

    # ---- inner workings

    def _sweep_all(self, kept: Kept) -> None:
        """Bring the field to the end of the run, stretch by stretch, sweeping those that are not kept."""
        everywhere = ~tile_marks(self.shape)
        spans = list(pairwise(self._ends))
        keys = [None if self._moves.has_undercuts(*span) else self._moves.key(self.grid, *span) for span in spans]
        known = {key: kept.get(key) for key in keys if key is not None}
        new = {key: span for key, span in zip(keys, spans, strict=True) if key is not None and known[key] is None}
        for made, stretch in zip(new, swept_apart(self._moves, self.grid, self.shape, [*new.values()]), strict=True):
            known[made] = kept[made] = stretch
        for key, (first, last) in zip(keys, spans, strict=True):
            found = known[key] if key is not None else None
            if found is None:
                self._stretches.append(swept(self._moves, self.grid, self.field, first, last, is_empty=False))
            else:
                self._stretches.append(found)
                lay(self.field, found, everywhere)

    def _stretch_of(self, k: int) -> int:
        """The stretch the move that ends at this point is in; their number past the last."""
        return bisect_right(self._ends, k) - 1

    def _go_back(self, k: int) -> BoolArray:
        """Undo the stretch this point is in and those after it that have been swept: the field then is as where it begins."""
        stretch = min(self._stretch_of(k), len(self._stretches))
        changed = tile_marks(self.shape)
        for undone in self._stretches[stretch : self._stretch_of(self._at) + 1]:
            changed[tuple(undone.tiles.T)] = True
        clear_tiles(
            self.field, np.argwhere(changed), self.field if self._base is None else self._base, self._base is not None
        )
        for before in self._stretches[:stretch]:
            lay(self.field, before, changed)
        self._at, self._fraction = self._ends[stretch], 0.0
        return changed

    def _go_on(self, k: int, changed: BoolArray) -> None:
        """Sweep on to this point; stretches that are passed are laid down whole."""
        everywhere = np.ones_like(changed)
        stretch = self._stretch_of(self._at)
        while stretch < len(self._stretches) and self._ends[stretch + 1] <= k:
            if self._ends[stretch + 1] > self._at:
                laid = self._stretches[stretch]
                lay(self.field, laid, everywhere)
                changed[tuple(laid.tiles.T)] = True
                self._at = self._ends[stretch + 1]
            stretch += 1
        self._moves.sweep(self.field, self.grid, self._at, k, changed)


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
        self._moves, rows = moves_of(run, bits, chord_tolerance_mm=chord_tolerance_mm)
        ends = np.arange(len(run), dtype=np.float64) if times is None else times
        self._times = _spread_times(ends, rows)
        points, bit_of, shapes = self._moves
        a, b = points[:-1], points[1:]
        radius = shapes.radii[bit_of[1:]][:, None]
        self._low, self._high = np.minimum(a, b)[:, :2] - radius, np.maximum(a, b)[:, :2] + radius
        self._is_low = (a[:, 2] < 0) | (b[:, 2] < 0)

    def field(self, grid: Grid, seconds: float | None = None) -> AnyArray:
        """Heights (ny, nx) float32 of a part, at a moment or after all of the run."""
        base = _without_wood(self._sheet, grid)
        field = np.zeros(grid.shape, dtype=np.float32) if base is None else base.astype(np.float32)
        x0, y0, x1, y1 = grid.extent
        near = (self._high > (x0, y0)).all(axis=1) & (self._low < (x1, y1)).all(axis=1) & self._is_low
        some = np.flatnonzero(near) + 1
        points, bit_of, bits = self._moves
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
                field[first:last], grid.x0, grid.y0 + first * grid.cell, grid.cell, points, some, bit_of, *bits.arguments(), tiles
            )  # fmt: skip

        if len(some):
            in_bands(grid.shape[0], band)
        return field

    @property
    def has_undercuts(self) -> bool:
        """Whether the run has a bit that hollows wood out."""
        return self._moves.has_undercuts(1, len(self._moves.points))

    def hollow(self, grid: Grid, field: AnyArray, seconds: float) -> AnyArray:
        """What is hollowed out under the wood of a part's ``field``, as for a timeline, by the moves that are done."""
        return _hollow_under(field, self._moves, grid, int(np.searchsorted(self._times, seconds, side="right")))


def _hollow_under(field: AnyArray, moves: Moves, grid: Grid, last: int) -> AnyArray:
    hollow = np.empty((2, *grid.shape), dtype=np.float32)
    hollow[0], hollow[1] = np.inf, -np.inf
    points, bit_of, bits = moves
    if len(points):
        sweep_hollow(hollow, grid.x0, grid.y0, grid.cell, points, last, bit_of, *bits.arguments())
    is_gone = field <= hollow[0] + 1e-6  # opened from above since
    hollow[0][is_gone], hollow[1][is_gone] = np.inf, -np.inf
    return hollow


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
