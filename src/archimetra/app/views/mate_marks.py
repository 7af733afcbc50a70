"""The side gap of an inlay all round its outline, on the plan: where it is even, where it is tight, where wood meets wood."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QObject, QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen

from archimetra.app.theme import style
from archimetra.app.views.plan_surface import PlanSurface
from archimetra.stock.mate_results import MEETS_MM, Mate

LOOSE_MM = 0.1  # a glue line wider than this is seen


class MateMarks(QObject):
    """Short marks square to nothing, one for each place measured: filled where wood meets wood, open circles where it is loose."""

    def __init__(self, plan: PlanSurface) -> None:
        super().__init__(plan)
        self._plan = plan
        self._mate: Mate | None = None

    def show_mate(self, mate: Mate | None) -> None:
        if mate is not self._mate:
            self._mate = mate
            self._plan.update()

    @property
    def mate(self) -> Mate | None:
        return self._mate

    def paint(self, painter: QPainter) -> None:
        mate = self._mate
        if mate is None:
            return
        tokens, view = self._plan.tokens, self._plan.view
        gaps = mate.map.gaps
        for kind, rows in _kinds(gaps):
            colour = {"meets": "picked", "loose": "caution", "even": "accent"}[kind]
            painter.setPen(QPen(tokens.color(colour), 1.4))
            painter.setBrush(tokens.color(colour) if kind == "meets" else Qt.BrushStyle.NoBrush)
            r = {"meets": 3.0, "loose": 2.5, "even": 0.8}[kind]
            for k in rows:
                painter.drawEllipse(view.to_screen(*mate.map.places[k]), r, r)
        if mate.map.worst >= 0:
            self._paint_worst(painter, mate)

    def _paint_worst(self, painter: QPainter, mate: Mate) -> None:
        tokens = self._plan.tokens
        at = self._plan.view.to_screen(*mate.map.places[mate.map.worst])
        gap = float(mate.map.gaps[mate.map.worst])
        is_bad = gap < MEETS_MM
        words = f"wood meets wood by {-gap:.2f} mm" if is_bad else f"tightest: {max(gap, 0.0):.2f} mm"
        painter.setFont(style.font(11))
        width = painter.fontMetrics().horizontalAdvance(words) + 12
        room = self._plan.width()
        x = at.x() + 12 if at.x() + 12 + width < room else at.x() - 12 - width
        box = QRectF(x, at.y() - 22, width, 18)
        painter.setPen(QPen(tokens.color("picked" if is_bad else "ink"), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(at, 6.0, 6.0)
        painter.drawLine(
            QPointF(at.x() + (4 if x > at.x() else -4), at.y() - 4),
            QPointF(x if x > at.x() else x + width, at.y() - 12),
        )
        painter.setBrush(tokens.color("panel", 235))
        painter.drawRoundedRect(box, 3, 3)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)


def _kinds(gaps: np.ndarray) -> list[tuple[str, list[int]]]:
    """Rows by what they are, the bad ones last so that they lie on top."""
    is_known = np.isfinite(gaps)
    with np.errstate(invalid="ignore"):
        meets, loose = is_known & (gaps < MEETS_MM), is_known & (gaps > LOOSE_MM)
    even = is_known & ~meets & ~loose
    return [
        (kind, np.flatnonzero(rows).tolist()) for kind, rows in (("even", even), ("loose", loose), ("meets", meets))
    ]
