"""Artwork placed, drawn, combined and read again: measures against geometry of their own, cuts that follow."""

from __future__ import annotations

from math import hypot, pi, sqrt

import msgspec
import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from archimetra.artwork.drawing import Drawing, DrawnLayer, DrawnShape, Scale
from archimetra.artwork.text_form import Fit, TextForm
from archimetra.edits import aligning, copying, guides, layering, placement, placing, repeating, shaping
from archimetra.edits import basic as edits
from archimetra.edits.aligning import AlignTo, Edge
from archimetra.edits.placing import Anchor
from archimetra.edits.repeating import Rows
from archimetra.geometry.affine import Affine
from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import Path
from archimetra.geometry.region import region_of
from archimetra.job.file import JobFile, pack, unpack
from archimetra.job.forms import EllipseForm, PolygonForm, RectangleForm, SlotForm, StarForm, outlines_of
from archimetra.job.job import new_job
from archimetra.job.reading import reading
from archimetra.job.shapes import Guide, Measure, MeasureKind, Source
from archimetra.job.sheet import Sheet
from shapes import blob, sentence_of, star

SHEET = Sheet(width=400.0, height=300.0, readings=(18.0,))


def drawing(*paths: Path, keys: str = "", layers: tuple[str, ...] = ("one",), page=None) -> Drawing:
    drawn = tuple(
        DrawnShape(f"s{k}", k % len(layers), (p,), FillRule.NONZERO, p.closed, None, 1, (keys or "abcdefgh")[k])
        for k, p in enumerate(paths)
    )
    scale = Scale("mm", 1.0, "", True)
    return Drawing("art", tuple(DrawnLayer(name) for name in layers), drawn, scale, page or (400.0, 300.0), ())


class Bench:
    """A job with shapes at known places, and edits applied one after the other."""

    def __init__(self, *paths: Path, **options) -> None:
        job = edits.change_board(new_job(), new_job().boards[0].id, "", sheet=SHEET).job
        self.edit, self.ids = placement.place_drawing(job, job.boards[0].id, drawing(*paths, **options))
        self.job = self.edit.job

    @property
    def board(self):
        return self.job.boards[0]

    @property
    def b(self):
        return self.board.id

    def do(self, run, *args, **fields):
        made = run(self.job, self.b, *args, **fields)
        edit = made if hasattr(made, "job") else made[0]
        self.job = edit.job
        return made

    def box(self, k: int):
        return self.board.shape(self.ids[k]).bounds()

    def area(self, id_) -> float:
        shape = self.board.shape(id_)
        return region_of(shape.placed(), shape.fill_rule, chord_tolerance_mm=0.0005).area


def boxes() -> Bench:
    return Bench(Path.rectangle(10, 20, 30, 10), Path.rectangle(100, 50, 20, 40), Path.rectangle(200, 10, 10, 10))


