"""The job sheet on screen: its pages come, are saved as they are shown, and what goes wrong is a sentence."""

from __future__ import annotations

import contextlib
from pathlib import Path as FilePath

import pypdfium2
import pytest
from PySide6.QtPrintSupport import QPrinter
from PySide6.QtWidgets import QLabel

from app.conftest import settle
from app.gestures import button, words_on
from archimetra.app.job_sheet import JobSheetPage
from archimetra.edits import basic
from archimetra.edits.edit import Edit
from archimetra.geometry.path import Path
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.file import JobFile
from archimetra.job.job import with_boards
from archimetra.job.sheet import Sheet
from archimetra.output.controllers import controller
from archimetra.output.controllers.profile import as_toml
from cutting_board import board_with
from shapes import replace


def two_boards() -> JobFile:
    job, board, _ = board_with(
        Path.rectangle(0, 0, 60, 40), kind=PocketCut, sheet=Sheet(width=120, height=90, readings=(18.0,)), end_depth=4.0
    )
    job = with_boards(job, (replace(board, name="First"),))
    edit, new = basic.duplicate_board(job, board.id)
    job = basic.change_board(edit.job, new, "", name="Second").job
    return JobFile(job, {})


@pytest.fixture
def page(open_window, qtbot):
    window = open_window(two_boards())
    settle(qtbot, window)
    window.station_output()
    button(window, "Job sheet …").click()
    shown = window.findChild(JobSheetPage)
    ready(qtbot, shown)
    yield shown
    with contextlib.suppress(RuntimeError):  # closed by the test
        shown.close()


def ready(qtbot, shown):
    qtbot.waitUntil(lambda: not shown._progress.isVisible(), timeout=120_000)


def read(pdf: bytes) -> list[str]:
    document = pypdfium2.PdfDocument(pdf)
    try:
        return [page.get_textpage().get_text_bounded() for page in document]
    finally:
        document.close()


def test_the_pages_of_one_board_and_of_all(page, qtbot, tmp_path):
    assert len([w for w in page.findChildren(QLabel) if w.accessibleName().startswith("Page ")]) == 1
    assert "1 page" in words_on(page)
    button(page, "All boards").click()
    ready(qtbot, page)
    assert "2 pages" in words_on(page)
    page.save_pdf(tmp_path / "both")
    first, second = read((tmp_path / "both.pdf").read_bytes())
    assert "First" in first
    assert "Second" in second
    assert len(page.pages(50)) == 2


def test_letter_paper_and_text(page, qtbot, tmp_path):
    wide = page.pages(72)[0].width()
    button(page, "Letter").click()
    ready(qtbot, page)
    assert page.pages(72)[0].width() > wide
    page.save_text(tmp_path / "sheet.txt")
    ready(qtbot, page)
    assert "In order:" in (tmp_path / "sheet.txt").read_text()
    assert str(tmp_path / "sheet.txt") in words_on(page)
    assert page._pdf, "what is shown stays to be saved"
    page.save_pdf(tmp_path / "no" / "such.pdf")
    assert "could not be written" in words_on(page)
    page.save_text(tmp_path / "no" / "such.txt")
    ready(qtbot, page)
    assert "could not be written" in words_on(page)


def test_it_is_printed_page_by_page(page, qtbot, tmp_path):
    button(page, "All boards").click()
    ready(qtbot, page)
    printer = QPrinter()
    printer.setOutputFormat(QPrinter.OutputFormat.PdfFormat)
    printer.setOutputFileName(str(tmp_path / "printed.pdf"))
    page.print_on(printer)
    document = pypdfium2.PdfDocument((tmp_path / "printed.pdf").read_bytes())
    try:
        assert len(document) == 2
    finally:
        document.close()


def test_closing_it_leaves_no_process_and_no_folder(page, qtbot):
    button(page, "All boards").click()
    process, folder = page._maker._process, page._folder.name
    page.close()
    process.join(5)
    assert not process.is_alive()
    assert not FilePath(folder).exists()


class TestAllBoards:
    @pytest.fixture
    def output(self, open_window, qtbot):
        window = open_window(two_boards())
        settle(qtbot, window)
        window.station_output()
        yield window, window.output_page
        window.output_page.all_boards.stop()

    def run(self, qtbot, page, start):
        start()
        qtbot.waitUntil(lambda: not page.all_boards.is_running, timeout=120_000)

    def test_the_files_of_all_boards_are_written_and_each_board_keeps_what_was(self, output, qtbot, tmp_path):
        window, page = output
        self.run(qtbot, page, lambda: page.all_boards.write_into(tmp_path))
        names = {path.name for path in tmp_path.iterdir()}
        boards = window.session.job.boards
        assert names == {file.name for board in boards for file in board.written.files}
        assert len(names) == 2
        assert "2 files of 2 boards" in words_on(page)
        first = next(iter(tmp_path.iterdir()))
        ours = first.read_text()
        first.write_text(ours + "(mine)\n")
        self.run(qtbot, page, lambda: page.all_boards.write_into(tmp_path))
        assert first.read_text().endswith("(mine)\n")
        assert "changed by hand" in window.notices.text
        button(window, "Replace").click()
        assert first.read_text() == ours

    def test_everything_as_a_zip_and_what_cannot_be(self, output, qtbot, tmp_path):
        window, page = output
        self.run(qtbot, page, lambda: page.all_boards.zip_to(tmp_path / "all"))
        assert (tmp_path / "all.zip").read_bytes().startswith(b"PK")
        self.run(qtbot, page, lambda: page.all_boards.zip_to(tmp_path / "no" / "all.zip"))
        assert "could not be written" in words_on(page)
        session = window.session
        second = session.job.boards[1]
        session.apply(basic.change_board(session.job, second.id, "", name="first"))
        self.run(qtbot, page, lambda: page.all_boards.write_into(tmp_path / "twice"))
        names = [path.name for path in (tmp_path / "twice").iterdir()]
        assert len(names) == 2  # boards of one name are told apart
        short = replace(controller("streaming"), name="short", file_name="{board}", longest_name=8)
        job = replace(session.job, controller="short", controller_text=as_toml(short))
        boards = zip(job.boards, ("Front panel, left", "Front panel, right"), strict=True)
        session.apply(Edit("", with_boards(job, tuple(replace(board, name=name) for board, name in boards))))
        self.run(qtbot, page, lambda: page.all_boards.write_into(tmp_path / "none"))
        assert "Give one of them another name" in words_on(page)
        assert not (tmp_path / "none").exists()
