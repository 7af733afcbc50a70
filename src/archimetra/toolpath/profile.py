"""Profile: along outlines, outside, inside or on the line, in passes, with tabs, leads and ramps.

Stages: contours beside the outlines (``contours``), their running order (``order``), and for each its direction, tabs
(``tabs``), start (``starts``), leads (``leads``) and passes (``passes``), then the last pass of a finishing allowance.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import shapely

from archimetra.base.findings import Finding, Severity
from archimetra.geometry.arrays import BoolArray, FloatArray
from archimetra.geometry.distance import SegmentField
from archimetra.geometry.path import Path
from archimetra.geometry.region import ring_paths
from archimetra.job.cut_parts import Entry, LeadKind, Mark, Side
from archimetra.job.cuts import ProfileCut
from archimetra.job.ids import ShapeId
from archimetra.job.shapes import Shape
from archimetra.toolpath.contours import (
    Contour,
    Contours,
    contours_of,
    kept_region,
    no_area,
    parents_of,
    walks_right,
)
from archimetra.toolpath.laying import Layer
from archimetra.toolpath.leads import LeadPath, fit_lead, lay_lead
from archimetra.toolpath.moves import MarkKind, PathMark, Role, Toolpath
from archimetra.toolpath.order import inside_first
from archimetra.toolpath.overcut import overcut
from archimetra.toolpath.passes import MOST_ROUNDS, TAB_SLOPE, Lifts, lay_pass, no_lifts, pass_depths, ramp_length
from archimetra.toolpath.refusals import nothing_to_plan
from archimetra.toolpath.shared_edges import contours_cut_once
from archimetra.toolpath.starts import choose_start
from archimetra.toolpath.tabs import spans_at, tab_spans
from archimetra.toolpath.task import Task
from archimetra.toolpath.track import Track

Progress = Callable[[float], None]  # share done, 0 to 1; raises CancelledError to stop
_ROOM_SLACK_MM = 0.004  # a lead may come this much nearer than the contour itself keeps
_MARK_REACH = 0.51  # of the bit's diameter and this many mm more: how near a contour lies to its shape's outline


def plan_profile(task: Task, progress: Progress = lambda share: None) -> tuple[Toolpath, tuple[Finding, ...]]:
    """The toolpath of one profile and what to know about it. Deterministic; only the progress callback may raise."""
    cut, bit = task.cut, task.bit
    assert isinstance(cut, ProfileCut)
    findings = list(nothing_to_plan(task))
    planner = _Profile(task, cut)
    if not findings:
        found = _contours(task, cut)
        progress(0.5)
        findings.extend(found.findings)
        last = contours_of(task.shapes, cut, bit) if cut.finish > 0 and cut.side is not Side.ON else None
        if last is not None:
            findings.extend(f for f in last.findings if f.code not in {g.code for g in found.findings})
        if not found.contours and (last is None or not last.contours) and not findings:
            findings.append(no_area(cut))
        for number, (contour, finish) in enumerate(_paired(planner.ordered(found), last)):
            progress(0.5 + 0.5 * number / max(1, len(found.contours)))
            planner.contour(contour, finish)
        findings.extend(planner.findings)
    planner.layer.leave()
    return planner.layer.moves.toolpath(cut.id, bit.id, tuple(planner.marks)), tuple(findings)


def _contours(task: Task, cut: ProfileCut) -> Contours:
    extra = cut.finish if cut.side is not Side.ON else 0.0
    if cut.shares_edges and cut.side is Side.OUTSIDE:
        told = contours_of(task.shapes, cut, task.bit, extra=extra).findings
        once = contours_cut_once(
            kept_region(task.shapes), reach=task.bit.radius + extra, keeps_right=walks_right(cut.direction, task.bit)
        )
        return Contours(tuple(once), parents_of(once), told)
    return contours_of(task.shapes, cut, task.bit, extra=extra)


def _paired(rough: list[Contour], last: Contours | None) -> list[tuple[Contour, list[Contour]]]:
    """Each rough contour with the finishing contours that run along it; what only the finish reaches is cut by itself."""
    if last is None:
        return [(contour, []) for contour in rough]
    lines = [contour for contour in rough if contour.path is not None]
    groups: list[list[Contour]] = [[] for _ in rough]
    alone = []
    tree = shapely.STRtree([shapely.linestrings(contour.ring) for contour in lines])
    where = [rough.index(contour) for contour in lines]
    for contour in last.contours:
        if contour.path is None or not lines:
            alone.append((contour, list[Contour]()))
            continue
        nearest = tree.nearest(shapely.points(contour.ring[len(contour.ring) // 2]))
        assert nearest is not None
        groups[where[int(nearest)]].append(contour)
    return [*zip(rough, groups, strict=True), *alone]


class _Profile:
    """Lays one contour after the other."""

    def __init__(self, task: Task, cut: ProfileCut) -> None:
        self.layer = Layer(task)
        self.findings: list[Finding] = []
        self.marks: list[PathMark] = []
        self._task, self._cut, self._bit = task, cut, task.bit
        self._depths = pass_depths(cut.start_depth, max(task.depth, cut.start_depth), task.recipe.depth_per_pass)
        has_skin = cut.goes_through and cut.skin > 0
        self._has_tabs = cut.tabs.is_wanted and cut.is_through(task.sheet) and not has_skin
        self._tab_top = cut.tabs.thickness - task.sheet.thinnest
        self._outlines = _Outlines(task)
        self._leads_lost = 0

    def ordered(self, found: Contours) -> list[Contour]:
        contours = [self._directed(contour) for contour in found.contours]
        if not contours:
            return []
        if self._cut.keeps_order:
            rank = {shape.id: n for n, shape in enumerate(self._task.shapes)}
            keys = [rank.get(self._outlines.shape_at(contour.at), len(rank)) for contour in contours]
            return [contours[k] for k in sorted(range(len(contours)), key=lambda k: keys[k])]
        starts = np.array([contour.at for contour in contours])
        ends = np.array([contour.ring[-1] for contour in contours])
        is_open = np.array([contour.path is not None and not contour.path.closed for contour in contours])
        free = is_open & np.array([contour.keeps_right is None for contour in contours])
        ends[~is_open] = starts[~is_open]
        order = inside_first(starts, found.parent, ends=ends, can_turn=free)
        return [contours[k] if k >= 0 else _reversed(contours[~k]) for k in order]

    def _directed(self, contour: Contour) -> Contour:
        """The contour, the other way round where a mark asks for it."""
        if contour.path is None or not self._cut.turned:
            return contour
        hits = self._marks_on(Track(contour.path), self._cut.turned)
        return _reversed(contour) if len(hits) % 2 else contour

    def contour(self, contour: Contour, finish: list[Contour]) -> None:
        if contour.path is None:
            self._plunges(contour.at)
            return
        track = Track(contour.path)
        if not len(track):
            return
        if contour.path.closed:
            edge = finish[0] if len(finish) == 1 else contour
            centres = self._tabs_on(edge)
            self._closed(contour, centres, self._depths, is_last=not finish)
            deepest = self._depths[-1:]
            for each in finish:
                self._closed(self._directed(each), centres, deepest, is_last=True, is_finish=True)
        else:
            self._open(contour, track, self._depths)
            for each in finish:
                if each.path is not None:
                    self._open(each, Track(each.path), self._depths[-1:])

    def _plunges(self, at: tuple[float, float]) -> None:
        """A hole of the bit's own size: down in steps, up between them to clear the chips."""
        layer = self.layer
        layer.arrive(*at)
        for number, depth in enumerate(self._depths, 1):
            if number > 1:
                layer.down(-float(self._depths[number - 2]) + 0.2, pass_no=number, is_open=True)
            layer.down(-float(depth), pass_no=number)
            layer.down(-self._cut.start_depth + 0.5, pass_no=number, is_open=True)

    # ---- closed contours

    def _tabs_on(self, contour: Contour) -> FloatArray:
        """Middles (n, 2) of the tabs on a closed contour, on its own line."""
        if not self._has_tabs or contour.path is None:
            return np.zeros((0, 2))
        track, tabs, diameter = Track(contour.path), self._cut.tabs, self._bit.diameter
        shape = self._outlines.shape_at(contour.at)
        by_hand = self._marks_on(track, tabs.by_hand)
        if len(by_hand):
            spans = spans_at(track, by_hand, tabs, bit_diameter=diameter)
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
        self, contour: Contour, tab_centres: FloatArray, depths: FloatArray, *, is_last: bool, is_finish: bool = False
    ) -> None:
        assert contour.path is not None
        cut, layer = self._cut, self.layer
        path = contour.path
        if cut.overcut and contour.keeps_right is not None and is_last:
            path = overcut(path, bit_radius=self._bit.radius, keeps_right=contour.keeps_right)
        track = Track(path)
        spans = np.zeros((0, 2))
        if len(tab_centres):
            stations, _ = track.nearest(tab_centres)
            spans = spans_at(track, stations, cut.tabs, bit_diameter=self._bit.diameter)
        lifts = self._lifts(track, spans, float(depths[-1]))
        a = self._start(track, contour, spans, tell=is_last)
        feed = self.layer.feed if not is_finish else min(cut.finish_feed or layer.feed, 50_000.0)
        lead_in, lead_out = self._leads(track, contour, a)
        z = -cut.start_depth
        spiral = cut.entry is Entry.SPIRAL and not is_finish and lead_in is None
        begin = lead_in.far if lead_in is not None else self._point(track, a)
        layer.arrive(*begin)
        if is_finish:
            # beside wood that is gone down to a skin as thick as the allowance: straight down in what is open
            layer.down(-float(depths[-1]), pass_no=len(self._depths) + 1, is_open=lead_in is not None)
        else:
            layer.down(z, pass_no=1)
        for number, depth in enumerate(depths, 1):
            pass_no = number + (len(self._depths) if is_finish else 0)
            z_to = -float(depth)
            ramp = 0.0 if is_finish else track.length if spiral else self._ramp(z - z_to, track)
            if lead_in is not None:
                if ramp == 0.0:
                    layer.down(z_to, pass_no=pass_no)
                lay_lead(layer, lead_in, is_in=True, pass_no=pass_no, feed=feed)
            z_from = layer.at[2]
            is_deepest = number == len(depths)
            level = track.length if not spiral or is_deepest else 0.0
            b = a + (ramp if z_from > z_to else 0.0) + level + (cut.overlap if is_deepest else 0.0)
            lay_pass(
                layer.moves, track, a=a, b=b, z_from=z_from, z_to=z_to, ramp=ramp if z_from > z_to else 0.0, lifts=lifts,
                feed=feed, plunge=layer.plunge, pass_no=pass_no,
            )  # fmt: skip
            out = lead_out
            if out is not None and b != a:
                out = self._lead_at(track, contour, b, is_in=False)
            if out is not None and layer.at[2] <= z_to + 1e-9:
                lay_lead(layer, out, is_in=False, pass_no=pass_no, feed=feed)
            a, z = b, z_to  # the next pass begins where this one ended, with a lead of its own
            if is_deepest:
                break
            was_led = lead_in is not None or out is not None
            lead_in = self._lead_at(track, contour, a, is_in=True) if lead_in is not None else None
            if lead_in is not None:
                self._back_to(lead_in.far, pass_no, contour)
            elif was_led:
                layer.arrive(*self._point(track, a))
                layer.down(z_to, pass_no=pass_no, is_open=True)

    def _lifts(self, track: Track, spans: FloatArray, deepest: float) -> Lifts:
        if not len(spans):
            return no_lifts(track)
        slope = max(self._tab_top + deepest, 0.0) / TAB_SLOPE if self._cut.tabs.is_sloped else 0.0
        return Lifts(track, spans, top=self._tab_top, slope_length=slope)

    def _start(self, track: Track, contour: Contour, spans: FloatArray, *, tell: bool) -> float:
        by_hand = self._marks_on(track, self._cut.starts)
        if len(by_hand):
            station, reason = float(by_hand[0]), "set by hand"
        else:
            kept = self._outlines.kept if contour.keeps_right is not None else None
            station, reason = choose_start(
                track, spans, bit_diameter=self._bit.diameter, kept=kept, keeps_right=contour.keeps_right
            )
        if tell:
            x, y = self._point(track, station)
            dx, dy = track.tangents_at(np.array([station]))[0]
            self.marks.append(
                PathMark(
                    MarkKind.START,
                    x,
                    y,
                    self._outlines.shape_at(contour.at),
                    reason,
                    float(np.degrees(np.arctan2(dy, dx))),
                )
            )
        return station

    def _back_to(self, place: tuple[float, float], pass_no: int, contour: Contour) -> None:
        """From where a pass ended to where the next one leads in: at depth through the waste where that is clear."""
        layer = self.layer
        x, y, z = layer.at
        line = np.array((x, y)) + (np.array(place) - (x, y)) * np.linspace(0.0, 1.0, 24)[:, None]
        if contour.keeps_right is not None and self._outlines.is_clear(line).all():
            layer.line(*place, z, pass_no=pass_no, role=Role.LINK)
        else:
            layer.arrive(*place)
            layer.down(z, pass_no=pass_no)

    # ---- open lines

    def _open(self, contour: Contour, track: Track, depths: FloatArray) -> None:
        """To and fro: each pass begins where the last one ended, and the ramp's slope is cut away by going back over it.
        Where the wood lies on one side and the direction matters, every pass begins anew at the same end."""
        cut, layer = self._cut, self.layer
        one_way = contour.keeps_right is not None
        tabs = np.zeros((0, 2))
        if self._has_tabs and cut.shares_edges:
            tabs = tab_spans(track, cut.tabs, bit_diameter=self._bit.diameter).spans
        lifts = self._lifts(track, tabs, float(depths[-1]))
        a, z = 0.0, -cut.start_depth
        layer.arrive(*self._point(track, a))
        layer.down(z, pass_no=1)
        for number, depth in enumerate(depths, 1):
            z_to = -float(depth)
            if one_way:
                if number > 1:
                    layer.arrive(*self._point(track, 0.0))
                    layer.down(z, pass_no=number, is_open=True)
                layer.down(z_to, pass_no=number)
                end, ramp = track.length, 0.0
                a = 0.0
            else:
                ramp = self._ramp(z - z_to, track)
                end = np.ceil((a + ramp) / track.length - 1e-9) * track.length if ramp else a + track.length
                if ramp:
                    end = max(end, a + track.length) + track.length  # on to the end, then back over the slope
            lay_pass(
                layer.moves, track, a=a, b=float(end), z_from=layer.at[2], z_to=z_to, ramp=ramp, lifts=lifts,
                feed=layer.feed, plunge=layer.plunge, pass_no=number,
            )  # fmt: skip
            a, z = float(end), z_to

    # ---- shared

    def _ramp(self, drop: float, track: Track) -> float:
        if self._cut.entry is not Entry.RAMP or drop <= 0:
            return 0.0
        asked = self._cut.ramp_length or ramp_length(drop, self._cut.ramp_degrees)
        return min(asked, MOST_ROUNDS * track.length)

    def _leads(self, track: Track, contour: Contour, a: float) -> tuple[LeadPath | None, LeadPath | None]:
        asked = [lead.kind is not LeadKind.NONE for lead in (self._cut.lead_in, self._cut.lead_out)]
        if contour.keeps_right is None or not any(asked):
            return None, None
        found = (self._lead_at(track, contour, a, is_in=True), self._lead_at(track, contour, a, is_in=False))
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

    def _marks_on(self, track: Track, marks: tuple[Mark, ...]) -> FloatArray:
        """Stations of the marks that belong to this track: the ones that lie about a bit's radius from it."""
        places = self._outlines.places(marks)
        if not len(places):
            return np.zeros(0)
        stations, gaps = track.nearest(places)
        reach = self._bit.diameter * _MARK_REACH + self._cut.finish + 0.6
        return np.asarray(stations[gaps <= reach])

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


