"""The pages: what is typed and chosen on each becomes the job, is told where it cannot, and is undone."""

from __future__ import annotations

import msgspec
import pytest
from PySide6.QtWidgets import QToolButton

from app.conftest import settle
from app.gestures import button, choose, field, named, note_beside, type_into, words_on
from archimetra.app.stations import STATIONS
from archimetra.app.widgets.form import Fold
from archimetra.demo import artwork
from archimetra.job.cut_parts import Direction, Entry
from archimetra.job.file import JobFile
from archimetra.job.job import new_job
from archimetra.job.materials import Material
from archimetra.job.sheet import HoldDown, ZeroAt
from plain_clock import plain_clock


def open_machine(window) -> None:
    fold = button(window, "The machine")
    if not fold.isChecked():
        fold.click()


class TestBoardPage:
    def test_sheet_material_grain_and_hold_down(self, open_window):
        window = open_window()
        window.station_board()
        type_into(window, "Width (X)", "400-12.5")
        type_into(window, "Height (Y)", "1ft")
        choose(window, "Material", "Walnut")
        type_into(window, "Grain", "200")
        button(window, "Tape, glue").click()
        sheet = window.session.board.sheet
        assert (sheet.width, sheet.height) == pytest.approx((387.5, 304.8))
        assert (sheet.material, sheet.grain_degrees, sheet.hold_down) == (Material.WALNUT, 20.0, HoldDown.TAPED)
        for _ in range(5):
            window.undo()
        assert window.session.board.sheet == plain_clock().job.boards[0].sheet

    def test_heights_that_contradict_each_other_are_told(self, open_window):
        window = open_window()
        window.station_board()
        edit = type_into(window, "Retract", "40")
        assert "retract height <= travel height" in note_beside(edit).lower()
        assert window.session.board.heights.retract == 3.0
        type_into(window, "Park", "60")
        type_into(window, "Travel", "45")
        type_into(window, "Retract", "40")
        assert window.session.board.heights.retract == 40.0

    @pytest.mark.parametrize("text", ["18.3; 18.1", "", "18.3, x", "0", "18.3, 900"])
    def test_readings_that_are_none_are_told_and_change_nothing(self, open_window, text):
        window = open_window()
        window.station_board()
        before, words = window.session.board.sheet, words_on(window.pages["board"])
        edit = type_into(window, "Thickness readings", text)
        assert edit.property("wrong") is True
        assert words_on(window.pages["board"]) != words
        assert window.session.board.sheet is before

    def test_one_reading_is_asked_to_become_several(self, open_window):
        window = open_window()
        window.station_board()
        type_into(window, "Thickness readings", "18.3")
        assert "several places" in words_on(window.pages["board"])

    def test_zero_can_be_typed_and_says_so(self, open_window):
        window = open_window()
        window.station_board()
        type_into(window, "X of zero", "12.5")
        type_into(window, "Y of zero", "320/4")
        zero = window.session.board.zero
        assert zero.at is ZeroAt.TYPED
        assert (zero.x, zero.y) == (12.5, 80.0)
        assert field(window, "Y of zero").text() == "320/4"

    def test_a_quarter_turn_and_the_place_on_the_bed(self, open_window, qtbot):
        window = open_window()
        window.station_board()
        type_into(window, "Width (X)", "300")
        type_into(window, "Sheet at X", "400")
        settle(qtbot, window)
        assert "out-of-travel" in {f.code for f in window.session.planning.plan.findings}
        open_machine(window)
        type_into(window, "Travel X", "1000")
        settle(qtbot, window)
        assert "out-of-travel" not in {f.code for f in window.session.planning.plan.findings}
        button(window, "Turn a quarter").click()
        sheet = window.session.board.sheet
        assert (sheet.width, sheet.height) == (320, 300)

    def test_the_machine_is_told_once_for_all_boards_and_rules_times_and_files(self, open_window, qtbot):
        window = open_window()
        window.station_board()
        open_machine(window)
        before = window.session.planning.plan.times.total
        type_into(window, "Machine name", "Long gantry")
        type_into(window, "Fastest cut", "500")
        type_into(window, "Slowest spindle", "17000")
        type_into(window, "Bit change takes", "20*60")
        settle(qtbot, window)
        machine = window.session.job.machine
        assert (machine.name, machine.max_feed, machine.min_rpm, machine.bit_change_s) == (
            "Long gantry",
            500,
            17000,
            1200,
        )
        plan = window.session.planning.plan
        assert plan.times.total > before + 1000
        cuts = plan.run.feed[plan.run.kind > 0]
        assert cuts.max() <= 500 + 1e-6
        assert "610 x 610 mm" in words_on(window.pages["board"])
        for _ in range(4):
            window.undo()
        assert window.session.job.machine.name == "Router 610 x 610"

    @pytest.mark.parametrize(
        ("name", "text"),
        [("Slowest spindle", "25000"), ("Fastest cut", "0"), ("Travel Z", "-3"), ("Fastest spindle", "x")],
    )
    def test_what_no_machine_can_be_is_told_at_the_field(self, open_window, name, text):
        window = open_window()
        window.station_board()
        open_machine(window)
        machine = window.session.job.machine
        edit = type_into(window, name, text)
        assert edit.property("wrong") is True
        assert note_beside(edit)
        assert window.session.job.machine == machine

    def test_renaming_a_board_renames_its_tab(self, open_window, qtbot):
        window = open_window()
        window.station_board()
        type_into(window, "Board name", "Dial, oak")
        names = lambda: [w.text() for w in window.header.findChildren(QToolButton) if w.isVisible()]  # noqa: E731
        qtbot.waitUntil(lambda: "Dial, oak" in names(), timeout=5_000)
        assert "Dial face" not in names()


