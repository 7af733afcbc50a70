"""The wood that is kept of each piece of a part on a board, and how wide the bit is that cuts it out."""

from __future__ import annotations

from typing import NamedTuple

import shapely
from shapely.geometry.base import BaseGeometry

from archimetra.job.cut_parts import Side
from archimetra.job.flat import instance_of
from archimetra.job.footprints import TOUCH_MM, enclosed_by
from archimetra.job.ids import InstanceId
from archimetra.job.job import Board, Job
from archimetra.job.shapes import Shape


class PieceWood(NamedTuple):
    """``wood`` is what the outlines of a piece hold, less what cuts through the sheet free in it; each taken ``TOUCH_MM`` wider. ``bit_width`` mm beside
    it are cut away with it (0 where nothing cuts it out); ``shapes`` are its own."""

    piece: InstanceId
    shapes: tuple[Shape, ...]
    wood: BaseGeometry
    bit_width: float


def woods_of(job: Job, board: Board) -> list[PieceWood]:
    """Of every piece on a board, in the order of its shapes."""
    of_piece: dict[InstanceId, list[Shape]] = {}
    for shape in board.shapes:
        if instance_of(shape.id):
            of_piece.setdefault(instance_of(shape.id), []).append(shape)
    if not of_piece:
        return []
    wide: dict[InstanceId, float] = {}
    freed: dict[InstanceId, list[Shape]] = {}
    for cut in board.cuts:
        bit = job.bit(cut.bit)
        if not cut.is_on or bit is None or cut.loosens is None:
            continue
        for shape in board.shapes_of(cut):
            piece = instance_of(shape.id)
            if cut.loosens is Side.OUTSIDE:
                wide[piece] = max(wide.get(piece, 0.0), bit.diameter)
            elif cut.is_through(board.sheet):
                freed.setdefault(piece, []).append(shape)
    return [
        PieceWood(piece, tuple(shapes), _kept(shapes, freed.get(piece, [])), wide.get(piece, 0.0))
        for piece, shapes in of_piece.items()
    ]


def gap_between(one: BaseGeometry, other: BaseGeometry) -> float:
    """Between the wood of two pieces, mm; below zero where they lie over each other."""
    gap = float(shapely.distance(one, other))
    if gap == 0 and float(shapely.area(shapely.intersection(one, other))) > TOUCH_MM:
        return -1.0
    return gap + 2 * TOUCH_MM  # both were taken a touch wider


def _kept(shapes: list[Shape], freed: list[Shape]) -> BaseGeometry:
    whole: BaseGeometry = shapely.union_all(enclosed_by(shapes))
    return shapely.difference(whole, shapely.union_all(enclosed_by(freed))) if freed else whole
