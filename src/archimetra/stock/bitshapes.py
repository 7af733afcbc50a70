"""The cutting shape of bits as the few numbers the sweeping loops take."""

from __future__ import annotations

from collections.abc import Sequence
from math import radians, tan

import msgspec
import numpy as np

from archimetra.geometry.arrays import FloatArray, IntArray
from archimetra.job.bits import Bit, BitKind
from archimetra.stock.sweep_kernels import BALL, FLAT, VEE

_SHAPES = {BitKind.STRAIGHT: FLAT, BitKind.BALL: BALL, BitKind.VEE: VEE}


class BitShapes(msgspec.Struct, frozen=True, eq=False):
    """One entry per bit: shape code, radius, tangent of the half angle, radius of the tip flat."""

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
        np.array([tan(radians(bit.angle / 2)) if bit.kind is BitKind.VEE else 1.0 for bit in bits]),
        np.array([bit.tip_flat / 2 if bit.kind is BitKind.VEE else 0.0 for bit in bits]),
    )
