"""Regions follow their fill rule, offsets keep their distance, and a wrong offset is caught."""

from __future__ import annotations

import time
from math import pi

import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st

from archimetra.geometry.arcfit import fit_arcs, to_arcs, without_repeats
from archimetra.geometry.distance import SegmentField
from archimetra.geometry.fill import FillRule
from archimetra.geometry.offset import check_offset, offset_region, quarter_segments, thinned
from archimetra.geometry.path import Path
from archimetra.geometry.region import (
    containment_tree,
    nested,
    nesting_depths,
    polygons_of,
    region_of,
    ring_area,
    ring_paths,
)
from archimetra.geometry.segments import Kind
from archimetra.geometry.thin_kernels import needed_points
from shapes import blob, convex_polygons, star


def square(x: float, y: float, size: float, *, clockwise: bool = False) -> Path:
    path = Path.rectangle(x, y, size, size)
    return path.reverse() if clockwise else path


class TestFillRules:
    def test_evenodd_makes_a_hole_of_an_inner_outline_whatever_its_direction(self):
        for clockwise in (False, True):
            region = region_of([square(0, 0, 30), square(10, 10, 10, clockwise=clockwise)], FillRule.EVENODD)
            assert region.area == pytest.approx(800)

    def test_nonzero_makes_a_hole_only_of_an_opposed_outline(self):
        same = region_of([square(0, 0, 30), square(10, 10, 10)], FillRule.NONZERO)
        opposed = region_of([square(0, 0, 30), square(10, 10, 10, clockwise=True)], FillRule.NONZERO)
        assert same.area == pytest.approx(900)
        assert opposed.area == pytest.approx(800)

    def test_a_bow_tie_keeps_both_wings(self):
        bow = Path.polyline([(0, 0), (10, 10), (10, 0), (0, 10)], closed=True)
        assert region_of([bow], FillRule.NONZERO).area == pytest.approx(50)
        assert region_of([bow], FillRule.EVENODD).area == pytest.approx(50)

    def test_a_pentagram_has_a_hole_only_under_evenodd(self):
        angles = np.arange(5) * 4 * pi / 5 + pi / 2
        pentagram = Path.polyline(np.column_stack((np.cos(angles), np.sin(angles))) * 10, closed=True)
        odd, full = (region_of([pentagram], rule).area for rule in (FillRule.EVENODD, FillRule.NONZERO))
        assert full > odd * 1.3

    @pytest.mark.parametrize("points", [[(0, 0), (5, 5)], [(1, 1), (1, 1), (1, 1)], [(0, 0), (5, 0), (9, 0)]])
    def test_outlines_without_area_fill_nothing(self, points):
        assert region_of([Path.polyline(points, closed=True)], FillRule.NONZERO).is_empty

    def test_separate_outlines_nest_as_drawn(self):
        parts = [region_of([square(10 * k, 10 * k, 60 - 20 * k)], FillRule.NONZERO) for k in range(3)]
        assert nested(parts[::-1]).area == pytest.approx(3600 - 1600 + 400)

    def test_overlapping_outlines_unite(self):
        parts = [region_of([square(x, 0, 10)], FillRule.NONZERO) for x in (0, 5)]
        assert nested(parts).area == pytest.approx(150)


class TestContainment:
    def test_the_parent_is_the_smallest_ring_around(self):
        rings = [square(5 * k, 5 * k, 60 - 10 * k).nodes for k in (2, 0, 1)] + [square(100, 0, 5).nodes]
        parent = containment_tree(rings)
        assert parent.tolist() == [2, -1, 1, -1]
        assert nesting_depths(parent).tolist() == [2, 0, 1, 0]

    def test_a_square_in_the_notch_of_an_l_is_not_inside_it(self):
        ell = Path.polyline([(0, 0), (30, 0), (30, 10), (10, 10), (10, 30), (0, 30)], closed=True)
        assert containment_tree([ell.nodes, square(15, 15, 10).nodes]).tolist() == [-1, -1]


