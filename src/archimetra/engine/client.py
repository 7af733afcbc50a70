"""The window's side of the workers: starts them, says what is wanted, hands on what comes back.

Nothing here blocks on work. Events arrive on reader threads and go to the one callback, which must be
thread-safe (the window's queues them). A worker that dies is started again and told anew what is wanted.
"""

from __future__ import annotations

import contextlib
import logging
import multiprocessing
import os
import threading
from collections.abc import Callable
from multiprocessing.connection import Connection
from multiprocessing.shared_memory import SharedMemory
from typing import Any
from weakref import WeakSet

import msgspec

from archimetra.engine import file_worker, planner_process, stock_process
from archimetra.engine.keys import front_of, lean_board, lean_job
from archimetra.engine.messages import (
    MOST_PICTURE,
    ArtworkRead,
    ArtworkRequest,
    BitsCompared,
    BoardPlan,
    CloserRequest,
    CompareRequest,
    DifferRequest,
    Event,
    FilesMade,
    FilesRequest,
    FilesTrial,
    MateMade,
    MateRequest,
    Moment,
    MomentRequest,
    PlanMade,
    PlanRequest,
    Program,
    ProgramRead,
    ProgramRequest,
    StandingRequest,
    StockReady,
    StockRequest,
    ThumbRequest,
    TiltRequest,
    TrialRequest,
    TrialsMade,
    WorkerFailed,
)
from archimetra.engine.sharing import Shared, is_running, shared, sweep
from archimetra.job.ids import BoardId
from archimetra.job.job import Board, Job
from archimetra.job.setups import Setup
from archimetra.output.controllers.profile import Controller
from archimetra.output.names import board_called

log = logging.getLogger("archimetra")

MOST_TRIES = 3
"""A request that ended its worker this often is not sent again: it would do so for ever."""

MOST_FIELD_BYTES = (
    4 * 4_400_000
)  # uint32 cells, and a third more for coarser pictures; above MOST_CELLS with room for rounding


