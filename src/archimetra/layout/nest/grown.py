"""Parts as nesting sees them: grown by half the spacing, made of few edges, turned every way they may lie."""

from __future__ import annotations

from math import hypot
from typing import NamedTuple

import numpy as np
import shapely
from shapely import affinity
from shapely.geometry import Polygon

from archimetra.geometry.arrays import FloatArray, IntArray
from archimetra.geometry.region import Region, as_region, polygons_of
from archimetra.layout.nest.request import NestPart, NestRequest, NestSheet

TOLERANCE_MM = 0.05  # how closely a grown outline is followed, outside only
COARSE_MM = 0.2  # the same for the first answer
FEW_POINTS = 44  # outlines of no more than this are not followed but kept: a grown rectangle is
MANY_POINTS = 160  # the same where edges are to lie along each other
_ALIKE_MM = 0.02  # ways to lie that differ by less are one
_HAIR = 2e-4  # less than half the spacing by this: two that touch are as far apart as asked within 0.0004 mm
MOST_ORIENTED = 64  # more shapes than this cost more tables than they gain


class Oriented(NamedTuple):
    """A part one way round, moved so that its box, ``width`` by ``height``, begins at the origin; ``low`` is where it began before.
    ``region`` is what must not meet that of another part: the part grown by half the spacing. ``bare`` is what must not meet what never
    moves. ``part`` is -1 for what never moves itself."""

    region: Region
    bare: Region
    part: int
    degrees: float
    mirrored: bool
    low: tuple[float, float]
    width: float
    height: float


class Zone(NamedTuple):
    """Where parts may lie on a sheet: a box, and what they must not meet there, in the box's coordinates."""

    x: float
    y: float
    width: float
    height: float
    obstacles: tuple[Region, ...]


def grown(part: NestPart, spacing: float, tolerance: float, smallest: float, few: int = FEW_POINTS) -> Region:
    """The part grown by half the ``spacing``, and where bits run for it, as far as that lies beyond. Holes nothing fits into are left
    out: ``smallest`` is the inradius of the smallest grown part."""
    return _joined(part, max(spacing / 2 - _HAIR, 0.0), spacing / 2, tolerance, smallest, few)


def bare(part: NestPart, tolerance: float, smallest: float) -> Region:
    """The part itself with the ground its bits run over, holes as in ``grown``."""
    return _joined(part, 0.0, 0.0, tolerance, smallest)


def _joined(part: NestPart, by: float, less: float, tolerance: float, smallest: float, few: int = FEW_POINTS) -> Region:
    region = _buffered(part.outline, by, tolerance, few)
    for reach in part.reaches:
        wide = _buffered(reach.centres, max(reach.radius - less, 0.0), tolerance)
        if not shapely.covers(region, wide):
            region = as_region(region.union(wide))
    kept = []
    for polygon in polygons_of(region):
        holes = [ring for ring in polygon.interiors if not Polygon(ring).buffer(-0.9 * smallest).is_empty]
        kept.append(Polygon(polygon.exterior, holes))
    return as_region(shapely.union_all(kept))


def _buffered(region: Region, by: float, tolerance: float, few: int = FEW_POINTS) -> Region:
    """All within a distance of a region, or a little more. Straight sides come out exact, so that what fits by a hair does; outlines of
    many points are followed to the ``tolerance``."""
    segments = 8
    round_ = region.buffer(by / np.cos(np.pi / (4 * segments)), quad_segs=segments)
    exact = as_region(round_.intersection(region.buffer(by, join_style="mitre", mitre_limit=5.0)) if by > 0 else region)
    if shapely.get_num_coordinates(exact) <= few:
        return exact
    return as_region(exact.buffer(tolerance, quad_segs=4).simplify(tolerance))


def inradius(region: Region) -> float:
    """Of the largest disc in it, within 5 percent."""
    x0, y0, x1, y1 = region.bounds
    circle = shapely.maximum_inscribed_circle(region, tolerance=max(min(x1 - x0, y1 - y0) / 40, 1e-6))
    return float(shapely.length(circle))


