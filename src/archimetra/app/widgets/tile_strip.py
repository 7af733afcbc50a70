"""A strip of small pictures: each setup of a board as it lies on the machine's bed, one of them chosen."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFont, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from archimetra.app.theme import style
from archimetra.app.theme.tokens import Tokens
from archimetra.app.theme.wood import tone_of
from archimetra.job.job import Board
from archimetra.job.setups import Setup
from archimetra.job.sheet import Machine

_GAP_PX = 8
_COLUMNS = 3
_NAME_PX = 16


class TileStrip(QWidget):
    """``chosen`` says the number of the picture that was clicked, -1 for the one that was chosen already."""

    chosen = Signal(int)

    def __init__(self, tokens: Tokens) -> None:
        super().__init__()
        self.tokens = tokens
        self._board: Board | None = None
        self._machine = Machine()
        self._setups: tuple[Setup, ...] = ()
        self._at: int | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Setups as they lie on the machine")
        self.setToolTip("Each as it lies on the machine. Click one to see it on the plan; again for the whole board.")

    def show_setups(self, board: Board, machine: Machine, setups: Sequence[Setup], at: int | None) -> None:
        self._board, self._machine, self._setups, self._at = board, machine, tuple(setups), at
        self.setFixedHeight(self.sizeHint().height())
        self.setAccessibleDescription(", ".join(setup.name for setup in setups))
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        rows = max(1, -(-len(self._setups) // _COLUMNS))
        height = self._picture_size()[1]
        return QSize(280, int(rows * (height + _NAME_PX + _GAP_PX)))

    def _picture_size(self) -> tuple[float, float]:
        count = min(max(len(self._setups), 1), _COLUMNS)
        width = (max(self.width(), 200) - _GAP_PX * (_COLUMNS - 1)) / _COLUMNS
        width = min(width * (1.0 if count == _COLUMNS else 1.2), 140.0)
        ratio = min(max(self._machine.travel_y / self._machine.travel_x, 0.5), 1.3)
        return width, width * ratio

    def resizeEvent(self, event: object) -> None:
        self.setFixedHeight(self.sizeHint().height())

    def box(self, k: int) -> QRectF:
        """Where the picture of a setup stands."""
        width, height = self._picture_size()
        row, column = divmod(k, _COLUMNS)
        return QRectF(column * (width + _GAP_PX), row * (height + _NAME_PX + _GAP_PX), width, height)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        for k in range(len(self._setups)):
            if self.box(k).adjusted(0, 0, 0, _NAME_PX).contains(event.position()):
                self.chosen.emit(-1 if k == self._at else k)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1, Qt.Key.Key_Down: _COLUMNS, Qt.Key.Key_Up: -_COLUMNS}.get(
            Qt.Key(event.key())
        )
        if step is None or not self._setups:
            if event.key() == Qt.Key.Key_Escape and self._at is not None:
                self.chosen.emit(-1)
                return
            super().keyPressEvent(event)
            return
        at = (-1 if self._at is None else self._at) + step
        self.chosen.emit(min(max(at, 0), len(self._setups) - 1))

    def paintEvent(self, event: QPaintEvent) -> None:
        if self._board is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for k, setup in enumerate(self._setups):
            self._paint(painter, self.box(k), setup, is_chosen=k == self._at)
        if self.hasFocus():
            painter.setPen(QPen(self.tokens.color("accent"), 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5))

    def _paint(self, painter: QPainter, box: QRectF, setup: Setup, *, is_chosen: bool) -> None:
        board, machine = self._board, self._machine
        assert board is not None
        edge = self.tokens.color("accent" if is_chosen else "hairline")
        painter.setPen(QPen(edge, 2.0 if is_chosen else 1.0))
        painter.setBrush(self.tokens.color("table"))
        painter.drawRoundedRect(box, 3, 3)
        room = 0.2 * box.width()  # the board stands out over the bed
        scale = min((box.width() - 2 * room) / machine.travel_x, (box.height() - 2 * room) / machine.travel_y)
        left, bottom = box.center().x() - machine.travel_x * scale / 2, box.center().y() + machine.travel_y * scale / 2

        def there(x: float, y: float) -> QPointF:
            bx, by = setup.on_bed(x, y)
            return QPointF(left + bx * scale, bottom - by * scale)

        sheet = board.sheet
        painter.save()
        painter.setClipRect(box.adjusted(1, 1, -1, -1))
        travel = QRectF(left, bottom - machine.travel_y * scale, machine.travel_x * scale, machine.travel_y * scale)
        painter.fillRect(travel, self.tokens.color("bed"))
        wood = tone_of(sheet)
        wood.setAlpha(150)
        painter.setPen(QPen(self.tokens.color("ink", 130), 1))
        painter.setBrush(wood)
        corners = [(0.0, 0.0), (sheet.width, 0.0), (sheet.width, sheet.height), (0.0, sheet.height)]
        painter.drawPolygon(QPolygonF([there(*corner) for corner in corners]))
        x0, y0 = max(setup.cell[0], 0.0), max(setup.cell[1], 0.0)
        x1, y1 = min(setup.cell[2], sheet.width), min(setup.cell[3], sheet.height)
        painter.setBrush(tone_of(sheet))
        painter.setPen(QPen(self.tokens.color("accent"), 1.4))
        painter.drawPolygon(QPolygonF([there(*corner) for corner in ((x0, y0), (x1, y0), (x1, y1), (x0, y1))]))
        painter.setPen(QPen(self.tokens.color("ink", 190), 1, Qt.PenStyle.DashLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(travel)
        painter.setPen(Qt.PenStyle.NoPen)
        for pin in setup.pins:
            painter.setBrush(self.tokens.color("ink"))
            painter.drawEllipse(there(*pin), 2.6, 2.6)
        # the sheet's own front left corner, so that a turn is seen
        painter.setBrush(self.tokens.color("ink", 150))
        corner = there(0.0, 0.0)
        inward = (
            there(min(sheet.width, sheet.height) * 0.18, 0.0) - corner,
            there(0.0, min(sheet.width, sheet.height) * 0.18) - corner,
        )
        painter.drawPolygon(QPolygonF([corner, corner + inward[0], corner + inward[1]]))
        zero = QPointF(left + setup.zero[0] * scale, bottom - setup.zero[1] * scale)
        painter.setPen(QPen(self.tokens.color("picked"), 1.6))
        painter.drawLine(zero - QPointF(4, 0), zero + QPointF(4, 0))
        painter.drawLine(zero - QPointF(0, 4), zero + QPointF(0, 4))
        painter.restore()
        painter.setPen(self.tokens.color("accent" if is_chosen else "ink"))
        painter.setFont(style.font(11, weight=QFont.Weight.DemiBold if is_chosen else QFont.Weight.Normal))
        painter.drawText(
            QRectF(box.left(), box.bottom() + 1, box.width(), _NAME_PX), Qt.AlignmentFlag.AlignCenter, setup.name
        )
