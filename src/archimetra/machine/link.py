"""What goes on between the window and a control: who it is, lines asked one at a time, jogs, and a program (``streaming``) of which only one runs.

Pure: messages and bytes come in and go out, time is told. ``link_process`` puts it between a pipe and a line.
"""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass, field
from enum import StrEnum
from math import inf

from archimetra.machine import protocol
from archimetra.machine.by_hand import AHEAD, ByHand
from archimetra.machine.messages import (
    Answered,
    Ask,
    Ended,
    FromLink,
    Gone,
    Jog,
    JogEnd,
    JogHeld,
    Now,
    Opened,
    Override,
    Place,
    Reach,
    Told,
    Unlock,
)
from archimetra.machine.protocol import RECEIVES, Doing, Lines, Report
from archimetra.machine.streaming import ENDS, State, Stream

ASK_S = 0.1  # between two questions how it is
SOON_S = 0.03  # the same while it is not known yet where zero is
GREET_S = 4.0  # a control that begins anew takes this long to speak
ANEW_S = 1.0  # one that is reset greets within this, or does not greet at all
LOST_S = 2.0
HOMING_S = 120.0  # while it looks for its switches a control may say nothing
REPORTS_INCHES = 13  # the number of that setting
LEAST_RECEIVES = 64  # no control that moves in arcs takes less; a smaller number is something else
STOPS_S = 0.15  # reports that come sooner after a stop may be of before it


class Phase(StrEnum):
    GREETING = "greeting"
    ASKING = "asking"  # its version and its settings
    OPEN = "open"
    GONE = "gone"


@dataclass
class _Asked:
    """A line under way. ``number`` is None for one nobody waits for."""

    number: int | None
    line: str
    until: float
    said: list[str] = field(default_factory=list)


