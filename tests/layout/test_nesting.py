"""Nesting: nothing nearer than asked, nothing lost, the best priorities first, and the same answer twice. Distances are GEOS's, on
the true outlines, placed by hand."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import Phase, given, settings
from hypothesis import strategies as st
from shapely import affinity
from shapely.geometry import Point, Polygon, box
from shapely.ops import nearest_points

from archimetra.geometry.region import as_region
from archimetra.layout.nest.answer import Nested
from archimetra.layout.nest.checking import faults
from archimetra.layout.nest.nesting import is_better
from archimetra.layout.nest.request import KeepClear, NestError, NestPart, NestRequest, NestSheet, Reach
from archimetra.layout.nest.stages import nest
from layout.nest_instances import (
    EIGHTHS,
    QUARTERS,
    bracket,
    frame,
    hand,
    instances,
    lying,
    offcuts,
    ring,
    some,
    star,
    strip,
    tee,
    trough,
)  # fmt: skip
from shapes import replace, sentence_of

SHORT = 5e7  # cells: some tenths of a second


def sound(request: NestRequest, nested: Nested) -> None:
    """Everything there, apart, on its sheet, and clear of what is to be kept clear."""
    for number, part in enumerate(request.parts):
        assert sum(p.part == number for p in nested.placements) + nested.left_out[number] == part.quantity
    for number, sheet in enumerate(request.sheets):
        there = lying(request, nested, number)
        for k, one in enumerate(there):
            assert sheet.outline.buffer(1e-6).contains(one)
            assert sheet.outline.boundary.distance(one) >= request.margin - 0.001
            for other in there[:k]:
                assert one.distance(other) >= request.spacing - 0.001
                assert one.intersection(other).area < 1e-6
            for keep in sheet.keep_clear:
                assert keep.area.distance(one) >= keep.clearance - 0.001
    assert faults(request, nested) == []


class TestLayouts:
    @pytest.mark.parametrize(
        "name", ["rectangles", "discs", "brackets", "hands", "mirrored", "rings", "frames", "200 parts"]
    )
    def test_every_layout_that_is_told_is_sound_and_each_is_better_than_the_one_before(self, name):
        request = instances()[name]
        told: list[Nested] = []
        nested = nest(request, work=SHORT, tell=told.append)
        assert nested is told[-1]
        assert sum(nested.left_out) == 0
        for before, after in zip(told, told[1:], strict=False):
            assert after.used_to < before.used_to
        for each in (told[0], told[-1]):
            sound(request, each)

    def test_odd_offcuts_clamps_and_flaws_are_kept(self):
        request = offcuts()
        nested = nest(request, work=SHORT)
        sound(request, nested)
        assert sum(nested.left_out) == 0
        assert {p.sheet for p in nested.placements} == {0, 1, 2}

    def test_small_parts_lie_in_openings_of_larger_ones(self):
        request = strip(some([frame(200, 200, 20), box(0, 0, 140, 140)], 4), height=230.0, margin=5.0)
        nested = nest(request, work=SHORT)
        sound(request, nested)
        there = lying(request, nested, 0)
        frames, squares = there[:4], there[4:]
        inside = [square for square in squares if any(Polygon(f.exterior).contains(square) for f in frames)]
        assert len(inside) == 4
        assert nested.used_to < 4 * (200 + request.spacing) + 20

    def test_a_part_as_large_as_the_sheet_less_its_margins_fits_and_one_a_hair_larger_does_not(self):
        for more, left in ((0.0, 0), (0.5, 1)):
            request = NestRequest(
                parts=(NestPart(name="just", outline=box(0, 0, 180 + more, 80)), NestPart(name="dot", outline=box(0, 0, 9, 9))),
                sheets=(NestSheet(outline=box(0, 0, 200, 100)),),
            )  # fmt: skip
            nested = nest(request, work=SHORT)
            sound(request, nested)
            assert nested.left_out[0] == left

    def test_turns_and_mirroring_are_those_allowed(self):
        one_way = some([bracket(120, 40, 15)], 6, (90.0,), may_mirror=True)
        nested = nest(strip(one_way, height=300.0), work=SHORT)
        assert {p.degrees for p in nested.placements} == {90.0}
        fixed = nest(strip(some([bracket(120, 40, 15)], 6, (0.0,)), height=300.0), work=SHORT)
        assert {(p.degrees, p.mirrored) for p in fixed.placements} == {(0.0, False)}

    def test_far_from_the_origin_it_is_the_same_layout(self):
        near = strip(some([bracket(120, 80, 30), star(5, 40, 18)], 4), height=300.0)
        away = replace(
            near,
            parts=tuple(replace(p, outline=affinity.translate(p.outline, 3000.0, -2000.0)) for p in near.parts),
            sheets=tuple(replace(s, outline=affinity.translate(s.outline, -7000.0, 9000.0)) for s in near.sheets),
        )
        nested = nest(away, work=SHORT)
        sound(away, nested)
        assert nested.used_to + 7000.0 == pytest.approx(nest(near, work=SHORT).used_to, rel=0.05)

    def test_where_bits_run_beyond_an_outline_no_other_part_lies(self):
        """A lead 30 mm long, cut with a 6 mm bit, beside parts that are 8 mm apart otherwise."""
        lead = shapely.LineString([(100, 25), (133, 25)]).buffer(0.01)
        reaching = NestPart(
            name="led", outline=box(0, 0, 100, 50), quantity=6, turns=QUARTERS, reaches=(Reach(as_region(lead), 3.0),)
        )
        request = strip((reaching, *some([box(0, 0, 60, 40)], 8)), height=260.0)
        nested = nest(request, work=SHORT)
        sound(request, nested)
        kept = lying(request, nested, 0)
        for k, p in enumerate(nested.placements):
            if p.part == 0:
                swept = affinity.translate(affinity.rotate(lead, p.degrees, origin=(0, 0)), p.x, p.y).buffer(3.0)
                assert all(swept.intersection(other).area < 1e-3 for m, other in enumerate(kept) if m != k)


class TestPriorities:
    def test_when_not_all_fit_the_best_priorities_are_placed_first(self):
        parts = (
            NestPart(name="wanted", outline=trough(140, 100, 30), quantity=9, turns=QUARTERS, priority=0),
            NestPart(name="filler", outline=box(0, 0, 60, 60), quantity=40, turns=QUARTERS, priority=2),
        )
        request = NestRequest(parts=parts, sheets=(NestSheet(outline=box(0, 0, 500, 400)),))
        nested = nest(request, work=1e9)
        sound(request, nested)
        assert nested.left_out[0] == 0
        assert nested.left_out[1] > 0
        reverse = replace(request, parts=(replace(parts[0], priority=2), replace(parts[1], priority=0)))
        assert nest(reverse, work=1e9).left_out[1] < nested.left_out[1]

    def test_less_of_a_better_priority_counts_before_all_else(self):
        parts = (
            NestPart(name="a", outline=box(0, 0, 9, 9), quantity=2, priority=0),
            NestPart(name="b", outline=box(0, 0, 90, 90), quantity=2, priority=1),
        )
        request = NestRequest(parts=parts, sheets=(NestSheet(outline=box(0, 0, 500, 400)),))
        one = Nested((), (0, 2), 1, 100.0, 0.5)
        assert is_better(request, one, Nested((), (1, 0), 1, 50.0, 0.5))
        assert is_better(request, Nested((), (0, 1), 1, 400.0, 0.5), one)


class TestRuns:
    def test_the_same_seed_and_work_give_the_same_answer_and_another_seed_another(self):
        request = instances()["brackets"]
        one, two = nest(request, work=SHORT), nest(request, work=SHORT)
        assert one.placements == two.placements
        assert nest(replace(request, seed=2), work=3 * SHORT).placements != nest(request, work=3 * SHORT).placements

    def test_a_layout_told_while_it_is_stopped_is_kept(self):
        request = instances()["brackets"]
        stop = np.zeros(1, np.int64)
        told: list[Nested] = []

        def tell(nested: Nested) -> None:
            told.append(nested)
            stop[0] = len(told) >= 2

        nested = nest(request, stop=stop, tell=tell)
        assert nested in told
        sound(request, nested)

    def test_more_work_never_gives_a_worse_answer(self):
        request = instances()["stars"]
        lengths = [nest(request, work=work).used_to for work in (1e7, 1e8, 4e8)]
        assert lengths == sorted(lengths, reverse=True)


@pytest.fixture(scope="module")
def good():
    request = strip(some([bracket(120, 80, 30), tee(80, 70, 24)], 3), height=300.0)
    return request, nest(request, work=SHORT)


class TestTheCheck:
    def test_it_sees_a_part_a_hundredth_too_near(self, good):
        request, nested = good
        a, b = nested.placements[0], nested.placements[1]
        outlines = lying(request, nested, 0)
        gap = outlines[0].distance(outlines[1])
        one, other = nearest_points(outlines[0], outlines[1])
        away = np.array([other.x - one.x, other.y - one.y]) / gap
        by = away * (request.spacing - 0.01 - gap)
        moved = replace(nested, placements=(a, replace(b, x=b.x + by[0], y=b.y + by[1]), *nested.placements[2:]))
        assert any("apart" in words for words in faults(request, moved))

    @pytest.mark.parametrize(
        ("change", "words"),
        [
            (lambda p: replace(p, x=-500.0), "off its sheet"),
            (lambda p: replace(p, x=p.x + 1e6), "off its sheet"),
        ],
    )
    def test_it_sees_what_lies_off_the_sheet(self, good, change, words):
        request, nested = good
        moved = replace(nested, placements=(change(nested.placements[0]), *nested.placements[1:]))
        assert any(words in told for told in faults(request, moved))

    def test_it_sees_the_margin_the_clamp_what_is_missing_and_what_lies_twice(self, good):
        request, nested = good
        wider = replace(request, margin=request.margin + 0.1)
        assert any("from the edge" in told for told in faults(wider, nested))
        at = lying(request, nested, 0)[0].centroid
        clamped = replace(request, sheets=(replace(request.sheets[0], keep_clear=(KeepClear(at.buffer(5), 2.0),)),))
        assert any("kept clear" in told for told in faults(clamped, nested))
        assert any("3" in told for told in faults(request, replace(nested, placements=nested.placements[1:])))
        twice = replace(nested, placements=(*nested.placements, nested.placements[0]))
        assert any("apart" in told for told in faults(request, twice))


OUTLINES = st.sampled_from(
    [box(0, 0, 70, 40), bracket(80, 60, 20), trough(90, 50, 16), tee(60, 50, 18), star(5, 40, 18), ring(45, 32), frame(110, 90, 14),
     hand(90, 20, 12), Point(0, 0).buffer(22, quad_segs=8), Polygon([(0, 0), (70, 10), (30, 60)])]
)  # fmt: skip
PARTS = st.builds(
    lambda outline, quantity, turns, flip, priority: NestPart(
        name="p", outline=as_region(outline), quantity=quantity, turns=turns, may_mirror=flip, priority=priority
    ),
    OUTLINES, st.integers(1, 4), st.sampled_from([(0.0,), (0.0, 180.0), QUARTERS, EIGHTHS, (17.0, 200.0)]), st.booleans(),
    st.integers(0, 2),
)  # fmt: skip
SHEETS = st.sampled_from(
    [box(0, 0, 300, 220), Polygon([(0, 0), (320, 0), (320, 90), (140, 110), (120, 260), (0, 240)]), Point(150, 150).buffer(150),
     box(0, 0, 260, 260).difference(box(100, 100, 150, 150))]
)  # fmt: skip


@settings(max_examples=12, phases=(Phase.explicit, Phase.reuse, Phase.generate))  # an example takes too long to shrink
@given(
    st.lists(PARTS, min_size=1, max_size=4), st.lists(SHEETS, min_size=1, max_size=3), st.sampled_from([0.0, 3.0, 8.0]),
    st.sampled_from([0.0, 2.0, 10.0]), st.booleans(), st.integers(1, 9),
)  # fmt: skip
def test_whatever_is_asked_what_lies_is_sound(parts, sheets, spacing, margin, has_clamp, seed):
    keep = (KeepClear(box(40, -10, 80, 30), 5.0),) if has_clamp else ()
    request = NestRequest(
        parts=tuple(parts), sheets=tuple(NestSheet(outline=s, keep_clear=keep) for s in sheets), spacing=spacing,
        margin=margin, seed=seed,
    )  # fmt: skip
    sound(request, nest(request, work=3e7))


class TestBadInput:
    @pytest.mark.parametrize(
        ("fields", "words"),
        [
            ({"parts": ()}, "no parts"),
            ({"sheets": ()}, "no sheet"),
            ({"spacing": -1.0}, "0 to 500"),
            ({"spacing": float("nan")}, "0 to 500"),
            ({"margin": 200.0}, "leaves nothing"),
            ({"margin": float("inf")}, "0 to 500"),
            ({"parts": some([Polygon()], 1)}, "no area"),
            ({"parts": some([box(0, 0, 9, 9)], 0)}, "Every quantity"),
            ({"parts": some([box(0, 0, 9, 9)], -3)}, "-3"),
            ({"parts": some([box(0, 0, 9, 9)], 6_000)}, "6,000"),
            ({"parts": some([box(0, 0, 9, 9)], 1, ())}, "any way round"),
            ({"parts": some([box(0, 0, 900, 900)], 1)}, "No part fits"),
        ],
    )
    def test_what_cannot_be_nested_is_a_sentence(self, fields, words):
        request = replace(
            NestRequest(parts=some([box(0, 0, 50, 30)], 2), sheets=(NestSheet(outline=box(0, 0, 300, 200)),)), **fields
        )
        assert words in sentence_of(NestError, lambda: nest(request, work=1e6))

    def test_a_sheet_that_is_all_flaw_takes_nothing_and_the_next_one_all(self):
        flawed = NestSheet(outline=box(0, 0, 300, 200), keep_clear=(KeepClear(box(-10, -10, 400, 300), 1.0),))
        request = NestRequest(
            parts=some([box(0, 0, 50, 30)], 3), sheets=(flawed, NestSheet(outline=box(0, 0, 300, 200)))
        )
        nested = nest(request, work=1e7)
        sound(request, nested)
        assert {p.sheet for p in nested.placements} == {1}
        alone = nest(replace(request, sheets=(flawed,)), work=1e7)
        assert alone.left_out == (3,)
