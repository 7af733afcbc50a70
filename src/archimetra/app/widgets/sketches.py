"""Small drawings beside numbers: the section of a cut, and the nine points of a sheet."""

from __future__ import annotations

import msgspec
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QBrush, QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from archimetra.app.theme import style
from archimetra.app.theme.tokens import Tokens
from archimetra.app.theme.wood import tone
from archimetra.app.widgets.badge import draw_bit
from archimetra.job.bits import Bit
from archimetra.job.quantities import Unit, format_length
from archimetra.job.sheet import Sheet, ZeroAt
from archimetra.toolpath.passes import pass_depths


class CutSketchData(msgspec.Struct, frozen=True):
    sheet: Sheet
    unit: Unit
    bit: Bit
    start: float
    end: float
    per_pass: float
    tab: float  # thickness, 0 for none


class CutSketch(QWidget):
    """One cut in section, to scale: sheet, spoilboard, passes, tab, bit, depth."""

    def __init__(self, tokens: Tokens, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.tokens = tokens
        self._data: CutSketchData | None = None
        self.setFixedHeight(96)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Section of this cut")

    def show_cut(self, data: CutSketchData | None) -> None:
        self._data = data
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(self.tokens.color("hairline"), 1))
        painter.setBrush(self.tokens.color("panel"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4)
        if self._data is None:
            return
        data = self._data
        painter.setClipRect(self.rect().adjusted(1, 1, -1, -1))
        deepest = max(data.sheet.thickest, data.end)
        k = min(54 / (deepest + 1.5), 60 / max(data.bit.diameter, 0.5))
        top, x0, x1 = 30.0, 12.0, self.width() - 78.0
        bottom = top + data.sheet.thickest * k
        middle = (x0 + x1) / 2
        half = data.bit.radius * k
        floor = top + data.end * k
        painter.fillRect(QRectF(x0, bottom, x1 - x0, 8), self.tokens.color("hairline"))
        wood = tone(data.sheet.material)
        body = QPolygonF(
            [QPointF(x0, top), QPointF(middle - half, top), QPointF(middle - half, floor), QPointF(middle + half, floor),
             QPointF(middle + half, top), QPointF(x1, top), QPointF(x1, bottom), QPointF(x0, bottom)]
        )  # fmt: skip
        painter.save()
        painter.setClipRect(QRectF(x0, 0, x1 - x0, bottom), Qt.ClipOperation.IntersectClip)
        painter.setPen(Qt.PenStyle.NoPen)
        for brush in (QBrush(wood), QBrush(QColor(wood.darker(120)), Qt.BrushStyle.BDiagPattern)):
            painter.setBrush(brush)
            painter.drawPolygon(body)
        painter.restore()
        if floor > bottom:
            painter.fillRect(
                QRectF(middle - half, bottom, 2 * half, min(floor - bottom, 8)), self.tokens.color("panel")
            )
        if data.tab > 0 and data.end >= data.sheet.thinnest:
            tab = QRectF(middle - half, bottom - data.tab * k, 2 * half, data.tab * k)
            painter.setPen(QPen(self.tokens.color("caution"), 1.3))
            painter.setBrush(wood)
            painter.drawRect(tab)
            painter.setFont(style.font(11))
            text = f"tab {format_length(data.tab, data.unit)}"
            painter.setPen(QColor("#5A3F0A"))  # on wood, whatever the theme
            painter.drawText(QPointF(middle + half + 6, bottom - 3), text)
        painter.setPen(QPen(self.tokens.color("ink", 130), 0.8))
        if data.end > data.start:
            for depth in pass_depths(data.start, data.end, data.per_pass)[:-1]:
                painter.drawLine(
                    QPointF(middle - half - 4, top + depth * k), QPointF(middle + half + 4, top + depth * k)
                )
        first = min(data.start + data.per_pass, data.end) if data.end > data.start else 0.0
        draw_bit(painter, data.bit, QPointF(middle, top + first * k), k, k, alpha=235)
        x = x1 + 10
        painter.setPen(QPen(self.tokens.color("ink"), 1))
        painter.drawLine(QPointF(x, top + data.start * k), QPointF(x, floor))
        for y in (top + data.start * k, floor):
            painter.drawLine(QPointF(x - 3, y), QPointF(x + 3, y))
        painter.setFont(style.font(11))
        text = f"{format_length(data.end - data.start, data.unit)} {data.unit}"
        painter.drawText(QRectF(x + 6, (top + floor) / 2 - 9, 62, 18), Qt.AlignmentFlag.AlignVCenter, text)


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
        painter.setBrush(tone(self._sheet.material))
        painter.drawRect(QRectF(self._point(0, 0), self._point(2, 2)))
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
