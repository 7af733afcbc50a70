"""A run as G-code: the same moves, rounded, in the operator's zero.

Order of every file: what it is (comments), units and modes, up to the park height, spindle on and a dwell,
the cuts, up, park, spindle off, end. Rapids never go down below the retract height. Arcs: both
ends are rounded first, then the centre is moved onto the perpendicular bisector of the rounded ends and I, J
are taken from the rounded start, which keeps the two radii within 0.71 * 10^-decimals * 2 sin(sweep / 2).
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from math import ceil

import msgspec
import numpy as np

from archimetra.base.errors import OutputError
from archimetra.geometry.arrays import ByteArray, FloatArray, IntArray
from archimetra.job.bits import Bit, Recipe, Spin
from archimetra.job.job import Board, Job
from archimetra.job.quantities import MM_PER_INCH, Unit
from archimetra.job.recipes import limit_to_machine
from archimetra.job.setups import Setup
from archimetra.job.sheet import Sheet
from archimetra.output.comments import LONGEST, folded, shortened
from archimetra.output.controllers import Arcs, Controller, Spindle
from archimetra.output.controllers.template import Value, filled
from archimetra.output.gcode_file import GcodeFile
from archimetra.output.line_kernels import LONGEST as LONGEST_MOVE
from archimetra.output.line_kernels import UNKNOWN, put_moves, put_number
from archimetra.output.plain_moves import SHORTEST_ARC_MM, WIDEST_ARC, Steps, arcs_of, offsets_about, plain_moves
from archimetra.stock.surface import touch_offs
from archimetra.toolpath.shared.moves import Move, Role, straightened
from archimetra.toolpath.shared.program import Block, Run, dwells

_MOVES = re.compile(r"[XYZABC]\s*[-+.\d{]|G28|G30|G53|M0?6(?!\d)")
_MOST_NUMBERED = 90_000  # then line numbers begin anew: not all controls take more than five figures
_LINES_AT_ONCE = 50_000
BED = "Bed"  # the setup in which nothing lies on the machine yet


def write_file(
    name: str,
    job: Job,
    board: Board,
    run: Run,
    blocks: Sequence[Block],
    profile: Controller,
    *,
    setups: Sequence[Setup],
    version: str,
) -> GcodeFile:
    """The G-code of some neighbouring blocks of a run as one file. They run in one of the board's ``setups``, and in its zero."""
    writer = _Writer(name, job, board, run, profile, setups, blocks[0].setup)
    used: list[Bit] = []
    for block in blocks:
        bit = job.bit(block.bit)
        if bit is not None and bit not in used:
            used.append(bit)
    writer.head(used, version, blocks[0])
    for number, block in enumerate(blocks):
        writer.block(block, is_first=number == 0)
    writer.tail()
    lines = writer.lines
    return GcodeFile(
        name,
        profile.newline.join(lines) + profile.newline,
        np.array(writer.rows, dtype=np.int64),
        tuple(used),
        tuple(blocks),
    )


