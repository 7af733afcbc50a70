"""The section: the sheet cut along line A-A′ at the shown moment, to scale, with readings."""

from __future__ import annotations

from typing import NamedTuple

import msgspec
import numpy as np
from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QBrush, QColor, QFont, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QSizePolicy, QToolButton, QVBoxLayout, QWidget

from archimetra.app.theme import style
from archimetra.app.theme.tokens import Tokens
from archimetra.app.theme.wood import tone_of
from archimetra.app.views.key_focus import KeyFocusView
from archimetra.app.widgets.badge import draw_bit
from archimetra.app.widgets.fields import label
from archimetra.geometry.arrays import BoolArray, FloatArray
from archimetra.job.bits import Bit
from archimetra.job.quantities import Unit, format_length
from archimetra.job.sheet import Sheet

EXAGGERATIONS = (1, 2, 5)
LEFT, RIGHT, BOTTOM = 56.0, 24.0, 20.0
HEADROOM = 20.0  # above the sheet, where the bit stands
SPOIL_MM = 4.0


class SectionData(msgspec.Struct, frozen=True, eq=False):
    """Heights (n,) along a line of ``length`` mm; the bit with its place along the line, its distance from it and its tip's z."""

    sheet: Sheet
    unit: Unit
    length: float
    inside: tuple[float, float]  # stretch of the line that lies on the sheet
    heights: FloatArray
    hollow: FloatArray  # (2, n): bottom and top of undercuts, nan where there are none
    passes: tuple[float, ...]  # z of the passes of the cut in work
    bit: Bit | None
    bit_at: float
    bit_off: float
    bit_z: float
    moment: str
    mate: MateDrawing | None = None
    begin: float = 0.0  # where on the line A-A' the drawn stretch begins, mm


class MateDrawing(msgspec.Struct, frozen=True, eq=False):
    """A plug in its pocket: height of its underside and its back along the line (n,), nan where there is none, the board it is of,
    its readings in words, each with whether it is good, and how much is shown above and below the pocket board's face."""

    under: FloatArray
    back: FloatArray
    sheet: Sheet
    readings: tuple[tuple[str, bool], ...]
    above: float
    below: float


class Floor(NamedTuple):
    """A level stretch of the cut surface."""

    begin: float
    end: float
    z: float


class SectionView(QWidget):
    exaggeration_chosen = Signal(int)
    mate_wanted = Signal(bool)

    def __init__(self, tokens: Tokens, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName("Section")
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 4, 10, 0)
        head = QHBoxLayout()
        head.setSpacing(6)
        head.addWidget(label("Section A–A′", "heading"))
        self._moment = label("", "note")
        self._moment.setWordWrap(False)
        self._reading = label("", "note")
        self._reading.setWordWrap(False)
        head.addSpacing(8)
        head.addWidget(self._moment)
        head.addStretch(1)
        head.addWidget(self._reading)
        head.addSpacing(12)
        self._mate = QToolButton()
        self._mate.setText("mate")
        self._mate.setCheckable(True)
        self._mate.setProperty("kind", "small")
        self._mate.setToolTip("Lay the plug into its pocket, as both boards are cut")
        self._mate.setAccessibleName("Mate")
        self._mate.clicked.connect(self.mate_wanted)
        self._mate.hide()
        head.addWidget(self._mate)
        head.addSpacing(8)
        self._depth = label("depth", "note")
        self._depth.setWordWrap(False)
        head.addWidget(self._depth)
        self._buttons: dict[int, QToolButton] = {}
        for factor in EXAGGERATIONS:
            button = QToolButton()
            button.setText(f"x{factor}")
            button.setCheckable(True)
            button.setProperty("kind", "small")
            button.setToolTip(
                f"Draw depths {factor} times as large as widths" if factor > 1 else "Draw depths to scale"
            )
            button.setAccessibleName(f"Depth times {factor}")
            button.clicked.connect(lambda _checked=False, f=factor: self.show_exaggeration(f))
            head.addWidget(button)
            self._buttons[factor] = button
        column.addLayout(head)
        self.canvas = _Canvas(tokens, self)
        self.canvas.reading.connect(self._reading.setText)
        column.addWidget(self.canvas, 1)
        self.setMinimumHeight(124)
        self.show_exaggeration(2)

    def show_theme(self, tokens: Tokens) -> None:
        self.canvas.tokens = tokens
        self.canvas.update()

    def show_mate(self, *, is_offered: bool, is_on: bool) -> None:
        """Whether the board is half of an inlay, and whether its plug is laid in."""
        self._mate.setVisible(is_offered)
        self._mate.setChecked(is_on)

    def show_section(self, data: SectionData | None) -> None:
        self._moment.setText(self._words(data))
        self._moment.setToolTip(
            "Gaps under the plug, above the sheet and at the side, in mm"
            if data is not None and data.mate is not None
            else ""
        )
        is_mate = data is not None and data.mate is not None
        self.setMinimumHeight(210 if is_mate else 124)  # gaps of half a millimetre want room
        self.canvas.show_section(data)
        self._tell_scale()

    def _words(self, data: SectionData | None) -> str:
        if data is None or data.mate is None:
            return data.moment if data is not None else ""
        bad = self.canvas.tokens.color("picked").name()
        return " \u00a0 ".join(
            words if is_good else f'<span style="color:{bad}; font-weight:600">{words}</span>'
            for words, is_good in data.mate.readings
        )

    def _tell_scale(self) -> None:
        """What is chosen may not fit; then what is drawn is said."""
        drawn = self.canvas.drawn_exaggeration()
        chosen = self.canvas.exaggeration
        fits = drawn is None or 0.97 * chosen < drawn < 1.03 * chosen
        more = drawn is not None and drawn > chosen
        self._depth.setText("depth" if fits else f"depth, x{drawn:.1f}{'' if more else ' fits'}")

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._tell_scale()

    def show_exaggeration(self, factor: int) -> None:
        for key, button in self._buttons.items():
            button.setChecked(key == factor)
        self.canvas.exaggeration = factor
        self.canvas.update()
        self._tell_scale()

    def sizeHint(self) -> QSize:
        return QSize(800, 146)


