"""One cubic curve: points, extremes, the nearest point, arc length. ``p`` is always its four control points (4, 2).

Arc length is a 16-point Gauss rule on eighths of the parameter. Where the curve all but stops (a cusp, a double
end point) the speed has a kink that no such rule follows, so the eighth is split there too: the error stays
below 1e-7 of the length.
"""

from __future__ import annotations

from functools import cache

import numpy as np

from archimetra.geometry.arrays import FloatArray

_PIECES = 8
_SLOW = 0.2  # a curve that drops below this share of its top speed may have a kink in it


def cubic_points(p: FloatArray, t: FloatArray) -> FloatArray:
    """Points (n, 2) at parameters (n,)."""
    t = t[:, None]
    s = 1 - t
    return np.asarray(s**3 * p[0] + 3 * s * s * t * p[1] + 3 * s * t * t * p[2] + t**3 * p[3])


def cubic_derivative(p: FloatArray, t: FloatArray) -> FloatArray:
    """dp/dt (n, 2) at parameters (n,)."""
    t = t[:, None]
    s = 1 - t
    return np.asarray(3 * (s * s * (p[1] - p[0]) + 2 * s * t * (p[2] - p[1]) + t * t * (p[3] - p[2])))


def cubic_polynomial(p: FloatArray) -> FloatArray:
    """Coefficients (4, 2) of 1, t, t^2, t^3."""
    return np.array([p[0], 3 * (p[1] - p[0]), 3 * (p[0] - 2 * p[1] + p[2]), p[3] - 3 * p[2] + 3 * p[1] - p[0]])


def cubic_nearest(p: FloatArray, q: FloatArray) -> float:
    """The parameter of the point nearest to ``q``: every stationary point of the squared distance is a root of a
    quintic; the best of them and the ends."""
    coefficients = cubic_polynomial(p)
    x = np.polynomial.Polynomial(coefficients[:, 0] - np.array([q[0], 0, 0, 0]))
    y = np.polynomial.Polynomial(coefficients[:, 1] - np.array([q[1], 0, 0, 0]))
    slope = x * x.deriv() + y * y.deriv()
    candidates = np.concatenate(([0.0, 1.0], _real_roots(slope)))
    return float(candidates[np.argmin(x(candidates) ** 2 + y(candidates) ** 2)])


def cubic_lengths(p: FloatArray) -> FloatArray:
    """Arc lengths (n,) of many curves (n, 4, 2)."""
    x, w = _gauss()
    t = ((np.arange(_PIECES)[:, None] + (x + 1) / 2) / _PIECES).ravel()[:, None, None]
    s = 1 - t
    a, b, c = (3 * (p[:, k + 1] - p[:, k]) for k in range(3))
    out = np.empty(len(p))
    for rows in np.array_split(np.arange(len(p)), max(1, len(p) // 2000)):
        speed = s * s * a[rows] + 2 * s * t * b[rows] + t * t * c[rows]
        size = np.hypot(speed[..., 0], speed[..., 1])
        out[rows] = (size * np.tile(w, _PIECES)[:, None]).sum(axis=0) / (2 * _PIECES)
        slow = rows[size.min(axis=0) < _SLOW * size.max(axis=0)]
        out[slow] = [CubicLengths(p[k]).total for k in slow]
    return out


class CubicLengths:
    """Arc length as a function of the parameter, and back."""

    def __init__(self, p: FloatArray) -> None:
        self._p = p
        self._breaks = _breaks(p)
        half = np.diff(self._breaks) / 2
        x, w = _gauss()
        t = self._breaks[:-1, None] + half[:, None] * (x + 1)
        speed = np.hypot(*cubic_derivative(p, t.ravel()).T).reshape(t.shape)
        self._ends = np.concatenate(([0.0], np.cumsum((speed * w).sum(axis=1) * half)))

    @property
    def total(self) -> float:
        return float(self._ends[-1])

    def to(self, t: float) -> float:
        """Length from the start to parameter ``t``."""
        k = self._piece(self._breaks, t)
        half = (t - float(self._breaks[k])) / 2
        x, w = _gauss()
        speed = np.hypot(*cubic_derivative(self._p, self._breaks[k] + half * (x + 1)).T)
        return float(self._ends[k] + half * (speed * w).sum())

    def parameter_at(self, length: float) -> float:
        """The parameter at a length from the start, by Newton's method kept within its piece."""
        k = self._piece(self._ends, length)
        low, high = float(self._breaks[k]), float(self._breaks[k + 1])
        span = float(self._ends[k + 1] - self._ends[k])
        t = low + (high - low) * ((length - float(self._ends[k])) / span if span else 0.0)
        for _ in range(12):
            speed = float(np.hypot(*cubic_derivative(self._p, np.array([t]))[0]))
            if speed == 0.0:
                break
            step = (self.to(t) - length) / speed
            t = min(max(t - step, low), high)
            if abs(step) < 1e-14:
                break
        return t

    @staticmethod
    def _piece(edges: FloatArray, value: float) -> int:
        return min(max(int(np.searchsorted(edges, value, side="right")) - 1, 0), len(edges) - 2)


@cache
def _gauss() -> tuple[FloatArray, FloatArray]:
    """Nodes and weights of the 16-point rule on [-1, 1]."""
    return np.polynomial.legendre.leggauss(16)


def _breaks(p: FloatArray) -> FloatArray:
    """Eighths of the parameter, and the places where the curve is slowest if it gets slow."""
    even = np.arange(_PIECES + 1) / _PIECES
    speed = np.hypot(*cubic_derivative(p, np.linspace(0.0, 1.0, 4 * _PIECES + 1)).T)
    if speed.min() >= _SLOW * speed.max():
        return even
    first = cubic_polynomial(p)[1:] * np.array([[1.0], [2.0], [3.0]])
    slowest = np.polynomial.Polynomial([0.0])
    for axis in (0, 1):
        d = np.polynomial.Polynomial(first[:, axis])
        slowest = slowest + d * d.deriv()
    # a kink spreads over a few millionths around the slowest place where the curve misses a full stop: grade down to it
    roots = _real_roots(slowest)
    grades = np.array([0.0, 1e-5, 1e-4, 1e-3, 1e-2, 0.05])
    inner = (roots[:, None] + np.concatenate((-grades, grades))).ravel()
    return np.unique(np.concatenate((even, inner[(inner > 0) & (inner < 1)])))


def _real_roots(polynomial: np.polynomial.Polynomial) -> FloatArray:
    """Real roots strictly between 0 and 1. Leading coefficients that only rounding left are dropped first: they
    would send the companion matrix beyond all numbers."""
    largest = float(np.abs(polynomial.coef).max())
    if largest < 1e-100:
        return np.zeros(0)
    reduced = (polynomial / largest).trim(1e-15)
    roots = reduced.roots() if reduced.degree() > 0 else np.zeros(0)
    real = roots.real[(np.abs(roots.imag) < 1e-7) & (roots.real > 0) & (roots.real < 1)]
    return np.asarray(real, dtype=np.float64)
