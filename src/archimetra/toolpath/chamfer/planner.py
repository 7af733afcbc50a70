"""Chamfers: the flank of a V bit along an outline, so far beside it and so deep that the bevel comes out as wide as asked.

Around outer corners of the wood the path goes in an arc, and the bevels meet in a sharp mitre. An inner corner is narrower than the bit
at the bevel's lower edge: there it rises towards the corner as far as both flanks still touch, as in carving, and comes back.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from math import radians, tan

import msgspec
import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from archimetra.base.findings import Finding, Severity
from archimetra.geometry.arrays import FloatArray
from archimetra.job.bits import Bit, BitKind
from archimetra.job.cuts.chamfer import Bevel, ChamferCut
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.contours import Contour, contours_of, kept_region, no_area, on_the_line
from archimetra.toolpath.shared.lines import Aside, WayIn, lay_line, ordered_lines
from archimetra.toolpath.shared.move_builder import MoveBuilder
from archimetra.toolpath.shared.moves import Toolpath
from archimetra.toolpath.shared.overcut import inner_corners
from archimetra.toolpath.shared.passes import pass_depths
from archimetra.toolpath.shared.refusals import nothing_to_plan
from archimetra.toolpath.shared.track import Track

Progress = Callable[[float], None]
ON_LINE_MM = 0.02  # an axis nearer to the outline than this runs on it
_NEEDLE_DEGREES = 176.0  # a sharper inner corner is a slit
_LEAST_MM = 0.005  # ways into a corner shorter than this are not worth a stop
_OF_THE_DRAWING = ("profile-open", "line-tight", "area-none", "offset")  # what is said of widths is measured here anew
_NEAR_MM = 0.05
_SAMPLES_MM, _MOST_SAMPLES = 0.2, 20_000
_STEPS = 6  # straight moves of such a way


def plan_chamfer(work: ResolvedCut, progress: Progress = lambda share: None) -> tuple[Toolpath, tuple[Finding, ...]]:
    """The toolpath of a chamfer and what to know about it. Deterministic; only the progress callback may raise."""
    cut = work.cut
    assert isinstance(cut, ChamferCut)
    findings = list(_unsuited(work, cut) or nothing_to_plan(work))
    builder = MoveBuilder(work)
    if not findings:
        bevel = cut.bevel(work.bit)
        contours, findings = _contours(work, cut, bevel)
        lines = [contour for contour in contours if contour.path is not None]
        tracks = [Track(contour.path) for contour in lines if contour.path is not None]
        depths = pass_depths(cut.start_depth, work.depth, work.recipe.depth_per_pass)
        outline = shapely.boundary(kept_region(work.shapes))
        followed: list[FloatArray] = [
            contour.ring if len(contour.ring) > 1 else np.repeat(contour.ring, 2, 0) for contour in contours
        ]
        for number, k in enumerate(range(len(tracks)) if cut.keeps_order else ordered_lines(tracks)):
            progress(number / max(1, len(tracks)))
            track, contour = tracks[k if k >= 0 else ~k], lines[k if k >= 0 else ~k]
            if len(track):
                asides = _into_corners(contour, track, cut, work.bit, bevel, outline)
                way_in = WayIn(cut.entry, cut.ramp_degrees)
                followed += [np.vstack((aside.points[0], aside.points))[:, :2] for aside in asides]
                lay_line(builder, track, way_in, depths, start=cut.start_depth, is_back=k < 0, asides=asides)
        for contour in contours:
            if contour.path is None:
                builder.arrive(*contour.at)
                builder.down(-work.depth, pass_no=1)
        findings += _left_out(cut, work.bit, bevel, outline, followed)
        if builder.moves.is_empty and not findings:
            findings.append(no_area(cut))
    builder.leave()
    return builder.moves.toolpath(cut.id, work.bit.id), tuple(findings)


def _contours(work: ResolvedCut, cut: ChamferCut, bevel: Bevel) -> tuple[Sequence[Contour], list[Finding]]:
    """Where the axis runs: beside the outlines as the middle of a bit would that is as wide as this one at the bevel's lower edge."""
    if cut.is_on_line or bevel.beside < ON_LINE_MM:
        shapes = work.shapes
        found = on_the_line(shapes, cut.direction, work.bit)
        return found, []
    narrow = msgspec.structs.replace(work.bit, kind=BitKind.STRAIGHT, diameter=2 * bevel.beside, tip_flat=0.0)
    made = contours_of(work.shapes, cut, narrow)
    return made.contours, [finding for finding in made.findings if finding.code in _OF_THE_DRAWING]


