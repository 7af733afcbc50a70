"""Many segments at once give what each gives alone, and what dense sampling finds."""

from __future__ import annotations

from math import atan, cos, hypot, pi, sin, tan

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from archimetra.geometry.affine import IDENTITY, Affine
from archimetra.geometry.cubic import CubicLengths, cubic_derivative, cubic_lengths, cubic_nearest, cubic_points
from archimetra.geometry.path import Path, bounds_of, flatten_together
from archimetra.geometry.segments import Kind, Segments, arcs_of, boxes, flattened, lengths
from shapes import blob, mixed_paths, points, star

numbers = st.floats(-100, 100, allow_nan=False, allow_subnormal=False)


def sampled(path: Path, i: int, count: int = 4001) -> np.ndarray:
    """Segment ``i`` of a path at many parameters, by textbook formulas of its own."""
    p, q = path.nodes[i], path.nodes[i + 1]
    t = np.linspace(0, 1, count)[:, None]
    if path.kinds[i] == Kind.LINE:
        return p + (q - p) * t
    if path.kinds[i] == Kind.ARC:
        sweep = 4 * atan(path.params[i, 0])
        chord = q - p
        height = hypot(*chord) / 2 / tan(sweep / 2)
        normal = np.array([-chord[1], chord[0]]) / hypot(*chord)
        centre = (p + q) / 2 + normal * height
        a = np.arctan2(*(p - centre)[::-1]) + sweep * t[:, 0]
        return centre + hypot(*(p - centre)) * np.column_stack((np.cos(a), np.sin(a)))
    c1, c2 = path.params[i, :2], path.params[i, 2:]
    return (1 - t) ** 3 * p + 3 * (1 - t) ** 2 * t * c1 + 3 * (1 - t) * t**2 * c2 + t**3 * q


def usable(path: Path) -> bool:
    """Paths whose arcs have a chord worth the name."""
    chords = np.hypot(*np.diff(path.nodes, axis=0).T)
    return bool(((path.kinds != Kind.ARC) | (chords > 1e-3)).all())


class TestBoxes:
    @given(mixed_paths())
    def test_every_box_is_that_of_dense_samples(self, path):
        if not usable(path):
            return
        found = boxes(path.segments)
        for i in range(len(path)):
            dense = sampled(path, i)
            around = np.concatenate((dense.min(axis=0), dense.max(axis=0)))
            slack = 1e-4 * (1 + np.abs(around).max())
            assert (found[i, :2] <= around[:2] + 1e-9).all()
            assert (found[i, 2:] >= around[2:] - 1e-9).all()
            assert np.abs(found[i] - around).max() < slack

    @given(st.lists(mixed_paths(), min_size=9, max_size=14))
    def test_many_paths_together_give_the_box_of_each(self, paths):
        fresh = [Path(p.nodes, p.kinds, p.params, closed=p.closed) for p in paths]
        whole = bounds_of(fresh)  # more than eight: found in one go
        alone = np.array([p.bounds() for p in paths])
        assert [p.bounds() for p in fresh] == [tuple(row) for row in alone.tolist()]
        assert whole == (*alone[:, :2].min(axis=0), *alone[:, 2:].max(axis=0))

    def test_a_full_circle_reaches_its_four_quarter_points(self):
        for start in np.linspace(0, 2 * pi, 23):
            a = np.array([cos(start), sin(start)]) * 7
            circle = Path.arcs(np.array([a, -a, a]), np.ones(2), closed=True)
            assert circle.bounds() == pytest.approx((-7, -7, 7, 7), abs=1e-9)


class TestFlattening:
    @given(mixed_paths(), st.sampled_from([0.5, 0.05, 0.005]))
    def test_chords_stay_within_the_tolerance_and_nodes_to_the_bit(self, path, tolerance):
        if not usable(path):
            return
        points, counts = flattened(path.segments, tolerance)
        assert len(points) == counts.sum()
        assert np.array_equal(points[np.cumsum(counts) - 1], path.nodes[1:])
        begin = 0
        for i, count in enumerate(counts):
            line = np.vstack((path.nodes[i], points[begin : begin + count]))
            begin += count
            dense = sampled(path, i, 301)
            a, d = line[:-1], np.diff(line, axis=0)
            size = np.maximum((d * d).sum(axis=1), 1e-30)
            t = np.clip(((dense[:, None] - a) * d).sum(axis=2) / size, 0, 1)
            gaps = np.linalg.norm(dense[:, None] - a - t[..., None] * d, axis=2).min(axis=1)
            assert gaps.max() <= tolerance * 1.0001 + 1e-9

    @given(st.lists(mixed_paths(), min_size=1, max_size=6))
    def test_together_is_the_same_as_one_by_one(self, paths):
        copies = [Path(p.nodes, p.kinds, p.params, closed=p.closed) for p in paths]
        flatten_together(copies, 0.05)
        for copy, path in zip(copies, paths, strict=True):
            assert np.array_equal(copy.flatten(0.05), path.flatten(0.05))

    def test_straight_paths_are_their_own_nodes(self):
        path = star()
        assert path.flatten(0.01) is path.nodes

    def test_no_segments_no_points(self):
        none = Segments(np.zeros((0, 2)), np.zeros((0, 2)), np.zeros(0, np.uint8), np.zeros((0, 4)))
        found, counts = flattened(none, 0.1)
        assert found.shape == (0, 2)
        assert len(counts) == len(lengths(none)) == len(boxes(none)) == 0


