"""The pruned medial axis: exact clearances, branches at true corners only, the same wherever the outline lies."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely.geometry import Polygon

from archimetra.geometry.clearance import Clearance
from archimetra.geometry.clearances import ClearanceSet
from archimetra.geometry.region import as_region
from archimetra.geometry.skeleton import skeleton_of

FINE = {"residual_mm": 0.004, "chord_tolerance_mm": 0.001}


def ring(radius_x: float, radius_y: float, count: int, at=(0.0, 0.0)) -> np.ndarray:
    a = np.linspace(0, 2 * np.pi, count, endpoint=False)
    return np.column_stack((at[0] + radius_x * np.cos(a), at[1] + radius_y * np.sin(a)))


def skeleton(polygon: Polygon, **settings):
    return skeleton_of(Clearance(as_region(polygon)), **(FINE | settings))


def distances(polygon: Polygon, points: np.ndarray) -> np.ndarray:
    return shapely.distance(shapely.boundary(polygon), shapely.points(points[:, :2]))


class TestKnownAxes:
    def test_a_rectangle_has_its_ridge_and_four_branches_to_the_very_corners(self):
        found = skeleton(Polygon([(0, 0), (40, 0), (40, 20), (0, 20)]))
        assert found.length() == pytest.approx(20 + 4 * np.hypot(10, 10))
        tips = {tuple(np.round(line[end, :2], 6)) for line in found.strokes() for end in (0, -1) if line[end, 2] < 1e-6}
        assert tips == {(0, 0), (40, 0), (40, 20), (0, 20)}

    def test_a_flattened_circle_is_one_spot(self):
        found = skeleton(Polygon(ring(10, 10, 300)), residual_mm=0.01)
        assert found.strokes() == []
        assert found.spots == pytest.approx(np.array([[0, 0, 10 * np.cos(np.pi / 300)]]), abs=1e-3)

    def test_an_ellipse_ends_where_its_curvature_says(self):
        """The axis of an ellipse runs between (a^2 - b^2) / a either side, its clearance there the least radius of curvature, b^2 / a."""
        found = skeleton(Polygon(ring(20, 10, 6000)), residual_mm=0.002, chord_tolerance_mm=0.0005)
        assert found.length() == pytest.approx(2 * (400 - 100) / 20, abs=0.6)
        assert found.points[:, 2].max() == pytest.approx(10, abs=1e-3)
        assert found.points[0, 2] == pytest.approx(100 / 20, abs=0.2)

    def test_a_stadium_keeps_its_straight_and_no_branch_round_its_ends(self):
        half = np.linspace(-np.pi / 2, np.pi / 2, 120)
        right = np.column_stack((30 + 5 * np.cos(half), 5 * np.sin(half)))
        left = np.column_stack((-5 * np.cos(half), -5 * np.sin(half)))
        found = skeleton(Polygon(np.vstack((right, left))))
        assert found.length() == pytest.approx(30, abs=0.05)
        assert np.ptp(found.points[:, 2]) < 0.002

    def test_a_ring_is_one_closed_stroke_half_way(self):
        found = skeleton(Polygon(ring(20, 20, 800), [ring(15, 15, 800)[::-1]]))
        (line,) = found.strokes()
        assert np.allclose(line[0], line[-1])
        assert found.length() == pytest.approx(2 * np.pi * 17.5, rel=1e-4)

    @pytest.mark.parametrize("residual", [0.0, -1.0])
    def test_a_residual_that_leaves_nothing_out_is_refused(self, residual):
        with pytest.raises(ValueError, match="above zero"):
            skeleton(Polygon([(0, 0), (1, 0), (0, 1)]), residual_mm=residual)

    def test_an_empty_region_has_none(self):
        assert skeleton_of(Clearance(Polygon()), **FINE).strokes() == []


@st.composite
def polygons(draw) -> Polygon:
    """Star-shaped outlines with straight and curved stretches, now and then with a hole."""
    count = draw(st.integers(3, 14))
    radii = draw(st.lists(st.floats(4, 20), min_size=count, max_size=count))
    a = np.arange(count) * 2 * np.pi / count
    outer = Polygon(np.column_stack((np.array(radii) * np.cos(a), np.array(radii) * np.sin(a))))
    if draw(st.booleans()):
        outer = outer.buffer(draw(st.floats(0.2, 2.0)), quad_segs=40)
    if draw(st.booleans()):
        outer = outer.difference(shapely.Point(0.3, 0.2).buffer(draw(st.floats(0.3, 1.4)), quad_segs=30))
    return outer


class TestAnyOutline:
    @given(polygons())
    @settings(max_examples=60, deadline=None)
    def test_clearance_is_the_distance_to_the_outline_at_points_and_between_them(self, polygon):
        found = skeleton(polygon)
        if len(found.points):
            assert np.abs(distances(polygon, found.points) - found.points[:, 2]).max() < 3e-4  # the grid
        for line in found.strokes():
            middle = (line[:-1] + line[1:]) / 2
            over = middle[:, 2] - distances(polygon, middle)
            assert over.max() < 0.001 + 3e-4

    @given(polygons())
    @settings(max_examples=40, deadline=None)
    def test_the_discs_of_the_axis_cover_all_but_the_residual(self, polygon):
        """What is carved is the union of the discs: an area shrunk by the residual lies within it."""
        found = skeleton(polygon, residual_mm=0.02)
        discs = [shapely.Point(x, y).buffer(r + 0.03, quad_segs=24) for x, y, r in found.spots]
        for line in found.strokes():
            for a, b in zip(line[:-1], line[1:], strict=True):
                steps = max(2, int(np.hypot(*(b - a)[:2]) / 0.15) + 1)
                for t in np.linspace(0, 1, steps):
                    x, y, r = a + t * (b - a)
                    discs.append(shapely.Point(x, y).buffer(r + 0.03, quad_segs=24))
        missed = polygon.buffer(-0.03).difference(shapely.union_all(discs))
        assert missed.area < 1e-3 * polygon.area

    @given(polygons(), st.floats(0, 360), st.floats(-300, 300))
    @settings(max_examples=30, deadline=None)
    def test_turned_and_moved_it_is_as_long(self, polygon, turn, shift):
        moved = shapely.affinity.translate(shapely.affinity.rotate(polygon, turn, origin=(0, 0)), shift, -shift)
        a, b = skeleton(polygon, residual_mm=0.05), skeleton(moved, residual_mm=0.05)
        assert b.length() == pytest.approx(a.length(), rel=0.02, abs=0.6)

    @given(polygons(), st.integers(1, 50))
    @settings(max_examples=30, deadline=None)
    def test_wherever_its_ring_begins_it_is_the_same(self, polygon, start):
        coords = shapely.get_coordinates(polygon.exterior)[:-1]
        rolled = Polygon(np.roll(coords, start % len(coords), axis=0), [list(h.coords) for h in polygon.interiors])
        assert skeleton(rolled).length() == pytest.approx(skeleton(polygon).length(), abs=0.02)


class TestCutting:
    def test_between_two_clearances_lie_only_those(self):
        found = skeleton(Polygon([(0, 0), (40, 0), (40, 20), (0, 20)])).between(2.0, 7.0)
        assert found.points[:, 2].min() == pytest.approx(2.0)
        assert found.points[:, 2].max() == pytest.approx(7.0)
        assert found.length() == pytest.approx(4 * 5 * np.sqrt(2))

    def test_at_a_level_a_stroke_meets_the_offset_s_corner(self):
        star = Polygon(
            [(0, 30), (7, 9), (28, 9), (11, -4), (17, -25), (0, -12), (-17, -25), (-11, -4), (-28, 9), (-7, 9)]
        )
        clearance = Clearance(as_region(star))
        strokes = skeleton_of(clearance, **FINE, level=3.0).between(0.0, 3.0).strokes()
        ends = np.array([line[end, :2] for line in strokes for end in (0, -1) if abs(line[end, 2] - 3.0) < 1e-6])
        corners = np.vstack([path.nodes for path in clearance.offsets(3.0)])
        gaps = np.hypot(*(ends[:, None] - corners[None]).transpose(2, 0, 1)).min(axis=1)
        assert len(ends) >= 5
        assert gaps.max() < 1e-6

    def test_simplified_it_strays_no_farther_than_asked(self):
        whole = skeleton(Polygon(ring(20, 10, 3000)), residual_mm=0.01)
        less = whole.simplified(0.005)
        assert len(less.points) < len(whole.points) / 3
        line = shapely.linestrings(less.strokes()[0][:, :2])
        assert shapely.distance(line, shapely.points(whole.points[:, :2])).max() <= 0.005

    def test_a_point_is_put_where_a_level_is_passed(self):
        found = skeleton(Polygon([(0, 0), (40, 0), (40, 20), (0, 20)])).with_level(4.0)
        assert (np.abs(found.points[:, 2] - 4.0) < 1e-9).sum() == 4


class TestPieces:
    def test_a_set_answers_as_one_clearance_of_the_whole_would(self):
        region = as_region(shapely.union_all([shapely.box(0, 0, 30, 20), shapely.box(50, 3, 61, 40)]))
        whole, pieces = Clearance(region), ClearanceSet(region)
        for level in (1.0, 4.0, 5.4, 8.0):
            mine = sorted(round(path.length(), 6) for path in pieces.offsets(level))
            assert mine == sorted(round(path.length(), 6) for path in whole.offsets(level))
        for p, q in (((2, 2), (28, 18)), ((10, 10), (55, 10)), ((55, 10), (55, 35))):
            p, q = np.array(p, dtype=float), np.array(q, dtype=float)
            assert pieces.gap(p, q, limit=9.0) == pytest.approx(whole.gap(p, q, limit=9.0), abs=1e-3)
        assert pieces.deepest().clearance == pytest.approx(10.0)
        assert pieces.deepest(shapely.box(45, 0, 70, 50)).clearance == pytest.approx(5.5)
        assert len(pieces.axis().a) == len(whole.axis().a)

    def test_a_moved_piece_needs_no_new_diagram_and_answers_where_it_lies(self):
        outline = Polygon([(0, 30), (7, 9), (28, 9), (11, -4), (17, -25), (0, -12)])
        here, there = ClearanceSet(outline), ClearanceSet(shapely.affinity.translate(outline, 123.456789, -77.1))
        assert here.pieces[0].clearance is there.pieces[0].clearance
        a, b = here.deepest(), there.deepest()
        assert b.at == pytest.approx((a.at[0] + 123.456789, a.at[1] - 77.1))
        assert b.clearance == a.clearance
