"""Facing: the whole sheet or some areas planed, the bit running past every edge; in straight lines or round and inwards.

The bit comes down beside what it faces: in the air where that is past the sheet's edge. Beside an area within the sheet there is wood:
there a bit that cannot plunge slopes down along its first line.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import shapely
from shapely.geometry import Polygon

from archimetra.base.findings import Finding, Severity, mm
from archimetra.geometry.arcfit import fit_arcs
from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.clearance import Clearance
from archimetra.geometry.path import Path
from archimetra.geometry.region import Region, as_region, polygons_of
from archimetra.job.bits import FLAT_BOTTOMED
from archimetra.job.cuts.facing import FacingCut, FacingPattern
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.clearing import raster_lines
from archimetra.toolpath.shared.contours import kept_region, no_area, open_finding, walks_right
from archimetra.toolpath.shared.move_builder import MoveBuilder
from archimetra.toolpath.shared.moves import Role, Toolpath
from archimetra.toolpath.shared.passes import lay_pass, no_lifts, pass_depths, ramp_length
from archimetra.toolpath.shared.refusals import LEAST_DEPTH_MM, nothing_to_plan
from archimetra.toolpath.shared.strokes import to_and_fro
from archimetra.toolpath.shared.track import Track

Progress = Callable[[float], None]
_BESIDE_MM = 1.0  # how far from the wood the bit's edge comes down
_RAMP_DEGREES = 4.0  # of a bit that cannot plunge, where there is no air beside


def plan_facing(work: ResolvedCut, progress: Progress = lambda share: None) -> tuple[Toolpath, tuple[Finding, ...]]:
    """The toolpath of one facing and what to know about it. Deterministic; only the progress callback may raise."""
    cut, bit = work.cut, work.bit
    assert isinstance(cut, FacingCut)
    findings = list(_too_thin(work, cut) or nothing_to_plan(work))
    builder = MoveBuilder(work)
    if not findings:
        if bit.kind not in FLAT_BOTTOMED:
            findings.append(
                Finding(
                    "facing-ridges", Severity.CAUTION, f"'{cut.name}' faces with {bit.name}, which leaves ridges.",
                    mend="Choose a straight or surfacing bit.", subject=cut.id,
                )
            )  # fmt: skip
        findings.extend(
            open_finding(shape, path, cut) for shape in work.shapes for path in shape.placed() if not path.closed
        )
        area = _area(work, cut)
        depths = pass_depths(cut.start_depth, work.depth, work.recipe.depth_per_pass)
        polygons = polygons_of(area)
        if not polygons and not findings:
            findings.append(no_area(cut))
        for number, polygon in enumerate(polygons):
            above = -cut.start_depth
            for pass_no, depth in enumerate(depths, 1):
                progress((number + pass_no / len(depths)) / len(polygons))
                if cut.pattern is FacingPattern.RASTER:
                    _raster(builder, work, cut, polygon, above, -float(depth), pass_no)
                else:
                    _spiral(builder, work, polygon, above, -float(depth), pass_no)
                above = -float(depth)
    builder.leave()
    return builder.moves.toolpath(cut.id, bit.id), tuple(findings)


def _area(work: ResolvedCut, cut: FacingCut) -> Region:
    """What is faced."""
    if cut.takes_whole_sheet:
        return work.sheet.region
    return kept_region(work.shapes)


def _raster(
    builder: MoveBuilder, work: ResolvedCut, cut: FacingCut, area: Polygon, above: float, z: float, pass_no: int
) -> None:
    """Straight lines to and fro whose ends lie so far past the area that the bit's edge runs past it."""
    radius = work.bit.radius
    # the centre goes as far out that the trailing edge is past by what is asked; sideways the edge itself is
    reach = radius + cut.run_past
    rows = raster_lines(area, degrees=cut.raster_degrees, step=work.recipe.stepover * work.bit.diameter)
    is_back = False
    turn = np.radians(cut.raster_degrees)
    u = np.array((np.cos(turn), np.sin(turn)))
    first = True
    for row in rows:
        # a row crosses gaps in the air: from the first edge to the last
        line = np.array((row[0][0] - u * reach, row[-1][1] + u * reach))
        if is_back:
            line = line[::-1]
        if first:
            line[0] = _clear_of(area, line[0], -u, radius + _BESIDE_MM)
        bx, by = (float(v) for v in line[0])
        end = (float(line[1, 0]), float(line[1, 1]))
        if first:
            first = False
            if _is_in_air(work, line[0]) or work.bit.can_plunge:
                builder.arrive(bx, by)
                builder.down(z, pass_no=pass_no)
            else:
                track = Track(Path.polyline(line, closed=False))
                to_and_fro(builder, track, [-z], start=-above, ramp_degrees=_RAMP_DEGREES, first_pass=pass_no)
        else:
            builder.line(bx, by, z, pass_no=pass_no, role=Role.LINK)
        builder.line(*end, z, pass_no=pass_no)
        is_back = not is_back


