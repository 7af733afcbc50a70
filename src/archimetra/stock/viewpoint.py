"""From where the stock is looked at, and what stands around it: what a picture is asked for with, without what draws it."""

from __future__ import annotations

from math import cos, radians, sin
from typing import NamedTuple

from archimetra.geometry.arrays import FloatArray
from archimetra.job.bits import Bit
from archimetra.job.sheet import Fixture, Sheet

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
        import numpy as np  # not on the way to the first window

        ct, st, se, ce = self.axes
        d = np.asarray(points, dtype=np.float64) - (*self.middle, 0.0)
        across = d[..., 0] * ct + d[..., 1] * st
        away = -d[..., 0] * st + d[..., 1] * ct
        x = size[0] / 2 + across * self.scale
        y = size[1] / 2 - (away * se + d[..., 2] * ce) * self.scale
        return np.stack((x, y, away), axis=-1)

    def ground(self, size: tuple[int, int], thickness: float) -> tuple[float, float, float, float]:
        """The box (x0, y0, x1, y1) around all of the board that a picture of (width, height) shows, from its top down to ``thickness`` below."""
        ct, st, se, ce = self.axes
        wide, high = size[0] / 2 / self.scale, size[1] / 2 / self.scale
        near, far = -high / se, (high + thickness * ce) / se
        corners = [(u * ct - t * st, u * st + t * ct) for u in (-wide, wide) for t in (near, far)]
        (x, y), (xs, ys) = self.middle, zip(*corners, strict=True)
        return x + min(xs), y + min(ys), x + max(xs), y + max(ys)

    def scaled(self, by: float) -> View:
        return self._replace(scale=self.scale * by)


def fitting(sheet: Sheet, turn: float, above: float, size: tuple[int, int], *, room: float = 0.06) -> View:
    """The view that shows the whole sheet with some room around it."""
    import numpy as np

    view = View(turn, above, (sheet.width / 2, sheet.height / 2), 1.0)
    corners = np.array(
        [(x, y, z) for x in (0.0, sheet.width) for y in (0.0, sheet.height) for z in (0.0, -sheet.thickest)]
    )
    at = view.to_screen(corners, (0, 0))[:, :2]
    wide, high = np.ptp(at, axis=0)
    return view._replace(scale=(1 - 2 * room) * min(size[0] / max(wide, 1e-6), size[1] / max(high, 1e-6)))


class Around(NamedTuple):
    """What stands around it: the box of the bed (x0, y0, x1, y1) and its colour, fixtures, the bit with the place of its tip, and its colour."""

    bed: tuple[float, float, float, float] | None = None
    bed_colour: tuple[int, int, int] = (171, 158, 136)
    fixtures: tuple[Fixture, ...] = ()
    bit: Bit | None = None
    at: tuple[float, float, float] = (0.0, 0.0, 0.0)
    hue: tuple[int, int, int] = (176, 184, 188)
