"""The boards of a job as tabs with a picture of their stock. Where there are more than fit, the strip slides; the shown one is
always in sight, and a list names them all."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QPointF, QSize, Qt, Signal
from PySide6.QtGui import (
    QFont,
    QFontMetrics,
    QIcon,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QHBoxLayout, QMenu, QScrollArea, QSizePolicy, QToolButton, QWidget

from archimetra.app.theme import icons, style
from archimetra.app.theme.tokens import Tokens
from archimetra.app.theme.wood import tone_of
from archimetra.job.ids import BoardId
from archimetra.job.job import Board, Job

THUMB = QSize(28, 20)
WIDEST_PX = 190  # a longer name is cut short at its end; the tip says it whole
ROUND_PX = THUMB.width() + 44  # picture, gap and the room at both ends of a tab


class BoardTabs(QWidget):
    chosen = Signal(object)
    menu_wanted = Signal(object, QPoint)  # board, place on the screen

    def __init__(self, tokens: Tokens, height: int) -> None:
        super().__init__()
        self._height = height
        self.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Fixed)
        self._shown: object = None
        self._current: QToolButton | None = None
        self._job: Job | None = None
        self._thumbs: dict[BoardId, QPixmap] = {}
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        self._area = _Slide()
        self._area.setFixedHeight(height)
        self._area.horizontalScrollBar().rangeChanged.connect(lambda _low, _high: self._fold())
        holder = QWidget()
        holder.setObjectName("tabsInside")
        self._row = QHBoxLayout(holder)
        self._row.setContentsMargins(0, 0, 0, 0)
        self._row.setSpacing(0)
        self._row.setSizeConstraint(QHBoxLayout.SizeConstraint.SetFixedSize)
        self._area.setWidget(holder)
        row.addWidget(self._area)
        self._list = QToolButton()
        self._list.setAccessibleName("All boards")
        self._list.setToolTip("All boards by name")
        self._list.clicked.connect(self._show_list)
        self._list.hide()
        row.addWidget(self._list)
        self.show_theme(tokens)

    def show_theme(self, tokens: Tokens) -> None:
        self.tokens = tokens
        self._list.setIcon(icons.icon("dots", tokens.quiet))
        self._shown = None

    def show_job(self, job: Job, board_id: BoardId) -> None:
        halves = [(i.name, i.pocket_board, i.plug_board) for i in job.inlays]
        shown = tuple(
            (b.id, b.name, b.sheet.material, b.sheet.tint, b.back_of, b.tiling is not None) for b in job.boards
        )
        state = (shown, board_id, halves)
        self._job = job
        if state == self._shown:
            return
        self._shown = state
        while self._row.count():
            item = self._row.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        for board in job.boards:
            tab = self._tab(board, is_shown=board.id == board_id)
            self._mark_inlays(tab, board, job)
            self._mark_face(tab, board, job)
            self._row.addWidget(tab)
            if board.id == board_id:
                self._current = tab
        self._fold()

    def sizeHint(self) -> QSize:
        return QSize(
            self._area.inside() + (self._list.sizeHint().width() if not self._list.isHidden() else 0), self._height
        )

    def minimumSizeHint(self) -> QSize:
        return QSize(style.scaled(120), self._height)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fold()

    def _fold(self) -> None:
        """The list stands beside the strip while that is too short; the shown tab is slid into sight."""
        self._list.setVisible(self._area.inside() > self.width())
        self.updateGeometry()
        if self._current is not None:
            self._area.fit()
            self._area.ensureWidgetVisible(self._current, 0, 0)

    def _show_list(self) -> None:
        menu = QMenu(self)
        for board in self._job.boards if self._job is not None else ():
            action = menu.addAction(board.name)
            action.triggered.connect(lambda _c=False, i=board.id: self.chosen.emit(i))
        menu.exec(self._list.mapToGlobal(self._list.rect().bottomLeft()))

    def _tab(self, board: Board, *, is_shown: bool) -> QToolButton:
        tab = _Tab(self)
        tab.setProperty("kind", "tab")
        tab.setCheckable(True)
        tab.setChecked(is_shown)
        words = tab.fontMetrics().elidedText(board.name, Qt.TextElideMode.ElideRight, style.scaled(WIDEST_PX))
        tab.setText(words)
        tab.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        tab.setIconSize(THUMB)
        tab.setIcon(QIcon(self._picture(board)))
        tab.board_id = board.id
        # as wide as its words in the bold they have while it is shown: nothing moves when another is
        bold = style.font(style.BODY_PX, weight=QFont.Weight.DemiBold)
        tab.setFixedSize(QFontMetrics(bold).horizontalAdvance(words) + style.scaled(ROUND_PX), self._height)
        tab.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        tab.customContextMenuRequested.connect(
            lambda at, i=board.id, t=tab: self.menu_wanted.emit(i, t.mapToGlobal(at))
        )
        tab.setAccessibleName(f"Board {board.name}")
        tab.clicked.connect(lambda _c=False, i=board.id, t=tab: self._choose(i, t))
        return tab

    def _choose(self, board_id: BoardId, tab: QToolButton) -> None:
        tab.setChecked(True)  # a click on the one that is shown leaves it marked
        self.chosen.emit(board_id)

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
        tab.setToolTip("\n".join([board.name, *words]))
        tab.setAccessibleDescription(" ".join(words))

    def _picture(self, board: Board) -> QPixmap:
        """A board's stock, small, with a wedge where it holds half of an inlay."""
        out = self._thumbs.get(board.id) or _plain(board)
        for inlay in self._job.inlays if self._job is not None else ():
            if board.id in (inlay.pocket_board, inlay.plug_board):
                out = self._with_wedge(out, is_pocket=inlay.pocket_board == board.id)
        return out

    def _mark_face(self, tab: QToolButton, board: Board, job: Job) -> None:
        """The two faces of a sheet are joined: a bar under both tabs, and words that say of what."""
        front = job.board(board.back_of.front) if board.back_of is not None else None
        back = job.back_of(board.id)
        if front is None and back is None:
            return
        words = (
            f"Back of {front.name}." if front is not None else f"Its back is {back.name}." if back is not None else ""
        )
        tab.setToolTip(f"{tab.toolTip()}\n{words}")
        tab.setAccessibleDescription(f"{tab.accessibleDescription()} {words}".strip())
        tab.setProperty("face", "back" if front is not None else "front")

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

    def show_setups(self, board_id: BoardId, count: int, shown: int | None) -> None:
        """So many dots under the tab of a board that is cut in several setups, the one that is shown filled."""
        for k in range(self._row.count()):
            item = self._row.itemAt(k)
            tab = item.widget() if item is not None else None
            if isinstance(tab, _Tab):
                tab.show_dots(count if tab.board_id == board_id and count > 1 else 0, shown)

    def show_thumb(self, board_id: BoardId, picture: QPixmap) -> None:
        """The stock of a board, small."""
        self._thumbs[board_id] = picture.scaled(
            THUMB * 2, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
        )
        board = self._job.board(board_id) if self._job is not None else None
        for k in range(self._row.count()):
            item = self._row.itemAt(k)
            tab = item.widget() if item is not None else None
            if isinstance(tab, _Tab) and tab.board_id == board_id and board is not None:
                tab.setIcon(QIcon(self._picture(board)))