def _left_out(
    cut: ChamferCut, bit: Bit, bevel: Bevel, outline: BaseGeometry, lines: Sequence[FloatArray]
) -> Iterator[Finding]:
    """Edges no line of the path comes near enough to: the wood on their other side is too near."""
    length = float(shapely.length(outline))
    if cut.is_on_line or not length:
        return
    count = min(int(length / max(bevel.beside, _SAMPLES_MM)) + 2, _MOST_SAMPLES)
    samples = np.concatenate([
        shapely.line_interpolate_point(part, np.arange(0.0, part.length, length / count))
        for part in shapely.get_parts(outline)
    ])  # fmt: skip
    field = shapely.STRtree([shapely.linestrings(line) for line in lines])
    # a flat tip stays out of the last of an acute corner
    near = bevel.beside + _NEAR_MM + 2 * bit.tip_flat
    reached = np.unique(field.query(samples, predicate="dwithin", distance=near)[0])
    missed = np.setdiff1d(np.arange(len(samples)), reached)
    if len(missed):
        x, y = shapely.get_coordinates(samples[missed[len(missed) // 2]])[0]
        yield Finding(
            "chamfer-tight", Severity.CAUTION,
            f"About {max(len(missed) * length / count, 0.1):.1f} mm of the edges of '{cut.name}' get no bevel: the tip, {bevel.beside:.2f} mm beside "
            "the edge, would reach the wood on the other side.",
            fix="Let the tip go less far past the bevel.", at=(float(x), float(y)), subject=cut.id,
        )  # fmt: skip


def _into_corners(
    contour: Contour, track: Track, cut: ChamferCut, bit: Bit, bevel: Bevel, outline: BaseGeometry
) -> list[Aside]:
    """The ways into the inner corners of the wood along a contour."""
    path = contour.path
    flat = bit.tip_flat / 2
    if path is None or not path.closed or contour.keeps_right is None or bevel.beside - flat < _LEAST_MM:
        return []
    out = []
    for node, direction, into in inner_corners(path, keeps_right=contour.keeps_right, sharpest_degrees=_NEEDLE_DEGREES):
        points = _way_in(node, direction, bevel.beside / np.cos(into / 2), cut.start_depth, bit, bevel, outline)
        if points is not None:
            out.append(Aside(float(track.nearest(node[None, :])[0][0]), points))
    return out


def _way_in(
    node: FloatArray, direction: FloatArray, reach: float, start: float, bit: Bit, bevel: Bevel, outline: BaseGeometry
) -> FloatArray | None:
    """Places (n, 3) from a joint of the path towards the drawn corner, rising so that the flanks just touch the outline at the bevel's
    depth: the tip is at depth d + (c - rt) / t where the outline is c away. None where the corner is too near to be worth it."""
    ray = shapely.linestrings(np.array((node, node + direction * reach)))
    met = shapely.intersection(ray, outline)
    room = float(shapely.distance(met, shapely.points(node))) if not met.is_empty else reach
    if room - bevel.beside < _LEAST_MM:
        return None
    flat, slope = bit.tip_flat / 2, tan(radians(bit.angle / 2))
    far = room * (1 - flat / bevel.beside)
    places = node + direction * np.linspace(0.0, far, _STEPS + 1)[1:, None]
    clear = np.clip(shapely.distance(shapely.points(places), outline), flat, bevel.beside)
    depth = start + bevel.depth + (clear - flat) / slope
    return np.column_stack((places, -depth))


def _unsuited(work: ResolvedCut, cut: ChamferCut) -> list[Finding]:
    bit = work.bit
    if bit.kind is not BitKind.VEE:
        return [
            Finding(
                "chamfer-bit", Severity.STOP, f"'{cut.name}' needs the slope of a V bit; {bit.name} has none.",
                fix="Choose a V bit.", subject=cut.id,
            )
        ]  # fmt: skip
    bevel = cut.bevel(bit)
    widest = bit.radius if cut.is_on_line else bit.radius - bevel.beside
    if bevel.width <= widest + 1e-6:
        return []
    fix = f"Make it {max(np.floor(widest * 100) / 100, 0.0):g} mm wide or less, or choose a wider V bit."
    return [
        Finding(
            "chamfer-wide", Severity.STOP, f"The bevel of '{cut.name}' is {bevel.width:.2f} mm wide; {bit.name} reaches only "
            f"{max(widest, 0.0):.2f} mm." , fix=fix, subject=cut.id,
        )
    ]  # fmt: skip
