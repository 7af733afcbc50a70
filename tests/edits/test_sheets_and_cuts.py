"""Sheets and cuts belong to the job: boards name them, several boards the same ones, and each is there once."""

from __future__ import annotations

import json

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from archimetra.base.errors import JobFileError
from archimetra.demo import quay_tide_clock
from archimetra.edits import basic as edits
from archimetra.edits.finishing import finish_edit, finished
from archimetra.edits.history import History
from archimetra.geometry.path import Path
from archimetra.job.file import decode_job, encode_job
from archimetra.job.gate import whats_loose
from archimetra.job.ids import SheetId
from archimetra.job.job import Job, with_boards
from archimetra.job.sheet import Sheet
from shapes import job_with

replace = msgspec.structs.replace


def two_faces() -> Job:
    """A sheet with two boards on it; the second has the first's cut in its order, and a shape of its own the cut takes."""
    job, board, cut = job_with(Path.rectangle(10, 10, 50, 40))
    other = replace(
        board, id="board9", name="Back", shapes=(replace(board.shapes[0], id="shape9", name="there"),), layers=()
    )
    cut = replace(cut, shapes=(*cut.shapes, "shape9"))
    return finished(with_boards(job, (replace(board, cuts=(cut,)), replace(other, cuts=(cut,)))))


class TestNamedByBoards:
    def test_each_is_in_the_document_once(self):
        job = two_faces()
        assert len(job.sheets) == 1
        assert len(job.cuts) == 1
        said = json.loads(encode_job(job))["job"]
        assert [b["sheet"] for b in said["boards"]] == [said["sheets"][0]["id"]] * 2
        assert [b["order"] for b in said["boards"]] == [[said["cuts"][0]["id"]]] * 2
        assert decode_job(encode_job(job), name="t") == job

    def test_what_one_board_changes_the_other_has_too(self):
        job = two_faces()
        first = job.boards[0]
        job = edits.change_board(job, first.id, "", sheet=replace(first.sheet, readings=(15.5, 15.1))).job
        assert {b.sheet.readings for b in job.boards} == {(15.5, 15.1)}
        job = edits.change_cut(job, first.cuts[0].id, "", end_depth=3.25, goes_through=False).job
        assert [b.cuts[0].end_depth for b in job.boards] == [3.25, 3.25]

    def test_a_sheet_said_anew_without_an_id_stays_the_boards_own(self):
        job = two_faces()
        was = job.boards[1].sheet.id
        job = edits.change_board(job, job.boards[1].id, "", sheet=Sheet(width=77, height=66, readings=(5.0,))).job
        assert [b.sheet.id for b in job.boards] == [was, was]
        assert {b.sheet.width for b in job.boards} == {77}

    def test_shapes_of_a_cut_on_another_board_are_not_gone(self):
        job = two_faces()
        board = job.boards[0]
        after = finish_edit(job, edits.change_board(job, board.id, "", name="Front").job)
        assert after.cuts[0].shapes == job.cuts[0].shapes
        without = finish_edit(job, edits.change_board(job, board.id, "", shapes=()).job)
        assert without.cuts[0].shapes == ("shape9",)

    def test_a_cut_goes_with_the_last_board_that_has_it(self):
        job = two_faces()
        cut = job.cuts[0]
        one = edits.change_board(job, job.boards[0].id, "", cuts=()).job
        assert one.cuts == (cut,)
        assert edits.change_board(one, job.boards[1].id, "", cuts=()).job.cuts == ()
        assert edits.remove_cut(job, cut.id).job.cuts == ()
        gone = edits.remove_board(edits.remove_board(job, "board9").job, job.boards[0].id).job
        assert (gone.cuts, gone.sheets, gone.stored) == ((), (), ())

    def test_what_no_board_names_stays_until_something_says_otherwise(self):
        job = two_faces()
        spare = replace(job.cuts[0], id="cut50", name="Waits", shapes=())
        plank = Sheet(id=SheetId("sheet50"), width=9, height=9, readings=(9.0,))
        job = finished(replace(job, cuts=(spare, *job.cuts), sheets=(*job.sheets, plank)))
        for change in (
            edits.change_board(job, job.boards[0].id, "", name="Other").job,
            edits.remove_board(job, job.boards[0].id).job,
            edits.duplicate_board(job, job.boards[0].id)[0].job,
        ):
            after = finish_edit(job, change)
            assert spare in after.cuts
            assert plank in after.sheets
            assert decode_job(encode_job(after), name="t") == after
        assert job.numbers["cut"] >= 50
        assert job.numbers["sheet"] >= 50

    def test_boards_nothing_changed_on_are_the_very_same(self):
        job = quay_tide_clock().job
        boards = job.boards
        named = edits.change_job(job, "", name="Other").job
        assert all(a is b for a, b in zip(named.boards, boards, strict=True))
        changed = edits.change_board(job, boards[0].id, "", name="X").job
        assert changed.boards[0] is not boards[0]
        assert all(a is b for a, b in zip(changed.boards[1:], boards[1:], strict=True))
        assert all(a is b for a, b in zip(job.boards, boards, strict=True))

    def test_undo_gives_sheets_and_cuts_back_and_no_id_twice(self):
        history = History(two_faces())
        first = history.job
        edit, _ = edits.add_board(first)
        history.apply(edit)
        second = history.job.boards[-1].sheet.id
        history.undo()
        assert history.job == first
        history.apply(edits.add_board(history.job)[0])
        assert history.job.boards[-1].sheet.id not in (second, *[s.id for s in first.sheets])


