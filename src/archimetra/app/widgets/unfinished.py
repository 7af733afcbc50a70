"""What is being typed, until it is taken.

A field's text belongs to the thing the field showed when typing began. So fields say when typing begins and ends, and
whoever is about to show another thing, to save or to close has what is unfinished taken first, while the old thing is
still shown. A press of the mouse anywhere else does the same by itself: not everything that can be pressed takes the focus.
"""

from __future__ import annotations

from typing import Protocol

from PySide6.QtCore import QEvent, QObject, QPoint, QRect, Signal
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QAbstractButton, QApplication, QScrollBar, QWidget


class Field(Protocol):
    """Something typed into."""

    def commit(self) -> None:
        """Take what was typed for the thing shown."""

    def refusal(self) -> str:
        """Why the text that stands there was not taken, as a sentence that names the field; '' if it was."""

    def holds(self, widget: QWidget) -> bool:
        """Whether a press on this widget is part of typing."""


class Unfinished(QObject):
    """The fields being typed into; nearly always none or one."""

    refused = Signal(str)  # what was typed was wrong, and what is shown is about to change

    _PRESSES = (QEvent.Type.MouseButtonPress, QEvent.Type.MouseButtonDblClick, QEvent.Type.Drop)

    def __init__(self) -> None:
        super().__init__()
        self._fields: list[Field] = []
        self._pressed: tuple[QAbstractButton, QRect] | None = None  # a button and where it stood when it was pressed

    def begin(self, field: Field) -> None:
        if field in self._fields:
            return
        app = QApplication.instance()
        if not self._fields and app is not None:
            app.installEventFilter(self)  # only while someone types: every event passes through it
        self._fields.append(field)

    def end(self, field: Field) -> None:
        if field not in self._fields:
            return
        self._fields.remove(field)
        self._rest()

    def _rest(self) -> None:
        app = QApplication.instance()
        if not self._fields and self._pressed is None and app is not None:
            app.removeEventFilter(self)

    @property
    def is_any(self) -> bool:
        return bool(self._fields)

    def settle(self) -> None:
        """Have everything unfinished taken. What is wrong is told, as its field may show something else in a moment."""
        for field in tuple(self._fields):
            self.end(field)
            field.commit()
            problem = field.refusal()
            if problem:
                self.refused.emit(problem)

    def left_by_mouse(self) -> None:
        """A field lost the focus to what is being pressed: that may move away as the field's text is taken."""
        button, app = QApplication.focusWidget(), QApplication.instance()
        if isinstance(button, QAbstractButton) and app is not None:
            self._pressed = (button, _place(button))
            app.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if (
            event.type() in self._PRESSES
            and isinstance(watched, QWidget)
            and not isinstance(watched, QScrollBar)
            and not any(field.holds(watched) for field in self._fields)
        ):
            if isinstance(watched, QAbstractButton) and event.type() != QEvent.Type.Drop:
                self._pressed = (watched, _place(watched))
            self.settle()
        elif (
            self._pressed is not None
            and event.type() == QEvent.Type.MouseButtonRelease
            and isinstance(watched, QWidget)
        ):
            if watched is self._pressed[0]:
                return self._let_go(event)
            self._pressed = None  # that button is gone
            self._rest()
        return False

    def _let_go(self, event: QEvent) -> bool:
        """The hand lets go of a button. What was taken may have moved it from under the hand: it is pressed all the same."""
        assert self._pressed is not None
        (button, was), self._pressed = self._pressed, None
        self._rest()
        now = _place(button)
        at = event.globalPosition().toPoint() if isinstance(event, QMouseEvent) else was.center()
        if now == was or now.contains(at) or not was.contains(at):
            return False
        button.setDown(False)
        if button.isEnabled() and button.isVisible():
            button.click()
        return True


def _place(widget: QWidget) -> QRect:
    return QRect(widget.mapToGlobal(QPoint(0, 0)), widget.size())


unfinished = Unfinished()
"""One hand types, so one register serves the program."""


def is_within(widget: QObject | None, outer: QWidget) -> bool:
    """Whether a widget is, or was opened by, another (a field's menu is a window, but its child)."""
    while widget is not None:
        if widget is outer:
            return True
        widget = widget.parent()
    return False
