"""Laying stretches of a toolpath again, after some of it was taken out: up where one ends, over to the next, and down to it by the bit's rules.

For clamps and for tiles alike. Down goes a bit straight at its plunge feed where it can, and sloping along the way it goes on where it cannot,
or where its cut asks for a ramp.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from math import ceil

import msgspec
import numpy as np

from archimetra.geometry.arrays import FloatArray
from archimetra.job.bits import Bit, Recipe
from archimetra.job.cut_parts import Entry
from archimetra.job.cuts import Cut
from archimetra.toolpath.shared.moves import Move, MoveList, Role, Toolpath, straightened

LEAST_RAMP_DIAMETERS = 0.5  # a way on shorter than this is no ramp
_SLOPE_DEGREES = 5.0  # where a cut has no ramp of its own
_ABOVE_MM = 1.0  # over the sheet's top a rapid ends


class Piece(msgspec.Struct, frozen=True, eq=False):
    """Some moves that follow each other from ``begin``, as in a toolpath."""

    begin: FloatArray
    xyz: FloatArray
    kind: np.ndarray
    centre: FloatArray
    feed: FloatArray
    role: np.ndarray
    pass_no: int

    @property
    def length(self) -> float:
        """Along its chords, seen from above."""
        d = np.diff(np.vstack((self.begin, self.xyz))[:, :2], axis=0)
        return float(np.hypot(*d.T).sum())


def pieces_of(path: Toolpath, first: int, last: int) -> Iterator[Piece]:
    """Whole rows of a toolpath, one piece for each stretch of one pass."""
    edges = np.flatnonzero(np.diff(path.pass_no[first:last])) + 1
    bounds = [0, *edges.tolist(), last - first]
    for a, b in zip(bounds[:-1], bounds[1:], strict=True):
        rows = slice(first + a, first + b)
        begin = path.xyz[max(first + a - 1, 0)]
        yield Piece(
            begin, path.xyz[rows], path.kind[rows], path.centre[rows], path.feed[rows], path.role[rows],
            int(path.pass_no[first + a]),
        )  # fmt: skip


class Reentry:
    """Grows the moves again. ``over`` is how high it goes from a piece to the next, ``retract`` the least height for that. A bit that cannot plunge
    slopes down all the way from the air; one that can, where ``ramps``, through the last pass only: above it that very way is open."""

    def __init__(self, cut: Cut, bit: Bit, recipe: Recipe, *, over: float, retract: float, ramps: bool = False) -> None:
        self.moves = MoveList()
        self._over, self._retract = over, retract
        self._plunge, self._pass_mm = recipe.plunge, recipe.depth_per_pass
        asks = ramps and getattr(cut, "entry", Entry.PLUNGE) is not Entry.PLUNGE
        self._slope = float(getattr(cut, "ramp_degrees", _SLOPE_DEGREES)) if asks or not bit.can_plunge else None
        self._must_slope = not bit.can_plunge
        self._least_mm = LEAST_RAMP_DIAMETERS * bit.diameter
        self._is_up = False

    def begin_at(self, x: float, y: float) -> None:
        """Where the moves begin: high."""
        self.moves.add_point((x, y, self._over), kind=Move.RAPID)
        self._is_up = True

    def lay(self, pieces: Sequence[Piece | None]) -> list[Piece]:
        """All pieces, lifted at every None. The pieces left out come back: a bit that cannot plunge found no room to slope down on them."""
        left_out: list[Piece] = []
        k = 0
        while k < len(pieces):
            piece = pieces[k]
            if piece is None:
                self.lift()
            elif self._is_up and not self._return_to(piece, pieces[k:]):
                while k < len(pieces) and (left := pieces[k]) is not None:
                    left_out.append(left)
                    k += 1
                continue
            else:
                self.moves.add(piece.xyz, piece.kind, piece.centre, piece.feed, piece.role, piece.pass_no)
            k += 1
        return left_out

    def lift(self) -> None:
        if self._is_up:
            return
        x, y, z = self.moves.last
        if z < self._over:
            self.moves.add_point((x, y, self._over), kind=Move.RAPID, role=Role.LINK)
        self._is_up = True

    def _return_to(self, piece: Piece, following: Sequence[Piece | None]) -> bool:
        """Down to where a piece begins. False where a bit that cannot plunge finds no room to slope down on."""
        x, y, z = (float(v) for v in piece.begin)
        top = self._over
        above = max(z, min(_ABOVE_MM, self._retract))
        begin = above  # where the slope begins
        slope: FloatArray | None = None
        if z < min(above, 0.0) and self._slope is not None:
            if not self._must_slope:
                begin = min(above, z + self._pass_mm)
            way = _way_on(following, at_most=(begin - z) / np.tan(np.radians(self._slope)) + 40.0)
            slope = _sloping(way, begin, self._slope, least=self._least_mm)
            if slope is None and self._must_slope:
                return False
        self.moves.add_point((x, y, top), kind=Move.RAPID, role=Role.LINK)
        if above < top:
            self.moves.add_point((x, y, above), kind=Move.RAPID, role=Role.LINK)
        if slope is not None:
            if begin < above:
                self.moves.add_point(
                    (x, y, begin), kind=Move.LINE, feed=self._plunge, role=Role.ENTRY, pass_no=piece.pass_no
                )
            n = len(slope)
            speed = float(piece.feed[0]) if piece.kind[0] != Move.RAPID else self._plunge
            d = np.diff(np.vstack(([[x, y, begin]], slope)), axis=0)
            length = np.linalg.norm(d, axis=1)
            feed = np.where(
                d[:, 2] < -1e-9, np.minimum(speed, self._plunge * length / np.maximum(-d[:, 2], 1e-9)), speed
            )
            self.moves.add(
                slope, np.full(n, Move.LINE, dtype=np.uint8), np.zeros((n, 2)), feed,
                np.full(n, Role.ENTRY, dtype=np.uint8), piece.pass_no,
            )  # fmt: skip
        elif z < above:
            self.moves.add_point((x, y, z), kind=Move.LINE, feed=self._plunge, role=Role.ENTRY)
        self._is_up = False
        return True


def _way_on(following: Sequence[Piece | None], *, at_most: float) -> FloatArray:
    """Where the bit goes on from a piece's begin, points (n, 3), until it is lifted, goes straight up or down, or this far."""
    first = following[0]
    assert first is not None
    out, gone = [first.begin], 0.0
    for piece in following:
        if piece is None:
            break
        xyz, kind = np.vstack((piece.begin, piece.xyz)), np.concatenate(([Move.LINE], piece.kind))
        centre = np.vstack(([[0.0, 0.0]], piece.centre))
        points, row = straightened(xyz, kind.astype(np.uint8), centre, chord_tolerance_mm=0.01)
        for point, r in zip(points[1:], row[1:], strict=True):
            step = float(np.hypot(*(point - out[-1])[:2]))
            if kind[r] == Move.RAPID or (step < 1e-9 and abs(point[2] - out[-1][2]) > 1e-9):
                return np.array(out)
            out.append(point)
            gone += step
            if gone > at_most:
                return np.array(out)
    return np.array(out)


def _sloping(way: FloatArray, above: float, degrees: float, *, least: float) -> FloatArray | None:
    """To and fro along a way (n, 3) from the height ``above`` its begin down to it, points (m, 3); None where the way is too short."""
    steps = np.hypot(*np.diff(way[:, :2], axis=0).T)
    length = float(steps.sum())
    if length < least:
        return None
    drop = above - float(way[0, 2])
    turns = max(1, ceil(drop / np.tan(np.radians(degrees)) / (2 * length) - 1e-9))
    order = np.concatenate([np.concatenate((np.arange(1, len(way)), np.arange(len(way) - 2, -1, -1)))] * turns)
    gone = np.cumsum(np.concatenate([np.concatenate((steps, steps[::-1]))] * turns))
    height = above - drop * gone / gone[-1]
    return np.column_stack((way[order, :2], np.maximum(height, way[order, 2])))
