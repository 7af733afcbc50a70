"""The sequence: machine time from left to right, every cut a block as wide as it takes.

Between blocks a gate marks a bit change. The playhead sets the moment that plan and section show; dragging a
block changes the running order.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence

import msgspec
import numpy as np
from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QBrush,
    QColor,
    QContextMenuEvent,
    QFont,
    QFontMetrics,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QHBoxLayout, QSizePolicy, QToolButton, QVBoxLayout, QWidget

from archimetra.app.theme import icons, style
from archimetra.app.theme.tokens import Tokens, bit_hue
from archimetra.app.views.key_focus import KeyFocusView
from archimetra.app.widgets.badge import draw_badge
from archimetra.app.widgets.fields import label
from archimetra.geometry.arrays import FloatArray
from archimetra.job.bits import Bit
from archimetra.job.ids import CutId
from archimetra.output.times import clock

LEFT, RIGHT = 14.0, 18.0
SMALLEST_PX = 22.0
GATE_PX = 14.0
TICKS_S = (5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200)
MOST_ZOOM = 60.0
SPEEDS = (1, 5, 20, 50, 200, 500)


class SequenceBlock(msgspec.Struct, frozen=True, eq=False):
    """One cut in running order, seconds of the run (None: a stretch of a program of somebody's); ``trace`` (n, 2) is depth over time as shares 0..1."""

    cut: CutId | None
    name: str
    bit: Bit
    begin: float
    end: float
    starts_gate: bool
    trace: FloatArray
    findings: int
    begins_file: bool = False

    @property
    def has_gate(self) -> bool:
        return self.starts_gate or self.begins_file


class SequenceView(QWidget):
    moment_wanted = Signal(float)  # seconds
    cut_picked = Signal(object)
    reordered = Signal(object, int)  # cut id, new position among the blocks
    file_moved = Signal(
        object, object
    )  # the cut a file begins with, and the one it is to begin with; None: no file there
    play_wanted = Signal()
    step_wanted = Signal(int)  # moves
    cut_step_wanted = Signal(int)
    speed_chosen = Signal(int)
    loop_wanted = Signal(object)  # (from, to) in seconds, or None for no more

    def __init__(self, tokens: Tokens, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName("Sequence")
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 4, 10, 2)
        column.setSpacing(0)
        head = QHBoxLayout()
        head.setSpacing(6)
        head.addWidget(label("Sequence", "heading"))
        self._summary = label("", "note")
        self._summary.setContentsMargins(8, 0, 0, 0)
        self._summary.setWordWrap(False)
        self._summary.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        head.addWidget(self._summary, 1)
        self._left = label("", "note")
        self._left.setWordWrap(False)
        self._left.hide()
        head.addWidget(self._left)
        self.play = QToolButton()
        self.play.setToolTip("Play or pause (Space)")
        self.play.setAccessibleName("Play")
        self.play.clicked.connect(self.play_wanted)
        head.addWidget(self.play)
        self.loop = QToolButton()
        self.loop.setCheckable(True)
        self.loop.setProperty("kind", "small")
        self.loop.setToolTip(
            "Play the shown cut again and again; Shift and drag along the time scale for any stretch (R)"
        )
        self.loop.setAccessibleName("Loop")
        self.loop.clicked.connect(self.toggle_loop)
        head.addWidget(self.loop)
        head.setSpacing(2)
        self._speeds: dict[int, QToolButton] = {}
        for speed in SPEEDS:
            button = QToolButton()
            button.setText(f"x{speed}")
            button.setCheckable(True)
            button.setProperty("kind", "small")
            button.setAccessibleName(f"Play {speed} times as fast")
            button.clicked.connect(lambda _checked=False, v=speed: self.speed_chosen.emit(v))
            head.addWidget(button)
            self._speeds[speed] = button
        column.addLayout(head)
        self.lane = Lane(tokens, self)
        for mine, theirs in (
            (self.moment_wanted, self.lane.moment_wanted),
            (self.cut_picked, self.lane.cut_picked),
            (self.reordered, self.lane.reordered),
            (self.file_moved, self.lane.file_moved),
            (self.loop_wanted, self.lane.loop_wanted),
        ):
            theirs.connect(mine)
        column.addWidget(self.lane, 1)
        self.setMinimumHeight(120)
        self.tokens = tokens
        self.show_playing(False)

    def show_theme(self, tokens: Tokens) -> None:
        self.tokens = tokens
        self.lane.show_theme(tokens)
        self.show_playing(self._is_playing)

    def show_blocks(self, blocks: Sequence[SequenceBlock], total: float, summary: str) -> None:
        self._summary.setText(summary)
        self._summary.setToolTip(summary)
        self.lane.show_blocks(blocks, total)

    def show_moment(self, seconds: float) -> None:
        self.lane.show_moment(seconds)
        words, by_bit = self.lane.left_words()
        self._left.setText(words)
        self._left.setVisible(bool(words))
        self._left.setToolTip(by_bit)

    def toggle_loop(self) -> None:
        """Loop the shown cut, or no more."""
        self.loop_wanted.emit(None if self.lane.loop is not None else self.lane.stretch_of_cut())

    def show_loop(self, loop: tuple[float, float] | None) -> None:
        self.lane.show_loop(loop)
        self.loop.setChecked(loop is not None)

    def show_planning(self, share: float | None, cut: CutId | None) -> None:
        """Hatch the block being replanned, with its progress; None: all is planned."""
        self.lane.show_planning(share, cut)

    def show_cut(self, cut: CutId | None) -> None:
        self.lane.show_cut(cut)

    def show_file_starts(self, cuts: Collection[CutId]) -> None:
        """Mark where a new file begins because somebody wants it to: with these cuts."""
        self.lane.show_file_starts(cuts)

    def show_speed(self, speed: int) -> None:
        for key, button in self._speeds.items():
            button.setChecked(key == speed)

    def show_playing(self, is_playing: bool) -> None:
        self._is_playing = is_playing
        name = "player-pause" if is_playing else "player-play"
        self.play.setIcon(icons.icon(name, self.tokens.ink))
        self.loop.setIcon(icons.icon("rotate-clockwise", self.tokens.quiet, checked=self.tokens.accent))

    def sizeHint(self) -> QSize:
        return QSize(800, 140)


class Lane(KeyFocusView):
    """Blocks, playhead and time scale."""

    moment_wanted = Signal(float)
    menu_wanted = Signal(object, object)  # the cut, and the place on the screen
    cut_picked = Signal(object)
    reordered = Signal(object, int)
    file_moved = Signal(object, object)
    loop_wanted = Signal(object)
    order_tried = Signal(object, int)  # a cut on its way, and the place it would be dropped at

    def __init__(self, tokens: Tokens, parent: QWidget) -> None:
        super().__init__(parent)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMouseTracking(True)
        self.setAccessibleName("Running order and playhead")
        self.tokens = tokens
        self._blocks: tuple[SequenceBlock, ...] = ()
        self._total = 0.0
        self._seconds = 0.0
        self._cut: CutId | None = None
        self._planning: tuple[float, CutId | None] | None = None
        self.edges: list[tuple[float, float]] = []
        self._picture: QPixmap | None = None  # blocks, gates and ticks; the playhead moves over it
        self._drag: SequenceBlock | None = None
        self._file: int | None = None  # the block whose file mark is dragged
        self._drag_x = 0.0
        self._press_x = 0.0
        self._is_scrubbing = False
        self.loop: tuple[float, float] | None = None
        self._looping: float | None = None  # where a stretch to loop was begun, seconds
        self._zoom, self._slid = 1.0, 0.0  # how many times wider than the view all is, and px slid to the left
        self._tried: tuple[CutId, int] | None = None
        self._cost = ("", False)  # of the place a dragged block hangs over: words, and whether it is risky

    def show_loop(self, loop: tuple[float, float] | None) -> None:
        self.loop = loop
        self.update()

    def stretch_of_cut(self) -> tuple[float, float] | None:
        """From when to when the shown cut runs; of all where none is shown."""
        own = [block for block in self._blocks if block.cut == self._cut] or list(self._blocks)
        return (own[0].begin, own[-1].end) if own else None

    def left_words(self) -> tuple[str, str]:
        """How much is left from the shown moment on; and by bit."""
        left: dict[str, float] = {}
        for block in self._blocks:
            span = block.end - max(block.begin, self._seconds)
            name = f"{block.bit.letter} {block.bit.name}"
            if block.end > block.begin:
                left[name] = left.get(name, 0.0) + max(span, 0.0)
        rest = max(self._total - self._seconds, 0.0)
        if not self._blocks or rest < 0.5 or self._seconds < 0.5:
            return "", ""
        return f"{clock(rest)} left", "\n".join(f"{name}: {clock(s)} left" for name, s in left.items())

    def show_cost(self, words: str, *, is_risky: bool) -> None:
        """What the order would cost and risk with the dragged block where it hangs."""
        self._cost = (words, is_risky)
        self.update()

    def show_blocks(self, blocks: Sequence[SequenceBlock], total: float) -> None:
        self._blocks, self._total = tuple(blocks), total
        self._lay_out()
        self._draw_anew()

    def show_moment(self, seconds: float) -> None:
        self._seconds = seconds
        self.update()

    def show_file_starts(self, cuts: Collection[CutId]) -> None:
        marked = tuple(
            msgspec.structs.replace(
                block, begins_file=k > 0 and block.cut in cuts and block.cut != self._blocks[k - 1].cut
            )
            for k, block in enumerate(self._blocks)
        )
        if [block.begins_file for block in marked] != [block.begins_file for block in self._blocks]:
            self._blocks = marked
            self._lay_out()
            self._draw_anew()

    def show_cut(self, cut: CutId | None) -> None:
        if cut != self._cut:
            self._cut = cut
            self._draw_anew()

    def show_theme(self, tokens: Tokens) -> None:
        self.tokens = tokens
        self._draw_anew()

    def _draw_anew(self) -> None:
        self._picture = None
        self.update()

    def show_planning(self, share: float | None, cut: CutId | None) -> None:
        self._planning = None if share is None else (share, cut)
        self.update()

    # ---- time to pixels

    def _lay_out(self) -> None:
        """Left and right edge of every block: as wide as it takes, none too small to grab, gates between."""
        self.edges = []
        if not self._blocks:
            return
        gates = sum(block.has_gate for block in self._blocks)
        room = max((self.width() - LEFT - RIGHT) * self._zoom - gates * GATE_PX, 50.0)
        spans = np.array([max(block.end - block.begin, 0.01) for block in self._blocks])
        widths = spans / spans.sum() * room
        small = widths < SMALLEST_PX
        if small.any() and not small.all():
            rest = room - SMALLEST_PX * small.sum()
            widths = np.where(small, SMALLEST_PX, spans / spans[~small].sum() * max(rest, 10.0))
        x = LEFT - self._slid
        for block, width in zip(self._blocks, widths, strict=True):
            x += GATE_PX if block.has_gate else 0.0
            self.edges.append((x, x + float(width)))
            x += float(width)

    def zoom(self, by: float, about: float) -> None:
        """Wider or narrower, the moment under ``about`` (px) staying where it is."""
        seconds = self.seconds_at(about)
        self._zoom = min(max(self._zoom * by, 1.0), MOST_ZOOM)
        self._lay_out()
        self._slide(self.x_of(seconds) - about)

    def _slide(self, px: float) -> None:
        wide = (self.width() - LEFT - RIGHT) * (self._zoom - 1.0)
        self._slid = min(max(self._slid + px, 0.0), max(wide, 0.0))
        self._lay_out()
        self._draw_anew()

    def wheelEvent(self, event: QWheelEvent) -> None:
        steps = (event.angleDelta().y() or event.angleDelta().x()) / 120
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self._slide(-60 * steps)
        else:
            self.zoom(1.25**steps, event.position().x())

    def x_of(self, seconds: float) -> float:
        for block, (a, b) in zip(self._blocks, self.edges, strict=True):
            if seconds <= block.end:
                if seconds <= block.begin:
                    return a
                return a + (b - a) * (seconds - block.begin) / max(block.end - block.begin, 1e-9)
        return self.edges[-1][1] if self.edges else LEFT

    def seconds_at(self, x: float) -> float:
        if not self.edges:
            return 0.0
        for block, (a, b) in zip(self._blocks, self.edges, strict=True):
            if x <= b:
                return block.begin + (block.end - block.begin) * min(max((x - a) / max(b - a, 1e-9), 0.0), 1.0)
        return self._total

    # ---- mouse and keys

    def block_rect(self, k: int) -> QRectF:
        a, b = self.edges[k]
        return QRectF(a + 1, 16, b - a - 2, max(self.height() - 38, 20))

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        k = self._block_at(event.pos().x(), event.pos().y())
        if k is not None and self._blocks[k].cut is not None:
            self.menu_wanted.emit(self._blocks[k].cut, event.globalPos())

    def mousePressEvent(self, event: QMouseEvent) -> None:
        x, y = event.position().x(), event.position().y()
        self._press_x = x
        self.setFocus()
        near_head = abs(x - self.x_of(self._seconds)) <= 7
        k = self._block_at(x, y)
        if event.button() != Qt.MouseButton.LeftButton or not self._blocks:
            return
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self._looping = self.seconds_at(x)
            return
        self._file = self._file_at(x, y)
        if self._file is not None:
            self._drag_x = x
        elif near_head or k is None or self._blocks[k].cut is None:
            self._is_scrubbing = True
            self.moment_wanted.emit(self.seconds_at(x))
        else:
            self._drag = self._blocks[k]
            self._drag_x = x

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        x, y = event.position().x(), event.position().y()
        if self._looping is not None:
            ends = sorted((self._looping, self.seconds_at(x)))
            self.loop = (ends[0], ends[1]) if ends[1] - ends[0] > 0.05 else None
            self.update()
        elif self._file is not None:
            self._drag_x = x
            self.update()
        elif self._is_scrubbing:
            self.moment_wanted.emit(self.seconds_at(x))
        elif self._drag is not None and self._drag.cut is not None:
            self._drag_x = x
            tried = (self._drag.cut, self._drop_position(x, self._drag))
            if tried != self._tried and abs(x - self._press_x) > 8:
                self._tried, self._cost = tried, ("", False)
                self.order_tried.emit(*tried)
            self.update()
        else:
            k = self._block_at(x, y)
            block = self._blocks[k] if k is not None else None
            near_head = abs(x - self.x_of(self._seconds)) <= 7
            on_file = self._file_at(x, y) is not None
            self.setCursor(Qt.CursorShape.SizeHorCursor if near_head or on_file else Qt.CursorShape.ArrowCursor)
            tip = (
                f"{block.name}: {clock(block.end - block.begin)}, bit {block.bit.letter} {block.bit.name}"
                if block
                else ""
            )
            self.setToolTip("A new file begins here; drag it to another cut, or off to the left" if on_file else tip)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        drag, self._drag = self._drag, None
        self._tried = None
        if self._looping is not None:
            self._looping = None
            self.loop_wanted.emit(self.loop)
        elif self._file is not None:
            self._end_file_drag()
        elif self._is_scrubbing:
            self._is_scrubbing = False
        elif drag is not None:
            if abs(self._drag_x - self._press_x) > 8:
                position = self._drop_position(self._drag_x, drag)
                self.reordered.emit(drag.cut, position)
            else:
                self.cut_picked.emit(drag.cut)
                self.moment_wanted.emit(self.seconds_at(event.position().x()))
        self.update()

    def _end_file_drag(self) -> None:
        """The file begins where its mark was let go: nearest to which cut's beginning."""
        number, self._file = self._file, None
        if number is None or abs(self._drag_x - self._press_x) <= 8:
            return
        to = self._file_drop(self._drag_x)
        begin = self._blocks[number].cut
        if to is None:
            self.file_moved.emit(begin, None)
        elif self._blocks[to].cut != begin:
            self.file_moved.emit(begin, self._blocks[to].cut)

    def _block_at(self, x: float, y: float) -> int | None:
        return next((k for k in range(len(self._blocks)) if self.block_rect(k).contains(x, y)), None)

    def _drop_position(self, x: float, drag: SequenceBlock) -> int:
        """Where among the other cuts the dragged one lands."""
        return sum(1 for a, b in self._others(drag) if (a + b) / 2 < x)

    def _others(self, drag: SequenceBlock) -> list[tuple[float, float]]:
        """From where to where each of the other cuts runs for the first time, in their order."""
        first: dict[str, tuple[float, float]] = {}
        for block, edges in zip(self._blocks, self.edges, strict=True):
            if block.cut is not None and block.cut != drag.cut:
                first.setdefault(block.cut, edges)
        return list(first.values())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = self._total / 100
        moves = {Qt.Key.Key_Left: -step, Qt.Key.Key_Right: step, Qt.Key.Key_Home: -1e9, Qt.Key.Key_End: 1e9}
        key = Qt.Key(event.key())
        if key in moves:
            self.moment_wanted.emit(min(max(self._seconds + moves[key], 0.0), self._total))
        else:
            super().keyPressEvent(event)

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._lay_out()
        self._draw_anew()

    def changeEvent(self, event: QEvent) -> None:
        super().changeEvent(event)
        if event.type() in (QEvent.Type.FontChange, QEvent.Type.StyleChange):
            self._draw_anew()

    # ---- painting

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not self._blocks:
            painter.setPen(self.tokens.color("quiet"))
            words = "Planning" if self._planning is not None else "No cuts yet. Pick shapes on the plan and add a cut."
            painter.drawText(QRectF(self.rect()).adjusted(0, 0, 0, -8), Qt.AlignmentFlag.AlignCenter, words)
            self.paint_focus(painter, self.tokens)
            return
        painter.drawPixmap(0, 0, self._blocks_drawn())
        self._paint_planning(painter)
        self._paint_loop(painter)
        if self._drag is not None and abs(self._drag_x - self._press_x) > 8:
            self._paint_drop(painter)
        if self._file is not None and abs(self._drag_x - self._press_x) > 8:
            self._paint_file_drop(painter)
        self._paint_head(painter)
        self.paint_focus(painter, self.tokens)
        if self.hasFocus():
            painter.setPen(QPen(self.tokens.color("accent"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 4, 4)

    def _blocks_drawn(self) -> QPixmap:
        ratio = self.devicePixelRatioF()
        if self._picture is None or self._picture.devicePixelRatio() != ratio:
            picture = QPixmap(self.size() * ratio)
            picture.setDevicePixelRatio(ratio)
            picture.fill(Qt.GlobalColor.transparent)
            painter = QPainter(picture)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            for k, block in enumerate(self._blocks):
                self._paint_block(painter, block, self.block_rect(k))
                if block.has_gate:
                    self._paint_gate(painter, self._gate_x(k), block)
            self._paint_ticks(painter)
            painter.end()
            self._picture = picture
        return self._picture

    def _paint_planning(self, painter: QPainter) -> None:
        """Over what is being planned a hatch, and how far it is."""
        if self._planning is None:
            return
        share, cut = self._planning
        hatch = QBrush(self.tokens.color("quiet", 110), Qt.BrushStyle.BDiagPattern)
        for k, block in enumerate(self._blocks):
            if cut in (None, block.cut):
                rect = self.block_rect(k)
                painter.fillRect(rect, hatch)
                done = QRectF(rect.left(), rect.bottom() - 3, rect.width() * share, 3)
                painter.fillRect(done, self.tokens.color("accent"))

    def _paint_block(self, painter: QPainter, block: SequenceBlock, rect: QRectF) -> None:
        hue = bit_hue(block.bit.place)
        if self.tokens.is_dark:
            hue = hue.lighter(135)
        fill = QColor(hue)
        is_picked = block.cut is not None and block.cut == self._cut
        fill.setAlpha(60 if is_picked else 34)
        painter.setPen(QPen(hue, 2.0 if is_picked else 1.2))
        painter.setBrush(fill)
        painter.drawRoundedRect(rect, 3, 3)
        painter.save()
        painter.setClipRect(rect)
        trace = _seen(block.trace, rect.width())
        if len(trace) > 1:
            x = rect.left() + trace[:, 0] * rect.width()
            y = rect.top() + 21 + trace[:, 1] * (rect.height() - 26)
            painter.setPen(QPen(hue, 1.1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolyline(QPolygonF([QPointF(a, b) for a, b in zip(x, y, strict=True)]))
        painter.restore()
        draw_badge(painter, QPointF(rect.left() + 11, rect.top() + 11), block.bit, radius=7.5)
        painter.setFont(style.font(11, weight=QFont.Weight.Medium))
        painter.setPen(self.tokens.color("ink"))
        room = rect.width() - 28
        if room > 20:
            text = QFontMetrics(painter.font()).elidedText(block.name, Qt.TextElideMode.ElideRight, int(room))
            painter.drawText(QRectF(rect.left() + 23, rect.top() + 2, room, 18), Qt.AlignmentFlag.AlignVCenter, text)
        if block.findings:
            at = QPointF(rect.right() - 9, rect.top() + 10)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(self.tokens.color("caution"))
            painter.drawPolygon(QPolygonF([at + QPointF(0, -6), at + QPointF(6, 5), at + QPointF(-6, 5)]))

    def _gate_x(self, k: int) -> float:
        return self.edges[k][0] - GATE_PX / 2

    def _paint_gate(self, painter: QPainter, x: float, block: SequenceBlock) -> None:
        """A ring for a bit change; a sheet of paper for a file that begins because somebody wants it to."""
        painter.setPen(QPen(self.tokens.color("ink", 190), 1.3))
        painter.setBrush(self.tokens.color("panel"))
        painter.drawLine(QPointF(x, 10), QPointF(x, self.height() - 20))
        if block.starts_gate:
            painter.drawEllipse(QPointF(x, 7), 3.4, 3.4)
        if block.begins_file:
            self._paint_file(painter, x, 24.0 if block.starts_gate else 8.0)

    def _paint_file(self, painter: QPainter, x: float, y: float) -> None:
        painter.setPen(QPen(self.tokens.color("accent"), 1.4))
        painter.setBrush(self.tokens.color("panel"))
        corners = ((-4.5, -6), (1.5, -6), (4.5, -3), (4.5, 6), (-4.5, 6))
        painter.drawPolygon(QPolygonF([QPointF(x + a, y + b) for a, b in corners]))
        painter.drawLine(QPointF(x - 2, y), QPointF(x + 2, y))
        painter.drawLine(QPointF(x - 2, y + 3), QPointF(x + 2, y + 3))

    def _file_at(self, x: float, y: float) -> int | None:
        """The block whose file mark is at a place."""
        return next(
            (
                k
                for k, block in enumerate(self._blocks)
                if block.begins_file and abs(x - self._gate_x(k)) <= 8 and y <= 34
            ),
            None,
        )

    def _file_drop(self, x: float) -> int | None:
        """The block before which a file mark that is let go would stand; None before the first, where a file begins anyway."""
        nearest = min(range(len(self._blocks)), key=lambda k: abs(self.edges[k][0] - x))
        is_free = nearest > 0 and self._blocks[nearest].cut not in (None, self._blocks[nearest - 1].cut)
        return nearest if is_free else None

    def _paint_ticks(self, painter: QPainter) -> None:
        step = next((s for s in TICKS_S if self._total / s <= 9), TICKS_S[-1])
        painter.setFont(style.font(11))
        last = -1e9
        for k in range(int(self._total / step) + 1):
            x = self.x_of(k * step)
            if x - last < 34 and k:
                continue
            last = x
            painter.setPen(QPen(self.tokens.color("quiet"), 1))
            painter.drawLine(QPointF(x, self.height() - 19), QPointF(x, self.height() - 15))
            text = clock(k * step)
            painter.drawText(QRectF(x + 3, self.height() - 18, 60, 16), Qt.AlignmentFlag.AlignLeft, text)

    def _paint_loop(self, painter: QPainter) -> None:
        if self.loop is None:
            return
        a, b = self.x_of(self.loop[0]), self.x_of(self.loop[1])
        painter.fillRect(QRectF(a, 12, b - a, self.height() - 31), self.tokens.color("accent", 30))
        painter.setPen(QPen(self.tokens.color("accent"), 1.6))
        for x, way in ((a, 1), (b, -1)):
            painter.drawPolyline(
                QPolygonF(
                    [
                        QPointF(x + 4 * way, 12),
                        QPointF(x, 12),
                        QPointF(x, self.height() - 19),
                        QPointF(x + 4 * way, self.height() - 19),
                    ]
                )
            )

    def _paint_drop(self, painter: QPainter) -> None:
        assert self._drag is not None
        position = self._drop_position(self._drag_x, self._drag)
        others = self._others(self._drag)
        x = (others[position][0] if position < len(others) else others[-1][1] + 2) if others else LEFT
        painter.setPen(QPen(self.tokens.color("accent"), 3))
        painter.drawLine(QPointF(x, 12), QPointF(x, self.height() - 20))
        painter.setOpacity(0.55)
        width = 90.0
        self._paint_block(painter, self._drag, QRectF(self._drag_x - width / 2, 20, width, max(self.height() - 46, 20)))
        painter.setOpacity(1.0)
        words, is_risky = self._cost
        if words:
            painter.setFont(style.font(11, weight=QFont.Weight.Medium))
            room = painter.fontMetrics().horizontalAdvance(words) + 14
            box = QRectF(min(max(x - room / 2, 4), max(self.width() - room - 4, 4)), self.height() / 2 - 10, room, 20)
            painter.setPen(QPen(self.tokens.color("caution" if is_risky else "accent"), 1.2))
            painter.setBrush(self.tokens.color("panel"))
            painter.drawRoundedRect(box, 3, 3)
            painter.setPen(self.tokens.color("caution" if is_risky else "ink"))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)

    def _paint_file_drop(self, painter: QPainter) -> None:
        to = self._file_drop(self._drag_x)
        if to is not None:
            x = self.edges[to][0] - (GATE_PX / 2 if self._blocks[to].has_gate else 0)
            painter.setPen(QPen(self.tokens.color("accent"), 1.6, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(x, 10), QPointF(x, self.height() - 20))
        self._paint_file(painter, self._drag_x, 8.0)

    def _paint_head(self, painter: QPainter) -> None:
        x = self.x_of(self._seconds)
        color = self.tokens.color("picked")
        painter.setPen(QPen(color, 1.8))
        painter.drawLine(QPointF(x, 12), QPointF(x, self.height() - 16))
        painter.setFont(style.font(11, weight=QFont.Weight.DemiBold))
        text = clock(self._seconds)
        width = painter.fontMetrics().horizontalAdvance(text) + 12
        box = QRectF(min(max(x - width / 2, 2), self.width() - width - 2), 0, width, 16)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(color)
        painter.drawRoundedRect(box, 3, 3)
        painter.setPen(QColor("#1B2120" if self.tokens.is_dark else "#FFFFFF"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


def _seen(trace: FloatArray, width: float) -> FloatArray:
    """Of a trace (n, 2) in shares what can be told apart on so many pixels: in each the first, the highest and the deepest."""
    column = np.floor(trace[:, 0] * width)
    begins = np.flatnonzero(np.diff(column, prepend=-1.0))
    if 3 * len(begins) >= len(trace):
        return trace
    high, deep = np.minimum.reduceat(trace[:, 1], begins), np.maximum.reduceat(trace[:, 1], begins)
    x = trace[begins, 0]
    return np.stack((trace[begins], np.column_stack((x, high)), np.column_stack((x, deep))), axis=1).reshape(-1, 2)


def depth_trace(times: FloatArray, z: FloatArray, *, begin: float, end: float, most: int = 160) -> FloatArray:
    """Depth over time of a block as (n, 2) shares: time left to right, depth downward, thinned to ``most`` points."""
    if len(times) < 2 or end <= begin:
        return np.zeros((0, 2))
    deepest = max(-float(z.min()), 1e-6)
    grid = np.linspace(begin, end, most)
    depth = np.interp(grid, times, np.minimum(z, 0.0))
    return np.column_stack(((grid - begin) / (end - begin), -depth / deepest))
