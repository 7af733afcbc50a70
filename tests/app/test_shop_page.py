"""The shop's page and the three questions of a first start: what is typed is kept, taken back, and never written over another window's."""

from __future__ import annotations

import contextlib

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLineEdit, QToolButton

from app.conftest import settle
from app.gestures import button, choose, type_into, words_on
from archimetra.app.first_start import FirstStart
from archimetra.app.shop_page import ShopPage
from archimetra.edits import shop as shops
from archimetra.edits.shop import SHOP, Router, Shop
from archimetra.job.quantities import Unit
from archimetra.job.sheet import Machine
from shapes import replace


@pytest.fixture
def window(open_window):
    return open_window()


@pytest.fixture
def page(window, qtbot):
    SHOP.save(Shop())
    page = ShopPage(window.session, window)
    qtbot.addWidget(page)
    page.show()
    qtbot.waitExposed(page)
    with contextlib.suppress(qtbot.TimeoutError), qtbot.waitActive(page, timeout=3_000):
        page.activateWindow()
    return page


class TestMachines:
    def test_numbers_typed_are_kept_at_once_and_taken_back(self, page):
        type_into(page, "Travel X", "1 m")
        assert SHOP.load().router.machine.travel_x == 1000.0
        type_into(page, "Fastest spindle", "18000")
        assert SHOP.load().router.machine.max_rpm == 18000.0
        button(page, "Undo").click()
        assert SHOP.load().router.machine.max_rpm == 24000.0
        QTest.keyClick(page, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        assert SHOP.load() == Shop()
        button(page, "Redo").click()
        assert SHOP.load().router.machine.travel_x == 1000.0
        assert not page._fields["travel_x"].is_typing

    @pytest.mark.parametrize(
        ("field", "text", "words"),
        [("Travel X", "-3", "above zero"), ("Travel X", "wide", "wide"), ("Slowest spindle", "30000", "no higher"), ("Fastest cut", "0", "above zero")],
    )  # fmt: skip
    def test_what_cannot_be_is_told_and_not_kept(self, page, field, text, words):
        type_into(page, field, text)
        assert words in words_on(page)
        assert SHOP.load() == Shop()
        assert not page._undo.isEnabled()

    def test_another_machine_is_added_and_new_jobs_are_for_it(self, page, window):
        session = window.session
        button(page, "Duplicate").click()
        type_into_line(page, "Machine name", "Attic")
        type_into(page, "Travel Y", "300")
        button(page, "New jobs are for it").click()
        shop = SHOP.load()
        assert [one.machine.name for one in shop.routers] == ["Router 610 x 610", "Attic"]
        assert shop.router.machine.travel_y == 300.0
        session.forget_changes()
        window.documents.new_job()
        assert session.job.machine.name == "Attic"
        page.machines.setCurrentRow(0)
        assert page.router.machine.travel_y == 610.0
        button(page, "Remove").click()
        assert [one.machine.name for one in SHOP.load().routers] == ["Attic"]

    def test_escape_takes_back_what_is_typed_and_the_page_stays(self, page):
        line = next(one for one in page.findChildren(QLineEdit) if one.accessibleName() == "Travel X")
        line.setFocus()
        line.selectAll()
        QTest.keyClicks(line, "99")
        QTest.keyClick(line, Qt.Key.Key_Escape)
        assert page.isVisible()
        assert line.text() == "610"
        assert SHOP.load() == Shop()
        QTest.keyClick(line, Qt.Key.Key_Escape)
        assert not page.isVisible()

    def test_two_of_one_name_are_refused(self, page):
        button(page, "Duplicate").click()
        type_into_line(page, "Machine name", "Router 610 x 610")
        assert "names of their own" in words_on(page)
        assert len({one.machine.name for one in SHOP.load().routers}) == 2

    def test_the_controller_and_the_unit_of_its_files(self, page, window):
        choose(page, "Controller", next(p.title for p in page._profiles if p.name == "rs274-inch"))
        assert SHOP.load().router.controller == "rs274-inch"
        assert not page._files_in.isEnabled()
        choose(page, "Controller", next(p.title for p in page._profiles if p.name == "streaming"))
        page._files_in.button(Unit.INCH).click()
        assert SHOP.load().router.output_unit is Unit.INCH
        button(page, "Use it for this job").click()
        assert (window.session.job.controller, window.session.job.output_unit) == ("streaming", Unit.INCH)
        window.session.undo()
        assert window.session.job.output_unit is Unit.MM


class TestTwoWindows:
    def test_a_change_keeps_what_another_window_changed(self, page):
        other = shops.keep_router(SHOP.load(), Router(machine=Machine(name="Theirs")))
        SHOP.save(other)
        type_into(page, "Travel X", "700")
        shop = SHOP.load()
        assert {one.machine.name: one.machine.travel_x for one in shop.routers} == {
            "Router 610 x 610": 700.0,
            "Theirs": 610.0,
        }

    def test_taking_back_never_takes_back_another_windows(self, page):
        type_into(page, "Travel X", "700")
        theirs = shops.keep_router(SHOP.load(), Router(machine=Machine(name="Theirs")))
        SHOP.save(theirs)
        button(page, "Undo").click()
        assert SHOP.load() == theirs
        assert "another window" in words_on(page)

    def test_a_machine_taken_away_meanwhile_is_told(self, page):
        button(page, "Duplicate").click()
        SHOP.save(shops.drop_router(SHOP.load(), 1))
        type_into(page, "Travel X", "700")
        assert "no machine of the shop any more" in words_on(page)
        assert [one.machine.travel_x for one in SHOP.load().routers] == [610.0]

    def test_a_damaged_shop_is_told(self, window, qtbot):
        SHOP.path.parent.mkdir(parents=True, exist_ok=True)
        SHOP.path.write_text("{")
        page = ShopPage(window.session, window)
        qtbot.addWidget(page)
        assert "shop.json.damaged" in page._told.text()


class TestShelf:
    def test_a_sheet_is_kept_and_laid_on_another_board(self, page, window, qtbot):
        from archimetra.edits import basic as edits

        session = window.session
        own = session.board.sheet
        type_into_line(page, "Name of the sheet", "Good ash")
        button(page, "Keep the board's").click()
        session.apply(edits.add_board(session.job)[0])
        session.show_board(session.job.boards[-1].id)
        session.apply(
            edits.change_board(
                session.job, session.board_id, "", sheet=replace(session.board.sheet, width=99.0, readings=(3.0,))
            )
        )
        page.sheets.setCurrentRow(0)
        button(page, "Lay it").click()
        assert (session.board.sheet.width, session.board.sheet.readings) == (own.width, own.readings)
        settle(qtbot, window)
        session.undo()
        assert session.board.sheet.width == 99.0
        page._drop_sheet.click()
        assert SHOP.load().sheets == ()


class TestFromTheWindow:
    def test_the_menu_opens_it_and_how_the_window_looks_is_chosen(self, window, qtbot):
        SHOP.save(Shop())
        window.actions_by_id["shop"].trigger()
        page = next(one for one in window.findChildren(ShopPage) if one.isVisible())
        light = window.tokens
        next(b for b in page.findChildren(QToolButton) if b.accessibleName() == "Look: Dark").click()
        assert window.tokens.is_dark
        next(b for b in page.findChildren(QToolButton) if b.accessibleName() == "Look: Light").click()
        assert window.tokens == light
        window.show_station("board")
        form = window.page("board")._machine
        type_into(page, "Travel X", "444")
        form.refresh()
        assert "travel" in form._shop_words.text()


class TestFolder:
    def test_files_of_a_machine_go_to_its_folder_in_one_press(self, window, qtbot, tmp_path):
        router = Router(machine=window.session.job.machine, folder=str(tmp_path / "stick"))
        SHOP.save(Shop(routers=(router,)))
        window.show_station("output")
        qtbot.waitUntil(lambda: bool(window.output_page.files), timeout=30_000)
        window.output_page.refresh()
        assert window.output_page._again.text() == "Write into stick"
        window.output_page._again.click()
        assert "is not there" in window.notices.text
        (tmp_path / "stick").mkdir()
        window.output_page._again.click()
        assert {path.name for path in (tmp_path / "stick").iterdir()} == {
            file.name for file in window.output_page.files
        }


class TestFirstStart:
    def ask(self, window, qtbot):
        SHOP.path.unlink(missing_ok=True)
        window.session.forget_changes()
        window.documents.new_job()
        window.documents._ask_first()
        return next(page for page in window.findChildren(FirstStart) if page.isVisible())

    def test_what_is_answered_is_kept_and_the_open_job_is_for_it(self, window, qtbot):
        page = self.ask(window, qtbot)
        page._units.button(Unit.INCH).click()
        type_into(page, "Travel X", "32")
        type_into(page, "Travel Y", "24 in")
        choose(page, "Controller", next(p.title for p in page._profiles if p.name == "streaming"))
        button(page, "Keep it").click()
        shop = SHOP.load()
        assert shop.router.machine.travel_x == pytest.approx(32 * 25.4)
        assert shop.router.machine.name == "Router 32 x 24 in"
        assert (shop.router.controller, shop.router.output_unit, shop.unit) == ("streaming", Unit.INCH, Unit.INCH)
        job = window.session.job
        assert (job.machine, job.controller, job.unit) == (shop.router.machine, "streaming", Unit.INCH)

    def test_what_cannot_be_is_not_kept(self, window, qtbot):
        page = self.ask(window, qtbot)
        type_into(page, "Travel X", "-5")
        button(page, "Keep it").click()
        assert page.isVisible()
        assert not SHOP.is_there
        type_into(page, "Travel X", "500")
        button(page, "Keep it").click()
        assert SHOP.load().router.machine.travel_x == 500.0

    @pytest.mark.parametrize("how", ["later", "escape"])
    def test_left_out_it_is_not_asked_again(self, window, qtbot, how):
        page = self.ask(window, qtbot)
        if how == "later":
            button(page, "Later").click()
        else:
            QTest.keyClick(page, Qt.Key.Key_Escape)
        assert SHOP.load() == Shop()

    @pytest.mark.parametrize(("is_there", "asked"), [(False, 1), (True, 0)])
    def test_only_the_very_first_start_asks(self, window, is_there, asked):
        SHOP.path.unlink(missing_ok=True)
        if is_there:
            SHOP.save(Shop())
        window.session.forget_changes()
        window.documents.begin([], None, with_demo=False)
        assert sum(page.isVisible() for page in window.findChildren(FirstStart)) == asked


def type_into_line(page, name, text):
    line = next(one for one in page.findChildren(QLineEdit) if one.accessibleName() == name)
    line.setFocus()
    line.selectAll()
    QTest.keyClicks(line, text)
    QTest.keyClick(line, Qt.Key.Key_Return)
