"""Nodes edited one at a time leave the rest alone; loose pieces join; cubics that are arcs become arcs; faces of nets."""

from __future__ import annotations

from math import hypot, pi

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from archimetra.geometry import nodes as edit
from archimetra.geometry.affine import Affine
from archimetra.geometry.faces import faces, walked
from archimetra.geometry.figures import arc_through, without_empty
from archimetra.geometry.joining import join
from archimetra.geometry.path import Path, lengths_of, transform_together
from archimetra.geometry.pieces import pieces_of, taken
from archimetra.geometry.refit import deviation
from archimetra.geometry.roundness import with_arcs
from archimetra.geometry.segments import Kind
from shapes import blob, mixed_paths, star


class TestNodes:
    @settings(max_examples=60, deadline=None)
    @given(path=mixed_paths(), t=st.floats(0.05, 0.95), data=st.data())
    def test_adding_a_node_changes_nothing_but_their_number(self, path, t, data):
        segment = data.draw(st.integers(0, len(path) - 1))
        more = edit.add_node(path, segment, t)
        assert len(more) == len(path) + 1
        assert more.closed == path.closed
        assert more.length() == pytest.approx(path.length(), rel=1e-6)
        assert more.area() == pytest.approx(path.area(), rel=1e-6, abs=1e-6)

    @settings(max_examples=40, deadline=None)
    @given(path=mixed_paths(), data=st.data())
    def test_moving_a_node_there_and_back_is_nothing(self, path, data):
        node = data.draw(st.integers(0, edit.node_count(path) - 1))
        there = edit.move_nodes(path, [node], 3.0, -2.0)
        assert np.allclose(there.nodes[node], path.nodes[node] + (3, -2))
        back = edit.move_nodes(there, [node], -3.0, 2.0)
        assert np.allclose(back.nodes, path.nodes)
        assert np.allclose(back.params, path.params)

    def test_a_node_added_and_deleted_leaves_a_straight_line_as_it_was(self):
        box = Path.rectangle(0, 0, 10, 10)
        for node in range(5):
            more = edit.add_node(box, min(node, 3), 0.4)
            left = edit.delete_nodes(more, [min(node, 3) + 1])
            assert abs(left.area()) == 100
            assert len(left) == 4

    def test_deleting_the_first_node_and_too_many(self):
        left = edit.delete_nodes(Path.rectangle(0, 0, 10, 10), [0])
        assert abs(left.area()) == 50
        assert left.closed
        assert edit.delete_nodes(Path.rectangle(0, 0, 10, 10), [0, 1, 2]) is None
        line = Path.polyline([(0, 0), (5, 0), (9, 0)], closed=False)
        assert edit.delete_nodes(line, [2]).nodes.tolist() == [[0, 0], [5, 0]]

    def test_deleting_a_node_of_a_curve_keeps_its_run(self):
        curve = blob(1)
        more = edit.add_node(curve, 2, 0.5)
        left = edit.delete_nodes(more, [3])
        assert len(left) == len(curve)
        assert deviation([left], [curve]) < 0.6

    def test_straight_curved_smooth_and_sharp(self):
        box = Path.rectangle(0, 0, 10, 10)
        curved = edit.curves(box, [0, 1])
        assert (curved.kinds[:2] == Kind.CUBIC).all()
        assert curved.area() == pytest.approx(100)
        assert not edit.is_smooth(box, 1)
        smooth = edit.smooth(box, [1])
        assert edit.is_smooth(smooth, 1)
        assert smooth.area() != pytest.approx(100)
        assert not edit.is_smooth(edit.sharp(smooth, [1]), 1)
        assert (edit.lines(smooth, range(4)).kinds == Kind.LINE).all()
        quarter = edit.curves(Path.circle((0, 0), 10), [0, 1])
        assert (quarter.kinds == Kind.CUBIC).all()

    def test_a_handle_takes_its_opposite_along_where_smooth(self):
        smooth = edit.smooth(Path.rectangle(0, 0, 10, 10), [1])
        moved = edit.move_handle(smooth, 1, False, (15.0, 1.0), keeps_smooth=True)
        assert edit.is_smooth(moved, 1)
        broken = edit.move_handle(smooth, 1, False, (15.0, 1.0), keeps_smooth=False)
        assert not edit.is_smooth(broken, 1)

    @settings(max_examples=40, deadline=None)
    @given(path=mixed_paths(), data=st.data())
    def test_broken_apart_the_pieces_are_the_whole(self, path, data):
        which = data.draw(st.sets(st.integers(0, edit.node_count(path) - 1), max_size=4))
        parts = edit.broken(path, which)
        assert lengths_of(parts).sum() == pytest.approx(path.length(), rel=1e-9)
        if which and path.closed:
            assert len(parts) == len(which)
            assert not any(part.closed for part in parts)

    def test_ends_joined_every_way_round(self):
        a = Path.polyline([(0, 0), (5, 0)], closed=False)
        b = Path.polyline([(8, 0), (8, 4)], closed=False)
        for a_end in (True, False):
            for b_begin in (True, False):
                joined = edit.joined_ends(a, a_end, b, b_begin)
                gap = hypot(*(a.nodes[-1 if a_end else 0] - b.nodes[0 if b_begin else -1]))
                assert joined.length() == pytest.approx(9 + gap)
        ring = Path.polyline([(0, 0), (5, 0), (5, 5)], closed=False)
        assert edit.joined_ends(ring, True, ring, True).closed


