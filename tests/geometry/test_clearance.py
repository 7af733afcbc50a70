"""The clearance structure against GEOS distances and areas, on generated outlines and on nasty ones."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely.geometry import MultiPolygon, Point, Polygon, box

from archimetra.base.errors import GeometryError
from archimetra.geometry.clearance import Clearance, inside_out
from archimetra.geometry.region import as_region


def polygon_of(paths):
    """The area right of nothing: loops flattened finely, holes (clockwise loops) taken out of what surrounds them."""
    outer = shapely.union_all([shapely.make_valid(Polygon(p.flatten(0.0002))) for p in paths if p.area() > 0])
    holes = shapely.union_all([shapely.make_valid(Polygon(p.flatten(0.0002))) for p in paths if p.area() < 0])
    return outer.difference(holes)


def agrees(region, distance, *, area_tolerance=0.02):
    """Every node keeps the distance, and the area enclosed is that of GEOS's buffer, itself checked by distances."""
    paths = Clearance(region).offsets(distance)
    expected = shapely.buffer(region, -distance, quad_segs=64)
    got = polygon_of(paths) if paths else Polygon()
    if paths:
        points = np.vstack([p.flatten(0.001) for p in paths])
        gaps = shapely.distance(region.boundary, shapely.points(points))
        assert np.abs(gaps - distance).max() < 0.0025  # grid and chords
        assert shapely.contains_xy(shapely.buffer(region, 1e-3), points[:, 0], points[:, 1]).all()
    difference = got.symmetric_difference(expected)
    assert difference.buffer(-0.02).is_empty, f"{difference.area} mm2 differ at {distance}"
    assert difference.area <= area_tolerance + 0.003 * expected.length


@st.composite
def grid_shapes(draw):
    """Unions and differences of boxes on a coarse grid: touching corners, shared edges, collinear points."""
    area = Polygon()
    for _ in range(draw(st.integers(1, 9))):
        x, y = draw(st.integers(0, 10)), draw(st.integers(0, 10))
        w, h = draw(st.integers(1, 8)), draw(st.integers(1, 8))
        piece = box(x, y, x + w, y + h)
        area = area.difference(piece) if draw(st.booleans()) and draw(st.booleans()) else area.union(piece)
    return as_region(area)


@st.composite
def wild_shapes(draw):
    """A spiky ring with round and spiky holes."""
    rng = np.random.default_rng(draw(st.integers(0, 2**31)))
    n = draw(st.integers(3, 40))
    angles = np.sort(rng.uniform(0, 2 * np.pi, n))
    radii = rng.uniform(8, 30, n)
    area = Polygon(np.column_stack((radii * np.cos(angles), radii * np.sin(angles)))).buffer(0)
    for _ in range(draw(st.integers(0, 5))):
        x, y, r = *rng.uniform(-15, 15, 2), rng.uniform(0.5, 5)
        area = area.difference(Point(x, y).buffer(r, quad_segs=int(rng.integers(2, 20))))
    return as_region(area)


