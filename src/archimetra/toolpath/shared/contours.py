"""From shapes and a side to the lines the bit's centre follows, and what cannot be followed.

Orientation: every closed contour is walked so that the kept wood lies on the right for a climb cut with
a bit that turns clockwise (its edge then enters the wood at full chip), on the left for a conventional one.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import Protocol

import msgspec
import numpy as np
import shapely
from shapely.geometry import LinearRing, Polygon

from archimetra.base.errors import GeometryError
from archimetra.base.findings import Finding, Severity, mm
from archimetra.geometry.arcfit import fit_arcs, to_arcs
from archimetra.geometry.arrays import FloatArray, IntArray
from archimetra.geometry.clearance import Clearance, inside_out
from archimetra.geometry.distance import SegmentField
from archimetra.geometry.offset import offset_region, thinned
from archimetra.geometry.path import Path
from archimetra.geometry.region import Region, containment_tree, nested, polygons_of, region_of, ring_area, ring_paths
from archimetra.job.bits import Bit, Spin
from archimetra.job.cut_parts import Direction, Side
from archimetra.job.cuts import Cut
from archimetra.job.ids import CutId
from archimetra.job.shapes import Shape

# how far the bit's centre may stray from its true line, a hundredth in all: curves to chords, needless points
# dropped before the costly steps, chords back to arcs (the corner arcs of the offset lie within the last)
FLATTEN_MM = 0.002
THIN_MM = 0.003
FIT_MM = 0.004
EXACT_FIT_MM = 0.02  # a hole this near to the bit's own size is one plunge
_HAIR_MM = 0.004
FOLLOWED_MM = 0.05  # an outline this much farther from a contour than the bit's radius is not cut by it
SMALLEST_RING_MM2 = 0.001
SHORTEST_LINE_MM = 0.02  # outlines shorter than this are specks


class Contour(msgspec.Struct, frozen=True, eq=False):
    """One line to follow, or one point to plunge at (``path`` None). ``ring`` is the line flattened, for order.
    ``keeps_right`` tells on which side of travel the kept wood lies, None where on both."""

    path: Path | None
    at: tuple[float, float]
    ring: FloatArray
    keeps_right: bool | None = None


class Sided(Protocol):
    """A cut along one side of its outlines."""

    @property
    def id(self) -> CutId: ...
    @property
    def name(self) -> str: ...
    @property
    def side(self) -> Side: ...
    @property
    def direction(self) -> Direction: ...
    @property
    def shares_edges(self) -> bool: ...


class Contours(msgspec.Struct, frozen=True, eq=False):
    contours: tuple[Contour, ...]
    parent: IntArray
    findings: tuple[Finding, ...]


def contours_of(shapes: Sequence[Shape], cut: Sided, bit: Bit, *, extra: float = 0.0) -> Contours:
    """The contours of a profile, unordered, each with the contour around it. ``extra`` keeps that much more distance."""
    findings: list[Finding] = []
    match cut.side:
        case Side.ON:
            contours = on_the_line(shapes, cut.direction, bit)
        case Side.LEFT | Side.RIGHT:
            contours, findings = _beside_lines(shapes, cut, bit, extra)
        case _:
            contours, findings = _beside_the_line(shapes, cut, bit, extra)
    return Contours(tuple(contours), parents_of(contours), tuple(findings))


def parents_of(contours: Sequence[Contour]) -> IntArray:
    """The closed contour around each closed contour, -1 for none."""
    parent = np.full(len(contours), -1, dtype=np.int64)
    rings = [i for i, c in enumerate(contours) if c.path is not None and c.path.closed]
    if len(rings) > 1:
        tree = containment_tree([contours[i].ring for i in rings])
        for i, p in zip(rings, tree, strict=True):
            parent[i] = rings[p] if p >= 0 else -1
    return parent


def kept_region(shapes: Sequence[Shape]) -> Region:
    """The area that picked shapes stand for: holes in shapes, shapes in holes and so on. Kept for the next asker."""
    return _kept_region(tuple(shapes))


@lru_cache(maxsize=32)
def _kept_region(shapes: tuple[Shape, ...]) -> Region:
    return nested([region_of(shape.placed(), shape.fill_rule, chord_tolerance_mm=FLATTEN_MM) for shape in shapes])


@lru_cache(maxsize=16)
def cleared(shapes: tuple[Shape, ...]) -> tuple[Region, Clearance]:
    """The area of the shapes without needless points, and its clearance structure; kept for the next asker."""
    region = thinned(kept_region(shapes), tolerance_mm=THIN_MM)
    return region, Clearance(region)


def walks_right(direction: Direction, bit: Bit) -> bool:
    """Whether kept wood belongs on the right of travel."""
    return (direction is Direction.CLIMB) == (bit.spin is Spin.CLOCKWISE)


def on_the_line(shapes: Sequence[Shape], direction: Direction, bit: Bit) -> list[Contour]:
    """The outlines themselves, closed ones walked as the direction asks of what lies inside them."""
    contours = []
    for shape in shapes:
        for path in shape.placed():
            if path.length() < SHORTEST_LINE_MM:
                continue
            line = to_arcs(path, tolerance_mm=FIT_MM)
            if line.closed and (line.area() > 0) == walks_right(direction, bit):
                line = line.reverse()
            contours.append(contour_of(line))
    return contours


def _beside_the_line(
    shapes: Sequence[Shape], cut: Sided, bit: Bit, extra: float
) -> tuple[list[Contour], list[Finding]]:
    findings = open_findings(shapes, cut)
    region = thinned(kept_region(shapes), tolerance_mm=THIN_MM)
    if region.is_empty:
        return [], findings or [no_area(cut)]
    reach = bit.radius + extra
    try:
        rings = _inner_rings(shapes, reach) if cut.side is Side.INSIDE else _apart(region, reach)
    except GeometryError as error:
        return [], [*findings, Finding("offset", Severity.STOP, str(error), subject=cut.id)]
    # the region lies left of its rings: kept wood when cutting outside it, waste when cutting inside
    kept_on_right = cut.side is Side.INSIDE
    right = walks_right(cut.direction, bit)
    contours = []
    for ring in rings:
        line = fit_arcs(ring, tolerance_mm=FIT_MM, closed=True)
        contours.append(contour_of(line.reverse() if kept_on_right != right else line, ring, keeps_right=right))
    if extra > 0:
        return contours, findings  # what does not fit is told once, of the last pass
    plunges, lost = _not_followed(region, rings, cut, bit)
    return contours + plunges, findings + lost


def _inner_rings(shapes: Sequence[Shape], reach: float) -> list[FloatArray]:
    """Rings ``reach`` inside the shapes' area, straight from its clearance."""
    _, clearance = cleared(tuple(shapes))
    rings = [path.flatten(FLATTEN_MM / 2) for path in clearance.offsets(reach)]
    return [ring for ring in rings if abs(ring_area(ring)) > SMALLEST_RING_MM2]


