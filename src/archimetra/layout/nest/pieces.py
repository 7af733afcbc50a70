"""Grown shapes as convex pieces, which linear programs can hold apart."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import shapely
from shapely.geometry import Polygon

from archimetra.geometry.arrays import FloatArray, IntArray
from archimetra.geometry.region import Region, polygons_of
from archimetra.layout.nest.grown import Oriented

GROWN, BARE, STUCK = 0, 1, 2  # of a part grown, of the part itself, of what never moves


class Pieces(NamedTuple):
    """Convex pieces of one shape: corners (n, 2) in mm, counter-clockwise, those of piece k from ``first[k]`` to ``first[k + 1]``; and of
    what each is a piece (k,)."""

    points: FloatArray
    first: IntArray
    kind: IntArray


def pieces_of_shapes(shapes: list[Oriented]) -> list[Pieces]:
    """Those of every shape; shapes that are one another turned are taken apart once. Bare ones only where something never moves."""
    known: dict[tuple[int, bool], tuple[Oriented, Pieces]] = {}
    has_stuck = any(shape.part < 0 for shape in shapes)
    out = []
    for shape in shapes:
        key = (shape.part, shape.mirrored)
        if shape.part < 0:
            out.append(pieces_of(shape.bare, STUCK))
            continue
        if key not in known:
            grown = pieces_of(shape.region, GROWN)
            known[key] = (shape, _together(grown, pieces_of(shape.bare, BARE)) if has_stuck else grown)
        base, pieces = known[key]
        angle = np.radians(shape.degrees - base.degrees)
        turn = np.array([[np.cos(angle), np.sin(angle)], [-np.sin(angle), np.cos(angle)]])
        out.append(pieces._replace(points=(pieces.points + base.low) @ turn - shape.low))
    return out


def _together(one: Pieces, other: Pieces) -> Pieces:
    return Pieces(
        np.vstack((one.points, other.points)),
        np.concatenate((one.first, other.first[1:] + one.first[-1])),
        np.concatenate((one.kind, other.kind)),
    )


def pieces_of(region: Region, kind: int) -> Pieces:
    """Triangles, joined over their longest shared sides as long as what comes out is convex."""
    polygons = [ring for polygon in polygons_of(region) for ring in _convex(polygon)]
    first = np.concatenate(([0], np.cumsum([len(ring) for ring in polygons]))).astype(np.int64)
    return Pieces(np.vstack(polygons), first, np.full(len(polygons), kind, np.int64))


def _convex(polygon: Polygon) -> list[FloatArray]:
    triangles = [t for t in shapely.get_parts(shapely.constrained_delaunay_triangles(polygon)) if t.area > 0]
    rings: list[list[tuple[float, float]] | None] = []
    sides: dict[tuple[tuple[float, float], tuple[float, float]], int] = {}
    for number, triangle in enumerate(triangles):
        ring = list(shapely.orient_polygons(triangle).exterior.coords[:-1])
        rings.append(ring)
        for k in range(3):
            sides[ring[k], ring[(k + 1) % 3]] = number
    shared = [(a, b) for (a, b) in sides if (b, a) in sides and a < b]
    shared.sort(key=lambda side: -float(np.hypot(side[1][0] - side[0][0], side[1][1] - side[0][1])))
    stands_for = list(range(len(rings)))

    def of(k: int) -> int:
        while stands_for[k] != k:
            k = stands_for[k]
        return k

    for a, b in shared:
        one, other = of(sides[a, b]), of(sides[b, a])
        if one == other:
            continue
        left, right = rings[one], rings[other]
        assert left is not None
        assert right is not None
        i, j = left.index(a), right.index(b)
        # left goes ... a b ..., right goes ... b a ...: around left from b to a, then around right from a to b
        whole = [left[(i + 1 + k) % len(left)] for k in range(len(left))]
        whole += [right[(j + 2 + k) % len(right)] for k in range(len(right) - 2)]
        if _is_convex(whole):
            rings[one], rings[other] = whole, None
            stands_for[other] = one
    return [np.array(ring) for ring in rings if ring is not None]


def _is_convex(ring: list[tuple[float, float]]) -> bool:
    n = len(ring)
    for k in range(n):
        (ax, ay), (bx, by), (cx, cy) = ring[k - 1], ring[k], ring[(k + 1) % n]
        if (bx - ax) * (cy - by) - (by - ay) * (cx - bx) < -1e-9:
            return False
    return True
