"""Shapes copied: on their board, and taken along to another. A copy is cut as its original is, tabs and starts set by hand included."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

from archimetra.edits import rack
from archimetra.edits.cutting import new_cut_id
from archimetra.edits.edit import Edit, board_of, next_number, replace, with_board
from archimetra.edits.layering import free_shapes
from archimetra.edits.placement import new_layer
from archimetra.geometry.affine import IDENTITY, Affine
from archimetra.job.bits import Bit
from archimetra.job.cuts import Cut
from archimetra.job.ids import BitId, BoardId, CutId, InlayId, LayerId, ShapeId, next_id
from archimetra.job.job import Board, Job
from archimetra.job.shapes import Shape, box_of

Point = tuple[float, float]
Heirs = Mapping[ShapeId, Sequence[ShapeId]]  # of each shape its copies


def copies(
    job: Job, board_id: BoardId, ids: Sequence[ShapeId], places: Sequence[Affine], label: str
) -> tuple[Edit, tuple[ShapeId, ...]]:
    """The shapes copied to each place; the shapes named and their copies."""
    board = board_of(job, board_id)
    originals = free_shapes(board, ids)
    made: list[Shape] = []
    heirs: dict[ShapeId, list[ShapeId]] = {}
    taken = {shape.group for shape in board.shapes if shape.group}
    number = next_number(job, "shape")
    for place in places:
        groups: dict[str, str] = {}
        for shape in originals:
            id_ = ShapeId(f"shape{number + len(made)}")
            group = _group(shape.group, groups, taken, job)
            made.append(replace(shape, id=id_, at=shape.at.then(place), group=group, origin=None))
            heirs.setdefault(shape.id, []).append(id_)
    cuts = tuple(with_heirs(cut, heirs) for cut in board.cuts)
    job = with_board(job, board_id, lambda board: replace(board, shapes=(*board.shapes, *made), cuts=cuts))
    return Edit(label, job), (*ids, *[shape.id for shape in made])


def with_heirs(cut: Cut, heirs: Heirs) -> Cut:
    """The cut with the copies of its shapes beside them, marked as they are."""
    fields: dict[str, object] = {}
    more = [heir for id_ in cut.shapes for heir in heirs.get(id_, ())]
    if more:
        fields["shapes"] = (*cut.shapes, *more)
    cut = cut.with_marks(lambda marks: (*marks, *fresh) if (fresh := _of_heirs(marks, heirs)) else marks)
    return replace(cut, **fields) if fields else cut


def renamed(cut: Cut, shapes: Mapping[ShapeId, ShapeId], layers: Mapping[LayerId, LayerId]) -> Cut:
    """The cut on other shapes and layers in place of those it names; what is not among them stays named."""

    def new(id_: ShapeId) -> ShapeId:
        return shapes.get(id_, id_)

    fields: dict[str, object] = {"shapes": tuple(map(new, cut.shapes)), "layer": layers.get(cut.layer, cut.layer)}
    cut = cut.with_marks(lambda marks: tuple(replace(mark, shape=new(mark.shape)) for mark in marks))
    return replace(cut.with_zone(layers.get(cut.zone, cut.zone)), **fields)


def _of_heirs(marks: Sequence[object], heirs: Heirs) -> list[object]:
    return [replace(mark, shape=heir) for mark in marks for heir in heirs.get(mark.shape, ())]  # type: ignore[attr-defined,type-var]


def _only_on(cut: Cut, shapes: Sequence[ShapeId]) -> Cut:
    """The same work on these shapes alone."""
    mine = set(shapes)
    cut = cut.with_marks(lambda marks: tuple(mark for mark in marks if mark.shape in mine)).with_zone(LayerId(""))
    return replace(cut, shapes=tuple(shapes), layer=LayerId(""))


# ---- taken along


class Clip(NamedTuple):
    """Shapes taken along: as they were, with the names of their layers, and the cuts that took them, on these shapes only, with their
    bits."""

    board: BoardId
    shapes: tuple[Shape, ...]
    layers: dict[str, str]
    cuts: tuple[Cut, ...]
    bits: dict[BitId, Bit]


def copied(job: Job, board_id: BoardId, ids: Sequence[ShapeId]) -> Clip:
    board = board_of(job, board_id)
    wanted = set(ids)
    # a plug's outline that is copied becomes a shape of its own
    shapes = tuple(
        replace(shape, follows=InlayId(""), is_locked=False) if shape.follows else shape
        for shape in board.shapes
        if shape.id in wanted
    )
    cuts = []
    for cut in board.cuts:
        taken = tuple(shape.id for shape in board.shapes_of(cut) if shape.id in wanted)
        if taken and cut.mating is None and cut.clears is None:
            cuts.append(_only_on(cut, taken))
    clears = {cut.id for cut in cuts}
    cuts += [
        cut for cut in board.cuts if cut.clears is not None and cut.mating is None and board.root_cut(cut).id in clears
    ]
    bits = {cut.bit: bit for cut in cuts if (bit := job.bit(cut.bit)) is not None}
    return Clip(board_id, shapes, {layer.id: layer.name for layer in board.layers}, tuple(cuts), bits)


def paste(job: Job, board_id: BoardId, clip: Clip, *, at: Point | None = None) -> tuple[Edit, tuple[ShapeId, ...]]:
    """Copied shapes on a board, on layers of the same name: where they were, or with their middle at a point. On the
    board they came from they are shifted a little so that they show. Cuts that took them there take the copies too; on another
    board there are such cuts from then on."""
    board = board_of(job, board_id)
    layers = list(board.layers)
    box = box_of(clip.shapes)
    shift = IDENTITY
    if box is not None and at is not None:
        shift = Affine.shift(at[0] - (box[0] + box[2]) / 2, at[1] - (box[1] + box[3]) / 2)
    elif {(s.id, s.at) for s in clip.shapes} & {(s.id, s.at) for s in board.shapes}:
        shift = Affine.shift(10.0, -10.0)
    groups: dict[str, str] = {}
    taken = {s.group for s in board.shapes if s.group}
    number = next_number(job, "shape")
    made: list[Shape] = []
    for shape in clip.shapes:
        name = clip.layers.get(shape.layer, "Artwork")
        layer = next((known for known in layers if known.name == name), None)
        if layer is None:
            layer = new_layer(job, layers, name)
            layers.append(layer)
        made.append(
            replace(
                shape, id=ShapeId(f"shape{number + len(made)}"), layer=layer.id, at=shape.at.then(shift),
                group=_group(shape.group, groups, taken, job), origin=None, is_locked=False,
            )
        )  # fmt: skip
    heirs = {old.id: (new.id,) for old, new in zip(clip.shapes, made, strict=True)}
    job = with_board(job, board_id, lambda b: replace(b, layers=tuple(layers), shapes=(*b.shapes, *made)))
    return Edit("Paste", _with_cuts(job, board_id, clip, heirs)), tuple(shape.id for shape in made)


def _with_cuts(job: Job, board_id: BoardId, clip: Clip, heirs: Heirs) -> Job:
    """The pasted shapes taken by the cuts that took their originals, by one just like it that is there, or by a new one."""
    new: dict[CutId, CutId] = {}
    is_home = _is_home(board_of(job, board_id), clip)
    for cut in clip.cuts:
        board = board_of(job, board_id)
        known = board.cut(cut.id)
        if known is not None and is_home:
            job = _with_cut(job, board_id, with_heirs(known, heirs))
            continue
        wanted = clip.bits.get(cut.bit)
        if wanted is None:
            continue
        bit = next((own.id for own in job.bits if _is_alike(own, wanted)), None)
        if bit is None:
            edit, bit = rack.take(job, replace(wanted, rack_id=""))
            job = edit.job
        pasted = [heir for id_ in cut.shapes for heir in heirs.get(id_, ())]
        fresh = replace(_only_on(with_heirs(cut, heirs), pasted), bit=bit)
        if fresh.clears is not None:
            onto = new.get(fresh.parent)
            if onto is None:
                continue  # the cut it belongs to is not new: one like it clears there already
            fresh = fresh.with_parent(onto)
        like = next((own for own in board.cuts if _bare(own) == _bare(fresh) and own.clears is None), None)
        if like is not None:
            job = _with_cut(job, board_id, _joined(like, fresh))
            continue
        new[cut.id] = new_cut_id(job)
        fresh = replace(fresh, id=new[cut.id])
        job = with_board(job, board_id, lambda b, fresh=fresh: replace(b, cuts=(*b.cuts, fresh)))  # type: ignore[misc]
    return job


def _is_home(board: Board, clip: Clip) -> bool:
    """Whether a board is the one the shapes were copied from. Another job has boards, shapes and cuts of the same ids."""
    there = [(shape, board.shape(shape.id)) for shape in clip.shapes]
    return clip.board == board.id and any(known is not None and known.paths == shape.paths for shape, known in there)


def _joined(cut: Cut, more: Cut) -> Cut:
    """Two cuts that differ in what they are on, as one."""
    theirs: list[tuple[Any, ...]] = []

    def gathered(marks: tuple[Any, ...]) -> tuple[Any, ...]:
        theirs.append(marks)
        return marks

    more.with_marks(gathered)
    further = iter(theirs)
    cut = cut.with_marks(lambda marks: (*marks, *next(further, ())))
    return replace(cut, shapes=(*cut.shapes, *more.shapes))


def _bare(cut: Cut) -> Cut:
    """A cut without what it is on: two that are equal then do the same work."""
    cut = cut.with_marks(lambda marks: ()).with_zone(LayerId(""))
    return replace(cut, id=CutId(""), name="", shapes=(), layer=LayerId(""))


def _is_alike(own: Bit, wanted: Bit) -> bool:
    mine = {"id": wanted.id, "place": wanted.place, "holder": wanted.holder, "rack_id": wanted.rack_id}
    return replace(own, **mine) == wanted


def _with_cut(job: Job, board_id: BoardId, cut: Cut) -> Job:
    return with_board(job, board_id, lambda b: replace(b, cuts=tuple(cut if c.id == cut.id else c for c in b.cuts)))


def _group(group: str, known: dict[str, str], taken: set[str], job: Job) -> str:
    """The group of a copy: one of its own for each group of the originals."""
    if group and group not in known:
        known[group] = next_id("group", taken, job.numbers)
        taken.add(known[group])
    return known.get(group, "")
