"""Rows without a window: reading, planning, stock, G-code, and how they grow."""

from __future__ import annotations

import io
import os
import pickle
import warnings
from collections.abc import Callable, Iterator

import numpy as np
import shapely

from archimetra.artwork.svg import read_svg
from archimetra.demo import quay_tide_clock
from archimetra.edits.finishing import finish_edit, finished
from archimetra.engine.keys import lean_board, lean_job, plan_key
from archimetra.engine.messages import PlanMade, PlanRequest, StockRequest
from archimetra.engine.planning import plan_board
from archimetra.engine.sharing import shared
from archimetra.geometry.offset import quarter_segments
from archimetra.geometry.path import Path
from archimetra.geometry.region import region_of
from archimetra.job.bits import BitKind
from archimetra.job.job import with_boards
from archimetra.output.controllers import controller
from archimetra.output.files import gcode_files
from archimetra.output.gcode_reader import read_gcode
from archimetra.stock.bitshapes import bit_shapes
from archimetra.stock.grid import cell_for
from archimetra.stock.sweep_kernels import TILE, sweep
from archimetra.stock.timeline import StockTimeline
from archimetra.toolpath.profile.planner import plan_profile
from archimetra.toolpath.resolve import resolve
from archimetra.toolpath.shared.contours import FLATTEN_MM, _kept_region
from pieces import job_of, replace, svg_of_size, wavy
from rows import Row, compared, seconds, spell


def svg_reading() -> Iterator[Row]:
    """Against the public SVG parser alone, which then still has no shapes in mm and no report."""
    import svgelements

    data = svg_of_size(5.0)

    def floor() -> None:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            svgelements.SVG.parse(io.BytesIO(data), reify=True)

    yield compared("SVG of 5 MB, to shapes in mm", floor, lambda: read_svg(data, name="x.svg"), reach=1.5, runs=2)


def profile_planning() -> Iterator[Row]:
    """Against one library offset of the same region: outside, to the finished toolpath in all its passes."""
    for points in (2_000, 20_000):
        path = Path.polyline(wavy(points, at=(300.0, 300.0)), closed=True)
        job = job_of([path])
        board = job.boards[0]
        cut, bit = board.cuts[0], job.bits[0]
        shapes = board.shapes_of(cut)
        region = region_of(shapes[0].placed(), shapes[0].fill_rule)
        steps = quarter_segments(bit.radius, FLATTEN_MM / 2)

        def floor(region=region, bit=bit, steps=steps) -> None:
            shapely.buffer(region, bit.radius, quad_segs=steps)

        task = resolve(job, board, cut)

        def work(task=task) -> None:
            _kept_region.cache_clear()
            plan_profile(task)

        # to the bare offset come its check against the outline, arcs, tabs, start and five passes: half of the whole
        row = compared(f"profile of {points:,} segments, all passes", floor, work, reach=2.5)
        if (
            points < 10_000
        ):  # fixed work of some milliseconds outweighs so short an offset: what counts is that nobody waits
            took = min(seconds(work) for _ in range(5))
            row = row._replace(value=took * 1000, reach=50.0, unit="ms")
        yield row
    yield _many_shapes()


def _many_shapes() -> Row:
    """Four hundred parts in one cut."""
    job = job_of([Path.polyline(wavy(500, size=12.0, waves=9, at=at), closed=True) for at in _grid(20, 28.0)])
    board = job.boards[0]
    cut, bit = board.cuts[0], job.bits[0]
    shapes = board.shapes_of(cut)
    whole = shapely.union_all([region_of(shape.placed(), shape.fill_rule) for shape in shapes])
    steps = quarter_segments(bit.radius, FLATTEN_MM / 2)

    def work() -> None:
        _kept_region.cache_clear()
        plan_profile(resolve(job, board, cut))

    return compared(
        "profile of 400 parts of 500 segments",
        lambda: shapely.buffer(whole, bit.radius, quad_segs=steps),
        work,
        reach=3.0,
    )


