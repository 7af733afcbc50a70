"""The last pass of a pocket along its walls, at full depth, taking off their allowance.

What the passes before did not come near, for want of room for the allowance, is gone along in passes first: the finishing pass never
meets more than the allowance.
"""

from __future__ import annotations

import numpy as np

from archimetra.geometry.arrays import BoolArray, FloatArray
from archimetra.geometry.distance import SegmentField
from archimetra.job.bits import Bit
from archimetra.job.cut_parts import Lead, LeadKind
from archimetra.job.cuts.pocket import PocketCut
from archimetra.toolpath.pocket.rest import point_on
from archimetra.toolpath.shared.clearing import Loop
from archimetra.toolpath.shared.contours import walks_right
from archimetra.toolpath.shared.leads import fit_lead, lay_lead
from archimetra.toolpath.shared.linking import Links
from archimetra.toolpath.shared.move_builder import MoveBuilder
from archimetra.toolpath.shared.order import inside_first
from archimetra.toolpath.shared.passes import lay_pass, no_lifts
from archimetra.toolpath.shared.starts import choose_start
from archimetra.toolpath.shared.strokes import down_beside, finishing_reach, to_and_fro, unserved
from archimetra.toolpath.shared.track import Track


class Walls:
    """``wall`` is the clearance of the finished wall, ``first`` that of the passes before; ``slope`` at how many degrees the bit goes down into
    wood, None straight down."""

    def __init__(
        self, cut: PocketCut, bit: Bit, builder: MoveBuilder, links: Links, *, depths: FloatArray, wall: float, first: float, slope: float | None,
    ) -> None:  # fmt: skip
        self._cut, self._bit, self._builder, self._links = cut, bit, builder, links
        self._depths, self._wall, self._first, self._slope = depths, wall, first, slope
        self._right = walks_right(cut.direction, bit)

    def run(self, loops: list[Loop], cleared: list[FloatArray]) -> None:
        """Round all loops at the walls; ``cleared`` are the lines (n, 2) the passes before went along."""
        cut, builder = self._cut, self._builder
        z, pass_no = -float(self._depths[-1]), len(self._depths) + 1
        feed = cut.finish_feed or builder.feed
        limit = finishing_reach(cut.wall_allowance, self._bit.diameter)
        field = SegmentField(cleared, reach_mm=limit + 1.0) if cleared else None

        def is_opened(points: FloatArray) -> BoolArray:
            """Where the bit may stand and finds no more than the allowance."""
            if field is None:
                return np.zeros(len(points), dtype=bool)
            near = field.gaps(np.ascontiguousarray(points)) <= limit
            if not near.all():
                near |= self._stands(points, self._first)
            return near & self._stands(points, self._wall)

        starts = np.array([point_on(loop.track, 0.0) for loop in loops])
        lead = Lead(kind=LeadKind.ARC, length=max(2.0, self._bit.radius))
        for k in inside_first(starts, np.full(len(loops), -1)):
            loop = loops[k]
            track = loop.track
            missed = unserved(track, cleared, limit=limit, overlap=self._bit.radius)
            if missed and missed[0][1] - missed[0][0] >= track.length - 1e-9:
                self._round_in_passes(track)
                continue
            for first, last in missed:
                to_and_fro(
                    builder, track.part(first, last), self._depths, start=cut.start_depth, ramp_degrees=self._slope
                )
            a = choose_start(track, np.zeros((0, 2)), bit_diameter=self._bit.diameter).station
            b = a + track.length
            ways = [
                fit_lead(
                    lead, track.points(np.array([s]))[0], track.tangents_at(np.array([s]))[0],
                    waste_on_left=self._right, is_in=is_in, is_clear=is_opened,
                )
                for s, is_in in ((a, True), (b, False))
            ]  # fmt: skip
            way_in, way_out = ways
            begin = way_in.far if way_in is not None else point_on(track, a)
            if way_in is not None and self._links.is_clear(begin, begin, self._first):
                builder.arrive(*begin)
                builder.down(z, pass_no=pass_no, is_open=True)
            else:  # without a lead, or with one shortened so far that it begins over what is left of the allowance
                down_beside(builder, begin, z, cleared, within=limit, pass_no=pass_no, feed=feed)
            if way_in is not None:
                lay_lead(builder, way_in, is_in=True, pass_no=pass_no, feed=feed)
            lay_pass(
                builder.moves, track, a=a, b=b, z_from=z, z_to=z, ramp=0.0, lifts=no_lifts(track), feed=feed,
                plunge=builder.plunge, pass_no=pass_no,
            )  # fmt: skip
            if way_out is not None:
                lay_lead(builder, way_out, is_in=False, pass_no=pass_no, feed=feed)

    def _stands(self, points: FloatArray, clearance: float) -> BoolArray:
        """Which points (n, 2) have this much clearance."""
        return np.array([self._links.is_clear(p, p, clearance) for p in points], dtype=bool)

    def _round_in_passes(self, track: Track) -> None:
        """Round a loop nothing has come near, pass by pass."""
        builder = self._builder
        builder.arrive(*point_on(track, 0.0))
        builder.down(-self._cut.start_depth, pass_no=1)
        station = 0.0
        for pass_no, depth in enumerate(self._depths, 1):
            z = -float(depth)
            if self._slope is None:
                builder.down(z, pass_no=pass_no)
            station = self._links.cut_round(track, station, z, pass_no)
