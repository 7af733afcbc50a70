"""The kinds of cut. Each is one frozen type here, one planner in ``toolpath`` and one editor in ``app``.

Depths are positive mm below the face the cut starts from: the sheet's top, or the floor that facing left.
"""

from __future__ import annotations

from enum import StrEnum
from math import isfinite

from archimetra.job.bits import Bit, Recipe
from archimetra.job.cut_parts import (
    Direction,
    Entry,
    HoleStep,
    Lead,
    Mark,
    Mating,
    Overrides,
    Pattern,
    ShapeTabs,
    Side,
    Tabs,
)
from archimetra.job.ids import BitId, CutId, LayerId, ShapeId
from archimetra.job.need import need
from archimetra.job.record import Record
from archimetra.job.sheet import Material, Sheet


class CutBase(Record, frozen=True, kw_only=True):
    """What every kind has. ``goes_through`` makes the end depth the thickest reading plus ``allowance``. ``layer`` ('' for
    none) is one whose shapes the cut takes, whatever they are. ``mating`` makes the cut half of an inlay."""

    id: CutId
    name: str
    bit: BitId
    shapes: tuple[ShapeId, ...] = ()
    layer: LayerId = LayerId("")
    start_depth: float = 0.0
    end_depth: float = 0.0
    goes_through: bool = False
    allowance: float = 0.2
    direction: Direction = Direction.CLIMB
    keeps_order: bool = False
    run: Overrides = Overrides()
    is_on: bool = True
    notes: str = ""
    mating: Mating | None = None

    def __post_init__(self) -> None:
        need(isfinite(self.start_depth) and 0 <= self.start_depth <= 1000, "a start depth is 0 to 1000 mm")
        need(isfinite(self.end_depth) and 0 <= self.end_depth <= 1000, "an end depth is 0 to 1000 mm")
        need(isfinite(self.allowance) and 0 <= self.allowance <= 20, "a through cut goes 0 to 20 mm past the bottom")

    def depth(self, sheet: Sheet) -> float:
        """The end depth that results, mm."""
        return sheet.thickest + self.allowance if self.goes_through else self.end_depth

    def is_through(self, sheet: Sheet) -> bool:
        return self.depth(sheet) >= sheet.thinnest

    def recipe(self, bit: Bit, material: Material) -> Recipe:
        """The bit's recipe for the material with what this cut runs differently."""
        return self.run.over(bit.recipe_for(material))


class ProfileCut(CutBase, frozen=True, kw_only=True, tag="profile"):
    """Along outlines, outside, inside or on them, and beside open lines. ``finish`` is left by the first passes and
    taken off in one last pass of full depth; ``skin`` is wood left at the bottom instead of tabs; ``overcut`` drives the
    bit into inner corners so that a square part fits; ``starts`` and ``turned`` are marks of contours begun there or
    walked the other way."""

    side: Side = Side.OUTSIDE
    entry: Entry = Entry.RAMP
    ramp_degrees: float = 8.0
    ramp_length: float = 0.0
    finish: float = 0.0
    finish_feed: float | None = None
    lead_in: Lead = Lead()
    lead_out: Lead = Lead()
    overlap: float = 0.0
    skin: float = 0.0
    overcut: bool = False
    tabs: Tabs = Tabs()
    tabs_of: tuple[ShapeTabs, ...] = ()
    starts: tuple[Mark, ...] = ()
    turned: tuple[Mark, ...] = ()
    shares_edges: bool = False

    def __post_init__(self) -> None:
        CutBase.__post_init__(self)
        need(self.entry in PROFILE_ENTRIES, "a profile is entered by a plunge, a ramp or a spiral")
        need(isfinite(self.ramp_degrees) and 0.5 <= self.ramp_degrees <= 60, "a ramp is 0.5 to 60 degrees steep")
        need(isfinite(self.ramp_length) and 0 <= self.ramp_length <= 10_000, "a ramp is 0 to 10000 mm long")
        need(isfinite(self.finish) and 0 <= self.finish <= 20, "a finishing allowance is 0 to 20 mm")
        need(self.finish_feed is None or 1 <= self.finish_feed <= 50_000, "a feed is 1 to 50000 mm/min")
        need(isfinite(self.overlap) and 0 <= self.overlap <= 500, "an overlap is 0 to 500 mm long")
        need(isfinite(self.skin) and 0 <= self.skin <= 50, "a skin is 0 to 50 mm thick")

    def depth(self, sheet: Sheet) -> float:
        """The end depth; a skin ends a through cut above the thinnest reading's bottom."""
        if self.goes_through and self.skin > 0:
            return max(sheet.thinnest - self.skin, 0.0)
        return CutBase.depth(self, sheet)


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
        need(self.entry in POCKET_ENTRIES, "a pocket is entered by a helix, a ramp, a plunge or a drilled hole")
        need(isfinite(self.raster_degrees), "an angle is a finite number")
        need(isfinite(self.wall_allowance) and 0 <= self.wall_allowance <= 20, "a wall allowance is 0 to 20 mm")
        need(isfinite(self.floor_allowance) and 0 <= self.floor_allowance <= 20, "a floor allowance is 0 to 20 mm")
        need(self.finish_feed is None or 1 <= self.finish_feed <= 50_000, "a feed is 1 to 50000 mm/min")
        need(isfinite(self.ramp_degrees) and 0.5 <= self.ramp_degrees <= 60, "a ramp is 0.5 to 60 degrees steep")
        need(isfinite(self.scallop) and 0 <= self.scallop <= 5, "a scallop is 0 to 5 mm high")


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
        need(isfinite(self.peck) and 0.1 <= self.peck <= 200, "a peck is 0.1 to 200 mm deep")
        need(isfinite(self.dwell_s) and 0 <= self.dwell_s <= 60, "a dwell is 0 to 60 s long")
        need(all(isfinite(d) and d > 0 for d in self.diameters), "a hole's diameter is above zero")
        need(len(self.steps) <= 8, "a hole has at most 8 steps")


