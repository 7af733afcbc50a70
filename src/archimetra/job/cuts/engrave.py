"""Along the lines themselves."""

from __future__ import annotations

from math import isfinite
from typing import Any, ClassVar

from archimetra.job.cut_parts import Entry
from archimetra.job.cuts.base import MILLS, CutBase, Kind, Opening, half_depth
from archimetra.job.require import require
from archimetra.job.shapes import Shape
from archimetra.job.sheet import Sheet


class EngraveCut(CutBase, frozen=True, kw_only=True, tag="engrave"):
    """Along the lines themselves, at a depth."""

    entry: Entry = Entry.PLUNGE
    ramp_degrees: float = 8.0

    def __post_init__(self) -> None:
        CutBase.__post_init__(self)
        require(self.entry in (Entry.PLUNGE, Entry.RAMP), "engraving is entered by a plunge or a ramp")
        require(isfinite(self.ramp_degrees) and 0.5 <= self.ramp_degrees <= 60, "a ramp is 0.5 to 60 degrees steep")

    has_entries: ClassVar[bool] = True

    @property
    def opening(self) -> Opening | None:
        return Opening.GROOVE

    @property
    def plunges(self) -> bool | None:
        return self.entry is Entry.PLUNGE


def _defaults(sheet: Sheet, shapes: list[Shape]) -> dict[str, Any]:
    return {"end_depth": min(1.0, half_depth(sheet))}


KIND = Kind(EngraveCut, "Engraving", lambda cut: 2, MILLS, _defaults)
