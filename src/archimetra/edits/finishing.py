"""``finish_edit``: what follows from an edit for the rest of the job, worked out once, at the outside, whoever makes it.

References to what is gone are dropped, halves of inlays and the running orders that follow by themselves are derived anew, and the
numbers of ids never go back. ``History.apply`` calls it, and scripts do once before they save or plan; edits never call it
themselves. Finishing again changes nothing.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from archimetra.edits.cutting import remove_cuts
from archimetra.edits.edit import replace
from archimetra.edits.inlaying import derive_inlays
from archimetra.edits.ordering import suited_order
from archimetra.job.cuts import Cut
from archimetra.job.flat import MARK, by_base, flat_cut
from archimetra.job.ids import BoardId, CutId, LayerId, PartId, ShapeId, last_number
from archimetra.job.job import Board, Job, with_boards


def finish_edit(before: Job, after: Job) -> Job:
    """The job an edit of ``before`` comes to; ``before`` itself where nothing changed, ``after`` where nothing follows."""
    if after is before:
        return before
    job = _without_artless_inlays(before, after)
    job = _without_areas_gone(before, job)
    job = _with_whole_parts(before, job)
    job = _without_lost_fronts(job)
    job = _without_what_is_gone(before, job)
    job = _without_what_is_gone(before, derive_inlays(job))
    job = _each_changed(before, job, in_order)
    return _numbered(before, job)


def finished(job: Job) -> Job:
    """A job somebody built, with all that follows from what is in it: what a script calls before it plans or saves."""
    return finish_edit(with_boards(job, (), inlays=()), job)


def _each_changed(before: Job, job: Job, change: Callable[[Board], Board]) -> Job:
    known = {board.id: board for board in before.boards}
    boards = tuple(board if known.get(board.id) is board else change(board) for board in job.boards)
    same = all(new is old for new, old in zip(boards, job.boards, strict=True))
    return job if same else with_boards(job, boards)


def in_order(board: Board) -> Board:
    """The board with its cuts in the order that suits them, unless the order is the user's own."""
    if not board.auto_order:
        return board
    cuts = suited_order(board)
    return board if cuts == board.cuts else replace(board, cuts=cuts)


# ---- what is gone


def _without_artless_inlays(before: Job, job: Job) -> Job:
    """An inlay whose art has all been removed goes with its cuts; one that follows a layer waits for more."""
    gone = set()
    inlays = []
    for inlay in job.inlays:
        board, was = job.board(inlay.pocket_board), before.board(inlay.pocket_board)
        if board is None or board is was or not inlay.shapes:
            inlays.append(inlay)
            continue
        kept = _alive(inlay.shapes, board)
        if not kept and not inlay.layer:
            gone.add(inlay.id)
        else:
            inlays.append(inlay if kept == inlay.shapes else replace(inlay, shapes=kept))
    if all(new is old for new, old in zip(inlays, job.inlays, strict=False)) and not gone:
        return job
    cuts = [c.id for b in job.boards for c in b.cuts if c.mating is not None and c.mating.inlay in gone]
    if cuts:
        job = remove_cuts(job, cuts).job
    return replace(job, inlays=tuple(inlays))


def _without_areas_gone(before: Job, job: Job) -> Job:
    """A facing cut goes with the last of its area: with nothing to take it would stand for the whole sheet."""

    def kept(board: Board) -> Board:
        was = before.board(board.id)
        cuts = tuple(cut for cut in board.cuts if was is None or not _lost_its_area(was.cut(cut.id), cut, board))
        return board if len(cuts) == len(board.cuts) else replace(board, cuts=cuts)

    return _each_changed(before, job, kept)


def _without_lost_fronts(job: Job) -> Job:
    """A back whose front is gone, or is no longer on the same sheet, is a board of its own."""
    sheets = {stored.id: stored.sheet for stored in job.stored}
    lost = {s.id for s in job.stored if s.back_of is not None and sheets.get(s.back_of.front) != s.sheet}
    if not lost:
        return job
    own = {sheet.id: sheet for sheet in job.sheets}
    return with_boards(
        job, tuple(replace(b, back_of=None, sheet=own[b.sheet.id]) if b.id in lost else b for b in job.boards)
    )


