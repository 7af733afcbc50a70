"""What a pocket tells: areas and branches its bit does not get into, floors it leaves ridged or does not find."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np
import shapely
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from archimetra.base.findings import Finding, Severity, mm
from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.region import polygons_of
from archimetra.job.bits import Bit
from archimetra.job.cuts.pocket import PocketCut
from archimetra.toolpath.pocket.area import PocketArea
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.clearing import Node
from archimetra.toolpath.shared.contours import kept_region

_BRANCH_RADII2 = 3.0  # of the bit's radius squared: what stays in a corner of 26 degrees; more is a branch
_WEDGE_SHARE = 0.7


class Reached(msgspec.Struct, frozen=True, eq=False):
    """Where a pocket's bit gets: the pieces of the area with their loops, lines (n, 2), and places it goes straight down at."""

    nodes: Sequence[Node]
    strokes: Sequence[FloatArray]
    plunged: Sequence[tuple[float, float]]


def ridged(cut: PocketCut, bit: Bit) -> Finding:
    """A bit whose end is not flat."""
    return Finding(
        "pocket-ridges", Severity.CAUTION,
        f"'{cut.name}' clears an area with {bit.name}, whose floor will be ridged.",
        mend="Choose a straight bit for the floor.", subject=cut.id,
    )  # fmt: skip


def no_floor(cut: PocketCut, bit: Bit) -> Finding:
    """On a V-carve's floor what a bit does not reach is the carving bit's; only a bit with nothing to do is told."""
    return Finding(
        "floor-none", Severity.NOTE,
        f"'{cut.name}' finds no floor the {mm(bit.diameter)} bit fits on; the carving bit clears it alone.",
        mend="Choose a smaller bit, or switch it off.", subject=cut.id,
    )  # fmt: skip


def areas_missed(cut: PocketCut, bit: Bit, area: PocketArea, reached: Reached) -> list[Finding]:
    """Areas the bit does not get into at all, each with its width."""
    out = []
    for polygon in polygons_of(area.region):
        if touches(polygon, reached.nodes, reached.strokes):
            continue
        if any(polygon.intersects(shapely.points(at)) for at in reached.plunged):
            continue
        deepest = area.clearance.deepest(polygon)
        width = 2 * deepest.clearance if deepest is not None else 0.0
        at = deepest.at if deepest is not None else (float(polygon.centroid.x), float(polygon.centroid.y))
        out.append(
            Finding(
                "pocket-too-small", Severity.STOP,
                f"The {mm(bit.diameter)} bit does not fit into an area {mm(width, '.2f')} wide in '{cut.name}'; it is left uncut.",
                mend="Choose a smaller bit, or let one clear the rest.", at=at, subject=cut.id,
            )
        )  # fmt: skip
    return out


def branches_missed(work: ResolvedCut, cut: PocketCut, area: PocketArea, reached: Reached) -> list[Finding]:
    """Of areas the bit gets into, the branches and ends it does not. Corners are no news; what a smaller bit clears after it is not
    told."""
    nodes, strokes = reached.nodes, reached.strokes
    if work.rest_follows or not (nodes or strokes or reached.plunged):
        return []
    radius = work.bit.radius
    swept = [shapely.buffer(node.border, radius + 0.01, quad_segs=32) for node in nodes]
    lines = [*strokes, *(loop.ring for node in nodes for loop in node.loops if node.border.is_empty)]
    swept += [shapely.buffer(shapely.linestrings(line), radius + 0.01, quad_segs=32) for line in lines]
    swept += [shapely.buffer(shapely.points(at), radius + 0.01) for at in reached.plunged]
    got = shapely.union_all(swept)
    drawn = kept_region(work.shapes) if cut.open_edges else area.region
    left = shapely.difference(drawn, got)
    pieces = [piece for piece in polygons_of(left) if piece.area > _BRANCH_RADII2 * radius**2]
    # an area of its own that is missed altogether has been told; what runs to a point is a corner
    shapely.prepare(got)
    near = [piece for piece in pieces if shapely.dwithin(got, piece, 0.1)]
    edge = _edges(got) if near else None
    pieces = [piece for piece in near if edge is not None and not _is_wedge(piece, edge)]
    if not pieces:
        return []
    total, worst = sum(piece.area for piece in pieces), max(pieces, key=lambda piece: piece.area)
    x, y = shapely.get_coordinates(shapely.point_on_surface(worst))[0]
    much = total > 0.5 * drawn.area
    return [
        Finding(
            "pocket-left", Severity.STOP if much else Severity.CAUTION,
            f"The {mm(work.bit.diameter)} bit does not get into {len(pieces)} narrow place{'s' if len(pieces) > 1 else ''} of "
            f"'{cut.name}'; {total:.0f} mm² of its {drawn.area:.0f} mm² stay uncut.",
            mend="Let a smaller bit clear the rest, or choose a smaller one.", at=(float(x), float(y)), subject=cut.id,
        )
    ]  # fmt: skip


def touches(polygon: Polygon, nodes: Sequence[Node], strokes: Sequence[FloatArray]) -> bool:
    """Whether one of some loops or lines lies in a polygon."""
    lines = [*(node.loops[0].ring for node in nodes), *strokes]
    return any(float(shapely.distance(polygon, shapely.points(line[0]))) < 0.02 for line in lines)


def _edges(area: BaseGeometry) -> shapely.STRtree:
    """The sides of an area's outlines, to look for the nearest."""
    corners, ring = shapely.get_coordinates(shapely.get_rings(shapely.get_parts(area)), return_index=True)
    is_side = ring[1:] == ring[:-1]  # the others are leaps to the next ring
    return shapely.STRtree(shapely.linestrings(np.stack((corners[:-1][is_side], corners[1:][is_side]), axis=1)))


def _is_wedge(piece: Polygon, edge: shapely.STRtree) -> bool:
    """Whether what is left narrows to a point, as in a sharp corner: it then fills half of its width times its length, a branch all.
    ``edge`` are the sides of what has been reached, which it lies beside."""
    wide = 2 * float(shapely.length(shapely.maximum_inscribed_circle(piece, tolerance=0.02)))
    corners = shapely.points(shapely.get_coordinates(piece))
    long = float(edge.query_nearest(corners, return_distance=True, all_matches=False)[1].max())
    return bool(piece.area < _WEDGE_SHARE * wide * long)
