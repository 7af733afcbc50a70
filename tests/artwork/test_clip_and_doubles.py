"""Clips against polygon measures; doubles and overlaps against lengths; densities against pages."""

from __future__ import annotations

from math import pi

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from archimetra.artwork.clip import clipped
from archimetra.artwork.drawing import DrawnShape
from archimetra.artwork.mend import drop_overlaps, in_turn, join_ends, same_outline, tidy
from archimetra.artwork.svg_units import PAPERS_MM, density_of
from archimetra.geometry.affine import Affine
from archimetra.geometry.doubles import middles, twins, without_overlaps
from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import Path
from archimetra.geometry.pieces import pieces_of
from archimetra.geometry.region import region_of
from dirt import pieces_of_outline
from shapes import blob, mixed_paths, star


def line(a, b) -> Path:
    return Path.polyline([a, b], closed=False)


def shape(*paths: Path, layer: int = 0) -> DrawnShape:
    return DrawnShape("s", layer, paths, FillRule.NONZERO, False, 0.2, 1, "k")


class TestClips:
    @settings(max_examples=30, deadline=None)
    @given(seed=st.integers(0, 200), x=st.floats(-40, 40), y=st.floats(-40, 40), size=st.floats(5, 60))
    def test_areas_are_cut_to_what_polygons_say(self, seed, x, y, size):
        path = blob(seed)
        clip = shapely.box(x, y, x + size, y + size)
        got = clipped([path], clip, fill_rule=FillRule.NONZERO, is_filled=True)
        true = shapely.intersection(region_of([path], FillRule.NONZERO, chord_tolerance_mm=0.001), clip)
        paths = [path] if got is None else got
        area = region_of(paths, FillRule.EVENODD, chord_tolerance_mm=0.001).area if paths else 0.0
        assert area == pytest.approx(true.area, abs=0.01 * (1 + true.length))
        if got is None:
            assert clip.contains(shapely.linearrings(path.flatten(0.01)))

    @settings(max_examples=30, deadline=None)
    @given(seed=st.integers(0, 200), r=st.floats(8, 45))
    def test_lines_are_cut_to_the_length_inside(self, seed, r):
        path = star(5, 30, 12, at=(seed % 7, seed % 5))
        clip = shapely.buffer(shapely.Point(0, 0), r, quad_segs=200)
        got = clipped([path], clip, fill_rule=FillRule.NONZERO, is_filled=False)
        true = shapely.intersection(shapely.linearrings(path.nodes), clip).length
        length = path.length() if got is None else sum(p.length() for p in got)
        assert length == pytest.approx(true, abs=0.02)
        assert got is None or not any(p.closed for p in got)

    def test_nothing_is_left_outside(self):
        assert clipped([star()], shapely.box(500, 500, 600, 600), fill_rule=FillRule.NONZERO, is_filled=True) == ()


class TestTwins:
    @settings(max_examples=50, deadline=None)
    @given(path=mixed_paths(), seed=st.integers(0, 99))
    def test_every_segment_laid_twice_is_found_once_whichever_way_it_runs(self, path, seed):
        rng = np.random.default_rng(seed)
        parts = [p for p in pieces_of_outline(path) if np.hypot(*(p.nodes[1] - p.nodes[0])) > 1.0]
        again = [p.reverse() if rng.random() < 0.5 else p for p in parts]
        found = twins(pieces_of([*parts, *again]).segments(), tolerance_mm=0.01)
        assert (found[len(parts) :] >= 0).all()

    def test_half_way_points_lie_on_their_segments(self):
        for path in (blob(3), star(), Path.circle((3, 4), 5)):
            for k, at in enumerate(middles(path.segments)):
                one = Path(path.nodes[k : k + 2], path.kinds[k : k + 1], path.params[k : k + 1], closed=False)
                assert one.nearest((float(at[0]), float(at[1])))[1] < 1e-9

    def test_many_copies_of_one_line_leave_one(self):
        copies = [line((0, 0), (10, 0)) if k % 2 else line((10, 0), (0, 0)) for k in range(200)]
        assert (twins(pieces_of(copies).segments(), tolerance_mm=0.01) == -1).sum() == 1

    def test_groups_do_not_see_each_other(self):
        pair = pieces_of([line((0, 0), (10, 0)), line((0, 0), (10, 0))]).segments()
        assert (twins(pair, tolerance_mm=0.01, groups=np.array([0, 1])) == -1).all()


