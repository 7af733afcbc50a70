"""Programs of anybody: their planted faults are found at their lines, and two are compared by what they do, not by how they are spelled."""

from __future__ import annotations

import re

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from archimetra.cli import main
from archimetra.engine.planning import plan_board
from archimetra.job.file import save_job
from archimetra.job.quantities import Unit
from archimetra.output.controllers import controller
from archimetra.output.files import gcode_files
from archimetra.output.gcode_reader import Reader, read_gcode
from archimetra.output.program_checks import Given, check_program, differences, summary
from plain_clock import plain_clock
from shapes import replace

number = st.one_of(
    st.integers(-400, 400).map(str), st.floats(-400, 400).map(lambda v: f"{v:.4f}"), st.sampled_from(["+5.", ".5", "-.25", "007", "1e3", "-", ""])
)  # fmt: skip
word = st.builds(
    lambda letter, value, gap: f"{letter}{gap}{value}",
    st.sampled_from("XYZIJFNxyz"),
    number,
    st.sampled_from(["", " ", "\t"]),
)
mode = st.sampled_from(
    ["G0", "G1", "G01", "g2", "G3", "G20", "G21", "G90", "G91", "G17", "M3", "M5", "S9000", "T2 M6", "G80", "G81 R2 Z-3", "R7", "G1.5", "M30", "G4 P1"]
)  # fmt: skip
other = st.sampled_from(["(said)", "(open", "; after", "((two))", "%", "/", "[1]", "#1=2", "é", "$H", "X1Y2"])
line = st.lists(st.one_of(word, word, mode, other), max_size=6).map(" ".join)
program = st.lists(line, max_size=25).flatmap(
    lambda lines: st.sampled_from(["\n", "\r\n", "\r", "\x0b"]).map(
        lambda end: "G21" + end + "G1 F500" + end + "G0 X1 Y1 Z1" + end + end.join(lines)
    )
)


@settings(max_examples=300)
@given(program)
def test_lines_read_together_say_what_they_say_one_by_one(text):
    together, one_by_one = read_gcode(text), Reader()
    for number, line in enumerate(text.splitlines(), 1):
        if not one_by_one.has_end:
            one_by_one.line(number, line)
    alone = one_by_one.result()
    for field in ("xyz", "kind", "centre", "feed", "line", "bit", "spindle_rpm"):
        np.testing.assert_array_equal(getattr(together, field), getattr(alone, field), err_msg=field)
    assert (together.findings, together.dwells, together.has_end) == (alone.findings, alone.dwells, alone.has_end)


def test_a_whole_circle_needs_no_end():
    read = read_gcode("G21\nG0 X10 Y0 Z5\nG1 Z-1 F300\nG2 I-10 J0\nM30\n")
    assert read.kind.tolist() == [0, 1, 2]
    assert read.xyz[-1].tolist() == [10, 0, -1]
    assert read.centre[-1].tolist() == [0, 0]


SOUND = """%
O0007 (a sign)
N10 G21 G17 G90 G94
N20 T1 M6
N30 S16000 M3
N40 G0 Z5
N50 G0 X10 Y10
N60 G1 Z-2 F300
N70 G1 X60 F1200
N80 G3 X60 Y40 R15
N90 G2 X40 Y40 I-10 J0
N100 G0 Z5
N110 G81 X80 Y20 Z-4 R1 F200
N120 G80
N130 M5
N140 M30
%
"""
TRAVEL = (300.0, 200.0, 80.0)


def faults(text: str, **given) -> dict[str, str]:
    found: dict[str, str] = {}
    for finding in check_program(read_gcode(text), Given(**given)):
        found.setdefault(finding.code, finding.place)
    return found


