"""Work in progress survives a crash: the job is written aside as it changes, and found again at the next start.

Each running window owns one recovery file named after its process. A file whose process is gone was left by a
crash. Writing happens on its own thread, the newest job only.
"""

from __future__ import annotations

import contextlib
import json
import os
import threading
from collections.abc import Callable
from pathlib import Path as FilePath

import msgspec

from archimetra.base.errors import JobFileError
from archimetra.base.files import why, write_safely
from archimetra.job.file import JobFile, load_job, pack


class Recovered(msgspec.Struct, frozen=True, eq=False):
    """What a crash left: the job, where it had been saved ('' if never), and the file it was found in."""

    content: JobFile
    saved_as: str
    found_in: FilePath
    modified: float


class Autosave:
    """Writes the newest job to this process's recovery file, a moment after it changed.

    What is wanted (a job to write, or none to be kept) is noted under one lock, held for moments; writing and deleting
    happen on the thread, under another. Nobody who notes a change waits for the disk.
    """

    def __init__(
        self, folder: FilePath, *, delay_s: float = 1.0, on_problem: Callable[[str], None] = lambda _words: None
    ) -> None:
        """``on_problem`` is told, on the thread, why writing does not work, and '' once it does again."""
        self._folder = folder
        self._delay = delay_s
        self._on_problem = on_problem
        self._path = folder / f"{os.getpid()}-{id(self):x}.recovery"
        self._pending: tuple[JobFile, str] | None = None
        self._is_given_up = False  # nothing is to be recovered
        self._wake = threading.Condition()
        self._disk = threading.Lock()
        self._is_closed = False
        self.problem = ""
        self._thread = threading.Thread(target=self._work, name="autosave", daemon=True)
        self._thread.start()

    def note(self, content: JobFile, saved_as: str) -> None:
        """The job changed; returns at once."""
        with self._wake:
            self._pending, self._is_given_up = (content, saved_as), False
            self._wake.notify()

    def write_now(self, content: JobFile, saved_as: str) -> None:
        """Write before returning: for work whose only other copy is about to go."""
        with self._disk:
            with self._wake:
                self._pending, self._is_given_up = None, False
            self._write(content, saved_as)

    def forget(self) -> None:
        """The job was saved or given up: there is nothing to recover. Returns at once."""
        with self._wake:
            self._pending, self._is_given_up = None, True
            self._wake.notify()

    def close(self, *, keep: bool = False) -> None:
        """Stop, with what is noted written; unless ``keep`` the recovery file goes, as nothing needs recovering."""
        with self._wake:
            self._is_closed = True
            if not keep:
                self._pending, self._is_given_up = None, True
            self._wake.notify()
        self._thread.join(5.0)
        if not keep:
            self._delete()

    def _work(self) -> None:
        while True:
            with self._wake:
                while self._pending is None and not self._is_given_up and not self._is_closed:
                    self._wake.wait()
                if self._pending is not None and not self._is_closed:
                    self._wake.wait_for(
                        lambda: self._is_closed or self._is_given_up, self._delay
                    )  # a burst of edits settles
            with self._disk:
                with self._wake:
                    job, self._pending = self._pending, None
                    is_given_up, self._is_given_up = self._is_given_up, False
                    is_last = self._is_closed
                if job is not None:
                    self._write(*job)
                elif is_given_up:
                    self._delete()
            if is_last:
                return

    def _write(self, content: JobFile, saved_as: str) -> None:
        try:
            self._folder.mkdir(parents=True, exist_ok=True)
            note = {"pid": os.getpid(), "started": _started(os.getpid()), "saved_as": saved_as}
            write_safely(_note_of(self._path), json.dumps(note).encode("utf-8"))
            write_safely(self._path, pack(content))
            problem = ""
        except OSError as error:
            problem = f"Work in progress cannot be kept aside for a crash: {why(error, self._folder)} Save the job yourself, and often."
        if problem != self.problem:
            self.problem = problem
            self._on_problem(problem)

    def _delete(self) -> None:
        for path in (self._path, _note_of(self._path)):
            with contextlib.suppress(OSError):
                path.unlink(missing_ok=True)


def left_by_crashes(folder: FilePath) -> list[Recovered]:
    """Jobs whose process is gone, newest first; unreadable ones are passed over and stay where they are."""
    found = []
    for path in folder.glob("*.recovery") if folder.is_dir() else []:
        try:
            note = json.loads(_note_of(path).read_text(encoding="utf-8"))
            if _is_running(int(note["pid"]), str(note["started"])):
                continue
            found.append(Recovered(load_job(path), str(note.get("saved_as", "")), path, path.stat().st_mtime))
        except (OSError, ValueError, KeyError, TypeError, JobFileError):
            continue
    return sorted(found, key=lambda recovered: -recovered.modified)


def discard(recovered: Recovered) -> None:
    """Delete what a crash left, once it was opened or given up."""
    for path in (recovered.found_in, _note_of(recovered.found_in)):
        with contextlib.suppress(OSError):
            path.unlink(missing_ok=True)


def _note_of(path: FilePath) -> FilePath:
    return path.with_suffix(".json")


def _is_running(pid: int, started: str) -> bool:
    """Whether that very process still runs: numbers are given again, so the time it was started counts too."""
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    return started == _started(pid)


def _started(pid: int) -> str:
    """When a process was started, in the kernel's ticks; '' where that cannot be known."""
    try:
        # the program's name, in brackets, may hold anything: count from its end
        return FilePath(f"/proc/{pid}/stat").read_text(encoding="utf-8").rpartition(")")[2].split()[19]
    except (OSError, IndexError):
        return ""
