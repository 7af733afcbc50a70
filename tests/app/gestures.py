"""What a hand does in window tests: type, press, drag."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QPointF, Qt
from PySide6.QtGui import QColor, QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QApplication, QComboBox, QLabel, QLineEdit, QWidget


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
    return words_on(edit.parent())


def words_on(place) -> str:
    """Every label in sight on a page, panel or part of the window, a line each."""
    widget = place if isinstance(place, QWidget) else place.form
    labels = [widget, *widget.findChildren(QLabel)]
    return "\n".join(w.text() for w in labels if isinstance(w, QLabel) and w.isVisible())


def part(window, kind):
    """The one part of this class that is in sight."""
    (found,) = [w for w in window.findChildren(kind) if w.isVisible()]
    return found


def button(window, text: str) -> QAbstractButton:
    return next(w for w in window.findChildren(QAbstractButton) if w.text() == text and w.isVisible())


def layout_panel(window, name: str):
    """A part of the Layout page, brought to the front."""
    page = window.pages["layout"]
    page.show_panel(name)
    return page.panel_named(name)


def choose(window, name: str, text: str) -> None:
    combo = next(w for w in window.findChildren(QComboBox) if w.accessibleName() == name and w.isVisible())
    combo.setCurrentIndex(combo.findText(text))
    combo.activated.emit(combo.currentIndex())


def named(window, name: str) -> QAbstractButton:
    return named_all(window, name)[0]


def named_all(window, name: str) -> list[QAbstractButton]:
    return [w for w in window.findChildren(QAbstractButton) if w.accessibleName() == name and w.isVisible()]


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
