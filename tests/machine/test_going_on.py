"""Broken off anywhere and gone on with, a program leaves the stock an undisturbed run leaves, compared as height fields."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import pytest

from archimetra.cli import main
from archimetra.engine.planning import plan_board
from archimetra.engine.programs import program_of
from archimetra.engine.writing import files_of
from archimetra.geometry.path import Path
from archimetra.job.cuts.carve import CarveCut
from archimetra.job.cuts.hole import HoleCut
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.sheet import Sheet, Zero, ZeroZ
from archimetra.machine.going_on import remainder, starts_of
from archimetra.machine.streaming import State, Stream
from archimetra.output.controllers import controller
from archimetra.output.gcode_reader import read_gcode
from archimetra.output.program_checks import Given, check_program
from archimetra.stock.timeline import StockTimeline
from archimetra.toolpath.shared.moves import Move, straightened
from cutting_board import board_with
from machine_run import path_of, ready, run
from shapes import blob, replace, star, straight_bit, vee_bit

SHEET = Sheet(width=120, height=110, readings=(12.0,))
ZERO = (150.0, 150.0, -60.0)
KINDS = {
    "pocket": (PocketCut, blob(3, 28.0), straight_bit(6.0)),
    "profile": (ProfileCut, star(5, 40.0, 20.0), straight_bit(6.0)),
    "holes": (HoleCut, Path.circle((0, 0), 3.0), straight_bit(6.0)),
    "carving": (CarveCut, star(6, 18.0, 9.0), vee_bit(60, 20.0)),
}


def job_of(name, **fields):
    kind, path, bit = KINDS[name]
    job, board, _ = board_with(path, kind=kind, sheet=SHEET, bit=bit, end_depth=5.0)
    board = replace(board, **fields)
    return job, board


def written(name, control="streaming", **fields):
    job, board = job_of(name, **fields)
    plan = plan_board(job, board, {})
    (file,) = files_of(job, board, plan.run, plan.setups, controller(control))
    return job, board, file.text


def field_of(job, board, text):
    program = program_of("x", text, job, board)
    timeline = StockTimeline(board.sheet, program.plan.run, job.bits, cell=0.5)
    timeline.seek(timeline.duration)
    return timeline.field.copy()


def way_of(text):
    read = read_gcode(text)
    points = np.vstack((np.zeros(3), np.nan_to_num(read.xyz)))
    way, rows = straightened(
        points,
        np.concatenate(([Move.RAPID], read.kind)),
        np.vstack((np.zeros(2), read.centre)),
        chord_tolerance_mm=0.005,
    )
    return way + np.array(ZERO), np.concatenate(([0], read.line - 1))[rows]


INTERRUPTIONS = {"pocket": 25, "profile": 30, "holes": 40, "carving": 5}  # a hundred


@pytest.mark.parametrize("name", sorted(KINDS))
def test_stopped_anywhere_and_gone_on_with_it_leaves_the_same_stock(name):
    for share in np.linspace(0.02, 0.98, INTERRUPTIONS[name]):
        broken_off_and_gone_on_with(name, float(share))


@lru_cache
def undisturbed(name):
    """Job, board, program, the stock it leaves, and how long it takes, s."""
    job, board, text = written(name)
    quiet = ready(zero=ZERO)
    run(text.splitlines(), quiet, step=0.05)
    return job, board, text, field_of(job, board, text), quiet.motion.log[-1][0]


def broken_off_and_gone_on_with(name, share):
    job, board, text, whole, takes_s = undisturbed(name)
    near = (
        0.07 if name == "carving" else 0.02
    )  # arcs are cut as chords in the stock; beside a steep wall that is as much in depth
    lines = text.splitlines()
    when = share * takes_s
    machine = ready(zero=ZERO)
    way, of = way_of(text)
    stream = Stream(lines, way=way, of_lines=of)

    def stop(now, stream, machine):
        if now >= when:
            stream.stop()

    run(lines, machine, stream=stream, each=stop, step=0.05)
    assert stream.state in (State.STOPPED, State.DONE)
    # what was cut until then, as the machine logged it
    went = path_of(machine)
    before = "G21 G90\nM3 S1000\nF1000\nG0 Z30\n" + "".join(f"G1 X{x:.4f} Y{y:.4f} Z{z:.4f}\n" for x, y, z in went)
    cut = field_of(job, board, before + "M30\n")
    assert (cut >= whole - near).all()  # it had cut nothing the program does not
    done = stream.known.done
    starts = starts_of(text, top=0.0, done=max(done, 1))
    if not starts:  # broken off before the bit first went down
        assert (cut == 0).all() or done < 40
        return
    assert all(a.line > b.line for a, b in zip(starts, starts[1:], strict=False))
    assert starts[0].line <= max(done, 1)
    rest = remainder(text, starts[0], park=board.travel_heights.park)
    assert not [
        one
        for one in check_program(read_gcode(rest), Given(0.0))
        if one.code in ("gcode-rapid", "gcode-spindle", "gcode-feed", "gcode-unit")
    ]
    after = field_of(job, board, rest)
    np.testing.assert_allclose(np.minimum(cut, after), whole, atol=near)


@pytest.mark.parametrize("control", ["rs274", "rs274-inch", "iso", "streaming-lines"])
@pytest.mark.parametrize("zero", [Zero(), Zero(z=ZeroZ.SPOILBOARD)])
def test_what_is_left_begins_high_and_says_all_it_takes_for_granted(control, zero):
    _, board, text = written("pocket", control, zero=zero)
    top = zero.z_shift(board.sheet)
    count = len(text.splitlines())
    for start in starts_of(text, top=top, done=count)[:6]:
        rest = remainder(text, start, park=30.0 + top)
        read, whole = read_gcode(rest), read_gcode(text)
        assert not read.findings
        assert read.xyz[0, 2] >= 30.0 + top - 0.01  # up before anything else
        # from there on the very moves of the program
        own = whole.line > start.line
        count = int(own.sum())
        np.testing.assert_allclose(read.xyz[-count:], whole.xyz[own], atol=1e-3)
        np.testing.assert_allclose(read.feed[-count:], whole.feed[own], rtol=1e-3)
        assert (read.kind[-count:] == whole.kind[own]).all()
        assert (read.spindle_rpm[-count:] == whole.spindle_rpm[own]).all()
        assert start.words == ("Cut" if "Cut: Cut" in text else "")


def test_nothing_is_left_out_by_beginning_where_it_is_not_sure():
    _, _, text = written("profile")
    everything = starts_of(text, top=0.0, done=10**6)
    for done in (5, 30, 60):
        assert all(one.line <= done for one in starts_of(text, top=0.0, done=done))
    assert {one.line for one in starts_of(text, top=0.0, done=60)} == {one.line for one in everything if one.line <= 60}
    assert all(one.at[2] > 0 for one in everything)


@pytest.mark.parametrize("text", ["", "M30\n", "G21\nG0 Z5\nM2\n", "G0 X1", "(nothing)"])
def test_a_program_that_cuts_nothing_has_no_place_to_begin(text):
    assert starts_of(text, top=0.0, done=100) == ()


CYCLES = """%
(holes)
G21 G90
T2 M6
G43 H2
S9000 M3
G0 Z10
G0 X5 Y5
G81 X10 Y10 Z-4 R2 F200
X20
X30
G80
G0 Z10
G0 X60 Y60
G0 Z2
G1 Z-3 F300
X80 F900
G0 Z10
M30
%
"""


def test_within_a_cycle_no_place_is_offered_as_its_next_lines_would_be_no_holes():
    """'X20' after it means a hole; begun there it would only be a way."""
    starts = starts_of(CYCLES, top=0.0, done=100)
    assert [one.line for one in starts] == [15]
    assert starts_of(CYCLES, top=0.0, done=11) == ()


def test_what_is_left_says_the_length_of_the_bit_which_bit_it_is_and_begins_as_files_begin():
    (start,) = starts_of(CYCLES, top=0.0, done=100)
    lines = remainder(CYCLES, start, park=30.0).splitlines()
    assert lines[0] == "%"
    assert "bit T2 is in" in lines[1]
    assert lines.index("G43 H2") < lines.index("G0 Z30")
    assert lines[-1] == "%"
    plain = remainder(
        CYCLES.replace("(holes)\n", ""), starts_of(CYCLES.replace("(holes)\n", ""), top=0.0, done=100)[0], park=30.0
    )
    assert "(" not in plain  # for a control that takes no comments


def test_a_program_told_in_steps_is_gone_on_with_from_the_same_place():
    text = "G21 G91\nM3 S900\nG0 Z5\nG0 X10 Y10\nG1 Z-7 F300\nX30\nG0 Z7\nG0 X5 Y5\nG1 Z-8\nX-20\nG0 Z8\nM30\n"
    text = "G21 G90\nG0 X0 Y0 Z0\n" + text
    whole = read_gcode(text)
    for start in starts_of(text, top=0.0, done=100):
        read = read_gcode(remainder(text, start, park=30.0))
        own = whole.line > start.line
        np.testing.assert_allclose(read.xyz[-int(own.sum()) :], whole.xyz[own], atol=1e-6)


class TestCommandLine:
    def test_places_are_listed_and_the_rest_is_written(self, tmp_path, capsys):
        _, _, text = written("holes")
        path, out = tmp_path / "a.nc", tmp_path / "rest.nc"
        path.write_text(text)
        assert main(["go-on", str(path), "--done", "1000"]) == 0
        listed = capsys.readouterr().out.splitlines()
        assert listed
        assert listed[0].endswith(", Cut")
        assert main(["go-on", str(path), "--done", "1000", "--out", str(out)]) == 0
        start = starts_of(text, top=0.0, done=1000)[0]
        assert out.read_text() == remainder(text, start, park=30.0)

    @pytest.mark.parametrize(
        "words",
        [
            ["--done", "1"],
            ["--done", "1000", "--start", "3", "--out", "x"],
            ["--done", "9", "--park", "-1"],
            ["--done", "9", "--top", "nan"],
        ],
    )
    def test_what_cannot_be_is_a_sentence(self, words, tmp_path, capsys):
        _, _, text = written("holes")
        path = tmp_path / "a.nc"
        path.write_text(text)
        assert main(["go-on", str(path), *words]) in (1, 2)
        assert capsys.readouterr().err.startswith("archimetra: ")
