"""Pictures and films saved from the window: their sizes and contents read back from the files, what cannot be, and films given up."""

from __future__ import annotations

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from app.conftest import settle
from app.gestures import button, type_into, words_on
from archimetra.app.pictures import PicturesPage
from archimetra.engine.picture_process import PictureEvent, PictureMaker, PictureRequest, What
from archimetra.geometry.path import Path
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.file import JobFile
from archimetra.job.job import with_boards
from archimetra.job.sheet import Sheet
from cutting_board import board_with


def small_job() -> JobFile:
    job, board, _ = board_with(
        Path.rectangle(0, 0, 60, 40), kind=PocketCut, sheet=Sheet(width=120, height=90, readings=(18.0,)), end_depth=9.0
    )
    return JobFile(with_boards(job, (board,)), {})


@pytest.fixture
def page(open_window, qtbot):
    window = open_window(small_job())
    settle(qtbot, window)
    QTest.keyClick(window, Qt.Key.Key_P, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    shown = window.findChild(PicturesPage)
    assert shown.isVisible()
    yield shown
    shown.close()


def wait(qtbot, page):
    qtbot.waitUntil(lambda: not page._maker.is_running and not page._progress.isVisible(), timeout=120_000)


class TestPicturesPage:
    def test_the_plan_in_any_width(self, page, tmp_path):
        button(page, "Plan").click()
        for width in (300, 2400):
            type_into(page, "Width", str(width))
            page.save(tmp_path / f"plan{width}")
            with Image.open(tmp_path / f"plan{width}.png") as image:
                assert image.width == width
                assert len(np.unique(np.asarray(image.convert("RGB")).reshape(-1, 3), axis=0)) > 100

    def test_the_tilted_view_in_any_size(self, page, qtbot, tmp_path):
        button(page, "Tilted view").click()
        type_into(page, "Width", "500")
        type_into(page, "Height", "260 px")
        page.save(tmp_path / "t.png")
        wait(qtbot, page)
        with Image.open(tmp_path / "t.png") as image:
            assert image.size == (500, 260)
        assert str(tmp_path / "t.png") in words_on(page)

    def test_the_run_as_a_film_begins_uncut_and_ends_finished(self, page, qtbot, tmp_path):
        button(page, "The run").click()
        for name, text in (("Width", "200"), ("Height", "160"), ("Lasts", "1,5")):
            type_into(page, name, text)
        page.save(tmp_path / "run")
        wait(qtbot, page)
        film = Image.open(tmp_path / "run.webp")
        assert film.size == (200, 160)
        assert film.n_frames == 18
        frames = []
        for k in (0, film.n_frames - 1):
            film.seek(k)
            frames.append(np.asarray(film.convert("L"), dtype=float)[60:100, 80:120])
        assert frames[1].std() > frames[0].std() + 3  # the pocket lies in the middle

    def test_what_cannot_be_typed_is_told_and_not_taken(self, page):
        button(page, "Tilted view").click()
        for text in ("9000", "99", "abc", "", "1e9", "-5", "12.5"):
            type_into(page, "Height", text)
            assert "100 to 8000 pixels" in words_on(page)
            assert page._height == 1000
        button(page, "Turntable").click()
        type_into(page, "Width", "2001")
        assert "100 to 2000 pixels" in words_on(page)
        for text in ("0", "121", "nan", "inf", "x"):
            type_into(page, "Lasts", text)
            assert "1 to 120 seconds" in words_on(page)
        assert page._seconds == 8.0

    def test_a_place_that_cannot_be_written_is_told(self, page, qtbot, tmp_path):
        for what in ("Plan", "Turntable"):
            button(page, what).click()
            if what == "Turntable":
                type_into(page, "Lasts", "1")
                type_into(page, "Width", "100")
                type_into(page, "Height", "100")
            page.save(tmp_path / "no" / "such")
            wait(qtbot, page)
            assert "could not be written" in words_on(page)

    def test_a_film_given_up_leaves_nothing_behind(self, page, qtbot, tmp_path):
        button(page, "Turntable").click()
        type_into(page, "Lasts", "100")
        page.save(tmp_path / "long.webp")
        process = page._maker._process
        qtbot.waitUntil(lambda: page._progress.value() > 50, timeout=120_000)
        button(page, "Give up").click()
        assert "nothing was written" in words_on(page)
        process.join(5)
        assert not process.is_alive()
        assert list(tmp_path.iterdir()) == []
        assert button(page, "Save …").isEnabled()


def test_a_process_that_dies_is_told(tmp_path):
    import threading

    events: list[PictureEvent] = []
    told = threading.Event()

    def take(event: PictureEvent) -> None:
        events.append(event)
        if event.is_last:
            told.set()

    content = small_job()
    maker = PictureMaker(take)
    maker.start(
        PictureRequest(
            What.TURNTABLE, content.job, content.job.boards[0].id, str(tmp_path / "f.webp"), (400, 300), seconds=60.0
        )
    )
    maker._process.kill()
    assert told.wait(30)
    assert "unexpectedly" in events[-1].problem
    assert not (tmp_path / "f.webp").exists()
