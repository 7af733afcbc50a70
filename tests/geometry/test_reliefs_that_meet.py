"""Reliefs at both ends of a short side: the outline never crosses itself, and holds exactly what the bit opens."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from archimetra.geometry.corners import Relief, relieved
from archimetra.geometry.path import Path

SIZES = [
    (50.0, 7.0),
    (50.0, 10.0),
    (50.0, 6.0),
    (50.0, 12.0),
    (50.0, 12.001),
    (50.0, 11.999),
    (7.0, 50.0),
    (20.0, 20.0),
    (50.0, 8.4),
]


def bit_area(w: float, h: float, r: float, how: Relief) -> shapely.Geometry:
    """The rectangle with the bit's circles, by GEOS and the definition: each circle passes through its corner."""
    area = shapely.box(0, 0, w, h)
    for x, sx in ((0.0, 1), (w, -1)):
        for y, sy in ((0.0, 1), (h, -1)):
            if how is Relief.CORNER:
                centre = (x + sx * r / 2**0.5, y + sy * r / 2**0.5)
            else:
                on_level = (w >= h) == (how is Relief.LONG_SIDE)
                centre = (x + sx * r, y) if on_level else (x, y + sy * r)
            area = area.union(shapely.Point(centre).buffer(r, 256))
    return area


@pytest.mark.parametrize("size", SIZES)
@pytest.mark.parametrize("diameter", [3.175, 6.0])
@pytest.mark.parametrize("how", list(Relief))
@pytest.mark.parametrize("turn", [False, True])
def test_a_hole_with_its_reliefs_is_simple_and_exact(size, diameter, how, turn):
    box = Path.rectangle(0, 0, *size)
    out, count = relieved(box.reverse() if turn else box, diameter / 2, how, is_hole=True)
    ring = out.flatten(0.0005)
    polygon = shapely.Polygon(ring)
    assert polygon.is_valid
    assert np.sign(out.area()) == (-1.0 if turn else 1.0)
    if count == 4:
        wanted = bit_area(*size, diameter / 2, how)
        assert polygon.symmetric_difference(wanted).area < 0.03
        assert polygon.area == pytest.approx(wanted.area, abs=0.03)
    else:
        assert count == 0  # the bit is too wide for the side its relief would lie along
        assert polygon.area == pytest.approx(size[0] * size[1])


def test_a_notch_narrower_than_two_reliefs():
    notched = Path.polyline(
        [(0, 0), (60, 0), (60, 30), (40, 30), (40, 23), (20, 23), (20, 30), (0, 30), (0, 0)], closed=True
    )
    for diameter in (6.0, 14.0, 19.0):
        out, _ = relieved(notched, diameter / 2, Relief.CORNER, is_hole=False)
        assert shapely.Polygon(out.flatten(0.001)).is_valid
    out, _ = relieved(notched, 7.0, Relief.SHORT_SIDE, is_hole=False)
    assert shapely.Polygon(out.flatten(0.001)).is_valid
