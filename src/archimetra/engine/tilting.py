"""The tilted picture of a planned board at a moment, both faces seen through each other's openings."""

from __future__ import annotations

import numpy as np

from archimetra.engine.messages import BoardPlan, TiltRequest
from archimetra.engine.moments import surroundings
from archimetra.engine.stock_chain import StockChain
from archimetra.geometry.arrays import AnyArray
from archimetra.job.job import Board, Job
from archimetra.stock.viewpoint import fitting

TABLE = {"light": 0xFFDED7C8, "dark": 0xFF141918}
BED = {"light": "#CFC6B2", "dark": "#2A3230"}


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
    is_over: bool = False,
) -> AnyArray:
    """The stock at this share of the run's time as (h, w, 3) uint8; with ``is_over`` from its other face."""
    chain = chain_of(job, board, plan)
    seconds = at * chain.timeline.duration
    chain.seek(seconds)
    return rgb_of(_drawn(chain, job, board, plan, seconds, turn, above, size, theme, is_over))


def chain_of(job: Job, board: Board, plan: BoardPlan, *, cell: float | None = None) -> StockChain:
    """The stock of a planned board, in this process."""
    about = board.back_of.about if board.back_of is not None else None
    return StockChain(plan, board.sheet, job.bits, about, cell=cell)


def _drawn(
    chain: StockChain, job: Job, board: Board, plan: BoardPlan, seconds: float, turn: float, above: float,
    size: tuple[int, int], theme: str, is_over: bool,
) -> AnyArray:  # fmt: skip
    painted = np.empty(chain.grid.shape, dtype=np.uint32)
    chain.paint([painted], chain.grid.all)
    around = surroundings(job, board, plan, seconds, bed_colour=BED[theme], has_bit=not is_over)
    view = fitting(board.sheet, turn, above, size)
    request = TiltRequest(
        0, view, size, True, around if not is_over else around._replace(fixtures=()), TABLE[theme], is_over
    )
    return chain.tilted(request, [painted])


def rgb_of(pixels: AnyArray) -> AnyArray:
    return np.stack(((pixels >> 16) & 255, (pixels >> 8) & 255, pixels & 255), axis=-1).astype(np.uint8)
