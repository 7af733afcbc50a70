"""Boards as everything but the document sees them: flat, with the shapes of every instance at hand, each under an id of its own.

The shape ``shape5`` of a part stands on a board as ``shape5@piece2`` for the instance ``piece2``, grouped with the rest of it; cuts
that take ``shape5`` take that, marks and all. What is done to a flat board is taken back into the document by ``taken_in``: pieces that
were moved as a whole have moved; anything else done to one of their shapes is done to the part, and so to all its instances.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, NamedTuple

import msgspec

from archimetra.geometry.affine import Affine
from archimetra.job.cuts import Cut
from archimetra.job.ids import InstanceId, PartId, ShapeId
from archimetra.job.parts import Instance, Part, laid
from archimetra.job.shapes import Shape

replace = msgspec.structs.replace
MARK = "@"
Parts = Mapping[PartId, Part]


def base_of(id_: ShapeId) -> ShapeId:
    """The id of the part's shape a flat shape stands for; its own for any other."""
    return ShapeId(id_.partition(MARK)[0])


def instance_of(id_: ShapeId) -> InstanceId:
    """The instance a flat shape belongs to; '' for any other."""
    return InstanceId(id_.partition(MARK)[2])


class Made(NamedTuple):
    """What a flat shape was made of."""

    base: Shape
    instance: Instance
    flat: Shape


def flat_shapes(
    instances: Sequence[Instance], parts: Parts, known: Mapping[ShapeId, Made]
) -> dict[ShapeId, Made]:  # fmt: skip
    """The shapes of all instances; those ``known`` that are made of the same are kept."""
    out: dict[ShapeId, Made] = {}
    for instance in instances:
        part = parts.get(instance.part)
        if part is None:
            continue
        at = instance.at
        for base in part.shapes:
            id_ = ShapeId(f"{base.id}{MARK}{instance.id}")
            made = known.get(id_)
            if made is None or made.base is not base or made.instance != instance:
                flat = replace(base, id=id_, at=base.at.then(at), group=instance.id)
                made = Made(base, instance, flat)
            out[id_] = made
    return out


def by_base(made: Iterable[ShapeId]) -> dict[ShapeId, tuple[ShapeId, ...]]:
    """The flat ids of every part's shape."""
    out: dict[ShapeId, tuple[ShapeId, ...]] = {}
    for id_ in made:
        base = base_of(id_)
        out[base] = (*out.get(base, ()), id_)
    return out


def flat_cut(cut: Cut, flats: Mapping[ShapeId, tuple[ShapeId, ...]]) -> Cut:
    """A cut of the document on a board: it takes every instance of its shapes there, marked alike. What has none there stays named."""
    if not flats:
        return cut
    cut = cut.with_marks(lambda marks: _spread(marks, flats))
    if any(id_ in flats for id_ in cut.shapes):
        cut = replace(cut, shapes=tuple(flat for id_ in cut.shapes for flat in flats.get(id_, (id_,))))
    return cut


def _spread(marks: tuple[Any, ...], flats: Mapping[ShapeId, tuple[ShapeId, ...]]) -> tuple[Any, ...]:
    if not any(mark.shape in flats for mark in marks):
        return marks
    return tuple(
        mark if mark.shape not in flats else replace(mark, shape=flat)
        for mark in marks
        for flat in flats.get(mark.shape, (mark.shape,))
    )


def stored_cut(cut: Cut, before: Cut | None, gone: frozenset[InstanceId] = frozenset()) -> Cut:
    """A cut of a flat board as the document keeps it. ``before`` is the flat cut it was, if any: where the marks of one instance differ
    from what they were, they are those of all. Instances that are ``gone`` take nothing along."""
    fields: dict[str, Any] = {}
    if any(MARK in id_ for id_ in cut.shapes):
        fields["shapes"] = tuple(dict.fromkeys(base_of(id_) for id_ in cut.shapes))
    elif before is not None and gone and any(instance_of(id_) in gone for id_ in before.shapes):
        # the last instance here went: what it stood for is still the part's
        lost = [base_of(id_) for id_ in before.shapes if instance_of(id_) in gone]
        fields["shapes"] = (*cut.shapes, *dict.fromkeys(lost))
    old = _mark_sets(before) if before is not None else []
    number = -1

    def gathered(marks: tuple[Any, ...]) -> tuple[Any, ...]:
        nonlocal number
        number += 1
        if not any(MARK in mark.shape for mark in marks):
            return marks
        return _gathered(marks, old[number] if number < len(old) else ())

    cut = cut.with_marks(gathered)
    return replace(cut, **fields) if fields else cut


def _mark_sets(cut: Cut) -> list[tuple[Any, ...]]:
    """Every tuple of marks of a cut, in the order ``with_marks`` goes through them."""
    found: list[tuple[Any, ...]] = []

    def look(marks: tuple[Any, ...]) -> tuple[Any, ...]:
        found.append(marks)
        return marks

    cut.with_marks(look)
    return found


