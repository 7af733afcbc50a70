"""Findings on the plan: a triangle where each lies, the graver on top; where they crowd, one stands for those under it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QPainter, QPen, QPixmap, QPolygonF

from archimetra.app.views.plan_surface import PlanSurface
from archimetra.app.views.viewport import Viewport
from archimetra.base.findings import Finding, Severity
from archimetra.geometry.arrays import FloatArray

_GRAVEST_FIRST = tuple(reversed(Severity))
REACH_PX = 12.0
CROWDED_PX = 12.0  # marks nearer than this would only hide each other
_HALF_PX = 11  # a mark's picture reaches this far from its place


class FindingMarks:
    def __init__(self, plan: PlanSurface) -> None:
        self._plan = plan
        self._found: list[Finding] = []
        self._places: FloatArray | None = None
        self._pictures: dict[tuple[bool, float, Severity], QPixmap] = {}
        self._shown: tuple[float, list[int]] = (0.0, [])  # at which scale, and which of them

    def show(self, findings: Sequence[Finding]) -> None:
        placed = [finding for finding in findings if finding.at is not None]
        self._found = sorted(placed, key=lambda finding: _GRAVEST_FIRST.index(finding.severity))
        places = [finding.at for finding in self._found]
        self._places = np.array(places, dtype=float).reshape(-1, 2) if places else None
        self._shown = (0.0, [])
        self._plan.update()

    def at(self, at: QPointF) -> Finding | None:
        """The finding whose mark lies nearest, within reach."""
        shown = self._seen_from(self._plan.view)
        if not shown or self._places is None:
            return None
        away = np.hypot(*(self._plan.view.points(self._places[shown]) - (at.x(), at.y())).T)
        nearest = int(np.argmin(away))
        return self._found[shown[nearest]] if away[nearest] <= REACH_PX else None

    def paint(self, painter: QPainter) -> None:
        plan = self._plan
        shown = self._seen_from(plan.view)
        if not shown or self._places is None:
            return
        at = plan.view.points(self._places[shown])
        in_sight = ((at > -_HALF_PX) & (at < (plan.width() + _HALF_PX, plan.height() + _HALF_PX))).all(axis=1)
        for k in np.flatnonzero(in_sight)[::-1].tolist():
            corner = QPointF(at[k, 0] - _HALF_PX, at[k, 1] - _HALF_PX)
            painter.drawPixmap(corner, self._picture(self._found[shown[k]].severity))

    def _seen_from(self, view: Viewport) -> list[int]:
        """Which marks stand at this scale: of those that crowd into one cell of the board the gravest."""
        if self._places is None:
            return []
        if self._shown[0] != view.scale:
            cells = np.floor(self._places * (view.scale / CROWDED_PX))
            _, first = np.unique(cells, axis=0, return_index=True)
            self._shown = (view.scale, np.sort(first).tolist())
        return self._shown[1]

    def _picture(self, severity: Severity) -> QPixmap:
        tokens, ratio = self._plan.tokens, self._plan.devicePixelRatioF()
        key = (tokens.is_dark, ratio, severity)
        if key not in self._pictures:
            side = round(2 * _HALF_PX * ratio)
            picture = QPixmap(side, side)
            picture.setDevicePixelRatio(ratio)
            picture.fill(Qt.GlobalColor.transparent)
            painter = QPainter(picture)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.translate(_HALF_PX, _HALF_PX)
            painter.setPen(QPen(tokens.color("panel"), 1.5))
            painter.setBrush(tokens.color("picked" if severity is Severity.STOP else "caution"))
            painter.drawPolygon(QPolygonF([QPointF(0, -9), QPointF(9, 7), QPointF(-9, 7)]))
            painter.setPen(QPen(tokens.color("panel"), 1.8))
            painter.drawLine(QPointF(0, -3), QPointF(0, 2))
            painter.drawPoint(QPointF(0, 4.6))
            painter.end()
            self._pictures[key] = picture
        return self._pictures[key]
