"""Every edit gives a new job with just that changed, says what it did, and leaves the old job as it was."""

from __future__ import annotations

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from archimetra.artwork.drawing import Drawing, DrawnLayer, DrawnShape, Scale
from archimetra.edits import basic as edits
from archimetra.edits import layering, placement, placing
from archimetra.edits.finishing import finish_edit
from archimetra.edits.history import MOST_STEPS, History
from archimetra.geometry.affine import Affine
from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import Path
from archimetra.job.cut_parts import Side
from archimetra.job.job import new_job
from archimetra.job.sheet import HoldDown, Sheet
from plain_clock import plain_clock
from shapes import star

JOB = plain_clock().job
BOARD = JOB.boards[0]
STAR = next(s for s in BOARD.shapes if s.name == "star")

EDITS = {
    "job": lambda: edits.change_job(JOB, "Name", name="x"),
    "board": lambda: edits.change_board(JOB, BOARD.id, "Name", name="x"),
    "turn": lambda: edits.turn_quarter(JOB, BOARD.id),
    "add board": lambda: edits.add_board(JOB)[0],
    "move": lambda: placing.map_shapes(JOB, BOARD.id, [STAR.id], Affine.shift(1, 2)),
    "remove shapes": lambda: placing.remove_shapes(JOB, BOARD.id, [STAR.id]),
    "layer": lambda: layering.change_layer(JOB, BOARD.id, BOARD.layers[0].id, "Hide", is_shown=False),
    "to layer": lambda: layering.move_to_layer(JOB, BOARD.id, [STAR.id], BOARD.layers[0].id),
    "profile": lambda: edits.add_profile(JOB, BOARD.id, [STAR.id])[0],
    "cut": lambda: edits.change_cut(JOB, BOARD.cuts[0].id, "Depth", end_depth=4.0),
    "remove cut": lambda: edits.remove_cut(JOB, BOARD.cuts[0].id),
    "copy cut": lambda: edits.copy_cut(JOB, BOARD.cuts[0].id)[0],
    "reorder": lambda: edits.reorder_cut(JOB, BOARD.id, BOARD.cuts[0].id, 2),
    "bit": lambda: edits.change_bit(JOB, JOB.bits[0].id, "Diameter", diameter=5.0),
    "add bit": lambda: edits.add_bit(JOB)[0],
}


def drawing(*paths: Path, page=None, layers=("one",)) -> Drawing:
    shapes = tuple(
        DrawnShape(f"s{k}", k % len(layers), (p,), FillRule.NONZERO, True, None, 1) for k, p in enumerate(paths)
    )
    return Drawing("art", tuple(DrawnLayer(name) for name in layers), shapes, Scale("mm", 1.0, "", True), page, ())


@pytest.mark.parametrize("make", EDITS.values(), ids=EDITS.keys())
def test_an_edit_changes_the_new_job_only_and_undo_brings_the_old_one_back(make):
    before = msgspec.json.encode(JOB, enc_hook=repr)
    edit = make()
    assert edit.label
    assert edit.job != JOB
    assert msgspec.json.encode(JOB, enc_hook=repr) == before
    history = History(JOB)
    assert history.apply(edit)
    assert history.undo_label == edit.label
    assert history.undo()
    assert history.job == JOB
    assert all(now is was for now, was in zip(history.job.boards, JOB.boards, strict=True))
    assert history.redo_label == edit.label
    assert history.redo()
    assert history.job == finish_edit(JOB, edit.job)


@pytest.mark.parametrize("make", EDITS.values(), ids=EDITS.keys())
def test_what_an_edit_does_not_change_is_shared(make):
    after = make().job
    for bit in JOB.bits[1:]:
        assert any(kept is bit for kept in after.bits)
    if after.boards[0].layers == BOARD.layers:
        assert after.boards[0].layers is BOARD.layers
    untouched = [s for s in BOARD.shapes if s.id != STAR.id]
    assert all(any(kept.paths is s.paths for kept in after.boards[0].shapes) for s in untouched)


class TestReordering:
    @given(st.integers(0, 3), st.integers(-2, 9))
    def test_one_cut_moves_and_the_others_keep_their_order(self, which, position):
        cut = BOARD.cuts[which]
        after = [c.id for c in edits.reorder_cut(JOB, BOARD.id, cut.id, position).job.boards[0].cuts]
        assert after.index(cut.id) == min(max(position, 0), 3)
        assert [i for i in after if i != cut.id] == [c.id for c in BOARD.cuts if c.id != cut.id]


