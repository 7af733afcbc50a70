"""Which sheets of a job pieces are nested on, unless a person says otherwise."""

from __future__ import annotations

from archimetra.job.flat import MARK
from archimetra.job.ids import BoardId
from archimetra.job.job import Board, Job

_SAME_MM = 0.5  # sheets of one kind differ by less in thickness


def suited(job: Job, shown: BoardId) -> list[BoardId]:
    """The boards pieces lie on, or, where none lie yet, the ``shown`` one; and those on sheets of the same material and thickness on which nothing else is
    cut. In the job's order."""
    have = [board for board in job.boards if board.instances] or [board for board in job.boards if board.id == shown]
    return [
        board.id for board in job.boards
        if board in have or (not _has_own_work(board) and any(_is_like(board, other) for other in have))
    ]  # fmt: skip


def _has_own_work(board: Board) -> bool:
    return any(MARK not in shape.id for cut in board.cuts for shape in board.shapes_of(cut))


def _is_like(one: Board, other: Board) -> bool:
    return one.sheet.material == other.sheet.material and abs(one.sheet.thickest - other.sheet.thickest) < _SAME_MM
