"""The nine points of a sheet, drawn to be clicked."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from archimetra.app.theme.tokens import Tokens
from archimetra.app.theme.wood import tone_of
from archimetra.app.widgets.sheet_outline import placed, sheet_path
from archimetra.job.sheet import Sheet, ZeroAt

NINE = (
    (ZeroAt.BACK_LEFT, ZeroAt.BACK, ZeroAt.BACK_RIGHT),
    (ZeroAt.LEFT, ZeroAt.CENTRE, ZeroAt.RIGHT),
    (ZeroAt.FRONT_LEFT, ZeroAt.FRONT, ZeroAt.FRONT_RIGHT),
)


class ZeroPicker(QWidget):
    """The sheet from above with its nine points; click one, or use the arrow keys."""

    chosen = Signal(object)

    def __init__(self, tokens: Tokens, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.tokens = tokens
        self._sheet: Sheet | None = None
        self._at = ZeroAt.FRONT_LEFT
        self.setFixedHeight(104)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("X and Y zero: one of nine points of the sheet")
        self.setToolTip("Click the point of the sheet where X and Y are zero")

    def show_zero(self, sheet: Sheet, at: ZeroAt) -> None:
        self._sheet, self._at = sheet, at
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(180, 104)

    def _point(self, row: int, column: int) -> QPointF:
        assert self._sheet is not None
        k = min((self.width() - 32) / self._sheet.width, (self.height() - 32) / self._sheet.height)
        w, h = self._sheet.width * k, self._sheet.height * k
        return QPointF(self.width() / 2 + (column - 1) * w / 2, self.height() / 2 + (row - 1) * h / 2)

    def _place(self, x: float, y: float) -> QPointF:
        assert self._sheet is not None
        low, high = self._point(2, 0), self._point(0, 2)
        return QPointF(
            low.x() + (high.x() - low.x()) * x / self._sheet.width,
            low.y() + (high.y() - low.y()) * y / self._sheet.height,
        )

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self._sheet is None:
            return
        spots = [(r, c) for r in range(3) for c in range(3)]
        r, c = min(spots, key=lambda s: (self._point(*s) - event.position()).manhattanLength())
        self.chosen.emit(NINE[r][c])

    def keyPressEvent(self, event: QKeyEvent) -> None:
        where = next(((r, c) for r in range(3) for c in range(3) if NINE[r][c] is self._at), (2, 0))
        steps = {Qt.Key.Key_Left: (0, -1), Qt.Key.Key_Right: (0, 1), Qt.Key.Key_Up: (-1, 0), Qt.Key.Key_Down: (1, 0)}
        step = steps.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
            return
        r, c = min(max(where[0] + step[0], 0), 2), min(max(where[1] + step[1], 0), 2)
        self.chosen.emit(NINE[r][c])

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(
            QPen(self.tokens.color("accent" if self.hasFocus() else "hairline"), 2 if self.hasFocus() else 1)
        )
        painter.setBrush(self.tokens.color("panel"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 4, 4)
        if self._sheet is None:
            return
        painter.setPen(QPen(self.tokens.color("quiet"), 1))
        painter.setBrush(tone_of(self._sheet))
        painter.drawPath(placed(sheet_path(self._sheet), self._place))
        for r in range(3):
            for c in range(3):
                at = self._point(r, c)
                if NINE[r][c] is self._at:
                    painter.setPen(QPen(self.tokens.color("picked"), 1.5))
                    painter.setBrush(self.tokens.color("picked"))
                    painter.drawPolygon(QPolygonF([at, at + QPointF(-6, -11), at + QPointF(6, -11)]))
                    painter.drawLine(at + QPointF(0, -11), at + QPointF(0, -16))
                else:
                    painter.setPen(QPen(self.tokens.color("ink"), 1.1))
                    painter.setBrush(self.tokens.color("panel"))
                    painter.drawEllipse(at, 4, 4)
