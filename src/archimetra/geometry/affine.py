"""Affine maps of the plane: x' = a x + c y + e, y' = b x + d y + f."""

from __future__ import annotations

from math import cos, hypot, isclose, radians, sin

import msgspec
import numpy as np

from archimetra.geometry.arrays import FloatArray


class Affine(msgspec.Struct, frozen=True, array_like=True):
    """A map of the plane; stored and written as the six numbers ``[a, b, c, d, e, f]``."""

    a: float = 1.0
    b: float = 0.0
    c: float = 0.0
    d: float = 1.0
    e: float = 0.0
    f: float = 0.0

    @staticmethod
    def shift(dx: float, dy: float) -> Affine:
        """A move by (x, y)."""
        return Affine(e=dx, f=dy)

    @staticmethod
    def scale(sx: float, sy: float | None = None, *, about: tuple[float, float] = (0.0, 0.0)) -> Affine:
        """Scaling about the origin; ``y`` is as ``x`` where it is left out."""
        sy = sx if sy is None else sy
        return Affine(sx, 0.0, 0.0, sy, about[0] * (1 - sx), about[1] * (1 - sy))

    @staticmethod
    def turn(degrees: float, *, about: tuple[float, float] = (0.0, 0.0)) -> Affine:
        """Counter-clockwise; quarter turns are exact."""
        quarter = {0.0: (1.0, 0.0), 90.0: (0.0, 1.0), 180.0: (-1.0, 0.0), 270.0: (0.0, -1.0)}
        c, s = quarter.get(degrees % 360.0, (cos(radians(degrees)), sin(radians(degrees))))
        x, y = about
        return Affine(c, s, -s, c, x - c * x + s * y, y - s * x - c * y)

    def then(self, after: Affine) -> Affine:
        """First this map, then ``after``."""
        m, n = self, after
        return Affine(
            n.a * m.a + n.c * m.b,
            n.b * m.a + n.d * m.b,
            n.a * m.c + n.c * m.d,
            n.b * m.c + n.d * m.d,
            n.a * m.e + n.c * m.f + n.e,
            n.b * m.e + n.d * m.f + n.f,
        )

    def inverse(self) -> Affine:
        """Raises ValueError where the map flattens the plane."""
        det = self.determinant
        if det == 0.0:
            raise ValueError("this map flattens the plane and has no inverse")
        a, b, c, d = self.d / det, -self.b / det, -self.c / det, self.a / det
        return Affine(a, b, c, d, -(a * self.e + c * self.f), -(b * self.e + d * self.f))

    @property
    def determinant(self) -> float:
        return self.a * self.d - self.b * self.c

    @property
    def is_similarity(self) -> bool:
        """Whether circles stay circles (turn, mirror, even scaling, shift)."""
        size = max(hypot(self.a, self.b), 1e-300)
        turned = isclose(self.a, self.d, abs_tol=1e-12 * size) and isclose(self.b, -self.c, abs_tol=1e-12 * size)
        mirrored = isclose(self.a, -self.d, abs_tol=1e-12 * size) and isclose(self.b, self.c, abs_tol=1e-12 * size)
        return turned or mirrored

    @property
    def keeps_boxes(self) -> bool:
        """Whether upright boxes stay upright boxes (no turn but quarter turns)."""
        return (self.b == 0.0 and self.c == 0.0) or (self.a == 0.0 and self.d == 0.0)

    def point(self, x: float, y: float) -> tuple[float, float]:
        """One point mapped."""
        return self.a * x + self.c * y + self.e, self.b * x + self.d * y + self.f

    def apply(self, points: FloatArray) -> FloatArray:
        """Points (..., 2) mapped; a new array."""
        x, y = points[..., 0], points[..., 1]
        return np.stack((self.a * x + self.c * y + self.e, self.b * x + self.d * y + self.f), axis=-1)


IDENTITY = Affine()
