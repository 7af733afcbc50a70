"""Everything of a job in one press: every file of every board, the sheet and pictures, and what cannot be."""

from __future__ import annotations

import io
import zipfile

import pytest
from PIL import Image

from archimetra.base.errors import OutputError
from archimetra.cli import main
from archimetra.edits import basic
from archimetra.engine.bundle import all_files, zipped
from archimetra.engine.planning import plan_board
from archimetra.engine.writing import files_of
from archimetra.geometry.path import Path
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.file import JobFile, save_job
from archimetra.job.job import with_boards
from archimetra.job.sheet import Sheet
from archimetra.output.controllers import controller
from archimetra.output.controllers.profile import as_toml
from cutting_board import board_with
from shapes import replace


def two(*names: str, controller_name="streaming"):
    job, board, _ = board_with(
        Path.rectangle(0, 0, 60, 40), kind=PocketCut, sheet=Sheet(width=120, height=90, readings=(18.0,)), end_depth=4.0
    )
    job = with_boards(job, (replace(board, name=names[0]),), name="Clock", controller=controller_name)
    for name in names[1:]:
        edit, new = basic.duplicate_board(job, board.id)
        job = basic.change_board(edit.job, new, "", name=name).job
    return job


def test_all_files_are_those_of_each_board():
    job = two("First", "Second")
    made = all_files(job)
    assert [one.board for one in made] == [board.id for board in job.boards]
    for one, board in zip(made, job.boards, strict=True):
        plan = plan_board(job, board, {})
        here = files_of(job, board, plan.run, plan.setups, controller("streaming"))
        assert one.files == tuple((file.name, file.text) for file in here)
        assert one.key == plan.key


@pytest.mark.parametrize("names", [("Face", "Face"), ("Face", "face"), ("Face!", "Face?")])
def test_two_boards_of_one_name_have_files_of_their_own(names):
    made = all_files(two(*names))
    called = [name for one in made for name, _ in one.files]
    assert len(set(called)) == len(called) == 2


def test_two_boards_that_would_share_a_file_are_told_before_anything_is_written():
    short = replace(controller("streaming"), name="short", file_name="{board}", longest_name=8)
    job = two("Panel of the front, left", "Panel of the front, right")
    with pytest.raises(OutputError, match="Give one of them another name"):
        all_files(replace(job, controller="short", controller_text=as_toml(short)))


def test_the_zip_holds_it_all_and_is_the_same_each_time():
    job = two("First", "Löcher / 60°", "First")
    data = zipped(job)
    assert data == zipped(job)
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        assert archive.testzip() is None
        names = archive.namelist()
        assert {"job-sheet.pdf", "job-sheet.txt"} <= set(names)
        folders = {name.split("/")[0] for name in names if "/" in name}
        assert len(folders) == 3  # also of two boards of one name
        for folder in folders:
            (picture,) = [name for name in names if name.startswith(folder + "/") and name.endswith(".png")]
            with Image.open(io.BytesIO(archive.read(picture))) as image:
                assert min(image.size) > 50
            (code,) = [name for name in names if name.startswith(folder + "/") and name.endswith(".nc")]
            assert b"G21" in archive.read(code)
        assert all(".." not in name and not name.startswith("/") for name in names)


def test_a_job_without_work_is_a_sentence():
    job = two("First")
    idle = with_boards(job, (replace(job.boards[0], cuts=()),))
    with pytest.raises(OutputError, match="cuts nothing"):
        zipped(idle)
    assert all_files(idle) == []


def test_the_command(tmp_path, capsys):
    save_job(tmp_path / "c.archimetra", JobFile(two("First"), {}))
    assert main(["zip", str(tmp_path / "c.archimetra"), "--out", str(tmp_path / "c.zip"), "--controller", "iso"]) == 0
    with zipfile.ZipFile(tmp_path / "c.zip") as archive:
        assert any(name.endswith(".iso") for name in archive.namelist())
    assert main(["zip", str(tmp_path / "c.archimetra"), "--out", str(tmp_path / "no" / "c.zip")]) == 1