class TestOffsets:
    @given(convex_polygons(), st.floats(0.5, 6))
    def test_growing_a_convex_part_adds_length_times_radius_and_a_disc(self, path, r):
        """Steiner's formula, which no buffer knows."""
        region = shapely.Polygon(path.nodes)
        grown = offset_region(region, r)
        assert grown.area == pytest.approx(
            region.area + path.length() * r + pi * r * r, abs=0.004 * (path.length() + 7 * r)
        )

    @given(st.integers(0, 60), st.floats(0.5, 5), st.booleans())
    def test_every_point_of_an_offset_keeps_the_distance(self, seed, r, outwards):
        outline = blob(seed).flatten(0.002)
        region = shapely.Polygon(outline)
        result = offset_region(region, r if outwards else -r)
        edge = shapely.linestrings(outline)
        for ring in ring_paths(result):
            gaps = shapely.distance(edge, shapely.points(ring))
            assert np.abs(gaps - r).max() < 0.004

    def test_a_part_narrower_than_the_bit_vanishes_inside(self):
        assert offset_region(shapely.box(0, 0, 50, 4), -2.1).is_empty

    @pytest.mark.parametrize("dense", [False, True])
    def test_a_shifted_a_lost_and_a_swollen_ring_are_all_noticed(self, dense):
        region = shapely.Polygon(blob(2).flatten(0.002 if dense else 0.05), [star(5, 8, 4).nodes])
        right = shapely.buffer(region, 2, quad_segs=40)
        assert check_offset(region, right, 2, tolerance_mm=0.01)
        shifted = shapely.transform(right, lambda xy: xy + np.array([0.05, 0]))
        lost = shapely.Polygon(right.exterior)
        for wrong in (shifted, lost, shapely.buffer(right, 0.03), shapely.MultiPolygon()):
            assert not check_offset(region, wrong, 2, tolerance_mm=0.01)

    def test_chords_keep_within_their_sagitta(self):
        for r in (0.5, 3, 40):
            n = quarter_segments(r, 0.002)
            assert r * (1 - np.cos(pi / 4 / n)) <= 0.002

    def test_thinning_moves_no_point_too_far(self):
        region = shapely.Polygon(blob(5).flatten(0.0005))
        thin = thinned(region, tolerance_mm=0.001)
        assert shapely.get_num_coordinates(thin) < shapely.get_num_coordinates(region) / 1.2
        assert shapely.hausdorff_distance(region, thin) <= 0.0011

    @given(st.lists(st.tuples(st.floats(-9, 9), st.floats(-9, 9)), min_size=2, max_size=40), st.floats(0.01, 3))
    def test_every_point_left_out_lies_near_the_chord_over_it(self, points, tolerance):
        line = np.array(points)
        keep = needed_points(line, tolerance)
        assert keep[0]
        assert keep[-1]
        ends = np.flatnonzero(keep)
        for a, b in zip(ends[:-1], ends[1:], strict=True):
            for k in range(a + 1, b):
                chord = shapely.LineString([line[a], line[b]])
                assert shapely.distance(chord, shapely.Point(line[k])) <= tolerance * (1 + 1e-9) + 1e-12

    def test_a_straight_run_keeps_its_ends_only(self):
        line = np.column_stack((np.linspace(0, 50, 200), np.linspace(0, 20, 200)))
        assert needed_points(line, 0.001).sum() == 2


