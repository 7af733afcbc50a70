"""The kinds of cut. Each kind is one frozen type here, one planner in ``toolpath`` and one editor in ``app``."""

from __future__ import annotations

from enum import StrEnum
from math import isfinite

import msgspec

from archimetra.job.bits import Bit, Recipe
from archimetra.job.ids import BitId, CutId, LayerId, ShapeId
from archimetra.job.sheet import Sheet, need


class Side(StrEnum):
    OUTSIDE = "outside"
    INSIDE = "inside"
    ON = "on the line"


class Direction(StrEnum):
    CLIMB = "climb"
    CONVENTIONAL = "conventional"


class Entry(StrEnum):
    PLUNGE = "plunge"
    RAMP = "ramp"


class Tabs(msgspec.Struct, frozen=True, kw_only=True):
    """Bridges of wood that hold a part: how many per outline, how long and thick the wood that stays is."""

    count: int = 0
    length: float = 8.0
    thickness: float = 3.0
    corner_distance: float = 6.0

    def __post_init__(self) -> None:
        need(0 <= self.count <= 200, "a cut has 0 to 200 tabs an outline")
        need(isfinite(self.length) and 0.5 <= self.length <= 500, "a tab is 0.5 to 500 mm long")
        need(isfinite(self.thickness) and 0.1 <= self.thickness <= 200, "a tab is 0.1 to 200 mm thick")
        need(isfinite(self.corner_distance) and 0 <= self.corner_distance <= 500, "tabs keep 0 to 500 mm off corners")


class Overrides(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """What this cut runs differently from its bit's recipe; None follows the bit."""

    spindle_rpm: float | None = None
    feed: float | None = None
    plunge: float | None = None
    depth_per_pass: float | None = None

    def over(self, recipe: Recipe) -> Recipe:
        mine = {name: getattr(self, name) for name in self.__struct_fields__ if getattr(self, name) is not None}
        return msgspec.structs.replace(recipe, **mine)

    def __post_init__(self) -> None:
        self.over(Recipe())  # the recipe's own limits hold


class ProfileCut(msgspec.Struct, frozen=True, kw_only=True, tag="profile"):
    """Along outlines. Depths are positive mm below the sheet's top; ``goes_through`` makes the end depth the
    thickest reading plus ``allowance``. ``layer`` ('' for none) is one whose shapes the cut takes, whatever they are."""

    id: CutId
    name: str
    bit: BitId
    shapes: tuple[ShapeId, ...] = ()
    layer: LayerId = LayerId("")
    side: Side = Side.OUTSIDE
    start_depth: float = 0.0
    end_depth: float = 0.0
    goes_through: bool = False
    allowance: float = 0.2
    direction: Direction = Direction.CLIMB
    entry: Entry = Entry.RAMP
    ramp_degrees: float = 8.0
    tabs: Tabs = Tabs()
    run: Overrides = Overrides()
    is_on: bool = True
    notes: str = ""

    def __post_init__(self) -> None:
        need(isfinite(self.start_depth) and 0 <= self.start_depth <= 1000, "a start depth is 0 to 1000 mm")
        need(isfinite(self.end_depth) and 0 <= self.end_depth <= 1000, "an end depth is 0 to 1000 mm")
        need(isfinite(self.allowance) and 0 <= self.allowance <= 20, "a through cut goes 0 to 20 mm past the bottom")
        need(isfinite(self.ramp_degrees) and 0.5 <= self.ramp_degrees <= 60, "a ramp is 0.5 to 60 degrees steep")

    def depth(self, sheet: Sheet) -> float:
        """The end depth below the sheet's top that results, mm."""
        return sheet.thickest + self.allowance if self.goes_through else self.end_depth

    def is_through(self, sheet: Sheet) -> bool:
        return self.depth(sheet) >= sheet.thinnest

    def recipe(self, bit: Bit) -> Recipe:
        return self.run.over(bit.recipe)


Cut = ProfileCut  # a tagged union as soon as there is a second kind