class TestPlacing:
    @pytest.mark.parametrize("anchor", list(Anchor))
    def test_sizing_keeps_the_anchor_and_the_ratio(self, anchor):
        bench = boxes()
        before = placing.anchor_point(bench.box(0), anchor)
        bench.do(placing.size_to, bench.ids[:1], anchor, width=60.0)
        assert placing.anchor_point(bench.box(0), anchor) == pytest.approx(before)
        x0, y0, x1, y1 = bench.box(0)
        assert (x1 - x0, y1 - y0) == pytest.approx((60, 20))
        bench.do(placing.size_to, bench.ids[:1], anchor, height=5.0, keeps_ratio=False)
        x0, y0, x1, y1 = bench.box(0)
        assert (x1 - x0, y1 - y0) == pytest.approx((60, 5))

    def test_move_by_to_and_turn_by_to(self):
        bench = boxes()
        bench.do(placing.move_to, bench.ids[:2], Anchor.MIDDLE, (200.0, None))
        assert bench.box(0)[0] == pytest.approx(10 + 200 - 65)
        assert bench.box(0)[1] == 20
        bench.do(placing.turn_by, bench.ids[:1], 90.0, (0.0, 0.0))
        assert bench.box(0) == pytest.approx((-30, 145, -20, 175))
        bench.do(placing.turn_to, bench.ids[:1], 30.0)
        assert placing.turned(bench.board.shape(bench.ids[0])) == pytest.approx(30)

    def test_mirrored_in_place_twice_is_as_it_was_and_as_a_copy_it_faces_it(self):
        bench = Bench(Path.polyline([(10, 10), (40, 10), (40, 30)], closed=True))
        before = bench.board.shape(bench.ids[0]).placed()[0].nodes
        for _ in range(2):
            bench.do(placing.mirror, bench.ids, is_across=True)
        assert np.abs(bench.board.shape(bench.ids[0]).placed()[0].nodes - before).max() < 1e-9
        _, pick = bench.do(placing.mirror, bench.ids, is_across=True, as_copy=True, gap=4.0)
        copy = bench.board.shape(pick[-1])
        assert copy.bounds() == pytest.approx((44, 10, 74, 30))
        assert copy.placed()[0].area() == pytest.approx(-300)

    @pytest.mark.parametrize("edge", list(Edge))
    def test_align_to_sheet_last_and_each_other(self, edge):
        axis = 0 if edge in (Edge.LEFT, Edge.CENTRE, Edge.RIGHT) else 1

        def place(box):
            low, high = box[axis], box[axis + 2]
            return {"left": low, "front": low, "right": high, "back": high}.get(edge.value, (low + high) / 2)

        bench = boxes()
        gap = place(bench.box(1)) - place(bench.box(0))
        bench.do(aligning.align, bench.ids, edge, AlignTo.SHEET)
        assert place(bench.box(1)) - place(bench.box(0)) == pytest.approx(gap)  # all as one
        whole = placing.box_of(bench.board.shapes)
        assert place(whole) == pytest.approx(place((0, 0, 400, 300)))
        bench.do(aligning.align, bench.ids, edge, AlignTo.LAST)
        assert {round(place(bench.box(k)), 6) for k in range(3)} == {round(place(bench.box(2)), 6)}
        again = boxes()
        wanted = place(placing.box_of(again.board.shapes))
        again.do(aligning.align, again.ids, edge, AlignTo.EACH_OTHER)
        assert {round(place(again.box(k)), 6) for k in range(3)} == {round(wanted, 6)}

    def test_distribute_by_gap_pitch_and_evenly(self):
        bench = boxes()
        bench.do(aligning.distribute, bench.ids, is_across=True, gap=5.0)
        assert [bench.box(k)[0] for k in range(3)] == pytest.approx([10, 45, 70])
        bench.do(aligning.distribute, bench.ids, is_across=True, pitch=50.0)
        assert [(bench.box(k)[0] + bench.box(k)[2]) / 2 for k in range(3)] == pytest.approx([25, 75, 125])
        even = boxes()
        even.do(aligning.distribute, even.ids, is_across=True)
        assert even.box(0)[0] == 10
        assert even.box(2)[2] == 210
        assert even.box(1)[0] - even.box(0)[2] == pytest.approx(even.box(2)[0] - even.box(1)[2])

    def test_a_group_moves_and_aligns_as_one(self):
        bench = boxes()
        bench.do(layering.group_shapes, bench.ids[:2])
        assert set(layering.whole_groups(bench.board, [bench.ids[0]])) == set(bench.ids[:2])
        before = bench.box(1)[0] - bench.box(0)[0]
        bench.do(aligning.align, bench.ids, Edge.RIGHT, AlignTo.EACH_OTHER)
        assert bench.box(1)[0] - bench.box(0)[0] == pytest.approx(before)
        assert bench.box(1)[2] == pytest.approx(210)

    def test_locked_shapes_stay_whatever_is_asked(self):
        bench = boxes()
        bench.do(layering.lock_shapes, bench.ids[:1], is_locked=True)
        shape = bench.board.shape(bench.ids[0])
        bench.do(placing.map_shapes, bench.ids, Affine.shift(5, 5))
        bench.do(placing.remove_shapes, bench.ids[:1])
        assert bench.board.shape(bench.ids[0]) is shape
        assert bench.box(1)[0] == 105

    def test_rows_and_columns_by_gap_and_pitch(self):
        bench = boxes()
        _, every = bench.do(repeating.rows_and_columns, bench.ids[:1], Rows(3, 2, 5.0, 8.0, True))
        corners = sorted(bench.board.shape(id_).bounds()[:2] for id_ in every)
        wanted = sorted((10 + 35 * i, 20 + 18 * j) for i in range(3) for j in range(2))
        assert np.array(corners) == pytest.approx(np.array(wanted))
        _, every = boxes_and(lambda b: b.do(repeating.rows_and_columns, b.ids[:1], Rows(2, 1, 31.0, 0.0, False)))
        assert len(every) == 2

    def test_a_ring_lies_on_its_circle_and_turns(self):
        bench = Bench(Path.rectangle(190, 250, 20, 10))
        _, every = bench.do(repeating.ring, bench.ids, count=6, centre=(200.0, 150.0))
        assert len(every) == 6
        for k, id_ in enumerate(every):
            x0, y0, x1, y1 = bench.board.shape(id_).bounds()
            assert hypot((x0 + x1) / 2 - 200, (y0 + y1) / 2 - 150) == pytest.approx(105)
            assert placing.turned(bench.board.shape(id_)) == pytest.approx(60 * k)
        part = Bench(Path.rectangle(190, 250, 20, 10))
        _, every = part.do(repeating.ring, part.ids, count=3, centre=(200.0, 150.0), sweep=90.0, turns=False)
        assert placing.turned(part.board.shape(every[-1])) == 0
        assert part.board.shape(every[-1]).bounds()[2] == pytest.approx(105)

    def test_along_a_line_at_equal_steps(self):
        bench = Bench(Path.circle((5, 5), 2), Path.polyline([(0, 100), (90, 100)], closed=False))
        line = bench.board.shape(bench.ids[1]).placed()[0]
        _, every = bench.do(repeating.along_path, bench.ids[:1], line, count=4)
        centres = [(b[0] + b[2]) / 2 for b in (bench.board.shape(i).bounds() for i in every[1:])]
        assert centres == pytest.approx([0, 30, 60, 90])

    def test_copies_are_cut_like_their_originals(self):
        bench = boxes()
        edit, cut = edits.add_profile(bench.job, bench.b, bench.ids[:1])
        bench.job = edit.job
        _, every = bench.do(repeating.rows_and_columns, bench.ids[:1], Rows(2, 2, 5.0, 5.0, True))
        assert set(bench.board.cut(cut).shapes) == set(every)

    def test_copy_and_paste_across_boards_takes_layers_along(self):
        bench = boxes()
        clip = copying.copied(bench.job, bench.b, bench.ids[:2])
        edit, other = edits.add_board(bench.job)
        edit, ids = copying.paste(edit.job, other, clip)
        board = edit.job.board(other)
        assert [shape.bounds() for shape in board.shapes] == [bench.box(0), bench.box(1)]
        assert [layer.name for layer in board.layers] == ["one"]
        edit, again = copying.paste(edit.job, other, clip)
        assert len(edit.job.board(other).shapes) == 4
        assert not set(ids) & set(again)

    @settings(max_examples=40, deadline=None)
    @given(angle=st.floats(-720, 720), x=st.floats(-50, 450), y=st.floats(-50, 350), scale=st.floats(0.1, 5))
    def test_whatever_is_done_areas_scale_by_the_square(self, angle, x, y, scale):
        bench = Bench(blob(2))
        area = bench.area(bench.ids[0])
        bench.do(placing.turn_by, bench.ids, angle, (x, y))
        bench.do(placing.map_shapes, bench.ids, Affine.scale(scale, about=(x, y)))
        assert bench.area(bench.ids[0]) == pytest.approx(area * scale**2, rel=1e-3)

    @pytest.mark.parametrize(
        ("run", "words"),
        [
            (lambda b: placing.size_to(b.job, b.b, b.ids, Anchor.MIDDLE, width=0.0), "a size is"),
            (lambda b: placing.size_to(b.job, b.b, b.ids, Anchor.MIDDLE, width=float("nan")), "a size is"),
            (lambda b: placing.turn_by(b.job, b.b, b.ids, 1e9), "an angle is"),
            (lambda b: repeating.ring(b.job, b.b, b.ids, count=1, centre=(0, 0)), "a ring has"),
            (lambda b: repeating.rows_and_columns(b.job, b.b, b.ids, Rows(0, 1, 1, 1, True)), "at least one"),
            (lambda b: repeating.rows_and_columns(b.job, b.b, b.ids, Rows(900, 900, 1, 1, True)), "at most"),
            (lambda b: guides.add_guide(b.job, b.b, Guide(True, 1e9)), "a guide lies"),
            (lambda b: guides.set_margin(b.job, b.b, -1), "a margin is"),
            (lambda b: layering.change_layer(b.job, b.b, b.board.layers[0].id, "", name=" "), "has a name"),
            (lambda b: layering.remove_layer(b.job, b.b, b.board.layers[0].id), "holds 3 shapes"),
        ],
    )
    def test_what_cannot_be_is_a_sentence(self, run, words):
        assert words in sentence_of(ValueError, lambda: run(boxes()))


