"""The plan: the board from above as it lies on the machine, stock as cut so far, artwork and toolpaths over it.

Left drag on a shape moves it, on bare ground frames several; the ends of the section line are dragged like any
handle; middle or right drag pans, the wheel zooms on the cursor. The view only says what is wanted.
"""

from __future__ import annotations

from enum import Enum
from math import atan2, degrees

import msgspec
from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QFont,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from archimetra.app.theme import style
from archimetra.app.theme.tokens import Tokens, bit_hue
from archimetra.app.theme.wood import tone
from archimetra.app.views.line_layer import LineLayer, group
from archimetra.app.views.plan_scene import (
    Hit,
    PickTarget,
    artwork_groups,
    contour_starts,
    pick_at,
    pick_in,
    pick_targets,
    toolpath_groups,
)
from archimetra.app.views.snapping import Snap, snap_move
from archimetra.app.views.viewport import Viewport, fitting
from archimetra.base.findings import Finding, Severity
from archimetra.geometry.arrays import FloatArray
from archimetra.job.bits import Bit
from archimetra.job.ids import ShapeId
from archimetra.job.job import Board, Job
from archimetra.job.quantities import format_length
from archimetra.toolpath.program import Run

PICK_REACH_PX = 7
MOST_STARTS = 150
SNAP_REACH_PX = 7
DRAG_START_PX = 4
NUDGE_MM, BIG_NUDGE_MM, FINE_NUDGE_MM = 1.0, 10.0, 0.1
TICK_STEPS = (1, 2, 5, 10, 20, 50, 100, 200, 500)

Line = tuple[tuple[float, float], tuple[float, float]]


class Doing(Enum):
    NOTHING = 0
    PRESSED = 1
    MOVING = 2
    FRAMING = 3
    PANNING = 4
    LINE_A = 5
    LINE_B = 6
    LINE_BOTH = 7


class Scene(msgspec.Struct, frozen=True, eq=False):
    """Where the bit stands at the shown moment."""

    bit: Bit | None
    at: tuple[float, float, float]


