"""The controllers page: what comes with the program is looked at, one's own are made, changed, taken along and given up, the file beside them."""

from __future__ import annotations

import pytest
from PySide6.QtWidgets import QPlainTextEdit

from app.conftest import settle
from app.gestures import button, choose, type_into, words_on
from archimetra.app.controllers_page import ControllersPage
from archimetra.edits import basic as edits
from archimetra.job.file import JobFile
from archimetra.output.controllers import Arcs, Spindle, controller, controllers
from archimetra.output.controllers.profile import as_toml
from archimetra.output.controllers.shelf import own, own_folder, shipped
from shapes import replace


@pytest.fixture
def page(open_window, qtbot, tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "config"))
    window = open_window()
    settle(qtbot, window)
    window.station_output()
    button(window, "Controllers …").click()
    shown = window.findChild(ControllersPage)
    shown.window_under = window
    yield shown
    shown.close()


def text_of(page) -> str:
    return page._text.toPlainText()


def wait_for(qtbot, page, words: str):
    qtbot.waitUntil(lambda: words in text_of(page), timeout=30_000)


def write_into(page, name: str, text: str) -> None:
    box = next(w for w in page.findChildren(QPlainTextEdit) if w.accessibleName() == name)
    box.setFocus()
    box.setPlainText(text)
    box.commit()


class TestLooking:
    def test_the_file_stands_beside_each_that_comes_with_the_program(self, page, qtbot):
        for name, profile in shipped().items():
            choose(page, "Controller", profile.title)
            key = f"trial {hash(profile)}"
            qtbot.waitUntil(lambda k=key: page._asked.startswith(k), timeout=30_000)
            ending = f".{profile.extension}"
            qtbot.waitUntil(lambda e=ending: page._file_name.text().split(",")[0].endswith(e), timeout=30_000)
            wait_for(qtbot, page, profile.end[0])
            assert not page.is_own
            assert "Duplicate it" in words_on(page)
            assert controllers()[name] == profile

    def test_nothing_shipped_can_be_changed(self, page):
        assert not page._fields["title"].findChild(type(page._fields["title"]._edit)).isEnabled()
        assert not page._buttons["Remove"].isEnabled()


class TestChanging:
    def test_what_is_changed_is_kept_and_shows_in_the_file(self, page, qtbot):
        button(page, "Duplicate").click()
        assert page.is_own
        type_into(page, "Title", "Garage")
        type_into(page, "Extension", "gc")
        write_into(page, "Start", "G17\nG90 (for {board})\n\n")
        button(page, "As lines").click()
        button(page, "By hand").click()
        type_into(page, "Line numbers", "5")
        wait_for(qtbot, page, "N10 G17")
        wait_for(qtbot, page, "G90 (for Dial face)")
        assert "Spindle at" in text_of(page)
        assert "G2 " not in text_of(page)
        kept = own()[0][page._profile.name]
        assert (kept.title, kept.extension, kept.arcs, kept.spindle, kept.line_numbers) == (
            "Garage", "gc", Arcs.NONE, Spindle.NONE, 5,
        )  # fmt: skip
        assert kept.start == ("G17", "G90 (for {board})")

    @pytest.mark.parametrize(
        ("name", "text", "said"),
        [
            ("Extension", ".n c", "Extension is up to 8"), ("Title", "", "Title is 1 to 60"), ("Decimals, mm", "9", "Decimals, mm is 1 to 6"),
            ("Decimals, mm", "two", "no whole number"), ("Line numbers", "-1", "Line numbers is 0"), ("Longest line", "20", "Longest line is 60"),
            ("Largest arc", "nan", "Largest arc is 1"), ("Comment", "( )", "{text}"), ("Wait", "G4", "{seconds}"),
        ],
    )  # fmt: skip
    def test_what_cannot_be_is_told_and_not_kept(self, page, name, text, said):
        button(page, "Duplicate").click()
        before = page._profile
        type_into(page, name, text)
        assert said in words_on(page)
        assert page._profile == before == own()[0][before.name]

    def test_a_wrong_line_is_told_with_its_key_and_number(self, page):
        button(page, "Duplicate").click()
        before = page._profile
        write_into(page, "End", "M5\nM30 {spede}")
        assert "End, line 2: there is no value 'spede'" in words_on(page)
        assert page._profile == before
        write_into(page, "Bit change", "")
        assert "'Bit change' has to say how" in words_on(page)

    def test_used_for_the_job_its_files_change_with_it(self, page, qtbot):
        window = page.window_under
        button(page, "Duplicate").click()
        button(page, "Use it for this job").click()
        assert window.session.job.controller == page._profile.name
        write_into(page, "End", "M5\nM2")
        qtbot.waitUntil(lambda: any("M5\nM5\nM2" in f.text for f in window.output_page.files), timeout=30_000)


