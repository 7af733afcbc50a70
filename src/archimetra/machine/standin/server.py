"""The stand-in where a machine would be: behind a pseudo-terminal, or a port of this computer alone; real time passes."""

from __future__ import annotations

import contextlib
import os
import select
import socket
import threading
import time
import tty
from collections.abc import Callable
from types import TracebackType

from archimetra.machine.standin.controller import StandIn
from archimetra.machine.standin.faults import Faulty

TICK_S = 0.003
_MOST_READ = 4096


class Served:
    """A stand-in that is being served. ``address`` is what to connect to: the path of a pseudo-terminal, or host:port."""

    def __init__(
        self, machine: StandIn | Faulty, *, port: int | None = None, host: str = "127.0.0.1", speed: float = 1.0
    ) -> None:
        """On a pseudo-terminal, or with a ``port`` (0 for any free one) on TCP; on this computer alone unless another ``host`` is said. With a
        ``speed`` above 1 time passes faster for it. Raises OSError where the port is taken."""
        self.machine = machine
        self._speed = speed
        self._is_ending = threading.Event()
        self._listener: socket.socket | None = None
        self._terminal: tuple[int, int] | None = None
        if port is None:
            ours, theirs = os.openpty()
            tty.setraw(theirs)
            os.set_blocking(ours, False)
            self._terminal = ours, theirs
            self.address = os.ttyname(theirs)
        else:
            self._listener = socket.create_server((host, port))
            self._listener.setblocking(False)
            self.address = "{}:{}".format(*self._listener.getsockname()[:2])
        self._thread = threading.Thread(target=self._serve, name="stand-in", daemon=True)
        self._thread.start()

    def __enter__(self) -> Served:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def close(self) -> None:
        """Stop, and give the terminal or the port back. May be called twice."""
        self._is_ending.set()
        self._thread.join(2.0)
        for number in self._terminal or ():
            with contextlib.suppress(OSError):
                os.close(number)
        self._terminal = None
        if self._listener is not None:
            self._listener.close()

    def wait(self, until: Callable[[], bool] = lambda: False) -> None:
        """Until it is closed, or interrupted, or ``until`` says so."""
        while self._thread.is_alive() and not until():
            self._thread.join(0.2)

    def _serve(self) -> None:
        if self._terminal is not None:
            ours = self._terminal[0]
            self._talk(ours, lambda: os.read(ours, _MOST_READ), lambda data: os.write(ours, data))
            return
        assert self._listener is not None
        while not self._is_ending.is_set():
            ready, _, _ = select.select([self._listener], [], [], TICK_S)
            if not ready:
                self._pass(TICK_S)
                continue
            with contextlib.suppress(OSError):
                there, _ = self._listener.accept()
                with there:
                    there.setblocking(False)
                    self._talk(there.fileno(), lambda t=there: t.recv(_MOST_READ), there.send)  # type: ignore[misc]

    def _talk(self, number: int, read: Callable[[], bytes], write: Callable[[bytes], int]) -> None:
        """With one at the other end, until that hangs up."""
        before = time.monotonic()
        waiting = b""
        while not self._is_ending.is_set():
            if isinstance(self.machine, Faulty) and self.machine.is_cut:
                self._cut(number)
                return
            ready, _, _ = select.select([number], [], [], TICK_S)
            if ready:
                try:
                    data = read()
                except BlockingIOError:
                    data = None
                except OSError:  # nobody has the terminal open: somebody may yet
                    data = None
                    time.sleep(TICK_S)
                    if self._listener is not None:
                        return
                if data == b"" and self._listener is not None:
                    return
                self.machine.receive(data or b"")
            now = time.monotonic()
            self._pass(now - before)
            before = now
            waiting += self.machine.take_said()
            if waiting:
                try:
                    waiting = waiting[write(waiting) :]
                except BlockingIOError:
                    pass
                except OSError:
                    waiting = b""
                    if self._listener is not None:
                        return

    def _cut(self, number: int) -> None:
        """The line is gone; the machine goes on through what it holds."""
        if self._listener is not None:
            with contextlib.suppress(OSError), socket.socket(fileno=os.dup(number)) as there:
                there.shutdown(socket.SHUT_RDWR)
        for number in self._terminal or ():
            with contextlib.suppress(OSError):
                os.close(number)
        self._terminal = None
        before = time.monotonic()
        while not self._is_ending.wait(TICK_S):
            now = time.monotonic()
            self._pass(now - before)
            before = now

    def _pass(self, seconds: float) -> None:
        self.machine.advance(min(seconds, 0.5) * self._speed)