class _Writer:
    def __init__(
        self, name: str, job: Job, board: Board, run: Run, profile: Controller, setups: Sequence[Setup], number: int
    ) -> None:
        self.lines: list[str] = []
        self.rows: list[int] = []
        self._job = job
        self._board = board
        self._setups, self._setup = setups, setups[number]
        self._touch_offs = touch_offs(board, run, job.bits, setups)
        self._run = run = as_it_lies(run, self._setup)
        self._profile = profile
        self._unit = unit = profile.unit_for(job.output_unit)
        self._per_unit: float = 1.0 if unit is Unit.MM else MM_PER_INCH
        self._decimals: int = profile.decimals_mm if unit is Unit.MM else profile.decimals_inch
        (dx, dy), (zx, zy) = (self._setup.dx, self._setup.dy), self._setup.zero
        self._shift = np.array([dx - zx, dy - zy, board.zero.z_shift(board.sheet)])
        self._scale: int = 10**self._decimals
        self._pen: list[int | None] = [None, None, None]  # in steps of the last decimal, like every place below
        self._motion = ""
        self._feed: int | None = None
        self._bit: Bit | None = None
        self._speed: float | None = None
        self._radii, self._sweeps = arcs_of(run)
        self._waits = dwells(run, board.dwells)
        self._feeds = self._feeds_of(run.feed)
        self._steps = Steps(self._shift, self._per_unit, self._scale)
        self._moves = plain_moves(run, self._waits, self._steps, profile)
        self._height_park = board.travel_heights.park + float(self._shift[2])
        self._name, self._said = name, "mm" if unit is Unit.MM else "inch"
        self._values: dict[str, Value] = {
            "job": job.name, "board": board.name, "file": name, "unit": self._said, "top": self._height_park / self._per_unit,
        }  # fmt: skip
        self._number_of_line = 0

    # ---- parts of a file

    def head(self, bits: Sequence[Bit], version: str, first: Block) -> None:
        sheet = self._board.sheet
        if bits:
            self._values |= self._of_bit(bits[0])
        self._template(self._profile.opening)
        self._say(f"Archimetra {version}: {self._name}, {self._said}")
        self._say(f"Job: {shortened(self._job.name)}")
        self._say(f"Board: {shortened(self._board.name)}")
        self._say(
            f"Sheet: {sheet.width:.6g} x {sheet.height:.6g} mm {sheet.material.value}, {_thickness(sheet)} mm thick"
        )
        if sheet.count > 1:
            self._say(f"Cut on {sheet.count} sheets, one after the other")
        self._where_zero_is()
        self._touch_off(first, "Z zero:")
        for bit in bits:
            self._say(f"Bit {bit.letter}, T{bit.number}: {shortened(bit.name)}, {bit.diameter:g} mm")
        self._line("G21" if self._unit is Unit.MM else "G20")
        self._template(self._profile.start)
        self._up(self._height_park)

    def block(self, block: Block, *, is_first: bool) -> None:
        bit = self._job.bit(block.bit)
        cut = self._board.cut(block.cut)
        assert bit is not None
        assert cut is not None
        if self._bit is None or bit.id != self._bit.id:
            self._change_bit(bit, block, is_first=is_first)
        recipe = limit_to_machine(cut.recipe(bit, self._board.sheet.material), self._job.machine).recipe
        self._spindle(bit, recipe, is_first=is_first)
        self._say(f"Cut: {shortened(cut.name)}")
        row = block.first
        while row < block.last:
            row = self._plain(row, block.last)
            if row == block.last:
                break
            last = self._drilling_until(row, block.last)
            if last > row and self._cycle(row, last):
                row = last
            else:
                self._move(row)
                row += 1

    def tail(self) -> None:
        self._up(self._height_park)
        park = [("X", 0, 0), ("Y", 0, 1)]
        self._word_line("G0", park, row=len(self._run) - 1)
        self._stop()
        self._template(self._profile.end)

    def _stop(self) -> None:
        """Dust and spindle off."""
        self._template(self._profile.dust_off)
        if self._profile.spindle is not Spindle.NONE:
            self._line("M5")

    def _of_bit(self, bit: Bit) -> dict[str, Value]:
        return {
            "bit": bit.name, "letter": bit.letter, "number": float(bit.number), "diameter": bit.diameter / self._per_unit,
        }  # fmt: skip

    def _template(self, lines: Sequence[str]) -> None:
        """Lines of the controller's own. What they move is not known: after them the bit goes up before it goes anywhere."""
        for line in lines:
            self._line(filled(line, self._values))
        if any(_MOVES.search(line) for line in lines):
            self._pen, self._motion = [None, None, None], ""
        elif lines:
            self._motion = ""

    def _touch_off(self, block: Block, begin: str) -> None:
        """On which surface Z is touched off as it is before a block, where, and what to enter there."""
        if self._setup.name == BED:
            self._say(f"{begin} surface of the bed")
            return
        told = self._touch_offs[self._run.blocks.index(block)] if self._touch_offs else None
        if told is None:
            self._say(f"{begin} {self._board.zero.z.value}")
            return
        if told.at is None:
            self._say(f"{begin} nothing is left of the sheet's top to touch off on. Put Z zero on the spoilboard.")
            return
        enter = (
            "" if told.height > -1e-6 else f"; enter Z{self._number(self._round(told.height / self._per_unit))}, not 0"
        )
        if told.height < -1e-6:
            below = self._number(self._round(-told.height / self._per_unit))
            self._say(f"{begin} the faced surface, {below} below the sheet's top as delivered{enter}")
        else:
            self._say(f"{begin} {self._board.zero.z.value}")
        if not told.is_usual:
            x, y = (self._number(self._round(v / self._per_unit)) for v in self._setup.in_file(*told.at))
            if told.is_far and not told.taken_by:
                self._say(f"Touch off Z at X{x} Y{y}")
                return
            why = "the surface is cut away" if told.taken_by else "there is no wood"
            self._say(f"Touch off Z at X{x} Y{y}: at the zero point {why}")

    def _where_zero_is(self) -> None:
        """How the board lies and where X and Y are zero."""
        sheet, setup = self._board.sheet, self._setup
        turn = {0: "", 1: "turned a quarter counter-clockwise", 2: "turned half round", 3: "turned a quarter clockwise"}
        if setup.note:
            self._say(setup.note)
        if setup.name and setup.name != BED:
            self._say(
                f"Setup {setup.name}, {[s.name for s in self._setups].index(setup.name) + 1} of {len(self._setups)}"
            )
        if setup.quarter_turns:
            self._say(f"The board lies {turn[setup.quarter_turns]}")
        if not setup.zero_name:
            self._say(self._board.zero.sentence_xy(sheet))
            return
        self._say(f"X Y zero: {setup.zero_name}")
        if setup.pins:
            self._say("Leave X Y zero as it is: the board is shifted onto the pins")
            places = [self._place(*place) for place in setup.pins]
            self._say(f"Pins at {' and '.join(places)}")
        if setup.holes:
            self._say(f"Makes the holes for pins at {' and '.join(self._place(*place) for place in setup.holes)}")

    def _place(self, x: float, y: float) -> str:
        x, y = self._setup.in_file(x, y)
        return f"X{self._number(self._round(x / self._per_unit))} Y{self._number(self._round(y / self._per_unit))}"

    # ---- bit and spindle

    def _change_bit(self, bit: Bit, block: Block, *, is_first: bool) -> None:
        profile = self._profile
        self._values |= self._of_bit(bit)
        if not is_first:
            self._up(self._height_park)
            self._stop()
            self._template(profile.before_bit_change)
        if profile.bit_changes_in_file:
            self._say(f"Put in bit {bit.letter}: {shortened(bit.name)}")
            if not profile.has_bit_lengths:
                self._touch_off(block, "Set Z zero again:")
            self._template(profile.bit_change)
            self._template(profile.after_bit_change)
            self._motion = ""
            if self._pen[2] is None:
                self._up(self._height_park)
        self._bit = bit
        self._speed = None

    def _spindle(self, bit: Bit, recipe: Recipe, *, is_first: bool) -> None:
        speed = recipe.spindle_rpm
        if speed == self._speed:
            return
        starts = self._speed is None
        code = "M3" if bit.spin is Spin.CLOCKWISE else "M4"
        profile = self._profile
        self._values["speed"] = speed
        if profile.spindle is Spindle.SPEED:
            self._line(f"S{speed:.0f} {code}")
        else:
            self._say(f"Spindle at {speed:.0f} by hand")
            if profile.spindle is Spindle.ON and starts:
                self._line(code)
        if starts:
            if profile.spindle is not Spindle.NONE:
                self._wait(self._job.machine.spindle_start_s)
            self._template(profile.dust_on)
            if self._pen[2] is None:  # lines that moved the bit
                self._up(self._height_park)
        self._speed = speed

    def _wait(self, seconds: float) -> None:
        self._line(filled(self._profile.dwell, {"seconds": seconds}))

    # ---- moves

    def _plain(self, first: int, last: int) -> int:
        """Write the rows from ``first`` on that are lines of their own; the row reached."""
        odd = np.flatnonzero(~self._moves.is_plain[first:last])
        last = first + int(odd[0]) if len(odd) else last
        while first < last:
            count = min(last - first, _LINES_AT_ONCE)
            out = np.empty((count + 1) * LONGEST_MOVE, dtype=np.uint8)
            ends, rows = np.empty(count, dtype=np.int64), np.empty(count, dtype=np.int64)
            motion = int(self._motion[1:]) if self._motion else UNKNOWN
            state = np.array([UNKNOWN if v is None else v for v in (*self._pen, motion, self._feed)], dtype=np.int64)
            reached, lines, size = put_moves(
                out, ends, rows, first, first + count, self._moves.codes, self._moves.places, self._moves.offsets, self._feeds, state,
                self._decimals, self._feed_decimals,
            )  # fmt: skip
            self._take_lines(out[:size], ends[:lines], rows[:lines])
            x, y, z, code, feed = (None if v == UNKNOWN else int(v) for v in state)
            self._pen, self._motion, self._feed = [x, y, z], "" if code is None else f"G{code}", feed
            if reached < first + count:
                return int(reached)
            first = int(reached)
        return first

    def _take_lines(self, text: ByteArray, ends: IntArray, rows: IntArray) -> None:
        letters = text.tobytes().decode("ascii")
        profile = self._profile
        lines = [letters[a:b] for a, b in zip([0, *ends.tolist()], ends.tolist(), strict=False)]
        if profile.has_spaces and not profile.line_numbers and not profile.longest_line:
            self.lines += lines
            self.rows += rows.tolist()
            return
        for line, row in zip(lines, rows.tolist(), strict=True):
            self._line(line, row)

    def _move(self, row: int) -> None:
        if self._waits[row] > 0:
            self._wait(float(self._waits[row]))
        end = self._moves.places[row].tolist()
        kind = int(self._run.kind[row])
        if kind == Move.RAPID:
            self._word_line("G0", [("X", end[0], 0), ("Y", end[1], 1), ("Z", end[2], 2)], row=row)
            return
        feed = int(self._feeds[row])
        code, extra = "G1", ""
        if kind in (Move.ARC_CW, Move.ARC_CCW):
            if self._is_wide(row):
                self._arc_in_parts(row, end, feed)
                return
            offsets = self._arc_offsets(row, end)
            if offsets is not None:
                code = "G2" if kind == Move.ARC_CW else "G3"
                extra = f" I{self._number(offsets[0])} J{self._number(offsets[1])}"
            elif not self._is_short(row):
                self._chords(row, end, feed)
                return
        self._word_line(code, [("X", end[0], 0), ("Y", end[1], 1), ("Z", end[2], 2)], row=row, extra=extra, feed=feed)

    def _drilling_until(self, row: int, last: int) -> int:
        """One past the last of the drilling moves that begin at ``row``; ``row`` where it is none."""
        if not self._profile.has_drill_cycles or self._run.role[row] != Role.DRILL:
            return row
        x, y = self._run.xyz[row, :2]
        stop = row
        while stop < last and self._run.role[stop] == Role.DRILL and (self._run.xyz[stop, :2] == (x, y)).all():
            stop += 1
        return stop

    def _cycle(self, first: int, last: int) -> bool:
        """Drilling moves as one canned cycle: down in one go (G81) or in pecks (G83), back to where they began. False where
        they are no such thing; then they are written as they are."""
        z = self._run.xyz[first:last, 2]
        top, bottom = float(self._run.xyz[first - 1, 2]), float(z.min())
        if abs(float(z[-1]) - top) > 1e-6 or self._pen[2] is None:
            return False
        feed = int(self._feeds[first:last][z < np.concatenate(([top], z[:-1]))].min())
        x, y = self._moves.places[first, :2].tolist()
        z_word = self._number(self._round((bottom + self._shift[2]) / self._per_unit))
        r_word = self._number(self._round((top + self._shift[2]) / self._per_unit))
        place = f"X{self._number(x)} Y{self._number(y)} Z{z_word} R{r_word}"
        pecks = sorted((float(v) for v in np.unique(z) if self._is_peck(first, last, float(v))), reverse=True)
        wait = float(self._waits[first : last + 1].max())
        if len(pecks) > 1:
            if wait > 0:
                return False  # a pecking cycle has no place for it
            # the pecks are equal; rounded up, or a control would need one more for the hair that is left
            step = (pecks[0] - pecks[-1]) / (len(pecks) - 1) / self._per_unit
            text = f"G99 G83 {place} Q{self._number(ceil(step * self._scale - 1e-6))}"
        elif wait > 0:
            text = f"G99 G82 {place} P{wait:g}"
        else:
            text = f"G99 G81 {place}"
        self._line(f"{text} F{self._feed_word(feed)}", first)
        self._line("G80", last - 1)
        self._motion, self._feed = "", feed
        self._pen[2] = self._round((top + self._shift[2]) / self._per_unit)
        return True

    def _is_peck(self, first: int, last: int, goal: float) -> bool:
        """Whether drilling reaches this depth and turns back there."""
        z = self._run.xyz[first:last, 2]
        k = np.flatnonzero(np.abs(z - goal) < 1e-9)
        return any(i + 1 < len(z) and z[i + 1] > z[i] for i in k)

    def _arc_offsets(self, row: int, end: list[int]) -> tuple[int, int] | None:
        """I and J, or None where the arc is better written as chords."""
        return None if self._is_short(row) else self._offsets_to(self._run.centre[row], end)

    def _offsets_to(self, centre: FloatArray, end: list[int]) -> tuple[int, int] | None:
        x0, y0 = self._pen[0], self._pen[1]
        if self._profile.arcs is Arcs.NONE or x0 is None or y0 is None:
            return None
        ij, fits = offsets_about(
            np.array([[x0, y0]]), np.array([end[:2]]), np.array([centre]), self._steps, self._profile
        )
        return (int(ij[0, 0]), int(ij[0, 1])) if fits[0] else None

    def _is_short(self, row: int) -> bool:
        """By its length: the ends of a nearly full circle lie close together too."""
        return bool(self._radii[row] * abs(self._sweeps[row]) < SHORTEST_ARC_MM)

    def _is_wide(self, row: int) -> bool:
        return bool(abs(self._sweeps[row]) > WIDEST_ARC)

    def _arc_in_parts(self, row: int, end: list[int], feed: int) -> None:
        """An arc of more than half a circle as several: the rounded ends of a wider one no longer say where its centre is."""
        begin, goal, centre = self._run.xyz[row - 1], self._run.xyz[row], self._run.centre[row]
        radius, sweep = float(self._radii[row]), float(self._sweeps[row])
        count = max(2, ceil(abs(sweep) / 2.0))
        first = float(np.arctan2(begin[1] - centre[1], begin[0] - centre[0]))
        code = "G2" if int(self._run.kind[row]) == Move.ARC_CW else "G3"
        for k in range(1, count + 1):
            t = k / count
            if k < count:
                angle = first + sweep * t
                place = (
                    centre[0] + radius * np.cos(angle),
                    centre[1] + radius * np.sin(angle),
                    begin[2] + (goal[2] - begin[2]) * t,
                )
                to = [self._round((float(v) + s) / self._per_unit) for v, s in zip(place, self._shift, strict=True)]
            else:
                to = end
            offsets = self._offsets_to(centre, to)
            words = [("X", to[0], 0), ("Y", to[1], 1), ("Z", to[2], 2)]
            if offsets is None and k == 1:
                self._chords(row, end, feed)
                return
            if offsets is None:
                self._word_line("G1", words, row=row, feed=feed)
                continue
            extra = f" I{self._number(offsets[0])} J{self._number(offsets[1])}"
            self._word_line(code, words, row=row, extra=extra, feed=feed)

    def _chords(self, row: int, end: list[int], feed: int) -> None:
        rows = slice(row - 1, row + 1)
        points, _ = straightened(
            self._run.xyz[rows], self._run.kind[rows], self._run.centre[rows], chord_tolerance_mm=0.005
        )
        for point in points[1:-1]:
            x, y, z = ((float(v) + s) / self._per_unit for v, s in zip(point, self._shift, strict=True))
            words = [("X", self._round(x), 0), ("Y", self._round(y), 1), ("Z", self._round(z), 2)]
            self._word_line("G1", words, row=row, feed=feed)
        self._word_line("G1", [("X", end[0], 0), ("Y", end[1], 1), ("Z", end[2], 2)], row=row, feed=feed)

    # ---- lines

    def _word_line(
        self,
        code: str,
        words: list[tuple[str, int, int]],
        *,
        row: int = -1,
        extra: str = "",
        feed: int | None = None,
    ) -> None:
        """A line with only the words that change; nothing where the rounded place stays the same."""
        parts = [f"{letter}{self._number(value)}" for letter, value, axis in words if self._pen[axis] != value]
        if not parts:
            return
        text = " ".join(parts) + extra
        if code != self._motion:
            text = f"{code} {text}"
        if feed is not None and feed != self._feed:
            text += f" F{self._feed_word(feed)}"
            self._feed = feed
        self._motion = code
        for _, value, axis in words:
            self._pen[axis] = value
        self._line(text, row)

    def _up(self, height: float) -> None:
        self._word_line("G0", [("Z", self._round(height / self._per_unit), 2)])

    def _line(self, text: str, row: int = -1) -> None:
        profile = self._profile
        if not profile.has_spaces and text[:1] not in ("(", ";"):
            text = text.replace(" ", "")
        if profile.line_numbers and text[:1] not in ("%", "O", ":", ""):
            self._number_of_line = self._number_of_line % _MOST_NUMBERED + profile.line_numbers
            text = f"N{self._number_of_line}{' ' if profile.has_spaces else ''}{text}"
        if 0 < profile.longest_line < len(text):
            text = text.replace(" ", "")
            if len(text) > profile.longest_line:
                raise OutputError(
                    f"Controller '{profile.title}' takes lines of {profile.longest_line} letters, but one of {self._name} has {len(text)}: "
                    f"{text[:40]}. Allow longer lines, or fewer decimals."
                )
        self._put(text, row)

    def _put(self, text: str, row: int = -1) -> None:
        self.lines.append(text)
        self.rows.append(row)

    def _say(self, text: str) -> None:
        comment = self._profile.comment
        if not comment:
            return
        frame = len(filled(comment, {"text": ""}))
        width = min(self._profile.comment_width, self._profile.longest_line or LONGEST)
        for line in folded(text, width=width - frame):
            self._put(comment.replace("{text}", line))

    def _round(self, value: float) -> int:
        """In steps of the last decimal."""
        return round(value * self._scale)

    @property
    def _feed_decimals(self) -> int:
        return 1 if self._per_unit == 1.0 else 2

    def _feeds_of(self, feeds: FloatArray) -> IntArray:
        most = np.minimum(feeds, self._job.machine.max_feed) / self._per_unit
        out: IntArray = np.rint(most * 10**self._feed_decimals).astype(np.int64)
        return out

    def _number(self, steps: int) -> str:
        return _decimal(steps, self._decimals)

    def _feed_word(self, feed: int) -> str:
        return _decimal(feed, self._feed_decimals)


def _decimal(steps: int, decimals: int) -> str:
    """``steps`` / 10^decimals without needless zeros."""
    out = np.empty(32, dtype=np.uint8)
    return bytes(out[: put_number(out, 0, steps, decimals)]).decode("ascii")


def as_it_lies(run: Run, setup: Setup) -> Run:
    """The run with the board turned as it lies in a setup, not yet shifted."""
    if not setup.quarter_turns:
        return run

    def laid(xy: FloatArray) -> FloatArray:
        x, y = xy[:, 0], xy[:, 1]
        for _ in range(setup.quarter_turns):
            x, y = -y, x
        return np.column_stack((x, y))

    xyz = np.column_stack((laid(run.xyz), run.xyz[:, 2]))
    return msgspec.structs.replace(run, xyz=xyz, centre=laid(run.centre))


def _thickness(sheet: Sheet) -> str:
    """The readings; of many only how far apart they are."""
    readings = [f"{value:g}" for value in sheet.readings]
    if len(readings) <= 4:
        return ", ".join(readings)
    return f"{sheet.thinnest:g} to {sheet.thickest:g} ({len(readings)} readings)"
