"""What nesting answers: where pieces lie."""

from __future__ import annotations

from math import cos, radians, sin

import msgspec


class Placement(msgspec.Struct, frozen=True):
    """One piece of a part on a sheet: mirrored first (x to -x), then turned about the part's origin, then moved by (x, y)."""

    part: int
    sheet: int
    x: float
    y: float
    degrees: float = 0.0
    mirrored: bool = False

    @property
    def matrix(self) -> tuple[float, float, float, float, float, float]:
        """(a, b, d, e, xoff, yoff) as shapely's affine_transform takes it."""
        c, s = cos(radians(self.degrees)), sin(radians(self.degrees))
        m = -1.0 if self.mirrored else 1.0
        return m * c, -s, m * s, c, self.x, self.y


class Nested(msgspec.Struct, frozen=True, eq=False):
    """A layout: where pieces lie; how many of each part found no room; how many sheets are used, and to what x on the last (mm, its own
    coordinates); the share of the used area that is parts; and the work it took."""

    placements: tuple[Placement, ...]
    left_out: tuple[int, ...]
    sheets_used: int
    used_to: float
    filled: float
    work: float = 0.0
