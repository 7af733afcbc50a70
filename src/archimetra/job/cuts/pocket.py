"""Areas cleared to a depth, the rest a larger bit left, and the floors of V-carves."""

from __future__ import annotations

from math import isfinite
from typing import Any, ClassVar, Self

import msgspec

from archimetra.job.cut_parts import Entry, Pattern
from archimetra.job.cuts.base import MILLS, Clears, CutBase, Kind, Opening, Parting, half_depth
from archimetra.job.ids import CutId
from archimetra.job.require import require
from archimetra.job.shapes import Shape
from archimetra.job.sheet import Sheet

replace = msgspec.structs.replace
ENTRIES = (Entry.PLUNGE, Entry.RAMP, Entry.HELIX, Entry.HOLE)


class PocketCut(CutBase, frozen=True, kw_only=True, tag="pocket"):
    """Areas cleared to a depth. ``wall_allowance`` is left on the walls and taken off in one last pass of full depth,
    ``floor_allowance`` likewise on the floor. ``rest_of`` names a pocket with a larger bit whose areas and depths this cut
    shares: it clears only what that one could not reach. ``scallop`` above 0 sets the stepover of a ball bit by the height of
    the ridges it leaves; ``floor_only`` visits the end depth alone; ``open_edges`` runs past a part's or the sheet's edge.
    ``floor_of`` names a V-carve whose flat floor this cut clears: it shares its shapes and depth and keeps clear of its walls."""

    pattern: Pattern = Pattern.OFFSET
    raster_degrees: float = 0.0
    wall_allowance: float = 0.0
    floor_allowance: float = 0.0
    finish_feed: float | None = None
    entry: Entry = Entry.HELIX
    ramp_degrees: float = 4.0
    rest_of: CutId = CutId("")
    floor_of: CutId = CutId("")
    scallop: float = 0.0
    floor_only: bool = False
    open_edges: bool = False

    def __post_init__(self) -> None:
        CutBase.__post_init__(self)
        require(self.entry in ENTRIES, "a pocket is entered by a helix, a ramp, a plunge or a drilled hole")
        require(isfinite(self.raster_degrees), "an angle is a finite number")
        require(isfinite(self.wall_allowance) and 0 <= self.wall_allowance <= 20, "a wall allowance is 0 to 20 mm")
        require(isfinite(self.floor_allowance) and 0 <= self.floor_allowance <= 20, "a floor allowance is 0 to 20 mm")
        require(self.finish_feed is None or 1 <= self.finish_feed <= 50_000, "a feed is 1 to 50000 mm/min")
        require(isfinite(self.ramp_degrees) and 0.5 <= self.ramp_degrees <= 60, "a ramp is 0.5 to 60 degrees steep")
        require(isfinite(self.scallop) and 0 <= self.scallop <= 5, "a scallop is 0 to 5 mm high")

    leftover: ClassVar[Clears | None] = Clears.REST
    enters_area: ClassVar[bool] = True
    clears_area: ClassVar[bool] = True
    has_entries: ClassVar[bool] = True
    parting: ClassVar[Parting] = Parting.AREA

    @property
    def clears(self) -> Clears | None:
        return Clears.REST if self.rest_of else Clears.FLOOR if self.floor_of else None

    @property
    def parent(self) -> CutId:
        return self.rest_of or self.floor_of

    def clearing(self, what: Clears | None, of: CutId) -> Self:
        none = CutId("")
        return replace(self, rest_of=of if what is Clears.REST else none, floor_of=of if what is Clears.FLOOR else none)

    @property
    def opening(self) -> Opening | None:
        return Opening.AREA

    @property
    def enters_by(self) -> frozenset[Opening]:
        return frozenset({Opening.HOLE}) if self.entry is Entry.HOLE else frozenset()

    @property
    def plunges(self) -> bool | None:
        return self.entry is Entry.PLUNGE

    @property
    def last_pass(self) -> float:
        return self.wall_allowance

    @property
    def last_feed(self) -> float | None:
        return self.finish_feed

    def with_last_feed(self, feed: float) -> Self:
        return replace(self, finish_feed=feed)

    @property
    def may_leave_sheet(self) -> bool:
        return self.open_edges

    def turned_quarter(self) -> Self:
        return replace(self, raster_degrees=(self.raster_degrees + 90.0) % 180.0)


def _defaults(sheet: Sheet, shapes: list[Shape]) -> dict[str, Any]:
    return {"end_depth": half_depth(sheet)}


KIND = Kind(PocketCut, "Pocket", lambda cut: 1, MILLS, _defaults)