def _apart(region: Region, reach: float) -> list[FloatArray]:
    """Rings outside a region. Between parts that lie just the bit's width apart they would touch and run together: a hair nearer they
    pass between."""
    rings = outer_rings(region, reach)
    parts = polygons_of(region)
    if sum(ring_area(ring) > 0 for ring in rings) < len(parts) and _lie_just_apart(parts, reach):
        nearer = outer_rings(region, reach - _HAIR_MM)
        if len(nearer) > len(rings):
            return nearer
    return rings


def _lie_just_apart(parts: list[Polygon], reach: float) -> bool:
    """Whether between some two parts there is just room for a bit of this radius, less a hair."""
    given = np.array(parts, dtype=object)
    i, j = shapely.STRtree(given).query(given, predicate="dwithin", distance=2 * reach + _HAIR_MM)
    i, j = i[i < j], j[i < j]
    return bool((shapely.distance(given[i], given[j]) > 2 * (reach - _HAIR_MM)).any())


def outer_rings(region: Region, reach: float) -> list[FloatArray]:
    """Rings ``reach`` outside a region: a checked buffer, or the clearance of what lies around it where no buffer holds."""
    try:
        rings = ring_paths(offset_region(region, reach, chord_tolerance_mm=FLATTEN_MM))
    except GeometryError:
        around = Clearance(inside_out(region, reach=3 * reach)).offsets(reach)
        flat = [path.reverse().flatten(FLATTEN_MM / 2) for path in around]
        box = np.array(shapely.bounds(region)) + np.array((-1.0, -1.0, 1.0, 1.0)) * 1.5 * reach
        rings = [ring for ring in flat if (ring >= box[:2]).all() and (ring <= box[2:]).all()]
    return [ring for ring in rings if abs(ring_area(ring)) > SMALLEST_RING_MM2]


