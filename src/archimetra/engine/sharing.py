"""Results handed from process to process without copying them again: arrays lie once in memory all can look into, and what is sent says
where. Arrays that are stretches of others are laid down with those.
"""

from __future__ import annotations

import contextlib
import mmap
import os
import pickle
import tempfile
from collections.abc import Callable, Iterator
from itertools import count
from pathlib import Path as FilePath
from typing import Any
from weakref import finalize

import numpy as np

_MEMORY = FilePath("/dev/shm")
_ALIGN = 64
_SMALL_BYTES = 4096  # not worth a file
_numbers = count()


class Shared:
    """Something packed: its ``body`` without the arrays, and where those lie: in a file, or beside the body where there is no room for one.

    In the process that ``keep``s it the file goes with this object. Elsewhere it is only looked at; whoever has looked keeps what
    it saw.
    """

    def __init__(self, body: bytes, parts: tuple[tuple[int, int], ...], path: str, data: bytes) -> None:
        self._body, self._parts, self._path, self._data = body, parts, path, data

    def __reduce__(self) -> tuple[Any, ...]:
        return Shared, (self._body, self._parts, self._path, self._data)

    @property
    def bytes_sent(self) -> int:
        """What it comes to in a pipe."""
        return len(self._body) + len(self._data)

    def keep(self) -> Shared:
        """Take the file over: it is removed when nobody here holds this object any more."""
        if self._path:
            finalize(self, _remove, self._path)
        return self

    def remove(self) -> None:
        """Give the file up at once."""
        if self._path:
            _remove(self._path)

    def unpacked(self) -> Any:
        """The thing. Raises FileNotFoundError where its owner has given it up."""
        memory = memoryview(self._data)
        if self._path:
            with open(self._path, "rb") as file:
                memory = memoryview(mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ))
        return pickle.loads(self._body, buffers=[memory[at : at + size] for at, size in self._parts])


def shared(thing: Any, owner: int) -> Shared:
    """Pack a thing for the process ``owner`` (its number), which keeps it."""
    buffers: list[pickle.PickleBuffer] = []
    body = pickle.dumps(thing, protocol=5, buffer_callback=buffers.append)
    views = [np.frombuffer(buffer.raw(), dtype=np.uint8) for buffer in buffers]
    parts, size = _laid(views)
    outer = [(at, view) for (at, _), view, is_outer in zip(parts, views, _are_outer(views), strict=True) if is_outer]
    if size > _SMALL_BYTES:
        for folder in (_MEMORY, FilePath(tempfile.gettempdir())):
            path = folder / f"archimetra-{owner}-{os.getpid()}-{next(_numbers)}"
            try:
                _write(path, outer, size)
                return Shared(body, parts, str(path), b"")
            except OSError:
                _remove(str(path))
    data = bytearray(size)
    for at, view in outer:
        data[at : at + len(view)] = view.tobytes()
    return Shared(body, parts, "", bytes(data))


def sweep(is_alive: Callable[[int], bool]) -> None:
    """Remove what owners left that are gone."""
    for folder in (_MEMORY, FilePath(tempfile.gettempdir())):
        for path in folder.glob("archimetra-*-*-*"):
            owner = path.name.split("-")[1]
            if owner.isdecimal() and not is_alive(int(owner)):
                _remove(str(path))


def is_running(number: int) -> bool:
    """Whether there is a process of this number."""
    try:
        os.kill(number, 0)
    except ProcessLookupError:
        return False
    except OSError:
        return True
    return True


def _are_outer(views: list[np.ndarray[Any, Any]]) -> list[bool]:
    """Which arrays are no stretch of another."""
    return [inside is None for inside in _within(views)]


def _within(views: list[np.ndarray[Any, Any]]) -> list[tuple[int, int] | None]:
    """For each array the number of the one it is a stretch of, and where in it; None for those that stand alone."""
    begin = [view.__array_interface__["data"][0] for view in views]
    out: list[tuple[int, int] | None] = [None] * len(views)
    last = -1
    for k in sorted(range(len(views)), key=lambda k: (begin[k], -len(views[k]))):
        if last >= 0 and len(views[k]) and begin[k] + len(views[k]) <= begin[last] + len(views[last]):
            out[k] = (last, begin[k] - begin[last])
        else:
            last = k
    return out


def _laid(views: list[np.ndarray[Any, Any]]) -> tuple[tuple[tuple[int, int], ...], int]:
    """Where each array comes to lie, and how much room all take."""
    within = _within(views)
    places = dict(_places(views, within))
    size = max((at + len(views[k]) for k, at in places.items()), default=0)
    parts = []
    for k, view in enumerate(views):
        inside = within[k]
        at = places[k] if inside is None else places[inside[0]] + inside[1]
        parts.append((at, len(view)))
    return tuple(parts), size


def _places(views: list[np.ndarray[Any, Any]], within: list[tuple[int, int] | None]) -> Iterator[tuple[int, int]]:
    at = 0
    for k, view in enumerate(views):
        if within[k] is None:
            yield k, at
            at += -(-len(view) // _ALIGN) * _ALIGN


def _write(path: FilePath, outer: list[tuple[int, np.ndarray[Any, Any]]], size: int) -> None:
    with open(path, "xb", opener=lambda name, flags: os.open(name, flags, 0o600)) as file:
        os.posix_fallocate(file.fileno(), 0, size)  # a full memory is told here, not by a signal later
        for at, view in outer:
            file.seek(at)
            file.write(view.data)


def _remove(path: str) -> None:
    with contextlib.suppress(OSError):
        os.unlink(path)
