"""What was last written of a board: where to, with which zero, and which files."""

from __future__ import annotations

from archimetra.job.record import Record
from archimetra.job.require import require
from archimetra.job.sheet import Zero

MOST_FILES = 2000
MOST_RUNS = 1_000_000
_MOST_LETTERS = 4096


class WrittenFile(Record, frozen=True, kw_only=True):
    """A file by its ``name`` and the ``digest`` (hex) of what it held; it has been cut ``runs`` times."""

    name: str
    digest: str
    runs: int = 0

    def __post_init__(self) -> None:
        require(0 < len(self.name) <= 255 and len(self.digest) <= 128, "a written file has a name and a digest")
        require(0 <= self.runs <= MOST_RUNS, f"a file is cut at most {MOST_RUNS} times")


class Written(Record, frozen=True, kw_only=True):
    """The ``files`` last written of a board, in the order they are run, into ``folder``, for a ``controller``, with ``zero``. ``key`` is the same as long
    as the files would come out the same."""

    folder: str
    controller: str
    zero: Zero
    key: str
    files: tuple[WrittenFile, ...] = ()

    def __post_init__(self) -> None:
        require(
            len(self.folder) <= _MOST_LETTERS and len(self.controller) <= _MOST_LETTERS and len(self.key) <= 600,
            "what was written is said in fewer letters",
        )
        require(len(self.files) <= MOST_FILES, f"a board is written as at most {MOST_FILES} files")
