"""Edits of the job, its boards, cuts and bits: functions from a job to a new one, each with the label undo shows.

Edits of artwork are in ``placement`` (bringing in), ``placing`` (where and how large), ``shaping`` (the outlines themselves)
and ``layering`` (layers, groups, locks).
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from archimetra.edits import cutting
from archimetra.edits.copying import renamed
from archimetra.edits.edit import Edit, next_number, replace, with_board
from archimetra.edits.sheets import turned_sheet
from archimetra.geometry.affine import Affine
from archimetra.job.cuts import Cut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.ids import BitId, BoardId, CutId, InlayId, LayerId, ShapeId, SheetId
from archimetra.job.job import Board, Job, new_board, with_boards
from archimetra.job.setups import Tiling
from archimetra.job.shapes import Shape
from archimetra.job.sheet import Zero, ZeroAt

# ---- job and boards


def change_job(job: Job, label: str, **fields: Any) -> Edit:
    """Top-level fields of the job."""
    return Edit(label, replace(job, **fields))


def change_board(job: Job, board_id: BoardId, label: str, **fields: Any) -> Edit:
    """Fields of one board; nested parts come in as whole new values."""
    return Edit(label, with_board(job, board_id, lambda board: replace(board, **fields)))


def add_board(job: Job) -> tuple[Edit, BoardId]:
    """A new board after the others, with a sheet like that of the last, and its id."""
    board = new_board(job, name=f"Board {len(job.boards) + 1}")
    if job.boards:
        like = replace(job.boards[-1].sheet, id=SheetId(""))  # another sheet of the same kind
        board = replace(board, sheet=like, zero=job.boards[-1].zero, heights=job.boards[-1].heights)
    return Edit("Add board", with_boards(job, (*job.boards, board))), board.id


def duplicate_board(job: Job, board_id: BoardId) -> tuple[Edit, BoardId]:
    """A second board like one, behind it: another such sheet, artwork and cuts. Halves of inlays stay the first one's: an inlay has
    two; what follows an inlay becomes a shape of its own."""
    source = next(board for board in job.boards if board.id == board_id)
    new = BoardId(f"board{next_number(job, 'board')}")
    first, number = next_number(job, "cut"), next_number(job, "shape")
    own = [cut.id for cut in source.cuts if cut.mating is None]
    ids = {id_: CutId(f"cut{first + k}") for k, id_ in enumerate(own)}
    shape_ids = {shape.id: ShapeId(f"shape{number + k}") for k, shape in enumerate(source.shapes)}
    first = next_number(job, "layer")
    layer_ids = {layer.id: LayerId(f"layer{first + k}") for k, layer in enumerate(source.layers)}
    copy = replace(
        source, id=new, name=f"{source.name} copy"[:60], sheet=replace(source.sheet, id=SheetId("")),
        layers=tuple(replace(layer, id=layer_ids[layer.id]) for layer in source.layers),
        shapes=tuple(_own_copy(shape, shape_ids, layer_ids) for shape in source.shapes),
        measures=tuple(
            replace(each, shapes=tuple(shape_ids.get(id_, id_) for id_ in each.shapes)) for each in source.measures
        ),
        cuts=tuple(renamed(_renumbered(cut, ids), shape_ids, layer_ids) for cut in source.cuts if cut.id in ids),
        instances=(), back_of=None, written=None, tiling=_own_tiling(source.tiling, ids),
    )  # fmt: skip
    at = job.boards.index(source) + 1
    return Edit("Duplicate board", with_boards(job, (*job.boards[:at], copy, *job.boards[at:]))), new


def _own_tiling(tiling: Tiling | None, ids: Mapping[CutId, CutId]) -> Tiling | None:
    return replace(tiling, pins=ids.get(tiling.pins, CutId(""))) if tiling is not None else None


def _own_copy(shape: Shape, ids: Mapping[ShapeId, ShapeId], layers: Mapping[LayerId, LayerId]) -> Shape:
    is_followed = bool(shape.follows)
    return replace(
        shape, id=ids[shape.id], layer=layers.get(shape.layer, shape.layer), follows=InlayId(""),
        is_locked=shape.is_locked and not is_followed,
    )  # fmt: skip


def _renumbered(cut: Cut, ids: dict[CutId, CutId]) -> Cut:
    """A cut and the cuts it names under their new numbers."""
    return replace(cut.with_parent(ids.get(cut.parent, cut.parent)), id=ids[cut.id])


def move_board(job: Job, board_id: BoardId, step: int) -> Edit:
    """A board so many places on in the row of boards; the two faces of a sheet go together."""
    units: list[list[Board]] = []
    for board in job.boards:
        if board.back_of is not None and units and units[-1][0].id == board.back_of.front:
            units[-1].append(board)
        else:
            units.append([board])
    at = next(k for k, unit in enumerate(units) if any(board.id == board_id for board in unit))
    to = min(max(at + step, 0), len(units) - 1)
    units.insert(to, units.pop(at))
    return Edit("Move board", with_boards(job, tuple(board for unit in units for board in unit)))


def remove_board(job: Job, board_id: BoardId) -> Edit:
    """The job without that board; its sheet and cuts stay where other boards name them."""
    return Edit("Remove board", with_boards(job, tuple(b for b in job.boards if b.id != board_id)))


def turn_quarter(job: Job, board_id: BoardId) -> Edit:
    """The whole board turned a quarter counter-clockwise on the bed: sheet, artwork, grain and zero together. Raises ValueError where its sheet has
    another face, whose work would no longer lie behind it."""
    if (turning := job.board(board_id)) is not None and (
        turning.back_of is not None or job.back_of(board_id) is not None
    ):
        raise ValueError("a board with two faces is turned as it lies on the machine, not drawn anew")

    def turned(board: Board) -> Board:
        height = board.sheet.height
        m = Affine.turn(90.0).then(Affine.shift(height, 0.0))
        sheet = turned_sheet(board.sheet, m)
        zero = replace(board.zero, at=_TURNED[board.zero.at])
        if zero.at is ZeroAt.TYPED:
            zero = replace(zero, x=height - board.zero.y, y=board.zero.x)
        fixtures = tuple(replace(f, x=height - f.y, y=f.x, degrees=(f.degrees + 90.0) % 360.0) for f in board.fixtures)
        # an upright guide at x becomes a level one at y = x, a level one at y an upright one at x = height - y
        guides = tuple(
            replace(g, is_upright=not g.is_upright, at=g.at if g.is_upright else height - g.at) for g in board.guides
        )
        measures = tuple(
            replace(measure, points=tuple((height - y, x) for x, y in measure.points)) for measure in board.measures
        )
        cuts = tuple(cut.turned_quarter() for cut in board.cuts)
        tiling = board.tiling
        if tiling is not None:  # a seam at x becomes one at y = x, one at y becomes one at x = height - y
            tiling = replace(tiling, seams_x=tuple(sorted(height - y for y in tiling.seams_y)), seams_y=tiling.seams_x)
        return replace(
            board, sections=tuple(replace(s, x0=height - s.y0, y0=s.x0, x1=height - s.y1, y1=s.x1) for s in board.sections),
            tiling=tiling, sheet=sheet, zero=zero, fixtures=fixtures, guides=guides, measures=measures, cuts=cuts,
            shapes=tuple(replace(shape, at=shape.at.then(m)) for shape in board.shapes),
            backdrops=tuple(replace(backdrop, at=backdrop.at.then(m)) for backdrop in board.backdrops),
            sources=tuple(replace(source, at=source.at.then(m)) for source in board.sources),
        )  # fmt: skip

    return Edit("Turn board a quarter", with_board(job, board_id, turned))


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
    """Where X, Y and Z zero of the board lie."""
    return change_board(job, board_id, "Zero", zero=zero)


# ---- cuts (the rest is in ``cutting``)


def add_profile(job: Job, board_id: BoardId, shapes: Iterable[ShapeId], *, name: str = "") -> tuple[Edit, CutId]:
    """A profile cut with sound defaults: through the sheet; outside closed outlines, on open ones; tabs where the
    sheet is clamped."""
    cut = cutting.new_cut(job, board_id, ProfileCut, shapes, name=name)
    return cutting.add_cut(job, board_id, cut), cut.id


change_cut = cutting.change_cut
copy_cut = cutting.copy_cut
reorder_cut = cutting.reorder_cut


def remove_cut(job: Job, cut_id: CutId) -> Edit:
    """The job without that cut, on whichever board it is."""
    return cutting.remove_cuts(job, (cut_id,))


# ---- bits


def change_bit(job: Job, bit_id: BitId, label: str, **fields: Any) -> Edit:
    """A bit of the job with other fields."""
    bits = tuple(replace(bit, **fields) if bit.id == bit_id else bit for bit in job.bits)
    return Edit(label, replace(job, bits=bits))


def add_bit(job: Job) -> tuple[Edit, BitId]:
    """A copy of the last bit on the next place of the rack, to be changed to what is in hand."""
    new = BitId(f"bit{next_number(job, 'bit')}")
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
