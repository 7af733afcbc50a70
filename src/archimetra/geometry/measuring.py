"""Measures between points and outlines, exact where the outlines are lines and arcs."""

from __future__ import annotations

from collections.abc import Sequence
from math import atan2, degrees, hypot

import numpy as np
import shapely
from shapely.geometry import MultiLineString

from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import Path
from archimetra.geometry.region import region_of
from archimetra.geometry.segments import Kind

Point = tuple[float, float]
_FINE_MM = 0.001


def angle_at(corner: Point, a: Point, b: Point) -> float:
    """The angle between the directions from a corner to two points, 0 to 180 degrees."""
    ux, uy, vx, vy = a[0] - corner[0], a[1] - corner[1], b[0] - corner[0], b[1] - corner[1]
    return degrees(abs(atan2(ux * vy - uy * vx, ux * vx + uy * vy)))


def radius_near(paths: Sequence[Path], at: Point) -> tuple[float, Point] | None:
    """The radius and centre of the curve nearest to a point: of an arc exactly, of a cubic its curvature there; None
    where the nearest is straight."""
    best: tuple[float, Path, int, float] | None = None
    for path in paths:
        for k in range(len(path)):
            t, gap = path.nearest_on_segment(k, at)
            if best is None or gap < best[0]:
                best = (gap, path, k, t)
    if best is None:
        return None
    _, path, k, t = best
    if path.kinds[k] == Kind.ARC:
        centre, radius, _, _ = path.arc(k)
        return radius, (float(centre[0]), float(centre[1]))
    if path.kinds[k] == Kind.LINE:
        return None
    c = path.params[k]
    p = np.array([path.nodes[k], c[0:2], c[2:4], path.nodes[k + 1]])
    s = 1 - t
    first = 3 * (s * s * (p[1] - p[0]) + 2 * s * t * (p[2] - p[1]) + t * t * (p[3] - p[2]))
    second = 6 * (s * (p[2] - 2 * p[1] + p[0]) + t * (p[3] - 2 * p[2] + p[1]))
    cross = float(first[0] * second[1] - first[1] * second[0])
    speed = float(hypot(*first))
    if abs(cross) < 1e-12 or speed < 1e-9:
        return None
    radius = speed**3 / cross
    on = s**3 * p[0] + 3 * s * s * t * p[1] + 3 * s * t * t * p[2] + t**3 * p[3]
    normal = np.array([-first[1], first[0]]) / speed
    centre = on + normal * radius
    return abs(radius), (float(centre[0]), float(centre[1]))


def area_of(paths: Sequence[Path], rule: FillRule) -> float:
    """The area that closed outlines fill, mm²."""
    closed = [path for path in paths if path.closed]
    if len(closed) == 1 and shapely.is_simple(shapely.linestrings(closed[0].flatten(_FINE_MM))):
        return abs(closed[0].area())  # exact; the lobes of a crossing one would take each other away
    return float(shapely.area(region_of(closed, rule, chord_tolerance_mm=_FINE_MM)))


def length_of(paths: Sequence[Path]) -> float:
    return float(sum(path.length() for path in paths))


def gap_between(one: Sequence[Path], two: Sequence[Path]) -> tuple[float, Point, Point]:
    """The shortest distance between two sets of outlines and the points it lies between; 0 where they touch or cross."""
    lines = [MultiLineString([path.flatten(_FINE_MM) for path in side if len(path)]) for side in (one, two)]
    (ax, ay), (bx, by) = shapely.get_coordinates(shapely.shortest_line(lines[0], lines[1]))
    return float(hypot(bx - ax, by - ay)), (float(ax), float(ay)), (float(bx), float(by))
