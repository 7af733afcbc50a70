"""The files of all boards in one press, and everything as one ZIP: worked out beside the window."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from pathlib import Path as FilePath
from typing import NamedTuple

import msgspec
from PySide6.QtCore import QObject, Qt, Signal

from archimetra.app.document_window import DocumentWindow
from archimetra.base.errors import OutputError
from archimetra.edits.writing import note_written
from archimetra.engine.picture_process import PictureEvent, PictureMaker, PictureRequest, What
from archimetra.job.job import Job
from archimetra.output.files import as_written, write_files
from archimetra.output.folder import LOSES, in_words, look_into


class TextFile(NamedTuple):
    name: str
    text: str


class BoardFiles(msgspec.Struct, frozen=True):
    """As ``engine.bundle`` says it."""

    board: str
    key: str
    files: tuple[tuple[str, str], ...]


class AllBoards(QObject):
    """``said`` carries a kind and a sentence; ``progress`` how much is done, 1 at the end."""

    said = Signal(str, str)
    progress = Signal(float)
    _event = Signal(object)

    def __init__(self, window: DocumentWindow) -> None:
        super().__init__(window)
        self._window = window
        self._maker = PictureMaker(self._event.emit)
        self._event.connect(self._take, Qt.ConnectionType.QueuedConnection)
        self._job: Job | None = None
        self._done: Callable[[], None] = lambda: None
        window.session.replaced.connect(self._forget)  # what is under way is of another job then
        self._documents = 0
        self._temporary: tempfile.TemporaryDirectory[str] | None = None

    @property
    def is_running(self) -> bool:
        return self._job is not None

    def write_into(self, folder: FilePath) -> None:
        """Write the files of all boards into a folder. What would be lost is asked about first."""
        self._temporary = tempfile.TemporaryDirectory(prefix="archimetra-files-")
        path = FilePath(self._temporary.name) / "files.json"
        self._start(What.FILES, path, lambda: self._look(folder, path))

    def zip_to(self, path: FilePath) -> None:
        """Write everything as one ZIP."""
        path = path if path.suffix.lower() == ".zip" else path.with_name(path.name + ".zip")
        self._start(What.ZIP, path, lambda: self.said.emit("note", f"Everything is in {path}."))

    def _start(self, what: What, path: FilePath, done: Callable[[], None]) -> None:
        session = self._window.session
        self._job, self._done = session.job, done
        self.progress.emit(0.0)
        self._maker.start(PictureRequest(what, session.job, session.board_id, str(path), (0, 0)))

    def _forget(self) -> None:
        self._documents += 1
        if self.is_running:
            self.stop()

    def stop(self) -> None:
        self._maker.stop()
        self._end()

    def _take(self, event: PictureEvent) -> None:
        if self._job is None:
            return
        if not event.is_last:
            self.progress.emit(event.share)
            return
        if event.problem:
            self._end()
            self.said.emit("stop", event.problem)
            return
        done = self._done
        done()
        self._end()

    def _end(self) -> None:
        self._job = None
        if self._temporary is not None:
            self._temporary.cleanup()
            self._temporary = None
        self.progress.emit(1.0)

    def _look(self, folder: FilePath, path: FilePath) -> None:
        made = msgspec.json.decode(path.read_bytes(), type=list[BoardFiles])
        job = self._job
        assert job is not None
        found = []
        for one in made:
            board = job.board(one.board)  # type: ignore[arg-type]
            files = [TextFile(*file) for file in one.files]
            found += look_into(folder, files, job.name, board.written if board is not None else None)
        document = self._documents
        lost = in_words([each for each in found if each.state in LOSES])
        if lost:
            self._window.ask(
                "caution", f"In {folder} {lost}. Replace what is there?", ("Replace", lambda: self._write(job, made, folder, document)),
                about="files",
            )  # fmt: skip
        else:
            self._write(job, made, folder, document)

    def _write(self, job: Job, made: list[BoardFiles], folder: FilePath, document: int) -> None:
        if document != self._documents:
            self.said.emit("caution", "Nothing was written: another job was opened meanwhile.")
            return
        count = 0
        for one in made:
            files = [TextFile(*file) for file in one.files]
            board = job.board(one.board)  # type: ignore[arg-type]
            try:
                count += len(write_files(files, folder))
            except OutputError as error:
                self.said.emit("stop", str(error))
                return
            if board is not None:
                record = as_written(job, board, files, folder, one.key)
                self._window.session.note(lambda j, b=board.id, r=record: note_written(j, b, r))
        self.said.emit(
            "note", f"{count} files of {len(made)} board{'' if len(made) == 1 else 's'} written to {folder}."
        )
