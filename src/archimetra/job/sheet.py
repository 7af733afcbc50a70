"""What lies on the machine: the sheet, where zero is, how high to travel, and the machine itself.

Board coordinates: x right, y away from the operator, origin at the sheet's lower left corner seen
from above, z up, 0 on the sheet's top as delivered.
"""

from __future__ import annotations

from enum import StrEnum
from math import isfinite
from typing import TYPE_CHECKING

import msgspec

from archimetra.geometry.path import Path, bounds_of
from archimetra.job.ids import SheetId
from archimetra.job.materials import AnyMaterial, Material, darkened, is_colour
from archimetra.job.record import Record
from archimetra.job.require import require

if TYPE_CHECKING:
    from archimetra.geometry.region import Region

MOST_SHEETS = 999
MOST_FLAWS = 500
NO_WOOD_MM = 1e-3  # so far below its bottom stock lies where the sheet has no wood
_HAIR_MM = 0.01
_FARTHEST_MM = 100_000.0
_LARGEST = 1e9  # of a bulge or a control point


class HoldDown(StrEnum):
    CLAMPED = "clamped"  # clamps or screws hold the sheet; what is cut loose moves
    TAPED = "taped"  # tape, glue or vacuum hold every part


class Flaw(Record, frozen=True, kw_only=True):
    """A place on a sheet that is no good: a knot, a crack, a stain; in board coordinates. Pieces are kept off it. With ``is_hard``, a nail or
    a screw, no bit may run over it either."""

    outline: Path
    is_hard: bool = False

    def __post_init__(self) -> None:
        require(self.outline.closed and len(self.outline) >= 1, "a flaw has a closed outline")
        require(all(abs(v) <= _FARTHEST_MM for v in _box_of((self.outline,))), "a flaw lies on its sheet or near it")


def _box_of(paths: tuple[Path, ...]) -> tuple[float, float, float, float]:
    """Numbers beyond all measure make a box that is none: no number in it is within any limit."""
    import numpy as np  # only where there is an outline: a first window needs none

    if any(len(path) and float(np.abs(path.params).max()) > _LARGEST for path in paths):
        return -np.inf, -np.inf, np.inf, np.inf
    with np.errstate(all="ignore"):
        return bounds_of(paths) or (0.0, 0.0, 0.0, 0.0)


class Sheet(Record, frozen=True, kw_only=True):
    """The piece of material that lies on the machine; sizes in mm. ``id`` is empty until it comes into a job. ``readings`` are caliper readings of the thickness; at least one. ``tint`` ('' for the material's own) is
    the colour this very sheet has. Without an ``outline`` it is a rectangle; with one, closed paths by the even-odd rule in board coordinates, ``width`` and ``height``
    are those of the box around it. ``count`` equal sheets are cut alike, one after the other."""

    id: SheetId = SheetId("")
    width: float
    height: float
    readings: tuple[float, ...]
    material: AnyMaterial = Material.PINE
    grain_degrees: float = 0.0
    hold_down: HoldDown = HoldDown.CLAMPED
    tint: str = ""
    outline: tuple[Path, ...] = ()
    flaws: tuple[Flaw, ...] = ()
    count: int = 1

    def __post_init__(self) -> None:
        require(
            all(isfinite(v) and 1 <= v <= 10_000 for v in (self.width, self.height)),
            "a sheet measures 1 to 10000 mm a side",
        )
        require(len(self.readings) >= 1, "a sheet needs a measured thickness")
        require(all(isfinite(v) and 0.1 <= v <= 500 for v in self.readings), "a sheet is 0.1 to 500 mm thick")
        require(len(self.readings) <= 99, "a sheet has at most 99 readings")
        require(not self.tint or is_colour(self.tint), "a tint is a colour such as #C9A66B")
        require(1 <= self.count <= MOST_SHEETS, f"there are 1 to {MOST_SHEETS} equal sheets")
        require(len(self.flaws) <= MOST_FLAWS, f"a sheet has at most {MOST_FLAWS} flaws marked")
        if self.outline:
            require(all(path.closed and len(path) for path in self.outline), "a sheet's outline is closed")
            x0, y0, x1, y1 = _box_of(self.outline)
            is_box = all(abs(v) <= _HAIR_MM for v in (x0, y0, x1 - self.width, y1 - self.height))
            require(is_box, "a sheet's outline begins at 0 and is as wide and as high as the sheet")

    @property
    def thickest(self) -> float:
        """Rules cuts that go through."""
        return max(self.readings)

    @property
    def thinnest(self) -> float:
        """Rules what must stay standing."""
        return min(self.readings)

    @property
    def region(self) -> Region:
        """The wood seen from above, in board coordinates."""
        from archimetra.geometry.sheets import sheet_region

        return sheet_region(self.outline, self.width, self.height)

    @property
    def tones(self) -> tuple[str, str]:
        """The colours of its face and of its grain's lines: the material's, or its own tint with a line as much darker."""
        face, line = self.material.tones
        return (self.tint, darkened(self.tint, face, line)) if self.tint else (face, line)


class FixtureKind(StrEnum):
    CLAMP = "clamp"
    SCREW = "screw"
    PIN = "pin"  # stands in the bed and through the sheet, up to its top


