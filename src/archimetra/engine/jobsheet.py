"""The job sheet of planned boards, with pictures painted here: no window is needed."""

from __future__ import annotations

import io
from collections.abc import Callable, Sequence
from math import hypot

import numpy as np
from PIL import Image

from archimetra.checks.among_boards import all_found
from archimetra.checks.quieting import at_the_gate
from archimetra.edits.looking import middle_line
from archimetra.engine.messages import BoardPlan
from archimetra.engine.planning import plan_board
from archimetra.engine.stock_chain import StockChain
from archimetra.engine.tilting import chain_of, rgb_of
from archimetra.engine.writing import files_of
from archimetra.job.job import Board, Job
from archimetra.job.sections import section_letter
from archimetra.output.controllers.of_job import controller_of
from archimetra.output.jobsheet.content import JobSheet, Planned, SectionProfile, job_sheet
from archimetra.stock.grid import cell_for
from archimetra.stock.viewpoint import Around, fitting

MOST_CELLS = 1_200_000
PICTURE_PX = (1000, 560)
MOST_PX = 900  # on paper some 280 to the inch
SAMPLES = 1500
_WHITE = 0xFFFFFFFF


def sheet_of(
    job: Job,
    boards: Sequence[Board],
    *,
    plans: Sequence[BoardPlan] | None = None,
    report: Callable[[float], None] = lambda share: None,
) -> JobSheet:
    """What the sheet says of some boards of a job. Raises OutputError where their files cannot be written."""
    profile = controller_of(job)
    planned = []
    for number, board in enumerate(boards):
        report(number / max(len(boards), 1))
        plan = plans[number] if plans is not None else plan_board(job, board, {})
        found = at_the_gate(all_found(job, board, plan.findings), board.dismissed)
        one = Planned(
            board, plan.run, plan.times, plan.setups, found, files_of(job, board, plan.run, plan.setups, profile)
        )
        planned.append((one, *_pictures(job, board, plan)))
    return job_sheet(job, profile, planned)


def _pictures(job: Job, board: Board, plan: BoardPlan) -> tuple[bytes, bytes, list[SectionProfile]]:
    """The finished board from above and tilted, as PNGs, and cut along its section lines."""
    from archimetra.engine.messages import TiltRequest

    chain = chain_of(job, board, plan, cell=cell_for(board.sheet, most_cells=MOST_CELLS))
    chain.seek(plan.times.total)
    painted = np.empty(chain.grid.shape, dtype=np.uint32)
    chain.paint([painted], chain.grid.all)
    view = fitting(board.sheet, 25.0, 38.0, PICTURE_PX, room=0.02)
    tilted = chain.tilted(TiltRequest(0, view, PICTURE_PX, True, Around(), _WHITE), [painted])
    lines = [line.ends for line in board.sections] or [middle_line(board)]
    return _png(painted), _png(tilted), [_profile(chain, k, *ends) for k, ends in enumerate(lines)]


def _profile(chain: StockChain, number: int, a: tuple[float, float], b: tuple[float, float]) -> SectionProfile:
    heights = chain.timeline.section(a, b, chain.timeline.duration, samples=SAMPLES)
    at = np.linspace(a, b, SAMPLES)
    sheet = chain.sheet
    on = (at >= 0).all(axis=1) & (at[:, 0] <= sheet.width) & (at[:, 1] <= sheet.height)
    heights = heights[on] if on.any() else heights
    return SectionProfile(section_letter(number), hypot(b[0] - a[0], b[1] - a[1]) * max(on.mean(), 1e-6), heights)


def _png(pixels: np.ndarray) -> bytes:
    out = io.BytesIO()
    image = Image.fromarray(rgb_of(pixels))
    image.thumbnail((MOST_PX, MOST_PX), Image.Resampling.BOX)
    image.save(out, "PNG")
    return out.getvalue()
