"""The plan: the board from above as it lies on the machine, stock as cut so far, artwork and toolpaths over it.

Left drag on a shape moves it, on bare ground frames several; the ends of the section line are dragged like any
handle; middle or right drag pans, the wheel zooms on the cursor. The view only says what is wanted.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import chain

from PySide6.QtCore import QEvent, QPointF, QSize, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QWidget

from archimetra.app.session.playhead import StockPicture
from archimetra.app.session.seeing import ClosePart
from archimetra.app.theme.tokens import Tokens
from archimetra.app.views import plan_layers as layers
from archimetra.app.views.finding_marks import FindingMarks
from archimetra.app.views.fixture_marks import FixtureMarks
from archimetra.app.views.left_marks import LeftMarks
from archimetra.app.views.line_layer import LineLayer, group
from archimetra.app.views.mate_marks import MateMarks
from archimetra.app.views.other_face import OtherFace
from archimetra.app.views.path_marks import PathMarks
from archimetra.app.views.plan_drags import (
    Drag,
    FixtureDrag,
    GuideDrag,
    LineDrag,
    MapDrag,
    MarkDrag,
    MoveDrag,
    PanDrag,
    PressDrag,
    SeamDrag,
    SizeDrag,
    ToolDrag,
    TurnDrag,
)
from archimetra.app.views.plan_marks import PlanMarks
from archimetra.app.views.plan_scene import (
    adjusted_groups,
    artwork_groups,
    blocks_shown,
    bridge_groups,
    contour_starts,
    hidden_edges,
    pick_targets,
    toolpath_groups,
    travel_groups,
)
from archimetra.app.views.plan_surface import RULER_PX, Box, Held, Line, PlanSurface, Scene
from archimetra.app.views.seam_marks import SeamMarks
from archimetra.app.views.shown import Shown
from archimetra.app.views.snapping import SnapPoint
from archimetra.app.views.tools import Tool, box_handles
from archimetra.app.views.viewport import Viewport, fitting
from archimetra.geometry.arrays import FloatArray
from archimetra.job.ids import CutId, ShapeId
from archimetra.job.job import Board, Job
from archimetra.job.quantities import format_length, lengths_in
from archimetra.job.shapes import Guide
from archimetra.toolpath.shared.program import Run

NUDGE_MM, BIG_NUDGE_MM, FINE_NUDGE_MM = 1.0, 10.0, 0.1
CLICK_PX = 5
_DIAGONAL, _OTHER = Qt.CursorShape.SizeBDiagCursor, Qt.CursorShape.SizeFDiagCursor
_ACROSS, _ALONG = Qt.CursorShape.SizeHorCursor, Qt.CursorShape.SizeVerCursor
_HANDLE_CURSORS = {
    (-1, -1): _DIAGONAL, (1, 1): _DIAGONAL, (-1, 1): _OTHER, (1, -1): _OTHER,
    (-1, 0): _ACROSS, (1, 0): _ACROSS, (0, -1): _ALONG, (0, 1): _ALONG,
}  # fmt: skip

__all__ = ["Line", "PlanView", "Scene"]


class PlanView(PlanSurface):
    def __init__(self, tokens: Tokens, parent: QWidget | None = None) -> None:
        super().__init__(tokens, parent)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAcceptDrops(True)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.PreventContextMenu)  # the right button pans too: see its release
        self.setMinimumSize(320, 200)
        self.setAccessibleName("Plan")
        self._is_fitted = False
        self._run: Run | None = None
        self._adjusted: tuple[FloatArray, ...] = ()
        self._cut: CutId | None = None
        self._artwork, self._chosen_lines = LineLayer(self), LineLayer(self)
        self._paths, self._travel, self._bridges = LineLayer(self), LineLayer(self), LineLayer(self)
        for layer in (self._artwork, self._paths, self._travel, self._bridges, self._chosen_lines):
            layer.changed.connect(self.update)
        self.drag: Drag | None = None
        self.tool: Tool | None = None
        self.finding_marks = FindingMarks(self)
        self.path_marks = PathMarks(self)
        self.fixtures = FixtureMarks(self)
        self.seams = SeamMarks(self)
        self.other_face = OtherFace(self)
        self.mate_marks = MateMarks(self)
        self.left_marks = LeftMarks(self)
        self.marks = PlanMarks(self)

    # ---- what to show

    def show_tool(self, tool: Tool | None) -> None:
        """Give the left button to a tool, or back to picking and moving."""
        self.tool = tool
        self.drag = None
        self.setCursor(Qt.CursorShape.CrossCursor if tool is not None else Qt.CursorShape.ArrowCursor)
        if tool is not None:
            self.setFocus()
        self.snapped = SnapPoint(0.0, 0.0, "")
        self._say_cursor(self.last)
        self.update()

    def show_grid(self, mm: float) -> None:
        """A grid to snap to, from the sheet's corner; 0 for none."""
        self.grid = mm
        self.update()

    def go_to(self, x: float, y: float) -> None:
        """Bring a place into the middle, near enough to see what is there."""
        scale = max(self.view.scale, 4.0)
        self.view = Viewport(scale, self.width() / 2 - x * scale, self.height() / 2 + y * scale)
        self.update()

    def show_theme(self, tokens: Tokens) -> None:
        self.tokens = tokens
        if self.job is not None and self.board is not None:
            self.show_board(self.job, self.board)
            if self._run is not None:
                self.show_run(self._run, self._adjusted)

    def show_board(self, job: Job, board: Board) -> None:
        """The board's sheet, artwork and settings."""
        before = self.board
        self.job, self.board = job, board
        if before is None or before.shapes != board.shapes or before.layers != board.layers or not self.targets:
            same = before is not None and before.id == board.id
            self.targets = pick_targets(board, self.targets if same else ())
        self._artwork.show_groups(artwork_groups(board, self.targets, self.tokens))
        self.other_face.show(job, board)
        self._outline_chosen()
        if before is None or before.id != board.id or before.sheet != board.sheet:
            self.stock = None if before is None or before.id != board.id else self.stock
            self._is_fitted = False
        if not self._is_fitted:
            self.fit()
        self.update()

    def show_run(self, run: Run | None, outlines: Sequence[FloatArray] = ()) -> None:
        """The moves of a board, and ``outlines`` cuts work to in place of the drawn ones."""
        self._run, self._adjusted = run, tuple(outlines)
        self._draw_run()

    def show_cut(self, cut: CutId | None) -> None:
        """The cut that is picked: its paths are drawn where only those of one are."""
        if cut != self._cut:
            self._cut = cut
            self._draw_run()

    def show_parts(self, shown: Shown) -> None:
        """What of all that is drawn."""
        if shown == self.shown:
            return
        was, self.shown = self.shown, shown
        if (was.paths, was.travel, was.marks) != (shown.paths, shown.travel, shown.marks):
            self._draw_run()
        if was.stock != shown.stock:
            self.looked.emit()
        self.update()

    def _draw_run(self) -> None:
        run, shown = self._run, self.shown
        if self.job is None:
            return
        self.starts = None
        if run is None:
            for layer in (self._paths, self._travel, self._bridges):
                layer.clear()
        else:
            of = blocks_shown(run, shown.paths, self._cut)
            if shown.marks and of.any():
                self.starts = contour_starts(run, of)
            self._paths.show_preview(
                chain(adjusted_groups(self._adjusted, self.tokens), hidden_edges(self.job, run, of, self.tokens),
                      toolpath_groups(self.job, run, self.tokens, of)) if of.any() else iter(())
            )  # fmt: skip
            self._travel.show_preview(travel_groups(run, self.tokens) if shown.travel else iter(()))
            self._bridges.show_preview(bridge_groups(run, self.tokens, of) if shown.marks and of.any() else iter(()))
        self.update()

    def show_close(self, part: ClosePart | None) -> None:
        """Part of the stock in finer cells; None for none."""
        self.close_part = part
        self.update()

    def show_picked(self, ids: tuple[ShapeId, ...]) -> None:
        self.chosen = ids
        self._outline_chosen()
        self.update()

    def _outline_chosen(self) -> None:
        wanted = set(self.chosen)
        lines = [line for target in self.targets if target.id in wanted for line in target.lines]
        self._chosen_lines.show_groups([group(QPen(self.tokens.color("picked"), 1.8), lines)] if lines else [])

    def show_line(self, line: Line, letter: str = "A", others: Sequence[tuple[str, Line]] = ()) -> None:
        """The section line with its letter, and the board's others."""
        self.line, self.letter, self.other_lines = line, letter, list(others)
        self.update()

    def show_scene(self, scene: Scene | None) -> None:
        self.scene = scene
        self.update()

    def show_stock(self, picture: StockPicture | None) -> None:
        """The stock; it may look into memory that goes on changing."""
        self.stock = picture
        self.update()

    def fit(self) -> None:
        """Show the whole sheet with the ends of the section line."""
        if self.board is None or self.width() < 10:
            return
        sheet = self.board.sheet
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

    def handles_box(self) -> Box | None:
        """None, too, while a tool has the button or what is picked is on its way."""
        return None if self.tool is not None or isinstance(self.drag, MoveDrag) else super().handles_box()

    # ---- mouse

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        self.pressed = self.last = at
        self.setFocus()
        if event.button() in (Qt.MouseButton.MiddleButton, Qt.MouseButton.RightButton):
            self.drag = PanDrag(self)
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
        elif event.button() == Qt.MouseButton.LeftButton:
            self.drag = self._begun(at, Held.of(event.modifiers()))

    def _begun(self, at: QPointF, held: Held) -> Drag | None:
        """What the left button begins at a place: the first that is there of what can be taken hold of."""
        guide = self._guide_at(at)
        if guide is not None:
            return GuideDrag(self, *guide)
        if self.tool is not None:
            drag = ToolDrag(self, self.tool)
            self.catch(at, is_free=held.is_free, origin=self.tool.origin)
            self.tool.press(self.snapped, is_more=held.is_more)
            self.update()
            return drag
        finding = self.finding_marks.at(at) if self.shown.findings else None
        if finding is not None:
            self.finding_clicked.emit(finding)
            return None
        if self.shown.marks and self.path_marks.press(at):
            return MarkDrag(self, self.path_marks)
        handle = self._handle_at(at)
        if handle is not None:
            return TurnDrag(self) if handle == _KNOB else SizeDrag(self, handle)
        if self.shown.clamps and self.fixtures.press(at):
            return FixtureDrag(self, self.fixtures)
        if self.seams.press(at):
            return SeamDrag(self, self.seams)
        end = self._line_end_at(at) if self.shown.guides else None
        if end is not None:
            return LineDrag(self, end)
        other = self._other_end_at(at) if self.shown.guides else None
        if other is not None:
            self.section_wanted.emit(other)
            return None
        hit = self.hit(at)
        if self.shown.guides and (hit is None or not hit.is_on_outline) and self._is_near_line(at):
            return LineDrag(self, None)
        return PressDrag(self, hit)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at, held = event.position(), Held.of(event.modifiers())
        if self.drag is not None:
            self.drag = self.drag.move(at, held)
            self.update()
        elif self.tool is not None:
            self.tool.move(
                self.catch(at, is_free=held.is_free, origin=self.tool.origin), is_down=False, is_more=held.is_more
            )
            self.update()
        self.last = at
        self._say_cursor(at)
        self._show_cursor(at)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        drag, self.drag = self.drag, None
        if event.button() == Qt.MouseButton.RightButton and (at - self.pressed).manhattanLength() < CLICK_PX:
            self.unsetCursor()
            self._want_menu(at)
            return
        if drag is not None:
            drag.release(at, Held.of(event.modifiers()))
        self._show_cursor(at)
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.MiddleButton:
            self.fit()
        elif self.tool is not None and event.button() == Qt.MouseButton.LeftButton:
            self.tool.double(self.catch(event.position(), is_free=False, origin=self.tool.origin))
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

    def dragEnterEvent(self, event) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    # ---- tools, handles, guides

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
        self.looked.emit()

    # ---- dragging

    def _want_menu(self, at: QPointF) -> None:
        finding, hit = self.finding_marks.at(at), self.hit(at)
        thing = finding if finding is not None else hit.id if hit is not None else None
        self.menu_wanted.emit(self.mapToGlobal(at).toPoint(), thing)

    # ---- what lies under the pointer

    def _guide_at(self, at: QPointF) -> tuple[int, Guide] | None:
        """From a ruler a new guide (-1) is dragged; one that is there is taken hold of at the rulers."""
        if self.board is None or (at.x() > RULER_PX and at.y() > RULER_PX):
            return None
        is_upright = at.x() <= RULER_PX
        for index, guide in enumerate(self.board.guides):
            screen = self.view.to_screen(guide.at, guide.at)
            off = abs(screen.x() - at.x()) if guide.is_upright else abs(screen.y() - at.y())
            if off <= 5 and guide.is_upright != is_upright:
                return index, guide
        along = self.view.to_board(at)
        return -1, Guide(is_upright, along[0] if is_upright else along[1])

    def _handle_at(self, at: QPointF) -> tuple[int, int] | None:
        """The handle of what is picked: across and along, ``_KNOB`` for the knob that turns it."""
        box = self.handles_box()
        if box is None:
            return None
        if (self.turn_knob(box) - at).manhattanLength() <= 10:
            return _KNOB
        places = box_handles(box).items()
        return next((h for h, place in places if (self.view.to_screen(*place) - at).manhattanLength() <= 8), None)

    def _line_end_at(self, at: QPointF) -> int | None:
        ends = enumerate(self.line)
        return next((k for k, end in ends if (self.view.to_screen(*end) - at).manhattanLength() <= 14), None)

    def _other_end_at(self, at: QPointF) -> int | None:
        """The number of the section line an end of which lies under the pointer."""
        for letter, line in self.other_lines:
            if any((self.view.to_screen(*end) - at).manhattanLength() <= 11 for end in line):
                return ord(letter) - ord("A")
        return None

    def _is_near_line(self, at: QPointF) -> bool:
        a, b = (self.view.to_screen(*end) for end in self.line)
        d = b - a
        size = d.x() ** 2 + d.y() ** 2
        if size == 0:
            return False
        t = min(max(((at.x() - a.x()) * d.x() + (at.y() - a.y()) * d.y()) / size, 0.0), 1.0)
        return (a + d * t - at).manhattanLength() <= 5

    def _show_cursor(self, at: QPointF) -> None:
        if isinstance(self.drag, PanDrag):
            return
        finding = self.finding_marks.at(at)
        handle = self._handle_at(at) if self.drag is None else None
        if self.tool is not None:
            self.setCursor(Qt.CursorShape.CrossCursor)
            return
        if handle is not None:
            self.setCursor(Qt.CursorShape.PointingHandCursor if handle == _KNOB else _HANDLE_CURSORS[handle])
            return
        if finding is not None or self.path_marks.mark_at(at) is not None:
            self.setCursor(Qt.CursorShape.PointingHandCursor)
        elif self._line_end_at(at) is not None or self.seams.is_near(at):
            self.setCursor(Qt.CursorShape.SizeAllCursor)
        else:
            shape = self.drag.shape if self.drag is not None else None
            self.setCursor(shape if shape is not None else Qt.CursorShape.ArrowCursor)
        self.setToolTip(finding.text(lengths_in(self.unit)) if finding is not None else "")

    def _say_cursor(self, at: QPointF) -> None:
        if self.job is None:
            return
        unit, drag = self.job.unit, self.drag
        if self.tool is not None:
            words = self.tool.words(self)
            if self.snapped.words:
                words += f"   snapped: {self.snapped.words}"
        elif drag is not None and drag.typed:
            words = f"{drag.number}: {drag.typed}  (Enter)"
        else:
            words = drag.words() if drag is not None else self.path_marks.words(at)
        if not words:
            x, y = self.view.to_board(at)
            words = f"x {format_length(x, unit)}  y {format_length(y, unit)} {unit}"
        self.cursor_said.emit(words)

    # ---- keys

    def event(self, event: QEvent) -> bool:
        # what is typed while something is drawn or dragged is a number, not a shortcut of the window
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent) and self._is_own(event):
            event.accept()
            return True
        return super().event(event)

    def _is_own(self, event: QKeyEvent) -> bool:
        if self.tool is not None and event.key() == Qt.Key.Key_Delete:
            return True
        takes_numbers = self.tool is not None or (self.drag is not None and bool(self.drag.number))
        if not takes_numbers or event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            return False
        is_typing = bool((self.drag is not None and self.drag.typed) or (self.tool is not None and self.tool.typed))
        return event.text() in tuple("0123456789.,-") or (is_typing and event.text() in tuple("/*+ xinm"))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self._tool_key(event) or self._drag_key(event):
            self._say_cursor(self.last)
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
        if event.key() in arrows and self.chosen:
            self.nudged.emit(*arrows[Qt.Key(event.key())])
        elif event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Equal, Qt.Key.Key_Minus):
            factor = 1 / 1.25 if event.key() == Qt.Key.Key_Minus else 1.25
            self.view = self.view.zoomed(factor, QPointF(self.width() / 2, self.height() / 2))
            self.update()
        elif event.key() == Qt.Key.Key_Menu:
            box = self.chosen_box()
            at = self.view.to_screen((box[0] + box[2]) / 2, (box[1] + box[3]) / 2) if box is not None else self.last
            self._want_menu(at)
        elif event.key() == Qt.Key.Key_Escape:
            self._escape()
        else:
            super().keyPressEvent(event)

    def _escape(self) -> None:
        """Out of what is under way; else nothing is picked any more."""
        if self.tool is not None:
            if not self.tool.escape():
                self.tool_left.emit()
        elif self.drag is not None:
            drag, self.drag = self.drag, None
            drag.give_up()
        else:
            self.picked.emit(())
        self.update()

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
        drag = self.drag
        if drag is None or not drag.number:
            return False
        if event.key() == Qt.Key.Key_Backspace:
            drag.typed = drag.typed[:-1]
            return True
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            numbers = drag.numbers()
            if numbers is not None:
                self.drag = None
                drag.enter(numbers)
            return True
        return drag.key(event.text())

    # ---- painting

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.tokens.color("table"))
        if self.board is None or self.job is None:
            return
        drag = self.drag
        snap = drag.snap if isinstance(drag, MoveDrag) else None
        m = drag.map if isinstance(drag, MapDrag) else None
        layers.bed(painter, self, self.seams.bed)
        layers.sheet(painter, self)
        size, ratio = self.size(), self.devicePixelRatioF()
        if self.shown.artwork:
            self.marks.paint_under(painter)
        if self.shown.artwork:
            self.other_face.paint(painter, size, ratio)
        shown = self.shown
        if shown.artwork:
            # from far away the outlines would hide what is carved along them
            painter.setOpacity(
                1.0 if not shown.stock or self.stock is None else 0.4 + 0.6 * layers.faded(self.view.scale)
            )
            self._artwork.paint(painter, self.view, size, ratio)
            painter.setOpacity(1.0)
        if shown.travel:
            self._travel.paint(painter, self.view, size, ratio)
        self.left_marks.paint(painter)
        painter.setOpacity(0.6 + 0.4 * layers.faded(self.view.scale))
        self._paths.paint(painter, self.view, size, ratio)
        painter.setOpacity(1.0)
        self._bridges.paint(painter, self.view, size, ratio)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        layers.starts(painter, self)
        if self.chosen:
            layers.chosen(painter, self, self._chosen_lines, snap, m)
        if shown.guides:
            layers.section_line(painter, self)
            layers.zero_point(painter, self)
        layers.bit_at_work(painter, self)
        if shown.findings:
            self.finding_marks.paint(painter)
        if shown.guides:
            layers.guides(painter, self, (drag.index, drag.guide) if isinstance(drag, GuideDrag) else None)
        self.seams.paint(painter)
        if shown.clamps:
            self.fixtures.paint(painter)
        if shown.marks:
            self.path_marks.paint(painter)
        self.mate_marks.paint(painter)
        self.marks.paint_over(painter)
        if self.tool is not None:
            self.tool.paint(painter, self)
            if self.snapped.words:
                painter.setPen(QPen(self.tokens.color("accent"), 1.4))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawEllipse(self.view.to_screen(self.snapped.x, self.snapped.y), 5, 5)
        layers.rulers(painter, self)
        if drag is not None:
            drag.paint(painter)
        self.paint_focus(painter, self.tokens)

    def sizeHint(self) -> QSize:
        return QSize(800, 480)


_KNOB = (0, 0)