class Engine:
    """Worker processes: one plans, one keeps the stock, and a third reads artwork and writes files, started when first
    wanted."""

    def __init__(self, on_event: Callable[[Event], None]) -> None:
        self._on_event = on_event
        self._context = multiprocessing.get_context("spawn")
        self._newest = self._context.Value("q", 0)
        self.pixels = SharedMemory(create=True, size=MOST_FIELD_BYTES)
        self.pictures = SharedMemory(create=True, size=2 * 4 * MOST_PICTURE)
        self._planner: _Worker | None = None
        self._stock: _Worker | None = None
        self._files: _Worker | None = None
        self._reading = 0
        self._reading_program = 0
        self._program_wanted: ProgramRequest | None = None  # until it has come, whole
        self._is_reading = False
        self._wanted: PlanRequest | None = None  # what the planner was asked for last
        self._wanted_after: MateRequest | CompareRequest | TrialRequest | None = (
            None  # and what is to follow, until it has come
        )
        self._stock_wanted: StockRequest | None = None
        self._stock_ready: StockReady | None = None  # the answer to that
        self._moment_wanted: MomentRequest | None = None
        self._files_wanted: FilesRequest | None = None  # until they have come
        self._tries = {"planner": 0, "stock": 0}  # times a worker was lost since it last answered
        self._is_closed = False
        self._kept: WeakSet[Shared] = WeakSet()  # what lies in memory for all, and goes at the latest with this

    def start(self) -> None:
        """Start the workers (a moment's work; they load on their own time)."""
        sweep(is_running)
        self._planner = _Worker(
            self._context, planner_process.serve, (self._newest,), self._from_planner, self._planner_lost, "planner"
        )
        self._stock = _Worker(
            self._context,
            stock_process.serve,
            (self.pixels.name, self.pictures.name),
            self._from_stock,
            self._stock_lost,
            "stock",
        )

    def plan(self, job: Job, board_id: BoardId) -> None:
        """Ask for a board's plan; an older request still running is stopped. The plan will carry the board's ``plan_key``."""
        board = job.board(board_id)
        if board is None or self._is_closed:
            return
        lean, front = lean_board(board), front_of(job, board)
        with self._newest.get_lock():
            self._newest.value += 1
            number = int(self._newest.value)
        self._wanted, self._wanted_after = (
            PlanRequest(number, lean_job(job), lean, None if front is None else lean_board(front)),
            None,
        )
        self._tries["planner"] = 0
        if self._planner is not None:
            self._planner.send(self._wanted)

    def plan_quietly(self, job: Job, board_id: BoardId) -> None:
        """Ask for the plan of a board that is not looked at, after all that is; the next ``plan`` stops it."""
        board = job.board(board_id)
        if board is None or self._is_closed or self._planner is None:
            return
        front = front_of(job, board)
        self._planner.send(
            PlanRequest(
                int(self._newest.value),
                lean_job(job),
                lean_board(board),
                None if front is None else lean_board(front),
                is_quiet=True,
            )
        )

    def measure_standing(self, plan: BoardPlan, job: Job, board: Board) -> None:
        """Ask what a planned board leaves standing, after all else; ``StandingMade`` carries the plan's key."""
        if self._planner is not None and not self._is_closed:
            request = StandingRequest(
                int(self._newest.value), lean_job(job), lean_board(board), self._of_all(plan), plan.key
            )
            self._planner.send(request)

    def mate(self, request: MateRequest) -> None:
        """Lay an inlay together after what is being planned; a newer plan drops it."""
        self._after_plan(request)

    def compare(self, request: CompareRequest) -> None:
        """Plan a V-carve with several bits; ``BitsCompared`` brings what they make of it."""
        self._after_plan(request)

    def try_versions(self, request: TrialRequest) -> None:
        """Plan a cut in several versions; ``TrialsMade`` brings what comes of them. A newer plan drops it."""
        self._after_plan(request)

    def _after_plan(self, request: MateRequest | CompareRequest | TrialRequest) -> None:
        if self._planner is not None and not self._is_closed:
            self._wanted_after = request
            self._planner.send(msgspec.structs.replace(request, number=int(self._newest.value)))

    def show_stock(self, plan: BoardPlan, job: Job, board: Board) -> None:
        """Build the stock of a plan; where it is built already, that is said again."""
        if self._stock_wanted is not None and self._stock_wanted.key == plan.run_key:
            if self._stock_ready is not None:
                self._on_event(self._stock_ready)
        elif self._stock is not None:
            self._stock_ready = None
            self._stock_wanted = self._stock_request(plan, job, board)
            self._tries["stock"] = 0
            self._stock.send(self._stock_wanted)

    def seek(self, request: MomentRequest) -> None:
        if self._stock is not None:
            self._moment_wanted = request
            self._stock.send(request)

    def tilt(self, request: TiltRequest) -> None:
        """Have the stock shown drawn from anywhere; ``Tilted`` carries the request's number."""
        self._to_stock(request)

    def look_closer(self, request: CloserRequest) -> None:
        """Have a part of the stock shown drawn in fine cells; ``Closer`` carries the request's number."""
        self._to_stock(request)

    def draw_thumb(self, plan: BoardPlan, job: Job, board: Board, width: int) -> None:
        """Have a small picture made of a board's finished stock, when nothing else is asked for."""
        self._to_stock(ThumbRequest(board.id, self._stock_request(plan, job, board), width))

    def _to_stock(self, request: TiltRequest | CloserRequest | ThumbRequest) -> None:
        if self._stock is not None and not self._is_closed:
            self._stock.send(request)

    def _stock_request(self, plan: BoardPlan, job: Job, board: Board) -> StockRequest:
        about = board.back_of.about if board.back_of is not None else None
        return StockRequest(plan.run_key, board.sheet, self._of_all(plan), job.bits, about)

    def read_artwork(self, request: ArtworkRequest) -> int:
        """Read artwork in the background; its ``ArtworkRead`` carries the number returned."""
        self._reading += 1
        self._is_reading = True
        self._to_files(msgspec.structs.replace(request, number=self._reading))
        return self._reading

    def stop_reading(self) -> None:
        """Give up what is being read. Files that wait behind it are written all the same."""
        if self._files is not None:
            self._files.close()
            self._files = None
        self._is_reading = False
        for request in (self._files_wanted, self._program_wanted):
            if request is not None:
                self._to_files(request)

    def make_files(self, key: str, job: Job, board: Board, plan: BoardPlan, profile: Controller) -> None:
        """Write a planned board as G-code for a controller in the background; ``FilesMade`` carries the key."""
        self._files_wanted = FilesRequest(
            key, lean_job(job), lean_board(board), self._of_all(plan), profile, board_called(job, board)
        )
        self._to_files(self._files_wanted)

    def try_files(self, key: str, job: Job, board: Board, plan: BoardPlan, profile: Controller) -> None:
        """The same to look at; of several asked for only the last comes."""
        self._to_files(
            FilesTrial(key, lean_job(job), lean_board(board), self._of_all(plan), profile, board_called(job, board))
        )

    def read_program(self, path: str, job: Job, board: Board, *, setup: Setup | None = None, bit: str = "") -> int:
        """Read a program of anybody's and lay it on a board; its ``ProgramRead`` (of a long one two) carries the number returned."""
        self._reading_program += 1
        self._program_wanted = ProgramRequest(self._reading_program, path, lean_job(job), lean_board(board), setup, bit)
        self._to_files(self._program_wanted)
        return self._reading_program

    def differ(self, first: tuple[str, str], second: tuple[str, str]) -> int:
        """Compare two programs, each a path or a text under a name; ``Differs`` carries the number returned."""
        self._reading_program += 1
        self._to_files(DifferRequest(self._reading_program, first, second))
        return self._reading_program

    def _to_files(self, request: ArtworkRequest | FilesRequest | ProgramRequest | DifferRequest) -> None:
        if self._is_closed:
            return
        if self._files is None:
            self._files = _Worker(self._context, file_worker.serve, (), self._from_files, self._files_lost, "files")
        self._files.send(request)

    def close(self) -> None:
        """Stop the workers and give the shared memory back. May be called twice."""
        if self._is_closed:
            return
        self._is_closed = True
        for worker in (self._planner, self._stock, self._files):
            if worker is not None:
                worker.close()
        for packed in list(self._kept):
            packed.remove()
        for block in (self.pixels, self.pictures):
            with contextlib.suppress(BufferError, FileNotFoundError):
                block.close()
            with contextlib.suppress(FileNotFoundError):
                block.unlink()

    def _of_all(self, plan: BoardPlan) -> Shared:
        """A plan as all processes can look into it."""
        return plan.shared if plan.shared is not None else self._keeping(shared(plan, owner=os.getpid()))

    def _keeping(self, packed: Shared) -> Shared:
        self._kept.add(packed)
        return packed.keep()

    # ---- what comes back, and workers that are lost

    def _from_planner(self, event: Event | PlanMade) -> None:
        if isinstance(event, PlanMade):
            self._tries["planner"] = 0
            plan: BoardPlan = msgspec.structs.replace(event.plan.unpacked(), shared=self._keeping(event.plan))
            self._on_event(plan)
            return
        if isinstance(event, MateMade | BitsCompared | TrialsMade) and _answers(event, self._wanted_after):
            self._wanted_after = None
        self._on_event(event)

    def _from_stock(self, event: Event) -> None:
        if isinstance(event, Moment):
            self._tries["stock"] = 0
        elif isinstance(event, StockReady) and self._stock_wanted is not None and event.key == self._stock_wanted.key:
            self._stock_ready = event
        self._on_event(event)

    def _from_files(self, event: Event) -> None:
        key = event.key if isinstance(event, FilesMade) else event.files_key if isinstance(event, WorkerFailed) else ""
        if self._files_wanted is not None and key == self._files_wanted.key:
            self._files_wanted = None
        if isinstance(event, ArtworkRead) and event.number == self._reading:
            self._is_reading = False
        if isinstance(event, ProgramRead):
            event = self._program_came(event)
        self._on_event(event)

    def _program_came(self, event: ProgramRead) -> ProgramRead:
        """The same with its program out in the open, the plan as all processes can look into it."""
        if event.packed is not None:
            program: Program = self._keeping(event.packed).unpacked()
            plan = msgspec.structs.replace(program.plan, shared=self._keeping(shared(program.plan, owner=os.getpid())))
            event = msgspec.structs.replace(event, packed=None, program=msgspec.structs.replace(program, plan=plan))
        wanted = self._program_wanted
        if wanted is not None and event.number == wanted.number and (event.program is None or event.program.is_whole):
            self._program_wanted = None
        return event

    def _planner_lost(self) -> None:
        if self._is_closed or self._planner is None:
            return
        self._planner.restart()
        self._tries["planner"] += 1
        if self._tries["planner"] >= MOST_TRIES:
            self._on_event(
                WorkerFailed(
                    f"The planner stopped {MOST_TRIES} times on this board and was not asked again. Undo the last change, "
                    "or switch the cut changed last off.", "",
                )
            )  # fmt: skip
            return
        self._on_event(WorkerFailed("The planner stopped and was started again.", ""))
        if self._wanted is not None:
            self._planner.send(self._wanted)
        if self._wanted_after is not None:
            self._after_plan(self._wanted_after)

    def _files_lost(self) -> None:
        self._files = None  # the next request starts another
        was_reading, self._is_reading = self._is_reading, False
        files = self._files_wanted
        self._files_wanted = self._program_wanted = None  # what is reading a program hears that it stopped
        self._on_event(
            WorkerFailed(
                "Reading or writing stopped unexpectedly. Try again; a smaller file may help.", "",
                files_key=files.key if files is not None and not was_reading else "",
            )
        )  # fmt: skip
        if files is not None and was_reading:  # it was not their fault
            self._files_wanted = files
            self._to_files(files)

    def _stock_lost(self) -> None:
        if self._is_closed or self._stock is None:
            return
        self._stock.restart()
        self._stock_ready = None
        self._tries["stock"] += 1
        if self._tries["stock"] >= MOST_TRIES:
            self._on_event(
                WorkerFailed(
                    f"The stock view stopped {MOST_TRIES} times on this board and stands still until the next change. "
                    "Planning and files are not touched by it.", "",
                )
            )  # fmt: skip
            return
        self._on_event(WorkerFailed("The stock view stopped and was started again.", ""))
        for request in (self._stock_wanted, self._moment_wanted):
            if request is not None:
                self._stock.send(request)


def _answers(
    event: MateMade | BitsCompared | TrialsMade, request: MateRequest | CompareRequest | TrialRequest | None
) -> bool:
    if isinstance(request, MateRequest):
        return isinstance(event, MateMade) and (event.key, event.line) == (request.key, request.line)
    return isinstance(event, TrialsMade if isinstance(request, TrialRequest) else BitsCompared)


class _Worker:
    """One process with its pipe, a thread that reads from it and one that writes to it."""

    def __init__(
        self,
        context: Any,
        serve: Callable[..., None],
        arguments: tuple[Any, ...],
        on_event: Callable[[Any], None],
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
        # the reading thread closes the pipe: closed here, its number might be another pipe's before that thread has noticed

    def _write(self, pipe: Connection) -> None:
        if not self._is_closing:
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
        if self._process.pid is not None:  # closed while it was being started
            self._process.terminate()

    def _read(self, pipe: Connection) -> None:
        while True:
            try:
                event = pipe.recv()
            except (EOFError, OSError, TypeError):
                with contextlib.suppress(OSError):
                    pipe.close()
                if not self._is_closing:
                    self._on_lost()
                return
            if not self._is_closing:
                self._on_event(event)
