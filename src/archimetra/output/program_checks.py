"""What would spoil work in a program that was read, whoever wrote it; and in what two programs differ."""

from __future__ import annotations

from collections.abc import Iterator
from difflib import SequenceMatcher
from typing import NamedTuple

import numpy as np

from archimetra.base.findings import Finding, Severity, mm, mm_each
from archimetra.geometry.arrays import BoolArray, FloatArray, IntArray
from archimetra.output.gcode_reader import ReadMoves
from archimetra.toolpath.shared.moves import Move

_SAME_MM = 0.002
_TRAVEL_MM = 0.01
_MOST_ALIGNED = (
    4000  # moves that are compared one by one where programs differ; beyond that only how many there are is told
)


class Given(NamedTuple):
    """What is known beside the file: the height of the wood's top in its zero, mm, and the machine's travel, mm, if it is known."""

    top: float = 0.0
    travel: tuple[float, float, float] | None = None


def check_program(read: ReadMoves, given: Given | None = None) -> list[Finding]:
    """Rapids in the wood, a spindle that stands, travel, no end. The first line of each kind, and how many there are."""
    given = given or Given()
    return [*read.findings, *_rapids(read, given), *_spindle(read, given), *_travel(read, given), *_end(read)]


def _rapids(read: ReadMoves, given: Given) -> Iterator[Finding]:
    if len(read.xyz) < 2:
        return
    a, b = read.xyz[:-1], read.xyz[1:]
    low = np.fmin(a[:, 2], b[:, 2]) < given.top - _SAME_MM
    sideways = np.hypot(*(b - a)[:, :2].T) > _SAME_MM
    down = b[:, 2] < a[:, 2] - _SAME_MM
    bad = (read.kind[1:] == Move.RAPID) & low & (np.nan_to_num(sideways, nan=0.0).astype(bool) | down)
    yield from _first(
        "gcode-rapid",
        Severity.STOP,
        read.line[1:],
        bad,
        "A rapid runs through the wood",
        "Raise the bit before it, or cut there at a feed.",
    )


def _spindle(read: ReadMoves, given: Given) -> Iterator[Finding]:
    bad = (read.kind != Move.RAPID) & (read.xyz[:, 2] < given.top - _SAME_MM) & (read.spindle_rpm <= 0)
    yield from _first(
        "gcode-spindle", Severity.CAUTION, read.line, bad, "The bit cuts while the program has not started the spindle",
        "Start it by hand before the run, or with S and M3 in the file.",
    )  # fmt: skip


def _travel(read: ReadMoves, given: Given) -> Iterator[Finding]:
    if given.travel is None or not len(read.xyz):
        return
    for axis, letter in enumerate("XYZ"):
        values = read.xyz[:, axis][np.isfinite(read.xyz[:, axis])]
        if len(values) and float(np.ptp(values)) > given.travel[axis] + _TRAVEL_MM:
            line = int(read.line[int(np.nanargmax(read.xyz[:, axis]))])
            yield Finding(
                "gcode-travel", Severity.STOP,
                f"{letter} runs over {mm(float(np.ptp(values)), '.1f')}, the machine only over {mm(given.travel[axis])}.",
                mend="Tile the work, or lay it the other way.", place=f"line {line}",
            )  # fmt: skip


def _end(read: ReadMoves) -> Iterator[Finding]:
    if not read.has_end:
        yield Finding(
            "gcode-end", Severity.CAUTION, "The program has no end (M2 or M30): it may have been cut short.",
            mend="Look at its last lines, or write it again.", place=f"line {int(read.line[-1]) if len(read.line) else 1}",
        )  # fmt: skip


def _first(code: str, severity: Severity, lines: IntArray, bad: BoolArray, words: str, mend: str) -> Iterator[Finding]:
    at = np.flatnonzero(bad)
    if len(at):
        more = "" if len(at) == 1 else f", and {len(at) - 1} more like it"
        yield Finding(code, severity, f"{words}{more}.", mend=mend, place=f"line {int(lines[at[0]])}")


# ---- two programs


class Difference(NamedTuple):
    """Lines of the one and of the other (from 1, 0 where it has none) and what differs there."""

    line: int
    other: int
    words: str


