"""The job sheet says what the job and its files say: its numbers are read back out of the PDF and worked out here another way."""

from __future__ import annotations

import re

import numpy as np
import pypdfium2
import pytest

from archimetra.base.findings import Finding, Severity
from archimetra.cli import main
from archimetra.edits import basic as edits
from archimetra.engine.jobsheet import sheet_of
from archimetra.engine.planning import plan_board
from archimetra.geometry.path import Path
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.job import with_boards
from archimetra.job.quantities import Unit
from archimetra.job.sheet import Fixture, FixtureKind, Sheet, Zero, ZeroAt, ZeroZ
from archimetra.output.controllers import controller
from archimetra.output.files import file_times, gcode_files
from archimetra.output.gcode_reader import read_gcode
from archimetra.output.jobsheet.pdf import PAPERS, as_pdf
from archimetra.output.jobsheet.text import WIDTH, as_text
from archimetra.output.times import clock
from cutting_board import board_with
from plain_clock import plain_clock
from sample_plans import plan_of
from sample_plans import sample as known_sample
from shapes import replace


def words_of(pdf: bytes) -> list[str]:
    """The text of each page, in one line."""
    document = pypdfium2.PdfDocument(pdf)
    try:
        return [" ".join(page.get_textpage().get_text_bounded().split()) for page in document]
    finally:
        document.close()


@pytest.fixture(scope="module")
def dial():
    job = replace(plain_clock().job, controller="streaming")
    board = job.boards[0]
    plan = plan_board(job, board, {})
    return job, board, plan, sheet_of(job, [board], plans=[plan])


@pytest.fixture(scope="module")
def sample():
    job = known_sample()
    return job, {board.name: plan_of(board.name)[1] for board in job.boards}


class TestNumbers:
    def test_every_number_is_that_of_the_job_its_plan_and_its_files(self, dial):
        job, board, plan, sheet = dial
        (page,) = words_of(as_pdf(sheet))
        files = gcode_files(job, board, plan.run, controller("streaming"))
        for words in (
            board.name,
            "320 x 320 mm",
            "18.3, 18.1, 18.2 mm thick",
            "ash",
            clock(plan.times.total),
            job.machine.name,
        ):
            assert words in page
        for file in files:
            assert file.name in page
            assert f"{len(file.text.splitlines())} lines" in page
            read = read_gcode(file.text)
            xyz = read.xyz[np.isfinite(read.xyz).all(axis=1)][:-1]  # all but the way home
            low = xyz[xyz[:, 2] < 0]
            found = re.search(
                rf"{re.escape(file.name)} [\d:]+ X (\S+) to (\S+), Y (\S+) to (\S+), Z (\S+) to (\S+) mm; (\S+) mm deep",
                page,
            )
            x0, x1, y0, y1, z0, z1, deep = map(float, found.groups())
            ends = (low[:, 0].min(), low[:, 0].max(), low[:, 1].min(), low[:, 1].max())
            assert (x0, x1, y0, y1) == pytest.approx(
                ends, abs=10
            )  # arcs bulge beyond the ends of moves, leads lie above
            assert x0 <= low[:, 0].min() + 0.006
            assert y1 >= low[:, 1].max() - 0.006
            assert (z0, deep) == pytest.approx((low[:, 2].min(), -low[:, 2].min()), abs=0.006)
            assert z1 == pytest.approx(xyz[:, 2].max(), abs=0.006)
        for cut in board.cuts:
            bit = job.bit(cut.bit)
            recipe = cut.recipe(bit, board.sheet.material)
            assert re.search(
                rf"{cut.name} [\d.]+ [\d.]+ {recipe.spindle_rpm:.0f} {recipe.feed:g} {recipe.plunge:g} \d+:\d\d", page
            )

    def test_times_add_up_in_sheet_files_and_run(self, sample):
        job, plans = sample
        for name in ("rs274", "streaming"):
            for board in job.boards:
                plan = plans[board.name]
                sheet = (
                    sheet_of(replace(job, controller=name), [board], plans=[plan]).boards[0]
                    if board.name == "Dial face"
                    else None
                )
                files = gcode_files(job, board, plan.run, controller(name), plan.setups)
                times = file_times(plan.times, files)
                assert sum(times) == pytest.approx(plan.times.total, abs=1e-6)
                assert all(t > 0 for t in times)
                if sheet is not None:
                    assert [row.time for row in sheet.files] == [clock(t) for t in times]

    def test_inches_are_said_in_inches(self, dial):
        job, board, plan, _ = dial
        sheet = sheet_of(replace(job, unit=Unit.INCH), [board], plans=[plan])
        (page,) = words_of(as_pdf(sheet))
        assert "12.5984 x 12.5984 in" in page
        assert "Feed in/min" in page
        assert " mm " not in page.replace("mm straight", "").replace("mm ball", "")

    def test_a_zero_elsewhere_is_said_and_drawn(self, dial):
        job, board, _, _ = dial
        job = edits.set_zero(job, board.id, Zero(at=ZeroAt.BACK_RIGHT, z=ZeroZ.SPOILBOARD)).job
        sheet = sheet_of(job, [job.boards[0]])
        (page,) = words_of(as_pdf(sheet))
        assert "back right of the sheet: 320, 320 mm from its front left corner" in page
        assert "Set Z zero on the spoilboard" in page
        assert "-305.3" in page  # X of the files counts from there