class TestTogether:
    @settings(max_examples=40, deadline=None)
    @given(
        paths=st.lists(mixed_paths(), min_size=1, max_size=5),
        angle=st.floats(-400, 400), scale=st.floats(0.1, 4), flip=st.booleans(), squeeze=st.booleans(),
    )  # fmt: skip
    def test_mapped_in_one_go_as_one_by_one(self, paths, angle, scale, flip, squeeze):
        m = Affine.scale(-scale if flip else scale, 2 * scale if squeeze else scale).then(Affine.turn(angle))
        for one, many in zip([p.transform(m) for p in paths], transform_together(paths, m), strict=True):
            assert one.closed == many.closed
            assert np.allclose(one.nodes, many.nodes)
            assert np.allclose(one.params, many.params)
        assert lengths_of(paths) == pytest.approx([p.length() for p in paths])

    @settings(max_examples=40, deadline=None)
    @given(paths=st.lists(mixed_paths(), min_size=1, max_size=5), seed=st.integers(0, 99))
    def test_pieces_taken_in_another_order_and_backwards(self, paths, seed):
        rng = np.random.default_rng(seed)
        open_ones = [Path(p.nodes, p.kinds, p.params, closed=False) for p in paths]
        order = rng.permutation(len(paths))
        back = rng.random(len(paths)) < 0.5
        got = taken(pieces_of(open_ones), order, back)
        for k, n in enumerate(order):
            expected = open_ones[n].reverse() if back[k] else open_ones[n]
            assert got.path(k) == expected


