"""The list of cuts keeps its rows: what is picked, what is under the hand and what each row says follow the job."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from app.gestures import part
from archimetra.app.stations.cuts.cut_list import CutList
from archimetra.demo import quay_tide_clock
from archimetra.edits import cutting


@pytest.fixture
def cuts(open_window):
    window = open_window(quay_tide_clock())
    window.station_cuts()
    return window, part(window, CutList)


def row(rows, k: int):
    return rows.itemWidget(rows.item(k))


def test_picking_elsewhere_lets_go_of_what_was_picked(cuts):
    window, rows = cuts
    for cut in window.session.board.cuts:
        window.session.show_cut(cut.id)
        assert rows.selected_ids() == (cut.id,)


def test_several_picked_stay_picked_while_one_of_them_is_edited(cuts):
    window, rows = cuts
    ids = [cut.id for cut in window.session.board.cuts]
    QTest.mouseClick(rows.viewport(), Qt.MouseButton.LeftButton, pos=rows.visualItemRect(rows.item(3)).center())
    QTest.mouseClick(
        rows.viewport(), Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, rows.visualItemRect(rows.item(4)).center()
    )  # fmt: skip
    assert set(rows.selected_ids()) == set(ids[3:5])
    window.session.apply(cutting.change_cut(window.session.job, ids[4], "", name="Renamed"))
    assert set(rows.selected_ids()) == set(ids[3:5])


def test_an_edit_keeps_the_rows_and_changes_what_they_say(cuts):
    window, rows = cuts
    session = window.session
    before = [row(rows, k) for k in range(rows.count())]
    last = session.board.cuts[-1].id
    session.apply(cutting.change_cut(session.job, last, "", name="Cut it out", is_on=False))
    assert [row(rows, k) for k in range(rows.count())] == before
    texts = {label.text() for label in before[-1].findChildren(type(window.status.zoom)) if label.isVisible()}
    assert {"Cut it out", "off"} <= texts
    session.undo()
    assert "Cut it out" not in {label.text() for label in before[-1].findChildren(type(window.status.zoom))}


def test_rows_follow_another_order_other_boards_and_removed_cuts(cuts):
    window, rows = cuts
    session = window.session

    def agree() -> bool:
        shown = [rows.item(k).data(Qt.ItemDataRole.UserRole) for k in range(rows.count())]
        return shown == [cut.id for cut in session.board.cuts] == [row(rows, k).cut for k in range(rows.count())]

    assert agree()
    session.apply(cutting.reorder_cut(session.job, session.board.id, session.board.cuts[0].id, 3))
    assert agree()
    session.apply(cutting.remove_cuts(session.job, [session.board.cuts[1].id]))
    assert agree()
    for board in session.job.boards:
        session.show_board(board.id)
        assert agree()
    while session.undo_label:
        session.undo()
    assert agree()