class TestSteps:
    def test_a_file_per_bit_asks_for_z_again_and_to_keep_x_and_y(self, dial):
        *_, sheet = dial
        (board,) = sheet.boards
        runs = [step for step in board.steps if "Run " in step]
        assert len(runs) == len(board.files)
        assert "Set Z zero on the sheet's top" in runs[0]
        for step in runs[1:]:
            assert step.index("Put in") < step.index("Set Z zero again. Keep X and Y.") < step.index("Run ")

    def test_changes_within_a_file_are_steps_too_unless_the_control_knows_its_bits(self, dial):
        job, board, plan, _ = dial
        for name, asks in (("rs274", True), ("rs274-inch", False)):
            sheet = sheet_of(replace(job, controller=name), [board], plans=[plan]).boards[0]
            stops = [step for step in sheet.steps if step.startswith("Where it stops")]
            assert len(stops) == sum(block.changes_bit for block in plan.run.blocks)
            assert all(("Set Z zero again" in step) == asks for step in stops)

    def test_tiles_are_shifted_onto_their_pins_and_a_back_is_turned_over(self, sample):
        job, plans = sample
        board = next(b for b in job.boards if b.tiling is not None)
        sheet = sheet_of(job, [board], plans=[plans[board.name]]).boards[0]
        words = " ".join(sheet.steps)
        assert "the holes for the pins in the bed" in words
        first = sheet.steps[0]
        assert first.index("Put in") < first.index("Set X and Y zero") < first.index("Run ")
        x, y = plans[board.name].setups[0].zero
        assert f"{x:g} mm from the left end of the machine's travel and {y:g} mm from its front" in first
        assert "Z zero on the bed's surface" in first
        assert "Set Z zero on the sheet's top." in sheet.steps[1]
        for setup in plans[board.name].setups:
            assert setup.name in words
        assert "shift the board onto its pins" in words
        back = next(b for b in job.boards if b.back_of is not None)
        sheet = sheet_of(job, [back], plans=[plans[back.name]]).boards[0]
        assert sheet.steps[0].startswith(f"Turn the sheet over {back.back_of.about.value}")
        assert "Dial face" in sheet.steps[0]

    def test_what_is_open_is_told_and_what_was_dismissed_is_not_unless_it_stops(self, dial, monkeypatch):
        job, board, plan, _ = dial
        told = (Finding("a", Severity.CAUTION, "Look here."), Finding("b", Severity.STOP, "This spoils it."))
        sheet = sheet_of(job, [board], plans=[replace(plan, findings=told)])
        (page,) = words_of(as_pdf(sheet))
        assert "Caution: Look here." in page
        assert "Stop: This spoils it." in page
        assert "stop: This spoils it." in as_text(sheet)

    def test_parts_with_how_many_of_how_many(self, sample):
        job, plans = sample
        board = next(b for b in job.boards if b.name == "Hands")
        sheet = sheet_of(job, [board], plans=[plans["Hands"]]).boards[0]
        for row in sheet.parts:
            part = next(part for part in job.parts if part.name == row.name)
            assert (row.wanted, row.here) == (part.quantity, sum(i.part == part.id for i in board.instances))
        assert 0.2 < sheet.yield_share < 0.9