def _lost_its_area(was: Cut | None, cut: Cut, board: Board) -> bool:
    if not cut.lowers_face or was is None or was.takes_whole_sheet:
        return False
    if _alive(cut.shapes, board) or (cut.layer and board.layer(cut.layer) is not None):
        return False
    # given the whole sheet on purpose, what it took is still there
    is_layer_gone = bool(was.layer) and board.layer(was.layer) is None
    return is_layer_gone or (bool(was.shapes) and not _alive(was.shapes, board))


def _without_what_is_gone(before: Job, job: Job) -> Job:
    """No cut or measure of a changed board names a shape, a layer or a cut that none of its boards has."""
    homes: dict[CutId, list[Board]] = {}
    for board in job.boards:
        for cut in board.cuts:
            homes.setdefault(cut.id, []).append(board)
    of_parts = frozenset(shape.id for part in job.parts for shape in part.shapes)
    here = {board.id for board in job.boards}
    lost_a_home = {cut.id for board in before.boards if board.id not in here for cut in board.cuts} & homes.keys()
    if lost_a_home:
        return with_boards(job, tuple(_cleaned(board, homes, of_parts) for board in job.boards))
    return _each_changed(before, job, lambda board: _cleaned(board, homes, of_parts))


def _cleaned(board: Board, homes: Mapping[CutId, Sequence[Board]], of_parts: frozenset[ShapeId]) -> Board:
    cuts = tuple(_clean(cut, homes[cut.id], of_parts) for cut in board.cuts)
    measures = tuple(m for m in board.measures if all(board.shape(id_) is not None for id_ in m.shapes))
    changed = {}
    if any(new is not old for new, old in zip(cuts, board.cuts, strict=True)):
        changed["cuts"] = cuts
    if board.tiling is not None and board.tiling.pins and all(cut.id != board.tiling.pins for cut in cuts):
        changed["tiling"] = replace(board.tiling, pins=CutId(""))  # type: ignore[assignment]
    if len(measures) < len(board.measures):
        changed["measures"] = measures  # type: ignore[assignment]
    return replace(board, **changed) if changed else board


def _clean(cut: Cut, homes: Sequence[Board], of_parts: frozenset[ShapeId]) -> Cut:
    """A cut without what none of the boards it is on has any more, nor any part."""
    fields: dict[str, object] = {}
    shapes = _alive(cut.shapes, *homes, of_parts=of_parts)
    if shapes != cut.shapes:
        fields["shapes"] = shapes
    if cut.layer and not _has_layer(homes, cut.layer):
        fields["layer"] = LayerId("")
    if cut.parent and all(board.cut(cut.parent) is None for board in homes):
        cut = cut.with_parent(CutId(""))
    if cut.zone and not _has_layer(homes, cut.zone):
        cut = cut.with_zone(LayerId(""))
    cut = cut.with_marks(lambda marks: _on_shapes(marks, homes, of_parts))
    return replace(cut, **fields) if fields else cut


def _alive(
    ids: tuple[ShapeId, ...], *homes: Board, of_parts: frozenset[ShapeId] = frozenset()
) -> tuple[ShapeId, ...]:  # fmt: skip
    kept = tuple(id_ for id_ in ids if _is_there(id_, homes, of_parts))
    return kept if len(kept) < len(ids) else ids


def _on_shapes(marks: tuple[Any, ...], homes: Sequence[Board], of_parts: frozenset[ShapeId]) -> tuple[Any, ...]:
    kept = tuple(mark for mark in marks if _is_there(mark.shape, homes, of_parts))
    return kept if len(kept) < len(marks) else marks


def _is_there(shape: ShapeId, homes: Sequence[Board], of_parts: frozenset[ShapeId]) -> bool:
    return shape in of_parts or any(board.shape(shape) is not None for board in homes)


def _has_layer(homes: Sequence[Board], layer: LayerId) -> bool:
    return any(board.layer(layer) is not None for board in homes)


# ---- parts


def _with_whole_parts(before: Job, job: Job) -> Job:
    """Parts without shapes go, and pieces of what is gone; each board has the layers and the cuts of the pieces on it, and no cut that
    has something on other boards only."""
    if not job.parts and not before.parts:
        return job
    parts = tuple(part for part in job.parts if part.shapes)
    if len(parts) < len(job.parts):
        job = replace(job, parts=parts)
    alive = {part.id for part in parts}
    if any(piece.part not in alive for board in job.stored for piece in board.instances):
        job = with_boards(job, tuple(_with_pieces_of(board, alive) for board in job.boards))
    of_shape: dict[ShapeId, PartId] = {shape.id: part.id for part in parts for shape in part.shapes}
    return with_boards(job, tuple(_with_cuts_of_pieces(job, board, of_shape) for board in job.boards))


