"""The Layout page: outlines made parts, wanted in quantities, nested while one watches, kept or dropped, undone."""

from __future__ import annotations

import pytest
import shapely
from PySide6.QtWidgets import QCheckBox

from app.conftest import settle
from app.gestures import button, choose, part, type_into, words_on
from app.gestures import layout_panel as panel
from archimetra.app.stations.cuts.cut_list import cut_times
from archimetra.app.stations.layout.part_list import PartList
from archimetra.edits import placing
from archimetra.edits.parting import change_part
from archimetra.geometry.affine import Affine
from archimetra.job.file import JobFile
from archimetra.job.flat import instance_of
from archimetra.job.parts import Turning
from edits.test_parting import bracket_job
from layout.test_of_job import placed


@pytest.fixture
def window(open_window):
    made = open_window(JobFile(bracket_job()))
    made.station_layout()
    return made


def sheets(window) -> list[QCheckBox]:
    return [box for box in window.findChildren(QCheckBox) if box.isVisible() and box.text().startswith("Board 1")]


def make_parts(window, qtbot) -> None:
    window.session.pick([shape.id for shape in window.session.board.shapes])
    button(window, "Make parts").click()
    settle(qtbot, window)


class TestParts:
    def test_one_press_makes_every_outline_a_part_and_shows_the_first(self, window, qtbot):
        assert "Pick outlines on the plan" in words_on(panel(window, "Parts"))
        assert not button(window, "Make parts").isEnabled()
        make_parts(window, qtbot)
        job = window.session.job
        assert [p.name for p in job.parts] == ["part", "star"]
        assert [len(p.shapes) for p in job.parts] == [3, 1]
        assert part(window, PartList).count() == 2
        assert {instance_of(id_) for id_ in window.session.picked} == {job.boards[0].instances[0].id}
        window.undo()
        assert window.session.job.parts == ()

    def test_what_is_typed_belongs_to_the_part_it_was_typed_for(self, window, qtbot):
        make_parts(window, qtbot)
        type_into(window, "Quantity", "9")
        choose(window, "May turn", "In steps")
        type_into(window, "Step", "30")
        part(window, PartList).setCurrentRow(1)
        type_into(window, "Quantity", "4")
        first, second = window.session.job.parts
        assert (first.quantity, first.turning, first.step_degrees) == (9, Turning.STEPS, 30.0)
        assert (second.quantity, second.turning) == (4, Turning.QUARTER)
        assert "1 of 4" in words_on(panel(window, "Parts"))

    @pytest.mark.parametrize(("field", "text"), [("Quantity", "-1"), ("Quantity", "6000"), ("Priority", "12")])
    def test_what_cannot_be_is_told_beside_the_field_and_changes_nothing(self, window, qtbot, field, text):
        make_parts(window, qtbot)
        before = window.session.job
        type_into(window, field, text)
        assert window.session.job == before
        assert "0 to" in words_on(panel(window, "Parts"))

    def test_pieces_are_added_picked_as_a_whole_made_their_own_and_taken_apart(self, window, qtbot):
        make_parts(window, qtbot)
        session = window.session
        button(window, "Add a piece").click()
        settle(qtbot, window)
        assert [piece.part for piece in session.board.instances] == ["part1", "part2", "part1"]
        assert len(session.picked) == 3
        session.move_picked(100.0, 0.0)
        assert session.board.instances[2].x == pytest.approx(session.board.instances[0].x + 110.0)
        button(window, "Make its own").click()
        assert [p.name for p in session.job.parts] == ["part", "star", "part 2"]
        button(window, "Take apart").click()
        assert [p.name for p in session.job.parts] == ["part", "star"]
        assert len(session.job.stored[0].shapes) == 3

    def test_a_shape_moved_in_one_piece_moves_in_the_other(self, window, qtbot):
        make_parts(window, qtbot)
        session = window.session
        button(window, "Add a piece").click()
        hole = next(shape for shape in session.board.shapes if shape.name == "hole")
        session.apply(placing.map_shapes(session.job, session.board.id, [hole.id], Affine.shift(2.0, 3.0)))
        centres = [shapely.box(*s.bounds()).centroid for s in session.board.shapes if s.name == "hole"]
        assert (centres[1].x - centres[0].x, centres[1].y - centres[0].y) == pytest.approx((10.0, 10.0))


