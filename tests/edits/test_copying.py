"""A copy is cut as its original is, wherever it comes to lie: measured on the marks of the planned paths."""

from __future__ import annotations

import numpy as np
import pytest

from archimetra.edits import basic as edits
from archimetra.edits import copying, cutting, layering, leftovers, marking, placing, repeating
from archimetra.edits.history import History
from archimetra.edits.repeating import Rows
from archimetra.engine.planning import plan_board
from archimetra.geometry.affine import Affine
from archimetra.geometry.path import Path
from archimetra.job.cut_parts import Side
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.file import decode_job, encode_job
from archimetra.job.job import new_job
from archimetra.job.marks import mark_at
from archimetra.toolpath.shared.moves import MarkKind
from shapes import job_with, replace


def marked(**cut):
    """A plate with two tabs and a start set by hand, walked the other way round; (history, board, cut, shape)."""
    job, board, made = job_with(Path.rectangle(0, 0, 50, 30), **cut)
    shape = job.boards[0].shapes[0]
    x0, y0, x1, _ = shape.bounds()
    job = marking.set_tab_marks(job, made.id, (mark_at(shape, x0 + 9, y0), mark_at(shape, x1, y0 + 21))).job
    job = marking.set_start_mark(job, made.id, shape.id, mark_at(shape, x0, y0 + 13)).job
    job = marking.turn_contour(job, made.id, mark_at(shape, x0, y0)).job
    job = edits.change_board(job, board.id, "", sheet=replace(board.sheet, width=900, height=700)).job
    return History(job), board.id, made.id, shape.id


def marks_by_part(job, board_id) -> dict[tuple[float, float], np.ndarray]:
    """For the corner of every part the tabs and starts of its path, counted from there, in one order."""
    board = job.board(board_id)
    plan = plan_board(job, board, {})
    corners = {shape.id: shape.bounds()[:2] for shape in board.shapes}
    found: dict[tuple[float, float], list] = {corner: [] for corner in corners.values()}
    for cut in plan.cuts:
        for mark in cut.toolpath.marks:
            x, y = corners[mark.shape]
            found[x, y].append((mark.kind is MarkKind.TAB, mark.x - x, mark.y - y, mark.degrees % 360))
    return {corner: np.array(sorted(rows), dtype=float).round(3) for corner, rows in found.items()}


def all_alike(job, board_id, count: int) -> None:
    parts = list(marks_by_part(job, board_id).values())
    assert len(parts) == count
    for part in parts:
        assert len(part) == 3  # two tabs and a start
        assert part == pytest.approx(parts[0], abs=0.02)


COPIES = {
    "duplicate": lambda job, b, ids: repeating.duplicate(job, b, ids, 120.0, 40.0),
    "rows": lambda job, b, ids: repeating.rows_and_columns(job, b, ids, Rows(3, 2, 20.0, 20.0, True)),
    "ring of plain copies": lambda job, b, ids: repeating.ring(
        job, b, ids, count=4, centre=(400.0, 300.0), turns=False
    ),
    "paste": lambda job, b, ids: copying.paste(job, b, copying.copied(job, b, ids), at=(500.0, 400.0)),
}


@pytest.mark.parametrize("how", COPIES.values(), ids=COPIES.keys())
@pytest.mark.parametrize("follows_layer", [False, True])
def test_tabs_and_starts_set_by_hand_come_along(how, follows_layer):
    history, board, cut, shape = marked()
    if follows_layer:
        history.apply(layering.follow_layer(history.job, cut, history.job.boards[0].layers[0].id))
        history.apply(cutting.change_cut(history.job, cut, "", shapes=()))
    history.apply(how(history.job, board, [shape])[0])
    assert len(history.job.boards[0].cuts) == 1
    all_alike(history.job, board, len(history.job.boards[0].shapes))
    # and copies of copies
    history.apply(repeating.duplicate(history.job, board, [history.job.boards[0].shapes[-1].id], 0.0, 150.0)[0])
    all_alike(history.job, board, len(history.job.boards[0].shapes))


def test_of_a_mirrored_copy_the_marks_are_mirrored():
    history, board, _, shape = marked()
    edit, every = repeating.duplicate(history.job, board, [shape], 200.0, 0.0)
    history.apply(edit)
    history.apply(placing.map_shapes(history.job, board, every, Affine.scale(-1.0, 1.0, about=(400.0, 0.0))))
    one, two = (rows[:, 1:3] for rows in marks_by_part(history.job, board).values())
    assert np.sort(50.0 - two[:, 0]) == pytest.approx(np.sort(one[:, 0]), abs=0.02)


