"""A track is walked by arc length, round and round or to and fro, and its moves are the lines and arcs it is made of."""

from __future__ import annotations

from math import pi

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from archimetra.geometry.arcfit import to_arcs
from archimetra.geometry.path import Path
from archimetra.job.cut_parts import Tabs
from archimetra.toolpath.shared.moves import Move, MoveList, Role, empty_toolpath, move_lengths, straightened
from archimetra.toolpath.shared.order import inside_first
from archimetra.toolpath.shared.passes import Lifts, lay_pass, pass_depths, ramp_length
from archimetra.toolpath.shared.tabs import tab_spans
from archimetra.toolpath.shared.track import Track, nearest_on_ring, ring_distance
from shapes import blob, star

ROUNDED = Path.arcs(  # 40 x 20 with corners of radius 5, counter-clockwise from the lower edge
    np.array([(5, 0), (35, 0), (40, 5), (40, 15), (35, 20), (5, 20), (0, 15), (0, 5), (5, 0)], dtype=float),
    np.array([0, np.tan(pi / 8)] * 4),
    closed=True,
)
OPEN = Path.arcs(np.array([(0, 0), (10, 0), (10, 20)], dtype=float), np.array([0.0, 1.0]), closed=False)


def walked(track: Track, stations: np.ndarray) -> np.ndarray:
    """Points along the moves that ``track.moves`` gives, arcs straightened finely."""
    points, kind, centre = track.moves(stations)
    xyz = np.column_stack((points, np.zeros(len(points))))
    line, _ = straightened(xyz, kind, centre, chord_tolerance_mm=1e-4)
    return line[:, :2]