def _beside_lines(shapes: Sequence[Shape], cut: Sided, bit: Bit, extra: float) -> tuple[list[Contour], list[Finding]]:
    """Left or right of lines as they are drawn: the wood lies on the other side. Closed outlines count by their own
    direction too."""
    contours: list[Contour] = []
    findings: list[Finding] = []
    reach = bit.radius + extra
    is_left = cut.side is Side.LEFT
    right = walks_right(cut.direction, bit)
    for shape in shapes:
        for path in shape.placed():
            if path.length() <= 0:
                continue
            flat = path.flatten(FLATTEN_MM)
            beside = shapely.offset_curve(
                shapely.linestrings(flat), reach if is_left else -reach, quad_segs=64, join_style="round"
            )
            for line in shapely.get_parts(beside):
                points = shapely.get_coordinates(line)
                if len(points) < 2:
                    continue
                gaps = SegmentField([flat], reach_mm=reach + 1.0).gaps(points)
                if np.abs(gaps - reach).max() > 0.02:
                    findings.append(_line_finding(shape, points[int(np.argmax(np.abs(gaps - reach)))], cut))
                    continue
                closed = path.closed and bool(np.hypot(*(points[0] - points[-1])) < 1e-6)
                if closed:
                    points = np.vstack((points[:-1], points[:1]))
                # walking along the line with the bit left of it, the wood is on the right
                along = fit_arcs(points, tolerance_mm=FIT_MM, closed=closed)
                contours.append(contour_of(along if is_left == right else along.reverse(), keeps_right=right))
    return contours, findings


def contour_of(line: Path, ring: FloatArray | None = None, *, keeps_right: bool | None = None) -> Contour:
    flat = line.flatten(FIT_MM) if ring is None else ring
    return Contour(line, (float(line.nodes[0, 0]), float(line.nodes[0, 1])), flat, keeps_right)


def _not_followed(region: Region, rings: list[FloatArray], cut: Sided, bit: Bit) -> tuple[list[Contour], list[Finding]]:
    """What the contours leave out. Openings the bit just fits into are gone down into, or along their middle; smaller ones are told, and
    so are narrow stretches, necks, and parts so close together that the bit cannot pass between them."""
    plunges: list[Contour] = []
    findings: list[Finding] = []
    field = SegmentField(rings, reach_mm=2 * bit.radius + 1.0) if rings else None
    lost = list[FloatArray]()  # (n, 3): places on outlines no contour comes near, and how far the nearest is
    missed = list[Polygon]()
    for area in _areas_to_enter(region, cut.side):
        seen = [_gaps(ring, field, bit) for ring in (area.exterior, *area.interiors)]
        if min(float(gaps.min()) for _, gaps in seen) > bit.radius + FOLLOWED_MM:
            missed.append(area)  # no line runs along any of it
            continue
        for edge, gaps in seen:
            far = gaps > 2 * bit.radius + FOLLOWED_MM
            lost.append(np.column_stack((edge[far], gaps[far])))
    if cut.side is Side.OUTSIDE:
        for polygon in polygons_of(region):
            edge, gaps = _gaps(polygon.exterior, field, bit)
            far = gaps > 2 * bit.radius + FOLLOWED_MM
            if far.all():
                continue  # it stands in an opening that is missed as a whole, or has grown together with another
            lost.append(np.column_stack((edge[far], gaps[far])))
    for area in missed:
        width, at = _widest(area)
        if width < bit.diameter - 2 * EXACT_FIT_MM:
            findings.append(_too_small(at, width, cut, bit))
        elif not len(area.interiors) and _is_round(area, width / 2):
            plunges.append(Contour(None, at, np.array([at])))
        else:
            plunges.extend(_along_the_middle(area, bit))
            if not plunges:
                findings.append(_too_small(at, width, cut, bit))
    places = np.vstack(lost) if lost else np.zeros((0, 3))
    if len(places):
        findings.append(_narrow(places, cut, bit))
    if cut.side is Side.INSIDE:
        findings.extend(_necks(region, rings, cut, bit))
    else:
        findings.extend(_grown_together(region, rings, cut, bit))
    return plunges, findings


