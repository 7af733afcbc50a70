"""What every cut has, and what others ask of a cut whatever its kind.

Depths are positive mm below the face the cut starts from: the sheet's top, or the floor that facing left. Nothing but a kind's own rows
asks which kind a cut is. What anybody else needs to know is a question here, with the answer that is right for most; a kind that
differs answers itself.
"""

from __future__ import annotations

from collections.abc import Callable
from enum import StrEnum
from math import isfinite
from typing import Any, ClassVar, Self

import msgspec

from archimetra.job.bits import Bit, BitKind, Recipe
from archimetra.job.cut_parts import DepthFrom, Direction, Mark, Mating, Overrides, Side, Tabs
from archimetra.job.ids import BitId, CutId, LayerId, ShapeId
from archimetra.job.materials import AnyMaterial
from archimetra.job.record import Record
from archimetra.job.require import require
from archimetra.job.shapes import Shape
from archimetra.job.sheet import Sheet

NAMES_NO_CUT = CutId("")


class Clears(StrEnum):
    """What a cut that shares the shapes of another clears of it."""

    REST = "rest"  # what a larger bit could not reach
    FLOOR = "floor"  # the flat floor of a V-carve


class Opening(StrEnum):
    """What a cut leaves open, so that a later one can be entered there."""

    HOLE = "hole"
    AREA = "area"
    GROOVE = "groove"


class Parting(StrEnum):
    """How the ground is found that a cut takes out of the sheet where it goes through."""

    NEVER = "never"  # it ends at the bottom at the latest
    SHAPES = "shapes"  # its shapes are the ground
    AREA = "area"  # all its bit gets to within its shapes
    PATH = "path"  # what lies under its path


