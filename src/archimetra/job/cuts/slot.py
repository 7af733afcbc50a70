"""Undercut slots."""

from __future__ import annotations

from typing import Any, ClassVar

from archimetra.job.bits import UNDERCUTS
from archimetra.job.cuts.base import MILLS, CutBase, Kind, Opening
from archimetra.job.shapes import Shape
from archimetra.job.sheet import Sheet


class SlotCut(CutBase, frozen=True, kw_only=True, tag="slot"):
    """Undercut slots along lines, in one pass at full depth: in where it is open, out where it is open."""

    goes_down_at_once: ClassVar[bool] = True
    counts_on_opened: ClassVar[bool] = False

    @property
    def enters_by(self) -> frozenset[Opening]:
        return frozenset(Opening)

    @property
    def reach(self) -> float | None:
        return None


def _defaults(sheet: Sheet, shapes: list[Shape]) -> dict[str, Any]:
    return {"end_depth": round(min(10.0, sheet.thinnest * 0.6), 1)}


KIND = Kind(SlotCut, "Undercut slot", lambda cut: 4, MILLS.union(UNDERCUTS), _defaults)
