"""Dirty drawings come clean: what was known comes back, and what was done is said."""

from __future__ import annotations

from math import pi

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from archimetra.artwork.assemble import assemble
from archimetra.artwork.drawing import DrawnShape
from archimetra.artwork.mend import (
    close_open,
    drop_doubles,
    drop_strays,
    find_crossings,
    join_ends,
    outline_strokes,
    simplify,
    tidy,
    uncross,
)
from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import Path
from archimetra.geometry.pieces import pieces_of
from archimetra.geometry.refit import deviation
from dirt import dirty, pieces_of_outline, rounded_box
from shapes import blob, star


def shape(*paths: Path, layer: int = 0, rule: FillRule = FillRule.NONZERO, width: float | None = 0.2) -> DrawnShape:
    return DrawnShape("s", layer, paths, rule, all(p.closed for p in paths), width, 1, "k")


def assembled(paths: list[Path], **options):
    return assemble(pieces_of([p for p in paths if len(p)]), np.zeros(sum(len(p) > 0 for p in paths), int), **options)


def said(entries) -> dict[str, str]:
    return {entry.code: entry.sentence for entry in entries}


def lines(*points: tuple[float, float]) -> list[Path]:
    return [Path.polyline([a, b], closed=False) for a, b in zip(points[:-1], points[1:], strict=True)]


KNOWN = [
    rounded_box(0, 0, 60, 40, 8),
    star(5, 20, 9, at=(110, 30)),
    Path.rectangle(10, 60, 30, 20),
    Path.circle((80, 90), 12),
    Path.polyline([(0, 100), (20, 130), (50, 120)], closed=False),
]


