"""How deep a V-carve goes where: the one place that turns clearance into depth, and the tolerances that follow from the bit.

Symbols: R clearance at a place of the axis, t tangent of the bit's half angle, rt radius of its flat tip. With its tip at

    z = -(start + sink + rise(R)),   rise(R) = (R - rt) / t for a V bit,

the bit just touches the outline on both sides, ``sink`` below the face it starts from. ``limit`` is the greatest rise: the
floor's depth below the outline. Then ``reach`` is the clearance from which on the bit stays at the limit, ``foot`` that of the
floor's edge, where the sloping wall meets it.
"""

from __future__ import annotations

from math import radians, tan

import msgspec
import numpy as np

from archimetra.geometry.arrays import FloatArray
from archimetra.job.bits import Bit, BitKind
from archimetra.job.cuts.carve import CarveCut
from archimetra.job.sheet import Sheet

Z_MM = 0.01  # how far the carved surface may stray in z; it is shared out below
_OUTLINE_SHARE, _CHORD_SHARE, _SIMPLE_SHARE, _RESIDUAL_SHARE = 0.25, 0.08, 0.2, 0.6
_BALL_SHARE = 0.9
_FLATTEST = 0.0004  # below this the grid itself shows


class CarveDepths(msgspec.Struct, frozen=True, kw_only=True):
    """Depths in mm below the face the cut starts from. ``rule`` names what sets the limit: "cut", "bit" or "sheet"."""

    bit: Bit
    start: float
    sink: float
    limit: float
    rule: str

    @property
    def slope(self) -> float:
        """The tangent that turns an error across into one in depth (of a ball: at the greatest clearance it serves)."""
        return 0.45 if self.bit.kind is BitKind.BALL else tan(radians(self.bit.angle / 2))

    @property
    def narrowest(self) -> float:
        """Half the width of the narrowest stroke the tip enters."""
        return self.bit.tip_flat / 2 if self.bit.kind is BitKind.VEE else 0.0

    @property
    def reach(self) -> float:
        return min(self.bit.width_at(self.limit) / 2, widest(self.bit))

    @property
    def flat(self) -> float:
        """Half the width of what the bit leaves level at its tip."""
        return self.narrowest

    @property
    def foot(self) -> float:
        return max(self.reach - self.flat, 0.0)

    @property
    def floor_depth(self) -> float:
        return self.start + self.sink + self.limit

    # tolerances across, so that together they stay within Z_MM of depth

    @property
    def outline_mm(self) -> float:
        return float(np.clip(_OUTLINE_SHARE * Z_MM * self.slope, _FLATTEST, 0.002))

    @property
    def chord_mm(self) -> float:
        return float(np.clip(_CHORD_SHARE * Z_MM * self.slope, _FLATTEST / 4, 0.002))

    @property
    def simplify_mm(self) -> float:
        return float(np.clip(_SIMPLE_SHARE * Z_MM * self.slope, _FLATTEST / 2, 0.002))

    @property
    def residual_mm(self) -> float:
        """What pruning may leave standing: above what flattening bends the outline, or flattened curves would grow branches."""
        return max(_RESIDUAL_SHARE * Z_MM * self.slope, 2.2 * self.outline_mm)

    def depths(self, clearances: FloatArray) -> FloatArray:
        """Depth of the tip (n,) at places of these clearances."""
        return self.start + self.sink + np.minimum(rises(self.bit, clearances), self.limit)

    def clearance_at(self, depth: float) -> float:
        """The clearance at which the tip stands this deep."""
        rise = depth - self.start - self.sink
        return 0.0 if rise <= 0 else min(self.bit.width_at(rise) / 2, widest(self.bit))

    def floor_step(self, cusp: float) -> float:
        """How far apart rows on the floor may lie for ridges of this height: 2 (t h + rt), of a ball 2 sqrt(2 r h - h^2)."""
        if self.bit.kind is BitKind.VEE:
            return 2 * (self.slope * cusp + self.narrowest)
        r = self.bit.radius if self.bit.kind is BitKind.BALL else self.bit.tip_ball / 2
        h = min(cusp, r)
        return float(2 * np.sqrt(2 * r * h - h * h))


def carve_depths_of(cut: CarveCut, bit: Bit, sheet: Sheet) -> CarveDepths:
    """The depths of a cut: its limit, or what the bit's cone or the sheet allow where that is less."""
    by_cut = cut.end_depth - cut.start_depth - cut.sink if cut.has_limit else np.inf
    cone = min(bit.rise_at(widest(bit)), bit.cutting_length)
    limits = {"cut": by_cut, "bit": cone - cut.sink, "sheet": sheet.thinnest - cut.start_depth - cut.sink}
    rule = min(limits, key=lambda name: limits[name])
    return CarveDepths(bit=bit, start=cut.start_depth, sink=cut.sink, limit=float(max(limits[rule], 0.0)), rule=rule)


def widest(bit: Bit) -> float:
    """The greatest clearance a bit carves by its shape. A ball's side is so steep towards its full width that a hundredth across
    would be tenths in depth: it serves to nine tenths of its radius."""
    return _BALL_SHARE * bit.radius if bit.kind is BitKind.BALL else bit.radius


def rises(bit: Bit, radii: FloatArray) -> FloatArray:
    """How much higher than its tip the bit's edge is at distances (n,) from its axis: ``Bit.rise_at`` for arrays."""
    r = np.minimum(radii, bit.radius)
    if bit.kind is BitKind.BALL:
        return np.asarray(bit.radius - np.sqrt(np.maximum(bit.radius**2 - r * r, 0.0)))
    t = tan(radians(bit.angle / 2))
    if bit.kind is BitKind.TAPERED_BALL:
        joint, height = bit.ball_meets_taper
        tip = bit.tip_ball / 2
        ball = tip - np.sqrt(np.maximum(tip * tip - np.minimum(r, joint) ** 2, 0.0))
        return np.where(r <= joint, ball, height + (r - joint) / t)
    return np.asarray(np.maximum(r - bit.tip_flat / 2, 0.0) / t)
