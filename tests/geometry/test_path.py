"""Paths measure what the shape they stand for measures, and every way of changing one keeps that."""

from __future__ import annotations

from math import hypot, isclose, pi

import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st

from archimetra.geometry.affine import Affine
from archimetra.geometry.path import Path, bounds_of
from archimetra.geometry.segments import Kind
from shapes import blob, mixed_paths, star


def dense_length(path: Path) -> float:
    flat = path.flatten(1e-3)
    return float(np.hypot(*np.diff(flat, axis=0).T).sum())


class TestKnownShapes:
    def test_a_circle_has_the_area_and_length_of_a_circle(self):
        circle = Path.circle((3, 4), 5)
        assert circle.length() == pytest.approx(10 * pi, abs=1e-12)
        assert circle.area() == pytest.approx(25 * pi, abs=1e-12)
        assert circle.bounds() == pytest.approx((-2, -1, 8, 9))

    def test_a_rectangle_drawn_clockwise_has_negative_area(self):
        rectangle = Path.rectangle(0, 0, 20, 30)
        assert rectangle.area() == 600
        assert rectangle.reverse().area() == -600

    def test_an_ellipse_from_a_circle_has_area_pi_a_b(self):
        ellipse = Path.circle((0, 0), 1).transform(Affine.scale(20, 10))
        assert ellipse.area() == pytest.approx(200 * pi, rel=1e-6)
        assert (ellipse.kinds == Kind.CUBIC).all()

    def test_the_bounds_of_a_cubic_include_its_bulge(self):
        arch = Path(np.array([[0.0, 0], [10, 0]]), np.array([2], np.uint8), np.array([[0.0, 8, 10, 8]]), closed=False)
        assert arch.bounds() == pytest.approx((0, 0, 10, 6))  # 3/4 of the control height

    def test_the_nearest_point_of_a_circle_lies_towards_the_asker(self):
        along, gap = Path.circle((0, 0), 10).nearest((0, 25))
        assert gap == pytest.approx(15)
        assert along == pytest.approx(5 * pi)

    def test_broken_arrays_are_refused(self):
        with pytest.raises(ValueError, match="finite"):
            Path.polyline([(0, 0), (float("nan"), 1)], closed=False)
        with pytest.raises(ValueError, match="ends on its first node"):
            Path(np.array([[0.0, 0], [1, 0]]), np.zeros(1, np.uint8), np.zeros((1, 4)), closed=True)
        with pytest.raises(ValueError, match="read-only"):
            Path.rectangle(0, 0, 1, 1).nodes[0, 0] = 5