class Fixture(Record, frozen=True, kw_only=True):
    """A clamp or a screw on the sheet: an area to keep clear of, ``rise`` mm above the sheet's top. ``x, y`` is its centre in
    board coordinates, ``width`` lies along X and ``height`` along Y; a screw is round, ``width`` across. ``degrees`` turn a clamp counter-clockwise. On a
    tiled board it is there in the ``setup`` of that name, '' for all."""

    kind: FixtureKind = FixtureKind.CLAMP
    x: float
    y: float
    width: float = 60.0
    height: float = 30.0
    rise: float = 20.0
    degrees: float = 0.0
    setup: str = ""

    def __post_init__(self) -> None:
        require(isfinite(self.x) and isfinite(self.y) and isfinite(self.degrees), "a clamp lies at a finite place")
        require(len(self.setup) <= 20, "a setup's name has at most 20 letters")
        require(
            all(isfinite(v) and 1 <= v <= 2000 for v in (self.width, self.height)), "a clamp is 1 to 2000 mm a side"
        )
        require(isfinite(self.rise) and 0 <= self.rise <= 300, "a clamp stands 0 to 300 mm above the sheet")


class ZeroAt(StrEnum):
    """Nine points of the sheet, named as the operator sees them, or a typed point."""

    FRONT_LEFT = "front left"
    FRONT = "front middle"
    FRONT_RIGHT = "front right"
    LEFT = "left middle"
    CENTRE = "centre"
    RIGHT = "right middle"
    BACK_LEFT = "back left"
    BACK = "back middle"
    BACK_RIGHT = "back right"
    TYPED = "typed"


_SHARES: dict[ZeroAt, tuple[float, float]] = {
    ZeroAt.FRONT_LEFT: (0.0, 0.0),
    ZeroAt.FRONT: (0.5, 0.0),
    ZeroAt.FRONT_RIGHT: (1.0, 0.0),
    ZeroAt.LEFT: (0.0, 0.5),
    ZeroAt.CENTRE: (0.5, 0.5),
    ZeroAt.RIGHT: (1.0, 0.5),
    ZeroAt.BACK_LEFT: (0.0, 1.0),
    ZeroAt.BACK: (0.5, 1.0),
    ZeroAt.BACK_RIGHT: (1.0, 1.0),
}


class ZeroZ(StrEnum):
    SHEET_TOP = "sheet top"
    SPOILBOARD = "spoilboard"


class Zero(Record, frozen=True, kw_only=True):
    """Where the operator touches off. Applied only on output; moving it never moves artwork."""

    at: ZeroAt = ZeroAt.FRONT_LEFT
    x: float = 0.0  # board coordinates, used when typed
    y: float = 0.0
    z: ZeroZ = ZeroZ.SHEET_TOP

    def __post_init__(self) -> None:
        require(isfinite(self.x) and isfinite(self.y), "zero lies at a finite place")

    def point(self, sheet: Sheet) -> tuple[float, float]:
        """The zero point in board coordinates."""
        if self.at is ZeroAt.TYPED:
            return self.x, self.y
        share = _SHARES[self.at]
        return share[0] * sheet.width, share[1] * sheet.height

    def z_shift(self, sheet: Sheet) -> float:
        """What to add to a board z to get the machine's z. On the spoilboard the thickest reading counts:
        the sheet top then lies nowhere higher than the program believes."""
        return 0.0 if self.z is ZeroZ.SHEET_TOP else sheet.thickest

    def sentence(self, sheet: Sheet) -> str:
        """For every picture and sheet of paper that leaves the program."""
        return f"{self.sentence_xy(sheet)}; Z zero: {self.z.value}"

    def sentence_xy(self, sheet: Sheet) -> str:
        """Where X and Y are zero."""
        place = f"{self.at.value} of the sheet" if self.at is not ZeroAt.TYPED else "typed point"
        x, y = self.point(sheet)
        return f"X Y zero: {place}, x {x:.2f}, y {y:.2f} mm from its front left corner"


ABOVE_CLAMPS_MM = 5.0
LOWEST_TRAVEL_MM = 8.0


class Heights(Record, frozen=True, kw_only=True):
    """Above the sheet's top, mm. With ``follows_clamps`` the travel height is as low as the clamps allow."""

    retract: float = 3.0  # between nearby cuts
    travel: float = 15.0  # between cuts, above any clamp
    park: float = 30.0  # at the end
    follows_clamps: bool = False

    def __post_init__(self) -> None:
        require(
            all(isfinite(v) and 0.2 <= v <= 500 for v in (self.retract, self.travel, self.park)),
            "heights are 0.2 to 500 mm",
        )
        require(self.retract <= self.travel <= self.park, "retract height <= travel height <= park height")

    def over(self, fixtures: tuple[Fixture, ...]) -> Heights:
        """The heights to fly at: what is typed, or derived from the highest clamp; never below a clamp."""
        highest = max((fixture.rise for fixture in fixtures), default=0.0)
        clear = highest + ABOVE_CLAMPS_MM if fixtures else LOWEST_TRAVEL_MM
        travel = max(clear if self.follows_clamps else self.travel, highest + 1.0 if fixtures else 0.0, self.retract)
        return msgspec.structs.replace(self, travel=travel, park=max(self.park, travel))


class Machine(Record, frozen=True, kw_only=True):
    """Travel in mm, speeds in mm/min, accelerations in mm/s²."""

    name: str = "Router 610 x 610"
    travel_x: float = 610.0
    travel_y: float = 610.0
    travel_z: float = 90.0
    rapid_xy: float = 5000.0
    rapid_z: float = 1500.0
    max_feed: float = 4000.0
    acceleration: float = 400.0
    acceleration_z: float = 200.0
    junction_deviation: float = 0.02
    max_rpm: float = 24000.0
    min_rpm: float = 6000.0
    spindle_start_s: float = 4.0
    bit_change_s: float = 90.0

    def __post_init__(self) -> None:
        for name in self.__struct_fields__:
            value = getattr(self, name)
            require(
                isinstance(value, str) or (isfinite(value) and value > 0), f"the machine's {name} must be above zero"
            )
        require(self.min_rpm <= self.max_rpm, "the machine's least spindle speed is no higher than its greatest")
