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

from archimetra.base.findings import Finding, Severity, mm
from archimetra.geometry.arcfit import fit_arcs
from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.offset import thinned
from archimetra.geometry.region import ring_paths
from archimetra.job.bits import Bit, BitKind
from archimetra.job.cut_parts import Side
from archimetra.job.cuts.chamfer import Bevel, ChamferCut
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.contours import (
    FIT_MM,
    THIN_MM,
    Contour,
    contour_of,
    contours_of,
    kept_region,
    no_area,
    on_the_line,
    open_findings,
    walks_right,
)
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
_FINE, _LONGEST = 12, 8.0  # steps along an outline in a bevel's way beside it; of a corner's depth
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
        edges = _Edges(outline)
        followed: list[FloatArray] = [
            contour.ring if len(contour.ring) > 1 else np.repeat(contour.ring, 2, 0) for contour in contours
        ]
        for number, k in enumerate(range(len(tracks)) if cut.keeps_order else ordered_lines(tracks)):
            progress(number / max(1, len(tracks)))
            track, contour = tracks[k if k >= 0 else ~k], lines[k if k >= 0 else ~k]
            if len(track):
                asides = _into_corners(contour, track, cut, work.bit, bevel, edges)
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
    if cut.is_on_line:
        return on_the_line(work.shapes, cut.direction, work.bit), []
    if bevel.beside < ON_LINE_MM:
        if cut.side in (Side.OUTSIDE, Side.INSIDE):
            return _around(work, cut), open_findings(work.shapes, cut)
        return on_the_line(work.shapes, cut.direction, work.bit), []
    narrow = msgspec.structs.replace(work.bit, kind=BitKind.STRAIGHT, diameter=2 * bevel.beside, tip_flat=0.0)
    made = contours_of(work.shapes, cut, narrow)
    return made.contours, [finding for finding in made.findings if finding.code in _OF_THE_DRAWING]


def _around(work: ResolvedCut, cut: ChamferCut) -> list[Contour]:
    """The edge of the shapes' area itself: what is drawn within it is no edge."""
    region = thinned(kept_region(work.shapes), tolerance_mm=THIN_MM)
    right = walks_right(cut.direction, work.bit)
    out = []
    for ring in ring_paths(region):  # the area lies left of them
        line = fit_arcs(ring, tolerance_mm=FIT_MM, closed=True)
        out.append(contour_of(line.reverse() if (cut.side is Side.INSIDE) != right else line, ring, keeps_right=right))
    return out


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
            f"About {mm(max(len(missed) * length / count, 0.1), '.1f')} of the edges of '{cut.name}' get no bevel: the tip, {mm(bevel.beside, '.2f')} beside "
            "the edge, would reach the wood on the other side.",
            mend="Let the tip go less far past the bevel.", at=(float(x), float(y)), subject=cut.id,
        )  # fmt: skip


def _into_corners(
    contour: Contour, track: Track, cut: ChamferCut, bit: Bit, bevel: Bevel, edges: _Edges
) -> list[Aside]:
    """The ways into the inner corners of the wood along a contour."""
    path = contour.path
    flat = bit.tip_flat / 2
    if path is None or not path.closed or contour.keeps_right is None or bevel.beside - flat < _LEAST_MM:
        return []
    out = []
    for node, direction, into in inner_corners(path, keeps_right=contour.keeps_right, sharpest_degrees=_NEEDLE_DEGREES):
        reach = bevel.beside / np.cos(into / 2)
        met = edges.met(node, direction, reach)
        if np.hypot(*(met - node)) - bevel.beside < _LEAST_MM:
            continue
        points = _round_corner(node, met, reach, bevel, edges) if flat < _LEAST_MM else None
        if points is None:
            points = _to_corner(node, met, flat, bevel)
        # where the outline is c away, both flanks just touch it with the tip at depth d + (c - rt) / t
        clear = np.clip(edges.away(points), flat, bevel.beside)
        depth = cut.start_depth + bevel.depth + (clear - flat) / tan(radians(bit.angle / 2))
        out.append(Aside(float(track.nearest(node[None, :])[0][0]), np.column_stack((points, -depth))))
    return out


