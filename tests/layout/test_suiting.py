"""Which sheets are nested on unasked: those with pieces, and free ones of the same stuff."""

from __future__ import annotations

import pytest

from archimetra.edits import basic, parting, sheets
from archimetra.edits.finishing import finish_edit
from archimetra.job.materials import Material
from archimetra.job.sheet import Sheet
from archimetra.layout.suiting import suited
from edits.test_parting import bracket_job


def with_second(**fields):
    job = bracket_job()
    edit, new = basic.add_board(job)
    job = finish_edit(job, edit.job)
    return finish_edit(job, sheets.change_sheet(job, new, "", **fields).job), new


@pytest.mark.parametrize(
    ("fields", "is_taken"),
    [
        ({}, True), ({"readings": (12.3,)}, True), ({"readings": (13.0,)}, False), ({"material": Material.OAK}, False),
        ({"width": 90.0}, True),
    ],
)  # fmt: skip
def test_free_sheets_of_the_same_kind_are_taken_with_the_one_that_holds_the_parts(fields, is_taken):
    job, new = with_second(**fields)
    first = job.boards[0]
    edit, _ = parting.make_parts(job, first.id, [shape.id for shape in first.shapes])
    job = finish_edit(job, edit.job)
    assert suited(job, new) == [first.id, *([new] if is_taken else [])]


def test_before_there_are_pieces_the_shown_one_counts_and_what_has_other_work_does_not():
    job, new = with_second()
    first = job.boards[0]
    assert suited(job, new) == [new]
    assert suited(job, first.id) == [first.id, new]
    assert isinstance(job.board(new).sheet, Sheet)