class CutBase(Record, frozen=True, kw_only=True):
    """What every kind has. ``goes_through`` makes the end depth the thickest reading plus ``allowance``; else
    ``end_depth`` counts ``depth_from`` this face, the other or the middle of the sheet. ``layer`` ('' for
    none) is one whose shapes the cut takes, whatever they are. ``mating`` makes the cut half of an inlay."""

    id: CutId
    name: str
    bit: BitId
    shapes: tuple[ShapeId, ...] = ()
    layer: LayerId = LayerId("")
    start_depth: float = 0.0
    end_depth: float = 0.0
    goes_through: bool = False
    depth_from: DepthFrom = DepthFrom.FACE
    allowance: float = 0.2
    direction: Direction = Direction.CLIMB
    keeps_order: bool = False
    run: Overrides = Overrides()
    is_on: bool = True
    notes: str = ""
    begins_file: bool = False
    mating: Mating | None = None

    def __post_init__(self) -> None:
        require(isfinite(self.start_depth) and 0 <= self.start_depth <= 1000, "a start depth is 0 to 1000 mm")
        require(isfinite(self.end_depth) and 0 <= self.end_depth <= 1000, "an end depth is 0 to 1000 mm")
        require(isfinite(self.allowance) and 0 <= self.allowance <= 20, "a through cut goes 0 to 20 mm past the bottom")

    def depth(self, sheet: Sheet) -> float:
        """The end depth that results, mm."""
        if self.goes_through:
            return sheet.thickest + self.allowance
        match self.depth_from:
            case DepthFrom.OTHER:  # no thinner than asked for wherever the sheet is thinnest
                return max(sheet.thinnest - self.end_depth, 0.0)
            case DepthFrom.MIDDLE:
                return sheet.thickest / 2 + self.end_depth
        return self.end_depth

    @property
    def meets_other_face(self) -> bool:
        """Whether it is meant to come out in what is cut from the other side."""
        return self.goes_through or self.depth_from is DepthFrom.MIDDLE

    def is_through(self, sheet: Sheet) -> bool:
        return self.depth(sheet) >= sheet.thinnest

    def recipe(self, bit: Bit, material: AnyMaterial) -> Recipe:
        """The bit's recipe for the material with what this cut runs differently."""
        return self.run.over(bit.recipe_for(material))

    # ---- shapes and depths shared with another cut

    @property
    def clears(self) -> Clears | None:
        """What of its ``parent`` it clears; None for a cut with shapes and depths of its own."""
        return None

    @property
    def parent(self) -> CutId:
        """The cut whose shapes and depths it shares; empty for most."""
        return NAMES_NO_CUT

    def clearing(self, what: Clears | None, of: CutId) -> Self:
        """The cut as one that clears this of another, or (None) with shapes and depths of its own."""
        return self

    def with_parent(self, parent: CutId) -> Self:
        """The cut on another parent; on none where that is empty."""
        return self.clearing(self.clears, parent)

    leftover: ClassVar[Clears | None] = None  # what of this kind others can clear
    goes_first: ClassVar[bool] = True  # whether it runs before what clears its leftover

    # ---- the running order

    lowers_face: ClassVar[bool] = False  # later cuts count their depths from the floor it leaves

    @property
    def takes_whole_sheet(self) -> bool:
        """Whether it takes the sheet rather than shapes."""
        return False

    @property
    def loosens(self) -> Side | None:
        """The side of its closed outlines on which wood comes loose where it goes through."""
        return None

    def is_same_outline(self, other: CutBase) -> bool:
        """Whether this cut on the same shape as ``other``, which cuts it out, is no work inside that shape."""
        return False

    @property
    def opening(self) -> Opening | None:
        return None

    @property
    def enters_by(self) -> frozenset[Opening]:
        """The openings of earlier cuts it may be entered by."""
        return frozenset()

    enters_area: ClassVar[bool] = False  # it is entered anywhere in its area, not on its lines

    @property
    def manner(self) -> str:
        """Cuts of the same outlines, depth, bit and manner are the same work twice."""
        return type(self).__name__

    # ---- depths and load

    @property
    def limits_itself(self) -> bool:
        """Whether its planner ends it where it must, whatever depth is set."""
        return False

    leaves_floor: ClassVar[bool] = True  # what it leaves has a floor, unless it is told to go through
    tells_short_bit: ClassVar[bool] = False  # its planner tells where its bit is too short
    goes_down_at_once: ClassVar[bool] = False  # without passes
    counts_on_opened: ClassVar[bool] = True  # above its start depth the wood has to be gone

    @property
    def plunges(self) -> bool | None:
        """Whether its bit goes straight down into wood; None where only its plan says."""
        return False

    has_entries: ClassVar[bool] = False  # another way in can be chosen

    @property
    def last_pass(self) -> float:
        """What a last pass of full depth takes off the walls, mm; 0 for none."""
        return 0.0

    @property
    def is_last_pass_deep(self) -> bool:
        """Whether that pass goes down beside wood that nothing has thinned out."""
        return False

    @property
    def last_feed(self) -> float | None:
        """The feed of that pass where it has one of its own."""
        return None

    def with_last_feed(self, feed: float) -> Self:
        return self

    clears_area: ClassVar[bool] = False  # its passes link lines within an area in ways of their own

    @property
    def waits_s(self) -> float:
        """How long the bit stays at the bottom of each hole, s."""
        return 0.0

    # ---- where it may go

    @property
    def reach(self) -> float | None:
        """How much farther from its shapes than its bit asks for it may cut, mm; None where it is not bound to them."""
        return 0.0

    @property
    def may_leave_sheet(self) -> bool:
        return self.reach is None

    parting: ClassVar[Parting] = Parting.PATH

    @property
    def bridges(self) -> Tabs | None:
        """Tabs that hold what it cuts loose."""
        return None

    # ---- marks on outlines

    takes_marks: ClassVar[bool] = False  # starts and tabs can be set on its contours by hand

    def with_marks(self, change: Callable[[tuple[Any, ...]], tuple[Any, ...]]) -> Self:
        """The cut with each tuple of what it has set for single shapes or contours changed."""
        return self

    @property
    def start_marks(self) -> tuple[Mark, ...]:
        """Where its contours are to begin, as set by hand."""
        return ()

    @property
    def zone(self) -> LayerId:
        """The layer whose shapes its tabs keep out of; empty for none."""
        return LayerId("")

    def with_zone(self, layer: LayerId) -> Self:
        return self

    def turned_quarter(self) -> Self:
        """The cut on a board turned a quarter counter-clockwise."""
        return self


class Kind(msgspec.Struct, frozen=True, eq=False):
    """The row of a kind of cut in the core: its type, what it is called, its place among others where nothing forces one (0 first),
    the bits that can make it, and sound settings for a sheet
    and the shapes it is given."""

    type: type[Any]
    name: str
    rank: Callable[[Any], int]
    bits: frozenset[BitKind]
    defaults: Callable[[Sheet, list[Shape]], dict[str, Any]]


MILLS = frozenset({BitKind.STRAIGHT, BitKind.BALL, BitKind.VEE, BitKind.TAPERED_BALL, BitKind.SURFACING})


def half_depth(sheet: Sheet) -> float:
    """A depth that is sound on most sheets, mm."""
    return round(min(sheet.thinnest / 2, 6.0), 1)
