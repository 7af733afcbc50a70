"""Marks of the shown cut that can be taken hold of on the plan: where its contours begin, and its tabs."""

from __future__ import annotations

from collections.abc import Sequence
from math import hypot

from PySide6.QtCore import QObject, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QPainter, QPen, QPolygonF

from archimetra.app.theme import style
from archimetra.app.views.plan_surface import PlanSurface
from archimetra.base.findings import worded
from archimetra.job.quantities import lengths_in
from archimetra.toolpath.shared.moves import MarkKind, PathMark

REACH_PX = 9.0
MOST = 400  # more marks than this would hide the paths; they are then taken hold of on a closer look


class PathMarks(QObject):
    picked = Signal(object)  # a mark was pressed
    dropped = Signal(object, float, float)  # a mark, and where it was let go, mm
    removed = Signal(object)  # a tab was double-clicked

    def __init__(self, plan: PlanSurface) -> None:
        super().__init__(plan)
        self._plan = plan
        self._marks: tuple[PathMark, ...] = ()
        self._held: PathMark | None = None
        self._at: QPointF | None = None

    def show_marks(self, marks: Sequence[PathMark]) -> None:
        marks = tuple(marks) if len(marks) <= MOST else ()
        if marks != self._marks:
            self._marks = marks
            self._plan.update()

    @property
    def marks(self) -> tuple[PathMark, ...]:
        return self._marks

    def mark_at(self, at: QPointF) -> PathMark | None:
        """The nearest mark within reach; a tab before a start that lies on it."""
        best, found = REACH_PX, None
        for mark in self._marks:
            place = self._plan.view.to_screen(mark.x, mark.y)
            gap = hypot(place.x() - at.x(), place.y() - at.y()) + (0.5 if mark.kind is MarkKind.START else 0.0)
            if gap < best:
                best, found = gap, mark
        return found

    def press(self, at: QPointF) -> bool:
        self._held, self._at = self.mark_at(at), None
        if self._held is not None:
            self.picked.emit(self._held)
        return self._held is not None

    def drag(self, at: QPointF) -> None:
        self._at = at

    def drop(self) -> None:
        held, at = self._held, self._at
        self._held = self._at = None
        if held is not None and at is not None:
            self.dropped.emit(held, *self._plan.view.to_board(at))

    def double(self, at: QPointF) -> bool:
        mark = self.mark_at(at)
        if mark is None or mark.kind is not MarkKind.TAB:
            return False
        self.removed.emit(mark)
        return True

    def words(self, at: QPointF) -> str:
        """What the mark under the cursor is, for the plan's status."""
        mark = self.mark_at(at)
        if mark is None:
            return ""
        if mark.kind is MarkKind.TAB:
            return "tab: drag it along, double-click takes it away"
        return f"start, {worded(mark.reason, lengths_in(self._plan.unit))}: drag it along"

    def paint(self, painter: QPainter) -> None:
        tokens = self._plan.tokens
        for mark in self._marks:
            is_held = mark is self._held and self._at is not None
            place = self._at if is_held and self._at is not None else self._plan.view.to_screen(mark.x, mark.y)
            painter.save()
            painter.translate(place)
            painter.rotate(-mark.degrees)
            painter.setPen(QPen(tokens.color("picked" if is_held else "ink"), 1.6 if is_held else 1.2))
            painter.setBrush(tokens.color("panel"))
            if mark.kind is MarkKind.TAB:
                painter.drawRoundedRect(QRectF(-5.5, -3.5, 11, 7), 2, 2)
            else:
                painter.drawPolygon(QPolygonF([QPointF(-4, -5), QPointF(4.5, 0), QPointF(-4, 5)]))
            painter.restore()
            if is_held:
                painter.setPen(tokens.color("picked"))
                painter.setFont(style.font(11))
                painter.drawText(
                    QRectF(place.x() + 10, place.y() - 22, 160, 16), Qt.AlignmentFlag.AlignVCenter,
                    "tab" if mark.kind is MarkKind.TAB else "start",
                )  # fmt: skip
