"""Tools of the plan: what the left button does while one is chosen. A tool draws its own hints and says what it made.

A tool is asked before the plan's own picking and moving. Places come in board millimetres, already snapped.
"""

from __future__ import annotations

from collections.abc import Callable
from math import atan2, cos, degrees, hypot, radians, sin
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QPainter, QPen

from archimetra.app.views.plan_surface import PlanSurface
from archimetra.geometry.affine import Affine
from archimetra.geometry.figures import arc_through
from archimetra.geometry.path import Path
from archimetra.job.forms import EllipseForm, Form, PolygonForm, RectangleForm, SlotForm, StarForm, outlines_of
from archimetra.job.quantities import QuantityError, format_length, parse_length

if TYPE_CHECKING:
    from archimetra.app.views.snapping import SnapPoint

Point = tuple[float, float]


class Tool:
    """One way of working on the plan. ``hint`` says what to do next."""

    name = ""
    hint = ""

    def __init__(self) -> None:
        self.typed = ""

    def press(self, at: SnapPoint, *, is_more: bool) -> None: ...

    def move(self, at: SnapPoint, *, is_down: bool, is_more: bool) -> None: ...

    def release(self, at: SnapPoint) -> None: ...

    def double(self, at: SnapPoint) -> None: ...

    def enter(self) -> bool:
        """Return pressed: take what was typed, or finish. Whether it meant something."""
        return False

    def back(self) -> bool:
        """Backspace: take the last thing back. Whether there was one."""
        return False

    def escape(self) -> bool:
        """Give up what was begun. False where nothing was, so that the tool is put away."""
        return False

    def words(self, plan: PlanSurface) -> str:
        return self.hint

    def paint(self, painter: QPainter, plan: PlanSurface) -> None: ...

    @property
    def origin(self) -> Point | None:
        """Where a line being drawn starts, for tangents."""
        return None

    def key(self, text: str) -> bool:
        """A character typed while the tool is on; numbers are kept for ``enter``."""
        if text and text in "0123456789.,/*+-() x" and (self.typed or text not in " x+*/)"):
            self.typed += text
            return True
        if self.typed and text in "inm":  # a unit after a number
            self.typed += text
            return True
        return False

    def numbers(self, plan: PlanSurface, most: int = 2) -> list[float] | None:
        """The typed numbers in mm, parted by a comma, a space or an x; None where they are none."""
        text = self.typed.replace("x", ",").replace(" ", ",")
        parts = [part for part in text.split(",") if part.strip()]
        try:
            return [parse_length(part, default=plan.unit) for part in parts[:most]] or None
        except QuantityError:
            return None


