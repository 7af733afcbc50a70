"""What shapes cover of a board, as geometry: their lines, what their outlines enclose, and what they fill.

Outlines never change, so what was worked out for some is kept, in their own coordinates: shapes that are moved, a thousand at a time,
are only laid where they now are.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from archimetra.geometry.affine import IDENTITY, Affine
from archimetra.geometry.arrays import AnyArray, FloatArray
from archimetra.geometry.path import Path
from archimetra.geometry.region import EMPTY, Region, region_of
from archimetra.job.shapes import Shape

FLAT_MM = 0.02  # chords stand for curves this nearly: it decides what lies within what, and moves no bit
TOUCH_MM = 0.05  # work whose line runs along an outline, or over it by no more than this, still lies inside it
_MOST_KEPT = 20_000

Make = Callable[
    [Shape, float], BaseGeometry
]  # of a shape in its own coordinates, and how many mm there are one of the board's


class _Footprints:
    """Geometry of shapes on the board (n,). What is kept goes by the objects themselves, held so that no others can come to stand at
    their place in memory."""

    def __init__(self, make: Make) -> None:
        self._make = make
        self._own: dict[tuple[Any, ...], tuple[Sequence[Path], BaseGeometry]] = {}
        self._placed: dict[int, tuple[Shape, BaseGeometry]] = {}

    def __call__(self, shapes: Sequence[Shape]) -> AnyArray:
        out = np.empty(len(shapes), dtype=object)
        moved: dict[Affine, list[int]] = {}
        for k, shape in enumerate(shapes):
            found = self._placed.get(id(shape))
            if found is not None and found[0] is shape:
                out[k] = found[1]
            else:
                moved.setdefault(shape.at, []).append(k)
        for at, which in moved.items():
            own = np.array([self._in_own(shapes[k]) for k in which], dtype=object)
            out[which] = own if at == IDENTITY else shapely.transform(own, at.apply)
            self._keep(shapes, which, out)
        return out

    def _in_own(self, shape: Shape) -> BaseGeometry:
        scale = abs(shape.at.determinant) ** 0.5
        key = (id(shape.paths), shape.fill_rule, round(scale, 9))
        found = self._own.get(key)
        if found is not None and found[0] is shape.paths:
            return found[1]
        if len(self._own) >= _MOST_KEPT:
            self._own.clear()
        made = self._make(shape, 1.0 / max(scale, 1e-9))
        self._own[key] = (shape.paths, made)
        return made

    def _keep(self, shapes: Sequence[Shape], which: list[int], out: AnyArray) -> None:
        if len(self._placed) + len(which) > _MOST_KEPT:
            self._placed.clear()
        self._placed.update({id(shapes[k]): (shapes[k], out[k]) for k in which})


def _flat(shape: Shape, mm: float) -> list[tuple[FloatArray, bool]]:
    flat = [(path.flatten(FLAT_MM * mm), path.closed) for path in shape.paths if len(path)]
    return [(points, closed) for points, closed in flat if len(points) > 1]


def _lines(shape: Shape, mm: float) -> BaseGeometry:
    lines: BaseGeometry = shapely.multilinestrings([shapely.linestrings(points) for points, _ in _flat(shape, mm)])
    return lines


def _enclosed(shape: Shape, mm: float) -> BaseGeometry:
    rings = [shapely.polygons(points) for points, closed in _flat(shape, mm) if closed and len(points) > 3]
    if not rings:
        return EMPTY
    return _a_touch_wider(shapely.union_all(shapely.make_valid(np.array(rings, dtype=object))), mm)


def _filled(shape: Shape, mm: float) -> BaseGeometry:
    return region_of(shape.paths, shape.fill_rule, chord_tolerance_mm=FLAT_MM * mm)


def _a_touch_wider(area: BaseGeometry, mm: float = 1.0) -> Region:
    wider: Region = shapely.buffer(area, TOUCH_MM * mm, quad_segs=2, join_style="mitre")
    return wider


lines_of = _Footprints(_lines)  # all their lines
enclosed_by = _Footprints(_enclosed)  # all that their closed outlines go round, holes and what stands in them included
filled_by = _Footprints(_filled)  # the area they fill, by their rule


def covers(areas: Sequence[Shape], shapes: Sequence[Shape]) -> bool:
    """Whether every one of some shapes lies in what others fill together; False where there are none of either."""
    if not shapes or not areas:
        return False
    whole = _a_touch_wider(shapely.union_all(filled_by(areas)))
    shapely.prepare(whole)
    return bool(shapely.covers(whole, lines_of(shapes)).all())
