"""The drawing of the section: wood, bit, passes and tabs along a line to scale; what is under the pointer is read, and distances are measured."""

from __future__ import annotations

from math import atan, degrees

import numpy as np
from PySide6.QtCore import QEvent, QRectF, Qt, Signal
from PySide6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QMenu, QSizePolicy, QWidget

from archimetra.app.theme.tokens import Tokens
from archimetra.app.views.key_focus import KeyFocusView
from archimetra.app.views.section_data import BOTTOM, LEFT, RIGHT, SPOIL_MM, Frame, SectionData
from archimetra.app.views.section_layers import (
    paint_bit,
    paint_break,
    paint_depths,
    paint_floors,
    paint_hollow,
    paint_passes,
    paint_reading,
    paint_shank,
    paint_spoilboard,
    paint_tabs,
    paint_wood,
)
from archimetra.app.views.section_mate import paint_mate
from archimetra.app.views.section_measure import Distance, Place, distance_at, paint_distance, snapped
from archimetra.job.quantities import format_length

EXAGGERATIONS = (1, 2, 5)
HEADROOM = 20.0  # above the sheet, where the bit stands


class SectionCanvas(KeyFocusView):
    reading = Signal(str)
    distance_wanted = Signal(object)  # Distance to keep
    distances_unwanted = Signal(object)  # their numbers

    _start: Place | None = None  # of a distance that is being measured,
    _end: Place = (0.0, 0.0)  # and where it ends by now
    _picked: int | None = None  # of the pinned distances

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
        if data is None or (self._picked is not None and self._picked >= len(data.distances)):
            self._picked = None
        self.update()

    # ---- scale

    def drawn_exaggeration(self) -> float | None:
        """How many times larger depths are drawn than widths; None while there is nothing to draw."""
        if self._data is None or self._data.length <= 0:
            return None
        frame = self._frame(self._data)
        return frame.down / frame.across

    def _frame(self, data: SectionData) -> Frame:
        across = (self.width() - LEFT - RIGHT) / data.length
        if data.mate is not None:
            room = self.height() - 6 - BOTTOM
            # gaps of half a millimetre are what is looked at: as large as the room allows
            down = min(across * max(EXAGGERATIONS), room / (data.mate.above + data.mate.below))
            return Frame(across, down, 4 + data.mate.above * down)
        down = min(across * self.exaggeration, self._room() / self._depth_shown(data, across))
        return Frame(across, down, HEADROOM)

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

    def paint_to_scale(self, painter: QPainter, mm: float) -> tuple[float, float]:
        """The section drawn with ``mm`` units of the painter for a millimetre, depths like widths; the size it takes. Only the size with
        a painter that is not active."""
        data = self._data
        if data is None or data.length <= 0:
            return 0.0, 0.0
        height = HEADROOM + (data.sheet.thickest + SPOIL_MM) * mm + BOTTOM
        if painter.isActive():
            frame = Frame(mm, mm, HEADROOM)
            paint_spoilboard(painter, data, frame, self.tokens)
            paint_wood(painter, data, frame)
            paint_hollow(painter, data, frame, self.tokens)
            paint_depths(
                painter,
                frame,
                self.tokens,
                [(0.0, "0"), (data.sheet.thickest, format_length(data.sheet.thickest, data.unit))],
            )
            paint_floors(painter, data, frame, self.tokens, frame.y(-data.sheet.thickest) + SPOIL_MM * mm)
            paint_tabs(painter, data, frame, self.tokens)
            for distance in self._pinned:
                paint_distance(painter, frame, self.tokens, distance, data.unit)
        return LEFT + RIGHT + data.length * mm, height

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._data is None:
            return
        frame = self._frame(self._data)
        s = frame.along(event.position().x())
        self._hover = s if 0 <= s <= self._data.length else None
        if self._start is not None:
            self._end = snapped(self._data, frame, event.position(), self._start)
            self.reading.emit(Distance(self._start, self._end).words(self._data.unit))
        else:
            self.reading.emit(self._words(self._data) if self._hover is not None else "")
        self.update()

    # ---- measuring

    @property
    def _pinned(self) -> list[Distance]:
        return [Distance(*ends) for ends in self._data.distances] if self._data is not None else []

    def mousePressEvent(self, event: QMouseEvent) -> None:
        data = self._data
        if event.button() != Qt.MouseButton.LeftButton or data is None or data.mate is not None or data.length <= 0:
            super().mousePressEvent(event)
            return
        frame = self._frame(data)
        self._picked = distance_at(frame, self._pinned, event.position())
        self._start = self._end = snapped(data, frame, event.position(), None)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._start is None or self._data is None:
            super().mouseReleaseEvent(event)
            return
        made = Distance(self._start, self._end)
        self._start = None
        if made.is_long_enough(self._frame(self._data)):
            self._picked = None
            self.distance_wanted.emit(made)
        self.update()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        data = self._data
        if data is None or data.mate is not None or data.length <= 0:
            return
        frame = self._frame(data)
        if event.reason() == QContextMenuEvent.Reason.Mouse:
            self._picked = distance_at(frame, self._pinned, event.pos().toPointF())
            s = min(max(frame.along(event.pos().x()), data.inside[0]), data.inside[1])
        else:
            s = self._hover if self._hover is not None else sum(data.inside) / 2
        depth = float(data.heights[round(s / data.length * (len(data.heights) - 1))])
        menu = QMenu(self)
        pin = menu.addAction("Pin the depth here")
        pin.setEnabled(depth < -0.005)
        pin.triggered.connect(
            lambda: self.distance_wanted.emit(Distance((s, 0.0), (s, max(depth, -data.sheet.thickest))))
        )
        menu.addSeparator()
        one = menu.addAction("Remove this distance")
        one.setEnabled(self._picked is not None)
        one.triggered.connect(self._remove_picked)
        every = menu.addAction("Remove all distances")
        every.setEnabled(bool(data.distances))
        every.triggered.connect(lambda: self.distances_unwanted.emit(tuple(range(len(data.distances)))))
        self.update()
        menu.exec(event.globalPos())

    def _remove_picked(self) -> None:
        if self._picked is not None:
            number, self._picked = self._picked, None
            self.distances_unwanted.emit((number,))

    def event(self, event: QEvent) -> bool:
        """Keys that mean the distance that is measured or picked come here before they are anything else's."""
        is_ours = self._start is not None or self._picked is not None
        if (
            is_ours
            and event.type() == QEvent.Type.ShortcutOverride
            and isinstance(event, QKeyEvent)
            and event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace, Qt.Key.Key_Escape)
        ):
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape and (self._start is not None or self._picked is not None):
            self._start = self._picked = None
            self.update()
        elif event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and self._picked is not None:
            self._remove_picked()
        else:
            super().keyPressEvent(event)

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
        return (
            words
            + f"{format_length(depth, data.unit)} deep, {format_length(left, data.unit)} left{_slope_words(data, k)}"
        )

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
        frame = self._frame(data)
        if data.mate is not None:
            begin, end = 4.0, paint_mate(painter, data, data.mate, frame, self.tokens)
        else:
            begin, end = frame.top - 6, self._paint_sheet(painter, data, frame) + 8
        if self._hover is not None:
            paint_reading(painter, frame.x(self._hover), begin, end, self.tokens)

    def _paint_sheet(self, painter: QPainter, data: SectionData, frame: Frame) -> float:
        """The sheet, broken off where its whole depth is not shown; the y where it ends."""
        bottom = frame.y(-data.sheet.thickest)
        low = frame.y(-self._depth_shown(data, frame.across))
        is_broken_off = low < bottom
        painter.save()
        if is_broken_off:
            painter.setClipRect(QRectF(0, 0, self.width(), low))
        else:
            paint_spoilboard(painter, data, frame, self.tokens)
        paint_wood(painter, data, frame)
        paint_hollow(painter, data, frame, self.tokens)
        paint_passes(painter, data, frame, self.tokens)
        paint_bit(painter, data, frame, self.tokens)
        paint_shank(painter, data, frame, self.tokens)
        painter.restore()
        depths = [(0.0, "0")]
        if is_broken_off:
            paint_break(painter, data, frame, self.tokens, low)
        else:
            depths.append((data.sheet.thickest, format_length(data.sheet.thickest, data.unit)))
        paint_depths(painter, frame, self.tokens, depths)
        paint_floors(painter, data, frame, self.tokens, low)
        paint_tabs(painter, data, frame, self.tokens)
        for number, distance in enumerate(self._pinned):
            paint_distance(painter, frame, self.tokens, distance, data.unit, is_picked=number == self._picked)
        if self._start is not None:
            paint_distance(painter, frame, self.tokens, Distance(self._start, self._end), data.unit, is_picked=True)
        return min(bottom, low)


def _slope_words(data: SectionData, k: int) -> str:
    """How steep the ground is there, where it slopes evenly."""
    n = len(data.heights)
    if not 3 <= k < n - 3:
        return ""
    step = data.length / (n - 1)
    rise = np.diff(data.heights[k - 3 : k + 4]) / step
    slope = float(np.median(rise))
    if abs(slope) < 0.05 or float(np.abs(rise - slope).max()) > 0.15 * abs(slope) + 0.02:
        return ""
    return f", slope {degrees(atan(abs(slope))):.0f}°"
