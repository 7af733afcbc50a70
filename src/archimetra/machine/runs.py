"""A run on the disk: the program as it is sent, its way, and how far it came. The link writes it, so that it outlives the window; the next window
reads it and can go on. When it ends a line about it goes into the log beside the job.

Nothing of a file is carried out: text, numbers and records are read, nothing else.
"""

from __future__ import annotations

import contextlib
import fcntl
import io
import os
import re
import shutil
from collections.abc import Sequence
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec
import numpy as np
import platformdirs

from archimetra.geometry.arrays import AnyArray
from archimetra.machine.messages import Place

if TYPE_CHECKING:
    from archimetra.machine.course import Course

PROGRAM, WAY, LINES, ABOUT, JOURNAL = "program.nc", "way.npy", "lines.npy", "about.json", "journal.jsonl"
LOG_SUFFIX = ".runs.jsonl"
MOST_LOG_BYTES = 20_000_000
LEAST_TIMED_S = 10.0


class About(msgspec.Struct, frozen=True, kw_only=True):
    """What is run: ``offset`` is how many lines of ``file`` come before the first line of the program as it is sent, less than none where lines were put
    before; ``expected_s`` what was foretold; ``zero`` where zero lay, machine coordinates; ``log`` the file that keeps the runs of the job; ``turn``
    degrees by which the program was turned about zero."""

    job: str
    board: str
    board_id: str
    file: str
    machine: str
    digest: str
    began: str
    expected_s: float
    lines: int
    zero: Place
    offset: int = 0
    turn: float = 0.0
    top: float = 0.0  # of the wood, and the height to go over clamps, mm above zero
    park: float = 30.0
    first_line: int = (
        0  # of the part of its file that is run, from 0; and of the one that is to come after it, -1 for none
    )
    next_line: int = -1
    is_air: bool = False  # bounds in air, or a way to a place: nothing is cut
    log: str = ""


class Progress(msgspec.Struct, frozen=True, kw_only=True):
    """A line of the journal."""

    at_s: float
    state: str
    taken: int
    done: int
    words: str = ""


class Record(msgspec.Struct, frozen=True, kw_only=True):
    """A line of the log beside a job: one run."""

    began: str
    ended: str
    machine: str
    board: str
    file: str
    state: str
    seconds: float
    expected_s: float
    taken: int
    lines: int
    words: str = ""
    was_slowed: bool = False
    turn: float = 0.0


class Broken(msgspec.Struct, frozen=True):
    """A run that did not come to its end, as it is found later."""

    folder: str
    about: About
    last: Progress

    @property
    def text(self) -> str:
        """The program as it was sent, read anew: it may be long. Raises OSError."""
        return (Path(self.folder) / PROGRAM).read_bytes().decode("ascii", "replace")


def runs_folder() -> Path:
    return platformdirs.user_state_path("archimetra") / "runs"


def now_words() -> str:
    return datetime.now().astimezone().isoformat(timespec="seconds")


def put_down(text: str, course: Course, about: About, *, folder: Path | None = None) -> Path:
    """A folder for a run that is about to begin. Raises OSError."""
    base = folder if folder is not None else runs_folder()
    base.mkdir(parents=True, exist_ok=True)
    stamp = datetime.now().strftime("%Y%m%d-%H%M%S")
    path = next(p for k in range(1, 10_000) if not (p := base / f"{stamp}-{os.getpid()}-{k}").exists())
    path.mkdir()
    (path / PROGRAM).write_bytes(text.encode("ascii", "replace"))
    np.save(path / WAY, course.way, allow_pickle=False)
    np.save(path / LINES, course.of_lines, allow_pickle=False)
    (path / ABOUT).write_bytes(msgspec.json.format(msgspec.json.encode(about), indent=1))
    return path


def read_about(folder: Path) -> About:
    """Raises OSError, ValueError."""
    return msgspec.json.decode((folder / ABOUT).read_bytes(), type=About)


def read_program(folder: Path) -> tuple[list[str], AnyArray, AnyArray]:
    """Lines and way of a run. Raises OSError, ValueError."""
    lines = (folder / PROGRAM).read_bytes().decode("ascii").splitlines()
    return lines, np.load(folder / WAY, allow_pickle=False), np.load(folder / LINES, allow_pickle=False)


