"""A program on its way to a control: the bytes the control holds are counted, no line is sent twice, and whatever happens ends in a state with a name.

Pure: bytes come in and go out, time is told. What is answered when makes no difference to what is sent in which order.
"""

from __future__ import annotations

import re
from collections import deque
from collections.abc import Sequence
from enum import StrEnum
from typing import NamedTuple

import numpy as np

from archimetra.geometry.arrays import FloatArray
from archimetra.machine.protocol import (
    HOLD,
    RECEIVES,
    RESET,
    RESUME,
    STATUS,
    Doing,
    Lines,
    Report,
    is_greeting,
    read_code,
    read_report,
    said,
    shown,
)

ASK_S = 0.1  # between two questions how it is
LOST_S = 2.0  # without any answer
IDLE_S = 2.0  # standing with nothing to do, and lines unanswered: their answers are not on the way any more
SPINDLE_S = 20.0  # a spindle is given to run up
OLD_S = 0.3  # no report that comes is older
STANDS_S = 0.15  # what is reported later after a hold was asked for is of after it
STRAY_MM = 0.25  # off the way by more than this, the position is not trusted


_WAIT = re.compile(r"G0?4\s*P\s*(\d+(?:\.\d*)?)")
_SPINDLE = re.compile(r"M0?[34](?!\d)")


class State(StrEnum):
    """How a program stands. The last six are ends: nothing more is sent."""

    READY = "ready"
    RUNNING = "running"
    HELD = "held"
    DONE = "done"
    STOPPED = "stopped"
    REFUSED = "refused"  # a line was answered by an error
    ALARM = "alarm"
    LOST = "link lost"
    DOUBTED = "position not trusted"


ENDS = frozenset({State.DONE, State.STOPPED, State.REFUSED, State.ALARM, State.LOST, State.DOUBTED})


class Known(NamedTuple):
    """What is known when a program has ended: how many lines were taken by the control, up to which one the moves are certainly done, and in words
    what happened and what to do."""

    state: State
    taken: int
    done: int
    words: str


