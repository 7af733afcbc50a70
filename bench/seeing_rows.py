"""Rows of seeing: the stock of the sample's dial painted, tilted, looked at closely, and measured for what is left standing."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from archimetra.demo import quay_tide_clock
from archimetra.edits import cutting
from archimetra.engine.messages import BoardPlan, CloserRequest, PlannedCut, TiltRequest
from archimetra.engine.planning import plan_board
from archimetra.engine.standing import standing_of
from archimetra.engine.stock_chain import StockChain
from archimetra.engine.tilting import chain_of
from archimetra.geometry.arrays import AnyArray
from archimetra.job.job import Job
from archimetra.job.sheet import Sheet
from archimetra.stock.stretches import kept_stretches
from archimetra.stock.timeline import StockTimeline
from archimetra.stock.viewpoint import Around, fitting
from rows import Row, seconds, spell

WINDOW = (900, 430)


def seeing() -> Iterator[Row]:
    """The dial, finished."""
    job = quay_tide_clock().job
    board = job.boards[0]
    plan = plan_board(job, board, {})
    chain = chain_of(job, board, plan)
    field = chain.timeline.field

    def swept() -> None:
        StockTimeline(board.sheet, plan.run, job.bits, cell=0.2, times=plan.times.ends)

    copy = np.empty_like(field)
    floor = min(seconds(lambda: np.minimum(copy, field, out=copy)) for _ in range(5))
    sweep = min(seconds(swept) for _ in range(3))
    yield Row("the sample's dial swept at 0.2 mm, keyframes kept", spell(floor), spell(sweep), sweep / floor, None)
    chain.seek(plan.times.total)
    levels = [np.zeros((field.shape[0] >> k, field.shape[1] >> k), np.uint32) for k in range(4)]
    chain.paint(levels, chain.grid.all)
    paint = min(seconds(lambda: chain.paint(levels, chain.grid.all)) for _ in range(5))
    yield Row("the whole dial painted, 1600 x 1600 cells", "", spell(paint), paint * 1e3, 200.0, "ms")
    half = (WINDOW[0] // 2, WINDOW[1] // 2)
    for words, size, is_fine, most in (("while it moves", half, False, 16.0), ("at rest", WINDOW, True, 150.0)):
        at = [
            TiltRequest(0, fitting(board.sheet, turn, 40.0, size), size, is_fine, Around(), 0)
            for turn in range(0, 360, 24)
        ]
        chain.tilted(at[0], levels)
        each = float(np.median([seconds(lambda r=r: chain.tilted(r, levels)) for r in at])) * 1e3
        yield Row(
            f"tilted {WINDOW[0]} x {WINDOW[1]}, {words}",
            "16 ms frame" if not is_fine else "",
            f"{each:.1f} ms",
            each,
            most,
            "ms",
        )
    chain.closer(CloserRequest(0, (20.0, 20.0, 60.0, 40.0), 0.05))
    boxes = [(x, y, x + 45.0, y + 21.5) for x, y in ((40.0, 40.0), (120.0, 200.0), (150.0, 140.0), (220.0, 90.0))]
    took = [seconds(lambda b=b: chain.closer(CloserRequest(0, b, 0.05))) * 1e3 for b in boxes]
    close = float(np.median(took))
    words = f"{close:.0f} ms, {max(took):.0f} where most was cut"
    yield Row("looked at closely: 900 x 430 cells of 0.05 mm, another place", "100 ms", words, close, 100.0, "ms")
    yield from _edits(job, levels)
    standing_of(job, board, plan)
    left = min(seconds(lambda: standing_of(job, board, plan)) for _ in range(3))
    yield Row("what the dial's cuts leave standing", "1 s", spell(left), left * 1e3, 1000.0, "ms")


def _edits(job: Job, levels: list[AnyArray]) -> Iterator[Row]:
    """One cut of the dial made shallower, planned and painted as the workers do it with what they keep."""
    board = job.boards[0]
    cache: dict[str, PlannedCut] = {}
    kept = kept_stretches()

    def seen(job: Job, plan: BoardPlan) -> StockChain:
        chain = StockChain(plan, board.sheet, job.bits, kept=kept)
        chain.seek(plan.times.total)
        return chain

    before = seen(job, plan_board(job, board, cache))
    for name in ("Wave border", "Outline", "Star, pocket"):
        cut = next(cut for cut in board.cuts if cut.name == name)
        planning, drawing = [], []
        for depth in (0.8, 0.9, 1.0, 1.1):
            edited = cutting.change_cut(job, cut.id, "", end_depth=depth, goes_through=False).job
            planning.append(seconds(lambda e=edited: plan_board(e, e.boards[0], cache)) * 1e3)
            plan = plan_board(edited, edited.boards[0], cache)

            def drawn(edited: Job = edited, plan: BoardPlan = plan) -> None:
                after = seen(edited, plan)
                box = after.unlike(before)
                assert box is not None
                after.paint(levels, box)

            drawing.append(seconds(drawn) * 1e3)
        all_of_it = min(planning) + min(drawing)
        words = f"{all_of_it:.0f} ms, of it {min(planning):.0f} to plan it"
        yield Row(f"the dial's {name.lower()} edited, to the new picture", "150 ms", words, all_of_it, 150.0, "ms")


def keeping() -> Iterator[Row]:
    """Fifty keyframes of a 1200 x 600 sheet."""

    job = quay_tide_clock().job
    board = next(b for b in job.boards if b.name == "Notice board")
    plan = plan_board(job, board, {})
    sheet = Sheet(width=1200, height=600, readings=(18.0,))
    stock = StockTimeline(sheet, plan.run, job.bits, cell=0.5, times=plan.times.ends)
    number = len(stock._stretches)
    fifty = stock.kept_bytes / 1e6 * 50 / max(number, 1)
    yield Row(
        f"{number} keyframes of 1200 x 600 mm; fifty would be",
        "150 MB",
        f"{fifty:.0f} MB",
        fifty,
        150.0,
        "MB",
    )


ROWS = (seeing, keeping)