class TestNest:
    def start(self, window, qtbot):
        make_parts(window, qtbot)
        session = window.session
        for made, quantity in zip(session.job.parts, (5, 3), strict=True):
            session.apply(change_part(session.job, made.id, quantity=quantity))
        nest = panel(window, "Nest")
        assert "for 8 pieces" in words_on(nest)
        assert "widest bit" in words_on(nest)
        button(window, "Nest all parts").click()
        qtbot.waitUntil(lambda: session.nesting.best is not None, timeout=30_000)
        return session, nest

    def test_it_gets_better_while_one_watches_and_is_kept_in_one_step(self, window, qtbot):
        session, nest = self.start(window, qtbot)
        assert "8 pieces on 1 sheet" in words_on(nest)
        assert window.plan.marks.has_preview
        assert len(session.board.instances) == 2  # nothing is laid before it is kept
        button(window, "Stop").click()
        qtbot.waitUntil(lambda: not session.nesting.is_running, timeout=10_000)
        button(window, "Keep").click()
        settle(qtbot, window)
        assert len(session.board.instances) == 8
        assert not window.plan.marks.has_preview
        pieces = [wood for _, wood in placed(session.job)]
        assert all(one.distance(other) >= 8.0 - 0.001 for k, one in enumerate(pieces) for other in pieces[:k])
        window.undo()
        assert len(session.board.instances) == 2

    def test_dropped_it_leaves_everything_as_it_was(self, window, qtbot):
        session, nest = self.start(window, qtbot)
        before = session.job
        button(window, "Drop").click()
        assert session.job is before
        assert not session.nesting.is_running
        assert not window.plan.marks.has_preview
        assert "Best so far" not in words_on(nest)

    def test_a_job_changed_meanwhile_ends_it_with_a_word(self, window, qtbot):
        session, nest = self.start(window, qtbot)
        session.apply(change_part(session.job, session.job.parts[0].id, quantity=2))
        assert session.nesting.best is None
        assert "nest again" in words_on(nest)
        assert not window.plan.marks.has_preview
        qtbot.wait(300)
        assert session.nesting.best is None  # what was still on its way is not shown

    def test_what_cannot_be_nested_is_a_sentence(self, window, qtbot):
        make_parts(window, qtbot)
        panel(window, "Nest")
        type_into(window, "Edge margin", "250")
        button(window, "Nest all parts").click()
        nest = panel(window, "Nest")
        qtbot.waitUntil(lambda: "leaves nothing of the sheet" in words_on(nest), timeout=30_000)
        assert button(window, "Nest all parts").isEnabled()

    def test_without_a_sheet_or_parts_there_is_nothing_to_press(self, window, qtbot):
        assert "no parts yet" in words_on(panel(window, "Nest"))
        panel(window, "Parts")
        make_parts(window, qtbot)
        panel(window, "Nest")
        qtbot.waitUntil(lambda: len(sheets(window)) == 1)
        (box,) = sheets(window)
        box.click()
        assert not button(window, "Nest all parts").isEnabled()

    def test_a_process_that_dies_is_told(self, window, qtbot):
        session, nest = self.start(window, qtbot)
        for process in session.nesting._nester._processes:
            process.kill()
        qtbot.waitUntil(lambda: "stopped unexpectedly" in words_on(nest), timeout=20_000)
        assert session.nesting.best is not None  # and the best so far can still be kept
        button(window, "Nest all parts").click()
        qtbot.waitUntil(lambda: session.nesting.is_running and session.nesting.best is not None, timeout=30_000)


class TestFit:
    def test_how_many_fit_is_told_and_shown_while_the_numbers_change_and_laid_on_demand(self, window, qtbot):
        make_parts(window, qtbot)
        session = window.session
        fit = panel(window, "Fit")
        qtbot.waitUntil(lambda: "fit:" in words_on(fit))
        qtbot.waitUntil(lambda: "apart." in words_on(fit), timeout=20_000)
        first = len(session.fitted_here)
        assert f"{first} fit: 6 columns, 5 rows. {30 - first} places are taken by what else is there." in words_on(fit)
        assert window.plan.marks.has_preview
        type_into(window, "Spacing", "30")
        qtbot.waitUntil(lambda: 0 < len(session.fitted_here) < first)
        button(window, "Lay them out").click()
        settle(qtbot, window)
        own = [wood for p, wood in placed(session.job) if p.name == "part"]
        assert len(own) > 5
        assert all(one.distance(other) >= 30.0 - 0.001 for k, one in enumerate(own) for other in own[:k])
        panel(window, "Parts")
        assert not window.plan.marks.has_preview
        window.undo()
        assert len(session.board.instances) == 2

    def test_none_fits_is_a_sentence_and_nothing_to_press(self, window, qtbot):
        make_parts(window, qtbot)
        fit = panel(window, "Fit")
        type_into(window, "Edge margin", "180")
        qtbot.waitUntil(lambda: "None fits" in words_on(fit))
        assert not button(window, "Lay them out").isEnabled()


def test_piece_by_piece_is_offered_where_there_are_pieces_and_runs_so(window, qtbot):
    window.station_cuts()
    assert not [
        box for box in window.findChildren(QCheckBox) if box.text().startswith("Piece by piece") and box.isVisible()
    ]
    window.station_layout()
    make_parts(window, qtbot)
    window.station_cuts()
    box = next(b for b in window.findChildren(QCheckBox) if b.text().startswith("Piece by piece") and b.isVisible())
    box.click()
    settle(qtbot, window)
    assert window.session.board.piece_by_piece
    cuts = [block.cut for block in window.session.planning.plan.run.blocks]
    times = cut_times(window.session)
    assert set(times) == set(cuts)
    window.undo()
    assert not window.session.board.piece_by_piece


def test_names_are_engraved_on_one_part_or_all_and_what_has_no_room_is_said(window, qtbot):
    make_parts(window, qtbot)
    button(window, "Engrave its name").click()
    settle(qtbot, window)
    cuts = {cut.name: cut for cut in window.session.job.cuts}
    assert len(cuts["Names"].shapes) == 1
    button(window, "Engrave all names").click()
    settle(qtbot, window)
    (cut,) = [cut for cut in window.session.job.cuts if cut.name == "Names"]
    assert len(cut.shapes) == 2
    button(window, "Engrave all names").click()
    assert "bear their names already" in words_on(panel(window, "Parts"))
    window.undo()
    window.undo()
    assert "Names" not in {cut.name for cut in window.session.job.cuts}
