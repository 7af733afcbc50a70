"""Nesting on several processes: the same work from different seeds, and the best of all. They do not talk, so each stays repeatable."""

from __future__ import annotations

import multiprocessing
import queue
import threading
import time
from typing import Any

import msgspec
import numpy as np

from archimetra.layout.nest.nesting import is_better, nest
from archimetra.layout.nest.request import Nested, NestError, NestRequest

_LATE_S = 5.0  # how long one that was told to stop may still take


class Islands:
    """Started when made. ``better`` gives layouts as they come; after ``close`` none are left running. The seeds are the request's and
    those after it."""

    def __init__(self, request: NestRequest, *, work: float = np.inf, count: int = 2) -> None:
        context = multiprocessing.get_context("spawn")
        self._request = request
        self._told: Any = context.Queue()
        self._stop = context.Value("q", 0)
        self._best: tuple[Nested, int] | None = None
        self._running = count
        self._problem: NestError | None = None
        self._processes = [
            context.Process(
                target=_search, daemon=True, name=f"nest {k}",
                args=(msgspec.structs.replace(request, seed=request.seed + k), work, k, self._told, self._stop),
            )
            for k in range(count)
        ]  # fmt: skip
        for process in self._processes:
            process.start()

    @property
    def is_running(self) -> bool:
        """Whether any is still at work, or has told something nobody has taken yet."""
        return self._running > 0 and (any(p.is_alive() for p in self._processes) or not self._told.empty())

    def better(self, timeout: float) -> Nested | None:
        """The next layout better than all before, waiting up to ``timeout`` s; None where there is none yet. Raises NestError with a
        sentence where nothing can be nested."""
        until = time.monotonic() + timeout
        while True:
            try:
                number, nested = self._told.get(timeout=max(until - time.monotonic(), 0.0))
            except queue.Empty:
                return None
            if isinstance(nested, str):
                self._problem = NestError(nested)
                raise self._problem
            if nested is None:
                self._running -= 1
                if self._running <= 0:
                    return None
                continue
            if self._is_best(nested, number):
                self._best = nested, number
                return nested  # type: ignore[no-any-return]

    def _is_best(self, nested: Nested, number: int) -> bool:
        if self._best is None:
            return True
        best, of = self._best
        if is_better(self._request, nested, best):
            return True
        return number < of and not is_better(
            self._request, best, nested
        )  # equals: the first seed's, whoever was quicker

    @property
    def best(self) -> Nested | None:
        return self._best[0] if self._best is not None else None

    def stop(self) -> None:
        """Tell all to come to an end; what they have by then is still told."""
        self._stop.value = 1

    def close(self) -> None:
        self.stop()
        for process in self._processes:
            process.join(0.2)
            if process.is_alive():
                process.terminate()
                process.join(_LATE_S)


def _search(request: NestRequest, work: float, number: int, told: Any, stop: Any) -> None:
    flag = np.zeros(1, np.int64)

    def watch() -> None:
        while not stop.value:
            time.sleep(0.02)
        flag[0] = 1

    threading.Thread(target=watch, daemon=True).start()
    try:
        last = nest(request, work=work, stop=flag, tell=lambda nested: told.put((number, nested)))
        told.put((number, last))
    except NestError as error:
        told.put((number, str(error)))
    told.put((number, None))
