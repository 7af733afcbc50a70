"""``Nester``: nesting on several processes, the same work from different seeds, and the best of all. They do not talk, so that each stays
repeatable; the answer is the best layout, of equals that of the first seed."""

from __future__ import annotations

import contextlib
import multiprocessing
import queue
import threading
from collections.abc import Callable
from typing import Any

import msgspec

from archimetra.engine import nest_process
from archimetra.engine.keys import lean_job
from archimetra.engine.messages import NestBetter, NestDone, NestSettings
from archimetra.job.ids import BoardId
from archimetra.job.job import Job

_LATE_S = 3.0  # how long one that was told to end may still take
_LOOK_S = 0.5

NestEvent = NestBetter | NestDone


class Nester:
    """``on_event`` gets every better layout and the end of each run, on a thread of its own. ``start`` has the processes ready before they
    are needed. One run at a time: a newer one ends the older."""

    def __init__(self, on_event: Callable[[NestEvent], None], *, count: int = 2) -> None:
        self._on_event = on_event
        self._count = count
        self._context = multiprocessing.get_context("spawn")
        self._stopped = self._context.Value("q", 0)  # runs up to this number are to end
        self._told: Any = self._context.Queue()
        self._wanted: list[Any] = []
        self._processes: list[Any] = []
        self._number = 0
        self._lock = threading.Lock()
        self._closing = False
        self._listener: threading.Thread | None = None
        self._running = 0
        self._best: tuple[tuple[float, ...], int] | None = None

    @property
    def is_running(self) -> bool:
        """Whether a run is going on."""
        return self._running > 0

    def start(self) -> None:
        if all(process.is_alive() for process in self._processes) and self._processes:
            return
        self._end_processes()
        self._wanted = [self._context.Queue() for _ in range(self._count)]
        self._processes = [
            self._context.Process(
                target=nest_process.serve, args=(k, wanted, self._told, self._stopped), daemon=True, name=f"nest {k}"
            )
            for k, wanted in enumerate(self._wanted)
        ]
        for process in self._processes:
            process.start()
        if self._listener is None:
            self._listener = threading.Thread(target=self._listen, daemon=True, name="nest events")
            self._listener.start()

    def nest(self, job: Job, boards: tuple[BoardId, ...], settings: NestSettings) -> int:
        """Start a run; its number."""
        self.stop()
        self.start()
        with self._lock:
            self._number += 1
            self._running, self._best = self._count, None
            number = self._number
        whole = tuple(board for id_ in boards for board in job.boards if board.id == id_)
        lean = msgspec.structs.replace(lean_job(job), parts=job.parts, cuts=job.cuts)
        for k, wanted in enumerate(self._wanted):
            own = msgspec.structs.replace(settings, seed=settings.seed + k)
            wanted.put((number, lean, whole, own))
        return number

    def stop(self) -> None:
        """Have the run end with what it has by now."""
        with self._stopped.get_lock():
            self._stopped.value = self._number

    def close(self) -> None:
        self._closing = True
        self.stop()
        self._end_processes()
        if self._listener is not None:
            self._listener.join(_LATE_S)
            self._listener = None

    def _end_processes(self) -> None:
        for wanted in self._wanted:
            with contextlib.suppress(ValueError, OSError):
                wanted.put(None)
        for process in self._processes:
            process.join(_LOOK_S)
            if process.is_alive():
                process.terminate()
                process.join(_LATE_S)
        self._processes = []

    def _listen(self) -> None:
        while not self._closing:
            try:
                of, number, rank, event = self._told.get(timeout=_LOOK_S)
            except queue.Empty:
                self._look_after()
                continue
            except (EOFError, OSError):
                return
            self._take(of, number, rank, event)

    def _take(self, of: int, number: int, rank: tuple[float, ...], event: NestEvent) -> None:
        with self._lock:
            if number != self._number:
                return
            if isinstance(event, NestDone):
                self._running -= 1
                if event.problem:
                    self._running = 0
                if self._running > 0:
                    return
            elif self._best is None or (rank, of) < self._best:
                self._best = rank, of
            else:
                return
        self._on_event(event)

    def _look_after(self) -> None:
        """A process that died ends the run with a word."""
        with self._lock:
            is_lost = self._running > 0 and not all(process.is_alive() for process in self._processes)
            if not is_lost:
                return
            self._running = 0
            number = self._number
        self._on_event(
            NestDone(number, "Nesting stopped unexpectedly. Nest again, with fewer parts if it does so twice.")
        )
