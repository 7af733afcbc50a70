"""The link as a process of its own: a window may hang or die, and the machine is still looked after. Without a window a running program is stopped,
held to a stand, and what came of it put down; then the process ends.

Started by ``link_client``: ``python -m archimetra.machine.link_process SOCKET ADDRESS SPEED``, the socket being a file it inherits.
"""

from __future__ import annotations

import contextlib
import os
import queue
import select
import signal
import socket
import sys
import threading
import time
from pathlib import Path

import numpy as np

from archimetra.machine.link import Link, Phase
from archimetra.machine.messages import (
    Answered,
    Ask,
    Begin,
    Ended,
    Gone,
    Hold,
    Jog,
    JogEnd,
    JogHeld,
    Leave,
    Mailbox,
    Message,
    Override,
    Reach,
    Resume,
    Stop,
    Unlock,
    packed,
)
from archimetra.machine.ports import Line, LinkError, open_line
from archimetra.machine.runs import About, Journal, Progress, Record, keep_record, now_words, read_about, read_program
from archimetra.machine.streaming import ENDS, Stream

TICK_S = 0.01
NOW_S = 0.05
JOURNAL_S = 1.0
LATER_S = 3.0  # a program waits so long for the control to be ready
SETTLE_S = 10.0  # a machine that does not come to a stand is left after this, its line still closed
LEFT_ALONE = "The window ended while it ran: the machine was held, and what it still had in its buffer is forgotten."


