"""What if: one cut as it is and changed, each planned as part of its board."""

from __future__ import annotations

from typing import Any

import numpy as np

from archimetra.engine.messages import Trial, TrialRequest
from archimetra.engine.planning import plan_board
from archimetra.engine.standing import standing_of
from archimetra.geometry.arrays import AnyArray
from archimetra.geometry.path import bounds_of
from archimetra.job.ids import CutId
from archimetra.job.job import Board, Job
from archimetra.stock.grid import part
from archimetra.stock.shade import Painter
from archimetra.stock.timeline import StockParts
from archimetra.toolpath.resolve import resolved

PICTURE_PX = 150
_ROOM_MM = 3.0


def tried(request: TrialRequest, cache: Any, report: Any) -> tuple[Trial, ...]:
    """One trial for each version of the board. ``report`` raises to stop."""
    return tuple(
        _tried(job, board, CutId(request.cut), cache, report)
        for job, board in zip(request.jobs, request.boards, strict=True)
    )


def _tried(job: Job, board: Board, cut_id: CutId, cache: Any, report: Any) -> Trial:
    plan = plan_board(job, board, cache, report)
    ends = plan.times.ends
    own = [block for block in plan.run.blocks if block.cut == cut_id]
    seconds = sum(float(ends[b.last - 1]) - float(ends[max(b.first - 1, 0)]) for b in own)
    deepest = max((-float(plan.run.xyz[b.first : b.last, 2].min()) for b in own), default=0.0)
    left = next((one for one in standing_of(job, board, plan, lambda: report(0, 1, 0.0)) if one.cut == cut_id), None)
    work = resolved(job, board).get(cut_id)
    rate = 0.0
    if work is not None:
        r = work.recipe
        rate = r.feed * r.depth_per_pass * r.stepover * work.bit.diameter / 1000
    return Trial(
        seconds, plan.times.total, deepest, rate, left.area if left is not None else 0.0, left.height if left is not None else 0.0,
        tuple(f.words for f in plan.findings if f.subject == cut_id), *_pictures(job, board, cut_id, plan.run),
    )  # fmt: skip


def _pictures(job: Job, board: Board, cut_id: CutId, run: Any) -> tuple[AnyArray, AnyArray]:
    """The finished stock around what the cut takes, lit (ny, nx) uint32, and how deep it is (ny, nx) float32, the back of the sheet on top."""
    cut = board.cut(cut_id)
    box = bounds_of([path for shape in board.shapes_of(cut) for path in shape.placed()]) if cut is not None else None
    if box is None:
        box = (0.0, 0.0, board.sheet.width, board.sheet.height)
    box = (box[0] - _ROOM_MM, box[1] - _ROOM_MM, box[2] + _ROOM_MM, box[3] + _ROOM_MM)
    cell = max(max(box[2] - box[0], box[3] - box[1]) / (2 * PICTURE_PX), 0.02)
    grid = part(board.sheet, box, cell)
    pixels = np.empty(grid.shape, dtype=np.uint32)
    field = StockParts(board.sheet, run, job.bits).field(grid)
    Painter(board.sheet, grid).paint(field, pixels)
    return pixels, np.clip(-field[::-1], 0.0, board.sheet.thickest).astype(np.float32)
