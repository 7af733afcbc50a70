"""What the commands share: a job from its file, its boards planned, and options that cannot be."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from archimetra.base.errors import ArchimetraError


class UsageError(ArchimetraError):
    """An option that cannot be."""


def load(path: Path) -> Any:
    """Raises JobFileError."""
    from archimetra.job.file import load_job

    return load_job(path).job


def boards_named(job: Any, board_name: str | None) -> list[Any]:
    """All boards, or those of a name. Raises JobFileError where there is none."""
    from archimetra.base.errors import JobFileError

    boards = [board for board in job.boards if board_name in (None, board.name)]
    if not boards:
        names = ", ".join(board.name for board in job.boards)
        raise JobFileError(f"There is no board '{board_name}' in this job. It has: {names}.")
    return boards


def plans(job: Any, board_name: str | None) -> Any:
    """(board, plan) of every board, or of the one named."""
    from archimetra.engine.planning import plan_board

    return [(board, plan_board(job, board, {})) for board in boards_named(job, board_name)]
