"""The file worker: reads artwork and programs and writes out G-code, so that neither a huge drawing nor a long file holds the window."""

from __future__ import annotations

import os
import traceback
from collections.abc import Iterator
from multiprocessing.connection import Connection
from pathlib import Path as FilePath
from typing import Any

from archimetra.base.errors import ArchimetraError, ArtworkError
from archimetra.engine.messages import (
    ArtworkRead,
    ArtworkRequest,
    DifferRequest,
    Differs,
    FilesMade,
    FilesRequest,
    FilesTrial,
    ProgramRead,
    ProgramRequest,
    WorkerFailed,
)
from archimetra.engine.sharing import shared

LONG_PROGRAM = 3_000_000  # letters; of a longer one the beginning is shown first
MOST_DIFFERENCES = 500
Request = ArtworkRequest | FilesRequest | ProgramRequest | DifferRequest
Answer = ArtworkRead | FilesMade | ProgramRead | Differs | WorkerFailed


def serve(connection: Connection) -> None:
    """Answer requests in order until the other side hangs up; of waiting requests of a kind only the newest counts."""
    waiting: list[Any] = []
    while True:
        try:
            waiting.append(connection.recv())
            while connection.poll():
                waiting.append(connection.recv())
            while waiting:
                request = waiting.pop(0)
                if any(type(later) is type(request) for later in waiting):
                    continue  # of waiting requests of a kind only the newest counts
                for answer in _answers(request):
                    connection.send(answer)
                    while connection.poll():
                        waiting.append(connection.recv())
                    if any(isinstance(later, ProgramRequest) for later in waiting):
                        break  # of this one the beginning was enough
        except (EOFError, BrokenPipeError, ConnectionResetError):
            return


def _answers(request: Request) -> Iterator[Answer]:
    if isinstance(request, ProgramRequest):
        yield from _program(request)
    elif isinstance(request, DifferRequest):
        yield _differ(request)
    else:
        yield _answer(request)


def _program(request: ProgramRequest) -> Iterator[ProgramRead | WorkerFailed]:
    """Its beginning first, where it is long: a person sees what it is."""
    from archimetra.engine.programs import program_of, program_text

    path = FilePath(request.path)

    def read(text: str, is_whole: bool) -> ProgramRead:
        made = program_of(
            path.name, text, request.job, request.board, setup=request.setup, bit=request.bit, is_whole=is_whole
        )
        return ProgramRead(request.number, request.board.id, request.path, shared(made, owner=os.getppid()))

    try:
        text = program_text(path)
        if len(text) > LONG_PROGRAM:
            yield read(text[: text.rfind("\n", 0, LONG_PROGRAM) + 1], False)
        yield read(text, True)
    except ArchimetraError as error:
        yield ProgramRead(request.number, request.board.id, request.path, None, str(error))
    except Exception as error:  # noqa: BLE001  as above
        yield WorkerFailed(f"Reading {path.name} failed: {error}.", "".join(traceback.format_exception(error)))


def _differ(request: DifferRequest) -> Differs | WorkerFailed:
    from archimetra.engine.programs import program_text
    from archimetra.output.gcode_reader import read_gcode
    from archimetra.output.program_checks import differences

    name = request.second[0]
    try:
        texts = [text or program_text(FilePath(path)) for path, text in (request.first, request.second)]
        found = differences(*(read_gcode(text) for text in texts))
        told = tuple((one.line, one.other, one.words) for one in found[:MOST_DIFFERENCES])
        more = len(found) - len(told)
        return Differs(request.number, name, told, f"{more} more are not listed." if more else "")
    except ArchimetraError as error:
        return Differs(request.number, name, (), str(error))
    except Exception as error:  # noqa: BLE001  as above
        return WorkerFailed(f"Comparing failed: {error}.", "".join(traceback.format_exception(error)))


def _answer(request: ArtworkRequest | FilesRequest) -> ArtworkRead | FilesMade | WorkerFailed:
    key = request.key if isinstance(request, FilesRequest) else ""
    try:
        return _read(request) if isinstance(request, ArtworkRequest) else _make(request)
    except ArchimetraError as error:
        if isinstance(request, FilesTrial):
            return FilesMade(key, (), str(error))
        return WorkerFailed(str(error), "", key)
    except Exception as error:  # noqa: BLE001  a fault of ours must reach the window, not kill the worker
        detail = "".join(traceback.format_exception(error))
        what = "Reading artwork" if isinstance(request, ArtworkRequest) else "Writing the files"
        return WorkerFailed(f"{what} failed: {error}.", detail, key)


def _read(request: ArtworkRequest) -> ArtworkRead:
    from archimetra.artwork.drawing import with_scale
    from archimetra.artwork.read import Kind, kind_of, read_artwork
    from archimetra.artwork.svg import artwork_bytes

    path = FilePath(request.path)
    name = request.name or path.name
    try:
        data = request.data or artwork_bytes(path)
        if kind_of(data, name) is Kind.PICTURE:
            return _trace(request, data, name)
        drawing = read_artwork(data, name=name, page=request.page)
        if request.mm_per_unit > 0:
            drawing = with_scale(drawing, request.mm_per_unit)
        drawing.bounds()  # found out here, the boxes travel with the paths
        return ArtworkRead(request.number, name, data, drawing, "", request.path)
    except ArtworkError as error:
        return ArtworkRead(request.number, name, b"", None, str(error), request.path)


def _trace(request: ArtworkRequest, data: bytes, name: str) -> ArtworkRead:
    """A picture traced. What could not be traced with these settings is told, with the tones to choose others by."""
    from archimetra.artwork.drawing import with_scale
    from archimetra.artwork.trace import toned, trace

    picture = _opened(data, name)
    tones = toned(picture, request.trace, name=name)
    told = tuple(
        ("#{:02x}{:02x}{:02x}".format(*c.tolist()), float(s)) for c, s in zip(tones.colours, tones.shares, strict=True)
    )
    drawing, problem = None, ""
    try:
        drawing = trace(picture, request.trace, name=name, tones=tones)
        if request.width_mm > 0:
            drawing = with_scale(drawing, request.width_mm / picture.pixels.shape[1])
        elif request.mm_per_unit > 0:
            drawing = with_scale(drawing, request.mm_per_unit)
    except ArtworkError as error:
        problem = str(error)
    size = drawing.page_mm if drawing is not None else picture.size_mm
    return ArtworkRead(request.number, name, data, drawing, problem, request.path, size, told)


_last_picture: tuple[int, Any] | None = None


def _opened(data: bytes, name: str) -> Any:
    """The picture in the bytes; the last one is kept, as it is traced again at every change of a setting."""
    from archimetra.artwork.trace import open_picture

    global _last_picture
    key = hash(data)
    if _last_picture is None or _last_picture[0] != key:
        _last_picture = (key, open_picture(data, name=name))
    return _last_picture[1]


def _make(request: FilesRequest) -> FilesMade:
    from archimetra.engine.writing import files_of
    from archimetra.output.names import Called

    plan = request.plan.unpacked()
    called = Called(*request.called)
    files = files_of(request.job, request.board, plan.run, plan.setups, request.profile, called)
    return FilesMade(request.key, tuple(files))