def boxes_and(run):
    bench = boxes()
    return run(bench)


FORMS = [
    (RectangleForm(width=40, height=20, corner_radius=5), 800 - 25 * (4 - pi)),
    (EllipseForm(width=30, height=30), 225 * pi),
    (EllipseForm(width=40, height=20), 200 * pi),
    (PolygonForm(sides=6, radius=10), 150 * sqrt(3)),
    (StarForm(points=5, outer=20, inner=8), 5 * 20 * 8 * np.sin(pi / 5)),
    (SlotForm(length=50, thickness=6, slack=0.2), 6.2 * (50 - 6.2) + pi * 3.1**2),
    (SlotForm(length=50, thickness=6, overrun=4, is_round=False), 6 * 54),
    (SlotForm(length=50, thickness=6, overrun=4, overruns_both=True, is_round=False), 6 * 58),
]


class TestDrawing:
    @pytest.mark.parametrize(("form", "area"), FORMS)
    def test_forms_have_the_area_their_formula_gives(self, form, area):
        bench = boxes()
        done = bench.do(shaping.draw, form, Affine.turn(30).then(Affine.shift(200, 150)))
        assert bench.area(done.pick[0]) == pytest.approx(area, rel=1e-4)

    @pytest.mark.parametrize(("form", "area"), FORMS)
    def test_sizing_a_drawn_shape_changes_its_measures(self, form, area):
        bench = boxes()
        done = bench.do(shaping.draw, form, Affine.turn(20).then(Affine.shift(200, 150)))
        bench.do(placing.map_shapes, done.pick, Affine.scale(1.5, about=(3, 4)))
        shape = bench.board.shape(done.pick[0])
        assert shape.form is not None
        assert hypot(shape.at.a, shape.at.b) == pytest.approx(1)
        assert region_of(outlines_of(shape.form), FillRule.NONZERO, chord_tolerance_mm=0.0005).area == pytest.approx(
            area * 2.25, rel=1e-4
        )
        assert bench.area(done.pick[0]) == pytest.approx(area * 2.25, rel=1e-4)

    def test_squeezed_rectangles_stay_rectangles_and_stars_become_outlines(self):
        bench = boxes()
        box = bench.do(shaping.draw, RectangleForm(width=40, height=20, corner_radius=5), Affine.shift(200, 150)).pick[
            0
        ]
        pent = bench.do(shaping.draw, StarForm(), Affine.shift(100, 150)).pick[0]
        bench.do(placing.map_shapes, [box, pent], Affine.scale(2, 1))
        assert bench.board.shape(box).form == RectangleForm(width=80, height=20, corner_radius=5)
        assert bench.board.shape(pent).form is None
        assert bench.area(pent) == pytest.approx(2 * 5 * 30 * 12 * np.sin(pi / 5), rel=1e-5)

    def test_other_measures_keep_the_place_and_a_conversion_drops_them(self):
        bench = boxes()
        id_ = bench.do(shaping.draw, EllipseForm(), Affine.shift(90, 80)).pick[0]
        bench.do(shaping.reform, id_, EllipseForm(width=10, height=10))
        assert bench.board.shape(id_).bounds() == pytest.approx((85, 75, 95, 85))
        bench.do(shaping.convert, [id_])
        assert bench.board.shape(id_).form is None

    @pytest.mark.parametrize(
        "make",
        [
            lambda: RectangleForm(width=0), lambda: EllipseForm(height=float("inf")), lambda: PolygonForm(sides=2),
            lambda: StarForm(points=1), lambda: SlotForm(thickness=1.0, slack=-1.0), lambda: TextForm(text="  "),
            lambda: TextForm(cap_height=0.0), lambda: TextForm(arc_radius=0.5),
        ],
    )  # fmt: skip
    def test_measures_that_make_no_shape_are_refused(self, make):
        assert sentence_of(ValueError, make)

    def test_drawn_shapes_go_on_a_free_layer(self):
        bench = boxes()
        bench.do(layering.change_layer, bench.board.layers[0].id, "", is_locked=True)
        done = bench.do(shaping.draw, EllipseForm(), Affine(), layer=bench.board.layers[0].id)
        layer = bench.board.layer(bench.board.shape(done.pick[0]).layer)
        assert (layer.name, layer.is_locked) == ("Drawn", False)


