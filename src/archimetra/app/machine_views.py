"""What the rest of the window shows of the machine: stop in reach on every page, a word in the status line, the bit's place on the plan; and F9, which
acts from dialogs too."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QApplication, QMessageBox, QWidget

from archimetra.app.header import Header
from archimetra.app.session.at_machine import Stage
from archimetra.app.session.session import Session
from archimetra.app.status import Status
from archimetra.app.views.plan_view import PlanView
from archimetra.app.widgets.halt import HALT_KEY


class MachineViews(QObject):
    def __init__(self, session: Session, header: Header, status: Status, plan: PlanView) -> None:
        super().__init__(header)
        self._machine, self._session = session.machine, session
        self._header, self._status, self._plan = header, status, plan
        self._station = ""
        self._listens = False
        header.halt_wanted.connect(self._machine.stop)
        self._machine.changed.connect(self._show)
        self._machine.moved.connect(self._show_place)
        session.board_changed.connect(self._show_place)
        self._show()

    def show_station(self, id_: str) -> None:
        self._station = id_
        self._show()

    def _show(self) -> None:
        machine = self._machine
        self._header.halt.setVisible(machine.is_linked and self._station != "machine")
        self._show_words()
        self._show_place()
        app = QApplication.instance()
        if app is not None and machine.is_linked != self._listens:
            self._listens = machine.is_linked
            if self._listens:
                app.installEventFilter(self)  # only while there is something to stop: every event passes through it
            else:
                app.removeEventFilter(self)

    def _show_words(self) -> None:
        machine = self._machine
        words = f"machine: {machine.stage.value}"
        if machine.running is not None and machine.stage in (Stage.RUNNING, Stage.HELD):
            words += f", {machine.share()[0]:.0%}"
        if words != self._status.machine.text():
            self._status.machine.setText(words)

    def _show_place(self) -> None:
        self._show_words()
        self._plan.marks.show_machine(self._machine.on_board() if self._machine.is_linked else None)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.KeyPress and isinstance(event, QKeyEvent) and event.key() == HALT_KEY:
            if not event.isAutoRepeat():
                self._machine.stop()
            return True
        return False

    def may_leave(self, window: QWidget) -> bool:
        """Whether the window may close: not under a running program without being asked."""
        if self._machine.running is None:
            return True
        question = QMessageBox(window)
        question.setWindowTitle("The machine is running")
        question.setText("The machine is running. Closing stops it where it is; the program can be gone on with later.")
        stop = question.addButton("Stop it and close", QMessageBox.ButtonRole.DestructiveRole)
        stay = question.addButton("Stay", QMessageBox.ButtonRole.RejectRole)
        question.setDefaultButton(stay)
        question.setEscapeButton(stay)
        question.exec()
        is_stopped = question.clickedButton() is stop
        if is_stopped:  # now, not once everything else has been asked and put away
            self._machine.stop()
        return is_stopped
