"""The stock seen from anywhere, parallel: a picture of it and how far away each pixel lies."""

from __future__ import annotations

from math import cos, radians, sin
from typing import NamedTuple

import numpy as np

from archimetra.geometry.arrays import AnyArray, FloatArray
from archimetra.job.sheet import Sheet
from archimetra.stock.shade import SPOILBOARD
from archimetra.stock.tilt_kernels import tilt

LOWEST, HIGHEST = 8.0, 90.0  # degrees above the board the eye may stand


class View(NamedTuple):
    """From where: ``turn`` degrees counter-clockwise the board is turned under the eye, ``above`` degrees the eye stands over it; ``middle`` of the
    picture on the board, at the height of its top; ``scale`` in pixels per mm."""

    turn: float
    above: float
    middle: tuple[float, float]
    scale: float

    @property
    def axes(self) -> tuple[float, float, float, float]:
        """Cosine and sine of the turn, sine and cosine of the elevation."""
        turn, above = radians(-self.turn), radians(min(max(self.above, LOWEST), HIGHEST))
        return cos(turn), sin(turn), sin(above), cos(above)

    def to_screen(self, points: FloatArray, size: tuple[int, int]) -> FloatArray:
        """Where places (n, 3) of the board show in a picture of (width, height): x, y and how far beyond the middle they lie (n, 3)."""
        ct, st, se, ce = self.axes
        d = np.asarray(points, dtype=np.float64) - (*self.middle, 0.0)
        across = d[..., 0] * ct + d[..., 1] * st
        away = -d[..., 0] * st + d[..., 1] * ct
        x = size[0] / 2 + across * self.scale
        y = size[1] / 2 - (away * se + d[..., 2] * ce) * self.scale
        return np.stack((x, y, away), axis=-1)


def fitting(sheet: Sheet, turn: float, above: float, size: tuple[int, int], *, room: float = 0.06) -> View:
    """The view that shows the whole sheet with some room around it."""
    view = View(turn, above, (sheet.width / 2, sheet.height / 2), 1.0)
    corners = np.array(
        [(x, y, z) for x in (0.0, sheet.width) for y in (0.0, sheet.height) for z in (0.0, -sheet.thickest)]
    )
    at = view.to_screen(corners, (0, 0))[:, :2]
    wide, high = np.ptp(at, axis=0)
    return view._replace(scale=(1 - 2 * room) * min(size[0] / max(wide, 1e-6), size[1] / max(high, 1e-6)))


def picture(
    field: AnyArray,
    wood: AnyArray,
    sheet: Sheet,
    cell: float,
    view: View,
    size: tuple[int, int],
    *,
    background: int = 0xFFDED7C8,
) -> tuple[AnyArray, AnyArray]:
    """``pixels`` (h, w) uint32 0xffRRGGBB and ``depth`` (h, w), mm beyond the middle, inf off the sheet. ``wood`` (ny, nx, 3) is its face uncut."""
    width, height = size
    pixels = np.full((height, width), background, dtype=np.uint32)
    depth = np.full((height, width), np.inf, dtype=np.float32)
    seen = np.array((*view.middle, *view.axes, view.scale))
    tilt(
        field, wood, np.array(SPOILBOARD, dtype=np.uint8), sheet.thickest, sheet.width, sheet.height, cell, seen, depth, pixels, 0, width,
    )  # fmt: skip
    return pixels, depth