class Link:
    def __init__(self, address: str) -> None:
        self.address = address
        self.phase = Phase.GREETING
        self.report: Report | None = None
        self.stream: Stream | None = None
        self.told: list[FromLink] = []
        self.zero: Place | None = None
        self.overrides = (100, 100, 100)
        self._now = 0.0
        self._heard = self._question = 0.0
        self._has_heard = False
        self._came = Lines()
        self._out = bytearray()
        self._asked: deque[_Asked] = deque()
        self._version: list[str] = []
        self._settings: dict[int, float] = {}
        self._hand = ByHand()
        self.receives = RECEIVES
        self._needs_reset = (
            True  # whoever had it before may have left it in other units, another zero, in the middle of something
        )
        self._is_stopping = False
        self._stopped_at = 0.0
        self._greets_until = 0.0  # after a reset nothing is said until it greets, or this moment
        self._waiting: list[_Asked] = []
        self._standing: list[_Asked] = []  # lines for when it stands
        self._done: list[Answered] = []
        self._run_s = 0.0
        self._was_slowed = False
        self._has_ended = True
        self._asking_from = 0.0
        self._clears = False  # it was reset for a clean beginning, and its greeting is waited for

    # ---- what the window wants

    @property
    def is_running(self) -> bool:
        """Whether a program is under way, or being forgotten by the control."""
        return self.stream is not None and (self.stream.state not in ENDS or self.stream.is_settling)

    def why_not(self) -> str:
        """Why nothing can be asked now; '' where it can."""
        if self.phase is not Phase.OPEN:
            return "The machine is not connected yet."
        if self.is_running:
            return "A program is running: stop it, or wait for its end."
        doing = self.report.doing if self.report is not None else Doing.UNKNOWN
        if self._is_homing:
            return "It is finding its home."
        if doing is Doing.DOOR:
            return "Its door is open. Close it first."
        if doing in (Doing.RUN, Doing.HOLD):
            return "It is moving something that was not begun here. Stop it first."
        return ""

    def ask(self, message: Ask) -> None:
        why = self.why_not() or ("It is being moved by hand." if self._hand.held is not None else "")
        is_zero = "G10" in message.line
        why = why or (self._locked() if is_zero else "")
        if why:
            self.told.append(Answered(message.number, False, why))
            return
        one = _Asked(message.number, message.line, self._now + message.wait_s)
        if is_zero:
            self._standing.append(one)
            self._send_standing()
        else:
            self._send(one)

    def _send_standing(self) -> None:
        """A zero is set where it stands: while it is on its way it is not known yet where that will be."""
        if self._standing and not self.is_led and not self._asked and self._doing is Doing.IDLE:
            standing, self._standing = self._standing, []
            for one in standing:
                self._send(one)

    def unlock(self, message: Unlock) -> None:
        """What it held is forgotten first: after an alarm some controls take nothing else."""
        if self.is_running:
            self.told.append(Answered(message.number, False, self.why_not()))
            return
        self._reset()
        self._send(_Asked(message.number, "$X", self._now + 10.0))

    def reach(self, message: Reach) -> None:
        self._hand.reach = message

    def jog(self, message: Jog) -> None:
        why = self.why_not() or self._locked()
        if not why and (self._hand.held is not None or len(self._asked) + len(self._waiting) > AHEAD):
            why = "It is still on its way."
        if why:
            self.told.append(Answered(message.number, False, why))
            return
        line, is_shorter = self._hand.step(message.by, message.feed, self.report, self._now)
        if not line:
            self.told.append(Answered(message.number, False, "There the machine's travel ends."))
            return
        if is_shorter:
            self.told.append(Told("Only as far as the machine's travel goes."))
        self._send(_Asked(message.number, line, self._now + 10.0))

    def jog_held(self, message: JogHeld) -> None:
        if self.why_not() or self._locked():
            return
        self._hand.hold(message, self._now)
        self._send_pieces()

    def jog_end(self, _message: JogEnd) -> None:
        if self._hand.let_go(self._now):
            self._out += protocol.JOG_CANCEL

    @property
    def is_led(self) -> bool:
        """Whether it is led by hand, or was so lately that the last report may be of before."""
        return self._hand.is_led(self._now)

    def gets_ready(self) -> bool:
        """Whether a program may begin, as far as what was before goes: it is not led by hand any more, what it held is forgotten and it has said since
        where zero lies. Whatever else forbids it is said by ``begin``."""
        if self.is_led:
            return False
        if self.why_not() or self._locked():
            return True
        if self._needs_reset:
            self._reset()
        return self._now >= self._greets_until and self.zero is not None

    def begin(self, number: int, stream: Stream, zero: Place) -> None:
        why = self.why_not() or self._locked()
        if not why and (self.is_led or self._asked or self._waiting or self._standing or self._doing is not Doing.IDLE):
            why = "It is still moving. Wait until it stands."
        if not why and self.zero is None:
            why = "The control has not said yet where zero lies."
        if not why and self.zero is not None and max(abs(a - b) for a, b in zip(self.zero, zero, strict=True)) > 0.0015:
            why = "Zero has moved since this was prepared. Check it, and begin again."
        if why:
            self.told.append(Answered(number, False, why))
            return
        self.stream, self._has_ended = stream, False
        stream.zero = self.zero
        self._run_s, self._was_slowed = 0.0, self.overrides[:2] != (100, 100)
        stream.tick(self._now)
        stream.start()
        self.told.append(Answered(number, True))

    def hold(self) -> None:
        if self.stream is not None and self.is_running:
            self.stream.hold()
        elif self._doing in (Doing.RUN, Doing.JOG):
            self._out += protocol.HOLD

    def resume(self) -> None:
        if self.stream is not None and self.is_running:
            self.stream.resume()

    def stop(self, words: str = "") -> None:
        """At once, whatever it does, and whatever the last report said: that is a tenth of a second old."""
        self._hand.drop()
        is_homing = self._is_homing
        is_standing = self._doing is Doing.HOLD and self.report is not None and not self.report.moves
        self._forget_asked("It was stopped.")
        if self.stream is not None and self.stream.state not in ENDS:
            self.stream.stop(words)
            return
        if self.phase is Phase.OPEN and (
            is_homing or is_standing
        ):  # a hold does not end homing, nor does it know where it is
            self._reset()
            return
        self._out[:] = protocol.JOG_CANCEL + protocol.HOLD
        self._is_stopping, self._stopped_at = True, self._now

    def override(self, message: Override) -> None:
        """Feed or spindle to so many percent."""
        self._out += protocol.override(message.of, message.percent)
        if message.of == "feed" and message.percent != 100:
            self._was_slowed = True

    # ---- bytes and time

    def pull(self) -> bytes:
        """What goes out now."""
        if self.stream is not None and (self.is_running or not self._has_ended):
            self._pull_stream(self.stream)
        out = bytes(self._out)
        self._out.clear()
        return out

    def _pull_stream(self, stream: Stream) -> None:
        out = stream.pull()
        self._out += out
        if protocol.RESET in out:
            self._greets_until, self.zero = self._now + ANEW_S, None

    def take(self, data: bytes) -> None:
        """What came."""
        if data:
            self._heard, self._has_heard = self._now, True
        for line in self._came.take(data):
            self._line(line)

    def tick(self, now: float) -> None:
        """Time is so many seconds now."""
        passed, self._now = now - self._now, now
        if self.phase is Phase.GONE:
            return
        if self.stream is not None and self.is_running:
            if self._doing is not Doing.HOLD and self.stream.state is State.RUNNING:
                self._run_s += passed
            self.stream.tick(now)
            self._look_at_end()
            return
        self._look_at_end()
        is_steady = self.phase is Phase.OPEN and self.zero is not None
        if now - self._question >= (ASK_S if is_steady else SOON_S):
            self._question = now
            self._out += protocol.STATUS
        self._open()
        if self._clears and now >= self._greets_until:
            self._ask_who()
        if self.phase is Phase.GREETING and not self._clears and now > GREET_S:
            self.gone(
                f"What is at {self.address} says nothing that a control says. Is it another device, or set to another speed?"
                if self._has_heard else
                f"Nothing answers at {self.address}. Is the machine switched on, and its speed right?"
            )  # fmt: skip
            return
        if self.phase is not Phase.GREETING and now - self._heard > (HOMING_S if self._is_homing else LOST_S):
            self.gone("The control no longer answers. Look at the machine, then connect again.")
            return
        if self._hand.is_forgotten(now):
            self.jog_end(JogEnd())
        self._send_pieces()
        self._send_waiting()
        self._send_standing()
        for one in [one for one in self._standing if now > one.until]:
            self._standing.remove(one)
            self._answered(one, False, "It kept moving, so no zero was set.")
        for one in [one for one in self._asked if now > one.until]:
            self._asked.remove(one)
            self._needs_reset = True
            self._answered(
                one, False, "The control took too long over it. Look at the machine; what it still held is forgotten."
            )

    def _open(self) -> None:
        """All is known once it has said what it is set to and where zero is, which it tells in some of its reports alone."""
        if self.phase is not Phase.ASKING:
            return
        self._asking_from = self._asking_from or self._now
        if self._settings.get(REPORTS_INCHES) == 1:
            self.gone(
                f"The control at {self.address} tells its places in inches (its setting ${REPORTS_INCHES}). Set ${REPORTS_INCHES}=0 on it, then connect again: "
                "files may be in inches all the same."
            )
            return
        if not self._asked and (self.zero is not None or self._now - self._asking_from > GREET_S):
            self.phase = Phase.OPEN
            self.told.append(Opened(self.address, " ".join(self._version)[:120], self._settings))

    def gone(self, words: str) -> None:
        """The line is gone, or never spoke."""
        if self.phase is Phase.GONE:
            return
        if self.stream is not None:
            self.stream.link_lost(words.rstrip(".").lower() if words.startswith("It was") else words.rstrip("."))
            self.stream.is_settling = False
            self._look_at_end()
        self._forget_asked("The link is gone.")
        self.phase = Phase.GONE
        self.told.append(Gone(words))

    def now(self) -> Now:
        """How it is."""
        report, stream = self.report, self.stream
        if report is None:
            return Now("")
        line, share = stream.place if stream is not None else (-1, 0.0)
        return Now(
            Doing.HOME.value if self._is_homing else report.doing.value, report.machine, self.zero, report.feed, report.speed, self.overrides, line, share,
            stream.taken if stream is not None else 0, stream.sent if stream is not None else 0, report.room[0],
            stream.state.value if stream is not None else "", self._run_s, report.pins,
        )  # fmt: skip

    @property
    def is_quiet(self) -> bool:
        """Whether nothing moves that was begun here, and nothing waits to be forgotten."""
        return self.phase is Phase.GONE or not (
            self.is_running or self._hand.ends or self._is_stopping or self._is_homing or self._doing is Doing.JOG
        )

    # ---- lines that came

    @property
    def _doing(self) -> Doing:
        return self.report.doing if self.report is not None else Doing.UNKNOWN

    def _line(self, line: bytes) -> None:
        text = line.decode("ascii", "replace")
        report = protocol.read_report(text, self.zero)
        if report is not None:
            self._reported(report)
        if self.stream is not None and self.is_running:
            self.stream.answer(line)
            self._look_at_end()
            return
        if report is not None or not text:
            return
        if protocol.is_greeting(text):
            self._greeted(text)
        elif text == "ok":
            self._acknowledged()
        elif (code := protocol.read_code(text)) is not None:
            self._coded(*code)
        elif self._asked:
            self._asked[0].said.append(protocol.shown(line))
            if self.phase is Phase.ASKING:
                self._learn(text, line)

    def _reported(self, report: Report) -> None:
        was = self._doing
        self.report = report
        if (
            self._now >= self._greets_until
        ):  # one that was on its way when it was reset tells of a zero that is forgotten
            self.zero = report.zero or self.zero
        if self.zero is not None:
            self.told += self._done
            self._done.clear()
        self.overrides = report.overrides or self.overrides
        if self.stream is not None and self.is_running and self.overrides[:2] != (100, 100):
            self._was_slowed = True
        if self.phase is Phase.GREETING and report.doing is not Doing.UNKNOWN and not self._clears:
            if self._needs_reset and not report.moves and report.doing not in (Doing.DOOR, Doing.TOOL):
                self._clears = True
                self._reset()
            else:
                self._ask_who()
        self._hand.look(report, self._now)
        if self._hand.ends and report.doing is Doing.JOG and self._hand.held is None:
            self._out += protocol.JOG_CANCEL  # a piece that was under way came after the first
        elif report.doing is not Doing.JOG and not any(one.number is None for one in self._asked):
            self._hand.ends = False
        if self._is_stopping and not report.moves and self._now - self._stopped_at > STOPS_S:
            self._is_stopping = False
            self._reset()  # what it holds and has not read yet is forgotten; standing, it loses no position by that
        if report.doing is Doing.ALARM and was is not Doing.ALARM:
            self._hand.drop()

    def _ask_who(self) -> None:
        self._clears = False
        self.phase = Phase.ASKING
        for line in ("$I", "$$"):
            self._asked.append(_Asked(None, line, self._now + 5.0))
            self._out += line.encode("ascii") + b"\n"

    @property
    def _is_homing(self) -> bool:
        return self._doing is Doing.HOME or any(one.line == "$H" for one in self._asked)

    def _greeted(self, text: str) -> None:
        """It began anew: what it held is forgotten."""
        was_asked, self._greets_until = self._now < self._greets_until, 0.0
        if self.phase is Phase.GREETING:
            self._version = [protocol.shown(text.split("[")[0].strip().encode("ascii", "replace"))]
            self._needs_reset = False  # it has just begun
            if self._clears:
                self._ask_who()
            return
        self.zero = None  # what lay on top of it is forgotten too
        if not was_asked:
            self._hand.reach, self._needs_reset = None, False
            self.told.append(
                Told("The control began anew by itself, as after a power cut. Home it, and find zero again.", True)
            )
        if self._asked:
            self._forget_asked("The control began anew meanwhile.")
        self._send_waiting()

    def _acknowledged(self) -> None:
        if not self._asked:
            return
        one = self._asked.popleft()
        if self._hand.ends and one.number is None and one.line.startswith("$J"):
            self._out += protocol.JOG_CANCEL  # it was read after the first
        if "G10" in one.line:
            self.zero = None  # until it says where it lies now, which it does in some of its reports alone
        if one.number is not None:  # told once the next report says how it stands after it
            self._done.append(Answered(one.number, True, "", tuple(one.said)))
            self._question = -inf

    def _coded(self, kind: str, number: int) -> None:
        words = protocol.said(kind, number)
        if kind == "ALARM":
            self._hand.drop()
            self._needs_reset = True
            is_told = any(one.number is not None for one in self._asked)
            self._forget_asked(f"The control gave an alarm: {words}.")
            is_lost = number not in protocol.KEEPS_PLACE
            if is_lost:
                self._hand.reach = None
            self.told.append(
                Told("" if is_told else f"The control gave an alarm: {words}. Home it, or unlock it.", is_lost)
            )
            return
        if self._asked:
            one = self._asked.popleft()
            self._answered(one, False, f"The control refused it: {words}.")

    def _learn(self, text: str, line: bytes) -> None:
        setting = protocol.read_setting(text)
        if setting is not None:
            self._settings[setting[0]] = setting[1]
        elif (receives := protocol.read_receives(text)) is not None:
            self.receives = min(max(receives, LEAST_RECEIVES), RECEIVES)
        elif text.startswith("[VER:"):
            own = protocol.shown(line)[5:-1].rstrip(":")
            if not self._version:  # a greeting says it in words
                self._version.append(own)

    # ---- lines that go

    def _send(self, one: _Asked) -> None:
        if self._needs_reset:
            self._reset()
        if self._now < self._greets_until:
            self._waiting.append(one)
            return
        self._asked.append(one)
        self._out += one.line.encode("ascii", "replace") + b"\n"

    def _send_waiting(self) -> None:
        if self._waiting and self._now >= self._greets_until:
            waiting, self._waiting = self._waiting, []
            for one in waiting:
                self._asked.append(one)
                self._out += one.line.encode("ascii", "replace") + b"\n"

    def _reset(self) -> None:
        """Have what it holds forgotten, so that lines and answers go together again."""
        self._forget_asked("It was stopped.")
        self._out[:] = protocol.RESET
        self._needs_reset = False
        self._greets_until = self._now + ANEW_S
        self.zero = None  # until it says where it lies now: what lay on top of it is forgotten too

    def _send_pieces(self) -> None:
        if self._now >= self._greets_until:
            for line in self._hand.pieces(self.report, self._now, len(self._asked)):
                self._send(_Asked(None, line, self._now + 10.0))

    def _locked(self) -> str:
        return "The machine is locked: home it, or unlock it." if self._doing is Doing.ALARM else ""

    def _answered(self, one: _Asked, is_done: bool, words: str = "") -> None:
        if one.number is not None:
            self.told.append(Answered(one.number, is_done, words, tuple(one.said)))

    def _forget_asked(self, words: str) -> None:
        self.told += self._done
        self._done.clear()
        waiting = [*self._asked, *self._waiting, *self._standing]
        for those in (self._asked, self._waiting, self._standing):
            those.clear()
        for one in waiting:
            self._answered(one, False, words)

    def _look_at_end(self) -> None:
        """Tell of a program that has ended, once."""
        stream = self.stream
        if stream is None or self._has_ended or stream.state not in ENDS or stream.is_settling:
            return
        self._pull_stream(stream)
        self._has_ended = True
        known = stream.known
        if known.state is not State.DONE:
            self._needs_reset = True
        self._heard = self._now
        self.told.append(Ended(known.state.value, known.taken, known.done, known.words, self._run_s, self._was_slowed))
        if known.state is State.LOST:
            self.gone("The control no longer answers. Look at the machine, then connect again.")
