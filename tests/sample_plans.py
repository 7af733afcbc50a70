"""Plans of the sample's boards, worked out once for a whole run of the tests: its processes share them by files."""

from __future__ import annotations

import os
import pickle
import tempfile
from functools import cache
from pathlib import Path

from archimetra.base.files import write_safely
from archimetra.demo import quay_tide_clock
from archimetra.engine.messages import BoardPlan
from archimetra.engine.planning import plan_board
from archimetra.job.job import Board, Job

_FOLDER = Path(tempfile.gettempdir()) / f"archimetra-plans-{os.environ.get('PYTEST_XDIST_TESTRUNUID', os.getpid())}"


@cache
def sample() -> Job:
    return quay_tide_clock().job


@cache
def plan_of(name: str) -> tuple[Board, BoardPlan]:
    """The sample's board of that name, and its plan."""
    job = sample()
    board = next(board for board in job.boards if board.name == name)
    path = _FOLDER / f"{job.boards.index(board)}.pickle"
    try:
        return board, pickle.loads(path.read_bytes())
    except OSError:
        plan = plan_board(job, board, {})
        path.parent.mkdir(exist_ok=True)
        write_safely(path, pickle.dumps(plan))
        return board, plan
