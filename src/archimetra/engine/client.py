"""The window's side of the workers: starts them, says what is wanted, hands on what comes back.

Nothing here blocks on work. Events arrive on reader threads and go to the one callback, which must be
thread-safe (the window's queues them). A worker that dies is started again and told anew what is wanted.
"""

from __future__ import annotations

import contextlib
import logging
import multiprocessing
import threading
from collections.abc import Callable
from multiprocessing.connection import Connection
from multiprocessing.shared_memory import SharedMemory
from typing import Any

import msgspec

from archimetra.engine import desk_process, planner_process, stock_process
from archimetra.engine.keys import lean_board, lean_job, plan_key
from archimetra.engine.messages import (
    ArtworkRequest,
    BoardPlan,
    CompareRequest,
    Event,
    FilesRequest,
    MateRequest,
    MomentRequest,
    PlanRequest,
    StockRequest,
    WorkerFailed,
)
from archimetra.job.ids import BoardId
from archimetra.job.job import Board, Job
from archimetra.toolpath.program import Run

log = logging.getLogger("archimetra")

MOST_FIELD_BYTES = 4 * 3_200_000  # float32 and uint32 cells; above stock's MOST_CELLS with room for rounding


class Engine:
    """Worker processes: one plans, one keeps the stock, and a desk reads artwork and writes files, started when first
    wanted."""

    def __init__(self, on_event: Callable[[Event], None]) -> None:
        self._on_event = on_event
        self._context = multiprocessing.get_context("spawn")
        self._newest = self._context.Value("q", 0)
        self.field = SharedMemory(create=True, size=MOST_FIELD_BYTES)
        self.pixels = SharedMemory(create=True, size=MOST_FIELD_BYTES)
        self._planner: _Worker | None = None
        self._stock: _Worker | None = None
        self._desk: _Worker | None = None
        self._reading = 0
        self._wanted: PlanRequest | None = None
        self._is_closed = False

    def start(self) -> None:
        """Start the workers (a moment's work; they load on their own time)."""
        self._planner = _Worker(
            self._context, planner_process.serve, (self._newest,), self._on_event, self._planner_lost, "planner"
        )
        self._stock = _Worker(
            self._context,
            stock_process.serve,
            (self.field.name, self.pixels.name),
            self._on_event,
            self._stock_lost,
            "stock",
        )

    def plan(self, job: Job, board_id: BoardId) -> str | None:
        """Ask for a board's plan; an older request still running is stopped. Returns the key the plan will carry."""
        board = job.board(board_id)
        if board is None or self._is_closed:
            return None
        lean = lean_board(board)
        with self._newest.get_lock():
            self._newest.value += 1
            number = int(self._newest.value)
        self._wanted = PlanRequest(number, lean_job(job), lean)
        if self._planner is not None:
            self._planner.send(self._wanted)
        return plan_key(job, lean)

    def mate(self, request: MateRequest) -> None:
        """Lay an inlay together after what is being planned; a newer plan drops it."""
        self._after_plan(request)

    def compare(self, request: CompareRequest) -> None:
        """Plan a V-carve with several bits; ``BitsCompared`` brings what they make of it."""
        self._after_plan(request)

    def _after_plan(self, request: MateRequest | CompareRequest) -> None:
        if self._planner is not None and not self._is_closed:
            self._planner.send(msgspec.structs.replace(request, number=int(self._newest.value)))

    def show_stock(self, plan: BoardPlan, job: Job, board: Board) -> None:
        """Build the stock of a plan."""
        if self._stock is not None:
            self._stock.send(StockRequest(plan.key, board.sheet, plan.run, plan.times.ends, job.bits))

    def seek(self, request: MomentRequest) -> None:
        if self._stock is not None:
            self._stock.send(request)

    def read_artwork(self, request: ArtworkRequest) -> int:
        """Read artwork in the background; its ``ArtworkRead`` carries the number returned."""
        self._reading += 1
        self._at_desk(msgspec.structs.replace(request, number=self._reading))
        return self._reading

    def stop_reading(self) -> None:
        """Give up what is being read."""
        if self._desk is not None:
            self._desk.close()
            self._desk = None

    def make_files(self, key: str, job: Job, board: Board, run: Run) -> None:
        """Write a planned board as G-code in the background; ``FilesMade`` carries the key."""
        self._at_desk(FilesRequest(key, lean_job(job), lean_board(board), run))

    def _at_desk(self, request: ArtworkRequest | FilesRequest) -> None:
        if self._is_closed:
            return
        if self._desk is None:
            self._desk = _Worker(self._context, desk_process.serve, (), self._on_event, self._desk_lost, "desk")
        self._desk.send(request)

    def close(self) -> None:
        """Stop the workers and give the shared memory back. May be called twice."""
        if self._is_closed:
            return
        self._is_closed = True
        for worker in (self._planner, self._stock, self._desk):
            if worker is not None:
                worker.close()
        for block in (self.field, self.pixels):
            with contextlib.suppress(BufferError, FileNotFoundError):
                block.close()
            with contextlib.suppress(FileNotFoundError):
                block.unlink()

    def _planner_lost(self) -> None:
        if not self._is_closed and self._planner is not None:
            self._planner.restart()
            self._on_event(WorkerFailed("The planner stopped and was started again.", ""))
            if self._wanted is not None:
                self._planner.send(self._wanted)

    def _desk_lost(self) -> None:
        self._desk = None  # the next request starts another
        self._on_event(WorkerFailed("Reading or writing stopped unexpectedly. Try again; a smaller file may help.", ""))

    def _stock_lost(self) -> None:
        if not self._is_closed and self._stock is not None:
            self._stock.restart()
            self._on_event(WorkerFailed("The stock view stopped and was started again.", ""))


