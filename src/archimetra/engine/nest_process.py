"""The process that nests: waits for a job and its boards, tells every better layout."""

from __future__ import annotations

import threading
import time
from typing import Any

import numpy as np

from archimetra.base.errors import ArchimetraError
from archimetra.engine.messages import NestBetter, NestDone, NestSettings
from archimetra.job.job import Board, Job, with_boards

_LOOK_S = 0.02


def serve(of: int, wanted: Any, told: Any, stopped: Any) -> None:
    """Answer requests (number, job, boards, settings) until None comes. ``stopped`` is the number up to which runs are to end."""
    _get_ready()
    while (request := wanted.get()) is not None:
        number, job, boards, settings = request
        if stopped.value >= number:
            told.put((of, number, (), NestDone(number, "")))
            continue
        stop = np.zeros(1, np.int64)
        done = threading.Event()
        watch = threading.Thread(target=_watch, args=(number, stopped, stop, done), daemon=True)
        watch.start()
        try:
            problem = _nest(of, number, job, boards, settings, told, stop)
        except (ArchimetraError, ValueError) as error:
            problem = str(error)
        done.set()
        told.put((of, number, (), NestDone(number, problem)))


def _get_ready() -> None:
    """Load what a run needs, before anybody waits for it."""
    import scipy.optimize

    import archimetra.layout.of_job  # noqa: F401

    del scipy


def _nest(
    of: int, number: int, job: Job, boards: tuple[Board, ...], settings: NestSettings, told: Any, stop: Any
) -> str:  # fmt: skip
    from archimetra.layout.nest.answer import Nested
    from archimetra.layout.nest.nesting import rank
    from archimetra.layout.nest.stages import nest
    from archimetra.layout.of_job import nest_request

    job = with_boards(job, boards)
    request, parts = nest_request(
        job, job.boards, spacing=settings.spacing, margin=settings.margin, seed=settings.seed, shares_edges=settings.shares_edges,
    )  # fmt: skip

    def tell(nested: Nested) -> None:
        event = NestBetter(number, nested, parts, request.spacing)
        told.put((of, number, rank(request, nested), event))

    nest(request, work=settings.work, stop=stop, tell=tell)
    return ""


def _watch(number: int, stopped: Any, stop: Any, done: threading.Event) -> None:
    while not done.is_set():
        if stopped.value >= number:
            stop[0] = 1
            return
        time.sleep(_LOOK_S)
