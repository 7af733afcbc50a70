"""The command line: what each command prints, writes and answers to the shell, driven as a user types it."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
import shapely
from PySide6.QtGui import QColor, QImage

from archimetra import __version__
from archimetra.cli import main
from archimetra.demo import artwork, quay_tide_clock
from archimetra.edits import basic as edits
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.file import JobFile, load_job, save_job
from archimetra.job.job import with_boards
from archimetra.job.quantities import Unit
from archimetra.output.gcode_reader import read_gcode
from archimetra.toolpath.shared.moves import straightened
from cutting_board import board_with
from plain_clock import plain_clock
from shapes import replace, star

PLATE = (
    '<svg xmlns="http://www.w3.org/2000/svg" width="120mm" height="80mm" viewBox="0 0 120 80"><image href="a.png"/>'
    '<path d="M10 10h100v60h-100z M40 40a10 10 0 1 0 20 0a10 10 0 1 0 -20 0" fill-rule="evenodd"/></svg>'
)


@pytest.fixture
def clock(tmp_path) -> Path:
    path = tmp_path / "clock.archimetra"
    save_job(path, plain_clock())
    return path


@pytest.fixture
def plate(tmp_path) -> Path:
    path = tmp_path / "plate.svg"
    path.write_text(PLATE)
    return path


def swept(text: str, radius: float, *, below: float) -> shapely.Geometry:
    """What a bit of that radius cuts away below a height, by nothing but the file."""
    read = read_gcode(text)
    assert not read.findings
    assert read.has_end
    ok = ~np.isnan(read.xyz).any(axis=1)
    points, _ = straightened(read.xyz[ok], read.kind[ok], read.centre[ok], chord_tolerance_mm=0.0005)
    low = (points[:-1, 2] < below) & (points[1:, 2] < below)
    lines = shapely.linestrings(np.stack((points[:-1, :2], points[1:, :2]), axis=1)[low])
    return shapely.union_all(shapely.buffer(lines, radius, quad_segs=64))


class TestFromDrawingToFile:
    def test_new_and_export_cut_the_part_the_drawing_shows(self, plate, tmp_path, capsys):
        job = tmp_path / "plate.archimetra"
        assert main(["new", str(job), "--art", str(plate), "--sheet", "120x80x6.2", "--profile", "outside"]) == 0
        capsys.readouterr()
        assert main(["export", str(job), "--out", str(tmp_path / "out")]) == 0
        written = [Path(line) for line in capsys.readouterr().out.splitlines()]
        assert [path.suffix for path in written] == [".ngc"]
        # the page is the sheet, so the drawing lies where its numbers say; SVG's y goes down
        part = shapely.box(10, 10, 110, 70) - shapely.Point(50, 40).buffer(10, quad_segs=200)
        followed = part.buffer(3, quad_segs=200).boundary.buffer(3, quad_segs=200)
        # at the very bottom the tabs are still there: look above them
        cut = swept(written[0].read_text(), 3.0, below=-2.0)
        assert shapely.hausdorff_distance(cut.boundary, followed.boundary) < 0.02
        assert cut.intersection(part.buffer(-0.01)).is_empty

    def test_inches_cut_what_millimetres_cut(self, plate, tmp_path):
        job = tmp_path / "plate.archimetra"
        main(["new", str(job), "--art", str(plate), "--sheet", "120x80x6.2", "--profile", "inside"])
        areas = []
        for unit in ("mm", "in"):
            assert main(["export", str(job), "--out", str(tmp_path / unit), "--unit", unit, "--force"]) == 0
            (path,) = (tmp_path / unit).iterdir()
            text = path.read_text()
            assert ("G21" if unit == "mm" else "G20") in text.splitlines()
            areas.append(swept(text, 3.0, below=-2.0))
        assert areas[0].symmetric_difference(areas[1]).area < 0.3

    def test_the_streaming_controller_gets_a_file_a_bit_in_running_order(self, clock, tmp_path, capsys):
        board = ["--board", "Dial face"]
        assert main(["export", str(clock), "--out", str(tmp_path / "out"), "--controller", "streaming", *board]) == 0
        names = [Path(line).name for line in capsys.readouterr().out.splitlines()]
        assert [name.split("-")[5] for name in names] == ["1", "2", "3"]
        assert all(name.endswith(".nc") for name in names)
        assert not any("M6" in (tmp_path / "out" / name).read_text() for name in names)

    def test_nothing_is_written_while_a_finding_says_stop(self, clock, tmp_path, capsys):
        job = load_job(clock).job
        save_job(clock, JobFile(edits.change_cut(job, job.boards[0].cuts[0].id, "", end_depth=0.0).job))
        assert main(["export", str(clock), "--out", str(tmp_path / "out")]) == 1
        assert not (tmp_path / "out").exists()
        told = capsys.readouterr().err
        assert "still zero" in told
        assert "--force" in told
        assert main(["export", str(clock), "--out", str(tmp_path / "out"), "--force"]) == 0

    @pytest.mark.parametrize(
        ("size", "width"),
        [(["--width", "4in"], 101.6), (["--unit", "mm"], 100.0), (["--unit", "in", "--width", "90"], 90.0)],
    )
    def test_artwork_without_a_unit_takes_the_size_it_is_given(self, tmp_path, capsys, size, width):
        art, job = tmp_path / "a.svg", tmp_path / "a.archimetra"
        art.write_text(
            '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 50"><rect width="100" height="50"/></svg>'
        )
        assert main(["new", str(job), "--art", str(art), *size]) == 0
        x0, _, x1, _ = load_job(job).job.boards[0].shapes[0].bounds()
        assert x1 - x0 == pytest.approx(width)

    @pytest.mark.parametrize("size", [["--width", "0"], ["--width", "wide"], ["--unit", "furlong"]])
    def test_a_size_that_cannot_be_is_told_and_nothing_is_made(self, plate, tmp_path, capsys, size):
        job = tmp_path / "a.archimetra"
        assert main(["new", str(job), "--art", str(plate), *size]) == 1
        assert size[0] in capsys.readouterr().err
        assert not job.exists()


class TestTelling:
    def test_check_tells_times_and_findings_and_json_keeps_its_keys(self, clock, capsys):
        assert main(["check", str(clock)]) == 0
        assert "Dial face: 4 cuts" in capsys.readouterr().out
        assert main(["check", str(clock), "--json"]) == 0
        told = json.loads(capsys.readouterr().out)
        assert told["job"] == "Quay tide clock"
        board = told["boards"][0]
        assert [row["board"] for row in told["boards"]][1:] == [
            "Dial back",
            "Star plug",
            "Hands",
            "Notice board",
            "Test piece",
        ]
        assert set(board) == {"board", "seconds", "cuts", "moves", "findings", "dismissed"}
        assert board["seconds"] > 300
        assert board["findings"] == []

    def test_an_inch_job_is_told_of_in_inches_and_scripts_read_mm(self, tmp_path, capsys):
        job, board, _ = board_with(star(), kind=PocketCut, end_depth=25.4)
        save_job(tmp_path / "deep.amtr", JobFile(replace(with_boards(job, (board,)), unit=Unit.INCH)))
        main(["check", str(tmp_path / "deep.amtr")])
        assert "'Cut' ends 1 in deep; the sheet is 0.7087 in thick." in capsys.readouterr().err
        main(["check", str(tmp_path / "deep.amtr"), "--json"])
        (told,) = [f for f in json.loads(capsys.readouterr().out)["boards"][0]["findings"] if f["code"] == "too-deep"]
        assert told["sentence"] == "'Cut' ends 25.4 mm deep; the sheet is 18 mm thick."
        assert {"code", "severity", "sentence", "fix", "subject"} <= set(told)

    def test_inspect_tells_size_unit_and_what_was_left_out(self, plate, capsys):
        assert main(["inspect", str(plate), "--json"]) == 0
        told = json.loads(capsys.readouterr().out)
        assert (told["width_mm"], told["height_mm"]) == (100.0, 60.0)
        assert told["unit"]["unit"] == "mm"
        assert told["shapes"] == 1
        assert [entry["code"] for entry in told["report"]] == ["unit", "svg-picture"]
        assert main(["inspect", str(plate)]) == 0
        assert "1 picture not brought in" in capsys.readouterr().out

    def test_version(self, capsys):
        with pytest.raises(SystemExit) as ended:
            main(["--version"])
        assert ended.value.code == 0
        assert capsys.readouterr().out.strip() == f"archimetra {__version__}"


class TestTrouble:
    @pytest.mark.parametrize(
        ("arguments", "words"),
        [
            (["export", "{none}", "--out", "{out}"], "could not be opened"),
            (
                ["export", "{clock}", "--out", "{out}", "--controller", "mill9"],
                "Known are: iso, rs274, rs274-inch, streaming",
            ),
            (["export", "{clock}", "--out", "{out}", "--board", "Lid"], "It has: Dial face"),
            (["check", "{junk}"], "damaged or not an Archimetra job"),
            (["inspect", "{none}"], "could not be read"),
            (["inspect", "{junk}"], "none of the kinds"),
            (["new", "{out}", "--art", "{junk}"], "none of the kinds"),
            (["render", "{clock}", "--out", "{out}/no/where.png"], "could not be written"),
        ],
    )
    def test_one_sentence_on_standard_error_and_exit_code_1(self, clock, plate, tmp_path, capsys, arguments, words):
        (tmp_path / "junk").write_bytes(b"\x00\x01\x02 no drawing")
        places = {
            "clock": clock,
            "svg": plate,
            "none": tmp_path / "none",
            "junk": tmp_path / "junk",
            "out": tmp_path / "o",
        }
        assert main([argument.format(**places) for argument in arguments]) == 1
        told = capsys.readouterr()
        assert told.out == ""
        assert words in told.err
        assert told.err.startswith("archimetra: ")
        assert told.err.count("\n") == 1

    @pytest.mark.parametrize("size", ["1280", "x", "0x10", "wide"])
    def test_a_size_that_is_none_is_a_wrong_call(self, clock, tmp_path, capsys, size):
        assert main(["render", str(clock), "--out", str(tmp_path / "a.png"), "--size", size]) == 2
        assert "--size" in capsys.readouterr().err

    def test_a_wrong_command_is_exit_code_2(self):
        done = subprocess.run(
            [sys.executable, "-m", "archimetra", "export"], capture_output=True, text=True, check=False
        )
        assert done.returncode == 2
        assert "required" in done.stderr


class TestRendering:
    @pytest.mark.parametrize("view", ["plan", "section", "sequence"])
    def test_each_view_is_drawn_at_the_moment_asked_for(self, clock, tmp_path, view):
        pictures = []
        for at in ("0", "1"):
            out = tmp_path / f"{view}-{at}.png"
            quiet = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
            command = [sys.executable, "-m", "archimetra", "render", str(clock), "--view", view, "--at", at]
            done = subprocess.run(
                [*command, "--out", str(out)], capture_output=True, text=True, check=False, env=quiet, timeout=120
            )
            assert done.returncode == 0, done.stderr
            pictures.append(QImage(str(out)))
        assert not pictures[0].isNull()
        assert pictures[0] != pictures[1]
        colors = {QColor(pictures[1].pixel(x, pictures[1].height() // 2)).name() for x in range(pictures[1].width())}
        assert len(colors) > 5


def test_the_sample_drawing_is_what_the_sample_job_holds():
    assert quay_tide_clock().sources["dial-face.svg"] == artwork("dial-face.svg")


class TestArtworkOut:
    @pytest.mark.parametrize("ending", ["svg", "dxf"])
    def test_a_board_s_artwork_is_written_true_to_size(self, clock, tmp_path, capsys, ending):
        from archimetra.artwork.read import read_artwork_file

        out = tmp_path / f"plug.{ending}"
        assert main(["artwork", str(clock), "--board", "Star plug", "--out", str(out)]) == 0
        assert "2 shapes" in capsys.readouterr().out
        x0, y0, x1, y1 = read_artwork_file(out).bounds()
        assert (x1 - x0, y1 - y0) == pytest.approx((196, 196), abs=0.01)

    @pytest.mark.parametrize(
        ("more", "words"),
        [(["--board", "Attic", "--out", "a.svg"], "no board 'Attic'"), (["--out", "a.txt"], "neither .svg nor .dxf")],
    )
    def test_what_cannot_be_written_is_a_sentence(self, clock, capsys, more, words):
        assert main(["artwork", str(clock), *more]) == 1
        assert words in capsys.readouterr().err

    @pytest.mark.parametrize("name", ["dial-back.dxf", "notice-board.pdf", "gull.png", "star-plug.svg"])
    def test_every_kind_of_artwork_is_inspected_and_makes_a_job(self, tmp_path, capsys, name):
        from archimetra.demo import artwork as drawing

        art = tmp_path / name
        art.write_bytes(drawing(name))
        assert main(["inspect", str(art)]) == 0
        assert "mm" in capsys.readouterr().out
        job = tmp_path / "a.archimetra"
        assert main(["new", str(job), "--art", str(art), "--sheet", "1600x600x18"]) == 0
        assert load_job(job).job.boards[0].shapes


RUN = "import sys; from archimetra.cli import main; sys.exit(main(sys.argv[1:]))"


class TestEnds:
    """Whatever stops a command is a sentence and an exit code, never a traceback."""

    def run(self, *arguments: object, **options: object) -> subprocess.CompletedProcess:
        settings = {"capture_output": True, "timeout": 120, "check": False, **options}
        return subprocess.run([sys.executable, "-c", RUN, *map(str, arguments)], **settings)

    @pytest.fixture
    def plate(self, tmp_path):
        path = tmp_path / "plate.svg"
        path.write_text(
            '<svg xmlns="http://www.w3.org/2000/svg" width="50mm" height="40mm" viewBox="0 0 50 40"><rect width="50" height="40"/></svg>'
        )
        return path

    @pytest.mark.parametrize(
        "sheet", ["400x300", "axbxc", "nanx300x18", "1e9x1x1", "400x300x18x2", "", "-4x3x18", "0x300x18", "½x½x½x"]
    )
    def test_a_sheet_that_cannot_be_is_wrong_usage(self, plate, sheet, capsys, tmp_path):
        assert main(["new", str(tmp_path / "a.archimetra"), "--art", str(plate), f"--sheet={sheet}"]) == 2
        assert "--sheet" in capsys.readouterr().err

    @pytest.mark.parametrize(
        "command",
        [["inspect", "{}"], ["check", "{}"], ["export", "{}", "--out", "x"], ["artwork", "{}", "--out", "a.svg"]],
    )
    @pytest.mark.parametrize("what", ["folder", "device", "nothing"])
    def test_what_is_no_file_is_a_sentence(self, command, what, tmp_path, capsys):
        path = {"folder": str(tmp_path), "device": "/dev/zero", "nothing": str(tmp_path / "none.svg")}[what]
        assert main([part.format(path) for part in command]) == 1
        said = capsys.readouterr().err
        assert said.startswith("archimetra: ")
        assert said.count("\n") == 1

    def test_new_says_what_inspect_says(self, plate, tmp_path, capsys):
        assert main(["inspect", str(plate)]) == 0
        told = capsys.readouterr().out
        job = tmp_path / "a.archimetra"
        assert main(["new", str(job), "--art", str(plate)]) == 0
        assert capsys.readouterr().out == f"{job}\n{told}"

    def test_a_full_disk_and_a_closed_pipe_end_in_a_sentence_or_quietly(self, plate):
        with open("/dev/full", "w") as full:
            done = self.run("inspect", plate, capture_output=False, stdout=full, stderr=subprocess.PIPE)
        assert done.returncode == 1
        assert b"the disk is full" in done.stderr
        assert b"Traceback" not in done.stderr
        reading, writing = os.pipe()
        os.close(reading)
        done = self.run("inspect", plate, capture_output=False, stdout=writing, stderr=subprocess.PIPE)
        os.close(writing)
        assert (done.returncode, done.stderr) == (1, b"")

    def test_a_terminal_that_knows_ascii_only(self, plate):
        named = plate.rename(plate.with_name("schön.svg"))
        done = self.run("inspect", named, env={**os.environ, "PYTHONIOENCODING": "ascii", "PYTHONUTF8": "0"})
        assert done.returncode == 0
        assert b"sch\\xf6n: 1 shape" in done.stdout

    def test_an_interrupt_is_a_word_and_its_code(self, monkeypatch, plate, capsys):
        def stopped(*_arguments, **_settings):
            raise KeyboardInterrupt

        monkeypatch.setattr("archimetra.artwork.read.read_artwork_file", stopped)
        assert main(["inspect", str(plate)]) == 130
        assert capsys.readouterr().err == "archimetra: stopped.\n"