def _with_pieces_of(board: Board, parts: set[PartId]) -> Board:
    kept = tuple(piece for piece in board.instances if piece.part in parts)
    return board if len(kept) == len(board.instances) else replace(board, instances=kept)


def _with_cuts_of_pieces(job: Job, board: Board, of_shape: Mapping[ShapeId, PartId]) -> Board:
    here = {piece.part for piece in board.instances}
    layers = {layer.id for layer in board.layers}
    more_layers = []
    for part in job.parts:
        if part.id in here:
            used = {shape.layer for shape in part.shapes}
            more_layers += [layer for layer in part.layers if layer.id in used and layer.id not in layers]
            layers |= used
    on_layers = {shape.layer for part in job.parts if part.id in here for shape in part.shapes}
    wanted = {
        cut.id
        for cut in job.cuts
        if (cut.layer and cut.layer in on_layers) or any(of_shape.get(id_) in here for id_ in cut.shapes)
    }
    wanted |= {cut.id for cut in job.cuts if cut.parent in wanted}
    elsewhere = {id_ for stored in job.stored if stored.id != board.id for id_ in stored.order}
    known = {cut.id for cut in board.cuts}
    kept = tuple(cut for cut in board.cuts if cut.id in wanted or not _is_only_elsewhere(cut, board, elsewhere))
    flats = by_base(shape.id for shape in board.shapes if MARK in shape.id)
    added = tuple(flat_cut(cut, flats) for cut in job.cuts if cut.id in wanted - known)
    if not more_layers and not added and len(kept) == len(board.cuts):
        return board
    return replace(board, layers=(*board.layers, *more_layers), cuts=(*kept, *added))


def _is_only_elsewhere(cut: Cut, board: Board, elsewhere: set[CutId]) -> bool:
    """Whether nothing the cut takes is here, and other boards have it."""
    return (
        cut.id in elsewhere
        and bool(cut.shapes or cut.layer)
        and not (cut.layer and board.layer(cut.layer) is not None)
        and all(board.shape(id_) is None for id_ in cut.shapes)
    )


# ---- ids


def _numbered(before: Job, job: Job) -> Job:
    """The job with the last numbers of its ids and those it had: never less than they were."""
    numbers = raised(before.numbers, job.numbers)
    for each in (before, job) if not before.numbers else (job,):
        known = {board.id: board for board in before.boards} if before.numbers else {}
        numbers = raised(numbers, _last_numbers(each, known))
    return job if numbers == job.numbers else replace(job, numbers=numbers)


def numbered(job: Job) -> Job:
    """A job that nobody has counted yet, with the last numbers of its ids."""
    return _numbered(job, job)


def _last_numbers(job: Job, known: dict[BoardId, Board]) -> dict[str, int]:
    """Of the ids of a job; those that stand unchanged on boards ``known`` are counted already."""
    named: dict[str, list[str]] = {
        "board": [board.id for board in job.boards],
        "sheet": [sheet.id for sheet in job.sheets],
        "cut": [cut.id for cut in job.cuts],
        "bit": [bit.id for bit in job.bits],
        "inlay": [inlay.id for inlay in job.inlays],
        "part": [part.id for part in job.parts],
        "piece": [piece.id for board in job.stored for piece in board.instances],
        "shape": [shape.id for part in job.parts for shape in part.shapes],
    }
    for board in job.boards:
        old = known.get(board.id)
        if old is board:
            continue
        for kind, name in (("layer", "layers"), ("shape", "shapes")):
            things = getattr(board, name)
            ids = [thing.id for thing in things] if old is None or getattr(old, name) is not things else []
            if ids and (old is None or ids != [thing.id for thing in getattr(old, name)]):
                named.setdefault(kind, []).extend(ids)
        named.setdefault("group", []).extend({shape.group for shape in board.shapes if shape.group})
    return {kind: last_number(kind, ids) for kind, ids in named.items()}


def raised(numbers: dict[str, int], by: dict[str, int]) -> dict[str, int]:
    """The greater number of each kind; ``numbers`` themselves where none is greater."""
    greater = {kind: number for kind, number in by.items() if number > numbers.get(kind, 0)}
    return numbers | greater if greater else numbers
