"""A board that lies askew: two of its points are touched, and the program is turned to match about its zero.

Only places in the plane turn: X, Y and the I, J of arcs. Heights, feeds and the rest of a line stay letter by letter.
"""

from __future__ import annotations

import re
from math import atan2, cos, degrees, hypot, radians, sin

from archimetra.base.errors import OutputError

Point = tuple[float, float]
MOST_TURN_DEG = 30.0
SHORTEST_MM = 40.0  # between the two points: nearer, a tenth of a millimetre turns the board too far
MOST_STRETCH_MM = 2.0

_COMMENT = re.compile(r"\([^()]*\)|;.*$")
_CODE = re.compile(r"G0*(\d+(?:\.\d+)?)", re.IGNORECASE)
_PLACE = re.compile(r"([XYIJ])\s*([-+]?(?:\d+\.?\d*|\.\d+))", re.IGNORECASE)
# a way up or down by machine coordinates is no other on a board that lies askew
_IN_PLANE = re.compile(r"[XY]\s*[-+.\d]", re.IGNORECASE)
_NOT_TURNED = {
    "91": "tells its ways in steps (G91)", "90.1": "tells centres of arcs from zero (G90.1)", "18": "works in another plane (G18)",
    "19": "works in another plane (G19)", "53": "goes by machine coordinates (G53)", "28": "goes home (G28)", "30": "goes home (G30)",
    "92": "moves zero (G92)", "10": "moves zero (G10)",
}  # fmt: skip


class AskewError(OutputError):
    """Two points that say nothing about how the board lies, or a program that cannot be turned."""


def turn_of(should: tuple[Point, Point], found: tuple[Point, Point]) -> float:
    """By how many degrees, counter-clockwise, a board is turned: two of its points where they should be and where they were found, mm, both from zero.
    Raises AskewError."""
    (a, b), (c, d) = should, found
    wanted, real = hypot(b[0] - a[0], b[1] - a[1]), hypot(d[0] - c[0], d[1] - c[1])
    if min(wanted, real) < SHORTEST_MM:
        raise AskewError(
            f"The two points are only {min(wanted, real):.1f} mm apart. Take two that are at least {SHORTEST_MM:.0f} mm apart."
        )
    if abs(wanted - real) > MOST_STRETCH_MM:
        raise AskewError(
            f"The two points should be {wanted:.2f} mm apart and were found {real:.2f} mm apart. Touch both again: one of them is another place."
        )
    turn = degrees(atan2(d[1] - c[1], d[0] - c[0]) - atan2(b[1] - a[1], b[0] - a[0]))
    turn = (turn + 180.0) % 360.0 - 180.0
    if abs(turn) > MOST_TURN_DEG:
        raise AskewError(
            f"The board would lie {turn:.1f} degrees askew. Lay it straighter, or touch the points in the other order."
        )
    return turn


def turned(text: str, turn: float) -> str:
    """A program turned by so many degrees about its zero. Raises AskewError for one whose places are not told plainly."""
    c, s = cos(radians(turn)), sin(radians(turn))
    at: dict[str, float] = {}  # where the bit is, as far as it was named
    digits = 4
    out = []
    for number, line in enumerate(text.splitlines(), 1):
        bare = _COMMENT.sub(lambda m: " " * len(m.group()), line)
        for code in _CODE.findall(bare):
            if code in _NOT_TURNED and not (code == "53" and not _IN_PLANE.search(bare)):
                raise AskewError(
                    f"Line {number} {_NOT_TURNED[code]}: such a program is not turned. Lay the board straight instead."
                )
            if code == "20":
                digits = 5
        words = {letter.upper(): float(value) for letter, value in _PLACE.findall(bare)}
        if not words:
            out.append(line)
            continue
        at |= {letter: value for letter, value in words.items() if letter in "XY"}
        new: dict[str, float] = {}
        if words.keys() & {"X", "Y"}:
            if len(at) < 2:
                raise AskewError(
                    f"Line {number} names {next(iter(at))} alone, before the other was ever named: such a program is not turned."
                )
            new |= {"X": at["X"] * c - at["Y"] * s, "Y": at["X"] * s + at["Y"] * c}
        if words.keys() & {"I", "J"}:
            i, j = words.get("I", 0.0), words.get("J", 0.0)
            new |= {"I": i * c - j * s, "J": i * s + j * c}
        out.append(_with(line, bare, new, digits))
    return "\n".join(out) + ("\n" if text.endswith("\n") else "")


def _with(line: str, bare: str, new: dict[str, float], digits: int) -> str:
    """The line with these words in place of its own, where the first of them stood; what stands in comments stays."""
    found = list(_PLACE.finditer(bare))
    begin = found[0].start()
    words = " ".join(f"{letter}{value:.{digits}f}" for letter, value in new.items())
    pieces = [line[:begin], words]
    last = begin
    for one in found:
        pieces.append(line[last : one.start()].rstrip() if one is not found[0] else "")
        last = one.end()
    rest = line[last:]
    pieces.append(rest if not rest or rest.startswith(" ") else " " + rest)
    return "".join(pieces)
