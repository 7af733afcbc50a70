"""The stand-in as a control: bytes in, bytes out, and time that passes. It reads G-code with the reader that reads files, moves as ``motion`` does,
and answers as ``protocol`` says. Deterministic: the same bytes at the same moments give the same motions.
"""

from __future__ import annotations

import re
from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass, field
from math import hypot

import numpy as np

from archimetra.machine.protocol import RECEIVES
from archimetra.machine.standin.motion import Limits, Motion, Place
from archimetra.machine.standin.offsets import Offsets
from archimetra.output.gcode_reader import Reader
from archimetra.toolpath.shared.moves import Move, straightened

CHORD_MM = 0.002
HOMING_S = 1.5
_WORD = re.compile(r"([A-Z])(-?\d*\.?\d+)")


@dataclass(frozen=True)
class Build:
    """What machine it is: ``travel`` mm, machine coordinates from 0 to it (Z from minus it to 0), or X and Y from minus it to 0 as well (``is_below``);
    ``home`` the share of the travel in X and Y where it looks for its switches, and ``pull_off`` mm how far it gets off them; ``plate`` is the height of
    the probe plate's top in machine coordinates, None for none. What it tells of itself: how much room it has, the spindle's speed, ``axes`` places
    (more than three for a machine with a turning axis), or the places from zero alone."""

    travel: Place = (610.0, 610.0, 90.0)
    limits: Limits = field(default_factory=Limits)
    receives: int = RECEIVES
    spindle_start_s: float = 1.0
    needs_home: bool = True
    plate: float | None = -60.0
    is_below: bool = False
    home: tuple[float, float] = (0.0, 0.0)
    pull_off: float = 0.0
    homing_s: float = HOMING_S
    tells_room: bool = True
    tells_spindle: bool = True
    tells_from_zero: bool = False
    axes: int = 3
    settings: dict[int, float] = field(default_factory=dict)  # more of its numbered settings

    @property
    def low(self) -> Place:
        x, y, z = self.travel
        return (-x, -y, -z) if self.is_below else (0.0, 0.0, -z)

    @property
    def high(self) -> Place:
        x, y, _ = self.travel
        return (0.0, 0.0, 0.0) if self.is_below else (x, y, 0.0)

    @property
    def homed(self) -> Place:
        """Where it stands once it is homed."""
        low, high, off = self.low, self.high, self.pull_off
        x, y = (low[k] + off if self.home[k] < 0.5 else high[k] - off for k in range(2))
        return x, y, -off


# as small controls are that say little: no room, no spindle, a little buffer, all places below zero
TERSE = Build(receives=96, is_below=True, home=(1.0, 1.0), pull_off=2.0, tells_room=False, tells_spindle=False, axes=4)


