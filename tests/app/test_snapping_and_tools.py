"""What points and boxes catch on, and what tools make of clicks, without a window around them."""

from __future__ import annotations

from math import hypot

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from archimetra.app.views.snapping import MoveTargets, PointTargets
from archimetra.app.views.tools import box_handles, scaling
from archimetra.edits import basic as edits
from archimetra.edits import guides, shaping
from archimetra.geometry.path import Path
from archimetra.job.job import new_job
from archimetra.job.shapes import Guide
from archimetra.job.sheet import Sheet


def board_with(*paths: Path, margin: float = 0.0, guide: Guide | None = None):
    job = new_job()
    b = job.boards[0].id
    job = edits.change_board(job, b, "", sheet=Sheet(width=200.0, height=100.0, readings=(18.0,))).job
    for path in paths:
        job = shaping.draw_path(job, b, path).edit.job
    job = guides.set_margin(job, b, margin).job
    if guide is not None:
        job = guides.add_guide(job, b, guide).job
    return job.boards[0]


class TestPoints:
    board = board_with(Path.rectangle(20, 20, 60, 40), Path.circle((140, 50), 20), guide=Guide(True, 105.0), margin=7.0)

    def targets(self, grid: float = 0.0) -> PointTargets:
        return PointTargets(self.board, self.board.shapes, grid)

    @pytest.mark.parametrize(
        ("at", "place", "words"),
        [
            ((20.5, 19.6), (20, 20), "node"),
            ((50.3, 20.4), (50, 20), "middle"),
            ((139.8, 50.3), (140, 50), "centre"),
            ((50.2, 40.4), (50, 40), "centre of a shape"),
            ((199.6, 99.7), (200, 100), "sheet"),
            ((100.2, 50.1), (100, 50), "sheet"),
            ((105.4, 70.0), (105, 70.0), "guide"),
            ((105.3, 7.2), (105, 7), "guides"),
            ((33.0, 20.4), (33, 20), "line"),
            ((111.0, 80.0), (111, 80), ""),
        ],
    )
    def test_each_kind_of_place_is_caught_and_named(self, at, place, words):
        caught = self.targets().snap(*at, 1.0)
        assert (caught.x, caught.y) == pytest.approx(place)
        assert caught.words == words

    def test_crossings_of_lines_that_share_no_node(self):
        board = board_with(
            Path.polyline([(10, 10), (90, 90)], closed=False), Path.polyline([(10, 80), (60, 10)], closed=False)
        )
        caught = PointTargets(board, board.shapes).snap(39.6, 38.9, 3.0)
        assert caught.words == "intersection"
        x, y = caught.x, caught.y
        assert y == pytest.approx(x)
        assert y - 80 == pytest.approx(-70 / 50 * (x - 10))

    def test_a_tangent_from_where_the_line_began(self):
        origin = (140.0, 5.0)
        away, r = 45.0, 20.0
        reach = np.sqrt(away**2 - r**2)
        foot = (140 + r * reach / away, 50 - r * r / away)
        caught = self.targets().snap(foot[0] + 0.2, foot[1] - 0.1, 1.0, origin=origin)
        assert caught.words == "tangent"
        assert hypot(caught.x - foot[0], caught.y - foot[1]) < 1.0

    def test_the_grid_catches_what_nothing_else_does(self):
        caught = self.targets(grid=10.0).snap(170.9, 89.3, 1.0)
        assert (caught.x, caught.y, caught.words) == (170, 90, "grid")

    def test_an_empty_board_has_its_sheet_to_catch_on(self):
        board = board_with()
        assert PointTargets(board, board.shapes).snap(0.3, 0.2, 1.0).words == "sheet"

    @settings(max_examples=60, deadline=None)
    @given(x=st.floats(-20, 220), y=st.floats(-20, 120), reach=st.floats(0.1, 5), grid=st.sampled_from([0.0, 5.0]))
    def test_nothing_is_caught_from_farther_than_the_reach(self, x, y, reach, grid):
        caught = self.targets(grid).snap(x, y, reach)
        assert hypot(caught.x - x, caught.y - y) <= reach * 2.2 + 1e-9
        assert bool(caught.words) or (caught.x, caught.y) == (x, y)


class TestBoxes:
    def test_edges_and_middles_catch_sheet_guides_and_other_centres(self):
        board = board_with(guide=Guide(False, 33.0))
        targets = MoveTargets(board, [(100, 0, 120, 20)])
        snap = targets.snap((0, 0, 10, 10), 0.6, 32.5, 1.0)
        assert (snap.dx, snap.dy, snap.words) == (0, 33, "left edge of sheet and guide")
        snap = targets.snap((0, 0, 10, 10), 104.6, 60.0, 1.0)
        assert (snap.dx, snap.words) == (105, "centre of a shape")
        assert targets.snap((0, 0, 10, 10), 40.0, 60.0, 1.0).words == ""

    def test_a_grid_catches_the_left_and_front_edges(self):
        snap = MoveTargets(board_with(), [], grid=5.0).snap((1, 1, 9, 9), 33.7, 61.2, 1.0)
        assert (1 + snap.dx, 1 + snap.dy) == (35, pytest.approx(62.2))
        assert snap.words == "grid"

    @settings(max_examples=60, deadline=None)
    @given(dx=st.floats(-300, 300), dy=st.floats(-300, 300), reach=st.floats(0.01, 4))
    def test_a_move_is_never_changed_by_more_than_the_reach(self, dx, dy, reach):
        snap = MoveTargets(board_with(margin=9.0), [(50, 50, 70, 60)]).snap((3, 4, 18, 12), dx, dy, reach)
        assert abs(snap.dx - dx) <= reach
        assert abs(snap.dy - dy) <= reach


class TestHandles:
    BOX = (10.0, 20.0, 50.0, 40.0)

    @pytest.mark.parametrize("handle", list(box_handles(BOX)))
    @settings(max_examples=15, deadline=None)
    @given(dx=st.floats(-8, 15), dy=st.floats(-8, 15))
    def test_the_handle_follows_the_hand_and_the_far_side_stays(self, handle, dx, dy):
        x, y = box_handles(self.BOX)[handle]
        m = scaling(self.BOX, handle, (x + dx, y + dy), is_even=False, is_about_middle=False)
        assert m is not None
        got = m.point(x, y)
        if handle[0]:
            assert got[0] == pytest.approx(x + dx)
        if handle[1]:
            assert got[1] == pytest.approx(y + dy)
        far = box_handles(self.BOX).get((-handle[0], -handle[1]), (x, y))
        assert m.point(*far) == pytest.approx(far)

    def test_evenly_the_ratio_stays_and_inside_out_is_nothing(self):
        m = scaling(self.BOX, (1, 1), (90.0, 41.0), is_even=True, is_about_middle=False)
        assert m.a == m.d == pytest.approx(2)
        assert scaling(self.BOX, (1, 0), (5.0, 30.0), is_even=False, is_about_middle=False) is None

    def test_about_the_middle_both_sides_move(self):
        m = scaling(self.BOX, (1, 0), (60.0, 30.0), is_even=False, is_about_middle=True)
        assert m.point(10, 30) == pytest.approx((0, 30))
