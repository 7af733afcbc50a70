"""Boards at the edge of what there is: huge with a hair of a bit, paper thin, a run of a million moves, nothing to cut."""

from __future__ import annotations

import numpy as np
import pytest

from archimetra.engine.messages import CloserRequest, MomentRequest, TiltRequest
from archimetra.engine.moments import moment_at, surroundings, visits
from archimetra.engine.planning import plan_board
from archimetra.engine.standing import standing_of
from archimetra.engine.tilting import chain_of
from archimetra.geometry.path import Path
from archimetra.job.cuts.engrave import EngraveCut
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.job import with_boards
from archimetra.job.sheet import Sheet
from archimetra.stock.grid import MOST_CELLS
from archimetra.stock.timeline import StockTimeline
from archimetra.stock.viewpoint import Around, fitting
from archimetra.toolpath.shared.moves import Move
from cutting_board import board_with
from shades import channels
from shapes import replace, star, straight_bit


def pictures(job, board, plan) -> list[np.ndarray]:
    """From above, from the side, turned over and close up, at the end of the run."""
    chain = chain_of(job, board, plan)
    assert chain.grid.shape[0] * chain.grid.shape[1] <= MOST_CELLS
    chain.seek(plan.times.total)
    levels = [
        np.zeros((max(chain.grid.shape[0] >> k, 1), max(chain.grid.shape[1] >> k, 1)), np.uint32) for k in range(4)
    ]
    chain.paint(levels, chain.grid.all)
    view, size = fitting(board.sheet, 30.0, 40.0, (160, 90)), (160, 90)
    around = surroundings(job, board, plan, 0.0, bed_colour="#CFC6B2")
    tilted = [
        chain.tilted(TiltRequest(0, view, size, fine, around, 0xFF000000, over), levels)
        for fine in (True, False)
        for over in (True, False)
    ]
    heights, hollow, _ = chain.section(MomentRequest(plan.times.total, ((0.0, 1.0), (board.sheet.width, 1.0)), 50))
    assert np.isfinite(heights).all()
    assert hollow.shape == (2, 50)
    w, h = board.sheet.width, board.sheet.height
    _, close = chain.closer(CloserRequest(0, (w / 2, h / 2, w / 2 + min(w, 20.0) / 2, h / 2 + min(h, 10.0) / 2), 0.05))
    return [levels[0], levels[3], close, *tilted]


@pytest.mark.parametrize(
    ("sheet", "bit", "depth"),
    [
        (Sheet(width=3000, height=2000, readings=(18.0,)), straight_bit(0.5, cutting_length=3.0), 1.0),
        (Sheet(width=120, height=80, readings=(0.4,)), straight_bit(1.0), 0.2),
        (Sheet(width=4, height=3, readings=(60.0,)), straight_bit(0.3, cutting_length=2.0), 0.3),
        (Sheet(width=1500, height=12, readings=(3.0,)), straight_bit(3.0), 1.0),
    ],
)  # fmt: skip
def test_there_is_a_picture_of_it(sheet, bit, depth):
    size = min(sheet.width, sheet.height) / 3
    job, board, _ = board_with(star(5, size, size / 2), kind=PocketCut, sheet=sheet, bit=bit, end_depth=depth)
    plan = plan_board(job, board, {})
    for picture in pictures(job, board, plan):
        assert picture.size > 0
        assert (picture >> 24 == 255).all()
    assert channels(pictures(job, board, plan)[3]).std() > 5
    standing_of(job, board, plan)


def test_a_groove_finer_than_the_cells_is_seen_closely():
    """On 3 x 2 m the cells are three times as wide as the bit; looked at closely the groove has its width."""
    sheet = Sheet(width=3000, height=2000, readings=(18.0,))
    line = Path.polyline([(0, 0), (600, 0.0)], closed=False)
    job, board, _ = board_with(
        line, kind=EngraveCut, sheet=sheet, bit=straight_bit(0.5, cutting_length=3.0), end_depth=1.0
    )
    plan = plan_board(job, board, {})
    chain = chain_of(job, board, plan)
    chain.seek(plan.times.total)
    assert chain.grid.cell > 1.0
    y = float(board.shapes[0].placed()[0].nodes[0][1])
    grid, close = chain.closer(CloserRequest(0, (1500.0, y - 5, 1520.0, y + 5), 0.05))
    column = channels(close)[:, grid.shape[1] // 2].mean(axis=1)
    dark = np.abs(column - np.median(column)) > 12
    assert 0.3 <= dark.sum() * 0.05 <= 3.5


def test_a_million_moves():
    job, board, _ = board_with(
        Path.circle((0, 0), 60), kind=PocketCut, sheet=Sheet(width=200, height=200, readings=(18.0,)), end_depth=3.0
    )
    plan = plan_board(job, board, {})
    n = 1_000_000
    angle = np.linspace(0, 2 * np.pi * 4000, n)
    radius = np.linspace(2, 55, n)
    run = plan.run
    spiral = np.column_stack((100 + radius * np.cos(angle), 100 + radius * np.sin(angle), np.full(n, -2.0)))
    many = replace(
        run, xyz=spiral, kind=np.full(n, Move.LINE, run.kind.dtype), centre=np.zeros((n, 2)), feed=np.full(n, 1000.0), role=np.zeros(n, run.role.dtype),
        pass_no=np.ones(n, run.pass_no.dtype), block=np.zeros(n, run.block.dtype), blocks=(replace(run.blocks[0], first=0, last=n),),
    )  # fmt: skip
    stock = StockTimeline(board.sheet, many, job.bits, cell=0.4)
    stock.seek(n / 2)
    assert (stock.field < -1.9).mean() == pytest.approx(np.pi * 31.5**2 / 200**2, rel=0.05)
    times = replace(plan.times, ends=np.arange(n, dtype=float), pauses=np.zeros(n))
    found = visits(job, replace(plan, run=many, times=times), (100.0, 100.0))
    assert len(found) == 1


def test_a_board_with_nothing_to_cut():
    job, board, _ = board_with(star(), kind=PocketCut)
    empty = replace(board, shapes=(), cuts=())
    job = with_boards(job, (empty,))
    board = job.boards[0]
    plan = plan_board(job, board, {})
    for picture in pictures(job, board, plan):
        assert (picture >> 24 == 255).all()
    assert standing_of(job, board, plan) == ()
    assert visits(job, plan, (10.0, 10.0)) == []
    assert moment_at(job, plan, (10.0, 10.0), "cut1") is None
    assert surroundings(job, board, plan, 0.0, bed_colour="#CFC6B2").bit is None
    assert Around().bed is None
