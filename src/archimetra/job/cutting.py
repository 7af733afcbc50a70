"""Edits of cuts: adding each kind with sound defaults, copying settings, several at once, their order."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from typing import Any

from archimetra.job.bits import FLAT_BOTTOMED
from archimetra.job.cut_parts import Entry, Mark, Overrides, ShapeTabs, Side, Tabs
from archimetra.job.cuts import CarveCut, Cut, EngraveCut, FacingCut, HoleCut, PocketCut, ProfileCut, SlotCut
from archimetra.job.edit import Edit, board_of, next_number, replace, with_board
from archimetra.job.ids import BitId, BoardId, CutId, LayerId, ShapeId
from archimetra.job.job import Board, Job, with_boards
from archimetra.job.marks import same_contour
from archimetra.job.ordering import suited_order
from archimetra.job.sheet import HoldDown

NAMES: dict[type[Cut], str] = {
    ProfileCut: "Profile", PocketCut: "Pocket", HoleCut: "Holes", EngraveCut: "Engraving", FacingCut: "Facing",
    SlotCut: "Undercut slot", CarveCut: "V-carve",
}  # fmt: skip


def new_cut_id(job: Job) -> CutId:
    return CutId(f"cut{next_number(job, 'cut')}")


def add_cut(job: Job, board_id: BoardId, cut: Cut, label: str = "") -> Edit:
    """A made cut put where it suits the running order, or last where the order is the user's own."""

    def change(board: Board) -> Board:
        return in_order(replace(board, cuts=(*board.cuts, cut)))

    return Edit(label or f"Add {NAMES[type(cut)].lower()}", with_board(job, board_id, change))


def in_order(board: Board) -> Board:
    """The board with its cuts in the order that suits them, unless the order is the user's own."""
    if not board.auto_order:
        return board
    cuts = suited_order(board)
    return board if cuts == board.cuts else replace(board, cuts=cuts)


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
        "name": name or (picked[0].name.capitalize() if len(picked) == 1 else f"{NAMES[kind]} {len(board.cuts) + 1}"),
    }
    settings |= _defaults(board, kind, picked) | fields
    return kind(**settings)


def _defaults(board: Board, kind: type[Cut], picked: list[Any]) -> dict[str, Any]:
    sheet = board.sheet
    if kind is ProfileCut:
        is_open = bool(picked) and not any(path.closed for shape in picked for path in shape.paths)
        return {
            "side": Side.ON if is_open else Side.OUTSIDE,
            "end_depth": 1.0 if is_open else 0.0,
            "goes_through": not is_open,
            "tabs": default_tabs(board) if not is_open else Tabs(thickness=default_tabs(board).thickness),
        }
    half = round(min(sheet.thinnest / 2, 6.0), 1)
    if kind is PocketCut:
        return {"end_depth": half}
    if kind is HoleCut:
        return {"goes_through": True, "allowance": 0.5}
    if kind is EngraveCut:
        return {"end_depth": min(1.0, half)}
    if kind is FacingCut:
        return {"end_depth": min(0.5, half)}
    if kind is CarveCut:
        return {"end_depth": 0.0}
    return {"end_depth": round(min(10.0, sheet.thinnest * 0.6), 1)}


def default_tabs(board: Board) -> Tabs:
    """Four tabs on clamped work, none on work that tape or glue holds."""
    count = 4 if board.sheet.hold_down is HoldDown.CLAMPED else 0
    return Tabs(count=count, thickness=min(3.0, max(board.sheet.thinnest / 4, 0.4)))


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


def override(job: Job, cut_ids: Collection[CutId], name: str, value: float | None) -> Edit:
    """What several cuts run differently from their bit's recipe; None follows it again."""
    wanted = set(cut_ids)
    cuts = {cut.id: cut for board in job.boards for cut in board.cuts if cut.id in wanted}
    for cut in cuts.values():
        run = replace(cut.run, **{name: value})
        job = change_cuts(job, (cut.id,), "", run=run).job
    return Edit("Recipe of cut", job)


def follow_recipe(job: Job, cut_ids: Collection[CutId]) -> Edit:
    return change_cuts(job, cut_ids, "Follow the recipe", run=Overrides())


