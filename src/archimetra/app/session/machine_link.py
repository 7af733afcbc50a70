"""``MachineLink``: the window's end of the line to a machine: connecting, asking with an answer, the stand-in started when it is wanted.

The link itself is a process that looks after the machine alone; what it tells comes here over a queued signal.
"""

from __future__ import annotations

import contextlib
import subprocess
import sys
import threading
from collections.abc import Callable

from PySide6.QtCore import QObject, Qt, QTimer, Signal

from archimetra.app.session.document import Document
from archimetra.base.priority import USUAL, stand_back
from archimetra.machine.messages import Answered, Ended, FromLink, Gone, Message, Now, Opened, Told

BACK_MS = 1000
STICK = "stick"  # no link: files go to the machine by hand
STAND_IN = "stand-in"  # a machine that is not there, started when it is wanted


class MachineLink(QObject):
    changed = Signal()  # the stage, the run, what is known or told
    moved = Signal()  # where it stands, some twenty times a second
    said = Signal(str, str)  # kind, sentence

    _told = Signal(object, object)

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self._document = document
        self.address = ""
        self.opened: Opened | None = None
        self.now = Now("")
        self.problem = ""  # why there is no link
        self._client: object | None = None
        self._stand_in: subprocess.Popen[str] | None = None
        self._number = 0
        self._waiting: dict[int, Callable[[Answered], None]] = {}
        # planning and drawing are late rather than the machine; workers that start meanwhile, too
        self._back = QTimer(self)
        self._back.setInterval(BACK_MS)
        self._back.timeout.connect(stand_back)
        self._told.connect(self._take, Qt.ConnectionType.QueuedConnection)

    @property
    def is_linked(self) -> bool:
        return self._client is not None

    def connect_to(self, address: str, *, baud: int = 115200) -> None:
        self.disconnect_from()
        self.problem = ""
        if address == STAND_IN:
            self._start_stand_in()
            return
        self._open(address, baud)

    def _open(self, address: str, baud: int) -> None:
        from archimetra.machine.link_client import LinkClient

        threading.Thread(target=_get_ready, name="getting-ready", daemon=True).start()
        self.address, self.opened, self.now = address, None, Now("")
        holder: list[object] = []
        client = LinkClient(address, lambda told: self._post(holder, told), speed=baud)
        holder.append(client)
        self._client = client
        stand_back()
        self._back.start()
        self.changed.emit()

    def _post(self, holder: list[object], told: FromLink) -> None:
        with contextlib.suppress(RuntimeError):  # the window is gone
            self._told.emit(holder, told)

    def _start_stand_in(self) -> None:
        """A process of its own, as a machine would be; its address comes on its first line."""
        machine = self._document.job.machine
        travel = f"{machine.travel_x:g}x{machine.travel_y:g}x{machine.travel_z:g}"
        process = subprocess.Popen(
            [sys.executable, "-m", "archimetra", "stand-in", "--with-parent", "--travel", travel], stdout=subprocess.PIPE, stdin=subprocess.DEVNULL, text=True,
        )  # fmt: skip
        self._stand_in = process
        self.address, self.problem = STAND_IN, ""

        def listen() -> None:
            assert process.stdout is not None
            line = process.stdout.readline().strip()
            self._post([process], Told(line))

        threading.Thread(target=listen, name="stand-in-address", daemon=True).start()
        self.changed.emit()

    @property
    def is_starting(self) -> bool:
        return self._stand_in is not None and self._client is None

    def disconnect_from(self) -> None:
        """Let go; what runs is stopped by the link."""
        from archimetra.machine.link_client import LinkClient

        client, self._client = self._client, None
        if isinstance(client, LinkClient):
            client.close()
        if self._stand_in is not None:
            self._stand_in.terminate()
            self._stand_in.wait(5.0)
            if self._stand_in.stdout is not None:
                self._stand_in.stdout.close()
            self._stand_in = None
        self._let_go()
        if client is not None:
            self.changed.emit()

    def _let_go(self) -> None:
        """Forget what was known of the machine."""
        self.opened, self.now = None, Now("")
        self._waiting.clear()
        if self._back.isActive():
            self._back.stop()
            stand_back(USUAL)

    # ---- what comes: each part of what is known takes its own

    def _take_now(self, now: Now) -> None:
        self.now = now

    def _take_end(self, end: Ended) -> None: ...

    def _take_lost(self) -> None: ...

    def _take_gone(self, gone: Gone) -> None: ...

    def close(self) -> None:
        self.disconnect_from()

    def _send(self, message: Message) -> None:
        from archimetra.machine.link_client import LinkClient

        if isinstance(self._client, LinkClient):
            self._client.send(message)

    def _ask(self, make: Callable[[int], Message], then: Callable[[Answered], None] | None = None) -> None:
        self._number += 1
        self._waiting[self._number] = then or self._say_refusal
        self._send(make(self._number))

    def _say_refusal(self, answer: Answered) -> None:
        if not answer.is_done and answer.words:
            self.said.emit("caution", answer.words)

    def _take(self, holder: list[object], told: FromLink) -> None:
        if holder and holder[0] is self._stand_in and isinstance(told, Told):
            if told.words:
                self._open(told.words, 115200)
            else:
                self.disconnect_from()
                self.problem = "The stand-in did not start."
                self.changed.emit()
            return
        if not holder or holder[0] is not self._client:
            return  # of a link that was let go
        match told:
            case Now():
                self._take_now(told)
            case Opened():
                self.opened = told
                self.changed.emit()
            case Answered():
                then = self._waiting.pop(told.number, None)
                if then is not None:
                    then(told)
            case Ended():
                self._take_end(told)
            case Told():
                if told.is_lost:
                    self._take_lost()
                if told.words:
                    self.said.emit("caution", told.words)
            case Gone():
                self._take_gone(told)


def _get_ready() -> None:
    """Load what works out a program's way: at the first run it would hold the window up."""
    from archimetra.machine.course import course_of

    course_of("G21\nG1 X1 F1\n", (0.0, 0.0, 0.0))
