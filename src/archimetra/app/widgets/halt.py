"""The button that stops the machine: the only red thing of the program. It acts as it is pressed, not as it is let go."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent
from PySide6.QtWidgets import QPushButton, QWidget

from archimetra.app.theme.style import scaled

HALT_KEY = Qt.Key.Key_F9
HALT_WORDS = "F9"


class HaltButton(QPushButton):
    clicked = Signal()

    def __init__(self, parent: QWidget | None = None, *, is_small: bool = False) -> None:
        super().__init__(f"Stop  {HALT_WORDS}", parent)
        self.setProperty("kind", "halt")
        self.setMinimumHeight(scaled(28 if is_small else 44))
        self.setAccessibleName(f"Stop the machine ({HALT_WORDS}, from anywhere)")
        self.setToolTip(f"Stop the machine at once ({HALT_WORDS}, from anywhere)")

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.clicked.emit()
        super().mousePressEvent(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.clicked.emit()
            return
        super().keyPressEvent(event)