class TestJoining:
    def test_growth_is_gentle_and_the_result_the_same_in_any_order(self):
        boxes = [Path.rectangle(12 * (k % 20), 12 * (k // 20), 10, 10) for k in range(400)]
        lines = [
            Path.polyline([p, q], closed=False) for b in boxes for p, q in zip(b.nodes[:-1], b.nodes[1:], strict=True)
        ]
        rng = np.random.default_rng(5)
        for _ in range(3):
            shuffled = [lines[k] for k in rng.permutation(len(lines))]
            found = join(pieces_of(shuffled), tolerance_mm=0.05)
            assert len(found.chains) == 400
            assert all(abs(abs(path.area()) - 100) < 1e-9 for path in found.chains)

    def test_a_speck_is_not_made_a_ring(self):
        speck = Path.polyline([(0, 0), (0.03, 0), (0.03, 0.03)], closed=False)
        assert not join(pieces_of([speck]), tolerance_mm=0.05).chains[0].closed

    def test_an_arc_keeps_its_curve_when_its_end_is_moved(self):
        arc = Path.arcs(np.array([(10.0, 0.0), (0.0, 10.0)]), np.array([np.tan(pi / 8)]), closed=False)
        line = Path.polyline([(0, 10.03), (0, 0)], closed=False)
        chain = join(pieces_of([arc, line]), tolerance_mm=0.05).chains[0]
        assert len(chain) == 2
        assert deviation([chain], [arc, line]) < 0.031


class TestFaces:
    def test_a_net_gives_its_cells(self):
        across = [
            Path.polyline([(10 * i, 10 * j), (10 * i + 10, 10 * j)], closed=False) for j in range(3) for i in range(2)
        ]
        up = [
            Path.polyline([(10 * i, 10 * j), (10 * i, 10 * j + 10)], closed=False) for i in range(3) for j in range(2)
        ]
        lines = across + up
        names: dict[tuple[float, float], int] = {}
        joints = [
            tuple(names.setdefault(tuple(p), len(names)) for p in (line.nodes[0], line.nodes[-1])) for line in lines
        ]
        ways = faces(lines, joints)
        assert sorted(walked(lines, way).area() for way in ways) == pytest.approx([100] * 4)

    def test_curved_edges_and_dead_ends(self):
        arc = Path.arcs(np.array([(0.0, 0.0), (10.0, 0.0)]), np.array([1.0]), closed=False)
        chord = Path.polyline([(10, 0), (0, 0)], closed=False)
        stub = Path.polyline([(10, 0), (15, 0)], closed=False)
        ways = faces([arc, chord, stub], [(0, 1), (1, 0), (1, 2)])
        assert [walked([arc, chord, stub], way).area() for way in ways] == pytest.approx([12.5 * pi])


class TestArcsFound:
    @settings(max_examples=40, deadline=None)
    @given(r=st.floats(0.5, 300), turn=st.floats(0, 360), x=st.floats(-200, 200))
    def test_a_circle_of_four_cubics_is_a_circle(self, r, turn, x):
        ring = Path.arcs(
            np.array([(r, 0), (0, r), (-r, 0), (0, -r), (r, 0)]), np.full(4, np.tan(pi / 8)), closed=True
        ).transform(Affine.turn(turn).then(Affine.shift(x, 7)))
        cubics = edit.curves(ring, range(4))
        again = with_arcs(cubics)
        assert (again.kinds == Kind.ARC).all()
        assert again.area() == pytest.approx(pi * r * r, rel=1e-3)

    def test_curves_that_are_no_arcs_stay_exact(self):
        ellipse = Path.circle((0, 0), 10).transform(Affine.scale(2, 1))
        assert with_arcs(ellipse) is ellipse
        wave = Path(
            np.array([(0.0, 0.0), (30.0, 0.0)]), np.array([2], np.uint8), np.array([[10.0, 20, 20, -20]]), closed=False
        )
        assert with_arcs(wave) is wave

    def test_the_arc_through_three_points(self):
        for a, by, b in (((1, 0), (0, 1), (-1, 0)), ((1, 0), (0, -1), (-1, 0)), ((0, 0), (1, 0.2), (2, 0))):
            path = Path.arcs(np.array([a, b], dtype=float), np.array([arc_through(a, by, b)]), closed=False)
            assert path.nearest(by)[1] < 1e-9
        assert arc_through((0, 0), (1, 0), (2, 0)) == 0

    def test_empty_segments_are_left_out_and_loops_stay(self):
        path = Path.polyline([(0, 0), (0, 0), (5, 0), (5, 5)], closed=True)
        assert len(without_empty(path)) == 3
        loop = Path(np.zeros((2, 2)), np.array([2], np.uint8), np.array([[10.0, 10, -10, 10]]), closed=True)
        assert without_empty(loop) is loop
        whole = star()
        assert without_empty(whole) is whole
