"""Lines a board is cut along to be looked at, kept with the job."""

from __future__ import annotations

from math import hypot, isfinite

from archimetra.job.record import Record
from archimetra.job.require import require

MOST_SECTIONS = 26
SHORTEST_MM = 1.0
_FARTHEST_MM = 100_000.0


class SectionLine(Record, frozen=True, kw_only=True):
    """From (x0, y0) to (x1, y1) in board coordinates; its letter follows from its place among the board's."""

    x0: float
    y0: float
    x1: float
    y1: float

    def __post_init__(self) -> None:
        require(
            all(isfinite(v) and abs(v) <= _FARTHEST_MM for v in (self.x0, self.y0, self.x1, self.y1)),
            "a section line lies at a finite place",
        )
        require(
            hypot(self.x1 - self.x0, self.y1 - self.y0) >= SHORTEST_MM,
            f"a section line is at least {SHORTEST_MM:g} mm long",
        )

    @property
    def ends(self) -> tuple[tuple[float, float], tuple[float, float]]:
        return (self.x0, self.y0), (self.x1, self.y1)


def section_letter(number: int) -> str:
    """A for the first."""
    return chr(ord("A") + number)
