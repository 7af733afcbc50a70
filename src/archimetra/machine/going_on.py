"""Going on after a mishap: where a program can be begun again, and what is left of it as a program of its own.

A place to begin is where the bit stands above the wood, before it goes down: the beginning of a pass or a contour, never the middle of a plunge. Begun
at one that lies no later than what is certainly done, nothing is left out; what is cut once more takes no wood.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from typing import NamedTuple

import numpy as np

from archimetra.geometry.arrays import BoolArray
from archimetra.job.quantities import MM_PER_INCH
from archimetra.machine.course import parts_of, place_before
from archimetra.output.gcode_reader import ReadMoves, read_gcode
from archimetra.toolpath.shared.moves import Move

_COMMENT = re.compile(r"\(([^()]*)\)|;(.*)$")
_MODES = re.compile(r"G(20|21|90|91|17|40|49|54|55|56|57|58|59|94)(?![\d.])|G91\.1|G43\s*H\s*(\d+)")


class Start(NamedTuple):
    """After ``line`` (from 1) the bit stands at ``at``, mm in the file's zero, and is about to go down. ``words`` is what the file says it does there,
    '' where it says nothing."""

    line: int
    at: tuple[float, float, float]
    words: str


def starts_of(text: str, *, top: float, done: int) -> tuple[Start, ...]:
    """The places to begin again once the lines up to ``done`` (from 1) are certainly done, the latest first. ``top`` is the height of the wood, mm in
    the file's zero. Empty where the program cuts nothing that can be begun."""
    read = read_gcode(text)
    z = read.xyz[:, 2]
    xy_known = np.isfinite(read.xyz).all(axis=1)
    is_above = xy_known & (z > top + 1e-6)
    goes_down = np.concatenate((z[1:] < top - 1e-6, [False]))
    # several moves may lead down, one of them through the air
    rows = np.flatnonzero(is_above & (goes_down | np.concatenate((~is_above[1:], [False]))))
    # within a cycle lines mean holes, and after an arc the next line may take the arc for granted
    cycles = _in_cycle(text)
    rows = rows[(read.line[rows] <= done) & (read.kind[rows] <= Move.LINE) & ~cycles[read.line[rows]]]
    said = _said(text)
    out = [
        Start(int(read.line[k]), (float(read.xyz[k, 0]), float(read.xyz[k, 1]), float(z[k])), said(int(read.line[k])))
        for k in rows[::-1]
    ]
    return tuple(_once(out))


def starts_in_parts(text: str, *, top: float, done: int, first: int, next_line: int = -1) -> tuple[Start, ...]:
    """The same of a program that is sent in parts (see ``parts_of``): of the part that was under way alone, which begins with the line ``first`` (from 0),
    for another bit is in before and after it. ``next_line`` is the first line of the part that was to come, where it broke off between two; -1 where
    it did not."""
    if next_line >= 0:
        at = place_before(text, next_line)
        return (Start(next_line, at, "the next part"),) if at is not None else ()
    part = next((one for one in parts_of(text) if one.first == first), None)
    if part is None:
        return ()
    found = tuple(one for one in starts_of(text, top=top, done=done) if part.first < one.line <= part.last)
    if found or part.first == 0:
        return found
    at = place_before(text, part.first)
    return (Start(part.first, at, "the beginning of this part"),) if at is not None else ()


def _in_cycle(text: str) -> BoolArray:
    """Whether a drilling cycle is in force after each line (lines + 1,), the first for none."""
    out, is_in = [False], False
    for line in text.splitlines():
        for code in re.findall(r"G0*(8[0-9]|[0-3])(?![\d.])", _COMMENT.sub("", line).upper()):
            is_in = code in ("81", "82", "83", "84", "85", "86", "87", "88", "89")
        out.append(is_in)
    return np.array(out, dtype=bool)


def _once(starts: Sequence[Start]) -> list[Start]:
    """A line stands for one place: the last of a drilling cycle's several moves."""
    out: list[Start] = []
    for one in starts:
        if not out or out[-1].line != one.line:
            out.append(one)
    return out


