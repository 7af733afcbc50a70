"""Gaps between pieces while some of them are dragged: how far the nearest others are, and whether the bit has room between."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

from archimetra.geometry.affine import Affine
from archimetra.job.flat import instance_of
from archimetra.job.ids import ShapeId
from archimetra.job.job import Board, Job

Point = tuple[float, float]
MOST_SHOWN = 4
_FAR_MM = 25.0
_HAIR_MM = 0.01


class Gap(NamedTuple):
    """From one place to another, ``size`` mm; below zero where the pieces lie over each other. ``is_room`` says whether that is enough for the bit."""

    begin: Point
    end: Point
    size: float
    is_room: bool


class PieceGaps:
    """Made when a drag begins."""

    def __init__(self, job: Job, board: Board, picked: Sequence[ShapeId]) -> None:
        import shapely

        from archimetra.job.piece_wood import woods_of

        moved = {instance_of(id_) for id_ in picked} - {""}
        pieces = woods_of(job, board) if moved else []
        self._moved = [piece for piece in pieces if piece.piece in moved]
        self._others = [piece for piece in pieces if piece.piece not in moved]
        self._tree: Any = shapely.STRtree([piece.wood for piece in self._others])

    def at(self, m: Affine) -> list[Gap]:
        """The nearest few where the drag has come to; one for each piece beside."""
        import shapely

        from archimetra.job.piece_wood import gap_between

        found: list[Gap] = []
        if not self._others:
            return found
        for piece in self._moved:
            wood = shapely.transform(piece.wood, m.apply)
            for k in self._tree.query(wood, predicate="dwithin", distance=_FAR_MM).tolist():
                other = self._others[k]
                size = gap_between(wood, other.wood)
                line = shapely.shortest_line(wood, other.wood)
                (ax, ay), (bx, by) = shapely.get_coordinates(line).tolist()
                found.append(Gap((ax, ay), (bx, by), size, size >= max(piece.bit_width, other.bit_width) - _HAIR_MM))
        return sorted(found, key=lambda gap: gap.size)[:MOST_SHOWN]
