"""What parting a board in tiles answers. Light to import: the window shows it."""

from __future__ import annotations

import msgspec

Place = tuple[float, float]


class Seam(msgspec.Struct, frozen=True):
    """``axis`` 0 for a seam that crosses X, 1 for one that crosses Y; ``room`` within which it may lie; ``words`` say why it lies where it does."""

    axis: int
    at: float
    room: tuple[float, float]
    by_hand: bool
    words: str


class Shift(msgspec.Struct, frozen=True):
    """From one setup to another: the places of the two pins in between, and whether they are in waste."""

    before: int
    after: int
    places: tuple[Place, ...]
    in_waste: bool
