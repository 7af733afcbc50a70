"""Names of files: as the controller asks, in letters it can show, and no two of a job alike, whatever things are called."""

from __future__ import annotations

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from archimetra.base.errors import OutputError
from archimetra.cli import main
from archimetra.demo import quay_tide_clock
from archimetra.edits import basic as edits
from archimetra.engine.planning import plan_board
from archimetra.engine.writing import files_of
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.file import JobFile, save_job
from archimetra.job.job import new_job, with_boards
from archimetra.output.controllers import controller
from archimetra.output.controllers.profile import check
from archimetra.output.files import write_files
from archimetra.output.names import Called, Part, board_called, file_names, file_stem
from cutting_board import board_with
from shapes import replace, star, straight_bit

PLAIN = controller("streaming")
words = st.text(max_size=90)
parts = st.lists(
    st.builds(Part, st.sampled_from(["", "A1", "B2"]), words, st.sampled_from("ABC")), min_size=1, max_size=12
)
templates = st.sampled_from(
    [
        PLAIN.file_name,
        "{board}",
        "b{place} {count} {letter}",
        "{place}",
        "{job}-{board}",
        "O{place}{count}",
        "{bit} {board}",
    ]
)


@given(words, words, parts, templates, st.integers(8, 80))
def test_no_two_files_of_a_board_come_out_alike_and_all_fit(job, board, made, template, room):
    profile = replace(PLAIN, file_name=template, longest_name=room)
    names = file_names(job, Called(board, 3), profile, made)
    assert len(set(names)) == len(made)
    for name in names:
        assert re.fullmatch(r"[a-z0-9][a-z0-9.-]*\.nc", name)
        assert len(name) <= room + 3


@given(
    st.lists(
        st.sampled_from(["Board", "board!", "Board 2", "Board 3", "Board 2 2", "x" * 60, "", "%%"]),
        min_size=1,
        max_size=8,
    )
)
def test_boards_of_one_name_are_told_apart(names):
    job = new_job()
    for _ in names[1:]:
        job = edits.add_board(job)[0].job
    job = with_boards(
        job, tuple(replace(board, name=name or "b") for board, name in zip(job.boards, names, strict=True))
    )
    called = [file_stem(board_called(job, board).name) for board in job.boards]
    assert len(set(called)) == len(called)


def test_names_that_differ_only_at_their_ends_are_told_apart_when_they_are_shortened():
    profile = replace(PLAIN, longest_name=30)
    left = file_names("Sideboard in oak", Called("Panel of the front, left", 4), profile, [Part("", "6 mm", "A")])
    right = file_names("Sideboard in oak", Called("Panel of the front, right", 5), profile, [Part("", "6 mm", "A")])
    assert left != right
    assert "6-mm" in left[0]


def test_long_names_keep_the_number_and_the_bit():
    names = file_names(
        "j" * 60, Called("b" * 60, 1), PLAIN, [Part("A1", "6 mm straight", "A"), Part("A1", "60° V", "D")]
    )
    assert names[0].endswith("1-a1-6-mm-straight.nc")
    assert names[1].endswith("2-a1-60-deg-v.nc")


def test_both_files_of_a_board_with_long_names_are_written(tmp_path):
    """They had one name once: the second was written over the first."""
    job, board, cut = board_with(star(5, 30, 14), kind=ProfileCut, bit=straight_bit(6.0))
    fine = replace(straight_bit(3.0), id="bit2", name="fine", place=1)
    board = replace(board, name="b" * 60, cuts=(cut, replace(cut, id="cut2", bit="bit2", end_depth=2.0)))
    job = with_boards(replace(job, name="j" * 60, bits=(*job.bits, fine)), (board,))
    plan = plan_board(job, board, {})
    files = files_of(job, board, plan.run, plan.setups, PLAIN)
    assert len(files) == 2
    assert len(write_files(files, tmp_path)) == 2
    assert {path.read_text() for path in tmp_path.iterdir()} == {file.text for file in files}


def test_two_boards_of_one_name_write_files_of_their_own_even_one_at_a_time(tmp_path):
    job = quay_tide_clock().job
    boards = [replace(board, name="Board") for board in job.boards if board.tiling is None][:3]
    job = with_boards(job, tuple(boards))
    names = []
    for board in job.boards:
        plan = plan_board(job, board, {})
        names += [file.name for file in files_of(job, board, plan.run, plan.setups, controller("rs274"))]
    assert len(set(names)) == len(names)


def test_files_of_one_name_are_never_written():
    class File:
        name, text = "a.nc", "M30\n"

    with pytest.raises(OutputError, match="both be written as"):
        write_files([File(), File()], __import__("pathlib").Path("/nowhere"))


@pytest.mark.parametrize(
    ("fields", "told"),
    [
        ({"file_name": "{job} {bit}"}, "has to hold {board} or {place}"),
        ({"file_name": "{board} {speed}"}, "no value 'speed'"),
        ({"file_name": "{board"}, "bracket"),
        ({"longest_name": 4}, "longest_name is 8 to 80"),
    ],
)
def test_templates_that_could_not_be_are_refused(fields, told):
    with pytest.raises(OutputError, match=re.escape(told)):
        check(replace(PLAIN, **fields))


class TestCommandLine:
    @pytest.fixture
    def saved(self, tmp_path):
        job, board, _ = board_with(star(5, 30, 14), kind=ProfileCut, bit=straight_bit(6.0), end_depth=3.0)
        path = tmp_path / "star.archimetra"
        save_job(path, JobFile(with_boards(job, (board,)), {}))
        return path

    def test_what_was_changed_by_hand_is_not_written_over(self, saved, tmp_path, capsys):
        out = tmp_path / "out"
        assert main(["export", str(saved), "--out", str(out), "--force"]) == 0
        (file,) = out.iterdir()
        assert main(["export", str(saved), "--out", str(out), "--force"]) == 0  # the same may lie there
        mine = file.read_text().replace("Job: ", "Job: mine ")
        file.write_text(mine)
        capsys.readouterr()
        assert main(["export", str(saved), "--out", str(out), "--force"]) == 1
        assert "of another job" in capsys.readouterr().err
        assert file.read_text() == mine
        assert main(["export", str(saved), "--out", str(out), "--force", "--replace"]) == 0
        assert file.read_text() != mine
