"""Profile: along outlines, outside, inside or on the line, in passes, with tabs, leads and ramps.

Stages: contours beside the outlines (``contours``), the marks that belong to each (``outlines``), their running order (``order``), and for
each its tabs (``tabs``), start (``starts``), leads (``leads``) and passes (``passes``), then the last pass of a finishing allowance.

No move takes more than a pass: with leads every pass begins and ends at the same places, so that each lead lies in the one before it;
what a finishing pass meets beyond its allowance (leads, corners, narrow places the passes before did not fit into) is cut in passes first.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from math import radians, tan

import msgspec
import numpy as np
import shapely

from archimetra.base.findings import Finding, Severity
from archimetra.geometry.arrays import FloatArray, IntArray
from archimetra.geometry.path import Path
from archimetra.job.cut_parts import Entry, LeadKind, Side
from archimetra.job.cuts.profile import ProfileCut
from archimetra.toolpath.profile.outlines import Outlines, stations_of
from archimetra.toolpath.profile.shared_edges import contours_sharing
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.contours import (
    Contour,
    Contours,
    contours_of,
    no_area,
)
from archimetra.toolpath.shared.leads import LeadPath, fit_lead, lay_lead
from archimetra.toolpath.shared.move_builder import MoveBuilder
from archimetra.toolpath.shared.moves import MarkKind, PathMark, Role, Toolpath
from archimetra.toolpath.shared.order import inside_first
from archimetra.toolpath.shared.overcut import overcut
from archimetra.toolpath.shared.passes import (
    MOST_ROUNDS,
    TAB_SLOPE,
    Lifts,
    lay_pass,
    no_lifts,
    pass_depths,
    ramp_length,
)
from archimetra.toolpath.shared.refusals import nothing_to_plan, only_by_plunging
from archimetra.toolpath.shared.starts import choose_start
from archimetra.toolpath.shared.strokes import down_beside, finishing_reach, to_and_fro, unserved
from archimetra.toolpath.shared.tabs import spans_at, tab_spans
from archimetra.toolpath.shared.track import Track

Progress = Callable[[float], None]  # share done, 0 to 1; raises CancelledError to stop
NOWHERE: FloatArray = np.zeros((0, 2))


class Line(msgspec.Struct, frozen=True, eq=False):
    """A contour with the places (n, 2) of the tabs and starts set by hand on it."""

    contour: Contour
    tabs: FloatArray = NOWHERE
    starts: FloatArray = NOWHERE

    def reversed(self) -> Line:
        return Line(_reversed(self.contour), self.tabs, self.starts)


def plan_profile(work: ResolvedCut, progress: Progress = lambda share: None) -> tuple[Toolpath, tuple[Finding, ...]]:
    """The toolpath of one profile and what to know about it. Deterministic; only the progress callback may raise."""
    cut, bit = work.cut, work.bit
    assert isinstance(cut, ProfileCut)
    findings = list(nothing_to_plan(work))
    planner = _Profile(work, cut)
    if not findings:
        found = _contours(work, cut)
        progress(0.5)
        findings.extend(found.findings)
        last = contours_of(work.shapes, cut, bit) if cut.finish > 0 and cut.side is not Side.ON else None
        if last is not None:
            findings.extend(f for f in last.findings if f.code not in {g.code for g in found.findings})
        if not found.contours and (last is None or not last.contours) and not findings:
            findings.append(no_area(cut))
        finishing = planner.lines(last.contours) if last is not None else None
        for number, (line, finish) in enumerate(_paired(planner.ordered(found), finishing)):
            progress(0.5 + 0.5 * number / max(1, len(found.contours)))
            planner.line(line, finish)
        findings.extend(planner.findings)
    planner.builder.leave()
    return planner.builder.moves.toolpath(cut.id, bit.id, tuple(planner.marks)), tuple(findings)


def _contours(work: ResolvedCut, cut: ProfileCut) -> Contours:
    extra = cut.finish if cut.side is not Side.ON else 0.0
    if cut.shares_edges and cut.side is Side.OUTSIDE:
        told = contours_of(work.shapes, cut, work.bit, extra=extra).findings
        return contours_sharing(work.shapes, cut, work.bit, extra=extra, told=told)
    return contours_of(work.shapes, cut, work.bit, extra=extra)


def _paired(rough: list[Line], last: list[Line] | None) -> list[tuple[Line, list[Line]]]:
    """Each rough contour with the finishing contours that run along it; what only the finish reaches is cut by itself."""
    if last is None:
        return [(line, []) for line in rough]
    where = [k for k, line in enumerate(rough) if line.contour.path is not None]
    groups: list[list[Line]] = [[] for _ in rough]
    alone = []
    tree = shapely.STRtree([shapely.linestrings(rough[k].contour.ring) for k in where])
    for line in last:
        if line.contour.path is None or not where:
            alone.append((line, list[Line]()))
            continue
        ring = line.contour.ring
        nearest = tree.nearest(shapely.points(ring[len(ring) // 2]))
        assert nearest is not None
        groups[where[int(nearest)]].append(line)
    return [*zip(rough, groups, strict=True), *alone]


class _Profile:
    """Lays one contour after the other. ``passed`` are the lines (n, 2) that have been cut to full depth so far."""

    def __init__(self, work: ResolvedCut, cut: ProfileCut) -> None:
        self.builder = MoveBuilder(work)
        self.findings: list[Finding] = []
        self.marks: list[PathMark] = []
        self.passed: list[FloatArray] = []
        self._work, self._cut, self._bit = work, cut, work.bit
        self._depths = pass_depths(cut.start_depth, max(work.depth, cut.start_depth), work.recipe.depth_per_pass)
        has_skin = cut.goes_through and cut.skin > 0
        self._has_tabs = cut.tabs.is_wanted and cut.is_through(work.sheet) and not has_skin
        self._tab_top = cut.tabs.thickness - work.sheet.thinnest
        self._outlines = Outlines(work)

    # ---- which contours, in which order

    def lines(self, contours: Sequence[Contour]) -> list[Line]:
        """The contours with the marks set on them, those the other way round that a mark asks for."""
        cut, outlines = self._cut, self._outlines
        tabs, starts = outlines.marks_of(contours, cut.tabs.by_hand), outlines.marks_of(contours, cut.starts)
        turns = outlines.marks_of(contours, cut.turned)
        lines = [Line(*given) for given in zip(contours, tabs, starts, strict=True)]
        return [line.reversed() if len(turn) % 2 else line for line, turn in zip(lines, turns, strict=True)]

    def ordered(self, found: Contours) -> list[Line]:
        lines = self.lines(found.contours)
        if not lines:
            return []
        contours = [line.contour for line in lines]
        if self._cut.keeps_order:
            return [lines[k] for k in self._kept_order(contours, found)]
        starts = np.array([contour.at for contour in contours])
        ends = np.array([contour.ring[-1] for contour in contours])
        is_open = np.array([contour.path is not None and not contour.path.closed for contour in contours])
        free = is_open & np.array([contour.keeps_right is None for contour in contours])
        ends[~is_open] = starts[~is_open]
        order = inside_first(starts, found.parent, ends=ends, can_turn=free)
        return [lines[k] if k >= 0 else lines[~k].reversed() for k in order]

    def _kept_order(self, contours: list[Contour], found: Contours) -> list[int]:
        """As the shapes stand in the cut; of one shape the inner contours first. Told where that frees a part too early."""
        rank = {shape.id: n for n, shape in enumerate(self._work.shapes)}
        depth = [_depth(found.parent, k) for k in range(len(contours))]
        keys = [
            (rank.get(self._outlines.shape_at(contour.at), len(rank)), -depth[k]) for k, contour in enumerate(contours)
        ]
        order = sorted(range(len(contours)), key=lambda k: keys[k])
        place = {k: n for n, k in enumerate(order)}
        late = [k for k in order if found.parent[k] >= 0 and place[int(found.parent[k])] < place[k]]
        if late:
            self.findings.append(
                Finding(
                    "order-kept", Severity.CAUTION,
                    f"'{self._cut.name}' keeps the order of its shapes and cuts an outline before {len(late)} "
                    f"contour{'s' if len(late) > 1 else ''} inside it, when the part may have moved.",
                    fix="Let the order follow by itself, or put what is inside first.", at=contours[late[0]].at,
                    subject=self._cut.id,
                )
            )  # fmt: skip
        return order

    def line(self, line: Line, finish: list[Line]) -> None:
        contour = line.contour
        if contour.path is None:
            self._plunges(contour.at)
            return
        track = Track(contour.path)
        if not len(track):
            return
        if self._cannot_enter(track):
            self.findings.append(only_by_plunging(self._cut, self._bit, contour.at))
            return
        if contour.path.closed:
            centres = self._tabs_on(finish[0] if len(finish) == 1 else line)
            self._closed(line, centres, self._depths, is_last=not finish)
            self.passed.append(contour.ring)
            for each in finish:
                self._closed(each, centres, self._depths[-1:], is_last=True, is_finish=True)
        else:
            centres = self._tabs_on(line)
            self._open(line, centres)
            self.passed.append(contour.ring)
            for each in finish:
                if each.contour.path is not None:
                    self._finish_open(Track(each.contour.path), centres)

    def _cannot_enter(self, track: Track) -> bool:
        """A line so short that a ramp along it would be a plunge, and a bit that does not plunge."""
        return not self._bit.can_plunge and track.length < 0.3 * self._bit.diameter

    def _plunges(self, at: tuple[float, float]) -> None:
        """A hole of the bit's own size: down in steps, up between them to clear the chips."""
        if not self._bit.can_plunge:
            self.findings.append(only_by_plunging(self._cut, self._bit, at))
            return
        builder = self.builder
        builder.arrive(*at)
        for number, depth in enumerate(self._depths, 1):
            if number > 1:
                builder.down(-float(self._depths[number - 2]) + 0.2, pass_no=number, is_open=True)
            builder.down(-float(depth), pass_no=number)
            builder.down(-self._cut.start_depth + 0.5, pass_no=number, is_open=True)

    # ---- closed contours

    def _tabs_on(self, line: Line) -> FloatArray:
        """Middles (n, 2) of the tabs on a contour, on its own line."""
        contour = line.contour
        if not self._has_tabs or contour.path is None:
            return np.zeros((0, 2))
        track, tabs, diameter = Track(contour.path), self._cut.tabs, self._bit.diameter
        shape = self._outlines.shape_at(contour.at)
        by_hand = stations_of(track, line.tabs)
        if len(by_hand):
            spans = spans_at(track, by_hand, tabs, bit_diameter=diameter)
            self._tell_by_hand(track, len(by_hand), len(spans))
        else:
            count = next((own.count for own in self._cut.tabs_of if own.shape == shape), None)
            placed = tab_spans(track, tabs, bit_diameter=diameter, count=count, forbidden=self._outlines.zone_test())
            spans = placed.spans
            self._tell_tabs(track, len(spans), placed.asked, placed.near_corner, placed.in_zone)
        middles = track.points(spans.mean(axis=1)) if len(spans) else np.zeros((0, 2))
        directions = track.tangents_at(spans.mean(axis=1)) if len(spans) else middles
        for (x, y), (dx, dy) in zip(middles, directions, strict=True):
            self.marks.append(
                PathMark(MarkKind.TAB, float(x), float(y), shape, degrees=float(np.degrees(np.arctan2(dy, dx))))
            )
        return np.asarray(middles)

    def _closed(
        self, line: Line, tab_centres: FloatArray, depths: FloatArray, *, is_last: bool, is_finish: bool = False
    ) -> None:
        contour, cut, builder = line.contour, self._cut, self.builder
        assert contour.path is not None
        path = contour.path
        if cut.overcut and contour.keeps_right is not None and is_last:
            path = overcut(
                path, bit_radius=self._bit.radius, keeps_right=contour.keeps_right, outline=self._outlines.edge
            )
        track = Track(path)
        lifts = self._lifts_at(track, tab_centres)
        a = self._start(track, line, lifts.spans + np.array((-lifts.slope, lifts.slope)), tell=is_last)
        if is_finish:
            self._reach(track, lifts)
            ramp = 0.0
        elif cut.entry is Entry.SPIRAL:
            per_turn = track.length * tan(radians(cut.ramp_degrees))
            steps = min(self._work.recipe.depth_per_pass, max(per_turn, 0.01))
            depths = pass_depths(cut.start_depth, float(depths[-1]), steps)
            ramp = track.length
        else:
            ramp = self._ramp(float(depths[0]) - cut.start_depth, track)
        is_spiral = cut.entry is Entry.SPIRAL and not is_finish
        end = a + (0.0 if is_spiral else ramp) + track.length + cut.overlap
        lead_in, lead_out = self._leads(track, contour, a, end)
        if lead_in is not None and (is_finish or not self._bit.can_plunge):
            self._open_lead(lead_in)
        if (is_finish or is_spiral) and lead_out is not None:
            self._open_lead(lead_out)
        feed = (cut.finish_feed or builder.feed) if is_finish else builder.feed
        first_pass = len(self._depths) + 1 if is_finish else 1
        if is_finish and lead_in is None:
            self._down_beside(self._point(track, a), first_pass, feed, above=lifts.lowest_at(a))
        else:
            builder.arrive(*(lead_in.far if lead_in is not None else self._point(track, a)))
            builder.down(-float(depths[-1]) if is_finish else -cut.start_depth, pass_no=first_pass, is_open=is_finish)
        if is_spiral:
            if lead_in is not None:
                lay_lead(builder, lead_in, is_in=True, pass_no=1, feed=feed)
            self._spiral(track, lifts, a, depths)
            if lead_out is not None and builder.at[2] <= -float(depths[-1]) + 1e-9:
                lay_lead(builder, lead_out, is_in=False, pass_no=len(depths), feed=feed)
        elif lead_in is None and lead_out is None:
            self._passes(track, lifts, a, depths, feed, first_pass)
        else:
            self._led_passes(track, contour, lifts, a, depths, ramp, (lead_in, lead_out), feed, first_pass)

    def _passes(self, track: Track, lifts: Lifts, a: float, depths: FloatArray, feed: float, first_pass: int) -> None:
        """Round and round: each pass begins where the last one ended."""
        builder, cut = self.builder, self._cut
        z = builder.at[2]
        for pass_no, depth in enumerate(depths, first_pass):
            z_to, is_deepest = -float(depth), depth == depths[-1]
            ramp = self._ramp(z - z_to, track)
            z_from = builder.at[2]
            b = a + (ramp if z_from > z_to else 0.0) + track.length + (cut.overlap if is_deepest else 0.0)
            lay_pass(
                builder.moves, track, a=a, b=b, z_from=z_from, z_to=z_to, ramp=ramp if z_from > z_to else 0.0, lifts=lifts,
                feed=feed, plunge=builder.plunge, pass_no=pass_no,
            )  # fmt: skip
            a, z = b, z_to

    def _spiral(self, track: Track, lifts: Lifts, a: float, depths: FloatArray) -> None:
        """Down all the way without a level turn but the last."""
        builder, length = self.builder, track.length
        for pass_no, depth in enumerate(depths, 1):
            b = a + length + (length + self._cut.overlap if depth == depths[-1] else 0.0)
            lay_pass(
                builder.moves, track, a=a, b=b, z_from=builder.at[2], z_to=-float(depth), ramp=length, lifts=lifts,
                feed=builder.feed, plunge=builder.plunge, pass_no=pass_no,
            )  # fmt: skip
            a = b

    def _led_passes(
        self, track: Track, contour: Contour, lifts: Lifts, a: float, depths: FloatArray, ramp: float,
        leads: tuple[LeadPath | None, LeadPath | None], feed: float, first_pass: int,
    ) -> None:  # fmt: skip
        """Passes that all begin at a and end at the same place: each lead is one pass deeper than the one before."""
        builder = self.builder
        lead_in, lead_out = leads
        b = a + ramp + track.length + self._cut.overlap
        for pass_no, depth in enumerate(depths, first_pass):
            z_to = -float(depth)
            if lead_in is not None:
                if ramp == 0.0:
                    builder.down(z_to, pass_no=pass_no)
                lay_lead(builder, lead_in, is_in=True, pass_no=pass_no, feed=feed)
            z_from = builder.at[2]
            lay_pass(
                builder.moves, track, a=a, b=b, z_from=z_from, z_to=z_to, ramp=ramp if z_from > z_to else 0.0, lifts=lifts,
                feed=feed, plunge=builder.plunge, pass_no=pass_no,
            )  # fmt: skip
            if lead_out is not None and builder.at[2] <= z_to + 1e-9:
                lay_lead(builder, lead_out, is_in=False, pass_no=pass_no, feed=feed)
            if depth == depths[-1]:
                break
            if lead_in is not None:
                self._back_to(lead_in.far, pass_no, contour)
            else:
                builder.arrive(*self._point(track, a))
                builder.down(z_to, pass_no=pass_no, is_open=True)

    def _reach(self, track: Track, lifts: Lifts) -> None:
        """What a finishing pass meets where the passes before did not come near, cut in passes first: narrow places without room for
        the allowance, sharp and overcut corners."""
        limit = finishing_reach(self._cut.finish, self._bit.diameter)
        for first, last in unserved(track, self._passed_near(track), limit=limit, overlap=self._bit.radius):
            stretch = track.part(first, last)
            to_and_fro(
                self.builder, stretch, self._depths, start=self._cut.start_depth, ramp_degrees=self._slope,
                lifts=lifts.on_part(stretch, first, last),
            )  # fmt: skip

    def _passed_near(self, track: Track) -> list[FloatArray]:
        """Of what has been cut so far the lines whose box comes near a track's."""
        points = track.points(np.concatenate(([0.0], track.nodes_between(0.0, track.length))))
        room = 2 * self._bit.diameter + self._cut.finish
        low, high = points.min(axis=0) - room, points.max(axis=0) + room
        return [ring for ring in self.passed if (ring.max(axis=0) >= low).all() and (ring.min(axis=0) <= high).all()]

    def _down_beside(self, place: tuple[float, float], pass_no: int, feed: float, *, above: float = -np.inf) -> None:
        """To where a finishing pass begins, at its full depth or no lower than ``above``."""
        within = finishing_reach(self._cut.finish, self._bit.diameter)
        z = max(-float(self._depths[-1]), above)
        low, high = np.array(place) - within, np.array(place) + within
        near = [ring for ring in self.passed if (ring.max(axis=0) >= low).all() and (ring.min(axis=0) <= high).all()]
        down_beside(self.builder, place, z, near, within=within, pass_no=pass_no, feed=feed)

    def _open_lead(self, lead: LeadPath) -> None:
        """A lead at full depth runs through waste that no pass has taken: that is opened pass by pass first."""
        bulge = 0.0 if lead.centre is None else float(np.tan(np.pi / 8)) * (1.0 if lead.turns_left else -1.0)
        ends = (lead.far, lead.near) if lead.is_in else (lead.near, lead.far)
        track = Track(Path.arcs(np.array(ends), np.array([bulge]), closed=False))
        to_and_fro(self.builder, track, self._depths, start=self._cut.start_depth, ramp_degrees=self._slope)

    def _lifts_at(self, track: Track, centres: FloatArray) -> Lifts:
        """The lifts over tabs whose middles are at places (n, 2)."""
        if not len(centres):
            return no_lifts(track)
        stations, _ = track.nearest(centres)
        spans = spans_at(track, stations, self._cut.tabs, bit_diameter=self._bit.diameter)
        fall = TAB_SLOPE if self._cut.tabs.is_sloped else np.inf
        if not self._bit.can_plunge:
            fall = tan(
                radians(self._cut.ramp_degrees)
            )  # behind a tab the bit comes down along its ramp, never straight down
        slope = max(self._tab_top + float(self._depths[-1]), 0.0) / fall
        return Lifts(track, spans, top=self._tab_top, slope_length=slope, fall=fall if slope > 0 else TAB_SLOPE)

    def _start(self, track: Track, line: Line, spans: FloatArray, *, tell: bool) -> float:
        contour = line.contour
        by_hand = stations_of(track, line.starts)
        if len(by_hand):
            station, reason = float(by_hand[0]), "set by hand"
        else:
            wood = self._outlines.wood if contour.keeps_right is not None else None
            station, reason = choose_start(
                track, spans, bit_diameter=self._bit.diameter, wood=wood, keeps_right=contour.keeps_right
            )
        if tell:
            x, y = self._point(track, station)
            dx, dy = track.tangents_at(np.array([station]))[0]
            shape = self._outlines.shape_at(contour.at)
            degrees = float(np.degrees(np.arctan2(dy, dx)))
            self.marks.append(PathMark(MarkKind.START, x, y, shape, reason, degrees))
        return station

    def _back_to(self, place: tuple[float, float], pass_no: int, contour: Contour) -> None:
        """From where a pass ended to where the next one leads in: at depth through the waste where that is clear."""
        builder = self.builder
        x, y, z = builder.at
        line = np.array((x, y)) + (np.array(place) - (x, y)) * np.linspace(0.0, 1.0, 24)[:, None]
        if contour.keeps_right is not None and self._outlines.is_clear(line).all():
            builder.line(*place, z, pass_no=pass_no, role=Role.LINK)
        else:
            builder.arrive(*place)
            builder.down(z, pass_no=pass_no)

    # ---- open lines

    def _open(self, line: Line, centres: FloatArray) -> None:
        """To and fro: each pass begins where the last one ended. Where the wood lies on one side and the direction matters, every
        pass begins anew at the same end."""
        assert line.contour.path is not None
        track = Track(line.contour.path)
        lifts = self._lifts_at(track, centres)
        if line.contour.keeps_right is None:
            to_and_fro(
                self.builder, track, self._depths, start=self._cut.start_depth, ramp_degrees=self._slope, lifts=lifts
            )
        else:
            self._one_way(track, lifts)

    def _one_way(self, track: Track, lifts: Lifts) -> None:
        """Every pass from the same end; a ramp goes down to and fro on the line's first stretch."""
        builder, z = self.builder, -self._cut.start_depth
        for pass_no, depth in enumerate(self._depths, 1):
            z_to, begin = -float(depth), self._point(track, 0.0)
            builder.arrive(*begin)
            builder.down(max(z, lifts.lowest_at(0.0)), pass_no=pass_no, is_open=pass_no > 1)
            a = 0.0
            if self._slope is not None:
                a = min(max(ramp_length(z - z_to, self._slope), 1.0), track.length)
                stretch = track.part(0.0, a)
                to_and_fro(
                    builder, stretch, [-z_to], start=-z, ramp_degrees=self._slope, lifts=lifts.on_part(stretch, 0.0, a),
                    first_pass=pass_no, arrives=False,
                )  # fmt: skip
                x, y, _ = builder.at
                if np.hypot(x - begin[0], y - begin[1]) < 1e-6:
                    a = 0.0  # back at the begin
            else:
                builder.down(z_to, pass_no=pass_no)
            if a < track.length - 1e-9:
                lay_pass(
                    builder.moves, track, a=a, b=track.length, z_from=builder.at[2], z_to=z_to, ramp=0.0, lifts=lifts,
                    feed=builder.feed, plunge=builder.plunge, pass_no=pass_no,
                )  # fmt: skip
            z = z_to

    def _finish_open(self, track: Track, centres: FloatArray) -> None:
        """The finishing pass along an open line, from its begin to its end at full depth."""
        builder, depth, pass_no = self.builder, float(self._depths[-1]), len(self._depths) + 1
        lifts = self._lifts_at(track, centres)
        self._reach(track, lifts)
        self._down_beside(self._point(track, 0.0), pass_no, builder.feed, above=lifts.lowest_at(0.0))
        lay_pass(
            builder.moves, track, a=0.0, b=track.length, z_from=builder.at[2], z_to=-depth, ramp=0.0, lifts=lifts,
            feed=self._cut.finish_feed or builder.feed, plunge=builder.plunge, pass_no=pass_no,
        )  # fmt: skip

    # ---- shared

    @property
    def _slope(self) -> float | None:
        """At how many degrees the bit goes down along an open line; None where it goes straight down."""
        plunges = self._cut.entry is Entry.PLUNGE and self._bit.can_plunge
        return None if plunges else self._cut.ramp_degrees

    def _ramp(self, drop: float, track: Track) -> float:
        if drop <= 1e-9 or (self._cut.entry is Entry.PLUNGE and self._bit.can_plunge):
            return 0.0
        asked = self._cut.ramp_length or ramp_length(drop, self._cut.ramp_degrees)
        return min(asked, MOST_ROUNDS * track.length)

    def _leads(self, track: Track, contour: Contour, a: float, b: float) -> tuple[LeadPath | None, LeadPath | None]:
        """The lead to station a and the one away from station b, where they are asked for and have room."""
        asked = [lead.kind is not LeadKind.NONE for lead in (self._cut.lead_in, self._cut.lead_out)]
        if contour.keeps_right is None or not any(asked):
            return None, None
        found = (self._lead_at(track, contour, a, is_in=True), self._lead_at(track, contour, b, is_in=False))
        missing = sum(wanted and lead is None for wanted, lead in zip(asked, found, strict=True))
        if missing:
            x, y = self._point(track, a)
            self.findings.append(
                Finding(
                    "lead-no-room", Severity.NOTE,
                    f"There is no room for {'a lead' if missing == 1 else 'the leads'} at a contour of '{self._cut.name}'; "
                    "the bit goes straight to it.",
                    fix="Make the lead shorter or drag the start elsewhere.", at=(x, y), subject=self._cut.id,
                )
            )  # fmt: skip
        return found

    def _lead_at(self, track: Track, contour: Contour, station: float, *, is_in: bool) -> LeadPath | None:
        here = np.array([station])
        return fit_lead(
            self._cut.lead_in if is_in else self._cut.lead_out,
            track.points(here)[0],
            track.tangents_at(here)[0],
            waste_on_left=bool(contour.keeps_right),
            is_in=is_in,
            is_clear=self._outlines.is_clear,
        )

    def _point(self, track: Track, station: float) -> tuple[float, float]:
        x, y = track.points(np.array([station]))[0]
        return float(x), float(y)

    def _tell_by_hand(self, track: Track, asked: int, placed: int) -> None:
        if placed >= asked:
            return
        lift = self._cut.tabs.length + self._bit.diameter
        if placed == 0:
            words = f"A tab set by hand in '{self._cut.name}' is longer than its outline of {track.length:.0f} mm; it is left out."
        else:
            words = (
                f"{asked - placed} of {asked} tabs set by hand in '{self._cut.name}' stand nearer to another than {lift:g} mm, a tab and "
                "the bit's width, and are left out."
            )
        self.findings.append(
            Finding(
                "tabs-by-hand", Severity.CAUTION, words, fix="Move them apart, or make the tabs shorter.",
                at=self._point(track, 0.0), subject=self._cut.id,
            )
        )  # fmt: skip

    def _tell_tabs(self, track: Track, placed: int, asked: int, near: int, in_zone: int) -> None:
        at = self._point(track, 0.0)
        name = self._cut.name
        if placed < asked:
            self.findings.append(
                Finding(
                    "tabs-few", Severity.CAUTION,
                    f"Only {placed} of {asked} tabs fit on an outline of {track.length:.0f} mm in '{name}'.",
                    fix="Make the tabs shorter or fewer, or hold the part with tape.", at=at, subject=self._cut.id,
                )
            )  # fmt: skip
        elif in_zone:
            self.findings.append(
                Finding(
                    "tabs-zone", Severity.CAUTION,
                    f"{in_zone} tab{'' if in_zone == 1 else 's'} of '{name}' could not be kept out of the areas given.",
                    fix="Use fewer tabs or set them by hand.", at=at, subject=self._cut.id,
                )
            )  # fmt: skip
        elif near:
            self.findings.append(
                Finding(
                    "tabs-corner", Severity.NOTE,
                    f"{near} tab{'' if near == 1 else 's'} of '{name}' could not be kept "
                    f"{self._cut.tabs.corner_distance:g} mm off corners and tight curves.",
                    at=at, subject=self._cut.id,
                )
            )  # fmt: skip


def _reversed(contour: Contour) -> Contour:
    if contour.path is None:
        return contour
    path: Path = contour.path.reverse()
    right = None if contour.keeps_right is None else not contour.keeps_right
    return Contour(path, (float(path.nodes[0, 0]), float(path.nodes[0, 1])), contour.ring[::-1], right)


def _depth(parent: IntArray, k: int) -> int:
    """How many contours lie around one."""
    out = 0
    while parent[k] >= 0:
        k, out = int(parent[k]), out + 1
    return out