def _areas_to_enter(region: Region, side: Side) -> list[Polygon]:
    """The areas the bit would have to go into, without what stands in them."""
    if side is Side.INSIDE:
        return polygons_of(region)
    holes = [Polygon(hole) for polygon in polygons_of(region) for hole in polygon.interiors]
    return [piece for hole in holes for piece in polygons_of(shapely.difference(hole, region))]


def _gaps(ring: LinearRing, field: SegmentField | None, bit: Bit) -> tuple[FloatArray, FloatArray]:
    """Points (n, 2) along a ring, a radius apart at most, and how far from each the nearest contour is."""
    edge = shapely.get_coordinates(shapely.segmentize(ring, bit.radius))[:-1]
    return edge, np.full(len(edge), np.inf) if field is None else field.gaps(edge)


def _widest(area: Polygon) -> tuple[float, tuple[float, float]]:
    """The width of an area at its widest place, and where that is."""
    line = shapely.maximum_inscribed_circle(area, tolerance=0.002)
    x, y = shapely.get_coordinates(line)[0]
    return 2 * float(shapely.length(line)), (float(x), float(y))


def _along_the_middle(area: Polygon, bit: Bit) -> list[Contour]:
    """Lines along which an area is just as wide as the bit."""
    axis = Clearance(area).axis(at_least=bit.radius - EXACT_FIT_MM)
    high = np.maximum(axis.clearance_a, axis.clearance_b)
    low = np.minimum(axis.clearance_a, axis.clearance_b)
    fits = (low >= bit.radius - EXACT_FIT_MM) & (high <= bit.radius + EXACT_FIT_MM)
    if not fits.any():
        return []
    pieces = shapely.linestrings(np.stack((axis.a[fits], axis.b[fits]), axis=1))
    out = []
    for part in shapely.get_parts(shapely.line_merge(shapely.multilinestrings(list(pieces)))):
        points = shapely.get_coordinates(part)
        if float(np.hypot(*np.diff(points, axis=0).T).sum()) > SHORTEST_LINE_MM:
            closed = bool(len(points) > 3 and np.hypot(*(points[0] - points[-1])) < 1e-6)
            out.append(contour_of(fit_arcs(points, tolerance_mm=FIT_MM, closed=closed)))
    return out


def _is_round(opening: Polygon, radius: float) -> bool:
    return bool(abs(opening.area - np.pi * radius**2) < 0.02 * opening.area)


def _necks(region: Region, rings: list[FloatArray], cut: Sided, bit: Bit) -> list[Finding]:
    """Openings that fall apart for the bit: between their pieces it cannot pass."""
    outer = [Polygon(ring) for ring in rings if ring_area(ring) > 0]
    areas = polygons_of(region)
    if len(outer) <= len(areas):
        return []
    owner = shapely.STRtree(areas).query_nearest([shapely.points(p.exterior.coords[0]) for p in outer])
    for k in range(len(areas)):
        mine = [outer[int(i)] for i, a in owner.T if a == k]
        if len(mine) > 1:
            a, b = shapely.get_coordinates(shapely.shortest_line(mine[0], shapely.union_all(mine[1:])))
            middle = (a + b) / 2
            return [
                Finding(
                    "profile-neck", Severity.CAUTION,
                    f"An opening of '{cut.name}' has a neck the {mm(bit.diameter)} bit does not pass; its halves are cut apart from "
                    "each other and what is between them stays.",
                    mend="Choose a smaller bit.", at=(float(middle[0]), float(middle[1])), subject=cut.id,
                )
            ]  # fmt: skip
    return []


