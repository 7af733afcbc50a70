"""Edits: functions from a job to a new one, each with the label undo shows. What does not change is shared.

An ``Edit`` may carry a ``merge`` key: consecutive edits with the same key (a drag, a held arrow key) become
one step of the history.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

import msgspec

from archimetra.artwork.drawing import Drawing
from archimetra.geometry.affine import Affine
from archimetra.geometry.path import bounds_of
from archimetra.job.cuts import Cut, ProfileCut, Side, Tabs
from archimetra.job.ids import BitId, BoardId, CutId, LayerId, ShapeId, next_id
from archimetra.job.job import Board, Job, new_board
from archimetra.job.shapes import LAYER_COLOURS, Layer, Shape
from archimetra.job.sheet import HoldDown, Zero, ZeroAt

replace = msgspec.structs.replace


class Edit(msgspec.Struct, frozen=True):
    label: str
    job: Job
    merge: str = ""


# ---- job and boards


def change_job(job: Job, label: str, **fields: Any) -> Edit:
    """Top-level fields of the job."""
    return Edit(label, replace(job, **fields))


def change_board(job: Job, board_id: BoardId, label: str, **fields: Any) -> Edit:
    """Fields of one board; nested parts come in as whole new values."""
    return Edit(label, _with_board(job, board_id, lambda board: replace(board, **fields)))


def add_board(job: Job) -> tuple[Edit, BoardId]:
    board = new_board(job, name=f"Board {len(job.boards) + 1}")
    if job.boards:
        board = replace(board, sheet=job.boards[-1].sheet, zero=job.boards[-1].zero, heights=job.boards[-1].heights)
    return Edit("Add board", replace(job, boards=(*job.boards, board))), board.id


def remove_board(job: Job, board_id: BoardId) -> Edit:
    return Edit("Remove board", replace(job, boards=tuple(b for b in job.boards if b.id != board_id)))


def turn_quarter(job: Job, board_id: BoardId) -> Edit:
    """The whole board turned a quarter counter-clockwise on the bed: sheet, artwork, grain and zero together."""

    def turned(board: Board) -> Board:
        height = board.sheet.height
        m = Affine.turn(90.0).then(Affine.shift(height, 0.0))
        sheet = replace(
            board.sheet,
            width=height,
            height=board.sheet.width,
            grain_degrees=(board.sheet.grain_degrees + 90.0) % 180.0,
        )
        zero = replace(board.zero, at=_TURNED[board.zero.at])
        if zero.at is ZeroAt.TYPED:
            zero = replace(zero, x=height - board.zero.y, y=board.zero.x)
        shapes = tuple(replace(shape, at=shape.at.then(m)) for shape in board.shapes)
        return replace(board, sheet=sheet, zero=zero, shapes=shapes)

    return Edit("Turn board a quarter", _with_board(job, board_id, turned))


_TURNED = {
    ZeroAt.FRONT_LEFT: ZeroAt.FRONT_RIGHT,
    ZeroAt.FRONT_RIGHT: ZeroAt.BACK_RIGHT,
    ZeroAt.BACK_RIGHT: ZeroAt.BACK_LEFT,
    ZeroAt.BACK_LEFT: ZeroAt.FRONT_LEFT,
    ZeroAt.FRONT: ZeroAt.RIGHT,
    ZeroAt.RIGHT: ZeroAt.BACK,
    ZeroAt.BACK: ZeroAt.LEFT,
    ZeroAt.LEFT: ZeroAt.FRONT,
    ZeroAt.CENTRE: ZeroAt.CENTRE,
    ZeroAt.TYPED: ZeroAt.TYPED,
}


def set_zero(job: Job, board_id: BoardId, zero: Zero) -> Edit:
    return change_board(job, board_id, "Zero", zero=zero)


# ---- artwork


def place_drawing(job: Job, board_id: BoardId, drawing: Drawing) -> tuple[Edit, tuple[ShapeId, ...]]:
    """A drawing laid on a board: on its page's corner if that fits the sheet, else centred. Layers of the same
    name are joined."""
    placed: list[ShapeId] = []

    def change(board: Board) -> Board:
        layers = list(board.layers)
        ids: list[LayerId] = []
        for name in drawing.layers:
            layer = next((layer for layer in layers if layer.name == name), None)
            if layer is None:
                layer_id = LayerId(next_id("layer", [layer.id for layer in layers]))
                layer = Layer(id=layer_id, name=name, colour=LAYER_COLOURS[len(layers) % len(LAYER_COLOURS)])
                layers.append(layer)
            ids.append(layer.id)
        at = _landing(board, drawing)
        first = int(next_id("shape", [shape.id for shape in board.shapes])[len("shape") :])
        shapes = []
        for number, drawn in enumerate(drawing.shapes):
            id_ = ShapeId(f"shape{first + number}")
            placed.append(id_)
            shapes.append(
                Shape(
                    id=id_, name=drawn.name, layer=ids[drawn.layer], paths=drawn.paths, fill_rule=drawn.fill_rule, at=at
                )
            )
        return replace(board, layers=tuple(layers), shapes=board.shapes + tuple(shapes))

    edit = Edit(f"Bring in {drawing.name}", _with_board(job, board_id, change))
    return edit, tuple(placed)


def _landing(board: Board, drawing: Drawing) -> Affine:
    box = drawing.bounds()
    if box is None:
        return Affine()
    width, height = board.sheet.width, board.sheet.height
    page = drawing.page_mm
    if page and abs(page[0] - width) < 0.5 and abs(page[1] - height) < 0.5:
        return Affine()  # drawn for this sheet: the page's corner is the sheet's
    return Affine.shift((width - box[0] - box[2]) / 2, (height - box[1] - box[3]) / 2)


def move_shapes(
    job: Job, board_id: BoardId, ids: Iterable[ShapeId], by: Affine, *, label: str = "Move", merge: str = ""
) -> Edit:
    """The named shapes mapped by ``by`` in board coordinates; shapes on locked layers stay."""
    wanted = set(ids)

    def change(board: Board) -> Board:
        locked = {layer.id for layer in board.layers if layer.is_locked}
        shapes = tuple(
            replace(shape, at=shape.at.then(by)) if shape.id in wanted and shape.layer not in locked else shape
            for shape in board.shapes
        )
        return replace(board, shapes=shapes)

    return Edit(label, _with_board(job, board_id, change), merge)


def centre_shapes(job: Job, board_id: BoardId, ids: Iterable[ShapeId]) -> Edit:
    """The named shapes, as one, centred on the sheet."""
    wanted = set(ids)
    board = _board(job, board_id)
    box = bounds_of([path for shape in board.shapes if shape.id in wanted for path in shape.placed()])
    if box is None:
        return Edit("Centre on sheet", job)
    dx = (board.sheet.width - box[0] - box[2]) / 2
    dy = (board.sheet.height - box[1] - box[3]) / 2
    return move_shapes(job, board_id, wanted, Affine.shift(dx, dy), label="Centre on sheet")


def remove_shapes(job: Job, board_id: BoardId, ids: Iterable[ShapeId]) -> Edit:
    """Shapes removed from the board and from the cuts that took them; locked ones stay."""
    wanted = set(ids)

    def change(board: Board) -> Board:
        locked = {layer.id for layer in board.layers if layer.is_locked}
        kept = tuple(shape for shape in board.shapes if shape.id not in wanted or shape.layer in locked)
        left = {shape.id for shape in kept}
        cuts = tuple(replace(cut, shapes=tuple(id_ for id_ in cut.shapes if id_ in left)) for cut in board.cuts)
        return replace(board, shapes=kept, cuts=cuts)

    return Edit("Remove shapes", _with_board(job, board_id, change))


def change_layer(job: Job, board_id: BoardId, layer_id: LayerId, label: str, **fields: Any) -> Edit:
    def change(board: Board) -> Board:
        layers = tuple(replace(layer, **fields) if layer.id == layer_id else layer for layer in board.layers)
        return replace(board, layers=layers)

    return Edit(label, _with_board(job, board_id, change))


def move_to_layer(job: Job, board_id: BoardId, ids: Iterable[ShapeId], layer_id: LayerId) -> Edit:
    wanted = set(ids)

    def change(board: Board) -> Board:
        shapes = tuple(replace(shape, layer=layer_id) if shape.id in wanted else shape for shape in board.shapes)
        return replace(board, shapes=shapes)

    return Edit("Move to layer", _with_board(job, board_id, change))


# ---- cuts


def add_profile(job: Job, board_id: BoardId, shapes: Iterable[ShapeId], *, name: str = "") -> tuple[Edit, CutId]:
    """A profile cut with sound defaults: through the sheet; outside closed outlines, on open ones; tabs where the
    sheet is clamped."""
    board = _board(job, board_id)
    ids = tuple(shapes)
    cut_id = CutId(next_id("cut", [cut.id for b in job.boards for cut in b.cuts]))
    picked = [shape for shape in board.shapes if shape.id in set(ids)]
    is_open = bool(picked) and not any(path.closed for shape in picked for path in shape.paths)
    is_held = board.sheet.hold_down is not HoldDown.CLAMPED
    tabs = Tabs(count=0 if is_held or is_open else 4, thickness=min(3.0, max(board.sheet.thinnest / 4, 0.4)))
    cut = ProfileCut(
        id=cut_id,
        name=name or (picked[0].name.capitalize() if len(picked) == 1 else f"Profile {len(board.cuts) + 1}"),
        bit=job.bits[0].id,
        shapes=ids,
        side=Side.ON if is_open else Side.OUTSIDE,
        end_depth=1.0 if is_open else 0.0,
        goes_through=not is_open,
        tabs=tabs,
    )
    return Edit("Add profile", _with_board(job, board_id, lambda b: replace(b, cuts=(*b.cuts, cut)))), cut_id


def change_cut(job: Job, cut_id: CutId, label: str, *, merge: str = "", **fields: Any) -> Edit:
    """Fields of one cut. Raises ValueError with a sentence where a value is out of its limits."""

    def change(board: Board) -> Board:
        cuts = tuple(replace(cut, **fields) if cut.id == cut_id else cut for cut in board.cuts)
        return board if cuts == board.cuts else replace(board, cuts=cuts)

    return Edit(label, replace(job, boards=tuple(change(board) for board in job.boards)), merge)


def remove_cut(job: Job, cut_id: CutId) -> Edit:
    boards = tuple(replace(b, cuts=tuple(cut for cut in b.cuts if cut.id != cut_id)) for b in job.boards)
    return Edit("Remove cut", replace(job, boards=boards))


def copy_cut(job: Job, cut_id: CutId) -> tuple[Edit, CutId]:
    """A second cut with the same settings, right behind the first."""
    new = CutId(next_id("cut", [cut.id for b in job.boards for cut in b.cuts]))

    def change(board: Board) -> Board:
        cuts: list[Cut] = []
        for cut in board.cuts:
            cuts.append(cut)
            if cut.id == cut_id:
                cuts.append(replace(cut, id=new, name=f"{cut.name} copy"))
        return replace(board, cuts=tuple(cuts))

    return Edit("Copy cut", replace(job, boards=tuple(change(board) for board in job.boards))), new


def reorder_cut(job: Job, board_id: BoardId, cut_id: CutId, position: int) -> Edit:
    """One cut moved to another place in the running order."""

    def change(board: Board) -> Board:
        moved = board.cut(cut_id)
        if moved is None:
            return board
        rest = [cut for cut in board.cuts if cut.id != cut_id]
        rest.insert(max(0, min(position, len(rest))), moved)
        return replace(board, cuts=tuple(rest))

    return Edit("Reorder cuts", _with_board(job, board_id, change))


# ---- bits


def change_bit(job: Job, bit_id: BitId, label: str, **fields: Any) -> Edit:
    bits = tuple(replace(bit, **fields) if bit.id == bit_id else bit for bit in job.bits)
    return Edit(label, replace(job, bits=bits))


def add_bit(job: Job) -> tuple[Edit, BitId]:
    """A copy of the last bit on the next place of the rack, to be changed to what is in hand."""
    new = BitId(next_id("bit", [bit.id for bit in job.bits]))
    last = job.bits[-1]
    bit = replace(last, id=new, name=f"{last.name} copy", place=max(b.place for b in job.bits) + 1)
    return Edit("Add bit", replace(job, bits=(*job.bits, bit))), new


def remove_bit(job: Job, bit_id: BitId) -> Edit:
    """A bit no cut uses, taken off the rack. Raises ValueError with a sentence where one does."""
    users = [cut.name for board in job.boards for cut in board.cuts if cut.bit == bit_id]
    if users:
        raise ValueError(f"'{users[0]}' cuts with this bit; give it another one first")
    if len(job.bits) == 1:
        raise ValueError("a job needs at least one bit")
    return Edit("Remove bit", replace(job, bits=tuple(bit for bit in job.bits if bit.id != bit_id)))


# ---- typed texts


def remember_typed(job: Job, key: str, text: str | None) -> Job:
    """The job with what was typed into a field remembered (or forgotten)."""
    if (text is None and key not in job.typed) or job.typed.get(key) == text:
        return job
    typed = {k: v for k, v in job.typed.items() if k != key}
    if text is not None:
        typed[key] = text
    return replace(job, typed=typed)


# ---- inner workings


def _board(job: Job, board_id: BoardId) -> Board:
    board = job.board(board_id)
    if board is None:
        raise ValueError(f"no board {board_id}")
    return board


def _with_board(job: Job, board_id: BoardId, change: Callable[[Board], Board]) -> Job:
    return replace(job, boards=tuple(change(b) if b.id == board_id else b for b in job.boards))
