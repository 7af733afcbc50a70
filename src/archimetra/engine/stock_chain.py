"""``StockChain``: the stock of one run at any moment, and all that is drawn of it."""

from __future__ import annotations

from collections.abc import Sequence
from math import sqrt
from typing import NamedTuple

import numpy as np
import shapely

from archimetra.engine.messages import BoardPlan, CloserRequest, MomentRequest, TiltRequest
from archimetra.geometry.arrays import AnyArray, BoolArray, FloatArray
from archimetra.geometry.sheets import cells_inside
from archimetra.job.bits import Bit
from archimetra.job.setups import TurnedAbout
from archimetra.job.sheet import NO_WOOD_MM, Sheet
from archimetra.stock.faces import Behind
from archimetra.stock.grid import Box, Grid, cell_for, part, whole
from archimetra.stock.shade import Painter, coarsen, touched_box
from archimetra.stock.stretches import Kept, tile_marks
from archimetra.stock.sweep_kernels import TILE, unlike_tiles
from archimetra.stock.tilted import NO_HOLLOW, Stock, picture, smooth_picture
from archimetra.stock.timeline import StockParts, StockTimeline

THUMB_CELLS = 120_000
_COARSE_PX = 0.7  # cells up to so many pixels will do while the view moves
_MOST_CELLS_NEAR = 1_500_000  # of what a picture of a near place shows
_FINEST_NEAR_MM = 0.02
_WORTH_IT = 0.6  # cells have to be so much smaller than the sheet's own
_CLOSER_MARGIN_MM = 3.0  # light and shadow of what lies beside the picture


class _Close(NamedTuple):
    """A part of the stock in fine cells."""

    grid: Grid
    painter: Painter
    behind: Behind | None


