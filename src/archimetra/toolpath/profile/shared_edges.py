"""Edges that two parts share, cut once: parts laid one bit apart have contours that run along each other.

Where parts lie nearer to each other than the bit is wide it would cut into the one beside: there nothing is cut, and it is told.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
from shapely.geometry import LineString, MultiLineString

from archimetra.base.findings import Finding
from archimetra.geometry.arcfit import fit_arcs
from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.path import Path
from archimetra.geometry.region import Region, polygons_of
from archimetra.job.bits import Bit
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.shapes import Shape
from archimetra.toolpath.shared.contours import (
    FIT_MM,
    Contour,
    Contours,
    kept_region,
    outer_rings,
    parents_of,
    parts_too_near,
    walks_right,
)

ALONG_MM = 0.03  # contours this near to each other are one line
SHORTEST_MM = 0.5
NEARER_MM = 0.0105  # a part beside may lie this much nearer than the bit's radius: a hundredth


def contours_sharing(
    shapes: Sequence[Shape], cut: ProfileCut, bit: Bit, *, extra: float, told: tuple[Finding, ...]
) -> Contours:
    """The outside contours of parts, every stretch of edge once, with what is ``told`` of them and of parts too near to each other."""
    region, right = kept_region(shapes), walks_right(cut.direction, bit)
    once = contours_cut_once(region, reach=bit.radius + extra, keeps_right=right)
    near = parts_too_near(region, cut, bit, nearer_than=bit.diameter - NEARER_MM)
    return Contours(tuple(once), parents_of(once), (*told, *near))


def contours_cut_once(region: Region, *, reach: float, keeps_right: bool) -> list[Contour]:
    """The outside contours of every part, less what would cut into another; where a later one runs along an earlier one that
    stretch is left out, and what is left of it is open lines."""
    out: list[Contour] = []
    done = MultiLineString()
    parts = polygons_of(region)
    tree = shapely.STRtree(parts)
    for number, part in enumerate(parts):
        beside = [parts[k] for k in tree.query(part, predicate="dwithin", distance=2 * reach) if k != number]
        forbidden = shapely.buffer(shapely.union_all(beside), reach - NEARER_MM, quad_segs=64) if beside else None
        for ring in outer_rings(part, reach):
            line = shapely.linestrings(ring)
            shared = shapely.intersection(line, shapely.buffer(done, ALONG_MM, cap_style="flat"))
            free = line
            if shapely.length(shared) >= SHORTEST_MM:
                free = shapely.difference(free, shapely.buffer(done, ALONG_MM))
            if forbidden is not None:
                free = shapely.difference(free, forbidden)
            done = shapely.union(done, free)
            if shapely.length(free) > shapely.length(line) - 1e-6:
                path = fit_arcs(ring, tolerance_mm=FIT_MM, closed=True)
                out.append(_of(path if not keeps_right else path.reverse(), keeps_right))
                continue
            for piece in _joined(shapely.get_parts(free)):
                path = fit_arcs(piece, tolerance_mm=FIT_MM, closed=False)
                out.append(_of(path if not keeps_right else path.reverse(), keeps_right))
    return out


def _joined(pieces: Sequence[LineString]) -> list[FloatArray]:
    """Pieces of one ring that meet at its seam put together; specks dropped."""
    merged = shapely.line_merge(shapely.multilinestrings(list(pieces))) if len(pieces) else MultiLineString()
    lines = [shapely.get_coordinates(line) for line in shapely.get_parts(merged)]
    return [line for line in lines if np.hypot(*np.diff(line, axis=0).T).sum() > SHORTEST_MM]


def _of(path: Path, keeps_right: bool) -> Contour:
    at = (float(path.nodes[0, 0]), float(path.nodes[0, 1]))
    return Contour(path, at, path.flatten(FIT_MM), keeps_right)
