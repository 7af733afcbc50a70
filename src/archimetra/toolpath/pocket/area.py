"""The area a pocket clears: its shapes, opened past a part's edge where asked, and what a larger bit left of it."""

from __future__ import annotations

from functools import lru_cache

import msgspec
import shapely

from archimetra.geometry.clearance import Clearance
from archimetra.geometry.clearances import AnyClearance
from archimetra.geometry.morphology import filled
from archimetra.geometry.offset import thinned
from archimetra.geometry.region import EMPTY, Region, as_region, polygons_of
from archimetra.job.cuts.carve import CarveCut
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.shapes import Shape
from archimetra.job.sheet import Sheet
from archimetra.toolpath.carve.area import area_of_carving
from archimetra.toolpath.carve_depths import carve_depths_of
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.clearing import WALL_FIT_MM
from archimetra.toolpath.shared.contours import THIN_MM, cleared, kept_region

EDGE_MM = 0.05  # an edge this near to a part's counts as lying on it
PAST_MM = 0.5  # how far past an open edge the bit's own edge goes
_SLIVER_MM = 0.015  # what a larger bit left counts from this width on


class PocketArea(msgspec.Struct, frozen=True, eq=False):
    """What is cleared: the area, its clearance, how far from the outline clearing begins (``inset``, on a V-carve's floor the width
    of its sloping wall), and how far loops at the wall may stray (beside a steep slope microns show)."""

    region: Region
    clearance: AnyClearance
    inset: float = 0.0
    wall_fit_mm: float = WALL_FIT_MM


def pocket_area(work: ResolvedCut) -> PocketArea:
    """The area and its clearance structure. Raises GeometryError where the outlines cross themselves."""
    cut = work.cut
    assert isinstance(cut, PocketCut)
    carved = next((e for e in work.prior if isinstance(e.cut, CarveCut)), None)
    if carved is not None:
        assert isinstance(carved.cut, CarveCut)
        carving = carve_depths_of(carved.cut, carved.bit, work.sheet)
        area = area_of_carving(work.shapes, carved.cut, carving)
        return PocketArea(area.region, area.clearances, carving.foot, min(WALL_FIT_MM, 2 * carving.simplify_mm))
    if not cut.open_edges:
        return PocketArea(*cleared(work.shapes))
    opened = _opened(work.shapes, work.waste_outlines, work.sheet, work.bit.diameter + PAST_MM)
    return PocketArea(*opened)


@lru_cache(maxsize=8)
def _opened(shapes: tuple[Shape, ...], parts: tuple[Shape, ...], on: Sheet, reach: float) -> tuple[Region, Clearance]:
    """The area with what lies past the edge of the sheet, or of the part it is in, within reach of it."""
    area = kept_region(shapes)
    sheet = on.region
    others = [part for part in parts if part not in shapes]
    wood = sheet
    if others:
        cut_out = kept_region(tuple(others))
        touched = [p for p in polygons_of(cut_out) if p.intersects(area)]
        if touched:
            wood = shapely.intersection(shapely.union_all(touched), sheet)
    shapely.prepare(wood)
    air = shapely.difference(shapely.buffer(sheet, 2 * reach, join_style="mitre"), wood)
    near_edge = shapely.buffer(area, EDGE_MM)
    past = shapely.intersection(shapely.buffer(shapely.intersection(near_edge, air), reach, quad_segs=16), air)
    if others:
        # the air around a part is waste only as far as no other part lies there
        past = shapely.difference(past, shapely.difference(kept_region(tuple(others)), wood))
    whole = (
        as_region(shapely.union(area, shapely.buffer(past, EDGE_MM, join_style="mitre"))) if not past.is_empty else area
    )
    whole = as_region(shapely.difference(whole, shapely.difference(wood, near_edge))) if not past.is_empty else whole
    parts_kept = [p for p in polygons_of(whole) if p.intersects(area)]
    region = thinned(as_region(shapely.union_all(parts_kept)) if parts_kept else EMPTY, tolerance_mm=THIN_MM)
    return region, Clearance(region)


def left_by(area: PocketArea, *, larger: float, overlap: float) -> Region:
    """What a bit of radius ``larger`` cannot reach of the area, grown by ``overlap`` into what it did."""
    region = area.region
    if area.inset > 0:
        rings = [path.flatten(0.002) for path in area.clearance.offsets(area.inset)]
        region = filled(rings) if rings else EMPTY
    rings = [path.flatten(0.002) for path in area.clearance.offsets(area.inset + larger)]
    if not rings:
        return region
    reached = shapely.buffer(filled(rings), larger, quad_segs=64)
    left = shapely.difference(region, shapely.buffer(reached, 0.004))
    left = shapely.buffer(shapely.buffer(left, -_SLIVER_MM / 2, quad_segs=4), overlap + _SLIVER_MM / 2, quad_segs=12)
    return as_region(shapely.intersection(left, shapely.buffer(region, 0.01)))
