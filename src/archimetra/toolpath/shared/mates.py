"""Straight-bit inlays: both outlines adjusted in one step so that pocket and insert mate with the bits that cut them.

Round bits leave round corners: a pocket cut with radius rp is *open* (a disc of rp fits into every part of it), an insert cut
with ri is *closed* (a disc of ri rolls along it outside). Cut from the drawn outline A as it stands the two interfere at every
corner. With clearance c a side:

    M = open(close(A, ri - c), rp)        the nearest outline both can follow
    P0 = open(M, rp),  I = close(erode(P0, c), ri)
    V = I minus erode(P0, c)              where closing filled corners that the pocket still lacks
    P = P0 united with the discs of radius rp that cover dilate(V, c), each as far within P0 as it can lie

P is a union of discs, so it can be cut; I is closed, so it can be cut; erode(P, c) contains I, so nothing interferes. It ends
after one step; opening and closing in turn does not.
"""

from __future__ import annotations

from functools import lru_cache

import msgspec
import numpy as np
import shapely

from archimetra.base.errors import GeometryError
from archimetra.base.findings import Finding, Severity, mm, mm_each
from archimetra.geometry.fill import FillRule
from archimetra.geometry.morphology import closed, grown, opened
from archimetra.geometry.offset import thinned
from archimetra.geometry.path import Path
from archimetra.geometry.region import EMPTY, Region, as_region, polygons_of, ring_paths
from archimetra.job.cut_parts import Half, Mating
from archimetra.job.shapes import Shape
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.contours import kept_region

replace = msgspec.structs.replace
_CHORD_MM = 0.001
_THIN_MM = 0.002
_SLIVER_MM = 0.004  # what chords of chords stray: thinner remainders are no wood
_SMALLEST_MM2 = 0.01
_WORTH_MM, _MUCH_MM = 0.02, 0.3  # deviations that are told, and for which a smaller bit is tried
_LOST_MM = 1.5  # beyond it more than corners are rounded: a tail or a neck is lost


class Pair(msgspec.Struct, frozen=True, eq=False):
    """Both outlines, and what became of the drawn one: its area that changed as a share, the largest deviation and where, and
    how many connected parts there were and are."""

    pocket: Region
    insert: Region
    changed: float
    deviation: float
    at: tuple[float, float]
    parts_before: int
    parts_after: int


def matched(area: Region, *, pocket_radius: float, insert_radius: float, clearance: float) -> Pair:
    """The pair for a drawn area. Raises GeometryError where an outline cannot be followed with certainty."""
    rp, ri, c = pocket_radius, insert_radius, clearance
    m = opened(closed(area, max(ri - c, 0.0), chord_tolerance_mm=_CHORD_MM), rp, chord_tolerance_mm=_CHORD_MM)
    eroded = grown(m, -c, chord_tolerance_mm=_CHORD_MM)
    insert = closed(eroded, ri, chord_tolerance_mm=_CHORD_MM)
    pocket = _with_room(m, insert, eroded, rp, c)
    pocket = (
        as_region(shapely.union_all([p for p in polygons_of(pocket) if p.area > _SMALLEST_MM2]))
        if not pocket.is_empty
        else EMPTY
    )
    changed = float(shapely.symmetric_difference(area, pocket).area) / max(float(area.area), 1e-9)
    deviation, at = _deviation(area, pocket)
    return Pair(pocket, insert, changed, deviation, at, len(polygons_of(area)), len(polygons_of(pocket)))


def _with_room(pocket: Region, insert: Region, eroded: Region, rp: float, c: float) -> Region:
    """The pocket with room for what the insert has beyond it shrunk by the clearance. A disc of the bit that has to reach a remainder
    need come only so much farther out than the pocket lets it as the remainder lies beyond its reach: growing it by the whole radius
    would leave a hole beside the insert."""
    beyond = shapely.difference(insert, shapely.buffer(eroded, _SLIVER_MM / 2))
    if beyond.is_empty:
        return pocket
    centres = grown(pocket, -rp, chord_tolerance_mm=_CHORD_MM)
    if centres.is_empty:
        return pocket
    bulges = []
    for part in polygons_of(shapely.buffer(beyond, _SLIVER_MM / 2)):
        need = shapely.buffer(part, c, quad_segs=32)
        edge = shapely.points(shapely.get_coordinates(need))
        short = float(shapely.distance(centres, edge).max()) - rp
        if short <= _CHORD_MM:
            continue
        near = shapely.intersection(
            shapely.buffer(centres, short, quad_segs=64), shapely.buffer(need, rp + short, quad_segs=16)
        )
        bulges.append(shapely.buffer(near, rp, quad_segs=64))
    return as_region(shapely.union_all([pocket, *bulges])) if bulges else pocket


