"""Fields for numbers and choices: they show what was typed and, in grey, what it comes to. They judge nothing."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QSizePolicy, QToolButton, QWidget

from archimetra.app.theme.style import scaled

FIELD_WIDTH = 84


class QuantityField(QWidget):
    """A line to type a quantity into, with a note beside it."""

    entered = Signal(str)  # on commit, and only if the text changed
    edited = Signal(str)  # each key, for the small section beside the field

    def __init__(self, name: str, parent: QWidget | None = None, *, width: int = FIELD_WIDTH) -> None:
        super().__init__(parent)
        self._edit, self._note, self._shown = QLineEdit(), QLabel(), ""
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
        self._edit.textEdited.connect(self.edited)
        self._edit.editingFinished.connect(self._commit)  # setText never emits these

    def show_quantity(self, text: str, note: str, *, is_wrong: bool = False) -> None:
        """Show a text and what it comes to. A text being typed is not taken away."""
        if not (self._edit.hasFocus() and self._edit.isModified()) or is_wrong:
            self._shown = text
            if self._edit.text() != text:
                self._edit.setText(text)
            self._edit.setModified(False)
        self._note.setText(note)
        self._note.setToolTip(note)
        self._restyle(is_wrong)

    def show_note(self, note: str, *, is_wrong: bool = False) -> None:
        self._note.setText(note)
        self._note.setToolTip(note)
        self._restyle(is_wrong)

    def text(self) -> str:
        return self._edit.text()

    def setEnabled(self, is_on: bool) -> None:
        self._edit.setEnabled(is_on)

    def _restyle(self, is_wrong: bool) -> None:
        if bool(self._edit.property("wrong")) != is_wrong:
            self._edit.setProperty("wrong", is_wrong)
            self._note.setProperty("kind", "stop" if is_wrong else "note")
            for widget in (self._edit, self._note):
                widget.style().unpolish(widget)
                widget.style().polish(widget)

    def _commit(self) -> None:
        if self._edit.text() != self._shown:
            self._shown = self._edit.text()
            self._edit.setModified(False)
            self.entered.emit(self._shown)


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


def label(text: str, kind: str = "", parent: QWidget | None = None) -> QLabel:
    out = QLabel(text, parent)
    if kind:
        out.setProperty("kind", kind)
    out.setWordWrap(kind in ("note", "caution", "stop", "quiet"))
    return out
