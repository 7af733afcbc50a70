"""Fields for numbers and choices: they show what was typed and, in grey, what it comes to. They judge nothing."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QEvent, Qt, QTimer, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent, QKeySequence, QWheelEvent
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QSizePolicy,
    QSlider,
    QToolButton,
    QWidget,
)

from archimetra.app.theme.style import scaled
from archimetra.app.widgets.unfinished import is_within, unfinished

FIELD_WIDTH = 84


class _Line(QLineEdit):
    """A line that can be taken back, and leaves undo to the job where nothing is being typed."""

    left_off = Signal()  # Escape: what was typed is not wanted

    def __init__(self) -> None:
        super().__init__()
        self.is_typing = False

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent) and not self.is_typing:
            undoes = event.matches(QKeySequence.StandardKey.Undo) or event.matches(QKeySequence.StandardKey.Redo)
            if undoes:
                event.ignore()
                return False
        return super().event(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        if self.is_typing and event.reason() == Qt.FocusReason.MouseFocusReason:
            unfinished.left_by_mouse()
        super().focusOutEvent(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            was_typing = self.is_typing
            self.left_off.emit()
            if not (was_typing and isinstance(self.window(), QDialog)):  # which would close
                event.ignore()  # the window gives the focus back to the plan
        else:
            super().keyPressEvent(event)


class QuantityField(QWidget):
    """A line to type a quantity into, with a note beside it."""

    entered = Signal(str)  # on commit, and only if the text changed
    edited = Signal(str)  # each key, for the small section beside the field

    def __init__(self, name: str, parent: QWidget | None = None, *, width: int = FIELD_WIDTH) -> None:
        super().__init__(parent)
        self._edit, self._note = _Line(), QLabel()
        self._shown = ""  # the text that stands, taken or refused
        self._sound = ("", "")  # the last text and note that were not wrong
        self._edit.setAlignment(Qt.AlignmentFlag.AlignRight)
        self._edit.setFixedWidth(scaled(width))
        self._edit.setAccessibleName(name)
        self._note.setProperty("kind", "note")
        self._note.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(8)
        row.addWidget(self._edit)
        row.addWidget(self._note, 1)
        self.setFocusProxy(self._edit)
        self._edit.textEdited.connect(self._typed)
        self._edit.editingFinished.connect(self.commit)  # setText never emits these
        self._edit.left_off.connect(self.take_back)

    @property
    def is_typing(self) -> bool:
        """Whether something is being typed that has not been taken."""
        return self._edit.is_typing

    def show_quantity(self, text: str, note: str, *, is_wrong: bool = False) -> None:
        """Show a text and what it comes to. A text being typed is not taken away."""
        if not self._edit.is_typing or is_wrong:
            self._shown = text
            if self._edit.text() != text:
                self._edit.setText(text)
            self._edit.setModified(False)
        if not is_wrong:
            self._sound = (text, note)
        self._show_note(note, is_wrong)

    def show_note(self, note: str, *, is_wrong: bool = False) -> None:
        self._show_note(note, is_wrong)

    def text(self) -> str:
        return self._edit.text()

    def setEnabled(self, is_on: bool) -> None:
        self._edit.setEnabled(is_on)

    # ---- typing

    def commit(self) -> None:
        """Take what was typed, if anything was."""
        if not self._edit.is_typing:
            return
        self._end_typing()
        text = self._edit.text()
        if text != self._shown:
            self._shown = text
            self.entered.emit(text)
        else:
            self.edited.emit(text)  # typed and typed back: the small section is as it was

    def take_back(self) -> None:
        """What was typed, or refused, gives way to what is."""
        if self._edit.is_typing or self._edit.property("wrong"):
            self._end_typing()
            self.show_quantity(*self._sound)
            self.edited.emit(self._sound[0])
            self._show_note(self._sound[1], False)

    def refusal(self) -> str:
        if not self._edit.property("wrong"):
            return ""
        why = self._note.text()
        return f"{self._edit.accessibleName()}: '{self._edit.text()[:40]}' was not taken. {why}".rstrip()

    def holds(self, widget: QWidget) -> bool:
        return is_within(widget, self._edit)

    def _typed(self, text: str) -> None:
        self._edit.is_typing = True
        unfinished.begin(self)
        self.edited.emit(text)

    def _end_typing(self) -> None:
        self._edit.is_typing = False
        self._edit.setModified(False)
        unfinished.end(self)

    def _show_note(self, note: str, is_wrong: bool) -> None:
        self._note.setText(note)
        self._note.setToolTip(note)
        if bool(self._edit.property("wrong")) != is_wrong:
            self._edit.setProperty("wrong", is_wrong)
            self._edit.style().unpolish(self._edit)
            self._edit.style().polish(self._edit)
            show_kind(self._note, "stop" if is_wrong else "note")


class TextField(QuantityField):
    """A line for a name: as wide as there is room, read from the left."""

    def __init__(self, name: str, parent: QWidget | None = None) -> None:
        super().__init__(name, parent)
        self._edit.setAlignment(Qt.AlignmentFlag.AlignLeft)
        self._edit.setMinimumWidth(0)
        self._edit.setMaximumWidth(16_777_215)
        self._note.hide()

    def show_text(self, text: str) -> None:
        self.show_quantity(text, "")


class TextBox(QPlainTextEdit):
    """Several lines of words. What is typed is taken when the box is left, or ``pause_ms`` after the last key."""

    entered = Signal(str)

    def __init__(self, name: str, *, pause_ms: int = 0) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setTabChangesFocus(True)
        self._is_typing = False
        self._began_with = ""
        self._pause = QTimer(self)
        self._pause.setSingleShot(True)
        self._pause.setInterval(pause_ms)
        self._pause.timeout.connect(self._take)
        self.textChanged.connect(self._typed)

    def show_text(self, text: str) -> None:
        """Show other words. Words being typed are not taken away."""
        if not self._is_typing and self.toPlainText() != text:
            self.blockSignals(True)
            self.setPlainText(text)
            self.blockSignals(False)
        if not self.hasFocus():
            self._began_with = text

    def commit(self) -> None:
        if self._is_typing:
            self._take()

    def refusal(self) -> str:
        return ""

    def holds(self, widget: QWidget) -> bool:
        return is_within(widget, self)

    def _typed(self) -> None:
        self._is_typing = True
        unfinished.begin(self)
        if self._pause.interval():
            self._pause.start()

    def _take(self) -> None:
        self._pause.stop()
        self._is_typing = False
        unfinished.end(self)
        self.entered.emit(self.toPlainText())

    def focusInEvent(self, event: QFocusEvent) -> None:
        if not self._is_typing and event.reason() != Qt.FocusReason.ActiveWindowFocusReason:
            self._began_with = self.toPlainText()
        super().focusInEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        if self._is_typing and event.reason() == Qt.FocusReason.MouseFocusReason:
            unfinished.left_by_mouse()
        super().focusOutEvent(event)
        if event.reason() not in (Qt.FocusReason.PopupFocusReason, Qt.FocusReason.ActiveWindowFocusReason):
            self.commit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() != Qt.Key.Key_Escape:
            super().keyPressEvent(event)
            return
        if self.toPlainText() != self._began_with:
            self.setPlainText(self._began_with)
            self._take()
        event.ignore()  # the window gives the focus back to the plan


class Choice(QComboBox):
    """One of several by its words. The wheel over it scrolls the page: it must not change the job in passing."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)

    def wheelEvent(self, event: QWheelEvent) -> None:
        event.ignore()


