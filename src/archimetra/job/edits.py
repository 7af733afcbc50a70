"""Edits of the job, its boards, cuts and bits: functions from a job to a new one, each with the label undo shows.

Edits of artwork are in ``landing`` (bringing in), ``placing`` (where and how large), ``shaping`` (the outlines themselves)
and ``layering`` (layers, groups, locks).
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from archimetra.geometry.affine import Affine
from archimetra.job.cut_parts import Side, Tabs
from archimetra.job.cuts import Cut, ProfileCut
from archimetra.job.edit import Edit, board_of, replace, with_board
from archimetra.job.ids import BitId, BoardId, CutId, ShapeId, next_id
from archimetra.job.job import Board, Job, new_board
from archimetra.job.sheet import HoldDown, Zero, ZeroAt

# ---- job and boards


def change_job(job: Job, label: str, **fields: Any) -> Edit:
    """Top-level fields of the job."""
    return Edit(label, replace(job, **fields))


def change_board(job: Job, board_id: BoardId, label: str, **fields: Any) -> Edit:
    """Fields of one board; nested parts come in as whole new values."""
    return Edit(label, with_board(job, board_id, lambda board: replace(board, **fields)))


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
    return change_board(job, board_id, "Zero", zero=zero)


# ---- cuts


def add_profile(job: Job, board_id: BoardId, shapes: Iterable[ShapeId], *, name: str = "") -> tuple[Edit, CutId]:
    """A profile cut with sound defaults: through the sheet; outside closed outlines, on open ones; tabs where the
    sheet is clamped."""
    board = board_of(job, board_id)
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
    return Edit("Add profile", with_board(job, board_id, lambda b: replace(b, cuts=(*b.cuts, cut)))), cut_id


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

    return Edit("Reorder cuts", with_board(job, board_id, change))


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