class TestAssembling:
    @settings(max_examples=40, deadline=None)
    @given(
        seed=st.integers(0, 10_000),
        gap=st.sampled_from([0.0, 0.01, 0.04]),
        doubles=st.sampled_from([0.0, 0.3, 1.0]),
        specks=st.integers(0, 5),
    )
    def test_whatever_the_dirt_the_known_drawing_comes_back(self, seed, gap, doubles, specks):
        found = assembled(
            dirty(KNOWN, seed=seed, gap=gap, doubles=doubles, specks=specks), join_mm=0.05, double_mm=0.05
        )
        assert len(found.paths) == len(KNOWN)
        assert sorted(path.closed for path in found.paths) == sorted(path.closed for path in KNOWN)
        for known in KNOWN:
            best = min(found.paths, key=lambda path: float(np.hypot(*(np.array(path.bounds()) - known.bounds())[:2])))
            assert len(best) == len(known)
            assert deviation([best], [known]) <= gap + 1e-6
            assert abs(abs(best.area()) - abs(known.area())) <= gap * known.length() + 1e-6

    def test_two_lines_meet_where_they_cross_not_half_way(self):
        a, b = Path.polyline([(0, 0), (9.98, 0)], closed=False), Path.polyline([(10, 0.02), (10, 9)], closed=False)
        found = assembled([a, b])
        assert found.paths[0].nodes.tolist() == [[0, 0], [10, 0], [10, 9]]
        assert "gap of up to 0.028 mm" in said(found.entries)["gaps"]

    def test_ends_farther_apart_than_the_tolerance_stay_apart(self):
        found = assembled([*lines((0, 0), (10, 0)), *lines((10.2, 0), (20, 0))], join_mm=0.1)
        assert len(found.paths) == 2
        assert len(assembled([*lines((0, 0), (10, 0)), *lines((10.2, 0), (20, 0))], join_mm=0.3).paths) == 1

    def test_layers_are_not_joined_to_each_other(self):
        found = assemble(pieces_of(lines((0, 0), (10, 0), (10, 10))), np.array([0, 1]))
        assert len(found.paths) == 2

    def test_a_shared_edge_drawn_once_a_part_makes_both_parts_and_is_asked_about(self):
        left = lines((0, 0), (10, 0), (10, 10), (0, 10), (0, 0))
        right = lines((10, 0), (20, 0), (20, 10), (10, 10), (10, 0))
        found = assembled([*left, *right])
        assert sorted(round(abs(p.area()), 6) for p in found.paths) == [100, 100]
        assert all(path.closed for path in found.paths)
        assert "1 edge belongs to two parts" in said(found.entries)["shared-edges"]
        assert "doubles" not in said(found.entries)

    @pytest.mark.parametrize("seed", range(4))
    def test_a_field_of_parts_with_shared_edges_comes_apart_into_its_parts(self, seed):
        cells = [Path.rectangle(12 * i, 7 * j, 12, 7) for i in range(4) for j in range(3)]
        found = assembled(dirty(cells, seed=seed, gap=0.0))
        assert len(found.paths) == 12
        assert all(abs(abs(path.area()) - 84) < 1e-9 for path in found.paths)
        assert "17 edges belong to two parts" in said(found.entries)["shared-edges"]

    def test_the_same_outline_drawn_twice_all_round_is_one(self):
        box = pieces_of_outline(Path.rectangle(0, 0, 10, 10))
        found = assembled([*box, *[p.reverse() for p in box]])
        assert len(found.paths) == 1
        assert "4 lines drawn twice were dropped" in said(found.entries)["doubles"]

    @pytest.mark.parametrize(
        ("extra", "left_over"),
        [
            (lines((2, 0), (5, 0)), 0.0),
            (lines((5, 0), (2, 0)), 0.0),
            (lines((3, 0), (12, 0)), 2.0),
            (lines((-2, 0), (3, 0)), 2.0),
            ([Path.arcs(np.array([(10.0, 0.0), (14, 0)]), np.array([1.0]), closed=False)], None),
        ],
    )
    def test_a_line_that_overlaps_an_outline_is_cut_back_to_what_is_new(self, extra, left_over):
        found = assembled([*lines((0, 0), (10, 0), (10, 10), (0, 10), (0, 0)), *extra])
        open_ones = [path for path in found.paths if not path.closed]
        total = sum(path.length() for path in found.paths if path.closed)
        assert total == pytest.approx(40)
        if left_over is None:
            assert open_ones[0].length() == pytest.approx(2 * pi)
        else:
            assert sum(path.length() for path in open_ones) == pytest.approx(left_over)

    def test_arcs_that_overlap_are_cut_back_along_their_circle(self):
        def arc(a: float, b: float) -> Path:
            ends = 20 * np.array([(np.cos(t), np.sin(t)) for t in np.radians([a, b])])
            return Path.arcs(ends, np.array([np.tan(np.radians(b - a) / 4)]), closed=False)

        found = assembled([arc(0, 90), arc(60, 150), arc(200, 170)])
        lengths = sorted(path.length() for path in found.paths)
        assert lengths == pytest.approx(sorted([20 * np.radians(150), 20 * np.radians(30)]))
        assert said(found.entries)["doubles"].startswith("1 line")

    def test_crossing_and_concentric_lines_are_no_doubles(self):
        spokes = [
            Path.polyline([(-10 * np.cos(a), -10 * np.sin(a)), (10 * np.cos(a), 10 * np.sin(a))], closed=False)
            for a in np.arange(6) * pi / 6
        ]
        found = assembled(spokes)
        assert len(found.paths) == 6
        assert not found.entries

    def test_a_fork_is_told_and_a_loop_through_it_is_closed(self):
        box = pieces_of_outline(Path.rectangle(0, 0, 10, 10))
        found = assembled([*box, *lines((10, 10), (15, 18))])
        assert sorted((p.closed, round(p.length(), 3)) for p in found.paths) == [(False, 9.434), (True, 40.0)]
        net = assembled([*lines((0, 0), (5, 0)), *lines((5, 0), (8, 4)), *lines((5, 0), (8, -4))])
        assert len(net.paths) == 3
        assert "three or more ends" in said(net.entries)["forks"]
        assert net.entries[-1].places == ((5.0, 0.0),)

    def test_two_squares_that_touch_in_a_corner_stay_two(self):
        found = assembled(dirty([Path.rectangle(0, 0, 10, 10), Path.rectangle(10, 10, 10, 10)], seed=3, gap=0))
        assert sorted(abs(path.area()) for path in found.paths) == pytest.approx([100, 100])

    def test_many_ends_in_one_point_do_not_take_for_ever(self):
        spokes = [
            Path.polyline([(0, 0), (50 * np.cos(a), 50 * np.sin(a))], closed=False) for a in np.arange(1000) / 160
        ]
        found = assembled(spokes)
        assert len(found.paths) == 1000


