"""Edits of cuts: adding each kind with sound defaults, copying settings, several at once, their order."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from typing import Any

from archimetra.edits.edit import Edit, board_of, next_number, replace, with_board
from archimetra.job.cut_parts import DepthFrom, Overrides
from archimetra.job.cuts import Clears, Cut, kind_of
from archimetra.job.ids import BitId, BoardId, CutId, LayerId, ShapeId
from archimetra.job.job import Board, Job, with_boards


def new_cut_id(job: Job) -> CutId:
    """An id no cut of this job ever had."""
    return CutId(f"cut{next_number(job, 'cut')}")


def add_cut(job: Job, board_id: BoardId, cut: Cut, label: str = "") -> Edit:
    """A made cut, last; where the order follows by itself, finishing puts it where it suits."""

    def change(board: Board) -> Board:
        return replace(board, cuts=(*board.cuts, cut))

    return Edit(label or f"Add {kind_of(cut).name.lower()}", with_board(job, board_id, change))


def new_cut(
    job: Job, board_id: BoardId, kind: type[Cut], shapes: Iterable[ShapeId], *, bit: BitId | None = None, name: str = "",
    layer: LayerId | None = None, **fields: Any,
) -> Cut:  # fmt: skip
    """A cut of a kind with sound defaults for this board; ``fields`` override them."""
    board = board_of(job, board_id)
    ids = tuple(shapes)
    wanted = set(ids)
    picked = [shape for shape in board.shapes if shape.id in wanted]
    settings: dict[str, Any] = {
        "id": new_cut_id(job),
        "bit": bit or job.bits[0].id,
        "shapes": ids,
        "layer": layer or LayerId(""),
        "name": name
        or (picked[0].name.capitalize() if len(picked) == 1 else f"{kind_of(kind).name} {len(board.cuts) + 1}"),
    }
    settings |= kind_of(kind).defaults(board.sheet, picked) | fields
    return kind(**settings)


# ---- changing


def change_cut(job: Job, cut_id: CutId, label: str, *, merge: str = "", **fields: Any) -> Edit:
    """Fields of one cut. Raises ValueError with a sentence where a value is out of its limits."""
    return change_cuts(job, (cut_id,), label, merge=merge, **fields)


def change_cuts(job: Job, cut_ids: Collection[CutId], label: str, *, merge: str = "", **fields: Any) -> Edit:
    """The same fields of several cuts; those whose kind lacks one keep what they have."""
    wanted = set(cut_ids)

    def changed(cut: Cut) -> Cut:
        if cut.id not in wanted:
            return cut
        mine = {name: value for name, value in fields.items() if name in cut.__struct_fields__}
        return replace(cut, **mine) if mine else cut

    def change(board: Board) -> Board:
        cuts = tuple(changed(cut) for cut in board.cuts)
        if cuts == board.cuts:
            return board
        return replace(board, cuts=cuts)

    return Edit(label, with_boards(job, tuple(change(board) for board in job.boards)), merge)


def count_depth_from(job: Job, board_id: BoardId, cut_ids: Collection[CutId], depth_from: DepthFrom) -> Edit:
    """Let end depths count from another face or the middle. How deep the cuts go stays as it is, where that can be said so."""
    sheet = board_of(job, board_id).sheet
    for id_ in cut_ids:
        cut = next((c for b in job.boards for c in b.cuts if c.id == id_), None)
        if cut is None or cut.depth_from is depth_from:
            continue
        depth = min(cut.depth(sheet), sheet.thinnest)
        end = {
            DepthFrom.FACE: depth, DepthFrom.OTHER: sheet.thinnest - depth, DepthFrom.MIDDLE: max(depth - sheet.thickest / 2, 0.0),
        }[depth_from]  # fmt: skip
        job = change_cut(job, id_, "", depth_from=depth_from, end_depth=round(end, 4), goes_through=False).job
    return Edit("Depth counts from", job)


def override(job: Job, cut_ids: Collection[CutId], name: str, value: float | None) -> Edit:
    """What several cuts run differently from their bit's recipe; None follows it again."""
    wanted = set(cut_ids)
    cuts = {cut.id: cut for board in job.boards for cut in board.cuts if cut.id in wanted}
    for cut in cuts.values():
        run = replace(cut.run, **{name: value})
        job = change_cuts(job, (cut.id,), "", run=run).job
    return Edit("Recipe of cut", job)


