"""How a picture is traced: what a person can set. Light to import."""

from __future__ import annotations

import msgspec

MOST_TONES = 8


class TraceSettings(msgspec.Struct, frozen=True, kw_only=True):
    """``tones`` the picture is reduced to, from dark to light; ``ink`` the numbers of those that are traced (from 0, the
    darkest). ``smoothness`` 0 to 10 rounds stairs and noise off; specks below ``speck_px`` pixels across are dropped;
    ``corner_degrees``: a turn sharper than this stays a corner."""

    tones: int = 2
    ink: tuple[int, ...] = (0,)
    smoothness: float = 3.0
    speck_px: int = 4
    corner_degrees: float = 60.0

    def __post_init__(self) -> None:
        _need(2 <= self.tones <= MOST_TONES, f"a picture is reduced to 2 to {MOST_TONES} tones")
        _need(all(0 <= n < self.tones for n in self.ink), "ink is one of the tones")
        _need(0 <= self.smoothness <= 10, "smoothness is 0 to 10")
        _need(0 <= self.speck_px <= 1000, "specks are 0 to 1000 pixels across")
        _need(0 <= self.corner_degrees <= 180, "a corner is 0 to 180 degrees")


def _need(is_so: bool, words: str) -> None:
    if not is_so:
        raise ValueError(words)