class TestRepairs:
    def test_tidy_drops_doubled_nodes_and_nothing_else(self):
        path = Path.polyline([(0, 0), (0, 0), (10, 0), (10, 0.00005), (10, 10), (0, 10)], closed=True)
        good = shape(Path.rectangle(30, 0, 5, 5))
        done = tidy([shape(path), good])
        assert len(done.shapes[0].paths[0]) == 4
        assert done.shapes[1] is good
        assert "2 doubled nodes were dropped" in done.entries[0].sentence
        assert tidy(done.shapes).entries == []

    def test_tidy_drops_an_outline_that_is_a_point(self):
        done = tidy([shape(Path.polyline([(1, 1), (1, 1)], closed=False)), shape(Path.circle((0, 0), 3))])
        assert done.origins == [(1,)]
        assert "without extent" in done.entries[0].sentence

    @pytest.mark.parametrize("again", [lambda p: p, lambda p: p.reverse(), lambda p: p.start_at(23.0)])
    def test_an_outline_drawn_twice_goes_whichever_way_it_runs(self, again):
        one = blob(3)
        done = drop_doubles([shape(one), shape(Path.circle((90, 0), 5)), shape(again(one))])
        assert done.origins == [(0,), (1,)]
        assert "1 outline drawn twice was dropped" in done.entries[0].sentence

    def test_outlines_that_only_share_their_box_and_length_stay(self):
        done = drop_doubles([shape(star(5)), shape(blob(1)), shape(blob(2))])
        assert len(done.shapes) == 3

    def test_the_same_outline_on_two_layers_stays_and_is_asked_about(self):
        done = drop_doubles([shape(star()), shape(star(), layer=1)])
        assert len(done.shapes) == 2
        assert done.entries[0].code == "doubles-on-layers"

    def test_a_hole_drawn_twice_in_an_even_odd_shape_stays_what_it_fills(self):
        ring = shape(Path.circle((0, 0), 9), Path.circle((0, 0), 5), Path.circle((0, 0), 5), rule=FillRule.EVENODD)
        assert len(drop_doubles([ring]).shapes[0].paths) == 3

    def test_joining_says_from_which_shapes_each_came(self):
        parts = [shape(p) for p in dirty([Path.rectangle(0, 0, 10, 5)], seed=1)]
        whole = shape(Path.circle((40, 0), 4))
        done = join_ends([whole, *parts])
        assert done.shapes[0] is whole
        assert sorted(done.origins[1]) == [1, 2, 3, 4]
        assert done.shapes[1].paths[0].closed

    def test_a_compound_line_comes_apart_into_what_it_joins_to(self):
        compound = DrawnShape(
            "s", 0, (*lines((0, 0), (5, 0)), Path.circle((50, 0), 2)), FillRule.NONZERO, False, 0.1, 1
        )
        done = join_ends([compound, shape(*lines((5, 0), (9, 3)))])
        assert [len(s.paths) for s in done.shapes] == [1, 1]
        assert done.origins == [(0,), (0, 1)]

    def test_closing_draws_the_straight_line_and_says_how_long(self):
        done = close_open([shape(Path.polyline([(0, 0), (10, 0), (10, 3)], closed=False))])
        assert done.shapes[0].paths[0].closed
        assert abs(done.shapes[0].paths[0].area()) == pytest.approx(15)
        assert "10.4 mm" in done.entries[0].sentence

    def test_strays_go_by_size_and_by_place(self):
        big, small, off = Path.circle((10, 10), 5), Path.circle((20, 10), 0.1), Path.circle((500, 10), 5)
        done = drop_strays([shape(big), shape(small), shape(off)], smaller_than_mm=0.5, page=(0, 0, 100, 100))
        assert done.origins == [(0,)]
        assert [entry.code for entry in done.entries] == ["strays", "off-page"]

    @settings(max_examples=12, deadline=None)
    @given(seed=st.integers(0, 500), tolerance=st.sampled_from([0.01, 0.05, 0.2]))
    def test_simplifying_keeps_within_its_tolerance_and_tells_the_truth(self, seed, tolerance):
        flat = Path.polyline(blob(seed, 25).flatten(0.002)[:-1], closed=True)
        done, told = simplify([shape(flat)], tolerance_mm=tolerance)
        simple = done.shapes[0].paths[0]
        assert told.after == len(simple) < told.before == len(flat)
        measured = shapely.hausdorff_distance(
            shapely.segmentize(shapely.linearrings(flat.nodes), 0.05),
            shapely.segmentize(shapely.linearrings(simple.flatten(0.0005)), 0.05),
        )
        assert measured <= tolerance + 0.001
        assert told.deviation == pytest.approx(measured, abs=0.004)

    def test_simplifying_leaves_what_is_simple_as_it_is(self):
        box = shape(Path.rectangle(0, 0, 30, 20))
        done, told = simplify([box], tolerance_mm=0.1)
        assert done.shapes[0] is box
        assert told.before == told.after == 4
        assert not done.entries

    def test_crossings_are_found_and_resolved_as_the_rule_fills(self):
        bow = Path.polyline([(0, 0), (10, 10), (10, 0), (0, 10)], closed=True)
        assert find_crossings([shape(bow)]).tolist() == [[5, 5]]
        done = uncross([shape(bow, rule=FillRule.EVENODD)])
        assert sum(abs(p.area()) for p in done.shapes[0].paths) == pytest.approx(50, abs=0.01)
        assert not len(find_crossings(done.shapes))
        penta = Path.polyline(star(5, 20, 20).nodes[[0, 4, 8, 2, 6]], closed=True)
        filled = uncross([shape(penta, rule=FillRule.NONZERO)]).shapes[0]
        hollow = uncross([shape(penta, rule=FillRule.EVENODD)]).shapes[0]
        assert sum(p.area() for p in filled.paths) > sum(p.area() for p in hollow.paths) > 0

    def test_strokes_become_as_wide_as_drawn(self):
        line = DrawnShape("l", 0, tuple(lines((0, 0), (20, 0))), FillRule.NONZERO, False, 4.0, 1)
        done = outline_strokes([line])
        area = sum(p.area() for p in done.shapes[0].paths)
        assert area == pytest.approx(80 + 4 * pi, abs=0.02)
        flat = outline_strokes([line], width_mm=2.0, ends="flat").shapes[0]
        assert sum(p.area() for p in flat.paths) == pytest.approx(40, abs=0.01)
        assert outline_strokes([shape(star(), width=None)]).entries == []
