"""Round holes: drilled, pecked or bored."""

from __future__ import annotations

from enum import StrEnum
from math import isfinite
from typing import Any, ClassVar

from archimetra.job.bits import BitKind
from archimetra.job.cut_parts import HoleStep
from archimetra.job.cuts.base import MILLS, CutBase, Kind, Opening, Parting
from archimetra.job.require import require
from archimetra.job.shapes import Shape
from archimetra.job.sheet import Sheet


class HoleMethod(StrEnum):
    FITTING = "fitting"  # a hole of the bit's own size is drilled, a wider one bored
    DRILL = "drill"  # straight down in one go
    PECK = "peck"  # straight down in steps, out of the hole after each
    BORE = "bore"  # round and down in a helix


class HoleCut(CutBase, frozen=True, kw_only=True, tag="hole"):
    """Round holes. ``diameters`` are the sizes taken among the circles of the shapes, all where empty. ``steps`` widen a
    hole at its top. ``to_shoulder``: the depth counts to where a pointed drill is full width."""

    method: HoleMethod = HoleMethod.FITTING
    diameters: tuple[float, ...] = ()
    peck: float = 3.0
    dwell_s: float = 0.0
    steps: tuple[HoleStep, ...] = ()
    to_shoulder: bool = True

    def __post_init__(self) -> None:
        CutBase.__post_init__(self)
        require(isfinite(self.peck) and 0.1 <= self.peck <= 200, "a peck is 0.1 to 200 mm deep")
        require(isfinite(self.dwell_s) and 0 <= self.dwell_s <= 60, "a dwell is 0 to 60 s long")
        require(all(isfinite(d) and d > 0 for d in self.diameters), "a hole's diameter is above zero")
        require(len(self.steps) <= 8, "a hole has at most 8 steps")

    leaves_floor: ClassVar[bool] = False
    goes_down_at_once: ClassVar[bool] = True
    parting: ClassVar[Parting] = Parting.SHAPES

    @property
    def opening(self) -> Opening | None:
        return Opening.HOLE

    @property
    def plunges(self) -> bool | None:
        return None  # round and down is no plunge, straight down is

    @property
    def waits_s(self) -> float:
        return self.dwell_s


def _defaults(sheet: Sheet, shapes: list[Shape]) -> dict[str, Any]:
    return {"goes_through": True, "allowance": 0.5}


KIND = Kind(HoleCut, "Holes", lambda cut: 3, MILLS | {BitKind.DRILL}, _defaults)
