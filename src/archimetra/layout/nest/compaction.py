"""Exact finish: parts moved together, or out of each other, by linear programs over convex pieces.

For each two pieces near each other the line that separates them best is kept: staying on its own side of it is enough for two pieces to
stay apart, and linear in their moves. So every answer is valid as it stands, and repeating it finds the next better lines.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from scipy.optimize import linprog
from scipy.sparse import coo_matrix

from archimetra.geometry.arrays import BoolArray, FloatArray, IntArray
from archimetra.layout.nest.piece_kernels import separations
from archimetra.layout.nest.pieces import Pieces

APART_MM = -2e-4  # pieces that overlap by less than this count as apart: growing left room for it
_ROUNDS = 8
_LEAST_GAIN_MM = 0.02
_WORK_PER_ROW = 3e4  # cells looked at in the time a program takes for each row of it


class Lying(NamedTuple):
    """Items of one zone for a linear program: the shape of each, its corner (n, 2) and size (n, 2) in mm, and which never move."""

    shape: IntArray
    corner: FloatArray
    size: FloatArray
    fixed: BoolArray


def compact(lying: Lying, pieces: list[Pieces], room: tuple[float, float], step: float, random: np.random.Generator, work: FloatArray,
            rounds: int = _ROUNDS, *, gathers: bool = False) -> FloatArray:  # fmt: skip
    """Corners with everything moved left as far as it goes by moves of up to ``step`` mm a round, and where it ``gathers`` to the front, too. Nothing
    may overlap to begin with. What it took is added to ``work[0]``."""
    corner = lying.corner.copy()
    moves = ~lying.fixed
    used = _right_end(corner, lying, moves)
    tilt = np.full(len(corner), 2e-3 / len(corner)) if gathers else 1e-6 * random.standard_normal(len(corner))
    for _ in range(rounds):
        before = corner
        answer = _solved(lying, corner, pieces, room, step, tilt, work, is_elastic=False)
        if answer is None:
            break
        corner = answer
        now = _right_end(corner, lying, moves)
        if used - now < _LEAST_GAIN_MM and not (gathers and np.abs(corner - before).max() > _LEAST_GAIN_MM):
            break
        used = now
    return corner


def legalise(
    lying: Lying, pieces: list[Pieces], room: tuple[float, float], step: float, work: FloatArray
) -> FloatArray | None:
    """Corners at which nothing overlaps, near those given, which overlap a little; None where five rounds find none."""
    corner = lying.corner.copy()
    for _ in range(5):
        answer = _solved(lying, corner, pieces, room, step, np.zeros(len(corner)), work, is_elastic=True)
        if answer is None:
            return None
        corner = answer
        if not len(_apart(lying, corner, pieces, 0.0, below=APART_MM)):
            return corner
    return None


def _right_end(corner: FloatArray, lying: Lying, moves: BoolArray) -> float:
    return float((corner[moves, 0] + lying.size[moves, 0]).max(initial=0.0))


def _apart(lying: Lying, corner: FloatArray, pieces: list[Pieces], reach: float, *, below: float = np.inf) -> FloatArray:  # fmt: skip
    """Rows (a, b, gap, nx, ny) of pieces within ``reach`` of each other, of which not both are fixed."""
    points, first, owner, kind = [], [0], [], []
    for item, shape in enumerate(lying.shape.tolist()):
        own = pieces[shape]
        points.append(own.points + corner[item])
        first += (own.first[1:] + first[-1]).tolist()
        owner += [item] * (len(own.first) - 1)
        kind.append(own.kind)
    flat = np.vstack(points)
    begins = np.array(first, np.int64)
    low = np.minimum.reduceat(flat, begins[:-1])
    high = np.maximum.reduceat(flat, begins[:-1])
    rows: FloatArray = separations(
        flat, begins, np.array(owner, np.int64), np.concatenate(kind), np.hstack((low, high)), reach
    )
    if len(rows):
        both = lying.fixed[rows[:, 0].astype(np.int64)] & lying.fixed[rows[:, 1].astype(np.int64)]
        rows = rows[~both & (rows[:, 2] < below)]
    return rows


def _solved(
    lying: Lying, corner: FloatArray, pieces: list[Pieces], room: tuple[float, float], step: float, tilt: FloatArray, work: FloatArray, *,
    is_elastic: bool,
) -> FloatArray | None:  # fmt: skip
    """One program. Its columns are dx and dy of every item, and either the length or a slack for every two items that are near."""
    n = len(corner)
    rows = _apart(lying, corner, pieces, 2 * np.sqrt(2.0) * step)
    work[0] += _WORK_PER_ROW * len(rows)
    a, b = rows[:, 0].astype(np.int64), rows[:, 1].astype(np.int64)
    gap, nx, ny = rows[:, 2], rows[:, 3], rows[:, 4]
    number = np.arange(len(rows))
    # n . (d_b - d_a) >= -gap, as - n . d_b + n . d_a <= gap
    at = [number, number, number, number]
    column = [2 * a, 2 * a + 1, 2 * b, 2 * b + 1]
    value = [nx, ny, -nx, -ny]
    limit = np.maximum(gap, 0.0) if not is_elastic else gap
    if is_elastic:
        together, slack = np.unique(a * n + b, return_inverse=True)
        extra = len(together)
        at.append(number)
        column.append(2 * n + slack)
        value.append(np.full(len(rows), -1.0))
        cost = np.concatenate((np.zeros(2 * n), np.ones(extra)))
        limits = limit
        count = len(rows)
    else:
        extra = 1
        movable = np.flatnonzero(~lying.fixed)
        ends = len(rows) + np.arange(len(movable))  # x + width + dx <= length
        at += [ends, ends]
        column += [2 * movable, np.full(len(movable), 2 * n)]
        value += [np.ones(len(movable)), -np.ones(len(movable))]
        limits = np.concatenate((limit, -(corner[movable, 0] + lying.size[movable, 0])))
        count = len(rows) + len(movable)
        cost = np.zeros(2 * n + 1)
        cost[0 : 2 * n : 2] = 2e-3 / max(len(movable), 1)
        cost[1 : 2 * n : 2] = tilt
        cost[-1] = 1.0
    matrix = coo_matrix(
        (np.concatenate(value), (np.concatenate(at), np.concatenate(column))), shape=(count, 2 * n + extra)
    ).tocsr()
    high = np.minimum(step, np.array(room) - lying.size - corner)
    low = np.minimum(np.maximum(-step, -corner), high)  # what lies outside the room comes in as far as it must
    low[lying.fixed] = high[lying.fixed] = 0.0
    bounds = np.column_stack((low.ravel(), high.ravel())).tolist() + [(0.0, None)] * extra
    done = linprog(cost, A_ub=matrix, b_ub=limits, bounds=bounds, method="highs-ds")
    if done.status != 0 or done.x is None:
        return None
    return np.asarray(corner + np.asarray(done.x)[: 2 * n].reshape(-1, 2))
