"""How many fit: by the formula where there is one, by GEOS where there is none; what is said about a narrower spacing holds."""

from __future__ import annotations

from math import sqrt

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import affinity
from shapely.geometry import Point, Polygon, box

from archimetra.geometry.region import as_region
from archimetra.layout.fit import FitAsked, fit, with_less_spacing
from archimetra.layout.nest.request import KeepClear
from layout.nest_instances import bracket, hand, ring, star, tee, trough
from shapes import replace


def asked(outline, **fields) -> FitAsked:
    given_ = {"width": 400.0, "height": 300.0, "spacing": 8.0, "margin": 10.0} | fields
    return FitAsked(outline=as_region(outline), **given_)


def pieces(request: FitAsked, fitted):
    return [
        affinity.translate(affinity.rotate(request.outline, p.degrees, origin=(0, 0)), p.x, p.y) for p in fitted.places
    ]


def sound(request: FitAsked, fitted) -> None:
    sheet = box(0, 0, request.width, request.height)
    there = pieces(request, fitted)
    for k, one in enumerate(there):
        assert sheet.buffer(1e-6).contains(one)
        assert sheet.exterior.distance(one) >= request.margin - 0.001
        assert all(one.distance(other) >= request.spacing - 0.001 for other in there[:k])
        assert all(one.intersection(other).area < 1e-6 for other in there[:k])
        assert all(keep.area.distance(one) >= keep.clearance - 0.001 for keep in request.keep_clear)


@pytest.mark.parametrize(("more", "columns"), [(-0.01, 4), (0.0, 5), (0.01, 5)])
def test_rectangles_by_the_formula_just_wide_enough_and_just_not(more, columns):
    """Five of 60 with webs of 8 between take 332."""
    request = asked(box(0, 0, 60, 40), width=332.0 + 20.0 + more)
    found = fit(request)
    assert (found.columns, found.rows) == (columns, 6)
    assert found.count == columns * 6
    assert found.pitch == pytest.approx((68.0, 48.0), abs=0.001)
    sound(request, found)


@pytest.mark.parametrize("spacing", [0.0, 5.0])
def test_staggered_discs_lie_as_close_as_discs_can(spacing):
    request = asked(Point(0, 0).buffer(20, quad_segs=64), spacing=spacing, is_staggered=True, margin=0.0)
    found = fit(request)
    assert found.pitch[1] == pytest.approx((40.0 + spacing) * sqrt(3) / 2, abs=0.02)
    sound(request, found)
    straight = fit(replace(request, is_staggered=False))
    assert found.count > straight.count or spacing


def test_the_turn_at_which_most_fit_is_taken():
    request = asked(box(0, 0, 180, 30), width=200.0, height=400.0, turns=(0.0, 90.0))
    by_hand = max(1 * ((380 - 30) // 38 + 1), ((180 - 30) // 38 + 1) * 2)
    found = fit(request)
    assert found.count == by_hand
    sound(request, found)


def test_from_the_corner_or_centred():
    request = asked(box(0, 0, 60, 40))
    low = min((p.x, p.y) for p in fit(request).places)
    assert low == pytest.approx((10.0, 10.0))
    found = fit(replace(request, is_centred=True))
    there = pieces(request, found)
    x0, y0 = min(p.bounds[0] for p in there), min(p.bounds[1] for p in there)
    x1, y1 = max(p.bounds[2] for p in there), max(p.bounds[3] for p in there)
    assert (x0, y0) == pytest.approx((400 - x1, 300 - y1))


def test_what_is_to_be_kept_clear_costs_the_places_it_takes():
    clamp = KeepClear(box(0, 0, 60, 50), 6.0)
    request = asked(box(0, 0, 60, 40), keep_clear=(clamp,))
    found = fit(request)
    sound(request, found)
    assert fit(asked(box(0, 0, 60, 40))).count - 4 <= found.count < fit(asked(box(0, 0, 60, 40))).count


@pytest.mark.parametrize("outline", [box(0, 0, 500, 20), box(0, 0, 20, 290)])
def test_larger_than_the_sheet_less_its_margins_none_fits(outline):
    found = fit(asked(outline))
    assert found.count == 0
    assert with_less_spacing(asked(outline), found) is None


SHAPES = st.sampled_from([box(0, 0, 60, 40), bracket(80, 60, 20), trough(90, 50, 16), tee(60, 50, 18), star(5, 40, 18), ring(45, 32), hand(90, 20, 12),
                          Polygon([(0, 0), (70, 10), (30, 60)]), affinity.translate(box(0, 0, 31, 17), 900, -700)])  # fmt: skip


@settings(max_examples=15)
@given(SHAPES, st.sampled_from([0.0, 3.0, 8.0]), st.sampled_from([0.0, 10.0]), st.booleans(), st.booleans())
def test_whatever_the_shape_nothing_is_nearer_than_asked_and_a_narrower_web_holds_what_is_said(
    outline, spacing, margin, staggered, centred
):
    request = asked(
        outline,
        spacing=spacing,
        margin=margin,
        is_staggered=staggered,
        is_centred=centred,
        turns=(0.0, 90.0),
        width=330.0,
    )
    found = fit(request)
    sound(request, found)
    better = with_less_spacing(request, found)
    if better is not None:
        narrow, count = better
        again = fit(replace(request, spacing=narrow))
        assert again.count >= count > found.count
        assert narrow < spacing
        assert fit(replace(request, spacing=min(narrow + 0.05, spacing))).count <= again.count
