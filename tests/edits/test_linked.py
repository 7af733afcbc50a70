"""Rows, rings and copies along a line that follow: pieces of a part, lying where plain copies would, changed together."""

from __future__ import annotations

import pytest

from archimetra.edits import parting, repeating
from archimetra.edits.finishing import finish_edit
from archimetra.edits.repeating import Rows
from archimetra.geometry.path import Path
from archimetra.job.flat import base_of
from archimetra.job.ids import ShapeId
from archimetra.job.job import with_boards
from archimetra.job.shapes import Shape
from edits.test_parting import bracket_job
from shapes import replace

PLATE = [ShapeId("shape1"), ShapeId("shape2"), ShapeId("shape3")]
STAR = [ShapeId("shape4")]


def in_rows(job, ids, **how):
    return repeating.rows_and_columns(job, job.boards[0].id, ids, Rows(3, 2, 12.0, 8.0, is_gap=True), **how)


def in_ring(job, ids, **how):
    return repeating.ring(job, job.boards[0].id, ids, count=5, centre=(300.0, 200.0), **how)


def along(job, ids, **how):
    line = Path.polyline([(50, 50), (500, 60), (500, 300)], closed=False)
    return repeating.along_path(job, job.boards[0].id, ids, line, count=4, **how)


def boxes(board, names) -> list[tuple[float, ...]]:
    found = [shape.bounds() for shape in board.shapes if shape.name in names]
    return sorted(tuple(round(v, 6) for v in box) for box in found)


@pytest.mark.parametrize("repeat", [in_rows, in_ring, along])
@pytest.mark.parametrize("ids", [PLATE, STAR])
def test_they_lie_where_plain_copies_would(repeat, ids):
    job = bracket_job()
    names = {shape.name for shape in job.boards[0].shapes if shape.id in ids}
    plain = finish_edit(job, repeat(job, ids)[0].job)
    edit, picked = repeat(job, ids, is_linked=True)
    linked = finish_edit(job, edit.job)
    assert boxes(plain.boards[0], names) == boxes(linked.boards[0], names)
    (part,) = linked.parts
    assert part.quantity == len(linked.boards[0].instances) == len(boxes(plain.boards[0], names)) // len(names)
    assert {base_of(id_) for id_ in picked} == set(ids)
    assert not plain.parts


def test_what_is_done_to_one_is_done_to_all_and_pieces_go_on_as_pieces():
    job = bracket_job()
    job = finish_edit(job, in_rows(job, STAR, is_linked=True)[0].job)
    job = finish_edit(
        job, in_ring(job, [s.id for s in job.boards[0].shapes if s.name == "star"][:1], is_linked=True)[0].job
    )
    assert len(job.parts) == 1
    assert len(job.boards[0].instances) == 6 + 4
    board = job.boards[0]

    def smaller(shape: Shape) -> Shape:
        return replace(shape, paths=(Path.circle((0.0, 0.0), 11.0),))

    first = next(shape for shape in board.shapes if shape.name == "star")
    changed = replace(board, shapes=tuple(smaller(s) if s is first else s for s in board.shapes))
    after = finish_edit(job, with_boards(job, (changed,)))
    sizes = {round(s.bounds()[2] - s.bounds()[0], 3) for s in after.boards[0].shapes if s.name == "star"}
    assert sizes == {22.0}


def test_an_open_line_cannot_be_linked_and_says_why():
    job = bracket_job()
    board = job.boards[0]
    line = replace(
        board.shapes[0], id=ShapeId("shape9"), name="line", paths=(Path.polyline([(0, 0), (9, 9)], closed=False),)
    )
    job = finish_edit(job, with_boards(job, (replace(board, shapes=(*board.shapes, line)),)))
    with pytest.raises(ValueError, match="closed outline"):
        in_rows(job, [line.id], is_linked=True)


def test_a_larger_quantity_that_was_wanted_stays():
    job = bracket_job()
    edit, (part,) = parting.make_parts(job, job.boards[0].id, STAR)
    job = finish_edit(job, parting.change_part(edit.job, part, quantity=40).job)
    star = next(shape.id for shape in job.boards[0].shapes if shape.name == "star")
    job = finish_edit(job, in_rows(job, [star], is_linked=True)[0].job)
    assert job.part(part).quantity == 40
