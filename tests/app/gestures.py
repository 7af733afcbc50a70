"""What a hand does in window tests: type, press, drag."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QPointF, Qt
from PySide6.QtGui import QColor, QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QApplication, QComboBox, QLineEdit


def field(window, name: str) -> QLineEdit:
    found = [w for w in window.findChildren(QLineEdit) if w.accessibleName() == name and w.isVisible()]
    assert len(found) == 1, f"{len(found)} visible fields named {name}"
    return found[0]


def type_into(window, name: str, text: str) -> QLineEdit:
    edit = field(window, name)
    edit.setFocus()
    edit.selectAll()
    QTest.keyClick(edit, Qt.Key.Key_Delete)
    QTest.keyClicks(edit, text)
    QTest.keyClick(edit, Qt.Key.Key_Return)
    return edit


def note_beside(edit: QLineEdit) -> str:
    return edit.parent()._note.text()


def button(window, text: str) -> QAbstractButton:
    return next(w for w in window.findChildren(QAbstractButton) if w.text() == text and w.isVisible())


def choose(window, name: str, text: str) -> None:
    combo = next(w for w in window.findChildren(QComboBox) if w.accessibleName() == name and w.isVisible())
    combo.setCurrentIndex(combo.findText(text))
    combo.activated.emit(combo.currentIndex())


def named(window, name: str) -> QAbstractButton:
    return next(w for w in window.findChildren(QAbstractButton) if w.accessibleName() == name and w.isVisible())


def drag(
    widget,
    a: QPointF,
    b: QPointF,
    modifier=Qt.KeyboardModifier.NoModifier,
    *,
    with_button=Qt.MouseButton.LeftButton,
    release: bool = True,
) -> None:
    start, end = a.toPoint(), b.toPoint()
    QTest.mousePress(widget, with_button, modifier, start)
    for k in range(1, 6):
        QTest.mouseMove(widget, start + (end - start) * k / 5)
    if release:
        QTest.mouseRelease(widget, with_button, modifier, end)


def hover(widget, at: QPointF, *, buttons=Qt.MouseButton.NoButton, modifier=Qt.KeyboardModifier.NoModifier) -> None:
    """Move over a widget without the one pointer of the screen, which windows of other test processes move too."""
    event = QMouseEvent(
        QEvent.Type.MouseMove, at, widget.mapToGlobal(at), Qt.MouseButton.NoButton, buttons, modifier,
    )  # fmt: skip
    QApplication.sendEvent(widget, event)


def pixel(window, x: float, y: float) -> QColor:
    """The plan's colour at a board place."""
    at = window.plan.view.to_screen(x, y).toPoint()
    return window.plan.grab().toImage().pixelColor(at)
