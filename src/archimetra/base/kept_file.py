"""What a person keeps beside the jobs, each in a file of its own in the settings' folder: read, put aside when damaged, written whole."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path as FilePath
from typing import Generic, TypeVar

from platformdirs import user_config_path

from archimetra.base.errors import JobFileError
from archimetra.base.files import write_safely

T = TypeVar("T")


class KeptFile(Generic[T]):
    def __init__(
        self, name: str, *, standard: Callable[[], T], decode: Callable[[bytes, str], T], encode: Callable[[T], bytes], instead: str,
        most_bytes: int,
    ) -> None:  # fmt: skip
        """``decode`` gets the bytes and the file's name and raises JobFileError for what it cannot be; ``instead`` says what serves in a damaged one's
        place."""
        self.name = name
        self._standard, self._decode, self._encode = standard, decode, encode
        self._instead, self._most_bytes = instead, most_bytes

    @property
    def path(self) -> FilePath:
        return user_config_path("archimetra") / self.name

    @property
    def is_there(self) -> bool:
        return self.path.exists()

    def load(self, path: FilePath | None = None) -> T:
        """As saved; the standard one where nothing was. Raises JobFileError for a damaged file."""
        path = self.path if path is None else path
        try:
            with path.open("rb") as file:
                data = file.read(self._most_bytes + 1)
        except FileNotFoundError:
            return self._standard()
        except OSError as error:
            raise JobFileError(f"{path} could not be read: {error.strerror or error}.") from error
        if len(data) > self._most_bytes:
            raise JobFileError(f"{path.name} was not read: it has more than {self._most_bytes // 1000} kB.")
        return self._decode(data, path.name)

    def at_hand(self, path: FilePath | None = None) -> tuple[T, str]:
        """The same, and what was wrong with it. A damaged file is put aside first, so that saving cannot take away what is still in it."""
        path = self.path if path is None else path
        try:
            return self.load(path), ""
        except JobFileError as error:
            aside = path.with_name(f"{path.name}.damaged")
            try:
                os.replace(path, aside)
                kept = f" It is kept as {aside.name} beside it; {self._instead}."
            except OSError:
                kept = f" {self._instead[0].upper()}{self._instead[1:]}."
            return self._standard(), f"{error}{kept}"

    def save(self, kept: T, path: FilePath | None = None) -> None:
        """Write-new and rename. Raises JobFileError with what went wrong."""
        path = self.path if path is None else path
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            write_safely(path, self._encode(kept))
        except OSError as error:
            raise JobFileError(
                f"{path} could not be written: {error.strerror or error}. What is on disk is unchanged."
            ) from error
