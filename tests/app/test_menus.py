"""What the right button offers on shapes, cuts, blocks, layers and boards, and the jobs opened before."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QInputDialog, QMenu

from archimetra.app.actions import BOARD_MENU, CUT_MENU, FILE_MENU, PLAN_MENU, ROWS, SHAPE_MENU
from archimetra.app.stations.artwork.layers_panel import LayerList
from archimetra.app.stations.cuts.cut_list import CutList
from archimetra.base.findings import Finding, Severity
from archimetra.demo import quay_tide_clock
from archimetra.edits import basic as edits
from archimetra.job.file import JobFile, decode_job, encode_job, save_job
from archimetra.job.job import new_job, with_boards
from plain_clock import plain_clock

from .gestures import drag, part


@pytest.fixture
def shown(monkeypatch):
    """The menus shown, as lists of words; ``shown.press`` presses one in the next."""
    menus: list[list[str]] = []

    class Shown:
        press = ""
        seen = menus

    def run(menu: QMenu, *_at) -> None:
        menus.append([action.text() for action in menu.actions() if action.text()])
        for action in menu.actions():
            if Shown.press and action.text() == Shown.press:
                action.trigger()

    for place in ("archimetra.app.window", "archimetra.app.stations.artwork.layers_panel"):
        monkeypatch.setattr(f"{place}.pop_up", run)
    return Shown


def test_every_menu_is_made_of_rows():
    ids = {row.id for row in ROWS}
    for menu in (SHAPE_MENU, PLAN_MENU, CUT_MENU, BOARD_MENU, FILE_MENU):
        assert {id_ for id_ in menu if id_} <= ids


def test_on_the_plan_a_right_click_offers_and_a_right_drag_pans(open_window, shown):
    window = open_window()
    session, plan = window.session, window.plan
    node = session.board.shapes[0].placed()[0].nodes[0]
    at = plan.view.to_screen(float(node[0]), float(node[1]))
    QTest.mouseClick(plan, Qt.MouseButton.RightButton, pos=at.toPoint())
    assert session.board.shapes[0].id in session.picked
    assert "Remove picked shapes" in shown.seen[-1]
    shown.press = "Remove picked shapes"
    count = len(session.board.shapes)
    QTest.mouseClick(plan, Qt.MouseButton.RightButton, pos=at.toPoint())
    assert len(session.board.shapes) < count
    shown.press = ""
    number, view = len(shown.seen), plan.view
    drag(plan, QPointF(100, 100), QPointF(160, 140), with_button=Qt.MouseButton.RightButton)
    assert len(shown.seen) == number
    assert plan.view != view
    QTest.mouseClick(plan, Qt.MouseButton.RightButton, pos=QPoint(plan.width() - 5, plan.height() - 5))
    assert "Show the whole sheet" in shown.seen[-1]
    QTest.keyClick(plan, Qt.Key.Key_Menu)
    assert len(shown.seen) == number + 2


def test_a_finding_says_itself_and_offers_what_can_be_done_with_its_cut(open_window, shown):
    window = open_window()
    cut = window.session.board.cuts[1]
    finding = Finding("narrow", Severity.CAUTION, "Too narrow here.", subject=cut.id, at=(50.0, 50.0))
    window.plan.finding_marks.show((finding,))
    at = window.plan.view.to_screen(50.0, 50.0)
    QTest.mouseClick(window.plan, Qt.MouseButton.RightButton, pos=at.toPoint())
    assert "Too narrow here" in window.notices.text
    assert window.session.cut_id == cut.id
    assert "Switch this cut on or off" in shown.seen[-1]


def test_a_cut_offers_the_same_in_its_list_and_on_its_block(open_window, shown):
    window = open_window()
    session = window.session
    window.station_cuts()
    rows, lane = part(window, CutList), window.sequence.lane
    cut = session.board.cuts[1]
    rows.menu_wanted.emit(cut.id, QPoint())
    shown.press = "Switch this cut on or off"
    rows.menu_wanted.emit(cut.id, QPoint())
    assert not session.board.cut(cut.id).is_on
    session.undo()
    shown.press = "Remove this cut"
    lane.menu_wanted.emit(cut.id, QPoint())
    assert session.board.cut(cut.id) is None
    assert shown.seen[0] == shown.seen[-1]
    layer = session.board.layers[0]
    window.station_artwork()
    shown.press = "Down"
    part(window, LayerList)._show_menu(QPoint(5, 5))
    assert session.board.layers[1].id == layer.id


def test_boards_are_renamed_duplicated_moved_and_removed_from_their_tab(open_window, shown, monkeypatch):
    job = plain_clock().job
    job = with_boards(job, job.boards[:1], inlays=())
    window = open_window(JobFile(edits.add_board(job)[0].job))
    session = window.session
    first, second = session.job.boards
    menu = window.header.tabs.menu_wanted
    monkeypatch.setattr(QInputDialog, "getText", lambda *_a, **_k: ("Lid", True))
    shown.press = "Rename the board …"
    menu.emit(first.id, QPoint())
    assert session.job.board(first.id).name == "Lid"
    shown.press = "Duplicate the board"
    menu.emit(first.id, QPoint())
    assert [b.name for b in session.job.boards] == ["Lid", "Lid copy", second.name]
    assert session.board.name == "Lid copy"
    shown.press = "Board further left"
    menu.emit(second.id, QPoint())
    assert [b.id for b in session.job.boards][1] == second.id
    shown.press = "Remove the board"
    for board in session.job.boards:
        menu.emit(board.id, QPoint())
    assert len(session.job.boards) == 1


def test_a_duplicated_board_is_cut_like_its_original_and_can_be_saved():
    job = quay_tide_clock().job
    for board in job.boards:
        edit, new = edits.duplicate_board(job, board.id)
        copy = edit.job.board(new)
        assert [s.placed() for s in copy.shapes] == [s.placed() for s in board.shapes]
        own = {cut.id for cut in copy.cuts}
        assert len(own) == sum(cut.mating is None for cut in board.cuts)
        for cut in copy.cuts:
            assert not getattr(cut, "rest_of", "") or cut.rest_of in own
            assert not getattr(cut, "floor_of", "") or cut.floor_of in own
        assert decode_job(encode_job(edit.job), name="x") == edit.job


def test_jobs_opened_before_are_offered_while_they_are_there(open_window, tmp_path):
    window = open_window()
    paths = [tmp_path / f"{k}.archimetra" for k in range(10)]
    for path in paths:
        save_job(path, JobFile(new_job()))
        window.documents.open_file(path)
    paths[9].unlink()
    known = window.documents.recent()
    assert known[0] == paths[8]
    assert len(known) <= 8
    menu = QMenu()
    window.documents._fill_recent(menu)
    menu.actions()[1].trigger()
    assert window.session.path == known[1]
    assert window.documents.recent()[0] == known[1]
