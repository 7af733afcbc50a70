"""The small section of an inlay: the plug turned over in its pocket as the numbers mean it, gaps to scale, while they are typed."""

from __future__ import annotations

from math import radians, tan

import msgspec
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from archimetra.app.theme import style
from archimetra.app.theme.tokens import Tokens
from archimetra.app.theme.wood import tone_of
from archimetra.job.bits import Bit
from archimetra.job.inlays import Inlay, InlayKind
from archimetra.job.quantities import Unit, format_length
from archimetra.job.sheet import Sheet

HEIGHT = 118


class InlaySketchData(msgspec.Struct, frozen=True):
    inlay: Inlay
    bit: Bit
    pocket_sheet: Sheet
    plug_sheet: Sheet
    unit: Unit
    live: tuple[tuple[str, float], ...] = ()

    def number(self, name: str) -> float:
        """A number as it is being typed, or the inlay's."""
        return float(dict(self.live).get(name, getattr(self.inlay, name)))


class InlaySketch(QWidget):
    def __init__(self, tokens: Tokens, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.tokens = tokens
        self._data: InlaySketchData | None = None
        self.setFixedHeight(HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Section of this inlay")

    def show_inlay(self, data: InlaySketchData) -> None:
        self._data = data
        self.update()

    @property
    def data(self) -> InlaySketchData | None:
        return self._data

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(self.tokens.color("hairline"), 1))
        painter.setBrush(self.tokens.color("panel"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4)
        if self._data is None:
            return
        painter.setClipRect(self.rect().adjusted(1, 1, -1, -1))
        if self._data.inlay.kind is InlayKind.VEE:
            self._vee(painter, self._data)
        else:
            self._straight(painter, self._data)

    def _vee(self, painter: QPainter, data: InlaySketchData) -> None:
        depth, glue = max(data.number("depth"), 0.2), max(data.number("glue_gap"), 0.0)
        saw, fit = max(data.number("saw_gap"), 0.0), max(data.number("fit"), 0.0)
        t = tan(radians(data.bit.angle / 2))
        seat = min(depth - glue + fit / t, depth)
        back = 2.0  # of the plug's board that is drawn
        x0, x1 = 12.0, self.width() - 92.0
        k = min((HEIGHT - 26) / (depth + saw + back + 1.5), (x1 - x0) / (4.5 * depth * max(t, 0.4) + 4))
        top = 12 + (saw + back) * k
        middle, half = (x0 + x1) / 2, 0.32 * (x1 - x0)
        deep = depth * k

        def pocket_x(u: float, side: int) -> float:
            """The wall at a depth of u pixels."""
            return middle + side * (half - u * t)

        low = top + deep + 1.2 * k
        wood = QPolygonF([
            QPointF(x0, top), QPointF(pocket_x(0, -1), top), QPointF(pocket_x(deep, -1), top + deep),
            QPointF(pocket_x(deep, 1), top + deep), QPointF(pocket_x(0, 1), top), QPointF(x1, top), QPointF(x1, low), QPointF(x0, low),
        ])  # fmt: skip
        _fill(painter, wood, tone_of(data.pocket_sheet), Qt.BrushStyle.BDiagPattern)
        # the plug seated: its outline level lies (c / t - what it sank) above the face, its nose at the seat
        nose, gap = top + seat * k, top - saw * k
        plug = QPolygonF([
            QPointF(x0 + 6, gap - back * k), QPointF(x1 - 6, gap - back * k), QPointF(x1 - 6, gap),
            QPointF(pocket_x(-saw * k, 1), gap), QPointF(pocket_x(seat * k, 1), nose), QPointF(pocket_x(seat * k, -1), nose),
            QPointF(pocket_x(-saw * k, -1), gap), QPointF(x0 + 6, gap),
        ])  # fmt: skip
        _fill(painter, plug, tone_of(data.plug_sheet), Qt.BrushStyle.FDiagPattern)
        x = x1 + 8
        self._reading(painter, x, gap, top, f"saw {self._text(data, saw)}")
        self._reading(painter, x, nose, top + deep, f"glue {self._text(data, max(depth - seat, 0.0))}")
        if fit > 0:
            painter.drawText(
                QRectF(x0, HEIGHT - 16, x1 - x0, 14),
                Qt.AlignmentFlag.AlignCenter,
                f"fit {self._text(data, fit)}: sinks {self._text(data, fit / t)}",
            )

    def _straight(self, painter: QPainter, data: InlaySketchData) -> None:
        thick, proud = data.plug_sheet.thickest, data.number("proud")
        clear = max(data.number("clearance"), 0.0)
        deep_mm = max(thick - proud, 0.1)
        above = max(proud, 0.0) + 1.0
        x0, x1 = 12.0, self.width() - 92.0
        k = (HEIGHT - 26) / (deep_mm + above + 2.0)
        top = 12 + above * k
        middle, half = (x0 + x1) / 2, 0.32 * (x1 - x0)
        deep = deep_mm * k
        # a clearance of hundredths would not be seen: drawn ten times as wide, and said
        gap = min(10 * clear * k, half / 4)
        low = top + deep + 1.5 * k
        wood = QPolygonF([
            QPointF(x0, top), QPointF(middle - half, top), QPointF(middle - half, top + deep), QPointF(middle + half, top + deep),
            QPointF(middle + half, top), QPointF(x1, top), QPointF(x1, low), QPointF(x0, low),
        ])  # fmt: skip
        _fill(painter, wood, tone_of(data.pocket_sheet), Qt.BrushStyle.BDiagPattern)
        box = QRectF(middle - half + gap, top + deep - thick * k, 2 * (half - gap), thick * k)
        insert = QPolygonF([box.topLeft(), box.topRight(), box.bottomRight(), box.bottomLeft()])
        _fill(painter, insert, tone_of(data.plug_sheet), Qt.BrushStyle.FDiagPattern)
        painter.setFont(style.font(11))
        painter.setPen(self.tokens.color("ink"))
        words = "flush" if abs(proud) < 1e-9 else f"{self._text(data, abs(proud))} {'proud' if proud > 0 else 'sunk'}"
        painter.drawText(QPointF(x1 + 8, top + 4), words)
        painter.drawText(QPointF(x1 + 8, top + deep / 2 + 4), f"{self._text(data, clear)} a side")
        painter.setPen(self.tokens.color("quiet"))
        painter.drawText(
            QRectF(x0, HEIGHT - 16, x1 - x0, 14), Qt.AlignmentFlag.AlignCenter, "clearance drawn ten times as wide"
        )

    def _reading(self, painter: QPainter, x: float, a: float, b: float, text: str) -> None:
        painter.setPen(QPen(self.tokens.color("ink"), 1))
        painter.setFont(style.font(11))
        painter.drawLine(QPointF(x, a), QPointF(x, b))
        for y in (a, b):
            painter.drawLine(QPointF(x - 3, y), QPointF(x + 3, y))
        painter.drawText(QRectF(x + 6, (a + b) / 2 - 9, 80, 18), Qt.AlignmentFlag.AlignVCenter, text)

    def _text(self, data: InlaySketchData, mm: float) -> str:
        return format_length(mm, data.unit)


def _fill(painter: QPainter, body: QPolygonF, wood: QColor, hatch: Qt.BrushStyle) -> None:
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QBrush(wood))
    painter.drawPolygon(body)
    painter.setBrush(QBrush(QColor(wood.darker(122)), hatch))
    painter.setPen(QPen(wood.darker(190), 1.0))
    painter.drawPolygon(body)
