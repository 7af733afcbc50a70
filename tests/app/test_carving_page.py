"""Carving, inlays and stamps as a person makes them: offers, editors, both halves, the mate in the section and on the plan."""

from __future__ import annotations

import pytest
from PySide6.QtWidgets import QCheckBox, QLabel, QPushButton, QToolButton

from app.conftest import settle
from app.gestures import button, field, named, named_all, note_beside, part, type_into, words_on
from app.test_cuts_page import offer, shape_named, unfold
from archimetra.app.widgets.inlay_sketch import InlaySketch
from archimetra.demo import quay_tide_clock
from archimetra.edits import inlaying, leftovers, rack
from archimetra.job.bits import BitKind
from archimetra.job.cuts.carve import CarveCut
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.ids import BitId
from archimetra.job.starter_rack import starter_rack


def words_of(widget) -> str:
    return " ".join(label.text() for label in widget.findChildren(QLabel) if not label.isHidden())


def carve_of(board, name=""):
    return next(c for c in board.cuts if isinstance(c, CarveCut) and name in c.name)


@pytest.fixture
def sample(open_window):
    window = open_window(quay_tide_clock())
    window.station_cuts()
    return window


def show_cut(window, qtbot, board: int, name: str):
    session = window.session
    session.show_board(session.job.boards[board].id)
    cut = next(c for c in session.board.cuts if c.name == name)
    session.show_cut(cut.id)
    settle(qtbot, window)
    unfold(window)
    return cut


class TestOffers:
    def test_a_shape_is_v_carved_with_one_click_and_its_floor_cleared(self, open_window, qtbot):
        window = open_window()
        session = window.session
        window.station_cuts()
        session.pick([shape_named(session, "star").id])
        offer(window, "V-carve").click()
        carve = session.board.cut(session.cut_id)
        assert isinstance(carve, CarveCut)
        assert session.job.bit(carve.bit).kind is BitKind.VEE
        floors = leftovers.floors_of(session.board, carve)
        assert len(floors) == 1
        assert session.board.cuts.index(floors[0]) < session.board.cuts.index(carve)
        settle(qtbot, window)
        told = {f.code for f in session.planning.plan.findings if f.subject == carve.id}
        assert told <= {"carve-corners"}

    @pytest.mark.parametrize(
        ("title", "kinds"),
        [
            ("V inlay", {PocketCut, CarveCut, ProfileCut}),
            ("Straight inlay", {ProfileCut}),
        ],
    )
    def test_an_inlay_brings_its_plug_on_a_board_of_its_own(self, open_window, qtbot, title, kinds):
        window = open_window()
        session = window.session
        window.station_cuts()
        before = len(session.job.boards)
        session.pick([shape_named(session, "star").id])
        offer(window, title).click()
        assert len(session.job.boards) == before + 1
        assert {type(c) for c in session.job.boards[-1].cuts} == kinds
        settle(qtbot, window)
        session.undo()
        assert len(session.job.boards) == before
        assert session.job.inlays == ()

    def test_a_stamp_is_one_click(self, open_window, qtbot):
        window = open_window()
        session = window.session
        window.station_cuts()
        session.pick([shape_named(session, "star").id])
        offer(window, "Stamp").click()
        assert session.board.cut(session.cut_id).name == "Stamp"
        assert shape_named(session, "star").at.determinant < 0
        settle(qtbot, window)


