"""The colours of the two themes, and the hues of bits."""

from __future__ import annotations

from typing import NamedTuple

from PySide6.QtGui import QColor

from archimetra.job.hues import bit_colour


class Tokens(NamedTuple):
    """One theme. Text on page or panel in ``ink`` or ``quiet`` keeps a contrast of at least 4.5 to 1."""

    is_dark: bool
    page: str
    panel: str
    ink: str
    quiet: str
    hairline: str
    accent: str
    picked: str
    caution: str
    table: str
    bed: str
    field: str
    wash: str  # accent at rest: hovered rows, chosen things
    stop: str  # of the button that stops the machine alone

    def color(self, name: str, alpha: int = 255) -> QColor:
        color = QColor(getattr(self, name))
        color.setAlpha(alpha)
        return color


LIGHT = Tokens(
    False, "#F3EFE6", "#FBF9F4", "#22302F", "#5D6763", "#D8D1C2", "#1F7A6C", "#C8452D", "#8F5E08", "#DED7C8", "#E6E0D2",
    "#FFFFFF", "#E2ECE6", "#B3221D",
)  # fmt: skip
DARK = Tokens(
    True, "#1B2120", "#232B2A", "#E6E2D8", "#97A19D", "#37413F", "#4FB3A2", "#F07A5E", "#E0A83A", "#141918", "#1C2322",
    "#1A201F", "#2A3B38", "#C93A31",
)  # fmt: skip


def bit_hue(place: int) -> QColor:
    """The hue of a rack place; it comes back after eight, and the letter tells them apart."""
    return QColor(bit_colour(place))


def depth_shade(hue: QColor, share: float, *, is_dark: bool) -> QColor:
    """A path's colour at a share of the full depth: deeper is darker (on a dark page still readable on wood)."""
    low, high = (0.30, 0.62) if is_dark else (0.24, 0.60)
    out = QColor()
    out.setHslF(max(hue.hslHueF(), 0.0), hue.hslSaturationF(), high + (low - high) * min(max(share, 0.0), 1.0))
    return out
