"""The area a V-carve takes out: its closed shapes, overlapping ones united, as pieces with their clearance."""

from __future__ import annotations

from functools import lru_cache

import msgspec
import numpy as np
import shapely
from shapely.geometry import Polygon

from archimetra.geometry.clearances import ClearanceSet
from archimetra.geometry.morphology import closed, opened
from archimetra.geometry.offset import thinned
from archimetra.geometry.path import Path
from archimetra.geometry.region import EMPTY, Region, as_region, nested, polygons_of, region_of
from archimetra.job.cuts.carve import CarveCut
from archimetra.job.shapes import Shape
from archimetra.toolpath.carve_depths import CarveDepths

SMALLEST_MM2 = 1e-4  # slivers below this are specks of a drawing, not strokes


class CarveArea(msgspec.Struct, frozen=True, eq=False):
    """``overlaps`` are places (x, y) where shapes overlapped and were united; ``slivers`` pieces too small to be meant; ``open_lines``
    are outlines without an inside, with the shape each belongs to."""

    region: Region
    clearances: ClearanceSet
    overlaps: tuple[tuple[float, float], ...]
    slivers: tuple[tuple[float, float], ...]
    open_lines: tuple[tuple[Shape, Path], ...]


def area_of_carving(shapes: tuple[Shape, ...], cut: CarveCut, carving: CarveDepths) -> CarveArea:
    """The area a V-carve takes out, for it and for what clears its floor alike; rounded where an inlay's tip flat asks for it.
    Raises GeometryError."""
    mating = cut.mating
    round_mm = mating.round_mm if mating is not None and mating.is_vee else 0.0
    return carve_area(shapes, tolerance_mm=carving.outline_mm, round_mm=round_mm)


@lru_cache(maxsize=24)
def carve_area(shapes: tuple[Shape, ...], *, tolerance_mm: float, round_mm: float = 0.0) -> CarveArea:
    """The area of some shapes, curves flattened to the tolerance. With ``round_mm`` corners are rounded to that radius, those
    of the area and those of what is around it. Raises GeometryError where an outline cannot be made sense of."""
    regions = [
        region_of([p for p in shape.placed() if p.closed], shape.fill_rule, chord_tolerance_mm=tolerance_mm)
        for shape in shapes
    ]
    region = thinned(nested(regions), tolerance_mm=tolerance_mm / 2)
    if round_mm > 0 and not region.is_empty:
        region = rounded(region, round_mm)
    pieces = [_without_specks(piece) for piece in polygons_of(region)]
    kept = [piece for piece in pieces if piece.area > SMALLEST_MM2]
    slivers = tuple(_inside(piece) for piece in pieces if piece.area <= SMALLEST_MM2)
    region = as_region(shapely.multipolygons(kept)) if kept else EMPTY
    lines = tuple((shape, path) for shape in shapes for path in shape.placed() if not path.closed)
    return CarveArea(region, ClearanceSet(region), tuple(_overlaps(regions)), slivers, lines)


def _without_specks(piece: Polygon) -> Polygon:
    """The piece without holes that hold next to nothing: overlays leave such, and nothing stands in them."""
    holes = [ring for ring in piece.interiors if Polygon(ring).area > SMALLEST_MM2]
    return piece if len(holes) == len(piece.interiors) else Polygon(piece.exterior, holes)


def rounded(region: Region, radius: float) -> Region:
    """The region opened, then closed, by a disc: no corner of it or of what is around it is sharper than the radius."""
    chord = min(0.0005, radius / 20)
    return closed(opened(region, radius, chord_tolerance_mm=chord), radius, chord_tolerance_mm=chord)


def _overlaps(regions: list[Region]) -> list[tuple[float, float]]:
    given = np.array([r for r in regions if not r.is_empty], dtype=object)
    if len(given) < 2:
        return []
    shapely.prepare(given)
    i, j = shapely.STRtree(given).query(given, predicate="overlaps")
    return [_inside(shapely.intersection(given[a], given[b])) for a, b in zip(i, j, strict=True) if a < b][:50]


def _inside(area: Region) -> tuple[float, float]:
    x, y = shapely.get_coordinates(shapely.point_on_surface(area))[0]
    return float(x), float(y)
