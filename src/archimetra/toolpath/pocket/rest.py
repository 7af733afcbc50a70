"""The rest of a pocket: only what a larger bit could not reach, grown a little into what it did.

Loops and strokes are those of the whole area, clipped to that zone; every stretch begins and ends where it is open already.
"""

from __future__ import annotations

import msgspec
import numpy as np
import shapely
from shapely.geometry import LineString

from archimetra.base.findings import Finding, Severity
from archimetra.geometry.arcfit import fit_arcs
from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.morphology import filled
from archimetra.geometry.path import Path
from archimetra.geometry.region import EMPTY, Region, line_parts, polygons_of
from archimetra.job.cuts.pocket import PocketCut
from archimetra.toolpath.pocket.area import PocketArea, left_by
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.clearing import INNER_FIT_MM, Loop, Node, covering_strokes, every_loop
from archimetra.toolpath.shared.contours import walks_right
from archimetra.toolpath.shared.linking import Links
from archimetra.toolpath.shared.move_builder import MoveBuilder
from archimetra.toolpath.shared.moves import Role
from archimetra.toolpath.shared.order import inside_first
from archimetra.toolpath.shared.passes import lay_pass, no_lifts
from archimetra.toolpath.shared.strokes import to_and_fro
from archimetra.toolpath.shared.track import Track


class _Piece(msgspec.Struct, frozen=True, eq=False):
    """A line to cut at each depth: a whole loop, or a stretch of one."""

    track: Track
    level: float


class RestOfPocket:
    """Lays what is left, part by part."""

    def __init__(
        self, work: ResolvedCut, cut: PocketCut, builder: MoveBuilder, links: Links, area: PocketArea, *, first: float, depths: FloatArray,
        slope: float | None,
    ) -> None:  # fmt: skip
        """``slope`` is at how many degrees the bit goes down into wood, None straight down."""
        self.findings: list[Finding] = []
        self._work, self._cut, self._bit, self._builder, self._links = work, cut, work.bit, builder, links
        self._area, self._clearance, self._first, self._depths = area, area.clearance, first, depths
        self._right, self._slope = walks_right(cut.direction, work.bit), slope
        self._reached: Region | None = None  # by the centre of the larger bit

    def run(self, roots: list[Node], strokes: list[FloatArray], step: float) -> None:
        """The lines of what larger bits before left, for every depth."""
        larger = self._work.previous_bit
        assert larger is not None
        zone = left_by(
            self._area, larger=larger.radius + self._cut.wall_allowance, overlap=1.05 * self._bit.radius + 0.1,
        )  # fmt: skip
        if zone.is_empty:
            self.findings.append(
                Finding(
                    "rest-none", Severity.NOTE,
                    f"{larger.name} leaves nothing that '{self._cut.name}' would have to clear.",
                    mend="Switch it off.", subject=self._cut.id,
                )
            )  # fmt: skip
            return
        loops = every_loop(roots)
        lines = strokes + covering_strokes(
            self._clearance, loops, first=self._first, step=step, radius=self._bit.radius
        )
        shapely.prepare(zone)
        parts = polygons_of(zone)
        groups: list[list[_Piece]] = [[] for _ in parts]
        tree = shapely.STRtree(parts)
        for loop in loops:
            line = shapely.linestrings(loop.ring)
            if not shapely.intersects(zone, line):
                continue
            for track in _clipped(loop, line, zone, turn=not self._right):
                groups[_part_at(tree, track)].append(_Piece(track, loop.clearance))
        for stroke in lines:
            for part in line_parts(shapely.intersection(shapely.linestrings(stroke), zone), longer_than=0.01):
                track = Track(Path.polyline(part, closed=False))
                groups[_part_at(tree, track)].append(_Piece(track, 0.0))
        filled = [group for group in groups if group]
        starts = np.array([point_on(group[0].track, 0.0) for group in filled]).reshape(-1, 2)
        for k in inside_first(starts, np.full(len(filled), -1)):
            self._part(filled[k])
        if not filled:
            self.findings.append(
                Finding(
                    "rest-unreached", Severity.CAUTION,
                    f"'{self._cut.name}' reaches nothing of what {larger.name} leaves.",
                    mend="Choose a smaller bit.", subject=self._cut.id,
                )
            )  # fmt: skip

    def _part(self, pieces: list[_Piece]) -> None:
        builder = self._builder
        ordered = sorted(pieces, key=lambda piece: -piece.level)
        z_above = -self._cut.start_depth
        self._links.is_open = False
        for pass_no, depth in enumerate(self._depths, 1):
            z = -float(depth)
            for piece in ordered:
                track = piece.track
                station = 0.0
                if track.is_closed and not builder.moves.is_empty:
                    station = track.near(np.array(builder.at[:2]))[0]
                goal = point_on(track, station)
                at_depth = not builder.moves.is_empty and abs(builder.at[2] - z) < 1e-9
                close = at_depth and np.hypot(builder.at[0] - goal[0], builder.at[1] - goal[1]) < 3 * self._bit.diameter
                if close and self._links.is_clear(builder.at[:2], goal, self._first):
                    builder.line(*goal, z, pass_no=pass_no, role=Role.LINK)
                else:
                    self._links.transit(goal, z_above)
                    if not track.is_closed:
                        if self._slope is not None and not self._is_open_at(goal):
                            to_and_fro(
                                builder, track, [-z], start=-z_above, ramp_degrees=self._slope, first_pass=pass_no,
                                arrives=False,
                            )  # fmt: skip
                            continue
                        builder.down(z, pass_no=pass_no)
                if track.is_closed:
                    self._links.cut_round(track, station, z, pass_no)
                else:
                    lay_pass(
                        builder.moves, track, a=0.0, b=track.length, z_from=z, z_to=z, ramp=0.0, lifts=no_lifts(track),
                        feed=builder.feed, plunge=builder.plunge, pass_no=pass_no,
                    )  # fmt: skip
            z_above = z
            self._links.is_open = True

    def _is_open_at(self, place: tuple[float, float]) -> bool:
        """Whether the larger bit has cleared all this one covers there."""
        larger = self._work.previous_bit
        assert larger is not None
        if self._reached is None:
            rings = [path.flatten(0.01) for path in self._clearance.offsets(self._area.inset + larger.radius)]
            self._reached = filled(rings) if rings else EMPTY
        gap = float(shapely.distance(self._reached, shapely.points(place))) if not self._reached.is_empty else np.inf
        return bool(gap <= larger.radius - self._bit.radius + 0.02)


def point_on(track: Track, station: float) -> tuple[float, float]:
    """A point of a track."""
    x, y = track.points(np.array([station]))[0]
    return float(x), float(y)


def _clipped(loop: Loop, line: LineString, zone: Region, *, turn: bool) -> list[Track]:
    """The stretches of a loop inside a zone, walked as the loop is; the whole loop where it never leaves it."""
    if shapely.contains(zone, line):
        return [loop.track]
    out = []
    for points in line_parts(shapely.intersection(line, zone), longer_than=0.01):
        # overlay may turn a piece round: its own order along the ring tells
        middle = max(1, len(points) // 2)
        a, b = line.project(shapely.points(points[middle - 1])), line.project(shapely.points(points[middle]))
        if (b < a) != turn and abs(b - a) < line.length / 2:
            points = points[::-1]
        out.append(Track(fit_arcs(points, tolerance_mm=INNER_FIT_MM / 2, closed=False)))
    return out


def _part_at(tree: shapely.STRtree, track: Track) -> int:
    nearest = tree.nearest(shapely.points(track.points(np.array([track.length / 2]))[0]))
    assert nearest is not None
    return int(nearest)
