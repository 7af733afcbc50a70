"""Parts: what is cut out as one piece, however often it lies on boards, and where each of its instances lies."""

from __future__ import annotations

from enum import StrEnum
from math import atan2, cos, degrees, hypot, isclose, isfinite, radians, sin

from archimetra.geometry.affine import Affine
from archimetra.job.ids import InstanceId, PartId
from archimetra.job.record import Record
from archimetra.job.require import require
from archimetra.job.shapes import Layer, Shape

MOST_COPIES = 5_000
LAST_PRIORITY = 9


class Turning(StrEnum):
    """Which ways round a part may lie when it is nested."""

    FIXED = "as drawn"
    HALF = "half turns"
    QUARTER = "quarter turns"
    STEPS = "steps"
    ANY = "any way"


class Part(Record, frozen=True, kw_only=True, omit_defaults=True):
    """One kind of piece. ``shapes`` are its outline and everything inside it in the part's own coordinates, whose origin is what its
    instances turn about; ``layers`` are those its shapes lie on. ``quantity`` is how many are wanted. Nested with ``STEPS`` it lies at
    whole ``step_degrees``; where it ``follows_grain`` only at half turns; mirrored only where it ``may_flip``. A lower ``priority``
    is placed first."""

    id: PartId
    name: str
    shapes: tuple[Shape, ...]
    layers: tuple[Layer, ...] = ()
    quantity: int = 1
    turning: Turning = Turning.QUARTER
    step_degrees: float = 45.0
    may_flip: bool = False
    follows_grain: bool = False
    priority: int = 0

    def __post_init__(self) -> None:
        require(0 <= self.quantity <= MOST_COPIES, f"a quantity is 0 to {MOST_COPIES}")
        require(isfinite(self.step_degrees) and 1.0 <= self.step_degrees <= 180.0, "a step is 1 to 180 degrees")
        require(0 <= self.priority <= LAST_PRIORITY, f"a priority is 0 to {LAST_PRIORITY}")

    @property
    def turns(self) -> tuple[float, ...] | None:
        """The turns in degrees it may lie at; None for any."""
        if self.follows_grain:
            return (0.0,) if self.turning is Turning.FIXED else (0.0, 180.0)
        match self.turning:
            case Turning.FIXED:
                return (0.0,)
            case Turning.HALF:
                return (0.0, 180.0)
            case Turning.QUARTER:
                return (0.0, 90.0, 180.0, 270.0)
            case Turning.STEPS:
                return tuple(k * self.step_degrees for k in range(max(int(360.0 / self.step_degrees + 1e-9), 1)))
            case Turning.ANY:
                return None


class Instance(Record, frozen=True, omit_defaults=True):
    """A piece of a part on a board: mirrored first (x to -x), then turned counter-clockwise about the part's origin, then moved."""

    id: InstanceId
    part: PartId
    x: float = 0.0
    y: float = 0.0
    degrees: float = 0.0
    mirrored: bool = False

    @property
    def at(self) -> Affine:
        """From the part's coordinates to the board's."""
        turn = Affine.turn(self.degrees)
        flipped = Affine.scale(-1.0, 1.0).then(turn) if self.mirrored else turn
        return flipped.then(Affine.shift(self.x, self.y))


def laid(instance: Instance, at: Affine) -> Instance | None:
    """The instance where ``at`` lays its part; None where that is more than turning, mirroring and moving."""
    size = hypot(at.a, at.b)
    if not (at.is_similarity and isclose(size, 1.0, abs_tol=1e-9)):
        return None
    mirrored = at.determinant < 0
    turn = degrees(atan2(-at.b, -at.a) if mirrored else atan2(at.b, at.a)) % 360.0
    quarter = round(turn / 90.0) * 90.0
    turn = quarter % 360.0 if abs(turn - quarter) < 1e-9 else turn
    return Instance(instance.id, instance.part, at.e, at.f, turn, mirrored)


def turned(x: float, y: float, by: float) -> tuple[float, float]:
    """A point turned about the origin."""
    c, s = cos(radians(by)), sin(radians(by))
    return c * x - s * y, s * x + c * y