def follow_recipe(job: Job, cut_ids: Collection[CutId]) -> Edit:
    """The cut without numbers of its own: speeds and passes are those of its bit's recipe again."""
    return change_cuts(job, cut_ids, "Follow the recipe", run=Overrides())


def remove_cuts(job: Job, cut_ids: Collection[CutId]) -> Edit:
    """Without these cuts; what cleared their rest clears the whole area from now on, what cleared a V-carve's floor goes with it."""
    gone = set(cut_ids)
    for board in job.boards:
        roots = {c.id: board.root_cut(c) for c in board.cuts if c.clears is not None}
        gone |= {id_ for id_, root in roots.items() if not root.goes_first and root.id in gone}

    def kept(cut: Cut, board: Board) -> Cut:
        if cut.clears is Clears.REST and cut.parent in gone:
            root, parent = board.root_cut(cut), board.cut(cut.parent)
            if not root.goes_first:  # the floor of a V-carve stays one
                while parent is not None and parent.id in gone and parent.clears is Clears.REST:
                    parent = board.cut(parent.parent)
                is_rest = parent is not None and parent.id not in gone
                return cut.clearing(Clears.REST, parent.id) if is_rest else cut.clearing(Clears.FLOOR, root.id)  # type: ignore[union-attr]
            return replace(
                cut.clearing(None, CutId("")), shapes=root.shapes, layer=root.layer, start_depth=root.start_depth,
                end_depth=root.end_depth, goes_through=root.goes_through, depth_from=root.depth_from,
            )  # fmt: skip
        return cut

    boards = tuple(
        replace(b, cuts=tuple(kept(cut, b) for cut in b.cuts if cut.id not in gone)) if b.cuts else b
        for b in job.boards
    )
    return Edit("Remove cut" if len(gone) == 1 else "Remove cuts", with_boards(job, boards))


def copy_cut(job: Job, cut_id: CutId, *, shapes: tuple[ShapeId, ...] | None = None) -> tuple[Edit, CutId]:
    """A second cut with the same settings, right behind the first; on other shapes where they are given."""
    new = new_cut_id(job)

    def change(board: Board) -> Board:
        cuts: list[Cut] = []
        for cut in board.cuts:
            cuts.append(cut)
            if cut.id != cut_id:
                continue
            copy = replace(cut, id=new, name=f"{cut.name} copy", mating=None)
            if shapes is not None:
                copy = replace(copy.with_marks(lambda marks: ()), shapes=shapes, layer=LayerId(""))
            cuts.append(copy)
        return replace(board, cuts=tuple(cuts))

    label = "Copy cut" if shapes is None else "Copy settings to shapes"
    return Edit(label, with_boards(job, tuple(change(board) for board in job.boards))), new


def reorder_cut(job: Job, board_id: BoardId, cut_id: CutId, position: int) -> Edit:
    """One cut moved to another place in the running order, which from then on is the user's own."""

    def change(board: Board) -> Board:
        moved = board.cut(cut_id)
        if moved is None:
            return board
        rest = [cut for cut in board.cuts if cut.id != cut_id]
        rest.insert(max(0, min(position, len(rest))), moved)
        return board if tuple(rest) == board.cuts else replace(board, cuts=tuple(rest), auto_order=False)

    return Edit("Reorder cuts", with_board(job, board_id, change))


def order_by_itself(job: Job, board_id: BoardId, *, is_on: bool = True) -> Edit:
    """Let the running order follow from the cuts, or leave it as it stands."""

    def change(board: Board) -> Board:
        return replace(board, auto_order=is_on)

    return Edit("Order by itself" if is_on else "Own order", with_board(job, board_id, change))


def run_piece_by_piece(job: Job, board_id: BoardId, *, is_on: bool = True) -> Edit:
    """What one bit does on the pieces of parts is done for one after the other, or cut by cut over all of them."""
    return Edit(
        "Piece by piece" if is_on else "Cut by cut",
        with_board(job, board_id, lambda b: replace(b, piece_by_piece=is_on)),
    )
