"""Where files begin, and what was written of a board, put down with it."""

from __future__ import annotations

from archimetra.edits.edit import Edit, replace
from archimetra.job.ids import BoardId, CutId
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


def begin_file(job: Job, cut_id: CutId, *, begins: bool) -> Edit:
    """Have a new file begin with a cut, or no longer."""
    return Edit("New file here" if begins else "No new file here", _with_begins(job, {cut_id: begins}))


def move_file(job: Job, from_cut: CutId, to_cut: CutId) -> Edit:
    """The file that begins with one cut begins with another instead."""
    return Edit("Move where a file begins", _with_begins(job, {from_cut: False, to_cut: True}))


def _with_begins(job: Job, begins: dict[CutId, bool]) -> Job:
    boards = tuple(
        replace(
            board,
            cuts=tuple(
                replace(cut, begins_file=begins[cut.id])
                if begins.get(cut.id, cut.begins_file) != cut.begins_file
                else cut
                for cut in board.cuts
            ),
        )
        for board in job.boards
    )
    return with_boards(job, boards)
