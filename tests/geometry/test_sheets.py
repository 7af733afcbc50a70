"""Which cells of a grid are wood, against GEOS asked cell by cell."""

from __future__ import annotations

import numpy as np
import shapely
from hypothesis import given
from hypothesis import strategies as st

from archimetra.geometry.path import Path
from archimetra.geometry.region import polygons_of
from archimetra.geometry.sheets import cells_inside, sheet_region
from shapes import blob, star

OUTLINES = st.one_of(
    st.builds(
        star, st.integers(3, 9), st.floats(8, 30), st.floats(2, 7), st.tuples(st.floats(-5, 40), st.floats(-5, 40))
    ),
    st.builds(blob, st.integers(1, 40), st.floats(5, 30)),
    st.builds(Path.rectangle, st.sampled_from([0.0, 0.5, 1.0, 7.25]), st.just(2.0), st.sampled_from([1.0, 4.5, 30.0]), st.just(10.0)),
)  # fmt: skip


@given(st.lists(OUTLINES, min_size=1, max_size=3), st.sampled_from([0.5, 0.7, 1.0]))
def test_cells_are_wood_where_their_middle_is(outlines, cell):
    region = sheet_region(tuple(outlines), 40.0, 40.0)
    ny, nx = 57, 43
    inside = cells_inside(region, (ny, nx), cell)
    x, y = np.meshgrid((np.arange(nx) + 0.5) * cell, (np.arange(ny) + 0.5) * cell)
    points = shapely.points(x, y)
    edge = shapely.union_all([shapely.boundary(p) for p in polygons_of(region)]) if not region.is_empty else region
    sure = shapely.distance(points, edge) > 1e-9 if not region.is_empty else np.ones((ny, nx), bool)
    assert (inside == shapely.contains_xy(region, x, y))[sure].all()


def test_a_sheet_without_an_outline_is_its_rectangle():
    assert sheet_region((), 30.0, 20.0).equals(shapely.box(0, 0, 30, 20))


def test_an_outline_inside_another_is_an_opening_whichever_comes_first():
    outer, inner = Path.rectangle(0, 0, 30, 20), Path.rectangle(5, 5, 10, 10)
    for outlines in ((outer, inner), (inner, outer)):
        assert sheet_region(outlines, 30.0, 20.0).area == 500.0
