"""What lies in a folder already is known before it is replaced: the same, older, changed by hand, of another job."""

from __future__ import annotations

import pytest

from archimetra.edits.writing import count_run, note_written
from archimetra.engine.planning import plan_board
from archimetra.geometry.path import Path
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.job import with_boards
from archimetra.output.controllers import controller
from archimetra.output.files import as_written, gcode_files, write_files
from archimetra.output.folder import LOSES, State, in_words, look_into
from cutting_board import board_with
from shapes import replace


def job_and_files(*, name="Clock", depth=2.0, board_name="Face"):
    job, board, _ = board_with(Path.rectangle(0, 0, 60, 40), kind=PocketCut, end_depth=depth)
    board = replace(board, name=board_name)
    job = with_boards(job, (board,), name=name, controller="streaming")
    return job, gcode_files(job, board, plan_board(job, board, {}).run, controller("streaming"))


def kept(job, files, folder):
    board = job.boards[0]
    write_files(files, folder)
    return note_written(job, board.id, as_written(job, board, files, folder, "key"))


def states(folder, files, job):
    return {found.state for found in look_into(folder, files, job.name, job.boards[0].written)}


class TestWhatLiesThere:
    def test_new_then_the_same_then_older(self, tmp_path):
        job, files = job_and_files()
        assert states(tmp_path, files, job) == {State.NEW}
        job = kept(job, files, tmp_path)
        assert states(tmp_path, files, job) == {State.SAME}
        _, deeper = job_and_files(depth=3.0)
        assert states(tmp_path, deeper, job) == {State.OLDER}
        assert in_words(look_into(tmp_path, deeper, job.name, job.boards[0].written)) == ""

    def test_changed_by_hand_by_as_little_as_one_sign(self, tmp_path):
        job, files = job_and_files()
        job = kept(job, files, tmp_path)
        path = tmp_path / files[0].name
        path.write_bytes(path.read_bytes().replace(b"M30", b"M2 "))
        assert states(tmp_path, files, job) == {State.CHANGED}
        assert files[0].name in in_words(look_into(tmp_path, files, job.name, job.boards[0].written))

    def test_what_another_board_of_the_job_left_under_the_name(self, tmp_path):
        _, face = job_and_files(board_name="Face")
        job, back = job_and_files(board_name="Back")
        write_files([replace(face[0], name=back[0].name)], tmp_path)
        assert states(tmp_path, back, job) == {State.BOARD}
        assert State.BOARD in LOSES
        assert "of another board" in in_words(look_into(tmp_path, back, job.name, None))

    def test_in_another_folder_what_is_not_as_written_last_is_not_called_changed_by_hand(self, tmp_path):
        job, files = job_and_files()
        job = kept(job, files, tmp_path / "old")
        _, deeper = job_and_files(depth=3.0)
        job = kept(job, deeper, tmp_path / "new")
        assert states(tmp_path / "old", deeper, job) == {State.UNLIKE}
        assert "not as written last" in in_words(look_into(tmp_path / "old", deeper, job.name, job.boards[0].written))

    def test_of_another_job_of_the_same_file_name(self, tmp_path):
        job, files = job_and_files(name="clock")
        other, theirs = job_and_files(name="Clock")
        assert [file.name for file in files] == [file.name for file in theirs]
        kept(other, theirs, tmp_path)
        assert states(tmp_path, files, job) == {State.OTHER}

    def test_no_g_code_at_all_and_what_cannot_be_read(self, tmp_path):
        job, files = job_and_files()
        (tmp_path / files[0].name).write_bytes(b"\x00\xff" * 9000)
        assert states(tmp_path, files, job) == {State.OTHER}
        (tmp_path / files[0].name).unlink()
        (tmp_path / files[0].name).mkdir()
        assert states(tmp_path, files, job) == {State.UNREADABLE}

    def test_older_where_nothing_is_known_of_what_was_written(self, tmp_path):
        job, files = job_and_files()
        write_files(files, tmp_path)
        _, deeper = job_and_files(depth=3.0)
        assert states(tmp_path, deeper, job) == {State.OLDER}

    def test_only_what_nobody_else_may_have_is_asked_about(self):
        assert {State.CHANGED, State.UNLIKE, State.BOARD, State.OTHER, State.UNREADABLE} == LOSES


class TestCounting:
    @pytest.mark.parametrize(("by", "runs"), [((1,), 1), ((1, 1), 2), ((1, -1, -1), 0)])
    def test_runs_are_counted_and_never_below_none(self, tmp_path, by, runs):
        job, files = job_and_files()
        job = kept(job, files, tmp_path)
        for step in by:
            job = count_run(job, job.boards[0].id, files[0].name, step)
        assert job.boards[0].written.files[0].runs == runs

    def test_written_again_the_same_it_keeps_its_count_and_changed_it_begins_anew(self, tmp_path):
        job, files = job_and_files()
        job = kept(job, files, tmp_path)
        job = count_run(job, job.boards[0].id, files[0].name, 3)
        assert kept(job, files, tmp_path).boards[0].written.files[0].runs == 3
        _, deeper = job_and_files(depth=3.0)
        assert kept(job, deeper, tmp_path).boards[0].written.files[0].runs == 0

    def test_of_nothing_written_there_is_nothing_to_count(self):
        job, _ = job_and_files()
        assert count_run(job, job.boards[0].id, "a", 1) is job
