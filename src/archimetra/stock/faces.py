"""Both faces of one sheet: what has been cut of the front, seen from the back.

Heights of a back count from the back's own face as it lies up. Where the front was cut to F below its face, the wood's underside lies
F above the bottom, -(thickness) - F; where that reaches the face there is no wood.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from archimetra.geometry.arrays import AnyArray, FloatArray
from archimetra.job.bits import Bit
from archimetra.job.setups import TurnedAbout
from archimetra.job.sheet import NO_WOOD_MM, Sheet
from archimetra.job.turning import over
from archimetra.stock.grid import Grid, part, whole
from archimetra.stock.stretches import Kept
from archimetra.stock.timeline import StockTimeline
from archimetra.toolpath.shared.front import FrontFace

Place = tuple[float, float]


class Behind:
    """The finished front of a back whose sheet is ``sheet``."""

    def __init__(
        self,
        front: FrontFace,
        about: TurnedAbout,
        sheet: Sheet,
        bits: Sequence[Bit],
        *,
        cell: float,
        grid: Grid | None = None,
        kept: Kept | None = None,
    ) -> None:
        """``grid`` is what of the back is asked about: all of it, in cells of ``cell`` mm. ``kept`` as for a timeline."""
        self._grid = grid or whole(sheet, cell)
        self._over = over(about, sheet)
        x0, y0, x1, y1 = self._grid.extent
        (ax, ay), (bx, by) = self._over.apply(np.array([(x0, y0), (x1, y1)]))
        box = min(ax, bx), min(ay, by), max(ax, bx), max(ay, by)
        there = part(front.sheet, box, cell)
        self._timeline = StockTimeline(front.sheet, front.run, bits, cell=cell, grid=there, kept=kept)
        self._timeline.seek(self._timeline.duration)
        self._full = front.sheet.thickest
        self._sheet = sheet
        self.under = self._field()

    def _field(self) -> AnyArray:
        """The underside of every cell of the back (ny, nx), mm below the back's face; the sheet's bottom where nothing is cut."""
        grid, there = self._grid, self._timeline.grid
        ny, nx = grid.shape
        x, y = grid.x0 + (np.arange(nx) + 0.5) * grid.cell, grid.y0 + (np.arange(ny) + 0.5) * grid.cell
        fx, fy = self._over.a * x + self._over.e, self._over.d * y + self._over.f
        front = self._timeline.field
        i = np.clip(np.floor((fx - there.x0) / there.cell).astype(np.int64), 0, front.shape[1] - 1)
        j = np.clip(np.floor((fy - there.y0) / there.cell).astype(np.int64), 0, front.shape[0] - 1)
        return np.asarray(-self._sheet.thickest - self.cut_of(front[np.ix_(j, i)]), dtype=np.float32)

    def section(self, a: Place, b: Place, *, samples: int) -> FloatArray:
        """The underside along a line of the back (samples,)."""
        (fa,), (fb,) = self._over.apply(np.array([a])), self._over.apply(np.array([b]))
        front = self._timeline.section(
            (float(fa[0]), float(fa[1])), (float(fb[0]), float(fb[1])), self._timeline.duration, samples=samples
        )
        return np.asarray(-self._sheet.thickest - self.cut_of(front))

    def cut_of(self, front: AnyArray) -> AnyArray:
        """What was cut of the front beyond what facing all of it took off, below 0."""
        return np.minimum(front + (self._full - self._sheet.thickest), 0.0)

    def through(self, field: AnyArray) -> AnyArray:
        """The field of the back with holes where nothing is left between the faces."""
        return np.where(field <= self.under + 1e-6, np.float32(-self._sheet.thickest - NO_WOOD_MM), field)
