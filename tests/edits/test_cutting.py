"""Edits of cuts, the suited order, recipes, the rack, kits, test pieces, suggestions: what the Cuts page is made of."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from archimetra.base.errors import JobFileError
from archimetra.edits import basic as edits
from archimetra.edits import cutting, kits, layering, leftovers, rack, test_piece
from archimetra.edits.finishing import finished
from archimetra.edits.ordering import precedences, suited_order
from archimetra.engine.planning import plan_board
from archimetra.geometry.path import Path
from archimetra.job import recipes
from archimetra.job.bits import Bit, BitKind, Recipe
from archimetra.job.cut_parts import Entry, Mark, Overrides, Side, Tabs
from archimetra.job.cuts.carve import CarveCut
from archimetra.job.cuts.chamfer import ChamferCut
from archimetra.job.cuts.engrave import EngraveCut
from archimetra.job.cuts.facing import FacingCut
from archimetra.job.cuts.hole import HoleCut
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.cuts.slot import SlotCut
from archimetra.job.file import decode_job, encode_job
from archimetra.job.ids import BitId, CutId, LayerId, ShapeId
from archimetra.job.job import new_job, with_boards
from archimetra.job.materials import Material
from archimetra.job.shapes import Layer
from archimetra.job.sheet import Fixture, Machine, Sheet
from archimetra.job.starter_rack import starter_rack
from archimetra.output.controllers import controller
from archimetra.output.files import gcode_files
from archimetra.output.gcode_reader import read_gcode
from archimetra.toolpath.suggest import suggestions
from cutting_board import board_with
from shapes import replace, sentence_of, star, straight_bit


def many_shapes():
    """A board of a plate with a hole, a star and an open line, each a shape of its own, on two layers."""
    paths = (Path.rectangle(0, 0, 120, 80), Path.circle((20, 20), 4), star(5, 12, 6, at=(70, 40)),
             Path.polyline([(10, 70), (50, 70)], closed=False))  # fmt: skip
    job, board, _ = board_with(*paths, kind=ProfileCut)
    whole = board.shapes[0]
    names = ("plate", "hole", "star", "line")
    shapes = tuple(
        replace(whole, id=ShapeId(f"shape{k + 1}"), name=name, paths=(path,), layer=whole.layer)
        for k, (name, path) in enumerate(zip(names, whole.paths, strict=True))
    )
    board = replace(board, shapes=shapes, cuts=(), auto_order=True)
    job = with_boards(job, (board,), bits=new_job().bits)
    return job, job.boards[0], {shape.name: shape for shape in shapes}


def add(job, kind, *names, shapes, **fields):
    cut = cutting.new_cut(job, job.boards[0].id, kind, [shapes[n].id for n in names], **fields)
    return cutting.add_cut(job, job.boards[0].id, cut).job, cut.id


class TestOrder:
    def test_facing_first_insides_before_outlines_and_few_bit_changes(self):
        job, _, shapes = many_shapes()
        a, b = job.bits[0].id, job.bits[1].id
        job, outline = add(job, ProfileCut, "plate", shapes=shapes, bit=a)
        job, star_ = add(job, PocketCut, "star", shapes=shapes, bit=b)
        job, hole = add(job, HoleCut, "hole", shapes=shapes, bit=a)
        job, line = add(job, EngraveCut, "line", shapes=shapes, bit=b)
        job, face = add(job, FacingCut, shapes=shapes, bit=a)
        job = finished(job)
        order = [cut.id for cut in job.boards[0].cuts]
        assert order[0] == face
        assert order[-1] == outline
        bits = [cut.bit for cut in job.boards[0].cuts]
        assert sum(x != y for x, y in zip(bits, bits[1:], strict=False)) <= 2
        assert set(order) == {outline, star_, hole, line, face}

    def test_a_rest_follows_its_pocket_and_a_slot_what_opens_it(self):
        job, board, shapes = many_shapes()
        job, first = add(job, PocketCut, "star", shapes=shapes, bit=job.bits[0].id)
        edit, rest = leftovers.add_rest(job, first, job.bits[2].id)
        job, slot = add(edit.job, SlotCut, "line", shapes=shapes, bit=job.bits[0].id)
        job, groove = add(job, EngraveCut, "line", shapes=shapes, bit=job.bits[1].id)
        job = finished(job)
        pairs = precedences(job.boards[0])
        assert {(first, rest), (groove, slot)} <= pairs
        place = {cut.id: k for k, cut in enumerate(job.boards[0].cuts)}
        assert all(place[a] < place[b] for a, b in pairs)
        assert board.auto_order

    @given(st.permutations(range(5)))
    def test_every_precedence_holds_from_any_beginning(self, order):
        job, board, shapes = many_shapes()
        for kind, name in (
            (ProfileCut, "plate"),
            (PocketCut, "star"),
            (HoleCut, "hole"),
            (EngraveCut, "line"),
            (ProfileCut, "star"),
        ):
            job, _ = add(job, kind, name, shapes=shapes, bit=job.bits[len(job.boards[0].cuts) % 3].id)
        board = replace(job.boards[0], cuts=tuple(job.boards[0].cuts[k] for k in order))
        cuts = suited_order(board)
        place = {cut.id: k for k, cut in enumerate(cuts)}
        assert sorted(place) == sorted(cut.id for cut in board.cuts)
        assert all(place[a] < place[b] for a, b in precedences(board))

    def test_dragging_makes_the_order_ones_own_and_a_click_gives_it_back(self):
        job, _, shapes = many_shapes()
        job, outline = add(job, ProfileCut, "plate", shapes=shapes)
        job, _ = add(job, HoleCut, "hole", shapes=shapes)
        job = finished(job)
        assert job.boards[0].cuts[-1].id == outline
        dragged = cutting.reorder_cut(job, job.boards[0].id, outline, 0).job
        assert dragged.boards[0].cuts[0].id == outline
        assert not dragged.boards[0].auto_order
        more, _ = add(dragged, EngraveCut, "line", shapes=shapes)
        assert finished(more).boards[0].cuts[0].id == outline, "one's own order stays"
        again = finished(cutting.order_by_itself(more, job.boards[0].id).job)
        assert again.boards[0].cuts[-1].id == outline


class TestSeveralAtOnce:
    def test_a_field_reaches_every_kind_that_has_it(self):
        job, _, shapes = many_shapes()
        job, a = add(job, ProfileCut, "plate", shapes=shapes)
        job, b = add(job, PocketCut, "star", shapes=shapes)
        job, c = add(job, HoleCut, "hole", shapes=shapes)
        job = cutting.change_cuts(job, (a, b, c), "", ramp_degrees=5.0).job
        by_id = {cut.id: cut for cut in job.boards[0].cuts}
        assert by_id[a].ramp_degrees == by_id[b].ramp_degrees == 5.0
        assert not hasattr(by_id[c], "ramp_degrees")
        job = cutting.override(job, (a, b), "feed", 900.0).job
        assert [cut.run.feed for cut in job.boards[0].cuts if cut.id in (a, b)] == [900.0, 900.0]

    def test_settings_are_copied_to_other_shapes_without_their_marks(self):
        job, _, shapes = many_shapes()
        mark = Mark(shapes["plate"].id, 0, 0)
        job, a = add(job, ProfileCut, "plate", shapes=shapes, finish=0.4, starts=(mark,))
        edit, new = cutting.copy_cut(job, a, shapes=(shapes["star"].id,))
        copy = edit.job.boards[0].cut(new)
        assert (copy.finish, copy.starts, copy.shapes) == (0.4, (), (shapes["star"].id,))

    def test_taking_a_pocket_away_leaves_its_rest_a_pocket_of_its_own(self):
        job, _, shapes = many_shapes()
        job, first = add(job, PocketCut, "star", shapes=shapes, end_depth=7.0)
        edit, rest = leftovers.add_rest(job, first, job.bits[2].id)
        left = cutting.remove_cuts(edit.job, (first,)).job.boards[0].cut(rest)
        assert (left.rest_of, left.end_depth, left.shapes) == ("", 7.0, (shapes["star"].id,))


class TestLimits:
    @pytest.mark.parametrize(
        ("make", "words"),
        [
            (
                lambda: ProfileCut(id=CutId("c"), name="", bit=BitId("b"), entry=Entry.HELIX),
                "plunge, a ramp or a spiral",
            ),
            (lambda: PocketCut(id=CutId("c"), name="", bit=BitId("b"), scallop=-1), "scallop"),
            (lambda: PocketCut(id=CutId("c"), name="", bit=BitId("b"), end_depth=float("nan")), "end depth"),
            (lambda: HoleCut(id=CutId("c"), name="", bit=BitId("b"), peck=0), "peck"),
            (lambda: FacingCut(id=CutId("c"), name="", bit=BitId("b"), run_past=1e9), "past"),
            (lambda: Overrides(stepover=1.5), "stepover"),
            (lambda: Tabs(spacing=1.0), "apart"),
            (lambda: Bit(id=BitId("b"), name="", diameter=6, kind=BitKind.KEYHOLE, neck=7), "neck"),
            (lambda: Fixture(x=0, y=0, width=0), "clamp"),
            (lambda: Sheet(width=10, height=10, readings=(1.0,), tint="red"), "colour"),
        ],
    )
    def test_what_cannot_be_is_refused_in_words(self, make, words):
        assert words in sentence_of(ValueError, make)

    def test_every_kind_survives_the_file(self):
        job, _, shapes = many_shapes()
        for kind in (ProfileCut, PocketCut, HoleCut, EngraveCut, FacingCut, SlotCut):
            job, _ = add(job, kind, "star", shapes=shapes)
        board = replace(job.boards[0], fixtures=(Fixture(x=10, y=20),))
        job = with_boards(job, (board,), bits=starter_rack())
        assert decode_job(encode_job(job), name="x") == job


class TestTurnedQuarter:
    def test_everything_on_the_board_turns_together_and_four_turns_change_nothing(self):
        job, board, _ = many_shapes()
        from archimetra.job.shapes import Guide

        board = replace(
            board, fixtures=(Fixture(x=30, y=10, degrees=20),), guides=(Guide(True, 50.0), Guide(False, 20.0))
        )
        turned = edits.turn_quarter(with_boards(job, (board,)), board.id).job
        fixture, height = turned.boards[0].fixtures[0], board.sheet.height
        assert (fixture.x, fixture.y, fixture.degrees) == (height - 10, 30, 110)
        assert turned.boards[0].guides == (Guide(False, 50.0), Guide(True, height - 20.0))
        for _ in range(3):
            turned = edits.turn_quarter(turned, board.id).job
        again = turned.boards[0]
        assert again.fixtures[0].x == pytest.approx(30)
        assert again.sheet == board.sheet
        assert np.allclose(again.shapes[2].bounds(), board.shapes[2].bounds())


class TestRecipes:
    def test_chip_load_is_judged_against_a_range_that_grows_with_the_bit(self):
        bit = straight_bit(6.0, flutes=2)
        low, high = recipes.chip_range(6.0, Material.PINE)
        feed = lambda load: Recipe(spindle_rpm=16000, feed=load * 16000 * 2)  # noqa: E731
        assert [
            recipes.judge(bit, feed(load), Material.PINE).verdict for load in (low / 2, (low + high) / 2, high * 2)
        ] == [-1, 0, 1]
        assert recipes.chip_range(3.0, Material.PINE)[0] < low < recipes.chip_range(12.0, Material.PINE)[0]

    @pytest.mark.parametrize("material", list(Material))
    def test_first_recipes_are_sound_and_the_machine_can_run_them(self, material):
        machine = Machine(max_rpm=10_000.0, min_rpm=5_000.0, max_feed=2_500.0)
        for bit in starter_rack():
            recipe = recipes.first_recipe(bit, material, machine)
            held = recipes.limit_to_machine(recipe, machine)
            assert held.reasons == () or recipe.feed > machine.max_feed
            if recipe.feed < 2_400 and bit.kind is not BitKind.DRILL:
                assert recipes.judge(bit, recipe, material).verdict == 0, (bit.name, material)

    def test_a_slow_spindle_takes_the_feed_with_it(self):
        held = recipes.limit_to_machine(Recipe(spindle_rpm=20_000, feed=2000, plunge=600), Machine(max_rpm=10_000.0))
        assert (held.recipe.spindle_rpm, held.recipe.feed, held.recipe.plunge) == (10_000, 1000, 300)
        assert "chip load stays" in held.reasons[0]

    def test_a_bit_runs_its_recipe_for_the_material_and_a_cut_may_differ(self):
        bit = recipes.with_recipe(straight_bit(6.0), Material.OAK, Recipe(feed=1234.0), notes="slow", result="clean")
        cut = ProfileCut(id=CutId("c"), name="", bit=bit.id, run=Overrides(plunge=99.0))
        assert cut.recipe(bit, Material.OAK).feed == 1234
        assert cut.recipe(bit, Material.OAK).plunge == 99
        assert cut.recipe(bit, Material.PINE).feed == bit.recipe.feed
        assert bit.recipes[0].result == "clean"


class TestRack:
    def test_it_survives_both_kinds_of_file(self, tmp_path):
        made = rack.Rack(bits=starter_rack())
        path = tmp_path / "rack.json"
        rack.save_rack(made, path)
        assert rack.load_rack(path) == made
        table = rack.read_csv(rack.as_csv(made), name="t.csv")
        assert [(b.name, b.kind, b.diameter, b.neck) for b in table.bits] == [
            (b.name, b.kind, b.diameter, b.neck) for b in made.bits
        ]
        assert [b.recipe for b in table.bits] == [b.recipe for b in made.bits]

    @pytest.mark.parametrize(
        ("text", "words"),
        [
            ("", "empty"),
            ("name,size\nA,3\n", "column 'size' is unknown"),
            ("name\nA\n", "name and diameter"),
            ("name,diameter\nA,3\nB,wide\n", "line 3: diameter is a number, not 'wide'"),
            ("name,diameter,kind\nA,3,hammer\n", "'hammer' is no kind"),
            ("name,diameter,flutes\nA,3,2.5\n", "whole"),
            ("name,diameter\nA,-3\n", "line 2: a bit is 0.05"),
        ],
    )
    def test_bad_tables_are_told_with_their_line(self, text, words):
        assert words in sentence_of(JobFileError, lambda: rack.read_csv(text, name="t.csv"))

    @given(st.binary(max_size=200))
    def test_any_bytes_are_a_rack_or_a_sentence(self, data):
        sentence_of(JobFileError, lambda: rack.read_json(data, name="x"))
        sentence_of(JobFileError, lambda: rack.read_csv(data.decode("utf-8", "replace"), name="x"))

    def test_a_damaged_rack_is_put_aside_and_never_written_over(self, tmp_path):
        path = tmp_path / "rack.json"
        path.write_bytes(b'{"rack_schema": 1, "bits": [{"id"')
        found, problem = rack.rack_at_hand(path)
        assert found.bits == rack.load_rack(tmp_path / "none.json").bits
        assert "rack.json.damaged" in problem
        rack.save_rack(found, path)
        assert (tmp_path / "rack.json.damaged").read_bytes().startswith(b'{"rack_schema"')
        assert rack.rack_at_hand(path) == (found, "")

    def test_copies_are_compared_updated_and_put_back(self):
        shop = rack.Rack(bits=starter_rack())
        edit, id_ = rack.take(new_job(), shop.bits[3])
        assert edit.job.bit(id_).place == 3
        again, same = rack.take(edit.job, shop.bits[3])
        assert (again.job, same) == (edit.job, id_), "taken once"
        job = edits.change_bit(edit.job, id_, "", diameter=11.0).job
        found = rack.compare(job.bit(id_), rack.origin_of(job.bit(id_), shop))
        assert [(d.field, d.in_job, d.in_rack) for d in found] == [("diameter", "11", "12.7")]
        assert rack.compare(rack.updated(job, id_, shop.bits[3]).job.bit(id_), shop.bits[3]) == ()
        put = rack.put_back(shop, job.bit(id_))
        assert len(put.bits) == len(shop.bits)
        assert rack.origin_of(job.bit(id_), put).diameter == 11.0


def two_layers(*names: str):
    """A new job whose board has some empty layers of these names."""
    job = new_job()
    board = replace(job.boards[0], layers=tuple(Layer(id=f"{name}-{k}", name=name) for k, name in enumerate(names)))
    return with_boards(job, (board,)), board


class TestKits:
    def test_a_kit_is_laid_by_layer_names_with_its_bits(self, tmp_path):
        job, board, shapes = many_shapes()
        job, a = add(job, PocketCut, "star", shapes=shapes, bit=job.bits[1].id, wall_allowance=0.3)
        job, _ = leftovers.add_rest(job, a, job.bits[2].id)[0].job, None
        kit = kits.load_kit(kits.save_kit(kits.kit_of(job, board.id, "Stars"), tmp_path))
        other, second, _ = many_shapes()
        other = replace(other, bits=other.bits[:1])
        laid = kits.lay_kit(other, second.id, kit)
        cuts = laid.edit.job.boards[0].cuts
        assert [type(cut) for cut in cuts] == [PocketCut, PocketCut]
        assert cuts[0].wall_allowance == 0.3
        assert cuts[0].layer == second.layers[0].id
        assert cuts[1].rest_of == cuts[0].id
        assert laid.edit.job.bit(cuts[0].bit).diameter == 3.0
        renamed = layering.change_layer(other, second.id, second.layers[0].id, "", name="elsewhere").job
        missed = kits.lay_kit(renamed, second.id, kit)
        assert missed.missing == (second.layers[0].name,)
        assert not missed.cuts

    def test_zones_go_by_the_layers_name(self):
        job, board = two_layers("Parts", "Keep off")
        parts, zone = board.layers[-2:]
        cut = ProfileCut(id="p", name="Out", bit=job.bits[0].id, layer=parts.id, tabs=Tabs(count=2, avoid=zone.id))
        kit = kits.kit_of(with_boards(job, (replace(board, cuts=(cut,)),)), board.id, "k")
        other, there = two_layers("Keep off", "Something", "Parts")
        laid = kits.lay_kit(other, there.id, kit)
        made = laid.edit.job.boards[0].cuts[-1]
        names = {layer.id: layer.name for layer in there.layers}
        assert names[made.tabs.avoid] == "Keep off"
        without, bare = two_layers("Parts", "Something")
        laid = kits.lay_kit(without, bare.id, kit)
        assert laid.edit.job.boards[0].cuts[-1].tabs.avoid == ""
        assert laid.missing == ("Keep off",)

    def test_facing_that_follows_an_empty_layer_does_not_become_the_whole_sheet(self):
        job, board = two_layers("Faces")
        layer = board.layers[-1]
        cut = FacingCut(id="f", name="Face", bit=job.bits[0].id, layer=layer.id, end_depth=1.0)
        kit = kits.kit_of(with_boards(job, (replace(board, cuts=(cut,)),)), board.id, "k")
        other, there = two_layers("Faces", "More")
        made = kits.lay_kit(other, there.id, kit).edit.job.boards[0].cuts[-1]
        assert not made.takes_whole_sheet
        gone, bare = two_layers("Other")
        laid = kits.lay_kit(gone, bare.id, kit)
        assert not laid.cuts
        assert laid.missing == ("Faces",)
        whole = replace(cut, layer="")
        kit = kits.kit_of(with_boards(job, (replace(board, cuts=(whole,)),)), board.id, "k")
        assert kits.lay_kit(gone, bare.id, kit).edit.job.boards[0].cuts[-1].takes_whole_sheet

    @pytest.mark.parametrize("field", [{"angle": 90.0}, {"tip_flat": 0.2}, {"cutting_length": 9.0}, {}])
    def test_a_bit_of_the_same_name_that_cuts_otherwise_is_another_bit(self, field):
        vee = Bit(id="v", name="V", kind=BitKind.VEE, diameter=12.0, angle=60.0)
        job, board = two_layers("Parts")
        job = replace(job, bits=(*job.bits, vee))
        cut = EngraveCut(id="e", name="Lines", bit="v", layer=board.layers[-1].id, end_depth=1.0)
        kit = kits.kit_of(with_boards(job, (replace(board, cuts=(cut,)),)), board.id, "k")
        other, there = two_layers("Parts")
        other = replace(other, bits=(*other.bits, replace(vee, id="mine", **field)))
        laid = kits.lay_kit(other, there.id, kit).edit.job
        used = laid.bit(laid.boards[0].cuts[-1].bit)
        assert (used.id == "mine") == (not field)
        assert used.angle == 60.0

    @pytest.mark.parametrize("data", [b"", b"{}", b'{"kit_schema": 99, "kit": {"name": "x"}}', b"\xff\xfe"])
    def test_bad_kits_are_told(self, tmp_path, data):
        path = tmp_path / "bad.kit.json"
        path.write_bytes(data)
        with pytest.raises(JobFileError):
            kits.load_kit(path)


class TestTestPiece:
    @pytest.mark.parametrize("sample", list(test_piece.Sample))
    def test_every_sample_runs_what_its_place_says_and_the_piece_exports(self, sample):
        job = new_job()
        piece = test_piece.suggested(
            job.bits[1], job.bits[1].recipe, job.bits[2].id, quantities=(test_piece.Quantity.FEED, test_piece.Quantity.DEPTH)
        )  # fmt: skip
        edit, board_id = test_piece.add_test_piece(job, job.boards[0].id, replace(piece, sample=sample))
        board = edit.job.board(board_id)
        plan = plan_board(edit.job, board, {})
        assert not plan.findings
        by_name = {cut.name: p.toolpath for cut, p in zip(board.cuts, plan.cuts, strict=True)}
        for down in piece.down.values:
            for across in piece.across.values:
                toolpath = by_name[f"feed {across:g} mm/min, depth {down:g} mm"]
                assert toolpath.feed.max() == across
                assert toolpath.xyz[:, 2].min() == pytest.approx(-down)
        text = gcode_files(edit.job, board, plan.run, controller("rs274"))[0].text
        assert not read_gcode(text).findings

    def test_what_cannot_be_tried_is_told(self):
        job = new_job()
        scale = test_piece.Scale(quantity=test_piece.Quantity.FEED, first=500, last=900)
        assert "different" in sentence_of(
            ValueError,
            lambda: test_piece.TestPiece(across=scale, down=scale, bit=job.bits[0].id, label_bit=job.bits[0].id),
        )
        deep = test_piece.TestPiece(
            across=scale, down=test_piece.Scale(quantity=test_piece.Quantity.DEPTH, first=5, last=40), bit=job.bits[0].id,
            label_bit=job.bits[2].id,
        )  # fmt: skip
        assert "goes through" in sentence_of(ValueError, lambda: test_piece.add_test_piece(job, job.boards[0].id, deep))


class TestSuggestions:
    def offered(self, *names):
        job, board, shapes = many_shapes()
        shop = rack.Rack(bits=starter_rack())
        return job, suggestions(job, board.id, [shapes[n] for n in names], shop)

    def test_what_the_shapes_look_like_comes_first(self):
        assert self.offered("hole")[1][0].kind is HoleCut
        assert self.offered("line")[1][0].kind is EngraveCut
        assert self.offered("plate")[1][0].kind is ProfileCut
        assert self.offered()[1][0].kind is FacingCut

    def test_every_offer_is_one_click_to_a_cut_that_plans(self):
        job, offers = self.offered("plate", "star")
        assert {o.kind for o in offers} == {ProfileCut, PocketCut, EngraveCut, FacingCut, CarveCut, ChamferCut, None}
        for offer in offers:
            edit, cut_id = offer.make()
            board = edit.job.boards[0]
            cut = board.cut(cut_id)
            assert edit.job.bit(cut.bit).name == offer.bit.name
            plan = plan_board(edit.job, board, {})
            mine = next(p.toolpath for p in plan.cuts if p.toolpath.cut == cut_id)
            assert len(mine) > 4, offer.title
        assert len(job.bits) == 3

    def test_the_bit_fits_the_place(self):
        _, offers = self.offered("star")
        inside = next(o for o in offers if o.kind is PocketCut)
        assert inside.bit.diameter <= 6.0
        opening = next(o for o in offers if o.title.startswith("Opening"))
        assert isinstance(opening.make()[0].job.boards[0].cuts[0], ProfileCut)
        assert opening.make()[0].job.boards[0].cuts[0].side is Side.INSIDE
        assert LayerId("") == ""


class TestNamesAndCopies:
    def test_a_cut_of_one_shape_bears_its_name_and_one_of_several_its_kind_and_place(self):
        job, board, _ = board_with(star(), kind=ProfileCut)
        shape = board.shapes[0]
        alone = cutting.new_cut(job, board.id, PocketCut, [shape.id])
        assert alone.name == shape.name.capitalize()
        twin = replace(shape, id=ShapeId("shape99"))
        board = replace(board, shapes=(*board.shapes, twin))
        job = with_boards(job, (board,))
        assert cutting.new_cut(job, board.id, PocketCut, [shape.id, twin.id]).name == "Pocket 2"

    def test_a_copied_cut_stands_behind_its_original_on_the_same_shapes_or_on_those_given(self):
        job, _, cut = board_with(star(), kind=ProfileCut, tabs=Tabs(count=3))
        edit, new = cutting.copy_cut(job, cut.id)
        assert [c.id for c in edit.job.boards[0].cuts] == [cut.id, new]
        copy = edit.job.boards[0].cut(new)
        assert (copy.name, copy.shapes, copy.tabs) == ("Cut copy", cut.shapes, cut.tabs)
        assert edit.label == "Copy cut"
        other, new = cutting.copy_cut(job, cut.id, shapes=(ShapeId("shape7"),))
        assert other.job.boards[0].cut(new).shapes == (ShapeId("shape7"),)
        assert other.label == "Copy settings to shapes"
