"""``Programs``: a program of somebody's on its way into the views: read beside the window, shown instead of the board's cuts, compared."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from archimetra.app.session.document import Document
from archimetra.app.session.planning import Planning
from archimetra.engine.messages import Differs, Program, ProgramRead
from archimetra.job.setups import Setup

if TYPE_CHECKING:
    from archimetra.engine.client import Engine


class Programs(QObject):
    changed = Signal()  # what is read, shown or compared
    problem = Signal(str)

    def __init__(self, document: Document, planning: Planning) -> None:
        super().__init__(document)
        self._document, self._planning = document, planning
        self.engine: Engine | None = None
        self.path = ""  # of the program shown or on its way
        self.differs: Differs | None = None
        self.compared_with = ""  # the name of what it is being compared with
        self._reading = self._differing = 0
        self._setup: Setup | None = None
        planning.program_changed.connect(self._ended)

    @property
    def shown(self) -> Program | None:
        return self._planning.program

    @property
    def is_reading(self) -> bool:
        return self._reading != 0

    def open(self, path: str, *, setup: Setup | None = None, bit: str = "") -> None:
        """Read a file and show what it does on the shown board, in the zero of one of its ``setups``."""
        if self.engine is None:
            return
        self.path, self._setup = path, setup
        self._reading = self.engine.read_program(path, self._document.job, self._document.board, setup=setup, bit=bit)
        self.changed.emit()

    def show_with(self, bit: str) -> None:
        """The same with another bit, where it names none itself."""
        if self.path:
            self.open(self.path, setup=self._setup, bit=bit)

    def compare(self, name: str, text: str = "") -> None:
        """Compare what is shown with a file, or with ``text`` under a name."""
        if self.engine is not None and self.path:
            self.compared_with, self.differs = name, None
            self._differing = self.engine.differ((self.path, ""), (name, text))
            self.changed.emit()

    def take(self, event: ProgramRead) -> None:
        if event.number != self._reading:
            return
        program = event.program
        if program is None or program.is_whole:
            self._reading = 0
        if program is None:
            if self.shown is None:
                self.path = ""
            self.problem.emit(event.problem)
        elif event.board == self._document.board_id:  # no other has come to be shown since
            self._planning.show_program(program)
        self.changed.emit()

    def take_differs(self, event: Differs) -> None:
        if event.number == self._differing:
            self.differs = event
            self.changed.emit()

    def stopped(self) -> None:
        self._reading = 0
        self.changed.emit()

    def _ended(self) -> None:
        if self.shown is None:
            self._reading = self._differing = 0
            self.path, self.differs, self.compared_with = "", None, ""
            self.changed.emit()
