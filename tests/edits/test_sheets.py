"""A sheet's outline, flaws, count and material: what is on the board stays where it is to them, and nothing is lost on the way."""

from __future__ import annotations

import msgspec
import numpy as np
import pytest
import shapely
from shapely import affinity
from shapely.geometry import Polygon

from archimetra.edits import basic, sheets
from archimetra.edits.finishing import finish_edit, finished
from archimetra.geometry.affine import IDENTITY
from archimetra.geometry.path import Path
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.file import decode_job, encode_job
from archimetra.job.ids import ShapeId
from archimetra.job.job import with_boards
from archimetra.job.materials import Material, OwnMaterial
from archimetra.job.recipes import with_recipe
from archimetra.job.sheet import Fixture, Flaw, Sheet, Zero, ZeroAt
from cutting_board import board_with
from shapes import blob, replace

ELL = Path.polyline([(20, 10), (220, 10), (220, 90), (120, 90), (120, 170), (20, 170)], closed=True)


def job_with(*paths, **board_fields):
    """A board 400 x 300 with a disc that is cut out, and further shapes beside it."""
    job, board, _ = board_with(Path.circle((70, 60), 20), kind=ProfileCut, goes_through=True)
    more = tuple(
        replace(board.shapes[0], id=ShapeId(f"shape{20 + k}"), name=f"edge {k}", paths=(path,), at=IDENTITY)
        for k, path in enumerate(paths)
    )
    board = replace(board, shapes=(*board.shapes, *more), **board_fields)
    return finished(with_boards(job, (board,)))


def ids(job, *names):
    return [shape.id for shape in job.boards[0].shapes if shape.name in names]


def area_of(flaw: Flaw) -> Polygon:
    return Polygon(flaw.outline.flatten(0.001))


class TestOutline:
    def test_everything_else_stays_where_it_is_to_the_edge(self):
        fixtures = (Fixture(x=60.0, y=150.0),)
        zero = Zero(at=ZeroAt.TYPED, x=30.0, y=20.0)
        job = job_with(ELL, Path.rectangle(140, 30, 40, 30), fixtures=fixtures, zero=zero)
        job = finish_edit(job, sheets.add_flaw(job, job.boards[0].id, (100.0, 50.0)).job)
        before = job.boards[0]
        edit = sheets.take_outline(job, before.id, ids(job, "edge 0", "edge 1"))
        after = finish_edit(job, edit.job).boards[0]
        assert [shape.name for shape in after.shapes] == [before.shapes[0].name]
        assert (after.sheet.width, after.sheet.height) == (200.0, 160.0)
        wanted = affinity.translate(Polygon(ELL.flatten(0.01)).difference(shapely.box(140, 30, 180, 60)), -20, -10)
        assert after.sheet.region.symmetric_difference(wanted).area < 1e-6
        for (x0, y0), (x1, y1) in (
            (before.shapes[0].bounds()[:2], after.shapes[0].bounds()[:2]),
            (before.zero.point(before.sheet), after.zero.point(after.sheet)),
            ((before.fixtures[0].x, before.fixtures[0].y), (after.fixtures[0].x, after.fixtures[0].y)),
            (before.sheet.flaws[0].outline.bounds()[:2], after.sheet.flaws[0].outline.bounds()[:2]),
        ):
            assert (x1 - x0, y1 - y0) == pytest.approx((-20, -10))
        assert after.cuts == before.cuts

    @pytest.mark.parametrize("path", [Path.polyline([(0, 0), (50, 0), (50, 30)], closed=False), None])
    def test_what_is_open_or_not_there_is_told(self, path):
        job = job_with(*([path] if path is not None else []))
        with pytest.raises(ValueError, match="needs a closed outline"):
            sheets.take_outline(job, job.boards[0].id, ids(job, "edge 0"))

    def test_two_outlines_beside_each_other_are_no_sheet(self):
        job = job_with(Path.rectangle(0, 0, 20, 20), Path.rectangle(50, 0, 20, 20))
        with pytest.raises(ValueError, match="one outline"):
            sheets.take_outline(job, job.boards[0].id, ids(job, "edge 0", "edge 1"))

    def test_cuts_of_what_became_the_edge_lose_it(self):
        job = job_with()
        after = finish_edit(job, sheets.take_outline(job, job.boards[0].id, [job.boards[0].shapes[0].id]).job)
        assert not after.boards[0].shapes
        assert all(not cut.shapes for cut in after.boards[0].cuts)

    def test_turned_a_quarter_four_times_it_is_as_before(self):
        job = job_with(ELL)
        job = finish_edit(job, sheets.take_outline(job, job.boards[0].id, ids(job, "edge 0")).job)
        job = finish_edit(job, sheets.add_flaw(job, job.boards[0].id, (30.0, 40.0)).job)
        sheet, once = job.boards[0].sheet, basic.turn_quarter(job, job.boards[0].id).job.boards[0].sheet
        turned = affinity.translate(affinity.rotate(sheet.region, 90, origin=(0, 0)), sheet.height, 0)
        assert once.region.symmetric_difference(turned).area < 1e-6
        flaw = affinity.translate(affinity.rotate(area_of(sheet.flaws[0]), 90, origin=(0, 0)), sheet.height, 0)
        assert area_of(once.flaws[0]).symmetric_difference(flaw).area < 1e-6
        for _ in range(4):
            job = finish_edit(job, basic.turn_quarter(job, job.boards[0].id).job)
        assert job.boards[0].sheet.region.symmetric_difference(sheet.region).area < 1e-6

    def test_a_rectangle_again_is_as_wide_and_as_high(self):
        job = job_with(ELL)
        job = finish_edit(job, sheets.take_outline(job, job.boards[0].id, ids(job, "edge 0")).job)
        sheet = finish_edit(job, sheets.make_rectangular(job, job.boards[0].id).job).boards[0].sheet
        assert sheet.region.equals(shapely.box(0, 0, 200, 160))

    def test_the_file_gives_it_back_curves_and_all(self):
        job = job_with(blob(3, 60.0))
        job = finish_edit(job, sheets.take_outline(job, job.boards[0].id, ids(job, "edge 0")).job)
        job = finish_edit(job, sheets.add_flaw(job, job.boards[0].id).job)
        job = finish_edit(job, sheets.change_flaw(job, job.boards[0].id, 0, is_hard=True).job)
        again = decode_job(encode_job(job), name="a.archimetra")
        assert again == job
        assert again.boards[0].sheet.outline == job.boards[0].sheet.outline

    @pytest.mark.parametrize(
        "fields",
        [
            {"outline": (Path.rectangle(1, 0, 99, 50),)},
            {"outline": (Path.rectangle(0, 0, 100, 51),)},
            {"outline": (Path.polyline([(0, 0), (100, 50)], closed=False),)},
            {"count": 0},
            {"count": 1000},
        ],
    )
    def test_what_no_sheet_can_be_is_refused(self, fields):
        with pytest.raises(ValueError, match=r"sheet"):
            Sheet(width=100.0, height=50.0, readings=(12.0,), **fields)


