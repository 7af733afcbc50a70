"""Pieces that would be cut into are told: just the bit's width apart they are not, a hair nearer they are; in an opening they may lie."""

from __future__ import annotations

import pytest
import shapely

from archimetra.edits import parting
from archimetra.edits.finishing import finish_edit, finished
from archimetra.engine.keys import lean_board, lean_job, plan_key
from archimetra.engine.planning import plan_board
from archimetra.geometry.path import Path
from archimetra.job.cut_parts import Side, Tabs
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.ids import ShapeId
from archimetra.job.job import with_boards
from archimetra.job.sheet import HoldDown, Sheet
from archimetra.layout.nest.stages import nest
from archimetra.layout.of_job import laid, nest_request
from cutting_board import board_with
from shapes import replace

SHEET = Sheet(width=600.0, height=400.0, readings=(12.0,), hold_down=HoldDown.TAPED)


def two_plates(x: float, y: float = 0.0, degrees: float = 0.0, *, opening: bool = False, is_on: bool = True):
    """A plate of 120 by 100 cut out with a 6 mm bit, and a second piece of it, moved; with an opening of 60 by 50 where asked."""
    job, board, cut = board_with(
        Path.rectangle(0, 0, 120, 100),
        kind=ProfileCut,
        sheet=SHEET,
        side=Side.OUTSIDE,
        goes_through=True,
        tabs=Tabs(count=2),
        is_on=is_on,
    )
    if opening:
        hole = replace(board.shapes[0], id=ShapeId("shape9"), name="opening", paths=(Path.rectangle(30, 25, 60, 50),))
        inside = replace(cut, id="cut9", name="Opening", side=Side.INSIDE, shapes=(hole.id,))
        job = with_boards(job, (replace(board, shapes=(*board.shapes, hole), cuts=(inside, *board.cuts)),))
    job = finished(job)
    edit, (part,) = parting.make_parts(job, board.id, [board.shapes[0].id])
    job = finish_edit(job, edit.job)
    first = job.boards[0].instances[0]
    edit, _ = parting.add_pieces(job, board.id, part, [(first.x + x, first.y + y, degrees, False)])
    return finish_edit(job, edit.job)


def told(job):
    board = job.boards[0]
    found = plan_board(job, board, {}).findings
    by_worker = plan_board(lean_job(job), lean_board(board), {}).findings
    assert [f.code for f in by_worker] == [f.code for f in found]  # a worker, which knows less, finds the same
    return [f for f in found if f.code == "pieces-touch"]


@pytest.mark.parametrize(("gap", "count"), [(-0.5, 1), (0.0, 1), (5.8, 1), (6.0, 0), (6.2, 0), (40.0, 0)])
@pytest.mark.parametrize("way", ["x", "y"])
def test_apart_by_the_bit_they_are_sound(gap, count, way):
    job = two_plates(120.0 + gap) if way == "x" else two_plates(0.0, 100.0 + gap)
    found = told(job)
    assert len(found) == count
    if count and gap > 0:
        assert f"{gap:.2f} mm beside" in found[0].sentence
        assert "6 mm wide" in found[0].sentence
    if gap < 0:
        assert "lies over" in found[0].sentence


def test_turned_and_far_and_not_cut():
    assert told(two_plates(193.0, 0.0, 45.0))
    assert not told(two_plates(200.0, 0.0, 45.0))
    off = two_plates(60.0, is_on=False)
    assert told(off)  # one over the other is wrong whatever is cut


def test_where_and_once_a_pair():
    (found,) = told(two_plates(123.0))
    x0 = 300 - 60
    assert shapely.box(x0 + 119, 100, x0 + 124, 300).contains(shapely.Point(found.at))


def test_a_nested_board_is_silent_openings_used():
    job = two_plates(130.0, opening=True)
    small, board, cut = board_with(Path.rectangle(0, 0, 30, 20), kind=ProfileCut, sheet=SHEET)
    del small, cut
    tiny = replace(board.shapes[0], id=ShapeId("shape20"), name="tile", layer=job.boards[0].layers[0].id)
    own = job.boards[0]
    cuts = tuple(replace(c, shapes=(*c.shapes, tiny.id)) if c.name == "Cut" else c for c in own.cuts)
    job = finish_edit(job, with_boards(job, (replace(own, shapes=(*own.shapes, tiny), cuts=cuts),)))
    edit, (tile,) = parting.make_parts(job, own.id, [tiny.id])
    job = finish_edit(job, parting.change_part(finish_edit(job, edit.job), tile, quantity=3).job)
    job = finish_edit(job, parting.change_part(job, job.parts[0].id, quantity=3).job)
    request, parts = nest_request(job, job.boards)
    nested = finish_edit(job, laid(job, [own.id], parts, nest(request, work=1e8)).job)
    assert len(nested.boards[0].instances) == 6
    assert told(nested) == []


def test_moving_a_piece_asks_for_a_new_look():
    job = two_plates(130.0)
    piece = job.boards[0].instances[1]
    moved = finish_edit(
        job,
        parting.lay_pieces(job, {job.boards[0].id: (job.boards[0].instances[0], replace(piece, x=piece.x - 9))}).job,
    )
    assert plan_key(job, job.boards[0]) != plan_key(moved, moved.boards[0])
    assert told(moved)
    assert not told(job)