class TestCarveEditor:
    def test_the_limit_is_typed_and_lifted_and_the_depth_said(self, sample, qtbot):
        window, session = sample, sample.session
        cut = show_cut(window, qtbot, 0, "Words")
        editor = window.cuts_page.cuts.editor(CarveCut)
        type_into(editor.form, "Limit", "1.1")
        settle(qtbot, window)
        assert session.board.cut(cut.id).end_depth == 1.1
        assert "1.1 mm deep at its deepest" in words_of(editor.form)
        check = next(b for b in editor.form.findChildren(QCheckBox) if b.text().startswith("Depth limit"))
        check.click()
        settle(qtbot, window)
        assert session.board.cut(cut.id).end_depth == 0.0
        deep = -min(p.toolpath.xyz[:, 2].min() for p in session.planning.plan.cuts if p.toolpath.cut == cut.id)
        assert deep > 2.0, "as deep as the strokes are wide"
        check.click()
        assert session.board.cut(cut.id).end_depth > 0

    def test_a_finer_bit_is_added_for_the_floor(self, sample, qtbot):
        window, session = sample, sample.session
        cut = show_cut(window, qtbot, 5, "Stamp")
        editor = window.cuts_page.cuts.editor(CarveCut)
        editor.add_floor(session.job.bit(BitId("bit3")))
        settle(qtbot, window)
        floors = leftovers.floors_of(session.board, session.board.cut(cut.id))
        assert [session.job.bit(f.bit).diameter for f in floors] == [3.0, 1.5]
        assert "3 mm straight and 1.5 mm straight" in words_of(editor.form)
        session.show_cut(floors[0].id)
        window.cuts_page.cuts.refresh()
        assert "Clears the flat floor of 'Stamp'" in words_of(window.cuts_page.cuts.editor(PocketCut).form)

    def test_bits_are_compared_side_by_side_and_one_is_taken(self, sample, qtbot):
        window, session = sample, sample.session
        cut = show_cut(window, qtbot, 0, "Words")
        ninety = next(bit for bit in starter_rack() if bit.name == "90° V")
        edit, new = rack.take(session.job, ninety)
        session.apply(edit)
        settle(qtbot, window)
        editor = window.cuts_page.cuts.editor(CarveCut)
        with qtbot.waitSignal(session.bits_compared, timeout=60_000) as got:
            button(editor.form, "Compare").click()
        trials = {t.bit: t for t in got.args[0].trials}
        assert set(trials) == {cut.bit, new}
        assert all(t.seconds > 10 and t.deepest > 0.3 for t in trials.values())
        qtbot.waitUntil(lambda: "60° V, as now" in words_of(editor.form))
        assert "90° V: " in words_of(editor.form)
        next(b for b in editor.form.findChildren(QPushButton) if b.text() == "Carve with 90° V").click()
        assert session.board.cut(cut.id).bit == new

    def test_several_passes_are_typed(self, sample, qtbot):
        window, session = sample, sample.session
        cut = show_cut(window, qtbot, 0, "Words")
        type_into(window.cuts_page.cuts.editor(CarveCut).form, "Depth per pass", "0.5")
        settle(qtbot, window)
        path = next(p.toolpath for p in session.planning.plan.cuts if p.toolpath.cut == cut.id)
        assert path.pass_no.max() == 3


class TestInlayForm:
    def test_a_number_moves_both_halves_and_undo_takes_both_back(self, sample, qtbot):
        window, session = sample, sample.session
        show_cut(window, qtbot, 0, "Star, pocket")
        form = window.cuts_page.cuts.inlay.form
        assert not form.isHidden()
        type_into(form, "Pocket", "4")
        inlay = session.job.inlays[0]
        assert inlay.depth == 4.0
        assert carve_of(session.board, "Star").end_depth == 4.0
        assert carve_of(session.job.boards[2]).sink == pytest.approx(3.5 + 0.05 / 0.57735, abs=1e-4)
        session.undo()
        assert carve_of(session.board, "Star").end_depth == 5.0
        assert carve_of(session.job.boards[2]).sink == pytest.approx(4.5 + 0.05 / 0.57735, abs=1e-4)

    def test_fit_says_how_far_the_plug_sinks(self, sample, qtbot):
        window = sample
        show_cut(window, qtbot, 0, "Star, pocket")
        form = window.cuts_page.cuts.inlay.form
        assert note_beside(field(form, "Side clearance")) == "walls touch"
        type_into(form, "Side clearance", "0.1")
        assert note_beside(field(form, "Side clearance")) == "sinks 0.17 mm"
        assert "Seats 4.67 mm deep" in words_of(form)

    @pytest.mark.parametrize(
        ("name", "text", "words"),
        [
            ("Under the plug", "9", "room for glue"),
            ("Plugs", "0", "plugs"),
            ("Plugs", "1.5", "whole"),
            ("Pocket", "deep", "deep"),
        ],
    )
    def test_what_cannot_be_is_told_and_changes_nothing(self, sample, qtbot, name, text, words):
        window, session = sample, sample.session
        show_cut(window, qtbot, 0, "Star, pocket")
        before = session.job
        row = type_into(window.cuts_page.cuts.inlay.form, name, text)
        assert session.job is before
        assert words in note_beside(row).lower()

    def test_it_leads_to_the_other_half_and_back(self, sample, qtbot):
        window, session = sample, sample.session
        show_cut(window, qtbot, 0, "Star, pocket")
        button(window.cuts_page.cuts.inlay.form, "Go to Star plug").click()
        settle(qtbot, window)
        assert session.board.name == "Star plug"
        assert session.board.cut(session.cut_id).name == "Star, plug"
        button(window.cuts_page.cuts.inlay.form, "Go to Dial face").click()
        assert session.board.name == "Dial face"

    def test_the_drawing_follows_what_is_typed_before_it_is_entered(self, sample, qtbot):
        window, session = sample, sample.session
        show_cut(window, qtbot, 0, "Star, pocket")
        panel = window.cuts_page.cuts.inlay
        row = field(panel.form, "Above the sheet")
        row.textEdited.emit("3")
        assert part(window, InlaySketch).data.number("saw_gap") == 3.0
        assert session.job.inlays[0].saw_gap == 1.5

    def test_removed_it_takes_both_halves(self, sample, qtbot):
        window, session = sample, sample.session
        show_cut(window, qtbot, 0, "Star, pocket")
        button(window.cuts_page.cuts.inlay.form, "Remove inlay").click()
        assert session.job.inlays == ()
        assert not [c for b in session.job.boards for c in b.cuts if c.mating is not None]
        settle(qtbot, window)

    def test_art_dragged_on_the_pocket_board_moves_the_plug_s_outline(self, sample, qtbot):
        session = sample.session
        star = shape_named(session, "star")
        session.pick([star.id])
        from archimetra.geometry.affine import Affine

        session.map_picked(Affine.scale(0.5, about=(160.0, 160.0)), "Size")
        after = next(s for s in session.job.boards[2].shapes if s.name == "star")
        assert after.bounds()[2] - after.bounds()[0] == pytest.approx(86.0)

    def test_the_tabs_of_both_boards_say_where_the_other_half_is(self, sample):
        tabs = {tab.text(): tab for tab in sample.header.findChildren(QToolButton) if tab.property("kind") == "tab"}
        assert "the other half lies on Star plug" in tabs["Dial face"].toolTip()
        assert "Plug of the inlay Star" in tabs["Star plug"].toolTip()
        assert tabs["Hands"].toolTip() == "Hands"  # the name, and no word of another half


