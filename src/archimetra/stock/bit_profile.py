"""How wide a bit is at each height, its shank with it."""

from __future__ import annotations

from math import radians, tan

import numpy as np

from archimetra.geometry.arrays import BoolArray, FloatArray
from archimetra.job.bits import UNDERCUTS, Bit, BitKind

SHANK_MM = 26.0  # as much of a shank as is drawn


def silhouette(bit: Bit, *, shank_mm: float = SHANK_MM) -> tuple[FloatArray, BoolArray]:
    """Radius and height over the tip (m, 2), from below to above, closed at both ends; and (m,) whether the part that begins there cuts."""
    r, length = bit.radius, bit.cutting_length
    points: list[tuple[float, float]] = [(0.0, 0.0)]
    if bit.kind is BitKind.VEE:
        flat = bit.tip_flat / 2
        points += [(flat, 0.0), (r, min((r - flat) / tan(radians(bit.angle / 2)), length))]
    elif bit.kind in (BitKind.BALL, BitKind.TAPERED_BALL, BitKind.DRILL):
        points += [(r * k / 16, min(bit.rise_at(r * k / 16), length)) for k in range(1, 17)]
    elif bit.kind in UNDERCUTS:
        neck, head = bit.neck / 2, min(bit.head_height, length)
        shoulder = neck if bit.kind is BitKind.DOVETAIL else r
        points += [(r, 0.0), (shoulder, head), (neck, head)]
    else:
        points += [(r, 0.0)]
    wide = points[-1][0]
    points.append((wide, length))
    cutting = len(points) - 1
    points += [(bit.shank / 2, length), (bit.shank / 2, length + shank_mm), (0.0, length + shank_mm)]
    outline = np.array(points)
    return outline, np.arange(len(outline)) < cutting
