"""``Document``: the job of a window with its history and its file, and what of it is shown: a board, picked shapes, a cut.

The one place where intents become edits. It knows no widget and no worker.
"""

from __future__ import annotations

import contextlib
import threading
from collections.abc import Callable, Iterable
from pathlib import Path as FilePath

import msgspec
from PySide6.QtCore import QCoreApplication, QEventLoop, QObject, Signal

from archimetra.base.errors import JobFileError
from archimetra.base.findings import Finding
from archimetra.edits import basic as edits
from archimetra.edits.edit import Edit
from archimetra.edits.history import History
from archimetra.edits.layering import whole_groups
from archimetra.job.file import SUFFIX, JobFile, OnDisk, open_job, save_job
from archimetra.job.ids import BoardId, CutId, ShapeId
from archimetra.job.job import Board, Job, new_job, with_boards
from archimetra.job.quantities import QuantityError, format_length, is_plain, lengths_in, parse_length, parse_number


class Document(QObject):
    """What follows from a change outside the document (plans, work kept aside) hears of it last: by ``edited``, ``showed`` and
    ``saved``, after the window has shown it."""

    leaving = Signal()  # another thing is about to be shown, or the job saved: what is being typed belongs to this one
    job_changed = Signal()
    board_changed = Signal()  # another board is shown
    picked_changed = Signal()
    cut_changed = Signal()  # another cut is shown in detail
    turning = Signal()  # another board or document comes: what was worked out for the one before is not of it
    replaced = Signal()  # another document came, and no way leads back: nothing known of the one before holds
    opened = Signal()  # another document is to be shown
    edited = Signal()
    showed = Signal()
    saved = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._history = History(new_job())
        self.path: FilePath | None = None
        self.on_disk: OnDisk | None = None  # the file as it was opened or saved last
        self.sources: dict[str, bytes] = {}
        self._saved: Job = self._history.job
        self.board_id: BoardId = self.job.boards[0].id
        self.picked: tuple[ShapeId, ...] = ()
        self.cut_id: CutId | None = None

    @property
    def job(self) -> Job:
        return self._history.job

    @property
    def board(self) -> Board:
        return self.job.board(self.board_id) or self.job.boards[0]

    @property
    def is_saved(self) -> bool:
        return self.job == self._saved

    @property
    def content(self) -> JobFile:
        return JobFile(self.job, self.sources)

    # ---- edits

    @property
    def undo_label(self) -> str | None:
        return self._history.undo_label

    @property
    def redo_label(self) -> str | None:
        return self._history.redo_label

    def apply(self, edit: Edit) -> None:
        """Take an edit, with what follows from it, as a step that undo takes back."""
        if self._history.apply(edit):
            self._after_change()

    def note(self, noted: Callable[[Job], Job]) -> None:
        """Put down what happened outside the document; undo does not take it back."""
        if self._history.note(noted):
            self._after_change()

    def try_edit(self, make: Callable[[], Edit]) -> str:
        """Apply what ``make`` returns; the sentence of the limit it broke, or ''."""
        try:
            edit = make()
        except ValueError as error:
            return sentence(str(error))
        self.apply(edit)
        return ""

    def enter_length(self, key: str, text: str, make: Callable[[float], Edit]) -> str:
        """A typed length: parsed, applied and remembered as typed; what is wrong with it, or ''."""
        try:
            mm = parse_length(text, default=self.job.unit)
            edit = make(mm)
        except QuantityError as error:
            return str(error)
        except ValueError as error:
            return sentence(str(error))
        typed = None if is_plain(text) else text.strip()
        self.apply(msgspec.structs.replace(edit, job=edits.remember_typed(edit.job, key, typed)))
        return ""

    def enter_number(self, text: str, make: Callable[[float], Edit]) -> str:
        try:
            edit = make(parse_number(text))
        except QuantityError as error:
            return str(error)
        except ValueError as error:
            return sentence(str(error))
        self.apply(edit)
        return ""

    def length_text(self, key: str, mm: float) -> tuple[str, str]:
        """What a length field shows: the text as typed, as long as it still comes to the length, and its note."""
        unit = self.job.unit
        shown = format_length(mm, unit)
        typed = self.job.typed.get(key)
        if typed is not None:
            with contextlib.suppress(QuantityError):
                if abs(parse_length(typed, default=unit) - mm) < 1e-9:
                    return typed, f"= {shown} {unit}"
        return shown, str(unit)

    def words_of(self, finding: Finding) -> str:
        """A finding in one line, lengths in the job's unit."""
        return finding.text(lengths_in(self.job.unit))

    def undo(self) -> None:
        self.leaving.emit()
        if self._history.undo():
            self._after_change()

    def redo(self) -> None:
        self.leaving.emit()
        if self._history.redo():
            self._after_change()

    def _after_change(self) -> None:
        if self.job.board(self.board_id) is None:
            self.show_board(self.job.boards[0].id)
        known = {shape.id for shape in self.board.shapes}
        picked = tuple(id_ for id_ in self.picked if id_ in known)
        self.job_changed.emit()
        if picked != self.picked:
            self.pick(picked)
        if self.cut_id is not None and self.board.cut(self.cut_id) is None:
            self.show_cut(None)
        self.edited.emit()

    # ---- files

    def open_job(self, content: JobFile, path: FilePath | None, *, is_saved: bool = True) -> None:
        """Show another document; history starts anew."""
        self.leaving.emit()
        job = content.job if content.job.boards else with_boards(content.job, new_job().boards)
        self._history = History(job)
        self.sources = dict(content.sources)
        self.path, self.on_disk = path, None
        self._saved = content.job if is_saved else new_job()
        self.picked, self.cut_id = (), None
        self.board_id = self.job.boards[0].id
        self.replaced.emit()
        self.turning.emit()
        self.opened.emit()
        self.job_changed.emit()
        self._show_another_board()

    def open_path(self, path: FilePath) -> None:
        """Raises JobFileError."""
        content, on_disk = open_job(path)
        self.open_job(content, path)
        self.on_disk = on_disk

    def take_from_disk(self, path: FilePath) -> None:
        """The version on disk in place of the one shown, as a step that undo takes back. Raises JobFileError."""
        content, on_disk = open_job(path)
        if not content.job.boards:
            raise JobFileError(f"{path.name} holds no boards, so there is nothing to take.")
        self.sources = {**self.sources, **content.sources}
        self.path, self.on_disk, self._saved = path, on_disk, content.job
        if not self._history.apply(Edit("Version on disk", content.job)):
            self.job_changed.emit()
            return
        self._after_change()

    def forget_changes(self) -> None:
        """Take the document as saved although it is not: it is nobody's work."""
        self._saved = self.job

    def save_to(self, path: FilePath, preview_png: bytes = b"", *, over_others: bool = False) -> None:
        """Save. Raises JobFileChanged where the file is not the one opened or saved here last, unless ``over_others``; else
        JobFileError. The document stays unsaved then."""
        if path.suffix != SUFFIX:
            path = path.with_name(path.name + SUFFIX)
        self.leaving.emit()
        job = self.job
        over = self.on_disk if path == self.path and not over_others else None
        made: list[OnDisk] = []
        _beside_the_window(lambda: made.append(save_job(path, JobFile(job, self.sources, preview_png), over=over)))
        self.path, self.on_disk = path, made[0]
        self._saved = job
        self.saved.emit()
        self.job_changed.emit()

    # ---- what is shown

    def show_board(self, board_id: BoardId) -> None:
        if board_id == self.board_id and self.job.board(board_id) is not None:
            return
        if self.job.board(self.board_id) is not None:
            self.leaving.emit()
        self.board_id = board_id
        self.picked, self.cut_id = (), None
        self.turning.emit()
        self._show_another_board()

    def _show_another_board(self) -> None:
        self.board_changed.emit()
        self.picked_changed.emit()
        self.cut_changed.emit()
        self.showed.emit()

    def pick(self, ids: Iterable[ShapeId]) -> None:
        self.leaving.emit()
        self.picked = whole_groups(self.board, ids)
        self.picked_changed.emit()

    def show_cut(self, cut_id: CutId | None) -> None:
        if cut_id != self.cut_id:
            self.leaving.emit()
            self.cut_id = cut_id
            self.cut_changed.emit()


def _beside_the_window(work: Callable[[], None]) -> None:
    """Do slow work on a thread of its own while the window goes on drawing, but takes no input: what is being written
    must not change under it. Raises what the work raises."""
    failed: list[BaseException] = []

    def run() -> None:
        try:
            work()
        except BaseException as error:  # noqa: BLE001  handed on to whoever asked for the work
            failed.append(error)

    thread = threading.Thread(target=run, name="saving")
    thread.start()
    while thread.is_alive():
        QCoreApplication.processEvents(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents, 15)
        thread.join(0.003)
    if failed:
        raise failed[0]


def sentence(text: str) -> str:
    """A limit's words as a sentence on their own."""
    text = text.strip()
    return text[:1].upper() + text[1:] + ("" if text.endswith(".") else ".")
