"""A sheet's edge and its flaws as lines to paint."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QPainterPath, QPolygonF

from archimetra.geometry.path import Path
from archimetra.job.sheet import Sheet

_FLAT_MM = 0.1


def sheet_path(sheet: Sheet) -> QPainterPath:
    """The edge of the wood in board coordinates, openings left out."""
    if sheet.outline:
        return painter_path(sheet.outline)
    path = QPainterPath()
    path.addRect(0.0, 0.0, sheet.width, sheet.height)
    return path


@lru_cache(maxsize=64)
def painter_path(outlines: tuple[Path, ...]) -> QPainterPath:
    """Closed paths as one to paint, by the even-odd rule; in their own coordinates."""
    path = QPainterPath()
    path.setFillRule(Qt.FillRule.OddEvenFill)
    for outline in outlines:
        path.addPolygon(QPolygonF([QPointF(x, y) for x, y in outline.flatten(_FLAT_MM).tolist()]))
    return path


def placed(path: QPainterPath, place: Callable[[float, float], QPointF]) -> QPainterPath:
    """The same where ``place`` maps board coordinates to on the screen: by a scale for each axis and a shift."""
    from PySide6.QtGui import QTransform

    origin, right, up = place(0.0, 0.0), place(1.0, 0.0), place(0.0, 1.0)
    return QTransform(
        right.x() - origin.x(), right.y() - origin.y(), up.x() - origin.x(), up.y() - origin.y(), origin.x(), origin.y()
    ).map(path)
