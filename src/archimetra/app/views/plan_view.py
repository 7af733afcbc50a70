"""The plan: the board from above as it lies on the machine, stock as cut so far, artwork and toolpaths over it.

Left drag on a shape moves it, on bare ground frames several; the ends of the section line are dragged like any
handle; middle or right drag pans, the wheel zooms on the cursor. The view only says what is wanted.
"""

from __future__ import annotations

from collections.abc import Sequence
from enum import Enum
from itertools import chain
from math import atan2, degrees, hypot

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
    QTransform,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from archimetra.app.theme import style
from archimetra.app.theme.tokens import Tokens, bit_hue
from archimetra.app.theme.wood import tone_of
from archimetra.app.views.finding_marks import FindingMarks
from archimetra.app.views.fixture_marks import FixtureMarks
from archimetra.app.views.line_layer import LineLayer, group
from archimetra.app.views.mate_marks import MateMarks
from archimetra.app.views.path_marks import PathMarks
from archimetra.app.views.plan_marks import PlanMarks
from archimetra.app.views.plan_scene import (
    Hit,
    PickTarget,
    adjusted_groups,
    artwork_groups,
    contour_starts,
    pick_at,
    pick_in,
    pick_targets,
    toolpath_groups,
)
from archimetra.app.views.plan_surface import PlanSurface
from archimetra.app.views.snapping import MoveTargets, PointTargets, Snap, SnapPoint
from archimetra.app.views.tools import Tool, box_handles, knob_rect, scaling
from archimetra.app.views.viewport import Viewport, fitting
from archimetra.edits.guides import all_guides
from archimetra.edits.layering import locked_shapes
from archimetra.geometry.affine import Affine
from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.path import Path
from archimetra.job.bits import Bit
from archimetra.job.ids import ShapeId
from archimetra.job.job import Board, Job
from archimetra.job.quantities import QuantityError, Unit, format_length, parse_length, parse_number
from archimetra.job.shapes import Guide
from archimetra.toolpath.shared.program import Run

PICK_REACH_PX = 7
SHORTEST_WITH_START_PX = 60  # on shorter contours the notch would be larger than what it marks
MOST_STARTS = 150
SNAP_REACH_PX = 7
DRAG_START_PX = 4
NUDGE_MM, BIG_NUDGE_MM, FINE_NUDGE_MM = 1.0, 10.0, 0.1
TICK_STEPS = (1, 2, 5, 10, 20, 50, 100, 200, 500)
RULER_PX = 16
_DIAGONAL, _OTHER = Qt.CursorShape.SizeBDiagCursor, Qt.CursorShape.SizeFDiagCursor
_ACROSS, _ALONG = Qt.CursorShape.SizeHorCursor, Qt.CursorShape.SizeVerCursor
_HANDLE_CURSORS = {
    (-1, -1): _DIAGONAL, (1, 1): _DIAGONAL, (-1, 1): _OTHER, (1, -1): _OTHER,
    (-1, 0): _ACROSS, (1, 0): _ACROSS, (0, -1): _ALONG, (0, 1): _ALONG,
}  # fmt: skip

Line = tuple[tuple[float, float], tuple[float, float]]


class DragMode(Enum):
    NOTHING = 0
    PRESSED = 1
    MOVING = 2
    FRAMING = 3
    PANNING = 4
    LINE_A = 5
    LINE_B = 6
    LINE_BOTH = 7
    SIZING = 8
    TURNING = 9
    GUIDE = 10
    TOOL = 11
    MARK = 12
    FIXTURE = 13


class Scene(msgspec.Struct, frozen=True, eq=False):
    """Where the bit stands at the shown moment."""

    bit: Bit | None
    at: tuple[float, float, float]


