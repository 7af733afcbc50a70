"""Checks of pieces of parts: none may be cut into by what is cut for another."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry
from shapely.ops import nearest_points

from archimetra.base.findings import Finding, Severity, mm
from archimetra.checks.check_input import CheckInput
from archimetra.job.cut_parts import Side
from archimetra.job.flat import instance_of
from archimetra.job.footprints import TOUCH_MM, enclosed_by
from archimetra.job.ids import InstanceId
from archimetra.job.shapes import Shape

_HAIR_MM = 2 * TOUCH_MM + 0.01  # both outlines are taken a touch wider
MOST_TOLD = 20


def pieces_cut_into(given: CheckInput) -> Iterator[Finding]:
    """Pieces nearer to each other than the bit that cuts one of them out is wide, or over each other."""
    board = given.board
    of_piece: dict[InstanceId, list[Shape]] = {}
    for shape in board.shapes:
        if instance_of(shape.id):
            of_piece.setdefault(instance_of(shape.id), []).append(shape)
    if len(of_piece) < 2:
        return
    wide: dict[InstanceId, float] = {}
    freed: dict[InstanceId, list[Shape]] = {}
    for cut in board.cuts:
        bit = given.job.bit(cut.bit)
        if not cut.is_on or bit is None or cut.loosens is None:
            continue
        for shape in board.shapes_of(cut):
            piece = instance_of(shape.id)
            if cut.loosens is Side.OUTSIDE:
                wide[piece] = max(wide.get(piece, 0.0), bit.diameter)
            elif cut.is_through(board.sheet):
                freed.setdefault(piece, []).append(shape)
    pieces = list(of_piece)
    wood = [_kept(of_piece[piece], freed.get(piece, [])) for piece in pieces]
    widest = max(wide.values(), default=0.0)
    near = shapely.STRtree(wood).query(wood, predicate="dwithin", distance=max(widest, 0.01))
    told = 0
    for a, b in near.T.tolist():
        if a >= b or told >= MOST_TOLD:
            continue
        gap = float(shapely.distance(wood[a], wood[b]))
        need = max(wide.get(pieces[a], 0.0), wide.get(pieces[b], 0.0))
        is_over = gap == 0 and float(shapely.area(shapely.intersection(wood[a], wood[b]))) > TOUCH_MM
        if gap >= need - _HAIR_MM and not is_over:
            continue
        told += 1
        one, other = (_name(of_piece[pieces[k]]) for k in (a, b))
        at = nearest_points(wood[a], wood[b])[0]
        words = (
            f"A piece of '{one}' lies over one of '{other}'."
            if is_over
            else f"A piece of '{one}' lies {mm(gap + 2 * TOUCH_MM, '.2f')} beside one of '{other}'; the bit that cuts it out, "
            f"{mm(need)} wide, cuts into that."
        )
        yield Finding(
            "pieces-touch", Severity.STOP, words, mend="Move them apart, or nest again.", at=(float(at.x), float(at.y)),
            subject=board.id,
        )  # fmt: skip


def _name(shapes: list[Shape]) -> str:
    """Of a piece: that of its largest outline."""
    areas = shapely.area(enclosed_by(shapes))
    return shapes[int(np.argmax(areas))].name


def _kept(shapes: list[Shape], freed: list[Shape]) -> BaseGeometry:
    whole: BaseGeometry = shapely.union_all(enclosed_by(shapes))
    return shapely.difference(whole, shapely.union_all(enclosed_by(freed))) if freed else whole