class TestOffsets:
    @settings(max_examples=60)
    @given(grid_shapes(), st.sampled_from([0.3, 0.5, 0.7071067811865476, 1.0, 1.25, 1.5, 2.0]))
    def test_boxes_on_a_grid_at_levels_that_meet_their_vertices(self, region, distance):
        if not region.is_empty:
            agrees(region, distance)

    @settings(max_examples=60)
    @given(wild_shapes(), st.floats(0.05, 9.0))
    def test_spiky_outlines_with_islands(self, region, distance):
        if not region.is_empty and region.area > 1e-3:
            agrees(region, distance)

    @settings(max_examples=25)
    @given(wild_shapes(), st.floats(0.05, 9.0))
    def test_outside_offsets_through_a_frame(self, region, distance):
        if region.is_empty or region.area < 1e-3:
            return
        paths = Clearance(inside_out(region, reach=3 * distance)).offsets(distance)
        expected = shapely.buffer(region, distance, quad_segs=64)
        mine = [p for p in paths if max(abs(p.nodes).max(axis=0) - np.abs(expected.bounds).max()) < 1.5 * distance]
        holes = [p for p in mine if p.area() < 0]
        grown = shapely.union_all([Polygon(p.flatten(0.0005)) for p in holes])
        filled = shapely.union_all([Polygon(p.exterior) for p in shapely.get_parts(expected)])
        assert grown.symmetric_difference(filled).buffer(-0.02).is_empty

    def test_a_square_gives_a_square_and_a_corner_from_outside_an_arc(self):
        (inner,) = Clearance(box(0, 0, 10, 10)).offsets(2.0)
        assert inner.area() == pytest.approx(36.0, abs=1e-9)
        assert len(inner) == 4
        around = Clearance(inside_out(box(0, 0, 10, 10), reach=10)).offsets(2.0)
        outline = next(p for p in around if p.area() < 0)
        assert -outline.area() == pytest.approx(100 + 4 * 20 + np.pi * 4, abs=1e-3)
        assert (outline.params[:, 0] != 0).sum() == 4

    def test_what_has_more_room_lies_on_the_left(self):
        region = box(0, 0, 30, 30).difference(Point(15, 15).buffer(4))
        areas = sorted(p.area() for p in Clearance(region).offsets(1.0))
        assert areas[0] < 0 < areas[1]

    def test_a_level_above_the_largest_clearance_is_empty(self):
        clearance = Clearance(box(0, 0, 10, 4))
        assert clearance.offsets(2.01) == []
        assert clearance.deepest().clearance == pytest.approx(2.0)

    def test_collinear_points_and_repeats_change_nothing(self):
        dense = shapely.segmentize(box(0, 0, 10, 10), 0.37)
        again = Polygon(np.repeat(shapely.get_coordinates(dense), 2, axis=0))
        for region in (dense, again):
            (path,) = Clearance(region).offsets(1.5)
            assert path.area() == pytest.approx(49.0, abs=1e-3)

    @pytest.mark.parametrize("distance", [0.0, -1.0, float("nan")])
    def test_a_distance_is_above_zero(self, distance):
        with pytest.raises(ValueError):
            Clearance(box(0, 0, 1, 1)).offsets(distance)


class TestNasty:
    def test_nothing_and_specks(self):
        for region in (Polygon(), Polygon([(0, 0), (1e-5, 0), (0, 1e-5)]), MultiPolygon()):
            assert Clearance(region).offsets(0.1) == []
            assert Clearance(region).deepest() is None

    def test_parts_that_touch_at_a_point_and_a_hole_that_touches_the_edge(self):
        touching = MultiPolygon([box(0, 0, 10, 10), box(10, 10, 20, 20)])
        agrees(touching, 1.0)
        hole = Polygon([(0, 0), (20, 0), (20, 20), (0, 20)], [[(10, 0), (15, 8), (5, 8)]])
        agrees(hole, 0.8)

    def test_a_hairline_and_a_thousand_islands(self):
        agrees(box(0, 0, 50, 50).difference(box(10, 24.9999, 40, 25.0001)), 2.0)
        islands = shapely.union_all([box(x, y, x + 1, y + 1) for x in range(1, 96, 3) for y in range(1, 96, 3)])
        agrees(as_region(box(0, 0, 98, 98).difference(islands)), 0.6, area_tolerance=0.5)

    def test_far_away_is_told(self):
        with pytest.raises(GeometryError, match="200 m"):
            Clearance(box(3e5, 0, 3e5 + 10, 10))


class TestAxis:
    def test_the_axis_of_a_rectangle_runs_along_its_middle(self):
        axis = Clearance(box(0, 0, 30, 10)).axis(at_least=4.999)
        spine = np.minimum(axis.clearance_a, axis.clearance_b) > 4.999
        assert np.hypot(*(axis.b - axis.a)[spine].T).sum() == pytest.approx(20.0)
        assert np.abs(np.concatenate((axis.a[spine], axis.b[spine]))[:, 1] - 5.0).max() < 1e-6

    @settings(max_examples=25)
    @given(wild_shapes())
    def test_clearance_on_the_axis_is_the_distance_to_the_outline(self, region):
        if region.is_empty or region.area < 1e-3:
            return
        axis = Clearance(region).axis()
        gaps = shapely.distance(region.boundary, shapely.points(axis.a))
        assert np.abs(gaps - axis.clearance_a).max() < 3e-4
