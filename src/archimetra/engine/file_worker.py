"""The file worker: reads artwork and writes out G-code, so that neither a huge drawing nor a long file holds the window."""

from __future__ import annotations

import traceback
from multiprocessing.connection import Connection
from pathlib import Path as FilePath
from typing import Any

from archimetra.base.errors import ArchimetraError, ArtworkError
from archimetra.engine.messages import ArtworkRead, ArtworkRequest, FilesMade, FilesRequest, FilesTrial, WorkerFailed


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
                connection.send(_answer(request))
        except (EOFError, BrokenPipeError, ConnectionResetError):
            return


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

    plan = request.plan.unpacked()
    return FilesMade(request.key, tuple(files_of(request.job, request.board, plan.run, plan.setups, request.profile)))
