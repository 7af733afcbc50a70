"""What the section shows: heights along its line, the bit, a plug; and where on the canvas they lie."""

from __future__ import annotations

from typing import NamedTuple

import msgspec
import numpy as np
from PySide6.QtCore import QPointF

from archimetra.geometry.arrays import BoolArray, FloatArray
from archimetra.job.bits import Bit
from archimetra.job.quantities import Unit
from archimetra.job.sheet import Sheet

LEFT, RIGHT, BOTTOM = 56.0, 24.0, 20.0  # px beside and below the drawing
SPOIL_MM = 4.0  # of the spoilboard is shown


class SectionData(msgspec.Struct, frozen=True, eq=False):
    """Heights (n,) along a line of ``length`` mm; the bit with its place along the line, its distance from it and its tip's z."""

    sheet: Sheet
    unit: Unit
    length: float
    inside: tuple[float, float]  # stretch of the line that lies on the sheet
    heights: FloatArray
    hollow: FloatArray  # (2, n): bottom and top of undercuts, nan where there are none
    passes: tuple[float, ...]  # z of the passes of the cut in work
    bit: Bit | None
    bit_at: float
    bit_off: float
    bit_z: float
    moment: str
    under: FloatArray | None = None  # (n,): the wood's underside, where the other face has been cut
    thicker: float = 0.0  # how much thicker than read the sheet is drawn, mm
    mate: MateDrawing | None = None
    distances: tuple[tuple[tuple[float, float], tuple[float, float]], ...] = ()  # pinned: ends along the line and in z
    tabs: tuple[TabSpan, ...] = ()
    begin: float = 0.0  # where on the line A-A' the drawn stretch begins, mm


class TabSpan(NamedTuple):
    """A stretch of the line that runs across a tab, and how thick it is, mm."""

    begin: float
    end: float
    thickness: float


class MateDrawing(msgspec.Struct, frozen=True, eq=False):
    """A plug in its pocket: height of its underside and its back along the line (n,), nan where there is none, the board it is of,
    its readings in words, each with whether it is good, and how much is shown above and below the pocket board's face."""

    under: FloatArray
    back: FloatArray
    sheet: Sheet
    readings: tuple[tuple[str, bool], ...]
    above: float
    below: float


class Floor(NamedTuple):
    """A level stretch of the cut surface."""

    begin: float
    end: float
    z: float


class Frame(NamedTuple):
    """Where the section lies on the canvas: pixels per mm across and down, and the y of the sheet's top."""

    across: float
    down: float
    top: float

    def x(self, along: float) -> float:
        """Of a place, mm along the drawn line."""
        return LEFT + along * self.across

    def y(self, z: float) -> float:
        """Of a height, mm above the sheet's top."""
        return self.top - z * self.down

    def along(self, x: float) -> float:
        """The place, mm along the drawn line, at an x of the canvas."""
        return (x - LEFT) / self.across

    def height(self, y: float) -> float:
        """The height, mm above the sheet's top, at a y of the canvas."""
        return (self.top - y) / self.down

    def at(self, along: float, z: float) -> QPointF:
        return QPointF(self.x(along), self.y(z))

    def sheet_ends(self, data: SectionData) -> tuple[float, float]:
        """The x where the sheet begins and ends."""
        return self.x(data.inside[0]), self.x(data.inside[1])


def floors(data: SectionData) -> list[Floor]:
    """Level stretches below the sheet's top, on the sheet, from left to right."""
    h = data.heights
    n = len(h)
    step = data.length / (n - 1)
    level = np.concatenate((np.abs(np.diff(h)) < 1e-4, [False]))
    low = h < -0.005
    out = []
    for a, b in stretches(level & low):
        begin, end = max(a * step, data.inside[0]), min(b * step, data.inside[1])
        if end > begin:
            out.append(Floor(begin, end, float(h[a])))
    return out


def stretches(flags: BoolArray) -> list[tuple[int, int]]:
    """Runs of true values as (first, one past the last)."""
    edges = np.diff(np.concatenate(([0], np.asarray(flags, dtype=np.int8), [0])))
    return list(zip(np.flatnonzero(edges == 1).tolist(), np.flatnonzero(edges == -1).tolist(), strict=True))