class StockChain:
    """One for each run that is looked at; what it was asked for last is kept."""

    def __init__(
        self,
        plan: BoardPlan,
        sheet: Sheet,
        bits: Sequence[Bit],
        about: TurnedAbout | None = None,
        *,
        cell: float | None = None,
        kept: Kept | None = None,
    ) -> None:
        """``about`` says how the sheet of a back was turned over; ``cell`` is as fine as the whole sheet allows unless given; ``kept`` is
        what stretches of earlier runs left."""
        self._kept = kept
        self.key, self.sheet = plan.run_key, sheet
        self._plan, self._bits, self._about = plan, tuple(bits), about
        self.grid = whole(sheet, cell or cell_for(sheet))
        self.timeline, self._behind = self._made(self.grid)
        self._painter = _painter_of(self.sheet, self.grid)
        self.seconds = 0.0
        self._changes = 0  # counts whatever changes the field
        self._hollow: tuple[int, AnyArray] | None = None
        self._turned: tuple[int, AnyArray, AnyArray] | None = None
        self._is_dropped = False
        self._stays: tuple[Grid, BoolArray] | None = None  # which cells are parts
        self._coarse: tuple[tuple[int, int], AnyArray, AnyArray] | None = None
        self._close: _Close | None = None
        self._parts: StockParts | None = None

    def _behind_of(self, grid: Grid) -> Behind | None:
        if self._about is None or self._plan.front is None:
            return None
        return Behind(self._plan.front, self._about, self.sheet, self._bits, cell=grid.cell, grid=grid, kept=self._kept)

    def _made(self, grid: Grid) -> tuple[StockTimeline, Behind | None]:
        plan = self._plan
        timeline = StockTimeline(
            self.sheet, plan.run, self._bits, cell=grid.cell, grid=grid, times=plan.times.ends, kept=self._kept
        )
        return timeline, self._behind_of(grid)

    # ---- the moment

    def seek(self, seconds: float, *, drops_offcuts: bool = False) -> Box | None:
        """Go to a moment; the cells that may have changed. With ``drops_offcuts`` what is no part is gone once the run is done."""
        touched = self.timeline.seek(seconds)
        self.seconds = seconds
        box = touched_box(touched, self.grid.shape, TILE)
        is_dropped = drops_offcuts and bool(self._plan.parts) and seconds >= self.timeline.duration - 1e-6
        if is_dropped != self._is_dropped:
            self._is_dropped = is_dropped
            box = self.grid.all
        if box is not None:
            self._changes += 1
        return box

    @property
    def field(self) -> AnyArray:
        """Heights with holes where nothing is left between the faces, or has fallen away."""
        field = self.timeline.field if self._behind is None else self._behind.through(self.timeline.field)
        return self._without_offcuts(field, self.grid) if self._is_dropped else field

    def _without_offcuts(self, field: AnyArray, grid: Grid) -> AnyArray:
        if self._stays is None or self._stays[0] != grid:
            region = shapely.transform(shapely.from_wkb(self._plan.parts), lambda xy: xy - (grid.x0, grid.y0))
            self._stays = grid, cells_inside(region, grid.shape, grid.cell)
        return np.where(self._stays[1], field, np.float32(-self.sheet.thickest - NO_WOOD_MM))

    def unlike(self, other: StockChain) -> Box | None:
        """The cells around all that differ from another stock, each at its moment; None where they are the same."""
        if other.grid != self.grid or other.sheet != self.sheet:
            return self.grid.all
        tiles = tile_marks(self.grid.shape)
        unlike_tiles(self.field, other.field, tiles)
        return touched_box(tiles, self.grid.shape, TILE)

    def paint(self, levels: Sequence[AnyArray], box: Box) -> Box:
        """The plan's picture, and coarser ones of it, where a box of cells has changed; the cells painted."""
        box = self._painter.paint(self.field, levels[0], box)
        coarsen(levels, box)
        return box

    def section(self, request: MomentRequest) -> tuple[FloatArray, FloatArray, FloatArray | None]:
        """Heights along the request's line, what is hollow under them, and the underside where the other face has been cut."""
        heights, hollow = self.timeline.hollow_section(*request.line, request.seconds, samples=request.samples)
        under = self._behind.section(*request.line, samples=request.samples) if self._behind is not None else None
        return heights, hollow, under

    # ---- tilted

    def tilted(self, request: TiltRequest, levels: Sequence[AnyArray]) -> AnyArray:
        """The picture asked for, (h, w) uint32; ``levels`` are the plan's pictures. A quick one is drawn from coarser cells where these are
        smaller than its pixels: most of the work is fetching heights from memory."""
        if request.is_fine and not request.is_over:
            near = self._near_stock(request)
            if near is not None:
                return smooth_picture(
                    near, request.view, request.size, around=request.around, background=request.background
                )
        stock = self._turned_over() if request.is_over else Stock(
            self.sheet, self.field, levels[0], self.grid.cell, self._hollow_now()
        )  # fmt: skip
        if request.is_fine:
            return smooth_picture(
                stock, request.view, request.size, around=request.around, background=request.background
            )
        by = 0
        while by + 1 < len(levels) and self.grid.cell * (2 << by) * request.view.scale <= _COARSE_PX:
            by += 1
        if by and not request.is_over:
            stock = self._coarser(stock, levels[by], by)
        return picture(stock, request.view, request.size, around=request.around, background=request.background)[0]

    def _near_stock(self, request: TiltRequest) -> Stock | None:
        """All that a picture shows in cells as small as its pixels; None where the sheet's own are nearly so, or no smaller ones can be had."""
        sheet, view = self.sheet, request.view
        x0, y0, x1, y1 = view.ground(request.size, sheet.thickest)
        box = max(x0, 0.0), max(y0, 0.0), min(x1, sheet.width), min(y1, sheet.height)
        wide, high = box[2] - box[0], box[3] - box[1]
        if wide <= 0 or high <= 0:
            return None
        margin = 2 * _CLOSER_MARGIN_MM
        cell = max(1.0 / view.scale, sqrt((wide + margin) * (high + margin) / _MOST_CELLS_NEAR), _FINEST_NEAR_MM)
        if cell > _WORTH_IT * self.grid.cell:
            return None
        grid, field, pixels = self._in_fine_cells(box, cell)
        hollow = NO_HOLLOW
        if self.timeline.has_undercuts and self._parts is not None:
            hollow = self._parts.hollow(grid, field, self.seconds)
        return Stock(sheet, field, pixels, grid.cell, hollow, (grid.x0, grid.y0))

    def _coarser(self, stock: Stock, painted: AnyArray, by: int) -> Stock:
        """Of every 2^by cells one each way, those the coarser picture stands for."""
        if self._coarse is None or self._coarse[0] != (self._changes, by):
            (ny, nx), step = painted.shape, 1 << by
            rows = slice(
                self.grid.shape[0] - ny * step + step // 2, None, step
            )  # counted from the back, as the picture's are
            columns = slice(step // 2, step // 2 + nx * step, step)
            field = np.ascontiguousarray(stock.field[rows, columns])
            hollow = np.ascontiguousarray(stock.hollow[:, rows, columns]) if stock.hollow.size else stock.hollow
            self._coarse = (self._changes, by), field, hollow
        return Stock(self.sheet, self._coarse[1], painted, stock.cell * (1 << by), self._coarse[2])

    def _hollow_now(self) -> AnyArray:
        if not self.timeline.has_undercuts:
            return NO_HOLLOW
        if self._hollow is None or self._hollow[0] != self._changes:
            self._hollow = self._changes, self.timeline.hollow_field()
        return self._hollow[1]

    def _turned_over(self) -> Stock:
        """The sheet turned over sideways: its underside up, with what goes through."""
        if self._turned is None or self._turned[0] != self._changes:
            thick = self.sheet.thickest
            under = -thick if self._behind is None else self._behind.under
            is_gone = self.field <= (np.float32(-thick + 1e-4) if self._behind is None else self._behind.under + 1e-6)
            up = np.where(is_gone, np.float32(-thick - NO_WOOD_MM), np.float32(-thick) - under).astype(np.float32)
            turned = np.ascontiguousarray(up[:, ::-1])
            pixels = np.empty(self.grid.shape, dtype=np.uint32)
            self._painter.paint(turned, pixels)
            self._turned = self._changes, turned, pixels
        return Stock(self.sheet, self._turned[1], self._turned[2], self.grid.cell)

    # ---- a part of it closer

    def closer(self, request: CloserRequest) -> tuple[Grid, AnyArray]:
        """The part asked for at the moment shown, and its picture (ny, nx)."""
        inner = part(self.sheet, request.box, request.cell)
        grid, _, pixels = self._in_fine_cells(request.box, request.cell)
        i, j = round((inner.x0 - grid.x0) / grid.cell), round((inner.y0 - grid.y0) / grid.cell)
        ny, nx = inner.shape
        last = grid.shape[0] - j
        return inner, np.ascontiguousarray(pixels[last - ny : last, i : i + nx])

    def _in_fine_cells(self, box: tuple[float, float, float, float], cell: float) -> tuple[Grid, AnyArray, AnyArray]:
        """A box of the stock (mm) with what lights it from beside, at the moment shown: its field and its picture, (ny, nx)."""
        margin = _CLOSER_MARGIN_MM
        x0, y0, x1, y1 = box
        grid = part(self.sheet, (x0 - margin, y0 - margin, x1 + margin, y1 + margin), cell)
        if self._parts is None:
            self._parts = StockParts(
                self.sheet, self._plan.run, self._bits, times=self._plan.times.ends, chord_tolerance_mm=0.005
            )
        if self._close is None or self._close.grid != grid:
            self._close = _Close(grid, Painter(self.sheet, grid), self._behind_of(grid))
        close = self._close
        field = self._parts.field(grid, self.seconds)
        if close.behind is not None:
            field = close.behind.through(field)
        if self._is_dropped:
            field = self._without_offcuts(field, grid)
        pixels = np.empty(grid.shape, dtype=np.uint32)
        close.painter.paint(field, pixels)
        return grid, field, pixels


_painters: list[Painter] = []  # the sheet stays while its cuts change, and its face takes as long to draw as the cuts
_MOST_PAINTERS = 3


def _painter_of(sheet: Sheet, grid: Grid) -> Painter:
    known = next((one for one in _painters if one.grid == grid and one.sheet == sheet), None)
    if known is None:
        known = Painter(sheet, grid)
        _painters.append(known)
        del _painters[:-_MOST_PAINTERS]
    return known


def thumb(plan: BoardPlan, sheet: Sheet, bits: Sequence[Bit], about: TurnedAbout | None, width: int) -> AnyArray:
    """A small picture of the finished stock, (ny, nx) uint32, at least as fine as ``width`` pixels across."""
    chain = StockChain(plan, sheet, bits, about, cell=cell_for(sheet, most_cells=THUMB_CELLS))
    chain.seek(chain.timeline.duration)
    pixels = np.empty(chain.grid.shape, dtype=np.uint32)
    chain.paint([pixels], chain.grid.all)
    return _shrunk(pixels, max(1, pixels.shape[1] // (2 * width)))


def _shrunk(pixels: AnyArray, by: int) -> AnyArray:
    """Every ``by`` x ``by`` pixels as one, their mean."""
    if by <= 1:
        return pixels
    ny, nx = pixels.shape[0] // by, pixels.shape[1] // by
    blocks = pixels[: ny * by, : nx * by].reshape(ny, by, nx, by)
    out = np.full((ny, nx), 0xFF000000, dtype=np.uint32)
    for shift in (0, 8, 16):
        mean = ((blocks >> shift) & 255).mean(axis=(1, 3)).astype(np.uint32)
        out |= mean << shift
    return out
