"""Regions: areas of material as shapely polygons, built from outlines under a fill rule.

A ``Region`` is a valid shapely Polygon or MultiPolygon in floating precision (possibly empty),
oriented by ``ring_paths``: exteriors counter-clockwise, holes clockwise, so that the area lies on
the left. Curves are flattened to a chord tolerance when they become a region; paths stay exact.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import TypeAlias

import numpy as np
import shapely
from shapely.geometry import MultiPolygon, Polygon
from shapely.geometry.base import BaseGeometry

from archimetra.geometry.arrays import AnyArray, BoolArray, FloatArray, IntArray
from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import FLATTEN_TOLERANCE_MM, Path

Region: TypeAlias = Polygon | MultiPolygon

EMPTY: Region = MultiPolygon()


def region_of(paths: Sequence[Path], rule: FillRule, *, chord_tolerance_mm: float = FLATTEN_TOLERANCE_MM) -> Region:
    """The area that closed ``paths`` fill together under ``rule``; open paths and specks without area add nothing.

    Self-crossing outlines are resolved as the rule says, by classifying every face of the arrangement.
    """
    rings = [path.flatten(chord_tolerance_mm) for path in paths if path.closed]
    rings = [ring for ring in rings if len(ring) >= 4]
    if not rings:
        return EMPTY
    if len(rings) == 1:
        alone = Polygon(rings[0])
        if alone.is_valid:
            return alone if alone.area > 0 else EMPTY
    return _classified_faces(rings, rule)


def polygons_of(region: BaseGeometry) -> list[Polygon]:
    """The polygons of any geometry, lines and points left out."""
    parts = shapely.get_parts(region)
    if any(part.geom_type == "GeometryCollection" for part in parts):
        return [polygon for part in parts for polygon in polygons_of(part)]
    out = []
    for part in parts:
        if part.geom_type == "MultiPolygon":
            out.extend(part.geoms)
        elif part.geom_type == "Polygon" and not part.is_empty:
            out.append(part)
    return out


def as_region(geometry: BaseGeometry) -> Region:
    """Only the areas of a geometry, as one region."""
    polygons = polygons_of(geometry)
    return polygons[0] if len(polygons) == 1 else MultiPolygon(polygons)


def unite(regions: Sequence[Region]) -> Region:
    return as_region(shapely.union_all(list(regions)))


def subtract(region: Region, other: Region) -> Region:
    """What lies in the first and not in the second."""
    return as_region(shapely.difference(region, other))


def intersect(region: Region, other: Region) -> Region:
    """What lies in both."""
    return as_region(shapely.intersection(region, other))


def nested(regions: Sequence[Region]) -> Region:
    """Separate outlines read the way a drawing is: what lies inside an area is a hole in it, what lies in
    that hole is an area again. Outlines that overlap in part count as one, one drawn twice counts once; the order in which
    they come makes no difference.
    """
    given = np.array([r for r in regions if not r.is_empty], dtype=object)
    if len(given) < 2:
        return given[0] if len(given) else EMPTY
    shapely.prepare(given)
    i, j = shapely.STRtree(given).query(given, predicate="intersects")
    i, j = i[i < j], j[i < j]
    around, within = shapely.covers(given[i], given[j]), shapely.covers(given[j], given[i])
    is_kept = np.ones(len(given), dtype=bool)
    is_kept[j[around & within]] = False
    is_overlap = ~around & ~within & ~shapely.touches(given[i], given[j]) & is_kept[i] & is_kept[j]
    if is_overlap.any():
        return nested(_clusters(given, is_kept, i[is_overlap], j[is_overlap]))
    outer, inner = np.where(around, i, j), np.where(around, j, i)
    used = (around != within) & is_kept[i] & is_kept[j]
    return _nested_by_depth(given, is_kept, outer[used], inner[used])


def _nested_by_depth(given: AnyArray, is_kept: BoolArray, outer: IntArray, inner: IntArray) -> Region:
    """Regions of which none overlap in part; ``outer`` covers ``inner``, pair by pair. Those with an even number around
    them are areas, less the ones that lie one deeper in them."""
    depth = np.bincount(inner, minlength=len(given))
    is_child = depth[inner] == depth[outer] + 1
    areas = []
    holes: dict[int, list[Region]] = {}
    for o, n in zip(outer[is_child].tolist(), inner[is_child].tolist(), strict=True):
        holes.setdefault(o, []).append(given[n])
    for k in np.flatnonzero(is_kept & (depth % 2 == 0)).tolist():
        inside = holes.get(k)
        areas.append(given[k] if inside is None else subtract(given[k], _together(inside)))
    return _together(areas)


def _together(regions: Sequence[Region]) -> Region:
    """Regions that do not overlap, as one. Only where some touch along a line do they have to be united, which is slow."""
    polygons = [polygon for region in regions for polygon in polygons_of(region)]
    whole = polygons[0] if len(polygons) == 1 else MultiPolygon(polygons)
    return whole if whole.is_valid else unite(polygons)


def _clusters(given: AnyArray, is_kept: BoolArray, i: IntArray, j: IntArray) -> list[Region]:
    """The kept regions, those that overlap (``i`` with ``j``) united into one."""
    leader = list(range(len(given)))

    def lead(k: int) -> int:
        while leader[k] != k:
            leader[k] = leader[leader[k]]
            k = leader[k]
        return k

    for a, b in zip(i.tolist(), j.tolist(), strict=True):
        leader[lead(a)] = lead(b)
    members: dict[int, list[Region]] = {}
    for k in np.flatnonzero(is_kept).tolist():
        members.setdefault(lead(k), []).append(given[k])
    return [unite(group) if len(group) > 1 else group[0] for group in members.values()]


def line_parts(geometry: BaseGeometry, *, longer_than: float) -> list[FloatArray]:
    """The lines (n, 2) in what an overlay of lines gives, joined where they hang together, the longer ones only."""
    parts = [part for part in shapely.get_parts(geometry) if part.geom_type == "LineString"]
    if not parts:
        return []
    merged = shapely.line_merge(shapely.multilinestrings(parts))
    found = [shapely.get_coordinates(part) for part in shapely.get_parts(merged)]
    return [points for points in found if np.hypot(*np.diff(points, axis=0).T).sum() > longer_than]


def ring_paths(region: Region) -> list[FloatArray]:
    """Every ring as points (n, 2), first repeated last; the region lies on the left."""
    rings: list[FloatArray] = []
    for polygon in polygons_of(region):
        oriented = shapely.geometry.polygon.orient(polygon)
        rings.append(shapely.get_coordinates(oriented.exterior))
        rings.extend(shapely.get_coordinates(hole) for hole in oriented.interiors)
    return rings


def ring_area(ring: FloatArray) -> float:
    """Signed area of a ring of points (n, 2), first repeated last; counter-clockwise positive."""
    p = ring - ring[0]
    return float((p[:-1, 0] * p[1:, 1] - p[1:, 0] * p[:-1, 1]).sum() / 2)


def containment_tree(rings: Sequence[FloatArray]) -> IntArray:
    """The smallest ring around each ring, as indices (n,); -1 for the outermost.

    Rings must not cross. Boxes only sort out candidates; true geometry decides, tested on a point strictly
    inside the smaller ring's own segment run, so rings that touch are told apart.
    """
    polygons = shapely.polygons([shapely.linearrings(ring) for ring in rings])
    areas = shapely.area(polygons)
    tree = shapely.STRtree(polygons)
    probes = shapely.point_on_surface(polygons)
    inner, outer = tree.query(probes, predicate="within")
    parent = np.full(len(rings), -1, dtype=np.int64)
    for i, j in zip(inner, outer, strict=True):
        bigger = areas[j] > areas[i] or (areas[j] == areas[i] and j < i)
        if i != j and bigger and (parent[i] < 0 or areas[j] < areas[parent[i]]):
            parent[i] = j
    return parent


def nesting_depths(parent: IntArray) -> IntArray:
    """How many rings lie around each ring, (n,)."""
    depth = np.zeros(len(parent), dtype=np.int64)
    for i in range(len(parent)):
        j = parent[i]
        while j >= 0:
            depth[i] += 1
            j = parent[j]
    return depth


def _classified_faces(rings: list[FloatArray], rule: FillRule) -> Region:
    """Node all rings together, polygonise, keep the faces whose winding number the rule fills."""
    lines = [shapely.linestrings(ring) for ring in rings]
    noded = shapely.union_all(lines)
    faces = [face for face in shapely.get_parts(shapely.polygonize([*shapely.get_parts(noded)])) if face.area > 0]
    if not faces:
        return EMPTY
    probes = shapely.get_coordinates(shapely.point_on_surface(faces))
    winding = np.zeros(len(faces), dtype=np.int64)
    for ring in rings:
        winding += _winding_numbers(ring, probes)
    filled = winding != 0 if rule is FillRule.NONZERO else winding % 2 != 0
    return as_region(shapely.union_all([face for face, keep in zip(faces, filled, strict=True) if keep]))


def _winding_numbers(ring: FloatArray, points: FloatArray) -> IntArray:
    """How often the ring (n, 2) goes round each point (m, 2): signed crossings of the ray to +x."""
    low, high = ring.min(axis=0), ring.max(axis=0)
    near = np.flatnonzero(((points >= low) & (points <= high)).all(axis=1))
    out = np.zeros(len(points), dtype=np.int64)
    a, b = ring[:-1], ring[1:]
    for block in np.array_split(near, max(1, len(near) * len(a) // 4_000_000)):
        x, y = points[block, 0][:, None], points[block, 1][:, None]
        left = (b[:, 0] - a[:, 0]) * (y - a[:, 1]) - (x - a[:, 0]) * (b[:, 1] - a[:, 1])
        up = (a[:, 1] <= y) & (b[:, 1] > y) & (left > 0)
        down = (a[:, 1] > y) & (b[:, 1] <= y) & (left < 0)
        out[block] = up.sum(axis=1) - down.sum(axis=1)
    return out
