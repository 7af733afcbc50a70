"""What a dragged thing or a drawn point catches on, and its name: nodes, middles, centres, crossings, guides, grid, sheet."""

from __future__ import annotations

from collections.abc import Sequence
from math import hypot
from typing import NamedTuple

import numpy as np

from archimetra.edits.guides import all_guides
from archimetra.geometry.arrays import FloatArray, IntArray
from archimetra.geometry.path import Path, flatten_together
from archimetra.geometry.segments import Kind, arcs_of
from archimetra.job.job import Board
from archimetra.job.shapes import Shape

Box = tuple[float, float, float, float]
Point = tuple[float, float]
MOST_POINTS = 400_000
_NEAR_LINES = 60  # lines near the cursor that are looked at for crossings


class Snap(NamedTuple):
    """The move after snapping, what was caught in words, and where to draw the catching lines (None: not)."""

    dx: float
    dy: float
    words: str
    x_line: float | None
    y_line: float | None


class SnapPoint(NamedTuple):
    """A point after snapping and what it caught in words, '' for nothing."""

    x: float
    y: float
    words: str


class MoveTargets:
    """What a moved box can catch on, worked out once when the move begins."""

    def __init__(self, board: Board, others: Sequence[Box], grid: float = 0.0) -> None:
        width, height = board.sheet.width, board.sheet.height
        x = [(0.0, "left edge of sheet"), (width, "right edge of sheet"), (width / 2, "centre of sheet")]
        y = [(0.0, "front edge of sheet"), (height, "back edge of sheet"), (height / 2, "centre of sheet")]
        for guide in all_guides(board):
            (x if guide.is_upright else y).append((guide.at, "guide"))
        self._edges = x, y
        boxes = np.array(others, dtype=np.float64).reshape(-1, 4)
        self._centres = np.unique((boxes[:, 0] + boxes[:, 2]) / 2), np.unique((boxes[:, 1] + boxes[:, 3]) / 2)
        self._grid = grid

    def snap(self, box: Box, dx: float, dy: float, reach: float) -> Snap:
        """Snap the move (dx, dy) of ``box`` so that an edge or its centre meets a target within ``reach`` mm."""
        x = self._best(0, box[0], box[2], dx, reach)
        y = self._best(1, box[1], box[3], dy, reach)
        words = list(dict.fromkeys(found[1] for found in (x, y) if found is not None))
        return Snap(
            dx if x is None else dx + x[0],
            dy if y is None else dy + y[0],
            " and ".join(words),
            None if x is None else x[2],
            None if y is None else y[2],
        )

    def _best(self, axis: int, low: float, high: float, move: float, reach: float) -> tuple[float, str, float] | None:
        """The smallest correction that meets a target: (correction, words, where)."""
        middle = (low + high) / 2 + move
        found: list[tuple[float, float, str, float]] = []
        for at, words in self._edges[axis]:
            found.append((abs(at - middle), at - middle, words, at))
            if "centre" not in words:
                found.extend((abs(at - edge - move), at - edge - move, words, at) for edge in (low, high))
        centres = self._centres[axis]
        if len(centres):
            k = int(np.argmin(np.abs(centres - middle)))
            at = float(centres[k])
            found.append((abs(at - middle), at - middle, "centre of a shape", at))
        best = min(found, key=lambda f: f[0])
        if best[0] <= reach:
            return best[1], best[2], best[3]
        if self._grid > 0:
            at = round((low + move) / self._grid) * self._grid
            if abs(at - low - move) <= reach:
                return at - low - move, "grid", at
        return None


def snap_move(box: Box, dx: float, dy: float, board: Board, others: Sequence[Box], reach: float) -> Snap:
    """One snapped move, targets and all."""
    return MoveTargets(board, others).snap(box, dx, dy, reach)


