"""The small section beside the numbers of a cut: sheet, spoilboard, what is taken away, passes, tab or skin, the bit, the depth."""

from __future__ import annotations

import msgspec
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from archimetra.app.theme import style
from archimetra.app.theme.tokens import Tokens
from archimetra.app.theme.wood import tone_of
from archimetra.app.widgets.badge import draw_bit
from archimetra.job.bits import Bit
from archimetra.job.quantities import Unit, format_length
from archimetra.job.sheet import Sheet
from archimetra.toolpath.shared.passes import pass_depths

HEIGHT = 104
_TOP = 32.0
_POINTS = 24  # along a curved bottom


Outline = list[
    tuple[float, float]
]  # what is taken away, from the top left round to the top right: x from its middle, depth, mm


class CutSketchData(msgspec.Struct, frozen=True):
    """What is drawn. ``tab`` is the thickness of tabs, 0 for none; ``last_pass`` what that takes off the walls; ``off_top`` what is taken
    off the whole face. The bit stands at the first pass, or at the bottom of a cut that goes down at once."""

    sheet: Sheet
    unit: Unit
    bit: Bit
    outline: Outline
    start: float
    end: float
    per_pass: float
    tab: float
    last_pass: float = 0.0
    off_top: float = 0.0
    shows_passes: bool = True
    bit_at_wall: bool = False


def under_bit(bit: Bit, end: float, extra: float = 0.0) -> Outline:
    """What a bit leaves that has gone sideways by ``extra`` either way."""
    wide = bit.width_at(end) / 2
    if wide <= 0:
        return []
    bottom = [(-wide * (1 - k / _POINTS), end - bit.rise_at(wide * (1 - k / _POINTS))) for k in range(_POINTS + 1)]
    return mirrored([(-wide - extra, 0.0), *((x - extra, z) for x, z in bottom)])


def mirrored(half: Outline) -> Outline:
    """The left half with its right one."""
    return half + [(-x, z) for x, z in reversed(half) if x != 0.0]


class CutSketch(QWidget):
    """One cut in section, to scale."""

    def __init__(self, tokens: Tokens, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.tokens = tokens
        self._data: CutSketchData | None = None
        self.setFixedHeight(HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Section of this cut")

    def show_cut(self, data: CutSketchData | None) -> None:
        self._data = data
        self.update()

    @property
    def data(self) -> CutSketchData | None:
        return self._data

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(self.tokens.color("hairline"), 1))
        painter.setBrush(self.tokens.color("panel"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4)
        data = self._data
        if data is None:
            return
        painter.setClipRect(self.rect().adjusted(1, 1, -1, -1))
        outline = data.outline
        half = max((abs(x) for x, _ in outline), default=data.bit.radius)
        deepest = max(data.sheet.thickest, data.end, max((z for _, z in outline), default=0.0))
        x0, x1 = 12.0, self.width() - 80.0
        k = min(
            (HEIGHT - _TOP - 12) / (deepest + 0.5), (x1 - x0) * 0.45 / max(half, 0.5), 60 / max(data.bit.diameter, 0.5)
        )
        middle, bottom = (x0 + x1) / 2, _TOP + data.sheet.thickest * k

        def at(x: float, z: float) -> QPointF:
            return QPointF(middle + x * k, _TOP + z * k)

        painter.fillRect(QRectF(x0, bottom, x1 - x0, 8), self.tokens.color("hairline"))
        top = _TOP + data.off_top * k
        body = QPolygonF(
            [
                QPointF(x0, top),
                *(at(x, z) for x, z in outline),
                QPointF(x1, top),
                QPointF(x1, bottom),
                QPointF(x0, bottom),
            ]
        )
        self._paint_wood(painter, body, QRectF(x0, 0, x1 - x0, bottom), tone_of(data.sheet))
        floor = max((z for _, z in outline), default=0.0)
        if _TOP + floor * k > bottom and outline:
            low = [x for x, z in outline if z >= data.sheet.thickest - 1e-9] or [0.0]
            hole = QRectF(at(min(low), 0).x(), bottom, (max(low) - min(low)) * k, min(floor * k + _TOP - bottom, 8))
            painter.fillRect(hole, self.tokens.color("panel"))
        self._paint_details(painter, data, at, k, half, bottom)
        first = min(data.start + data.per_pass, data.end) if data.end > data.start else 0.0
        if not data.shows_passes:
            first = data.end
        place = -half + data.bit.radius if data.bit_at_wall else 0.0
        draw_bit(painter, data.bit, at(place, first), k, k, alpha=235)
        self._paint_depth(painter, data, x1 + 10, k)

    def _paint_wood(self, painter: QPainter, body: QPolygonF, room: QRectF, wood: QColor) -> None:
        painter.save()
        painter.setClipRect(room, Qt.ClipOperation.IntersectClip)
        painter.setPen(Qt.PenStyle.NoPen)
        for brush in (QBrush(wood), QBrush(QColor(wood.darker(120)), Qt.BrushStyle.BDiagPattern)):
            painter.setBrush(brush)
            painter.drawPolygon(body)
        painter.restore()

    def _paint_details(self, painter: QPainter, data: CutSketchData, at, k: float, half: float, bottom: float) -> None:
        if data.tab > 0 and data.end >= data.sheet.thinnest:
            box = QRectF(at(-half, 0).x(), bottom - data.tab * k, 2 * half * k, data.tab * k)
            painter.setPen(QPen(self.tokens.color("caution"), 1.3))
            painter.setBrush(tone_of(data.sheet))
            painter.drawRect(box)
            painter.setFont(style.font(11))
            painter.setPen(QColor("#5A3F0A"))  # on wood, whatever the theme
            painter.drawText(QPointF(box.right() + 6, bottom - 3), f"tab {format_length(data.tab, data.unit)}")
        painter.setPen(QPen(self.tokens.color("ink", 130), 0.8))
        if data.end > data.start and data.shows_passes:
            for depth in pass_depths(data.start, data.end, data.per_pass)[:-1]:
                painter.drawLine(at(-half, depth) + QPointF(-4, 0), at(half, depth) + QPointF(4, 0))
        if data.last_pass > 0:
            painter.setPen(QPen(self.tokens.color("caution"), 1, Qt.PenStyle.DashLine))
            for x in (-half + data.last_pass, half - data.last_pass):
                painter.drawLine(at(x, data.start), at(x, data.end))

    def _paint_depth(self, painter: QPainter, data: CutSketchData, x: float, k: float) -> None:
        a, b = _TOP + data.start * k, _TOP + data.end * k
        painter.setPen(QPen(self.tokens.color("ink"), 1))
        painter.drawLine(QPointF(x, a), QPointF(x, b))
        for y in (a, b):
            painter.drawLine(QPointF(x - 3, y), QPointF(x + 3, y))
        painter.setFont(style.font(11))
        text = f"{format_length(data.end - data.start, data.unit)} {data.unit}"
        painter.drawText(QRectF(x + 6, (a + b) / 2 - 9, 64, 18), Qt.AlignmentFlag.AlignVCenter, text)
