"""Programs of anybody on a board: our own come out as the plan they were written from, wherever zero is and however the board lies."""

from __future__ import annotations

import numpy as np
import pytest

from archimetra.base.errors import ArchimetraError
from archimetra.base.findings import Severity
from archimetra.demo import quay_tide_clock
from archimetra.engine.planning import plan_board
from archimetra.engine.programs import line_ends, program_of, program_text
from archimetra.engine.writing import files_of
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.ids import BitId
from archimetra.job.job import with_boards
from archimetra.job.quantities import Unit
from archimetra.job.sheet import Sheet, Zero, ZeroAt, ZeroZ
from archimetra.output.controllers import Spindle, controller
from archimetra.stock.timeline import StockTimeline
from archimetra.toolpath.shared.moves import Move
from cutting_board import board_with
from shapes import blob, replace, straight_bit

SHEET = Sheet(width=160, height=120, readings=(12.0, 12.4))


def pocket(**fields):
    job, board, _ = board_with(blob(3, 40), kind=PocketCut, sheet=SHEET, bit=straight_bit(6.0), end_depth=4.0)
    board = replace(board, **fields)
    return with_boards(job, (board,)), board


def stock_of(sheet, run, job):
    timeline = StockTimeline(sheet, run, job.bits, cell=0.5)
    timeline.seek(timeline.duration)
    return timeline.field.copy()


@pytest.mark.parametrize("name", ["rs274", "rs274-inch", "iso", "streaming", "streaming-lines"])
@pytest.mark.parametrize(
    "fields",
    [
        {},
        {"zero": Zero(at=ZeroAt.CENTRE, z=ZeroZ.SPOILBOARD)},
        {"zero": Zero(at=ZeroAt.TYPED, x=-300.0, y=40.0)},
        {"quarter_turns": 1, "bed_x": 30.0, "bed_y": 12.0},
        {"quarter_turns": 2},
        {"quarter_turns": 3, "zero": Zero(at=ZeroAt.CENTRE)},
    ],
)
def test_our_own_file_leaves_the_stock_it_was_planned_to_leave(name, fields):
    job, board = pocket(**fields)
    plan = plan_board(job, board, {})
    (file,) = files_of(job, board, plan.run, plan.setups, controller(name))
    program = program_of(file.name, file.text, job, board)
    wanted, there = stock_of(board.sheet, plan.run, job), stock_of(board.sheet, program.plan.run, job)
    # a wall may fall to either side of a cell's middle by the file's rounding
    assert (np.abs(wanted - there) > 0.01).mean() < 0.002
    assert there.min() == pytest.approx(-4.0, abs=0.003)
    # the way from the zero point and to it is not of the plan
    assert 0.98 * plan.times.total <= program.plan.times.total <= plan.times.total + 12.0
    by_hand = {"gcode-spindle"} if controller(name).spindle is Spindle.NONE else set()
    assert {one.code for one in program.plan.findings if one.severity is not Severity.NOTE} == by_hand


def test_tiles_are_read_in_the_zero_of_their_tile():
    job = quay_tide_clock().job
    board = next(board for board in job.boards if board.tiling is not None)
    plan = plan_board(job, board, {})
    files = [file for file in files_of(job, board, plan.run, plan.setups, controller("rs274")) if file.blocks]
    assert len({file.blocks[0].setup for file in files}) > 1
    for file in files[-2:]:
        setup = plan.setups[file.blocks[0].setup]
        program = program_of(file.name, file.text, job, board, setup=setup)
        first, last = file.blocks[0].first, file.blocks[-1].last
        own = plan.run.xyz[first:last]
        cutting = program.plan.run.xyz[program.plan.run.xyz[:, 2] < -0.1]
        assert cutting.min(axis=0) == pytest.approx(own[own[:, 2] < -0.1].min(axis=0), abs=0.01)
        assert cutting.max(axis=0) == pytest.approx(own[own[:, 2] < -0.1].max(axis=0), abs=0.01)


def test_bits_go_by_their_numbers_and_unknown_ones_are_told():
    job, board = pocket()
    second = replace(straight_bit(3.0), id=BitId("bit2"), name="3 mm", place=4, holder=7)
    job = replace(job, bits=(*job.bits, second))
    text = "G21\nG0 Z5\nT7 M6\nM3 S9000\nG0 X10 Y10\nG1 Z-2 F300\nG1 X50\nG0 Z5\nT12 M6\nG0 X10 Y30\nG1 Z-1\nG1 X50\nG0 Z5\nM30\n"
    program = program_of("x.nc", text, job, board, bit="bit1")
    assert [block.bit for block in program.plan.run.blocks] == ["bit1", "bit2", "bit1"]
    assert [block.changes_bit for block in program.plan.run.blocks] == [False, True, True]
    (told,) = (one for one in program.plan.findings if one.code == "program-bit")
    assert told.place == "line 10"
    assert told.at == (10.0, 30.0)
    assert program.names_bits
    # in each line the bit that is in
    assert program.bits.tolist() == [-1, 0, -1, -1, 1, 1, 1, 1, -1, 0, 0, 0, 0, -1]


