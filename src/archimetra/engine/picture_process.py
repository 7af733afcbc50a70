"""Pictures and films of a board, made in a process of their own beside the window and written where they are wanted."""

from __future__ import annotations

import io
import multiprocessing
import threading
from collections.abc import Callable
from enum import StrEnum
from multiprocessing.connection import Connection
from pathlib import Path as FilePath
from typing import Any

import msgspec

from archimetra.base.errors import ArchimetraError
from archimetra.job.ids import BoardId
from archimetra.job.job import Job

_LATE_S = 2.0


class What(StrEnum):
    PICTURE = "picture"  # the tilted view
    RUN = "run"
    TURNTABLE = "turntable"
    SHEET = "sheet"  # the job sheet: PDF, or text by the ending of its path
    FILES = "files"  # those of all boards, as JSON for the window to write
    ZIP = "zip"  # everything


class PictureRequest(msgspec.Struct, frozen=True):
    """``what`` of a board goes to ``path``, ``size`` pixels wide and high: seen as ``view`` ("plan" or "tilted") from ``turn`` and ``above``
    degrees, turned over with ``is_over``; a picture at a share ``at`` of the run, a film in so many ``seconds``."""

    what: What
    job: Job
    board: BoardId
    path: str
    size: tuple[int, int]
    view: str = "tilted"
    turn: float = 25.0
    above: float = 40.0
    is_over: bool = False
    theme: str = "light"
    at: float = 1.0
    seconds: float = 8.0
    fps: float = 12.0
    all_boards: bool = False  # of a job sheet
    paper: str = "a4"


class PictureEvent(msgspec.Struct, frozen=True):
    """How much is done; at 1 it is written, unless a ``problem`` is told in a sentence."""

    share: float
    problem: str = ""

    @property
    def is_last(self) -> bool:
        return self.share >= 1.0 or bool(self.problem)


class PictureMaker:
    """One at a time; ``on_event`` is called on a thread of its own."""

    def __init__(self, on_event: Callable[[PictureEvent], None]) -> None:
        self._on_event = on_event
        self._process: Any = None

    @property
    def is_running(self) -> bool:
        return self._process is not None and self._process.is_alive()

    def start(self, request: PictureRequest) -> None:
        """Make it; one that is being made is given up."""
        self.stop()
        context = multiprocessing.get_context("spawn")
        here, there = context.Pipe(duplex=False)
        self._process = context.Process(target=serve, args=(there, request), daemon=True, name="pictures")
        self._process.start()
        there.close()
        threading.Thread(target=self._listen, args=(here, self._process), daemon=True, name="picture events").start()

    def stop(self) -> None:
        """Give up what is being made: nothing is written then."""
        process, self._process = self._process, None
        if process is not None and process.is_alive():
            process.terminate()
            process.join(_LATE_S)

    def _listen(self, connection: Connection, process: Any) -> None:
        is_told = False
        while not is_told:
            try:
                event = connection.recv()
            except (EOFError, OSError):
                event = PictureEvent(0.0, "Making the picture stopped unexpectedly. Try a smaller or a shorter one.")
            if process is not self._process:
                return
            is_told = event.is_last
            self._on_event(event)


def serve(connection: Connection, request: PictureRequest) -> None:
    """Make what is asked for and tell how far it is."""
    try:
        data = _made(request, lambda share: connection.send(PictureEvent(min(0.98 * share, 0.98))))
        _write(FilePath(request.path), data)
        connection.send(PictureEvent(1.0))
    except OSError as error:
        connection.send(
            PictureEvent(0.0, f"{request.path} could not be written: {error.strerror or error}. Choose another place.")
        )
    except ArchimetraError as error:
        connection.send(PictureEvent(0.0, str(error)))
    except (ValueError, MemoryError) as error:
        connection.send(PictureEvent(0.0, f"The picture could not be made: {error}. Try a smaller one."))


def _write(path: FilePath, data: bytes) -> None:
    from archimetra.base.files import write_safely

    write_safely(path, data)


def _made(request: PictureRequest, report: Callable[[float], None]) -> bytes:
    from archimetra.engine.filming import film
    from archimetra.engine.planning import plan_board

    if request.what is What.SHEET:
        return _sheet(request, report)
    if request.what in (What.FILES, What.ZIP):
        from archimetra.engine.bundle import all_files, zipped

        if request.what is What.ZIP:
            return zipped(request.job, paper=request.paper, report=report)
        return msgspec.json.encode(all_files(request.job, report))
    board = request.job.board(request.board)
    if board is None:
        raise ValueError("the board is gone")
    plan = plan_board(request.job, board, {})
    report(0.05)
    if request.what is What.PICTURE:
        from PIL import Image

        from archimetra.engine.tilting import tilted_picture

        rgb = tilted_picture(
            request.job, board, plan, at=request.at, turn=request.turn, above=request.above, size=request.size, theme=request.theme,
            is_over=request.is_over,
        )  # fmt: skip
        out = io.BytesIO()
        Image.fromarray(rgb).save(out, "PNG")
        return out.getvalue()
    is_turntable = request.what is What.TURNTABLE
    return film(
        request.job, board, plan, view="tilted" if is_turntable else request.view, size=request.size, seconds=request.seconds,
        fps=request.fps, turn=request.turn, above=request.above, is_turntable=is_turntable, theme=request.theme,
        report=lambda share: report(0.05 + 0.95 * share),
    )  # fmt: skip


def _sheet(request: PictureRequest, report: Callable[[float], None]) -> bytes:
    from archimetra.engine.jobsheet import sheet_of
    from archimetra.output.jobsheet.pdf import as_pdf
    from archimetra.output.jobsheet.text import as_text

    job = request.job
    boards = [board for board in job.boards if request.all_boards or board.id == request.board]
    boards = [board for board in boards if any(cut.is_on for cut in board.cuts)]
    sheet = sheet_of(job, boards, report=lambda share: report(0.9 * share))
    is_text = request.path.lower().endswith(".txt")
    return as_text(sheet).encode() if is_text else as_pdf(sheet, paper=request.paper)