class DrawTool(Tool):
    """A shape with measures: pressed at one corner or the centre, dragged to its size; or typed."""

    def __init__(self, kind: str, template: Form, made: Callable[[Form, Affine], None], plan: PlanSurface) -> None:
        super().__init__()
        self.kind, self._template, self._made, self._plan = kind, template, made, plan
        self._from: Point | None = None
        self._to: Point = (0.0, 0.0)
        centred = kind in ("circle", "polygon", "star")
        self.hint = (
            f"Press at the {kind}'s centre and drag, or click where it goes"
            if centred
            else f"Press at one end of the {kind} and drag, or click where it goes"
            if kind == "slot"
            else f"Press at a corner of the {kind} and drag, or click where it goes"
        )

    @property
    def origin(self) -> Point | None:
        return self._from

    def press(self, at: SnapPoint, *, is_more: bool) -> None:
        self._from = self._to = (at.x, at.y)

    def move(self, at: SnapPoint, *, is_down: bool, is_more: bool) -> None:
        if self._from is not None:
            self._to = (at.x, at.y)
            if is_more and self.kind in ("rectangle", "ellipse"):  # as deep as wide
                dx, dy = self._to[0] - self._from[0], self._to[1] - self._from[1]
                side = max(abs(dx), abs(dy))
                self._to = (self._from[0] + (side if dx >= 0 else -side), self._from[1] + (side if dy >= 0 else -side))

    def release(self, at: SnapPoint) -> None:
        if self._from is None:
            return
        found = self._form()
        begun, self._from, self.typed = self._from, None, ""
        if found is None:  # a click: the shape as the fields say, about the place
            self._made(self._template, Affine.shift(*begun))
        else:
            self._made(*found)

    def enter(self) -> bool:
        numbers = self.numbers(self._plan)
        if not numbers:
            return False
        at = self._from or self._plan.middle()
        a, b = numbers[0], numbers[-1]
        replace = _replace
        try:
            match self._template:
                case RectangleForm() | EllipseForm():
                    form: Form = replace(self._template, width=a, height=b if self.kind != "circle" else a)
                    x, y = (at[0], at[1]) if self.kind == "circle" else (at[0] + a / 2, at[1] + b / 2)
                    place = Affine.shift(x, y)
                case PolygonForm():
                    form, place = replace(self._template, radius=a), Affine.shift(*at)
                case StarForm():
                    form = replace(self._template, outer=a, inner=b if len(numbers) > 1 else a * 0.4)
                    place = Affine.shift(*at)
                case SlotForm():
                    form = replace(self._template, length=a)
                    turn = atan2(self._to[1] - at[1], self._to[0] - at[0]) if self._from else 0.0
                    place = Affine.shift(a / 2, 0.0).then(Affine.turn(degrees(turn))).then(Affine.shift(*at))
                case _:
                    return False
        except ValueError:
            return False
        self._from, self.typed = None, ""
        self._made(form, place)
        return True

    def escape(self) -> bool:
        was, self._from, self.typed = self._from is not None or bool(self.typed), None, ""
        return was

    def words(self, plan: PlanSurface) -> str:
        if self.typed:
            return f"{self.kind}: {self.typed}  (Enter)"
        if self._from is None:
            return self.hint
        dx, dy = abs(self._to[0] - self._from[0]), abs(self._to[1] - self._from[1])
        unit = plan.unit
        if self.kind in ("rectangle", "ellipse"):
            return f"{self.kind} {format_length(dx, unit)} x {format_length(dy, unit)} {unit}; type a size"
        word = "length" if self.kind == "slot" else "radius"
        return f"{self.kind}, {word} {format_length(hypot(dx, dy), unit)} {unit}; type a size"

    def _form(self) -> tuple[Form, Affine] | None:
        assert self._from is not None
        (ax, ay), (bx, by) = self._from, self._to
        dx, dy, away = bx - ax, by - ay, hypot(bx - ax, by - ay)
        if away < 4 / self._plan.view.scale:
            return None
        turn = degrees(atan2(dy, dx))
        try:
            match self._template:
                case RectangleForm():
                    radius = min(self._template.corner_radius, abs(dx) / 2, abs(dy) / 2)
                    form: Form = RectangleForm(width=abs(dx), height=abs(dy), corner_radius=radius)
                    return form, Affine.shift((ax + bx) / 2, (ay + by) / 2)
                case EllipseForm() if self.kind == "circle":
                    return EllipseForm(width=2 * away, height=2 * away), Affine.shift(ax, ay)
                case EllipseForm():
                    return EllipseForm(width=abs(dx), height=abs(dy)), Affine.shift((ax + bx) / 2, (ay + by) / 2)
                case PolygonForm():
                    place = Affine.turn(turn - 90).then(Affine.shift(ax, ay))
                    return _replace(self._template, radius=away), place
                case StarForm():
                    share = self._template.inner / self._template.outer
                    place = Affine.turn(turn - 90).then(Affine.shift(ax, ay))
                    return _replace(self._template, outer=away, inner=away * share), place
                case SlotForm():
                    place = Affine.shift(away / 2, 0.0).then(Affine.turn(turn)).then(Affine.shift(ax, ay))
                    return _replace(self._template, length=away), place
        except ValueError:
            return None
        return None

    def paint(self, painter: QPainter, plan: PlanSurface) -> None:
        if self._from is None:
            return
        found = self._form()
        if found is not None:
            form, at = found
            plan.stroke(painter, [path.transform(at) for path in outlines_of(form)])


