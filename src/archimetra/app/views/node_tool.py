"""Editing the nodes of picked shapes on the plan: drag nodes and handles, frame several, double-click a line for a new node."""

from __future__ import annotations

from collections.abc import Callable
from math import hypot
from typing import TYPE_CHECKING, NamedTuple

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPen

from archimetra.app.views.plan_surface import PlanSurface, knob_rect
from archimetra.app.views.tools import Tool
from archimetra.geometry import nodes as node_edits
from archimetra.geometry.path import Path
from archimetra.geometry.segments import Kind
from archimetra.job.ids import ShapeId
from archimetra.job.shapes import Shape

if TYPE_CHECKING:
    from archimetra.app.views.snapping import SnapPoint

MOST_NODES_SHOWN = 4000


class NodeRef(NamedTuple):
    shape: ShapeId
    path: int
    node: int


class _Handle(NamedTuple):
    shape: ShapeId
    path: int
    segment: int
    is_second: bool


Paths = tuple[Path, ...]


class NodeTool(Tool):
    name = "nodes"
    hint = "Drag nodes and handles; double-click a line for a new node; Delete removes; Shift picks more"

    def __init__(
        self,
        plan: PlanSurface,
        shapes: Callable[[], list[Shape]],
        change: Callable[[dict[ShapeId, Paths], str], None],
        picked: Callable[[], None],
    ) -> None:
        """``shapes`` gives the shapes being edited now; ``change`` takes their new outlines (in their own coordinates)."""
        super().__init__()
        self._plan, self._shapes, self._change, self._picked = plan, shapes, change, picked
        self.chosen: set[NodeRef] = set()
        self._drag: tuple[str, object, tuple[float, float]] | None = None
        self._preview: dict[ShapeId, Paths] = {}
        self._frame: tuple[tuple[float, float], tuple[float, float]] | None = None

    # ---- what the mouse does

    def press(self, at: SnapPoint, *, is_more: bool) -> None:
        place = self._plan.cursor_place  # the hand's place, not the snapped one: a node is hit, not caught
        handle = self._handle_at(place)
        if handle is not None:
            self._drag = ("handle", handle, place)
            return
        node = self._node_at(place)
        if node is not None:
            if is_more:
                self.chosen ^= {node}
            elif node not in self.chosen:
                self.chosen = {node}
            self._drag = ("nodes", node, place)
            self._picked()
            return
        if not is_more:
            self.chosen = set()
            self._picked()
        self._frame = (place, place)

    def move(self, at: SnapPoint, *, is_down: bool, is_more: bool) -> None:
        if self._frame is not None:
            self._frame = (self._frame[0], self._plan.cursor_place)
        if self._drag is None:
            return
        kind, what, begun = self._drag
        if kind == "nodes":
            assert isinstance(what, NodeRef)
            if (
                hypot(self._plan.cursor_place[0] - begun[0], self._plan.cursor_place[1] - begun[1])
                * self._plan.view.scale
                < 3
            ):
                return
            start = self._place_of(what)
            if start is not None:
                self._preview = self._moved(at.x - start[0], at.y - start[1])
        else:
            assert isinstance(what, _Handle)
            shape = self._shape(what.shape)
            if shape is None:
                return
            local = shape.at.inverse().point(*self._plan.cursor_place)
            paths = list(shape.paths)
            paths[what.path] = node_edits.move_handle(
                paths[what.path], what.segment, what.is_second, local, keeps_smooth=not is_more
            )
            self._preview = {shape.id: tuple(paths)}

    def release(self, at: SnapPoint) -> None:
        drag, self._drag = self._drag, None
        preview, self._preview = self._preview, {}
        frame, self._frame = self._frame, None
        if drag is not None and preview:
            self._change(preview, "Move nodes" if drag[0] == "nodes" else "Move handle")
        elif frame is not None:
            (ax, ay), (bx, by) = frame
            x0, x1, y0, y1 = min(ax, bx), max(ax, bx), min(ay, by), max(ay, by)
            self.chosen |= {ref for ref, (x, y) in self._every() if x0 <= x <= x1 and y0 <= y <= y1}
            self._picked()

    def double(self, at: SnapPoint) -> None:
        self.add_at(self._plan.cursor_place)

    def enter(self) -> bool:
        numbers = self.numbers(self._plan)
        if not numbers or len(numbers) < 2 or not self.chosen:
            return False
        self.typed = ""
        self._change(self._moved(numbers[0], numbers[1]), "Move nodes")
        return True

    def back(self) -> bool:
        if self.typed:
            self.typed = self.typed[:-1]
            return True
        return False

    def escape(self) -> bool:
        was = bool(self.chosen or self._drag or self.typed)
        self.chosen, self._drag, self._preview, self._frame, self.typed = set(), None, {}, None, ""
        self._picked()
        return was

    def words(self, plan: PlanSurface) -> str:
        if self.typed:
            return f"move by x, y: {self.typed}  (Enter)"
        if self.chosen:
            count = len(self.chosen)
            return f"{count} node{'' if count == 1 else 's'} picked; {self.hint}"
        return self.hint

    # ---- edits the panel asks for

    def delete(self) -> None:
        out: dict[ShapeId, Paths] = {}
        for shape, by_path in self._chosen_by_shape():
            kept = []
            for k, path in enumerate(shape.paths):
                left = node_edits.delete_nodes(path, by_path.get(k, ())) if k in by_path else path
                if left is not None:
                    kept.append(left)
            out[shape.id] = tuple(kept)
        self.chosen = set()
        self._change(out, "Remove nodes")

    def add_at(self, place: tuple[float, float]) -> None:
        """A node on the line nearest to a place."""
        best = None
        for shape in self._shapes():
            for k, path in enumerate(shape.placed()):
                segment, t, gap = node_edits.nearest_on(path, place) if len(path) else (0, 0.0, float("inf"))
                if best is None or gap < best[0]:
                    best = (gap, shape, k, segment, t)
        if best is None or best[0] * self._plan.view.scale > 10:
            return
        _, shape, k, segment, t = best
        paths = list(shape.paths)
        paths[k] = node_edits.add_node(paths[k], segment, t)
        self.chosen = {NodeRef(shape.id, k, segment + 1)}
        self._change({shape.id: tuple(paths)}, "Add node")

    def add_between(self) -> None:
        """A node in the middle of every segment both of whose ends are picked."""
        out: dict[ShapeId, Paths] = {}
        for shape, by_path in self._chosen_by_shape():
            paths = list(shape.paths)
            for k, which in by_path.items():
                for segment in sorted(self._segments(paths[k], which), reverse=True):
                    paths[k] = node_edits.add_node(paths[k], segment, 0.5)
            out[shape.id] = tuple(paths)
        self.chosen = set()
        self._change(out, "Add nodes")

    def make(self, what: str) -> None:
        """``lines`` or ``curves`` of the segments between picked nodes, ``smooth`` or ``sharp`` the nodes themselves."""
        out: dict[ShapeId, Paths] = {}
        for shape, by_path in self._chosen_by_shape():
            paths = list(shape.paths)
            for k, which in by_path.items():
                if what in ("lines", "curves"):
                    rows = self._segments(paths[k], which)
                    paths[k] = (
                        node_edits.lines(paths[k], rows) if what == "lines" else node_edits.curves(paths[k], rows)
                    )
                else:
                    paths[k] = (node_edits.smooth if what == "smooth" else node_edits.sharp)(paths[k], which)
            out[shape.id] = tuple(paths)
        self._change(out, {"lines": "Straight", "curves": "Curve", "smooth": "Smooth", "sharp": "Corner"}[what])

    def break_apart(self) -> None:
        out: dict[ShapeId, Paths] = {}
        for shape, by_path in self._chosen_by_shape():
            paths: list[Path] = []
            for k, path in enumerate(shape.paths):
                paths.extend(node_edits.broken(path, by_path[k]) if k in by_path else [path])
            out[shape.id] = tuple(paths)
        self.chosen = set()
        self._change(out, "Break")

    def join_two(self) -> str:
        """The two picked ends joined; what is wrong with them, or ''."""
        refs = sorted(self.chosen)
        if len(refs) != 2 or refs[0].shape != refs[1].shape:
            return "Pick the two ends to join, of one shape."
        shape = self._shape(refs[0].shape)
        if shape is None:
            return ""
        ends = []
        for ref in refs:
            path = shape.paths[ref.path]
            if path.closed or ref.node not in (0, len(path)):
                return "Only ends of open lines can be joined."
            ends.append((ref.path, ref.node == len(path)))
        (i, i_end), (j, j_end) = ends
        joined = node_edits.joined_ends(shape.paths[i], i_end, shape.paths[j], not j_end)
        paths = [path for k, path in enumerate(shape.paths) if k not in (i, j)]
        self.chosen = set()
        self._change({shape.id: (*paths, joined)}, "Join")
        return ""

    def chosen_nodes(self) -> dict[ShapeId, list[tuple[int, int]]]:
        out: dict[ShapeId, list[tuple[int, int]]] = {}
        for ref in sorted(self.chosen):
            out.setdefault(ref.shape, []).append((ref.path, ref.node))
        return out

    def prune(self) -> None:
        """Forget nodes that are no longer there."""
        alive = {shape.id: shape for shape in self._shapes()}
        self.chosen = {
            ref
            for ref in self.chosen
            if ref.shape in alive
            and ref.path < len(alive[ref.shape].paths)
            and ref.node < node_edits.node_count(alive[ref.shape].paths[ref.path])
        }

    # ---- painting

    def paint(self, painter: QPainter, plan: PlanSurface) -> None:
        if self._preview:
            for shape in self._shapes():
                if shape.id in self._preview:
                    plan.stroke(painter, [path.transform(shape.at) for path in self._preview[shape.id]])
        panel, picked, accent = (plan.tokens.color(name) for name in ("panel", "picked", "accent"))
        painter.setPen(QPen(accent, 1.0))
        for _, place, control in self._handles():
            painter.drawLine(plan.view.to_screen(*place), plan.view.to_screen(*control))
            painter.setBrush(panel)
            painter.drawEllipse(plan.view.to_screen(*control), 3.5, 3.5)
        for number, (ref, place) in enumerate(self._every()):
            if number >= MOST_NODES_SHOWN:
                break
            at = plan.view.to_screen(*place)
            painter.setPen(QPen(picked if ref in self.chosen else accent, 1.3))
            painter.setBrush(picked if ref in self.chosen else panel)
            painter.drawRect(knob_rect(at, 7))
        if self._frame is not None:
            a, b = (plan.view.to_screen(*place) for place in self._frame)
            painter.setPen(QPen(accent, 1, Qt.PenStyle.DashLine))
            painter.setBrush(plan.tokens.color("accent", 30))
            painter.drawRect(QRectF(a, b).normalized())

    # ---- inner workings

    def _shape(self, id_: ShapeId) -> Shape | None:
        return next((shape for shape in self._shapes() if shape.id == id_), None)

    def _every(self) -> list[tuple[NodeRef, tuple[float, float]]]:
        out = []
        for shape in self._shapes():
            for k, path in enumerate(shape.placed()):
                for node, (x, y) in enumerate(path.nodes[: node_edits.node_count(path)].tolist()):
                    out.append((NodeRef(shape.id, k, node), (x, y)))
        return out

    def _handles(self) -> list[tuple[_Handle, tuple[float, float], tuple[float, float]]]:
        """Handles beside picked nodes: which, the node's place, the handle's place."""
        out = []
        for shape, by_path in self._chosen_by_shape():
            placed = shape.placed()
            for k, which in by_path.items():
                path, n = placed[k], len(placed[k])
                for node in which:
                    before, after = node - 1, node
                    if path.closed:
                        before, after = before % n, after % n
                    at = (float(path.nodes[node, 0]), float(path.nodes[node, 1]))
                    if 0 <= after < n and path.kinds[after] == Kind.CUBIC:
                        c = path.params[after]
                        out.append((_Handle(shape.id, k, after, False), at, (float(c[0]), float(c[1]))))
                    if 0 <= before < n and path.kinds[before] == Kind.CUBIC:
                        c = path.params[before]
                        out.append((_Handle(shape.id, k, before, True), at, (float(c[2]), float(c[3]))))
        return out

    def _node_at(self, place: tuple[float, float]) -> NodeRef | None:
        reach = 7 / self._plan.view.scale
        near = [(hypot(x - place[0], y - place[1]), ref) for ref, (x, y) in self._every()]
        best = min(near, default=None, key=lambda row: row[0])
        return best[1] if best is not None and best[0] <= reach else None

    def _handle_at(self, place: tuple[float, float]) -> _Handle | None:
        reach = 6 / self._plan.view.scale
        for handle, _, (x, y) in self._handles():
            if hypot(x - place[0], y - place[1]) <= reach:
                return handle
        return None

    def _place_of(self, ref: NodeRef) -> tuple[float, float] | None:
        return next((place for known, place in self._every() if known == ref), None)

    def _chosen_by_shape(self) -> list[tuple[Shape, dict[int, list[int]]]]:
        out = []
        for shape in self._shapes():
            by_path: dict[int, list[int]] = {}
            for ref in sorted(self.chosen):
                if ref.shape == shape.id and ref.path < len(shape.paths):
                    by_path.setdefault(ref.path, []).append(ref.node)
            if by_path:
                out.append((shape, by_path))
        return out

    def _moved(self, dx: float, dy: float) -> dict[ShapeId, Paths]:
        """Picked nodes shifted by board millimetres."""
        out: dict[ShapeId, Paths] = {}
        for shape, by_path in self._chosen_by_shape():
            back = shape.at.inverse()
            x, y = back.a * dx + back.c * dy, back.b * dx + back.d * dy
            paths = list(shape.paths)
            for k, which in by_path.items():
                paths[k] = node_edits.move_nodes(paths[k], which, x, y)
            out[shape.id] = tuple(paths)
        return out

    @staticmethod
    def _segments(path: Path, which: list[int]) -> list[int]:
        """Segments both of whose ends are picked; with one node picked, the ones beside it."""
        chosen, n = set(which), len(path)
        ends = [(k, k, (k + 1) % n if path.closed else k + 1) for k in range(n)]
        both = [k for k, a, b in ends if a in chosen and b in chosen]
        return both or [k for k, a, b in ends if a in chosen or b in chosen]
