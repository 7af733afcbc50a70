"""What is left standing, marked on the plan: the ground itself tinted, and a ring about places too small to be seen."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPen

from archimetra.app.views.plan_surface import PlanSurface
from archimetra.stock.standing_results import Left, Spot

SMALL_PX = 14.0


class LeftMarks:
    def __init__(self, plan: PlanSurface) -> None:
        self._plan = plan
        self._spots: list[Spot] = []
        self._images: dict[tuple[int, bool], QImage] = {}

    def show(self, left: Sequence[Left]) -> None:
        spots = [spot for one in left for spot in one.spots]
        if spots or self._spots:
            self._spots = spots
            self._images.clear()
            self._plan.update()

    @property
    def spots(self) -> list[Spot]:
        return self._spots

    def paint(self, painter: QPainter) -> None:
        plan = self._plan
        ink = plan.tokens.color("picked")
        for spot in self._spots:
            where = plan.view.rect(*spot.box)
            if not where.intersects(plan.rect().toRectF()):
                continue
            painter.drawImage(where, self._image(spot))
            if max(where.width(), where.height()) < SMALL_PX:
                painter.setPen(QPen(ink, 1.3))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawEllipse(QPointF(where.center()), SMALL_PX / 2, SMALL_PX / 2)

    def _image(self, spot: Spot) -> QImage:
        key = (id(spot), self._plan.tokens.is_dark)
        if key not in self._images:
            self._images[key] = mask_image(spot, self._plan.tokens.color("picked"))
        return self._images[key]


def mask_image(spot: Spot, colour: QColor) -> QImage:
    """A spot's cells as a picture, its first row the farthest from the operator."""
    import numpy as np

    tint = np.where(spot.mask[::-1], np.uint32(0xC0000000 | (colour.rgb() & 0xFFFFFF)), np.uint32(0))
    ny, nx = tint.shape
    return QImage(
        np.ascontiguousarray(tint, dtype=np.uint32).tobytes(), nx, ny, 4 * nx, QImage.Format.Format_ARGB32
    ).copy()
