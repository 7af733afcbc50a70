"""Undercut slots: a dovetail, keyhole or T-slot bit along a line, at full depth in one pass.

The bit's head is wider than the opening it leaves, so it must never plunge or lift within the slot: it goes in and out
where the wood is open, past the sheet's edge or in a hole or pocket cut before that is wide and deep enough for the head. A keyhole bit
that cuts at its centre may make its own way in: it plunges at the line's begin, goes to the end, comes back and lifts there. Where no way in
or out is open the slot is refused, with the reason.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import shapely
from shapely.geometry import Polygon

from archimetra.base.findings import Finding, Severity, mm
from archimetra.geometry.arcfit import to_arcs
from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.region import Region, as_region
from archimetra.job.bits import UNDERCUTS, BitKind
from archimetra.job.cuts import Opening
from archimetra.job.cuts.slot import SlotCut
from archimetra.job.shapes import Shape
from archimetra.toolpath.hole.planner import drilled_holes
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.contours import FIT_MM, kept_region
from archimetra.toolpath.shared.move_builder import MoveBuilder
from archimetra.toolpath.shared.moves import Toolpath
from archimetra.toolpath.shared.passes import lay_pass, no_lifts
from archimetra.toolpath.shared.refusals import nothing_to_plan
from archimetra.toolpath.shared.track import Track

Progress = Callable[[float], None]
PAST_MM = 1.0  # how far past the sheet's edge the head's edge goes before it is lifted
_SLACK_MM = 0.05


def plan_slots(work: ResolvedCut, progress: Progress = lambda share: None) -> tuple[Toolpath, tuple[Finding, ...]]:
    """The toolpath of some undercut slots and what to know about it. Deterministic; only the progress callback may raise."""
    cut, bit = work.cut, work.bit
    assert isinstance(cut, SlotCut)
    findings = list(nothing_to_plan(work))
    builder = MoveBuilder(work)
    if not findings and bit.kind not in UNDERCUTS:
        findings.append(
            Finding(
                "slot-bit", Severity.STOP, f"'{cut.name}' cuts undercut slots, but {bit.name} has no undercut.",
                mend="Choose a dovetail, keyhole or T-slot bit.", subject=cut.id,
            )
        )  # fmt: skip
    elif not findings and bit.kind is not BitKind.DOVETAIL and work.depth <= bit.head_height:
        findings.append(
            Finding(
                "slot-shallow", Severity.STOP,
                f"'{cut.name}' is {mm(work.depth)} deep, no deeper than the {mm(bit.head_height)} head of {bit.name}: "
                "nothing would stay above it.",
                mend=f"Go deeper than {mm(bit.head_height)}.", subject=cut.id,
            )
        )  # fmt: skip
    elif not findings:
        open_area = opened(work)
        for number, (shape, track) in enumerate(_lines(work)):
            progress(number / max(1, len(work.shapes)))
            findings.extend(_slot(builder, work, shape, track, open_area))
        findings.extend(_relief(work))
    builder.leave()
    return builder.moves.toolpath(cut.id, bit.id), tuple(findings)


def _lines(work: ResolvedCut) -> list[tuple[Shape, Track]]:
    return [
        (shape, Track(to_arcs(path, tolerance_mm=FIT_MM)))
        for shape in work.shapes
        for path in shape.placed()
        if path.length() > 0
    ]


def _slot(builder: MoveBuilder, work: ResolvedCut, shape: Shape, track: Track, open_area: Region) -> list[Finding]:
    """One slot: straight through from open to open, or in and back."""
    bit, z = work.bit, -work.depth
    ends = track.points(np.array([0.0, 0.0 if track.is_closed else track.length]))
    directions = track.tangents_at(np.array([0.0, max(track.length - 1e-6, 0.0)]))
    places = [
        _way_out(work, ends[0], -directions[0], open_area),
        _way_out(work, ends[1], directions[1], open_area) if not track.is_closed else None,
    ]
    if places[0] is None and places[1] is None:
        if bit.kind is BitKind.KEYHOLE and bit.can_plunge:
            places[0] = ends[0]
        else:
            return [_closed_in(work, shape, ends[0])]
    is_turned = places[0] is None
    begin, end = (places[1], places[0]) if is_turned else (places[0], places[1])
    assert begin is not None
    builder.arrive(float(begin[0]), float(begin[1]))
    builder.down(z, pass_no=1)
    a, b = (track.length, 2 * track.length) if is_turned else (0.0, track.length)
    x, y = (float(v) for v in track.points(np.array([a]))[0])
    builder.line(x, y, z, pass_no=1)
    lay_pass(
        builder.moves, track, a=a, b=b, z_from=z, z_to=z, ramp=0.0, lifts=no_lifts(track), feed=builder.feed,
        plunge=builder.plunge, pass_no=1,
    )  # fmt: skip
    if end is None:  # no way out at the far end: back through the slot
        if not track.is_closed:
            lay_pass(
                builder.moves, track, a=b, b=b + track.length, z_from=z, z_to=z, ramp=0.0, lifts=no_lifts(track),
                feed=builder.feed, plunge=builder.plunge, pass_no=1,
            )  # fmt: skip
        builder.line(float(begin[0]), float(begin[1]), z, pass_no=1)
    else:
        builder.line(float(end[0]), float(end[1]), z, pass_no=1)
    return []


def _way_out(work: ResolvedCut, end: FloatArray, outward: FloatArray, open_area: Region) -> FloatArray | None:
    """Where the head can come down and be lifted: at the line's end if that is open, or straight on past the sheet's edge
    where it is near."""
    head = shapely.buffer(shapely.points(end), work.bit.radius - _SLACK_MM)
    if not open_area.is_empty and bool(shapely.covers(open_area, head)):
        return end
    sheet = work.sheet.region
    reach = work.bit.radius + PAST_MM
    if not shapely.intersects(sheet, head):
        return end
    # an end on or past the edge, or within the head's width of it, runs on into the air
    for extra in np.linspace(0.0, 2 * reach, 41)[1:]:
        there = end + outward * extra
        if not shapely.intersects(sheet, shapely.buffer(shapely.points(there), reach - _SLACK_MM)):
            inner = (
                shapely.distance(sheet.boundary, shapely.points(end))
                if shapely.contains(sheet, shapely.points(end))
                else 0.0
            )
            return there if inner <= work.bit.radius else None
    return None


def opened(work: ResolvedCut) -> Region:
    """The area earlier cuts have opened at least as deep as the slot, from the top."""
    depth = work.depth
    areas = [
        shapely.buffer(shapely.points(hole.at), hole.diameter / 2, quad_segs=64)
        for hole in drilled_holes(work)
        if hole.depth >= depth - _SLACK_MM
    ]
    for earlier in work.prior:
        cut, bit = earlier.cut, earlier.bit
        if cut.opening is Opening.HOLE or work.depth_of(earlier) < depth - _SLACK_MM:
            continue
        if cut.opening is Opening.AREA:
            area = kept_region(earlier.shapes)
            areas.append(shapely.buffer(shapely.buffer(area, -bit.radius), bit.radius))
        else:
            lines = [shapely.linestrings(p.flatten(0.01)) for s in earlier.shapes for p in s.placed() if len(p)]
            areas.extend(shapely.buffer(line, bit.radius) for line in lines)
    return as_region(shapely.union_all(areas)) if areas else as_region(Polygon())


def _relief(work: ResolvedCut) -> list[Finding]:
    """Whether a groove was cut first along the slots: the undercut bit then only widens it."""
    if work.bit.kind is BitKind.KEYHOLE:
        return []
    lines = [shapely.linestrings(p.flatten(0.02)) for s in work.shapes for p in s.placed() if len(p)]
    grooves = []
    for earlier in work.prior:
        cut = earlier.cut
        if cut.opening is Opening.HOLE or work.depth_of(earlier) < 0.6 * work.depth:
            continue
        if cut.opening is Opening.AREA:
            grooves.append(kept_region(earlier.shapes))
        else:
            grooves += [
                shapely.buffer(shapely.linestrings(p.flatten(0.02)), earlier.bit.radius)
                for s in earlier.shapes for p in s.placed() if len(p)
            ]  # fmt: skip
    ground = shapely.union_all(grooves) if grooves else Polygon()
    bare = [line for line in lines if shapely.length(shapely.difference(line, ground)) > work.bit.diameter]
    if not bare:
        return []
    x, y = shapely.get_coordinates(bare[0])[0]
    return [
        Finding(
            "slot-relief", Severity.CAUTION,
            f"'{work.cut.name}' takes its whole depth of {mm(work.depth)} in one pass with no groove cut before it.",
            mend=f"Cut a groove along it first, with a straight bit no wider than {mm(work.bit.neck)}.",
            at=(float(x), float(y)), subject=work.cut.id,
        )
    ]  # fmt: skip


def _closed_in(work: ResolvedCut, shape: Shape, at: FloatArray) -> Finding:
    bit = work.bit
    return Finding(
        "slot-closed-in", Severity.STOP,
        f"'{shape.name}' begins and ends within solid wood; {bit.name} can neither plunge nor be lifted there, so "
        f"'{work.cut.name}' leaves it uncut.",
        mend=f"Let the line run past the sheet's edge, or cut a hole at least {mm(bit.diameter)} wide and {mm(work.depth)} deep at "
        "one end first.",
        at=(float(at[0]), float(at[1])), subject=work.cut.id,
    )  # fmt: skip
