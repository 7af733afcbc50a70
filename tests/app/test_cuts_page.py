"""The Cuts page as a person uses it: offers, editors of every kind, bits and rack, recipes, test piece, marks and clamps on the plan."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QComboBox, QLabel, QPushButton

from app.conftest import settle
from app.gestures import button, choose, drag, field, note_beside, part, type_into, words_on
from archimetra.app.stations.cuts.cut_list import CutList
from archimetra.app.stations.cuts.kinds import form_of
from archimetra.app.widgets.cut_sketch import CutSketch
from archimetra.app.widgets.form import Fold
from archimetra.edits import basic as edits
from archimetra.edits import cutting, kits, rack
from archimetra.job.bits import BitKind
from archimetra.job.cut_parts import Entry, Pattern
from archimetra.job.cuts.engrave import EngraveCut
from archimetra.job.cuts.facing import FacingCut
from archimetra.job.cuts.hole import HoleCut
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.cuts.slot import SlotCut
from archimetra.job.file import JobFile
from archimetra.job.job import new_job
from archimetra.job.materials import Material
from archimetra.job.sheet import Fixture
from archimetra.job.starter_rack import starter_rack
from archimetra.toolpath.resolve import resolved
from archimetra.toolpath.shared.moves import MarkKind


def unfold(window):
    for fold in window.findChildren(Fold):
        fold.open()


def shape_named(session, name):
    return next(s for s in session.board.shapes if s.name == name)


def offer(window, title):
    window.cuts_page.cuts.offers.refresh()
    window.cuts_page.cuts.offers.show_all()
    return next(b for b in window.cuts_page.cuts.form.findChildren(QPushButton) if b.accessibleName() == f"Add {title}")


def show(window, kind):
    """The first cut of a kind on any board of the sample, in detail."""
    session = window.session
    for board in session.job.boards:
        for cut in board.cuts:
            if isinstance(cut, kind):
                session.show_board(board.id)
                session.show_cut(cut.id)
                window.station_cuts()
                unfold(window)
                return cut
    raise AssertionError(f"the sample has no {kind.__name__}")


class TestOffers:
    @pytest.mark.parametrize(
        ("name", "title", "kind"),
        [
            ("star", "Pocket", PocketCut),
            ("arbor hole", "Holes", HoleCut),
            ("dial", "Outline, outside", ProfileCut),
            ("wave border", "Line engraving", EngraveCut),
        ],
    )
    def test_one_click_adds_what_suits_the_shape(self, open_window, qtbot, name, title, kind):
        window = open_window()
        session = window.session
        window.station_cuts()
        session.pick([shape_named(session, name).id])
        offer(window, title).click()
        added = session.board.cut(session.cut_id)
        assert isinstance(added, kind)
        assert added.shapes == (shape_named(session, name).id,)
        settle(qtbot, window)
        assert session.planning.plan.cuts[session.board.cuts.index(added)].toolpath.xyz[:, 2].min() < 0

    def test_an_empty_sheet_can_be_faced(self, open_window, qtbot):
        window = open_window(JobFile(new_job()))
        window.station_cuts()
        offer(window, "Facing").click()
        bed = {"bed_x": 60.0, "bed_y": 60.0}  # in the corner of the bed the bit could not run past the sheet
        window.session.apply(edits.change_board(window.session.job, window.session.board.id, "", **bed))
        assert isinstance(window.session.board.cuts[0], FacingCut)
        assert window.session.job.bit(window.session.board.cuts[0].bit).kind is BitKind.SURFACING, "taken from the rack"
        settle(qtbot, window)
        assert not window.session.planning.plan.findings


class TestEditors:
    @pytest.mark.parametrize("kind", [ProfileCut, PocketCut, HoleCut, EngraveCut, SlotCut])
    def test_every_editor_opens_types_and_takes_back(self, open_window, kind):
        window = open_window()
        cut = show(window, kind)
        if not cut.goes_through:
            type_into(window, "End depth", "4.5")
            assert window.session.board.cut(cut.id).end_depth == 4.5
            window.undo()
        type_into(window, "Cut name", "Other")
        assert window.session.board.cut(cut.id).name == "Other"
        about = resolved(window.session.job, window.session.board)[cut.id]
        sketch = part(window, CutSketch).data
        assert sketch.outline == form_of(cut).outline(about.cut, about.bit, about.ends_at)
        window.undo()
        assert window.session.board.cut(cut.id) == cut

    def test_a_pocket_is_set_up_and_given_a_smaller_bit(self, open_window, qtbot):
        window = open_window()
        cut = show(window, PocketCut)
        button(window, "To and fro").click()
        type_into(window, "Angle", "45")
        type_into(window, "Stepover in mm", "1.5")
        type_into(window, "Wall", "0.3")
        button(window, "Ramp").click()
        now = window.session.board.cut(cut.id)
        assert (now.pattern, now.raster_degrees, now.wall_allowance, now.entry) == (
            Pattern.RASTER,
            45.0,
            0.3,
            Entry.RAMP,
        )
        assert now.run.stepover == pytest.approx(0.5)
        button(window, "Smaller bit for the rest").click()
        rest = window.session.board.cut(window.session.cut_id)
        assert rest.rest_of == cut.id
        assert "cannot reach" in words_on(window.cuts_page.cuts.editor(PocketCut))
        settle(qtbot, window)

    def test_a_counterbore_is_typed(self, open_window):
        window = open_window()
        cut = show(window, HoleCut)
        type_into(window, "Counterbore 1 width", "20")
        type_into(window, "Counterbore 1 depth", "1/4in")
        (step,) = window.session.board.cut(cut.id).steps
        assert (step.diameter, step.depth) == (20.0, pytest.approx(6.35))
        type_into(window, "Counterbore 1 width", "")
        type_into(window, "Counterbore 1 depth", "")
        assert window.session.board.cut(cut.id).steps == ()

    def test_several_cuts_are_changed_at_once(self, open_window):
        window = open_window()
        session = window.session
        session.show_board(session.job.boards[1].id)
        session.show_cut(session.board.cuts[0].id)
        window.station_cuts()
        unfold(window)
        rows = part(window, CutList)
        rows.item(1).setSelected(True)
        type_into(window, "Feed", "1000")
        assert [cut.run.feed for cut in session.board.cuts][:3] == [1000.0, 1000.0, None]
        assert "2 picked" in words_on(window.cuts_page.cuts)

    def test_limits_are_told_beside_the_field(self, open_window):
        window = open_window()
        show(window, PocketCut)
        edit = type_into(window, "Stepover", "150")
        assert "1 to 95 %" in note_beside(edit)
        assert edit.property("wrong") is True

    def test_the_chip_load_is_judged_and_the_machine_holds_it(self, open_window):
        window = open_window()
        show(window, PocketCut)
        type_into(window, "Feed", "40000")
        assert "most" in words_on(window.cuts_page.cuts)
        type_into(window, "Feed", "100")
        assert "rubs" in words_on(window.cuts_page.cuts)

    def test_a_kit_is_laid_from_the_page(self, open_window, tmp_path):
        window = open_window()
        session = window.session
        path = kits.save_kit(kits.kit_of(session.job, session.board.id, "Clock"), tmp_path)
        window.station_cuts()
        before = len(session.board.cuts)
        window.cuts_page.cuts.saved.apply_file(path)
        assert len(session.board.cuts) == 2 * before
        bad = tmp_path / "bad.kit.json"
        bad.write_text("[]")
        window.cuts_page.cuts.saved.apply_file(bad)
        assert "holds no saved cuts" in words_on(window.cuts_page.cuts)

    def test_a_new_window_builds_every_kind_on_an_empty_board(self, open_window):
        window = open_window(JobFile(new_job()))
        session = window.session
        window.station_cuts()
        for kind in (ProfileCut, PocketCut, HoleCut, EngraveCut, FacingCut, SlotCut):
            cut = cutting.new_cut(session.job, session.board.id, kind, ())
            session.apply(cutting.add_cut(session.job, session.board.id, cut))
            session.show_cut(cut.id)
            assert window.cuts_page.cuts.editor(kind).form.isVisible()


class TestSketch:
    def test_what_is_taken_away_is_drawn_to_measure(self, open_window):
        session = open_window().session
        rack_bits = {bit.name: bit for bit in starter_rack()}

        def data(kind, bit, **fields):
            cut = cutting.new_cut(session.job, session.board.id, kind, (), **fields)
            return form_of(kind).outline(cut, rack_bits[bit], 8.0)

        assert max(x for x, _ in data(ProfileCut, "6 mm straight")) == 3.0
        v = data(EngraveCut, "60° V")
        assert max(x for x, _ in v) == pytest.approx(0.05 + 8 * 3**-0.5)
        slot = data(SlotCut, "9.5 mm keyhole")
        assert {round(abs(x), 2) for x, _ in slot} == {2.4, 4.75}
        assert (-4.75, 8.0) in slot
        drill = data(HoleCut, "5 mm drill", diameters=(5.0,))
        assert max(z for _, z in drill) == pytest.approx(8 + 2.5 / 1.6643, abs=0.01)


class TestBitsAndRack:
    def test_only_what_matters_to_the_kind_is_asked(self, open_window):
        window = open_window()
        window.station_cuts()
        window.cuts_page.show_panel("Bits")
        window.cuts_page.bits.show_bit(window.session.job.bits[0].id)
        assert not [w for w in window.findChildren(QComboBox) if w.accessibleName() == "Angle" and w.isVisible()]
        choose(window, "Kind", "Keyhole")
        bit = window.session.job.bits[0]
        assert bit.kind is BitKind.KEYHOLE
        assert bit.neck < bit.diameter
        assert field(window, "Neck").isVisible()
        assert "narrower" in note_beside(type_into(window, "Neck", "50"))

    def test_a_copy_that_differs_is_told_and_brought_back(self, open_window):
        window = open_window()
        session = window.session
        window.station_cuts()
        window.cuts_page.show_panel("Bits")
        panel = window.cuts_page.bits
        keyhole = next(b for b in session.job.bits if b.kind is BitKind.KEYHOLE)
        panel.show_bit(keyhole.id)
        assert "As in the rack" in words_on(panel)
        type_into(window, "Diameter", "9")
        assert "diameter 9, in the rack 9.5" in words_on(panel)
        button(window, "Update from the rack").click()
        assert session.job.bit(keyhole.id).diameter == 9.5
        type_into(window, "Diameter", "9")
        button(window, "Put into the rack").click()
        assert any(b.diameter == 9 and b.kind is BitKind.KEYHOLE for b in rack.load_rack().bits)

    def test_a_table_is_read_into_the_rack_and_a_bad_one_is_told(self, open_window, tmp_path):
        window = open_window()
        window.station_cuts()
        window.cuts_page.show_panel("Bits")
        panel = window.cuts_page.bits
        good, bad = tmp_path / "good.csv", tmp_path / "bad.csv"
        good.write_text("name,diameter,kind\n2 mm,2,straight\n")
        bad.write_text("name,diameter\nX,much\n")
        panel.read_rack(good)
        assert "2 mm" in [b.name for b in rack.load_rack().bits]
        panel.read_rack(bad)
        assert "line 2" in words_on(panel)
        panel.write_rack(tmp_path / "out.csv")
        assert "2 mm" in (tmp_path / "out.csv").read_text()


class TestRecipesAndTestPiece:
    def test_a_recipe_for_a_material_rules_the_cuts_in_it(self, open_window):
        window = open_window()
        session = window.session
        session.show_cut(session.board.cuts[0].id)
        window.station_cuts()
        window.cuts_page.show_panel("Recipes")
        bit = session.job.bit(session.board.cuts[0].bit)
        type_into(window, "Feed", "1111")
        assert session.job.bit(bit.id).recipe_for(Material.ASH).feed == 1111
        assert session.job.bit(bit.id).recipe_for(Material.OAK).feed == bit.recipe.feed
        type_into(window, "Recipe notes", "dull bit")
        assert session.job.bit(bit.id).recipes[0].notes == "dull bit"
        button(window, "As in general").click()
        assert session.job.bit(bit.id).recipes == ()

    def test_a_test_piece_is_made_from_the_page(self, open_window, qtbot):
        window = open_window()
        session = window.session
        window.station_cuts()
        window.cuts_page.show_panel("Test piece")
        button(window, "Pocket").click()
        type_into(window, "Across from", "600")
        button(window, "Add the test piece").click()
        assert session.board.name == "Test piece"
        assert isinstance(session.board.cuts[1], PocketCut)
        assert session.board.cuts[1].run.feed == 600
        settle(qtbot, window)
        assert not session.planning.plan.findings


class TestOnThePlan:
    def test_a_tab_is_dragged_and_the_section_shows_it(self, open_window, qtbot):
        window = open_window()
        session, plan = window.session, window.plan
        window.station_cuts()
        session.show_cut(session.board.cuts[-1].id)
        settle(qtbot, window)
        tab = next(m for m in plan.path_marks.marks if m.kind is MarkKind.TAB)
        begin = plan.view.to_screen(tab.x, tab.y)
        goal = plan.view.to_screen(160 + 145 * -0.17, 160 + 145 * 0.98)
        line = session.playhead.line
        drag(plan, begin, goal)
        assert session.playhead.line != line, "the section is laid through the tab"
        cut = session.board.cuts[-1]
        assert len(cut.tabs.by_hand) == 4
        settle(qtbot, window)
        places = [(m.x, m.y) for m in plan.path_marks.marks if m.kind is MarkKind.TAB]
        assert min((x - 135.35) ** 2 + (y - 302.1) ** 2 for x, y in places) < 4.0
        window.undo()
        assert not session.board.cuts[-1].tabs.by_hand

    def test_a_double_click_takes_a_tab_away(self, open_window, qtbot):
        window = open_window()
        session, plan = window.session, window.plan
        window.station_cuts()
        session.show_cut(session.board.cuts[-1].id)
        settle(qtbot, window)
        tab = next(m for m in plan.path_marks.marks if m.kind is MarkKind.TAB)
        QTest.mouseDClick(plan, Qt.MouseButton.LeftButton, pos=plan.view.to_screen(tab.x, tab.y).toPoint())
        assert len(session.board.cuts[-1].tabs.by_hand) == 3

    def test_a_start_is_dragged_and_goes_back_by_rule(self, open_window, qtbot):
        window = open_window()
        session, plan = window.session, window.plan
        window.station_cuts()
        session.show_cut(session.board.cuts[-1].id)
        settle(qtbot, window)
        start = next(m for m in plan.path_marks.marks if m.kind is MarkKind.START)
        drag(plan, plan.view.to_screen(start.x, start.y), plan.view.to_screen(160, 305))
        settle(qtbot, window)
        start = next(m for m in plan.path_marks.marks if m.kind is MarkKind.START)
        assert (start.x, start.y) == pytest.approx((160, 305), abs=2.0)
        assert start.reason == "set by hand"
        unfold(window)
        button(window, "Start by rule").click()
        assert session.board.cuts[-1].starts == ()

    def test_clamps_are_added_dragged_and_kept_clear_of(self, open_window, qtbot):
        window = open_window()
        session, plan = window.session, window.plan
        window.station_board()
        button(window, "Add a clamp").click()
        type_into(window, "Clamp top (Z)", "25")
        assert session.board.fixtures[0].rise == 25.0
        clamp = session.board.fixtures[0]
        drag(plan, plan.view.to_screen(clamp.x, clamp.y), plan.view.to_screen(18, 160))
        moved = session.board.fixtures[0]
        assert (moved.x, moved.y) == pytest.approx((18, 160), abs=1.5)
        settle(qtbot, window)
        assert "into-clamp" in {f.code for f in session.planning.plan.findings}
        button(window, "Remove").click()
        assert session.board.fixtures == ()
        settle(qtbot, window)
        assert not session.planning.plan.findings

    def test_clamps_do_not_get_in_the_way_on_other_pages(self, open_window):
        window = open_window()
        session = window.session
        board = session.board
        session.apply(
            edits.change_board(session.job, board.id, "", fixtures=(Fixture(x=160, y=160, width=60, height=60),))
        )
        window.station_cuts()
        drag(window.plan, window.plan.view.to_screen(150, 150), window.plan.view.to_screen(100, 100))
        assert (session.board.fixtures[0].x, session.board.fixtures[0].y) == (160, 160)


def test_offers_made_anew_leave_nothing_of_the_old_ones(open_window, qtbot):
    window = open_window()
    session = window.session
    window.station_cuts()
    for name in ("star", "dial", "star"):
        session.pick([shape_named(session, name).id])
        window.cuts_page.cuts.offers.refresh()
    qtbot.wait(50)
    words = [w.text() for w in window.cuts_page.cuts.offers.findChildren(QLabel) if w.isVisible()]
    assert words.count("For what is picked") == 1
