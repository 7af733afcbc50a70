"""What shapes cover of a board, as geometry: their lines, what their outlines enclose, and what they fill.

Shapes never change, so what was worked out for one is kept; moving one of a thousand works out one.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.region import EMPTY, Region, region_of
from archimetra.job.shapes import Shape

FLAT_MM = 0.02  # chords stand for curves this nearly: it decides what lies within what, and moves no bit
TOUCH_MM = 0.05  # work whose line runs along an outline, or over it by no more than this, still lies inside it
_MOST_KEPT = 20_000


class _Kept:
    """Results by shape, the shape itself kept so that no other can come to stand at its place in memory."""

    def __init__(self, make: Callable[[Shape], BaseGeometry]) -> None:
        self._make = make
        self._known: dict[int, tuple[Shape, BaseGeometry]] = {}

    def __call__(self, shape: Shape) -> BaseGeometry:
        found = self._known.get(id(shape))
        if found is not None and found[0] is shape:
            return found[1]
        if len(self._known) >= _MOST_KEPT:
            self._known.clear()
        made = self._make(shape)
        self._known[id(shape)] = (shape, made)
        return made


def _flat(shape: Shape) -> list[tuple[FloatArray, bool]]:
    flat = [(path.flatten(FLAT_MM), path.closed) for path in shape.placed() if len(path)]
    return [(points, closed) for points, closed in flat if len(points) > 1]


def _lines(shape: Shape) -> BaseGeometry:
    lines: BaseGeometry = shapely.multilinestrings([shapely.linestrings(points) for points, _ in _flat(shape)])
    return lines


def _enclosed(shape: Shape) -> Region:
    """All that the closed outlines of a shape go round, holes and what stands in them included."""
    rings = [shapely.polygons(points) for points, closed in _flat(shape) if closed and len(points) > 3]
    if not rings:
        return EMPTY
    whole = shapely.union_all(shapely.make_valid(np.array(rings, dtype=object)))
    return shapely.buffer(whole, TOUCH_MM, quad_segs=2, join_style="mitre")  # type: ignore[no-any-return]


def _filled(shape: Shape) -> Region:
    """The area a shape fills, by its rule."""
    return region_of(shape.placed(), shape.fill_rule, chord_tolerance_mm=FLAT_MM)


lines_of = _Kept(_lines)
enclosed_by = _Kept(_enclosed)
filled_by = _Kept(_filled)


def covers(areas: Iterable[Shape], shapes: Iterable[Shape]) -> bool:
    """Whether every one of some shapes lies in what others fill together; False where there are none of either."""
    things = [lines_of(shape) for shape in shapes]
    fills = [area for shape in areas if not (area := filled_by(shape)).is_empty]
    if not things or not fills:
        return False
    whole = shapely.buffer(shapely.union_all(fills), TOUCH_MM, quad_segs=2, join_style="mitre")
    shapely.prepare(whole)
    return bool(shapely.covers(whole, things).all())