class TestText:
    def test_text_is_as_high_as_asked_and_changes_with_its_words(self):
        bench = boxes()
        form = TextForm(text="HI", cap_height=30.0, font="Zilla Slab Bold")
        id_ = bench.do(shaping.draw, form, Affine.shift(200, 150)).pick[0]
        x0, y0, x1, y1 = bench.board.shape(id_).bounds()
        assert y1 - y0 == pytest.approx(30, abs=0.05)
        assert (x0 + x1) / 2 == pytest.approx(200, abs=2)
        bench.do(shaping.reform, id_, msgspec.structs.replace(form, text="HIHI"))
        assert bench.board.shape(id_).name == "HIHI"
        assert bench.board.shape(id_).bounds()[2] - bench.board.shape(id_).bounds()[0] > 1.8 * (x1 - x0)

    def test_sizing_text_scales_its_cap_height(self):
        bench = boxes()
        id_ = bench.do(shaping.draw, TextForm(text="Quay", fit=Fit.NONE), Affine.shift(200, 150)).pick[0]
        bench.do(placing.map_shapes, [id_], Affine.scale(2.0))
        assert bench.board.shape(id_).form.cap_height == pytest.approx(40)

    def test_a_text_goes_to_the_file_and_comes_back_as_text(self):
        bench = boxes()
        id_ = bench.do(shaping.draw, TextForm(text="Ebbe\nFlut", arc_radius=50.0), Affine.shift(200, 150)).pick[0]
        bench.do(guides.add_guide, Guide(True, 20.0))
        bench.do(guides.set_margin, 10.0)
        back = unpack(pack(JobFile(bench.job)), name="t").job
        assert back == bench.job
        assert isinstance(back.boards[0].shape(id_).form, TextForm)