class TestArtworkPage:
    def test_layers_hide_lock_and_pick(self, open_window):
        window = open_window()
        session = window.session
        window.station_artwork()
        named(window, "Show or hide layer waves").click()
        assert not next(layer for layer in session.board.layers if layer.name == "waves").is_shown
        named(window, "Lock or unlock layer compass").click()
        assert next(layer for layer in session.board.layers if layer.name == "compass").is_locked
        button(window, "movement").click()
        assert [session.board.shape(i).name for i in session.picked] == ["arbor hole"]

    def test_shapes_move_to_another_layer(self, open_window):
        window = open_window()
        session = window.session
        session.pick([next(s.id for s in session.board.shapes if s.name == "star")])
        window.station_artwork()
        window.artwork_page.show_panel("Place")
        choose(window, "Layer", "waves")
        waves = next(layer.id for layer in session.board.layers if layer.name == "waves")
        assert session.board.shape(session.picked[0]).layer == waves

    @pytest.mark.parametrize(
        ("name", "text"), [("Width (X)", "0"), ("Height (Y)", "-3"), ("Width (X)", "1e9"), ("Turn by", "north")]
    )
    def test_sizes_and_turns_that_cannot_be_are_told(self, open_window, name, text):
        window = open_window()
        window.session.pick([window.session.board.shapes[0].id])
        before = window.session.job
        window.station_artwork()
        window.artwork_page.show_panel("Place")
        assert note_beside(type_into(window, name, text)).endswith(".")
        assert window.session.job is before

    def test_reading_can_be_stopped(self, open_window, tmp_path):
        window = open_window()
        path = tmp_path / "dial.svg"
        path.write_bytes(artwork("dial-face.svg"))
        window.station_artwork()
        window.artwork_page.read_file(path)
        assert window.session.imports.is_reading
        assert "Reading dial.svg" in words_on(window.artwork_page.bring)
        button(window, "Stop").click()
        assert not window.session.imports.is_reading
        assert not window.artwork_page.bring._reading_row.isVisible()

    def test_what_does_not_land_leaves_nothing(self, open_window, qtbot, tmp_path):
        window = open_window()
        path = tmp_path / "dial.svg"
        path.write_bytes(artwork("dial-face.svg"))
        window.station_artwork()
        before = window.session.job
        with qtbot.waitSignal(window.session.imports.read, timeout=30_000):
            window.artwork_page.read_file(path)
        type_into(window, "True width", "0")
        assert "A size is" in note_beside(field(window, "True width"))
        button(window, "Not now").click()
        assert not window.artwork_page.bring.panel.isVisible()
        assert window.session.job is before

    def test_landing_twice_joins_layers_of_the_same_name(self, open_window, qtbot, tmp_path):
        window = open_window()
        path = tmp_path / "dial.svg"
        path.write_bytes(artwork("dial-face.svg"))
        window.station_artwork()
        with qtbot.waitSignal(window.session.imports.read, timeout=30_000):
            window.artwork_page.read_file(path)
        button(window, "Place on sheet").click()
        board = window.session.board
        assert len(board.layers) == 4
        assert len(board.shapes) == 8
        assert len({shape.id for shape in board.shapes}) == 8


def unfold(window):
    for fold in window.findChildren(Fold):
        fold.open()