class TestArcs:
    def test_a_flattened_circle_comes_back_as_a_few_arcs(self):
        fitted = fit_arcs(Path.circle((5, 5), 20).flatten(0.002), tolerance_mm=0.005, closed=True)
        assert len(fitted) <= 4
        assert fitted.area() == pytest.approx(400 * pi, abs=0.3)
        assert (fitted.kinds == Kind.ARC).all()

    def test_corners_stay_corners(self):
        fitted = fit_arcs(star().nodes, tolerance_mm=0.01, closed=True)
        assert len(fitted) == 10
        assert fitted.area() == pytest.approx(star().area())

    @given(st.integers(0, 200), st.sampled_from([0.004, 0.01, 0.03]))
    def test_the_fit_stays_near_every_point(self, seed, tolerance):
        outline = blob(seed, waves=5).flatten(tolerance / 4)
        fitted = fit_arcs(outline, tolerance_mm=tolerance, closed=True)
        assert len(fitted) < len(outline)
        line = shapely.linestrings(fitted.flatten(tolerance / 50))
        assert shapely.distance(line, shapely.points(outline)).max() <= tolerance * 1.05
        back = shapely.linestrings(outline)
        assert shapely.distance(back, shapely.points(fitted.flatten(tolerance / 50))).max() <= tolerance * 1.3

    def test_lines_and_arcs_of_a_mixed_path_are_kept_exactly(self):
        nodes = np.array([[0.0, 0], [40, 0], [40, 20], [0, 20], [0, 0]])
        params = np.zeros((4, 4))
        params[1, 0] = 1.0
        params[2] = [30, 30, 10, 10]
        mixed = Path(nodes, np.array([0, 1, 2, 0], np.uint8), params, closed=True)
        arcs = to_arcs(mixed, tolerance_mm=0.01)
        assert not (arcs.kinds == Kind.CUBIC).any()
        assert arcs.area() == pytest.approx(mixed.area(), abs=0.3)
        assert arcs.params[1, 0] == 1.0

    def test_repeats_go_but_ends_stay(self):
        points = np.array([[0.0, 0], [0, 0], [1, 0], [1, 0], [2, 0], [2, 0]])
        assert without_repeats(points).tolist() == [[0, 0], [1, 0], [2, 0]]


class TestDistances:
    @given(st.integers(0, 100))
    def test_the_field_of_segments_agrees_with_geos(self, seed):
        rng = np.random.default_rng(seed)
        line = np.cumsum(rng.normal(0, 5, (rng.integers(3, 300), 2)), axis=0)
        points = rng.uniform(line.min() - 8, line.max() + 8, (200, 2))
        gaps = SegmentField([line], reach_mm=6.0).gaps(points)
        geos = np.minimum(shapely.distance(shapely.linestrings(line), shapely.points(points)), 6.0)
        assert np.abs(gaps - geos).max() < 1e-9

    @pytest.mark.parametrize("at", [(0, 0), (155, 130), (-7, 3)])
    def test_edges_on_the_border_of_the_field_count(self, at):
        """Regression: segments exactly on the far side of the cells were forgotten."""
        ring = Path.rectangle(*at, 40, 40).nodes
        around = np.array([(at[0] + 43, at[1] + 20), (at[0] + 20, at[1] + 43), (at[0] - 3, at[1] + 1)])
        assert SegmentField([ring], reach_mm=4.0).gaps(around) == pytest.approx(3.0)


def test_rings_keep_their_region_on_the_left():
    region = shapely.Polygon(Path.rectangle(0, 0, 30, 30).nodes[::-1], [Path.rectangle(5, 5, 5, 5).nodes])
    outer, hole = ring_paths(region)
    assert ring_area(outer) > 0 > ring_area(hole)


