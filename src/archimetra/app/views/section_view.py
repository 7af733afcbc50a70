"""The section: the sheet cut along line A-A′ at the shown moment, to scale, with readings."""

from __future__ import annotations

from math import atan, degrees

import numpy as np
from PySide6.QtCore import QEvent, QRectF, QSize, Qt, Signal, SignalInstance
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QSizePolicy, QToolButton, QVBoxLayout, QWidget

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
    paint_wood,
)
from archimetra.app.views.section_mate import paint_mate
from archimetra.app.widgets.fields import label
from archimetra.job.quantities import format_length
from archimetra.job.sections import section_letter

EXAGGERATIONS = (1, 2, 5)
HEADROOM = 20.0  # above the sheet, where the bit stands


class SectionView(QWidget):
    exaggeration_chosen = Signal(int)
    mate_wanted = Signal(bool)
    line_wanted = Signal(int)  # another of the board's section lines
    more_wanted = Signal()
    less_wanted = Signal()
    export_wanted = Signal()

    def __init__(self, tokens: Tokens, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName("Section")
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 4, 10, 0)
        head = QHBoxLayout()
        head.setSpacing(3)
        self._title = label("Section A–A′", "heading")
        head.addWidget(self._title)
        self._lines = QHBoxLayout()
        self._lines.setSpacing(0)
        head.addLayout(self._lines)
        self._letters: list[QToolButton] = []
        self._more = _small("+", "Another section line beside this one", self.more_wanted)
        self._less = _small("−", "Remove this section line", self.less_wanted)
        head.addWidget(self._more)
        head.addWidget(self._less)
        self._moment = label("", "note")
        self._moment.setWordWrap(False)
        self._reading = label("", "note")
        self._reading.setWordWrap(False)
        head.addSpacing(8)
        head.addWidget(self._moment)
        head.addStretch(1)
        head.addWidget(self._reading)
        head.addSpacing(6)
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
        head.addSpacing(4)
        head.addWidget(_small("…", "Save the section as a drawing to scale or as a picture", self.export_wanted))
        column.addLayout(head)
        self.canvas = _Canvas(tokens, self)
        self.canvas.reading.connect(self._reading.setText)
        column.addWidget(self.canvas, 1)
        self.setMinimumHeight(124)
        self.show_exaggeration(2)

    def show_theme(self, tokens: Tokens) -> None:
        self.canvas.tokens = tokens
        self.canvas.update()

    def show_lines(self, count: int, shown: int, *, is_elsewhere: bool = False) -> None:
        """So many section lines the board has, and which is looked along; or that it is another line for a while."""
        letter = section_letter(shown)
        self._title.setText("Section here" if is_elsewhere else f"Section {letter}–{letter}′")
        while len(self._letters) < count:
            number = len(self._letters)
            button = _small(section_letter(number), f"Look along section {section_letter(number)}", None)
            button.setCheckable(True)
            button.clicked.connect(lambda _c=False, n=number: self.line_wanted.emit(n))
            self._lines.addWidget(button)
            self._letters.append(button)
        for number, button in enumerate(self._letters):
            button.setVisible((count > 1 or is_elsewhere) and number < count)
            button.setChecked(number == shown and not is_elsewhere)
        self._less.setVisible(count > 1)

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


def _small(words: str, tip: str, wanted: SignalInstance | None) -> QToolButton:
    button = QToolButton()
    button.setText(words)
    button.setProperty("kind", "small")
    button.setToolTip(tip)
    button.setAccessibleName(tip)
    if wanted is not None:
        button.clicked.connect(lambda _c=False: wanted.emit())
    return button


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
        return LEFT + RIGHT + data.length * mm, height

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._data is None:
            return
        s = (event.position().x() - LEFT) / self._frame(self._data).across
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
        return min(bottom, low)
