"""Outlines from a few measures: rectangles, ellipses, polygons, stars, slots. All closed and counter-clockwise, in mm.

Each raises ValueError with a sentence's beginning ("a ... is ...") where the measures make no outline.
"""

from __future__ import annotations

from math import atan2, cos, hypot, pi, radians, sin, tan

import numpy as np

from archimetra.geometry.affine import Affine
from archimetra.geometry.path import Path

Point = tuple[float, float]

_QUARTER = tan(pi / 8)  # the bulge of a quarter circle


def rectangle(centre: Point, width: float, height: float, corner_radius: float = 0.0) -> Path:
    """A rectangle about its centre; round corners are cut back to half the shorter side."""
    _need(width > 0 and height > 0, "a rectangle is wider and deeper than 0 mm")
    _need(corner_radius >= 0, "a corner radius is 0 mm or more")
    x0, y0 = centre[0] - width / 2, centre[1] - height / 2
    x1, y1 = x0 + width, y0 + height
    r = min(corner_radius, width / 2, height / 2)
    if r <= 0:
        return Path.rectangle(x0, y0, width, height)
    nodes = [
        (x0 + r, y0), (x1 - r, y0), (x1, y0 + r), (x1, y1 - r), (x1 - r, y1), (x0 + r, y1), (x0, y1 - r), (x0, y0 + r),
    ]  # fmt: skip
    bulges = [0.0, _QUARTER] * 4
    return without_empty(Path.arcs(np.array([*nodes, nodes[0]]), np.array(bulges), closed=True))


def ellipse(centre: Point, width: float, height: float) -> Path:
    """A circle (two half circles) or an ellipse (cubics within 1e-7 of its size)."""
    _need(width > 0 and height > 0, "an ellipse is wider and deeper than 0 mm")
    if width == height:
        return Path.circle(centre, width / 2)
    return Path.circle((0.0, 0.0), 0.5).transform(Affine(width, 0.0, 0.0, height, *centre))


def polygon(centre: Point, sides: int, radius: float, turn_degrees: float = 0.0) -> Path:
    """A regular polygon by the radius to its corners; its first corner points up, then turned left by the angle."""
    _need(3 <= sides <= 360, "a polygon has 3 to 360 sides")
    _need(radius > 0, "a polygon's radius is above 0 mm")
    return Path.polyline(_around(centre, [radius] * sides, turn_degrees), closed=True)


def star(centre: Point, points: int, outer: float, inner: float, turn_degrees: float = 0.0) -> Path:
    """A star by the radii to its points and to its inner corners; a point up, then turned left by the angle."""
    _need(2 <= points <= 360, "a star has 2 to 360 points")
    _need(inner > 0 and outer > 0, "a star's radii are above 0 mm")
    return Path.polyline(_around(centre, [outer, inner] * points, turn_degrees), closed=True)


def slot(a: Point, b: Point, width: float) -> Path:
    """A slot with round ends about the line from ``a`` to ``b`` (the centres of its ends)."""
    _need(width > 0, "a slot is wider than 0 mm")
    length = hypot(b[0] - a[0], b[1] - a[1])
    if length < 1e-9:
        return Path.circle(a, width / 2)
    nx, ny = -(b[1] - a[1]) / length * width / 2, (b[0] - a[0]) / length * width / 2
    nodes = [(a[0] - nx, a[1] - ny), (b[0] - nx, b[1] - ny), (b[0] + nx, b[1] + ny), (a[0] + nx, a[1] + ny)]
    return Path.arcs(np.array([*nodes, nodes[0]]), np.array([0.0, 1.0, 0.0, 1.0]), closed=True)


def square_slot(a: Point, b: Point, width: float) -> Path:
    """A slot with square ends: the rectangle of that width whose middle line runs from ``a`` to ``b``."""
    length = hypot(b[0] - a[0], b[1] - a[1])
    _need(width > 0 and length > 1e-9, "a slot is longer and wider than 0 mm")
    m = Affine.turn(np.degrees(atan2(b[1] - a[1], b[0] - a[0]))).then(Affine.shift(*a))
    return Path.rectangle(0.0, -width / 2, length, width).transform(m)


def arc_through(a: Point, by: Point, b: Point) -> float:
    """The bulge of the arc from ``a`` over ``by`` to ``b``; 0 where the three lie in line."""
    # the angle at `by` between the ends is pi minus half the sweep, whichever side it lies on
    ux, uy, vx, vy = a[0] - by[0], a[1] - by[1], b[0] - by[0], b[1] - by[1]
    cross, dot = ux * vy - uy * vx, ux * vx + uy * vy
    if abs(cross) <= 1e-12 * (hypot(ux, uy) * hypot(vx, vy) or 1.0):
        return 0.0
    half_sweep = pi - abs(atan2(cross, dot))
    bulge = tan(half_sweep / 2)
    return bulge if cross < 0 else -bulge


def without_empty(path: Path) -> Path:
    """Segments that run from a point to itself left out (a cubic that makes a loop stays)."""
    length = np.hypot(*np.diff(path.nodes, axis=0).T)
    is_loop = (path.kinds == 2) & (np.abs(path.params - np.tile(path.nodes[:-1], 2)).max(axis=1) > 1e-9)
    keep = (length > 1e-9) | is_loop
    if keep.all() or not keep.any():
        return path
    nodes = np.vstack((path.nodes[:-1][keep], path.nodes[-1:]))
    if path.closed:
        nodes[-1] = nodes[0]
    return Path(nodes, path.kinds[keep], path.params[keep], closed=path.closed)


def _around(centre: Point, radii: list[float], turn_degrees: float) -> list[Point]:
    first = pi / 2 + radians(turn_degrees)
    angles = [first + 2 * pi * k / len(radii) for k in range(len(radii))]
    return [(centre[0] + r * cos(a), centre[1] + r * sin(a)) for r, a in zip(radii, angles, strict=True)]


def _need(is_so: bool, words: str) -> None:
    if not is_so:
        raise ValueError(words)