class StandIn:
    """``said`` collects what it answers. ``slip`` is how far the machine really stands off where it believes to: steps that were lost."""

    def __init__(self, build: Build | None = None) -> None:
        self.build = build or Build()
        self.motion = Motion(self.build.limits, (0.0, 0.0, 0.0))
        self.said = bytearray()
        self.doing = "Alarm" if self.build.needs_home else "Idle"
        self.offsets = Offsets()
        self.slip: Place = (0.0, 0.0, 0.0)
        self.lines_done = 0
        self.overflowed = False
        self.is_locked = self.build.needs_home
        self.pressed = ""  # the letters of limit switches that are on
        self.plate_touches = False  # somebody holds the plate against the bit
        self._begin()

    def _begin(self) -> None:
        """As after a reset."""
        self.offsets.begin_anew()
        self.motion.feed_share, self.speed_share = 1.0, 1.0
        self._line = bytearray()
        self._lines: deque[tuple[bytes, int]] = deque()  # whole lines not read yet, and how many bytes each takes up
        self._reader = self._fresh_reader()
        self._count = 0
        self._wait = 0.0
        self._is_paused = False
        self._feed_words = 0.0
        self._probing: Place | None = None
        self._homing = 0.0
        self._reports = 0
        self._speed = 0.0
        self._is_turning = False
        self._pending: deque[tuple[Place, float, bool, float]] = deque()  # segments that wait for room in the buffer

    def _fresh_reader(self) -> Reader:
        reader = Reader()
        for line in ("G21", "G90", "G94", "G17", "G0"):
            reader.line(0, line)
        return reader

    @property
    def zero(self) -> Place:
        """Where the zero in force lies, machine coordinates."""
        return self.offsets.zero

    @zero.setter
    def zero(self, at: Place) -> None:
        self.offsets.systems[self.offsets.number] = at

    # ---- bytes

    @property
    def held_bytes(self) -> int:
        """How many bytes it has received and not read yet."""
        return len(self._line) + sum(size for _, size in self._lines)

    def receive(self, data: bytes) -> None:
        for byte in data:
            one = bytes((byte,))
            if one in (b"?", b"!", b"~", b"\x18") or byte >= 0x80:
                self._at_once(one)
            elif self.held_bytes >= self.build.receives:
                self.overflowed = True  # a byte nobody has room for is gone
            elif one in (b"\n", b"\r"):
                if self._line or one == b"\n":
                    self._lines.append((bytes(self._line), len(self._line) + 1))
                    self._line.clear()
            else:
                self._line.append(byte)

    def take_said(self) -> bytes:
        out = bytes(self.said)
        self.said.clear()
        return out

    def _say(self, line: str) -> None:
        self.said += line.encode("ascii") + b"\r\n"

    def _at_once(self, byte: bytes) -> None:
        match byte:
            case b"?":
                if self._homing <= 0:  # it answers nothing while it looks for its switches
                    self._report()
            case b"!":
                if self.doing == "Jog":  # a jog is broken off by it
                    self._at_once(b"\x85")
                elif self.doing in ("Run", "Idle"):
                    self.doing = "Hold"
                    self.motion.hold()
            case b"~":
                if self.doing == "Hold":
                    self._is_paused = False
                    self.motion.resume()
                    self.doing = "Run"
            case b"\x18":
                self.reset()
            case b"\x85":
                if self.doing == "Jog":
                    self.motion.hold()
                    self._is_cancelled = True
            case b"\x90":
                self.motion.feed_share = 1.0
            case b"\x99":
                self.speed_share = 1.0
            case b"\x9a" | b"\x9b" | b"\x9c" | b"\x9d":
                by = {b"\x9a": 0.1, b"\x9b": -0.1, b"\x9c": 0.01, b"\x9d": -0.01}[byte]
                self.speed_share = min(max(self.speed_share + by, 0.1), 2.0)
            case b"\x91" | b"\x92" | b"\x93" | b"\x94":
                by = {b"\x91": 0.1, b"\x92": -0.1, b"\x93": 0.01, b"\x94": -0.01}[byte]
                self.motion.feed_share = min(max(self.motion.feed_share + by, 0.1), 2.0)

    _is_cancelled = False
    speed_share = 1.0

    def reset(self) -> None:
        """A reset while it moves loses the position."""
        was_moving = not self.motion.is_still or self._homing > 0
        self.motion.drop()
        self._begin()
        if was_moving:
            self.alarm(3)
        self._say("")
        self._say("Stand-in 1 ['$' for help]")
        if self.is_locked:
            self._say("[MSG:'$H'|'$X' to unlock]")
        self.doing = "Alarm" if self.is_locked else "Idle"

    def alarm(self, number: int) -> None:
        """Stop at once and say why; locked until it is homed or unlocked."""
        self.motion.drop()
        self._pending.clear()
        self._lines.clear()
        self._line.clear()
        self._probing = None
        self.doing, self.is_locked = "Alarm", True
        self._is_turning = False
        self._say(f"ALARM:{number}")

    def _report(self) -> None:
        self._reports += 1
        build, at, zero = self.build, self.motion.position, self.zero
        doing = f"Hold:{0 if self.motion.is_still else 1}" if self.doing == "Hold" else self.doing
        if build.tells_from_zero:
            parts = [doing, f"WPos:{_places([a - b for a, b in zip(at, zero, strict=True)], build.axes)}"]
        else:
            parts = [doing, f"MPos:{_places(at, build.axes)}"]
        if build.tells_room:
            parts.append(f"Bf:{self.motion.room},{build.receives - self.held_bytes}")
        feed = f"{self.motion.speed * 60:.0f}"
        turns = self._speed * self.speed_share if self._is_turning else 0
        parts.append(f"FS:{feed},{turns:.0f}" if build.tells_spindle else f"F:{feed}")
        pressed = self.pressed
        if self.plate_touches or (build.plate is not None and abs(at[2] - build.plate) < 5e-4):
            pressed += "P"
        if pressed:
            parts.append(f"Pn:{pressed}")
        if self._reports % 10 == 1:
            parts.append(f"WCO:{_places(zero, build.axes)}")
        elif self._reports % 10 == 2:
            parts.append(f"Ov:{round(self.motion.feed_share * 100)},100,{round(self.speed_share * 100)}")
        self._say(f"<{'|'.join(parts)}>")

    # ---- time

    def advance(self, seconds: float) -> None:
        """Let time pass: what waits is read, what is planned is moved."""
        if self._homing > 0:
            self._homing -= seconds
            self.motion.now += seconds
            if self._homing <= 0:
                self.motion.put(self.build.homed)
                self.is_locked, self.doing = False, "Idle"
                self._say("ok")
            return
        if self._wait > 0 and self.motion.is_done and self.doing != "Hold":
            self._wait -= seconds
            self.motion.now += seconds
            if self._wait <= 0:
                self._say("ok")
            return
        self._feed()
        self.motion.advance(seconds)
        self._meet_plate()
        self._feed()
        self._settle()

    def _settle(self) -> None:
        """What it is doing, once it stands."""
        if self.motion.is_holding and self.motion.is_still and self._is_cancelled:
            self.motion.drop()
            if self._pending:
                self._pending.clear()
                self._say("ok")
            self._is_cancelled = False
            self.doing = "Idle"
        if self.motion.is_done and not self._pending and self.doing in ("Run", "Jog") and self._wait <= 0:
            if self._probing is not None:
                self._probing = None
                self.alarm(5)
                return
            self.doing = "Idle"

    def _feed(self) -> None:
        """Fill the buffer: segments that wait first, then lines."""
        while self.doing != "Hold" and self._homing <= 0:  # held, it reads nothing either
            while self._pending and self.motion.room > 0:
                end, speed, is_rapid, radius = self._pending.popleft()
                self.motion.add(end, speed, is_rapid=is_rapid, number=self._count, radius=radius)
                if not self._pending:
                    self._say("ok")
            if self._pending or not self._lines or self._is_paused or self._wait > 0 or self._probing is not None:
                return
            text, _ = self._lines[0]
            if self._waits_for_stand(text) and not self.motion.is_done:
                return
            self._lines.popleft()
            self.lines_done += 1
            self._read(text)

    def _waits_for_stand(self, text: bytes) -> bool:
        """Whether a line is carried out only once everything before it is."""
        line = text.decode("ascii", "replace").upper()
        return bool(re.search(r"M0?[0-9]|M30|G4(?!\d)|G10|G92|G38|\$H|\$X", line))

    # ---- lines

    def _error(self, number: int) -> None:
        self._say(f"error:{number}")

    def _read(self, data: bytes) -> None:
        self._count += 1
        if not data.isascii():
            self._error(20)
            return
        line = re.sub(r"\([^()]*\)|;.*$", "", data.decode("ascii")).strip().upper()
        if line.startswith("$"):
            self._own(line)
            return
        if self.is_locked:
            self._error(9)
            return
        if not line or line == "%":
            self._say("ok")
            return
        self._program_line(line)

    def _own(self, line: str) -> None:
        if line == "$X":
            self.is_locked, self.doing = False, "Idle"
            self._say("ok")
        elif line == "$H":
            self.doing, self._homing = "Home", self.build.homing_s
        elif line == "$I":
            self._say("[VER:1.20261130:]")
            self._say(f"[OPT:V,{self.build.limits.blocks},{self.build.receives}]")
            self._say("ok")
        elif line == "$G":
            unit = 20 if self._reader.mm_per_unit != 1.0 else 21
            distance = 90 if self._reader.is_absolute else 91
            self._say(f"[GC:G0 G5{self.offsets.number + 4} G17 G{unit} G{distance} G94 M5 M9 T0 F0 S0]")
            self._say("ok")
        elif line == "$#":
            for one in self.offsets.told():
                self._say(one)
            self._say("ok")
        elif line == "$$":
            limits, travel = self.build.limits, self.build.travel
            for number, value in sorted(self.build.settings.items()):
                self._say(f"${number}={value:g}")
            for k in range(3):
                self._say(f"${110 + k}={limits.rapid[k] * 60:.3f}")
                self._say(f"${120 + k}={limits.acceleration[k]:.3f}")
                self._say(f"${130 + k}={travel[k]:.3f}")
            self._say("ok")
        elif line.startswith("$J="):
            self._jog(line[3:])
        else:
            self._error(3)

    def _jog(self, line: str) -> None:
        words = dict(_WORD.findall(line.replace(" ", "")))
        codes = {float(v) for k, v in _WORD.findall(line.replace(" ", "")) if k == "G"}
        if self.is_locked:
            self._error(9)
            return
        if self.doing not in ("Idle", "Jog"):
            self._error(8)
            return
        if "F" not in words or not {"X", "Y", "Z"} & words.keys() or float(words["F"]) <= 0:
            self._error(22 if "F" not in words else 16)
            return
        per = 25.4 if 20.0 in codes else 1.0
        end = list(self.motion.end)
        for axis, letter in enumerate("XYZ"):
            if letter in words:
                value = float(words[letter]) * per
                own = value if 53.0 in codes else value + self.zero[axis]
                end[axis] = end[axis] + value if 91.0 in codes else own
        if not self._is_inside(end):
            self._error(15)
            return
        self.doing = "Jog"
        self._pending.append(((end[0], end[1], end[2]), float(words["F"]) * per / 60, False, float("inf")))

    def _program_line(self, line: str) -> None:
        goes_by_machine = "G53" in line.replace(" ", "")
        bare = self.offsets.take(line.replace(" ", ""))
        if units := re.findall(r"G2[01](?![\d.])", bare):
            self._reader.carry_out(self._count, units[-1], list(self.motion.end))
        if found := re.search(r"G(10|92|43\.1)(?![\d.])", line.replace(" ", "")):
            self._set_zero(found.group(1), bare)
            return
        if "G38.2" in bare:
            self._probe(bare)
            return
        if goes_by_machine and self._is_motion_less(bare):
            self._error(30)
            return
        zero = (0.0, 0.0, 0.0) if goes_by_machine else self.zero
        at = [v - o for v, o in zip(self.motion.end, zero, strict=True)]
        was_absolute = self._reader.is_absolute
        read = self._reader.carry_out(self._count, f"G90{bare}" if goes_by_machine else bare, at)
        if goes_by_machine and not was_absolute:
            self._reader.carry_out(self._count, "G91", at)
        if read.findings:
            number = {"gcode-feed": 22, "gcode-arc": 33, "gcode-word": 2}.get(read.findings[0].code, 20)
            self._error(number)
            return
        self._machine_words(bare, read.dwells)
        if not read.rows:
            if self._wait <= 0:
                self._say("ok")
            return
        self._move(read.rows, zero)

    def _machine_words(self, bare: str, dwells: list[tuple[int, float]]) -> None:
        """Spindle, pauses, waits."""
        is_turning, self._speed = self._reader.spindle
        if is_turning and not self._is_turning:
            self._wait = self.build.spindle_start_s
        self._is_turning = is_turning
        if dwells:
            self._wait = max(self._wait, dwells[-1][1])
        if re.search(r"M0?6(?!\d)|M0?[01](?!\d)", bare):
            self._is_paused, self.doing = True, "Hold"
            self.motion.hold()
        if re.search(r"M0?2(?!\d)|M30", bare):
            self._reader.begin_anew()
            self.offsets.number = 0
            self._is_turning = False

    def _move(self, rows: list[tuple[float, ...]], zero: Place) -> None:
        start = self.motion.end
        pending: list[tuple[Place, float, bool, float]] = []
        for row in rows:
            x, y, z = (row[k] + zero[k] for k in range(3))
            kind = int(row[3])
            if not self._is_inside((x, y, z)):
                self.alarm(2)
                return
            speed = row[6] / 60
            if kind in (Move.ARC_CW, Move.ARC_CCW):
                centre = (row[4] + zero[0], row[5] + zero[1])
                radius = hypot(start[0] - centre[0], start[1] - centre[1])
                for point in _chords(start, (x, y, z), kind, centre):
                    if not self._is_inside(point):
                        self.alarm(2)
                        return
                    pending.append((point, speed, False, radius))
            else:
                pending.append(((x, y, z), speed, kind == Move.RAPID, float("inf")))
            start = (x, y, z)
        self.doing = "Run" if self.doing != "Hold" else "Hold"
        self._pending.extend(pending)

    def _is_inside(self, place: tuple[float, ...] | list[float]) -> bool:
        low, high = self.build.low, self.build.high
        return all(a - 1e-6 <= v <= b + 1e-6 for v, a, b in zip(place, low, high, strict=True))

    def _is_motion_less(self, bare: str) -> bool:
        """Whether a line is neither a rapid nor a straight move, nor comes after one."""
        codes = re.findall(r"G0*([0-3])(?![\d.])", bare)
        return codes[-1] not in "01" if codes else self._reader.motion not in (0.0, 1.0)

    def _set_zero(self, code: str, bare: str) -> None:
        """G10, G92 or G43.1."""
        per, at = self._reader.mm_per_unit, self.motion.position
        words = {letter: float(value) * (per if letter in "XYZ" else 1.0) for letter, value in _WORD.findall(bare)}
        if code == "43.1":
            is_done = "Z" in words
            self.offsets.length = words.get("Z", 0.0)
        else:
            is_done = self.offsets.set_zero(words, at) if code == "10" else self.offsets.move_zero(words, at)
        if is_done:
            self._say("ok")
        else:
            self._error(20)

    def _probe(self, bare: str) -> None:
        """Down until it touches the plate, or to the end of the way."""
        words = dict(_WORD.findall(bare))
        if "Z" not in words or "F" not in words or float(words["F"]) <= 0:
            self._error(22)
            return
        per = self._reader.mm_per_unit
        x, y, z = self.motion.end
        goal = float(words["Z"]) * per + (z if re.search(r"G91(?![\d.])", bare) else self.zero[2])
        if not self._is_inside((x, y, goal)):
            self.alarm(2)
            return
        if self.build.plate is not None and z <= self.build.plate:
            self.alarm(4)
            return
        self.doing, self._probing = "Run", (x, y, goal)
        self.motion.add((x, y, goal), float(words["F"]) * per / 60, is_rapid=False, number=self._count)

    def _meet_plate(self) -> None:
        plate = self.build.plate
        if self._probing is None or plate is None or self.motion.position[2] > plate:
            return
        x, y, _ = self.motion.position
        self.motion.drop()
        self.motion.put((x, y, plate))
        self._probing, self.doing = None, "Idle"
        self._say(f"[PRB:{_places((x, y, plate), self.build.axes)}:1]")
        self._say("ok")


def _places(at: Sequence[float], axes: int) -> str:
    return ",".join(f"{v:.3f}" for v in (*at, *[0.0] * (axes - 3)))


def _chords(start: Place, end: Place, kind: int, centre: tuple[float, float]) -> list[Place]:
    """An arc as short straight ways, all as long."""
    points, _ = straightened(
        np.array([start, end]), np.array([Move.LINE, kind], dtype=np.uint8), np.array([(0.0, 0.0), centre]), chord_tolerance_mm=CHORD_MM,
    )  # fmt: skip
    return [(float(x), float(y), float(z)) for x, y, z in points[1:]]
