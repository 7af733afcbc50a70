"""Starts, tabs and directions set by hand: one a contour, taken back by the same act, and only where they mean something."""

from __future__ import annotations

from archimetra.edits import marking
from archimetra.geometry.path import Path
from archimetra.job.cut_parts import Mark
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut
from cutting_board import board_with

RING = (Path.rectangle(0, 0, 80, 60), Path.rectangle(20, 20, 60, 40))


def profile():
    job, board, cut = board_with(*RING, kind=ProfileCut)
    shape = board.shapes[0].id
    return job, cut.id, [Mark(shape, 0.0, 0.0, contour, 0.25) for contour in (0, 1)]


def now(edit):
    return edit.job.cuts[0]


def test_each_contour_keeps_its_own_start_until_another_is_set_or_it_is_taken_away():
    job, cut, (outer, inner) = profile()
    one = marking.set_start_mark(job, cut, outer.shape, outer)
    both = marking.set_start_mark(one.job, cut, inner.shape, inner)
    assert now(both).starts == (outer, inner)
    moved = Mark(outer.shape, 5.0, 0.0, 0, 0.5)
    assert set(now(marking.set_start_mark(both.job, cut, outer.shape, moved)).starts) == {moved, inner}
    assert now(marking.set_start_mark(both.job, cut, outer.shape, None)).starts == ()
    assert (one.label, marking.set_start_mark(job, cut, outer.shape, None).label) == ("Move start", "Choose start")


def test_a_contour_turned_twice_goes_as_before_and_the_others_with_it():
    job, cut, (outer, inner) = profile()
    one = marking.turn_contour(job, cut, outer)
    assert now(one).turned == (outer,)
    both = marking.turn_contour(one.job, cut, inner)
    assert set(now(both).turned) == {outer, inner}
    assert now(marking.turn_contour(both.job, cut, outer)).turned == (inner,)


def test_cuts_that_have_no_such_marks_stay_as_they_are():
    job, board, cut = board_with(*RING, kind=PocketCut)
    mark = Mark(board.shapes[0].id, 0.0, 0.0, 0, 0.25)
    assert now(marking.set_start_mark(job, cut.id, mark.shape, mark)) == cut
    assert now(marking.turn_contour(job, cut.id, mark)) == cut
