"""The header: the job's name, its boards, undo and redo."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QAction, QFontMetrics
from PySide6.QtWidgets import QHBoxLayout, QMenu, QSizePolicy, QToolButton, QWidget

from archimetra.app.board_tabs import BoardTabs
from archimetra.app.theme import icons, style
from archimetra.app.theme.tokens import Tokens
from archimetra.app.widgets.fields import label
from archimetra.app.widgets.halt import HaltButton
from archimetra.job.ids import BoardId
from archimetra.job.job import Job

HEIGHT = 44
WIDEST_NAME_PX = 260


class Header(QWidget):
    board_chosen = Signal(object)
    board_wanted = Signal()
    halt_wanted = Signal()

    def __init__(self, tokens: Tokens, menu: QMenu, undo: QAction, redo: QAction, help_: QAction) -> None:
        super().__init__()
        self.setObjectName("header")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(style.scaled(HEIGHT))
        self.tokens = tokens
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 0, 10, 0)
        row.setSpacing(6)
        self._menu = QToolButton()
        self._menu.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self._menu.setMenu(menu)
        self._menu.setToolTip("Job: open, save, bring in, write files")
        self._menu.setAccessibleName("Job menu")
        self._menu.setStyleSheet("QToolButton::menu-indicator { image: none; }")
        row.addWidget(self._menu)
        self._name = label("", "title")
        self._name.setSizePolicy(QSizePolicy.Policy.Minimum, QSizePolicy.Policy.Preferred)
        self._saved = label("", "note")
        self._saved.setWordWrap(False)
        # its room is kept: the tabs beside it stay where they are
        self._saved.setMinimumWidth(QFontMetrics(style.font(style.NOTE_PX)).horizontalAdvance("not saved yet ") + 2)
        row.addWidget(self._name)
        row.addSpacing(4)
        row.addWidget(self._saved)
        row.addSpacing(18)
        self.tabs = BoardTabs(tokens, style.scaled(HEIGHT) - 1)
        self.tabs.chosen.connect(self.board_chosen)
        row.addWidget(self.tabs)
        self._add = QToolButton()
        self._add.setToolTip("Add a board: another sheet of this job")
        self._add.setAccessibleName("Add board")
        self._add.clicked.connect(self.board_wanted)
        row.addWidget(self._add)
        row.addStretch(1)
        self.halt = HaltButton(is_small=True)
        self.halt.clicked.connect(self.halt_wanted)
        self.halt.hide()
        row.addWidget(self.halt)
        row.addSpacing(10)
        self._undo, self._redo, self._help = QToolButton(), QToolButton(), QToolButton()
        self._help.setToolTip("Keys and first steps (F1)")
        for button, action in ((self._undo, undo), (self._redo, redo), (self._help, help_)):
            button.setAccessibleName(action.text())
            button.clicked.connect(action.trigger)
            row.addWidget(button)
        self.show_theme(tokens)

    def show_theme(self, tokens: Tokens) -> None:
        self.tokens = tokens
        self._menu.setIcon(icons.icon("dots", tokens.ink))
        self._add.setIcon(icons.icon("plus", tokens.ink))
        self._undo.setIcon(icons.icon("arrow-back-up", tokens.ink, disabled=tokens.hairline))
        self._help.setIcon(icons.icon("help", tokens.ink))
        self._redo.setIcon(icons.icon("arrow-forward-up", tokens.ink, disabled=tokens.hairline))
        self.tabs.show_theme(tokens)

    def show_job(self, job: Job, board_id: BoardId, *, name: str, saved: str) -> None:
        metrics = self._name.fontMetrics()
        self._name.setText(metrics.elidedText(name, Qt.TextElideMode.ElideRight, style.scaled(WIDEST_NAME_PX)))
        self._name.setToolTip(name)
        self._saved.setText(saved)
        self.tabs.show_job(job, board_id)

    def show_undo(self, undo: str | None, redo: str | None) -> None:
        for button, words, what, keys in (
            (self._undo, undo, "Undo", "Ctrl+Z"),
            (self._redo, redo, "Redo", "Ctrl+Shift+Z"),
        ):
            button.setEnabled(words is not None)
            button.setToolTip(f"{what}: {words} ({keys})" if words else f"Nothing to {what.lower()}")
