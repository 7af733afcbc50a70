"""Shapes, boards and measures that many tests share, and Hypothesis strategies for them."""

from __future__ import annotations

from collections.abc import Callable
from math import cos, pi, sin

import msgspec
import numpy as np
import shapely
from hypothesis import strategies as st

from archimetra.artwork.drawing import Drawing, DrawnLayer, DrawnShape, Scale
from archimetra.edits import basic as edits
from archimetra.edits import placement
from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import Path
from archimetra.geometry.segments import Kind
from archimetra.job.bits import Bit, BitKind, Recipe
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.ids import BitId
from archimetra.job.job import Board, Job, new_job
from archimetra.job.sheet import Sheet
from archimetra.stock.timeline import StockTimeline
from archimetra.toolpath.shared.moves import Move, straightened

replace = msgspec.structs.replace


def star(points: int = 5, outer: float = 30.0, inner: float = 14.0, at: tuple[float, float] = (0.0, 0.0)) -> Path:
    angles = np.arange(2 * points) * pi / points + pi / 2
    radii = np.where(np.arange(2 * points) % 2 == 0, outer, inner)
    return Path.polyline(np.column_stack((at[0] + radii * np.cos(angles), at[1] + radii * np.sin(angles))), closed=True)


def blob(seed: int = 1, size: float = 30.0, waves: int = 4) -> Path:
    """A smooth closed outline of cubics."""
    rng = np.random.default_rng(seed)
    count = 3 * waves
    angles = np.arange(count) * 2 * pi / count
    radii = size * (1 + 0.25 * rng.uniform(-1, 1, count))
    nodes = np.column_stack((radii * np.cos(angles), radii * np.sin(angles)))
    slopes = (np.roll(nodes, -1, axis=0) - np.roll(nodes, 1, axis=0)) / 6
    after = np.roll(nodes, -1, axis=0)
    params = np.hstack((nodes + slopes, after - np.roll(slopes, -1, axis=0)))
    return Path(np.vstack((nodes, nodes[:1])), np.full(count, Kind.CUBIC, np.uint8), params, closed=True)


def job_with(
    *paths: Path,
    fill_rule: FillRule = FillRule.EVENODD,
    sheet: Sheet | None = None,
    bit: Bit | None = None,
    **cut: object,
) -> tuple[Job, Board, ProfileCut]:
    """A job with the paths as one shape, centred on its sheet, and one profile cut with the given fields."""
    job = new_job()
    if sheet is not None:
        job = edits.change_board(job, job.boards[0].id, "", sheet=sheet).job
    if bit is not None:
        job = replace(job, bits=(bit,))
    drawn = DrawnShape("part", 0, tuple(paths), fill_rule, True, None, 1)
    drawing = Drawing("test", (DrawnLayer("all"),), (drawn,), Scale("mm", 1.0, "", True), None, ())
    edit, ids = placement.place_drawing(job, job.boards[0].id, drawing)
    edit, cut_id = edits.add_profile(edit.job, job.boards[0].id, ids)
    job = edits.change_cut(edit.job, cut_id, "", **cut).job
    return job, job.boards[0], job.boards[0].cuts[0]


def straight_bit(diameter: float, **fields: object) -> Bit:
    settings: dict[str, object] = {"cutting_length": 60.0, "recipe": Recipe(depth_per_pass=5.0)}
    return Bit(id=BitId("bit1"), name=f"{diameter:g} mm", diameter=diameter, **(settings | fields))


def vee_bit(angle: float, diameter: float = 12.0, tip_flat: float = 0.0) -> Bit:
    return Bit(id=BitId("bit1"), name="V", kind=BitKind.VEE, diameter=diameter, angle=angle, tip_flat=tip_flat)


def swept_area(toolpath, radius: float, *, deeper_than: float) -> shapely.Geometry:
    """The area a round bit of ``radius`` covers below a depth: each move's chord grown by the radius, united.

    Independent of the planner: only positions from the toolpath and GEOS buffers of short straight pieces.
    """
    points, _ = straightened(toolpath.xyz, toolpath.kind, toolpath.centre, chord_tolerance_mm=0.0005)
    low = (points[:-1, 2] < -deeper_than) & (points[1:, 2] < -deeper_than)
    lines = shapely.linestrings(np.stack((points[:-1, :2], points[1:, :2]), axis=1)[low])
    # piece by piece: one buffer of the whole ring has been seen to lose its hole
    return shapely.union_all(shapely.buffer(lines, radius, quad_segs=64))


def brute_heights(timeline: StockTimeline, run, bit: Bit, points: np.ndarray, steps: int = 600) -> np.ndarray:
    """The slow, obvious twin of the sweeping loops: the bit's shape stamped at many places along every move."""
    moves, _ = straightened(run.xyz, run.kind, run.centre, chord_tolerance_mm=timeline.cell / 20)
    out = np.zeros(len(points))
    t = np.linspace(0.0, 1.0, steps)[:, None]
    for a, b in zip(moves[:-1], moves[1:], strict=True):
        if a[2] >= 0 and b[2] >= 0:
            continue
        places = a + t * (b - a)
        d = np.hypot(points[:, None, 0] - places[None, :, 0], points[:, None, 1] - places[None, :, 1])
        rise = np.vectorize(bit.rise_at)(np.minimum(d, bit.radius))
        z = np.where(d <= bit.radius, places[None, :, 2] + rise, 1e9).min(axis=1)
        out = np.minimum(out, z)
    return out


def sentence_of(error: type[Exception], run: Callable[[], object]) -> str:
    """What ``run`` was refused with, or '' where it went through; any other exception fails the test."""
    try:
        run()
    except error as refused:
        return str(refused)
    return ""


def rapids(toolpath) -> np.ndarray:
    return np.flatnonzero(toolpath.kind == Move.RAPID)


lengths = st.floats(0.5, 80.0)
coordinates = st.floats(-200.0, 200.0, allow_nan=False)
points = st.tuples(coordinates, coordinates)


@st.composite
def convex_polygons(draw) -> Path:
    count = draw(st.integers(3, 9))
    size = draw(st.floats(15.0, 60.0))
    angles = np.sort(draw(st.lists(st.floats(0, 2 * pi), min_size=count, max_size=count, unique=True)))
    if (
        len(angles) < 3
        or np.max(np.diff(np.append(angles, angles[0] + 2 * pi))) > pi - 0.3
        or np.min(np.diff(angles)) < 0.15
    ):
        angles = np.arange(count) * 2 * pi / count
    return Path.polyline([(size * cos(a), size * sin(a)) for a in angles], closed=True)


@st.composite
def mixed_paths(draw) -> Path:
    """Open or closed paths of lines, arcs and cubics."""
    count = draw(st.integers(2, 6))
    nodes = np.array(draw(st.lists(points, min_size=count + 1, max_size=count + 1, unique=True)))
    kinds = np.array(draw(st.lists(st.sampled_from([0, 1, 2]), min_size=count, max_size=count)), np.uint8)
    params = np.zeros((count, 4))
    for i, kind in enumerate(kinds):
        if kind == Kind.ARC:
            params[i, 0] = draw(st.floats(0.05, 1.0)) * draw(st.sampled_from([-1, 1]))
        elif kind == Kind.CUBIC:
            params[i] = [*draw(points), *draw(points)]
    closed = draw(st.booleans())
    if closed:
        nodes[-1] = nodes[0]
    return Path(nodes, kinds, params, closed=closed)