def _gathered(marks: tuple[Any, ...], before: tuple[Any, ...]) -> tuple[Any, ...]:
    """Marks on parts' own shapes: for each shape those of the instance whose marks were changed, else of the first."""
    now, was = _by_shape(marks), _by_shape(before)
    chosen: dict[ShapeId, ShapeId] = {}
    for id_ in dict.fromkeys((*now, *was)):
        if MARK not in id_:
            continue
        base = base_of(id_)
        is_changed = now.get(id_, ()) != was.get(id_, ()) and id_ in was
        if base not in chosen or is_changed:
            chosen[base] = id_
    out: list[Any] = []
    done: set[ShapeId] = set()
    for mark in marks:
        base = base_of(mark.shape)
        if MARK not in mark.shape:
            out.append(mark)
        elif base not in done:
            done.add(base)
            out += [replace(each, shape=base) for each in now.get(chosen[base], ())]
    return tuple(out)


def _by_shape(marks: Iterable[Any]) -> dict[ShapeId, tuple[Any, ...]]:
    out: dict[ShapeId, tuple[Any, ...]] = {}
    for mark in marks:
        out[mark.shape] = (*out.get(mark.shape, ()), mark)
    return out


class TakenIn(NamedTuple):
    """What became of a flat board's shapes: its own, its instances, the parts that changed, and instances that are gone."""

    shapes: tuple[Shape, ...]
    instances: tuple[Instance, ...]
    parts: dict[PartId, Part]
    gone: frozenset[InstanceId]


def taken_in(
    shapes: Sequence[Shape], instances: Sequence[Instance], before: Mapping[ShapeId, Made], parts: Parts
) -> TakenIn:  # fmt: skip
    """What was done to the flat ``shapes`` and ``instances`` of a board, ``before`` being what its flat shapes were made of."""
    own = tuple(shape for shape in shapes if MARK not in shape.id)
    known = {made.instance.id: made.instance for made in before.values()}
    if not known or not before:
        return TakenIn(own, tuple(instances), {}, frozenset())
    now = {shape.id: shape for shape in shapes if MARK in shape.id}
    members: dict[InstanceId, list[ShapeId]] = {}
    for id_ in before:
        members.setdefault(instance_of(id_), []).append(id_)
    changed: dict[PartId, Part] = {}
    kept: list[Instance] = []
    for instance in instances:
        was = known.get(instance.id)
        if was is None or was != instance:  # new, or laid elsewhere by itself
            kept.append(instance)
            continue
        ids = members[instance.id]
        there = [id_ for id_ in ids if id_ in now]
        if not there:
            continue
        if len(there) == len(ids) and all(now[id_] is before[id_].flat for id_ in ids):
            kept.append(instance)
            continue
        moved = _moved_as_one(instance, [(before[id_], now[id_]) for id_ in there]) if len(there) == len(ids) else None
        if moved is not None:
            kept.append(moved)
            continue
        part = changed.get(instance.part, parts[instance.part])
        changed[instance.part] = _with_changes(part, instance, before, now)
        kept.append(instance)
    here = {instance.id for instance in kept}
    return TakenIn(own, tuple(kept), changed, frozenset(id_ for id_ in known if id_ not in here))


def _moved_as_one(instance: Instance, pairs: list[tuple[Made, Shape]]) -> Instance | None:
    """The instance where it lies when all its shapes were moved, turned or mirrored alike and nothing else; None otherwise."""
    made, first = pairs[0]
    by = made.flat.at.inverse().then(first.at)
    for made, shape in pairs:
        if replace(shape, at=made.flat.at) != made.flat or not _alike(made.flat.at.then(by), shape.at):
            return None
    return laid(instance, instance.at.then(by))


def _alike(one: Affine, other: Affine) -> bool:
    return (
        max(abs(one.a - other.a), abs(one.b - other.b), abs(one.c - other.c), abs(one.d - other.d)) < 1e-9
        and max(abs(one.e - other.e), abs(one.f - other.f)) < 1e-6
    )


def _with_changes(
    part: Part, instance: Instance, before: Mapping[ShapeId, Made], now: Mapping[ShapeId, Shape]
) -> Part:  # fmt: skip
    """The part with what was done to the shapes of one of its instances."""
    back = instance.at.inverse()
    shapes = []
    for base in part.shapes:
        id_ = ShapeId(f"{base.id}{MARK}{instance.id}")
        shape, made = now.get(id_), before.get(id_)
        if made is None or shape is made.flat:
            shapes.append(base)
        elif shape is not None:
            at = base.at if shape.at == made.flat.at else shape.at.then(back)
            group = base.group if shape.group == instance.id else shape.group
            shapes.append(replace(shape, id=base.id, at=at, group=group))
    return replace(part, shapes=tuple(shapes))
