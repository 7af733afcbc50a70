"""A frame around a painted view for who walks by keys; who clicks knows where the hand is."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QFocusEvent, QPainter, QPen
from PySide6.QtWidgets import QWidget

from archimetra.app.theme.tokens import Tokens

_KEYS = (Qt.FocusReason.TabFocusReason, Qt.FocusReason.BacktabFocusReason)


class KeyFocusView(QWidget):
    """A view that can be walked to. Whoever paints it ends with ``paint_focus``."""

    _came_by_key = False

    def focusInEvent(self, event: QFocusEvent) -> None:
        self._came_by_key = event.reason() in _KEYS
        super().focusInEvent(event)
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self._came_by_key = False
        super().focusOutEvent(event)
        self.update()

    def paint_focus(self, painter: QPainter, tokens: Tokens) -> None:
        if self._came_by_key:
            painter.setPen(QPen(tokens.color("accent"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))