class Served:
    """One line, one window."""

    def __init__(self, window: socket.socket, line: Line, address: str) -> None:
        self.window, self.line = window, line
        self.link = Link(address)
        self._mail = Mailbox(is_link=True)
        self._to_window = bytearray()
        self._to_line = b""
        self._begin = time.monotonic()
        self._told_now = self._noted = 0.0
        self._has_window = True
        self._is_leaving = False
        self._about: About | None = None
        self._later: Begin | None = None  # a program that is begun once it is known where the machine stands
        self._later_until = 0.0
        self._disk: queue.Queue[tuple[str, object] | None] = queue.Queue()
        self._writer = threading.Thread(target=self._write, name="journal", daemon=True)
        self._writer.start()

    def run(self) -> None:
        window, line = self.window.fileno(), self.line.number
        settled_by = 0.0
        while True:
            reads = [line] if self.link.phase is not Phase.GONE else []
            reads += [window] if self._has_window else []
            writes = [line] if self._to_line and self.link.phase is not Phase.GONE else []
            writes += [window] if self._to_window and self._has_window else []
            can_read, _, _ = select.select(reads, writes, [], TICK_S) if reads else ((), (), ())
            if window in can_read:
                self._from_window()
            if line in can_read:
                self._from_line()
            self.link.tick(time.monotonic() - self._begin)
            if self._later is not None and (self.link.gets_ready() or time.monotonic() > self._later_until):
                later, self._later = self._later, None
                self._begin_now(later)
            self._out()
            self._tell()
            if self.link.phase is Phase.GONE and not self._to_window:
                break
            if self._is_leaving or not self._has_window:
                settled_by = settled_by or time.monotonic() + SETTLE_S
                if (self.link.is_quiet and not self._to_line) or time.monotonic() > settled_by:
                    break
        self._disk.put(None)
        self._writer.join(5.0)

    def leave(self, words: str) -> None:
        """Stop what runs; ``run`` ends once it stands."""
        if not self._is_leaving:
            self._is_leaving = True
            self._forget_later()  # nothing begins any more without a window
            self.link.stop(words)

    # ---- the window

    def _from_window(self) -> None:
        try:
            data = self.window.recv(65536)
            messages = self._mail.take(data) if data else []
        except BlockingIOError:
            return
        except (OSError, ValueError):
            data, messages = b"", []
        if not data:
            self._has_window = False
            self.leave(LEFT_ALONE)
            return
        for message in messages:
            self._do(message)

    def _do(self, message: Message) -> None:
        link = self.link
        match message:
            case Stop():
                self._forget_later()
                link.stop()
            case Hold():
                link.hold()
            case Resume():
                link.resume()
            case JogHeld():
                link.jog_held(message)
            case JogEnd():
                link.jog_end(message)
            case Jog():
                link.jog(message)
            case Ask():
                link.ask(message)
            case Unlock():
                link.unlock(message)
            case Reach():
                link.reach(message)
            case Override():
                link.override(message)
            case Begin():
                self._begin_run(message)
            case Leave():
                self.leave("The window let go of the machine while it ran.")
        self._out()  # at once: a stop does not wait for the next round

    def _tell(self) -> None:
        told, self.link.told = self.link.told, []
        now = time.monotonic()
        if told and self.link.phase is not Phase.GONE:  # who hears of a thing done finds the machine as it is by then
            self._to_window += packed(self.link.now())
        for one in told:
            if isinstance(one, Ended):
                self._ended(one)
            self._to_window += packed(one)
        if self.link.phase is not Phase.GONE and now - self._told_now >= NOW_S and len(self._to_window) < 100_000:
            self._told_now = now
            self._to_window += packed(self.link.now())
            self._note_progress(now)
        while self._to_window and self._has_window:
            try:
                del self._to_window[: self.window.send(self._to_window)]
            except BlockingIOError:
                return
            except OSError:
                self._has_window = False
                self.leave(LEFT_ALONE)
        if not self._has_window:
            self._to_window.clear()

    # ---- the line

    def _from_line(self) -> None:
        try:
            data = self.line.read()
        except OSError as error:
            self.link.gone(
                f"The line to {self.link.address} is gone ({error.strerror or error}). Is the machine still plugged in and switched on?"
            )
            return
        self.link.take(data)

    def _out(self) -> None:
        if self.link.phase is Phase.GONE:
            return
        fresh = self.link.pull()
        # what acts at once goes before what waits for room
        self._to_line = fresh + self._to_line if len(fresh) == 1 else self._to_line + fresh
        if not self._to_line:
            return
        try:
            self._to_line = self._to_line[self.line.write(self._to_line) :]
        except OSError as error:
            self._to_line = b""
            self.link.gone(
                f"The line to {self.link.address} is gone ({error.strerror or error}). Is the machine still plugged in and switched on?"
            )

    # ---- a run

    def _forget_later(self) -> None:
        if self._later is not None:
            self.link.told.append(Answered(self._later.number, False, "It was stopped."))
            self._later = None

    def _begin_run(self, message: Begin) -> None:
        if self.link.gets_ready():
            self._begin_now(message)
        else:  # it is known in a moment where it stands
            self._later, self._later_until = message, time.monotonic() + LATER_S

    def _begin_now(self, message: Begin) -> None:
        folder = Path(message.folder)
        try:
            about = read_about(folder)
            lines, way, of_lines = read_program(folder)
        except (OSError, ValueError) as error:
            words = f"The program cannot be read back from {folder}: {error}."
            self.link.told.append(Answered(message.number, False, words))
            return
        try:
            stream = Stream(
                lines, receives=self.link.receives, way=self._way(way, message.zero), of_lines=[-1, *of_lines.tolist()]
            )
        except ValueError as error:
            self.link.told.append(Answered(message.number, False, f"It cannot be sent to this control: {error}."))
            return
        self.link.begin(message.number, stream, message.zero)
        if self.link.stream is stream:
            self._about = about
            self._disk.put(("journal", folder))
            self._noted = 0.0

    def _way(self, way: np.ndarray, zero: tuple[float, float, float]) -> np.ndarray:
        """In machine coordinates, from where it stands; an axis that is not named yet stays."""
        report = self.link.report
        at = report.machine if report is not None and report.machine is not None else (0.0, 0.0, 0.0)
        out = np.vstack((np.array([at]), way.reshape(-1, 3) + np.array(zero)))
        for k in range(3):
            column = out[:, k]
            known = np.maximum.accumulate(np.where(np.isfinite(column), np.arange(len(column)), 0))
            out[:, k] = column[known]
        return out

    def _note_progress(self, now: float) -> None:
        stream = self.link.stream
        if (
            self._about is not None
            and stream is not None
            and stream.state not in ENDS
            and now - self._noted >= JOURNAL_S
        ):
            self._noted = now
            known = stream.known
            self._disk.put(
                (
                    "note",
                    Progress(at_s=self.link.now().run_s, state=stream.state.value, taken=known.taken, done=known.done),
                )
            )

    def _ended(self, end: Ended) -> None:
        about, self._about = self._about, None
        if about is None:
            return
        self._disk.put(
            ("note", Progress(at_s=end.seconds, state=end.state, taken=end.taken, done=end.done, words=end.words))
        )
        self._disk.put(("close", None))
        if about.is_air or not about.log:
            return
        record = Record(
            began=about.began, ended=now_words(), machine=about.machine, board=about.board, file=about.file, state=end.state,
            seconds=round(end.seconds, 3), expected_s=round(about.expected_s, 3), taken=end.taken, lines=about.lines, words=end.words,
            was_slowed=end.was_slowed, turn=about.turn,
        )  # fmt: skip
        self._disk.put(("record", (Path(about.log), record)))

    def _write(self) -> None:
        """On a thread of its own: a slow disk holds up nobody."""
        journal: Journal | None = None
        while (job := self._disk.get()) is not None:
            kind, value = job
            if kind == "journal" and isinstance(value, Path):
                if journal is not None:
                    journal.close()
                journal = Journal(value)
            elif kind == "close" and journal is not None:
                journal.close()
                journal = None
            elif kind == "note" and journal is not None and isinstance(value, Progress):
                journal.note(value)
            elif kind == "record" and isinstance(value, tuple):
                with contextlib.suppress(OSError):
                    keep_record(*value)
        if journal is not None:
            journal.close()


def main(arguments: list[str]) -> int:
    window = socket.socket(fileno=int(arguments[0]))
    window.setblocking(False)
    address, speed = arguments[1], int(arguments[2])
    with contextlib.suppress(OSError):  # only where the account may: a machine is led before a plan is drawn
        os.nice(-5)
    try:
        line = open_line(address, speed=speed)
    except (LinkError, OSError) as error:
        with contextlib.suppress(OSError):
            window.setblocking(True)
            window.sendall(packed(Gone(str(error))))
        return 1
    served = Served(window, line, address)
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # the terminal's Ctrl+C is the window's
    for number in (signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, lambda _n, _f: served.leave(LEFT_ALONE))
    try:
        served.run()
    finally:
        line.close()
        window.close()
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
