"""What an edit is: a new job, the label undo shows, and how it is made on one board. What does not change is shared."""

from __future__ import annotations

from collections.abc import Callable

import msgspec

from archimetra.job.ids import BoardId, last_number
from archimetra.job.job import Board, Job

replace = msgspec.structs.replace


class Edit(msgspec.Struct, frozen=True):
    """Consecutive edits with the same ``merge`` key (a drag, a held arrow key) become one step of the history."""

    label: str
    job: Job
    merge: str = ""


def board_of(job: Job, board_id: BoardId) -> Board:
    board = job.board(board_id)
    if board is None:
        raise ValueError(f"no board {board_id}")
    return board


def with_board(job: Job, board_id: BoardId, change: Callable[[Board], Board]) -> Job:
    """The job with one board changed."""
    return replace(job, boards=tuple(change(b) if b.id == board_id else b for b in job.boards))


def next_shape_number(job: Job, board: Board) -> int:
    """The number of the next shape made on a board: above all there are on it, and all ever given in the job."""
    return max(last_number("shape", [shape.id for shape in board.shapes]), job.numbers.get("shape", 0)) + 1
