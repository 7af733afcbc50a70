"""Rows of carving: to the finished path against the bare diagram, a retyped line of text, growth, and four reference pieces."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pyvoronoi

from archimetra.artwork.text_form import TextForm
from archimetra.edits import cutting, shaping
from archimetra.engine.planning import plan_board
from archimetra.geometry import clearances
from archimetra.geometry.affine import Affine
from archimetra.geometry.path import Path
from archimetra.job.bits import Bit, BitKind, Recipe
from archimetra.job.cuts.carve import CarveCut
from archimetra.job.ids import BitId
from archimetra.job.job import Job, new_job
from archimetra.toolpath.carve.area import carve_area
from archimetra.toolpath.kinds import plan_cut
from archimetra.toolpath.resolve import resolve
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.moves import Move
from cut_rows import job_with_cut
from pieces import replace, wavy
from rows import Row, compared, seconds, spell

VEE = Bit(
    id=BitId("vee"), name="60 V", kind=BitKind.VEE, diameter=12.7, angle=60.0, cutting_length=11.0, place=3,
    recipe=Recipe(spindle_rpm=16_000.0, feed=1500.0, plunge=500.0, depth_per_pass=3.0),
)  # fmt: skip
STROKE_MM = 5.0


def ribbon(points: int) -> list[Path]:
    """A wavy outline of that many segments with its own inset: strokes all round, no floor."""
    outer = wavy(points // 2, at=(300.0, 300.0))
    centre = np.array((300.0, 300.0))
    inner = centre + (outer - centre) * (1 - STROKE_MM / 140)
    return [Path.polyline(outer, closed=True), Path.polyline(inner[::-1], closed=True)]


def strip(points: int) -> list[Path]:
    """A waving band as long as its number of segments asks for: the same detail everywhere, whatever its size."""
    x = np.linspace(0, points * 0.05, points // 2)
    y = 6 * np.sin(x / 3) + np.sin(1.7 * x)
    upper, lower = np.column_stack((x, y + 2 + 0.3 * np.sin(5 * x))), np.column_stack((x, y - 2))
    return [Path.polyline(np.vstack((lower, upper[::-1])), closed=True)]


def carve_task(paths: list[Path]) -> ResolvedCut:
    job = job_with_cut(paths, CarveCut, bit=BitId("bit1"))
    board = job.boards[0]
    bits = (replace(VEE, id=job.bits[0].id), *job.bits[1:])
    job = replace(job, bits=bits)
    return resolve(job, board, board.cuts[0])


def forget() -> None:
    """As if no piece had been seen before."""
    clearances.forget()
    carve_area.cache_clear()


def text_job(text: str, *, font: str = "Zilla Slab Bold", cap_height: float = 14.0, **fields: object) -> Job:
    job = replace(new_job(), bits=(*new_job().bits, VEE))
    board = job.boards[0].id
    form = TextForm(text=text, font=font, cap_height=cap_height)
    done = shaping.draw(job, board, form, Affine.shift(200.0, 150.0), name="text")
    cut = cutting.new_cut(done.edit.job, board, CarveCut, done.pick, bit=VEE.id, **fields)
    return cutting.add_cut(done.edit.job, board, cut).job


def carve_planning() -> Iterator[Row]:
    """20,000 segments to the finished path, against the construction of their diagram alone."""
    task = carve_task(ribbon(20_000))
    forget()
    plan_cut(task)
    area = carve_area(task.shapes, tolerance_mm=_tolerance(task))
    rings = [piece.clearance._outline for piece in area.clearances.pieces]
    grid = [np.rint(np.stack(ring, axis=1) * 10_000).astype(np.int64).tolist() for ring in rings]

    def floor() -> None:
        for segments in grid:
            diagram = pyvoronoi.Pyvoronoi(1)
            for segment in segments:
                diagram.AddSegment(segment)
            diagram.Construct()

    def work() -> None:
        forget()
        plan_cut(task)

    count = sum(len(segments) for segments in grid)
    yield compared(f"V-carve of {count} segments, to the finished path", floor, work, reach=3.0, runs=3)


def carve_growth() -> Iterator[Row]:
    """Time per segment from 5,000 to 80,000: n log n grows it by a quarter."""

    def each(count: int) -> float:
        task = carve_task(strip(count))
        best = float("inf")
        for _ in range(2):
            forget()
            best = min(best, seconds(lambda: plan_cut(task)))
        return best / count

    small, large = each(5_000), each(80_000)
    yield Row("V-carve, time a segment, 5,000 to 80,000", spell(small), spell(large), large / small, 1.6)


def carve_retyping() -> Iterator[Row]:
    """One more letter in a line of thirty: a keystroke pause is some 300 ms."""
    jobs = [text_job("Harbour cafe at the old quay, No" + end) for end in ("", ".", ".1", ".12", ".123")]
    tasks = [resolve(job, job.boards[0], job.boards[0].cuts[0]) for job in jobs]
    forget()
    first = seconds(lambda: plan_cut(tasks[0]))
    best = min(seconds(lambda task=task: plan_cut(task)) for task in tasks[1:])  # type: ignore[misc]
    yield Row("one more letter in a carved line of thirty", spell(first), spell(best), best * 1000, 300.0, "ms")


def carve_machine_time() -> Iterator[Row]:
    """Machine time of four reference pieces, with lifts and what is gone over in air."""
    pieces = {
        "carved line of text": text_job("Harbour cafe at the quay"),
        "serif letters, limit 1.5": text_job("QUAY", font="Cinzel Bold", cap_height=40.0, end_depth=1.5, cusp=0.1),
        "script letters": text_job("Tide clock", font="Pacifico Regular", cap_height=25.0),
        "wavy ribbon": _ribbon_job(),
    }
    for name, job in pieces.items():
        board = job.boards[0]
        plan = plan_board(job, board, {})
        lifts = int(((plan.run.kind == Move.RAPID) & (plan.run.block >= 0)).sum()) // 3
        yield Row(
            f"machine time: {name}", f"{lifts} lifts", f"{len(plan.run)} moves", plan.times.total / 60, None, "min"
        )


def _ribbon_job() -> Job:
    job = job_with_cut(ribbon(6_000), CarveCut, bit=BitId("bit1"))
    return replace(job, bits=(replace(VEE, id=job.bits[0].id), *job.bits[1:]))


def _tolerance(task: ResolvedCut) -> float:
    from archimetra.toolpath.carve_depths import carve_depths_of

    assert isinstance(task.cut, CarveCut)
    return carve_depths_of(task.cut, task.bit, task.sheet).outline_mm


def mate_measuring() -> Iterator[Row]:
    """The sample's inlay measured, both boards planned before, against planning them."""
    from archimetra.demo import quay_tide_clock
    from archimetra.engine.mating import mating_of

    job = quay_tide_clock().job
    inlay = job.inlays[0].id
    known = mating_of(job, inlay, {})
    known.measured()
    yield compared(
        "a mate measured, planned before",
        lambda: mating_of(job, inlay, {}),
        lambda: known.measured(),
        reach=1.0,
        runs=2,
    )
    seat = known.measured().seat
    section = min(seconds(lambda: known.section((60.0, 140.0), (260.0, 180.0), seat, samples=2400)) for _ in range(5))
    yield Row("its section along another line", "", spell(section), section * 1000, 50.0, "ms")


ROWS = (carve_planning, carve_growth, carve_retyping, carve_machine_time, mate_measuring)
