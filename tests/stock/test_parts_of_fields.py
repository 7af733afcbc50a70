"""A part of a sheet in a field of its own is what the whole field holds there; what is hollow in it is what the exact section says."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from archimetra.engine.messages import CloserRequest, TiltRequest
from archimetra.engine.planning import plan_board
from archimetra.engine.tilting import chain_of
from archimetra.geometry.path import Path
from archimetra.job.bits import Bit, BitKind
from archimetra.job.cut_parts import Side, Tabs
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.cuts.slot import SlotCut
from archimetra.job.ids import BitId, CutId, ShapeId
from archimetra.job.job import with_boards
from archimetra.job.sheet import Sheet
from archimetra.stock.grid import part
from archimetra.stock.timeline import StockTimeline
from archimetra.stock.viewpoint import Around, fitting
from cutting_board import area_of, board_with
from shades import channels
from shapes import replace

SHEET = Sheet(width=120, height=90, readings=(18.0,))
DOVETAIL = Bit(
    id=BitId("bit1"),
    name="dovetail",
    kind=BitKind.DOVETAIL,
    diameter=14,
    neck=7,
    head_height=8,
    cutting_length=12,
    angle=47,
)
TEE = Bit(id=BitId("bit1"), name="tee", kind=BitKind.TEE_SLOT, diameter=16, neck=7, head_height=5, cutting_length=12)


def pocketed():
    art = Path.circle((55, 40), 22)
    job, board, _ = board_with(art, kind=PocketCut, sheet=SHEET, end_depth=6.0)
    return job, board, plan_board(job, board, {})


def slotted(bit: Bit):
    line = Path.polyline([(-12, 40), (132, 50)], closed=False)
    job, board, _ = board_with(line, kind=SlotCut, sheet=SHEET, bit=bit, end_depth=9.0)
    plan = plan_board(job, board, {})
    assert len(plan.run)
    return job, board, plan


@pytest.mark.parametrize(
    "box", [(30.0, 20.0, 60.0, 45.0), (-10.0, -10.0, 20.0, 300.0), (119.9, 89.9, 120.0, 90.0), (50.1, 33.3, 50.2, 33.4)]
)
@pytest.mark.parametrize("share", [0.3, 1.0])
def test_a_part_is_what_the_whole_holds_there(box, share):
    job, _, plan = pocketed()
    all_of_it = StockTimeline(SHEET, plan.run, job.bits, cell=0.5, times=plan.times.ends)
    grid = part(SHEET, box, 0.5)
    close = StockTimeline(SHEET, plan.run, job.bits, cell=0.5, grid=grid, times=plan.times.ends)
    for stock in (all_of_it, close):
        stock.seek(share * plan.times.total)
    j, i = round(grid.y0 / 0.5), round(grid.x0 / 0.5)
    ny, nx = grid.shape
    assert np.abs(all_of_it.field[j : j + ny, i : i + nx] - close.field).max() < 1e-5


@pytest.mark.parametrize("bit", [DOVETAIL, TEE], ids=["dovetail", "tee"])
def test_what_is_hollow_in_the_field_is_what_the_exact_section_says(bit):
    job, _, plan = slotted(bit)
    stock = StockTimeline(SHEET, plan.run, job.bits, cell=0.5, times=plan.times.ends)
    stock.seek(stock.duration)
    assert stock.has_undercuts
    hollow = stock.hollow_field()
    column = 100
    x = (column + 0.5) * 0.5
    _, exact = stock.hollow_section((x, 0.25), (x, 89.75), stock.duration, samples=180)
    here = hollow[:, :, column]
    is_open, is_exact = np.isfinite(here[0]), np.isfinite(exact[0])
    assert is_exact.sum() > 8
    assert (is_open ^ is_exact).sum() <= 2  # at the edges a cell may fall to either side
    both = is_open & is_exact
    assert np.abs(here[:, both] - exact[:, both]).max() < 0.01


def test_hollows_darken_walls_that_show_them():
    job, board, plan = slotted(TEE)
    chain = chain_of(job, board, plan, cell=0.25)
    chain.seek(plan.times.total)
    painted = np.empty(chain.grid.shape, np.uint32)
    chain.paint([painted], chain.grid.all)
    view = fitting(SHEET, 90.0, 12.0, (500, 200))
    with_hollow = chain.tilted(TiltRequest(0, view, (500, 200), False, Around(), 0), [painted])
    chain._hollow = (chain._changes, np.zeros((2, 0, 0), np.float32))
    without = chain.tilted(TiltRequest(0, view, (500, 200), False, Around(), 0), [painted])
    assert (with_hollow != without).sum() > 20


class TestChains:
    def test_a_closer_look_is_the_same_wood_in_finer_cells(self):
        job, board, plan = pocketed()
        chain = chain_of(job, board, plan, cell=0.5)
        chain.seek(plan.times.total)
        painted = np.empty(chain.grid.shape, np.uint32)
        chain.paint([painted], chain.grid.all)
        grid, close = chain.closer(CloserRequest(0, (40.0, 30.0, 60.0, 50.0), 0.1))
        assert grid.extent == pytest.approx((40.0, 30.0, 60.0, 50.0))
        assert close.shape == (200, 200)
        # its mean over each coarse cell is the colour that cell has, but at walls
        means = channels(close).reshape(40, 5, 40, 5, 3).mean(axis=(1, 3))
        coarse = channels(painted)[chain.grid.shape[0] - 100 : chain.grid.shape[0] - 60, 80:120]
        assert np.median(np.abs(means - coarse)) < 4

    def test_turned_over_only_what_goes_through_shows(self):
        job, board, plan = pocketed()
        chain = chain_of(job, board, plan, cell=0.5)
        chain.seek(plan.times.total)
        assert chain._turned_over().field.max() == chain._turned_over().field.min() == 0.0
        art = (Path.circle((0, 0), 12), Path.circle((45, 15), 7))
        through, deep, _ = board_with(*art, kind=PocketCut, sheet=SHEET, end_depth=18.5)
        made = plan_board(through, deep, {})
        chain = chain_of(through, deep, made, cell=0.5)
        chain.seek(made.times.total)
        holes = chain._turned_over().field < -18.0
        y, x = (np.indices(holes.shape) + 0.5) * 0.5
        want = shapely.contains_xy(area_of(deep), SHEET.width - x, y)  # sideways about: left is right
        assert want.sum() > 500
        assert (holes ^ want).sum() < 0.05 * want.sum()


class TestOffcuts:
    def test_what_is_no_part_falls_away_once_all_is_cut_and_not_before(self):
        """A ring with a smaller disc in its opening: both are parts, what lies between and around is not."""
        ring = (Path.circle((0, 0), 40), Path.circle((0, 0), 25))
        job, board, _ = board_with(
            *ring, kind=ProfileCut, sheet=SHEET, side=Side.OUTSIDE, goes_through=True, end_depth=0.0, tabs=Tabs(count=2)
        )
        inner = replace(board.shapes[0], id=ShapeId("inner"), paths=(Path.circle((0, 0), 12),), form=None)
        second = replace(board.cuts[0], id=CutId("cut9"), shapes=(inner.id,))
        board = replace(board, shapes=(*board.shapes, inner), cuts=(second, *board.cuts))
        job = with_boards(job, (board,))
        board = job.boards[0]
        plan = plan_board(job, board, {})
        parts = shapely.from_wkb(plan.parts)
        assert parts.area == pytest.approx(np.pi * (40**2 - 25**2 + 12**2), rel=0.002)
        chain = chain_of(job, board, plan, cell=0.5)
        chain.seek(0.5 * plan.times.total, drops_offcuts=True)
        assert np.array_equal(chain.field, chain.timeline.field)
        assert chain.seek(plan.times.total, drops_offcuts=True) == chain.grid.all
        y, x = (np.indices(chain.grid.shape) + 0.5) * 0.5
        stands = chain.field > -17.0
        assert (stands ^ shapely.contains_xy(parts, x, y)).mean() < 0.002
        assert chain.seek(plan.times.total, drops_offcuts=False) == chain.grid.all
        assert np.array_equal(chain.field, chain.timeline.field)

    def test_where_nothing_is_cut_out_nothing_falls(self):
        job, board, plan = pocketed()
        assert plan.parts == b""
        chain = chain_of(job, board, plan, cell=0.5)
        chain.seek(plan.times.total, drops_offcuts=True)
        assert np.array_equal(chain.field, chain.timeline.field)