class _Outlines:
    """The drawn outlines of a task: whose outline a place lies near, whether a bit may stand there, where marks are."""

    def __init__(self, task: Task) -> None:
        self._task = task
        self._radius = task.bit.radius
        self._tree: shapely.STRtree | None = None
        self._owners: list[ShapeId] = []
        self._field: SegmentField | None = None

    @property
    def kept(self):  # type: ignore[no-untyped-def]
        """The wood that stays, inside or outside the shapes."""
        cut = self._task.cut
        region = kept_region(self._task.shapes)
        if isinstance(cut, ProfileCut) and cut.side is Side.INSIDE and not region.is_empty:
            x0, y0, x1, y1 = region.bounds
            room = 6 * self._radius
            return shapely.difference(shapely.box(x0 - room, y0 - room, x1 + room, y1 + room), region)
        return region

    def shape_at(self, at: tuple[float, float]) -> ShapeId:
        """The shape whose outline lies nearest."""
        if self._tree is None:
            lines = []
            for shape in self._task.shapes:
                for path in shape.placed():
                    if len(path):
                        lines.append(shapely.linestrings(path.flatten(0.05)))
                        self._owners.append(shape.id)
            self._tree = shapely.STRtree(lines)
        if not self._owners:
            return ShapeId("")
        nearest = self._tree.nearest(shapely.points(at))
        assert nearest is not None
        return self._owners[int(nearest)]

    def is_clear(self, points: FloatArray) -> BoolArray:
        """Whether the bit's centre may stand at points beside the kept wood."""
        if self._field is None:
            lines = ring_paths(kept_region(self._task.shapes)) or [
                path.flatten(0.01) for shape in self._task.shapes for path in shape.placed() if len(path)
            ]
            self._field = SegmentField(lines, reach_mm=self._radius + 1.0)
        return np.asarray(self._field.gaps(np.ascontiguousarray(points)) >= self._radius - _ROOM_SLACK_MM)

    def places(self, marks: tuple[Mark, ...]) -> FloatArray:
        """Where marks are on the board; those of shapes the task lacks are passed over."""
        known: dict[ShapeId, Shape] = {shape.id: shape for shape in self._task.shapes}
        return np.array([known[m.shape].at.point(m.x, m.y) for m in marks if m.shape in known]).reshape(-1, 2)

    def zone_test(self) -> Callable[[FloatArray], BoolArray] | None:
        if not self._task.zones:
            return None
        zone = kept_region(self._task.zones)
        if zone.is_empty:
            return None
        shapely.prepare(zone)
        return lambda points: np.asarray(shapely.intersects_xy(zone, points[:, 0], points[:, 1]))
