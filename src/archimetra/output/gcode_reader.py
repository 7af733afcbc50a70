"""G-code back into moves: the part of RS-274 that routers use, strictly read.

Understood: G0-G3, G4, G17, G20/G21, G40, G43 (with its H), G49, G54-G59, G80-G83, G90/G91, G91.1, G94, G98/G99; M0-M9, M30; F, S, T, N, O, comments in
brackets and after a semicolon. Anything else is a finding with its line, never silently passed over.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from math import hypot
from typing import NamedTuple

import msgspec
import numpy as np

from archimetra.base.findings import Finding, Severity
from archimetra.geometry.arrays import ByteArray, FloatArray, IntArray
from archimetra.job.quantities import MM_PER_INCH
from archimetra.output.read_kernels import FEED, MOTION, X, Z, read_plain
from archimetra.toolpath.shared.moves import Move

_COMMENT = re.compile(r"\([^()]*\)|;.*$")
_WORD = re.compile(r"([A-Za-z])\s*([+-]?(?:\d+\.?\d*|\.\d+))")
_HARMLESS_G = {17.0, 40.0, 43.0, 49.0, 54.0, 55.0, 56.0, 57.0, 58.0, 59.0, 91.1, 94.0}
_CALLS = {97, 98, 99}
_KNOWN_M = {0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 30}
_ODD_BREAKS = "\r\x0b\x0c\x1c\x1d\x1e\x85\u2028\u2029"  # lines end there as well
_ROWS_AT_ONCE = 50_000
ARC_AGREEMENT_MM = 0.005


class ReadMoves(msgspec.Struct, frozen=True, eq=False):
    """Moves in mm in the file's own zero; row i ends at ``xyz[i]``. Axes not yet stated are nan."""

    xyz: FloatArray
    kind: ByteArray
    centre: FloatArray
    feed: FloatArray
    line: IntArray  # counts from 1
    bit: IntArray  # T number in force, 0 for none
    spindle_rpm: FloatArray  # 0 while it stands
    dwells: tuple[tuple[int, float], ...]  # (line, seconds)
    has_end: bool
    findings: tuple[Finding, ...]


def read_gcode(text: str) -> ReadMoves:
    """The moves a control would make of ``text``."""
    return Reader().read(text)


class LineRead(NamedTuple):
    """What one line does: rows as of ``ReadMoves`` (x, y, z, kind, centre x and y, feed, line, bit, speed), mm; waits (line, seconds); what is told."""

    rows: list[tuple[float, ...]]
    dwells: list[tuple[int, float]]
    findings: list[Finding]


def readable(text: str) -> str:
    """The text with all its lines ended by line feeds."""
    return "\n".join(text.splitlines()) if any(mark in text for mark in _ODD_BREAKS) else text


