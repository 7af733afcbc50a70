"""The lines of a file, however many: numbered, with the colour of the bit that cuts them, searched, and linked to the moment shown."""

from __future__ import annotations

import re
from bisect import bisect_left
from collections.abc import Sequence
from itertools import pairwise
from typing import overload

from PySide6.QtCore import (
    QAbstractTableModel,
    QItemSelectionModel,
    QModelIndex,
    QPersistentModelIndex,
    QRect,
    Qt,
    Signal,
)
from PySide6.QtGui import QColor, QFont, QFontMetrics, QPainter, QResizeEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QWidget,
)

from archimetra.app.theme import style
from archimetra.app.theme.tokens import Tokens
from archimetra.geometry.arrays import AnyArray, IntArray

_TEXT_PX, _BAR_PX, _GAP_PX = 11, 3, 6
_MOST_LETTERS = 400  # of a line are drawn
Index = QModelIndex | QPersistentModelIndex


class TextLines(Sequence[str]):
    """The lines of a text of any length, each cut out when it is asked for. ``letters`` is the text in UTF-8, ``ends`` where its lines end, each
    before its line feed."""

    def __init__(self, letters: bytes | memoryview, ends: Sequence[int] | IntArray) -> None:
        self._letters, self._ends = letters, ends

    def __len__(self) -> int:
        return len(self._ends)

    @overload
    def __getitem__(self, index: int) -> str: ...
    @overload
    def __getitem__(self, index: slice) -> list[str]: ...
    def __getitem__(self, index: int | slice) -> str | list[str]:
        if isinstance(index, slice):
            return [self[k] for k in range(*index.indices(len(self)))]
        if not -len(self) <= index < len(self):
            raise IndexError(index)
        index %= len(self)
        begin = int(self._ends[index - 1]) + 1 if index else 0
        return bytes(self._letters[begin : int(self._ends[index])]).decode("utf-8", "replace").rstrip("\r")

    def find(self, words: str, line: int, *, backwards: bool) -> int:
        """The next line after ``line`` (before it) that holds the words, whatever their case, and on around the end; -1 where none does."""
        looked_for = re.compile(re.escape(words.encode()), re.IGNORECASE)
        begin = int(self._ends[line - 1]) + 1 if line > 0 else 0
        end = int(self._ends[line]) if 0 <= line < len(self) else 0
        found = -1
        if backwards:
            for first, last in ((0, begin), (end, len(self._letters))):
                for match in looked_for.finditer(self._letters, first, last):
                    found = match.start()
                if found >= 0:
                    break
        else:
            after = looked_for.search(self._letters, end) or looked_for.search(self._letters, 0, end)
            found = after.start() if after is not None else -1
        return bisect_left(self._ends, found) if found >= 0 else -1


class CodeLines(QAbstractTableModel):
    """``colours`` (lines,) say which of ``hues`` a line has, -1 for none."""

    def __init__(self) -> None:
        super().__init__()
        self.lines: TextLines = TextLines(b"", ())
        self.colours: Sequence[int] | AnyArray = ()
        self.hues: list[QColor] = []
        self.here = -1  # the line that is carried out at the moment shown

    def show(self, lines: TextLines, colours: Sequence[int] | AnyArray, hues: list[QColor]) -> None:
        self.beginResetModel()
        self.lines, self.colours, self.hues, self.here = lines, colours, hues, -1
        self.endResetModel()

    def rowCount(self, parent: Index | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.lines)

    def columnCount(self, parent: Index | None = None) -> int:
        return 1

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole) and index.isValid():
            return self.lines[index.row()]
        return None

    def hue_of(self, row: int) -> QColor | None:
        number = int(self.colours[row]) if row < len(self.colours) else -1
        return self.hues[number] if 0 <= number < len(self.hues) else None


class _Painter(QStyledItemDelegate):
    def __init__(self, model: CodeLines, view: CodeView) -> None:
        super().__init__(view)
        self._model, self._view = model, view

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        view, model, tokens = self._view, self._model, self._view.tokens
        row, rect = index.row(), QRect(option.rect)
        is_picked = bool(option.state & QStyle.StateFlag.State_Selected)
        if row == model.here:
            painter.fillRect(rect, tokens.color("picked", 46))
        elif is_picked:
            painter.fillRect(rect, tokens.color("accent", 40))
        painter.setFont(view.code_font)
        painter.setPen(tokens.color("quiet"))
        number = QRect(rect.left(), rect.top(), view.number_width - _GAP_PX, rect.height())
        painter.drawText(number, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, str(row + 1))
        hue = model.hue_of(row)
        if hue is not None:
            painter.fillRect(QRect(rect.left() + view.number_width, rect.top(), _BAR_PX, rect.height()), hue)
        text = rect.adjusted(view.number_width + _BAR_PX + _GAP_PX, 0, 0, 0)
        line = model.lines[row]
        painter.setPen(tokens.color("quiet" if line.startswith(("(", ";")) else "ink"))
        painter.drawText(text, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, line[:_MOST_LETTERS])


