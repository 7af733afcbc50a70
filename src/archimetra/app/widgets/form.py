"""Pages are forms: a title, rows of label and field, notes, lines. One helper lays them out alike."""

from __future__ import annotations

from typing import TypeVar

from PySide6.QtCore import QEvent, Qt
from PySide6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QScrollArea,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from archimetra.app.theme.style import scaled
from archimetra.app.widgets.fields import label

W = TypeVar("W", bound=QWidget)
LABEL_WIDTH = 106
PAGE_MARGIN = 16


class Form(QWidget):
    """A column of rows, 28 px apart."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(6)

    def heading(self, text: str, note: str = "") -> QLabel:
        row = QHBoxLayout()
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(label(text, "heading"))
        row.addStretch(1)
        right = label(note, "note")
        right.setWordWrap(False)
        row.addWidget(right)
        self.column.addLayout(row)
        return right

    def row(self, text: str, field: QWidget) -> QLabel:
        """A labelled field; the label's mnemonic focus goes to the field."""
        line = QHBoxLayout()
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(8)
        left = QLabel(text)
        left.setFixedWidth(scaled(LABEL_WIDTH))
        left.setBuddy(field)
        line.addWidget(left)
        line.addWidget(field, 1)
        self.column.addLayout(line)
        return left

    def add(self, widget: W) -> W:
        self.column.addWidget(widget)
        return widget

    def line(self) -> None:
        frame = QFrame()
        frame.setProperty("kind", "line")
        self.column.addSpacing(6)
        self.column.addWidget(frame)
        self.column.addSpacing(6)

    def gap(self, px: int = 8) -> None:
        self.column.addSpacing(px)


class Fold(QWidget):
    """Rows under a heading that opens and shuts; shut, a few words say what is set in them. Folds of one title stay as they
    were left, whichever cut or bit is shown."""

    _open: dict[str, bool] = {}

    def __init__(self, title: str, *, is_open: bool = False) -> None:
        super().__init__()
        self._title = title
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        row = QHBoxLayout()
        row.setContentsMargins(0, 0, 0, 0)
        self._button = QToolButton()
        self._button.setText(title)
        self._button.setCheckable(True)
        self._button.setProperty("kind", "fold")
        self._button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        self._button.setAccessibleName(title)
        row.addWidget(self._button)
        self._words = label("", "note")
        self._words.setWordWrap(False)
        self._words.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self._words.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        row.addWidget(self._words, 1)
        column.addLayout(row)
        self.form = Form()
        column.addWidget(self.form)
        self._button.clicked.connect(self._turn)
        self._turn(Fold._open.get(title, is_open))

    def show_words(self, words: str) -> None:
        self._words.setText(words)
        self._words.setToolTip(words)

    def open(self) -> None:
        self._turn(True)

    def _turn(self, is_open: bool) -> None:
        Fold._open[self._title] = is_open
        self._button.setChecked(is_open)
        self._button.setArrowType(Qt.ArrowType.DownArrow if is_open else Qt.ArrowType.RightArrow)
        self.form.setVisible(is_open)


class _Area(QScrollArea):
    """Scrolls up and down only. The room of its bar is kept while there is none: nothing shifts as it comes and goes."""

    BAR_PX = 10

    def __init__(self) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.verticalScrollBar().rangeChanged.connect(self._keep_room)
        self._keep_room(0, 0)

    def _keep_room(self, low: int, high: int) -> None:
        self.setViewportMargins(0, 0, 0 if high > low else self.BAR_PX, 0)


class _Body(QWidget):
    """As high as its rows are at the width they have: words that wrap are not squeezed."""

    def event(self, event: QEvent) -> bool:
        done = super().event(event)
        layout = self.layout()
        if layout is not None and event.type() in (QEvent.Type.LayoutRequest, QEvent.Type.Resize):
            need = (
                layout.totalHeightForWidth(self.width())
                if layout.hasHeightForWidth()
                else layout.totalMinimumSize().height()
            )
            if need >= 0 and need != self.minimumHeight():
                self.setMinimumHeight(need)
        return done


def page(body: QWidget, title: str) -> tuple[QWidget, QLabel]:
    """A station's page: a fixed title with a quiet word on the right, above a body that scrolls."""
    whole = QWidget()
    whole.setObjectName("pageBody")
    column = QVBoxLayout(whole)
    column.setContentsMargins(0, 0, 0, 0)
    column.setSpacing(0)
    head = QGridLayout()
    head.setContentsMargins(PAGE_MARGIN, 12, PAGE_MARGIN, 8)
    head.addWidget(label(title, "title"), 0, 0)
    right = label("", "note")
    right.setWordWrap(False)
    right.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
    head.addWidget(right, 0, 1)
    column.addLayout(head)
    area = _Area()
    holder = _Body()
    holder.setObjectName("pageBody")
    inside = QVBoxLayout(holder)
    inside.setContentsMargins(PAGE_MARGIN, 4, PAGE_MARGIN, PAGE_MARGIN)
    inside.addWidget(body)
    inside.addStretch(1)
    area.setWidget(holder)
    column.addWidget(area, 1)
    return whole, right
