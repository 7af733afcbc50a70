"""Thin webs between parts, and loads far above what is sound: told where they are, silent in the twin where they are not."""

from __future__ import annotations

import pytest
import shapely

from archimetra.base.findings import Severity, lengths_of
from archimetra.engine.planning import plan_board
from archimetra.geometry.path import Path
from archimetra.job.cut_parts import Overrides, Side, Tabs
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.sheet import Sheet
from cutting_board import board_with
from shapes import star, straight_bit

SHEET = Sheet(width=260, height=160, readings=(12.0,))


def found(*paths, kind=ProfileCut, sheet=SHEET, **fields):
    job, board, _ = board_with(*paths, kind=kind, sheet=sheet, **fields)
    return plan_board(job, board, {}).findings


def two(gap: float, **fields):
    """Two parts beside each other, cut out by a 6 mm bit."""
    paths = Path.rectangle(0, 0, 60, 50), Path.rectangle(60 + gap, 0, 60, 50)
    return found(*paths, side=Side.OUTSIDE, goes_through=True, end_depth=0.0, tabs=Tabs(count=4), **fields)


@pytest.mark.parametrize(("web", "is_told"), [(0.4, True), (1.0, True), (2.2, True), (2.6, False), (8.0, False)])
def test_a_web_is_told_where_it_is_thin_for_its_sheet(web, is_told):
    told = [f for f in two(12.0 + web) if f.code == "web-thin"]
    assert bool(told) == is_told
    if told:
        (finding,) = told
        assert finding.severity is Severity.CAUTION
        width, length = lengths_of(finding.words)
        assert width == pytest.approx(web, abs=0.16)
        assert 40 < length < 70
        assert shapely.dwithin(shapely.box(109, 50, 151, 110), shapely.points(finding.at), 30)


def test_parts_one_cut_apart_have_no_web_and_what_is_thin_in_a_part_was_drawn_so():
    assert not [f for f in two(6.0) if f.code == "web-thin"]
    comb = Path.polyline([(0, 0), (60, 0), (60, 40), (30.5, 40), (30.5, 10), (30, 10), (30, 40), (0, 40)], closed=True)
    thin = found(comb, side=Side.OUTSIDE, goes_through=True, end_depth=0.0, tabs=Tabs(count=2))
    assert not [f for f in thin if f.code == "web-thin"]
    assert [
        f.severity for f in two(13.0, sheet=Sheet(width=260, height=160, readings=(4.5,))) if f.code == "web-thin"
    ] in ([], [Severity.NOTE])


@pytest.mark.parametrize(("step", "is_told"), [(3.0, False), (5.0, False), (9.0, True)])
@pytest.mark.parametrize("kind", [PocketCut, ProfileCut])
def test_a_pass_far_above_what_is_sound_in_a_slot(kind, step, is_told):
    fields = {"end_depth": 10.0, "run": Overrides(depth_per_pass=step), "bit": straight_bit(6.0)}
    told = [f for f in found(star(), kind=kind, **fields) if f.code == "slot-heavy"]
    assert bool(told) == is_told


def test_a_shallow_cut_takes_no_more_than_it_is_deep():
    told = found(star(), kind=PocketCut, end_depth=2.0, run=Overrides(depth_per_pass=9.0))
    assert not [f for f in told if f.code == "slot-heavy"]


def test_a_thick_shank_in_a_deep_cut_is_named():
    slim = straight_bit(3.0, shank=6.0, cutting_length=6.0)
    (told,) = [f for f in found(star(), kind=PocketCut, end_depth=9.0, bit=slim) if f.code == "bit-too-short"]
    assert "6 mm shank would be driven into the wall" in told.sentence
    same = straight_bit(6.0, shank=6.0, cutting_length=6.0)
    (told,) = [f for f in found(star(), kind=PocketCut, end_depth=9.0, bit=same) if f.code == "bit-too-short"]
    assert "rubs" in told.sentence


def test_what_frees_a_piece_is_named_not_a_hole_cut_in_it_later():
    """A disc freed first, a hole bored through it after: the disc's outline frees it."""
    from archimetra.job.cuts.hole import HoleCut
    from archimetra.job.ids import CutId
    from archimetra.job.job import with_boards
    from shapes import replace

    job, board, cut = board_with(
        Path.circle((0, 0), 40), kind=ProfileCut, sheet=SHEET, side=Side.OUTSIDE, goes_through=True, end_depth=0.0
    )
    hole = replace(board.shapes[0], id="hole", paths=(Path.circle((0, 0), 8),), form=None)
    drilled = HoleCut(id=CutId("cut8"), name="Hole", bit=job.bits[0].id, shapes=(hole.id,), goes_through=True)
    board = replace(board, shapes=(*board.shapes, hole), cuts=(cut, drilled))
    job = with_boards(job, (board,))
    loose = [f for f in plan_board(job, job.boards[0], {}).findings if f.code == "loose-part"]
    assert {f.subject for f in loose if "80 x 80" in f.sentence} == {cut.id}