class PlanView(QWidget):
    picked = Signal(object)  # tuple of shape ids
    moved = Signal(float, float)  # the picked shapes, mm
    nudged = Signal(float, float)
    line_moved = Signal(object)
    cursor_said = Signal(str)
    finding_clicked = Signal(object)
    dropped = Signal(object)  # list of file paths

    def __init__(self, tokens: Tokens, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAcceptDrops(True)
        self.setMinimumSize(320, 200)
        self.setAccessibleName("Plan")
        self.tokens = tokens
        self.view = Viewport()
        self.is_snapping = True
        self._is_fitted = False
        self._job: Job | None = None
        self._board: Board | None = None
        self._targets: list[PickTarget] = []
        self._picked: tuple[ShapeId, ...] = ()
        self._starts: FloatArray | None = None
        self._run: Run | None = None
        self._findings: tuple[Finding, ...] = ()
        self._line: Line = ((0.0, 0.0), (1.0, 0.0))
        self._scene: Scene | None = None
        self._stock: QImage | None = None
        self._artwork, self._paths, self._picked_lines = LineLayer(self), LineLayer(self), LineLayer(self)
        for layer in (self._artwork, self._paths, self._picked_lines):
            layer.changed.connect(self.update)
        self._doing = Doing.NOTHING
        self._press = QPointF()
        self._last = QPointF()
        self._hit: Hit | None = None
        self._snap: Snap | None = None
        self._line_before: Line = self._line

    # ---- what to show

    def show_theme(self, tokens: Tokens) -> None:
        self.tokens = tokens
        if self._job is not None and self._board is not None:
            self.show_board(self._job, self._board)
            if self._run is not None:
                self.show_run(self._run)

    def show_board(self, job: Job, board: Board) -> None:
        """The board's sheet, artwork and settings."""
        before = self._board
        self._job, self._board = job, board
        if before is None or before.shapes != board.shapes or before.layers != board.layers or not self._targets:
            same = before is not None and before.id == board.id
            self._targets = pick_targets(board, self._targets if same else ())
        self._artwork.show_groups(artwork_groups(board, self._targets, self.tokens))
        self._outline_picked()
        if before is None or before.id != board.id or before.sheet != board.sheet:
            self._stock = None if before is None or before.id != board.id else self._stock
            self._is_fitted = False
        if not self._is_fitted:
            self.fit()
        self.update()

    def show_run(self, run: Run | None) -> None:
        self._run = run
        if self._job is None:
            return
        if run is None:
            self._starts = None
            self._paths.clear()
        else:
            self._starts = contour_starts(run)
            self._paths.show_coming(toolpath_groups(self._job, run, self.tokens))
        self.update()

    def show_picked(self, ids: tuple[ShapeId, ...]) -> None:
        self._picked = ids
        self._outline_picked()
        self.update()

    def _outline_picked(self) -> None:
        wanted = set(self._picked)
        lines = [line for target in self._targets if target.id in wanted for line in target.lines]
        self._picked_lines.show_groups([group(QPen(self.tokens.color("picked"), 1.8), lines)] if lines else [])

    def show_findings(self, findings: tuple[Finding, ...]) -> None:
        self._findings = findings
        self.update()

    def show_line(self, line: Line) -> None:
        self._line = line
        self.update()

    def show_scene(self, scene: Scene | None) -> None:
        self._scene = scene
        self.update()

    def show_stock(self, image: QImage | None) -> None:
        """The stock's picture; it may look into memory that goes on changing."""
        self._stock = image
        self.update()

    def fit(self) -> None:
        """Show the whole sheet with the ends of the section line."""
        if self._board is None or self.width() < 10:
            return
        sheet = self._board.sheet
        xs, ys = (0.0, sheet.width), (0.0, sheet.height)
        self.view = fitting((min(xs), min(ys), max(xs), max(ys)), self.width(), self.height(), 46)
        self._is_fitted = True
        self.update()

    # ---- mouse and keys

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        self._press = self._last = at
        self.setFocus()
        if event.button() in (Qt.MouseButton.MiddleButton, Qt.MouseButton.RightButton):
            self._doing = Doing.PANNING
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
            return
        if event.button() != Qt.MouseButton.LeftButton:
            return
        finding = self._finding_at(at)
        if finding is not None:
            self.finding_clicked.emit(finding)
            return
        handle = self._line_handle(at)
        if handle is not None:
            self._doing = handle
            self._line_before = self._line
            return
        x, y = self.view.to_board(at)
        self._hit = pick_at(self._targets, x, y, PICK_REACH_PX / self.view.scale)
        if (self._hit is None or not self._hit.is_on_outline) and self._near_line(at):
            self._doing = Doing.LINE_BOTH
            self._line_before = self._line
            return
        self._doing = Doing.PRESSED

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if self._doing is Doing.PANNING:
            self.view = self.view.panned(at.x() - self._last.x(), at.y() - self._last.y())
        elif self._doing in (Doing.LINE_A, Doing.LINE_B, Doing.LINE_BOTH):
            self._drag_line(at)
        elif self._doing is Doing.PRESSED and (at - self._press).manhattanLength() > DRAG_START_PX:
            self._begin_drag(event)
        if self._doing is Doing.MOVING:
            self._drag_shapes(at, is_free=bool(event.modifiers() & Qt.KeyboardModifier.AltModifier))
        self._last = at
        self._say_cursor(at)
        self._show_cursor(at)
        if self._doing is not Doing.NOTHING:
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        doing, self._doing = self._doing, Doing.NOTHING
        at = event.position()
        is_more = bool(event.modifiers() & (Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.ControlModifier))
        if doing is Doing.PRESSED:
            self._click(is_more)
        elif doing is Doing.FRAMING:
            (x0, y0), (x1, y1) = self.view.to_board(self._press), self.view.to_board(at)
            found = pick_in(self._targets, (min(x0, x1), min(y0, y1), max(x0, x1), max(y0, y1)))
            self.picked.emit(tuple(dict.fromkeys([*(self._picked if is_more else ()), *found])))
        elif doing is Doing.MOVING and self._snap is not None:
            snap, self._snap = self._snap, None
            if abs(snap.dx) + abs(snap.dy) > 1e-9:
                self.moved.emit(snap.dx, snap.dy)
        self._snap = None
        self._show_cursor(at)
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.MiddleButton:
            self.fit()
        else:
            self.mousePressEvent(event)

    def wheelEvent(self, event: QWheelEvent) -> None:
        steps = event.angleDelta().y() / 120
        self.view = self.view.zoomed(1.2**steps, event.position())
        self._say_cursor(event.position())
        self.update()

    def leaveEvent(self, event: QEvent) -> None:
        self.cursor_said.emit("")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = NUDGE_MM
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            step = BIG_NUDGE_MM
        elif event.modifiers() & Qt.KeyboardModifier.AltModifier:
            step = FINE_NUDGE_MM
        arrows = {
            Qt.Key.Key_Left: (-step, 0.0),
            Qt.Key.Key_Right: (step, 0.0),
            Qt.Key.Key_Up: (0.0, step),
            Qt.Key.Key_Down: (0.0, -step),
        }
        if event.key() in arrows and self._picked:
            self.nudged.emit(*arrows[Qt.Key(event.key())])
        elif event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Equal, Qt.Key.Key_Minus):
            factor = 1 / 1.25 if event.key() == Qt.Key.Key_Minus else 1.25
            self.view = self.view.zoomed(factor, QPointF(self.width() / 2, self.height() / 2))
            self.update()
        elif event.key() == Qt.Key.Key_Escape and self._doing is not Doing.NOTHING:
            self._give_up()
        elif event.key() == Qt.Key.Key_Escape:
            self.picked.emit(())
        else:
            super().keyPressEvent(event)

    def dragEnterEvent(self, event) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event) -> None:
        paths = [url.toLocalFile() for url in event.mimeData().urls() if url.isLocalFile()]
        if paths:
            event.acceptProposedAction()
            self.dropped.emit(paths)

    def resizeEvent(self, event: QResizeEvent) -> None:
        old = event.oldSize()
        if old.width() > 0 and self._is_fitted:
            dx, dy = (event.size().width() - old.width()) / 2, (event.size().height() - old.height()) / 2
            self.view = self.view.panned(dx, dy)
        if not self._is_fitted or old.width() < 10 or abs(event.size().height() - old.height()) > 60:
            self.fit()

    # ---- dragging

    def _click(self, is_more: bool) -> None:
        if self._hit is None:
            if not is_more:
                self.picked.emit(())
        elif is_more:
            rest = tuple(id_ for id_ in self._picked if id_ != self._hit.id)
            self.picked.emit(rest if self._hit.id in self._picked else (*self._picked, self._hit.id))
        else:
            self.picked.emit((self._hit.id,))

    def _begin_drag(self, event: QMouseEvent) -> None:
        # inside a shape that is not picked a drag frames: a big outline must not slip away under a careless hand
        if self._hit is None or not (self._hit.is_on_outline or self._hit.id in self._picked):
            self._doing = Doing.FRAMING
            return
        if self._hit.id not in self._picked:
            self.picked.emit((self._hit.id,))
        self._doing = Doing.MOVING

    def _drag_shapes(self, at: QPointF, *, is_free: bool) -> None:
        assert self._board is not None
        dx = (at.x() - self._press.x()) / self.view.scale
        dy = -(at.y() - self._press.y()) / self.view.scale
        moving = [t.box for t in self._targets if t.id in self._picked]
        if not moving:
            return
        if is_free or not self.is_snapping:
            self._snap = Snap(dx, dy, "", None, None)
            return
        box = (
            min(b[0] for b in moving),
            min(b[1] for b in moving),
            max(b[2] for b in moving),
            max(b[3] for b in moving),
        )
        others = [t.box for t in self._targets if t.id not in self._picked]
        sheet = self._board.sheet
        self._snap = snap_move(box, dx, dy, (sheet.width, sheet.height), others, SNAP_REACH_PX / self.view.scale)

    def _drag_line(self, at: QPointF) -> None:
        (ax, ay), (bx, by) = self._line_before
        if self._doing is Doing.LINE_BOTH:
            dx = (at.x() - self._press.x()) / self.view.scale
            dy = -(at.y() - self._press.y()) / self.view.scale
            if abs(by - ay) < 1e-6:
                dx = 0.0  # a level line slides up and down only
            elif abs(bx - ax) < 1e-6:
                dy = 0.0
            self._line = ((ax + dx, ay + dy), (bx + dx, by + dy))
        else:
            x, y = self.view.to_board(at)
            other = self._line_before[1] if self._doing is Doing.LINE_A else self._line_before[0]
            reach = SNAP_REACH_PX / self.view.scale
            y = other[1] if abs(y - other[1]) < reach else y  # catches level and upright
            x = other[0] if abs(x - other[0]) < reach else x
            self._line = ((x, y), other) if self._doing is Doing.LINE_A else (other, (x, y))
        self.line_moved.emit(self._line)

    def _give_up(self) -> None:
        if self._doing in (Doing.LINE_A, Doing.LINE_B, Doing.LINE_BOTH):
            self._line = self._line_before
            self.line_moved.emit(self._line)
        self._doing, self._snap = Doing.NOTHING, None
        self.update()

    def _line_handle(self, at: QPointF) -> Doing | None:
        for end, doing in zip(self._line, (Doing.LINE_A, Doing.LINE_B), strict=True):
            if (self.view.to_screen(*end) - at).manhattanLength() <= 14:
                return doing
        return None

    def _near_line(self, at: QPointF) -> bool:
        a, b = (self.view.to_screen(*end) for end in self._line)
        d = b - a
        size = d.x() ** 2 + d.y() ** 2
        if size == 0:
            return False
        t = min(max(((at.x() - a.x()) * d.x() + (at.y() - a.y()) * d.y()) / size, 0.0), 1.0)
        return (a + d * t - at).manhattanLength() <= 5

    def _finding_at(self, at: QPointF) -> Finding | None:
        for finding in self._findings:
            if finding.at is not None and (self.view.to_screen(*finding.at) - at).manhattanLength() <= 12:
                return finding
        return None

    def _show_cursor(self, at: QPointF) -> None:
        if self._doing is Doing.PANNING:
            return
        if self._finding_at(at) is not None:
            self.setCursor(Qt.CursorShape.PointingHandCursor)
        elif self._line_handle(at) is not None or self._doing is Doing.MOVING:
            self.setCursor(Qt.CursorShape.SizeAllCursor)
        else:
            self.setCursor(Qt.CursorShape.ArrowCursor)
        finding = self._finding_at(at)
        self.setToolTip(finding.text() if finding is not None else "")

    def _say_cursor(self, at: QPointF) -> None:
        if self._job is None:
            return
        unit = self._job.unit
        x, y = self.view.to_board(at)
        words = f"x {format_length(x, unit)}  y {format_length(y, unit)} {unit}"
        if self._snap is not None:
            words = f"moved {format_length(self._snap.dx, unit)}, {format_length(self._snap.dy, unit)} {unit}"
            if self._snap.words:
                words += f"   snapped: {self._snap.words}"
        self.cursor_said.emit(words)

    # ---- painting

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.tokens.color("table"))
        if self._board is None or self._job is None:
            return
        self._paint_bed(painter)
        self._paint_sheet(painter)
        size, ratio = self.size(), self.devicePixelRatioF()
        self._artwork.paint(painter, self.view, size, ratio)
        self._paths.paint(painter, self.view, size, ratio)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._paint_marks(painter)
        self._paint_picked(painter)
        self._paint_section_line(painter)
        self._paint_zero(painter)
        self._paint_bit(painter)
        self._paint_findings(painter)
        if self._doing is Doing.FRAMING:
            painter.setPen(QPen(self.tokens.color("accent"), 1, Qt.PenStyle.DashLine))
            painter.setBrush(self.tokens.color("accent", 30))
            painter.drawRect(QRectF(self._press, self._last).normalized())

    def _paint_bed(self, painter: QPainter) -> None:
        assert self._board is not None
        assert self._job is not None
        machine, board = self._job.machine, self._board
        bed = self.view.rect(-board.bed_x, -board.bed_y, machine.travel_x - board.bed_x, machine.travel_y - board.bed_y)
        painter.fillRect(bed, self.tokens.color("bed"))
        painter.setPen(QPen(self.tokens.color("hairline"), 1))
        painter.drawRect(bed)
        step = next((s for s in TICK_STEPS if s * self.view.scale >= 9), TICK_STEPS[-1])
        painter.setFont(style.font(9))
        for k in range(int(machine.travel_x / step) + 1):
            x = bed.left() + k * step * self.view.scale
            if -1 <= x <= self.width() + 1:
                painter.drawLine(QPointF(x, bed.bottom()), QPointF(x, bed.bottom() - (7 if k % 5 == 0 else 3)))
        for k in range(int(machine.travel_y / step) + 1):
            y = bed.bottom() - k * step * self.view.scale
            if -1 <= y <= self.height() + 1:
                painter.drawLine(QPointF(bed.left(), y), QPointF(bed.left() + (7 if k % 5 == 0 else 3), y))

    def _paint_sheet(self, painter: QPainter) -> None:
        assert self._board is not None
        sheet = self._board.sheet
        rect = self.view.rect(0, 0, sheet.width, sheet.height)
        shadow = self.tokens.color("ink", 26)
        painter.fillRect(rect.translated(2, 3), shadow if not self.tokens.is_dark else self.tokens.color("table"))
        if self._stock is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, self._stock.width() > rect.width() * 0.8)
            painter.drawImage(rect, self._stock)
        else:
            painter.fillRect(rect, tone(sheet.material))
        painter.setPen(QPen(self.tokens.color("ink", 90), 1))
        painter.drawRect(rect)

    def _paint_marks(self, painter: QPainter) -> None:
        if self._starts is None:
            return
        painter.setPen(QPen(self.tokens.color("ink", 200), 1.2))
        painter.setBrush(self.tokens.color("panel"))
        at = self.view.points(self._starts[:, :2])
        seen = ((at > -10) & (at < (self.width() + 10, self.height() + 10))).all(axis=1)
        starts = self._starts[seen]
        if len(starts) > MOST_STARTS:  # from so far away the notches would only hide the paths
            starts = starts[:0]
        for x, y, dx, dy in starts:
            tip = self.view.to_screen(x, y)
            painter.save()
            painter.translate(tip)
            painter.rotate(-degrees(atan2(dy, dx)))
            painter.drawPolyline(QPolygonF([QPointF(-3, -4.5), QPointF(3, 0), QPointF(-3, 4.5)]))
            painter.drawLine(QPointF(0, -7), QPointF(0, -3.5))
            painter.restore()

    def _paint_picked(self, painter: QPainter) -> None:
        if not self._picked:
            return
        view = self.view
        if self._snap is not None:
            view = view.panned(self._snap.dx * view.scale, -self._snap.dy * view.scale)
        self._picked_lines.paint(painter, view, self.size(), self.devicePixelRatioF())
        if self._snap is not None and self._board is not None:
            painter.setPen(QPen(self.tokens.color("accent"), 1, Qt.PenStyle.DashLine))
            sheet = self._board.sheet
            if self._snap.x_line is not None:
                painter.drawLine(
                    self.view.to_screen(self._snap.x_line, -20),
                    self.view.to_screen(self._snap.x_line, sheet.height + 20),
                )
            if self._snap.y_line is not None:
                painter.drawLine(
                    self.view.to_screen(-20, self._snap.y_line),
                    self.view.to_screen(sheet.width + 20, self._snap.y_line),
                )

    def _paint_section_line(self, painter: QPainter) -> None:
        a, b = (self.view.to_screen(*end) for end in self._line)
        painter.setPen(QPen(self.tokens.color("panel", 150), 3.2))
        painter.drawLine(a, b)
        pen = QPen(self.tokens.color("ink", 235), 1.2)
        pen.setDashPattern([9, 3, 2, 3])
        painter.setPen(pen)
        painter.drawLine(a, b)
        painter.setFont(style.font(11, weight=QFont.Weight.DemiBold))
        for at, text in ((a, "A"), (b, "A′")):
            painter.setPen(QPen(self.tokens.color("ink"), 1.2))
            painter.setBrush(self.tokens.color("panel"))
            painter.drawEllipse(at, 10, 10)
            painter.drawText(QRectF(at.x() - 10, at.y() - 10, 20, 20), Qt.AlignmentFlag.AlignCenter, text)

    def _paint_zero(self, painter: QPainter) -> None:
        """A plumb bob hanging over the zero point."""
        assert self._board is not None
        zero = self._board.zero
        at = self.view.to_screen(*zero.point(self._board.sheet))
        painter.setPen(QPen(self.tokens.color("picked"), 1.5))
        painter.drawLine(at + QPointF(0, -18), at + QPointF(0, -9))
        painter.setBrush(self.tokens.color("panel"))
        bob = QPolygonF([at, at + QPointF(-5, -9), at + QPointF(5, -9)])
        painter.drawPolygon(bob)
        painter.setFont(style.font(11))
        text = f"zero, {zero.z.value}"
        width = painter.fontMetrics().horizontalAdvance(text)
        box = QRectF(at.x() + 8, at.y() + 3, width + 8, 17)
        if box.right() > self.width():
            box.moveRight(at.x() - 8)
        if box.bottom() > self.height():
            box.moveBottom(at.y() - 6)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self.tokens.color("panel", 200))
        painter.drawRoundedRect(box, 3, 3)
        painter.setPen(self.tokens.color("picked"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def _paint_bit(self, painter: QPainter) -> None:
        if self._scene is None or self._scene.bit is None:
            return
        x, y, z = self._scene.at
        bit = self._scene.bit
        at = self.view.to_screen(x, y)
        r = max(bit.radius * self.view.scale, 3.0)
        hue = bit_hue(bit.place)
        painter.setPen(QPen(self.tokens.color("picked") if z < 0 else self.tokens.color("ink"), 1.6))
        hue.setAlpha(120)
        painter.setBrush(hue)
        painter.drawEllipse(at, r, r)
        painter.drawLine(at - QPointF(r + 4, 0), at - QPointF(r, 0))
        painter.drawLine(at + QPointF(r, 0), at + QPointF(r + 4, 0))
        painter.drawLine(at - QPointF(0, r + 4), at - QPointF(0, r))
        painter.drawLine(at + QPointF(0, r), at + QPointF(0, r + 4))

    def _paint_findings(self, painter: QPainter) -> None:
        for finding in self._findings:
            if finding.at is None:
                continue
            at = self.view.to_screen(*finding.at)
            color = self.tokens.color("picked" if finding.severity is Severity.STOP else "caution")
            painter.setPen(QPen(self.tokens.color("panel"), 1.5))
            painter.setBrush(color)
            painter.drawPolygon(QPolygonF([at + QPointF(0, -9), at + QPointF(9, 7), at + QPointF(-9, 7)]))
            painter.setPen(QPen(self.tokens.color("panel"), 1.8))
            painter.drawLine(at + QPointF(0, -3), at + QPointF(0, 2))
            painter.drawPoint(at + QPointF(0, 4.6))

    def sizeHint(self) -> QSize:
        return QSize(800, 480)