class Stream:
    """``lines`` without their ends; ``way`` (n, 3) are the places they lead to in machine coordinates and ``of_lines`` (n,) the line of each, from 0:
    the reports are held against them. Without them only answers are."""

    def __init__(
        self, lines: Sequence[str], *, receives: int = RECEIVES, way: FloatArray | None = None, of_lines: Sequence[int] = ()
    ) -> None:  # fmt: skip
        self.lines = [line.encode("ascii") + b"\n" for line in lines]
        long = next((k for k, line in enumerate(self.lines) if len(line) > receives), None)
        if long is not None:
            raise ValueError(f"line {long + 1} is longer than the {receives} bytes the control takes in")
        self.state = State.READY
        self.sent = self.taken = 0
        self.report: Report | None = None
        self.words = ""
        self._receives = receives
        self._held: deque[int] = deque()
        self._out = bytearray()
        self._came = Lines()
        self._asked = self._heard = self._ended_at = 0.0
        self._idle_from: float | None = None
        self.is_settling = False  # it has ended, and is yet to forget what it holds
        self._now = 0.0
        self._way = None if way is None else np.asarray(way, dtype=np.float64)
        self._of_lines = np.asarray(of_lines, dtype=np.int64)
        self._done = self._came_to = 0
        self.zero: tuple[float, float, float] | None = (
            None  # where it lies, for controls that tell places from it alone
        )
        self._held_at: float | None = None  # when it was asked to hold, as long as it is to
        self._on_way: tuple[int, float] | None = None  # the stretch of the way it is on, and how far along

    # ---- what a person asks

    def start(self) -> None:
        if self.state is State.READY:
            self.state = State.RUNNING
            self._heard = self._now

    def hold(self) -> None:
        if self.state is State.RUNNING:
            self._out += HOLD
            self.state = State.HELD
            self._held_at = self._now

    def resume(self) -> None:
        if self.state is State.HELD:
            self._out += RESUME
            self.state = State.RUNNING
            self._held_at = None

    def stop(self, words: str = "") -> None:
        """At once: brake; once it stands, what it holds is forgotten by a reset, which then loses no position. ``words`` say why."""
        if self.state not in ENDS:
            # what waited to be sent is not sent any more; a control that was sent nothing would only be left in a hold
            self._out[:] = HOLD if self.sent else b""
            why = words or "It was stopped. What was in its buffer is forgotten once it stands."
            self._end(State.STOPPED, why)

    # ---- bytes and time

    def pull(self) -> bytes:
        """What goes out now."""
        if self.state is State.RUNNING:
            while self.sent < len(self.lines) and sum(self._held) + len(self.lines[self.sent]) <= self._receives:
                line = self.lines[self.sent]
                self._out += line
                self._held.append(len(line))
                self.sent += 1
        out = bytes(self._out)
        self._out.clear()
        return out

    def take(self, data: bytes) -> None:
        """What came."""
        if data:
            self._heard = self._now
        for line in self._came.take(data):
            self.answer(line)

    def tick(self, now: float) -> None:
        """Time is so many seconds now."""
        self._now = now
        if self.is_settling and now - self._heard > LOST_S:
            self.is_settling = False
        if self.state not in (State.RUNNING, State.HELD):
            if self.is_settling and now - self._asked >= ASK_S:
                self._asked = now
                self._out += STATUS
            return
        if now - self._asked >= ASK_S:
            self._asked = now
            self._out += STATUS
        if now - self._heard > LOST_S:
            self._end(
                State.LOST, "The control no longer answers. Look at the machine: it may still be moving what it holds."
            )

    def link_lost(self, why: str) -> None:
        """The line itself is gone."""
        if self.state not in ENDS:
            self._end(
                State.LOST, f"The link is gone: {why}. The machine moves on through what it holds, then it stands."
            )

    # ---- answers

    def answer(self, line: bytes) -> None:
        """One line that came, without its end."""
        self._heard = self._now
        if self.is_settling:
            self._settle(line)
        if not line or self.state in ENDS:
            return
        if line == b"ok":
            self._count_one()
            return
        text = line.decode("ascii", "replace")
        code = read_code(text)
        if code is not None:
            self._refused(*code)
        elif (report := read_report(text, self.zero)) is not None:
            self._reported(report)
        elif is_greeting(text) and self.state is not State.READY and self.sent:
            self._out.clear()
            self._end(
                State.ALARM,
                "The control was reset in the middle of the program: what it held is forgotten, its position may be lost. Home it.",
            )

    def _count_one(self) -> None:
        if not self._held:
            self._doubt("It answered a line nobody sent")
            return
        self._held.popleft()
        self.taken += 1
        if self.taken == len(self.lines) and self._way is None:
            self._end(State.DONE, "")

    def _refused(self, kind: str, number: int) -> None:
        if kind == "ALARM":
            self._out.clear()
            self._end(
                State.ALARM,
                f"The control gave an alarm: {said(kind, number)}. Its position may be lost: home it before going on.",
            )
            return
        line = self.taken
        if not self._held:
            self._doubt("It refused a line nobody sent")
            return
        what = shown(self.lines[line].strip())
        self._out[:] = HOLD
        self._end(
            State.REFUSED, f"The control refused line {line + 1}, {what}: {said(kind, number)}. Nothing more was sent."
        )

    def _reported(self, report: Report) -> None:
        self.report = report
        if report.doing is Doing.ALARM and self.sent:
            self._end(
                State.ALARM, "The control is locked by an alarm. Its position may be lost: home it before going on."
            )
            return
        if report.doing is Doing.HOLD and self.state is State.RUNNING:
            self.state = State.HELD
        elif self.state is State.HELD and self._goes_on(report.doing):
            self.state, self._held_at = State.RUNNING, None
        if report.machine is not None and self._way is not None and len(self._way):
            self._follow(np.array(report.machine), report)
        if self.state in ENDS:
            return
        if self.taken == len(self.lines) and report.doing is Doing.IDLE and self.state is State.RUNNING:
            self._end(State.DONE, "")
            return
        is_idle = report.doing is Doing.IDLE and bool(self._held) and self.state is State.RUNNING
        self._idle_from = (self._idle_from if self._idle_from is not None else self._now) if is_idle else None
        if self._idle_from is not None and self._now - self._idle_from > IDLE_S + self._waits():
            count = len(self._held)
            lines = "a line" if count == 1 else f"{count} lines"
            self._doubt(f"It stands with nothing to do and has not answered {lines}")

    def _goes_on(self, doing: Doing) -> bool:
        """Whether a program that is held is not held any more: a report may be of before it was resumed, or of before it was held; or somebody resumed
        it at the machine itself."""
        if self._held_at is None:
            return doing in (Doing.RUN, Doing.IDLE)
        return doing is Doing.RUN and self._now - self._held_at > OLD_S

    def _waits(self) -> float:
        """How long the lines it holds may make it stand, s."""
        held = b"".join(self.lines[self.taken : self.sent]).decode("ascii")
        waits = sum(float(value) for value in _WAIT.findall(held))
        return waits + (SPINDLE_S if _SPINDLE.search(held) else 0.0)

    def _follow(self, at: FloatArray, report: Report) -> None:
        """Where on its way the bit is; nowhere near it, the position is not trusted."""
        assert self._way is not None
        begin = max(int(np.searchsorted(self._of_lines, self._done)) - 1, 0)
        end = int(np.searchsorted(self._of_lines, self.sent, side="right"))
        if end - begin < 1 or self.sent == 0:
            return
        part = self._way[begin : end + 1]
        if len(part) < 2:
            return
        a, d = part[:-1], np.diff(part, axis=0)
        length = np.maximum((d * d).sum(axis=1), 1e-18)
        t = np.clip(((at - a) * d).sum(axis=1) / length, 0.0, 1.0)
        gaps = np.linalg.norm(a + t[:, None] * d - at, axis=1)
        near = np.flatnonzero(gaps < gaps.min() + 1e-3)
        if gaps.min() > STRAY_MM and report.doing in (Doing.RUN, Doing.HOLD, Doing.IDLE) and self.taken:
            x, y, z = at
            self._out[:] = HOLD
            self._end(
                State.DOUBTED, f"The control reports X {x:.3f} Y {y:.3f} Z {z:.3f}, {gaps.min():.2f} mm off the way it was sent. A line may have changed on its way, "
                "or steps were lost. It was held: look at the machine, and find zero again.",
            )  # fmt: skip
            return
        row = begin + int(near[0])
        self._on_way = row, float(t[near[0]])
        # certain is only what two reports after each other agree on: a digit lost in one may tell of a later place
        came_to = int(self._of_lines[row])
        self._done = max(self._done, min(came_to, self._came_to))
        self._came_to = came_to

    def _doubt(self, what: str) -> None:
        self._out[:] = HOLD
        self._end(
            State.DOUBTED,
            f"{what}: lines and answers no longer go together. It was held; find zero again before going on.",
        )

    # ---- ends

    def _settle(self, line: bytes) -> None:
        """Have what it holds forgotten as soon as it says that it stands."""
        report = read_report(line.decode("ascii", "replace"))
        # a report may be of before it was told to hold: standing then, it may be on its way by now
        if (
            report is None
            or report.moves
            or (self._now - self._ended_at < STANDS_S and report.doing is not Doing.ALARM)
        ):
            return
        if report.doing in (Doing.HOLD, Doing.IDLE):
            self._out += RESET
        if report.doing in (Doing.HOLD, Doing.IDLE, Doing.ALARM):
            self.is_settling = False

    def _end(self, state: State, words: str) -> None:
        self.state, self.words = state, words
        self.is_settling = state in (State.STOPPED, State.REFUSED, State.DOUBTED) and self.sent > 0
        self._heard = self._ended_at = self._now
        if state is State.DONE:
            self._done = len(self.lines)

    @property
    def place(self) -> tuple[int, float]:
        """Where on the program the bit is: its line, from 0 (-1 before the first), and how far along it, 0 to 1."""
        if self._on_way is None:
            return -1, 0.0
        row, t = self._on_way
        line = int(self._of_lines[min(row + 1, len(self._of_lines) - 1)])
        first = int(np.searchsorted(self._of_lines, line))
        last = int(np.searchsorted(self._of_lines, line, side="right"))
        return line, min(max((row + 1 - first + t) / max(last - first, 1), 0.0), 1.0)

    @property
    def known(self) -> Known:
        return Known(self.state, self.taken, min(self._done, self.taken), self.words)