class TestCombining:
    def pair(self) -> Bench:
        return Bench(Path.rectangle(100, 100, 60, 40), Path.circle((160, 120), 20))

    def test_unite_subtract_intersect_have_the_areas_of_sets(self):
        a, c = 2400.0, 400 * pi
        both = 200 * pi
        for run, area in ((shaping.unite, a + c - both), (shaping.subtract, a - both), (shaping.intersect, both)):
            bench = self.pair()
            done = bench.do(run, bench.ids)
            assert sum(bench.area(id_) for id_ in done.pick) == pytest.approx(area, rel=2e-4)
            assert len(bench.board.shapes) == len(done.pick)

    def test_results_are_lines_and_arcs_again(self):
        bench = self.pair()
        done = bench.do(shaping.subtract, bench.ids)
        assert len(bench.board.shape(done.pick[0]).paths[0]) <= 7

    def test_what_is_picked_first_is_subtracted_from(self):
        bench = self.pair()
        done = bench.do(shaping.subtract, bench.ids[::-1])
        assert bench.area(done.pick[0]) == pytest.approx(200 * pi, rel=2e-4)

    def test_cuts_take_what_came_of_their_shapes(self):
        bench = self.pair()
        bench.job = edits.add_profile(bench.job, bench.b, bench.ids)[0].job
        done = bench.do(shaping.unite, bench.ids)
        assert bench.board.cuts[0].shapes == done.pick

    def test_split_by_a_line_and_by_an_area(self):
        bench = Bench(Path.rectangle(100, 100, 60, 40), Path.polyline([(90, 110), (170, 130)], closed=False))
        done = bench.do(shaping.split, bench.ids)
        assert len(done.pick) == 2
        assert sum(bench.area(id_) for id_ in done.pick) == pytest.approx(2400, rel=1e-4)
        bench = self.pair()
        done = bench.do(shaping.split, bench.ids)
        assert sorted(bench.area(id_) for id_ in done.pick) == pytest.approx([200 * pi, 2400 - 200 * pi], rel=3e-4)

    @settings(max_examples=25, deadline=None)
    @given(by=st.floats(0.5, 6), corners=st.sampled_from(["round", "sharp", "bevel"]))
    def test_offsets_of_a_rectangle_by_formula(self, by, corners):
        bench = Bench(Path.rectangle(100, 100, 60, 40))
        out = bench.do(shaping.offset, bench.ids, by, corners=corners)
        extra = {"round": pi * by**2, "sharp": 4 * by**2, "bevel": 2 * by**2}[corners]
        assert bench.area(out.pick[0]) == pytest.approx(2400 + 200 * by + extra, rel=1e-4)
        inside = bench.do(shaping.offset, bench.ids, -by, corners=corners)
        assert bench.area(inside.pick[0]) == pytest.approx((60 - 2 * by) * (40 - 2 * by), rel=1e-4)

    def test_thicken_and_frame(self):
        bench = Bench(Path.polyline([(50, 50), (150, 50)], closed=False))
        done = bench.do(shaping.thicken, bench.ids, 6.0, ends="round")
        assert bench.area(done.pick[0]) == pytest.approx(600 + 9 * pi, rel=1e-4)
        framed = bench.do(shaping.frame, done.pick, 10.0)
        assert bench.board.shape(framed.pick[-1]).bounds() == pytest.approx((37, 37, 163, 63), abs=0.01)

    @pytest.mark.parametrize(
        ("run", "words"),
        [
            (lambda b: shaping.unite(b.job, b.b, b.ids[:1]), "pick 2 shapes"),
            (lambda b: shaping.intersect(b.job, b.b, b.ids), "nothing would be left"),
            (lambda b: shaping.offset(b.job, b.b, b.ids, -500.0), "nothing is left"),
            (lambda b: shaping.offset(b.job, b.b, b.ids, 0.0), "not 0"),
            (lambda b: shaping.thicken(b.job, b.b, b.ids, 0.0), "a width is above"),
            (lambda b: shaping.split(b.job, b.b, b.ids), "splits nothing"),
            (lambda b: shaping.frame(b.job, b.b, (), 5.0), "nothing to frame"),
        ],
    )
    def test_what_gives_nothing_is_a_sentence(self, run, words):
        bench = Bench(Path.rectangle(0, 0, 10, 10), Path.rectangle(50, 0, 10, 10))
        assert words in sentence_of(ValueError, lambda: run(bench))