class PointTargets:
    """What a point can catch on: the places of shapes, the sheet, guides and the grid."""

    def __init__(self, board: Board, shapes: Sequence[Shape], grid: float = 0.0) -> None:
        paths: list[Path] = []
        boxes: list[Box] = []
        nodes = 0
        for shape in shapes:
            own = shape.placed()
            nodes += sum(len(path.nodes) for path in own)
            if nodes > MOST_POINTS:
                break
            paths.extend(own)
            boxes.append(shape.bounds())
        points, names = _places_of(paths, boxes)
        width, height = board.sheet.width, board.sheet.height
        sheet = [(x, y) for x in (0.0, width / 2, width) for y in (0.0, height / 2, height)]
        points.append(np.array(sheet))
        names.append(np.full(len(sheet), 4))
        self._points = np.vstack(points)
        self._names = np.concatenate(names)
        flatten_together(paths, 0.05)
        chords = [chord for path in paths for chord in _chords(path.flatten(0.05))]
        self._ends = np.vstack(chords) if chords else np.zeros((0, 4))
        self._guides = all_guides(board)
        self._grid = grid

    _WORDS = ("node", "middle", "centre", "centre of a shape", "sheet")

    def snap(self, x: float, y: float, reach: float, *, origin: Point | None = None) -> SnapPoint:
        """The nearest place within reach: places of shapes first, then crossings, a tangent from ``origin``, guides, grid."""
        gap = np.hypot(self._points[:, 0] - x, self._points[:, 1] - y)
        k = int(np.argmin(gap))
        if gap[k] <= reach:
            return SnapPoint(float(self._points[k, 0]), float(self._points[k, 1]), self._WORDS[int(self._names[k])])
        crossing = self._crossing(x, y, reach)
        if crossing is not None:
            return SnapPoint(*crossing, "intersection")
        words = []
        for guide in self._guides:
            if guide.is_upright and abs(x - guide.at) <= reach:
                x = guide.at
                words.append("guide")
            elif not guide.is_upright and abs(y - guide.at) <= reach:
                y = guide.at
                words.append("guide")
        if words:
            return SnapPoint(x, y, "guides" if len(words) > 1 else "guide")
        on = self._on_line(x, y, reach, origin)
        if on is not None:
            return on
        if self._grid > 0:
            gx, gy = round(x / self._grid) * self._grid, round(y / self._grid) * self._grid
            if hypot(gx - x, gy - y) <= reach * 1.5:
                return SnapPoint(gx, gy, "grid")
        return SnapPoint(x, y, "")

    def _near(self, x: float, y: float, reach: float) -> FloatArray:
        """Chords (n, 4) within reach of a place."""
        e = self._ends
        if not len(e):
            return e
        d = e[:, 2:] - e[:, :2]
        size = np.maximum((d * d).sum(axis=1), 1e-18)
        t = np.clip(((x - e[:, 0]) * d[:, 0] + (y - e[:, 1]) * d[:, 1]) / size, 0, 1)
        gap = np.hypot(e[:, 0] + t * d[:, 0] - x, e[:, 1] + t * d[:, 1] - y)
        return np.asarray(e[gap <= reach][:_NEAR_LINES])

    def _crossing(self, x: float, y: float, reach: float) -> Point | None:
        near = self._near(x, y, reach)
        best: tuple[float, Point] | None = None
        for i in range(len(near)):
            for j in range(i + 1, len(near)):
                at = _cross(near[i], near[j])
                if at is not None:
                    gap = hypot(at[0] - x, at[1] - y)
                    if gap <= reach and (best is None or gap < best[0]):
                        best = gap, at
        return None if best is None else best[1]

    def _on_line(self, x: float, y: float, reach: float, origin: Point | None) -> SnapPoint | None:
        """The nearest point of a line; where a line from ``origin`` would touch it, that point."""
        near = self._near(x, y, reach)
        if not len(near):
            return None
        best = None
        for a, b, c, d in near.tolist():
            dx, dy = c - a, d - b
            size = dx * dx + dy * dy
            t = min(max(((x - a) * dx + (y - b) * dy) / size, 0.0), 1.0) if size else 0.0
            at = (a + t * dx, b + t * dy)
            gap = hypot(at[0] - x, at[1] - y)
            if best is None or gap < best[0]:
                best = (gap, at, dx, dy)
        assert best is not None
        _, at, dx, dy = best
        if origin is not None:
            ox, oy = at[0] - origin[0], at[1] - origin[1]
            lean = abs(ox * dy - oy * dx) / max(hypot(ox, oy) * hypot(dx, dy), 1e-12)
            if lean < 0.03 and hypot(ox, oy) > reach:
                return SnapPoint(*at, "tangent")
        return SnapPoint(*at, "line")


def _places_of(paths: Sequence[Path], boxes: Sequence[Box]) -> tuple[list[FloatArray], list[IntArray]]:
    """Nodes, middles of straight pieces, centres of arcs, centres of shapes; and which each is (0 to 3)."""
    points: list[FloatArray] = []
    if paths:
        points.append(np.concatenate([path.nodes for path in paths]))
        p = np.concatenate([path.nodes[:-1] for path in paths])
        q = np.concatenate([path.nodes[1:] for path in paths])
        kinds = np.concatenate([path.kinds for path in paths])
        params = np.concatenate([path.params for path in paths])
        straight, arc = kinds == Kind.LINE, kinds == Kind.ARC
        points.append((p[straight] + q[straight]) / 2)
        points.append(arcs_of(p[arc], q[arc], params[arc, 0]).centre)
        box = np.array(boxes)
        points.append((box[:, :2] + box[:, 2:]) / 2)
    return points, [np.full(len(places), k) for k, places in enumerate(points)]


def _chords(flat: FloatArray) -> list[FloatArray]:
    return [np.hstack((flat[:-1], flat[1:]))] if len(flat) > 1 else []


def _cross(one: FloatArray, two: FloatArray) -> Point | None:
    """Where two chords cross, ends included."""
    ax, ay, bx, by = one.tolist()
    cx, cy, dx, dy = two.tolist()
    ux, uy, vx, vy = bx - ax, by - ay, dx - cx, dy - cy
    det = ux * vy - uy * vx
    if abs(det) < 1e-12:
        return None
    t = ((cx - ax) * vy - (cy - ay) * vx) / det
    s = ((cx - ax) * uy - (cy - ay) * ux) / det
    if -1e-9 <= t <= 1 + 1e-9 and -1e-9 <= s <= 1 + 1e-9:
        return ax + t * ux, ay + t * uy
    return None