class TestTakingAlong:
    def test_exported_imported_and_removed(self, page, tmp_path, qtbot):
        button(page, "Duplicate").click()
        type_into(page, "Title", "Garage")
        mine = page._profile
        page.export_to(tmp_path / "mine.toml")
        assert (tmp_path / "mine.toml").read_text() == as_toml(mine)
        button(page, "Remove").click()
        assert mine.name not in controllers()
        page.import_from(tmp_path / "mine.toml")
        assert page._profile == mine
        (tmp_path / "other.toml").write_text(as_toml(replace(mine, title="Other")))
        page.import_from(tmp_path / "other.toml")  # of the same name: it comes in beside it
        assert {profile.title for profile in own()[0].values()} == {"Garage", "Other 2"}

    def test_files_that_are_none_are_told(self, page, tmp_path):
        for name, data in (
            ("a.toml", b"name = "),
            ("b.toml", b"\xff"),
            ("c.toml", b"name='x'\ntitle='X'\nend=['{x}']"),
        ):
            (tmp_path / name).write_bytes(data)
            page.import_from(tmp_path / name)
            assert own()[0] == {}
            assert page._told.property("kind") == "stop"
        page.import_from(tmp_path / "none.toml")
        assert "could not be read" in words_on(page)
        page.export_to(tmp_path / "mine.toml" / "no" / "such.toml")
        (tmp_path / "file").write_text("")
        page.export_to(tmp_path / "file" / "such.toml")
        assert "could not be written" in words_on(page)

    def test_one_that_stands_in_for_a_shipped_one_is_restored(self, page):
        own_folder().mkdir(parents=True)
        (own_folder() / "rs274.toml").write_text(as_toml(replace(shipped()["rs274"], extension="tap")))
        page._profile = controller("rs274")
        page._show()
        assert page._profile.extension == "tap"
        button(page, "Restore").click()
        assert page._profile == shipped()["rs274"]


def test_a_job_for_a_controller_that_is_not_here_says_so(open_window, qtbot):
    window = open_window()
    settle(qtbot, window)
    window.station_output()
    window.session.apply(edits.change_job(window.session.job, "Controller", controller="mill9"))
    qtbot.waitUntil(lambda: "There is no controller 'mill9'" in words_on(window), timeout=10_000)
    window.session.undo()
    qtbot.waitUntil(lambda: bool(window.output_page.files), timeout=30_000)


class TestShop:
    def test_a_new_job_begins_with_what_was_kept(self, open_window, qtbot):
        from archimetra.edits.shop import load_shop

        window = open_window()
        settle(qtbot, window)
        session = window.session
        session.apply(
            edits.change_job(
                session.job, "", machine=replace(session.job.machine, travel_x=801.0), controller="streaming"
            )
        )
        window.show_station("board")
        form = window.pages["board"]._machine
        form.refresh()
        assert "travel, controller" in form._shop_words.text()
        form._keep.click()
        assert load_shop().router.machine.travel_x == 801.0
        assert "As the shop has it" in form._shop_words.text()
        session.forget_changes()
        window.documents.new_job()
        assert (session.job.machine.travel_x, session.job.controller) == (801.0, "streaming")
        session.apply(edits.change_job(session.job, "", machine=replace(session.job.machine, travel_x=300.0)))
        form.refresh()
        form._take.click()
        assert session.job.machine.travel_x == 801.0
        session.undo()
        assert session.job.machine.travel_x == 300.0


class TestCopy:
    def test_a_job_that_brought_its_controller_along_says_so_and_it_is_kept_on_the_shelf(self, open_window, qtbot):
        from archimetra.output.controllers import controller, controllers
        from archimetra.output.controllers.profile import as_toml

        window = open_window()
        window.station_output()
        far = replace(controller("streaming"), name="far", title="From afar", extension="far")
        session = window.session
        session.apply(edits.change_job(session.job, "Controller", controller="far", controller_text=as_toml(far)))
        page = window.output_page
        qtbot.waitUntil(lambda: bool(page.files) and page.files[0].name.endswith(".far"), timeout=30_000)
        assert page._controller.currentText() == "From afar, with the job"
        assert "not on this machine" in words_on(window)
        page._to_shelf.click()
        assert controllers()["far"] == far
        assert page._controller.currentText() == "From afar"
        assert "not on this machine" not in words_on(window)

    def test_one_changed_since_is_told_and_taken(self, open_window, qtbot):
        from archimetra.output.controllers import controller
        from archimetra.output.controllers.of_job import for_controller
        from archimetra.output.controllers.shelf import keep

        window = open_window()
        session = window.session
        keep(replace(controller("streaming"), name="near", title="Near"))
        session.open_job(JobFile(for_controller(session.job, "near")), None)
        window.station_output()
        settle(qtbot, window)
        keep(replace(controller("near"), extension="new"))
        page = window.output_page
        page.refresh()
        assert "changed on this machine" in words_on(window)
        qtbot.waitUntil(lambda: bool(page.files), timeout=30_000)
        assert page.files[0].name.endswith(".nc")
        page._from_shelf.click()
        qtbot.waitUntil(lambda: bool(page.files) and page.files[0].name.endswith(".new"), timeout=30_000)
        session.undo()
        qtbot.waitUntil(lambda: bool(page.files) and page.files[0].name.endswith(".nc"), timeout=30_000)
