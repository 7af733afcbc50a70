"""What a button does on the plan between its press and its release: one small class for each thing that can be dragged."""

from __future__ import annotations

from math import atan2, degrees, hypot

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen

from archimetra.app.theme import style
from archimetra.app.views.fixture_marks import FixtureMarks
from archimetra.app.views.path_marks import PathMarks
from archimetra.app.views.piece_gaps import PieceGaps
from archimetra.app.views.plan_scene import Hit, pick_in
from archimetra.app.views.plan_surface import RULER_PX, SNAP_REACH_PX, Held, Line, PlanSurface
from archimetra.app.views.seam_marks import SeamMarks
from archimetra.app.views.snapping import MoveTargets, Snap
from archimetra.app.views.tools import Tool, scaling
from archimetra.geometry.affine import Affine
from archimetra.job.quantities import QuantityError, format_length, parse_length, parse_number
from archimetra.job.shapes import Guide

DRAG_START_PX = 4
TURN_STEP_DEGREES = 5.0


class Drag:
    """``number`` is what a number typed meanwhile is called, '' where none is taken; ``is_over_shapes`` says that what is picked follows."""

    number = ""
    shape: Qt.CursorShape | None = None

    def __init__(self, plan: PlanSurface) -> None:
        self.plan = plan
        self.typed = ""

    def move(self, at: QPointF, held: Held) -> Drag:
        """The pointer has come to ``at``. What goes on from there: this drag, or another that it turns into."""
        return self

    def release(self, at: QPointF, held: Held) -> None:
        """The button is up."""

    def give_up(self) -> None:
        """Escape: as if it had not been."""

    def enter(self, numbers: list[float]) -> None:
        """Numbers typed and entered, in mm or degrees: they rather than the hand say how far."""

    def parsed(self, text: str) -> float:
        return parse_length(text, default=self.plan.unit)

    def words(self) -> str:
        """What it says for the status line; '' for the place of the pointer."""
        return ""

    def paint(self, painter: QPainter) -> None:
        """What it shows over everything else."""

    # ---- typing

    def key(self, text: str) -> bool:
        """A letter typed; whether it belongs to a number."""
        if not self.number or not text or not (text in "0123456789.,-" or (self.typed and text in "/*+ xinm")):
            return False
        self.typed += text
        return True

    def numbers(self) -> list[float] | None:
        """What was typed; None where it is none, and is gone on with."""
        parts = [part for part in self.typed.replace("x", ",").replace(" ", ",").split(",") if part.strip()]
        try:
            return [self.parsed(part) for part in parts] or None
        except QuantityError:
            return None


class PanDrag(Drag):
    def move(self, at: QPointF, held: Held) -> Drag:
        plan = self.plan
        plan.view = plan.view.panned(at.x() - plan.last.x(), at.y() - plan.last.y())
        return self


class LineDrag(Drag):
    """The section line: an end of it (0 or 1), or both."""

    def __init__(self, plan: PlanSurface, end: int | None) -> None:
        super().__init__(plan)
        self._end, self._before = end, plan.line

    def move(self, at: QPointF, held: Held) -> Drag:
        self._say(self._slid(at) if self._end is None else self._swung(at))
        return self

    def _slid(self, at: QPointF) -> Line:
        (ax, ay), (bx, by) = self._before
        dx, dy = self.plan.travel_since_press(at)
        if abs(by - ay) < 1e-6:
            dx = 0.0  # a level line slides up and down only
        elif abs(bx - ax) < 1e-6:
            dy = 0.0
        return (ax + dx, ay + dy), (bx + dx, by + dy)

    def _swung(self, at: QPointF) -> Line:
        x, y = self.plan.view.to_board(at)
        other = self._before[1 if self._end == 0 else 0]
        reach = SNAP_REACH_PX / self.plan.view.scale
        y = other[1] if abs(y - other[1]) < reach else y  # catches level and upright
        x = other[0] if abs(x - other[0]) < reach else x
        return ((x, y), other) if self._end == 0 else (other, (x, y))

    def give_up(self) -> None:
        self._say(self._before)

    def release(self, at: QPointF, held: Held) -> None:
        if self.plan.line != self._before:
            self.plan.line_dropped.emit()

    def _say(self, line: Line) -> None:
        self.plan.line = line
        self.plan.line_moved.emit(line)


