"""The header: the job's name, boards as tabs with a picture of their stock, undo and redo."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QSize, Qt, Signal
from PySide6.QtGui import QAction, QIcon, QPainter, QPen, QPixmap, QPolygonF
from PySide6.QtWidgets import QHBoxLayout, QMenu, QSizePolicy, QToolButton, QWidget

from archimetra.app.theme import icons, style
from archimetra.app.theme.tokens import Tokens
from archimetra.app.theme.wood import tone_of
from archimetra.app.widgets.fields import label
from archimetra.job.ids import BoardId
from archimetra.job.job import Board, Job

HEIGHT = 44
THUMB = QSize(28, 20)


class Header(QWidget):
    board_chosen = Signal(object)
    board_wanted = Signal()

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
        row.addWidget(self._name)
        row.addSpacing(4)
        row.addWidget(self._saved)
        row.addSpacing(18)
        self._tabs = QHBoxLayout()
        self._tabs.setSpacing(0)
        row.addLayout(self._tabs)
        self._add = QToolButton()
        self._add.setToolTip("Add a board: another sheet of this job")
        self._add.setAccessibleName("Add board")
        self._add.clicked.connect(self.board_wanted)
        row.addWidget(self._add)
        row.addStretch(1)
        self._undo, self._redo, self._help = QToolButton(), QToolButton(), QToolButton()
        self._help.setToolTip("Keys and first steps (F1)")
        for button, action in ((self._undo, undo), (self._redo, redo), (self._help, help_)):
            button.setAccessibleName(action.text())
            button.clicked.connect(action.trigger)
            row.addWidget(button)
        self._thumbs: dict[BoardId, QPixmap] = {}
        self._shown: object = None
        self.show_theme(tokens)

    def show_theme(self, tokens: Tokens) -> None:
        self.tokens = tokens
        self._menu.setIcon(icons.icon("dots", tokens.ink))
        self._add.setIcon(icons.icon("plus", tokens.ink))
        self._undo.setIcon(icons.icon("arrow-back-up", tokens.ink, disabled=tokens.hairline))
        self._help.setIcon(icons.icon("help", tokens.ink))
        self._redo.setIcon(icons.icon("arrow-forward-up", tokens.ink, disabled=tokens.hairline))
        self._shown = None

    def show_job(self, job: Job, board_id: BoardId, *, name: str, saved: str) -> None:
        self._name.setText(name)
        self._saved.setText(saved)
        halves = [(i.name, i.pocket_board, i.plug_board) for i in job.inlays]
        state = (tuple((b.id, b.name, b.sheet.material) for b in job.boards), board_id, halves)
        if state == self._shown:
            return
        self._shown = state
        while self._tabs.count():
            item = self._tabs.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        for board in job.boards:
            tab = self._tab(board, is_shown=board.id == board_id)
            self._mark_inlays(tab, board, job)
            self._tabs.addWidget(tab)

    def _tab(self, board: Board, *, is_shown: bool) -> QToolButton:
        tab = QToolButton()
        tab.setProperty("kind", "tab")
        tab.setCheckable(True)
        tab.setChecked(is_shown)
        tab.setText(board.name)
        tab.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        tab.setIconSize(THUMB)
        tab.setIcon(QIcon(self._thumbs.get(board.id) or _plain(board)))
        tab.setSizePolicy(QSizePolicy.Policy.Minimum, QSizePolicy.Policy.Expanding)
        tab.setFixedHeight(style.scaled(HEIGHT) - 1)
        tab.setAccessibleName(f"Board {board.name}")
        tab.clicked.connect(lambda _c=False, i=board.id, t=tab: self._choose(i, t))
        return tab

    def _choose(self, board_id: BoardId, tab: QToolButton) -> None:
        tab.setChecked(True)  # a click on the one that is shown leaves it marked
        self.board_chosen.emit(board_id)

    def _mark_inlays(self, tab: QToolButton, board: Board, job: Job) -> None:
        """A wedge on the tabs of boards that hold a half of an inlay: a pocket opens upwards, a plug stands. The words say where
        the other half is."""
        words = []
        for inlay in job.inlays:
            is_pocket = inlay.pocket_board == board.id
            other = job.board(inlay.plug_board if is_pocket else inlay.pocket_board)
            if other is not None and board.id in (inlay.pocket_board, inlay.plug_board):
                words.append(
                    f"{'Pocket' if is_pocket else 'Plug'} of the inlay {inlay.name}; the other half lies on {other.name}."
                )
                tab.setIcon(QIcon(self._with_wedge(tab.icon().pixmap(THUMB * 2), is_pocket=is_pocket)))
        tab.setToolTip(" ".join(words))
        tab.setAccessibleDescription(" ".join(words))

    def _with_wedge(self, picture: QPixmap, *, is_pocket: bool) -> QPixmap:
        out = QPixmap(picture)
        painter = QPainter(out)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        w, h = out.width(), out.height()
        size = 0.5 * h
        wide, narrow = (h - size, h) if is_pocket else (h, h - size)
        shape = QPolygonF(
            [
                QPointF(w - size, wide),
                QPointF(w, wide),
                QPointF(w - 0.28 * size, narrow),
                QPointF(w - 0.72 * size, narrow),
            ]
        )
        painter.setPen(QPen(self.tokens.color("panel"), 1.5))
        painter.setBrush(self.tokens.color("accent"))
        painter.drawPolygon(shape)
        painter.end()
        return out

    def show_thumb(self, board_id: BoardId, picture: QPixmap) -> None:
        """The stock of a board, small."""
        self._thumbs[board_id] = picture.scaled(
            THUMB * 2, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
        )
        self._shown = None

    def show_undo(self, undo: str | None, redo: str | None) -> None:
        for button, words, what, keys in (
            (self._undo, undo, "Undo", "Ctrl+Z"),
            (self._redo, redo, "Redo", "Ctrl+Shift+Z"),
        ):
            button.setEnabled(words is not None)
            button.setToolTip(f"{what}: {words} ({keys})" if words else f"Nothing to {what.lower()}")


def _plain(board: Board) -> QPixmap:
    out = QPixmap(THUMB * 2)
    out.fill(tone_of(board.sheet))
    return out