class TestFaults:
    def test_a_sound_one_has_none(self):
        assert check_program(read_gcode(SOUND), Given(travel=TRAVEL)) == []

    @pytest.mark.parametrize(
        ("was", "now", "code", "line"),
        [
            ("N60 G1 Z-2 F300\nN70 G1 X60 F1200", "N60 G1 Z-2\nN70 G1 X60", "gcode-feed", 8),
            ("N70 G1 X60 F1200", "N70 G0 X60", "gcode-rapid", 9),
            ("N60 G1 Z-2 F300", "N60 G0 Z-2 F300", "gcode-rapid", 8),
            ("N90 G2 X40 Y40 I-10 J0", "N90 G2 X40 Y40 I-11 J0", "gcode-arc", 11),
            ("N80 G3 X60 Y40 R15", "N80 G3 X60 Y40 R14.9", "gcode-arc", 10),
            ("X80 Y20", "X380 Y20", "gcode-travel", 13),
            ("N30 S16000 M3\n", "N30 S16000\n", "gcode-spindle", 8),
            ("N70 G1 X60", "N70 G1 X60 U5", "gcode-word", 9),
            ("G17", "G18", "gcode-code", 3),
            ("N130 M5", "N130 M98 P100", "gcode-call", 15),
            ("N130 M5", "N130 #1=3", "gcode-call", 15),
            ("G21 ", "", "gcode-unit", 6),
            ("N140 M30\n%\n", "", "gcode-end", 13),
            (" R1 F200", " F200", "gcode-cycle", 13),
            ("(a sign)", "(60°)", "gcode-ascii", 2),
            ("N120 G80", "N120 G80 hello", "gcode-word", 14),
        ],
    )
    def test_each_planted_fault_is_found_at_its_line(self, was, now, code, line):
        assert was in SOUND
        found = faults(SOUND.replace(was, now), travel=TRAVEL)
        assert found.get(code) == f"line {line}"

    def test_a_top_elsewhere_moves_what_counts_as_wood(self):
        on_bed = re.sub(r"Z(-?\d+)", lambda m: f"Z{int(m.group(1)) + 18}", SOUND).replace("R1", "R19")
        assert faults(on_bed, top=18.0) == {}
        assert "gcode-rapid" in faults(on_bed, top=30.0)
        assert faults(on_bed, top=0.0) == {}

    def test_what_this_program_writes_has_no_faults(self):
        job = plain_clock().job
        board = job.boards[0]
        plan = plan_board(job, board, {})
        machine = job.machine
        for name in ("rs274", "streaming", "streaming-lines", "rs274-inch"):
            for file in gcode_files(job, board, plan.run, controller(name)):
                read = read_gcode(file.text)
                travel = (machine.travel_x, machine.travel_y, machine.travel_z)
                assert check_program(read, Given(travel=travel)) == []

    @settings(max_examples=60)
    @given(st.binary(max_size=300))
    def test_anything_at_all_is_read_to_its_end(self, data):
        read = read_gcode(data.decode("latin-1"))
        check_program(read, Given(travel=TRAVEL))
        summary(read)


class TestArcsByRadius:
    @settings(max_examples=60)
    @given(st.floats(2, 60), st.floats(0.2, 6.0), st.booleans(), st.floats(0, 6.28))
    def test_they_run_about_the_centre_they_mean(self, radius, sweep, is_ccw, begin):
        """Both ends and the middle of the arc lie on the circle that was meant."""
        if abs(sweep - np.pi) < 0.05:
            return
        turn = sweep if is_ccw else -sweep
        a, b = (radius * np.array((np.cos(t), np.sin(t))) for t in (begin, begin + turn))
        r = radius if sweep < np.pi else -radius
        code = "G3" if is_ccw else "G2"
        text = f"G21 G90\nG0 X{a[0]:.6f} Y{a[1]:.6f}\n{code} X{b[0]:.6f} Y{b[1]:.6f} R{r:.6f} F100\nM2\n"
        read = read_gcode(text)
        assert read.findings == ()
        assert read.centre[-1] == pytest.approx(
            (0.0, 0.0), abs=0.02 + 2e-5 / abs(np.sin(sweep / 2)) + 0.002 * radius / abs(np.pi - sweep)
        )


# ---- two programs


@pytest.fixture(scope="module")
def dial():
    job = plain_clock().job
    board = job.boards[0]
    return job, board, plan_board(job, board, {})


