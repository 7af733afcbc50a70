"""Edges broken by a V bit: a bevel along the top of a part, of an opening, or on both sides of a line."""

from __future__ import annotations

from math import isfinite, radians, tan
from typing import Any, ClassVar

from archimetra.job.bits import Bit, BitKind
from archimetra.job.cut_parts import Entry, Side
from archimetra.job.cuts.base import CutBase, Kind, Parting
from archimetra.job.require import require
from archimetra.job.shapes import Shape
from archimetra.job.sheet import Sheet

ENTRIES = (Entry.PLUNGE, Entry.RAMP)


class ChamferCut(CutBase, frozen=True, kw_only=True, tag="chamfer"):
    """A bevel along outlines: of the part inside them (``OUTSIDE``, where the bit runs), of the wood around them (``INSIDE``), or on both
    sides of the line. It is ``width`` mm wide on the face, or with 0 as deep as from the start to the end depth. ``past`` is how far the
    tip goes below the bevel, so that a stouter part of the bit cuts its lower edge; on the line it counts for nothing."""

    side: Side = Side.OUTSIDE
    width: float = 1.0
    past: float = 0.5
    entry: Entry = Entry.PLUNGE
    ramp_degrees: float = 8.0

    has_entries: ClassVar[bool] = True
    parting: ClassVar[Parting] = Parting.NEVER

    def __post_init__(self) -> None:
        CutBase.__post_init__(self)
        require(not self.goes_through, "a chamfer has a width or a depth; it does not go through")
        require(isfinite(self.width) and 0 <= self.width <= 100, "a chamfer is 0 to 100 mm wide (0: by its depth)")
        require(isfinite(self.past) and 0 <= self.past <= 100, "the tip goes 0 to 100 mm past the bevel")
        require(self.entry in ENTRIES, "a chamfer is entered by a plunge or a ramp")
        require(isfinite(self.ramp_degrees) and 0.5 <= self.ramp_degrees <= 60, "a ramp is 0.5 to 60 degrees steep")

    @property
    def is_on_line(self) -> bool:
        return self.side is Side.ON

    @property
    def shares_edges(self) -> bool:
        """Whether parts may lie so near that one way of the bit serves the edges of both."""
        return False

    @property
    def manner(self) -> str:
        return f"chamfer {self.side}"

    @property
    def plunges(self) -> bool | None:
        return self.entry is Entry.PLUNGE

    def bevel(self, bit: Bit) -> Bevel:
        """Its measures with a V bit."""
        slope = tan(radians(bit.angle / 2))
        flat = bit.tip_flat / 2
        if self.is_on_line:
            deep = max(self.width - flat, 0.0) / slope if self.width else self.end_depth - self.start_depth
            return Bevel(flat + deep * slope, deep, deep, 0.0)
        deep = self.width / slope if self.width else self.end_depth - self.start_depth
        return Bevel(deep * slope, deep, deep + self.past, flat + self.past * slope)


class Bevel:
    """``width`` on the face and ``depth`` of a bevel, how deep the ``tip`` goes for it, and how far ``beside`` the outline its axis runs, mm.

    With t the tangent of the bit's half angle and rt the radius of its flat tip, the bit is rt + h t wide at height h above the tip. Its
    flank passes through the outline at the bevel's depth d and through the face w = d t away from it where the tip is at
    d + past, rt + past t beside the outline.
    """

    def __init__(self, width: float, depth: float, tip: float, beside: float) -> None:
        self.width, self.depth, self.tip, self.beside = width, depth, tip, beside


def _defaults(sheet: Sheet, shapes: list[Shape]) -> dict[str, Any]:
    is_open = bool(shapes) and not any(path.closed for shape in shapes for path in shape.paths)
    return {"side": Side.ON if is_open else Side.OUTSIDE, "width": min(1.0, round(sheet.thinnest / 4, 1))}


KIND = Kind(ChamferCut, "Chamfer", lambda cut: 2, frozenset({BitKind.VEE}), _defaults)
