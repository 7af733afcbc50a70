"""Where shapes lie and how large they are: moved, sized, turned, mirrored.

Every edit leaves locked shapes where they are. Maps are in board coordinates. A drawn shape keeps its measures true: sizing
changes its numbers, not only its placement.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from enum import StrEnum
from math import atan2, degrees, hypot, isfinite

from archimetra.edits.copying import copies
from archimetra.edits.edit import Edit, board_of, replace, with_board
from archimetra.edits.layering import free_shapes
from archimetra.geometry.affine import IDENTITY, Affine
from archimetra.job.forms import RectangleForm, SlotForm, outlines_of, scaled_form
from archimetra.job.ids import BoardId, ShapeId
from archimetra.job.job import Board, Job
from archimetra.job.require import require
from archimetra.job.shapes import Shape
from archimetra.job.shapes import box_of as box_of

Box = tuple[float, float, float, float]
Point = tuple[float, float]


class Anchor(StrEnum):
    """The nine points of a box."""

    BACK_LEFT, BACK, BACK_RIGHT = "back left", "back", "back right"
    LEFT, MIDDLE, RIGHT = "left", "middle", "right"
    FRONT_LEFT, FRONT, FRONT_RIGHT = "front left", "front", "front right"


def anchor_point(box: Box, anchor: Anchor) -> Point:
    """The place (x, y) in mm of one of nine anchors of a box (x0, y0, x1, y1)."""
    x0, y0, x1, y1 = box
    x = x0 if "left" in anchor else x1 if "right" in anchor else (x0 + x1) / 2
    y = y1 if "back" in anchor else y0 if "front" in anchor else (y0 + y1) / 2
    return x, y


# ---- moving, sizing, turning


def map_shapes(
    job: Job, board_id: BoardId, ids: Iterable[ShapeId], by: Affine, *, label: str = "Move", merge: str = ""
) -> Edit:
    """The named shapes mapped by ``by``."""
    return map_each(job, board_id, ids, lambda _shape: by, label, merge)


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
    require(all(isfinite(v) and abs(v) <= 100_000 for v in (dx, dy)), "a place is within 100 m")
    return map_shapes(job, board_id, ids, Affine.shift(dx, dy))


def size_to(
    job: Job,
    board_id: BoardId,
    ids: Sequence[ShapeId],
    anchor: Anchor,
    *,
    width: float | None = None,
    height: float | None = None,
    keeps_ratio: bool = True,
    merge: str = "",
) -> Edit:
    """The box around the shapes made that wide or high (Y), its anchor staying. Raises ValueError with a sentence where
    there is no extent that way or the size is out of its limits."""
    box = box_of(free_shapes(board_of(job, board_id), ids))
    if box is None:
        return Edit("Size", job)
    w, h = box[2] - box[0], box[3] - box[1]
    factors: list[float | None] = []
    for size, wanted in ((w, width), (h, height)):
        if wanted is None:
            factors.append(None)
            continue
        require(isfinite(wanted) and 0.01 <= wanted <= 10_000, "a size is 0.01 to 10000 mm")
        require(size > 1e-9, "there is no extent this way")
        factors.append(wanted / size)
    if keeps_ratio:
        only = next(f for f in factors if f is not None)
        factors = [only, only]
    sx, sy = (1.0 if f is None else f for f in factors)
    return map_shapes(
        job, board_id, ids, Affine.scale(sx, sy, about=anchor_point(box, anchor)), label="Size", merge=merge
    )


def turn_by(job: Job, board_id: BoardId, ids: Sequence[ShapeId], angle: float, about: Point | None = None) -> Edit:
    """Turned counter-clockwise by degrees, about a point or the middle of the box around the shapes."""
    require(isfinite(angle) and abs(angle) <= 36_000, "an angle is within 36000 degrees")
    box = box_of(free_shapes(board_of(job, board_id), ids))
    if box is None:
        return Edit("Turn", job)
    centre = about or anchor_point(box, Anchor.MIDDLE)
    return map_shapes(job, board_id, ids, Affine.turn(angle, about=centre), label="Turn")


def turned(shape: Shape) -> float:
    """How far a shape has been turned counter-clockwise since it was drawn, in degrees from 0 to below 360."""
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


# ---- one map for each


def map_each(
    job: Job,
    board_id: BoardId,
    ids: Iterable[ShapeId],
    by: Callable[[Shape], Affine],
    label: str,
    merge: str = "",
) -> Edit:
    """The named shapes, each mapped by what ``by`` gives for it."""
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