class TestOnAnotherBoard:
    def start(self):
        history, board, cut, shape = marked()
        clip = copying.copied(history.job, board, [shape])
        edit, other = edits.add_board(history.job)
        history.apply(edit)
        return history, clip, other, cut

    def test_the_cut_comes_along_and_a_second_paste_joins_it(self):
        history, clip, other, cut = self.start()
        for count, at in ((1, (100.0, 100.0)), (2, (300.0, 100.0)), (3, (300.0, 300.0))):
            history.apply(copying.paste(history.job, other, clip, at=at)[0])
            board = history.job.board(other)
            assert [type(c) for c in board.cuts] == [ProfileCut]
            assert board.cuts[0].id != cut
            assert len(board.cuts[0].shapes) == count
            all_alike(history.job, other, count)
        opened = decode_job(encode_job(history.job), name="a.archimetra")
        assert opened == history.job

    def test_only_what_was_copied_is_taken(self):
        history, board, _, shape = marked()
        history.apply(repeating.duplicate(history.job, board, [shape], 200.0, 0.0)[0])
        clip = copying.copied(history.job, board, [history.job.boards[0].shapes[-1].id])
        edit, other = edits.add_board(history.job)
        history.apply(edit)
        history.apply(copying.paste(history.job, other, clip)[0])
        all_alike(history.job, other, 1)
        all_alike(history.job, board, 2)

    def test_a_pocket_brings_what_clears_its_rest(self):
        job, board, _ = job_with(Path.rectangle(0, 0, 50, 30))
        job = cutting.remove_cuts(job, [c.id for c in job.boards[0].cuts]).job
        pocket = cutting.new_cut(job, board.id, PocketCut, [job.boards[0].shapes[0].id], end_depth=4.0)
        job = cutting.add_cut(job, board.id, pocket).job
        job = edits.add_bit(job)[0].job
        job = leftovers.add_rest(job, pocket.id, job.bits[-1].id)[0].job
        clip = copying.copied(job, board.id, [job.boards[0].shapes[0].id])
        edit, other = edits.add_board(job)
        job = copying.paste(edit.job, other, clip)[0].job
        first, second = job.board(other).cuts
        assert second.rest_of == first.id != pocket.id
        assert job.board(other).root_cut(second) is first
        twice = copying.paste(job, other, clip, at=(200.0, 200.0))[0].job
        assert len(twice.board(other).cuts) == 2

    def test_into_another_job_the_bit_comes_along_once(self):
        history, board, cut, shape = marked()
        bit = history.job.boards[0].cut(cut).bit
        history.apply(edits.change_bit(history.job, bit, "", diameter=5.5, name="odd", rack_id="r1"))
        clip = copying.copied(history.job, board, [shape])
        job = new_job()
        before = len(job.bits)
        for _ in range(2):
            job = copying.paste(job, job.boards[0].id, clip)[0].job
        assert len(job.bits) == before + 1
        assert [b.name for b in job.bits if b.id == job.boards[0].cuts[0].bit] == ["odd"]
        assert len(job.boards[0].cuts) == 1

    def test_another_job_s_cuts_of_the_same_ids_do_not_take_what_is_pasted(self):
        """Board, shape and cut carry the same ids in both jobs, and are others."""
        history, board, cut, shape = marked()
        clip = copying.copied(history.job, board, [shape])
        other, there, own = job_with(Path.circle((50, 50), 20), side=Side.INSIDE, goes_through=False, end_depth=2.0)
        assert (there.id, own.id, other.boards[0].shapes[0].id) == (board, cut, shape)
        edit, pasted = copying.paste(other, there.id, clip, at=(300.0, 200.0))
        after = edit.job.boards[0]
        assert not set(pasted) & set(after.cut(own.id).shapes)
        assert [c.side for c in after.cuts if set(pasted) & set(c.shapes)] == [history.job.boards[0].cut(cut).side]

    def test_cut_off_the_board_and_pasted_back_it_is_cut_as_before(self):
        history, board, _, shape = marked()
        clip = copying.copied(history.job, board, [shape])
        history.apply(placing.remove_shapes(history.job, board, [shape]))
        history.apply(copying.paste(history.job, board, clip)[0])
        all_alike(history.job, board, 1)

    def test_halves_of_inlays_stay_where_they_are(self):
        from archimetra.demo import quay_tide_clock

        job = quay_tide_clock().job
        inlay = job.inlays[0]
        clip = copying.copied(job, inlay.pocket_board, list(inlay.shapes))
        assert all(c.mating is None for c in clip.cuts)
        edit, other = edits.add_board(job)
        history = History(job)
        history.apply(edit)
        history.apply(copying.paste(history.job, other, clip)[0])
        assert len(history.job.inlays) == len(job.inlays)


def test_landing_twice_gives_different_ids_on_every_board():
    """Ids are counted over the job, not by board: what is pasted names nothing of the other board."""
    history, board, _, shape = marked()
    edit, other = edits.add_board(history.job)
    history.apply(edit)
    clip = copying.copied(history.job, board, [shape])
    ids = set()
    for place in (board, other, other, board):
        edit, made = copying.paste(history.job, place, clip, at=(300.0, 300.0))
        assert not ids & set(made)
        ids |= set(made)
        history.apply(edit)
    assert len(ids) == 4