def remove_cuts(job: Job, cut_ids: Collection[CutId]) -> Edit:
    """Without these cuts; what cleared their rest clears the whole area from now on, what cleared a V-carve's floor goes with it."""
    gone = set(cut_ids)
    for board in job.boards:
        gone |= {c.id for c in board.cuts if isinstance(c, PocketCut) and isinstance(board.whose_shapes(c), CarveCut)
                 and board.whose_shapes(c).id in gone}  # fmt: skip

    def kept(cut: Cut, board: Board) -> Cut:
        if isinstance(cut, PocketCut) and cut.rest_of in gone:
            root = board.whose_shapes(cut)
            if isinstance(root, CarveCut):  # the floor of a V-carve stays one
                parent = board.cut(cut.rest_of)
                while isinstance(parent, PocketCut) and parent.id in gone and parent.rest_of:
                    parent = board.cut(parent.rest_of)
                onto = parent.id if parent is not None and parent.id not in gone else CutId("")
                return replace(cut, rest_of=onto, floor_of=CutId("") if onto else root.id)
            return replace(
                cut, rest_of=CutId(""), shapes=root.shapes, layer=root.layer, start_depth=root.start_depth,
                end_depth=root.end_depth, goes_through=root.goes_through,
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
                copy = replace(copy, shapes=shapes, layer=LayerId(""))
                if isinstance(copy, ProfileCut):
                    tabs = replace(copy.tabs, by_hand=())
                    copy = replace(copy, tabs=tabs, tabs_of=(), starts=(), turned=())
            cuts.append(copy)
        return in_order(replace(board, cuts=tuple(cuts)))

    label = "Copy cut" if shapes is None else "Copy settings to shapes"
    return Edit(label, with_boards(job, tuple(change(board) for board in job.boards))), new


def add_rest(job: Job, cut_id: CutId, bit: BitId) -> tuple[Edit, CutId]:
    """A smaller bit for what a pocket's own cannot reach: it shares the pocket's shapes and depths."""
    new = new_cut_id(job)

    def change(board: Board) -> Board:
        cut = board.cut(cut_id)
        if not isinstance(cut, PocketCut):
            return board
        rest = PocketCut(
            id=new, name=f"{cut.name}, rest", bit=bit, rest_of=cut_id, end_depth=cut.end_depth,
            direction=cut.direction, entry=Entry.RAMP, floor_only=cut.floor_only,
        )  # fmt: skip
        position = board.cuts.index(cut) + 1
        return in_order(replace(board, cuts=(*board.cuts[:position], rest, *board.cuts[position:])))

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
        if not isinstance(cut, CarveCut):
            return board
        mine = [c for c in board.cuts if isinstance(c, PocketCut) and board.whose_shapes(c).id == cut_id]
        last = mine[-1] if mine else None
        pocket = PocketCut(
            id=new, name=f"{cut.name}, floor" if last is None else f"{cut.name}, finer floor", bit=bit,
            floor_of=cut_id if last is None else CutId(""), rest_of=CutId("") if last is None else last.id,
            direction=cut.direction, entry=Entry.HELIX if last is None else Entry.RAMP, mating=cut.mating,
        )  # fmt: skip
        position = board.cuts.index(cut if last is None else last) + (0 if last is None else 1)
        return in_order(replace(board, cuts=(*board.cuts[:position], pocket, *board.cuts[position:])))

    return Edit("Add floor", with_boards(job, tuple(change(board) for board in job.boards))), new


def floors_of(board: Board, cut: Cut) -> tuple[PocketCut, ...]:
    """The cuts that clear a V-carve's floor, in running order."""
    return tuple(
        c for c in board.cuts if isinstance(c, PocketCut) and c.id != cut.id and board.whose_shapes(c).id == cut.id
    )


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
        return in_order(replace(board, auto_order=is_on))

    return Edit("Order by itself" if is_on else "Own order", with_board(job, board_id, change))


# ---- marks on contours


def set_tab_marks(job: Job, cut_id: CutId, marks: tuple[Mark, ...], *, merge: str = "") -> Edit:
    """Tabs set by hand, all of a cut's at once."""

    def change(cut: Cut) -> Cut:
        return replace(cut, tabs=replace(cut.tabs, by_hand=marks)) if isinstance(cut, ProfileCut) else cut

    return _each(job, cut_id, change, "Move tab", merge)


def set_start_mark(job: Job, cut_id: CutId, shape: ShapeId, mark: Mark | None, *, merge: str = "") -> Edit:
    """Where the contour at a mark begins; None lets the rule choose again for all contours of the shape."""

    def change(cut: Cut) -> Cut:
        if not isinstance(cut, ProfileCut):
            return cut
        others = tuple(m for m in cut.starts if m.shape != shape or (mark is not None and not same_contour(m, mark)))
        return replace(cut, starts=(*others, mark) if mark is not None else others)

    return _each(job, cut_id, change, "Move start" if mark is not None else "Choose start", merge)


def turn_contour(job: Job, cut_id: CutId, mark: Mark) -> Edit:
    """Walk the contour at a mark the other way round; again, and it is as before."""

    def change(cut: Cut) -> Cut:
        if not isinstance(cut, ProfileCut):
            return cut
        others = tuple(m for m in cut.turned if not same_contour(m, mark))
        return replace(cut, turned=others if len(others) < len(cut.turned) else (*others, mark))

    return _each(job, cut_id, change, "Turn contour")


def set_shape_tabs(job: Job, cut_id: CutId, shapes: Collection[ShapeId], count: int | None) -> Edit:
    """Another number of tabs for some shapes; None gives them the cut's own again."""

    def change(cut: Cut) -> Cut:
        if not isinstance(cut, ProfileCut):
            return cut
        others = tuple(own for own in cut.tabs_of if own.shape not in set(shapes))
        mine = () if count is None else tuple(ShapeTabs(shape, count) for shape in shapes)
        return replace(cut, tabs_of=others + mine)

    return _each(job, cut_id, change, "Tabs of shape")


def _each(job: Job, cut_id: CutId, change: Any, label: str, merge: str = "") -> Edit:
    boards = tuple(
        replace(b, cuts=tuple(change(cut) if cut.id == cut_id else cut for cut in b.cuts)) if b.cut(cut_id) else b
        for b in job.boards
    )
    return Edit(label, with_boards(job, boards), merge)
