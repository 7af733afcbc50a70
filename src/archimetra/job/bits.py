"""Bits and what to run them at."""

from __future__ import annotations

from enum import StrEnum
from math import asin, cos, isfinite, radians, sin, sqrt, tan

from archimetra.job.ids import BitId
from archimetra.job.materials import AnyMaterial
from archimetra.job.record import Record
from archimetra.job.require import require


class BitKind(StrEnum):
    STRAIGHT = "straight"
    BALL = "ball"
    VEE = "v"
    TAPERED_BALL = "tapered ball"
    DRILL = "drill"
    SURFACING = "surfacing"
    DOVETAIL = "dovetail"
    KEYHOLE = "keyhole"
    TEE_SLOT = "t-slot"


UNDERCUTS = (BitKind.DOVETAIL, BitKind.KEYHOLE, BitKind.TEE_SLOT)
CARVING_KINDS = (BitKind.VEE, BitKind.TAPERED_BALL, BitKind.BALL)
FLAT_BOTTOMED = (BitKind.STRAIGHT, BitKind.SURFACING, *UNDERCUTS)


class Flutes(StrEnum):
    """How a straight bit's edges are twisted: which way they throw the chips and lift the fibres."""

    STRAIGHT = "straight"
    UP = "up-cut"
    DOWN = "down-cut"
    COMPRESSION = "compression"


class Spin(StrEnum):
    CLOCKWISE = "clockwise"  # seen from above; M3
    COUNTERCLOCKWISE = "counterclockwise"


class Recipe(Record, frozen=True, kw_only=True):
    """Speed in rpm, feeds in mm/min, depth in mm, stepover as a share of the bit's diameter."""

    spindle_rpm: float = 16000.0
    feed: float = 1800.0
    plunge: float = 600.0
    depth_per_pass: float = 3.0
    stepover: float = 0.4

    def __post_init__(self) -> None:
        require(
            isfinite(self.spindle_rpm) and 100 <= self.spindle_rpm <= 100_000, "a spindle turns at 100 to 100000 rpm"
        )
        require(isfinite(self.feed) and 1 <= self.feed <= 50_000, "a feed is 1 to 50000 mm/min")
        require(isfinite(self.plunge) and 1 <= self.plunge <= 50_000, "a plunge feed is 1 to 50000 mm/min")
        require(
            isfinite(self.depth_per_pass) and 0.01 <= self.depth_per_pass <= 200, "depth per pass is 0.01 to 200 mm"
        )
        require(isfinite(self.stepover) and 0.01 <= self.stepover <= 0.95, "a stepover is 1 to 95 % of the diameter")


class MaterialRecipe(Record, frozen=True, kw_only=True):
    """A bit's recipe for the material of that name, with what was noted and what came out."""

    material: str
    recipe: Recipe
    notes: str = ""
    result: str = ""