class EngraveCut(CutBase, frozen=True, kw_only=True, tag="engrave"):
    """Along the lines themselves, at a depth."""

    entry: Entry = Entry.PLUNGE
    ramp_degrees: float = 8.0

    def __post_init__(self) -> None:
        CutBase.__post_init__(self)
        need(self.entry in (Entry.PLUNGE, Entry.RAMP), "engraving is entered by a plunge or a ramp")
        need(isfinite(self.ramp_degrees) and 0.5 <= self.ramp_degrees <= 60, "a ramp is 0.5 to 60 degrees steep")


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
        need(not self.goes_through, "a V-carve has a depth limit; it does not go through")
        need(isfinite(self.cusp) and 0.005 <= self.cusp <= 2, "cusps are 0.005 to 2 mm high")
        need(isfinite(self.line_width) and 0 <= self.line_width <= 100, "a line is carved 0 to 100 mm wide")
        need(isfinite(self.sink) and 0 <= self.sink <= 500, "a plug's outline lies 0 to 500 mm below its top")
        need(isfinite(self.least_standing) and 0 <= self.least_standing <= 20, "thin features are marked up to 20 mm")

    @property
    def has_limit(self) -> bool:
        return self.end_depth > 0

    def depth(self, sheet: Sheet) -> float:
        """The depth limit; without one the thinnest reading, which nothing may pass."""
        return self.end_depth if self.has_limit else sheet.thinnest


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
        need(isfinite(self.raster_degrees), "an angle is a finite number")
        need(isfinite(self.target) and 0 <= self.target <= 500, "a target thickness is 0 to 500 mm")
        need(isfinite(self.run_past) and 0 <= self.run_past <= 100, "facing runs 0 to 100 mm past")

    def depth(self, sheet: Sheet) -> float:
        if self.target > 0:
            return max(sheet.thickest - self.target, 0.0) * (0.5 if self.is_split else 1.0)
        return self.end_depth

    @property
    def is_whole_sheet(self) -> bool:
        return not self.shapes and not self.layer


class SlotCut(CutBase, frozen=True, kw_only=True, tag="slot"):
    """Undercut slots along lines, in one pass at full depth: in where it is open, out where it is open."""


PROFILE_ENTRIES = (Entry.PLUNGE, Entry.RAMP, Entry.SPIRAL)
POCKET_ENTRIES = (Entry.PLUNGE, Entry.RAMP, Entry.HELIX, Entry.HOLE)

Cut = ProfileCut | PocketCut | HoleCut | EngraveCut | FacingCut | SlotCut | CarveCut