class Journal:
    """How far a run came, line by line, each brought to the disk: a power cut costs a second of it."""

    def __init__(self, folder: Path) -> None:
        self._file: io.BufferedWriter | None = None
        with contextlib.suppress(OSError):  # a run goes on without its journal
            self._file = (folder / JOURNAL).open("ab")
            fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)  # as long as it runs it is no broken run to anybody

    def note(self, progress: Progress) -> None:
        if self._file is None:
            return
        with contextlib.suppress(OSError):
            self._file.write(msgspec.json.encode(progress) + b"\n")
            self._file.flush()
            os.fdatasync(self._file.fileno())

    def close(self) -> None:
        if self._file is not None:
            self._file.close()
            self._file = None


def is_running(folder: Path) -> bool:
    """Whether a link is at this run now."""
    try:
        with (folder / JOURNAL).open("rb") as file:
            fcntl.flock(file, fcntl.LOCK_SH | fcntl.LOCK_NB)
    except BlockingIOError:
        return True
    except OSError:
        return False
    return False


def last_of(folder: Path) -> Progress | None:
    """The last whole line of a journal; a line that a power cut broke off does not count."""
    try:
        lines = (folder / JOURNAL).read_bytes().split(b"\n")
    except OSError:
        return None
    for line in reversed(lines):
        if line:
            with contextlib.suppress(msgspec.DecodeError):
                return msgspec.json.decode(line, type=Progress)
    return None


def drop(folder: str | Path) -> None:
    """A run nobody goes on with. Only what lies in a folder of runs is taken away."""
    path = Path(folder)
    if (path / ABOUT).exists() and re.fullmatch(r"\d{8}-\d{6}-\d+-\d+", path.name):
        shutil.rmtree(path, ignore_errors=True)


def broken_runs(folder: Path | None = None) -> list[Broken]:
    """Runs that cut something and did not come to their end, the latest first. What cannot be read is passed over."""
    base = folder if folder is not None else runs_folder()
    out = []
    for path in sorted(base.glob("*-*-*"), reverse=True) if base.is_dir() else []:
        last = last_of(path)
        if last is None or is_running(path):
            continue
        with contextlib.suppress(OSError, ValueError):
            about = read_about(path)
            is_whole = last.state == "done" and about.next_line < 0
            is_broken = not about.is_air and not is_whole and last.taken > 0
            if is_broken and (path / PROGRAM).is_file():
                out.append(Broken(str(path), about, last))
    return out


# ---- the log beside the job


def log_path(job_path: str) -> Path:
    """Where runs of a job are kept: beside it, or with the program's own files for a job that is not saved yet."""
    if not job_path:
        return runs_folder() / f"unsaved{LOG_SUFFIX}"
    path = Path(job_path)
    return path.with_name(path.stem + LOG_SUFFIX)


def keep_record(path: Path, record: Record) -> None:
    """One more run. Raises OSError."""
    path.parent.mkdir(parents=True, exist_ok=True)
    with path.open("ab") as file:
        file.write(msgspec.json.encode(record) + b"\n")


def records_of(path: Path) -> list[Record]:
    """The runs of a log; lines that are none are passed over."""
    out: list[Record] = []
    try:
        if path.stat().st_size > MOST_LOG_BYTES:
            return []
        lines = path.read_bytes().split(b"\n")
    except OSError:
        return []
    for line in lines:
        with contextlib.suppress(msgspec.DecodeError):
            out.append(msgspec.json.decode(line, type=Record))
    return out


def pace_of(timed: Sequence[tuple[float, float]]) -> float:
    """How many times as long as foretold a machine takes, from pairs (foretold, taken), s; 1 without any. Long runs count for more."""
    foretold = sum(a for a, _ in timed)
    return sum(b for _, b in timed) / foretold if foretold > 0 else 1.0


def counts(state: str, expected_s: float, *, was_slowed: bool) -> bool:
    """Whether a run tells how fast the machine is."""
    return state == "done" and expected_s >= LEAST_TIMED_S and not was_slowed
