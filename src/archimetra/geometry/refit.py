"""Areas back to outlines of lines and arcs, and how far one outline strays from another."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely

from archimetra.geometry.arcfit import fit_arcs
from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.distance import SegmentField
from archimetra.geometry.path import Path
from archimetra.geometry.region import Region, ring_paths

FINE_MM = 0.002  # chord tolerance for outlines that are worked on as areas
FIT_MM = 0.004  # how far the lines and arcs fitted afterwards may lie from those chords


def region_paths(region: Region, *, tolerance_mm: float = FIT_MM) -> tuple[Path, ...]:
    """Every ring of a region as a closed path of lines and arcs; the region lies on the left. Rings smaller than
    the tolerance squared are dropped."""
    out = []
    for ring in ring_paths(region):
        if abs(float(shapely.area(shapely.polygons(ring)))) > tolerance_mm**2:
            out.append(fit_arcs(ring, tolerance_mm=tolerance_mm, closed=True))
    return tuple(out)


def deviation(one: Sequence[Path], two: Sequence[Path], *, samples: int = 2000) -> float:
    """How far apart two sets of outlines lie at most, mm: the larger of both one-sided distances, measured at about
    ``samples`` points either way (flattened to a thousandth)."""
    lines = [[path.flatten(0.001) for path in side] for side in (one, two)]
    if not lines[0] or not lines[1]:
        return 0.0 if not lines[0] and not lines[1] else float("inf")
    worst = 0.0
    for mine, other in ((lines[0], lines[1]), (lines[1], lines[0])):
        points = np.vstack([_spread(line, samples // len(mine) + 8) for line in mine])
        reach = 1.0
        gaps = SegmentField(other, reach_mm=reach).gaps(points)
        while float(gaps.max()) >= reach and reach < 1e5:
            reach *= 10
            gaps = SegmentField(other, reach_mm=reach).gaps(points)
        worst = max(worst, float(gaps.max()))
    return worst


def _spread(line: FloatArray, count: int) -> FloatArray:
    """The points of a line and about ``count`` more, evenly along it."""
    along = np.concatenate(([0.0], np.cumsum(np.hypot(*np.diff(line, axis=0).T))))
    at = np.linspace(0.0, along[-1], count)
    return np.vstack((line, np.column_stack((np.interp(at, along, line[:, 0]), np.interp(at, along, line[:, 1])))))


def crossings(lines: Sequence[FloatArray]) -> FloatArray:
    """Points (k, 2) where lines (n, 2) cross themselves or each other, ends that merely meet left out."""
    p = np.vstack([line[:-1] for line in lines])
    q = np.vstack([line[1:] for line in lines])
    real = (p != q).any(axis=1)
    segments = shapely.linestrings(np.stack((p[real], q[real]), axis=1))
    a, b = shapely.STRtree(segments).query(segments, predicate="crosses")
    a, b = a[a < b], b[a < b]
    points = shapely.intersection(segments[a], segments[b])
    points = points[shapely.get_type_id(points) == 0]
    found = shapely.get_coordinates(points)
    return np.unique(np.round(found, 6), axis=0) if len(found) else np.zeros((0, 2))
