"""Tiles and faces as a person comes to them: chosen, typed, dragged, pinned, looked at one by one, written, undone."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest

from app.conftest import settle
from app.gestures import button, choose, drag, field, note_beside, part, pixel, type_into, words_on
from app.gestures import layout_panel as panel
from archimetra.app.widgets.tile_strip import TileStrip
from archimetra.app.widgets.turn_over import TurnOverPicker
from archimetra.geometry.path import Path
from archimetra.job.cut_parts import Side
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.file import JobFile
from archimetra.job.job import with_boards
from archimetra.job.setups import HeldBy, TileBy, TurnedAbout
from archimetra.job.sheet import Machine, Sheet
from cutting_board import board_with
from shapes import replace, straight_bit

LONG = Sheet(width=190.0, height=84.0, readings=(9.0,))


def long_job():
    job, board, _ = board_with(
        Path.rectangle(0, 0, 160, 36), kind=ProfileCut, bit=straight_bit(3.0), sheet=LONG, side=Side.OUTSIDE, goes_through=True,
    )  # fmt: skip
    return replace(with_boards(job, (replace(board, name="Long"),)), machine=Machine(travel_x=110.0, travel_y=110.0))


@pytest.fixture
def window(open_window):
    made = open_window(JobFile(long_job()))
    made.station_layout()
    return made


def tiled(window, qtbot, words: str = "A grid of tiles"):
    tiles = panel(window, "Tiles")
    choose(window, "Cut in", words)
    settle(qtbot, window)
    return tiles


class TestTiles:
    def test_a_board_too_long_says_so_and_is_cut_in_tiles(self, window, qtbot):
        tiles = panel(window, "Tiles")
        assert "part it in tiles" in words_on(tiles)
        tiled(window, qtbot)
        plan = window.session.planning.plan
        assert [s.name for s in plan.setups] == ["A1", "A2"]
        assert "2 tiles" in words_on(tiles)
        assert "Parts 'Cut'" in words_on(tiles)
        window.undo()
        settle(qtbot, window)
        assert window.session.board.tiling is None
        assert "part it in tiles" in words_on(tiles)

    def test_a_seam_goes_where_it_is_typed_and_no_farther_than_there_is_room(self, window, qtbot):
        tiled(window, qtbot)
        (seam,) = window.session.planning.plan.seams
        keys = [cut.key for cut in window.session.planning.plan.cuts]
        edit = type_into(window, "Seam 1 across X", "5")
        assert "to" in note_beside(edit)
        assert window.session.board.tiling.seams_x == ()
        QTest.keyClick(edit, Qt.Key.Key_Escape)
        type_into(window, "Seam 1 across X", f"{seam.at}+4")
        settle(qtbot, window)
        assert window.session.planning.plan.seams[0].at == pytest.approx(seam.at + 4)
        assert "by hand" in note_beside(field(window, "Seam 1 across X"))
        assert [cut.key for cut in window.session.planning.plan.cuts] == keys  # nothing was planned anew
        button(window, "Find the seams").click()
        settle(qtbot, window)
        assert window.session.planning.plan.seams[0].at == seam.at

    def test_a_seam_is_dragged_on_the_plan_within_its_room(self, window, qtbot):
        tiled(window, qtbot)
        plan = window.plan
        (seam,) = window.session.planning.plan.seams
        knob = plan.view.to_screen(seam.at, 0.0) + QPointF(0, 16)
        drag(plan, knob, knob + QPointF(plan.view.scale * 6, 0))
        settle(qtbot, window)
        moved = window.session.planning.plan.seams[0]
        assert moved.by_hand
        assert moved.at == pytest.approx(seam.at + 6, abs=0.6)
        knob = plan.view.to_screen(moved.at, 0.0) + QPointF(0, 16)
        drag(plan, knob, knob + QPointF(2000, 0))
        settle(qtbot, window)
        assert window.session.planning.plan.seams[0].at == pytest.approx(moved.room[1], abs=0.6)
        window.undo()
        settle(qtbot, window)
        assert window.session.planning.plan.seams[0].at == seam.at  # one step of undo for the same seam

    def test_pins_are_placed_refitted_and_taken_away(self, window, qtbot):
        tiles = tiled(window, qtbot)
        session = window.session
        assert "room for 2 holes, in waste" in words_on(tiles)
        button(window, "Place the pins").click()
        settle(qtbot, window)
        assert "two pins each" in words_on(tiles)
        places = session.planning.plan.setups[1].pins
        assert len(places) == 2
        type_into(window, "Pin", "4")
        settle(qtbot, window)
        board = session.board
        (first, second) = board.shapes_of(board.cut(board.tiling.pins))
        assert np.ptp(first.placed()[0].flatten(0.01)[:, 0]) == pytest.approx(4.2, abs=0.02)
        assert {(s.at.e, s.at.f) for s in (first, second)} == set(places)
        button(window, "Place the pins again").click()
        settle(qtbot, window)
        settle(qtbot, window)
        assert len(session.planning.plan.setups[1].pins) == 2
        next(w for w in tiles.form.findChildren(type(tiles._has_pins)) if w.isVisible()).click()
        settle(qtbot, window)
        assert all(shape.name != "pin 1" for shape in session.board.shapes)
        assert "zero" in words_on(tiles)
        assert all(not setup.pins for setup in session.planning.plan.setups)

    def test_each_tile_is_seen_as_it_lies_at_the_moment_its_turn_comes(self, window, qtbot):
        tiled(window, qtbot)
        strip = part(window, TileStrip)
        assert window.plan.seams.chosen is None
        whole = window.plan.seams.bed
        QTest.mouseClick(strip, Qt.MouseButton.LeftButton, pos=strip.box(1).center().toPoint())
        settle(qtbot, window)
        plan = window.session.planning.plan
        assert window.plan.seams.chosen == 1
        assert window.plan.seams.bed == plan.setups[1].reach != whole
        first = next(block for block in plan.run.blocks if block.setup == 1)
        assert window.session.playhead.seconds == pytest.approx(float(plan.times.ends[first.first - 1]))
        before = pixel(window, 30.0, 42.0)
        QTest.mouseClick(strip, Qt.MouseButton.LeftButton, pos=strip.box(1).center().toPoint())
        settle(qtbot, window)
        assert window.plan.seams.chosen is None
        assert pixel(window, 30.0, 42.0) != before  # no longer under a veil
        assert any("A2" in block.name for block in window.sequence.lane._blocks)
        assert "board shifted 1 time" in words_on(window.sequence)

    def test_half_a_number_for_a_seam_is_not_lost_to_a_plan_that_comes(self, window, qtbot):
        tiled(window, qtbot)
        edit = field(window, "Seam 1 across X")
        edit.setFocus()
        edit.selectAll()
        QTest.keyClicks(edit, "9")
        window.session.planning.planned.emit()
        assert field(window, "Seam 1 across X") is edit
        assert edit.text() == "9"

    def test_files_say_which_tile_they_are_for(self, window, qtbot):
        tiled(window, qtbot)
        button(window, "Place the pins").click()
        settle(qtbot, window)
        window.station_output()
        page = window.output_page
        # a card is in sight only once its layout has had its turn, after the files are there
        qtbot.waitUntil(lambda: "Before the board is laid on the machine" in words_on(page), timeout=20000)
        words = words_on(page)
        assert "A1. Needs" in words
        assert "A2: shift the board onto its pins first." in words
        assert not page.files[0].blocks

    @pytest.mark.parametrize("by", list(TileBy))
    def test_every_way_can_be_chosen_and_left_again(self, window, qtbot, by):
        words = {
            TileBy.GRID: "A grid of tiles",
            TileBy.ALONG: "Fed along, step by step",
            TileBy.HALF_TURN: "Two halves, turned round",
        }[by]
        tiled(window, qtbot, words)
        assert window.session.board.tiling.by is by
        assert len(window.session.planning.plan.setups) == 2
        button(window, "Place the pins").click()
        settle(qtbot, window)
        assert not [f for f in window.session.planning.plan.findings if f.code.startswith(("pin", "tile", "seam"))]
        choose(window, "Cut in", "One setup")
        settle(qtbot, window)
        assert window.session.board.tiling is None
        assert len(window.session.board.cuts) == 1


class TestFaces:
    def test_a_back_is_added_turned_over_and_parted(self, window, qtbot):
        session = window.session
        panel(window, "Faces")
        button(window, "Add its back").click()
        settle(qtbot, window)
        assert session.board.name == "Long, back"
        assert len(session.job.sheets) == 1
        assert "The back of 'Long'" in words_on(window.pages["layout"])
        picker = part(window, TurnOverPicker)
        QTest.mouseClick(picker, Qt.MouseButton.LeftButton, pos=picker.box(TurnedAbout.LENGTHWAYS).center().toPoint())
        settle(qtbot, window)
        assert session.board.back_of.about is TurnedAbout.LENGTHWAYS
        button(window, "Go to the other face").click()
        settle(qtbot, window)
        assert session.board.name == "Long"
        assert "its back is 'Long, back'" in words_on(window.pages["layout"])
        button(window, "Part the faces").click()
        settle(qtbot, window)
        assert len(session.job.sheets) == 2
        assert "one face" in words_on(window.pages["layout"])

    def test_another_board_becomes_the_back(self, window, qtbot):
        window.boards.add_board()
        settle(qtbot, window)
        other = window.session.board
        window.session.show_board(window.session.job.boards[0].id)
        window.station_layout()
        panel(window, "Faces")
        settle(qtbot, window)
        choose(window, "Or its back is", other.name)
        settle(qtbot, window)
        assert window.session.job.board(other.id).back_of.front == window.session.board_id
        assert window.session.job.board(other.id).sheet.id == window.session.board.sheet.id

    def test_the_section_of_a_back_shows_both_faces_and_a_thicker_sheet(self, window, qtbot):
        session = window.session
        front = session.board
        pocket = PocketCut(
            id="cut70", name="Front", bit=session.job.bits[0].id, shapes=front.cuts[0].shapes, end_depth=4.0
        )
        from archimetra.edits import cutting

        session.apply(cutting.remove_cuts(session.job, [front.cuts[0].id]))
        session.apply(cutting.add_cut(session.job, front.id, pocket))
        panel(window, "Faces")
        button(window, "Add its back").click()
        settle(qtbot, window)
        session.playhead.move_line(((0.0, 42.0), (190.0, 42.0)))
        settle(qtbot, window)
        moment = session.playhead.moment
        assert moment.under is not None
        assert moment.under[len(moment.under) // 2] == pytest.approx(-9.0 + 4.0)
        assert moment.under[2] == pytest.approx(-9.0)
        type_into(window, "Thicker by", "0.3")
        assert session.thicker == pytest.approx(0.3)
        panel(window, "Parts")
        assert session.thicker == 0.0

    def test_pins_for_turning_over_hold_both(self, window, qtbot):
        session = window.session
        panel(window, "Faces")
        button(window, "Add its back").click()
        settle(qtbot, window)
        button(window, "Pins").click()
        settle(qtbot, window)
        button(window, "Place the pins").click()
        settle(qtbot, window)
        assert session.board.back_of.held_by is HeldBy.PINS
        assert session.board.back_of.pins
        assert session.job.boards[0].cut(session.board.back_of.pins).name == "Pin holes"

    def test_a_depth_counts_from_the_other_face(self, window, qtbot):
        session = window.session
        panel(window, "Faces")
        button(window, "Add its back").click()
        session.show_board(session.job.boards[0].id)
        settle(qtbot, window)
        window.station_cuts()
        session.show_cut(session.board.cuts[0].id)
        settle(qtbot, window)
        type_into(window, "End depth", "6")
        button(window, "Back").click()
        settle(qtbot, window)
        (cut,) = session.board.cuts
        assert cut.end_depth == pytest.approx(3.0)
        type_into(window, "End depth", "2")
        settle(qtbot, window)
        (cut,) = session.board.cuts
        assert cut.depth(session.board.sheet) == pytest.approx(7.0)


class TestLying:
    def test_a_board_turned_on_the_machine_moves_nothing_on_it(self, window, qtbot):
        session = window.session
        window.station_board()
        before = session.board.shapes
        assert "part it in tiles" in words_on(window.pages["board"])
        button(window, "90°").click()
        settle(qtbot, window)
        assert session.board.quarter_turns == 1
        assert session.board.shapes == before
        (setup,) = session.planning.plan.setups
        assert setup.on_bed(0.0, 84.0) == (session.board.bed_x, session.board.bed_y)

    def test_a_board_that_fits_turned_is_offered_that(self, open_window):
        job = replace(long_job(), machine=Machine(travel_x=80.0, travel_y=260.0))
        window = open_window(JobFile(job))
        window.station_board()
        assert "It fits turned a quarter" in words_on(window.pages["board"])
        button(window, "90°").click()
        window.session.planning.replan()