class PlanView(PlanSurface):
    picked = Signal(object)  # tuple of shape ids
    moved = Signal(float, float)  # the picked shapes, mm
    nudged = Signal(float, float)
    line_moved = Signal(object)
    cursor_said = Signal(str)
    finding_clicked = Signal(object)
    dropped = Signal(object)  # list of file paths
    mapped = Signal(object, str)  # the picked shapes by an Affine, and what undo calls it
    guide_wanted = Signal(object)  # Guide
    guide_moved = Signal(int, object)  # which, and to where in mm; None takes it away
    tool_left = Signal()
    delete_wanted = Signal()
    menu_wanted = Signal(object, object)  # the place on the screen, and the finding or shape there, or None

    def __init__(self, tokens: Tokens, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAcceptDrops(True)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.PreventContextMenu)  # the right button pans too: see its release
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
        self._adjusted: tuple[FloatArray, ...] = ()
        self.finding_marks = FindingMarks(self)
        self._line: Line = ((0.0, 0.0), (1.0, 0.0))
        self._scene: Scene | None = None
        self._stock: QImage | None = None
        self._artwork, self._paths, self._picked_lines = LineLayer(self), LineLayer(self), LineLayer(self)
        for layer in (self._artwork, self._paths, self._picked_lines):
            layer.changed.connect(self.update)
        self._doing = DragMode.NOTHING
        self._press = QPointF()
        self._last = QPointF()
        self._hit: Hit | None = None
        self._snap: Snap | None = None
        self._line_before: Line = self._line
        self.tool: Tool | None = None
        self.grid = 0.0  # mm, 0 for none
        self.path_marks = PathMarks(self)
        self.fixtures = FixtureMarks(self)
        self.mate_marks = MateMarks(self)
        self.marks = PlanMarks(self)
        self._moves: MoveTargets | None = None
        self._points: tuple[object, PointTargets] | None = None
        self._caught = SnapPoint(0.0, 0.0, "")
        self.cursor_place: tuple[float, float] = (0.0, 0.0)
        self._handle: tuple[int, int] = (0, 0)
        self._box_of: tuple[object, tuple[float, float, float, float] | None] | None = None
        self._moving_box: tuple[float, float, float, float] | None = None
        self._map: Affine | None = None  # how the picked shapes are being sized or turned
        self._typed = ""
        self._guide: tuple[int, Guide] | None = None  # which one is dragged (-1: a new one) and where it is

    @property
    def unit(self) -> Unit:
        return self._job.unit if self._job is not None else Unit.MM

    # ---- what to show

    def show_tool(self, tool: Tool | None) -> None:
        """Give the left button to a tool, or back to picking and moving."""
        self.tool = tool
        self._doing = DragMode.NOTHING
        self.setCursor(Qt.CursorShape.CrossCursor if tool is not None else Qt.CursorShape.ArrowCursor)
        if tool is not None:
            self.setFocus()
        self._caught = SnapPoint(0.0, 0.0, "")
        self._say_cursor(self._last)
        self.update()

    def show_grid(self, mm: float) -> None:
        """A grid to snap to, from the sheet's corner; 0 for none."""
        self.grid = mm
        self.update()

    def middle(self) -> tuple[float, float]:
        """The board place in the middle of what is seen."""
        return self.view.to_board(QPointF(self.width() / 2, self.height() / 2))

    def go_to(self, x: float, y: float) -> None:
        """Bring a place into the middle, near enough to see what is there."""
        scale = max(self.view.scale, 4.0)
        self.view = Viewport(scale, self.width() / 2 - x * scale, self.height() / 2 + y * scale)
        self.update()

    def stroke(self, painter: QPainter, paths: Sequence[Path]) -> None:
        """Outlines being made, as a tool shows them."""
        painter.setPen(QPen(self.tokens.color("picked"), 1.6))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for path in paths:
            points = self.view.points(path.flatten(0.2 / self.view.scale))
            painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in points]))

    def knob(self, painter: QPainter, place: tuple[float, float]) -> None:
        painter.setPen(QPen(self.tokens.color("picked"), 1.3))
        painter.setBrush(self.tokens.color("panel"))
        painter.drawRect(knob_rect(self.view.to_screen(*place), 7))

    def show_theme(self, tokens: Tokens) -> None:
        self.tokens = tokens
        if self._job is not None and self._board is not None:
            self.show_board(self._job, self._board)
            if self._run is not None:
                self.show_run(self._run, self._adjusted)

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

    def show_run(self, run: Run | None, outlines: Sequence[FloatArray] = ()) -> None:
        """The moves of a board, and ``outlines`` cuts work to in place of the drawn ones."""
        self._run, self._adjusted = run, tuple(outlines)
        if self._job is None:
            return
        if run is None:
            self._starts = None
            self._paths.clear()
        else:
            self._starts = contour_starts(run)
            self._paths.show_preview(
                chain(adjusted_groups(outlines, self.tokens), toolpath_groups(self._job, run, self.tokens))
            )
        self.update()

    def show_picked(self, ids: tuple[ShapeId, ...]) -> None:
        self._picked = ids
        self._outline_picked()
        self.update()

    def _outline_picked(self) -> None:
        wanted = set(self._picked)
        lines = [line for target in self._targets if target.id in wanted for line in target.lines]
        self._picked_lines.show_groups([group(QPen(self.tokens.color("picked"), 1.8), lines)] if lines else [])

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

    def show_box(self, box: tuple[float, float, float, float]) -> None:
        """Show one place of the board as large as it fits."""
        self.view = fitting(box, self.width(), self.height(), 24)
        self._is_fitted = False
        self.update()

    # ---- mouse and keys

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        self._press = self._last = at
        self.setFocus()
        if event.button() in (Qt.MouseButton.MiddleButton, Qt.MouseButton.RightButton):
            self._doing = DragMode.PANNING
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
            return
        if event.button() != Qt.MouseButton.LeftButton:
            return
        self._typed = ""
        if self._press_guide(at):
            return
        if self.tool is not None:
            self._doing = DragMode.TOOL
            self._catch(at, is_free=bool(event.modifiers() & Qt.KeyboardModifier.AltModifier))
            self.tool.press(self._caught, is_more=bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
            self.update()
            return
        finding = self.finding_marks.at(at)
        if finding is not None:
            self.finding_clicked.emit(finding)
            return
        if self.path_marks.press(at):
            self._doing = DragMode.MARK
            return
        if self._press_handle(at):
            return
        if self.fixtures.press(at):
            self._doing = DragMode.FIXTURE
            return
        handle = self._line_handle(at)
        if handle is not None:
            self._doing = handle
            self._line_before = self._line
            return
        x, y = self.view.to_board(at)
        self._hit = pick_at(self._targets, x, y, PICK_REACH_PX / self.view.scale)
        if (self._hit is None or not self._hit.is_on_outline) and self._near_line(at):
            self._doing = DragMode.LINE_BOTH
            self._line_before = self._line
            return
        self._doing = DragMode.PRESSED

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if self._doing is DragMode.PANNING:
            self.view = self.view.panned(at.x() - self._last.x(), at.y() - self._last.y())
        elif self._doing in (DragMode.LINE_A, DragMode.LINE_B, DragMode.LINE_BOTH):
            self._drag_line(at)
        elif self._doing is DragMode.PRESSED and (at - self._press).manhattanLength() > DRAG_START_PX:
            self._begin_drag(event)
        is_free = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        is_more = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if self._doing is DragMode.MOVING:
            self._drag_shapes(at, is_free=is_free)
        elif self._doing is DragMode.SIZING:
            self._drag_handle(at, is_free=is_free, is_even=not is_more)
        elif self._doing is DragMode.TURNING:
            self._drag_turn(at, in_steps=not is_free)
        elif self._doing is DragMode.GUIDE:
            self._drag_guide(at)
        elif self._doing is DragMode.MARK:
            self.path_marks.drag(at)
        elif self._doing is DragMode.FIXTURE:
            self.fixtures.drag(self._press, at)
        elif self.tool is not None and self._doing in (DragMode.TOOL, DragMode.NOTHING):
            self._catch(at, is_free=is_free)
            self.tool.move(self._caught, is_down=self._doing is DragMode.TOOL, is_more=is_more)
            self.update()
        self._last = at
        self._say_cursor(at)
        self._show_cursor(at)
        if self._doing is not DragMode.NOTHING:
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.RightButton and (event.position() - self._press).manhattanLength() < 5:
            self._doing = DragMode.NOTHING
            self.unsetCursor()
            self._want_menu(event.position())
            return
        doing, self._doing = self._doing, DragMode.NOTHING
        at = event.position()
        is_more = bool(event.modifiers() & (Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.ControlModifier))
        if doing is DragMode.TOOL and self.tool is not None:
            self.tool.release(self._caught)
        elif doing is DragMode.GUIDE:
            self._drop_guide(at)
        elif doing is DragMode.MARK:
            self.path_marks.drop()
        elif doing is DragMode.FIXTURE:
            self.fixtures.drop()
        elif doing in (DragMode.SIZING, DragMode.TURNING) and self._map is not None:
            m, self._map = self._map, None
            self.mapped.emit(m, "Size" if doing is DragMode.SIZING else "Turn")
        elif doing is DragMode.PRESSED or (doing in (DragMode.SIZING, DragMode.TURNING) and self._press == at):
            if doing is not DragMode.PRESSED:  # a click on a handle is meant for what lies under it
                self._hit = pick_at(self._targets, *self.view.to_board(at), PICK_REACH_PX / self.view.scale)
            self._click(is_more)
        elif doing is DragMode.FRAMING:
            (x0, y0), (x1, y1) = self.view.to_board(self._press), self.view.to_board(at)
            found = pick_in(self._targets, (min(x0, x1), min(y0, y1), max(x0, x1), max(y0, y1)))
            self.picked.emit(tuple(dict.fromkeys([*(self._picked if is_more else ()), *found])))
        elif doing is DragMode.MOVING and self._snap is not None:
            snap, self._snap = self._snap, None
            if abs(snap.dx) + abs(snap.dy) > 1e-9:
                self.moved.emit(snap.dx, snap.dy)
        self._snap = None
        self._show_cursor(at)
        self.update()

    def _want_menu(self, at: QPointF) -> None:
        x, y = self.view.to_board(at)
        finding = self.finding_marks.at(at)
        hit = pick_at(self._targets, x, y, PICK_REACH_PX / self.view.scale)
        thing = finding if finding is not None else hit.id if hit is not None else None
        self.menu_wanted.emit(self.mapToGlobal(at).toPoint(), thing)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.MiddleButton:
            self.fit()
        elif self.tool is not None and event.button() == Qt.MouseButton.LeftButton:
            self._catch(event.position(), is_free=False)
            self.tool.double(self._caught)
            self.update()
        elif not (event.button() == Qt.MouseButton.LeftButton and self.path_marks.double(event.position())):
            self.mousePressEvent(event)

    def wheelEvent(self, event: QWheelEvent) -> None:
        steps = event.angleDelta().y() / 120
        self.view = self.view.zoomed(1.2**steps, event.position())
        self._say_cursor(event.position())
        self.update()

    def leaveEvent(self, event: QEvent) -> None:
        self.cursor_said.emit("")

    def event(self, event: QEvent) -> bool:
        # what is typed while something is drawn or dragged is a number, not a shortcut of the window
        if (
            event.type() == QEvent.Type.ShortcutOverride
            and isinstance(event, QKeyEvent)
            and (self.tool is not None or self._doing in (DragMode.MOVING, DragMode.SIZING, DragMode.TURNING))
            and not event.modifiers() & Qt.KeyboardModifier.ControlModifier
            and (event.text() in tuple("0123456789.,-") or (self._is_typing() and event.text() in tuple("/*+ xinm")))
        ):
            event.accept()
            return True
        if (
            event.type() == QEvent.Type.ShortcutOverride
            and isinstance(event, QKeyEvent)
            and self.tool is not None
            and event.key() == Qt.Key.Key_Delete
        ):
            event.accept()
            return True
        return super().event(event)

    def _is_typing(self) -> bool:
        return bool(self._typed or (self.tool is not None and self.tool.typed))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self._tool_key(event) or self._drag_key(event):
            self._say_cursor(self._last)
            self.update()
            return
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
        elif event.key() == Qt.Key.Key_Menu:
            box = self._picked_box()
            at = self.view.to_screen((box[0] + box[2]) / 2, (box[1] + box[3]) / 2) if box is not None else self._last
            self._want_menu(at)
        elif event.key() == Qt.Key.Key_Escape and self.tool is not None:
            if not self.tool.escape():
                self.tool_left.emit()
            self.update()
        elif event.key() == Qt.Key.Key_Escape and self._doing is not DragMode.NOTHING:
            self._give_up()
        elif event.key() == Qt.Key.Key_Escape:
            self.picked.emit(())
        else:
            super().keyPressEvent(event)

    def dragEnterEvent(self, event) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    # ---- tools, handles, guides

    def _catch(self, at: QPointF, *, is_free: bool) -> None:
        """The board place under the cursor, snapped where snapping is on."""
        x, y = self.view.to_board(at)
        self.cursor_place = (x, y)
        self._caught = SnapPoint(x, y, "")
        if is_free or not self.is_snapping or self._board is None:
            return
        key = (
            id(self._board.shapes),
            id(self._board.guides),
            self._board.margin,
            self._board.has_centre_lines,
            self.grid,
        )
        if self._points is None or self._points[0] != key:
            shapes = [target.shape for target in self._targets]
            self._points = (key, PointTargets(self._board, shapes, self.grid))
        origin = self.tool.origin if self.tool is not None else None
        self._caught = self._points[1].snap(x, y, SNAP_REACH_PX / self.view.scale, origin=origin)

    def _tool_key(self, event: QKeyEvent) -> bool:
        tool = self.tool
        if tool is None or event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            return False
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            return tool.enter()
        if event.key() == Qt.Key.Key_Backspace:
            if tool.typed:
                tool.typed = tool.typed[:-1]
                return True
            return tool.back()
        if event.key() == Qt.Key.Key_Delete:
            self.delete_wanted.emit()
            return True
        return tool.key(event.text())

    def _drag_key(self, event: QKeyEvent) -> bool:
        """Numbers typed while shapes are dragged: how far, how large, how many degrees."""
        if self._doing not in (DragMode.MOVING, DragMode.SIZING, DragMode.TURNING):
            return False
        text = event.text()
        if event.key() == Qt.Key.Key_Backspace:
            self._typed = self._typed[:-1]
            return True
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            return self._apply_typed()
        if text and (text in "0123456789.,-" or (self._typed and text in "/*+ xinm")):
            self._typed += text
            return True
        return False

    def _apply_typed(self) -> bool:
        parts = [part for part in self._typed.replace("x", ",").replace(" ", ",").split(",") if part.strip()]
        try:
            if self._doing is DragMode.TURNING:
                numbers = [parse_number(part) for part in parts]
            else:
                numbers = [parse_length(part, default=self.unit) for part in parts]
        except QuantityError:
            return True
        if not numbers:
            return True
        doing, self._doing, self._typed = self._doing, DragMode.NOTHING, ""
        box = self._picked_box()
        if box is None:
            return True
        if doing is DragMode.TURNING:
            middle = (box[0] + box[2]) / 2, (box[1] + box[3]) / 2
            self._map = None
            self.mapped.emit(Affine.turn(numbers[0], about=middle), "Turn")
        elif doing is DragMode.SIZING:
            self._map = None
            m = self._typed_size(box, numbers)
            if m is not None:
                self.mapped.emit(m, "Size")
        else:
            snap, self._snap = self._snap, None
            dx, dy = numbers[0], numbers[1] if len(numbers) > 1 else 0.0
            if len(numbers) == 1 and snap is not None and hypot(snap.dx, snap.dy) > 0:
                # one number is how far, the hand says whither: along an axis if it moves nearly so
                wx, wy = snap.dx, snap.dy
                if abs(wx) > 5 * abs(wy):
                    wy = 0.0
                elif abs(wy) > 5 * abs(wx):
                    wx = 0.0
                size = hypot(wx, wy)
                dx, dy = numbers[0] * wx / size, numbers[0] * wy / size
            self.moved.emit(dx, dy)
        self.update()
        return True

    def _typed_size(self, box: tuple[float, float, float, float], numbers: list[float]) -> Affine | None:
        hx, hy = self._handle
        width, depth = box[2] - box[0], box[3] - box[1]
        wanted = numbers[0]
        if wanted <= 0 or (hx and width <= 0) or (hy and depth <= 0):
            return None
        sx = wanted / width if hx else 1.0
        sy = (numbers[1] if len(numbers) > 1 else wanted) / depth if hy and (not hx or len(numbers) > 1) else sx
        if not hx:
            sx = sy
        about = (box[2] if hx < 0 else box[0], box[3] if hy < 0 else box[1])
        return Affine.scale(sx, sy, about=about)

    def _picked_box(self) -> tuple[float, float, float, float] | None:
        key = (id(self._targets), self._picked)
        if self._box_of is None or self._box_of[0] != key:
            wanted = set(self._picked)
            boxes = [t.box for t in self._targets if t.id in wanted]
            found = None
            if boxes:
                x0, y0, x1, y1 = zip(*boxes, strict=True)
                found = (min(x0), min(y0), max(x1), max(y1))
            self._box_of = (key, found)
        return self._box_of[1]

    def _handles_box(self) -> tuple[float, float, float, float] | None:
        """The box whose handles are shown: of what is picked and free, if it is large enough on the screen."""
        if not self._picked or self.tool is not None or self._doing is DragMode.MOVING:
            return None
        box = self._picked_box()
        if box is None or self._board is None or set(self._picked) <= locked_shapes(self._board):
            return None
        if max(box[2] - box[0], box[3] - box[1]) * self.view.scale < 24:
            return None
        return box

    def _press_handle(self, at: QPointF) -> bool:
        box = self._handles_box()
        if box is None:
            return False
        if (self._turn_knob(box) - at).manhattanLength() <= 10:
            self._doing = DragMode.TURNING
            return True
        for handle, place in box_handles(box).items():
            if (self.view.to_screen(*place) - at).manhattanLength() <= 8:
                self._doing, self._handle = DragMode.SIZING, handle
                return True
        return False

    def _turn_knob(self, box: tuple[float, float, float, float]) -> QPointF:
        return self.view.to_screen((box[0] + box[2]) / 2, box[3]) + QPointF(0, -24)

    def _drag_handle(self, at: QPointF, *, is_free: bool, is_even: bool) -> None:
        box = self._picked_box()
        if box is None:
            return
        self._catch(at, is_free=is_free)
        corner = all(self._handle)
        place = (self._caught.x, self._caught.y)
        self._map = scaling(box, self._handle, place, is_even=corner and is_even, is_about_middle=False)

    def _drag_turn(self, at: QPointF, *, in_steps: bool) -> None:
        box = self._picked_box()
        if box is None:
            return
        middle = (box[0] + box[2]) / 2, (box[1] + box[3]) / 2
        x, y = self.view.to_board(at)
        angle = degrees(atan2(y - middle[1], x - middle[0])) - 90.0
        if in_steps and self.is_snapping:
            angle = round(angle / 5) * 5
        self._map = Affine.turn(angle, about=middle)

    def _press_guide(self, at: QPointF) -> bool:
        """From a ruler a new guide is dragged; one that is there is taken hold of at the rulers."""
        if self._board is None or (at.x() > RULER_PX and at.y() > RULER_PX):
            return False
        is_upright = at.x() <= RULER_PX
        along = self.view.to_board(at)
        for index, guide in enumerate(self._board.guides):
            screen = self.view.to_screen(guide.at, guide.at)
            off = abs(screen.x() - at.x()) if guide.is_upright else abs(screen.y() - at.y())
            if off <= 5 and guide.is_upright != is_upright:
                self._guide = (index, guide)
                self._doing = DragMode.GUIDE
                return True
        self._guide = (-1, Guide(is_upright, along[0] if is_upright else along[1]))
        self._doing = DragMode.GUIDE
        return True

    def _drag_guide(self, at: QPointF) -> None:
        if self._guide is None:
            return
        index, guide = self._guide
        x, y = self.view.to_board(at)
        self._catch(at, is_free=False)
        place = self._caught.x if guide.is_upright else self._caught.y
        raw = x if guide.is_upright else y
        self._guide = (
            index,
            Guide(guide.is_upright, round(place if self._caught.words else raw, 3 if self._caught.words else 1)),
        )

    def _drop_guide(self, at: QPointF) -> None:
        if self._guide is None:
            return
        (index, guide), self._guide = self._guide, None
        is_back = at.x() <= RULER_PX if guide.is_upright else at.y() <= RULER_PX
        if index >= 0:
            self.guide_moved.emit(index, None if is_back else guide.at)
        elif not is_back:
            self.guide_wanted.emit(guide)

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
            self._doing = DragMode.FRAMING
            return
        if self._hit.id not in self._picked:
            self.picked.emit((self._hit.id,))
        self._doing = DragMode.MOVING
        self._moves = None
        self._moving_box = self._picked_box()

    def _drag_shapes(self, at: QPointF, *, is_free: bool) -> None:
        assert self._board is not None
        dx = (at.x() - self._press.x()) / self.view.scale
        dy = -(at.y() - self._press.y()) / self.view.scale
        box = self._moving_box
        if box is None:
            return
        if is_free or not self.is_snapping:
            self._snap = Snap(dx, dy, "", None, None)
            return
        if self._moves is None:
            picked = set(self._picked)
            self._moves = MoveTargets(self._board, [t.box for t in self._targets if t.id not in picked], self.grid)
        self._snap = self._moves.snap(box, dx, dy, SNAP_REACH_PX / self.view.scale)

    def _drag_line(self, at: QPointF) -> None:
        (ax, ay), (bx, by) = self._line_before
        if self._doing is DragMode.LINE_BOTH:
            dx = (at.x() - self._press.x()) / self.view.scale
            dy = -(at.y() - self._press.y()) / self.view.scale
            if abs(by - ay) < 1e-6:
                dx = 0.0  # a level line slides up and down only
            elif abs(bx - ax) < 1e-6:
                dy = 0.0
            self._line = ((ax + dx, ay + dy), (bx + dx, by + dy))
        else:
            x, y = self.view.to_board(at)
            other = self._line_before[1] if self._doing is DragMode.LINE_A else self._line_before[0]
            reach = SNAP_REACH_PX / self.view.scale
            y = other[1] if abs(y - other[1]) < reach else y  # catches level and upright
            x = other[0] if abs(x - other[0]) < reach else x
            self._line = ((x, y), other) if self._doing is DragMode.LINE_A else (other, (x, y))
        self.line_moved.emit(self._line)

    def _give_up(self) -> None:
        if self._doing in (DragMode.LINE_A, DragMode.LINE_B, DragMode.LINE_BOTH):
            self._line = self._line_before
            self.line_moved.emit(self._line)
        self._doing, self._snap, self._map, self._guide, self._typed = DragMode.NOTHING, None, None, None, ""
        self.update()

    def _line_handle(self, at: QPointF) -> DragMode | None:
        for end, doing in zip(self._line, (DragMode.LINE_A, DragMode.LINE_B), strict=True):
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

    def _show_cursor(self, at: QPointF) -> None:
        if self._doing is DragMode.PANNING:
            return
        if self.tool is not None:
            self.setCursor(Qt.CursorShape.CrossCursor)
            return
        box = self._handles_box()
        if box is not None and self._doing is DragMode.NOTHING:
            over = [
                h for h, place in box_handles(box).items() if (self.view.to_screen(*place) - at).manhattanLength() <= 8
            ]
            if over:
                self.setCursor(_HANDLE_CURSORS[over[0]])
                return
            if (self._turn_knob(box) - at).manhattanLength() <= 10:
                self.setCursor(Qt.CursorShape.PointingHandCursor)
                return
        if self.finding_marks.at(at) is not None or self.path_marks.mark_at(at) is not None:
            self.setCursor(Qt.CursorShape.PointingHandCursor)
        elif self._line_handle(at) is not None or self._doing is DragMode.MOVING:
            self.setCursor(Qt.CursorShape.SizeAllCursor)
        else:
            self.setCursor(Qt.CursorShape.ArrowCursor)
        finding = self.finding_marks.at(at)
        self.setToolTip(finding.text() if finding is not None else "")

    def _say_cursor(self, at: QPointF) -> None:
        if self._job is None:
            return
        unit = self._job.unit
        x, y = self.view.to_board(at)
        words = f"x {format_length(x, unit)}  y {format_length(y, unit)} {unit}"
        if self.tool is not None:
            words = self.tool.words(self)
            if self._caught.words:
                words += f"   snapped: {self._caught.words}"
        elif self._typed:
            words = f"{'degrees' if self._doing is DragMode.TURNING else 'distance' if self._doing is DragMode.MOVING else 'size'}: {self._typed}  (Enter)"
        elif self._doing is DragMode.GUIDE and self._guide is not None:
            words = f"guide at {format_length(self._guide[1].at, unit)} {unit}"
        elif self._map is not None and self._doing is DragMode.TURNING:
            words = f"turned {degrees(atan2(self._map.b, self._map.a)):.1f}°; type an angle"
        elif self._map is not None and (box := self._picked_box()) is not None:
            width, depth = (box[2] - box[0]) * self._map.a, (box[3] - box[1]) * self._map.d
            words = f"{format_length(width, unit)} x {format_length(depth, unit)} {unit}; type a size"
            if self._caught.words:
                words += f"   snapped: {self._caught.words}"
        elif self._doing is DragMode.NOTHING and (over := self.path_marks.words(at)):
            words = over
        elif self._snap is not None:
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
        self.marks.paint_under(painter)
        self._artwork.paint(painter, self.view, size, ratio)
        self._paths.paint(painter, self.view, size, ratio)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._paint_marks(painter)
        self._paint_picked(painter)
        self._paint_section_line(painter)
        self._paint_zero(painter)
        self._paint_bit(painter)
        self.finding_marks.paint(painter)
        self._paint_guides(painter)
        self.fixtures.paint(painter)
        self.path_marks.paint(painter)
        self.mate_marks.paint(painter)
        self.marks.paint_over(painter)
        if self.tool is not None:
            self.tool.paint(painter, self)
            if self._caught.words:
                painter.setPen(QPen(self.tokens.color("accent"), 1.4))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawEllipse(self.view.to_screen(self._caught.x, self._caught.y), 5, 5)
        self._paint_rulers(painter)
        if self._doing is DragMode.FRAMING:
            painter.setPen(QPen(self.tokens.color("accent"), 1, Qt.PenStyle.DashLine))
            painter.setBrush(self.tokens.color("accent", 30))
            painter.drawRect(QRectF(self._press, self._last).normalized())
        self.paint_focus(painter, self.tokens)

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
            painter.fillRect(rect, tone_of(sheet))
        painter.setPen(QPen(self.tokens.color("ink", 90), 1))
        painter.drawRect(rect)

    def _paint_marks(self, painter: QPainter) -> None:
        if self._starts is None:
            return
        painter.setPen(QPen(self.tokens.color("ink", 200), 1.2))
        painter.setBrush(self.tokens.color("panel"))
        at = self.view.points(self._starts[:, :2])
        seen = ((at > -10) & (at < (self.width() + 10, self.height() + 10))).all(axis=1)
        seen &= self._starts[:, 4] * self.view.scale > SHORTEST_WITH_START_PX
        starts = self._starts[seen]
        if len(starts) > MOST_STARTS:  # from so far away the notches would only hide the paths
            starts = starts[:0]
        for x, y, dx, dy, _ in starts:
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
        if self._map is not None:
            painter.save()
            m = self._map
            s = view.scale
            painter.setTransform(
                QTransform(
                    m.a, -m.b, -m.c, m.d,
                    view.x + m.e * s - (m.a * view.x - m.c * view.y),
                    view.y - m.f * s - (-m.b * view.x + m.d * view.y),
                ),
                True,
            )  # fmt: skip
            self._picked_lines.paint(painter, view, self.size(), self.devicePixelRatioF())
            painter.restore()
        else:
            self._picked_lines.paint(painter, view, self.size(), self.devicePixelRatioF())
        self._paint_handles(painter)
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

    def _paint_handles(self, painter: QPainter) -> None:
        box = self._handles_box()
        if box is None or self._map is not None:
            return
        painter.setPen(QPen(self.tokens.color("picked", 130), 1, Qt.PenStyle.DotLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(self.view.rect(*box))
        top, knob = self.view.to_screen((box[0] + box[2]) / 2, box[3]), self._turn_knob(box)
        painter.drawLine(top, knob)
        painter.setPen(QPen(self.tokens.color("picked"), 1.3))
        painter.setBrush(self.tokens.color("panel"))
        painter.drawEllipse(knob, 4.5, 4.5)
        for place in box_handles(box).values():
            painter.drawRect(knob_rect(self.view.to_screen(*place), 7))

    def _paint_grid(self, painter: QPainter) -> None:
        """The grid's points on the sheet, as long as they lie apart on the screen."""
        assert self._board is not None
        if self.grid * self.view.scale < 7:
            return
        sheet = self._board.sheet
        painter.setPen(QPen(self.tokens.color("ink", 70), 1.4))
        xs = [k * self.grid for k in range(int(sheet.width / self.grid) + 1)]
        ys = [k * self.grid for k in range(int(sheet.height / self.grid) + 1)]
        painter.drawPoints(QPolygonF([self.view.to_screen(x, y) for x in xs for y in ys]))

    def _paint_guides(self, painter: QPainter) -> None:
        assert self._board is not None
        self._paint_grid(painter)
        own = set(self._board.guides)
        pen = QPen(self.tokens.color("accent", 170), 1)
        faint = QPen(self.tokens.color("accent", 110), 1, Qt.PenStyle.DashLine)
        guides = list(all_guides(self._board))
        if self._guide is not None:
            index, moved = self._guide
            guides = [g for g in guides if index < 0 or g != self._board.guides[index]] + [moved]
        for guide in guides:
            painter.setPen(pen if guide in own or (self._guide is not None and guide == self._guide[1]) else faint)
            at = self.view.to_screen(guide.at, guide.at)
            if guide.is_upright:
                painter.drawLine(QPointF(at.x(), 0), QPointF(at.x(), self.height()))
            else:
                painter.drawLine(QPointF(0, at.y()), QPointF(self.width(), at.y()))

    def _paint_rulers(self, painter: QPainter) -> None:
        """Millimetres of the sheet along the top and the left; guides are dragged out of them."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        ground = self.tokens.color("page")
        painter.fillRect(QRectF(0, 0, self.width(), RULER_PX), ground)
        painter.fillRect(QRectF(0, 0, RULER_PX, self.height()), ground)
        painter.setFont(style.font(9))
        step = next((s for s in TICK_STEPS if s * self.view.scale >= 8), TICK_STEPS[-1])
        painter.setPen(QPen(self.tokens.color("quiet"), 1))
        x0, y1 = self.view.to_board(QPointF(0, 0))
        x1, y0 = self.view.to_board(QPointF(self.width(), self.height()))
        for k in range(int(x0 // step), int(x1 // step) + 1):
            x = self.view.to_screen(k * step, 0).x()
            painter.drawLine(QPointF(x, RULER_PX - (7 if k % 5 == 0 else 3)), QPointF(x, RULER_PX))
            if k % 10 == 0:
                painter.drawText(QPointF(x + 2, 9), f"{k * step:g}")
        for k in range(int(y0 // step), int(y1 // step) + 1):
            y = self.view.to_screen(0, k * step).y()
            painter.drawLine(QPointF(RULER_PX - (7 if k % 5 == 0 else 3), y), QPointF(RULER_PX, y))
            if k % 10 == 0:
                painter.save()
                painter.translate(9, y - 2)
                painter.rotate(-90)
                painter.drawText(QPointF(0, 0), f"{k * step:g}")
                painter.restore()
        painter.setPen(QPen(self.tokens.color("hairline"), 1))
        painter.drawLine(QPointF(0, RULER_PX), QPointF(self.width(), RULER_PX))
        painter.drawLine(QPointF(RULER_PX, 0), QPointF(RULER_PX, self.height()))
        painter.fillRect(QRectF(0, 0, RULER_PX, RULER_PX), ground)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)

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

    def sizeHint(self) -> QSize:
        return QSize(800, 480)