class TestNesting:
    def test_an_outline_drawn_twice_counts_once(self):
        square = shapely.box(0, 0, 40, 40)
        for regions in ([square, square], [square, shapely.box(5, 5, 20, 20), square, square]):
            assert nested(regions).area == pytest.approx(1600 if len(regions) == 2 else 1600 - 225)

    def test_rings_in_rings_alternate(self):
        rings = [shapely.Point(50, 50).buffer(r) for r in (5, 45, 25, 15, 35)]
        wanted = sum(sign * ring.area for sign, ring in zip((1, 1, 1, -1, -1), rings, strict=True))
        assert nested(rings).area == pytest.approx(wanted)

    def test_overlapping_outlines_are_united_and_touching_ones_stay_apart(self):
        assert nested([shapely.box(0, 0, 10, 10), shapely.box(5, 0, 15, 10)]).area == pytest.approx(150)
        apart = nested([shapely.box(0, 0, 10, 10), shapely.box(20, 0, 30, 10)])
        assert len(polygons_of(apart)) == 2

    def test_what_lies_in_a_notch_is_no_hole(self):
        notched = shapely.box(0, 0, 40, 40).difference(shapely.box(20, 20, 40, 40))
        inside = shapely.box(25, 25, 35, 35)
        assert nested([notched, inside]).area == pytest.approx(1200 + 100)

    @given(st.lists(st.tuples(st.integers(0, 3), st.integers(0, 3), st.sampled_from([4, 8, 12])), max_size=8))
    def test_each_point_is_filled_by_the_parity_of_what_lies_around_it(self, placed):
        discs = {(x, y, r): shapely.Point(30 * x, 30 * y).buffer(r) for x, y, r in placed}
        result = nested(list(discs.values()))
        for x, y, _ in discs:
            for probe in (3, 6, 10):
                around = sum(1 for (a, b, r) in discs if (a, b) == (x, y) and r > probe)
                point = shapely.Point(30 * x + probe, 30 * y)
                assert result.contains(point) == (around % 2 == 1)

    def test_an_area_that_touches_the_one_around_its_hole_joins_it(self):
        frame, hole, tongue = shapely.box(0, 0, 40, 40), shapely.box(10, 10, 30, 30), shapely.box(10, 15, 20, 25)
        result = nested([frame, hole, tongue])
        assert result.is_valid
        assert result.area == pytest.approx(1600 - 400 + 100)

    def test_four_hundred_parts_are_read_at_once(self):
        """One union a part grew with the square: 400 took a minute and a half, this a moment."""
        parts = [shapely.Point(10 * i, 10 * j).buffer(4, quad_segs=60) for i in range(20) for j in range(20)]
        begin = time.process_time()
        assert len(polygons_of(nested(parts))) == 400
        assert time.process_time() - begin < 10

    @given(st.permutations(range(4)))
    def test_the_order_of_drawing_makes_no_difference(self, order):
        disc = shapely.Point(0, 0).buffer(50)
        crossing = [shapely.Point(-8, 0).buffer(20), shapely.Point(8, 0).buffer(20), shapely.box(-3, -3, 3, 3)]
        shapes = [disc, *crossing]
        wanted = disc.area - shapely.union_all(crossing[:2]).area + 36
        assert nested([shapes[k] for k in order]).area == pytest.approx(wanted)


def test_parts_that_touch_in_a_point_are_followed_together():
    """An arrow's tip on a bar: the way out of the tip leads into the bar, and that is no lost line."""
    arrow = shapely.Polygon([(30, 90), (90, 150), (150, 90), (90, 110)])
    parts = shapely.MultiPolygon([arrow, shapely.box(15, 150, 165, 165)])
    grown = offset_region(parts, 1.5)
    assert grown.area == pytest.approx(shapely.buffer(parts, 1.5, quad_segs=90).area, rel=1e-4)
    for r in (0.5, 3.0, 6.35):
        assert len(polygons_of(offset_region(parts, r))) == 1


@pytest.mark.parametrize("room", [0.004, 0.02, 0.2])
def test_a_bit_that_only_just_fits_is_followed(room):
    """The ring is so small that no sample of the outline points at it; it is right all the same."""
    pockets = shapely.MultiPolygon([shapely.box(0, 0, 8 + room, 8 + room), shapely.box(20, 0, 40, 5)])
    inside = offset_region(pockets, -4.0)
    assert inside.area == pytest.approx(room**2, abs=1e-6)
