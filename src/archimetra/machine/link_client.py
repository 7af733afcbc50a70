"""The window's end of a link: starts the process that holds the line, gives it messages, and brings what it tells."""

from __future__ import annotations

import contextlib
import socket
import subprocess
import sys
import threading
from collections.abc import Callable

from archimetra.machine.messages import FromLink, Gone, Leave, Mailbox, Message, packed
from archimetra.machine.ports import SPEED

ENDS_S = 15.0


class LinkClient:
    """``on_told`` is called on a thread of its own. The process outlives this one: alone, it stops what runs."""

    def __init__(self, address: str, on_told: Callable[[FromLink], None], *, speed: int = SPEED) -> None:
        self.address = address
        self._on_told = on_told
        ours, theirs = socket.socketpair()
        self._socket = ours
        self._is_closing = False
        self._lock = threading.Lock()
        self.process = subprocess.Popen(
            [sys.executable, "-m", "archimetra.machine.link_process", str(theirs.fileno()), address, str(speed)],
            pass_fds=(theirs.fileno(),), stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, start_new_session=True,
        )  # fmt: skip
        theirs.close()
        self._thread = threading.Thread(target=self._read, name="link", daemon=True)
        self._thread.start()

    def send(self, message: Message) -> None:
        """At once; messages are far smaller than the socket's room. Nothing where the link is gone."""
        with self._lock, contextlib.suppress(OSError):
            self._socket.sendall(packed(message))

    def close(self) -> None:
        """Let go of the machine: what runs is stopped by the link, which then ends by itself."""
        if self._is_closing:
            return
        self._is_closing = True
        self.send(Leave())
        with contextlib.suppress(OSError):
            self._socket.shutdown(socket.SHUT_WR)

    def wait(self, seconds: float = ENDS_S) -> bool:
        """Until the process has ended; whether it has."""
        with contextlib.suppress(subprocess.TimeoutExpired):
            self.process.wait(seconds)
        is_over = self.process.poll() is not None
        if is_over:
            self._thread.join(2.0)
        return is_over

    def _read(self) -> None:
        mail = Mailbox(is_link=False)
        is_gone = False
        while True:
            try:
                data = self._socket.recv(65536)
                told = mail.take(data)
            except (OSError, ValueError):
                data, told = b"", []
            if not data:
                break
            for one in told:
                is_gone = is_gone or isinstance(one, Gone)
                if not self._is_closing:
                    self._on_told(one)  # type: ignore[arg-type]
        if not is_gone and not self._is_closing:
            self._on_told(
                Gone(
                    "The program that holds the line to the machine has ended. Look at the machine, then connect again."
                )
            )
        with self._lock:
            self._socket.close()
        self.process.wait()