def oriented_shapes(request: NestRequest, tolerance: float) -> list[Oriented]:
    """Every part every way it may lie, parts in order. Where that makes too many, the finest turns of the rarest parts go first."""
    half = request.spacing / 2
    smallest = min(inradius(part.outline) for part in request.parts if part.quantity) + half
    ways = [ways_of(part) for part in request.parts]
    for rare in sorted(range(len(ways)), key=lambda k: request.parts[k].quantity):
        excess = sum(map(len, ways)) - MOST_ORIENTED
        if excess > 0 and len(ways[rare]) > 4:
            keep = max(len(ways[rare]) - excess, 4)
            ways[rare] = [ways[rare][k * len(ways[rare]) // keep] for k in range(keep)]
    out: list[Oriented] = []
    for number, part in enumerate(request.parts):
        if part.quantity:
            few = MANY_POINTS if request.gathers else FEW_POINTS
            regions = grown(part, request.spacing, tolerance, smallest, few), bare(part, tolerance, smallest - half)
            own: list[Oriented] = []
            for degrees, mirrored in ways[number]:
                lies = _oriented(regions, part.outline, number, degrees, mirrored)
                if not any(_is_same(lies, other) for other in own):  # a square turned a quarter is no other way to lie
                    own.append(lies)
            out += own
    return out


def _is_same(one: Oriented, other: Oriented) -> bool:
    """Whether a part lies alike: what must not be met is the same, within a hair."""
    if abs(one.width - other.width) > _ALIKE_MM or abs(one.height - other.height) > _ALIKE_MM:
        return False
    return all(
        abs(a.area - b.area) < _ALIKE_MM * a.length and a.symmetric_difference(b).area < _ALIKE_MM * a.length
        for a, b in ((one.region, other.region), (one.bare, other.bare))
    )


def ways_of(part: NestPart) -> list[tuple[float, bool]]:
    """(degrees, mirrored) of each different way the part may lie."""
    turns = list(dict.fromkeys(round(turn % 360.0, 9) for turn in part.turns))
    flips = (False, True) if part.may_mirror else (False,)
    return [(turn, flip) for flip in flips for turn in turns]


def free_turns(outline: Region, most: int = 12) -> tuple[float, ...]:
    """Turns for a part that may lie any way round: the eighths of a turn, and those that lay its longest straight sides along the
    sheet's edges."""
    turns = [45.0 * k for k in range(8)]
    hull = np.asarray(shapely.get_coordinates(outline.convex_hull))
    sides = np.diff(hull, axis=0)
    for side in sorted(sides.tolist(), key=lambda s: -hypot(*s)):
        if len(turns) >= most:
            break
        angle = -float(np.degrees(np.arctan2(side[1], side[0]))) % 90.0
        if all(min(abs(angle - turn % 90.0), 90.0 - abs(angle - turn % 90.0)) > 1.0 for turn in turns):
            turns += [angle + 90.0 * k for k in range(4)][: most - len(turns)]
    return tuple(turns)


def _oriented(
    regions: tuple[Region, Region], outline: Region, part: int, degrees: float, mirrored: bool
) -> Oriented:  # fmt: skip
    def turned(region: Region) -> Region:
        flipped = affinity.scale(region, -1.0, 1.0, origin=(0, 0)) if mirrored else region
        return affinity.rotate(flipped, degrees, origin=(0, 0)) if degrees else flipped

    x0, y0, x1, y1 = turned(outline).bounds
    whole, itself = (affinity.translate(turned(region), -x0, -y0) for region in regions)
    return Oriented(whole, itself, part, degrees, mirrored, (x0, y0), x1 - x0, y1 - y0)


def zone_of(sheet: NestSheet, request: NestRequest, tolerance: float) -> Zone | None:
    """Where parts may lie on a sheet; None where the margins leave nothing of it."""
    margin = request.margin
    x0, y0, x1, y1 = sheet.outline.bounds
    if x1 - x0 <= 2 * margin or y1 - y0 <= 2 * margin:
        return None
    around = shapely.box(x0, y0, x1, y1)
    found: list[Polygon] = []
    if not sheet.outline.equals(around):
        found += polygons_of(_buffered(as_region(around.difference(sheet.outline)), margin, tolerance))
    for keep in sheet.keep_clear:
        found += polygons_of(_buffered(keep.area, keep.clearance, tolerance))
    inside = []
    for area in found:
        for polygon in polygons_of(area.intersection(around)):
            if polygon.area > 1e-6:
                inside.append(affinity.translate(polygon, -x0 - margin, -y0 - margin))
    return Zone(x0 + margin, y0 + margin, x1 - x0 - 2 * margin, y1 - y0 - 2 * margin, tuple(inside))


class Edges(NamedTuple):
    """The edges (n, 4) of several shapes in cells, those of shape k from ``first[k]`` to ``first[k + 1]``; and a point of each of their
    separate pieces (m, 2), from ``lead[k]`` to ``lead[k + 1]``."""

    edges: FloatArray
    first: IntArray
    leads: FloatArray
    lead: IntArray


def edges_of(regions: list[Region], cell: float) -> Edges:
    each, leads, first, lead = [], [], [0], [0]
    for region in regions:
        polygons = polygons_of(region)
        rings = [np.asarray(ring.coords) / cell for p in polygons for ring in (p.exterior, *p.interiors)]
        each += [np.hstack((ring[:-1], ring[1:])) for ring in rings]
        leads += [np.asarray(p.exterior.coords[0]) / cell for p in polygons]
        first.append(first[-1] + sum(len(ring) - 1 for ring in rings))
        lead.append(lead[-1] + len(polygons))
    return Edges(
        np.ascontiguousarray(np.vstack(each)), np.array(first, np.int64), np.array(leads).reshape(-1, 2),
        np.array(lead, np.int64),
    )  # fmt: skip