class LineTool(Tool):
    """Lines and arcs, one after the other: click places the next node; pressed and dragged, the piece to the last one
    becomes an arc through where the button was let go."""

    name = "line"

    def __init__(self, made: Callable[[Path], None], plan: PlanSurface) -> None:
        super().__init__()
        self._made, self._plan = made, plan
        self._nodes: list[Point] = []
        self._bulges: list[float] = []
        self._cursor: Point | None = None
        self._bending: Point | None = None
        self.hint = (
            "Click node after node; drag to bend the last piece into an arc; Enter ends, a click on the start closes"
        )

    @property
    def origin(self) -> Point | None:
        return self._nodes[-1] if self._nodes else None

    def press(self, at: SnapPoint, *, is_more: bool) -> None:
        place = (at.x, at.y)
        if is_more and self._nodes:
            place = _in_steps(self._nodes[-1], place)
        if len(self._nodes) > 1 and hypot(place[0] - self._nodes[0][0], place[1] - self._nodes[0][1]) < self._reach():
            self._bulges.append(0.0)
            self._finish(closed=True)
            return
        if self._nodes and hypot(place[0] - self._nodes[-1][0], place[1] - self._nodes[-1][1]) < 1e-9:
            return
        if self._nodes:
            self._bulges.append(0.0)
        self._nodes.append(place)
        self._bending = place
        self.typed = ""

    def move(self, at: SnapPoint, *, is_down: bool, is_more: bool) -> None:
        self._cursor = (at.x, at.y)
        if is_more and self._nodes and not is_down:
            self._cursor = _in_steps(self._nodes[-1], self._cursor)
        if is_down and self._bending is not None and len(self._nodes) > 1:
            a, b = self._nodes[-2], self._nodes[-1]
            away = hypot(at.x - b[0], at.y - b[1])
            self._bulges[-1] = arc_through(a, (at.x, at.y), b) if away > self._reach() else 0.0

    def release(self, at: SnapPoint) -> None:
        self._bending = None

    def double(self, at: SnapPoint) -> None:
        self._finish(closed=False)

    def enter(self) -> bool:
        if self.typed and self._nodes and self._cursor is not None:
            numbers = self.numbers(self._plan)
            if not numbers:
                return False
            x, y = self._nodes[-1]
            if len(numbers) > 1:
                place = (x + numbers[0], y + numbers[1])
            else:
                way = atan2(self._cursor[1] - y, self._cursor[0] - x)
                place = (x + numbers[0] * cos(way), y + numbers[0] * sin(way))
            self._nodes.append(place)
            self._bulges.append(0.0)
            self.typed = ""
            return True
        if len(self._nodes) > 1:
            self._finish(closed=False)
            return True
        return False

    def back(self) -> bool:
        if self.typed:
            self.typed = self.typed[:-1]
            return True
        if not self._nodes:
            return False
        self._nodes.pop()
        if self._bulges:
            self._bulges.pop()
        return True

    def escape(self) -> bool:
        was = bool(self._nodes)
        self._nodes, self._bulges, self.typed = [], [], ""
        return was

    def words(self, plan: PlanSurface) -> str:
        if self.typed:
            return f"length (or x, y): {self.typed}  (Enter)"
        if self._nodes and self._cursor is not None:
            dx, dy = self._cursor[0] - self._nodes[-1][0], self._cursor[1] - self._nodes[-1][1]
            length = format_length(hypot(dx, dy), plan.unit)
            return f"length {length} {plan.unit}, {degrees(atan2(dy, dx)):.1f}°; type a length, Enter ends"
        return self.hint

    def paint(self, painter: QPainter, plan: PlanSurface) -> None:
        if not self._nodes:
            return
        if len(self._nodes) > 1:
            plan.stroke(painter, [Path.arcs(np.array(self._nodes), np.array(self._bulges), closed=False)])
        if self._cursor is not None and self._bending is None:
            painter.setPen(QPen(plan.tokens.color("picked"), 1, Qt.PenStyle.DashLine))
            painter.drawLine(plan.view.to_screen(*self._nodes[-1]), plan.view.to_screen(*self._cursor))
        for node in self._nodes:
            plan.knob(painter, node)

    def _reach(self) -> float:
        return 6 / self._plan.view.scale

    def _finish(self, *, closed: bool) -> None:
        nodes, bulges = self._nodes, self._bulges
        self._nodes, self._bulges, self._bending = [], [], None
        if len(nodes) < 2:
            return
        points = np.array([*nodes, nodes[0]] if closed else nodes)
        self._made(Path.arcs(points, np.array(bulges[: len(points) - 1]), closed=closed))


