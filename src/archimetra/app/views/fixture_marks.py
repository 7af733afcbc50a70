"""Clamps and screws on the plan: blocks with their height, dragged to where they stand."""

from __future__ import annotations

from PySide6.QtCore import QObject, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from archimetra.app.theme import style
from archimetra.app.views.plan_surface import PlanSurface
from archimetra.job.quantities import format_length
from archimetra.job.sheet import Fixture, FixtureKind


class FixtureMarks(QObject):
    dropped = Signal(int, float, float)  # which, and its new middle in mm

    def __init__(self, plan: PlanSurface) -> None:
        super().__init__(plan)
        self._plan = plan
        self._fixtures: tuple[Fixture, ...] = ()
        self._held: int | None = None
        self._shift = (0.0, 0.0)
        self.are_movable = False  # only while the Board page is shown: on other pages they would be in the way

    def show_fixtures(self, fixtures: tuple[Fixture, ...]) -> None:
        if fixtures != self._fixtures:
            self._fixtures = fixtures
            self._plan.update()

    def press(self, at: QPointF) -> bool:
        if not self.are_movable:
            return False
        self._held, self._shift = None, (0.0, 0.0)
        for k, fixture in enumerate(self._fixtures):
            if self._outline(fixture).containsPoint(at, Qt.FillRule.OddEvenFill):
                self._held = k
        return self._held is not None

    def drag(self, begin: QPointF, at: QPointF) -> None:
        (x0, y0), (x1, y1) = self._plan.view.to_board(begin), self._plan.view.to_board(at)
        self._shift = (x1 - x0, y1 - y0)

    def drop(self) -> None:
        k, (dx, dy) = self._held, self._shift
        self._held, self._shift = None, (0.0, 0.0)
        if k is not None and (dx or dy):
            self.dropped.emit(k, round(self._fixtures[k].x + dx, 1), round(self._fixtures[k].y + dy, 1))

    def _outline(self, fixture: Fixture) -> QPolygonF:
        from math import cos, pi, radians, sin

        if fixture.kind is FixtureKind.SCREW:
            turns = [2 * pi * k / 28 for k in range(28)]
            places = [(fixture.x + fixture.width / 2 * cos(t), fixture.y + fixture.width / 2 * sin(t)) for t in turns]
        else:
            c, s = cos(radians(fixture.degrees)), sin(radians(fixture.degrees))
            w, d = fixture.width / 2, fixture.height / 2
            corners = ((-w, -d), (w, -d), (w, d), (-w, d))
            places = [(fixture.x + x * c - y * s, fixture.y + x * s + y * c) for x, y in corners]
        return QPolygonF([self._plan.view.to_screen(*place) for place in places])

    def paint(self, painter: QPainter) -> None:
        unit = self._plan.unit
        for k, fixture in enumerate(self._fixtures):
            outline = self._outline(fixture)
            if k == self._held:
                a, b = self._plan.view.to_screen(0, 0), self._plan.view.to_screen(*self._shift)
                outline.translate(b - a)
            painter.setPen(QPen(self._plan.tokens.color("ink", 200), 1.3))
            painter.setBrush(QColor(120, 126, 128, 205))
            painter.drawPolygon(outline)
            box = outline.boundingRect()
            if box.width() > 34 and box.height() > 12:
                painter.setPen(QColor("white"))
                painter.setFont(style.font(11))
                painter.drawText(QRectF(box), Qt.AlignmentFlag.AlignCenter, f"{format_length(fixture.rise, unit)} high")