def _said(text: str) -> Callable[[int], str]:
    """What the last comment that names a cut before a line says."""
    lines, cuts = [], []
    for number, line in enumerate(text.splitlines(), 1):
        found = _COMMENT.search(line)
        words = (found.group(1) or found.group(2) or "").strip() if found else ""
        if words.startswith("Cut:"):
            lines.append(number)
            cuts.append(words.removeprefix("Cut:").strip())

    def at(line: int) -> str:
        k = int(np.searchsorted(lines, line, side="right")) - 1
        return cuts[k] if k >= 0 else ""

    return at


def remainder(text: str, start: Start, *, park: float, spindle_s: float = 4.0) -> str:
    """What is left of a program from a place to begin on: modes, spindle and feed as they were there, up to the height ``park`` (mm in the file's
    zero), over the place, down to where the bit stood, and on."""
    lines = text.splitlines()
    read = read_gcode(text)
    k = int(np.searchsorted(read.line, start.line, side="right")) - 1
    is_inch = _is_inch(lines[: start.line])
    per = MM_PER_INCH if is_inch else 1.0
    modes = _modes(lines[: start.line])
    is_relative = "G91" in modes
    out = ["%"] if lines and lines[0].strip() == "%" else []
    words = f"More of a program, from line {start.line} on" + (f"; bit T{read.bit[k]} is in" if read.bit[k] else "")
    out += [f"({words.replace(';', ',')})"] if "(" in text else [f"; {words}"] if ";" in text else []
    out += ["G20" if is_inch else "G21", "G90", *(mode for mode in modes if mode not in ("G90", "G91"))]
    out.append(f"G0 Z{_number(max(park, start.at[2]) / per)}")
    speed = float(read.spindle_rpm[k])
    if speed > 0:
        out += [f"S{speed:.0f} {_turns(lines[: start.line])}", f"G4 P{spindle_s:g}"]
    x, y, z = (v / per for v in start.at)
    out += [f"G0 X{_number(x)} Y{_number(y)}", f"G0 Z{_number(z)}"]
    out.append(_motion_at(read, k, per))
    out += ["G91"] if is_relative else []  # the way to the place was told from zero
    return "\n".join([*(line for line in out if line), *lines[start.line :]]) + "\n"


def _motion_at(read: ReadMoves, k: int, per: float) -> str:
    """The motion and the feed in force, which the next lines take for granted."""
    code = {Move.RAPID: "G0", Move.LINE: "G1", Move.ARC_CW: "G2", Move.ARC_CCW: "G3"}[Move(int(read.kind[k]))]
    feed = float(read.feed[k]) / per
    return f"{code} F{_number(feed)}" if feed > 0 else code


def _is_inch(lines: Sequence[str]) -> bool:
    found = [m.group(1) for line in lines for m in re.finditer(r"G(20|21)(?![\d.])", _COMMENT.sub("", line))]
    return bool(found) and found[-1] == "20"


def _modes(lines: Sequence[str]) -> list[str]:
    """What else is in force: of each group the last one said."""
    groups = {"90": "distance", "91": "distance", "17": "plane", "40": "radius", "49": "length", "94": "feed"}
    now: dict[str, str] = {}
    for line in lines:
        for found in _MODES.finditer(_COMMENT.sub("", line)):
            code = found.group(1)
            if code in ("20", "21"):
                continue
            if found.group(2):
                now["length"] = f"G43 H{found.group(2)}"
            elif code is None:
                now["arcs"] = "G91.1"
            elif code.startswith("5"):
                now["zero"] = f"G{code}"
            else:
                now[groups[code]] = f"G{code}"
    return list(now.values())


def _turns(lines: Sequence[str]) -> str:
    found = [m.group(0) for line in lines for m in re.finditer(r"M0?[34](?!\d)", _COMMENT.sub("", line))]
    return found[-1] if found else "M3"


def _number(value: float) -> str:
    text = f"{value:.4f}".rstrip("0").rstrip(".")
    return "0" if text in ("", "-0") else text
