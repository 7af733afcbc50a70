"""``PlanSurface``: what tools, drags and layers of the plan work on: the view, what is shown, the pointer, and what can be said."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import msgspec
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from archimetra.app.session.playhead import StockPicture
from archimetra.app.session.seeing import ClosePart
from archimetra.app.theme.tokens import Tokens
from archimetra.app.views.key_focus import KeyFocusView
from archimetra.app.views.plan_scene import Hit, PickTarget, pick_at
from archimetra.app.views.shown import Shown
from archimetra.app.views.snapping import PointTargets, SnapPoint
from archimetra.app.views.viewport import Viewport
from archimetra.edits.layering import locked_shapes
from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.path import Path
from archimetra.job.bits import Bit
from archimetra.job.ids import ShapeId
from archimetra.job.job import Board, Job
from archimetra.job.quantities import Unit

PICK_REACH_PX = 7
SNAP_REACH_PX = 7
RULER_PX = 16
SMALLEST_WITH_HANDLES_PX = 24
KNOB_PX = 24  # from the box of what is picked to the knob that turns it

Line = tuple[tuple[float, float], tuple[float, float]]
Box = tuple[float, float, float, float]


class Scene(msgspec.Struct, frozen=True, eq=False):
    """Where the bit stands at the shown moment."""

    bit: Bit | None
    at: tuple[float, float, float]


class Held(NamedTuple):
    """Which keys are held with the mouse: to snap to nothing, and to do more than one thing."""

    is_free: bool = False  # Alt
    is_more: bool = False  # Shift
    is_added: bool = False  # Shift or Ctrl

    @staticmethod
    def of(keys: Qt.KeyboardModifier) -> Held:
        shift, control = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier
        return Held(bool(keys & Qt.KeyboardModifier.AltModifier), bool(keys & shift), bool(keys & (shift | control)))


class PlanSurface(KeyFocusView):
    """``targets`` are the shapes that can be picked, ``chosen`` those that are; ``starts`` places and directions of contours, ``line`` the
    section line with its ``letter``, ``other_lines`` those that are not looked along. ``pressed`` is where the button went down, ``last`` where the pointer is; ``cursor_place`` that place on the board and
    ``snapped`` the same after snapping."""

    picked = Signal(object)  # tuple of shape ids
    moved = Signal(float, float)  # the picked shapes, mm
    nudged = Signal(float, float)
    line_moved = Signal(object)
    line_dropped = Signal()
    section_wanted = Signal(int)  # the number of another section line
    cursor_said = Signal(str)
    finding_clicked = Signal(object)
    dropped = Signal(object)  # list of file paths
    mapped = Signal(object, str)  # the picked shapes by an Affine, and what undo calls it
    guide_wanted = Signal(object)  # Guide
    guide_moved = Signal(int, object)  # which, and to where in mm; None takes it away
    seam_moved = Signal(int, int, float)  # across which axis, its number there, and to where in mm
    tool_left = Signal()
    delete_wanted = Signal()
    looked = Signal()  # the view moved, or its size did
    menu_wanted = Signal(object, object)  # the place on the screen, and the finding or shape there, or None

    def __init__(self, tokens: Tokens, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.tokens = tokens
        self._view = Viewport()
        self.shown = Shown()
        self.close_part: ClosePart | None = None  # part of the stock in finer cells
        self.job: Job | None = None
        self.board: Board | None = None
        self.targets: list[PickTarget] = []
        self.chosen: tuple[ShapeId, ...] = ()
        self.stock: StockPicture | None = None
        self.starts: FloatArray | None = None
        self.line: Line = ((0.0, 0.0), (1.0, 0.0))
        self.letter = "A"  # of that line
        self.other_lines: list[tuple[str, Line]] = []
        self.scene: Scene | None = None
        self.grid = 0.0  # mm, 0 for none
        self.is_snapping = True
        self.pressed = QPointF()
        self.last = QPointF()
        self.cursor_place: tuple[float, float] = (0.0, 0.0)
        self.snapped = SnapPoint(0.0, 0.0, "")
        self._points: tuple[object, PointTargets] | None = None
        self._box_of: tuple[object, Box | None] | None = None

    @property
    def view(self) -> Viewport:
        return self._view

    @view.setter
    def view(self, view: Viewport) -> None:
        if view != self._view:
            self._view = view
            self.looked.emit()

    @property
    def unit(self) -> Unit:
        return self.job.unit if self.job is not None else Unit.MM

    def middle(self) -> tuple[float, float]:
        """The board place in the middle of what is seen."""
        return self.view.to_board(QPointF(self.width() / 2, self.height() / 2))

    def travel_since_press(self, at: QPointF) -> tuple[float, float]:
        """How far the pointer has come since the button went down, mm."""
        return (at.x() - self.pressed.x()) / self.view.scale, -(at.y() - self.pressed.y()) / self.view.scale

    # ---- what is there

    def hit(self, at: QPointF) -> Hit | None:
        """The shape under the pointer."""
        return pick_at(self.targets, *self.view.to_board(at), PICK_REACH_PX / self.view.scale)

    def catch(self, at: QPointF, *, is_free: bool, origin: tuple[float, float] | None = None) -> SnapPoint:
        """The board place under the pointer, snapped where snapping is on; kept as ``snapped``."""
        x, y = self.view.to_board(at)
        self.cursor_place = (x, y)
        self.snapped = SnapPoint(x, y, "")
        if is_free or not self.is_snapping or self.board is None:
            return self.snapped
        board = self.board
        key = (id(board.shapes), id(board.guides), board.margin, board.has_centre_lines, self.grid)
        if self._points is None or self._points[0] != key:
            shapes = [target.shape for target in self.targets]
            self._points = (key, PointTargets(board, shapes, self.grid))
        self.snapped = self._points[1].snap(x, y, SNAP_REACH_PX / self.view.scale, origin=origin)
        return self.snapped

    def chosen_box(self) -> Box | None:
        """Around what is picked."""
        key = (id(self.targets), self.chosen)
        if self._box_of is None or self._box_of[0] != key:
            wanted = set(self.chosen)
            boxes = [t.box for t in self.targets if t.id in wanted]
            found = None
            if boxes:
                x0, y0, x1, y1 = zip(*boxes, strict=True)
                found = (min(x0), min(y0), max(x1), max(y1))
            self._box_of = (key, found)
        return self._box_of[1]

    def handles_box(self) -> Box | None:
        """The box whose handles can be taken: of what is picked and free, if it is large enough on the screen."""
        if not self.chosen:
            return None
        box = self.chosen_box()
        if box is None or self.board is None or set(self.chosen) <= locked_shapes(self.board):
            return None
        is_large = max(box[2] - box[0], box[3] - box[1]) * self.view.scale >= SMALLEST_WITH_HANDLES_PX
        return box if is_large else None

    def turn_knob(self, box: Box) -> QPointF:
        return self.view.to_screen((box[0] + box[2]) / 2, box[3]) + QPointF(0, -KNOB_PX)

    # ---- painting that tools share

    def stroke(self, painter: QPainter, paths: Sequence[Path]) -> None:
        """Outlines being made, as a tool shows them."""
        painter.setPen(QPen(self.tokens.color("picked"), 1.6))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for path in paths:
            points = self.view.points(path.flatten(0.2 / self.view.scale))
            painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in points]))

    def knob(self, painter: QPainter, place: tuple[float, float]) -> None:
        """A small square to take hold of."""
        painter.setPen(QPen(self.tokens.color("picked"), 1.3))
        painter.setBrush(self.tokens.color("panel"))
        painter.drawRect(knob_rect(self.view.to_screen(*place), 7))


def knob_rect(at: QPointF, size: float = 8.0) -> QRectF:
    return QRectF(at.x() - size / 2, at.y() - size / 2, size, size)
