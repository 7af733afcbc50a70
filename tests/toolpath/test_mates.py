"""Straight inlays: both outlines can be followed by their bits, mate with the clearance asked for, and stay near what is drawn."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely.geometry import Polygon

from archimetra.base.findings import Severity
from archimetra.geometry.path import Path
from archimetra.geometry.region import as_region
from archimetra.job.cut_parts import Half, Mating
from archimetra.job.cuts.pocket import PocketCut
from archimetra.toolpath.shared.mates import matched
from cutting_board import area_of as drawn_area
from cutting_board import planned
from shapes import straight_bit

STAR = Polygon([(0, 30), (4, 5.5), (28, 9), (6, -2), (17, -25), (0, -6), (-17, -25), (-6, -2), (-28, 9), (-4, 5.5)])
TEE = shapely.union_all([shapely.box(-15, 10, 15, 16), shapely.box(-3, -20, 3, 16)])
RING = shapely.Point(0, 0).buffer(20, quad_segs=64).difference(shapely.box(-6, -6, 6, 6))


def loss(area, radius: float, *, is_open: bool) -> float:
    """How much of an area a disc cannot reach (of what is around it, where closing is asked), finely buffered."""
    frame = area.envelope.buffer(4 * radius)
    given = area if is_open else frame.difference(area)
    opened = given.buffer(-radius, quad_segs=90).buffer(radius, quad_segs=90)
    lost = given.difference(opened.buffer(0.012))
    if not is_open:
        lost = lost.intersection(area.envelope.buffer(0.5 * radius))
    return lost.area


def gaps(pair, step: float = 0.2) -> np.ndarray:
    """Distances from the insert's outline to the pocket's, below zero where it sticks out."""
    line = shapely.segmentize(shapely.boundary(pair.insert), step)
    points = shapely.points(shapely.get_coordinates(line))
    outside = ~shapely.covers(pair.pocket, points)
    away = shapely.distance(shapely.boundary(pair.pocket), points)
    return np.where(outside, -away, away)


@pytest.mark.parametrize("area", [STAR, TEE, RING], ids=["star", "tee", "ring"])
@pytest.mark.parametrize(("rp", "ri"), [(1.5, 1.5), (0.75, 1.5), (1.5, 0.5)])
@pytest.mark.parametrize("clearance", [0.02, 0.05, 0.2])
def test_both_halves_can_be_cut_and_mate_with_the_clearance_all_round(area, rp, ri, clearance):
    pair = matched(as_region(area), pocket_radius=rp, insert_radius=ri, clearance=clearance)
    assert loss(pair.pocket, rp - 0.003, is_open=True) < 0.05
    assert loss(pair.insert, ri - 0.003, is_open=False) < 0.05
    assert gaps(pair).min() > clearance - 0.012
    assert np.median(gaps(pair)) == pytest.approx(clearance, abs=0.01)


def test_the_drawn_outline_as_it_stands_would_not_go_in():
    """Why the outline is adjusted at all: pocket and insert cut from the star itself meet by millimetres."""
    pocket = STAR.buffer(-1.5).buffer(1.5)
    insert = STAR.buffer(-0.05).buffer(1.5).buffer(-1.5)
    assert insert.difference(pocket).area > 1.0


def test_how_far_it_strays_is_told_and_smaller_bits_stray_less():
    found = [matched(as_region(STAR), pocket_radius=r, insert_radius=r, clearance=0.05) for r in (0.25, 0.75, 1.5)]
    strays = [pair.deviation for pair in found]
    assert strays == sorted(strays)
    assert strays[0] < 0.3 * strays[2]
    for pair in found:
        assert pair.changed == pytest.approx(STAR.symmetric_difference(pair.pocket).area / STAR.area, rel=1e-6)
        worst = shapely.distance(shapely.boundary(pair.pocket), shapely.points(pair.at))
        assert worst == pytest.approx(pair.deviation)


def test_parts_too_narrow_are_lost_and_counted():
    two = as_region(shapely.union_all([shapely.box(0, 0, 20, 20), shapely.box(40, 0, 60, 1.5)]))
    pair = matched(two, pocket_radius=1.5, insert_radius=1.5, clearance=0.05)
    assert (pair.parts_before, pair.parts_after) == (2, 1)


@given(
    st.integers(3, 9), st.floats(8, 25), st.floats(0.35, 0.9), st.sampled_from([0.5, 1.0, 1.5]),
    st.sampled_from([0.5, 1.0, 1.5]), st.sampled_from([0.03, 0.1]),
)  # fmt: skip
@settings(max_examples=25, deadline=None)
def test_any_star_mates(points, size, share, rp, ri, clearance):
    a = np.arange(2 * points) * np.pi / points
    r = np.where(np.arange(2 * points) % 2 == 0, size, size * share)
    area = as_region(Polygon(np.column_stack((r * np.cos(a), r * np.sin(a)))))
    pair = matched(area, pocket_radius=rp, insert_radius=ri, clearance=clearance)
    if not pair.insert.is_empty:
        assert gaps(pair).min() > clearance - 0.015


PLATE = shapely.box(0, 0, 60, 40)
NOTCHED = PLATE.difference(shapely.box(26, 20, 34, 41))
KEYED = PLATE.difference(shapely.box(26, 20, 34, 41)).difference(shapely.box(22, 18, 38, 24))


def widest_void(pair) -> float:
    """The widest disc that fits between both halves anywhere, corners and notches too."""
    open_ = pair.pocket.difference(pair.insert)
    return 2 * max(
        float(shapely.length(shapely.maximum_inscribed_circle(p, tolerance=0.002))) for p in shapely.get_parts(open_)
    )


@pytest.mark.parametrize("area", [NOTCHED, KEYED, PLATE, STAR], ids=["notch", "key", "plate", "star"])
@pytest.mark.parametrize("radii", [(1.5, 1.5), (3.0, 0.75), (0.75, 3.0)])
def test_no_holes_stay_beside_notches_whichever_way_the_art_is_turned(area, radii):
    rp, ri = radii
    for turn in (0, 20, 33):
        for clearance in (0.05, 0.15):
            pair = matched(shapely.affinity.rotate(area, turn), pocket_radius=rp, insert_radius=ri, clearance=clearance)
            assert widest_void(pair) < 1.3 * clearance + 0.01, (turn, clearance)
            assert gaps(pair).min() > clearance - 0.006
            assert pair.insert.difference(pair.pocket).area < 1e-4


def test_an_outline_that_loses_its_tail_is_a_caution_with_the_place_and_a_line_of_its_own():
    tailed = shapely.union(shapely.Point(0, 0).buffer(15), shapely.box(10, -1, 40, 1))
    paths = [Path.polyline(shapely.get_coordinates(tailed.exterior)[:-1], closed=True)]
    for area, is_lost in ((paths, True), ([Path.rectangle(0, 0, 40, 30)], False)):
        mating = Mating(inlay="i", half=Half.POCKET, is_vee=False, pocket_radius=1.5, insert_radius=1.5, clearance=0.05)
        toolpath, findings, board = planned(*area, kind=PocketCut, bit=straight_bit(3.0), end_depth=3.0, mating=mating)
        (found,) = [f for f in findings if f.code == "inlay-rounded"]
        assert found.severity is (Severity.CAUTION if is_lost else Severity.NOTE)
        drawn = drawn_area(board)
        if is_lost:
            assert found.at[0] > drawn.bounds[2] - 2.0, "at the end of the tail"
        assert toolpath.outlines
        ring = Polygon(toolpath.outlines[0])
        low = shapely.points(toolpath.xyz[toolpath.xyz[:, 2] < -1][:, :2])
        assert shapely.distance(ring.exterior, low).min() == pytest.approx(1.5, abs=0.02), "it is what the bit works to"