class TestFlaws:
    def test_outlines_become_flaws_and_stop_being_artwork(self):
        job = job_with(blob(2, 20.0), Path.circle((200, 100), 8))
        before = [shape.placed()[0].bounds() for shape in job.boards[0].shapes[1:]]
        after = finish_edit(job, sheets.take_flaws(job, job.boards[0].id, ids(job, "edge 0", "edge 1")).job).boards[0]
        assert len(after.shapes) == 1
        assert [flaw.outline.bounds() for flaw in after.sheet.flaws] == before

    def test_moved_and_sized_by_its_box(self):
        job = job_with()
        board = job.boards[0].id
        job = finish_edit(job, sheets.add_flaw(job, board, (100.0, 80.0)).job)
        for fields in ({"x": 50.0}, {"y": 33.5}, {"width": 12.0}, {"height": 64.0}, {"is_hard": True}):
            job = finish_edit(job, sheets.change_flaw(job, board, 0, **fields).job)
        flaw = job.boards[0].sheet.flaws[0]
        assert flaw.is_hard
        assert flaw.outline.bounds() == pytest.approx((44.0, 1.5, 56.0, 65.5))
        job = finish_edit(job, sheets.remove_flaw(job, board, 0).job)
        assert not job.boards[0].sheet.flaws

    @pytest.mark.parametrize("size", [{"width": 0.0}, {"height": -3.0}])
    def test_a_size_that_is_none_is_told(self, size):
        job = job_with()
        job = finish_edit(job, sheets.add_flaw(job, job.boards[0].id).job)
        with pytest.raises(ValueError, match=r"at least 0\.1 mm"):
            sheets.change_flaw(job, job.boards[0].id, 0, **size)


class TestMaterials:
    CHERRY = OwnMaterial(name="cherry", like=Material.WALNUT, tint="#A5623F")

    def test_recipes_are_its_own_or_of_what_it_is_like(self):
        bit = finished(job_with()).bits[0]
        like = with_recipe(bit, Material.WALNUT, msgspec.structs.replace(bit.recipe, feed=777.0))
        assert like.recipe_for(self.CHERRY).feed == 777.0
        own = with_recipe(like, self.CHERRY, msgspec.structs.replace(bit.recipe, feed=555.0))
        assert own.recipe_for(self.CHERRY).feed == 555.0
        assert own.recipe_for(Material.WALNUT).feed == 777.0

    def test_renamed_it_is_on_every_sheet_and_in_every_recipe(self):
        job = job_with()
        edit, second = basic.add_board(job)
        job = finish_edit(job, edit.job)
        for board in job.boards:
            job = finish_edit(job, sheets.change_sheet(job, board.id, "", material=self.CHERRY).job)
        bit = with_recipe(job.bits[0], self.CHERRY, msgspec.structs.replace(job.bits[0].recipe, feed=555.0))
        job = finish_edit(job, basic.change_bit(job, bit.id, "", recipes=bit.recipes).job)
        now = msgspec.structs.replace(self.CHERRY, name="wild cherry", tint="#B0704A")
        job = finish_edit(job, sheets.change_material(job, self.CHERRY, now).job)
        assert {board.sheet.material for board in job.boards} == {now}
        assert job.bits[0].recipe_for(now).feed == 555.0
        assert decode_job(encode_job(job), name="a.archimetra") == job
        assert second

    @pytest.mark.parametrize(
        ("fields", "words"),
        [
            ({"name": "Ash"}, "among the materials"),
            ({"name": ""}, "has a name"),
            ({"name": " oak"}, "has a name"),
            ({"name": "x" * 41}, "has a name"),
            ({"name": "cork", "tint": "brown"}, "a colour such as"),
        ],
    )
    def test_what_no_material_can_be_is_refused(self, fields, words):
        with pytest.raises(ValueError, match=words):
            OwnMaterial(**fields)

    def test_its_grain_is_as_much_darker_as_that_of_what_it_is_like(self):
        face, line = self.CHERRY.tones
        light, dark = (np.array([int(c[k : k + 2], 16) for k in (1, 3, 5)]) for c in (face, line))
        own, theirs = (np.array([int(c[k : k + 2], 16) for k in (1, 3, 5)]) for c in Material.WALNUT.tones)
        assert np.abs(dark / light - theirs / own).max() < 0.02
        assert msgspec.structs.replace(self.CHERRY, has_grain=False).tones == (face, face)
