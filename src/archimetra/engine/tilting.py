"""The tilted picture of a planned board at a moment, both faces seen through each other's openings."""

from __future__ import annotations

import numpy as np

from archimetra.engine.messages import BoardPlan
from archimetra.geometry.arrays import AnyArray
from archimetra.job.job import Board, Job
from archimetra.stock.faces import Behind
from archimetra.stock.shade import face
from archimetra.stock.tilted import fitting, picture
from archimetra.stock.timeline import StockTimeline, cell_for

_TABLE = {"light": 0xFFDED7C8, "dark": 0xFF141918}


def tilted_picture(
    job: Job,
    board: Board,
    plan: BoardPlan,
    *,
    at: float,
    turn: float,
    above: float,
    size: tuple[int, int],
    theme: str = "light",
) -> AnyArray:
    """The stock at this share of the run's time as (h, w, 3) uint8."""
    cell = cell_for(board.sheet)
    stock = StockTimeline(board.sheet, plan.run, job.bits, cell=cell, times=plan.times.ends)
    stock.seek(at * stock.duration)
    field = stock.field
    if plan.front is not None and board.back_of is not None:
        field = Behind(plan.front, board.back_of.about, board.sheet, job.bits, cell=cell).through(field)
    wood = face(board.sheet, stock.shape, cell)
    view = fitting(board.sheet, turn, above, size)
    pixels, _ = picture(field, wood, board.sheet, cell, view, size, background=_TABLE[theme])
    return np.stack(((pixels >> 16) & 255, (pixels >> 8) & 255, pixels & 255), axis=-1).astype(np.uint8)
