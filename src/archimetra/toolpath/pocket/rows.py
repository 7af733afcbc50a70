"""Clearing the floor of a pocket in straight rows across, then along its walls."""

from __future__ import annotations

import numpy as np

from archimetra.geometry.arrays import FloatArray
from archimetra.job.cut_parts import Entry
from archimetra.job.cuts.pocket import PocketCut
from archimetra.toolpath.pocket.area import PocketArea
from archimetra.toolpath.pocket.floor import Floor
from archimetra.toolpath.pocket.measures import Measures
from archimetra.toolpath.pocket.rest import point_on
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.clearing import Node, raster_lines
from archimetra.toolpath.shared.entries import helix_at, lay_helix
from archimetra.toolpath.shared.linking import Links
from archimetra.toolpath.shared.move_builder import MoveBuilder
from archimetra.toolpath.shared.moves import Role
from archimetra.toolpath.shared.passes import lay_pass, no_lifts, ramp_length
from archimetra.toolpath.shared.track import Track

_SHORT_ROW = 1.0  # of the bit's diameter: too short to ramp down on


class Rows(Floor):
    def __init__(
        self, work: ResolvedCut, cut: PocketCut, area: PocketArea, m: Measures, builder: MoveBuilder, links: Links
    ) -> None:
        super().__init__(work, cut, area, m, builder, links)
        self._turned: dict[Track, Track] = {}

    def _clear(self, root: Node, z_above: float, z: float, pass_no: int) -> None:
        rows = raster_lines(root.border, degrees=self._cut.raster_degrees, step=self._m.step)
        left = {(r, k): piece for r, row in enumerate(rows) for k, piece in enumerate(row)}
        row_of: int | None = None
        entered = False
        while left:
            here = np.array(self._builder.at[:2]) if not self._builder.moves.is_empty else next(iter(left.values()))[0]
            key, is_back, near = self._next_piece(left, row_of, here)
            piece = left.pop(key)
            line = piece[::-1] if is_back else piece
            begin, end = (float(line[0, 0]), float(line[0, 1])), (float(line[1, 0]), float(line[1, 1]))
            if not entered:
                entered = self._enter_row(root, line, z_above, z, pass_no)
            elif near and self._links.is_clear(self._builder.at[:2], begin, self._m.first):
                self._builder.line(*begin, z, pass_no=pass_no, role=Role.LINK)
            elif self._along_wall(root, begin, z, pass_no):
                pass
            else:
                self._ramp_on(root, line, z_above, z, pass_no)
            self._builder.line(*end, z, pass_no=pass_no)
            row_of = key[0]
        # the walls, whose loop covers what rows leave along them
        self._cut_all(list(root.loops), z_above, z, pass_no)

    def _along_wall(self, root: Node, goal: tuple[float, float], z: float, pass_no: int) -> bool:
        """From the end of a row to the begin of the next along the wall both lie at, where that is not far."""
        builder = self._builder
        here = np.array(builder.at[:2])
        for loop in root.loops:
            track = loop.track
            a, gap_a = track.near(here)
            b, gap_b = track.near(np.array(goal))
            if max(gap_a, gap_b) > 0.05:
                continue
            forward, backward = (b - a) % track.length, (a - b) % track.length
            if min(forward, backward) > 12 * self._m.step + 4 * self._bit.radius:
                return False
            if forward > backward:
                if track not in self._turned:
                    self._turned[track] = track.reversed()
                track, a, forward = self._turned[track], track.length - a, backward
            builder.line(
                *point_on(track, a), z, pass_no=pass_no
            )  # onto the wall's own line: from beside it the first way is a chord
            lay_pass(
                builder.moves, track, a=a, b=a + forward, z_from=z, z_to=z, ramp=0.0, lifts=no_lifts(track),
                feed=builder.feed, plunge=builder.plunge, pass_no=pass_no,
            )  # fmt: skip
            builder.line(*goal, z, pass_no=pass_no)
            return True
        return False

    def _next_piece(
        self, left: dict[tuple[int, int], FloatArray], row: int | None, here: FloatArray
    ) -> tuple[tuple[int, int], bool, bool]:
        """The next piece, whether it is cut from its end, and whether it lies in a neighbouring row within reach."""
        if row is not None:
            best = None
            for key, piece in left.items():
                if abs(key[0] - row) == 1:
                    for is_back in (False, True):
                        gap = float(np.hypot(*(piece[-1 if is_back else 0] - here)))
                        if best is None or gap < best[0]:
                            best = (gap, key, is_back)
            if best is not None and best[0] <= 4 * self._m.step + self._bit.radius:
                return best[1], best[2], True
        gap, key, is_back = min(
            (float(np.hypot(*(piece[-1 if back else 0] - here))), key, back)
            for key, piece in left.items()
            for back in (False, True)
        )
        return key, is_back, False

    def _enter_row(self, root: Node, line: FloatArray, z_above: float, z: float, pass_no: int) -> bool:
        cut, builder = self._cut, self._builder
        begin = (float(line[0, 0]), float(line[0, 1]))
        place = self._clearance.deepest(root.border)
        hole = self._hole_in(root) if cut.entry is Entry.HOLE else None
        helix = None
        if cut.entry is Entry.HELIX and place is not None:
            helix = helix_at(place.at, room=place.clearance - self._m.first, bit_radius=self._bit.radius)
        if hole is not None and self._links.is_clear(hole, begin, self._m.first):
            self._links.transit(hole, z_above)
            builder.down(z, pass_no=pass_no, is_open=True)
            builder.line(*begin, z, pass_no=pass_no)
        elif helix is not None and self._links.is_clear(helix.begin, begin, self._m.first):
            self._links.transit(helix.begin, z_above)
            lay_helix(builder, helix, z, degrees=cut.ramp_degrees, is_left=self._m.keeps_right, pass_no=pass_no)
            builder.line(*begin, z, pass_no=pass_no)
        else:
            self._ramp_on(root, line, z_above, z, pass_no)
        return True

    def _ramp_on(self, root: Node, line: FloatArray, z_above: float, z: float, pass_no: int) -> None:
        """Down to where a row begins: along the row to and fro, along the wall where the row is short, or straight down."""
        builder = self._builder
        begin, end = (float(line[0, 0]), float(line[0, 1])), (float(line[1, 0]), float(line[1, 1]))
        if self._m.slope is None:
            self._links.transit(begin, z_above)
            builder.down(z, pass_no=pass_no)
            return
        length = float(np.hypot(*(line[1] - line[0])))
        if length < _SHORT_ROW * self._bit.diameter and self._ramp_by_wall(root, begin, z_above, z, pass_no):
            return
        self._links.transit(begin, z_above)
        ramp = ramp_length(builder.at[2] - z, self._cut.ramp_degrees, length)
        turns = max(1, int(np.ceil(ramp / max(2 * length, 1e-6) - 1e-9)))
        z_from = builder.at[2]
        for turn in range(turns):
            half = z_from + (z - z_from) * (turn + 0.5) / turns
            builder.line(*end, half, pass_no=pass_no, role=Role.ENTRY)
            builder.line(*begin, z_from + (z - z_from) * (turn + 1) / turns, pass_no=pass_no, role=Role.ENTRY)

    def _ramp_by_wall(self, root: Node, goal: tuple[float, float], z_above: float, z: float, pass_no: int) -> bool:
        """Down along the wall to a row's begin, which lies at it. Under the slope the wall's own loop takes what stands."""
        for loop in root.loops:
            track = loop.track
            station, gap = track.near(np.array(goal))
            if gap > 0.05 or track.length < self._bit.diameter:
                continue
            ramp = ramp_length(z_above - z, self._cut.ramp_degrees, track.length)
            first = station - ramp
            self._links.transit(point_on(track, first), z_above)
            lay_pass(
                self._builder.moves, track, a=first, b=station, z_from=self._builder.at[2], z_to=z, ramp=ramp,
                lifts=no_lifts(track), feed=self._builder.feed, plunge=self._builder.plunge, pass_no=pass_no,
            )  # fmt: skip
            self._builder.line(*goal, z, pass_no=pass_no)
            return True
        return False