class Slider(QSlider):
    """A slider that leaves the wheel to the page, like every field."""

    def wheelEvent(self, event: QWheelEvent) -> None:
        event.ignore()


class ChoiceRow(QWidget):
    """A few alternatives side by side, one of them on."""

    chosen = Signal(str)

    def __init__(self, name: str, options: Sequence[tuple[str, str]], parent: QWidget | None = None) -> None:
        """``options`` are (value, words on the button)."""
        super().__init__(parent)
        self.setAccessibleName(name)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        self._buttons: dict[str, QToolButton] = {}
        for value, words in options:
            button = QToolButton()
            button.setText(words)
            button.setCheckable(True)
            button.setProperty("kind", "part")
            button.setAccessibleName(f"{name}: {words}")
            button.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
            button.setFixedHeight(scaled(26))
            button.clicked.connect(lambda _checked=False, v=value: self._pick(v))
            row.addWidget(button)
            self._buttons[value] = button
        self._value = ""

    @property
    def value(self) -> str:
        return self._value

    def show_value(self, value: str) -> None:
        self._value = value
        for key, button in self._buttons.items():
            button.setChecked(key == value)

    def button(self, value: str) -> QToolButton:
        return self._buttons[value]

    def _pick(self, value: str) -> None:
        before = self._value
        self.show_value(before)  # what is on changes only when the job does
        if value != before:
            self.chosen.emit(value)


def fill(combo: QComboBox, words: list[str], current: int) -> None:
    """Show other words in a combo without its saying anything."""
    if [combo.itemText(i) for i in range(combo.count())] != words:
        combo.clear()
        combo.addItems(words)
    if combo.currentIndex() != current:
        combo.setCurrentIndex(current)


def label(text: str, kind: str = "", parent: QWidget | None = None) -> QLabel:
    out = QLabel(text, parent)
    out.setTextFormat(Qt.TextFormat.PlainText)  # names of files, and what comes over a line, are never taken for markup
    if kind:
        out.setProperty("kind", kind)
    out.setWordWrap(kind in ("note", "caution", "stop", "quiet"))
    return out


def show_kind(widget: QWidget, kind: str) -> None:
    """Give a widget the look of its kind (note, caution, stop, quiet); styled anew only where that changes."""
    if widget.property("kind") != kind:
        widget.setProperty("kind", kind)
        widget.style().unpolish(widget)
        widget.style().polish(widget)
