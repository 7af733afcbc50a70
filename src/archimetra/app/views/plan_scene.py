"""What the plan draws, worked out from the board and its plan: line groups, marks and what can be picked."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import NamedTuple

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QPen

from archimetra.app.theme.tokens import Tokens, bit_hue, depth_shade
from archimetra.app.views.line_layer import LineGroup, group
from archimetra.app.views.shown import Paths
from archimetra.geometry.affine import Affine
from archimetra.geometry.arrays import BoolArray, FloatArray, IntArray
from archimetra.geometry.path import flatten_together
from archimetra.job.bits import UNDERCUTS
from archimetra.job.ids import CutId, ShapeId
from archimetra.job.job import Board, Job
from archimetra.job.shapes import Shape
from archimetra.toolpath.shared.moves import Move, Role, straightened
from archimetra.toolpath.shared.program import Run

DEPTH_SHADES = 5
MOVES_AT_A_TIME = 6000
_FLAT_MM = 0.05


class PickTarget(NamedTuple):
    """One shape as the mouse sees it: its outlines flattened, their exact box, and whether it sits on a locked layer."""

    id: ShapeId
    shape: Shape
    lines: tuple[FloatArray, ...]
    box: tuple[float, float, float, float]
    is_closed: bool
    is_locked: bool


def shown_shapes(board: Board) -> list[Shape]:
    hidden = {layer.id for layer in board.layers if not layer.is_shown}
    return [shape for shape in board.shapes if shape.layer not in hidden]


def pick_targets(board: Board, before: Sequence[PickTarget] = ()) -> list[PickTarget]:
    """The shapes that can be seen, in drawing order; what has not changed is taken over from ``before``."""
    locked = {layer.id for layer in board.layers if layer.is_locked}
    known = {target.id: target for target in before}
    shapes = shown_shapes(board)
    fresh = [shape for shape in shapes if shape.id not in known or known[shape.id].shape is not shape]
    lines = _placed_lines(fresh)
    out = []
    for shape in shapes:
        is_locked = shape.layer in locked
        if shape.id in lines:
            out.append(PickTarget(shape.id, shape, lines[shape.id], shape.bounds(), shape.is_closed, is_locked))
        else:
            out.append(known[shape.id]._replace(is_locked=is_locked))
    return out


def _placed_lines(shapes: Sequence[Shape]) -> dict[ShapeId, tuple[FloatArray, ...]]:
    """The outlines of shapes as points in board coordinates; shapes with the same placement in one go."""
    by_place: dict[Affine, list[Shape]] = {}
    for shape in shapes:
        by_place.setdefault(shape.at, []).append(shape)
    out: dict[ShapeId, tuple[FloatArray, ...]] = {}
    for at, group_ in by_place.items():
        tolerance = _FLAT_MM / max(abs(at.determinant) ** 0.5, 1e-9)
        paths = [path for shape in group_ for path in shape.paths]
        flatten_together(paths, tolerance)
        flats = [path.flatten(tolerance) for path in paths]
        placed = np.split(at.apply(np.vstack(flats)), np.cumsum([len(flat) for flat in flats])[:-1])
        first = 0
        for shape in group_:
            out[shape.id] = tuple(placed[first : first + len(shape.paths)])
            first += len(shape.paths)
    return out


def artwork_groups(board: Board, targets: Sequence[PickTarget], tokens: Tokens) -> list[LineGroup]:
    """Outlines, one group per layer, in the layer's colour toned towards ink."""
    of_shape = {shape.id: shape.layer for shape in board.shapes}
    out = []
    for layer in board.layers:
        color = QColor(layer.colour)
        color = color.lighter(125) if tokens.is_dark else color.darker(135)
        color.setAlpha(120 if layer.is_locked else 215)
        pen = QPen(color, 1.1)
        out.append(group(pen, [line for t in targets if of_shape.get(t.id) == layer.id for line in t.lines]))
    return out


def blocks_shown(run: Run, paths: Paths, cut: CutId | None) -> BoolArray:
    """The blocks (b,) of a run whose paths are drawn."""
    return np.array(
        [paths is Paths.ALL or (paths is Paths.PICKED and block.cut == cut) for block in run.blocks], dtype=bool
    )