class PressDrag(Drag):
    """Not a drag yet: a click picks; farther on what is picked is moved, or several are framed."""

    def __init__(self, plan: PlanSurface, hit: Hit | None) -> None:
        super().__init__(plan)
        self._hit = hit

    def move(self, at: QPointF, held: Held) -> Drag:
        plan, hit = self.plan, self._hit
        if (at - plan.pressed).manhattanLength() <= DRAG_START_PX:
            return self
        # inside a shape that is not picked a drag frames: a big outline must not slip away under a careless hand
        if hit is None or not (hit.is_on_outline or hit.id in plan.chosen):
            return FrameDrag(plan)
        if hit.id not in plan.chosen:
            plan.picked.emit((hit.id,))
        return MoveDrag(plan).move(at, held)

    def release(self, at: QPointF, held: Held) -> None:
        click(self.plan, self._hit, is_added=held.is_added)


def click(plan: PlanSurface, hit: Hit | None, *, is_added: bool) -> None:
    """Pick what lies there; with a key held, beside what is picked or out of it."""
    if hit is None:
        if not is_added:
            plan.picked.emit(())
    elif is_added:
        rest = tuple(id_ for id_ in plan.chosen if id_ != hit.id)
        plan.picked.emit(rest if hit.id in plan.chosen else (*plan.chosen, hit.id))
    else:
        plan.picked.emit((hit.id,))


class FrameDrag(Drag):
    """Everything within a frame is picked."""

    def release(self, at: QPointF, held: Held) -> None:
        plan = self.plan
        (x0, y0), (x1, y1) = plan.view.to_board(plan.pressed), plan.view.to_board(at)
        found = pick_in(plan.targets, (min(x0, x1), min(y0, y1), max(x0, x1), max(y0, y1)))
        plan.picked.emit(tuple(dict.fromkeys([*(plan.chosen if held.is_added else ()), *found])))

    def paint(self, painter: QPainter) -> None:
        plan = self.plan
        painter.setPen(QPen(plan.tokens.color("accent"), 1, Qt.PenStyle.DashLine))
        painter.setBrush(plan.tokens.color("accent", 30))
        painter.drawRect(QRectF(plan.pressed, plan.last).normalized())


class _Gaps:
    """Between the pieces that are dragged and those beside them, worked out and painted on the way."""

    def __init__(self, plan: PlanSurface) -> None:
        self._plan = plan
        self._known: PieceGaps | None = None

    def paint(self, painter: QPainter, m: Affine) -> None:
        plan = self._plan
        if plan.board is None or plan.job is None or not plan.board.instances:
            return
        if self._known is None:
            self._known = PieceGaps(plan.job, plan.board, plan.chosen)
        painter.setFont(style.font(11))
        for gap in self._known.at(m):
            colour = plan.tokens.color("ink" if gap.is_room else "picked")
            a, b = plan.view.to_screen(*gap.begin), plan.view.to_screen(*gap.end)
            painter.setPen(QPen(colour, 1.2 if gap.is_room else 2.2))
            painter.drawLine(a, b)
            words = format_length(gap.size, plan.unit, decimals=2) if gap.size >= 0 else "over it"
            width = painter.fontMetrics().horizontalAdvance(words) + 8
            box = QRectF((a.x() + b.x()) / 2 + 6, (a.y() + b.y()) / 2 - 17, width, 16)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(plan.tokens.color("panel", 225))
            painter.drawRoundedRect(box, 3, 3)
            painter.setPen(colour)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)