class TestCorners:
    def test_rounded_and_cut_corners_by_formula(self):
        bench = Bench(Path.rectangle(100, 100, 60, 40))
        bench.do(shaping.round_corners, bench.ids, 8.0)
        assert bench.area(bench.ids[0]) == pytest.approx(2400 - (4 - pi) * 64, rel=1e-5)
        cut = Bench(Path.rectangle(100, 100, 60, 40))
        cut.do(shaping.cut_corners, cut.ids, 5.0)
        assert cut.area(cut.ids[0]) == pytest.approx(2400 - 50)

    def test_only_the_chosen_corners(self):
        bench = Bench(Path.rectangle(100, 100, 60, 40))
        bench.do(shaping.cut_corners, bench.ids, 5.0, {bench.ids[0]: [(0, 2)]})
        assert bench.area(bench.ids[0]) == pytest.approx(2400 - 12.5)

    @pytest.mark.parametrize("how", ["on the corner", "along the longer side", "along the shorter side"])
    @pytest.mark.parametrize("turned", [False, True])
    def test_a_relieved_slot_takes_a_square_mate_cut_by_that_bit(self, how, turned):
        slot = Path.rectangle(100, 100, 60, 12)
        bench = Bench(slot.reverse() if turned else slot)
        bench.do(shaping.relieve_corners, bench.ids, 4.0, how, is_hole=True)
        shape = bench.board.shape(bench.ids[0])
        hole = region_of(shape.placed(), FillRule.NONZERO, chord_tolerance_mm=0.0005)
        # what a round bit of that size can clear inside the outline: opened by its radius
        reach = shapely.buffer(shapely.buffer(hole, -2.0, quad_segs=64), 2.002, quad_segs=64)
        mate = shapely.box(100, 100, 160, 112)
        assert shapely.difference(mate, reach).area < 0.02
        plain = shapely.buffer(shapely.buffer(mate, -2.0, quad_segs=64), 2.0, quad_segs=64)
        assert shapely.difference(mate, plain).area > 3  # without relief the corners stay

    def test_a_part_is_relieved_where_it_turns_in(self):
        ell = Path.polyline([(0, 0), (60, 0), (60, 20), (20, 20), (20, 60), (0, 60)], closed=True)
        bench = Bench(ell)
        done = bench.do(shaping.relieve_corners, bench.ids, 6.0, "on the corner", is_hole=False)
        assert done.words == "1 corner relieved."
        assert bench.area(bench.ids[0]) < 2000
        told = sentence_of(
            ValueError,
            lambda: shaping.relieve_corners(bench.job, bench.b, bench.ids, 500.0, "on the corner", is_hole=True),
        )
        assert "no corner" in told


