"""Growing, shrinking, opening and closing of regions by a disc, from the clearance structure: exact arcs, then chords.

A buffer is faster, but now and then strays by a hundredth or gives up (``offset``); what two boards are to mate by must not.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
from shapely.geometry import Polygon

from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.clearance import inside_out
from archimetra.geometry.clearances import ClearanceSet
from archimetra.geometry.offset import thinned
from archimetra.geometry.region import EMPTY, Region, as_region, ring_area

_NOTHING_MM = 1e-9


def grown(region: Region, distance: float, *, chord_tolerance_mm: float) -> Region:
    """The region grown (positive) or shrunk (negative) by a distance, round corners as chords within the tolerance. Raises
    GeometryError where an outline crosses itself."""
    if region.is_empty or abs(distance) < _NOTHING_MM:
        return region
    if distance < 0:
        return _thin(_level(region, -distance, chord_tolerance_mm), chord_tolerance_mm)
    reach = 2 * distance + 1.0
    x0, y0, x1, y1 = region.bounds
    # all that lies farther from the region than the distance, out to a frame; taken from a smaller one, so that no sliver of
    # the frame itself is left
    far = _level(inside_out(region, reach=reach), distance, chord_tolerance_mm)
    inset = reach - distance - 0.2
    frame = shapely.box(x0 - inset, y0 - inset, x1 + inset, y1 + inset)
    return _thin(as_region(shapely.difference(frame, far)), chord_tolerance_mm)


def opened(region: Region, radius: float, *, chord_tolerance_mm: float) -> Region:
    """All that a disc of the radius covers from within the region."""
    shrunk = grown(region, -radius, chord_tolerance_mm=chord_tolerance_mm)
    return grown(shrunk, radius, chord_tolerance_mm=chord_tolerance_mm)


def closed(region: Region, radius: float, *, chord_tolerance_mm: float) -> Region:
    """All that a disc of the radius cannot reach from around the region."""
    wide = grown(region, radius, chord_tolerance_mm=chord_tolerance_mm)
    return grown(wide, -radius, chord_tolerance_mm=chord_tolerance_mm)


def filled(rings: Sequence[FloatArray]) -> Region:
    """The area left of rings that do not cross: counter-clockwise ones begin an area, clockwise ones are holes in the smallest
    area around them. What lies within a hole is an area of its own again."""
    shells = [ring for ring in rings if ring_area(ring) > 0]
    holes = [ring for ring in rings if ring_area(ring) < 0]
    around = [Polygon(ring) for ring in shells]
    of_shell: list[list[FloatArray]] = [[] for _ in shells]
    if holes and shells:
        tree, sizes = shapely.STRtree(around), shapely.area(around)
        for hole in holes:
            found = tree.query(shapely.points(hole[0]), predicate="intersects")
            if len(found):
                of_shell[int(found[np.argmin(sizes[found])])].append(hole)
    parts = [Polygon(shell, inner) for shell, inner in zip(shells, of_shell, strict=True)]
    return as_region(shapely.union_all([part if part.is_valid else shapely.make_valid(part) for part in parts]))


def _level(region: Region, distance: float, chord_tolerance_mm: float) -> Region:
    rings = [path.flatten(chord_tolerance_mm) for path in ClearanceSet(region).offsets(distance)]
    return filled(rings) if rings else EMPTY


def _thin(region: Region, chord_tolerance_mm: float) -> Region:
    """Flattened arcs of flattened arcs would grow more points with every step."""
    return thinned(region, tolerance_mm=chord_tolerance_mm / 2)
