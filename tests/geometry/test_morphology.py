"""Growing, shrinking, opening and closing by the diagram, against GEOS and against what they are defined by."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely.geometry import Polygon

from archimetra.geometry.morphology import closed, filled, grown, opened
from archimetra.geometry.region import as_region

FINE = {"chord_tolerance_mm": 0.0005}
STAR = Polygon([(0, 30), (4, 5.5), (28, 9), (6, -2), (17, -25), (0, -6), (-17, -25), (-6, -2), (-28, 9), (-4, 5.5)])
RING = shapely.Point(0, 0).buffer(20, quad_segs=64).difference(shapely.Point(3, 2).buffer(8, quad_segs=64))
TWO = shapely.union_all([shapely.box(0, 0, 20, 12), shapely.box(23, 2, 30, 40)])


@pytest.mark.parametrize("area", [STAR, RING, TWO], ids=["star", "ring", "two"])
@pytest.mark.parametrize("distance", [-2.5, -0.05, 0.0525, 0.7, 3.0])
def test_it_is_the_buffer_finely_made(area, distance):
    mine = grown(as_region(area), distance, **FINE)
    theirs = area.buffer(distance, quad_segs=180)
    assert mine.symmetric_difference(theirs).area < 0.002 * max(theirs.length, 1.0)
    assert len(shapely.get_parts(mine)) == len(shapely.get_parts(theirs))


@given(st.integers(3, 10), st.floats(4, 20), st.floats(0.3, 0.95), st.floats(0.05, 2.5))
@settings(max_examples=40, deadline=None)
def test_the_border_lies_at_the_distance(points, size, share, distance):
    a = np.arange(2 * points) * np.pi / points
    r = np.where(np.arange(2 * points) % 2 == 0, size, size * share)
    area = as_region(Polygon(np.column_stack((r * np.cos(a), r * np.sin(a)))))
    for way in (-distance, distance):
        border = shapely.boundary(grown(area, way, **FINE))
        nodes = shapely.points(shapely.get_coordinates(border))
        if len(nodes):
            assert np.abs(shapely.distance(shapely.boundary(area), nodes) - distance).max() < 0.002


def test_opening_and_closing_keep_what_a_disc_fits_and_do_nothing_twice():
    for radius in (0.0525, 1.5):
        once = opened(as_region(STAR), radius, **FINE)
        assert once.difference(STAR.buffer(0.002)).is_empty
        assert opened(once, radius, **FINE).symmetric_difference(once).area < 0.05
        shut = closed(as_region(STAR), radius, **FINE)
        assert STAR.difference(shut.buffer(0.002)).area < 1e-4  # sharp points end a hair early
        assert shut.area > STAR.area


def test_nothing_grows_from_nothing_and_too_much_taken_leaves_nothing():
    assert grown(Polygon(), 2.0, **FINE).is_empty
    assert grown(as_region(STAR), -50.0, **FINE).is_empty
    assert grown(as_region(STAR), 0.0, **FINE).equals(STAR)
    assert filled([]).is_empty