class TestReading:
    def test_a_changed_file_keeps_places_layers_and_cuts(self):
        job = edits.change_board(new_job(), new_job().boards[0].id, "", sheet=SHEET).job
        b = job.boards[0].id
        first = drawing(Path.circle((50, 50), 10), Path.rectangle(100, 50, 20, 20), star(5, 20, 8, at=(200, 100)))
        edit, ids = placement.place_drawing(job, b, first, source=Source(name="a.svg"))
        job = edits.add_profile(edit.job, b, ids)[0].job
        job = placing.map_shapes(job, b, ids[:1], Affine.shift(7, 0)).job
        second = drawing(Path.circle((50, 50), 15), star(5, 20, 8, at=(200, 100)), Path.circle((9, 9), 3), keys="acx")
        done = placement.reread_drawing(job, b, "a.svg", second)
        board = done.edit.job.boards[0]
        assert (done.changed, len(done.added), done.gone) == (1, 1, 1)
        assert board.shape(ids[0]).bounds() == pytest.approx((42, 35, 72, 65))  # larger, and where it was moved to
        assert board.shape(ids[1]) is None
        assert board.shape(ids[2]) is job.boards[0].shape(ids[2])
        assert set(board.cuts[0].shapes) == {ids[0], ids[2]}
        assert board.shape(done.added[0]).bounds() == pytest.approx((6, 6, 12, 12))

    def test_combined_shapes_are_no_longer_the_file_s(self):
        bench = Bench(Path.rectangle(0, 0, 20, 20), Path.rectangle(10, 10, 20, 20))
        bench.do(shaping.unite, bench.ids)
        done = placement.reread_drawing(bench.job, bench.b, "a.svg", drawing(Path.circle((5, 5), 2)))
        assert done.gone == 0


class TestLayersAndCuts:
    def test_a_cut_follows_its_layer(self):
        bench = Bench(Path.rectangle(0, 0, 20, 20), Path.circle((60, 60), 10), layers=("parts", "holes"))
        bench.job = edits.add_profile(bench.job, bench.b, bench.ids[:1])[0].job
        cut = bench.board.cuts[0]
        bench.job = layering.follow_layer(bench.job, cut.id, bench.board.layers[1].id).job
        assert [s.id for s in bench.board.shapes_of(bench.board.cuts[0])] == list(bench.ids)
        new = bench.do(shaping.draw, EllipseForm(), Affine.shift(99, 99), layer=bench.board.layers[1].id).pick[0]
        assert new in [s.id for s in bench.board.shapes_of(bench.board.cuts[0])]
        assert "follows this layer" in sentence_of(
            ValueError, lambda: layering.remove_layer(*emptied(bench), bench.board.layers[1].id)
        )

    def test_layers_are_added_ordered_and_removed(self):
        bench = boxes()
        _, id_ = bench.do(layering.add_layer, "Notes")
        bench.do(layering.move_layer, id_, 0)
        assert [layer.name for layer in bench.board.layers] == ["Notes", "one"]
        bench.do(layering.remove_layer, id_)
        assert [layer.name for layer in bench.board.layers] == ["one"]


