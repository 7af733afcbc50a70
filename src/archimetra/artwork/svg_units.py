"""How long a pixel is: 96 to the inch says the standard, but files from before it used 90 or 72. The page gives it away.

A page that is a paper size, or a round number of millimetres or inches, at just one of the three was drawn at that one.
"""

from __future__ import annotations

from typing import NamedTuple

DENSITIES = (96.0, 90.0, 72.0)
PAPERS_MM = {
    "A0": (841.0, 1189.0), "A1": (594.0, 841.0), "A2": (420.0, 594.0), "A3": (297.0, 420.0), "A4": (210.0, 297.0),
    "A5": (148.0, 210.0), "A6": (105.0, 148.0), "Letter": (215.9, 279.4), "Legal": (215.9, 355.6), "Tabloid": (279.4, 431.8),
}  # fmt: skip
_PAPER_PX = 0.6  # files round paper sizes to whole or half pixels


class Density(NamedTuple):
    per_inch: float
    evidence: str  # what the page is at that density; '' where nothing speaks for one


def density_of(width_px: float, height_px: float) -> Density:
    """The density that the page's size speaks for; 96 without evidence or with evidence for several."""
    for find in (_paper, _round):
        found = [Density(d, words) for d in DENSITIES if (words := find(width_px, height_px, d))]
        if len(found) == 1:
            return found[0]
        if found:
            break
    return Density(DENSITIES[0], "")


def _paper(width: float, height: float, density: float) -> str:
    for name, (short, long) in PAPERS_MM.items():
        short_px, long_px = short / 25.4 * density, long / 25.4 * density
        for a, b in ((short_px, long_px), (long_px, short_px)):
            if abs(width - a) <= _PAPER_PX and abs(height - b) <= _PAPER_PX:
                return f"{name} paper"
    return ""


def _round(width: float, height: float, density: float) -> str:
    """Both sides whole in mm or in half inches, to what three decimals of a pixel can tell."""
    if width == round(width) and height == round(height):
        return ""  # whole pixels are no evidence
    for unit, step, words in ((25.4 / density, 1.0, "mm"), (1 / density, 0.5, "in")):
        sides = width * unit, height * unit
        if all(abs(side / step - round(side / step)) * step < 0.002 * unit + 1e-9 and side > 0 for side in sides):
            return f"{sides[0]:.4g} x {sides[1]:.4g} {words}"
    return ""