class TestProperties:
    @given(mixed_paths())
    def test_length_agrees_with_a_dense_polyline(self, path):
        assert path.length() == pytest.approx(dense_length(path), rel=1e-3, abs=1e-2)

    @given(mixed_paths())
    def test_area_agrees_with_a_dense_polygon(self, path):
        flat = path.flatten(1e-3)
        ring = flat if path.closed else np.vstack((flat, flat[:1]))
        p, q = ring[:-1], ring[1:]
        polygon = float((p[:, 0] * q[:, 1] - q[:, 0] * p[:, 1]).sum() / 2)
        assert path.area() == pytest.approx(polygon, abs=1e-3 * path.length() + 1e-3)

    @given(mixed_paths(), st.floats(0.001, 1.0))
    def test_flattening_stays_within_its_tolerance(self, path, tolerance):
        coarse = shapely.linestrings(path.flatten(tolerance))
        fine = path.flatten(2e-3)
        assert shapely.distance(coarse, shapely.points(fine)).max() <= tolerance * 1.001 + 1e-6

    @given(mixed_paths())
    def test_bounds_hold_every_point_and_are_touched_by_some(self, path):
        x0, y0, x1, y1 = path.bounds()
        flat = path.flatten(2e-3)
        assert flat.min(axis=0) == pytest.approx((x0, y0), abs=4e-3)
        assert flat.max(axis=0) == pytest.approx((x1, y1), abs=4e-3)

    @given(mixed_paths())
    def test_reversing_keeps_length_and_flips_area(self, path):
        back = path.reverse()
        assert back.length() == pytest.approx(path.length())
        assert back.area() == pytest.approx(-path.area(), abs=1e-6)
        assert back.reverse() == path

    @given(mixed_paths(), st.floats(-360, 360), st.booleans(), st.floats(0.1, 10))
    def test_similarities_scale_length_and_area_exactly(self, path, degrees, mirrored, size):
        m = Affine.turn(degrees).then(Affine.scale(-size if mirrored else size, size)).then(Affine.shift(5, -7))
        moved = path.transform(m)
        assert m.is_similarity
        assert moved.length() == pytest.approx(path.length() * size)
        assert moved.area() == pytest.approx(path.area() * m.determinant, rel=1e-6, abs=1e-6)
        assert (moved.kinds == path.kinds).all()

    @given(mixed_paths(), st.floats(0.2, 3), st.floats(0.2, 3))
    def test_uneven_scaling_keeps_area_times_determinant(self, path, sx, sy):
        scaled = path.transform(Affine.scale(sx, sy))
        assert scaled.area() == pytest.approx(path.area() * sx * sy, rel=1e-5, abs=1e-2)

    @given(mixed_paths(), st.lists(st.floats(0, 1), min_size=1, max_size=4))
    def test_pieces_of_a_split_add_up_and_meet(self, path, shares):
        pieces = path.split([share * path.length() for share in shares])
        assert sum(piece.length() for piece in pieces) == pytest.approx(path.length(), rel=1e-5, abs=1e-5)  # cusps
        for before, after in zip(pieces[:-1], pieces[1:], strict=True):
            assert hypot(*(before.nodes[-1] - after.nodes[0])) < 1e-6

    @given(mixed_paths(), st.floats(0, 1))
    def test_the_nearest_of_a_point_on_the_path_is_itself(self, path, share):
        at = share * path.length()
        point = path.point_at(at)
        along, gap = path.nearest((float(point[0]), float(point[1])))
        assert gap < 1e-5
        assert np.hypot(*(path.point_at(along) - point)) < 1e-4

    @given(mixed_paths(), st.floats(0.02, 0.98))
    def test_the_direction_is_that_of_a_small_step(self, path, share):
        total = path.length()
        at = share * total
        ends = np.cumsum(path.segment_lengths())
        if np.abs(ends - at).min() < 0.01 * total or total < 1:
            return
        step = path.point_at(at + 1e-4) - path.point_at(at - 1e-4)
        if np.hypot(*step) < 1e-4:  # a cusp
            return
        assert path.direction_at(at) @ step / np.hypot(*step) > 0.99


class TestAwkwardSegments:
    @given(st.floats(1e-320, 1e-11), st.sampled_from([-1, 1]))
    def test_an_arc_as_flat_as_a_line_is_a_line(self, bulge, sign):
        path = Path.arcs(np.array([(0.0, 0.0), (30.0, 40.0)]), np.array([sign * bulge]), closed=False)
        assert path.length() == pytest.approx(50)
        assert path.bounds() == pytest.approx((0, 0, 30, 40))
        assert len(path.flatten()) == 2

    def test_a_curve_that_turns_back_on_itself_has_its_true_length(self):
        # y runs up to a stop and back: B(t) = 3 t (1 - t) h, so up to 0.75 h and down again
        control = np.array([(0.0, 100.0, 0.0, 100.0)])
        path = Path(np.zeros((2, 2)), np.array([2], np.uint8), control, closed=True)
        assert path.length() == pytest.approx(2 * 75, rel=1e-9)
        assert [piece.length() for piece in path.split([30, 100])] == pytest.approx([70, 80], rel=1e-7)

    def test_a_cusp_has_its_true_length(self):
        # control points in a cross: x = 100 (3 t - 6 t^2 + 4 t^3), y = 300 t (1 - t); both speeds vanish at t = 1/2
        p = np.array([(0.0, 0.0), (100.0, 100.0), (0.0, 100.0), (100.0, 0.0)])
        path = Path(p[[0, 3]], np.array([2], np.uint8), p[1:3].reshape(1, 4), closed=False)
        fine = Path.polyline(path.flatten(1e-9), closed=False).length()
        assert path.length() == pytest.approx(fine, abs=1e-6)


class TestRestarting:
    @given(st.floats(0, 1))
    def test_another_start_changes_nothing_else(self, share):
        path = blob(3)
        moved = path.start_at(share * path.length())
        assert moved.length() == pytest.approx(path.length())
        assert moved.area() == pytest.approx(path.area())
        assert moved.closed
        assert isclose(np.hypot(*(moved.nodes[0] - path.point_at(share * path.length()))), 0, abs_tol=1e-6)


def test_bounds_of_several_paths_are_the_outermost():
    assert bounds_of([Path.circle((0, 0), 1), Path.circle((10, 5), 2)]) == pytest.approx((-1, -1, 12, 7))
    assert bounds_of([]) is None


def test_equal_content_is_equal_and_hashes_alike():
    assert star() == star()
    assert hash(star()) == hash(star())
    assert star() != star(6)
