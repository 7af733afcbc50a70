"""Edits of what other cuts leave: a smaller bit for the rest of a pocket, a straight one for the floor of a V-carve."""

from __future__ import annotations

from archimetra.edits.cutting import new_cut_id
from archimetra.edits.edit import Edit, replace
from archimetra.job.bits import FLAT_BOTTOMED
from archimetra.job.cut_parts import Entry
from archimetra.job.cuts import Clears, Cut
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.ids import BitId, CutId
from archimetra.job.job import Board, Job, with_boards


def add_rest(job: Job, cut_id: CutId, bit: BitId) -> tuple[Edit, CutId]:
    """A smaller bit for what a pocket's own cannot reach: it shares the pocket's shapes and depths."""
    new = new_cut_id(job)

    def change(board: Board) -> Board:
        cut = board.cut(cut_id)
        if cut is None or cut.leftover is not Clears.REST:
            return board
        rest = PocketCut(
            id=new, name=f"{cut.name}, rest", bit=bit, rest_of=cut_id, end_depth=cut.end_depth,
            direction=cut.direction, entry=Entry.RAMP, floor_only=isinstance(cut, PocketCut) and cut.floor_only,
        )  # fmt: skip
        position = board.cuts.index(cut) + 1
        return replace(board, cuts=(*board.cuts[:position], rest, *board.cuts[position:]))

    return Edit("Add smaller bit", with_boards(job, tuple(change(board) for board in job.boards))), new


def add_floor(job: Job, cut_id: CutId, bit: BitId) -> tuple[Edit, CutId]:
    """A straight bit for the flat floor of a V-carve, before it: what it cannot reach stays for the carving bit. A second one
    clears what the first could not. Raises ValueError where the bit has no flat bottom."""
    new = new_cut_id(job)
    found = job.bit(bit)
    if found is None or found.kind not in FLAT_BOTTOMED:
        raise ValueError("a floor is cleared by a bit with a flat bottom")

    def change(board: Board) -> Board:
        cut = board.cut(cut_id)
        if cut is None or cut.leftover is not Clears.FLOOR:
            return board
        mine = floors_of(board, cut)
        last = mine[-1] if mine else None
        pocket = PocketCut(
            id=new, name=f"{cut.name}, floor" if last is None else f"{cut.name}, finer floor", bit=bit,
            floor_of=cut_id if last is None else CutId(""), rest_of=CutId("") if last is None else last.id,
            direction=cut.direction, entry=Entry.HELIX if last is None else Entry.RAMP, mating=cut.mating,
        )  # fmt: skip
        position = board.cuts.index(cut if last is None else last) + (0 if last is None else 1)
        return replace(board, cuts=(*board.cuts[:position], pocket, *board.cuts[position:]))

    return Edit("Add floor", with_boards(job, tuple(change(board) for board in job.boards))), new


def floors_of(board: Board, cut: Cut) -> tuple[Cut, ...]:
    """The cuts that clear a V-carve's floor, in running order."""
    return tuple(c for c in board.cuts if c.clears is not None and c.id != cut.id and board.root_cut(c).id == cut.id)