def _narrow(places: FloatArray, cut: Sided, bit: Bit) -> Finding:
    x, y, _ = places[int(np.argmax(places[:, 2]))]
    return Finding(
        "profile-narrow", Severity.CAUTION,
        f"Narrow stretches of '{cut.name}', about {mm(len(places) * bit.radius, '.0f')} of outline, are left uncut: the "
        f"{mm(bit.diameter)} bit does not fit into them.",
        mend="Choose a smaller bit.", at=(float(x), float(y)), subject=cut.id,
    )  # fmt: skip


def _grown_together(region: Region, rings: list[FloatArray], cut: Sided, bit: Bit) -> list[Finding]:
    outer = [ring for ring in rings if ring_area(ring) > 0]
    if len(outer) >= len(polygons_of(region)) or cut.shares_edges:
        return []
    return parts_too_near(region, cut, bit, nearer_than=bit.diameter + 1e-6)


def parts_too_near(region: Region, cut: Sided, bit: Bit, *, nearer_than: float) -> list[Finding]:
    """The first two parts that lie nearer to each other than this, told."""
    parts = polygons_of(region)
    if len(parts) < 2:
        return []
    tree = shapely.STRtree(parts)
    pairs = tree.query(parts, predicate="dwithin", distance=nearer_than)
    first = next(((i, j) for i, j in pairs.T if i < j), None)
    if first is None:
        return []
    a, b = shapely.get_coordinates(shapely.shortest_line(parts[first[0]], parts[first[1]]))
    gap = float(np.hypot(*(b - a)))
    middle = (a + b) / 2
    return [
        Finding(
            "profile-gap",
            Severity.STOP,
            f"Two parts of '{cut.name}' lie {mm(gap, '.2f')} apart; the {mm(bit.diameter)} bit does not pass between them, "
            "so they stay joined.",
            mend="Move them apart or choose a smaller bit.",
            at=(float(middle[0]), float(middle[1])),
            subject=cut.id,
        )
    ]


def _too_small(at: tuple[float, float], width: float, cut: Sided, bit: Bit) -> Finding:
    return Finding(
        "profile-too-small",
        Severity.STOP,
        f"The {mm(bit.diameter)} bit does not fit into an opening {mm(width, '.2f')} wide in '{cut.name}'; it is left uncut.",
        mend="Choose a smaller bit.",
        at=at,
        subject=cut.id,
    )


def open_finding(shape: Shape, path: Path, cut: Cut | Sided, *, side: str = "") -> Finding:
    """An open outline given to a cut that needs an inside, or the ``side`` of a profile."""
    x, y = (float(v) for v in path.nodes[-1])
    gap = float(np.hypot(*(path.nodes[-1] - path.nodes[0])))
    fix = "Close it in the drawing, or cut on the line." if side else "Close it in the drawing."
    return Finding(
        f"{'profile' if side else 'area'}-open",
        Severity.STOP,
        f"'{shape.name}' is open by {mm(gap, '.2f')} and has no {side or 'inside'}; '{cut.name}' leaves it uncut.",
        mend=fix,
        at=(x, y),
        subject=cut.id,
    )


def open_findings(shapes: Sequence[Shape], cut: Sided) -> list[Finding]:
    """Of all open outlines given to a cut that works on one side of closed ones."""
    return [
        open_finding(shape, path, cut, side=cut.side.value)
        for shape in shapes
        for path in shape.placed()
        if not path.closed
    ]


def no_area(cut: Cut | Sided) -> Finding:
    """Shapes that close but hold nothing."""
    return Finding(
        "area-none",
        Severity.STOP,
        f"The shapes of '{cut.name}' hold no area; it cuts nothing.",
        mend="Give it shapes that enclose something, or engrave the lines.",
        subject=cut.id,
    )


def _line_finding(shape: Shape, at: FloatArray, cut: Sided) -> Finding:
    return Finding(
        "line-tight",
        Severity.STOP,
        f"'{shape.name}' turns too tightly for the bit to follow it at its {cut.side.value}; that stretch is left uncut.",
        mend="Choose a smaller bit.",
        at=(float(at[0]), float(at[1])),
        subject=cut.id,
    )