def adjust_for_inlay(work: ResolvedCut) -> tuple[ResolvedCut, tuple[Finding, ...]]:
    """The work with its shapes replaced by its half of a straight inlay; as it was where it is none."""
    mating = work.cut.mating
    if mating is None or mating.is_vee or not work.shapes:
        return work, ()
    try:
        pair = pair_of(work.shapes, mating)
    except GeometryError as error:
        return replace(work, shapes=()), (Finding("inlay-outline", Severity.STOP, str(error), subject=work.cut.id),)
    half = pair.pocket if mating.half is Half.POCKET else pair.insert
    told = tuple(_told(work, mating, pair)) if mating.half is Half.POCKET else ()
    if half.is_empty:
        return replace(work, shapes=()), told
    paths = tuple(Path.polyline(ring[:-1], closed=True) for ring in ring_paths(half))
    first = work.shapes[0]
    shape = Shape(id=first.id, name=first.name, layer=first.layer, paths=paths, fill_rule=FillRule.EVENODD)
    return replace(work, shapes=(shape,)), told


def pair_of(shapes: tuple[Shape, ...], mating: Mating) -> Pair:
    """The pair of some shapes, for an inlay's mating; kept for the next asker, whichever half he cuts. Raises GeometryError."""
    return _pair(shapes, mating.pocket_radius, mating.insert_radius, mating.clearance)


@lru_cache(maxsize=16)
def _pair(shapes: tuple[Shape, ...], pocket_radius: float, insert_radius: float, clearance: float) -> Pair:
    area = thinned(kept_region(shapes), tolerance_mm=_THIN_MM)
    return matched(area, pocket_radius=pocket_radius, insert_radius=insert_radius, clearance=clearance)


def _told(work: ResolvedCut, mating: Mating, pair: Pair) -> list[Finding]:
    cut = work.cut
    if pair.pocket.is_empty:
        return [
            Finding(
                "inlay-lost", Severity.STOP,
                f"No part of '{cut.name}' is wide enough for bits of {mm_each((2 * mating.pocket_radius, 2 * mating.insert_radius), between=' and ')}.",
                mend="Choose smaller bits.", at=pair.at, subject=cut.id,
            )
        ]  # fmt: skip
    out = []
    if pair.parts_before != pair.parts_after:
        out.append(
            Finding(
                "inlay-parts", Severity.CAUTION,
                f"'{cut.name}' is drawn in {pair.parts_before} part{'s' if pair.parts_before > 1 else ''} and comes out in "
                f"{pair.parts_after}: narrow places are lost or run together with bits of {2 * mating.pocket_radius:g} and "
                f"{mm(2 * mating.insert_radius)}.",
                mend="Choose smaller bits.", at=pair.at, subject=cut.id,
            )
        )  # fmt: skip
    if pair.deviation > _WORTH_MM:
        fix = "Smaller bits stay nearer to what is drawn."
        if pair.deviation > _MUCH_MM:
            half = _pair(work.shapes, mating.pocket_radius / 2, mating.insert_radius / 2, mating.clearance)
            fix = (
                f"Bits half as wide ({mm(mating.pocket_radius)}) would move it by {mm(half.deviation, '.2f')} at most."
            )
        out.append(
            Finding(
                "inlay-rounded", Severity.CAUTION if pair.deviation > _LOST_MM else Severity.NOTE,
                f"So that both halves of '{cut.name}' mate, its outline is moved by up to {mm(pair.deviation, '.2f')} "
                f"({100 * pair.changed:.1f} % of its area).",
                mend=fix, at=pair.at, subject=cut.id,
            )
        )  # fmt: skip
    return out


def _deviation(area: Region, pocket: Region) -> tuple[float, tuple[float, float]]:
    """How far the drawn outline lies from the new one at most, and where."""
    x, y = shapely.get_coordinates(shapely.point_on_surface(area))[0] if not area.is_empty else (0.0, 0.0)
    if pocket.is_empty or area.is_empty:
        return 0.0, (float(x), float(y))
    drawn = shapely.get_coordinates(shapely.segmentize(shapely.boundary(area), 0.5))
    gaps = (
        shapely.distance(shapely.boundary(pocket), shapely.points(drawn)) if len(drawn) < 4000 else _gaps(pocket, drawn)
    )
    k = int(np.argmax(gaps))
    return float(gaps[k]), (float(drawn[k, 0]), float(drawn[k, 1]))


def _gaps(region: Region, points: np.ndarray) -> np.ndarray:
    rings = [ring for ring in ring_paths(region)]
    segments = shapely.linestrings(np.vstack([np.stack((r[:-1], r[1:]), axis=1) for r in rings]))
    (_, _), gaps = shapely.STRtree(segments).query_nearest(
        shapely.points(points), return_distance=True, all_matches=False
    )
    return np.asarray(gaps)