class TestLanding:
    def test_art_without_a_page_is_centred(self):
        job = new_job()
        edit, (one,) = placement.place_drawing(job, job.boards[0].id, drawing(Path.rectangle(1000, -500, 60, 20)))
        assert edit.job.boards[0].shape(one).bounds() == pytest.approx((170, 140, 230, 160))

    def test_art_on_a_page_of_the_sheets_size_keeps_its_place(self):
        job = new_job()
        edit, (one,) = placement.place_drawing(
            job, job.boards[0].id, drawing(Path.rectangle(7, 9, 60, 20), page=(400, 300))
        )
        assert edit.job.boards[0].shape(one).bounds() == pytest.approx((7, 9, 67, 29))

    def test_layers_of_one_name_are_one_and_ids_go_on(self):
        job = new_job()
        art = drawing(Path.circle((0, 0), 5), star(), layers=("holes", "parts"))
        once, first = placement.place_drawing(job, job.boards[0].id, art)
        twice, second = placement.place_drawing(once.job, job.boards[0].id, art)
        board = twice.job.boards[0]
        assert [layer.name for layer in board.layers] == ["holes", "parts"]
        assert len({*first, *second}) == 4

    @given(st.floats(-50, 50), st.floats(-50, 50))
    def test_centring_puts_the_middle_in_the_middle(self, dx, dy):
        moved = placing.map_shapes(JOB, BOARD.id, [STAR.id], Affine.shift(dx, dy)).job
        x0, y0, x1, y1 = placing.centre_shapes(moved, BOARD.id, [STAR.id]).job.boards[0].shape(STAR.id).bounds()
        assert ((x0 + x1) / 2, (y0 + y1) / 2) == pytest.approx((160, 160))


class TestDefaults:
    def profile(self, path: Path, **sheet: object):
        job = new_job()
        settings = {"width": 300.0, "height": 300.0, "readings": (12.0,)} | sheet
        job = edits.change_board(job, job.boards[0].id, "", sheet=Sheet(**settings)).job
        edit, ids = placement.place_drawing(job, job.boards[0].id, drawing(path))
        return edits.add_profile(edit.job, job.boards[0].id, ids)[0].job.boards[0].cuts[0]

    def test_a_closed_outline_is_cut_out_through_the_sheet_with_tabs(self):
        cut = self.profile(star())
        assert (cut.side, cut.goes_through, cut.tabs.count) == (Side.OUTSIDE, True, 4)
        assert cut.tabs.thickness == 3.0

    def test_taped_work_gets_no_tabs_and_thin_sheets_thin_ones(self):
        assert self.profile(star(), hold_down=HoldDown.TAPED).tabs.count == 0
        assert self.profile(star(), readings=(3.0,)).tabs.thickness == pytest.approx(0.75)

    def test_an_open_line_is_followed_shallowly(self):
        cut = self.profile(Path.polyline([(0, 0), (50, 20)], closed=False))
        assert (cut.side, cut.goes_through, cut.end_depth, cut.tabs.count) == (Side.ON, False, 1.0, 0)


class TestHistory:
    def test_a_new_edit_drops_what_was_undone(self):
        history = History(JOB)
        history.apply(EDITS["cut"]())
        history.undo()
        history.apply(EDITS["bit"]())
        assert history.redo_label is None
        assert not history.redo()

    def test_it_keeps_a_bounded_number_of_steps(self):
        history = History(JOB)
        for k in range(MOST_STEPS + 20):
            history.apply(edits.change_job(history.job, "Name", name=f"name {k}"))
        steps = 0
        while history.undo():
            steps += 1
        assert steps == MOST_STEPS - 1

    @given(st.lists(st.sampled_from(["nudge a", "nudge b", ""]), min_size=1, max_size=12))
    def test_runs_of_one_merge_key_are_one_step(self, keys):
        history = History(JOB)
        for k, key in enumerate(keys):
            edit = edits.change_job(history.job, "Name", name=f"name {k}")
            history.apply(msgspec.structs.replace(edit, merge=key))
        wanted = sum(1 for k, key in enumerate(keys) if not key or k == 0 or keys[k - 1] != key)
        steps = 0
        while history.undo():
            steps += 1
        assert steps == wanted
        assert history.job == JOB