def _in_pieces(run: Run) -> Iterator[tuple[FloatArray, IntArray]]:
    """The run some thousand moves at a time, as a long one takes a while: points with arcs as chords, and the row each came from."""
    for first in range(1, len(run), MOVES_AT_A_TIME):
        rows = slice(first - 1, min(first + MOVES_AT_A_TIME, len(run)))
        points, row = straightened(run.xyz[rows], run.kind[rows], run.centre[rows], chord_tolerance_mm=0.02)
        yield points, row + rows.start


def _is_air(run: Run, row: IntArray) -> BoolArray:
    return np.asarray((run.kind[row] == Move.RAPID) | (run.block[row] < 0))


def toolpath_groups(job: Job, run: Run, tokens: Tokens, of: BoolArray) -> Iterator[LineGroup]:
    """The toolpaths of some blocks (b,), by bit and depth."""
    deepest = max(-float(run.xyz[:, 2].min(initial=0.0)), 1e-6)
    place_of = {bit.id: bit.place for bit in job.bits}
    places = np.array([place_of.get(b.bit, 0) for b in run.blocks])
    for points, row in _in_pieces(run):
        block = np.maximum(run.block[row], 0)
        shade = np.clip((-points[:, 2] / deepest * DEPTH_SHADES).astype(int), 0, DEPTH_SHADES - 1)
        place = places[block]
        cutting = ~_is_air(run, row) & (run.role[row] != Role.TAB) & of[block]
        for number in np.unique(place[cutting]):
            for level in range(DEPTH_SHADES):
                color = depth_shade(bit_hue(int(number)), level / (DEPTH_SHADES - 1), is_dark=tokens.is_dark)
                color.setAlpha(200)
                yield _segments(QPen(color, 1.2), points, cutting & (place == number) & (shade == level))


def travel_groups(run: Run, tokens: Tokens) -> Iterator[LineGroup]:
    """Travel through the air, dotted."""
    air = QPen(tokens.color("quiet", 150), 1.0, Qt.PenStyle.DotLine)
    for points, row in _in_pieces(run):
        yield _segments(air, points, _is_air(run, row))


def bridge_groups(run: Run, tokens: Tokens, of: BoolArray) -> Iterator[LineGroup]:
    """The tabs of some blocks as short bridges across the path."""
    bridge = QPen(tokens.color("caution"), 3.0)
    bridge.setCapStyle(Qt.PenCapStyle.FlatCap)
    is_bridge = _lowest_tabs(run) & (run.block >= 0) & of[np.maximum(run.block, 0)]
    for points, row in _in_pieces(run):
        yield _segments(bridge, points, is_bridge[row])


def hidden_edges(job: Job, run: Run, of: BoolArray, tokens: Tokens) -> Iterator[LineGroup]:
    """How wide undercut bits hollow the wood out below its face, dashed."""
    pen = QPen(tokens.color("ink", 190), 1.2, Qt.PenStyle.DashLine)
    for number, block in enumerate(run.blocks):
        bit = job.bit(block.bit)
        if bit is None or bit.kind not in UNDERCUTS or not of[number]:
            continue
        rows = slice(block.first, block.last)
        points, _ = straightened(run.xyz[rows], run.kind[rows], run.centre[rows], chord_tolerance_mm=0.05)
        yield group(pen, _around_ways(points[:, :2], points[:, 2] < 0, bit.radius))


def _around_ways(xy: FloatArray, is_low: BoolArray, radius: float) -> list[FloatArray]:
    """The outlines of what lies within a radius of the stretches whose points are low."""
    import shapely

    ends = np.flatnonzero(np.diff(np.concatenate(([0], is_low.astype(int), [0]))))
    ways = [shapely.linestrings(xy[a:b]) for a, b in zip(ends[::2], ends[1::2], strict=True) if b - a > 1]
    area = shapely.union_all([shapely.buffer(way, radius, quad_segs=12) for way in ways])
    rings = [ring for part in shapely.get_parts(area) for ring in (part.exterior, *part.interiors)]
    return [np.asarray(shapely.get_coordinates(ring)) for ring in rings]


def adjusted_groups(outlines: Sequence[FloatArray], tokens: Tokens) -> Iterator[LineGroup]:
    """Outlines that are cut in place of the drawn ones, dashed: where they leave the drawing one sees what is lost."""
    if outlines:
        yield group(QPen(tokens.color("accent"), 1.4, Qt.PenStyle.DashLine), list(outlines))