class Bit(Record, frozen=True, kw_only=True):
    """One bit. ``place`` counts from 0 and gives its letter and hue. Sizes in mm. ``angle`` is the full angle of a V bit, of
    the taper of a tapered ball, of a drill's point or of a dovetail's flanks; ``tip_flat`` the diameter of a V bit's flat,
    ``tip_ball`` of a tapered ball's tip. Undercut bits are ``diameter`` wide over ``head_height`` and have a ``neck``.
    ``holder`` is the number in the machine's holder (0: its place). ``recipe`` serves where ``recipes`` has none for a material;
    ``rack_id`` names the rack's bit this one is a copy of."""

    id: BitId
    name: str
    kind: BitKind = BitKind.STRAIGHT
    diameter: float
    cutting_length: float = 22.0
    shank: float = 6.0
    flutes: int = 2
    twist: Flutes = Flutes.STRAIGHT
    angle: float = 60.0
    tip_flat: float = 0.0
    tip_ball: float = 0.5
    neck: float = 4.0
    head_height: float = 4.0
    can_plunge: bool = True
    spin: Spin = Spin.CLOCKWISE
    holder: int = 0
    place: int = 0
    recipe: Recipe = Recipe()
    recipes: tuple[MaterialRecipe, ...] = ()
    rack_id: str = ""
    notes: str = ""

    def __post_init__(self) -> None:
        require(isfinite(self.diameter) and 0.05 <= self.diameter <= 200, "a bit is 0.05 to 200 mm wide")
        require(isfinite(self.cutting_length) and 0.1 <= self.cutting_length <= 300, "a bit cuts along 0.1 to 300 mm")
        require(isfinite(self.shank) and 0.5 <= self.shank <= 50, "a shank is 0.5 to 50 mm thick")
        require(1 <= self.flutes <= 12, "a bit has 1 to 12 flutes")
        require(isfinite(self.angle) and 1 <= self.angle <= 179, "a bit's angle is 1 to 179 degrees")
        require(isfinite(self.tip_flat) and 0 <= self.tip_flat < self.diameter, "a tip flat is narrower than its bit")
        require(isfinite(self.tip_ball) and self.tip_ball >= 0.05, "a ball tip is at least 0.05 mm wide")
        require(isfinite(self.neck) and isfinite(self.head_height), "a neck and a head are finite")
        if self.kind is BitKind.TAPERED_BALL:
            require(self.tip_ball < self.diameter, "a ball tip is narrower than its bit")
        if self.kind in UNDERCUTS:
            require(0.2 <= self.neck < self.diameter, "an undercut bit's neck is narrower than its head")
            require(0.2 <= self.head_height <= self.cutting_length, "a head is no higher than the bit cuts")
        require(0 <= self.place <= 99, "a rack has places 0 to 99")
        require(0 <= self.holder <= 999, "a holder has places 0 to 999")

    @property
    def letter(self) -> str:
        return chr(ord("A") + self.place % 26)

    @property
    def radius(self) -> float:
        return self.diameter / 2

    @property
    def number(self) -> int:
        """The number a bit change calls it by."""
        return self.holder or self.place + 1

    def entry_for(self, material: AnyMaterial) -> MaterialRecipe | None:
        """What it has for this very material."""
        return next((entry for entry in self.recipes if entry.material == material.value), None)

    def recipe_for(self, material: AnyMaterial) -> Recipe:
        """For this material, or for the standard one it is like, or in general."""
        found = self.entry_for(material) or self.entry_for(material.like)
        return self.recipe if found is None else found.recipe

    def chip_load(self, recipe: Recipe) -> float:
        """Thickness of wood each edge takes per turn, mm: feed / (speed x flutes)."""
        return recipe.feed / (recipe.spindle_rpm * self.flutes)

    @property
    def point_length(self) -> float:
        """How far a pointed drill's tip is below where it is full width, mm; 0 for other kinds."""
        return self.radius / tan(radians(self.angle / 2)) if self.kind is BitKind.DRILL else 0.0

    @property
    def ball_meets_taper(self) -> tuple[float, float]:
        """Where a tapered ball's tip goes over into its taper: (radius, height above the tip). The tip is tangent to the
        taper, so its normal there is square to the flank: radius r cos a, height r (1 - sin a), a half the taper."""
        r, a = self.tip_ball / 2, radians(self.angle / 2)
        return r * cos(a), r * (1 - sin(a))

    def rise_at(self, radius: float) -> float:
        """How much higher than its tip the bit's edge is at a distance from its axis (within its radius)."""
        if self.kind is BitKind.BALL:
            return self.radius - float((self.radius**2 - min(radius, self.radius) ** 2) ** 0.5)
        if self.kind is BitKind.VEE:
            return max(radius - self.tip_flat / 2, 0.0) / tan(radians(self.angle / 2))
        if self.kind is BitKind.DRILL:
            return radius / tan(radians(self.angle / 2))
        if self.kind is BitKind.TAPERED_BALL:
            joint, height = self.ball_meets_taper
            r = self.tip_ball / 2
            if radius <= joint:
                return r - sqrt(max(r * r - radius * radius, 0.0))
            return height + (radius - joint) / tan(radians(self.angle / 2))
        return 0.0

    def width_at(self, depth: float) -> float:
        """How wide the bit cuts at the surface when its tip is ``depth`` below it, mm."""
        if depth <= 0:
            return 0.0
        t = tan(radians(self.angle / 2))
        match self.kind:
            case BitKind.VEE:
                wide = self.tip_flat + 2 * depth * t
            case BitKind.DRILL:
                wide = 2 * depth * t
            case BitKind.BALL:
                wide = 2 * sqrt(max(2 * self.radius * depth - depth * depth, 0.0)) if depth < self.radius else 1e9
            case BitKind.TAPERED_BALL:
                joint, height = self.ball_meets_taper
                r = self.tip_ball / 2
                wide = 2 * (joint + (depth - height) * t) if depth > height else 2 * r * sin(_arc(depth, r))
            case _:
                wide = self.diameter
        return min(wide, self.diameter)


def _arc(depth: float, r: float) -> float:
    """The angle from the tip at which a ball of radius r is ``depth`` high."""
    share = min(max(1 - depth / r, -1.0), 1.0)
    return asin(sqrt(max(1 - share * share, 0.0)))
