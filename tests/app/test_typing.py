"""What is typed belongs to the thing it was typed for, however it is left."""

from __future__ import annotations

import msgspec
import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QPlainTextEdit, QPushButton, QToolButton

from archimetra.app.widgets.unfinished import unfinished
from archimetra.artwork.text_form import TextForm
from archimetra.edits import basic as edits
from archimetra.edits import shaping
from archimetra.geometry.affine import Affine
from archimetra.job.file import JobFile, load_job, save_job
from archimetra.job.job import new_job, with_boards
from plain_clock import plain_clock

from .gestures import choose, field


def half_type(window, name: str, text: str):
    """Type over a field and leave it at that. A window of an earlier test that goes only now may have taken the keys along."""
    if not window.isActiveWindow():
        window.activateWindow()
        QTest.qWaitForWindowActive(window, 3000)
    edit = field(window, name)
    edit.setFocus()
    edit.selectAll()
    QTest.keyClicks(edit, text)
    return edit


def click(widget, at: QPointF | None = None) -> None:
    QTest.mouseClick(widget, Qt.MouseButton.LeftButton, pos=(at or QPointF(widget.rect().center())).toPoint())


def tab_of(window, name: str) -> QToolButton:
    return next(w for w in window.header.findChildren(QToolButton) if w.accessibleName() == f"Board {name}")


@pytest.fixture
def two_boards(open_window):
    edit, other = edits.add_board(plain_clock().job)
    window = open_window(JobFile(edit.job))
    window.station_board()
    first = window.session.board
    return window, first, window.session.job.board(other)


def width(window, board) -> float:
    return window.session.job.board(board.id).sheet.width


LEAVES = {
    "tab": lambda w, other: click(tab_of(w, other.name)),
    "code": lambda w, other: w.session.show_board(other.id),
    "plan": lambda w, other: click(w.plan, QPointF(w.plan.width() - 40, w.plan.height() - 40)),
    "station": lambda w, other: w.station_cuts(),
    "station key": lambda w, other: QTest.keyClick(w.focusWidget(), Qt.Key.Key_3, Qt.KeyboardModifier.ControlModifier),
    "Enter": lambda w, other: QTest.keyClick(w.focusWidget(), Qt.Key.Key_Return),
    "Tab": lambda w, other: QTest.keyClick(w.focusWidget(), Qt.Key.Key_Tab),
    "undo button": lambda w, other: click(w.header._add),
}


@pytest.mark.parametrize("leave", LEAVES)
def test_a_half_typed_width_goes_to_the_board_it_was_typed_for(two_boards, leave):
    window, first, other = two_boards
    before = width(window, other)
    half_type(window, "Width (X)", "555")
    LEAVES[leave](window, other)
    focused = window.focusWidget()
    if focused is not None and leave != "Tab":
        QTest.keyClick(focused, Qt.Key.Key_Return)
    assert width(window, first) == 555.0
    assert width(window, other) == before


def test_escape_takes_back_and_a_wrong_value_is_told_when_it_is_left(two_boards):
    window, first, other = two_boards
    before = first.sheet.width
    edit = half_type(window, "Width (X)", "555")
    QTest.keyClick(edit, Qt.Key.Key_Escape)
    assert (width(window, first), edit.text()) == (before, f"{before:g}")
    assert window.plan.hasFocus()
    edit = half_type(window, "Width (X)", "5 bananas")
    QTest.keyClick(edit, Qt.Key.Key_Return)
    QTest.keyClick(edit, Qt.Key.Key_Escape)  # refused, and then taken back
    assert edit.text() == f"{before:g}"
    assert not edit.property("wrong")
    half_type(window, "Width (X)", "5 bananas")
    click(tab_of(window, other.name))
    assert "Width (X): '5 bananas' was not taken." in window.notices.text
    assert (width(window, first), width(window, other)) == (before, other.sheet.width)
    assert field(window, "Width (X)").text() == f"{other.sheet.width:g}"


def test_an_anchor_clicked_between_does_not_take_the_place_for_another(open_window):
    window = open_window()
    session = window.session
    window.station_artwork()
    window._pick((session.board.shapes[0].id,))
    panel = window.artwork_page.place
    box = panel.box()
    half_type(window, "X", "50")
    click(panel._dots[next(a for a in panel._dots if "back right" in a.value)])
    QTest.keyClick(field(window, "X"), Qt.Key.Key_Return)
    assert panel.box()[0] == pytest.approx(50.0)
    assert panel.box()[2] == pytest.approx(50.0 + box[2] - box[0])


def texts_on(job, words):
    board = job.boards[0].id
    ids = []
    for k, text in enumerate(words):
        done = shaping.draw(job, board, TextForm(text=text), Affine.shift(100.0, 60.0 * (k + 1)))
        job, ids = done.edit.job, [*ids, done.pick[0]]
    return job, ids