class TestComparing:
    def test_the_same_moves_however_they_are_spelled(self, dial):
        job, board, plan = dial
        base = controller("streaming")
        one = gcode_files(job, board, plan.run, base)[0].text
        read = read_gcode(one)
        spelled = (
            one, one.lower(), one.replace(" ", ""), re.sub(r"\(.*\)\n", "", one), re.sub(r"^", "N5 ", one, flags=re.MULTILINE).replace("N5 (", "("),
            gcode_files(job, board, plan.run, replace(base, has_spaces=False, line_numbers=10))[0].text,
        )  # fmt: skip
        for text in spelled:
            assert differences(read, read_gcode(text)) == []
        inches = gcode_files(replace(job, output_unit=Unit.INCH), board, plan.run, replace(base, decimals_inch=7))[
            0
        ].text
        told = differences(read, read_gcode(inches))
        assert all("feed" in one.words or "arc" in one.words for one in told)  # feeds are rounded in their unit

    @pytest.mark.parametrize(
        ("was", "now", "words"),
        [
            ("N70 G1 X60 F1200", "N70 G1 X60.01 F1200", "to X 60, Y 10, Z -2 against X 60.01"),
            ("N70 G1 X60 F1200", "N70 G1 X60 F1300", "feed 1200 against 1300"),
            ("N70 G1 X60 F1200", "N70 G0 X60", "a line against a rapid"),
            ("S16000", "S18000", "spindle 16000 against 18000"),
            ("T1 M6", "T2 M6", "bit T1 against T2"),
            ("N90 G2 X40 Y40 I-10 J0\n", "", "only in the first"),
            ("N100 G0 Z5\n", "N100 G0 Z5\nN101 G0 X0\n", "only in the second"),
            ("G2 X40 Y40 I-10 J0", "G3 X40 Y40 I-10 J0", "clockwise against an arc counter-clockwise"),
        ],
    )
    def test_what_differs_is_told_with_its_lines(self, was, now, words):
        told = differences(read_gcode(SOUND), read_gcode(SOUND.replace(was, now)))
        assert any(words in one.words for one in told), told
        line = SOUND.split(was)[0].count("\n") + 1
        assert min((one.line or one.other) for one in told) >= line - 1

    def test_less_than_a_hair_is_no_difference(self):
        assert differences(read_gcode(SOUND), read_gcode(SOUND.replace("X60 F1200", "X60.0009 F1200"))) == []

    def test_long_programs_that_differ_much_are_told_at_once(self):
        rng = np.random.default_rng(5)
        texts = [
            "G21 G90\nG1 F100\n"
            + "\n".join(f"X{x:.2f} Y{y:.2f} Z-1" for x, y in rng.uniform(0, 99, (6000, 2)))
            + "\nM2\n"
            for _ in (0, 1)
        ]
        (one,) = differences(*(read_gcode(text) for text in texts))
        assert "6000 moves stand against 6000" in one.words


class TestCommands:
    def test_read_and_compare(self, tmp_path, capsys):
        good, bad = tmp_path / "good.nc", tmp_path / "bad.nc"
        good.write_text(SOUND)
        bad.write_text(SOUND.replace("N70 G1 X60 F1200", "N70 G0 X60"))
        save_job(tmp_path / "c.archimetra", plain_clock())
        assert main(["read", str(good), "--job", str(tmp_path / "c.archimetra")]) == 0
        assert "T1" in capsys.readouterr().out
        assert main(["read", str(bad)]) == 1
        assert "A rapid runs through the wood" in capsys.readouterr().err
        assert main(["compare", str(good), str(good)]) == 0
        assert "The same moves." in capsys.readouterr().out
        assert main(["compare", str(good), str(bad)]) == 1
        assert "line 9 | line 9: a line against a rapid" in capsys.readouterr().out
        assert main(["read", str(tmp_path / "none.nc")]) == 1
        assert main(["compare", str(good), str(tmp_path)]) == 1
        assert main(["read", str(good), "--top", "nan"]) == 2
        bad.write_bytes(b"\x00\xff" * 5000)
        assert main(["read", str(bad)]) == 1
