"""What was written of a board, put down with it."""

from __future__ import annotations

from archimetra.edits.edit import replace
from archimetra.job.ids import BoardId
from archimetra.job.job import Job, with_boards
from archimetra.job.written import MOST_RUNS, Written


def note_written(job: Job, board_id: BoardId, written: Written) -> Job:
    """The job with what was written last of a board; files that came out the same keep how often they were cut."""
    board = job.board(board_id)
    if board is None:
        return job
    runs = {(file.name, file.digest): file.runs for file in board.written.files} if board.written is not None else {}
    files = tuple(replace(file, runs=runs.get((file.name, file.digest), 0)) for file in written.files)
    kept = replace(written, files=files)
    return with_boards(job, tuple(replace(b, written=kept) if b.id == board_id else b for b in job.boards))


def count_run(job: Job, board_id: BoardId, name: str, by: int) -> Job:
    """The job with a written file cut so many times more (or fewer)."""
    board = job.board(board_id)
    if board is None or board.written is None:
        return job
    files = tuple(
        replace(file, runs=min(max(file.runs + by, 0), MOST_RUNS)) if file.name == name else file
        for file in board.written.files
    )
    kept = replace(board.written, files=files)
    return with_boards(job, tuple(replace(b, written=kept) if b.id == board_id else b for b in job.boards))