def contour_starts(run: Run, of: BoolArray) -> FloatArray:
    """Where each contour of some blocks (b,) makes its first sideways cut: (n, 5), the point, the unit direction and how long the contour is."""
    if len(run) < 2:
        return np.zeros((0, 5))
    step = np.zeros((len(run), 2))
    step[1:] = np.diff(run.xyz[:, :2], axis=0)
    size = np.hypot(step[:, 0], step[:, 1])
    cuts = np.flatnonzero((run.kind != Move.RAPID) & (run.block >= 0) & of[np.maximum(run.block, 0)] & (size > 1e-6))
    contour = _contour_of(run)
    numbers, first = np.unique(contour[cuts], return_index=True)
    rows = cuts[first]
    length = np.bincount(contour[cuts], weights=size[cuts])[numbers] if len(cuts) else np.zeros(0)
    return np.hstack((run.xyz[rows - 1, :2], step[rows] / size[rows, None], length[:, None]))


def _contour_of(run: Run) -> IntArray:
    """A number (n,) that is the same for all moves between two rapids."""
    return np.cumsum(run.kind == Move.RAPID)


def _lowest_tabs(run: Run) -> BoolArray:
    """The moves (n,) over tabs in the last pass of their contour: one line a tab, not one a pass."""
    contour = _contour_of(run)
    last_pass = np.zeros(int(contour.max(initial=0)) + 1, dtype=np.int64)
    np.maximum.at(last_pass, contour, run.pass_no)
    return np.asarray((run.role == Role.TAB) & (run.pass_no == last_pass[contour]))


def _segments(pen: QPen, points: FloatArray, chosen: BoolArray) -> LineGroup:
    """The segments that end at the chosen points, joined into lines where they follow each other."""
    chosen = np.array(chosen, dtype=bool)
    chosen[0] = False
    keep = chosen.copy()
    keep[:-1] |= chosen[1:]
    begins = keep & ~chosen
    return LineGroup(pen, np.asarray(points[keep, :2]), np.asarray(begins[keep]))


class Hit(NamedTuple):
    """What lies under the mouse: a shape, by its outline or only by its area."""

    id: ShapeId
    is_on_outline: bool


def pick_at(targets: Sequence[PickTarget], x: float, y: float, reach: float) -> Hit | None:
    """The shape whose outline is nearest within reach; else the smallest closed one around the point."""
    best: tuple[float, ShapeId] | None = None
    inside: tuple[float, ShapeId] | None = None
    for target in targets:
        x0, y0, x1, y1 = target.box
        if target.is_locked or not (x0 - reach <= x <= x1 + reach and y0 - reach <= y <= y1 + reach):
            continue
        gap = min(_line_gap(line, x, y) for line in target.lines)
        if gap <= reach and (best is None or gap < best[0]):
            best = (gap, target.id)
        size = (x1 - x0) * (y1 - y0)
        is_around = target.is_closed and sum(_is_inside(line, x, y) for line in target.lines) % 2 == 1
        if is_around and (inside is None or size < inside[0]):
            inside = (size, target.id)
    if best is not None:
        return Hit(best[1], is_on_outline=True)
    return Hit(inside[1], is_on_outline=False) if inside is not None else None


def pick_in(targets: Sequence[PickTarget], box: tuple[float, float, float, float]) -> list[ShapeId]:
    """The shapes that lie wholly in a box."""
    x0, y0, x1, y1 = box
    return [
        t.id
        for t in targets
        if not t.is_locked and t.box[0] >= x0 and t.box[1] >= y0 and t.box[2] <= x1 and t.box[3] <= y1
    ]


def _line_gap(line: FloatArray, x: float, y: float) -> float:
    a, b = line[:-1], line[1:]
    d = b - a
    size = (d * d).sum(axis=1)
    size[size == 0] = 1.0
    t = np.clip(((x - a[:, 0]) * d[:, 0] + (y - a[:, 1]) * d[:, 1]) / size, 0, 1)
    return float(np.hypot(a[:, 0] + t * d[:, 0] - x, a[:, 1] + t * d[:, 1] - y).min())


def _is_inside(line: FloatArray, x: float, y: float) -> bool:
    a, b = line[:-1], line[1:]
    crosses = (a[:, 1] > y) != (b[:, 1] > y)
    rise = np.where(b[:, 1] == a[:, 1], 1.0, b[:, 1] - a[:, 1])
    at = a[:, 0] + (y - a[:, 1]) * (b[:, 0] - a[:, 0]) / rise
    return bool((crosses & (at > x)).sum() % 2)
