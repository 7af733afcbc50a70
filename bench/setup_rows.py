"""Rows of setups: parting the sample's notice board beside planning it, and a seam that is moved."""

from __future__ import annotations

import time
from collections.abc import Iterator

from archimetra.demo import quay_tide_clock
from archimetra.edits import setups
from archimetra.edits.edit import replace
from archimetra.edits.finishing import finish_edit
from archimetra.engine.messages import PlannedCut
from archimetra.engine.planning import plan_board
from archimetra.layout.tiles import chains
from rows import Row, seconds, spell


def tiling() -> Iterator[Row]:
    """The board planned whole, once; then parted, with its cuts' plans kept and nothing known of their chains; then with a seam moved."""
    job = quay_tide_clock().job
    board = next(board for board in job.boards if board.name == "Notice board")
    cache: dict[str, PlannedCut] = {}
    plan_board(job, replace(job.boards[0]), {})  # loads and compiles what is loaded once
    plan = seconds(lambda: plan_board(job, replace(board, tiling=None), cache))

    def run(*, forgets: bool) -> float:
        if forgets:
            chains._kept.clear()
        begun = time.perf_counter()
        plan_board(job, board, cache)
        return time.perf_counter() - begun

    whole = min(seconds(lambda: plan_board(job, replace(board, tiling=None), cache)) for _ in range(3))
    parted = min(run(forgets=True) for _ in range(3))
    yield Row(
        "the notice board parted in tiles, beside planning it",
        spell(plan),
        spell(parted - whole),
        (parted - whole) / plan,
        0.5,
    )
    made = plan_board(job, board, cache)
    at = [seam.at for seam in made.seams]
    moved = finish_edit(job, setups.move_seam(job, board.id, 0, at, 0, at[0] + 3.0).job)
    again = min(seconds(lambda: plan_board(moved, moved.board(board.id), cache)) for _ in range(5))
    yield Row(
        "a seam moved: what it takes longer than the board as a whole does",
        spell(whole),
        spell(again),
        (again - whole) * 1e3,
        200.0,
        "ms",
    )


ROWS = (tiling,)
