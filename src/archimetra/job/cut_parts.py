"""What the kinds of cut are made of: sides, entries, tabs, leads, marks, and what differs from a recipe."""

from __future__ import annotations

from enum import StrEnum
from math import isfinite

import msgspec

from archimetra.job.bits import Recipe
from archimetra.job.ids import InlayId, ShapeId
from archimetra.job.record import Record
from archimetra.job.require import require


class DepthFrom(StrEnum):
    """What an end depth counts from, on a sheet that is cut from both sides."""

    FACE = "this face"
    OTHER = "other face"  # so much is left standing above it
    MIDDLE = "middle"  # so far past the middle of the sheet


class Side(StrEnum):
    OUTSIDE = "outside"
    INSIDE = "inside"
    ON = "on the line"
    LEFT = "left"  # of the line's own direction; for open lines
    RIGHT = "right"


class Direction(StrEnum):
    CLIMB = "climb"
    CONVENTIONAL = "conventional"


class Entry(StrEnum):
    PLUNGE = "plunge"
    RAMP = "ramp"  # along the path
    SPIRAL = "spiral"  # round and round the contour without a level pass in between
    HELIX = "helix"  # in a circle where there is room
    HOLE = "hole"  # down a hole drilled before


class LeadKind(StrEnum):
    NONE = "none"
    LINE = "line"
    ARC = "arc"


class Pattern(StrEnum):
    OFFSET = "offset"  # loops beside the walls
    RASTER = "raster"  # straight lines to and fro


class Mark(Record, frozen=True):
    """A place on a shape's outline: on which of its contours, and how far ``along`` it as a share of its length. ``x, y`` is the same
    place in the shape's own coordinates when the mark was set; older files have only that (``contour`` -1)."""

    shape: ShapeId
    x: float
    y: float
    contour: int = -1
    along: float = 0.0


class Lead(Record, frozen=True, kw_only=True):
    """How the bit comes to a contour or leaves it, beside the kept wood: straight or on a quarter circle."""

    kind: LeadKind = LeadKind.NONE
    length: float = 4.0

    def __post_init__(self) -> None:
        require(isfinite(self.length) and 0.1 <= self.length <= 200, "a lead is 0.1 to 200 mm long")


class Tabs(Record, frozen=True, kw_only=True):
    """Bridges of wood that hold a part: how many per outline (or one every ``spacing`` mm), how long and thick the wood
    that stays is. ``by_hand`` marks replace the even spread on the contours they lie on; ``avoid`` names a layer whose
    shapes are areas to stay out of."""

    count: int = 0
    spacing: float = 0.0
    length: float = 8.0
    thickness: float = 3.0
    corner_distance: float = 6.0
    is_sloped: bool = False
    by_hand: tuple[Mark, ...] = ()
    avoid: str = ""

    def __post_init__(self) -> None:
        require(0 <= self.count <= 200, "a cut has 0 to 200 tabs an outline")
        require(isfinite(self.spacing) and (self.spacing == 0 or 5 <= self.spacing <= 10_000),
             "tabs stand 5 to 10000 mm apart (0: by count)")  # fmt: skip
        require(isfinite(self.length) and 0.5 <= self.length <= 500, "a tab is 0.5 to 500 mm long")
        require(isfinite(self.thickness) and 0.1 <= self.thickness <= 200, "a tab is 0.1 to 200 mm thick")
        require(
            isfinite(self.corner_distance) and 0 <= self.corner_distance <= 500, "tabs keep 0 to 500 mm off corners"
        )
        require(len(self.by_hand) <= 2000, "a cut has at most 2000 tabs set by hand")

    @property
    def is_wanted(self) -> bool:
        return self.count > 0 or self.spacing > 0 or bool(self.by_hand)

    def wanted_on(self, length: float) -> int:
        """How many an outline of this length is to have."""
        return max(2, round(length / self.spacing)) if self.spacing else self.count


class ShapeTabs(Record, frozen=True):
    """Another number of tabs for the outlines of one shape."""

    shape: ShapeId
    count: int

    def __post_init__(self) -> None:
        require(0 <= self.count <= 200, "a shape has 0 to 200 tabs an outline")


class HoleStep(Record, frozen=True):
    """A wider part at the top of a hole: its diameter, and how deep it goes."""

    diameter: float
    depth: float

    def __post_init__(self) -> None:
        require(isfinite(self.diameter) and 0.2 <= self.diameter <= 1000, "a counterbore is 0.2 to 1000 mm wide")
        require(isfinite(self.depth) and 0.05 <= self.depth <= 500, "a counterbore is 0.05 to 500 mm deep")


class Half(StrEnum):
    """Which half of an inlay a cut makes."""

    POCKET = "pocket"
    PLUG = "plug"


class Mating(Record, frozen=True, kw_only=True):
    """What a cut knows of the inlay it is half of, worked out from both halves (``inlaying.derive_inlays``). With V bits
    ``round_mm`` is the radius to which the art's corners are rounded on both halves so that a tip flat reaches them. With straight
    bits the outline is adjusted so that both ``pocket_radius`` and ``insert_radius`` can follow it, ``clearance`` apart."""

    inlay: InlayId
    half: Half
    is_vee: bool = True
    round_mm: float = 0.0
    pocket_radius: float = 0.0
    insert_radius: float = 0.0
    clearance: float = 0.0


class Overrides(Record, frozen=True, kw_only=True, omit_defaults=True):
    """What this cut runs differently from its bit's recipe; None follows the recipe."""

    spindle_rpm: float | None = None
    feed: float | None = None
    plunge: float | None = None
    depth_per_pass: float | None = None
    stepover: float | None = None

    def over(self, recipe: Recipe) -> Recipe:
        mine = {name: getattr(self, name) for name in self.__struct_fields__ if getattr(self, name) is not None}
        return msgspec.structs.replace(recipe, **mine)

    @property
    def is_any(self) -> bool:
        return any(getattr(self, name) is not None for name in self.__struct_fields__)

    def __post_init__(self) -> None:
        self.over(Recipe())  # the recipe's own limits hold