class TestWalking:
    def test_lengths_are_those_of_the_path(self):
        assert Track(ROUNDED).length == pytest.approx(2 * 30 + 2 * 10 + 2 * pi * 5)
        assert Track(OPEN).length == pytest.approx(10 + pi * 10)

    @given(st.floats(0, 400), st.sampled_from([ROUNDED, OPEN]))
    def test_a_station_is_the_point_at_that_length(self, s, path):
        track = Track(path)
        if path.closed:
            wanted = path.point_at(s % track.length)
        else:
            folded = s % (2 * track.length)
            wanted = path.point_at(min(folded, 2 * track.length - folded))
        assert track.points(np.array([s]))[0] == pytest.approx(wanted, abs=1e-6)

    @given(st.floats(0, 150), st.floats(0.5, 250), st.sampled_from([ROUNDED, OPEN]))
    def test_moves_between_stations_stay_on_the_path_and_are_as_long(self, a, run, path):
        track = Track(path)
        stations = np.concatenate(([a], track.nodes_between(a, a + run), [a + run]))
        assert (np.diff(stations) > 0).all()
        line = walked(track, stations)
        assert np.hypot(*np.diff(line, axis=0).T).sum() == pytest.approx(run, rel=1e-4, abs=1e-3)
        assert max(path.nearest((float(x), float(y)))[1] for x, y in line[:: max(1, len(line) // 40)]) < 2e-4

    def test_an_arc_walked_backwards_turns_the_other_way(self):
        track = Track(OPEN)
        total = track.length
        _, there, _ = track.moves(np.array([0.0, 10.0, total]))
        _, back, _ = track.moves(np.array([total, 2 * total - 10.0, 2 * total]))
        assert there.tolist() == [Move.LINE, Move.LINE, Move.ARC_CCW]
        assert back.tolist() == [Move.LINE, Move.ARC_CW, Move.LINE]

    def test_joints_are_met_to_the_bit(self):
        track = Track(ROUNDED)
        points, _, _ = track.moves(
            np.concatenate(([0.0], track.nodes_between(0.0, 2 * track.length), [2 * track.length]))
        )
        nodes = {tuple(node) for node in ROUNDED.nodes}
        assert {tuple(point) for point in points} == nodes

    def test_a_track_of_cubics_is_refused(self):
        with pytest.raises(ValueError, match="lines and arcs"):
            Track(blob(1))
        assert len(Track(to_arcs(blob(1), tolerance_mm=0.01))) > 3

    def test_straight_stretches_join_what_goes_straight_on(self):
        path = Path.polyline([(0, 0), (10, 0), (30, 0), (30, 5), (0, 5)], closed=True)
        stretches = Track(path).straight_stretches()
        assert stretches[0].tolist() == [0.0, 30.0]
        assert len(stretches) == 4
        assert Track(Path.circle((0, 0), 5)).straight_stretches().shape == (0, 2)

    def test_corners_are_sharp_turns_and_tight_arcs(self):
        track = Track(ROUNDED)
        assert len(track.corners(sharper_than_degrees=20, tighter_than_mm=4)) == 0
        middles = track.corners(sharper_than_degrees=20, tighter_than_mm=6)
        quarter = pi * 5 / 2
        assert middles[0] == pytest.approx(30 + quarter / 2)
        assert len(middles) == 4
        assert len(Track(star()).corners(sharper_than_degrees=20, tighter_than_mm=1)) == 10


class TestRings:
    @given(st.floats(0, 99.9), st.lists(st.floats(0, 99.9), min_size=1, max_size=8))
    def test_the_nearest_mark_is_the_nearest_of_all(self, at, marks):
        rising = np.unique(marks)
        wanted = min(float(ring_distance(np.array([m]), at, 100.0)[0]) for m in rising)
        assert nearest_on_ring(np.array([at]), rising, 100.0)[0] == pytest.approx(wanted, abs=1e-9)

    def test_without_marks_everything_is_a_whole_round_away(self):
        assert nearest_on_ring(np.array([1.0, 2.0]), np.zeros(0), 50.0).tolist() == [50.0, 50.0]


class TestPasses:
    def laid(self, track, **settings):
        moves = MoveList()
        lifts = Lifts(track, settings.pop("tabs", np.zeros((0, 2))), top=settings.pop("tab_top", 0.0),
                      slope_length=settings.pop("slope", 0.0))  # fmt: skip
        defaults = {"a": 0.0, "b": track.length, "z_from": 0.0, "z_to": -4.0, "ramp": 0.0, "lifts": lifts,
                    "feed": 1000.0, "plunge": 300.0, "pass_no": 1}  # fmt: skip
        lay_pass(moves, track, **(defaults | settings))
        return moves.toolpath("cut", "bit")

    def test_without_a_ramp_it_plunges_on_the_spot_and_goes_level(self):
        path = self.laid(Track(ROUNDED))
        assert path.xyz[0].tolist() == [5.0, 0.0, -4.0]
        assert path.feed[0] == 300
        assert set(path.xyz[1:, 2]) == {-4.0}
        assert set(path.feed[1:]) == {1000.0}

    @given(st.floats(2, 60), st.floats(0.5, 6))
    def test_a_ramp_falls_evenly_and_then_stays_level(self, ramp, drop):
        track = Track(ROUNDED)
        path = self.laid(track, ramp=ramp, z_to=-drop, b=track.length + ramp)
        run = np.concatenate(([0.0], np.cumsum(np.hypot(*np.diff(path.xyz[:, :2], axis=0).T))))
        level = path.xyz[:, 2] <= -drop + 1e-9
        assert (np.diff(path.xyz[:, 2]) <= 1e-12).all()
        assert level[-1]
        assert run[np.flatnonzero(level)[0]] <= ramp + 1e-6

    def test_over_a_tab_the_bit_stands_on_its_top(self):
        track = Track(ROUNDED)
        path = self.laid(track, tabs=np.array([[8.0, 20.0]]), tab_top=-2.5)
        assert set(np.round(path.xyz[:, 2], 9)) == {-4.0, -2.5}
        high = path.xyz[path.role == Role.TAB]
        assert (high[:, 0].min(), high[:, 0].max()) == pytest.approx((13, 25))  # from x 5 on: 8 to 20 along

    def test_a_pass_above_the_tabs_knows_nothing_of_them(self):
        track = Track(ROUNDED)
        path = self.laid(track, z_to=-2.0, tabs=np.array([[8.0, 20.0]]), tab_top=-2.5)
        assert set(path.xyz[:, 2]) == {-2.0}
        assert not (path.role == Role.TAB).any()

    @given(st.floats(0.1, 40), st.floats(0.1, 12))
    def test_passes_share_the_depth_evenly(self, depth, step):
        depths = pass_depths(0.0, depth, step)
        assert depths[-1] == pytest.approx(depth)
        steps = np.diff(np.concatenate(([0.0], depths)))
        assert steps.max() <= step + 1e-9
        assert steps == pytest.approx(steps[0])

    def test_a_ramp_of_45_degrees_is_as_long_as_deep(self):
        assert ramp_length(3.0, 45.0) == pytest.approx(3.0)


class TestTabs:
    def test_tabs_of_a_circle_are_a_quarter_apart(self):
        track = Track(Path.circle((0, 0), 50))
        spans = tab_spans(track, Tabs(count=4, length=10), bit_diameter=6).spans
        assert spans[:, 1] - spans[:, 0] == pytest.approx(16.0)
        assert np.diff(spans.mean(axis=1)) == pytest.approx(track.length / 4)

    @given(st.integers(1, 12), st.floats(1, 12), st.floats(1, 8))
    def test_no_tab_sits_on_a_corner_where_there_is_room(self, count, length, diameter):
        track = Track(Path.rectangle(0, 0, 400, 300))
        placed = tab_spans(track, Tabs(count=count, length=length, corner_distance=5), bit_diameter=diameter)
        corners = np.array([0.0, 400, 700, 1100])
        gaps = nearest_on_ring(placed.spans.mean(axis=1) % track.length, corners, track.length)
        assert len(placed.spans) == count
        assert gaps.min() >= (length + diameter) / 2 + 5 - 1e-6 or placed.near_corner > 0


class TestOrder:
    def test_from_the_beginning_to_the_nearest_each_time(self):
        starts = np.array([(100.0, 0.0), (10, 0), (50, 0), (20, 0)])
        assert inside_first(starts, np.full(4, -1)) == [1, 3, 2, 0]

    def test_a_ring_waits_for_all_that_lies_in_it(self):
        starts = np.array([(0.0, 0.0), (5, 5), (6, 6), (90, 90)])
        order = inside_first(starts, np.array([-1, 0, 1, 0]))
        assert order.index(2) < order.index(1) < order.index(0)
        assert order.index(3) < order.index(0)


class TestMoves:
    def test_nothing_is_an_empty_toolpath(self):
        assert len(MoveList().toolpath("cut", "bit")) == len(empty_toolpath("cut", "bit")) == 0

    @given(st.floats(-pi, pi), st.floats(0.1, 2 * pi - 0.1), st.booleans(), st.floats(-5, 5))
    def test_a_helix_is_as_long_as_pythagoras_says(self, start, sweep, is_cw, rise):
        r = 12.0
        end = start - sweep if is_cw else start + sweep
        xyz = np.array([(r * np.cos(start), r * np.sin(start), 0.0), (r * np.cos(end), r * np.sin(end), rise)])
        kind = np.array([Move.LINE, Move.ARC_CW if is_cw else Move.ARC_CCW], dtype=np.uint8)
        assert move_lengths(xyz, kind, np.zeros((2, 2)))[1] == pytest.approx(np.hypot(r * sweep, rise), rel=1e-6)
        line, rows = straightened(xyz, kind, np.zeros((2, 2)), chord_tolerance_mm=0.001)
        assert set(rows) == {0, 1}
        assert np.hypot(line[:, 0], line[:, 1]) == pytest.approx(r)
        assert np.diff(line[:, 2]) == pytest.approx(rise / (len(line) - 1), abs=1e-9)
