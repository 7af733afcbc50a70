"""How nearly pins hold a board."""

from __future__ import annotations

from collections.abc import Sequence
from math import atan2, degrees, hypot, inf


def angle_error(places: Sequence[tuple[float, float]], slack: float) -> float:
    """By how many degrees a board can lie turned on two pins whose holes are wider by the slack: slack over their distance."""
    if len(places) < 2:
        return inf
    (ax, ay), (bx, by) = places[0], places[1]
    return degrees(atan2(slack, max(hypot(bx - ax, by - ay), 1e-9)))