class TestPaper:
    @pytest.mark.parametrize("paper", list(PAPERS))
    def test_a_simple_board_takes_one_page_of_either_paper(self, dial, paper):
        *_, sheet = dial
        pdf = as_pdf(sheet, paper=paper)
        document = pypdfium2.PdfDocument(pdf)
        try:
            assert len(document) == 1
            assert document[0].get_size() == pytest.approx(PAPERS[paper], abs=0.1)
            pixels = np.asarray(document[0].render(scale=1.0).to_pil().convert("L"))
        finally:
            document.close()
        assert (pixels < 250).any(axis=1).mean() > 0.6  # and it is used
        edge = 8
        assert (pixels[:edge] > 250).all()
        assert (pixels[:, :edge] > 250).all()
        assert (pixels[:, -edge:] > 250).all()

    def test_the_same_job_gives_the_same_file(self, dial):
        *_, sheet = dial
        assert as_pdf(sheet) == as_pdf(sheet)

    @pytest.mark.parametrize("name", ["x" * 60, "日本 Löcher <b>&amp;</b>", "60° V", " "])
    def test_whatever_things_are_named(self, name):
        job, board, cut = board_with(Path.rectangle(0, 0, 60, 40), kind=PocketCut, end_depth=2.0)
        fixtures = (Fixture(x=20.0, y=20.0), Fixture(kind=FixtureKind.SCREW, x=380.0, y=20.0, width=8.0))
        board = replace(board, name=name, cuts=(replace(cut, name=name, notes=name),), fixtures=fixtures)
        job = with_boards(job, (board,), name=name, bits=(replace(job.bits[0], name=name),))
        sheet = sheet_of(job, [board])
        pages = words_of(as_pdf(sheet))
        assert "1 clamp, 1 screw" in pages[0]
        text = as_text(sheet)
        assert all(len(line) <= WIDTH for line in text.splitlines())
        if name.strip():
            assert name.split()[0][:40] in text

    @pytest.mark.parametrize("size", [(3000.0, 60.0), (60.0, 2000.0), (20.0, 20.0)])
    def test_long_and_small_sheets(self, size):
        job, board, _ = board_with(
            Path.rectangle(0, 0, 10, 10),
            kind=PocketCut,
            end_depth=2.0,
            sheet=Sheet(width=size[0], height=size[1], readings=(3.0,)),
        )
        assert len(words_of(as_pdf(sheet_of(job, [board])))) >= 1

    def test_nothing_to_cut_is_a_page_that_says_so(self):
        job, _, _ = board_with(Path.rectangle(0, 0, 10, 10), kind=PocketCut)
        assert "Nothing is cut" in words_of(as_pdf(sheet_of(job, [])))[0]


class TestCommand:
    def test_pdf_text_and_what_cannot_be(self, tmp_path, capsys):
        from archimetra.job.file import save_job

        save_job(tmp_path / "c.archimetra", plain_clock())
        one = ["--board", "Dial face"]
        assert main(["sheet", str(tmp_path / "c.archimetra"), *one]) == 0
        out = capsys.readouterr().out
        assert "Dial face" in out
        assert "In order:" in out
        for name in ("s.pdf", "s.txt"):
            assert (
                main(
                    ["sheet", str(tmp_path / "c.archimetra"), "--out", str(tmp_path / name), "--paper", "letter", *one]
                )
                == 0
            )
        assert (tmp_path / "s.pdf").read_bytes().startswith(b"%PDF")
        assert (tmp_path / "s.txt").read_text() == out
        assert main(["sheet", str(tmp_path / "c.archimetra"), "--out", str(tmp_path / "no" / "s.pdf"), *one]) == 1
        assert main(["sheet", str(tmp_path / "c.archimetra"), "--board", "none"]) == 1
        assert main(["sheet", str(tmp_path / "c.archimetra"), "--controller", "none", *one]) == 1


class TestDrawing:
    @pytest.mark.parametrize("turns", [0, 1, 2, 3])
    @pytest.mark.parametrize("zero", [Zero(), Zero(at=ZeroAt.CENTRE), Zero(at=ZeroAt.TYPED, x=30.0, y=70.0)])
    def test_the_sheet_lies_as_on_the_machine_and_zero_is_where_it_is_set(self, turns, zero):
        """On the page as it is printed: the sheet by its colour, zero by that of its mark."""
        job, board, _ = board_with(Path.circle((0, 0), 20), kind=PocketCut, sheet=Sheet(width=200, height=120, readings=(18.0,)), end_depth=3.0)  # fmt: skip
        board = replace(board, quarter_turns=turns, zero=zero)
        job = with_boards(job, (board,))
        document = pypdfium2.PdfDocument(as_pdf(sheet_of(job, [board])))
        scale = 3.0
        try:
            pixels = np.asarray(document[0].render(scale=scale).to_pil().convert("RGB")).astype(int)
        finally:
            document.close()

        def box(colour):
            y, x = np.nonzero(np.abs(pixels - colour).max(axis=2) < 6)
            return x.min() / scale, y.min() / scale, x.max() / scale, y.max() / scale

        half = pixels[: pixels.shape[0] // 2]  # the drawing; sections below have the wood's colour, too
        wood = np.abs(half - (0xEA, 0xD9, 0xB6)).max(axis=2) < 6
        columns, rows = np.flatnonzero(wood.sum(axis=0) > 60), np.flatnonzero(wood.sum(axis=1) > 60)
        left, right, top, bottom = (v / scale for v in (columns[0], columns[-1], rows[0], rows[-1]))
        across, up = (120, 200) if turns % 2 else (200, 120)
        assert (right - left) / (bottom - top) == pytest.approx(across / up, rel=0.02)
        # of the mark nothing lies farther left or lower than the ring around its middle
        x0, _, _, y1 = box((0xC8, 0x45, 0x2D))
        x, y = x0 + 3.75, y1 - 3.75
        a, b = zero.point(board.sheet)
        lies = {0: (a, b), 1: (120 - b, a), 2: (200 - a, 120 - b), 3: (b, 200 - a)}[turns]
        pt = (right - left) / across
        assert (x - left) / pt == pytest.approx(lies[0], abs=6.0)
        assert (bottom - y) / pt == pytest.approx(lies[1], abs=6.0)