class _Worker:
    """One process with its pipe, a thread that reads from it and one that writes to it."""

    def __init__(
        self,
        context: Any,
        serve: Callable[..., None],
        arguments: tuple[Any, ...],
        on_event: Callable[[Event], None],
        on_lost: Callable[[], None],
        name: str,
    ) -> None:
        self._context = context
        self._serve = serve
        self._arguments = arguments
        self._on_event = on_event
        self._on_lost = on_lost
        self._name = name
        self._is_closing = False
        self._start()

    def _start(self) -> None:
        self._outbox: list[Any] = []
        self._ready = threading.Condition()
        self._pipe, there = self._context.Pipe()
        self._process = self._context.Process(
            target=self._serve, args=(there, *self._arguments), name=f"archimetra-{self._name}", daemon=True
        )
        self._there: Connection | None = there
        for target in (self._write, self._read):
            threading.Thread(
                target=target, args=(self._pipe,), name=f"{self._name}-{target.__name__}", daemon=True
            ).start()

    def send(self, request: Any) -> None:
        """Queue a request; the writing thread sends it (large arrays take a while)."""
        with self._ready:
            self._outbox.append(request)
            self._ready.notify()

    def restart(self) -> None:
        self._start()

    def close(self) -> None:
        self._is_closing = True
        with self._ready:
            self._ready.notify()
        if self._process.pid is not None:
            self._process.terminate()
            self._process.join(2.0)
        with contextlib.suppress(OSError):
            self._pipe.close()

    def _write(self, pipe: Connection) -> None:
        self._process.start()  # here, not on the window's thread: starting takes tens of milliseconds
        if self._there is not None:
            self._there.close()
            self._there = None
        while not self._is_closing:
            with self._ready:
                while not self._outbox and not self._is_closing:
                    self._ready.wait()
                waiting, self._outbox = self._outbox, []
            for request in waiting:
                try:
                    pipe.send(request)
                except (OSError, ValueError, TypeError):  # the pipe is gone, or closed under our hands
                    if not self._is_closing:
                        log.warning("A request to the %s was lost: its pipe is gone.", self._name)
                    return

    def _read(self, pipe: Connection) -> None:
        while True:
            try:
                event = pipe.recv()
            except (EOFError, OSError, TypeError):
                if not self._is_closing:
                    self._on_lost()
                return
            if not self._is_closing:
                self._on_event(event)
