"""The sheet, or areas of it, planed."""

from __future__ import annotations

from enum import StrEnum
from math import isfinite
from typing import Any, ClassVar, Self

import msgspec

from archimetra.job.cuts.base import MILLS, CutBase, Kind, Parting, half_depth
from archimetra.job.require import require
from archimetra.job.shapes import Shape
from archimetra.job.sheet import Sheet


class FacingPattern(StrEnum):
    RASTER = "raster"
    SPIRAL = "spiral"


class FacingCut(CutBase, frozen=True, kw_only=True, tag="facing"):
    """The whole sheet, or the areas of its shapes, planed. With a ``target`` thickness above 0 the depth follows from
    the thickest reading, half of it where it ``is_split`` between two faces; ``run_past`` is how far the bit's edge goes
    past what is faced. Later cuts count their depths from the new face."""

    pattern: FacingPattern = FacingPattern.RASTER
    raster_degrees: float = 0.0
    target: float = 0.0
    is_split: bool = False
    run_past: float = 3.0

    def __post_init__(self) -> None:
        CutBase.__post_init__(self)
        require(isfinite(self.raster_degrees), "an angle is a finite number")
        require(isfinite(self.target) and 0 <= self.target <= 500, "a target thickness is 0 to 500 mm")
        require(isfinite(self.run_past) and 0 <= self.run_past <= 100, "facing runs 0 to 100 mm past")

    def depth(self, sheet: Sheet) -> float:
        if self.target > 0:
            return max(sheet.thickest - self.target, 0.0) * (0.5 if self.is_split else 1.0)
        return self.end_depth

    lowers_face: ClassVar[bool] = True
    clears_area: ClassVar[bool] = True
    leaves_floor: ClassVar[bool] = False
    counts_on_opened: ClassVar[bool] = False
    parting: ClassVar[Parting] = Parting.NEVER

    @property
    def takes_whole_sheet(self) -> bool:
        return not self.shapes and not self.layer

    @property
    def reach(self) -> float | None:
        return None

    def turned_quarter(self) -> Self:
        return msgspec.structs.replace(self, raster_degrees=(self.raster_degrees + 90.0) % 180.0)


def _defaults(sheet: Sheet, shapes: list[Shape]) -> dict[str, Any]:
    return {"end_depth": min(0.5, half_depth(sheet))}


KIND = Kind(FacingCut, "Facing", lambda cut: 0, MILLS, _defaults)
