"""The cutting shape of bits as the few numbers the sweeping loops take."""

from __future__ import annotations

from collections.abc import Sequence
from math import radians, tan

import msgspec
import numpy as np

from archimetra.geometry.arrays import FloatArray, IntArray
from archimetra.job.bits import UNDERCUTS, Bit, BitKind
from archimetra.stock.sweep_kernels import BALL, FLAT, TAPER, UNDERCUT, VEE

_SHAPES = {
    BitKind.STRAIGHT: FLAT,
    BitKind.SURFACING: FLAT,
    BitKind.BALL: BALL,
    BitKind.VEE: VEE,
    BitKind.DRILL: VEE,
    BitKind.TAPERED_BALL: TAPER,
    BitKind.DOVETAIL: UNDERCUT,
    BitKind.KEYHOLE: UNDERCUT,
    BitKind.TEE_SLOT: UNDERCUT,
}


class BitShapes(msgspec.Struct, frozen=True, eq=False):
    """One entry per bit: shape code, radius, tangent of the half angle (an undercut bit's head height), radius of the tip
    (of its flat, its ball or its neck)."""

    shapes: IntArray
    radii: FloatArray
    tangents: FloatArray
    tips: FloatArray

    def arguments(self) -> tuple[IntArray, FloatArray, FloatArray, FloatArray]:
        return self.shapes, self.radii, self.tangents, self.tips


def bit_shapes(bits: Sequence[Bit]) -> BitShapes:
    return BitShapes(
        np.array([_SHAPES[bit.kind] for bit in bits], dtype=np.int64),
        np.array([bit.radius for bit in bits], dtype=np.float64),
        np.array([_tangent(bit) for bit in bits]),
        np.array([_tip(bit) for bit in bits]),
    )


def _tangent(bit: Bit) -> float:
    if bit.kind in (BitKind.VEE, BitKind.DRILL, BitKind.TAPERED_BALL):
        return tan(radians(bit.angle / 2))
    if bit.kind in UNDERCUTS:
        return -bit.head_height if bit.kind is BitKind.DOVETAIL else bit.head_height
    return 1.0


def _tip(bit: Bit) -> float:
    if bit.kind is BitKind.VEE:
        return bit.tip_flat / 2
    if bit.kind is BitKind.TAPERED_BALL:
        return bit.tip_ball / 2
    return bit.neck / 2 if bit.kind in UNDERCUTS else 0.0
