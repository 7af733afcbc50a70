"""A job for a controller of a person's own keeps a copy: its files come out the same elsewhere, and whatever becomes of the shelf."""

from __future__ import annotations

import contextlib

import pytest

from archimetra.base.errors import OutputError
from archimetra.engine.planning import plan_board
from archimetra.engine.writing import files_of
from archimetra.geometry.path import Path
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.file import decode_job, encode_job
from archimetra.job.job import new_job
from archimetra.output.controllers import controller
from archimetra.output.controllers.of_job import controller_of, copy_in, for_controller, other_on_shelf
from archimetra.output.controllers.shelf import drop, keep
from cutting_board import board_with
from shapes import replace


@pytest.fixture
def mine():
    profile = replace(controller("streaming"), name="mine", title="Mine", start=("G90", "(own start)"))
    keep(profile)
    yield profile
    for name in ("mine", "streaming"):
        with contextlib.suppress(OutputError):
            drop(name)


def job_with_files(job):
    made, board, _ = board_with(Path.rectangle(0, 0, 40, 30), kind=PocketCut, end_depth=3.0)
    made = replace(made, controller=job.controller, controller_text=job.controller_text)
    plan = plan_board(made, board, {})
    return [file.text for file in files_of(made, board, plan.run, plan.setups, controller_of(made))]


def test_of_a_shipped_one_no_copy_is_kept(mine):
    job = for_controller(for_controller(new_job(), "mine"), "iso")
    assert (job.controller, job.controller_text) == ("iso", "")
    assert controller_of(job) == controller("iso")
    assert other_on_shelf(job) == ""


def test_files_come_out_the_same_where_nobody_has_it(mine):
    job = for_controller(new_job(), "mine")
    here = job_with_files(job)
    assert "(own start)" in here[0]
    job = decode_job(encode_job(job), name="a")
    drop("mine")
    assert other_on_shelf(job) == "missing"
    assert job_with_files(job) == here
    with pytest.raises(OutputError, match="no controller 'mine'"):
        controller(job.controller)


def test_what_is_changed_on_the_shelf_changes_no_file_until_it_is_taken(mine):
    job = for_controller(new_job(), "mine")
    before = job_with_files(job)
    assert other_on_shelf(job) == ""
    keep(replace(mine, start=("G90", "(new start)")))
    assert other_on_shelf(job) == "changed"
    assert job_with_files(job) == before
    taken = for_controller(job, "mine")
    assert "(new start)" in job_with_files(taken)[0]
    assert other_on_shelf(taken) == ""


def test_one_of_ones_own_in_place_of_a_shipped_one_travels_as_well(mine):
    keep(replace(controller("streaming"), start=("G90", "(mine)")))
    job = for_controller(new_job(), "streaming")
    drop("streaming")
    assert "(mine)" in job_with_files(job)[0]
    assert other_on_shelf(job) == "changed"


@pytest.mark.parametrize(
    "text", ["x = ", 'name = "mine"\n', "\0", "[a]\nb = 1", 'name = "mine"\ntitle = "M"\nstart = ["{os}"]']
)
def test_a_copy_that_is_no_controller_is_a_sentence(text):
    job = replace(new_job(), controller="mine", controller_text=text)
    with pytest.raises(OutputError, match="ontroller 'mine'"):
        controller_of(job)
    assert other_on_shelf(job) == ""


def test_a_copy_of_another_one_does_not_serve(mine):
    job = replace(for_controller(new_job(), "mine"), controller="iso")
    assert copy_in(job) is None
    assert controller_of(job) == controller("iso")
    huge = replace(new_job(), controller="mine", controller_text="#" * 200_000)
    with pytest.raises(OutputError, match="larger than"):
        controller_of(huge)