class MoveDrag(Drag):
    """What is picked is moved; it shows where it would come to lie by ``snap``."""

    number = "distance"
    shape = Qt.CursorShape.SizeAllCursor

    def __init__(self, plan: PlanSurface) -> None:
        super().__init__(plan)
        self.snap: Snap | None = None
        self._box = plan.chosen_box()
        self._targets: MoveTargets | None = None
        self._gaps = _Gaps(plan)

    def move(self, at: QPointF, held: Held) -> Drag:
        plan = self.plan
        dx, dy = plan.travel_since_press(at)
        if self._box is None or plan.board is None:
            return self
        if held.is_free or not plan.is_snapping:
            self.snap = Snap(dx, dy, "", None, None)
            return self
        if self._targets is None:
            chosen = set(plan.chosen)
            self._targets = MoveTargets(plan.board, [t.box for t in plan.targets if t.id not in chosen], plan.grid)
        self.snap = self._targets.snap(self._box, dx, dy, SNAP_REACH_PX / plan.view.scale)
        return self

    def release(self, at: QPointF, held: Held) -> None:
        if self.snap is not None and abs(self.snap.dx) + abs(self.snap.dy) > 1e-9:
            self.plan.moved.emit(self.snap.dx, self.snap.dy)

    def enter(self, numbers: list[float]) -> None:
        dx, dy = numbers[0], numbers[1] if len(numbers) > 1 else 0.0
        if len(numbers) == 1 and self.snap is not None and hypot(self.snap.dx, self.snap.dy) > 0:
            # one number is how far, the hand says whither: along an axis if it moves nearly so
            wx, wy = self.snap.dx, self.snap.dy
            if abs(wx) > 5 * abs(wy):
                wy = 0.0
            elif abs(wy) > 5 * abs(wx):
                wx = 0.0
            size = hypot(wx, wy)
            dx, dy = numbers[0] * wx / size, numbers[0] * wy / size
        self.plan.moved.emit(dx, dy)

    def words(self) -> str:
        if self.snap is None:
            return ""
        unit = self.plan.unit
        words = f"moved {format_length(self.snap.dx, unit)}, {format_length(self.snap.dy, unit)} {unit}"
        return f"{words}   snapped: {self.snap.words}" if self.snap.words else words

    def paint(self, painter: QPainter) -> None:
        if self.snap is not None:
            self._gaps.paint(painter, Affine.shift(self.snap.dx, self.snap.dy))


class MapDrag(Drag):
    """What is picked is changed by ``map``; on a click the handle lets through to what lies under it."""

    label = ""

    def __init__(self, plan: PlanSurface) -> None:
        super().__init__(plan)
        self.map: Affine | None = None
        self._gaps = _Gaps(plan)

    def paint(self, painter: QPainter) -> None:
        if self.map is not None and self.map.is_similarity and abs(abs(self.map.determinant) - 1.0) < 1e-9:
            self._gaps.paint(painter, self.map)

    def release(self, at: QPointF, held: Held) -> None:
        if self.map is not None:
            self.plan.mapped.emit(self.map, self.label)
        elif self.plan.pressed == at:
            click(self.plan, self.plan.hit(at), is_added=held.is_added)


class SizeDrag(MapDrag):
    """By a handle: (-1, 0, 1) across and along, the opposite one stays."""

    number, label = "size", "Size"

    def __init__(self, plan: PlanSurface, handle: tuple[int, int]) -> None:
        super().__init__(plan)
        self._handle = handle

    def move(self, at: QPointF, held: Held) -> Drag:
        box = self.plan.chosen_box()
        if box is not None:
            place = self.plan.catch(at, is_free=held.is_free)
            is_even = all(self._handle) and not held.is_more
            self.map = scaling(box, self._handle, (place.x, place.y), is_even=is_even, is_about_middle=False)
        return self

    def enter(self, numbers: list[float]) -> None:
        box = self.plan.chosen_box()
        if box is None:
            return
        (hx, hy), wanted = self._handle, numbers[0]
        width, height = box[2] - box[0], box[3] - box[1]
        if wanted <= 0 or (hx and width <= 0) or (hy and height <= 0):
            return
        sx = wanted / width if hx else 1.0
        sy = (numbers[1] if len(numbers) > 1 else wanted) / height if hy and (not hx or len(numbers) > 1) else sx
        if not hx:
            sx = sy
        about = (box[2] if hx < 0 else box[0], box[3] if hy < 0 else box[1])
        self.plan.mapped.emit(Affine.scale(sx, sy, about=about), self.label)

    def words(self) -> str:
        box = self.plan.chosen_box()
        if self.map is None or box is None:
            return ""
        unit = self.plan.unit
        width, height = (box[2] - box[0]) * self.map.a, (box[3] - box[1]) * self.map.d
        words = f"{format_length(width, unit)} x {format_length(height, unit)} {unit}; type a size"
        return f"{words}   snapped: {self.plan.snapped.words}" if self.plan.snapped.words else words


