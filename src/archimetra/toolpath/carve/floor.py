"""The flat floor of a V-carve with a depth limit: which part of it straight bits cannot reach, and the rows that cut it.

The floor is where the clearance is at least ``foot``. A straight bit of radius r that keeps off the sloping walls reaches what its
disc covers with its centre at a clearance of foot + r or more. In what that leaves the carving bit goes along level curves
of the clearance, ``step`` apart, and along the axis, all at the floor's depth: ridges between them stay below the cusp asked for.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import shapely

from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.clearances import Piece
from archimetra.geometry.morphology import filled
from archimetra.geometry.path import flatten_together
from archimetra.geometry.region import EMPTY, Region, as_region, line_parts
from archimetra.toolpath.carve.strokes import axis_of
from archimetra.toolpath.carve_depths import CarveDepths

MOST_FLOOR_MM = 150_000.0  # of rows on a floor; beyond that the bit would run for hours
SLIVER_MM = 0.01  # strips of floor narrower than this count as reached
_FINE_MM = 0.001
_MOST_LEVELS = 20_000
_DOT_MM = 0.0005


class FloorRows(NamedTuple):
    """The floor of a piece, what of it is left for the carving bit, the rows (n, 2) of the last pass there, and those of passes before it,
    farther apart. ``is_too_much``: there would be rows for hours, so there are none."""

    floor: Region
    zone: Region
    rows: list[FloatArray]
    rough: list[FloatArray]
    is_too_much: bool = False


def floor_rows(
    piece: Piece, carving: CarveDepths, *, step: float, rough_step: float, cleared_by: float | None
) -> FloorRows:
    """The rows on the floor of a piece, ``step`` apart, beside what straight bits of radius ``cleared_by`` took before."""
    c = carving
    floor = floor_of(piece, c)
    zone = floor if cleared_by is None else left_of_floor(piece, c, floor, cleared_by)
    if zone.is_empty:
        return FloorRows(floor, zone, [], [])
    if length_of_rows(zone, step) > MOST_FLOOR_MM:
        return FloorRows(floor, zone, [], [], is_too_much=True)
    high = axis_of(piece, c, c.reach, np.inf)
    # the middle of a round floor has no stroke to be cut along: the bit goes down on it
    axis = high.strokes() + [np.array([(x, y, r), (x + _DOT_MM, y, r)]) for x, y, r in high.spots]
    rows = rows_of(piece, c, zone, step=step, axis=axis)
    rough = max(step, rough_step)
    return FloorRows(floor, zone, rows, rows if rough < 1.5 * step else rows_of(piece, c, zone, step=rough, axis=axis))


def floor_of(piece: Piece, carving: CarveDepths) -> Region:
    """The level floor of a piece; empty where it is carved nowhere so deep."""
    if carving.foot <= 0:
        return piece.polygon
    return _area(piece, carving.foot)


def left_of_floor(piece: Piece, carving: CarveDepths, floor: Region, bit_radius: float) -> Region:
    """What a straight bit of this radius cannot reach of the floor."""
    centres = _area(piece, carving.foot + bit_radius)
    if centres.is_empty:
        return floor
    reached = shapely.buffer(centres, bit_radius + 0.002, quad_segs=48)
    left = shapely.difference(floor, reached)
    wide = shapely.buffer(shapely.buffer(left, -SLIVER_MM / 2, quad_segs=4), SLIVER_MM / 2 + 0.002, quad_segs=8)
    return as_region(shapely.intersection(wide, floor))


def rows_of(
    piece: Piece, carving: CarveDepths, zone: Region, *, step: float, axis: Sequence[FloatArray]
) -> list[FloatArray]:
    """The lines (n, 2) that cut a zone of the floor: level curves and the axis beyond ``reach``, clipped to the zone grown by a
    step. The curve at ``reach`` itself is the rim, which is cut anyway."""
    if zone.is_empty:
        return []
    grown = as_region(shapely.buffer(zone, step, quad_segs=4))
    shapely.prepare(grown)
    levels = int(min((_highest(piece, grown) + step - carving.reach) / step, _MOST_LEVELS))
    curves = [path for k in range(1, levels + 1) for path in piece.offsets(carving.reach + k * step)]
    flatten_together(curves, _FINE_MM)
    lines = [path.flatten(_FINE_MM) for path in curves]
    lines += [line[:, :2] for line in axis if len(line) > 1]
    return _within(lines, grown)


def _highest(piece: Piece, zone: Region) -> float:
    """The greatest clearance in a zone: at the piece's deepest place, or on the zone's border."""
    deepest = piece.deepest()
    if deepest is None:
        return 0.0
    if shapely.intersects(zone, shapely.points(deepest.at)):
        return deepest.clearance
    rings = [shapely.get_coordinates(ring) for ring in (piece.polygon.exterior, *piece.polygon.interiors)]
    outline = shapely.STRtree(shapely.linestrings(np.vstack([np.stack((r[:-1], r[1:]), axis=1) for r in rings])))
    border = shapely.points(shapely.get_coordinates(zone))
    _, gaps = outline.query_nearest(border, return_distance=True, all_matches=False)
    # a branch of the axis within the zone may lie higher than its border: by no more than the zone is wide
    return min(deepest.clearance, float(gaps.max()) + float(np.hypot(*np.ptp(shapely.get_coordinates(zone), axis=0))))


def length_of_rows(zone: Region, step: float) -> float:
    """About how long the rows of a zone come out, mm."""
    return float(zone.area) / step


def _within(lines: Sequence[FloatArray], zone: Region) -> list[FloatArray]:
    """Lines clipped to a zone that is prepared."""
    shapes = np.array([shapely.linestrings(line) for line in lines], dtype=object)
    if not len(shapes):
        return []
    meets, inside = shapely.intersects(zone, shapes), shapely.covers(zone, shapes)
    out: list[FloatArray] = []
    for line, shape, is_met, is_inside in zip(lines, shapes, meets, inside, strict=True):
        if is_inside:
            out.append(line)
        elif is_met:
            out.extend(line_parts(shapely.intersection(shape, zone), longer_than=0.005))
    return out


def _area(piece: Piece, level: float) -> Region:
    rings = [path.flatten(_FINE_MM) for path in piece.offsets(level)]
    return filled(rings) if rings else EMPTY
