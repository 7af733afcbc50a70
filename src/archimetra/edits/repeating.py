"""Copies of shapes: one, rows and columns, rings, along a line. Each edit comes with what to pick afterwards."""

from __future__ import annotations

from collections.abc import Sequence
from math import atan2, degrees, isfinite
from typing import NamedTuple

from archimetra.edits.copying import copies
from archimetra.edits.edit import Edit, board_of
from archimetra.edits.layering import free_shapes
from archimetra.edits.placing import Anchor, Point, anchor_point
from archimetra.geometry.affine import Affine
from archimetra.geometry.path import Path
from archimetra.job.flat import instance_of
from archimetra.job.ids import BoardId, ShapeId
from archimetra.job.job import Job
from archimetra.job.parts import laid
from archimetra.job.require import require
from archimetra.job.shapes import box_of

MOST_COPIES = 5_000


class Rows(NamedTuple):
    """Rows and columns: how many, and how far from one to the next, as a gap between boxes or a pitch."""

    columns: int
    rows: int
    across: float
    along: float
    is_gap: bool


def rows_and_columns(
    job: Job, board_id: BoardId, ids: Sequence[ShapeId], how: Rows, *, is_linked: bool = False
) -> tuple[Edit, tuple[ShapeId, ...]]:
    """The shapes and copies of them in rows and columns, to the right and to the back; ``is_linked``, as pieces of a part (see ``linked``)."""
    box = box_of(free_shapes(board_of(job, board_id), ids))
    if box is None:
        return Edit("Rows and columns", job), tuple(ids)
    require(how.columns >= 1 and how.rows >= 1, "there is at least one row and one column")
    require(how.columns * how.rows <= MOST_COPIES, f"a field has at most {MOST_COPIES} places")
    dx = how.across + (box[2] - box[0] if how.is_gap else 0.0)
    dy = how.along + (box[3] - box[1] if how.is_gap else 0.0)
    places = [Affine.shift(i * dx, j * dy) for j in range(how.rows) for i in range(how.columns) if i or j]
    return _repeated(job, board_id, ids, places, "Rows and columns", is_linked=is_linked)


def ring(
    job: Job,
    board_id: BoardId,
    ids: Sequence[ShapeId],
    *,
    count: int,
    centre: Point,
    sweep: float = 360.0,
    turns: bool = True,
    is_linked: bool = False,
) -> tuple[Edit, tuple[ShapeId, ...]]:
    """The shapes and copies of them about a centre: all round, or over a part of a turn with one at each end."""
    require(2 <= count <= MOST_COPIES, f"a ring has 2 to {MOST_COPIES} places")
    require(isfinite(sweep) and 0 < abs(sweep) <= 360, "a ring goes 0 to 360 degrees round")
    box = box_of(free_shapes(board_of(job, board_id), ids))
    if box is None:
        return Edit("Ring", job), tuple(ids)
    step = sweep / count if abs(sweep) == 360 else sweep / (count - 1)
    middle = anchor_point(box, Anchor.MIDDLE)
    places = []
    for k in range(1, count):
        turn = Affine.turn(k * step, about=centre)
        if turns:
            places.append(turn)
        else:
            x, y = turn.point(*middle)
            places.append(Affine.shift(x - middle[0], y - middle[1]))
    return _repeated(job, board_id, ids, places, "Ring", is_linked=is_linked)


def along_path(
    job: Job,
    board_id: BoardId,
    ids: Sequence[ShapeId],
    path: Path,
    *,
    count: int,
    turns: bool = True,
    is_linked: bool = False,
) -> tuple[Edit, tuple[ShapeId, ...]]:
    """Copies of the shapes with their middle on a path, evenly along it (an open one from end to end); the shapes
    themselves stay."""
    require(1 <= count <= MOST_COPIES, f"there are 1 to {MOST_COPIES} places along a line")
    box = box_of(free_shapes(board_of(job, board_id), ids))
    if box is None:
        return Edit("Along a line", job), tuple(ids)
    middle = anchor_point(box, Anchor.MIDDLE)
    total = path.length()
    places = []
    for k in range(count):
        share = k / count if path.closed else (k / (count - 1) if count > 1 else 0.5)
        point, way = path.point_at(share * total), path.direction_at(share * total)
        m = Affine.shift(-middle[0], -middle[1])
        if turns:
            m = m.then(Affine.turn(degrees(atan2(way[1], way[0]))))
        places.append(m.then(Affine.shift(float(point[0]), float(point[1]))))
    return _repeated(job, board_id, ids, places, "Along a line", is_linked=is_linked)


def linked(
    job: Job, board_id: BoardId, ids: Sequence[ShapeId], places: Sequence[Affine], label: str
) -> tuple[Edit, tuple[ShapeId, ...]]:
    """Copies that follow: the outlines with all that lies in them become parts, where they are no pieces yet, and more pieces of them are laid. As many are
    wanted as then lie. Raises ValueError with a sentence where no part can be made of them."""
    from archimetra.edits.parting import add_pieces, change_part, make_parts, pieces_picked  # not for a first window

    before = board_of(job, board_id)
    wanted = set(pieces_picked(before, ids))
    if not wanted:
        job = make_parts(job, board_id, ids)[0].job
        wanted = {piece.id for piece in board_of(job, board_id).instances} - {piece.id for piece in before.instances}
    sources = [piece for piece in board_of(job, board_id).instances if piece.id in wanted]
    for part in dict.fromkeys(piece.part for piece in sources):
        own = [piece for piece in sources if piece.part == part]
        spots = [laid(piece, piece.at.then(place)) for place in places for piece in own]
        require(all(spot is not None for spot in spots), "pieces of a part are only moved, turned and mirrored")
        more = [(spot.x, spot.y, spot.degrees, spot.mirrored) for spot in spots if spot is not None]
        job = add_pieces(job, board_id, part, more)[0].job
        lie = sum(piece.part == part for board in job.stored for piece in board.instances)
        known = job.part(part)
        if known is not None and known.quantity < lie:
            job = change_part(job, part, quantity=lie).job
    here = {piece.id for piece in sources}
    return Edit(label, job), tuple(s.id for s in board_of(job, board_id).shapes if instance_of(s.id) in here)


def _repeated(
    job: Job, board_id: BoardId, ids: Sequence[ShapeId], places: Sequence[Affine], label: str, *, is_linked: bool
) -> tuple[Edit, tuple[ShapeId, ...]]:
    make = linked if is_linked else copies
    return make(job, board_id, ids, places, label)


def duplicate(
    job: Job, board_id: BoardId, ids: Sequence[ShapeId], dx: float, dy: float
) -> tuple[Edit, tuple[ShapeId, ...]]:
    """One copy, shifted; the copy is what is returned to pick."""
    edit, every = copies(job, board_id, ids, [Affine.shift(dx, dy)], "Copy")
    before = set(ids)
    return edit, tuple(id_ for id_ in every if id_ not in before)
