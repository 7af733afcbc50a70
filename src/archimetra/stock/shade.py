"""Pictures of the stock: the sheet's face as wood with grain, and the light on what is cut."""

from __future__ import annotations

from math import cos, radians, sin

import numpy as np

from archimetra.geometry.arrays import AnyArray
from archimetra.job.materials import rgb
from archimetra.job.sheet import Sheet
from archimetra.stock.shade_kernels import shade

SPOILBOARD = (150, 141, 124)


def face(sheet: Sheet, shape: tuple[int, int], cell: float) -> AnyArray:
    """The uncut face, (ny, nx, 3) uint8, grain along ``grain_degrees``. The same sheet always looks the same."""
    base, line = (np.array(rgb(tone), dtype=np.float32) for tone in sheet.tones)
    angle = radians(sheet.grain_degrees)
    y, x = np.ogrid[0 : shape[0], 0 : shape[1]]
    px, py = (x + 0.5) * cell, (y + 0.5) * cell
    along = (px * cos(angle) + py * sin(angle)).astype(np.float32)
    across = (-px * sin(angle) + py * cos(angle)).astype(np.float32)
    warp = across + 2.4 * np.sin(along / 61) + 1.1 * np.sin(along / 23 + across / 31) + 3.5 * np.sin(across / 47)
    bands = 0.5 + 0.5 * np.sin(warp * 0.62 + 1.3 * np.sin(warp * 0.17))
    fine = 0.5 + 0.5 * np.sin(warp * 5.1 + 0.8 * np.sin(along / 9))
    mix = np.clip(0.36 * bands**3 + 0.14 * fine, 0.0, 1.0)[..., None]
    return np.asarray((base * (1 - mix) + line * mix), dtype=np.uint8)


def paint(
    field: AnyArray, wood: AnyArray, sheet: Sheet, cell: float, pixels: AnyArray, box: tuple[int, int, int, int]
) -> None:
    """Fill ``pixels`` (ny, nx) uint32 0xffRRGGBB, back of the sheet on top, for the cells (x0, y0, x1, y1)."""
    shade(field, wood, np.array(SPOILBOARD, dtype=np.uint8), sheet.thinnest, cell, pixels, *box)


def touched_box(tiles: AnyArray, shape: tuple[int, int], tile: int, margin: int) -> tuple[int, int, int, int] | None:
    """The cells (x0, y0, x1, y1) around all touched tiles, with a margin for light and shadow; None for none."""
    rows, columns = np.flatnonzero(tiles.any(axis=1)), np.flatnonzero(tiles.any(axis=0))
    if not len(rows):
        return None
    return (
        max(int(columns[0]) * tile - margin, 0),
        max(int(rows[0]) * tile - margin, 0),
        min((int(columns[-1]) + 1) * tile + margin, shape[1]),
        min((int(rows[-1]) + 1) * tile + margin, shape[0]),
    )