def test_without_a_bit_of_its_own_the_given_one_is_shown():
    job, board = pocket()
    job = replace(job, bits=(*job.bits, replace(straight_bit(3.0), id=BitId("bit2"), place=1)))
    program = program_of("x.nc", "G21\nG0 Z5\nG1 X50 F500\nM2\n", job, board, bit="bit2")
    assert {block.bit for block in program.plan.run.blocks} == {"bit2"}
    assert not program.names_bits


def test_rows_lead_to_lines_and_findings_to_places():
    job, board = pocket()
    text = "(a)\nG21\nG0 Z5\nG0 X10 Y10\nG1 Z-2 F300\nG0 X90 Y10\nM30\n"
    program = program_of("x.nc", text, job, board)
    assert program.lines.tolist() == [0, 3, 4, 5, 6]
    (rapid,) = (one for one in program.plan.findings if one.code == "gcode-rapid")
    assert (rapid.place, rapid.at) == ("line 6", (90.0, 10.0))
    assert program.plan.run.kind.tolist() == [Move.RAPID, Move.RAPID, Move.RAPID, Move.LINE, Move.RAPID]
    # before anything is stated the bit waits high over zero
    assert program.plan.run.xyz[0].tolist() == [0.0, 0.0, board.travel_heights.park]


@pytest.mark.parametrize("text", ["", "\n\n", "M30", "(nothing)\n%\n"])
def test_a_program_that_moves_nothing_is_shown_as_such(text):
    job, board = pocket()
    program = program_of("x.nc", text, job, board)
    assert len(program.plan.run) == 1
    assert program.summary == ("It moves nothing.",)
    assert np.isfinite(program.plan.times.total)


@pytest.mark.parametrize(("text", "lines"), [("", 0), ("a", 1), ("a\n", 1), ("a\n\n", 2), ("\na", 2), ("é\nb", 2)])
def test_ends_of_lines(text, lines):
    letters = np.frombuffer(text.encode(), dtype=np.uint8)
    assert len(line_ends(letters)) == lines


def test_files_that_are_no_programs_are_refused_in_words(tmp_path):
    picture = tmp_path / "x.nc"
    picture.write_bytes(b"\x89PNG\0\0\0")
    with pytest.raises(ArchimetraError, match="no text"):
        program_text(picture)
    with pytest.raises(ArchimetraError, match="could not be read"):
        program_text(tmp_path / "nowhere.nc")
    with pytest.raises(ArchimetraError, match="could not be read"):
        program_text(tmp_path)
    odd = tmp_path / "odd.nc"
    odd.write_bytes(b"G21\rG0 X1\r\nG0 X\xe92\n")
    assert program_text(odd).splitlines() == ["G21", "G0 X1", "G0 X\ufffd2"]


def test_inch_and_millimetres_lie_in_the_same_place():
    job, board = pocket()
    mm = program_of("a", "G21\nG0 Z5\nG0 X25.4 Y50.8\nG1 Z-2.54 F254\nM30", job, board)
    inch = program_of("b", "G20\nG0 Z.19685\nG0 X1 Y2\nG1 Z-.1 F10\nM30", job, board)
    np.testing.assert_allclose(mm.plan.run.xyz, inch.plan.run.xyz, atol=1e-4)
    assert job.output_unit is Unit.MM


def test_beyond_what_is_shown_all_is_checked(monkeypatch):
    from archimetra.engine import programs

    monkeypatch.setattr(programs, "MOST_SHOWN", 3)
    job, board = pocket()
    text = "G21\nM3 S1000\nG0 Z5\nG0 X1 Y1\nG1 Z-1 F100\nG1 X50\nG0 X1\nM30\n"
    program = programs.program_of("x", text, job, board)
    assert len(program.plan.run) == 4
    told = {one.code: one for one in program.plan.findings}
    assert told["gcode-rapid"].at is None
    assert "first 3 of its 5 moves" in told["program-long"].words


def test_a_slot_of_another_program_is_where_it_says():
    """Against the analytic slot, in the zero of the sheet's middle."""
    job, board = pocket(zero=Zero(at=ZeroAt.CENTRE))
    program = program_of("x", "G21\nG0 Z5\nG0 X-30 Y10\nG1 Z-3 F300\nG1 X20\nG0 Z5\nM30", job, board)
    field = stock_of(board.sheet, program.plan.run, job)
    ny, nx = field.shape
    x, y = np.meshgrid((np.arange(nx) + 0.5) * 0.5, (np.arange(ny) + 0.5) * 0.5)
    t = np.clip((x - 50.0) / 50.0, 0.0, 1.0)
    away = np.hypot(x - 50.0 - 50.0 * t, y - 70.0)
    np.testing.assert_allclose(field[away < 2.9], -3.0, atol=1e-5)
    assert (field[away > 3.1] == 0).all()
