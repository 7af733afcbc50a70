"""Edges that two parts share, cut once: parts laid one bit apart have contours that run along each other."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
from shapely.geometry import LineString, MultiLineString

from archimetra.geometry.arcfit import fit_arcs
from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.path import Path
from archimetra.geometry.region import Region, polygons_of
from archimetra.toolpath.contours import FIT_MM, Contour, _outer_rings

ALONG_MM = 0.03  # contours this near to each other are one line
SHORTEST_MM = 0.5


def contours_cut_once(region: Region, *, reach: float, keeps_right: bool) -> list[Contour]:
    """The outside contours of every part; where a later one runs along an earlier one that stretch is left out, and what is
    left of it is open lines."""
    out: list[Contour] = []
    done = MultiLineString()
    for part in polygons_of(region):
        for ring in _outer_rings(part, reach):
            line = shapely.linestrings(ring)
            shared = shapely.intersection(line, shapely.buffer(done, ALONG_MM, cap_style="flat"))
            if shapely.length(shared) < SHORTEST_MM:
                path = fit_arcs(ring, tolerance_mm=FIT_MM, closed=True)
                out.append(_of(path if not keeps_right else path.reverse(), keeps_right))
            else:
                rest = shapely.difference(line, shapely.buffer(done, ALONG_MM))
                for piece in _joined(shapely.get_parts(rest)):
                    path = fit_arcs(piece, tolerance_mm=FIT_MM, closed=False)
                    out.append(_of(path if not keeps_right else path.reverse(), keeps_right))
            done = shapely.union(done, line)
    return out


def _joined(pieces: Sequence[LineString]) -> list[FloatArray]:
    """Pieces of one ring that meet at its seam put together; specks dropped."""
    merged = shapely.line_merge(shapely.multilinestrings(list(pieces))) if len(pieces) else MultiLineString()
    lines = [shapely.get_coordinates(line) for line in shapely.get_parts(merged)]
    return [line for line in lines if np.hypot(*np.diff(line, axis=0).T).sum() > SHORTEST_MM]


def _of(path: Path, keeps_right: bool) -> Contour:
    at = (float(path.nodes[0, 0]), float(path.nodes[0, 1]))
    return Contour(path, at, path.flatten(FIT_MM), keeps_right)
