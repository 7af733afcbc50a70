"""Pictures of the stock: the sheet's face as wood with grain, and the light on what is cut."""

from __future__ import annotations

from collections.abc import Sequence
from math import ceil, cos, radians, sin

import numpy as np

from archimetra.geometry.arrays import AnyArray
from archimetra.job.materials import rgb
from archimetra.job.sheet import Sheet
from archimetra.stock.bands import in_bands, together
from archimetra.stock.grid import Box, Grid
from archimetra.stock.shade_kernels import FALL, grain, halved, horizon, mean_around, shade

SPOILBOARD = (171, 158, 136)
NEAR_MM, WIDE_MM = 1.1, 5.0  # how far around a place what hides the sky from it is looked for
_MOST_CELLS_FAR = 220  # light is followed no farther than this: in fine cells what lies beyond is out of the picture


def face(sheet: Sheet, grid: Grid) -> AnyArray:
    """The uncut face, (ny, nx) uint32 0x00RRGGBB, grain along ``grain_degrees``. The same sheet always looks the same, however fine the cells."""
    base, line = (np.array(rgb(tone), dtype=np.float32) for tone in sheet.tones)
    angle = radians(sheet.grain_degrees)
    out = np.empty(grid.shape, dtype=np.uint32)

    def band(first: int, last: int) -> None:
        grain(out, grid.x0, grid.y0, grid.cell, cos(angle), sin(angle), base, line, first, last)

    in_bands(grid.shape[0], band)
    return out


class Painter:
    """Paints fields of one sheet over one grid; keeps its face between pictures."""

    def __init__(self, sheet: Sheet, grid: Grid) -> None:
        self.sheet, self.grid = sheet, grid
        self.wood = face(sheet, grid)
        deepest = sheet.thickest
        far = ceil(max(deepest / FALL, WIDE_MM) / grid.cell) + 2
        self.reach = min(far, _MOST_CELLS_FAR)
        """So many cells around what changed look different."""
        self._grain = cos(radians(sheet.grain_degrees)), sin(radians(sheet.grain_degrees))

    def paint(self, field: AnyArray, pixels: AnyArray, box: Box | None = None) -> Box:
        """Fill ``pixels`` (ny, nx) uint32 0xffRRGGBB, back of the sheet on top, where cells within ``box`` (all) have changed; the
        cells that were painted."""
        ny, nx = self.grid.shape
        x0, y0, x1, y1 = box or (0, 0, nx, ny)
        r = self.reach
        out = (max(x0 - r, 0), max(y0 - r, 0), min(x1 + r, nx), min(y1 + r, ny))
        a, b, c, d = max(out[0] - r, 0), max(out[1] - r, 0), min(out[2] + r, nx), min(out[3] + r, ny)
        part = np.ascontiguousarray(field[b:d, a:c])
        edge, near, wide = (np.empty(part.shape, dtype=np.float32) for _ in range(3))
        cell, low = self.grid.cell, -self.sheet.thickest
        spans = [min(max(1, round(mm / cell)), r) for mm in (NEAR_MM, WIDE_MM)]

        def mean(to: AnyArray, span: int) -> None:
            mean_around(part, low, to, span)

        together(
            lambda: mean(near, spans[0]),
            lambda: mean(wide, spans[1]),
            lambda: horizon(part, edge, FALL * cell),
        )
        around, reach, under = (
            _with_neighbours(field, out),
            np.array(spans) * cell,
            np.array(SPOILBOARD, dtype=np.uint8),
        )

        def band(first: int, last: int) -> None:
            shade(
                around[first : last + 2], edge, near, wide, reach, self.wood, under, self.sheet.thinnest, cell, *self._grain, pixels,
                (out[0], out[1] + first, out[2], out[1] + last), (out[0] - a, out[1] - b + first),
            )  # fmt: skip

        in_bands(out[3] - out[1], band)
        return out


def coarsen(levels: Sequence[AnyArray], box: Box) -> None:
    """Bring the coarser pictures up to date with the first where the cells of a box were painted, so that seen from far away thin lines are
    thin and not broken."""
    ny = levels[0].shape[0]
    left, right = box[0], box[2]
    first, last = ny - box[3], ny - box[1]  # rows
    for fine, coarse in zip(levels, levels[1:], strict=False):
        left, first = left // 2, first // 2
        right, last = min((right + 1) // 2, coarse.shape[1]), min((last + 1) // 2, coarse.shape[0])
        halved(fine, coarse, left, first, right, last)


def touched_box(tiles: AnyArray, shape: tuple[int, int], tile: int) -> Box | None:
    """The cells around all touched tiles; None for none."""
    rows, columns = np.flatnonzero(tiles.any(axis=1)), np.flatnonzero(tiles.any(axis=0))
    if not len(rows):
        return None
    return (
        int(columns[0]) * tile,
        int(rows[0]) * tile,
        min((int(columns[-1]) + 1) * tile, shape[1]),
        min((int(rows[-1]) + 1) * tile, shape[0]),
    )


def _with_neighbours(field: AnyArray, box: Box) -> AnyArray:
    """The cells of a box and one more on every side; at the field's edge its last cells once more."""
    x0, y0, x1, y1 = box
    ny, nx = field.shape
    inner = field[max(y0 - 1, 0) : y1 + 1, max(x0 - 1, 0) : x1 + 1]
    beyond = ((int(y0 == 0), int(y1 == ny)), (int(x0 == 0), int(x1 == nx)))
    return np.ascontiguousarray(np.pad(inner, beyond, mode="edge"))
