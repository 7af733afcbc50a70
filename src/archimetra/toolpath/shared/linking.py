"""Ways within an area being cleared: whether a straight one is clear, how to get from place to place, and once round a loop."""

from __future__ import annotations

import numpy as np

from archimetra.geometry.arrays import BoolArray, ByteArray, FloatArray
from archimetra.geometry.clearances import AnyClearance
from archimetra.toolpath.shared.move_builder import MoveBuilder
from archimetra.toolpath.shared.moves import Role
from archimetra.toolpath.shared.passes import lay_pass, no_lifts, ramp_length
from archimetra.toolpath.shared.track import Track

CLEAR_SLACK_MM = 0.003  # links may come this much nearer to a wall than loops do
_ABOVE_FLOOR_MM = 0.2  # how high over an open floor the bit travels
_RAPID_MM_S, _RAPID_Z_MM_S, _LIFT_S = 70.0, 20.0, 0.4  # what a hop costs, roughly, to weigh it against a way at depth


class Links:
    """``first`` is the clearance the bit's centre needs. ``is_open``: whether this very cut has opened the level above the one it
    cuts now."""

    def __init__(self, builder: MoveBuilder, clearance: AnyClearance, *, first: float, ramp_degrees: float) -> None:
        self.is_open = False
        self._builder, self._clearance, self._first, self._degrees = builder, clearance, first, ramp_degrees
        self._rounds: dict[tuple[Track, float], tuple[FloatArray, ByteArray, FloatArray]] = {}

    def is_clear(self, p: tuple[float, ...], q: tuple[float, ...], least: float) -> bool:
        gap = self._clearance.gap(np.array(p[:2]), np.array(q[:2]), limit=least + 1.0)
        return gap >= least - CLEAR_SLACK_MM

    def transit(self, goal: tuple[float, float], z_above: float) -> None:
        """To a place at the height that is open above it: through the opened pocket where that is clear and quicker."""
        builder = self._builder
        if builder.moves.is_empty:
            builder.arrive(*goal)
            builder.down(z_above, pass_no=1)
            return
        x, y, z_now = builder.at
        far = float(np.hypot(goal[0] - x, goal[1] - y))
        if self.is_open:
            deep = builder.retract - z_above
            by_hop = _LIFT_S + deep / _RAPID_Z_MM_S + deep / (builder.feed / 60) + far / _RAPID_MM_S
            if far / (builder.feed / 60) < by_hop and self.is_clear((x, y), goal, self._first):
                builder.down(max(z_above + _ABOVE_FLOOR_MM, z_now) if far > 1e-6 else z_now, pass_no=0, is_open=True)
                builder.line(*goal, builder.at[2], pass_no=0, role=Role.LINK)
                builder.down(z_above, pass_no=0, is_open=True)
                return
        builder.arrive(*goal)
        builder.down(z_above, pass_no=0, is_open=self.is_open)

    def cut_round(self, track: Track, a: float, z: float, pass_no: int) -> float:
        """Once round at height z, sloping down to it first from wherever the bit stands above it; the station it ends at."""
        builder = self._builder
        z_from = builder.at[2]
        ramp = ramp_length(z_from - z, self._degrees, track.length) if z_from > z + 1e-9 else 0.0
        if ramp == 0.0:
            self._level_round(track, a, z, pass_no)
            return a
        lay_pass(
            builder.moves, track, a=a, b=a + ramp + track.length, z_from=z_from, z_to=z, ramp=ramp, lifts=no_lifts(track),
            feed=builder.feed, plunge=builder.plunge, pass_no=pass_no,
        )  # fmt: skip
        return a + ramp + track.length

    def _level_round(self, track: Track, a: float, z: float, pass_no: int) -> None:
        """Once round at one height; every pass goes the same way round, so the way is worked out once."""
        known = self._rounds.get((track, a))
        if known is None:
            stations = np.concatenate(([a], track.nodes_between(a, a + track.length), [a + track.length]))
            known = self._rounds[track, a] = track.moves(stations)
        points, kind, centre = known
        n = len(points) - 1
        self._builder.add(
            np.column_stack((points[1:], np.full(n, z))), kind[1:], centre[1:], np.full(n, self._builder.feed),
            np.full(n, Role.CUT, dtype=np.uint8), pass_no,
        )  # fmt: skip

    def may_stand(self, points: FloatArray, radius: float) -> BoolArray:
        """Which steps of a line of points (n - 1,) a bit of this radius may take."""
        pairs = zip(points[:-1], points[1:], strict=True)
        gaps = np.array([self._clearance.gap(p, q, limit=self._first + 1.0) for p, q in pairs])
        return np.asarray(gaps >= radius - CLEAR_SLACK_MM)
