"""Artwork onto a board: laid down, read again when its file has changed, and pictures as backdrops."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from archimetra.artwork.drawing import Drawing, DrawnShape
from archimetra.edits.edit import Edit, next_number, replace, with_board
from archimetra.geometry.affine import Affine
from archimetra.job.ids import BoardId, LayerId, ShapeId, last_number
from archimetra.job.job import Board, Job
from archimetra.job.shapes import LAYER_COLOURS, Backdrop, Layer, Origin, Shape, Source


def place_drawing(
    job: Job, board_id: BoardId, drawing: Drawing, *, source: Source | None = None
) -> tuple[Edit, tuple[ShapeId, ...]]:
    """A drawing laid on a board: on its page's corner if that fits the sheet, else centred. Layers of the same name are
    joined. ``source`` says which file it is from; its place is filled in here."""
    placed: list[ShapeId] = []

    def change(board: Board) -> Board:
        at = place_on_sheet(board, drawing)
        layers, ids = _with_layers(job, board, drawing)
        origin = source.name if source is not None else ""
        shapes = [
            _shape(id_, drawn, ids[drawn.layer], at, origin)
            for id_, drawn in zip(_fresh_ids(job, len(drawing.shapes)), drawing.shapes, strict=True)
        ]
        placed.extend(shape.id for shape in shapes)
        sources = board.sources
        if source is not None:
            mine = replace(source, at=at, mm_per_unit=drawing.scale.mm_per_unit, page=drawing.page)
            sources = (*[known for known in sources if known.name != source.name], mine)
        return replace(board, layers=layers, shapes=board.shapes + tuple(shapes), sources=sources)

    edit = Edit(f"Bring in {drawing.name}", with_board(job, board_id, change))
    return edit, tuple(placed)


def place_on_sheet(board: Board, drawing: Drawing) -> Affine:
    """The map that brings a drawing onto a board: as it is where its page is the sheet, else with its middle in the sheet's."""
    box = drawing.bounds()
    width, height = board.sheet.width, board.sheet.height
    page = drawing.page_mm
    if page and abs(page[0] - width) < 0.5 and abs(page[1] - height) < 0.5:
        return Affine()  # drawn for this sheet: the page's corner is the sheet's
    if box is None:
        return Affine()
    return Affine.shift((width - box[0] - box[2]) / 2, (height - box[1] - box[3]) / 2)


class Reread(NamedTuple):
    """``changed``, ``added`` and ``gone`` count shapes."""

    edit: Edit
    changed: int
    added: tuple[ShapeId, ...]
    gone: int


def reread_drawing(job: Job, board_id: BoardId, source: str, drawing: Drawing) -> Reread:
    """A changed file's drawing in place of the one it gave before. A shape the file still holds keeps its place, its
    layer and its cuts and gets its new outline; one the file no longer holds goes; a new one lands where the drawing
    lies. Shapes that were made from it on the board (joined, combined, redrawn) stay as they are."""
    counts = {"changed": 0, "gone": 0}
    added: list[ShapeId] = []

    def change(board: Board) -> Board:
        known = next((s for s in board.sources if s.name == source), None)
        at = known.at if known is not None else place_on_sheet(board, drawing)
        layers, ids = _with_layers(job, board, drawing)
        by_key = {drawn.key: drawn for drawn in drawing.shapes if drawn.key}
        seen: set[str] = set()
        shapes: list[Shape] = []
        for shape in board.shapes:
            if shape.origin is None or shape.origin.source != source:
                shapes.append(shape)
                continue
            drawn = by_key.get(shape.origin.key)
            if drawn is None:
                counts["gone"] += 1
                continue
            seen.add(shape.origin.key)
            if drawn.paths == shape.paths:
                shapes.append(shape)
                continue
            counts["changed"] += 1
            shapes.append(
                replace(
                    shape, paths=drawn.paths, fill_rule=drawn.fill_rule, is_filled=drawn.is_filled,
                    stroke_width=drawn.stroke_width,
                )
            )  # fmt: skip
        new = [drawn for drawn in drawing.shapes if drawn.key not in seen]
        for id_, drawn in zip(_fresh_ids(job, len(new)), new, strict=True):
            shapes.append(_shape(id_, drawn, ids[drawn.layer], at, source))
            added.append(id_)
        left = {shape.id for shape in shapes}
        cuts = tuple(replace(cut, shapes=tuple(id_ for id_ in cut.shapes if id_ in left)) for cut in board.cuts)
        return replace(board, layers=layers, shapes=tuple(shapes), cuts=cuts)

    edit = Edit("Read again", with_board(job, board_id, change))
    return Reread(edit, counts["changed"], tuple(added), counts["gone"])


def add_backdrop(job: Job, board_id: BoardId, backdrop: Backdrop) -> Edit:
    """A picture under the artwork; one from the same file is replaced."""

    def change(board: Board) -> Board:
        others = tuple(known for known in board.backdrops if known.source != backdrop.source)
        return replace(board, backdrops=(*others, backdrop))

    return Edit("Keep picture", with_board(job, board_id, change))


def change_backdrop(job: Job, board_id: BoardId, source: str, *, is_shown: bool | None) -> Edit:
    """A backdrop shown or hidden; None takes it away."""

    def change(board: Board) -> Board:
        kept = tuple(
            known if known.source != source else replace(known, is_shown=bool(is_shown))
            for known in board.backdrops
            if known.source != source or is_shown is not None
        )
        return replace(board, backdrops=kept)

    label = "Discard picture" if is_shown is None else "Show picture"
    return Edit(label, with_board(job, board_id, change))


# ---- inner workings


def _fresh_ids(job: Job, count: int) -> list[ShapeId]:
    first = next_number(job, "shape")
    return [ShapeId(f"shape{first + number}") for number in range(count)]


def _shape(id_: ShapeId, drawn: DrawnShape, layer: LayerId, at: Affine, source: str) -> Shape:
    return Shape(
        id=id_,
        name=drawn.name,
        layer=layer,
        paths=drawn.paths,
        fill_rule=drawn.fill_rule,
        at=at,
        is_filled=drawn.is_filled,
        stroke_width=drawn.stroke_width,
        origin=Origin(source, drawn.key) if source and drawn.key else None,
    )


def _with_layers(job: Job, board: Board, drawing: Drawing) -> tuple[tuple[Layer, ...], list[LayerId]]:
    """The board's layers with those of the drawing, and the id of each of the drawing's."""
    layers = list(board.layers)
    ids: list[LayerId] = []
    for drawn in drawing.layers:
        layer = next((layer for layer in layers if layer.name == drawn.name), None)
        if layer is None:
            layer = new_layer(job, layers, drawn.name, colour=drawn.colour, is_shown=drawn.is_shown)
            layers.append(layer)
        ids.append(layer.id)
    return tuple(layers), ids


def new_layer(job: Job, layers: Sequence[Layer], name: str, *, colour: str = "", is_shown: bool = True) -> Layer:
    """A layer beside others, in a colour of its own unless one is given."""
    id_ = LayerId(f"layer{max(next_number(job, 'layer'), last_number('layer', [layer.id for layer in layers]) + 1)}")
    return Layer(id=id_, name=name, colour=colour or LAYER_COLOURS[len(layers) % len(LAYER_COLOURS)], is_shown=is_shown)