class _Canvas(KeyFocusView):
    reading = Signal(str)

    def __init__(self, tokens: Tokens, parent: QWidget) -> None:
        super().__init__(parent)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Section drawing")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.tokens = tokens
        self.exaggeration = 2
        self._data: SectionData | None = None
        self._hover: float | None = None

    def show_section(self, data: SectionData | None) -> None:
        self._data = data
        self.update()

    # ---- scale

    def drawn_exaggeration(self) -> float | None:
        """How many times larger depths are drawn than widths; None while there is nothing to draw."""
        if self._data is None or self._data.length <= 0:
            return None
        across, down, _ = self._scales(self._data)
        return down / across

    def _scales(self, data: SectionData) -> tuple[float, float, float]:
        """Pixels per mm across and down, and the y of the sheet's top."""
        across = (self.width() - LEFT - RIGHT) / data.length
        if data.mate is not None:
            room = self.height() - 6 - BOTTOM
            # gaps of half a millimetre are what is looked at: as large as the room allows
            down = min(across * max(EXAGGERATIONS), room / (data.mate.above + data.mate.below))
            return across, down, 4 + data.mate.above * down
        down = min(across * self.exaggeration, self._room() / self._depth_shown(data, across))
        return across, down, HEADROOM

    def _room(self) -> float:
        return self.height() - HEADROOM - 2 - BOTTOM

    def _depth_shown(self, data: SectionData, across: float) -> float:
        """How much of the sheet is drawn, mm: all of it with some spoilboard; close up only what the cuts reach, where the whole
        would be squeezed flatter than it is."""
        whole = data.sheet.thickest + SPOIL_MM
        if self._room() / whole >= across:
            return whole
        deepest = max(
            float(-data.heights.min()), -data.bit_z if data.bit_off <= (data.bit.radius if data.bit else 0) else 0
        )
        shown = max(1.3 * deepest + 1.5, 3.0)
        return whole if shown > 0.7 * whole else shown

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._data is None:
            return
        across, _, _ = self._scales(self._data)
        s = (event.position().x() - LEFT) / across
        self._hover = s if 0 <= s <= self._data.length else None
        self.reading.emit(self._words(self._data) if self._hover is not None else "")
        self.update()

    def leaveEvent(self, event: QEvent) -> None:
        self._hover = None
        self.reading.emit("")
        self.update()

    def _words(self, data: SectionData) -> str:
        assert self._hover is not None
        low, high = data.inside
        if not low <= self._hover <= high:
            return "off the sheet"
        k = min(max(round(self._hover / data.length * (len(data.heights) - 1)), 0), len(data.heights) - 1)
        depth = -float(data.heights[k])
        left = data.sheet.thinnest - depth
        words = f"{format_length(data.begin + self._hover, data.unit)} {data.unit} from A: "
        if data.mate is not None and np.isfinite(data.mate.under[k]):
            gap = float(data.mate.under[k] - data.heights[k])
            return words + (f"gap {gap:.2f} mm" if gap > -0.005 else f"wood meets wood by {-gap:.2f} mm")
        bottom, roof = (float(v) for v in data.hollow[:, k])
        if bottom < roof:
            return (
                words + f"undercut from {format_length(-roof, data.unit)} to {format_length(-bottom, data.unit)} deep"
            )
        if depth < 0.0005:
            return words + "uncut"
        if left <= 0:
            return words + "cut through"
        return words + f"{format_length(depth, data.unit)} deep, {format_length(left, data.unit)} left"

    # ---- painting

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._paint(painter)
        self.paint_focus(painter, self.tokens)

    def _paint(self, painter: QPainter) -> None:
        data = self._data
        if data is None or data.length <= 0:
            painter.setPen(self.tokens.color("quiet"))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "Working out the section")
            return
        across, down, top = self._scales(data)
        low, high = data.inside
        x0, x1 = LEFT + low * across, LEFT + high * across
        bottom = top + data.sheet.thickest * down
        if data.mate is not None:
            self._paint_mate(painter, data, data.mate, across, down, top)
            return
        low = top + self._depth_shown(data, across) * down
        is_broken_off = low < bottom
        painter.save()
        if is_broken_off:
            painter.setClipRect(QRectF(0, 0, self.width(), low))
        else:
            painter.fillRect(QRectF(x0 - 20, bottom, x1 - x0 + 40, SPOIL_MM * down), self.tokens.color("hairline"))
        surface = self._surface(data, across, down, top)
        self._paint_wood(painter, data, surface, x0, x1, bottom)
        self._paint_hollow(painter, data, across, down, top)
        self._paint_passes(painter, data, x0, x1, down, top)
        self._paint_bit(painter, data, across, down, top)
        painter.restore()
        if is_broken_off:
            self._paint_break(painter, x0, x1, low)
        self._paint_scale(painter, data, top, None if is_broken_off else bottom)
        self._paint_floors(painter, data, across, low)
        bottom = min(bottom, low)
        if self._hover is not None:
            x = LEFT + self._hover * across
            painter.setPen(QPen(self.tokens.color("picked"), 1, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(x, top - 6), QPointF(x, bottom + 8))

    def _surface(self, data: SectionData, across: float, down: float, top: float) -> list[QPointF]:
        """The cut surface on the sheet, thinned to what a pixel shows but keeping every step."""
        n = len(data.heights)
        s = np.linspace(0.0, data.length, n)
        on = (s >= data.inside[0]) & (s <= data.inside[1])
        h = np.maximum(data.heights[on], -(data.sheet.thickest + SPOIL_MM))
        x = LEFT + s[on] * across
        y = top - h * down
        if not len(x):
            return []
        keep = np.ones(len(x), dtype=bool)
        keep[1:-1] = (np.abs(np.diff(y)[:-1]) > 0.02) | (np.abs(np.diff(y)[1:]) > 0.02)
        return [QPointF(a, b) for a, b in zip(x[keep], y[keep], strict=True)]

    def _paint_wood(
        self, painter: QPainter, data: SectionData, surface: list[QPointF], x0: float, x1: float, bottom: float
    ) -> None:
        if not surface:
            return
        painter.save()
        outline = QPolygonF([QPointF(p.x(), min(p.y(), bottom)) for p in surface])
        outline.append(QPointF(x1, bottom))
        outline.append(QPointF(x0, bottom))
        wood = tone_of(data.sheet)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QBrush(wood))
        painter.drawPolygon(outline)
        hatch = QColor(wood.darker(122))
        painter.setBrush(QBrush(hatch, Qt.BrushStyle.BDiagPattern))
        painter.drawPolygon(outline)
        painter.setPen(QPen(wood.darker(190), 1.3))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(surface))
        thinnest = -data.sheet.thinnest
        # sides and underside only where wood is left
        stretches = _stretches(data.heights > thinnest + 1e-6)
        n = len(data.heights)
        across = (self.width() - LEFT - RIGHT) / data.length
        for a, b in stretches:
            left = max(LEFT + a / (n - 1) * data.length * across, x0)
            right = min(LEFT + b / (n - 1) * data.length * across, x1)
            if right > left:
                painter.drawLine(QPointF(left, bottom), QPointF(right, bottom))
        for x, p in ((x0, surface[0]), (x1, surface[-1])):
            painter.drawLine(QPointF(x, min(p.y(), bottom)), QPointF(x, bottom))
        painter.restore()

    def _paint_mate(
        self, painter: QPainter, data: SectionData, mate: MateDrawing, across: float, down: float, top: float
    ) -> None:
        """Pocket below, plug above, both broken off where nothing more is to be seen; red where wood meets wood."""
        x0, x1 = LEFT + data.inside[0] * across, LEFT + data.inside[1] * across
        low = top + mate.below * down
        painter.save()
        painter.setClipRect(QRectF(LEFT - 1, 0, data.length * across + 2, low + 1))
        self._paint_wood(
            painter, data, self._surface(data, across, down, top), x0, x1, top + data.sheet.thickest * down
        )
        s = LEFT + np.linspace(0.0, data.length, len(mate.under)) * across
        wood = tone_of(mate.sheet)
        for a, b in _stretches(np.isfinite(mate.under)):
            under = [QPointF(x, top - y * down) for x, y in zip(s[a:b], mate.under[a:b], strict=True)]
            high = top - np.minimum(mate.back[a:b], mate.above + 2) * down
            back = [QPointF(x, y) for x, y in zip(s[a:b], high, strict=True)]
            body = QPolygonF(under + back[::-1])
            painter.setPen(Qt.PenStyle.NoPen)
            for brush in (QBrush(wood), QBrush(QColor(wood.darker(125)), Qt.BrushStyle.FDiagPattern)):
                painter.setBrush(brush)
                painter.drawPolygon(body)
            painter.setPen(QPen(wood.darker(190), 1.3))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolyline(QPolygonF(under))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self.tokens.color("picked", 200))
        for a, b in _stretches(np.nan_to_num(mate.under, nan=1e9) < data.heights - 0.005):
            over = [QPointF(x, top - y * down) for x, y in zip(s[a:b], mate.under[a:b], strict=True)]
            floor = [QPointF(x, top - y * down) for x, y in zip(s[a:b], data.heights[a:b], strict=True)]
            painter.drawPolygon(QPolygonF(over + floor[::-1]))
        painter.restore()
        self._paint_break(painter, x0, x1, low)
        painter.setFont(style.font(11))
        painter.setPen(self.tokens.color("quiet"))
        known = {round(floor.z, 2) for floor in floors(data) if -floor.z < mate.below}
        depths = [0.0, *sorted(known, reverse=True)[:2]]
        for z in depths:
            y = top - z * down
            box = QRectF(0, y - 8, LEFT - 18, 16)
            right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
            painter.drawText(box, right, format_length(-z, data.unit) if z else "0")
            painter.drawLine(QPointF(LEFT - 15, y), QPointF(LEFT - 9, y))
        words = f"{mate.sheet.material.value} plug over {data.sheet.material.value}"
        painter.drawText(QRectF(x0, low + 1, x1 - x0, 15), Qt.AlignmentFlag.AlignLeft, words)
        if self._hover is not None:
            x = LEFT + self._hover * across
            painter.setPen(QPen(self.tokens.color("picked"), 1, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(x, 4), QPointF(x, low))

    def _paint_hollow(self, painter: QPainter, data: SectionData, across: float, down: float, top: float) -> None:
        """What undercut bits took away under wood that stays."""
        is_open = np.isfinite(data.hollow[0]) & (data.hollow[1] > data.hollow[0])
        n = data.hollow.shape[1]
        edge = tone_of(data.sheet).darker(190)
        for a, b in _stretches(is_open):
            s = np.linspace(0.0, data.length, n)[a:b]
            low, high = data.hollow[0, a:b], data.hollow[1, a:b]
            along = np.concatenate((s, s[::-1]))
            z = np.concatenate((high, low[::-1]))
            outline = QPolygonF([QPointF(LEFT + x * across, top - y * down) for x, y in zip(along, z, strict=True)])
            painter.setPen(QPen(edge, 1.3))
            painter.setBrush(self.tokens.color("panel"))
            painter.drawPolygon(outline)

    def _paint_passes(
        self, painter: QPainter, data: SectionData, x0: float, x1: float, down: float, top: float
    ) -> None:
        if data.bit is None:
            return
        across = (self.width() - LEFT - RIGHT) / data.length
        middle = LEFT + data.bit_at * across
        half = max(data.bit.radius * across * 1.6, 14.0)
        painter.setPen(QPen(self.tokens.color("ink", 110), 0.8))
        for z in data.passes:
            y = top - z * down
            painter.drawLine(QPointF(max(middle - half, x0), y), QPointF(min(middle + half, x1), y))

    def _paint_break(self, painter: QPainter, x0: float, x1: float, y: float) -> None:
        """The wood goes on below."""
        painter.setPen(QPen(self.tokens.color("quiet"), 1, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(x0, y), QPointF(x1, y))

    def _paint_scale(self, painter: QPainter, data: SectionData, top: float, bottom: float | None) -> None:
        painter.setFont(style.font(11))
        painter.setPen(self.tokens.color("quiet"))
        ticks = [(top, "0")]
        if bottom is not None:
            ticks.append((bottom, format_length(data.sheet.thickest, data.unit)))
        for y, text in ticks:
            painter.drawText(
                QRectF(0, y - 8, LEFT - 18, 16), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text
            )
            painter.drawLine(QPointF(LEFT - 15, y), QPointF(LEFT - 9, y))

    def _paint_floors(self, painter: QPainter, data: SectionData, across: float, low: float) -> None:
        """How deep level floors are, written below them."""
        painter.setFont(style.font(11))
        last_end = -1e9
        for floor in floors(data):
            width = (floor.end - floor.begin) * across
            depth = -floor.z
            is_through = depth >= data.sheet.thinnest - 1e-9
            text = "through" if is_through else f"{format_length(depth, data.unit)} {data.unit} deep"
            middle = LEFT + (floor.begin + floor.end) / 2 * across
            needed = painter.fontMetrics().horizontalAdvance(text) + 10
            if width < 3 or middle - needed / 2 < last_end:
                continue
            last_end = middle + needed / 2
            painter.setPen(self.tokens.color("quiet"))
            painter.drawText(QRectF(middle - needed / 2, low + 1, needed, 15), Qt.AlignmentFlag.AlignCenter, text)

    def _paint_bit(self, painter: QPainter, data: SectionData, across: float, down: float, top: float) -> None:
        bit = data.bit
        if bit is None or not -bit.radius <= data.bit_at <= data.length + bit.radius:
            return
        is_here = data.bit_off <= bit.radius
        tip = QPointF(LEFT + data.bit_at * across, top - max(data.bit_z, -(data.sheet.thickest + SPOIL_MM)) * down)
        painter.save()
        painter.setClipRect(self.rect())
        painter.setOpacity(1.0 if is_here else 0.28)
        draw_bit(painter, bit, tip, across, down)
        painter.restore()
        left = data.sheet.thinnest + data.bit_z
        if is_here and 0 < left < data.sheet.thinnest:
            x = tip.x() + bit.radius * across + 7
            bottom = top + data.sheet.thickest * down
            painter.setPen(QPen(self.tokens.color("picked"), 1.2))
            painter.drawLine(QPointF(x, tip.y()), QPointF(x, bottom))
            painter.setFont(style.font(11, weight=QFont.Weight.DemiBold))
            text = f"{format_length(left, data.unit)} left"
            y = (tip.y() + bottom) / 2
            width = painter.fontMetrics().horizontalAdvance(text) + 6
            box = QRectF(x + 4, y - 8, width, 16)
            painter.fillRect(box, self.tokens.color("panel", 210))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


def floors(data: SectionData) -> list[Floor]:
    """Level stretches below the sheet's top, on the sheet, from left to right."""
    h = data.heights
    n = len(h)
    step = data.length / (n - 1)
    level = np.concatenate((np.abs(np.diff(h)) < 1e-4, [False]))
    low = h < -0.005
    out = []
    for a, b in _stretches(level & low):
        begin, end = max(a * step, data.inside[0]), min(b * step, data.inside[1])
        if end > begin:
            out.append(Floor(begin, end, float(h[a])))
    return out


def _stretches(flags: BoolArray) -> list[tuple[int, int]]:
    """Runs of true values as (first, one past the last)."""
    edges = np.diff(np.concatenate(([0], np.asarray(flags, dtype=np.int8), [0])))
    return list(zip(np.flatnonzero(edges == 1).tolist(), np.flatnonzero(edges == -1).tolist(), strict=True))