def finishing() -> Iterator[Row]:
    """What follows from an edit, worked out on the window's thread: references, order, ids of forty cuts on two thousand shapes."""
    squares = [Path.rectangle(14 * (k % 50), 13 * (k // 50), 10, 9) for k in range(2000)]
    job = finished(job_of(squares, cuts=40))
    board = replace(job.boards[0], auto_order=True)
    before = with_boards(job, (board,))
    shape = board.shapes[7]
    best = float("inf")
    for step in range(8):
        moved = replace(shape, at=shape.at.shift(0.1 * step, 0.0))
        shapes = tuple(moved if each is shape else each for each in board.shapes)
        after = with_boards(before, (replace(board, shapes=shapes),))
        best = min(best, seconds(lambda after=after: finish_edit(before, after)))
    yield Row("an edit finished: one of 2,000 shapes moved, 40 cuts", "", spell(best), best * 1000, 12.0, "ms")


def keys() -> Iterator[Row]:
    """What asks whether a plan is out of date, on the window's thread after every edit."""
    squares = [Path.rectangle(14 * (k % 50), 13 * (k // 50), 10, 9) for k in range(2000)]
    job = finished(job_of(squares, cuts=40))
    board = job.boards[0]
    shape = board.shapes[7]
    plan_key(job, board)
    best = float("inf")
    for step in range(1, 8):
        moved = replace(shape, at=shape.at.shift(0.1 * step, 0.0))
        shapes = tuple(moved if each is shape else each for each in board.shapes)
        after = with_boards(job, (replace(board, shapes=shapes),))
        best = min(best, seconds(lambda after=after: plan_key(after, after.boards[0])))
    yield Row("keys and resolving: one of 2,000 shapes moved, 40 cuts", "", spell(best), best * 1000, 5.0, "ms")


def sent() -> Iterator[Row]:
    """What travels between processes for one edit of the sample's first board: asked, answered, and asked of the stock."""
    job = quay_tide_clock().job
    board = job.boards[0]
    plan = plan_board(job, board, {})
    asked = len(pickle.dumps(PlanRequest(1, lean_job(job), lean_board(board))))
    packed = shared(plan, owner=os.getpid()).keep()
    answered = len(pickle.dumps(PlanMade(packed)))
    of_stock = len(pickle.dumps(StockRequest(plan.run_key, board.sheet, packed, job.bits)))
    moves = sum(a.nbytes for a in (plan.run.xyz, plan.run.centre, plan.run.feed, plan.run.kind, plan.run.role))
    total = asked + answered + of_stock
    yield Row(
        "bytes sent for one edit of the sample, to its moves", f"{moves / 1000:.0f} kB",
        f"{asked / 1000:.0f} + {answered / 1000:.0f} + {of_stock / 1000:.0f} kB", total / moves, 1.0,
    )  # fmt: skip


def stock_sweep() -> Iterator[Row]:
    """Long moves against the minimum of two arrays as large as the cells touched; short moves as a rate."""
    job = job_of([Path.rectangle(10, 10, 100, 100)])
    cell, shape = 0.25, (2400, 2400)
    rows = np.linspace(10, 590, 300)
    points = np.array([(x, y, -3.0) for k, y in enumerate(rows) for x in ((10, 590) if k % 2 else (590, 10))])
    bits = bit_shapes([replace(job.bits[0], kind=BitKind.STRAIGHT, diameter=6.0)])
    bit_of = np.zeros(len(points), np.int64)
    tiles = np.zeros((shape[0] // TILE + 1, shape[1] // TILE + 1), bool)
    field = np.zeros(shape, np.float32)
    touched = int(300 * 580 / cell * 6.0 / cell)
    a, b = np.zeros(touched, np.float32), np.ones(touched, np.float32)

    def work() -> None:
        field[:] = 0.0
        sweep(field, 0.0, 0.0, cell, points, 1, len(points), bit_of, *bits.arguments(), tiles)

    work()
    clearing = seconds(lambda: field.fill(0.0))
    row = compared("stock: long moves, 6 mm bit, 0.25 mm cells", lambda: np.minimum(a, b, out=a), work, reach=4.0)
    yield row._replace(value=row.value - clearing / seconds(lambda: np.minimum(a, b, out=a)))
    yield _short_moves(bits)


def _short_moves(bits) -> Row:
    ring = wavy(200_000, size=280.0, waves=400, at=(300.0, 300.0))
    points = np.column_stack((ring, np.full(len(ring), -2.0)))
    field = np.zeros((2400, 2400), np.float32)
    tiles = np.zeros((40, 40), bool)
    bit_of = np.zeros(len(points), np.int64)
    best = min(
        seconds(lambda: sweep(field, 0.0, 0.0, 0.25, points, 1, len(points), bit_of, *bits.arguments(), tiles))
        for _ in range(3)
    )
    us = best / len(points) * 1e6
    return Row("stock: 200,000 short moves", "300k moves/s", f"{1 / us * 1e3:.0f}k moves/s", us, 1e6 / 300e3, "us each")


def seeking() -> Iterator[Row]:
    """Any moment of an hour's job."""
    rng = np.random.default_rng(2)
    rings = [Path.polyline(wavy(900, size=26.0, waves=9, at=at), closed=True) for at in _grid(9, 62.0)]
    job = job_of(rings)
    board = job.boards[0]
    plan = plan_board(job, board, {})
    timeline = StockTimeline(board.sheet, plan.run, job.bits, cell=cell_for(board.sheet), times=plan.times.ends)
    moments = rng.uniform(0, plan.times.total, 60)
    timeline.seek(0.0)
    took = [seconds(lambda s=s: timeline.seek(float(s))) for s in moments]
    worst = float(np.percentile(took, 95)) * 1000
    yield Row(
        f"seek to any moment of {plan.times.total / 60:.0f} min, {len(plan.run):,} moves",
        f"{timeline.cell:g} mm cells",
        f"median {np.median(took) * 1000:.0f} ms",
        worst,
        50.0,
        "ms (95 %)",
    )


def gcode() -> Iterator[Row]:
    """Writing and reading back."""
    rings = [Path.polyline(wavy(2_000, size=26.0, waves=40, at=at), closed=True) for at in _grid(9, 62.0)]
    job = job_of(rings)
    board = job.boards[0]
    plan = plan_board(job, board, {})
    files = gcode_files(job, board, plan.run, controller("rs274"))
    lines = files[0].text.count("\n")
    write = min(seconds(lambda: gcode_files(job, board, plan.run, controller("rs274"))) for _ in range(3))
    read = min(seconds(lambda: read_gcode(files[0].text)) for _ in range(2))
    numbers = np.random.default_rng(0).uniform(-300, 300, (lines, 3))
    floor = min(seconds(lambda: np.char.mod("%.3f", numbers)) for _ in range(3))
    texts = np.char.mod("%.3f", numbers)
    parsed = min(seconds(lambda: texts.astype(np.float64)) for _ in range(3))
    yield Row(
        f"G-code: {lines:,} lines written",
        f"numpy writes the numbers, {spell(floor)}",
        spell(write),
        write / floor,
        3.0,
    )
    yield Row(f"G-code: {lines:,} lines read", f"numpy reads them, {spell(parsed)}", spell(read), read / parsed, 3.0)


def growth() -> Iterator[Row]:
    """Time a point costs in a drawing eight times as large: 1 is linear, n log n stays below 1.5."""
    yield _growth("planning grows (5k to 40k segments)", lambda n: Path.polyline(wavy(n, at=(300, 300)), closed=True))


def _growth(name: str, make: Callable[[int], Path]) -> Row:
    each = []
    for n in (5_000, 40_000):
        job = job_of([make(n)])
        board = job.boards[0]
        plan_board(job, board, {})
        each.append(min(seconds(lambda job=job, board=board: plan_board(job, board, {})) for _ in range(3)) / n * 1e6)
    return Row(name, f"{each[0]:.1f} us a point", f"{each[1]:.1f} us a point", each[1] / each[0], 1.5)


def _grid(count: int, pitch: float) -> list[tuple[float, float]]:
    return [(40 + pitch * i, 40 + pitch * j) for i in range(count) for j in range(count)]


ROWS = (svg_reading, profile_planning, finishing, keys, sent, stock_sweep, seeking, gcode, growth)