class TurnDrag(MapDrag):
    """About the middle of what is picked, in steps unless Alt is held."""

    number, label = "degrees", "Turn"

    def move(self, at: QPointF, held: Held) -> Drag:
        middle = self._middle()
        if middle is not None:
            x, y = self.plan.view.to_board(at)
            angle = degrees(atan2(y - middle[1], x - middle[0])) - 90.0
            if not held.is_free and self.plan.is_snapping:
                angle = round(angle / TURN_STEP_DEGREES) * TURN_STEP_DEGREES
            self.map = Affine.turn(angle, about=middle)
        return self

    def enter(self, numbers: list[float]) -> None:
        middle = self._middle()
        if middle is not None:
            self.plan.mapped.emit(Affine.turn(numbers[0], about=middle), self.label)

    def parsed(self, text: str) -> float:
        return parse_number(text)

    def words(self) -> str:
        return "" if self.map is None else f"turned {degrees(atan2(self.map.b, self.map.a)):.1f}°; type an angle"

    def _middle(self) -> tuple[float, float] | None:
        box = self.plan.chosen_box()
        return None if box is None else ((box[0] + box[2]) / 2, (box[1] + box[3]) / 2)


class GuideDrag(Drag):
    """A guide, by its ``index`` (-1: a new one), to where it then is; back over its ruler it goes."""

    def __init__(self, plan: PlanSurface, index: int, guide: Guide) -> None:
        super().__init__(plan)
        self.index, self.guide = index, guide

    def move(self, at: QPointF, held: Held) -> Drag:
        x, y = self.plan.view.to_board(at)
        place = self.plan.catch(at, is_free=False)
        is_upright = self.guide.is_upright
        snapped, raw = (place.x, x) if is_upright else (place.y, y)
        self.guide = Guide(is_upright, round(snapped if place.words else raw, 3 if place.words else 1))
        return self

    def release(self, at: QPointF, held: Held) -> None:
        is_back = at.x() <= RULER_PX if self.guide.is_upright else at.y() <= RULER_PX
        if self.index >= 0:
            self.plan.guide_moved.emit(self.index, None if is_back else self.guide.at)
        elif not is_back:
            self.plan.guide_wanted.emit(self.guide)

    def words(self) -> str:
        unit = self.plan.unit
        return f"guide at {format_length(self.guide.at, unit)} {unit}"


class ToolDrag(Drag):
    """The button belongs to a tool."""

    def __init__(self, plan: PlanSurface, tool: Tool) -> None:
        super().__init__(plan)
        self._tool = tool

    def move(self, at: QPointF, held: Held) -> Drag:
        place = self.plan.catch(at, is_free=held.is_free, origin=self._tool.origin)
        self._tool.move(place, is_down=True, is_more=held.is_more)
        return self

    def release(self, at: QPointF, held: Held) -> None:
        self._tool.release(self.plan.snapped)


class MarkDrag(Drag):
    """A tab or a start on a contour."""

    def __init__(self, plan: PlanSurface, marks: PathMarks) -> None:
        super().__init__(plan)
        self._marks = marks

    def move(self, at: QPointF, held: Held) -> Drag:
        self._marks.drag(at)
        return self

    def release(self, at: QPointF, held: Held) -> None:
        self._marks.drop()


class SeamDrag(Drag):
    """A seam between tiles; a number typed is where it goes."""

    number = "seam at"

    def __init__(self, plan: PlanSurface, seams: SeamMarks) -> None:
        super().__init__(plan)
        self._seams = seams

    def move(self, at: QPointF, held: Held) -> Drag:
        self._seams.drag(at, is_free=held.is_free)
        return self

    def release(self, at: QPointF, held: Held) -> None:
        self._seams.drop()

    def give_up(self) -> None:
        self._seams.give_up()

    def enter(self, numbers: list[float]) -> None:
        self._seams.set(numbers[0])
        self._seams.drop()

    def words(self) -> str:
        return self._seams.words()


class FixtureDrag(Drag):
    def __init__(self, plan: PlanSurface, fixtures: FixtureMarks) -> None:
        super().__init__(plan)
        self._fixtures = fixtures

    def move(self, at: QPointF, held: Held) -> Drag:
        self._fixtures.drag(self.plan.pressed, at)
        return self

    def release(self, at: QPointF, held: Held) -> None:
        self._fixtures.drop()