class TestCutsPage:
    def test_copy_rename_and_remove(self, open_window, qtbot):
        window = open_window()
        session = window.session
        session.show_cut(session.board.cuts[0].id)
        window.station_cuts()
        button(window, "Copy").click()
        assert [c.name for c in session.board.cuts][:2] == ["Star", "Star copy"]
        type_into(window, "Cut name", "Star, deeper")
        assert session.board.cuts[1].name == "Star, deeper"
        button(window, "Remove").click()
        assert len(session.board.cuts) == 4
        assert session.cut_id is None

    def test_what_differs_from_the_recipe_is_marked_and_dropped(self, open_window):
        window = open_window()
        session = window.session
        session.show_cut(session.board.cuts[0].id)
        window.station_cuts()
        unfold(window)
        assert not window.cuts_page.cuts._follow.isVisible()
        edit = type_into(window, "Feed", "900")
        assert session.board.cuts[0].run.feed == 900
        assert "bit 1" in note_beside(edit)
        button(window, "Follow the bit").click()
        assert session.board.cuts[0].run.feed is None
        assert not window.cuts_page.cuts._follow.isVisible()

    def test_entry_direction_and_allowance(self, open_window):
        window = open_window()
        session = window.session
        cut = session.board.cuts[-1]
        session.show_cut(cut.id)
        window.station_cuts()
        unfold(window)
        button(window, "Plunge").click()
        button(window, "Conventional").click()
        type_into(window, "Past the bottom", "0.5")
        now = session.board.cut(cut.id)
        assert (now.entry, now.direction, now.allowance) == (Entry.PLUNGE, Direction.CONVENTIONAL, 0.5)
        assert field(window, "End depth").text() == "18.8"
        type_into(window, "End depth", "6")
        assert not session.board.cut(cut.id).goes_through
        assert "12.1 mm stay" in note_beside(field(window, "End depth"))

    def test_a_cut_takes_the_shapes_picked(self, open_window):
        window = open_window()
        session = window.session
        session.show_cut(session.board.cuts[0].id)
        session.pick([next(s.id for s in session.board.shapes if s.name == "wave border")])
        window.station_cuts()
        unfold(window)
        button(window, "Take picked").click()
        assert session.board.cuts[0].shapes == session.picked
        assert "wave border" in words_on(window.cuts_page.cuts)

    def test_tabs_are_whole(self, open_window):
        window = open_window()
        window.session.show_cut(window.session.board.cuts[-1].id)
        window.station_cuts()
        unfold(window)
        assert "whole" in note_beside(type_into(window, "Tabs", "2.5"))
        type_into(window, "Tabs", "6")
        assert window.session.board.cuts[-1].tabs.count == 6

    def test_choosing_a_bit_replans_with_it(self, open_window, qtbot):
        window = open_window()
        session = window.session
        session.show_cut(session.board.cuts[0].id)
        window.station_cuts()
        choose(window, "Bit", "1.5 mm straight")
        settle(qtbot, window)
        assert session.job.bit(session.board.cuts[0].bit).diameter == 1.5
        assert session.planning.plan.run.blocks[0].bit == session.board.cuts[0].bit

    def test_a_bit_in_use_stays_and_a_new_one_can_go(self, open_window):
        window = open_window()
        session = window.session
        session.show_cut(session.board.cuts[0].id)
        window.station_cuts()
        window.cuts_page.show_panel("Bits")
        count = len(session.job.bits)
        button(window, "Remove bit").click()
        assert "cuts with this bit" in words_on(window.cuts_page.bits)
        button(window, "Add a bit like it").click()
        assert len(session.job.bits) == count + 1
        assert "less" not in note_beside(type_into(window, "Cutting length", "30"))
        assert "wide" in note_beside(type_into(window, "Diameter", "0"))


class TestStations:
    def test_pages_are_built_when_first_shown_and_then_kept(self, open_window):
        window = open_window(JobFile(new_job()))
        assert set(window.pages) == {"board"}
        for station in STATIONS:
            named(window, f"Station {station.name}").click()
            assert window.pages[station.id].title == station.name
            assert window.pages[station.id].widget.isVisible()
        kept = dict(window.pages)
        named(window, "Station Board").click()
        assert window.pages == kept

    def test_keys_lead_to_the_stations_and_fold_the_page(self, open_window):
        window = open_window()
        for number, station in enumerate(STATIONS, 1):
            action = window.actions_by_id[f"station-{station.id}"]
            assert action.shortcut().toString() == f"Ctrl+{number}"
            action.trigger()  # what the key does; a window without a window manager never gets the keys themselves
            assert window.station == station.id
            assert window.page(station.id).widget.isVisible()
        window.toggle_page()
        assert window._stack.isHidden()
        window.toggle_page()
        assert not window._stack.isHidden()

    def test_an_unknown_controller_is_shown_as_none_and_told(self, open_window, qtbot):
        content = plain_clock()
        window = open_window(
            msgspec.structs.replace(content, job=msgspec.structs.replace(content.job, controller="mill9"))
        )
        with qtbot.waitSignal(window.session.said, timeout=30_000) as told:
            window.station_output()
        assert "no controller 'mill9'" in told.args[1]
        assert window.output_page._controller.currentIndex() == -1
        assert not window.output_page._write.isEnabled()