def emptied(bench):
    ids = [s.id for s in bench.board.shapes if s.layer == bench.board.layers[1].id]
    return placing.remove_shapes(bench.job, bench.b, ids).job, bench.b


class TestMeasuring:
    def test_readings_by_formula_and_following_their_shapes(self):
        bench = Bench(Path.circle((100, 100), 25), Path.rectangle(200, 90, 40, 20))
        one, two = bench.ids
        measure = lambda kind, points, shapes=(): reading(bench.board, Measure(kind=kind, points=points, shapes=shapes))  # noqa: E731
        assert measure(MeasureKind.DISTANCE, ((0, 0), (30, 40))).value == 50
        assert measure(MeasureKind.ANGLE, ((0, 0), (10, 0), (0, 7))).value == pytest.approx(90)
        assert measure(MeasureKind.RADIUS, ((125, 100),), (one,)).value == pytest.approx(25)
        assert measure(MeasureKind.LENGTH, ((125, 100),), (one,)).value == pytest.approx(50 * pi)
        assert measure(MeasureKind.AREA, ((125, 100),), (two,)).value == pytest.approx(800)
        gap = measure(MeasureKind.GAP, ((0, 0), (1, 1)), (one, two))
        assert gap.value == pytest.approx(75, abs=0.002)
        bench.do(placing.map_shapes, [two], Affine.shift(10, 0))
        assert measure(MeasureKind.GAP, ((0, 0), (1, 1)), (one, two)).value == pytest.approx(85, abs=0.002)
        assert measure(MeasureKind.RADIUS, ((210, 90),), (two,)) is None

    def test_a_reading_goes_with_its_shape(self):
        bench = boxes()
        bench.do(guides.pin_measure, Measure(kind=MeasureKind.AREA, points=((1, 1),), shapes=bench.ids[:1]))
        bench.do(placing.remove_shapes, bench.ids[:1])
        assert bench.board.measures == ()

    def test_guides_margins_and_centre_lines(self):
        bench = boxes()
        bench.do(guides.add_guide, Guide(True, 33.0))
        bench.do(guides.add_guide, Guide(True, 33.0))
        bench.do(guides.set_margin, 20.0)
        bench.do(guides.set_centre_lines, is_on=True)
        every = guides.all_guides(bench.board)
        assert len(every) == 7
        assert Guide(True, 380.0) in every
        assert Guide(False, 150.0) in every
        bench.do(guides.move_guide, 0, 50.0)
        assert bench.board.guides == (Guide(True, 50.0),)
        bench.do(guides.move_guide, 0, None)
        assert bench.board.guides == ()


class TestMendingOnTheBoard:
    def test_joined_shapes_take_the_first_one_s_place_in_all_cuts(self):
        from archimetra.artwork.mend import join_ends

        lines = [
            Path.polyline([a, b], closed=False) for a, b in (((0, 0), (30, 0)), ((30, 0), (30, 20)), ((30, 20), (0, 0)))
        ]
        bench = Bench(*lines, Path.circle((80, 80), 5))
        bench.job = edits.add_profile(bench.job, bench.b, bench.ids[1:3])[0].job
        done, entries = shaping.mend(bench.job, bench.b, bench.ids, join_ends, "Join")
        board = done.edit.job.boards[0]
        assert [shape.id for shape in board.shapes] == [bench.ids[0], bench.ids[3]]
        assert board.shape(bench.ids[0]).is_closed
        assert board.cuts[0].shapes == (bench.ids[0],)
        assert board.shape(bench.ids[3]) is bench.board.shape(bench.ids[3])
        assert entries[0].code == "joined"
