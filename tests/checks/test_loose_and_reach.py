"""What comes loose and what the machine does not reach: just held, just free, just within, just beyond; sizes and places as they are."""

from __future__ import annotations

import pytest
import shapely

from archimetra.engine.planning import plan_board
from archimetra.geometry.path import Path
from archimetra.job.cut_parts import Side, Tabs
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.job import with_boards
from archimetra.job.sheet import Fixture, HoldDown, Machine, Sheet, Zero, ZeroAt
from cutting_board import board_with
from shapes import replace

SHEET = Sheet(width=400.0, height=300.0, readings=(12.0,))


def told(*paths, change=lambda board: board, machine=None, **fields):
    """Findings by their code, for a through profile outside the paths; the middle of all lies in the middle of the sheet."""
    settings = {"kind": ProfileCut, "sheet": SHEET, "side": Side.OUTSIDE, "goes_through": True, "tabs": Tabs(count=0)}
    job, board, _ = board_with(*paths, **settings | fields)
    board = change(replace(board, bed_x=50.0, bed_y=50.0))
    job = with_boards(job, (board,), machine=machine or job.machine)
    return {f.code: f for f in plan_board(job, board, {}).findings}


def piece(width: float, height: float) -> Path:
    return Path.rectangle(0, 0, width, height)


class TestLoose:
    @pytest.mark.parametrize(("tabs", "code"), [(0, "loose-part"), (1, "one-tab"), (2, None), (3, None)])
    def test_by_how_many_tabs_it_hangs(self, tabs, code):
        found = {"loose-part", "one-tab"} & set(told(piece(60, 40), tabs=Tabs(count=tabs)))
        assert found == ({code} if code else set())

    @pytest.mark.parametrize(("width", "is_told"), [(23.8, False), (24.4, True)])
    def test_one_tab_is_enough_for_six_square_centimetres(self, width, is_told):
        assert ("one-tab" in told(piece(width, 25.0), tabs=Tabs(count=1, length=6.0))) == is_told

    def test_it_says_how_large_the_piece_is_and_where(self):
        found = told(piece(60, 40))["loose-part"]
        assert "60 x 40 mm" in found.sentence
        assert shapely.box(170, 130, 230, 170).contains(shapely.Point(found.at))
        assert "60 x 40 mm" in told(piece(60, 40), tabs=Tabs(count=1))["one-tab"].sentence

    def test_what_tape_holds_or_a_skin_or_a_clamp_is_not_loose(self):
        assert "loose-part" not in told(piece(60, 40), sheet=replace(SHEET, hold_down=HoldDown.TAPED))
        assert "loose-part" not in told(piece(60, 40), skin=0.6)
        assert "loose-part" not in told(piece(60, 40), goes_through=False, end_depth=11.5)
        over = (Fixture(x=200.0, y=150.0, width=20.0, height=20.0), Fixture(x=10.0, y=10.0, width=15.0, height=15.0))
        assert "loose-part" not in told(piece(160, 140), change=lambda b: replace(b, fixtures=over))
        aside = (Fixture(x=10.0, y=10.0, width=15.0, height=15.0),)
        assert "loose-part" in told(piece(160, 140), change=lambda b: replace(b, fixtures=aside))


class TestReach:
    @pytest.mark.parametrize(("over", "is_told"), [(-0.5, False), (0.0, False), (0.5, True)])
    @pytest.mark.parametrize("axis", ["x", "y"])
    def test_travel_just_enough_and_just_not(self, over, is_told, axis):
        """A 60 by 40 piece in the middle of the sheet, 50 mm into the bed: a 6 mm bit reaches 283.2 and 223.2 with its allowance."""
        far = {"x": 50 + 200 + 30 + 3, "y": 50 + 150 + 20 + 3}[axis]
        travel = {"travel_x": 1000.0, "travel_y": 1000.0, f"travel_{axis}": far - over}
        found = told(piece(60, 40), machine=Machine(**travel), allowance=0.0)
        assert ("out-of-travel" in found) == is_told
        if is_told:
            assert f"{over:.1f} mm past" in found["out-of-travel"].sentence
            place = found["out-of-travel"].at
            assert place["xy".index(axis)] == pytest.approx(far - 50, abs=0.02)

    @pytest.mark.parametrize(("x", "is_told"), [(-50.0, False), (-50.5, True), (950.0, False), (950.5, True)])
    def test_the_park_point_lies_over_zero(self, x, is_told):
        machine = Machine(travel_x=1000.0, travel_y=1000.0)
        found = told(
            piece(60, 40), machine=machine, change=lambda b: replace(b, zero=Zero(at=ZeroAt.TYPED, x=x, y=10.0))
        )
        assert ("park-out-of-travel" in found) == is_told
        if is_told:
            assert "0.5 mm past" in found["park-out-of-travel"].sentence
            assert found["park-out-of-travel"].at == (x, 10.0)

    @pytest.mark.parametrize(("travel", "words"), [(42.0, None), (41.9, "over the spoilboard"), (20.0, "deepest cut")])
    def test_the_park_height_and_the_deepest_cut(self, travel, words):
        """A 12 mm sheet, parked 30 mm above it."""
        found = told(
            piece(60, 40),
            machine=Machine(travel_x=1000.0, travel_y=1000.0, travel_z=travel),
            goes_through=False,
            end_depth=5.0,
        )
        assert ("out-of-travel-z" in found) == (words is not None)
        if words:
            assert words in found["out-of-travel-z"].sentence


class TestOffSheet:
    @pytest.mark.parametrize(("by", "is_told"), [(0.0, False), (0.005, False), (0.02, True), (7.25, True)])
    @pytest.mark.parametrize("side", [(-1, 0), (1, 0), (0, -1), (0, 1)])
    def test_how_far_past_which_edge(self, by, is_told, side):
        """A 60 by 40 piece pushed to an edge and past it."""
        dx, dy = side[0] * (170 + by), side[1] * (130 + by)
        found = told(
            piece(60, 40),
            change=lambda b: replace(b, shapes=tuple(replace(s, at=s.at.then(s.at.shift(dx, dy))) for s in b.shapes)),
        )
        assert ("off-sheet" in found) == is_told
        if is_told:
            assert f"{by:.2f} mm past" in found["off-sheet"].sentence
