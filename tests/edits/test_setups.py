"""Edits of setups: what follows a board that is turned, tiled, copied, moved, and what is dropped with what is gone."""

from __future__ import annotations

import pytest

from archimetra.edits import basic, cutting
from archimetra.edits import setups as edits
from archimetra.edits.comparing import differences
from archimetra.edits.finishing import finish_edit, finished
from archimetra.edits.history import History
from archimetra.geometry.path import Path
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.setups import TileBy, Tiling, TurnedAbout
from archimetra.job.sheet import Sheet
from cutting_board import board_with
from shapes import replace, sentence_of, straight_bit

LONG = Sheet(width=400.0, height=90.0, readings=(9.0,))
PLACES = [(130.0, 8.0), (120.0, 82.0)]


@pytest.fixture
def job():
    made, _, _ = board_with(Path.rectangle(0, 0, 360, 60), kind=ProfileCut, bit=straight_bit(3.0), sheet=LONG)
    made = finished(edits.tile(made, made.boards[0].id, TileBy.GRID).job)
    return finish_edit(made, edits.place_pins(made, made.boards[0].id, PLACES).job)


def pins_of(board) -> list[tuple[float, float]]:
    return [(s.at.e, s.at.f) for s in board.shapes_of(board.cut(board.tiling.pins))]


def test_pins_are_circles_with_a_cut_that_makes_them(job):
    board = job.boards[0]
    assert pins_of(board) == PLACES
    cut = board.cut(board.tiling.pins)
    assert cut.goes_through
    assert board.cuts[0].id == cut.id  # before the outline
    again = finish_edit(job, edits.place_pins(job, board.id, PLACES[:1]).job)
    assert pins_of(again.boards[0]) == PLACES[:1]
    assert sum(layer.name == edits.PINS_LAYER for layer in again.boards[0].layers) == 1
    without = finish_edit(again, edits.remove_pins(again, board.id).job)
    assert all(layer.name != edits.PINS_LAYER for layer in without.boards[0].layers)
    assert len(without.boards[0].cuts) == 1


def test_pins_that_are_taken_away_by_hand_are_forgotten(job):
    board = job.boards[0]
    gone = finish_edit(job, cutting.remove_cuts(job, [board.tiling.pins]).job)
    assert gone.boards[0].tiling.pins == ""
    history = History(job)
    history.apply(cutting.remove_cuts(job, [board.tiling.pins]))
    history.undo()
    assert history.job.boards[0].tiling.pins == board.tiling.pins


def test_another_way_of_tiling_takes_its_pins_and_seams_along(job):
    board = job.boards[0]
    job = finish_edit(job, edits.move_seam(job, board.id, 0, [200.0], 0, 180.0).job)
    assert job.boards[0].tiling.seams_x == (180.0,)
    other = finish_edit(job, edits.tile(job, board.id, TileBy.HALF_TURN).job)
    assert other.boards[0].tiling == Tiling(by=TileBy.HALF_TURN)
    assert len(other.boards[0].cuts) == 1
    whole = finish_edit(job, edits.tile(job, board.id, None).job)
    assert whole.boards[0].tiling is None
    assert len(whole.boards[0].cuts) == 1


def test_seams_dragged_past_each_other_stay_in_order(job):
    board = job.boards[0]
    job = edits.move_seam(job, board.id, 0, [100.0, 200.0], 0, 260.0).job
    assert job.boards[0].tiling.seams_x == (200.0, 260.0)
    assert "lowest to the highest" in sentence_of(ValueError, lambda: Tiling(seams_x=(3.0, 2.0)))


def test_a_board_drawn_turned_takes_its_seams_with_it(job):
    board = job.boards[0]
    job = edits.change_tiling(job, board.id, "", seams_x=(150.0,), seams_y=(30.0,)).job
    turned = basic.turn_quarter(job, board.id).job.boards[0]
    assert (turned.tiling.seams_x, turned.tiling.seams_y) == ((60.0,), (150.0,))


def test_a_copy_of_a_tiled_board_has_pins_of_its_own(job):
    edit, copy = basic.duplicate_board(job, job.boards[0].id)
    job = finish_edit(job, edit.job)
    made = job.board(copy)
    assert made.tiling.pins != job.boards[0].tiling.pins
    assert pins_of(made) == PLACES
    job = finish_edit(job, edits.remove_pins(job, copy).job)
    assert pins_of(job.boards[0]) == PLACES


def test_a_copy_of_a_back_is_a_board_of_its_own_and_faces_move_together(job):
    edit, third = basic.add_board(job)
    job = finish_edit(job, edit.job)
    front = job.boards[0].id
    edit, back = edits.add_back(job, front, TurnedAbout.LENGTHWAYS)
    job = finish_edit(job, edit.job)
    assert [b.id for b in job.boards] == [front, back, third]
    edit, copy = basic.duplicate_board(job, back)
    copied = finish_edit(job, edit.job)
    assert copied.board(copy).back_of is None
    assert copied.board(copy).sheet.id != copied.board(back).sheet.id
    moved = finish_edit(job, basic.move_board(job, front, 1).job)
    assert [b.id for b in moved.boards] == [third, front, back]
    assert [b.id for b in basic.move_board(moved, back, -1).job.boards] == [front, back, third]


def test_what_differs_between_two_jobs_names_tiles_and_faces(job):
    other = finish_edit(job, edits.lie(job, job.boards[0].id, 3).job)
    assert any("how it lies" in words for words in differences(job, other))
    assert edits.lie(job, job.boards[0].id, 7).job.boards[0].quarter_turns == 3


def test_limits_are_sentences():
    for fields in (
        {"overcut": -1.0},
        {"pin_diameter": 0.0},
        {"pin_slack": 5.0},
        {"pin_depth": float("nan")},
        {"seams_x": (float("inf"),)},
    ):
        assert sentence_of(ValueError, lambda f=fields: Tiling(**f))
    with pytest.raises(ValueError, match="0 to 3"):
        replace(board_with(Path.rectangle(0, 0, 9, 9), kind=ProfileCut)[1], quarter_turns=4)