class TestLengths:
    @given(mixed_paths())
    def test_lengths_are_those_of_dense_chords(self, path):
        if not usable(path):
            return
        found = lengths(path.segments)
        for i in range(len(path)):
            dense = sampled(path, i, 20_001)
            chords = np.hypot(*np.diff(dense, axis=0).T).sum()
            assert found[i] == pytest.approx(chords, rel=2e-5, abs=1e-6)

    @given(st.lists(st.tuples(points, points, points, points), min_size=1, max_size=5))
    def test_many_curves_have_the_length_each_has_alone(self, controls):
        p = np.array(controls)
        assert cubic_lengths(p) == pytest.approx([CubicLengths(one).total for one in p], rel=1e-7, abs=1e-9)

    @given(st.tuples(points, points, points, points), st.floats(0, 1))
    def test_length_and_parameter_undo_each_other(self, controls, share):
        curve = CubicLengths(np.array(controls))
        t = curve.parameter_at(share * curve.total)
        assert 0 <= t <= 1
        assert curve.to(t) == pytest.approx(share * curve.total, rel=1e-6, abs=1e-6)


class TestCurves:
    @given(st.tuples(points, points, points, points), points)
    def test_the_nearest_point_is_nearer_than_any_sample(self, controls, q):
        p = np.array(controls)
        t = cubic_nearest(p, np.array(q))
        best = np.hypot(*(cubic_points(p, np.array([t]))[0] - q))
        dense = cubic_points(p, np.linspace(0, 1, 2001))
        assert best <= np.hypot(*(dense - q).T).min() + 1e-6

    @given(st.tuples(points, points, points, points), st.floats(0.01, 0.99))
    def test_the_derivative_is_that_of_small_steps(self, controls, t):
        p = np.array(controls)
        h = 1e-6
        step = (cubic_points(p, np.array([t + h])) - cubic_points(p, np.array([t - h]))) / (2 * h)
        assert cubic_derivative(p, np.array([t])) == pytest.approx(step, rel=1e-4, abs=1e-3)

    def test_arcs_know_their_centre_and_sweep(self):
        quarter = arcs_of(np.array([[10.0, 0.0]]), np.array([[0.0, 10.0]]), np.array([tan(pi / 8)]))
        assert quarter.centre[0] == pytest.approx((0, 0), abs=1e-9)
        assert (quarter.radius[0], quarter.start[0], quarter.sweep[0]) == pytest.approx((10, 0, pi / 2))


class TestMaps:
    maps = st.builds(Affine, *[st.floats(-3, 3, allow_subnormal=False)] * 4, numbers, numbers)

    @given(maps, maps, points)
    def test_then_is_one_after_the_other(self, first, second, xy):
        x, y = second.point(*first.point(*xy))
        assert first.then(second).point(*xy) == pytest.approx((x, y), rel=1e-9, abs=1e-6)

    @given(maps, points)
    def test_the_inverse_leads_back(self, m, xy):
        if abs(m.determinant) < 1e-2:
            return
        assert m.inverse().point(*m.point(*xy)) == pytest.approx(xy, abs=1e-6)

    @given(st.sampled_from([0, 90, 180, 270, 360, -90]), points)
    def test_quarter_turns_are_exact_and_keep_boxes(self, degrees, xy):
        turned = Affine.turn(degrees)
        assert turned.keeps_boxes
        assert {abs(v) for v in turned.point(*xy)} == {abs(v) for v in xy}
        back = turned
        for _ in range(3):
            back = back.then(turned)
        assert back.point(*xy) == xy

    def test_what_is_similar_and_what_is_not(self):
        assert Affine.turn(31).then(Affine.scale(2.5)).is_similarity
        assert Affine.scale(-2, 2).is_similarity
        assert not Affine.scale(2, 2.1).is_similarity
        assert IDENTITY.keeps_boxes
        assert not Affine.turn(45).keeps_boxes

    @given(st.integers(0, 5), st.floats(0.2, 4), st.booleans())
    def test_mirrored_and_scaled_arcs_stay_arcs_with_the_right_area(self, seed, scale, mirror):
        path = Path.circle((3, 4), 5)
        mapped = path.transform(Affine.scale(-scale if mirror else scale, scale).then(Affine.turn(17 * seed)))
        assert set(mapped.kinds) == {Kind.ARC}
        assert mapped.area() == pytest.approx((-1 if mirror else 1) * pi * 25 * scale**2)

    def test_pieces_that_travel_come_back_equal(self):
        import pickle

        for path in (blob(2), star(), Path.circle((1, 2), 3), Path.polyline([(0, 0), (5, 5)], closed=False)):
            path.bounds()
            again = pickle.loads(pickle.dumps(path))
            assert again == path
            assert again.closed == path.closed
            assert again.bounds() == path.bounds()
            assert not again.nodes.flags.writeable
