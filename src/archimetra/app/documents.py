"""Jobs as files: new, open, save; what a crash left; and a file that somebody else has changed meanwhile.

Nothing here is lost without a question: leaving a job that is not saved asks, saving over a version that is not the one
opened asks, and work found after a crash stays offered until it is taken up or given up.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path as FilePath
from typing import TYPE_CHECKING

from PySide6.QtCore import QBuffer, QFileSystemWatcher, QIODevice, QObject, QSettings, Qt, QTimer
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QFileDialog, QMenu, QMessageBox

from archimetra.app.document_window import DocumentWindow
from archimetra.app.widgets.unfinished import unfinished
from archimetra.base.errors import ArchimetraError, JobFileError
from archimetra.edits import basic as edits
from archimetra.edits.comparing import differences
from archimetra.edits.shop import SHOP, in_shop, shop_at_hand
from archimetra.job.file import SUFFIX, JobFile, JobFileChanged, is_changed, load_job, on_disk
from archimetra.job.job import Job, new_job

if TYPE_CHECKING:
    from archimetra.engine.autosave import Recovered

MOST_DIFFERENCES, MOST_RECENT = 4, 8
SETTLE_MS = 300  # a file is being written in steps; look at it when it has come to rest
FILTER = f"Archimetra jobs (*{SUFFIX})"


class Documents(QObject):
    def __init__(self, window: DocumentWindow, demo: Callable[[], JobFile] | None) -> None:
        """``demo`` gives the sample job's file when asked for."""
        super().__init__(window)
        self._window, self._session, self._demo = window, window.session, demo
        self._watcher: QFileSystemWatcher | None = None
        self._asked_about = b""  # the version on disk that was asked about last
        self._look_soon = QTimer(self)
        self._look_soon.setSingleShot(True)
        self._look_soon.setInterval(SETTLE_MS)
        self._look_soon.timeout.connect(self.look_at_disk)
        self._session.opened.connect(self._withdraw)

    # ---- opening

    def new_job(self) -> None:
        if self.may_leave():
            self._session.open_job(JobFile(self._new_job()), None)
            self._watch()
            self._window.show_station("board")  # a new job begins with what lies on the machine

    def _new_job(self) -> Job:
        """A new job for the machine of this shop; what is wrong with the shop's file is told."""
        shop, problem = shop_at_hand()
        if problem:
            self._session.said.emit("caution", problem)
        from archimetra.output.controllers.of_job import for_controller  # an empty window does without

        return for_controller(in_shop(new_job(), shop), shop.router.controller)

    def _ask_first(self) -> None:
        """At the very first start: what the machine is."""
        from archimetra.app.first_start import FirstStart

        page = FirstStart(self._window)
        page.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        page.done_with.connect(self._begin_in_shop)
        page.open()

    def _begin_in_shop(self) -> None:
        """The job the window opened with, for the machine of this shop."""
        fresh = self._new_job()
        if fresh != self._session.job and self._session.is_saved:
            self._session.open_job(JobFile(fresh), None)

    def open_demo(self) -> None:
        if self._demo is not None and self.may_leave():
            self._session.open_job(self._demo(), None)
            self._watch()

    def ask_open(self) -> None:
        if not self.may_leave():
            return
        name, _ = QFileDialog.getOpenFileName(self._window, "Open a job", self._folder(), FILTER)
        if name:
            self.open_file(FilePath(name))

    def open_file(self, path: FilePath) -> bool:
        """Open a job file; where it cannot be read, a sentence says why and what is open stays open."""
        try:
            self._session.open_path(path)
        except JobFileError as error:
            self._window.say("stop", str(error))
            return False
        self._watch()
        self._remember()
        return True

    def may_leave(self) -> bool:
        """Whether the document shown may go: saved, or given up by choice."""
        unfinished.settle()
        if self._session.is_saved:
            return True
        box = QMessageBox(self._window)
        box.setWindowTitle("Archimetra")
        box.setText(f"'{self._session.job.name}' has changes that are not saved.")
        save = box.addButton("Save", QMessageBox.ButtonRole.AcceptRole)
        box.addButton("Do not save", QMessageBox.ButtonRole.DestructiveRole)
        cancel = box.addButton("Stay", QMessageBox.ButtonRole.RejectRole)
        box.setDefaultButton(save)
        box.exec()
        if box.clickedButton() is save:
            return self.save()
        return box.clickedButton() is not cancel

    # ---- jobs opened before

    def add_recent(self, menu: QMenu, *, before: QAction) -> None:
        """The jobs opened or saved last as a menu in the job menu, filled when it is looked at."""
        recent = QMenu("Open again", menu)
        recent.aboutToShow.connect(lambda: self._fill_recent(recent))
        menu.insertMenu(before, recent)

    def _fill_recent(self, menu: QMenu) -> None:
        menu.clear()
        for path in self.recent():
            action = menu.addAction(f"{path.name.removesuffix(SUFFIX)}   {path.parent}")
            action.triggered.connect(lambda _c=False, p=path: self.may_leave() and self.open_file(p))
        if menu.isEmpty():
            menu.addAction("None yet").setEnabled(False)

    def recent(self) -> list[FilePath]:
        """The last jobs that are still there, the newest first."""
        kept = QSettings("Archimetra", "Archimetra").value("recent", [])
        names = [kept] if isinstance(kept, str) else [str(name) for name in kept] if isinstance(kept, list) else []
        return [path for path in map(FilePath, names) if path.is_file()][:MOST_RECENT]

    def _remember(self) -> None:
        path = self._session.path
        if path is not None:
            settings = QSettings("Archimetra", "Archimetra")
            rest = [str(known) for known in self.recent() if known != path.absolute()]
            settings.setValue("recent", [str(path.absolute()), *rest][:MOST_RECENT])

    # ---- saving

    def save(self) -> bool:
        if self._session.path is None:
            return self.ask_save_as()
        return self.save_file(self._session.path)

    def ask_save_as(self) -> bool:
        start = str(self._session.path or FilePath(self._folder()) / f"{self._session.job.name}{SUFFIX}")
        name, _ = QFileDialog.getSaveFileName(self._window, "Save the job", start, FILTER)
        return self.save_file(FilePath(name)) if name else False

    def save_file(self, path: FilePath, *, over_others: bool = False) -> bool:
        """Save; whether it was. A version on disk that is not the one opened here is replaced only ``over_others``."""
        session = self._session
        try:
            unfinished.settle()
            if session.job.name == "Untitled":
                stem = path.name.removesuffix(SUFFIX)
                session.apply(edits.change_job(session.job, "Name of job", name=stem))
            session.save_to(path, self._preview(), over_others=over_others)
        except JobFileChanged:
            self._ask_about_theirs(path)
            return False
        except ArchimetraError as error:
            self._window.say("stop", str(error))
            return False
        self._withdraw()
        self._watch()
        self._remember()
        self._window.say("note", f"Saved as {session.path}.")
        return True

    def _withdraw(self) -> None:
        """Questions about the job and file before go with them: their answers would write this job over that file."""
        for about in ("disk", "taken up"):
            self._window.notices.withdraw(about)

    def _preview(self) -> bytes:
        picture = self._window.picture_of_plan().scaledToWidth(320, Qt.TransformationMode.SmoothTransformation)
        buffer = QBuffer()
        buffer.open(QIODevice.OpenModeFlag.WriteOnly)
        picture.save(buffer, "PNG")  # type: ignore[call-overload]  # the stub wants bytes, the method str
        return bytes(buffer.data().data())

    def _folder(self) -> str:
        return str(self._session.path.parent) if self._session.path is not None else str(FilePath.home())

    # ---- a file changed by somebody else

    def _watch(self) -> None:
        """Have the file of the job watched, and its folder: a file that is replaced is no longer the one watched."""
        path = self._session.path
        if self._watcher is None:
            if path is None:
                return
            self._watcher = QFileSystemWatcher(self)
            self._watcher.fileChanged.connect(lambda _path: self._look_soon.start())
            self._watcher.directoryChanged.connect(lambda _path: self._look_soon.start())
        for old in (*self._watcher.files(), *self._watcher.directories()):
            self._watcher.removePath(old)
        if path is not None and path.exists():
            self._watcher.addPaths([str(path), str(path.parent)])

    def look_at_disk(self) -> None:
        """Tell of a version on disk that is not the one opened here, once for each such version."""
        path, known = self._session.path, self._session.on_disk
        if path is None or known is None:
            return
        try:
            if not is_changed(path, known):
                return
            now = path.stat()
        except OSError:
            return
        self._watch()
        version = f"{now.st_ino} {now.st_mtime_ns} {now.st_size}".encode()
        if version != self._asked_about:
            self._asked_about = version
            self._ask_about_theirs(path)

    def _ask_about_theirs(self, path: FilePath) -> None:
        session = self._session
        theirs: JobFile | None = None
        try:
            theirs = load_job(path)
            told = differences(session.job, theirs.job)
            more = f" and {len(told) - MOST_DIFFERENCES} more" if len(told) > MOST_DIFFERENCES else ""
            how = (
                f"There: {'; '.join(told[:MOST_DIFFERENCES])}{more}."
                if told
                else "It holds the same job as this window."
            )
        except JobFileError as error:
            how = f"What is there now cannot be opened: {error}"
        mine = "" if session.is_saved else " Your changes here are not saved yet."
        answers = [
            ("Keep mine under another name …", self.ask_save_as),
            ("Overwrite theirs", lambda: self.save_file(path, over_others=True)),
            ("Decide later", lambda: None),
        ]
        if theirs is not None:
            answers.insert(0, ("Take theirs", lambda: self._take_theirs(path)))
        self._window.ask(
            "stop",
            f"{path.name} was changed on disk by another window or program since it was opened here. {how}{mine}",
            *answers,
            about="disk",
        )

    def _take_theirs(self, path: FilePath) -> None:
        """The version on disk in place of mine, as a step that undo takes back."""
        try:
            self._session.take_from_disk(path)
        except JobFileError as error:
            self._window.say("stop", str(error))
            return
        self._watch()
        self._window.say("note", f"{path.name} is shown as it is on disk; undo brings your version back.")

    # ---- after a crash

    def begin(self, found: list[Recovered], job_path: FilePath | None, *, with_demo: bool) -> None:
        """What the window shows first: what was asked for, with what a crash left offered beside it; or that itself."""
        if job_path is not None:
            self.open_file(job_path)
        elif with_demo and self._demo is not None:
            self._session.open_job(self._demo(), None)
            self._window.show_station("cuts")
            self._session.show_cut(self._session.board.cuts[-1].id)
        elif found:
            self._take_up(found[0])
            found = found[1:]
        else:
            self._begin_in_shop()
            if not SHOP.is_there:
                self._ask_first()
        for recovered in found:
            self._offer(recovered)

    def _offer(self, recovered: Recovered) -> None:
        name, when = recovered.content.job.name, _when(recovered.modified)
        path = FilePath(recovered.saved_as) if recovered.saved_as else None
        how = ""
        if path is not None:
            try:
                told = differences(load_job(path).job, recovered.content.job)
                how = f" Against {path.name}, it has: {'; '.join(told[:MOST_DIFFERENCES])}." if told else ""
            except JobFileError:
                how = f" {path.name}, which it was saved as, cannot be opened."
        self._window.ask(
            "caution",
            f"Archimetra ended unexpectedly, with work on '{name}' that was not saved. It is kept, as it was at {when}.{how}",
            ("Take it up", lambda: self._take_up(recovered) if self.may_leave() else self._offer(recovered)),
            ("Give it up", lambda: self._give_up(recovered)),
            ("Ask again at the next start", lambda: None),
            about=str(recovered.found_in),
        )

    def _take_up(self, recovered: Recovered) -> None:
        from archimetra.engine.autosave import discard

        where = FilePath(recovered.saved_as) if recovered.saved_as else None
        self._session.open_job(recovered.content, where, is_saved=False)
        if where is not None:
            self._session.on_disk = on_disk(where)
        self._watch()
        discard(recovered)
        job = self._session.job
        self._window.ask(
            "caution",
            f"Archimetra ended unexpectedly. '{job.name}' is back as it was at {_when(recovered.modified)}; it is not saved yet.",
            ("Save it", self.save),
            ("Go on", lambda: None),
            about="taken up",
        )

    def _give_up(self, recovered: Recovered) -> None:
        from archimetra.engine.autosave import discard

        discard(recovered)


def _when(seconds: float) -> str:
    return time.strftime("%H:%M on %d %B", time.localtime(seconds))
