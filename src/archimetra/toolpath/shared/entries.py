"""How a bit gets down into an area: round in a helix, along the path in a ramp, straight down, or in a hole drilled before."""

from __future__ import annotations

from math import ceil, pi, radians, tan

import msgspec

from archimetra.toolpath.shared.move_builder import MoveBuilder
from archimetra.toolpath.shared.moves import Role

WIDEST_HELIX = 0.8  # of the bit's radius: a wider helix leaves a post
NARROWEST_HELIX = 0.3


class Helix(msgspec.Struct, frozen=True):
    centre: tuple[float, float]
    radius: float

    @property
    def begin(self) -> tuple[float, float]:
        return self.centre[0] + self.radius, self.centre[1]


def helix_at(centre: tuple[float, float], *, room: float, bit_radius: float) -> Helix | None:
    """The widest helix for a place with ``room`` mm for the bit's centre to move; None where there is too little."""
    radius = min(WIDEST_HELIX * bit_radius, room)
    return Helix(centre, radius) if radius >= NARROWEST_HELIX * bit_radius else None


def lay_helix(builder: MoveBuilder, helix: Helix, z_to: float, *, degrees: float, is_left: bool, pass_no: int) -> None:
    """Round and down from the height the bit stands at, then once round level."""
    z = builder.at[2]
    turn_drop = 2 * pi * helix.radius * tan(radians(degrees))
    turns = max(1, ceil((z - z_to) / turn_drop - 1e-9))
    for number in range(1, turns + 1):
        builder.circle(helix.centre, z + (z_to - z) * number / turns, is_left=is_left, pass_no=pass_no, role=Role.ENTRY)
    builder.circle(helix.centre, z_to, is_left=is_left, pass_no=pass_no)
