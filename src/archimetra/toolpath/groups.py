"""What of a cut can be planned by itself: the shapes of one piece of a part, or of pieces so near to each other that one bit touches both.

Such a group is planned under names without the piece in them, so that pieces that lie the same way round have one plan between them, and moving
one costs none. What does not belong to any piece is a group of its own.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import NamedTuple

import msgspec
import numpy as np
import shapely
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from archimetra.job.cuts import Cut
from archimetra.job.flat import MARK, base_of, instance_of
from archimetra.job.footprints import enclosed_by, lines_of
from archimetra.job.ids import InstanceId, ShapeId
from archimetra.job.shapes import Shape
from archimetra.toolpath.resolved_cut import ResolvedCut

replace = msgspec.structs.replace
NO_PIECE = InstanceId("")
_SLACK_MM = 0.5  # contours of pieces one bit apart, or nearly so, are one another's business
_AROUND = 3.0  # diameters of the bit about a group within which other work counts for it


class Group(NamedTuple):
    """``pieces`` are the instances ('' for shapes that are of none); ``work`` is what is planned, its shapes under the ids that ``names`` leads
    back from."""

    pieces: tuple[InstanceId, ...]
    work: ResolvedCut
    names: Mapping[ShapeId, ShapeId]


def groups_of(work: ResolvedCut) -> list[Group]:
    """The groups of a cut, in the order of its shapes."""
    if not any(MARK in shape.id for shape in work.shapes):
        return [Group((NO_PIECE,), work, {})]
    of = np.array([instance_of(shape.id) for shape in work.shapes], dtype=object)
    pieces = list(dict.fromkeys(of.tolist()))
    number = {piece: k for k, piece in enumerate(pieces)}
    owner = np.array([number[piece] for piece in of.tolist()])
    lines = lines_of(work.shapes)
    a, b = shapely.STRtree(lines).query(lines, predicate="dwithin", distance=work.bit.diameter + _SLACK_MM)
    apart = owner[a] != owner[b]
    a, b = a[apart], b[apart]
    areas = enclosed_by(work.shapes)
    # what lies in an opening of another piece is no opening in that piece, as it would be within one drawing
    beside = ~(shapely.covers(areas[a], lines[b]) | shapely.covers(areas[b], lines[a]))
    sets = together(len(pieces), np.column_stack((owner[a], owner[b]))[beside])
    around = _Around(work)
    own: list[list[Shape]] = [[] for _ in pieces]
    for shape, k in zip(work.shapes, owner.tolist(), strict=True):
        own[k].append(shape)
    return [around.group(tuple(pieces[k] for k in ks), [shape for k in ks for shape in own[k]]) for ks in sets]


def together(count: int, pairs: np.ndarray) -> list[list[int]]:
    """Numbers that pairs join, each set in rising order, by its first."""
    links = coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(count, count))
    _, which = connected_components(links, directed=False)
    sets: dict[int, list[int]] = {}
    for k, of in enumerate(which.tolist()):
        sets.setdefault(of, []).append(k)
    return list(sets.values())


class _Around:
    """Makes groups of one cut, each with what else counts for it: what is cut out or opened near it."""

    def __init__(self, work: ResolvedCut) -> None:
        self._work = work
        self._reach = _AROUND * work.bit.diameter + 2.0
        self._boxes = {shape.id: shape.bounds() for shape in work.waste_outlines + work.tab_zones}
        for prior in work.prior:
            self._boxes |= {shape.id: shape.bounds() for shape in prior.shapes}

    def group(self, pieces: tuple[InstanceId, ...], shapes: list[Shape]) -> Group:
        work = self._work
        boxes = np.array([shape.bounds() for shape in shapes])
        x0, y0 = boxes[:, :2].min(axis=0) - self._reach
        x1, y1 = boxes[:, 2:].max(axis=0) + self._reach

        def near(others: Iterable[Shape]) -> tuple[Shape, ...]:
            return tuple(
                shape for shape in others
                if (b := self._boxes[shape.id])[0] <= x1 and b[2] >= x0 and b[1] <= y1 and b[3] >= y0
            )  # fmt: skip

        part = replace(
            work, shapes=tuple(shapes), waste_outlines=near(work.waste_outlines), tab_zones=near(work.tab_zones),
            prior=tuple(replace(prior, shapes=near(prior.shapes)) for prior in work.prior),
        )  # fmt: skip
        return _renamed(pieces, part)


def _renamed(pieces: tuple[InstanceId, ...], work: ResolvedCut) -> Group:
    """The work with its pieces numbered in the order they come: the group's own, then those beside it."""
    numbers: dict[InstanceId, int] = {}
    for piece in pieces:
        if piece:
            numbers.setdefault(piece, len(numbers))
    names: dict[ShapeId, ShapeId] = {}

    def plain(id_: ShapeId) -> ShapeId:
        piece = instance_of(id_)
        if not piece:
            return id_
        new = ShapeId(f"{base_of(id_)}{MARK}{numbers.setdefault(piece, len(numbers))}")
        names[new] = id_
        return new

    def shapes(given: tuple[Shape, ...]) -> tuple[Shape, ...]:
        return tuple(replace(shape, id=plain(shape.id), group="") if MARK in shape.id else shape for shape in given)

    def cut(given: Cut, here: tuple[Shape, ...]) -> Cut:
        own = {shape.id for shape in here}
        marked = given.with_marks(
            lambda marks: tuple(
                replace(m, shape=plain(m.shape)) if MARK in m.shape else m for m in marks if m.shape in own
            )
        )
        return replace(marked, shapes=tuple(plain(shape.id) for shape in here))

    own = shapes(work.shapes)
    return Group(
        pieces,
        replace(
            work, cut=cut(work.cut, work.shapes), shapes=own, waste_outlines=shapes(work.waste_outlines), tab_zones=shapes(work.tab_zones),
            prior=tuple(replace(p, cut=cut(p.cut, p.shapes), shapes=shapes(p.shapes)) for p in work.prior),
        ),
        names,
    )  # fmt: skip
