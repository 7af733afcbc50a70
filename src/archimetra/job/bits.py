"""Bits and what to run them at."""

from __future__ import annotations

from enum import StrEnum
from math import isfinite, radians, tan

import msgspec

from archimetra.job.ids import BitId
from archimetra.job.sheet import need


class BitKind(StrEnum):
    STRAIGHT = "straight"
    BALL = "ball"
    VEE = "v"


class Spin(StrEnum):
    CLOCKWISE = "clockwise"  # seen from above; M3
    COUNTERCLOCKWISE = "counterclockwise"


class Recipe(msgspec.Struct, frozen=True, kw_only=True):
    """Speed in rpm, feeds in mm/min, depth in mm."""

    spindle_rpm: float = 16000.0
    feed: float = 1800.0
    plunge: float = 600.0
    depth_per_pass: float = 3.0

    def __post_init__(self) -> None:
        need(isfinite(self.spindle_rpm) and 100 <= self.spindle_rpm <= 100_000, "a spindle turns at 100 to 100000 rpm")
        need(isfinite(self.feed) and 1 <= self.feed <= 50_000, "a feed is 1 to 50000 mm/min")
        need(isfinite(self.plunge) and 1 <= self.plunge <= 50_000, "a plunge feed is 1 to 50000 mm/min")
        need(isfinite(self.depth_per_pass) and 0.01 <= self.depth_per_pass <= 200, "depth per pass is 0.01 to 200 mm")


class Bit(msgspec.Struct, frozen=True, kw_only=True):
    """One bit of the rack. ``place`` counts from 0 and gives its letter and hue. Sizes in mm, ``angle`` is the
    full angle of a V bit in degrees and ``tip_flat`` the diameter of its flat."""

    id: BitId
    name: str
    kind: BitKind = BitKind.STRAIGHT
    diameter: float
    cutting_length: float = 22.0
    shank: float = 6.0
    flutes: int = 2
    angle: float = 60.0
    tip_flat: float = 0.0
    can_plunge: bool = True
    spin: Spin = Spin.CLOCKWISE
    place: int = 0
    recipe: Recipe = Recipe()

    def __post_init__(self) -> None:
        need(isfinite(self.diameter) and 0.05 <= self.diameter <= 200, "a bit is 0.05 to 200 mm wide")
        need(isfinite(self.cutting_length) and 0.1 <= self.cutting_length <= 300, "a bit cuts along 0.1 to 300 mm")
        need(isfinite(self.shank) and 0.5 <= self.shank <= 50, "a shank is 0.5 to 50 mm thick")
        need(1 <= self.flutes <= 12, "a bit has 1 to 12 flutes")
        need(isfinite(self.angle) and 5 <= self.angle <= 175, "a V bit's angle is 5 to 175 degrees")
        need(isfinite(self.tip_flat) and 0 <= self.tip_flat < self.diameter, "a tip flat is narrower than its bit")
        need(0 <= self.place <= 99, "a rack has places 0 to 99")

    @property
    def letter(self) -> str:
        return chr(ord("A") + self.place % 26)

    @property
    def radius(self) -> float:
        return self.diameter / 2

    def chip_load(self, recipe: Recipe) -> float:
        """Thickness of wood each edge takes per turn, mm: feed / (speed x flutes)."""
        return recipe.feed / (recipe.spindle_rpm * self.flutes)

    def rise_at(self, radius: float) -> float:
        """How much higher than its tip the bit's edge is at a distance from its axis (within its radius)."""
        if self.kind is BitKind.BALL:
            return self.radius - float((self.radius**2 - min(radius, self.radius) ** 2) ** 0.5)
        if self.kind is BitKind.VEE:
            return max(radius - self.tip_flat / 2, 0.0) / tan(radians(self.angle / 2))
        return 0.0


STARTER_RACK: tuple[Bit, ...] = (
    Bit(id=BitId("bit1"), name="6 mm straight", diameter=6.0, cutting_length=25.0, place=0,
        recipe=Recipe(spindle_rpm=16000.0, feed=1800.0, plunge=600.0, depth_per_pass=3.8)),
    Bit(id=BitId("bit2"), name="3 mm straight", diameter=3.0, cutting_length=14.0, place=1,
        recipe=Recipe(spindle_rpm=18000.0, feed=1200.0, plunge=400.0, depth_per_pass=1.5)),
    Bit(id=BitId("bit3"), name="1.5 mm straight", diameter=1.5, cutting_length=6.0, place=2,
        recipe=Recipe(spindle_rpm=20000.0, feed=700.0, plunge=250.0, depth_per_pass=0.7)),
)  # fmt: skip
