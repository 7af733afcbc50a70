"""What is left standing: where the finished stock lies higher than the cuts were meant to leave it.

Every piece of ground that is wanted (``toolpath.wanted``) is compared with the finished stock in cells of its own, as fine as its size allows. What
stands higher by more than those can tell, in spots that are not slivers of a cell, is left: each connected spot with its size, why it stands,
and which bit would get there. A round bit gets to what the opening of the area by its disc covers (Matheron 1975).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from math import ceil

import msgspec
import numpy as np
import shapely
from scipy.ndimage import distance_transform_edt, find_objects, label
from shapely.geometry import Polygon

from archimetra.geometry.arrays import BoolArray, FloatArray
from archimetra.geometry.distance import SegmentField
from archimetra.geometry.region import Region, as_region, polygons_of
from archimetra.geometry.sheets import cells_inside
from archimetra.job.bits import FLAT_BOTTOMED, UNDERCUTS, Bit, BitKind
from archimetra.job.ids import BitId, CutId
from archimetra.job.sheet import Sheet
from archimetra.stock.grid import Grid, part
from archimetra.stock.standing_results import Left, Spot, Why
from archimetra.stock.timeline import StockParts
from archimetra.toolpath.carve_depths import widest
from archimetra.toolpath.shared.program import Run
from archimetra.toolpath.wanted import Wanted

FINEST_MM, COARSEST_MM = 0.1, 0.8
CELLS_A_PIECE = 400_000
LEAST_MM = 0.06  # what stands less high is no more than a bit leaves by itself
LEAST_MM2 = 0.2
MOST_SPOTS = 120  # of a cut, the largest; the rest is only counted
_MOST_TRIED = 40  # spots for which bits are tried; the others are like one of them
_SURE = 0.75  # of a cell: nearer to an edge a cell may lie to either side of it
_RIDGE_SHARE = 0.35  # lower than this share of its cut's depth it is a ridge, not a place never reached
_WIDEST = 0.85  # of a bit's radius: a ball carves to nine tenths, and cells lie to either side
_DIAMETERS = (6.0, 5.0, 4.0, 3.175, 3.0, 2.5, 2.0, 1.5, 1.0, 0.8, 0.5)  # of straight bits that can be bought, mm
_REACHES = 0.8  # of a spot: a bit that takes so much gets there


class Looking(msgspec.Struct, frozen=True, eq=False):
    """What spots are looked at with: the bit of each cut, the ground that clamps keep, and bits that may get to what is left."""

    bits_of: Mapping[CutId, Bit]
    clamped: Region | None = None
    candidates: tuple[Bit, ...] = ()


def left_standing(
    sheet: Sheet, run: Run, bits: Sequence[Bit], wanted: Sequence[Wanted], around: Looking, *, finest: float = FINEST_MM,
    report: Callable[[], None] = lambda: None,
) -> tuple[Left, ...]:  # fmt: skip
    """What stands after the whole run, the most first. ``report`` is called between pieces and may raise to stop."""
    by_cut: dict[CutId, list[Spot]] = {}
    stock = StockParts(sheet, run, bits)
    for one in wanted:
        for polygon in polygons_of(one.region):
            report()
            by_cut.setdefault(one.cut, []).extend(_spots(sheet, stock, one, polygon, finest))
    left = []
    for cut, spots in by_cut.items():
        if spots:
            spots.sort(key=lambda spot: -spot.area)
            kept = _looked_at(spots[:MOST_SPOTS], next(one for one in wanted if one.cut == cut), wanted, around)
            left.append(Left(cut, kept, len(spots), sum(s.area for s in spots), sum(s.volume for s in spots)))
    return tuple(sorted(left, key=lambda one: -one.volume))


def _spots(sheet: Sheet, stock: StockParts, of: Wanted, polygon: Polygon, finest: float) -> list[Spot]:
    """What stands in one piece of ground; why is not known yet."""
    x0, y0, x1, y1 = polygon.bounds
    size = max((x1 - x0) * (y1 - y0), 1e-9)
    cell = min(max(finest, ceil((size / CELLS_A_PIECE) ** 0.5 * 100) / 100), COARSEST_MM)
    grid = part(sheet, (x0 - cell, y0 - cell, x1 + cell, y1 + cell), cell)
    inside = cells_inside(shapely.transform(polygon, lambda xy: xy - (grid.x0, grid.y0)), grid.shape, cell)
    if not inside.any():
        return []
    excess = _excess(stock.field(grid), grid, inside, of, polygon)
    labels, count = label(excess > 0, structure=np.ones((3, 3), dtype=int))
    if not count:
        return []
    sizes = np.bincount(labels.ravel())[1:] * cell**2
    out = []
    for k, where in enumerate(find_objects(labels)):
        if sizes[k] >= LEAST_MM2:
            out.append(_spot(grid, where, labels[where] == k + 1, excess[where]))
    return out


def _excess(field: FloatArray, grid: Grid, inside: BoolArray, of: Wanted, polygon: Polygon) -> FloatArray:
    """How much higher than wanted each cell inside stands, 0 where that may be a matter of the cells."""
    lowest, spare = np.full(inside.shape, 1.0), np.full(inside.shape, LEAST_MM)
    if of.has_walls:
        j, i = np.nonzero(inside)
        places = np.column_stack((grid.x0 + (i + 0.5) * grid.cell, grid.y0 + (j + 0.5) * grid.cell))
        rings = [np.asarray(shapely.get_coordinates(ring)) for ring in (polygon.exterior, *polygon.interiors)]
        away = SegmentField(rings, reach_mm=min(of.reach, _farthest(polygon)) + grid.cell).gaps(places)
        lowest[j, i] = -of.depths(away)
        spare[j, i] += 0.25 * grid.cell * of.steepness(away)
    else:
        lowest[distance_transform_edt(inside) > _SURE + 0.5] = -of.depth
    spare += np.where(field < -of.start - LEAST_MM, of.spare, 0.0)  # where the bit never was, its shape excuses nothing
    over = field - lowest
    return np.where((lowest < 0) & (over > spare), over, 0.0)


def _farthest(polygon: Polygon) -> float:
    """No place within it is farther from its edge."""
    x0, y0, x1, y1 = polygon.bounds
    return float(min(x1 - x0, y1 - y0)) / 2


def _spot(grid: Grid, where: tuple[slice, slice], mask: BoolArray, excess: FloatArray) -> Spot:
    cell = grid.cell
    j, i = np.nonzero(mask)
    x0, y0 = grid.x0 + where[1].start * cell, grid.y0 + where[0].start * cell
    middle = np.argmin((i - i.mean()) ** 2 + (j - j.mean()) ** 2)
    at = (x0 + (float(i[middle]) + 0.5) * cell, y0 + (float(j[middle]) + 0.5) * cell)
    box = (x0, y0, x0 + mask.shape[1] * cell, y0 + mask.shape[0] * cell)
    high = excess[mask]
    return Spot(at, box, len(i) * cell**2, float(high.sum()) * cell**2, float(high.max()), Why.PASSED, mask)


# ---- why, and which bit would get there


def _looked_at(spots: Sequence[Spot], of: Wanted, wanted: Sequence[Wanted], around: Looking) -> tuple[Spot, ...]:
    mine = [one for one in wanted if one.cut == of.cut]
    bit = around.bits_of[of.cut]
    out = []
    for rank, spot in enumerate(spots):
        of = next((one for one in mine if shapely.dwithin(one.region, shapely.points(spot.at), 0.01)), of)
        why = _why(spot, of, bit, around.clamped)
        found, share, needs = None, 0.0, 0.0
        if rank < _MOST_TRIED:
            found, share, needs = _tried(spot, why, of, bit, around.candidates)
        out.append(msgspec.structs.replace(spot, why=why, bit=found, share=share, needs=needs))
    return tuple(out)


def _why(spot: Spot, of: Wanted, bit: Bit, clamped: Region | None) -> Why:
    at = shapely.points(spot.at)
    if clamped is not None and shapely.dwithin(clamped, at, 0.2):
        return Why.CLAMP
    if of.has_walls:
        return _why_carved(spot, of, bit)
    if bit.kind not in FLAT_BOTTOMED and bit.kind is not BitKind.DRILL:
        return Why.RIDGE  # a round tip flattens no floor and squares no foot of a wall
    if spot.height < _RIDGE_SHARE * (of.depth - of.start):
        return Why.RIDGE
    if _away(of, at) > bit.radius * 1.02:
        return Why.PASSED
    # what a disc leaves of a corner is less than its square; a narrow place is longer than wide
    return Why.CORNER if spot.area <= 1.1 * bit.radius**2 else Why.NARROW


def _why_carved(spot: Spot, of: Wanted, bit: Bit) -> Why:
    """Of what stands on walls that slope, or between them."""
    away = _away(of, shapely.points(spot.at))
    depth = float(of.depths(np.array([away]))[0])
    # where walls meet wider than the bit is, its flanks end above them
    if depth - of.start > bit.rise_at(widest(bit)) + LEAST_MM and away > _WIDEST * bit.radius:
        return Why.WIDE
    if spot.height < 0.8 * (depth - of.start):  # it was here, and lower down it was not
        return Why.RIDGE
    if depth >= of.depth - 1e-6 and spot.height < of.depth - of.start + LEAST_MM and away > of.reach:
        return Why.FLOOR
    if away > bit.tip_flat / 2 * 1.02 and bit.kind is BitKind.VEE:
        return Why.PASSED
    return Why.CORNER if spot.area <= 4.4 * (bit.tip_flat / 2) ** 2 else Why.NARROW


def _away(of: Wanted, at: object) -> float:
    return float(shapely.distance(shapely.boundary(of.region), at))


def _tried(spot: Spot, why: Why, of: Wanted, bit: Bit, candidates: Sequence[Bit]) -> tuple[BitId | None, float, float]:
    """The bit that gets there, to how much of the spot, and the diameter of one that would where none does."""
    if of.has_walls:
        if why is Why.FLOOR:
            floor = as_region(shapely.buffer(of.region, -of.reach, quad_segs=16))
            flats = [one for one in candidates if _clears(one, of.depth)]
            return (*_reached(spot, floor, [(one, one.radius) for one in flats]), 0.0)
        alike = [one for one in candidates if _leaves_like(one, bit)]
        if why is Why.WIDE:
            wide = _away(of, shapely.points(spot.at))
            wide = wide if of.ball > 0 else min(wide, of.reach)
            larger = [one for one in alike if widest(one) >= wide and one.diameter > bit.diameter]
            best = min(larger, key=lambda one: one.diameter, default=None)
            return (best.id, 1.0, 0.0) if best is not None else (None, 0.0, 0.0)
        if why in (Why.CORNER, Why.NARROW) and bit.kind is BitKind.VEE:
            return (*_reached(spot, of.region, [(o, o.tip_flat / 2) for o in alike if o.tip_flat < bit.tip_flat]), 0.0)
        return None, 0.0, 0.0
    if why not in (Why.CORNER, Why.NARROW):
        return None, 0.0, 0.0
    fitting = [(one, one.radius) for one in candidates if _clears(one, of.depth) and one.diameter < bit.diameter - 0.05]
    found, share = _reached(spot, of.region, fitting)
    needs = 0.0
    if share < _REACHES:
        needs = next((d for d in _DIAMETERS if d < bit.diameter and _share(spot, d / 2, of.region) >= _REACHES), 0.0)
    return found, share, needs


def _reached(spot: Spot, region: Region, candidates: Sequence[tuple[Bit, float]]) -> tuple[BitId | None, float]:
    """The widest of the candidates, each with the radius of its tip, that gets to nearly all of it, else the one that gets to most."""
    best: tuple[BitId | None, float] = (None, 0.0)
    for one, radius in sorted(candidates, key=lambda pair: -pair[1]):
        share = _share(spot, radius, region)
        if share >= _REACHES:
            return one.id, share
        if share > best[1] + 0.02:
            best = one.id, share
    return best


def _leaves_like(one: Bit, bit: Bit) -> bool:
    """Whether its walls are as steep. Balls leave none as steep, but the larger one serves wider strokes."""
    return one.kind is bit.kind and (bit.kind is BitKind.BALL or abs(one.angle - bit.angle) < 0.05)


def _clears(one: Bit, depth: float) -> bool:
    return one.kind in FLAT_BOTTOMED and one.kind not in UNDERCUTS and one.cutting_length >= depth - 1e-6


def _share(spot: Spot, radius: float, region: Region) -> float:
    """How much of a spot a disc of this radius covers that stays within the region."""
    x0, y0, x1, y1 = spot.box
    m = 2 * radius + 0.5
    near = shapely.clip_by_rect(region, x0 - m, y0 - m, x1 + m, y1 + m)
    opened = shapely.buffer(shapely.buffer(near, -radius, quad_segs=16), radius + 1e-3, quad_segs=16)
    j, i = np.nonzero(spot.mask)
    cell = (x1 - x0) / spot.mask.shape[1]
    shapely.prepare(opened)
    return float(shapely.contains_xy(opened, x0 + (i + 0.5) * cell, y0 + (j + 0.5) * cell).mean())
