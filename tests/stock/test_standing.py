"""What is left standing against exact morphology: what a disc of the bit's radius cannot reach of an area is the area less its opening (GEOS)."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from archimetra.engine.planning import plan_board
from archimetra.engine.standing import standing_of
from archimetra.geometry.path import Path
from archimetra.job.bits import Bit, BitKind
from archimetra.job.cut_parts import Overrides, Side, Tabs
from archimetra.job.cuts.carve import CarveCut
from archimetra.job.cuts.facing import FacingCut
from archimetra.job.cuts.hole import HoleCut
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.ids import BitId
from archimetra.job.job import with_boards
from archimetra.job.sheet import Fixture, Sheet
from archimetra.stock.grid import part
from archimetra.stock.standing_results import Why
from archimetra.stock.timeline import StockParts, StockTimeline
from cutting_board import area_of, board_with
from shapes import blob, replace, star, straight_bit

SHEET = Sheet(width=160, height=130, readings=(18.0,))
TOOTH = Path.polyline([(0, 0), (60, 0), (60, 30), (34, 30), (34, 12), (29.5, 12), (29.5, 30), (0, 30)], closed=True)
SHAPES = {
    "square": [Path.rectangle(0, 0, 40, 30)],
    "star": [star(5, 35, 14)],
    "sharp star": [star(7, 40, 22)],
    "blob": [blob(3, 30)],
    "wavy blob": [blob(8, 35, waves=7)],
    "circle": [Path.circle((0, 0), 18)],
    "triangle": [Path.polyline([(0, 0), (50, 0), (20, 38)], closed=True)],
    "narrow slot": [TOOTH],
    "ring": [Path.circle((0, 0), 30), Path.circle((0, 0), 20)],
    "island": [Path.rectangle(0, 0, 70, 50), Path.rectangle(25, 15, 20, 20)],
}


def measured(job, board):
    plan = plan_board(job, board, {})
    return plan, standing_of(job, board, plan)


@pytest.mark.parametrize("diameter", [6.0, 3.0])
@pytest.mark.parametrize("name", SHAPES)
def test_of_a_pocket_stands_what_the_bit_cannot_reach(name, diameter):
    job, board, _ = board_with(*SHAPES[name], kind=PocketCut, sheet=SHEET, bit=straight_bit(diameter), end_depth=5.0)
    _, left = measured(job, board)
    area, r = area_of(board), diameter / 2
    missed = shapely.difference(area, area.buffer(-r, quad_segs=64).buffer(r + 1e-3, quad_segs=64))
    # what is nearer to the edge than the cells can tell is not counted; no more is asked of the exact ground
    sure = shapely.intersection(missed, area.buffer(-0.14))
    spots = [p for p in shapely.get_parts(sure) if p.area >= 0.35]
    found = [spot for one in left for spot in one.spots]
    for piece in spots:
        assert any(shapely.dwithin(piece, shapely.points(spot.at), 0.3) for spot in found), (
            f"{piece.area:.2f} mm2 at {piece.centroid}"
        )
    for spot in found:
        assert shapely.dwithin(missed, shapely.points(spot.at), 0.15)
        assert spot.height == pytest.approx(5.0, abs=0.01)
    total = sum(spot.area for spot in found)
    assert 0.7 * sum(p.area for p in spots) <= total <= 1.3 * sure.area + 0.9


class TestWhy:
    def test_corners_and_narrow_places_and_which_bit_gets_there(self):
        job, board, _ = board_with(TOOTH, kind=PocketCut, sheet=SHEET, bit=straight_bit(6.0), end_depth=5.0)
        fine = replace(straight_bit(3.0, cutting_length=12.0), id=BitId("bit7"))
        job = with_boards(replace(job, bits=(*job.bits, fine)), (board,))
        _, (left,) = measured(job, board)
        assert {spot.why for spot in left.spots} == {Why.CORNER}
        narrow = [
            Path.polyline([(0, 0), (60, 0), (60, 30), (34.5, 30), (34.5, 60), (30, 60), (30, 30), (0, 30)], closed=True)
        ]
        job2, board2, _ = board_with(*narrow, kind=PocketCut, sheet=SHEET, bit=straight_bit(6.0), end_depth=5.0)
        job2 = with_boards(replace(job2, bits=(*job2.bits, fine)), (board2,))
        _, (left2,) = measured(job2, board2)
        largest = left2.spots[0]
        assert (largest.why, largest.bit) == (Why.NARROW, "bit7")
        assert largest.share > 0.95
        assert largest.area == pytest.approx(4.5 * 30, rel=0.12)

    def test_where_no_bit_of_the_job_gets_one_that_would_is_named(self):
        arm = Path.polyline(
            [(0, 0), (40, 0), (40, 20), (21.5, 20), (21.5, 50), (20, 50), (20, 20), (0, 20)], closed=True
        )
        job, board, _ = board_with(arm, kind=PocketCut, sheet=SHEET, bit=straight_bit(6.0), end_depth=3.0)
        _, (left,) = measured(job, board)
        assert left.spots[0].bit is None
        assert 0.8 <= left.spots[0].needs <= 1.5

    def test_ridges_under_a_ball(self):
        ball = Bit(id=BitId("bit1"), name="ball", kind=BitKind.BALL, diameter=8, cutting_length=20)
        job, board, _ = board_with(
            Path.rectangle(0, 0, 50, 40),
            kind=PocketCut,
            sheet=SHEET,
            bit=ball,
            end_depth=6.0,
            run=Overrides(stepover=0.6),
        )
        _, (left,) = measured(job, board)
        ridge = 4 - np.sqrt(16 - 2.4**2)
        assert {s.why for s in left.spots} == {Why.RIDGE}
        floor = [s for s in left.spots if s.height < 5.0]  # the rest is the round foot of the walls
        assert (
            0.9 * ridge <= max(s.height for s in floor) <= 1.6 * ridge
        )  # loops turn corners, where they lie farther apart

    def test_what_a_clamp_keeps(self):
        job, board, _ = board_with(Path.rectangle(0, 0, 90, 60), kind=PocketCut, sheet=SHEET, end_depth=4.0)
        clamped = replace(board, fixtures=(Fixture(x=80, y=65, width=20, height=14, rise=15),))
        job = with_boards(job, (clamped,))
        _, left = measured(job, job.boards[0])
        spot = left[0].spots[0]
        assert spot.why is Why.CLAMP
        assert 20 * 14 < spot.area < 46 * 40
        assert spot.bit is None

    def test_profiles_count_on_the_side_that_falls_away(self):
        notched = Path.polyline(
            [(0, 0), (60, 0), (60, 40), (33, 40), (33, 25), (29, 25), (29, 40), (0, 40)], closed=True
        )
        job, board, _ = board_with(
            notched, kind=ProfileCut, sheet=SHEET, side=Side.OUTSIDE, goes_through=True, end_depth=0.0
        )
        _, (left,) = measured(job, board)
        assert left.count == 1  # the notch is narrower than the bit; all around it the bit goes
        assert left.area == pytest.approx(4 * 15, rel=0.15)
        inside, there, _ = board_with(
            Path.rectangle(0, 0, 50, 40),
            kind=ProfileCut,
            sheet=SHEET,
            side=Side.INSIDE,
            goes_through=True,
            end_depth=0.0,
        )
        _, (corners,) = measured(inside, there)
        assert corners.count == 4
        assert corners.area == pytest.approx(4 * (1 - np.pi / 4) * 9, rel=0.45)


class TestNothing:
    @pytest.mark.parametrize(
        ("kind", "path", "fields"),
        [
            (PocketCut, Path.circle((0, 0), 20), {}),
            (PocketCut, Path.circle((0, 0), 20), {"wall_allowance": 0.5, "floor_allowance": 0.4}),
            (HoleCut, Path.circle((0, 0), 6), {"goes_through": True, "end_depth": 0.0}),
            (ProfileCut, Path.circle((0, 0), 30), {"goes_through": True, "end_depth": 0.0, "tabs": Tabs(count=4)}),
            (ProfileCut, blob(4, 30), {"goes_through": True, "end_depth": 0.0, "finish": 0.3, "skin": 0.4}),
            (FacingCut, Path.circle((0, 0), 30), {"end_depth": 1.0, "shapes": ()}),
        ],
    )  # fmt: skip
    def test_is_left_but_what_is_meant_to(self, kind, path, fields):
        job, board, _ = board_with(path, kind=kind, sheet=SHEET, **fields)
        _, left = measured(job, board)
        assert left == ()

    def test_a_carving_comes_out_whole_to_its_corners(self):
        vee = Bit(
            id=BitId("bit1"), name="vee", kind=BitKind.VEE, diameter=30, angle=60, tip_flat=0.1, cutting_length=25
        )
        job, board, _ = board_with(star(6, 25, 12), kind=CarveCut, sheet=SHEET, bit=vee, end_depth=0.0)
        _, left = measured(job, board)
        assert left == ()


def vee(diameter, angle, flat=0.0, name="bit1"):
    return Bit(
        id=BitId(name), name=name, kind=BitKind.VEE, diameter=diameter, angle=angle, tip_flat=flat, cutting_length=25
    )


def ball(diameter, name="bit1"):
    return Bit(id=BitId(name), name=name, kind=BitKind.BALL, diameter=diameter, cutting_length=20)


def carved(*paths, bit, others=(), **fields):
    job, board, _ = board_with(*paths, kind=CarveCut, sheet=SHEET, bit=bit, **({"end_depth": 0.0} | fields))
    job = with_boards(replace(job, bits=(*job.bits, *others)), (board,))
    return board, measured(job, job.boards[0])[1]


class TestCarvings:
    @pytest.mark.parametrize("width", [0.5, 0.9, 1.0])
    def test_a_stroke_narrower_than_the_flat_stands_whole_and_a_finer_tip_is_named(self, width):
        others = (vee(30, 60, 0.2, "fine"), vee(30, 90, 0.0, "other angle"), vee(30, 60, 1.4, "blunter"))
        _, (left,) = carved(Path.rectangle(0, 0, 40, width), bit=vee(30, 60, 1.0), others=others)
        spot = left.spots[0]
        assert (spot.why, spot.bit) == (Why.NARROW, "fine")
        assert spot.height == pytest.approx(width / 2 / np.tan(np.pi / 6), abs=0.12)
        # lower than can be told it stands nowhere but beside the outline
        assert 40 * (width - 0.4) <= left.area <= 40 * width

    def test_points_a_flat_does_not_get_into(self):
        board, (left,) = carved(star(6, 25, 12), bit=vee(40, 60, 1.0), others=(vee(40, 60, 0.0, "sharp"),))
        area = area_of(board)
        missed = area.difference(area.buffer(-0.5, quad_segs=32).buffer(0.501, quad_segs=32))
        assert left.count == 6
        assert {spot.why for spot in left.spots} == {Why.CORNER}
        assert {spot.bit for spot in left.spots} == {"sharp"}
        for spot in left.spots:
            assert shapely.dwithin(missed, shapely.points(spot.at), 0.1)
        assert 0.4 * missed.area < left.area < 1.2 * missed.area

    def test_the_middle_of_strokes_wider_than_the_bit_and_the_bit_that_is_wide_enough(self):
        others = (vee(16, 90, 0.0, "still too small"), vee(24, 90, 0.0, "wide"), vee(40, 90, 0.0, "wider"))
        board, (left,) = carved(Path.rectangle(0, 0, 40, 20), bit=vee(10, 90), others=others)
        (spot,) = left.spots
        assert (spot.why, spot.bit) == (Why.WIDE, "wide")
        assert spot.height == pytest.approx(10.0 - 5.0, abs=0.1)
        assert left.area == pytest.approx(area_of(board).buffer(-5.0, join_style="mitre").area, rel=0.03)

    @pytest.mark.parametrize("bit", [vee(32, 90, 0.2), vee(32, 60, 0.0)])
    def test_a_limit_leaves_a_floor_and_no_more(self, bit):
        assert carved(Path.rectangle(0, 0, 40, 20), bit=bit, end_depth=4.0)[1] == ()

    @pytest.mark.parametrize("path", [Path.rectangle(0, 0, 60, 5), Path.circle((0, 0), 3.4), star(5, 7, 3)])
    def test_a_ball_in_strokes_it_serves_leaves_nothing(self, path):
        assert carved(path, bit=ball(8))[1] == ()

    def test_a_ball_in_strokes_too_wide_leaves_their_middle(self):
        _, (left,) = carved(Path.rectangle(0, 0, 60, 12), bit=ball(8), others=(ball(16, "larger"), ball(10, "hardly")))
        (spot,) = left.spots
        assert (spot.why, spot.bit) == (Why.WIDE, "larger")
        served = 4 - np.sqrt(16 - 3.6**2)  # of its radius a ball carves to nine tenths
        assert spot.height == pytest.approx(4 - served, abs=0.1)
        assert 0.75 * 52.8 * 4.8 < spot.area < 1.1 * 52.8 * 4.8

    def test_a_floor_a_ball_leaves_in_ridges(self):
        _, left = carved(Path.rectangle(0, 0, 60, 20), bit=ball(8), end_depth=2.0, cusp=0.3)
        (one,) = left
        assert {spot.why for spot in one.spots} == {Why.RIDGE}
        assert 0.15 <= one.height <= 0.4


class TestWaste:
    def both(self, *, side, inner, through=True):
        """A pocket whose corners a round bit leaves, and a second outline cut within it or around its corner."""
        job, board, cut = board_with(Path.rectangle(0, 0, 60, 40), inner, kind=PocketCut, sheet=SHEET, end_depth=3.0)
        (shape,) = board.shapes
        ground = replace(shape, id="ground", paths=shape.paths[:1])
        part = replace(shape, id="part", paths=shape.paths[1:])
        outline = ProfileCut(
            id="cut9", name="Outline", bit=cut.bit, shapes=("part",), side=side, goes_through=through, end_depth=0.0 if through else 2.0,
        )  # fmt: skip
        board = replace(board, shapes=(ground, part), cuts=(replace(cut, shapes=("ground",)), outline))
        job = with_boards(job, (board,))
        return {one.cut: one for one in measured(job, job.boards[0])[1]}

    def test_corners_of_a_ground_that_fall_away_with_the_frame(self):
        inner = Path.rectangle(10, 10, 40, 20)
        assert "cut1" not in self.both(side=Side.OUTSIDE, inner=inner)
        stays = self.both(side=Side.OUTSIDE, inner=inner, through=False)
        assert stays["cut1"].count == 4

    def test_corners_that_fall_out_of_an_opening(self):
        left = self.both(side=Side.INSIDE, inner=Path.rectangle(40, -15, 80, 70))
        assert left["cut1"].count == 2
        assert all(spot.at[0] < 80 for spot in left["cut1"].spots)

    def test_a_plate_cut_out_inside_its_frame_is_the_part(self):
        """Ground worked wholly inside the opening: its own corners count, those of the frame do not."""
        left = self.both(side=Side.INSIDE, inner=Path.rectangle(-20, -20, 100, 80))
        assert left["cut1"].count == 4
        assert "cut9" not in left
        alone, there, _ = board_with(Path.rectangle(0, 0, 50, 40), kind=ProfileCut, sheet=SHEET, side=Side.INSIDE, goes_through=True, end_depth=0.0)  # fmt: skip
        assert measured(alone, there)[1][0].count == 4

    def test_only_what_reaches_over_the_edge_of_the_part_is_not_counted(self):
        left = self.both(side=Side.OUTSIDE, inner=Path.rectangle(20, -15, 60, 70))
        assert left["cut1"].count == 2
        assert all(spot.at[0] > 80 for spot in left["cut1"].spots)

    def test_a_part_that_only_touches_takes_nothing_from_it(self):
        left = self.both(side=Side.OUTSIDE, inner=Path.rectangle(20, 40, 20, 30))
        assert left["cut1"].count == 4


def test_a_missing_wide_place_is_told_as_passed():
    """A pocket of which a stretch is simply not in the run, as no planner of ours would leave it."""
    job, board, _ = board_with(Path.rectangle(0, 0, 80, 40), kind=PocketCut, sheet=SHEET, end_depth=4.0)
    plan = plan_board(job, board, {})
    run = plan.run
    high = run.xyz.copy()
    high[int(0.35 * len(high)) :, 2] = 5.0
    broken = replace(plan, run=replace(run, xyz=high))
    (left,) = standing_of(job, board, broken)
    assert left.spots[0].why is Why.PASSED
    assert left.area > 500


@pytest.mark.parametrize("box", [(20.0, 20.0, 60.0, 60.0), (0.0, 0.0, 160.0, 130.0), (150.0, 5.0, 170.0, 30.0)])
def test_the_finished_stock_in_parts_is_that_of_the_timeline(box):
    job, board, _ = board_with(star(5, 45, 20), kind=PocketCut, sheet=SHEET, end_depth=7.0)
    plan = plan_board(job, board, {})
    grid = part(SHEET, box, 0.5)
    timeline = StockTimeline(SHEET, plan.run, job.bits, cell=0.5, grid=grid)
    timeline.seek(timeline.duration)
    there = StockParts(SHEET, plan.run, job.bits, chord_tolerance_mm=0.5 / 20).field(grid)
    assert np.abs(there - timeline.field).max() < 1e-5
