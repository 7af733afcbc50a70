"""The stand-in misbehaving on demand: bytes lost, changed, doubled or late, answers twice, a limit hit, steps lost, a reset, the line cut."""

from __future__ import annotations

import re
from collections.abc import Sequence
from enum import StrEnum
from typing import NamedTuple

from archimetra.machine.standin.controller import StandIn

LATE_S = 1.5
SLIP_MM = 0.8


class Kind(StrEnum):
    DROP = "drop"  # a byte that comes in
    CHANGE = "change"
    DOUBLE = "double"
    ANSWER_DROP = "answer-drop"  # a byte that goes out
    ANSWER_CHANGE = "answer-change"
    ANSWER_DOUBLE = "answer-double"
    LATE = "late"  # what it says from a byte on comes so much later
    TWICE = "twice"  # an answer is given once more
    CUT = "cut"  # the line, at a byte that comes in
    LIMIT = "limit"  # after so many seconds
    SLIP = "slip"
    RESET = "reset"


IN_SECONDS = frozenset({Kind.LIMIT, Kind.SLIP, Kind.RESET})
_WRITTEN = re.compile(r"([a-z-]+)@(\d+(?:\.\d+)?)(s?)")


class Fault(NamedTuple):
    """``at`` counts bytes, or seconds where the kind is one of ``IN_SECONDS``."""

    kind: Kind
    at: float


def read_fault(text: str) -> Fault:
    """``drop@200`` or ``reset@5s``. Raises ValueError."""
    found = _WRITTEN.fullmatch(text)
    if found is None or found.group(1) not in Kind.__members__.values():
        raise ValueError(f"'{text}' is no fault; write {', '.join(_example(kind) for kind in Kind)}")
    kind = Kind(found.group(1))
    if (found.group(3) == "s") != (kind in IN_SECONDS):
        counted = "seconds" if kind in IN_SECONDS else "bytes"
        raise ValueError(f"'{text}': {kind} happens after so many {counted}; write {_example(kind)}")
    return Fault(kind, float(found.group(2)))


def _example(kind: Kind) -> str:
    return f"{kind}@{'5s' if kind in IN_SECONDS else '200'}"


class Faulty:
    """A stand-in whose line and self fail as told. Used in its place."""

    def __init__(self, machine: StandIn, faults: Sequence[Fault]) -> None:
        self.machine = machine
        self.is_cut = False
        self._faults = list(faults)
        self._received = self._said = 0
        self._now = 0.0
        self._late: list[tuple[float, bytes]] = []

    def plan(self, faults: Sequence[Fault]) -> None:
        """Misbehave so, counted from now."""
        self._faults = list(faults)
        self._received = self._said = 0
        self._now = 0.0

    def receive(self, data: bytes) -> None:
        for byte in data:
            if self.is_cut:
                return
            one = bytes((byte,))
            for kind in self._due(self._received, (Kind.DROP, Kind.CHANGE, Kind.DOUBLE, Kind.CUT)):
                match kind:
                    case Kind.DROP:
                        one = b""
                    case Kind.CHANGE:
                        one = _changed(byte)
                    case Kind.DOUBLE:
                        one = one * 2
                    case Kind.CUT:
                        self.is_cut = True
            self._received += 1
            self.machine.receive(one)

    def advance(self, seconds: float) -> None:
        self._now += seconds
        for fault in [f for f in self._faults if f.kind in IN_SECONDS and f.at <= self._now]:
            self._faults.remove(fault)
            match fault.kind:
                case Kind.LIMIT:
                    self.machine.alarm(1)
                case Kind.SLIP:
                    x, y, z = self.machine.slip
                    self.machine.slip = (x + SLIP_MM, y, z)
                case Kind.RESET:
                    self.machine.reset()
        self.machine.advance(seconds)

    def take_said(self) -> bytes:
        data, out = self.machine.take_said(), bytearray()
        for byte in data:
            one = bytes((byte,))
            for kind in self._due(self._said, (Kind.ANSWER_DROP, Kind.ANSWER_CHANGE, Kind.ANSWER_DOUBLE, Kind.LATE)):
                match kind:
                    case Kind.ANSWER_DROP:
                        one = b""
                    case Kind.ANSWER_CHANGE:
                        one = _changed(byte)
                    case Kind.ANSWER_DOUBLE:
                        one = one * 2
                    case Kind.LATE:
                        self._late.append((self._now + LATE_S, b""))
            self._said += 1
            out += one
        due = [f for f in self._faults if f.kind is Kind.TWICE and f.at <= self._said]
        if due and b"ok\r\n" in out:
            self._faults.remove(due[0])
            out = bytearray(bytes(out).replace(b"ok\r\n", b"ok\r\nok\r\n", 1))
        if self.is_cut:
            return b""
        return self._held_back(bytes(out))

    def _held_back(self, data: bytes) -> bytes:
        """What is late comes late, and in its order."""
        if not self._late:
            return data
        until, before = self._late[0]
        self._late = [(until, before + data)]
        if until > self._now:
            return b""
        self._late = []
        return before + data

    def _due(self, count: int, kinds: Sequence[Kind]) -> list[Kind]:
        due = [fault for fault in self._faults if fault.kind in kinds and fault.at <= count]
        for fault in due:
            self._faults.remove(fault)
        return [fault.kind for fault in due]


def _changed(byte: int) -> bytes:
    """Another letter of the kind that looks right: a digit for a digit."""
    if 48 <= byte <= 57:
        return bytes((48 + (byte - 48 + 5) % 10,))
    return bytes((byte ^ 0x05 & 0x7F,)) if byte not in (10, 13) else b" "