def differences(a: ReadMoves, b: ReadMoves, *, tolerance_mm: float = _SAME_MM) -> list[Difference]:
    """In what the moves of two programs differ, however they are spelled: places, kinds, feeds, bits, speeds. [] for the same moves."""
    one, other = _steps(a, tolerance_mm), _steps(b, tolerance_mm)
    begin = _common(one, other)
    end = _common(one[begin:][::-1], other[begin:][::-1])
    rows, others = range(begin, len(one) - end), range(begin, len(other) - end)
    if not rows and not others:
        return []
    if max(len(rows), len(others)) > _MOST_ALIGNED:
        return [
            Difference(
                int(a.line[begin]) if begin < len(a.line) else 0, int(b.line[begin]) if begin < len(b.line) else 0,
                f"From here on {len(rows)} moves stand against {len(others)}, until {end} moves before the end.",
            )
        ]  # fmt: skip
    keys = [
        [tuple(row) for row in part.tolist()]
        for part in (one[rows.start : rows.stop], other[others.start : others.stop])
    ]
    out: list[Difference] = []
    for tag, i0, i1, j0, j1 in SequenceMatcher(None, keys[0], keys[1], autojunk=False).get_opcodes():
        if tag == "equal":
            continue
        paired = min(i1 - i0, j1 - j0)
        for k in range(paired):
            i, j = begin + i0 + k, begin + j0 + k
            if _common(one[i : i + 1], other[j : j + 1]):  # rounded to either side of a step
                continue
            out.append(Difference(int(a.line[i]), int(b.line[j]), _told(a, i, b, j)))
        for i in range(begin + i0 + paired, begin + i1):
            out.append(Difference(int(a.line[i]), 0, f"{_move(a, i)} is only in the first."))
        for j in range(begin + j0 + paired, begin + j1):
            out.append(Difference(0, int(b.line[j]), f"{_move(b, j)} is only in the second."))
    return out


def _steps(read: ReadMoves, tolerance_mm: float) -> FloatArray:
    """What counts of each move as numbers that can be compared, (n, 9)."""
    is_arc = read.kind >= Move.ARC_CW
    centre = np.where(is_arc[:, None], read.centre, 0.0)
    places = np.nan_to_num(np.column_stack((read.xyz, centre)), nan=1e9)
    is_cut = read.kind != Move.RAPID
    return np.column_stack(
        (np.round(places / tolerance_mm), read.kind, np.where(is_cut, np.round(read.feed, 1), 0.0), read.bit, np.round(read.spindle_rpm))
    )  # fmt: skip


def _common(a: FloatArray, b: FloatArray) -> int:
    """How many rows are alike from the beginning: to one step of rounding."""
    n = min(len(a), len(b))
    unlike = (np.abs(a[:n, :5] - b[:n, :5]) > 1).any(axis=1) | (a[:n, 5:] != b[:n, 5:]).any(axis=1)
    at = np.flatnonzero(unlike)
    return int(at[0]) if len(at) else n


def _told(a: ReadMoves, i: int, b: ReadMoves, j: int) -> str:
    parts = []
    if a.kind[i] != b.kind[j]:
        parts.append(f"{_KINDS[int(a.kind[i])]} against {_KINDS[int(b.kind[j])]}")
    if not np.allclose(a.xyz[i], b.xyz[j], atol=_SAME_MM, equal_nan=True):
        parts.append(f"to {_place(a.xyz[i])} against {_place(b.xyz[j])}")
    if a.kind[i] != Move.RAPID and abs(a.feed[i] - b.feed[j]) > 0.05:
        parts.append(f"feed {a.feed[i]:g} against {b.feed[j]:g}")
    if a.bit[i] != b.bit[j]:
        parts.append(f"bit T{a.bit[i]} against T{b.bit[j]}")
    if abs(a.spindle_rpm[i] - b.spindle_rpm[j]) > 0.5:
        parts.append(f"spindle {a.spindle_rpm[i]:g} against {b.spindle_rpm[j]:g}")
    return "; ".join(parts) or "an arc about another centre"


def _move(read: ReadMoves, i: int) -> str:
    words = _KINDS[int(read.kind[i])]
    return f"{words[0].upper()}{words[1:]} to {_place(read.xyz[i])}"


def _place(xyz: FloatArray) -> str:
    return ", ".join(
        f"{letter} {value:.3f}".rstrip("0").rstrip(".")
        for letter, value in zip("XYZ", xyz, strict=True)
        if np.isfinite(value)
    )


_KINDS = {
    int(Move.RAPID): "a rapid",
    int(Move.LINE): "a line",
    int(Move.ARC_CW): "an arc clockwise",
    int(Move.ARC_CCW): "an arc counter-clockwise",
}


def summary(read: ReadMoves) -> list[str]:
    """What a program does, in a few lines."""
    if not len(read.xyz):
        return ["It moves nothing."]
    finite = read.xyz[np.isfinite(read.xyz).all(axis=1)]
    lines = [
        f"{len(read.xyz):,} moves on {int(read.line.max()):,} lines, {int((read.kind >= Move.ARC_CW).sum()):,} of them arcs."
    ]
    if len(finite):
        low, high = finite.min(axis=0), finite.max(axis=0)
        for axis, letter in enumerate("XYZ"):
            lines.append(f"{letter} {mm_each((low[axis], high[axis]), '.2f', ' to ')}.")
    bits = sorted({int(bit) for bit in read.bit if bit})
    if bits:
        lines.append(f"Bits {', '.join(f'T{bit}' for bit in bits)}.")
    return lines
