"""A new file begins with a cut where somebody wants it to: the same moves, in the same order, in files that each stand alone."""

from __future__ import annotations

import numpy as np
import pytest

from archimetra.edits.history import History
from archimetra.edits.writing import begin_file, move_file
from archimetra.engine.keys import output_key, plan_key
from archimetra.engine.planning import plan_board
from archimetra.engine.writing import files_of
from archimetra.job.file import decode_job, encode_job
from archimetra.job.job import with_boards
from archimetra.output.controllers import controller
from archimetra.output.files import file_times
from archimetra.output.gcode_reader import read_gcode
from archimetra.toolpath.shared.moves import Move
from plain_clock import plain_clock
from shapes import replace


@pytest.fixture(scope="module")
def clock():
    job = plain_clock().job
    board = job.boards[0]
    # all with one bit, so that nothing else parts them
    board = replace(board, cuts=tuple(replace(cut, begins_file=False) for cut in board.cuts))
    return with_boards(job, (board,))


def files(job, name="rs274"):
    board = job.boards[0]
    plan = plan_board(job, board, {})
    return plan, files_of(job, board, plan.run, plan.setups, controller(name))


def cutting_moves(made):
    reads = [read_gcode(file.text) for file in made]
    for read in reads:
        assert read.has_end
        assert not read.findings
        assert (read.spindle_rpm[read.kind != Move.RAPID] > 0).all()
    return np.vstack([read.xyz[read.kind != Move.RAPID] for read in reads])


@pytest.mark.parametrize("name", ["rs274", "streaming"])
def test_the_moves_are_the_same_in_the_same_order(clock, name):
    plan, before = files(clock, name)
    order = list(dict.fromkeys(block.cut for block in plan.run.blocks))
    assert len(order) > 2
    for cut in order[1:]:
        job = begin_file(clock, cut, begins=True).job
        plan, made = files(job, name)
        assert any(file.blocks[0].cut == cut for file in made)
        assert [block for file in made for block in file.blocks] == list(plan.run.blocks)
        np.testing.assert_array_equal(cutting_moves(made), cutting_moves(before))
        assert len({file.name for file in made}) == len(made)
        assert sum(file_times(plan.times, made)) == pytest.approx(plan.times.total)


def test_with_the_first_cut_a_file_begins_anyway(clock):
    plan, before = files(clock)
    job = begin_file(clock, plan.run.blocks[0].cut, begins=True).job
    assert [file.text for file in files(job)[1]] == [file.text for file in before]


def test_nothing_is_planned_anew_for_it_but_files_are_written_anew(clock):
    board = clock.boards[0]
    job = begin_file(clock, board.cuts[-1].id, begins=True).job
    assert plan_key(job, job.boards[0]) == plan_key(clock, board)
    assert output_key(job, job.boards[0], "") != output_key(clock, board, "")


def test_it_is_moved_undone_and_kept_with_the_job(clock):
    first, last = clock.boards[0].cuts[0].id, clock.boards[0].cuts[-1].id
    history = History(clock)
    history.apply(begin_file(history.job, first, begins=True))
    history.apply(move_file(history.job, first, last))
    begins = [cut.id for cut in history.job.boards[0].cuts if cut.begins_file]
    assert begins == [last]
    assert decode_job(encode_job(history.job), name="a") == history.job
    history.undo()
    assert [cut.id for cut in history.job.boards[0].cuts if cut.begins_file] == [first]
    assert begin_file(clock, last, begins=False).job.boards[0].cuts == clock.boards[0].cuts