class TestMate:
    def test_the_section_lays_the_plug_in_and_says_how_it_sits(self, sample, qtbot):
        window, session = sample, sample.session
        show_cut(window, qtbot, 0, "Star, pocket")
        toggle = named(window, "Mate")
        assert not toggle.isHidden()
        with qtbot.waitSignal(session.mate_made, timeout=60_000):
            toggle.click()
        qtbot.waitUntil(lambda: window.mate.shown is not None)
        words = window.section._moment.text()
        for reading in ("seats 4.5", "glue 0.4", "saw 1.5", "side 0.0"):
            assert reading in words
        mate = window.plan.mate_marks.mate
        assert mate is not None
        assert mate.map.worst >= 0
        data = window.section.canvas._data
        assert data.mate.under.size == data.heights.size
        # another line costs no new measuring and shows another section
        with qtbot.waitSignal(session.mate_made, timeout=60_000) as got:
            session.playhead.move_line(((100.0, 150.0), (220.0, 170.0)))
        assert got.args[0].mate is not None
        toggle.click()
        assert window.plan.mate_marks.mate is None
        assert "finished" in words_on(window.section)

    def test_on_the_plug_board_it_leads_to_the_pocket(self, sample, qtbot):
        window, session = sample, sample.session
        show_cut(window, qtbot, 2, "Star, plug")
        named(window, "Mate").click()
        assert session.board.name == "Dial face"
        qtbot.waitUntil(lambda: window.mate.shown is not None, timeout=60_000)

    def test_a_line_past_the_plug_says_so(self, sample, qtbot):
        window, session = sample, sample.session
        show_cut(window, qtbot, 0, "Star, pocket")
        session.playhead.move_line(((10.0, 20.0), (300.0, 20.0)))
        with qtbot.waitSignal(session.mate_made, timeout=60_000):
            named(window, "Mate").click()
        qtbot.waitUntil(lambda: "passes no plug" in words_on(window.section))

    def test_without_an_inlay_there_is_no_such_view(self, open_window):
        assert named_all(open_window(), "Mate") == []

    @pytest.mark.parametrize(
        ("fields", "seat"), [({"glue_gap": 1.0}, 4.02), ({"depth": 4.0}, 3.52), ({"depth": 6.0, "glue_gap": 1.0}, 5.02)]
    )
    def test_a_changed_number_is_measured_anew(self, sample, qtbot, fields, seat):
        """Whether the pocket, the plug or both must be planned again for it."""
        window, session = sample, sample.session
        show_cut(window, qtbot, 0, "Star, pocket")
        named(window, "Mate").click()
        qtbot.waitUntil(lambda: window.mate.shown is not None, timeout=60_000)
        inlay = session.job.inlays[0]
        session.apply(inlaying.change_inlay(session.job, inlay.id, "", **fields))
        qtbot.waitUntil(
            lambda: window.mate.shown is not None and abs(window.mate.shown.mate.seat - seat) < 0.05, timeout=60_000
        )
