"""Shapes brought in line and spread out. A group moves as one; locked shapes stay where they are."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from enum import StrEnum

from archimetra.edits.edit import Edit, board_of
from archimetra.edits.layering import free_shapes
from archimetra.edits.placing import Box, map_each, map_shapes
from archimetra.geometry.affine import IDENTITY, Affine
from archimetra.job.ids import BoardId, ShapeId
from archimetra.job.job import Job
from archimetra.job.shapes import Shape, box_of


class Edge(StrEnum):
    """What is brought in line."""

    LEFT, CENTRE, RIGHT = "left", "centre", "right"
    FRONT, MIDDLE, BACK = "front", "middle", "back"


def _line_up(box: Box, to: Box, edge: Edge) -> tuple[float, float]:
    match edge:
        case Edge.LEFT:
            return to[0] - box[0], 0.0
        case Edge.RIGHT:
            return to[2] - box[2], 0.0
        case Edge.CENTRE:
            return (to[0] + to[2] - box[0] - box[2]) / 2, 0.0
        case Edge.FRONT:
            return 0.0, to[1] - box[1]
        case Edge.BACK:
            return 0.0, to[3] - box[3]
        case Edge.MIDDLE:
            return 0.0, (to[1] + to[3] - box[1] - box[3]) / 2


class AlignTo(StrEnum):
    SHEET = "the sheet"
    LAST = "the last picked"
    EACH_OTHER = "each other"


def align(job: Job, board_id: BoardId, ids: Sequence[ShapeId], edge: Edge, to: AlignTo) -> Edit:
    """Shapes brought in line; a group moves as one. To the sheet all move together as they lie."""
    board = board_of(job, board_id)
    shapes = free_shapes(board, ids)
    if not shapes:
        return Edit("Align", job)
    whole = box_of(shapes)
    assert whole is not None
    if to is AlignTo.SHEET:
        shift = Affine.shift(*_line_up(whole, (0.0, 0.0, board.sheet.width, board.sheet.height), edge))
        return map_shapes(job, board_id, ids, shift, label="Align")
    target, fixed = whole, ""
    if to is AlignTo.LAST:
        last = board.shape(ids[-1])
        if last is None:
            return Edit("Align", job)
        mine = [s for s in shapes if _unit(s) == _unit(last)] or [last]
        target, fixed = box_of(mine) or whole, _unit(last)
    moves: dict[ShapeId, Affine] = {}
    for unit, members in _units(shapes).items():
        box = box_of(members)
        if box is not None and unit != fixed:
            moves.update({s.id: Affine.shift(*_line_up(box, target, edge)) for s in members})
    return map_each(job, board_id, moves, lambda shape: moves.get(shape.id, IDENTITY), "Align")


def distribute(
    job: Job,
    board_id: BoardId,
    ids: Sequence[ShapeId],
    *,
    is_across: bool,
    gap: float | None = None,
    pitch: float | None = None,
) -> Edit:
    """Shapes spread out along one axis in the order they lie: by a gap between them, by a pitch from centre to centre, or
    with neither so that the gaps between the outer two are equal. The first stays."""
    units = list(_units(free_shapes(board_of(job, board_id), ids)).values())
    if len(units) < 2:
        return Edit("Distribute", job)
    a, b = (0, 2) if is_across else (1, 3)
    boxed = [(box, members) for members in units if (box := box_of(members)) is not None]
    boxed.sort(key=lambda row: row[0][a] + row[0][b])
    if gap is None and pitch is None:
        free = boxed[-1][0][b] - boxed[0][0][a] - sum(box[b] - box[a] for box, _ in boxed)
        gap = free / (len(boxed) - 1)
    moves: dict[ShapeId, Affine] = {}
    edge = boxed[0][0][b]
    centre = (boxed[0][0][a] + boxed[0][0][b]) / 2
    for box, members in boxed[1:]:
        if pitch is not None:
            centre += pitch
            by = centre - (box[a] + box[b]) / 2
        else:
            assert gap is not None
            by = edge + gap - box[a]
            edge = box[b] + by
        shift = Affine.shift(by, 0.0) if is_across else Affine.shift(0.0, by)
        moves.update({shape.id: shift for shape in members})
    return map_each(job, board_id, moves, lambda shape: moves.get(shape.id, IDENTITY), "Distribute")


def _unit(shape: Shape) -> str:
    return shape.group or shape.id


def _units(shapes: Iterable[Shape]) -> dict[str, list[Shape]]:
    """Shapes by group; one that is in none stands alone."""
    out: dict[str, list[Shape]] = {}
    for shape in shapes:
        out.setdefault(_unit(shape), []).append(shape)
    return out
