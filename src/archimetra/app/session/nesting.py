"""``Nesting``: parts being laid on sheets beside the window, the best layout so far, and whether it is kept."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Qt, Signal

from archimetra.app.session.document import Document, sentence
from archimetra.engine.messages import NestBetter, NestDone, NestSettings
from archimetra.job.ids import BoardId, PartId
from archimetra.job.job import Job
from archimetra.layout.nest.answer import Placement

if TYPE_CHECKING:
    from archimetra.engine.nester import Nester


class Nesting(QObject):
    changed = Signal()  # begun, better, ended, kept or dropped
    _event = Signal(object)

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self._document = document
        self._nester: Nester | None = None
        self._number = 0
        self._job: Job | None = None
        self._begun = self._ended = 0.0
        self.is_running = False
        self._settings = NestSettings()
        self.boards: tuple[BoardId, ...] = ()
        self.best: NestBetter | None = None
        self.problem = ""
        self._event.connect(self._take, Qt.ConnectionType.QueuedConnection)
        document.edited.connect(self._look_at_edit)
        document.replaced.connect(self.drop)

    @property
    def seconds(self) -> float:
        """How long the run has taken."""
        return (time.monotonic() if self.is_running else self._ended) - self._begun

    def pieces_on(self, board: BoardId) -> list[tuple[PartId, Placement]]:
        """The pieces of the best layout on a board, and whose they are."""
        if self.best is None or board not in self.boards:
            return []
        sheet = self.boards.index(board)
        return [(self.best.parts[p.part], p) for p in self.best.nested.placements if p.sheet == sheet]

    def get_ready(self) -> None:
        """Have the processes loaded before they are wanted."""
        if self._nester is None:
            from archimetra.engine.nester import Nester

            self._nester = Nester(self._event.emit)
        if not self.is_running:
            self._nester.start()

    def start(self, boards: tuple[BoardId, ...], settings: NestSettings) -> None:
        """Nest all parts on the sheets of these boards, in their order."""
        self.get_ready()
        assert self._nester is not None
        self.best, self.problem, self.boards, self._settings = None, "", boards, settings
        self._job, self._begun, self.is_running = self._document.job, time.monotonic(), True
        self._number = self._nester.nest(self._document.job, boards, settings)
        self.changed.emit()

    def stop(self) -> None:
        if self._nester is not None and self.is_running:
            self._nester.stop()

    def drop(self) -> None:
        """The layout is not wanted."""
        self.stop()
        self._number, self.is_running, self.best, self.problem = -1, False, None, ""
        self.changed.emit()

    def keep(self) -> None:
        """Lay the pieces as the best layout has them."""
        best, boards, settings = self.best, self.boards, self._settings
        self.drop()
        if best is not None:
            from archimetra.layout.of_job import laid

            self._document.apply(
                laid(self._document.job, boards, best.parts, best.nested, shares_edges=settings.shares_edges)
            )

    def close(self) -> None:
        if self._nester is not None:
            self._nester.close()
            self._nester = None

    def _take(self, event: NestBetter | NestDone) -> None:
        if event.number != self._number:
            return
        if isinstance(event, NestBetter):
            self.best = event
        else:
            self.is_running, self._ended = False, time.monotonic()
            if event.problem:
                self.problem = sentence(event.problem)
        self.changed.emit()

    def _look_at_edit(self) -> None:
        """A layout of parts that are no longer what they were is none."""
        if self._job is None or not (self.is_running or self.best is not None):
            return
        now, then = self._document.job, self._job
        same = now.parts == then.parts and now.cuts == then.cuts and now.bits == then.bits
        if not (same and all(now.board(id_) == then.board(id_) for id_ in self.boards)):
            self.drop()
            self.problem = "The job was changed while parts were laid out; nest again."
            self.changed.emit()