class CodeView(QTableView):
    """A line that is chosen is told; the one that is carried out is marked."""

    line_chosen = Signal(int)  # counts from 0

    def __init__(self, name: str, tokens: Tokens, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName(name)
        self.tokens = tokens
        self.code_font = QFont("monospace")
        self.code_font.setStyleHint(QFont.StyleHint.Monospace)
        self.code_font.setPixelSize(style.scaled(_TEXT_PX))
        self.number_width = self._wide = 0
        self._lines = CodeLines()
        self._is_showing = False
        self.setModel(self._lines)
        self.setItemDelegate(_Painter(self._lines, self))
        self._high = QFontMetrics(self.code_font).height() + 1
        self.verticalHeader().hide()  # a table of lines all as high: nothing is asked of each before it is seen
        self.verticalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.verticalHeader().setMinimumSectionSize(1)
        self.verticalHeader().setDefaultSectionSize(self._high)
        self.horizontalHeader().hide()
        self.setShowGrid(False)
        self.setWordWrap(False)
        self.setTabKeyNavigation(False)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerItem)
        self.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setFrameShape(QTableView.Shape.StyledPanel)

    def show_text(self, text: str, colours: Sequence[int] | AnyArray = (), hues: Sequence[QColor] = ()) -> None:
        """All lines of a text; ``colours`` names a hue for each, -1 for none."""
        letters = text.encode()
        ends = [match.start() for match in re.finditer(b"\n", letters)]
        if letters and not letters.endswith(b"\n"):
            ends.append(len(letters))
        widest = max((b - a for a, b in pairwise([-1, *ends])), default=1) - 1
        self.show_lines(TextLines(letters, ends), widest, colours, hues)

    def show_lines(
        self, lines: TextLines, widest: int, colours: Sequence[int] | AnyArray = (), hues: Sequence[QColor] = ()
    ) -> None:
        """The same of lines that lie somewhere already, the longest with ``widest`` letters."""
        digits = max(len(str(len(lines))), 3)
        self.number_width = QFontMetrics(self.code_font).horizontalAdvance("0" * digits) + 2 * _GAP_PX
        wide = min(widest, _MOST_LETTERS)
        self._is_showing = True
        self._lines.show(lines, colours, list(hues))
        letter = QFontMetrics(self.code_font).horizontalAdvance("0")
        self._wide = self.number_width + _BAR_PX + 2 * _GAP_PX + (wide + 1) * letter
        self._fill_width()
        self._is_showing = False

    def _fill_width(self) -> None:
        """Lines go to the right edge at the least."""
        self.setColumnWidth(0, max(self._wide, self.viewport().width()))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fill_width()

    @property
    def lines(self) -> Sequence[str]:
        return self._lines.lines

    def text(self) -> str:
        return "\n".join(self._lines.lines)

    @property
    def here(self) -> int:
        """The line that is marked as carried out, -1 for none."""
        return self._lines.here

    def mark(self, line: int) -> None:
        """Mark the line that is carried out, and have it in sight."""
        if line == self._lines.here:
            return
        self._lines.here = line
        self.viewport().update()
        if 0 <= line < len(self._lines.lines) and not self.hasFocus():
            self.scrollTo(self._lines.index(line, 0), QAbstractItemView.ScrollHint.EnsureVisible)

    def choose(self, line: int) -> None:
        """Pick a line as if it had been clicked."""
        if 0 <= line < len(self._lines.lines):
            index = self._lines.index(line, 0)
            self.selectionModel().setCurrentIndex(index, QItemSelectionModel.SelectionFlag.ClearAndSelect)
            self.scrollTo(index, QAbstractItemView.ScrollHint.PositionAtCenter)

    def find_words(self, words: str, *, backwards: bool = False) -> bool:
        """Pick the next line that holds the words, whatever their case, from the one picked on and around the end; whether there is one."""
        wanted = words.strip()
        if not wanted:
            return False
        line = self._lines.lines.find(wanted, self.currentIndex().row(), backwards=backwards)
        if line >= 0:
            self.choose(line)
        return line >= 0

    def currentChanged(self, current: Index, previous: Index) -> None:
        super().currentChanged(current, previous)
        if current.isValid() and not self._is_showing:
            self.line_chosen.emit(current.row())
