"""Compile every kernel once, so that nobody waits for it: ``python -m archimetra.engine.warm``."""

from __future__ import annotations

import numpy as np

from archimetra.artwork.drawing import Drawing, DrawnLayer, DrawnShape, Scale
from archimetra.engine.mating import mating_of
from archimetra.engine.planning import plan_board
from archimetra.geometry.fill import FillRule
from archimetra.geometry.joining import join
from archimetra.geometry.path import Path
from archimetra.geometry.pieces import pieces_of
from archimetra.job import edits, inlaying, landing, rack
from archimetra.job.bits import BitKind
from archimetra.job.inlays import InlayKind
from archimetra.job.job import Job, new_job
from archimetra.job.starter_rack import starter_rack
from archimetra.stock.shade import face, paint
from archimetra.stock.timeline import StockTimeline


def warm() -> None:
    """Run a tiny job through every compiled loop."""
    job = new_job()
    board = job.boards[0]
    ring = DrawnShape("ring", 0, (Path.circle((50, 50), 20),), FillRule.NONZERO, True, None, 1)
    drawing = Drawing("warm", (DrawnLayer("one"),), (ring,), Scale("mm", 1.0, "", True), None, ())
    edit, ids = landing.place_drawing(job, board.id, drawing)
    edit, _ = edits.add_profile(edit.job, board.id, ids)
    job, board = edit.job, edit.job.boards[0]
    plan = plan_board(job, board, {})
    _warm_carving(job)
    corner = [Path.polyline([(0, 0), (5, 0)], closed=False), Path.polyline([(5, 0), (5, 5)], closed=False)]
    join(pieces_of(corner), tolerance_mm=0.1)
    stock = StockTimeline(board.sheet, plan.run, job.bits, cell=2.0, times=plan.times.ends)
    stock.seek(plan.times.total / 2)
    stock.section((0, 0), (100, 100), plan.times.total, samples=10)
    pixels = np.zeros(stock.shape, np.uint32)
    paint(stock.field, face(board.sheet, stock.shape, 2.0), board.sheet, 2.0, pixels, (0, 0, 10, 10))


def _warm_carving(job: Job) -> None:
    """A V inlay and its mate: the loops of carving and measuring."""
    vee = next(bit for bit in starter_rack() if bit.kind is BitKind.VEE)
    edit, bit = rack.take(job, vee)
    board = edit.job.boards[0]
    made, inlay = inlaying.add_inlay(
        edit.job, board.id, [board.shapes[0].id], kind=InlayKind.VEE, bit=bit, floor_bit=edit.job.bits[0].id, depth=2.0
    )
    mating = mating_of(made.job, inlay, {})
    mating.section((0.0, 0.0), (100.0, 100.0), mating.measured().seat, samples=10)


if __name__ == "__main__":
    warm()
