"""The flat floor of a V-carve with a depth limit: which part of it straight bits cannot reach, and the rows that cut it.

The floor is where the clearance is at least ``foot``. A straight bit of radius r that keeps off the sloping walls reaches what its
disc covers with its centre at a clearance of foot + r or more. In what that leaves the carving bit goes along level curves
of the clearance, ``step`` apart, and along the axis, all at the floor's depth: ridges between them stay below the cusp asked for.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.clearances import Piece
from archimetra.geometry.region import EMPTY, Region, as_region
from archimetra.toolpath.carving import Carving
from archimetra.toolpath.pocket_area import filled

SLIVER_MM = 0.01  # strips of floor narrower than this count as reached
_FINE_MM = 0.001


def floor_of(piece: Piece, carving: Carving) -> Region:
    """The level floor of a piece; empty where it is carved nowhere so deep."""
    if carving.foot <= 0:
        return piece.polygon
    return _area(piece, carving.foot)


def left_of_floor(piece: Piece, carving: Carving, floor: Region, bit_radius: float) -> Region:
    """What a straight bit of this radius cannot reach of the floor."""
    centres = _area(piece, carving.foot + bit_radius)
    if centres.is_empty:
        return floor
    reached = shapely.buffer(centres, bit_radius + 0.002, quad_segs=48)
    left = shapely.difference(floor, reached)
    wide = shapely.buffer(shapely.buffer(left, -SLIVER_MM / 2, quad_segs=4), SLIVER_MM / 2 + 0.002, quad_segs=8)
    return as_region(shapely.intersection(wide, floor))


def rows_of(
    piece: Piece, carving: Carving, zone: Region, *, step: float, axis: Sequence[FloatArray]
) -> list[FloatArray]:
    """The lines (n, 2) that cut a zone of the floor: level curves and the axis beyond ``reach``, clipped to the zone grown by a
    step. The curve at ``reach`` itself is the rim, which is cut anyway."""
    if zone.is_empty:
        return []
    grown = as_region(shapely.buffer(zone, step, quad_segs=4))
    shapely.prepare(grown)
    corners = shapely.points(shapely.get_coordinates(grown))
    inside = corners[shapely.intersects(piece.polygon, corners)]
    outline = shapely.boundary(piece.polygon)
    highest = float(shapely.distance(outline, inside).max()) + step if len(inside) else np.inf
    deepest = piece.deepest()
    if deepest is not None:
        at = shapely.points(deepest.at)
        highest = deepest.clearance if shapely.intersects(grown, at) else min(highest, deepest.clearance)
    out: list[FloatArray] = []
    for k in range(1, int(min((highest - carving.reach) / step, 20_000)) + 1):
        for path in piece.offsets(carving.reach + k * step):
            out.extend(_within(path.flatten(_FINE_MM), grown))
    for line in axis:
        if len(line) > 1:
            out.extend(_within(line[:, :2], grown))
    return out


def length_of_rows(zone: Region, step: float) -> float:
    """About how long the rows of a zone come out, mm."""
    return float(zone.area) / step


def _within(line: FloatArray, zone: Region) -> list[FloatArray]:
    shape = shapely.linestrings(line)
    if not shapely.intersects(zone, shape):
        return []
    if shapely.covers(zone, shape):
        return [line]
    return _lines(shapely.intersection(shape, zone))


def _lines(geometry: BaseGeometry) -> list[FloatArray]:
    parts = [part for part in shapely.get_parts(geometry) if part.geom_type == "LineString"]
    if not parts:
        return []
    merged = shapely.line_merge(shapely.multilinestrings(parts))
    found = [shapely.get_coordinates(part) for part in shapely.get_parts(merged)]
    return [points for points in found if np.hypot(*np.diff(points, axis=0).T).sum() > 0.005]


def _area(piece: Piece, level: float) -> Region:
    rings = [path.flatten(_FINE_MM) for path in piece.offsets(level)]
    return filled(rings) if rings else EMPTY
