"""Parts: made from picked outlines with everything inside them, laid on boards as often as wanted, changed, and taken apart again."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any, NamedTuple

import shapely

from archimetra.edits.copying import Heirs, with_heirs
from archimetra.edits.edit import Edit, board_of, next_number, replace, with_board
from archimetra.geometry.affine import Affine
from archimetra.job.flat import MARK, base_of, instance_of
from archimetra.job.footprints import enclosed_by, lines_of
from archimetra.job.ids import BoardId, InstanceId, PartId, ShapeId
from archimetra.job.job import Board, Job, with_boards
from archimetra.job.parts import Instance, Part
from archimetra.job.shapes import Shape


class Outlined(NamedTuple):
    """An outline, and what lies inside it."""

    outline: Shape
    members: tuple[Shape, ...]


# ---- made


def outlined(board: Board, picked: Iterable[ShapeId]) -> list[Outlined]:
    """What would become a part each: the outermost of the picked closed shapes with all that lies inside them, in their openings too,
    picked or not.

    Raises ValueError with a sentence where none is closed, or one is a part's already.
    """
    wanted = set(picked)
    closed = [shape for shape in board.shapes if shape.id in wanted and shape.is_closed]
    areas = {shape.id: area for shape, area in zip(closed, enclosed_by(closed), strict=True) if not area.is_empty}
    if not areas:
        raise ValueError("a part needs a closed outline; pick one")
    if any(MARK in id_ for id_ in areas):
        raise ValueError("one of these is a piece of a part already")
    shapely.prepare(list(areas.values()))
    free = [shape for shape in board.shapes if MARK not in shape.id]
    lines = dict(zip([shape.id for shape in free], lines_of(free), strict=True))
    outer: list[ShapeId] = []
    for id_ in sorted(areas, key=lambda id_: -areas[id_].area):
        if not any(shapely.covers(areas[other], lines[id_]) for other in outer):
            outer.append(id_)
    tree = shapely.STRtree(list(lines.values()))
    taken: set[ShapeId] = set(outer)
    found = []
    for id_ in outer:
        outline = next(shape for shape in free if shape.id == id_)
        inside = [
            free[k] for k in sorted(tree.query(areas[id_], predicate="covers").tolist()) if free[k].id not in taken
        ]
        taken |= {shape.id for shape in inside}
        found.append(Outlined(outline, (outline, *inside)))
    return found


def make_parts(
    job: Job, board_id: BoardId, picked: Iterable[ShapeId], *, name: str = ""
) -> tuple[Edit, tuple[PartId, ...]]:
    """A part of each outermost picked outline with everything inside it; each lies where its shapes lay. Equal outlines stay parts of
    their own. Raises ValueError with a sentence (see ``outlined``)."""
    board = board_of(job, board_id)
    found = outlined(board, picked)
    art = {shape.id for cut in board.cuts if cut.mating is not None for shape in board.shapes_of(cut)}
    if any(shape.follows or shape.id in art for each in found for shape in each.members):
        raise ValueError("what belongs to an inlay cannot be in a part; remove the inlay first")
    first_part, first_piece = next_number(job, "part"), next_number(job, "piece")
    parts: list[Part] = []
    pieces: list[Instance] = []
    gone: set[ShapeId] = set()
    for k, (outline, members) in enumerate(found):
        x0, y0, _, _ = outline.bounds()
        to_part = Affine.shift(-x0, -y0)
        layers = {shape.layer for shape in members}
        parts.append(
            Part(
                id=PartId(f"part{first_part + k}"),
                name=_named(name or outline.name, [p.name for p in (*job.parts, *parts)]),
                shapes=tuple(replace(shape, at=shape.at.then(to_part)) for shape in members),
                layers=tuple(layer for layer in board.layers if layer.id in layers),
            )
        )
        pieces.append(Instance(InstanceId(f"piece{first_piece + k}"), parts[-1].id, x0, y0))
        gone |= {shape.id for shape in members}
    # cuts and marks name the part's shapes as they named the board's
    job = replace(job, parts=(*job.parts, *parts))
    flat = {
        ShapeId(f"{shape.id}{MARK}{piece.id}"): shape.id
        for piece, (_, members) in zip(pieces, found, strict=True)
        for shape in members
    }
    ids = {base: id_ for id_, base in flat.items()}

    def change(old: Board) -> Board:
        return replace(
            old, shapes=tuple(shape for shape in old.shapes if shape.id not in gone), instances=(*old.instances, *pieces),
            measures=tuple(replace(m, shapes=tuple(ids.get(id_, id_) for id_ in m.shapes)) for m in old.measures),
        )  # fmt: skip

    label = "Make a part" if len(parts) == 1 else f"Make {len(parts)} parts"
    return Edit(label, with_board(job, board_id, change)), tuple(part.id for part in parts)


def _named(name: str, taken: Sequence[str]) -> str:
    name = (name or "Part")[:50]
    if name not in taken:
        return name
    return next(f"{name} {k}" for k in range(2, len(taken) + 3) if f"{name} {k}" not in taken)


# ---- changed


def change_part(job: Job, part_id: PartId, label: str = "Change part", *, merge: str = "", **fields: Any) -> Edit:
    """The part with other fields. Raises ValueError with a sentence where one is out of its limits."""
    return Edit(label, _with_part(job, part_id, lambda part: replace(part, **fields)), merge)


def _with_part(job: Job, part_id: PartId, change: Callable[[Part], Part]) -> Job:
    return replace(job, parts=tuple(change(part) if part.id == part_id else part for part in job.parts))


def add_pieces(
    job: Job, board_id: BoardId, part_id: PartId, places: Sequence[tuple[float, float, float, bool]]
) -> tuple[Edit, tuple[InstanceId, ...]]:
    """More pieces of a part on a board: (x, y, degrees, mirrored) each."""
    first = next_number(job, "piece")
    made = tuple(
        Instance(InstanceId(f"piece{first + k}"), part_id, x, y, degrees, mirrored)
        for k, (x, y, degrees, mirrored) in enumerate(places)
    )
    job = with_board(job, board_id, lambda board: replace(board, instances=(*board.instances, *made)))
    return Edit("Add pieces", job), tuple(piece.id for piece in made)


def lay_pieces(job: Job, places: Mapping[BoardId, Sequence[Instance]], label: str = "Nest") -> Edit:
    """The pieces of these boards, in place of those that lie there; other boards keep theirs. Empty ids are given anew."""
    number = next_number(job, "piece")
    boards = []
    for board in job.boards:
        if board.id in places:
            fresh = []
            for piece in places[board.id]:
                fresh.append(piece if piece.id else replace(piece, id=InstanceId(f"piece{number}")))
                number += not piece.id
            board = replace(board, instances=tuple(fresh))
        boards.append(board)
    return Edit(label, with_boards(job, boards))


def pieces_picked(board: Board, picked: Iterable[ShapeId]) -> tuple[InstanceId, ...]:
    """The pieces that picked shapes belong to, in the order they lie on the board."""
    wanted = {instance_of(id_) for id_ in picked}
    return tuple(piece.id for piece in board.instances if piece.id in wanted)


def make_own(job: Job, board_id: BoardId, pieces: Iterable[InstanceId]) -> tuple[Edit, PartId]:
    """These pieces of one part as pieces of a new part of their own, cut as before: changes to one no longer change the other. Raises
    ValueError with a sentence where they are of different parts, or nothing is left of the old one."""
    board, wanted = board_of(job, board_id), set(pieces)
    parts = {piece.part for piece in board.instances if piece.id in wanted}
    if len(parts) != 1:
        raise ValueError("pick pieces of one part")
    part = job.part(parts.pop())
    assert part is not None
    if all(piece.id in wanted for stored in job.stored for piece in stored.instances if piece.part == part.id):
        raise ValueError("these are all there are of this part; it is its own already")
    number = next_number(job, "shape")
    new_id = PartId(f"part{next_number(job, 'part')}")
    ids = {shape.id: ShapeId(f"shape{number + k}") for k, shape in enumerate(part.shapes)}
    own = replace(
        part, id=new_id, name=_named(part.name, [p.name for p in job.parts]), quantity=len(wanted),
        shapes=tuple(replace(shape, id=ids[shape.id]) for shape in part.shapes),
    )  # fmt: skip
    heirs: Heirs = {id_: (new,) for id_, new in ids.items()}
    job = replace(job, parts=(*job.parts, own), cuts=tuple(with_heirs(cut, heirs) for cut in job.cuts))
    laid = tuple(replace(piece, part=new_id) if piece.id in wanted else piece for piece in board.instances)
    return Edit("Make its own", with_board(job, board_id, lambda b: replace(b, instances=laid))), new_id


# ---- taken apart


def take_apart(job: Job, part_id: PartId) -> Edit:
    """The part gone, the shapes of its pieces plain shapes where they lie, cut as before."""
    part = job.part(part_id)
    if part is None:
        return Edit("Take apart", job)
    number = next_number(job, "shape")
    known = {shape.id: shape for shape in part.shapes}
    heirs: dict[ShapeId, list[ShapeId]] = {}
    boards = []
    for board in job.boards:
        own = {piece.id for piece in board.instances if piece.part == part_id}
        shapes: list[Shape] = []
        for shape in board.shapes:
            if instance_of(shape.id) in own and MARK in shape.id:
                new = ShapeId(f"shape{number}")
                number += 1
                heirs.setdefault(base_of(shape.id), []).append(new)
                shapes.append(replace(shape, id=new, group=known[base_of(shape.id)].group))
            elif MARK not in shape.id:
                shapes.append(shape)
        boards.append((board, own, tuple(shapes)))
    gone = {shape.id for shape in part.shapes}
    stored = {each.id: each for each in job.stored}
    job = replace(
        job, parts=tuple(each for each in job.parts if each.id != part_id),
        cuts=tuple(_only_heirs(with_heirs(cut, heirs), gone) for cut in job.cuts),
        stored=tuple(
            replace(
                stored[board.id], shapes=shapes,
                instances=tuple(piece for piece in board.instances if piece.id not in own),
            ) if own else stored[board.id]
            for board, own, shapes in boards
        ),
    )  # fmt: skip
    return Edit("Take apart", job)


def _only_heirs(cut: Any, gone: set[ShapeId]) -> Any:
    """The cut without the shapes whose place others have taken."""
    cut = cut.with_marks(
        lambda marks: tuple(m for m in marks if m.shape not in gone) if any(m.shape in gone for m in marks) else marks
    )
    return replace(cut, shapes=tuple(id_ for id_ in cut.shapes if id_ not in gone)) if gone & set(cut.shapes) else cut
