"""Where the plan looks: millimetres to pixels and back. Board y goes up, the screen's goes down."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from PySide6.QtCore import QPointF, QRectF

from archimetra.geometry.arrays import FloatArray

SMALLEST, LARGEST = 0.02, 400.0  # px per mm


class Viewport(NamedTuple):
    """``scale`` px per mm; (``x``, ``y``): where board 0, 0 lies on the widget."""

    scale: float = 1.0
    x: float = 0.0
    y: float = 0.0

    def to_screen(self, x: float, y: float) -> QPointF:
        return QPointF(self.x + x * self.scale, self.y - y * self.scale)

    def to_board(self, point: QPointF) -> tuple[float, float]:
        return (point.x() - self.x) / self.scale, (self.y - point.y()) / self.scale

    def points(self, xy: FloatArray) -> FloatArray:
        """Board points (n, 2) on the screen."""
        return np.asarray(xy * (self.scale, -self.scale) + (self.x, self.y))

    def rect(self, x0: float, y0: float, x1: float, y1: float) -> QRectF:
        return QRectF(self.to_screen(x0, y1), self.to_screen(x1, y0))

    def zoomed(self, factor: float, about: QPointF) -> Viewport:
        """Zoomed so that what lies under ``about`` stays there."""
        scale = min(max(self.scale * factor, SMALLEST), LARGEST)
        ratio = scale / self.scale
        return Viewport(scale, about.x() + (self.x - about.x()) * ratio, about.y() + (self.y - about.y()) * ratio)

    def panned(self, dx: float, dy: float) -> Viewport:
        return self._replace(x=self.x + dx, y=self.y + dy)


def fitting(box: tuple[float, float, float, float], width: float, height: float, margin: float) -> Viewport:
    """The view that shows a box of the board whole and centred."""
    x0, y0, x1, y1 = box
    scale = min((width - 2 * margin) / max(x1 - x0, 1e-6), (height - 2 * margin) / max(y1 - y0, 1e-6))
    scale = min(max(scale, SMALLEST), LARGEST)
    return Viewport(scale, width / 2 - (x0 + x1) / 2 * scale, height / 2 + (y0 + y1) / 2 * scale)
