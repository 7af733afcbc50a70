"""What lies off the wood of a sheet, or over a flaw or metal in it, is told; what just does not is not."""

from __future__ import annotations

import pytest

from archimetra.engine.planning import plan_board
from archimetra.geometry.affine import IDENTITY
from archimetra.geometry.path import Path
from archimetra.job.cut_parts import Side, Tabs
from archimetra.job.cuts.facing import FacingCut
from archimetra.job.cuts.hole import HoleCut
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.job import with_boards
from archimetra.job.sheet import Flaw, Sheet
from cutting_board import board_with
from shapes import replace

ELL = (Path.polyline([(0, 0), (200, 0), (200, 80), (100, 80), (100, 160), (0, 160)], closed=True),)
HOLED = (*ELL, Path.circle((40, 40), 15))


def findings(path, outline=ELL, flaws=(), kind=ProfileCut, **fields):
    sheet = Sheet(width=200.0, height=160.0, readings=(9.0,), outline=outline, flaws=flaws)
    job, board, _ = board_with(path, kind=kind, sheet=sheet, **fields)
    board = replace(board, shapes=tuple(replace(shape, at=IDENTITY) for shape in board.shapes))
    job = with_boards(job, (board,))
    return {f.code: f for f in plan_board(job, job.boards[0], {}).findings}


class TestOffSheet:
    @pytest.mark.parametrize(
        ("path", "is_off"),
        [
            (Path.rectangle(10, 10, 80, 60), False),
            (Path.rectangle(100, 0, 100, 80), False),  # along the edge all round
            (Path.rectangle(10, 100, 90.05, 20), True),  # in the box, past the edge
            (Path.rectangle(120, 100, 20, 20), True),  # where there is no wood at all
            (Path.rectangle(90, 70, 20, 20), True),  # over the inner corner
            (Path.rectangle(-5, 10, 20, 20), True),
        ],
    )
    def test_in_the_box_is_not_yet_on_the_wood(self, path, is_off):
        assert ("off-sheet" in findings(path)) is is_off

    @pytest.mark.parametrize("gap", [0.0, 0.005])
    def test_a_hair_past_is_not_told(self, gap):
        assert "off-sheet" not in findings(Path.rectangle(10, 100, 90 + gap, 20))

    def test_how_far_and_where_it_is_farthest(self):
        found = findings(Path.rectangle(80, 100, 45, 20))["off-sheet"]
        assert "reach 25.00 mm past" in found.sentence
        assert found.at[0] == pytest.approx(125, abs=0.01)

    def test_a_piece_round_an_opening_of_the_sheet_is_told_though_its_line_lies_on_wood(self):
        assert "off-sheet" not in findings(Path.rectangle(60, 10, 30, 30), HOLED)
        found = findings(Path.rectangle(10, 10, 60, 60), HOLED)["off-sheet"]
        assert found.at == pytest.approx((40, 40), abs=0.5)

    def test_holes_and_what_runs_past_on_purpose(self):
        assert "off-sheet" in findings(Path.circle((150, 120), 2), kind=HoleCut)
        assert "off-sheet" not in findings(Path.rectangle(0, 0, 10, 10), kind=FacingCut, shapes=(), end_depth=0.5)


def knot(x, y, radius=6.0, *, is_hard=False):
    return (Flaw(outline=Path.circle((x, y), radius), is_hard=is_hard),)


class TestFlaws:
    @pytest.mark.parametrize(
        ("flaws", "told"),
        [
            (knot(50, 40), {"over-flaw"}),  # in the piece
            (knot(95.9, 40), {"over-flaw"}),  # over its edge by a hair
            (knot(96.1, 40), set()),
            (knot(50, 130), set()),
            (knot(50, 40, is_hard=True), set()),  # inside the piece no bit comes near it
            (knot(99, 40, 2.99, is_hard=True), set()),
            (knot(99, 40, 3.05, is_hard=True), {"over-metal"}),
            (knot(102.05, 40, 6.0), set()),
        ],
    )
    def test_beside_a_piece_90_mm_wide_cut_out_with_6_mm(self, flaws, told):
        got = findings(
            Path.rectangle(10, 10, 80, 60), flaws=flaws, side=Side.OUTSIDE, goes_through=True, tabs=Tabs(count=2)
        )
        assert {code for code in got if code.startswith("over-")} == told

    @pytest.mark.parametrize(("gap", "is_told"), [(-0.02, True), (0.02, False)])
    def test_metal_just_within_and_just_beyond_where_the_bit_cuts(self, gap, is_told):
        got = findings(
            Path.rectangle(10, 10, 80, 60), flaws=knot(90 + 6 + gap + 5, 40, 5.0, is_hard=True), side=Side.OUTSIDE, goes_through=True,
            tabs=Tabs(count=0),
        )  # fmt: skip
        assert ("over-metal" in got) is is_told

    def test_what_falls_out_may_have_a_flaw(self):
        inside = findings(Path.rectangle(10, 10, 80, 60), flaws=knot(50, 40), side=Side.INSIDE, goes_through=True)
        assert "over-flaw" not in inside
        assert "over-flaw" in findings(
            Path.rectangle(10, 10, 80, 60), flaws=knot(50, 40), kind=PocketCut, end_depth=3.0
        )