def test_words_typed_go_to_their_text_whatever_is_picked_next(open_window, qtbot):
    job, (one, two) = texts_on(new_job(), ["one", "two"])
    window = open_window(JobFile(job))
    session = window.session
    window.station_artwork()
    window.artwork_page.show_panel("Text")
    box = next(w for w in window.findChildren(QPlainTextEdit) if w.accessibleName() == "Text")

    def text(id_):
        return session.board.shape(id_).form.text

    session.pick([one])
    box.setFocus()
    QTest.keyClicks(box, "!")
    assert text(one) == "one"  # within the pause
    session.pick([two])
    assert {text(one), text(two)} == {"!one", "two"} or {text(one), text(two)} == {"one!", "two"}
    assert box.toPlainText() == "two"
    QTest.keyClicks(box, "?")
    window.station_board()
    assert "?" in text(two)
    assert "?" not in text(one)
    window.station_artwork()
    session.pick([one])
    box.setFocus()
    before = text(one)
    QTest.keyClicks(box, "abc")
    qtbot.waitUntil(lambda: text(one) != before)
    QTest.keyClick(box, Qt.Key.Key_Escape)
    assert text(one) == before
    box.setFocus()
    QTest.keyClick(box, Qt.Key.Key_Tab)
    assert not box.hasFocus()


def test_notes_of_a_cut_stay_with_it(open_window):
    window = open_window()
    session = window.session
    window.station_cuts()
    first, second = session.board.cuts[:2]
    session.show_cut(first.id)
    window.cuts_page.cuts._shapes_fold.open()
    notes = window.cuts_page.cuts._notes
    notes.setFocus()
    QTest.keyClicks(notes, "mind the grain")
    session.show_cut(second.id)
    assert session.board.cut(first.id).notes == "mind the grain"
    assert notes.toPlainText() == ""
    notes.setFocus()
    QTest.keyClicks(notes, "twice")
    click(tab_of(window, session.board.name))
    assert (session.board.cut(first.id).notes, session.board.cut(second.id).notes) == ("mind the grain", "twice")


def test_saving_takes_what_is_typed_first(two_boards, tmp_path):
    window, first, _ = two_boards
    window.documents.save_file(tmp_path / "a.archimetra")
    half_type(window, "Width (X)", "555")
    QTest.keyClick(window.focusWidget(), Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    assert width(window, first) == 555.0
    assert "Saved" in window.notices.text
    assert load_job(tmp_path / "a.archimetra").job.board(first.id).sheet.width == 555.0
    assert window.session.is_saved
    # another job opened over a half-typed value: the value belongs to the job left behind, which is then not saved
    save_job(tmp_path / "b.archimetra", JobFile(new_job()))
    half_type(window, "Width (X)", "556")
    window.documents.open_file(tmp_path / "b.archimetra")
    assert window.session.board.sheet.width == new_job().boards[0].sheet.width


def test_undo_is_the_fields_while_typing_and_the_jobs_after(two_boards):
    window, first, _ = two_boards
    before = first.sheet.width
    edit = half_type(window, "Width (X)", "555")
    QTest.keyClick(edit, Qt.Key.Key_Return)
    assert width(window, first) == 555.0
    QTest.keyClick(edit, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert width(window, first) == before
    assert edit.text() == f"{before:g}"


def test_a_fixture_chosen_between_keeps_the_first_ones_number(open_window):
    from archimetra.job.sheet import Fixture, FixtureKind

    job = new_job()
    clamps = tuple(Fixture(kind=FixtureKind.CLAMP, x=x, y=10.0, width=60.0, height=30.0, rise=20.0) for x in (40, 200))
    board = msgspec.structs.replace(job.boards[0], fixtures=clamps)
    window = open_window(JobFile(with_boards(job, (board,))))
    window.station_board()
    half_type(window, "From the left", "77")
    click(next(w for w in window.findChildren(QComboBox) if w.accessibleName() == "Clamp").property("label"))
    choose(window, "Clamp", "clamp 2")
    assert [f.x for f in window.session.board.fixtures] == [77.0, 200.0]


def test_a_button_that_moves_from_under_the_hand_is_pressed_all_the_same(open_window):
    """Readings typed, then a button lower on the page pressed: taking the readings makes the words above it longer."""
    window = open_window(JobFile(new_job()))
    window.station_board()
    add = next(b for b in window.findChildren(QPushButton) if b.text() == "Add a clamp")
    half_type(window, "Thickness readings", "18.3, 18.1, 18.2")
    before = add.mapToGlobal(add.rect().center())
    QTest.mousePress(add, Qt.MouseButton.LeftButton)
    QApplication.processEvents()
    add.move(add.x(), add.y() + 60)  # as the words above push it
    at = add.mapFromGlobal(before)
    QTest.mouseRelease(add, Qt.MouseButton.LeftButton, pos=at)
    assert window.session.board.sheet.readings == (18.3, 18.1, 18.2)
    assert len(window.session.board.fixtures) == 1
    assert not unfinished.is_any