class _Edges:
    """The drawn lines around the area, to be asked for what lies near a corner."""

    def __init__(self, outline: BaseGeometry) -> None:
        self.outline = outline
        self._parts = shapely.get_parts(outline)
        self._tree = shapely.STRtree(self._parts)

    def met(self, node: FloatArray, direction: FloatArray, reach: float) -> FloatArray:
        """The first place (2,) of the outline on the way from a joint, or the end of the way."""
        ray = shapely.linestrings(np.array((node, node + direction * reach)))
        found = shapely.intersection(ray, self.outline)
        room = float(shapely.distance(found, shapely.points(node))) if not found.is_empty else reach
        return node + direction * room

    def away(self, points: FloatArray) -> FloatArray:
        """How far the outline is from places (n, 2)."""
        return np.asarray(shapely.distance(shapely.points(points), self.outline))

    def beyond(self, node: FloatArray, met: FloatArray, distance: float, longest: float) -> FloatArray | None:
        """The stretch (n, 2) of the outline about a place that is farther than ``distance`` from a joint; None where it is longer
        than ``longest`` either way."""
        line = self._parts[self._tree.nearest(shapely.points(met))]
        length, at = float(line.length), float(line.project(shapely.points(met)))
        steps = np.arange(0.0, min(longest, length / 2), distance / _FINE)
        ends = []
        for sign in (-1.0, 1.0):
            places = shapely.line_interpolate_point(line, (at + sign * steps) % length)
            near = np.flatnonzero(shapely.distance(places, shapely.points(node)) <= distance + _LEAST_MM)
            if not len(near):
                return None
            ends.append(at + sign * float(steps[near[0]]))
        joints = shapely.get_coordinates(line)
        stations = np.concatenate(([0.0], np.cumsum(np.hypot(*np.diff(joints, axis=0).T))))[:-1]
        round_ = np.concatenate([stations + turn * length for turn in (-1, 0, 1)])
        inner = np.sort(round_[(round_ > ends[0] + 1e-9) & (round_ < ends[1] - 1e-9)])
        whole = np.concatenate(([ends[0]], inner, [ends[1]])) % length
        return np.asarray(shapely.get_coordinates(shapely.line_interpolate_point(line, whole)))


def _round_corner(node: FloatArray, met: FloatArray, reach: float, bevel: Bevel, edges: _Edges) -> FloatArray | None:
    """Places (n, 2) from a joint of the path to the outline, along it through the corner whatever its shape, and back: a sharp tip on the
    outline leaves the bevel there. None where the corner does not end."""
    along = edges.beyond(node, met, bevel.beside, _LONGEST * reach)
    if along is None:
        return None
    shares = np.linspace(0.0, 1.0, _STEPS + 1)[1:-1, None]
    return np.vstack((node + (along[0] - node) * shares, along, along[-1] + (node - along[-1]) * shares, node))


def _to_corner(node: FloatArray, met: FloatArray, flat: float, bevel: Bevel) -> FloatArray:
    """Places (n, 2) from a joint of the path towards the drawn corner, as far as a flat tip gets, and back the same way."""
    far = (met - node) * (1 - flat / bevel.beside)
    there = node + far * np.linspace(0.0, 1.0, _STEPS + 1)[1:, None]
    return np.vstack((there, there[-2::-1], node))


def _unsuited(work: ResolvedCut, cut: ChamferCut) -> list[Finding]:
    bit = work.bit
    if bit.kind is not BitKind.VEE:
        return [
            Finding(
                "chamfer-bit", Severity.STOP, f"'{cut.name}' needs the slope of a V bit; {bit.name} has none.",
                mend="Choose a V bit.", subject=cut.id,
            )
        ]  # fmt: skip
    bevel = cut.bevel(bit)
    widest = bit.radius if cut.is_on_line else bit.radius - bevel.beside
    if bevel.width <= widest + 1e-6:
        return []
    fix = f"Make it {mm(max(np.floor(widest * 100) / 100, 0.0))} wide or less, or choose a wider V bit."
    return [
        Finding(
            "chamfer-wide", Severity.STOP, f"The bevel of '{cut.name}' is {mm(bevel.width, '.2f')} wide; {bit.name} reaches only "
            f"{mm(max(widest, 0.0), '.2f')}." , mend=fix, subject=cut.id,
        )
    ]  # fmt: skip
