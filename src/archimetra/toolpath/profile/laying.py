"""Laying the lines of a profile: entries, passes, tabs lifted over, and the finishing pass.

No move takes more than a pass: with leads every pass begins and ends at the same places, so that each lead lies in the one before it;
what a finishing pass meets beyond its allowance (leads, corners, narrow places the passes before did not fit into) is cut in passes first.
"""

from __future__ import annotations

from math import radians, tan

import numpy as np

from archimetra.base.findings import Finding
from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.path import Path
from archimetra.job.cut_parts import DepthFrom, Entry
from archimetra.job.cuts.profile import ProfileCut
from archimetra.toolpath.profile.begins import can_enter, leads_on, start_on
from archimetra.toolpath.profile.lines import Line
from archimetra.toolpath.profile.outlines import Outlines
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.contours import Contour
from archimetra.toolpath.shared.leads import LeadPath, lay_lead
from archimetra.toolpath.shared.move_builder import MoveBuilder
from archimetra.toolpath.shared.moves import PathMark, Role
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
from archimetra.toolpath.shared.refusals import only_by_plunging
from archimetra.toolpath.shared.strokes import down_beside, finishing_reach, to_and_fro, unserved
from archimetra.toolpath.shared.tabs import spans_at
from archimetra.toolpath.shared.track import Track


class Laying:
    """Lays one line after the other into ``builder``. ``passed`` are the lines (n, 2) that have been cut to full depth so far; ``marks``
    and ``findings`` are what laying came to."""

    def __init__(self, work: ResolvedCut, cut: ProfileCut, outlines: Outlines) -> None:
        self.builder = MoveBuilder(work)
        self.findings: list[Finding] = []
        self.marks: list[PathMark] = []
        self.passed: list[FloatArray] = []
        self._work, self._cut, self._bit, self._outlines = work, cut, work.bit, outlines
        self._depths = pass_depths(cut.start_depth, max(work.depth, cut.start_depth), work.recipe.depth_per_pass)
        # where a cut meets that of the other face, tabs stand on the place they meet at
        bottom = min(work.sheet.thinnest, work.depth) if cut.depth_from is DepthFrom.MIDDLE else work.sheet.thinnest
        self._tab_top = cut.tabs.thickness - bottom

    def lay(self, line: Line, finish: list[Line], tabs: FloatArray) -> None:
        """A line and the finishing lines along it, with tabs whose middles are at places (n, 2)."""
        contour = line.contour
        if contour.path is None:
            self._plunges(contour.at)
            return
        track = Track(contour.path)
        if not len(track):
            return
        if not can_enter(self._bit, track):
            self.findings.append(only_by_plunging(self._cut, self._bit, contour.at))
            return
        if contour.path.closed:
            self._closed(line, tabs, self._depths, is_last=not finish)
            self.passed.append(contour.ring)
            for each in finish:
                self._closed(each, tabs, self._depths[-1:], is_last=True, is_finish=True)
        else:
            self._open(line, tabs)
            self.passed.append(contour.ring)
            for each in finish:
                if each.contour.path is not None:
                    self._finish_open(Track(each.contour.path), tabs)

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
        kept_off = lifts.spans + np.array((-lifts.slope, lifts.slope))
        a, mark = start_on(self._work, self._outlines, track, line, kept_off)
        if is_last:
            self.marks.append(mark)
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
        (lead_in, lead_out), told = leads_on(cut, self._outlines, track, contour, a, end)
        self.findings.extend(told)
        if lead_in is not None and (is_finish or not self._bit.can_plunge):
            self._open_lead(lead_in)
        if (is_finish or is_spiral) and lead_out is not None:
            self._open_lead(lead_out)
        feed = (cut.finish_feed or builder.feed) if is_finish else builder.feed
        first_pass = len(self._depths) + 1 if is_finish else 1
        if is_finish and lead_in is None:
            self._down_beside(track.point(a), first_pass, feed, above=lifts.lowest_at(a))
        else:
            builder.arrive(*(lead_in.far if lead_in is not None else track.point(a)))
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
                builder.arrive(*track.point(a))
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
            z_to, begin = -float(depth), track.point(0.0)
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
        self._down_beside(track.point(0.0), pass_no, builder.feed, above=lifts.lowest_at(0.0))
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