class TestOverlaps:
    @settings(max_examples=60, deadline=None)
    @given(
        spans=st.lists(st.tuples(st.floats(0, 100), st.floats(1, 40)), min_size=2, max_size=7),
        angle=st.floats(0, 360),
    )
    def test_lines_on_one_line_cover_what_they_covered_and_nothing_twice(self, spans, angle):
        m = Affine.turn(angle)
        parts = [line((a, 0), (a + size, 0)).transform(m) for a, size in spans]
        found = without_overlaps(pieces_of(parts).segments(), np.ones(len(parts), bool), tolerance_mm=0.01)
        left = found.segments.rows(found.keep)
        lengths = np.hypot(*(left.q - left.p).T)
        union = shapely.union_all([shapely.linestrings([(a, 0), (a + size, 0)]) for a, size in spans]).length
        # what lies wholly inside others' middle is left to the whole-line rule; nothing new appears
        assert lengths.sum() >= union - 0.2
        assert lengths.sum() <= sum(size for _, size in spans) + 1e-9

    def test_two_closed_outlines_that_share_an_edge_are_told_not_touched(self):
        left, right = shape(Path.rectangle(0, 0, 10, 10)), shape(Path.rectangle(10, 0, 10, 10))
        done = drop_overlaps([left, right])
        assert done.shapes == [left, right]
        assert done.entries[0].code == "shared-edges"
        assert done.entries[0].places[0][0] == 10

    def test_a_loose_line_on_an_outline_goes_whichever_comes_first(self):
        box, loose = shape(Path.rectangle(0, 0, 10, 10)), shape(line((2, 0), (7, 0)))
        for shapes in ([box, loose], [loose, box]):
            done = drop_overlaps(shapes)
            assert done.shapes == [box]
        other = drop_overlaps([box, shape(line((2, 0), (7, 0)), layer=1)])
        assert len(other.shapes) == 2

    def test_repairs_in_turn_remember_where_each_shape_came_from(self):
        parts = [shape(line((0, 0), (5, 0))), shape(Path.polyline([(5, 0), (5, 0), (9, 4)], closed=False))]
        done = in_turn([shape(Path.circle((50, 50), 3)), *parts], (tidy, join_ends))
        assert done.origins == [(0,), (1, 2)]
        assert [entry.code for entry in done.entries] == ["doubled-nodes", "joined"]

    @settings(max_examples=30, deadline=None)
    @given(seed=st.integers(0, 300), at=st.floats(0, 150), back=st.booleans())
    def test_an_outline_is_the_same_wherever_it_begins(self, seed, at, back):
        path = blob(seed)
        other = path.start_at(at % path.length())
        assert same_outline(path, other.reverse() if back else other, 0.01)
        assert not same_outline(path, other.transform(Affine.shift(0.05, 0.0)), 0.01)


class TestDensity:
    @pytest.mark.parametrize("paper", sorted(PAPERS_MM))
    @pytest.mark.parametrize("per_inch", [96.0, 90.0, 72.0])
    @pytest.mark.parametrize("is_turned", [False, True])
    def test_every_paper_size_gives_its_density_away(self, paper, per_inch, is_turned):
        short, long = (side / 25.4 * per_inch for side in PAPERS_MM[paper])
        found = density_of(long, short) if is_turned else density_of(short, long)
        assert found.per_inch == per_inch
        assert found.evidence == f"{paper} paper"

    @pytest.mark.parametrize("size", [(800, 600), (1000, 1000), (123.4567, 89.1)])
    def test_without_evidence_it_is_the_standard_s(self, size):
        assert density_of(*size) == (96.0, "")


def test_circles_in_pixels_have_the_area_of_circles_in_millimetres():
    from archimetra.artwork.svg import read_svg

    data = b'<svg xmlns="http://www.w3.org/2000/svg" width="831.496" height="831.496"><circle cx="400" cy="400" r="75.59055"/></svg>'
    assert abs(read_svg(data, name="t").shapes[0].paths[0].area()) == pytest.approx(400 * pi, rel=1e-5)