class TestCopies:
    @given(st.lists(st.integers(0, 3), min_size=1, max_size=4))
    def test_a_copied_board_shares_nothing_with_any_other(self, which):
        job = quay_tide_clock().job
        for k in which:
            was = job
            edit, new = edits.duplicate_board(job, job.boards[k % len(job.boards)].id)
            job = finish_edit(was, edit.job)
            assert whats_loose(job) == ""
            source, copy = was.boards[k % len(was.boards)], job.board(new)
            fronts = [board for board in job.boards if board.back_of is None]  # a back lies on its front's sheet
            assert len({board.sheet.id for board in fronts}) == len(fronts)
            assert copy in fronts
            assert [s.placed() for s in copy.shapes] == [s.placed() for s in source.shapes]
            own = [cut for cut in source.cuts if cut.mating is None]
            assert len(copy.cuts) == len(own)
            by_name = {cut.name: cut for cut in copy.cuts}
            for its in own:  # each takes what the original takes, counted by place
                at = {shape.id: n for n, shape in enumerate(source.shapes)}
                there = {shape.id: n for n, shape in enumerate(copy.shapes)}
                assert [there[s.id] for s in copy.shapes_of(by_name[its.name])] == [
                    at[s.id] for s in source.shapes_of(its)
                ]
            assert decode_job(encode_job(job), name="t") == job

    def test_another_board_is_another_sheet_of_the_same_kind(self):
        job = quay_tide_clock().job
        edit, new = edits.add_board(job)
        made = edit.job.board(new)
        assert made.sheet.id not in {sheet.id for sheet in job.sheets}
        assert replace(made.sheet, id="") == replace(job.boards[-1].sheet, id="")
        other = edits.change_board(edit.job, new, "", sheet=replace(made.sheet, width=55.0)).job
        assert [b.sheet for b in other.boards[:-1]] == [b.sheet for b in job.boards]


@pytest.mark.parametrize(
    ("change", "why"),
    [
        (lambda job: job["boards"][0].update(sheet="sheet99"), "names a sheet that is not in the job"),
        (lambda job: job["boards"][0]["order"].append("cut99"), "names a cut that is not in the job"),
        (lambda job: job["boards"][0]["order"].append(job["boards"][0]["order"][0]), "the same id"),
        (lambda job: job["sheets"].append(job["sheets"][0]), "the same id"),
        (lambda job: job["cuts"].append(job["cuts"][0]), "the same id"),
        (lambda job: job["boards"][1]["shapes"].append(job["boards"][0]["shapes"][0]), "the same id"),
        (lambda job: job["cuts"][0].update(bit="bit99"), "names a bit that is not in the job"),
        (lambda job: job["boards"][0].update(cuts=[]), "unknown field `cuts`"),
    ],
)
def test_files_whose_parts_do_not_hang_together_are_refused_by_a_sentence(change, why):
    said = json.loads(encode_job(two_faces()))
    change(said["job"])
    with pytest.raises(JobFileError, match=why):
        decode_job(json.dumps(said).encode(), name="t")