class _Tab(QToolButton):
    """A board's tab, with a row of dots at its foot for its setups."""

    def __init__(self, tabs: BoardTabs) -> None:
        super().__init__()
        self._tabs = tabs
        self.board_id: BoardId | None = None
        self._count = 0
        self._shown: int | None = None

    def show_dots(self, count: int, shown: int | None) -> None:
        if (count, shown) != (self._count, self._shown):
            self._count, self._shown = count, shown
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if not self._count:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        count = min(self._count, _MOST_DOTS)
        left = self.width() / 2 - (count - 1) * _DOT_PX
        for k in range(count):
            at = QPointF(left + 2 * k * _DOT_PX, self.height() - 6)
            painter.setPen(QPen(self._tabs.tokens.color("accent"), 1))
            painter.setBrush(self._tabs.tokens.color("accent") if k == self._shown else Qt.BrushStyle.NoBrush)
            painter.drawEllipse(at, 2.2, 2.2)


_DOT_PX = 4.5
_MOST_DOTS = 12


def _plain(board: Board) -> QPixmap:
    out = QPixmap(THUMB * 2)
    out.fill(tone_of(board.sheet))
    return out


class _Slide(QScrollArea):
    """A strip without bars: the wheel slides it."""

    def __init__(self) -> None:
        super().__init__()
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setObjectName("tabs")
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)

    def inside(self) -> int:
        """How wide all tabs are together."""
        widget = self.widget()
        return widget.sizeHint().width() if widget is not None else 0

    def fit(self) -> None:
        """Lay the tabs out now: whoever slides to one must know where it stands."""
        widget = self.widget()
        if widget is not None:
            widget.adjustSize()

    def wheelEvent(self, event: QWheelEvent) -> None:
        bar = self.horizontalScrollBar()
        bar.setValue(bar.value() - (event.angleDelta().y() or event.angleDelta().x()))
