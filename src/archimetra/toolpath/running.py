"""The order in which groups of cuts run.

Cuts run in the board's order, the groups of one from the nearest to the nearest, but for two things: a piece that lies in an opening of another
is cut before the cut that frees that opening, for afterwards it would be loose; and where it is asked for, all that one bit does is done piece
by piece.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import groupby
from typing import NamedTuple

import numpy as np
import shapely

from archimetra.geometry.arrays import FloatArray
from archimetra.job.cut_parts import Side
from archimetra.job.flat import instance_of
from archimetra.job.footprints import enclosed_by, lines_of
from archimetra.job.ids import BitId, CutId, InstanceId
from archimetra.job.job import Board
from archimetra.job.shapes import Shape
from archimetra.job.sheet import HoldDown
from archimetra.toolpath.groups import NO_PIECE, together
from archimetra.toolpath.shared.moves import Toolpath


class Step(NamedTuple):
    """One group of one cut, planned."""

    cut: CutId
    bit: BitId
    pieces: frozenset[InstanceId]
    path: Toolpath


def in_running_order(board: Board, steps: Sequence[Step]) -> list[Step]:
    """All steps that cut anything, in the order they run. ``steps`` come cut by cut in the board's order."""
    return list(_Running(board, [step for step in steps if len(step.path)]).order())


class _Running:
    def __init__(self, board: Board, steps: list[Step]) -> None:
        self._board, self._steps = board, steps
        self._begins = np.array([step.path.xyz[0, :2] for step in steps]).reshape(-1, 2)
        self._is_done = np.zeros(len(steps), dtype=bool)
        self._of_piece: dict[InstanceId, list[int]] = {}
        for k, step in enumerate(steps):
            for piece in step.pieces - {NO_PIECE}:
                self._of_piece.setdefault(piece, []).append(k)
        self._inside = self._occupants()
        self._at: FloatArray | None = None

    def order(self) -> Iterator[Step]:
        for units in self._stretches():
            if not self._board.piece_by_piece:  # those of one cut together: fewer blocks, and shorter ways
                ahead = {n for (k,) in units for n in self._ahead_of(k)} - {k for (k,) in units}
                for _, same in groupby(sorted(ahead), key=lambda k: self._steps[k].cut):
                    yield from self._from_the_nearest([[k] for k in same])
            yield from self._from_the_nearest(units)

    def _from_the_nearest(self, units: list[list[int]]) -> Iterator[Step]:
        left = [unit for unit in units if not all(self._is_done[k] for k in unit)]
        while left:
            unit = left.pop(self._nearest([members[0] for members in left]))
            for k in unit:
                yield from self._run(k)

    def _stretches(self) -> Iterator[list[list[int]]]:
        """What is run one after the other; in each, units of steps that stay together, to be taken from the nearest on."""
        numbers = range(len(self._steps))
        if not self._board.piece_by_piece:
            for _, same in groupby(numbers, key=lambda k: self._steps[k].cut):
                yield [[k] for k in same]
            return
        for _, same in groupby(numbers, key=lambda k: self._steps[k].bit):
            yield _units([(k, self._steps[k].pieces) for k in same])

    def _nearest(self, numbers: Sequence[int]) -> int:
        if self._at is None or len(numbers) == 1:
            return 0
        d = self._begins[list(numbers)] - self._at
        return int(np.argmin(d[:, 0] ** 2 + d[:, 1] ** 2))

    def _run(self, k: int) -> Iterator[Step]:
        """A step, before it what must be cut before it."""
        if self._is_done[k]:
            return
        self._is_done[k] = True
        step = self._steps[k]
        for n in self._ahead_of(k):
            yield from self._run(n)
        self._at = np.asarray(step.path.xyz[-1, :2])
        yield step

    def _ahead_of(self, k: int) -> list[int]:
        """What is still to be cut of the pieces in the openings a step frees. On a sheet that holds them anyhow only where it costs no change of
        the bit."""
        out: list[int] = []
        for piece in self._inside.get(k, ()):
            ahead = [n for n in self._of_piece[piece] if not self._is_done[n]]
            if self._board.sheet.hold_down is HoldDown.CLAMPED or all(
                self._steps[n].bit == self._steps[k].bit for n in ahead
            ):
                out += ahead
        return out

    def _occupants(self) -> dict[int, tuple[InstanceId, ...]]:
        """For each step that frees openings the pieces that lie in one of them."""
        board = self._board
        pieces = list(self._of_piece)
        freeing = [
            k for k, step in enumerate(self._steps)
            if (cut := board.cut(step.cut)) is not None and cut.loosens is Side.INSIDE and cut.is_through(board.sheet)
        ]  # fmt: skip
        if not freeing or not pieces:
            return {}
        shapes: dict[InstanceId, list[Shape]] = {}
        for shape in board.shapes:
            shapes.setdefault(instance_of(shape.id), []).append(shape)
        lines = [shapely.union_all(lines_of(shapes[piece])) for piece in pieces]
        tree = shapely.STRtree(lines)
        found: dict[int, tuple[InstanceId, ...]] = {}
        for k in freeing:
            step = self._steps[k]
            cut = board.cut(step.cut)
            assert cut is not None
            own = [s for s in board.shapes_of(cut) if instance_of(s.id) in step.pieces]
            inside = {int(n) for area in enclosed_by(own) for n in tree.query(area, predicate="covers")}
            there = tuple(pieces[n] for n in sorted(inside) if pieces[n] not in step.pieces)
            if there:
                found[k] = there
        return found


def _units(members: Sequence[tuple[int, frozenset[InstanceId]]]) -> list[list[int]]:
    """Steps that have a piece in common, together, in their order; so is what is of no piece."""
    last: dict[InstanceId, int] = {}
    pairs = []
    for number, (_, pieces) in enumerate(members):
        pairs += [(last[piece], number) for piece in pieces if piece in last]
        last |= dict.fromkeys(pieces, number)
    units = together(len(members), np.array(pairs, dtype=np.int64).reshape(-1, 2))
    return [[members[k][0] for k in unit] for unit in units]
