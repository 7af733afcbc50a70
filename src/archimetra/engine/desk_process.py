"""The desk worker: reads artwork and writes out G-code, so that neither a huge drawing nor a long file holds the window."""

from __future__ import annotations

import traceback
from multiprocessing.connection import Connection
from pathlib import Path as FilePath
from typing import Any

from archimetra.base.errors import ArchimetraError, ArtworkError
from archimetra.engine.messages import ArtworkRead, ArtworkRequest, FilesMade, FilesRequest, WorkerFailed


def serve(connection: Connection) -> None:
    """Answer requests in order until the other side hangs up; of waiting file requests only the newest counts."""
    waiting: list[Any] = []
    while True:
        try:
            waiting.append(connection.recv())
            while connection.poll():
                waiting.append(connection.recv())
            while waiting:
                request = waiting.pop(0)
                if isinstance(request, FilesRequest) and any(isinstance(later, FilesRequest) for later in waiting):
                    continue
                connection.send(_answer(request))
        except (EOFError, BrokenPipeError, ConnectionResetError):
            return


def _answer(request: ArtworkRequest | FilesRequest) -> ArtworkRead | FilesMade | WorkerFailed:
    try:
        return _read(request) if isinstance(request, ArtworkRequest) else _make(request)
    except ArchimetraError as error:
        return WorkerFailed(str(error), "")
    except Exception as error:  # noqa: BLE001  a fault of ours must reach the window, not kill the worker
        detail = "".join(traceback.format_exception(error))
        what = "Reading artwork" if isinstance(request, ArtworkRequest) else "Writing the files"
        return WorkerFailed(f"{what} failed: {error}.", detail)


def _read(request: ArtworkRequest) -> ArtworkRead:
    from archimetra.artwork.read import read_artwork
    from archimetra.artwork.svg import artwork_bytes

    path = FilePath(request.path)
    try:
        data = artwork_bytes(path)
        drawing = read_artwork(data, name=path.name)
        drawing.bounds()  # found out here, the boxes travel with the paths
        return ArtworkRead(request.number, path.name, data, drawing, "")
    except ArtworkError as error:
        return ArtworkRead(request.number, path.name, b"", None, str(error))


def _make(request: FilesRequest) -> FilesMade:
    from archimetra.output.controllers import controller
    from archimetra.output.files import gcode_files

    files = gcode_files(request.job, request.board, request.run, controller(request.job.controller))
    return FilesMade(request.key, tuple(files))
