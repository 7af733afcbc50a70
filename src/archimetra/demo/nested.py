"""How many of each small part of the sample are wanted, and how they lie on its two sheets: what nesting made of them once, written down so
that the sample is the same on every machine."""

from __future__ import annotations

from math import pi, tan

import numpy as np

from archimetra.geometry.path import Path
from archimetra.job.parts import Turning
from archimetra.job.sheet import Flaw

WANTED: dict[str, tuple[int, Turning]] = {
    "name tag": (6, Turning.QUARTER),
    "high-hand": (8, Turning.ANY),
    "low-hand": (8, Turning.ANY),
    "bracket": (10, Turning.QUARTER),
    "ring": (6, Turning.FIXED),
    "spacer": (20, Turning.FIXED),
}

# what was left of an earlier job: a straight edge sawn askew, and the bite of a disc that was cut out beside it
OFFCUT = Path.arcs(
    np.array([(0, 0), (300, 0), (300, 100), (246, 154), (246, 212), (120, 224), (0, 206), (0, 0)], dtype=float),
    np.array([0, 0, -tan(pi / 8), 0, 0, 0, 0]), closed=True,
)  # fmt: skip
KNOT = Flaw(outline=Path.circle((18.0, 186.0), 9.0))

# by board: part, x, y, degrees, mirrored
NESTED: dict[str, tuple[tuple[str, float, float, float, bool], ...]] = {
    "board7": (
        ("high-hand", 24.0, 177.19, 180.0, False),
        ("high-hand", 228.91, 107.06, 90.0, False),
        ("name tag", 92.97, 6.0, 90.0, False),
        ("name tag", 95.1, 109.59, 90.0, False),
        ("name tag", 100.2, 145.52, 0.0, False),
        ("name tag", 164.07, 7.16, 90.0, False),
        ("name tag", 235.17, 6.0, 90.0, False),
        ("spacer", 6.0, 6.04, 0.0, False),
        ("spacer", 100.2, 124.55, 0.0, False),
        ("spacer", 194.54, 130.66, 0.0, False),
        ("spacer", 215.72, 129.82, 0.0, False),
    ),
    "board4": (
        ("bracket", 125.99, 224.79, 270.0, False),
        ("bracket", 128.9, 292.0, 180.0, False),
        ("bracket", 134.5, 236.79, 0.0, False),
        ("bracket", 145.1, 137.12, 180.0, False),
        ("bracket", 150.7, 91.63, 0.0, False),
        ("bracket", 153.11, 81.56, 180.0, False),
        ("bracket", 158.67, 86.07, 270.0, False),
        ("bracket", 169.03, 147.23, 90.0, False),
        ("bracket", 192.29, 8.0, 90.0, False),
        ("bracket", 212.06, 292.0, 180.0, False),
        ("high-hand", 213.6, 8.0, 0.0, False),
        ("high-hand", 213.77, 142.61, 0.0, False),
        ("high-hand", 236.29, 163.0, 0.0, False),
        ("high-hand", 253.77, 137.0, 180.0, False),
        ("high-hand", 268.97, 293.51, 190.668, False),
        ("high-hand", 302.87, 8.0, 0.0, False),
        ("low-hand", 174.34, 111.23, 0.0, False),
        ("low-hand", 208.95, 234.13, 180.0, False),
        ("low-hand", 257.41, 8.0, 0.0, False),
        ("low-hand", 273.53, 110.0, 13.624, False),
        ("low-hand", 278.46, 13.99, 0.0, False),
        ("low-hand", 300.3, 292.0, 180.0, False),
        ("low-hand", 304.87, 190.91, 0.0, False),
        ("low-hand", 306.13, 191.14, 180.0, False),
        ("name tag", 74.0, 8.0, 90.0, False),
        ("ring", 8.0, 111.0, 0.0, False),
        ("ring", 8.0, 170.51, 0.0, False),
        ("ring", 8.0, 237.31, 0.0, False),
        ("ring", 57.26, 203.91, 0.0, False),
        ("ring", 60.58, 142.63, 0.0, False),
        ("ring", 79.56, 8.0, 0.0, False),
        ("spacer", 21.14, 129.46, 0.0, False),
        ("spacer", 21.14, 190.05, 0.0, False),
        ("spacer", 21.14, 255.77, 0.0, False),
        ("spacer", 61.68, 108.9, 0.0, False),
        ("spacer", 70.4, 222.37, 0.0, False),
        ("spacer", 73.72, 162.17, 0.0, False),
        ("spacer", 79.6, 84.91, 0.0, False),
        ("spacer", 92.69, 26.46, 0.0, False),
        ("spacer", 93.42, 101.51, 0.0, False),
        ("spacer", 104.43, 193.73, 0.0, False),
        ("spacer", 109.5, 87.12, 0.0, False),
        ("spacer", 154.1, 256.4, 0.0, False),
        ("spacer", 175.71, 256.4, 0.0, False),
        ("spacer", 195.19, 117.83, 0.0, False),
        ("spacer", 220.38, 276.0, 0.0, False),
        ("spacer", 242.14, 141.94, 0.0, False),
    ),
}
