"""The stock of a sheet with an outline of its own: no wood where there is none, at any moment, in the field and in the section alike."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from archimetra.engine.planning import plan_board
from archimetra.geometry.path import Path
from archimetra.job.cut_parts import Tabs
from archimetra.job.cuts.facing import FacingCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.job import with_boards
from archimetra.job.sheet import Sheet, Zero, ZeroAt
from archimetra.stock.grid import grid_shape
from archimetra.stock.surface import touch_offs
from archimetra.stock.timeline import StockTimeline
from cutting_board import board_with
from shapes import replace

ELL = (Path.polyline([(0, 0), (200, 0), (200, 80), (100, 80), (100, 160), (0, 160)], closed=True),)
HOLED = (*ELL, Path.circle((40, 120), 20))
CELL = 0.5


def sheet_of(outline):
    return Sheet(width=200.0, height=160.0, readings=(9.0, 8.8), outline=outline)


def stock_of(outline, kind=ProfileCut, **fields):
    job, board, _ = board_with(Path.rectangle(0, 0, 60, 30), kind=kind, sheet=sheet_of(outline), **fields)
    moved = tuple(
        replace(s, at=replace(s.at, e=s.at.e - s.bounds()[0] + 20, f=s.at.f - s.bounds()[1] + 20)) for s in board.shapes
    )
    board = replace(board, shapes=moved)
    job = with_boards(job, (board,))
    board = job.boards[0]
    plan = plan_board(job, board, {})
    return job, board, plan, StockTimeline(board.sheet, plan.run, job.bits, cell=CELL, times=plan.times.ends)


def wood(outline):
    x, y = (np.arange(n) * CELL + CELL / 2 for n in (400, 320))
    return shapely.contains_xy(sheet_of(outline).region, *np.meshgrid(x, y))


@pytest.mark.parametrize("outline", [ELL, HOLED])
def test_there_is_wood_where_the_sheet_has_it_whenever_one_looks(outline):
    _, board, plan, stock = stock_of(outline, goes_through=True, tabs=Tabs(count=0))
    inside = wood(outline)
    assert stock.shape == grid_shape(board.sheet, CELL) == inside.shape
    end = stock.field.copy()
    for share in (0.0, 0.5, 0.1, 1.0, 0.0):
        stock.seek(share * plan.times.total + (1.0 if share == 1.0 else 0.0))
        assert (stock.field[~inside] < -9.0005).all()
        assert ((stock.field == 0) <= inside).all()
    assert (stock.field[inside] == 0).all()
    stock.seek(plan.times.total + 1)
    assert (stock.field == end).all()


@pytest.mark.parametrize("outline", [(), ELL, HOLED])
def test_the_section_agrees_with_the_field(outline):
    _, _, plan, stock = stock_of(outline, goes_through=True, tabs=Tabs(count=0))
    stock.seek(plan.times.total + 1)
    for a, b in (((0.0, 130.0), (200.0, 130.0)), ((-10.0, 40.0), (210.0, 40.0)), ((40.0, 0.0), (41.0, 160.0))):
        heights = stock.section(a, b, plan.times.total + 1, samples=801)
        places = np.linspace(a, b, 801)
        on = (places > (0.5, 0.5)).all(axis=1) & (places < (199.5, 159.5)).all(axis=1)
        cells = stock.field[(places[on, 1] / CELL).astype(int), (places[on, 0] / CELL).astype(int)]
        # walls are known to half a cell: almost all samples agree
        assert (np.abs(np.maximum(heights[on], -10.0) - np.maximum(cells, -10.0)) < 1e-3).mean() > 0.985


def test_the_whole_sheet_faced_is_faced_where_it_has_wood_and_run_past_at_every_edge():
    _, _, _, stock = stock_of(HOLED, kind=FacingCut, shapes=(), end_depth=0.5)
    inside = wood(HOLED)
    assert stock.field[inside].max() == pytest.approx(-0.5, abs=1e-3)


@pytest.mark.parametrize(
    ("at", "is_usual"),
    [(ZeroAt.FRONT_LEFT, True), (ZeroAt.BACK_RIGHT, False), (ZeroAt.FRONT_RIGHT, True), (ZeroAt.BACK, True)],
)
def test_z_is_touched_off_where_there_is_wood(at, is_usual):
    job, board, plan, _ = stock_of(ELL, goes_through=True)
    board = replace(board, zero=Zero(at=at))
    (off,) = touch_offs(board, plan.run, job.bits)
    assert off.is_usual is is_usual
    assert board.sheet.region.buffer(-9.9).covers(shapely.points(off.at))
