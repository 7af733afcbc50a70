"""A piece is cut like its part alone, whatever is cut on it: the stock under a second piece, turned a quarter, is that under the first. Stepped pockets,
drilled holes, keyhole slots, a V-carving with its floor cleared, and outlines."""

from __future__ import annotations

import numpy as np
import pytest

from archimetra.demo import quay_tide_clock
from archimetra.edits import cutting, parting, sheets
from archimetra.edits.basic import remove_board
from archimetra.edits.finishing import finish_edit
from archimetra.engine.planning import plan_board
from archimetra.geometry.affine import Affine
from archimetra.job.job import with_boards
from archimetra.stock.timeline import StockTimeline

CELL = 0.25


def with_two(name: str, *, piece_by_piece: bool = False):
    """The sample's board of that name made a part, and a second piece of it to the right, turned a quarter."""
    job = quay_tide_clock().job
    for board in job.boards:
        if board.name != name:
            job = finish_edit(job, remove_board(job, board.id).job)
    (board,) = job.boards
    outline = max(board.shapes, key=lambda s: s.bounds()[2] - s.bounds()[0])
    x0, y0, x1, y1 = outline.bounds()
    edit, (part,) = parting.make_parts(job, board.id, [outline.id])
    job = finish_edit(job, edit.job)
    first = job.boards[0].instances[0]
    # where the first lies, turned about the outline's middle and moved to the right
    middle = ((x0 + x1) / 2, (y0 + y1) / 2)
    there = first.at.then(Affine.turn(90.0, about=middle)).then(Affine.shift(board.sheet.width, 0.0))
    edit, _ = parting.add_pieces(job, board.id, part, [(there.e, there.f, first.degrees + 90.0, False)])
    job = finish_edit(job, edit.job)
    job = finish_edit(job, sheets.change_sheet(job, board.id, "", width=2 * board.sheet.width).job)
    if piece_by_piece:
        job = finish_edit(job, cutting.run_piece_by_piece(job, board.id).job)
    return job, middle, board.sheet.width


@pytest.mark.parametrize("name", ["Dial back", "Café stamp"])
@pytest.mark.parametrize("piece_by_piece", [False, True])
def test_the_second_piece_is_the_first_turned(name, piece_by_piece):
    job, (cx, cy), across = with_two(name, piece_by_piece=piece_by_piece)
    board = job.boards[0]
    plan = plan_board(job, board, {})
    stock = StockTimeline(board.sheet, plan.run, job.bits, cell=CELL)
    half = int(min(cx, cy, board.sheet.height - cy, across - cx) / CELL) - 4
    fields = []
    for x in (cx, cx + across):
        i, j = round(x / CELL), round(cy / CELL)
        fields.append(stock.field[j - half : j + half, i - half : i + half])
    one, other = np.rot90(fields[0], -1), fields[1]
    bottom = -board.sheet.thickest
    differs = np.abs(np.maximum(one, bottom) - np.maximum(other, bottom)) > 0.5
    # walls are known to half a cell, slopes to its rise, and tabs and the ways into the wood lie where the path round them begins
    assert differs.mean() < 0.02
    assert (np.minimum(one, other) < -0.5).mean() > 0.05
    changes = sum(block.changes_bit for block in plan.run.blocks)
    assert changes <= len({block.bit for block in plan.run.blocks}) * 2


def test_what_is_found_of_two_is_what_is_found_of_one():
    job, _, _ = with_two("Café stamp")
    one = finish_edit(job, with_boards(job, (only_first(job.boards[0]),)))
    told = [sorted({f.code for f in plan_board(j, j.boards[0], {}).findings}) for j in (one, job)]
    assert told[0] == told[1]


def only_first(board):
    from shapes import replace

    return replace(board, instances=board.instances[:1])