def _clear_of(area: Polygon, at: FloatArray, outward: FloatArray, reach: float) -> FloatArray:
    """From a place straight outwards to where a bit of this radius does not touch the area: a slanting row ends beside its corner."""
    for extra in np.linspace(0.0, 4 * reach, 81):
        there = at + outward * extra
        if area.distance(shapely.points(there)) >= reach - 1e-9:
            return np.asarray(there)
    return at


def _is_in_air(work: ResolvedCut, at: FloatArray) -> bool:
    """Whether the bit stands past the sheet's edge there."""
    return bool(shapely.distance(work.sheet.region, shapely.points(at)) >= work.bit.radius)


def _spiral(builder: MoveBuilder, work: ResolvedCut, area: Polygon, above: float, z: float, pass_no: int) -> None:
    """Loops from outside inwards, each linked to the next; the first runs half over the edge."""
    radius, cut = work.bit.radius, work.cut
    assert isinstance(cut, FacingCut)
    step = min(work.recipe.stepover, 0.5) * work.bit.diameter
    grown = shapely.buffer(area, min(cut.run_past, radius) + 1e-3, join_style="mitre")
    outer = shapely.get_coordinates(shapely.polygons(shapely.get_exterior_ring(grown)))
    loops: list[FloatArray] = [outer]
    clearance = Clearance(as_region(grown))
    distance = step
    while True:
        paths = clearance.offsets(distance)
        if not paths:
            break
        loops.extend(path.flatten(0.002) for path in paths)
        distance += step
    turn = not walks_right(cut.direction, work.bit)
    for number, ring in enumerate(loops):
        path = fit_arcs(ring if not turn else ring[::-1], tolerance_mm=0.01, closed=True)
        track = Track(path)
        if number == 0:
            x, y = (float(v) for v in track.points(np.array([0.0]))[0])
            a, out = 0.0, _beside(area, (x, y), radius + _BESIDE_MM)
            if _is_in_air(work, np.array(out)) or work.bit.can_plunge:
                builder.arrive(*out)
                builder.down(z, pass_no=pass_no)
                builder.line(x, y, z, pass_no=pass_no)
            else:
                a = _ramp_round(builder, track, a, above, z, pass_no)
        else:
            a, gap = track.near(np.array(builder.at[:2]))
            x, y = (float(v) for v in track.points(np.array([a]))[0])
            if gap <= 2.5 * step:
                builder.line(x, y, z, pass_no=pass_no, role=Role.LINK)
            elif work.bit.can_plunge:
                builder.arrive(x, y)
                builder.down(z, pass_no=pass_no)
            else:
                a = _ramp_round(builder, track, a, above, z, pass_no)
        lay_pass(
            builder.moves, track, a=a, b=a + track.length, z_from=z, z_to=z, ramp=0.0, lifts=no_lifts(track),
            feed=builder.feed, plunge=builder.plunge, pass_no=pass_no,
        )  # fmt: skip


def _ramp_round(builder: MoveBuilder, track: Track, a: float, above: float, z: float, pass_no: int) -> float:
    """Down along a loop from the height that is open; the station it ends at. What stands under the slope goes with the loop."""
    x, y = (float(v) for v in track.points(np.array([a]))[0])
    builder.arrive(x, y)
    builder.down(above, pass_no=pass_no)
    b = a + ramp_length(builder.at[2] - z, _RAMP_DEGREES, track.length)
    lay_pass(
        builder.moves, track, a=a, b=b, z_from=builder.at[2], z_to=z, ramp=b - a, lifts=no_lifts(track), feed=builder.feed,
        plunge=builder.plunge, pass_no=pass_no,
    )  # fmt: skip
    return b


def _beside(area: Polygon, at: tuple[float, float], reach: float) -> tuple[float, float]:
    """The place outside the area, away from it through ``at``, from which the bit does not touch it."""
    edge = area.exterior
    near = edge.interpolate(edge.project(shapely.points(at)))
    d = np.array(at) - np.array((near.x, near.y))
    size = float(np.hypot(*d))
    if size < 1e-9 or area.contains(shapely.points(at)):
        centre = area.centroid
        d = np.array(at) - np.array((centre.x, centre.y))
        size = max(float(np.hypot(*d)), 1e-9)
    x, y = np.array((near.x, near.y)) + d / size * reach
    return float(x), float(y)


def _too_thin(work: ResolvedCut, cut: FacingCut) -> list[Finding]:
    """A sheet that is no thicker than what it is to be faced to."""
    if cut.target <= 0 or work.depth >= LEAST_DEPTH_MM or not (work.shapes or cut.takes_whole_sheet):
        return []
    return [
        Finding(
            "facing-thin", Severity.STOP,
            f"'{cut.name}' faces to {mm(cut.target)}, but the sheet is only {mm(work.sheet.thickest)} thick.",
            mend="Enter a smaller target thickness, or measure again.", subject=cut.id,
        )
    ]  # fmt: skip