class MeasureTool(Tool):
    """Clicks for a reading: ``need`` of them, then it is said; points and what lies under them go to ``made``."""

    name = "measure"

    def __init__(self, kind: str, need: int, hints: tuple[str, ...], made: Callable[[list[Point]], None]) -> None:
        super().__init__()
        self.kind, self._need, self._hints, self._made = kind, need, hints, made
        self._points: list[Point] = []
        self._cursor: Point | None = None

    @property
    def origin(self) -> Point | None:
        return self._points[-1] if self._points else None

    def press(self, at: SnapPoint, *, is_more: bool) -> None:
        self._points.append((at.x, at.y))
        if len(self._points) == self._need:
            points, self._points = self._points, []
            self._made(points)

    def move(self, at: SnapPoint, *, is_down: bool, is_more: bool) -> None:
        self._cursor = (at.x, at.y)

    def escape(self) -> bool:
        was, self._points = bool(self._points), []
        return was

    def words(self, plan: PlanSurface) -> str:
        hint = self._hints[min(len(self._points), len(self._hints) - 1)]
        if self.kind == "distance" and self._points and self._cursor is not None:
            (ax, ay), (bx, by) = self._points[0], self._cursor
            return f"{format_length(hypot(bx - ax, by - ay), plan.unit)} {plan.unit}; {hint}"
        return hint

    def paint(self, painter: QPainter, plan: PlanSurface) -> None:
        painter.setPen(QPen(plan.tokens.color("accent"), 1.2, Qt.PenStyle.DashLine))
        places = [*self._points, *([self._cursor] if self._cursor is not None and self._points else [])]
        for a, b in zip(places[:-1], places[1:], strict=True):
            painter.drawLine(plan.view.to_screen(*a), plan.view.to_screen(*b))
        for place in self._points:
            plan.knob(painter, place)


def _in_steps(a: Point, b: Point) -> Point:
    """``b`` brought to the nearest direction in steps of 15 degrees from ``a``."""
    away = hypot(b[0] - a[0], b[1] - a[1])
    angle = radians(round(degrees(atan2(b[1] - a[1], b[0] - a[0])) / 15) * 15)
    return a[0] + away * cos(angle), a[1] + away * sin(angle)


def _replace(form: Form, **fields: float) -> Form:
    import msgspec

    return msgspec.structs.replace(form, **fields)


def box_handles(box: tuple[float, float, float, float]) -> dict[tuple[int, int], Point]:
    """The eight places a box is dragged by: (-1, 0 or 1 across, the same along) to a point."""
    x0, y0, x1, y1 = box
    xs, ys = (x0, (x0 + x1) / 2, x1), (y0, (y0 + y1) / 2, y1)
    return {(i - 1, j - 1): (xs[i], ys[j]) for i in range(3) for j in range(3) if (i, j) != (1, 1)}


def scaling(
    box: tuple[float, float, float, float], handle: tuple[int, int], at: Point, *, is_even: bool, is_about_middle: bool
) -> Affine | None:
    """The map that brings a box's handle to a place, the opposite side (or the middle) staying; None where it would
    turn the box inside out."""
    x0, y0, x1, y1 = box
    hx, hy = handle
    mx, my = (x0 + x1) / 2, (y0 + y1) / 2
    ax = mx if is_about_middle or hx == 0 else (x1 if hx < 0 else x0)
    ay = my if is_about_middle or hy == 0 else (y1 if hy < 0 else y0)
    px, py = (x0 if hx < 0 else x1 if hx > 0 else mx), (y0 if hy < 0 else y1 if hy > 0 else my)
    sx = (at[0] - ax) / (px - ax) if hx and abs(px - ax) > 1e-9 else 1.0
    sy = (at[1] - ay) / (py - ay) if hy and abs(py - ay) > 1e-9 else 1.0
    if is_even:
        s = max(sx, sy) if hx and hy else (sx if hx else sy)
        sx = sy = s
    if sx <= 1e-6 or sy <= 1e-6:
        return None
    return Affine.scale(sx, sy, about=(ax, ay))
