"""Round holes among drawn shapes: closed outlines that are circles, grouped by size."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np

from archimetra.geometry.path import Path
from archimetra.job.ids import ShapeId
from archimetra.job.shapes import Shape

ROUND_MM = 0.01  # an outline this near to a circle all round is one,
ROUND_SHARE = 0.003  # or this share of its radius, for traced and flattened ones
SAME_SIZE_MM = 0.02  # diameters this near to each other are one size


class Circle(msgspec.Struct, frozen=True):
    at: tuple[float, float]
    diameter: float
    shape: ShapeId


def circle_of(path: Path) -> tuple[tuple[float, float], float] | None:
    """Centre and diameter of a closed path that is a circle, None for others.

    The centre is that of the box, which no start point and no count of nodes can move.
    """
    if not path.closed or len(path) < 2:
        return None
    points = path.flatten(0.001)[:-1]
    if len(points) < 8:
        return None
    low, high = points.min(axis=0), points.max(axis=0)
    size = high - low
    if abs(size[0] - size[1]) > max(2 * ROUND_MM, ROUND_SHARE * size.max()):
        return None
    centre = (low + high) / 2
    radii = np.hypot(*(points - centre).T)
    radius = float(radii.mean())
    if np.abs(radii - radius).max() > max(ROUND_MM, ROUND_SHARE * radius):
        return None
    angles = np.unwrap(np.arctan2(*(points - centre).T[::-1]))
    if abs(abs(angles[-1] - angles[0]) - 2 * np.pi) > 1.0:
        return None
    return (float(centre[0]), float(centre[1])), 2 * radius


def circles_of(shapes: Sequence[Shape]) -> list[Circle]:
    """Every circle of the shapes, in their order; one drawn twice counts once."""
    out: list[Circle] = []
    seen: set[tuple[float, float, float]] = set()
    for shape in shapes:
        for path in shape.placed():
            found = circle_of(path)
            if found is None:
                continue
            at, diameter = found
            key = (round(at[0], 2), round(at[1], 2), round(diameter, 2))
            if key not in seen:
                seen.add(key)
                out.append(Circle(at, diameter, shape.id))
    return out


def sizes_of(circles: Sequence[Circle]) -> list[tuple[float, int]]:
    """Diameters with how many there are of each, small ones first; near ones are counted as one size."""
    groups: list[list[float]] = []
    for diameter in sorted(circle.diameter for circle in circles):
        if groups and diameter - groups[-1][0] <= SAME_SIZE_MM:
            groups[-1].append(diameter)
        else:
            groups.append([diameter])
    return [(round(float(np.mean(group)), 3), len(group)) for group in groups]
