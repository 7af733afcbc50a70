"""A link and a stand-in that may misbehave, in simulated time, with what went over the line kept on the side."""

from __future__ import annotations

import numpy as np

from archimetra.machine.course import course_of, from_zero
from archimetra.machine.link import Link, Phase
from archimetra.machine.messages import Answered, Ended, Gone, Now
from archimetra.machine.standin.controller import Build, StandIn
from archimetra.machine.standin.faults import Faulty
from archimetra.machine.streaming import Stream

STEP_S = 0.01
ACTS_AT_ONCE = b"?!~\x18\x85" + bytes(range(0x90, 0x9E))


class Pair:
    """Both ends. ``sent`` is every byte that went out, ``told`` every message but the steady ones."""

    def __init__(self, machine: StandIn | Faulty | None = None, *, step: float = STEP_S) -> None:
        self.machine = machine or StandIn(Build(needs_home=False))
        self.link = Link("test")
        self.step = step
        self.now = 0.0
        self.sent = bytearray()
        self.told: list[object] = []

    @property
    def own(self) -> StandIn:
        return self.machine.machine if isinstance(self.machine, Faulty) else self.machine

    def go(self, seconds: float) -> None:
        end = self.now + seconds
        while self.now < end - 1e-9:
            self.once()

    def once(self) -> None:
        out = self.link.pull()
        self.sent += out
        self.machine.receive(out)
        self.machine.advance(self.step)
        self.now += self.step
        if isinstance(self.machine, Faulty) and self.machine.is_cut and self.link.phase is not Phase.GONE:
            self.link.gone("It was unplugged.")
        self.link.take(self.machine.take_said())
        self.link.tick(self.now)
        self.told += self.link.told
        self.link.told = []

    def until(self, is_it, most: float = 600.0) -> None:
        end = self.now + most
        while not is_it():
            assert self.now < end, (self.link.phase, self.link.now(), self.own.doing, self.told[-3:])
            self.once()

    def open(self) -> None:
        self.until(lambda: self.link.phase is Phase.OPEN, 20.0)
        self.until(lambda: self.link.zero is not None, 20.0)

    def answer(self, number: int) -> Answered | None:
        return next((one for one in self.told if isinstance(one, Answered) and one.number == number), None)

    @property
    def end(self) -> Ended | None:
        return next((one for one in reversed(self.told) if isinstance(one, Ended)), None)

    @property
    def gone(self) -> Gone | None:
        return next((one for one in self.told if isinstance(one, Gone)), None)

    def begin(self, text: str, number: int = 1) -> None:
        """As the link's process begins a program."""
        if not self.link.gets_ready():
            self.until(self.link.gets_ready, 3.0)
        now: Now = self.link.now()
        zero = np.array(now.zero)
        at = np.array(now.at)
        course = course_of(from_zero(text, tuple(zero)), tuple(at - zero))
        way = np.vstack((at[None], course.way + zero))
        stream = Stream(
            text.splitlines(), receives=self.link.receives, way=way, of_lines=[-1, *course.of_lines.tolist()]
        )
        self.link.begin(number, stream, tuple(zero))


def lines_in(sent: bytes) -> bytes:
    """What went out without what acts at once."""
    return bytes(b for b in sent if b not in ACTS_AT_ONCE)
