"""The way a program leads, worked out before it is sent: where each line goes, how far it reaches, and where a person has to change something."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from archimetra.geometry.arrays import FloatArray, IntArray
from archimetra.job.quantities import MM_PER_INCH
from archimetra.machine.messages import Place
from archimetra.output.gcode_reader import read_gcode
from archimetra.toolpath.shared.moves import Move, straightened

CHORD_MM = 0.02
_COMMENT = re.compile(r"\([^()]*\)|;.*$")
_PAUSE = re.compile(r"M0*([016])(?!\d)", re.IGNORECASE)
_WORD = re.compile(r"([A-Z])\s*([-+]?(?:\d+\.?\d*|\.\d+))")
# what the common line-acknowledged controls carry out
_TAKEN_G = {
    0,
    1,
    2,
    3,
    4,
    17,
    20,
    21,
    40,
    49,
    53,
    54,
    61,
    80,
    90,
    91,
    91.1,
    94,
}
_TAKEN_M = {0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 30}
# plain moves, which every control takes
_NOT_PLAIN = re.compile(r"^(?!(?:[ \t]*(?:[XYZIJKRF][ \t]*[-+]?[\d.]+|G0?[0-3](?![.\d])))*[ \t\r]*$).+$", re.MULTILINE)
_MT = re.compile(r"^.*[MTmt].*$", re.MULTILINE)
_XY = re.compile(r"^.*[XYxy].*$", re.MULTILINE)
_G = re.compile(r"^.*[Gg].*$", re.MULTILINE)
_GOES = re.compile(r"[XY]\s*[-+.\d]", re.IGNORECASE)
_CHANGE = re.compile(r"T0*(\d+)", re.IGNORECASE)
_BY_MACHINE = re.compile(r"G0*53(?![\d.])", re.IGNORECASE)
_AXIS = re.compile(r"([XYZ])\s*([-+]?(?:\d+\.?\d*|\.\d+))", re.IGNORECASE)
# where these lead cannot be foretold, or they move the zero that was found
_NOT_FOLLOWED = {
    10.0: "moves zero", 28.0: "goes to a place kept in the control", 30.0: "goes to a place kept in the control", 92.0: "moves zero",
    43.1: "adds the length of a bit to zero", 55.0: "goes by another zero", 56.0: "goes by another zero", 57.0: "goes by another zero",
    58.0: "goes by another zero", 59.0: "goes by another zero", 38.2: "probes", 18.0: "works in another plane", 19.0: "works in another plane",
}  # fmt: skip


class Course(NamedTuple):
    """``way`` (n, 3) the places a program leads to, mm in its own zero, nan for an axis it has not named yet; ``of_lines`` (n,) the line of each, from
    0; ``low`` and ``high`` how far it reaches; ``cut_low`` and ``cut_high`` the same of what is no rapid; nan where nothing is."""

    way: FloatArray
    of_lines: IntArray
    low: Place
    high: Place
    cut_low: Place
    cut_high: Place


class Part(NamedTuple):
    """Lines ``first`` to ``last`` (from 0, ``last`` not among them) of a program, which run without a person. ``words`` says what is to be done before:
    '' before the first; ``bit`` is the number of the one that is to be in then, 0 for as before; ``skipped`` is a line among them that is not sent (-1 for
    none): the change before anything is cut, which belongs to getting ready."""

    first: int
    last: int
    words: str
    bit: int
    skipped: int = -1

    def lines_of(self, text: str) -> list[str]:
        """The lines of a program up to the end of this part, the skipped one empty."""
        lines = text.splitlines()[: self.last]
        if self.skipped >= 0:
            lines[self.skipped] = ""
        return lines


def course_of(text: str, at: Place | None = None) -> Course:
    """The way of a program that begins ``at``, mm in its zero; arcs as chords within ``CHORD_MM``."""
    before = "" if at is None else "G21\nG90\nG0 X{:.6f} Y{:.6f} Z{:.6f}\n".format(*at)
    put_before = before.count("\n")
    read = read_gcode(before + text)
    if len(read.xyz) == 0 or read.line[-1] <= put_before:
        nothing = (np.nan, np.nan, np.nan)
        return Course(np.zeros((0, 3)), np.zeros(0, dtype=np.int64), nothing, nothing, nothing, nothing)
    # an arc whose beginning was never named, in X or in Y, cannot be followed: its end stands for it
    is_known = np.array(np.isfinite(read.xyz[:, :2]).all(axis=1) & np.isfinite(read.centre).all(axis=1))
    is_known[1:] &= is_known[:-1]
    is_known[0] = False
    kind = np.where(is_known, read.kind, np.minimum(read.kind, Move.LINE)).astype(np.uint8)
    way, source = straightened(read.xyz, kind, read.centre, chord_tolerance_mm=CHORD_MM)
    own = read.line[source] > put_before
    way, source = way[own], source[own]
    cuts = read.kind[source] != Move.RAPID
    low, high = _extent(way)
    cut_low, cut_high = _extent(way[cuts])
    return Course(way, read.line[source].astype(np.int64) - 1 - put_before, low, high, cut_low, cut_high)


def _extent(way: FloatArray) -> tuple[Place, Place]:
    low, high = [], []
    for k in range(3):
        values = way[:, k][np.isfinite(way[:, k])]
        low.append(float(values.min()) if len(values) else np.nan)
        high.append(float(values.max()) if len(values) else np.nan)
    return (low[0], low[1], low[2]), (high[0], high[1], high[2])


def beyond(course: Course, zero: Place, low: Place, high: Place, *, spare: float = 1e-3) -> str:
    """In words where a program leads beyond what the machine reaches, with its zero at ``zero`` in machine coordinates; '' for nowhere."""
    said = []
    names = (("left", "right"), ("the front", "the back"), ("the bottom", "the top"))
    for k, (under, over) in enumerate(names):
        under_by, over_by = low[k] - (course.low[k] + zero[k]), course.high[k] + zero[k] - high[k]
        if under_by > spare:
            said.append(f"{under_by:.1f} mm over {under}")
        if over_by > spare:
            said.append(f"{over_by:.1f} mm over {over}")
    if not said:
        return ""
    return f"It leads beyond the machine's travel: {', '.join(said)}. Move the board and set zero again, or cut it in tiles."


def from_zero(text: str, zero: Place | None) -> str:
    """A program whose lines by machine coordinates (G53) are told from a zero that lies at ``zero`` in them, mm, or left empty where that is not known:
    what is worked out of its way is right then. It is not what is sent. As many lines as before."""
    found = [number for number, line in _lines_with(_G, text) if _BY_MACHINE.search(_COMMENT.sub("", line))]
    if not found:
        return text
    lines = text.splitlines()
    per, last = 1.0, 0
    for number in found:
        if zero is None:
            lines[number - 1] = ""
            continue
        for before in lines[last:number]:
            for code in re.findall(r"G0*(20|21)(?![\d.])", _COMMENT.sub("", before).upper()):
                per = MM_PER_INCH if code == "20" else 1.0
        last = number
        bare = _BY_MACHINE.sub("", _COMMENT.sub("", lines[number - 1]))

        lines[number - 1] = _moved(bare, zero, per).strip()
    return "\n".join(lines) + ("\n" if text.endswith("\n") else "")


def _moved(bare: str, zero: Place, per: float) -> str:
    """A line with its places told from zero; ``per`` is its unit in mm."""
    return _AXIS.sub(
        lambda m: f"{m.group(1)}{float(m.group(2)) - zero['XYZ'.index(m.group(1).upper())] / per:.6f}", bare
    )


def not_taken(text: str) -> str:
    """In words the first thing of a program that a control fed line by line does not take, or that leads where it cannot be followed; '' where there is
    none."""
    in_steps, by_machine = False, 0
    for number, line in _lines_with(_NOT_PLAIN, text):
        bare = _COMMENT.sub("", line).strip().upper()
        if bare in ("", "%"):
            continue
        words = [(m.group(1), float(m.group(2))) for m in _WORD.finditer(bare)]
        why = next((why for letter, value in words if letter == "G" and (why := _NOT_FOLLOWED.get(value))), "")
        in_steps = in_steps or ("G", 91.0) in words
        by_machine = by_machine or (number if ("G", 53.0) in words else 0)
        if not why and in_steps and by_machine:
            number, why = by_machine, "goes by machine coordinates in a program that tells its ways in steps"
        if why:
            return f"Line {number} {why}: where that leads cannot be watched. Take it out of the controller's own lines on the Output page."
        found = next((m for m in _WORD.finditer(bare) if not _is_taken(m.group(1), m.group(2))), None)
        what = found.group().replace(" ", "") if found is not None else _WORD.sub("", bare).strip()[:12]
        if what:
            return (
                f"Line {number} says {what}, which a control that is fed line by line does not take. Choose such a controller on the Output page: the "
                "files are written anew for it."
            )
    return ""


def _lines_with(pattern: re.Pattern[str], text: str) -> Iterator[tuple[int, str]]:
    """The lines a pattern of whole lines finds, with their numbers from 1: nearly all lines of a program are plain moves, which only the pattern sees."""
    number, counted = 1, 0
    for found in pattern.finditer(text):
        number += text.count("\n", counted, found.start())
        counted = found.start()
        yield number, found.group()


def _is_taken(letter: str, value: str) -> bool:
    if letter == "G":
        return float(value) in _TAKEN_G
    if letter == "M":
        return float(value) in _TAKEN_M
    return letter in "FIJKLNPRSTXYZ"


def parts_of(text: str) -> tuple[Part, ...]:
    """A program parted where it waits for a person (M0, M1, M6): these lines are not sent, so that the machine can be led meanwhile."""
    count = len(text.splitlines())
    out: list[Part] = []
    first, words, bit, named, skipped = 0, "", 0, 0, -1
    goes = next((number for number, line in _lines_with(_XY, text) if _GOES.search(_COMMENT.sub("", line))), count + 1)
    for number, line in ((k - 1, line) for k, line in _lines_with(_MT, text)):
        bare = _COMMENT.sub("", line)
        if (change := _CHANGE.search(bare)) is not None:
            named = int(change.group(1))
        pause = _PAUSE.search(bare)
        if pause is None:
            continue
        is_change = pause.group(1) == "6"
        if is_change and number < goes and skipped < 0:
            skipped, bit = number, named
            continue
        out.append(Part(first, number, words, bit, skipped))
        skipped = -1
        first = number + 1
        words = (
            (f"Change the bit: T{named} comes in." if named else "Change the bit.")
            if is_change
            else "It waits for you."
        )
        bit = named if is_change else 0
    out.append(Part(first, count, words, bit, skipped))
    return tuple(part for part in out if part.last > part.first)


def place_before(text: str, line: int) -> Place | None:
    """Where the bit stands when a line (from 0) begins, mm in the program's zero; None where it has not been named."""
    course = course_of("\n".join(text.splitlines()[:line]) + "\n")
    before = course.way[course.of_lines < line]
    if not len(before) or not np.isfinite(before[-1]).all():
        return None
    x, y, z = (float(v) for v in before[-1])
    return x, y, z


def around(low: Place, high: Place, *, height: float, feed: float) -> str:
    """A program that leads once around a rectangle at a height above zero, mm, and back over its first corner."""
    (x0, y0, _), (x1, y1, _) = low, high
    lines = ["G21", "G90", f"G0 Z{height:.3f}", f"G0 X{x0:.3f} Y{y0:.3f}"]
    lines += [f"G1 X{x:.3f} Y{y:.3f} F{feed:.0f}" for x, y in ((x1, y0), (x1, y1), (x0, y1), (x0, y0))]
    return "\n".join(lines) + "\n"


def to_place(x: float, y: float, *, height: float) -> str:
    """A program that goes over a place at a height above zero, mm."""
    return f"G21\nG90\nG0 Z{height:.3f}\nG0 X{x:.3f} Y{y:.3f}\n"
