"""The pad the bit is led with: buttons for the eight ways and for up and down, and keys that act while the pad itself has the focus, never while
something is typed elsewhere."""

from __future__ import annotations

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent
from PySide6.QtWidgets import QFrame, QGridLayout, QToolButton, QWidget

from archimetra.app.theme.style import scaled

BUTTON_PX = 30
REPEAT_MS = 25
Way = tuple[float, float, float]
WAYS: dict[Way, tuple[str, int, int, str]] = {
    (-1, 1, 0): ("↖", 0, 0, "left and back"), (0, 1, 0): ("↑", 0, 1, "back"), (1, 1, 0): ("↗", 0, 2, "right and back"),
    (-1, 0, 0): ("←", 1, 0, "left"), (1, 0, 0): ("→", 1, 2, "right"),
    (-1, -1, 0): ("↙", 2, 0, "left and forward"), (0, -1, 0): ("↓", 2, 1, "forward"), (1, -1, 0): ("↘", 2, 2, "right and forward"),
    (0, 0, 1): ("Z ↑", 0, 4, "bit up"), (0, 0, -1): ("Z ↓", 2, 4, "bit down"),
}  # fmt: skip
_KEYS: dict[int, Way] = {
    Qt.Key.Key_Left: (-1, 0, 0), Qt.Key.Key_Right: (1, 0, 0), Qt.Key.Key_Up: (0, 1, 0), Qt.Key.Key_Down: (0, -1, 0),
    Qt.Key.Key_PageUp: (0, 0, 1), Qt.Key.Key_PageDown: (0, 0, -1),
}  # fmt: skip


class JogPad(QFrame):
    pressed = Signal(object)  # a way
    released = Signal()
    finer = Signal()
    coarser = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setProperty("kind", "pad")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Move the bit: arrow keys for X and Y, page keys for Z, plus and minus for the step")
        self.setToolTip(
            "Click here or come with Tab, then: arrow keys move X and Y, PgUp and PgDn move Z, + and − change the step"
        )
        grid = QGridLayout(self)
        grid.setContentsMargins(6, 6, 6, 6)
        grid.setSpacing(4)
        self._key = 0
        self._let_go = QTimer(
            self
        )  # some screens repeat a held key as pairs of letting go and pressing, a few ms apart
        self._let_go.setSingleShot(True)
        self._let_go.setInterval(REPEAT_MS)
        self._let_go.timeout.connect(self._end)
        self.buttons: dict[Way, QToolButton] = {}
        for way, (words, row, column, said) in WAYS.items():
            button = QToolButton()
            button.setText(words)
            button.setProperty("kind", "part")
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            button.setFixedHeight(scaled(BUTTON_PX))
            button.setMinimumWidth(scaled(BUTTON_PX + (14 if column == 4 else 6)))
            button.setAccessibleName(f"Move {said}")
            button.setToolTip(f"Move {said}")
            button.pressed.connect(lambda w=way: self._press(w))
            button.released.connect(self.released)
            grid.addWidget(button, row, column)
            self.buttons[way] = button
        grid.setColumnStretch(3, 1)
        grid.setColumnMinimumWidth(3, 12)

    def _press(self, way: Way) -> None:
        self.setFocus(Qt.FocusReason.MouseFocusReason)
        self.pressed.emit(way)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        way = _KEYS.get(event.key())
        if way is not None:
            if event.key() == self._key:
                self._let_go.stop()
            elif not event.isAutoRepeat() and self.isEnabled():
                self._let_go.stop()
                self._key = event.key()
                self.pressed.emit(way)
            return
        if event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.coarser.emit()
        elif event.key() == Qt.Key.Key_Minus:
            self.finer.emit()
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if event.key() in _KEYS and not event.isAutoRepeat():
            if event.key() == self._key:
                self._let_go.start()
            return
        super().keyReleaseEvent(event)

    def _end(self) -> None:
        self._let_go.stop()
        self._key = 0
        self.released.emit()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self._end()  # whoever goes elsewhere holds nothing any more
        super().focusOutEvent(event)
