"""What is left standing, as it travels. Light to import: nothing here computes."""

from __future__ import annotations

from enum import StrEnum

import msgspec

from archimetra.geometry.arrays import BoolArray
from archimetra.job.ids import BitId, CutId


class Why(StrEnum):
    """Why something stands."""

    CORNER = "corner"  # the bit is too thick for the corner
    NARROW = "narrow"  # and for the place
    WIDE = "wide"  # it is too small for the stroke, whose middle it leaves
    FLOOR = "floor"  # a carving's floor that was not cleared
    RIDGE = "ridge"  # between two passes, or under a round tip
    CLAMP = "clamp"  # the bit was lifted over what holds the sheet
    PASSED = "passed"  # it would fit, and does not come here


class Spot(msgspec.Struct, frozen=True, eq=False):
    """One connected place: its middle and box (x0, y0, x1, y1), mm; its area, mm2, and volume, mm3; how high it stands, mm. ``bit`` gets to
    ``share`` of it; where that is not nearly all, one ``needs`` mm thick would (0: none). ``mask`` (ny, nx) says which cells of the box it is."""

    at: tuple[float, float]
    box: tuple[float, float, float, float]
    area: float
    volume: float
    height: float
    why: Why
    mask: BoolArray
    bit: BitId | None = None
    share: float = 0.0
    needs: float = 0.0


class Left(msgspec.Struct, frozen=True, eq=False):
    """What a cut leaves, the largest spots first; ``area`` mm2 and ``volume`` mm3 of all of them, ``count`` how many."""

    cut: CutId
    spots: tuple[Spot, ...]
    count: int
    area: float
    volume: float

    @property
    def height(self) -> float:
        return max(spot.height for spot in self.spots)
