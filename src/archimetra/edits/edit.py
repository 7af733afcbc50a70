"""What an edit is: a new job, the label undo shows, and how it is made on one board. What does not change is shared."""

from __future__ import annotations

from collections.abc import Callable

import msgspec

from archimetra.job.ids import BoardId, last_number
from archimetra.job.job import Board, Job, with_boards

replace = msgspec.structs.replace


class Edit(msgspec.Struct, frozen=True):
    """Consecutive edits with the same ``merge`` key (a drag, a held arrow key) become one step of the history."""

    label: str
    job: Job
    merge: str = ""


def board_of(job: Job, board_id: BoardId) -> Board:
    """The board of that id. Raises ValueError where there is none."""
    board = job.board(board_id)
    if board is None:
        raise ValueError(f"no board {board_id}")
    return board


def with_board(job: Job, board_id: BoardId, change: Callable[[Board], Board]) -> Job:
    """The job with one board changed."""
    return with_boards(job, tuple(change(b) if b.id == board_id else b for b in job.boards))


def next_number(job: Job, kind: str) -> int:
    """The number of the next thing of a kind (``board``, ``bit``, ``cut``, ``inlay``, ``layer``, ``part``, ``piece`` for an instance of one,
    ``shape``): above all there are in the
    job, on whatever board, and above the last ever given."""
    match kind:
        case "shape" | "layer":
            ids = [thing.id for home in (*job.stored, *job.parts) for thing in getattr(home, f"{kind}s")]
        case "piece":
            ids = [piece.id for board in job.stored for piece in board.instances]
        case "board":
            ids = [board.id for board in job.stored]
        case _:
            ids = [thing.id for thing in getattr(job, f"{kind}s")]
    return max(last_number(kind, ids), job.numbers.get(kind, 0)) + 1
