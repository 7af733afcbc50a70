"""Lines a board is cut along to be looked at, kept with the job."""

from __future__ import annotations

from math import hypot, isfinite

from archimetra.job.record import Record
from archimetra.job.require import require

MOST_SECTIONS = 26
MOST_DISTANCES = 100
SHORTEST_MM = 1.0
_FARTHEST_MM = 100_000.0


class PinnedDistance(Record, frozen=True, kw_only=True):
    """A distance measured in a section and kept: from (s0, z0) to (s1, z1), mm along its line and below the sheet's top (negative)."""

    s0: float
    z0: float
    s1: float
    z1: float

    def __post_init__(self) -> None:
        require(
            all(isfinite(v) and abs(v) <= _FARTHEST_MM for v in (self.s0, self.z0, self.s1, self.z1)),
            "a pinned distance lies at a finite place",
        )

    @property
    def ends(self) -> tuple[tuple[float, float], tuple[float, float]]:
        return (self.s0, self.z0), (self.s1, self.z1)

    @property
    def length(self) -> float:
        return hypot(self.s1 - self.s0, self.z1 - self.z0)


class SectionLine(Record, frozen=True, kw_only=True):
    """From (x0, y0) to (x1, y1) in board coordinates; its letter follows from its place among the board's."""

    x0: float
    y0: float
    x1: float
    y1: float
    distances: tuple[PinnedDistance, ...] = ()

    def __post_init__(self) -> None:
        require(
            all(isfinite(v) and abs(v) <= _FARTHEST_MM for v in (self.x0, self.y0, self.x1, self.y1)),
            "a section line lies at a finite place",
        )
        require(
            hypot(self.x1 - self.x0, self.y1 - self.y0) >= SHORTEST_MM,
            f"a section line is at least {SHORTEST_MM:g} mm long",
        )
        require(len(self.distances) <= MOST_DISTANCES, f"a section line has at most {MOST_DISTANCES} pinned distances")

    @property
    def ends(self) -> tuple[tuple[float, float], tuple[float, float]]:
        return (self.x0, self.y0), (self.x1, self.y1)


def section_letter(number: int) -> str:
    """A for the first."""
    return chr(ord("A") + number)
