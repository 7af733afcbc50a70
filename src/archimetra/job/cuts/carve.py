"""V-carving."""

from __future__ import annotations

from math import isfinite
from typing import Any, ClassVar

from archimetra.job.cuts.base import MILLS, Clears, CutBase, Kind, Parting
from archimetra.job.require import require
from archimetra.job.shapes import Shape
from archimetra.job.sheet import Sheet


class CarveCut(CutBase, frozen=True, kw_only=True, tag="carve"):
    """V-carve: as deep at every place as the stroke there is wide. ``end_depth`` is the depth limit at which a flat floor
    begins; 0 lets the strokes go as deep as the bit and the sheet allow. ``cusp`` is how high ridges may stay on a floor the carving bit clears
    itself. Open lines become grooves ``line_width`` wide (0: they are left out, and told). ``sink`` lowers the whole path: the
    outline then lies that far below the start (the plug of an inlay). With ``least_standing`` above 0 what is left standing within the area and is
    thinner than that is marked (stamps and plugs)."""

    cusp: float = 0.05
    line_width: float = 0.0
    sink: float = 0.0
    least_standing: float = 0.0

    def __post_init__(self) -> None:
        CutBase.__post_init__(self)
        require(not self.goes_through, "a V-carve has a depth limit; it does not go through")
        require(isfinite(self.cusp) and 0.005 <= self.cusp <= 2, "cusps are 0.005 to 2 mm high")
        require(isfinite(self.line_width) and 0 <= self.line_width <= 100, "a line is carved 0 to 100 mm wide")
        require(isfinite(self.sink) and 0 <= self.sink <= 500, "a plug's outline lies 0 to 500 mm below its top")
        require(
            isfinite(self.least_standing) and 0 <= self.least_standing <= 20, "thin features are marked up to 20 mm"
        )

    @property
    def has_limit(self) -> bool:
        return self.end_depth > 0

    def depth(self, sheet: Sheet) -> float:
        """The depth limit; without one the thinnest reading, which nothing may pass."""
        return self.end_depth if self.has_limit else sheet.thinnest

    leftover: ClassVar[Clears | None] = Clears.FLOOR
    goes_first: ClassVar[bool] = False
    tells_short_bit: ClassVar[bool] = True  # its cone sets the limit
    parting: ClassVar[Parting] = Parting.NEVER

    @property
    def limits_itself(self) -> bool:
        return self.mating is not None or not self.has_limit  # an inlay's halves have a check of their own

    @property
    def plunges(self) -> bool | None:
        return True


def _defaults(sheet: Sheet, shapes: list[Shape]) -> dict[str, Any]:
    return {"end_depth": 0.0}


KIND = Kind(CarveCut, "V-carve", lambda cut: 2, MILLS, _defaults)