class Reader:
    """Line by line, as a control takes them."""

    def __init__(self) -> None:
        self.has_end = False
        self._per_unit: float | None = None
        self._is_absolute = True
        self._motion: float | None = None
        self._cycle: float | None = None
        self._sticky: dict[str, float] = {}  # what a canned cycle keeps from line to line
        self._initial_z = 0.0
        self._to_r = False
        self._at = [float("nan")] * 3
        self._feed = 0.0
        self._speed = 0.0
        self._is_turning = False
        self._bit = 0
        self._next_bit = 0
        self._rows: list[tuple[float, ...]] = []  # the last ones; those before are in the blocks
        self._blocks: list[FloatArray] = []
        self._room = np.empty((_ROWS_AT_ONCE, 8))
        self._dwells: list[tuple[int, float]] = []
        self._findings: list[Finding] = []

    def read(self, text: str) -> ReadMoves:
        text = readable(text)
        letters = np.frombuffer(text.encode("ascii", "replace"), dtype=np.uint8)  # as many as the text has
        at, number = 0, 1
        while at < len(text) and not self.has_end:
            if self._cycle is None:
                at, number = self._plain(letters, at, number)
            stop = text.find("\n", at)
            stop = len(text) if stop < 0 else stop
            if at < stop:
                self.line(number, text[at:stop])
            if at < len(text):
                at, number = stop + 1, number + 1
        return self.result()

    @property
    def mm_per_unit(self) -> float:
        """What a number counts for by the unit in force, mm."""
        return self._per_unit or 1.0

    @property
    def is_absolute(self) -> bool:
        """Whether places are told from zero (G90), not in steps (G91)."""
        return self._is_absolute

    @property
    def motion(self) -> float | None:
        """The motion in force: 0 to 3 for G0 to G3; None before any."""
        return self._motion

    def carry_out(self, number: int, text: str, at: Sequence[float]) -> LineRead:
        """One line from a place: what it moves, and what is told of it; kept by nobody but the caller."""
        self._at = list(at)
        before = len(self._rows), len(self._dwells), len(self._findings)
        self.line(number, text)
        out = LineRead(self._rows[before[0] :], self._dwells[before[1] :], self._findings[before[2] :])
        del self._rows[before[0] :], self._dwells[before[1] :], self._findings[before[2] :]
        return out

    @property
    def spindle(self) -> tuple[bool, float]:
        """Whether it turns, and how fast it is asked to, 1/min."""
        return self._is_turning, self._speed

    def begin_anew(self) -> None:
        """After the end of a program: the spindle stands."""
        self.has_end, self._is_turning = False, False

    def _plain(self, letters: ByteArray, at: int, number: int) -> tuple[int, int]:
        """Read lines that only move; the letter and the number of the line that does more, or that comes next."""
        state = np.array(
            [*self._at, -1.0 if self._motion is None else self._motion, self._feed, self._per_unit or 0.0, float(self._is_absolute)]
        )  # fmt: skip
        rows = self._room
        reached, next_number, count = read_plain(letters, at, number, state, ARC_AGREEMENT_MM, rows)
        self._at, self._feed = state[X : Z + 1].tolist(), float(state[FEED])
        self._motion = None if state[MOTION] < 0 else float(state[MOTION])
        if count:
            self._close_block()
            speed = self._speed if self._is_turning else 0.0
            also = np.broadcast_to([float(self._bit), speed], (count, 2))
            self._blocks.append(np.hstack((rows[:count], also)))
        return int(reached), int(next_number)

    def _close_block(self) -> None:
        if self._rows:
            self._blocks.append(np.array(self._rows, dtype=np.float64))
            self._rows = []

    def result(self) -> ReadMoves:
        self._close_block()
        rows = np.concatenate(self._blocks) if self._blocks else np.zeros((0, 10))
        return ReadMoves(
            xyz=rows[:, 0:3].copy(), kind=rows[:, 3].astype(np.uint8), centre=rows[:, 4:6].copy(), feed=rows[:, 6].copy(),
            line=rows[:, 7].astype(np.int64), bit=rows[:, 8].astype(np.int64), spindle_rpm=rows[:, 9].copy(),
            dwells=tuple(self._dwells), has_end=self.has_end, findings=tuple(self._findings),
        )  # fmt: skip

    def line(self, number: int, text: str) -> None:
        if not text.isascii():
            self._tell(number, "gcode-ascii", "This line holds characters outside ASCII.")
        bare = _COMMENT.sub("", text).strip()
        if "#" in bare or "[" in bare:
            self._tell(number, "gcode-call", "This line works something out (#, [ ]); that is not followed.")
            return
        if bare in ("", "%"):
            return
        words = _WORD.findall(bare)
        if _WORD.sub("", bare).strip():
            self._tell(number, "gcode-word", f"'{_WORD.sub('', bare).strip()}' is not a G-code word.")
            return
        values: dict[str, float] = {}
        codes: list[float] = []
        stops: list[int] = []
        for raw, value in words:
            letter = raw.upper()
            if letter == "G":
                codes.append(float(value))
            elif letter == "M":
                stops.append(int(float(value)))
            elif letter in "XYZIJFSTPNRQHO":
                values[letter] = float(value)
            else:
                self._tell(number, "gcode-word", f"The word {letter}{value} is not understood.")
        self._modes(number, codes)
        if "F" in values:
            self._feed = values["F"] * (self._per_unit or 1.0)
        if "S" in values:
            self._speed = values["S"]
        if "T" in values:
            self._next_bit = int(values["T"])
        self._machine(number, stops)
        if 4.0 in codes:
            self._dwells.append((number, values.get("P", 0.0)))
        elif self._cycle is not None and values.keys() & {"X", "Y", "Z"}:
            self._drill(number, values)
        elif values.keys() & {"X", "Y", "Z"} or (self._motion in (2.0, 3.0) and values.keys() & {"I", "J"}):
            self._move(number, values)

    def _modes(self, number: int, codes: list[float]) -> None:
        for code in codes:
            if code in (0.0, 1.0, 2.0, 3.0):
                self._motion, self._cycle = code, None
            elif code in (81.0, 82.0, 83.0):
                self._cycle, self._sticky, self._initial_z = code, {}, self._at[2]
            elif code == 80.0:
                self._cycle = None
            elif code in (98.0, 99.0):
                self._to_r = code == 99.0
            elif code in (20.0, 21.0):
                self._per_unit = MM_PER_INCH if code == 20.0 else 1.0
            elif code in (90.0, 91.0):
                self._is_absolute = code == 90.0
            elif code != 4.0 and code not in _HARMLESS_G:
                self._tell(number, "gcode-code", f"G{code:g} is not understood.")

    def _machine(self, number: int, stops: list[int]) -> None:
        for code in stops:
            if code in (3, 4):
                self._is_turning = True
            elif code == 5:
                self._is_turning = False
            elif code == 6:
                self._bit = self._next_bit
            elif code in (2, 30):
                self.has_end = True
            elif code in _CALLS:
                self._tell(
                    number, "gcode-call", f"M{code} calls another program or returns from one; that is not followed."
                )
            elif code not in _KNOWN_M:
                self._tell(number, "gcode-code", f"M{code} is not understood.")

    def _move(self, number: int, values: dict[str, float]) -> None:
        if self._per_unit is None:
            self._tell(number, "gcode-unit", "The file moves before it states its unit (G20 or G21).")
            self._per_unit = 1.0
        if self._motion is None:
            self._tell(number, "gcode-motion", "The file moves before it says how (G0 to G3).")
            return
        begin = list(self._at)
        for axis, letter in enumerate("XYZ"):
            if letter in values:
                value = values[letter] * self._per_unit
                self._at[axis] = value if self._is_absolute else self._at[axis] + value
        kind = {0.0: Move.RAPID, 1.0: Move.LINE, 2.0: Move.ARC_CW, 3.0: Move.ARC_CCW}[self._motion]
        cx = cy = 0.0
        if kind in (Move.ARC_CW, Move.ARC_CCW) and "R" in values and not values.keys() & {"I", "J"}:
            middle = self._about_radius(number, begin, values["R"] * self._per_unit, kind)
            if middle is None:
                return
            cx, cy = middle
        elif kind in (Move.ARC_CW, Move.ARC_CCW):
            cx = begin[0] + values.get("I", 0.0) * self._per_unit
            cy = begin[1] + values.get("J", 0.0) * self._per_unit
            first, last = hypot(begin[0] - cx, begin[1] - cy), hypot(self._at[0] - cx, self._at[1] - cy)
            if not abs(first - last) <= ARC_AGREEMENT_MM:
                self._tell(number, "gcode-arc", f"An arc begins {first:.4f} mm and ends {last:.4f} mm from its centre.")
        if kind != Move.RAPID and self._feed <= 0:
            self._tell(number, "gcode-feed", "A cutting move has no feed.")
        speed = self._speed if self._is_turning else 0.0
        self._rows.append((*self._at, float(kind), cx, cy, self._feed, float(number), float(self._bit), speed))

    def _about_radius(self, number: int, begin: list[float], radius: float, kind: Move) -> tuple[float, float] | None:
        """The centre of an arc told by its radius: the short way round, or the long one with a negative radius (RS-274, 3.5.3.2)."""
        dx, dy = self._at[0] - begin[0], self._at[1] - begin[1]
        chord = hypot(dx, dy)
        if chord < 1e-6 or abs(radius) < chord / 2 - ARC_AGREEMENT_MM:
            self._tell(number, "gcode-arc", f"No arc of radius {radius:g} mm joins places {chord:.4f} mm apart.")
            return None
        off = max(radius * radius - chord * chord / 4, 0.0) ** 0.5
        side = off if (kind is Move.ARC_CCW) == (radius > 0) else -off
        return (
            (begin[0] + self._at[0]) / 2 - dy / chord * side,
            (begin[1] + self._at[1]) / 2 + dx / chord * side,
        )

    def _drill(self, number: int, values: dict[str, float]) -> None:
        """One hole of a canned cycle as the moves a control makes of it: over it, to the R plane, down (in pecks), and out."""
        self._sticky.update({letter: values[letter] for letter in "ZRQP" if letter in values})
        missing = [
            letter for letter in ("Z", "R", *(("Q",) if self._cycle == 83.0 else ())) if letter not in self._sticky
        ]
        if missing:
            self._tell(number, "gcode-cycle", f"A drilling cycle lacks its {' and '.join(missing)}.")
            return
        per = self._per_unit or 1.0
        x = values["X"] * per if "X" in values else self._at[0]
        y = values["Y"] * per if "Y" in values else self._at[1]
        z, r = self._sticky["Z"] * per, self._sticky["R"] * per
        step = abs(self._sticky.get("Q", 0.0)) * per
        if z >= r or (self._cycle == 83.0 and step <= 0):
            self._tell(number, "gcode-cycle", "A drilling cycle ends no deeper than its R plane, or pecks by nothing.")
            return
        if self._feed <= 0:
            self._tell(number, "gcode-feed", "A drilling cycle has no feed.")
        self._row(number, (x, y, max(self._at[2], r)), Move.RAPID)
        self._row(number, (x, y, r), Move.RAPID)
        depth = r
        while depth > z + 1e-9:
            depth = max(depth - step, z) if self._cycle == 83.0 else z
            self._row(number, (x, y, depth), Move.LINE)
            self._row(number, (x, y, r), Move.RAPID)
        if not self._to_r:
            self._row(number, (x, y, max(self._initial_z, r)), Move.RAPID)

    def _row(self, number: int, at: tuple[float, float, float], kind: Move) -> None:
        speed = self._speed if self._is_turning else 0.0
        self._at = list(at)
        self._rows.append((*at, float(kind), 0.0, 0.0, self._feed, float(number), float(self._bit), speed))

    def _tell(self, number: int, code: str, sentence: str) -> None:
        self._findings.append(Finding(code, Severity.CAUTION, sentence, place=f"line {number}"))
