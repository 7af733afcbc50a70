"""Rows of the kinds of cut: planning against bare library work, and the machine time of six reference parts."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import shapely

from archimetra.edits import cutting
from archimetra.engine.planning import plan_board
from archimetra.geometry.clearance import Clearance
from archimetra.geometry.offset import quarter_segments
from archimetra.geometry.path import Path
from archimetra.geometry.region import region_of
from archimetra.job.cut_parts import Entry, Pattern, Side, Tabs
from archimetra.job.cuts import Cut
from archimetra.job.cuts.engrave import EngraveCut
from archimetra.job.cuts.facing import FacingCut
from archimetra.job.cuts.hole import HoleCut
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.job import Job, with_boards
from archimetra.toolpath.kinds import plan_cut
from archimetra.toolpath.resolve import resolve
from archimetra.toolpath.shared.contours import FLATTEN_MM, _kept_region, cleared
from archimetra.toolpath.shared.moves import Move
from archimetra.toolpath.shared.order import inside_first, travel
from pieces import job_of, replace, wavy
from rows import Row, compared, seconds, spell


def job_with_cut(paths: list[Path], kind: type[Cut], *, per_shape: int = 10_000, **fields: object) -> Job:
    """One shape of all paths, and one cut of a kind on it."""
    job = job_of(paths, per_shape=per_shape, cuts=0)
    board = job.boards[0]
    cut = cutting.new_cut(job, board.id, kind, [shape.id for shape in board.shapes], **fields)
    return with_boards(job, (replace(board, cuts=(cut,)),))


def pocket_planning() -> Iterator[Row]:
    """A pocket of 20,000 segments with islands, all passes, against the same offsets by the library alone."""
    islands = [Path.circle((300 + 90 * np.cos(a), 300 + 90 * np.sin(a)), 12) for a in np.arange(6) * np.pi / 3]
    job = job_with_cut(
        [Path.polyline(wavy(20_000, at=(300.0, 300.0)), closed=True), *islands], PocketCut, end_depth=12.0
    )
    board = job.boards[0]
    task = resolve(job, board, board.cuts[0])
    shape = board.shapes[0]
    region = region_of(shape.placed(), shape.fill_rule)
    bit = job.bits[0]
    step = task.recipe.stepover * bit.diameter
    levels = int(np.ceil(Clearance(region).deepest().clearance / step))  # type: ignore[union-attr]

    def floor() -> None:
        for k in range(levels):
            r = bit.radius + k * step
            shapely.buffer(region, -r, quad_segs=quarter_segments(r, FLATTEN_MM / 2))

    def work() -> None:
        _kept_region.cache_clear()
        cleared.cache_clear()
        plan_cut(task)

    # the diagram alone is a third of the floor: Boost's, read out object by object
    name = f"pocket of 20,000 segments, six islands, {levels} loops, all passes"
    yield compared(name, floor, work, reach=0.8, runs=2)
    clearance = Clearance(region)
    yield compared(
        "its offsets from one diagram, the diagram made",
        floor,
        lambda: [clearance.offsets(bit.radius + k * step) for k in range(levels)],
        reach=None,
        runs=2,
    )


def hole_planning() -> Iterator[Row]:
    """Five hundred holes, against making as many circles as points."""
    grid = [(20 + 24 * (k % 23), 20 + 24 * (k // 23)) for k in range(500)]
    job = job_with_cut([Path.circle(at, 4.0) for at in grid], HoleCut, end_depth=6.0)
    board = job.boards[0]
    task = resolve(job, board, board.cuts[0])

    def floor() -> None:
        for path in board.shapes[0].placed():
            path.flatten(0.001)
            Path.circle((0, 0), 1.0).flatten(0.0011)

    yield compared("500 holes, to the finished path", floor, lambda: plan_cut(task), reach=None, runs=3)


def ordering() -> Iterator[Row]:
    """Two thousand contours put in order, against one look at all distances; and the travel against nearest-next alone."""
    rng = np.random.default_rng(2)
    starts = rng.uniform(0, 600, (2000, 2))
    parent = np.full(2000, -1)
    parent[:300] = rng.integers(300, 2000, 300)
    inside_first(starts, parent)
    row = compared(
        "order of 2,000 contours", lambda: np.hypot(*(starts[:, None] - starts[None]).transpose(2, 0, 1)),
        lambda: inside_first(starts, parent), reach=None,
    )  # fmt: skip
    yield row
    at, free, greedy = np.zeros(2), np.ones(2000, dtype=bool), 0.0
    waiting = np.bincount(parent[parent >= 0], minlength=2000)
    for _ in range(2000):
        ready = np.flatnonzero(free & (waiting == 0))
        gaps = np.hypot(*(starts[ready] - at).T)
        k = ready[int(np.argmin(gaps))]
        greedy += float(gaps.min())
        free[k] = False
        at = starts[k]
        if parent[k] >= 0:
            waiting[parent[k]] -= 1
    mine = travel(starts, inside_first(starts, parent), begin=(0, 0))
    yield Row(
        "travel of 2,000 contours, nearest-next = 1",
        f"{greedy / 1000:.1f} m",
        f"{mine / 1000:.1f} m",
        mine / greedy,
        1.0,
    )


def replanning() -> Iterator[Row]:
    """A small edit of one cut of forty: only that one is planned again."""
    squares = [Path.rectangle(14 * (k % 40), 30 * (k // 40), 10, 20) for k in range(400)]
    job = job_of(squares, cuts=40)
    board = job.boards[0]
    cache: dict = {}
    whole = seconds(lambda: plan_board(job, board, cache))
    edited = cutting.change_cut(job, board.cuts[7].id, "", end_depth=3.0, goes_through=False).job
    before = len(cache)
    again = seconds(lambda: plan_board(edited, edited.boards[0], cache))
    planned = len(cache) - before
    yield Row(f"one of 40 cuts changed: {planned} planned again", spell(whole), spell(again), again / whole, 1.0)


REFERENCE: dict[str, tuple[type[Cut], list[Path], dict[str, object]]] = {
    "plate with islands, pocket": (
        PocketCut, [Path.rectangle(0, 0, 200, 140), *(Path.circle((40 + 60 * k, 70), 14) for k in range(3))], {"end_depth": 9.0}
    ),
    "star, pocket": (PocketCut, [Path.polyline(wavy(400, size=70, waves=9), closed=True)], {"end_depth": 6.0, "entry": Entry.RAMP}),
    "plate, raster": (PocketCut, [Path.rectangle(0, 0, 200, 140)], {"end_depth": 6.0, "pattern": Pattern.RASTER}),
    "forty parts, outlines": (
        ProfileCut, [Path.rectangle(45 * (k % 8), 45 * (k // 8), 30, 30) for k in range(40)],
        {"side": Side.OUTSIDE, "goes_through": True, "tabs": Tabs(count=2)},
    ),
    "two hundred holes": (HoleCut, [Path.circle((20 * (k % 20), 20 * (k // 20)), 4.0) for k in range(200)], {"end_depth": 8.0}),
    "a page of lines": (
        EngraveCut,
        [Path.polyline([p, p + d], closed=False) for p, d in zip(
            np.random.default_rng(3).uniform(0, 300, (300, 2)), np.random.default_rng(4).uniform(-12, 12, (300, 2)), strict=True)],
        {"end_depth": 0.8},
    ),
}  # fmt: skip


def machine_time() -> Iterator[Row]:
    """Minutes at the machine of six reference parts, and the share of it in the air: lower is better."""
    for name, (kind, paths, fields) in REFERENCE.items():
        job = job_with_cut(paths, kind, **fields)
        plan = plan_board(job, job.boards[0], {})
        ends, run = plan.times.ends, plan.run
        step = np.diff(ends, prepend=0.0) - plan.times.pauses
        air = float(step[(run.kind == Move.RAPID)].sum())
        yield Row(
            f"machine time: {name}",
            f"air {100 * air / step.sum():.0f} %",
            f"{step.sum() / 60:.2f} min",
            step.sum() / 60,
            None,
            "min",
        )
    face = job_with_cut([Path.circle((0, 0), 5)], FacingCut, end_depth=0.5)
    face = with_boards(face, (replace(face.boards[0], cuts=(replace(face.boards[0].cuts[0], shapes=()),)),))
    plan = plan_board(face, face.boards[0], {})
    yield Row(
        "machine time: facing 600 x 600", "", f"{plan.times.total / 60:.2f} min", plan.times.total / 60, None, "min"
    )


ROWS = (pocket_planning, hole_planning, ordering, replanning, machine_time)
