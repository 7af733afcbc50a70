"""``Grid``: the cells of a height field on a board."""

from __future__ import annotations

from math import ceil, floor, sqrt
from typing import NamedTuple

from archimetra.job.sheet import Sheet

MOST_CELLS = 3_000_000
FINEST_MM = 0.1

Box = tuple[int, int, int, int]
"""Cells x0, y0, x1, y1, the last ones not in it."""


class Grid(NamedTuple):
    """Cell (j, i) is centred at (``x0`` + (i + 0.5) ``cell``, ``y0`` + (j + 0.5) ``cell``) in board coordinates; ``shape`` rows and columns."""

    x0: float
    y0: float
    shape: tuple[int, int]
    cell: float

    @property
    def extent(self) -> tuple[float, float, float, float]:
        """What it covers of the board: x0, y0, x1, y1, mm."""
        ny, nx = self.shape
        return self.x0, self.y0, self.x0 + nx * self.cell, self.y0 + ny * self.cell

    @property
    def all(self) -> Box:
        return 0, 0, self.shape[1], self.shape[0]


def cell_for(sheet: Sheet, *, most_cells: int = MOST_CELLS) -> float:
    """The finest cell, in twentieths of a mm, that keeps the sheet within ``most_cells``."""
    fine = sqrt(sheet.width * sheet.height / most_cells)
    return max(FINEST_MM, ceil(fine * 20) / 20)


def grid_shape(sheet: Sheet, cell: float) -> tuple[int, int]:
    """Rows and columns of a field over the whole sheet."""
    return ceil(sheet.height / cell - 1e-9), ceil(sheet.width / cell - 1e-9)


def whole(sheet: Sheet, cell: float) -> Grid:
    """All of a sheet."""
    return Grid(0.0, 0.0, grid_shape(sheet, cell), cell)


def part(sheet: Sheet, box: tuple[float, float, float, float], cell: float) -> Grid:
    """What lies of a sheet within a box (mm) and in cells that stand where those of the whole would; one cell at the least."""
    ny, nx = grid_shape(sheet, cell)
    i0, j0 = (min(max(floor(v / cell), 0), n - 1) for v, n in ((box[0], nx), (box[1], ny)))
    i1, j1 = (min(max(ceil(v / cell), low + 1), n) for v, low, n in ((box[2], i0, nx), (box[3], j0, ny)))
    return Grid(i0 * cell, j0 * cell, (j1 - j0, i1 - i0), cell)
