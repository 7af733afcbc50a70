"""Offsets of regions by a bit's radius, checked before any bit follows them.

The rings come from GEOS buffers in floating precision. A buffer is fast but now and then wrong
(rings lost, or a point over the line), so none is trusted: ``check_offset`` measures the result
against the outline, from both sides, and ``offset_region`` retries with other arc steps and slightly turned
input before it gives up with a ``GeometryError``. Arc chords stay within the chord tolerance
inside the true arc.
"""

from __future__ import annotations

from math import acos, ceil, pi

import numpy as np
import shapely
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from shapely.geometry import LinearRing, MultiPolygon, Polygon

from archimetra.base.errors import GeometryError
from archimetra.geometry.affine import Affine
from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.distance import SegmentField
from archimetra.geometry.region import Region, as_region, polygons_of, ring_paths
from archimetra.geometry.thin_kernels import needed_points

LOOSE_MM = 0.01  # the farthest an offset may stray where none comes nearer
CHECK_SAMPLES = 1500  # points measured per direction; every ring gets its share
_CHECK_SLACK_MM = 0.001


def offset_region(region: Region, distance: float, *, chord_tolerance_mm: float = 0.002) -> Region:
    """``region`` grown (positive) or shrunk (negative) by ``distance`` with round corners; may be empty.

    Points lie at the distance within the chord tolerance, in rare dents within ``LOOSE_MM``. The time grows with the
    points of the outline: leave needless ones out first (``thinned``). Raises GeometryError where no attempt gives a
    ring that keeps the distance everywhere.
    """
    if region.is_empty or distance == 0.0:
        return region
    # GEOS now and then takes a step and a half in an arc
    steps = quarter_segments(abs(distance), chord_tolerance_mm * 0.5)
    attempts = ((steps, 0.0), (steps + 3, 0.0), (steps, 17.0), (max(8, steps // 2), 41.0))
    strict = chord_tolerance_mm + _CHECK_SLACK_MM
    results = []
    for segments, turned in attempts:
        result = _buffered(region, distance, segments, turned)
        if check_offset(region, result, distance, tolerance_mm=strict):
            return result
        results.append(result)
    # before it follows an outline GEOS drops dents shallower than a hundredth of the distance; a line that strays no
    # farther than that is still one to cut by, and better than none
    for result in results:
        if check_offset(region, result, distance, tolerance_mm=max(strict, LOOSE_MM)):
            return result
    x, y = shapely.get_coordinates(shapely.centroid(region))[0]
    raise GeometryError(
        f"The outline around x {x:.1f}, y {y:.1f} could not be followed at {abs(distance):g} mm with certainty. "
        "Simplify the outline there, or choose a slightly different bit."
    )


def thinned(region: Region, *, tolerance_mm: float) -> Region:
    """The region with needless outline points left out: no point of the outline moves farther than the tolerance.

    Where leaving them out would make rings touch or cross, the region comes back as it was.
    """
    if shapely.get_num_coordinates(region) < 100:
        return region
    thin = as_region(MultiPolygon([_thin_polygon(polygon, tolerance_mm) for polygon in polygons_of(region)]))
    return thin if shapely.is_valid(thin) and thin.area > 0 else region


def _thin_polygon(polygon: Polygon, tolerance_mm: float) -> Polygon:
    rings = [_thin_ring(ring, tolerance_mm) for ring in (polygon.exterior, *polygon.interiors)]
    thin: Polygon = shapely.polygons(rings[0], rings[1:] or None)
    return thin


def _thin_ring(ring: LinearRing, tolerance_mm: float) -> LinearRing:
    points = shapely.get_coordinates(ring)
    kept = points[needed_points(points, tolerance_mm)]
    thin: LinearRing = shapely.linearrings(kept if len(kept) >= 4 else points)
    return thin


def quarter_segments(radius: float, chord_tolerance_mm: float) -> int:
    """Chords per quarter circle so that the sagitta r (1 - cos(step / 2)) stays within the tolerance."""
    if radius <= chord_tolerance_mm:
        return 2
    return max(2, ceil(pi / 2 / (2 * acos(1 - chord_tolerance_mm / radius))))


def check_offset(region: Region, result: Region, distance: float, *, tolerance_mm: float) -> bool:
    """Whether ``result`` keeps ``distance`` from the outline of ``region``, and loses none of what it should hold.

    Two independent measures: every sampled point of the result's rings lies at ``distance`` from the
    outline, never nearer; and every outline point pushed out by ``distance``, where nothing else of the outline
    is nearer, lies on the result's rings.
    """
    r = abs(distance)
    outline_rings = ring_paths(region)
    outline = SegmentField(outline_rings, reach_mm=r + 1.0)
    rings = ring_paths(result)
    if rings and (np.abs(outline.gaps(_spread(rings, CHECK_SAMPLES)) - r) > tolerance_mm).any():
        return False
    pushed = _pushed(outline_rings, distance)
    wanted = pushed[outline.gaps(pushed) >= r - 1e-7]
    if not len(wanted):
        return True  # a bit that only just fits leaves a ring too small for any sample of the outline to point at
    if not rings:
        # nothing came back: right only if the bit indeed fits nowhere but on a line or a point
        return distance < 0 and not (outline.gaps(_deep_points(region)) > r + 0.01).any()
    missing = wanted[SegmentField(rings, reach_mm=1.0).gaps(wanted) > 2 * tolerance_mm]
    # where parts touch, a point pushed out of one can land in the other, as far from all outlines as it should be
    if len(missing):
        missing = missing[shapely.contains_xy(region, missing) == (distance < 0)]
    return not _is_lost(missing, outline, r)


def _is_lost(missing: FloatArray, outline: SegmentField, r: float) -> bool:
    """Points that should lie on the result but do not; a place exactly one bit wide may rightly vanish."""
    if not len(missing):
        return False
    around = np.array([(0.02, 0.0), (-0.02, 0.0), (0.0, 0.02), (0.0, -0.02), (0.014, 0.014), (-0.014, 0.014)])
    nearby = (missing[:, None, :] + around[None]).reshape(-1, 2)
    clear = outline.gaps(nearby).reshape(len(missing), -1)
    return bool((clear.max(axis=1) > r + 0.012).any())


def _buffered(region: Region, distance: float, segments: int, turned: float) -> Region:
    if turned:
        there = Affine.turn(turned)
        back = there.inverse()
        source = shapely.transform(region, there.apply)
        return as_region(shapely.transform(shapely.buffer(source, distance, quad_segs=segments), back.apply))
    return _each_buffered(region, distance, segments)


def _each_buffered(region: Region, distance: float, segments: int) -> Region:
    """Each polygon by itself, then those united that meet: many parts take no longer than their points."""
    grown = np.asarray(shapely.buffer(np.array(polygons_of(region), dtype=object), distance, quad_segs=segments))
    grown = grown[~shapely.is_empty(grown)]
    if distance < 0 or len(grown) < 2:
        return as_region(shapely.geometrycollections(list(grown)))
    i, j = shapely.STRtree(grown).query(grown, predicate="intersects")
    links = coo_matrix((np.ones(len(i), dtype=bool), (i, j)), shape=(len(grown), len(grown)))
    _, cluster = connected_components(links, directed=False)
    order = np.argsort(cluster, kind="stable")
    groups = np.split(grown[order], np.flatnonzero(np.diff(cluster[order])) + 1)
    united = [shapely.union_all(group) if len(group) > 1 else group[0] for group in groups]
    return as_region(shapely.geometrycollections(united))


def _spread(rings: list[FloatArray], count: int) -> FloatArray:
    """Up to about ``count`` vertices and mid-chords, spread over all rings, at least eight of each."""
    total = sum(len(ring) for ring in rings)
    stride = max(1, total * 2 // count)
    chosen = []
    for ring in rings:
        both = np.vstack((ring[:-1], (ring[:-1] + ring[1:]) / 2))
        chosen.append(both[:: max(1, min(stride, len(both) // 8))])
    return np.vstack(chosen)


def _pushed(closed_rings: list[FloatArray], distance: float) -> FloatArray:
    """Points of the outline moved square to it by ``distance``, outward for positive: middles of chords, several of
    long ones, and corners along their bisector."""
    rings = [ring[:-1] for ring in closed_rings]
    sizes = np.array([len(ring) for ring in rings])
    corners = np.vstack(rings)
    # the corner after and the one before each, within its own ring
    first = np.repeat(np.cumsum(sizes) - sizes, sizes)
    number = np.arange(len(corners)) - first
    count = np.repeat(sizes, sizes)
    after, before = first + (number + 1) % count, first + (number - 1) % count
    stride = np.maximum(1, np.minimum(len(corners) // CHECK_SAMPLES, count // 8))
    chosen = np.flatnonzero(number % stride == 0)
    here = _normals(corners[chosen], corners[after[chosen]])
    middles = (corners[chosen] + corners[after[chosen]]) / 2 + here * distance
    both = here + _normals(corners[before[chosen]], corners[chosen])
    length = np.hypot(both[:, 0], both[:, 1])
    ok = length > 0.1
    bisected = corners[chosen[ok]] + both[ok] / length[ok, None] * distance
    along = corners[after] - corners
    long = np.flatnonzero(np.hypot(along[:, 0], along[:, 1]) > abs(distance))
    long = long[:: max(1, len(long) // CHECK_SAMPLES)]
    beside = corners[long] + _normals(corners[long], corners[after[long]]) * distance
    shares = [beside + along[long] * share for share in (0.06, 0.2, 0.35, 0.65, 0.8, 0.94)]
    return np.vstack([middles, bisected, *shares])


def _normals(begin: FloatArray, end: FloatArray) -> FloatArray:
    """Unit normals (n, 2) to the right of travel, which is outside."""
    d = end - begin
    size = np.maximum(np.hypot(d[:, 0], d[:, 1]), 1e-12)
    return np.column_stack((d[:, 1], -d[:, 0])) / size[:, None]


def _deep_points(region: Region) -> FloatArray:
    """One point well inside each polygon: the centre of its largest inscribed circle, coarsely."""
    centres = [shapely.get_coordinates(shapely.maximum_inscribed_circle(p, 0.01))[0] for p in polygons_of(region)]
    return np.array(centres)
