"""Layers, groups and locks."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Any

from archimetra.edits.edit import Edit, board_of, replace, with_board
from archimetra.edits.placement import new_layer
from archimetra.job.ids import BoardId, CutId, LayerId, ShapeId, next_id
from archimetra.job.job import Board, Job, with_boards
from archimetra.job.shapes import Shape

COLOUR = re.compile(r"#[0-9a-fA-F]{6}")


def locked_shapes(board: Board) -> set[ShapeId]:
    """Shapes that no edit of artwork may touch: locked themselves, or on a locked layer."""
    layers = {layer.id for layer in board.layers if layer.is_locked}
    return {shape.id for shape in board.shapes if shape.is_locked or shape.layer in layers}


def free_shapes(board: Board, ids: Iterable[ShapeId]) -> list[Shape]:
    """The named shapes that may be changed, in drawing order."""
    wanted, locked = set(ids), locked_shapes(board)
    return [shape for shape in board.shapes if shape.id in wanted and shape.id not in locked]


def add_layer(job: Job, board_id: BoardId, name: str = "") -> tuple[Edit, LayerId]:
    """A new, empty layer on the board, and its id."""
    layers = board_of(job, board_id).layers
    layer = new_layer(job, layers, name or f"Layer {len(layers) + 1}")
    edit = Edit("Add layer", with_board(job, board_id, lambda b: replace(b, layers=(*b.layers, layer))))
    return edit, layer.id


def change_layer(job: Job, board_id: BoardId, layer_id: LayerId, label: str, **fields: Any) -> Edit:
    """Fields of one layer. Raises ValueError with a sentence for a name without letters or a colour that is none."""
    if "name" in fields and not str(fields["name"]).strip():
        raise ValueError("a layer has a name")
    if "colour" in fields and not COLOUR.fullmatch(fields["colour"]):
        raise ValueError("a colour is written #rrggbb")

    def change(board: Board) -> Board:
        layers = tuple(replace(layer, **fields) if layer.id == layer_id else layer for layer in board.layers)
        return replace(board, layers=layers)

    return Edit(label, with_board(job, board_id, change))


def move_layer(job: Job, board_id: BoardId, layer_id: LayerId, position: int) -> Edit:
    """A layer at another place of the list: later ones are drawn over earlier ones."""

    def change(board: Board) -> Board:
        layer = board.layer(layer_id)
        if layer is None:
            return board
        rest = [other for other in board.layers if other.id != layer_id]
        rest.insert(max(0, min(position, len(rest))), layer)
        return replace(board, layers=tuple(rest))

    return Edit("Order layers", with_board(job, board_id, change))


def remove_layer(job: Job, board_id: BoardId, layer_id: LayerId) -> Edit:
    """A layer without shapes. Raises ValueError with a sentence where it has some, or a cut follows it."""
    board = board_of(job, board_id)
    count = sum(shape.layer == layer_id for shape in board.shapes)
    if count:
        raise ValueError(f"the layer holds {count} shapes; move or remove them first")
    follower = next((cut for cut in board.cuts if cut.layer == layer_id), None)
    if follower is not None:
        raise ValueError(f"'{follower.name}' follows this layer; give it shapes of its own first")
    kept = tuple(layer for layer in board.layers if layer.id != layer_id)
    return Edit("Remove layer", with_board(job, board_id, lambda b: replace(b, layers=kept)))


def move_to_layer(job: Job, board_id: BoardId, ids: Iterable[ShapeId], layer_id: LayerId) -> Edit:
    """The shapes put on another layer; cuts that follow layers follow."""
    return _each(job, board_id, ids, "Move to layer", lambda shape: replace(shape, layer=layer_id))


def follow_layer(job: Job, cut_id: CutId, layer_id: LayerId) -> Edit:
    """A cut that takes all shapes of a layer, now and later; '' makes it take only its own."""
    boards = tuple(
        replace(b, cuts=tuple(replace(c, layer=layer_id) if c.id == cut_id else c for c in b.cuts)) for b in job.boards
    )
    return Edit("Follow layer", with_boards(job, boards))


def lock_shapes(job: Job, board_id: BoardId, ids: Iterable[ShapeId], *, is_locked: bool) -> Edit:
    """The shapes held where they are, or let go."""
    wanted = set(ids)

    def change(board: Board) -> Board:
        shapes = tuple(replace(s, is_locked=is_locked) if s.id in wanted else s for s in board.shapes)
        return replace(board, shapes=shapes)

    return Edit("Lock" if is_locked else "Unlock", with_board(job, board_id, change))


def group_shapes(job: Job, board_id: BoardId, ids: Iterable[ShapeId]) -> Edit:
    """The shapes as one group, whatever groups they were in."""
    taken = {shape.group for shape in board_of(job, board_id).shapes if shape.group}
    name = next_id("group", taken, job.numbers)
    return _each(job, board_id, ids, "Group", lambda shape: replace(shape, group=name))


def ungroup_shapes(job: Job, board_id: BoardId, ids: Iterable[ShapeId]) -> Edit:
    """The groups of these shapes taken apart."""
    return _each(job, board_id, ids, "Ungroup", lambda shape: replace(shape, group=""))


def whole_groups(board: Board, ids: Iterable[ShapeId]) -> tuple[ShapeId, ...]:
    """The named shapes and all that are grouped with them, the named ones first."""
    named = tuple(dict.fromkeys(ids))
    wanted = set(named)
    groups = {shape.group for shape in board.shapes if shape.id in wanted and shape.group}
    if not groups:
        return named
    return (*named, *[shape.id for shape in board.shapes if shape.group in groups and shape.id not in wanted])


def _each(job: Job, board_id: BoardId, ids: Iterable[ShapeId], label: str, run: Any) -> Edit:
    wanted = {shape.id for shape in free_shapes(board_of(job, board_id), ids)}

    def change(board: Board) -> Board:
        return replace(board, shapes=tuple(run(shape) if shape.id in wanted else shape for shape in board.shapes))

    return Edit(label, with_board(job, board_id, change))
