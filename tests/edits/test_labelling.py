"""Names engraved on parts: on their own wood, on every piece however it lies, once, and where there is room."""

from __future__ import annotations

import pytest
import shapely
from shapely.geometry import Polygon

from archimetra.edits import parting
from archimetra.edits.finishing import finish_edit
from archimetra.edits.history import History
from archimetra.edits.labelling import CUT_NAME, DEPTH_MM, SMALLEST_MM, engrave_names
from archimetra.engine.planning import plan_board
from archimetra.geometry.affine import Affine
from archimetra.geometry.path import Path
from archimetra.job.file import decode_job, encode_job
from archimetra.job.flat import base_of
from archimetra.job.ids import ShapeId
from archimetra.job.job import with_boards
from cutting_board import swept
from edits.test_parting import bracket_job
from shapes import replace


@pytest.fixture
def job():
    """A plate with a hole and a slot, twice, once turned; a star."""
    made = bracket_job()
    board = made.boards[0]
    edit, (plate, _) = parting.make_parts(made, board.id, [shape.id for shape in board.shapes])
    made = finish_edit(made, edit.job)
    first = made.boards[0].instances[0]
    edit, _ = parting.add_pieces(made, board.id, plate, [(first.x + 150.0, first.y + 90.0, 90.0, False)])
    return finish_edit(made, edit.job)


def labelled(job, which=None):
    edit, without = engrave_names(job, job.boards[0].id, [part.id for part in job.parts] if which is None else which)
    return finish_edit(job, edit.job), without


def labels(board):
    return [shape for shape in board.shapes if shape.name.startswith("name of ")]


def test_every_piece_bears_its_name_on_wood_nothing_else_is_done_on(job):
    after, without = labelled(job)
    board = after.boards[0]
    assert without == ()
    assert len(labels(board)) == len(board.instances) == 3
    assert len({base_of(shape.id) for shape in labels(board)}) == 2
    for piece in board.instances:
        own = [shape for shape in board.shapes if shape.group == piece.id]
        (name,) = [shape for shape in own if shape in labels(board)]
        words = shapely.union_all([shapely.linestrings(path.flatten(0.01)) for path in name.placed()])
        outlines = [Polygon(path.flatten(0.01)) for shape in own if shape is not name for path in shape.placed()]
        outer = max(outlines, key=lambda p: p.area)
        assert outer.buffer(-1.4).covers(words)
        assert all(words.distance(other) > 1.4 for other in outlines if other is not outer)


def test_it_is_engraved_shallow_and_cuts_nothing_else(job):
    after, _ = labelled(job)
    board = after.boards[0]
    plan = plan_board(after, board, {})
    cut = next(cut for cut in board.cuts if cut.name == CUT_NAME)
    path = next(p.toolpath for p in plan.cuts if p.toolpath.cut == cut.id)
    assert path.xyz[:, 2].min() == pytest.approx(-DEPTH_MM)
    assert set(path.pieces) == {piece.id for piece in board.instances}
    lines = shapely.union_all([shapely.linestrings(p.flatten(0.01)) for shape in labels(board) for p in shape.placed()])
    assert swept(path, 0.01, deeper_than=0.1).hausdorff_distance(lines) < 0.1
    before = [cut.id for cut in board.cuts]
    assert before.index(cut.id) < before.index(next(c.id for c in board.cuts if c.loosens is not None))


def test_asked_twice_it_is_there_once_and_new_parts_join_the_same_cut(job):
    one, _ = labelled(job, [job.parts[0].id])
    with pytest.raises(ValueError, match="already"):
        engrave_names(one, one.boards[0].id, [one.parts[0].id])
    both, _ = labelled(one)
    assert [cut.name for cut in both.cuts].count(CUT_NAME) == 1
    assert len(labels(both.boards[0])) == 3
    assert decode_job(encode_job(both), name="a.archimetra") == both


def test_a_part_without_room_is_named_and_the_others_get_theirs(job):
    board = job.boards[0]
    tiny = replace(
        board.shapes[0],
        id=ShapeId("shape90"),
        name="a washer",
        paths=(Path.circle((0, 0), 6.0),),
        group="",
        at=Affine.shift(300, 30),
    )
    small = finish_edit(job, with_boards(job, (replace(board, shapes=(*board.shapes, tiny)),)))
    small = finish_edit(small, parting.make_parts(small, board.id, [tiny.id])[0].job)
    after, without = labelled(small)
    assert without == ("a washer",)
    assert len(labels(after.boards[0])) == 3
    with pytest.raises(ValueError, match="no room for a name on 'a washer'"):
        engrave_names(after, board.id, [after.parts[-1].id])
    assert all(shape.form.cap_height >= SMALLEST_MM for shape in labels(after.boards[0]))


def test_undone_in_one_step_and_taken_off_like_any_shape(job):
    history = History(job)
    edit, _ = engrave_names(job, job.boards[0].id, [part.id for part in job.parts])
    history.apply(edit)
    history.undo()
    assert history.job == job
    after, _ = labelled(job)
    board = after.boards[0]
    gone = labels(board)[0]
    left = finish_edit(
        after, with_boards(after, (replace(board, shapes=tuple(s for s in board.shapes if s is not gone)),))
    )
    assert len(labels(left.boards[0])) == 3 - sum(base_of(s.id) == base_of(gone.id) for s in labels(board))
