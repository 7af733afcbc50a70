"""Work in progress survives a crash: the job is written aside as it changes, and found again at the next start.

Each running window owns one recovery file named after its process. A file whose process is gone was left by a
crash. Writing happens on its own thread, the newest job only.
"""

from __future__ import annotations

import contextlib
import json
import os
import threading
from pathlib import Path as FilePath

import msgspec

from archimetra.base.errors import JobFileError
from archimetra.base.files import write_safely
from archimetra.job.file import JobFile, load_job, save_job


class Recovered(msgspec.Struct, frozen=True, eq=False):
    """What a crash left: the job, where it had been saved ('' if never), and the file it was found in."""

    content: JobFile
    saved_as: str
    found_in: FilePath
    modified: float


class Autosave:
    """Writes the newest job to this process's recovery file, a moment after it changed."""

    def __init__(self, folder: FilePath, *, delay_s: float = 1.0) -> None:
        self._folder = folder
        self._delay = delay_s
        self._path = folder / f"{os.getpid()}-{id(self):x}.recovery"
        self._pending: tuple[JobFile, str] | None = None
        self._wake = threading.Condition()
        self._is_closed = False
        self.problem = ""
        self._thread = threading.Thread(target=self._work, name="autosave", daemon=True)
        self._thread.start()

    def note(self, content: JobFile, saved_as: str) -> None:
        """The job changed; returns at once."""
        with self._wake:
            self._pending = (content, saved_as)
            self._wake.notify()

    def write_now(self, content: JobFile, saved_as: str) -> None:
        """Write before returning: for work whose only other copy is about to go."""
        with self._wake:
            self._pending = None
            self._write(content, saved_as)

    def forget(self) -> None:
        """The job was saved or given up: there is nothing to recover."""
        with self._wake:
            self._pending = None
            for path in (self._path, _note_of(self._path)):
                with contextlib.suppress(OSError):
                    path.unlink(missing_ok=True)

    def close(self, *, keep: bool = False) -> None:
        """Stop; unless ``keep`` the recovery file goes, as nothing needs recovering."""
        with self._wake:
            self._is_closed = True
            self._wake.notify()
        self._thread.join(5.0)
        if not keep:
            self.forget()

    def _work(self) -> None:
        while True:
            with self._wake:
                while self._pending is None and not self._is_closed:
                    self._wake.wait()
                if not self._is_closed:
                    self._wake.wait(self._delay)  # let a burst of edits settle
                job, self._pending = self._pending, None
                if job is None:
                    if self._is_closed:
                        return
                    continue
                self._write(*job)

    def _write(self, content: JobFile, saved_as: str) -> None:
        try:
            self._folder.mkdir(parents=True, exist_ok=True)
            note = {"pid": os.getpid(), "started": _started(os.getpid()), "saved_as": saved_as}
            write_safely(_note_of(self._path), json.dumps(note).encode("utf-8"))
            save_job(self._path, content)
            self._path.with_name(self._path.name + ".before").unlink(missing_ok=True)
            self.problem = ""
        except (OSError, JobFileError) as error:
            self.problem = f"Autosave does not work: {error}"


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
