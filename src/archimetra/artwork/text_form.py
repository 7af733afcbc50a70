"""What a text is and how it is set: the part of a document that stays editable. Light to import; ``text`` sets it."""

from __future__ import annotations

from enum import StrEnum
from math import isfinite

import msgspec

from archimetra.geometry.path import Path

MOST_CHARACTERS = 5_000
FALLBACK_FONT = "Alegreya Sans Regular"


class Align(StrEnum):
    LEFT = "left"
    CENTRE = "centre"
    RIGHT = "right"


class Fit(StrEnum):
    """How a text is brought to a width."""

    NONE = "none"
    SIZE = "size"  # as large as the width allows
    SPACING = "spacing"  # letters moved apart or together


class TextForm(msgspec.Struct, frozen=True, kw_only=True, tag="text", forbid_unknown_fields=True):
    """A text and how it is set. Lengths in mm. ``letter_spacing`` is added between letters; ``line_spacing`` multiplies
    the font's own distance of lines. ``arc_radius`` above 0 sets it on a circle, reading over the top; below 0 reading
    under the bottom; 0 straight. ``along`` sets it along a path instead, ``lift`` mm to its left."""

    text: str = "Text"
    font: str = FALLBACK_FONT
    cap_height: float = 20.0
    letter_spacing: float = 0.0
    line_spacing: float = 1.0
    align: Align = Align.CENTRE
    fit: Fit = Fit.NONE
    fit_width: float = 100.0
    arc_radius: float = 0.0
    along: Path | None = None
    along_start: float = 0.0
    lift: float = 0.0

    def __post_init__(self) -> None:
        _need(bool(self.text.strip()), "a text has at least one letter")
        _need(len(self.text) <= MOST_CHARACTERS, f"a text has at most {MOST_CHARACTERS} letters")
        _need(isfinite(self.cap_height) and 0.2 <= self.cap_height <= 3000, "a cap height is 0.2 to 3000 mm")
        _need(isfinite(self.letter_spacing) and abs(self.letter_spacing) <= 500, "letter spacing is -500 to 500 mm")
        _need(isfinite(self.line_spacing) and 0.3 <= self.line_spacing <= 10, "line spacing is 0.3 to 10")
        _need(isfinite(self.fit_width) and 1 <= self.fit_width <= 10_000, "a text is fitted to 1 to 10000 mm")
        is_arc = isfinite(self.arc_radius) and (self.arc_radius == 0 or 1 <= abs(self.arc_radius) <= 100_000)
        _need(is_arc, "an arc's radius is 1 to 100000 mm, or 0 for straight text")
        _need(
            isfinite(self.along_start) and isfinite(self.lift) and abs(self.lift) <= 1000, "a lift is -1000 to 1000 mm"
        )


def _need(is_so: bool, words: str) -> None:
    if not is_so:
        raise ValueError(words)
