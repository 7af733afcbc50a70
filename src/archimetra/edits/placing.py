"""Where shapes lie and how large they are: moved, sized, turned, mirrored, aligned, spread out, repeated.

Every edit leaves locked shapes where they are. Maps are in board coordinates. A drawn shape keeps its measures true: sizing
changes its numbers, not only its placement.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from enum import StrEnum
from math import atan2, degrees, hypot, isfinite
from typing import NamedTuple

from archimetra.edits.copying import copies
from archimetra.edits.edit import Edit, board_of, replace, with_board
from archimetra.edits.layering import free_shapes
from archimetra.geometry.affine import IDENTITY, Affine
from archimetra.geometry.path import Path
from archimetra.job.forms import RectangleForm, SlotForm, outlines_of, scaled_form
from archimetra.job.ids import BoardId, ShapeId
from archimetra.job.job import Board, Job
from archimetra.job.shapes import Shape
from archimetra.job.shapes import box_of as box_of

Box = tuple[float, float, float, float]
Point = tuple[float, float]
MOST_COPIES = 5_000


class Anchor(StrEnum):
    """The nine points of a box."""

    BACK_LEFT, BACK, BACK_RIGHT = "back left", "back", "back right"
    LEFT, MIDDLE, RIGHT = "left", "middle", "right"
    FRONT_LEFT, FRONT, FRONT_RIGHT = "front left", "front", "front right"


def anchor_point(box: Box, anchor: Anchor) -> Point:
    x0, y0, x1, y1 = box
    x = x0 if "left" in anchor else x1 if "right" in anchor else (x0 + x1) / 2
    y = y1 if "back" in anchor else y0 if "front" in anchor else (y0 + y1) / 2
    return x, y


# ---- moving, sizing, turning


def map_shapes(
    job: Job, board_id: BoardId, ids: Iterable[ShapeId], by: Affine, *, label: str = "Move", merge: str = ""
) -> Edit:
    """The named shapes mapped by ``by``."""
    return _map_each(job, board_id, ids, lambda _shape: by, label, merge)


def remove_shapes(job: Job, board_id: BoardId, ids: Iterable[ShapeId]) -> Edit:
    """Shapes removed from the board and from the cuts and measures that took them."""
    gone = {shape.id for shape in free_shapes(board_of(job, board_id), ids)}

    def change(board: Board) -> Board:
        kept = tuple(shape for shape in board.shapes if shape.id not in gone)
        cuts = tuple(replace(cut, shapes=tuple(id_ for id_ in cut.shapes if id_ not in gone)) for cut in board.cuts)
        measures = tuple(m for m in board.measures if not gone.intersection(m.shapes))
        return replace(board, shapes=kept, cuts=cuts, measures=measures)

    return Edit("Remove shapes", with_board(job, board_id, change))


def centre_shapes(job: Job, board_id: BoardId, ids: Iterable[ShapeId]) -> Edit:
    """The named shapes, as one, centred on the sheet."""
    board = board_of(job, board_id)
    box = box_of(free_shapes(board, ids))
    if box is None:
        return Edit("Centre on sheet", job)
    dx = (board.sheet.width - box[0] - box[2]) / 2
    dy = (board.sheet.height - box[1] - box[3]) / 2
    return map_shapes(job, board_id, ids, Affine.shift(dx, dy), label="Centre on sheet")


def move_to(
    job: Job, board_id: BoardId, ids: Sequence[ShapeId], anchor: Anchor, at: tuple[float | None, float | None]
) -> Edit:
    """The anchor of the box around the shapes brought to a place; None leaves that coordinate."""
    box = box_of(free_shapes(board_of(job, board_id), ids))
    if box is None:
        return Edit("Move", job)
    x, y = anchor_point(box, anchor)
    dx, dy = (0.0 if at[0] is None else at[0] - x), (0.0 if at[1] is None else at[1] - y)
    _need(all(isfinite(v) and abs(v) <= 100_000 for v in (dx, dy)), "a place is within 100 m")
    return map_shapes(job, board_id, ids, Affine.shift(dx, dy))


def size_to(
    job: Job,
    board_id: BoardId,
    ids: Sequence[ShapeId],
    anchor: Anchor,
    *,
    width: float | None = None,
    depth: float | None = None,
    keeps_ratio: bool = True,
    merge: str = "",
) -> Edit:
    """The box around the shapes made that wide or deep, its anchor staying. Raises ValueError with a sentence where
    there is no extent that way or the size is out of its limits."""
    box = box_of(free_shapes(board_of(job, board_id), ids))
    if box is None:
        return Edit("Size", job)
    w, d = box[2] - box[0], box[3] - box[1]
    factors: list[float | None] = []
    for size, wanted in ((w, width), (d, depth)):
        if wanted is None:
            factors.append(None)
            continue
        _need(isfinite(wanted) and 0.01 <= wanted <= 10_000, "a size is 0.01 to 10000 mm")
        _need(size > 1e-9, "there is no extent this way")
        factors.append(wanted / size)
    if keeps_ratio:
        only = next(f for f in factors if f is not None)
        factors = [only, only]
    sx, sy = (1.0 if f is None else f for f in factors)
    return map_shapes(
        job, board_id, ids, Affine.scale(sx, sy, about=anchor_point(box, anchor)), label="Size", merge=merge
    )


def turn_by(job: Job, board_id: BoardId, ids: Sequence[ShapeId], angle: float, about: Point | None = None) -> Edit:
    """Turned to the left by degrees, about a point or the middle of the box around the shapes."""
    _need(isfinite(angle) and abs(angle) <= 36_000, "an angle is within 36000 degrees")
    box = box_of(free_shapes(board_of(job, board_id), ids))
    if box is None:
        return Edit("Turn", job)
    centre = about or anchor_point(box, Anchor.MIDDLE)
    return map_shapes(job, board_id, ids, Affine.turn(angle, about=centre), label="Turn")


def turned(shape: Shape) -> float:
    """How far a shape has been turned to the left since it was drawn, in degrees from 0 to below 360."""
    a, b = shape.at.a, shape.at.b
    if shape.at.determinant < 0:
        a, b = -a, -b  # a mirrored shape reads from its other side
    angle = degrees(atan2(b, a)) % 360.0
    return 0.0 if angle > 360.0 - 1e-9 else angle


def turn_to(job: Job, board_id: BoardId, ids: Sequence[ShapeId], angle: float, about: Point | None = None) -> Edit:
    """Turned so that the first of the shapes stands at an angle, the others with it."""
    shapes = free_shapes(board_of(job, board_id), ids)
    if not shapes:
        return Edit("Turn", job)
    first = next((s for s in shapes if s.id == next(iter(ids))), shapes[0])
    return turn_by(job, board_id, ids, angle - turned(first), about)


def mirror(
    job: Job, board_id: BoardId, ids: Sequence[ShapeId], *, is_across: bool, as_copy: bool = False, gap: float = 0.0
) -> tuple[Edit, tuple[ShapeId, ...]]:
    """Mirrored left to right (``is_across``) or front to back: in place, or as a copy on the far side of the right (or
    back) edge with a gap. Returns what to pick."""
    board = board_of(job, board_id)
    box = box_of(free_shapes(board, ids))
    if box is None:
        return Edit("Mirror", job), tuple(ids)
    x0, y0, x1, y1 = box
    if not as_copy:
        about = ((x0 + x1) / 2, (y0 + y1) / 2)
        m = Affine.scale(-1.0, 1.0, about=about) if is_across else Affine.scale(1.0, -1.0, about=about)
        return map_shapes(job, board_id, ids, m, label="Mirror"), tuple(ids)
    about = (x1 + gap / 2, y1 + gap / 2)
    m = Affine.scale(-1.0, 1.0, about=about) if is_across else Affine.scale(1.0, -1.0, about=about)
    return copies(job, board_id, ids, [m], "Mirror as copy")


# ---- aligning and spreading


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
    return _map_each(job, board_id, moves, lambda shape: moves.get(shape.id, IDENTITY), "Align")


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
    return _map_each(job, board_id, moves, lambda shape: moves.get(shape.id, IDENTITY), "Distribute")


def _unit(shape: Shape) -> str:
    return shape.group or shape.id


def _units(shapes: Iterable[Shape]) -> dict[str, list[Shape]]:
    """Shapes by group; one that is in none stands alone."""
    out: dict[str, list[Shape]] = {}
    for shape in shapes:
        out.setdefault(_unit(shape), []).append(shape)
    return out


# ---- repeating


class Rows(NamedTuple):
    """Rows and columns: how many, and how far from one to the next, as a gap between boxes or a pitch."""

    columns: int
    rows: int
    across: float
    along: float
    is_gap: bool


def rows_and_columns(
    job: Job, board_id: BoardId, ids: Sequence[ShapeId], how: Rows
) -> tuple[Edit, tuple[ShapeId, ...]]:
    """The shapes and copies of them in rows and columns, to the right and to the back."""
    box = box_of(free_shapes(board_of(job, board_id), ids))
    if box is None:
        return Edit("Rows and columns", job), tuple(ids)
    _need(how.columns >= 1 and how.rows >= 1, "there is at least one row and one column")
    _need(how.columns * how.rows <= MOST_COPIES, f"a field has at most {MOST_COPIES} places")
    dx = how.across + (box[2] - box[0] if how.is_gap else 0.0)
    dy = how.along + (box[3] - box[1] if how.is_gap else 0.0)
    places = [Affine.shift(i * dx, j * dy) for j in range(how.rows) for i in range(how.columns) if i or j]
    return copies(job, board_id, ids, places, "Rows and columns")


def ring(
    job: Job,
    board_id: BoardId,
    ids: Sequence[ShapeId],
    *,
    count: int,
    centre: Point,
    sweep: float = 360.0,
    turns: bool = True,
) -> tuple[Edit, tuple[ShapeId, ...]]:
    """The shapes and copies of them about a centre: all round, or over a part of a turn with one at each end."""
    _need(2 <= count <= MOST_COPIES, f"a ring has 2 to {MOST_COPIES} places")
    _need(isfinite(sweep) and 0 < abs(sweep) <= 360, "a ring goes 0 to 360 degrees round")
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
    return copies(job, board_id, ids, places, "Ring")


def along_path(
    job: Job, board_id: BoardId, ids: Sequence[ShapeId], path: Path, *, count: int, turns: bool = True
) -> tuple[Edit, tuple[ShapeId, ...]]:
    """Copies of the shapes with their middle on a path, evenly along it (an open one from end to end); the shapes
    themselves stay."""
    _need(1 <= count <= MOST_COPIES, f"there are 1 to {MOST_COPIES} places along a line")
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
    return copies(job, board_id, ids, places, "Along a line")


def duplicate(
    job: Job, board_id: BoardId, ids: Sequence[ShapeId], dx: float, dy: float
) -> tuple[Edit, tuple[ShapeId, ...]]:
    """One copy, shifted; the copy is what is returned to pick."""
    edit, every = copies(job, board_id, ids, [Affine.shift(dx, dy)], "Copy")
    before = set(ids)
    return edit, tuple(id_ for id_ in every if id_ not in before)


# ---- inner workings


def _map_each(
    job: Job,
    board_id: BoardId,
    ids: Iterable[ShapeId],
    by: Callable[[Shape], Affine],
    label: str,
    merge: str = "",
) -> Edit:
    wanted = {shape.id for shape in free_shapes(board_of(job, board_id), ids)}

    def change(board: Board) -> Board:
        shapes = tuple(mapped(shape, by(shape)) if shape.id in wanted else shape for shape in board.shapes)
        return replace(board, shapes=shapes)

    return Edit(label, with_board(job, board_id, change), merge)


def mapped(shape: Shape, m: Affine) -> Shape:
    """One shape mapped. A drawn one takes a change of size into its measures, so that they stay what they say; where its
    form cannot follow (a polygon squeezed) it becomes a plain outline."""
    if m == IDENTITY:
        return shape
    at = shape.at.then(m)
    if shape.form is None:
        return replace(shape, at=at)
    sx, sy = hypot(at.a, at.b), hypot(at.c, at.d)
    if abs(sx - 1) < 1e-12 and abs(sy - 1) < 1e-12 and abs(at.a * at.c + at.b * at.d) < 1e-12:
        return replace(shape, at=at)
    is_square = abs(at.a * at.c + at.b * at.d) < 1e-9 * sx * sy
    form = scaled_form(shape.form, sx, sy) if is_square and sx > 0 and sy > 0 else None
    if form is None:
        return replace(shape, at=at, form=None)
    rigid = Affine(at.a / sx, at.b / sx, at.c / sy, at.d / sy, at.e, at.f)
    if isinstance(form, RectangleForm | SlotForm) or sx != sy:
        return replace(shape, form=form, paths=outlines_of(form), at=rigid)
    scale = Affine.scale(sx)
    return replace(shape, form=form, paths=tuple(path.transform(scale) for path in shape.paths), at=rigid)


def _need(is_so: bool, words: str) -> None:
    if not is_so:
        raise ValueError(words)
