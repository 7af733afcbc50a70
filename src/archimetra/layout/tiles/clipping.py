"""A toolpath's moves within a window: clipped exactly at the depth they have, arcs as arcs; entries that leave the window are made anew.

Against a line of the window a straight move is clipped by Liang and Barsky's method; of an arc the angles at which it meets the window's
edges part it, z falling evenly with the angle.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import msgspec
import numpy as np

from archimetra.geometry.arrays import BoolArray, ByteArray, FloatArray, IntArray
from archimetra.job.bits import Bit, Recipe
from archimetra.job.cuts import Cut
from archimetra.job.setups import Box
from archimetra.job.sheet import Heights
from archimetra.toolpath.shared.moves import Move, Role, Toolpath, arc_angles, empty_toolpath
from archimetra.toolpath.shared.reentry import Piece, Reentry, pieces_of

_HAIR = 1e-9


class Share(NamedTuple):
    """What of a toolpath one setup cuts: stretches as they are, and stretches parted at a window. ``low`` and ``high`` (n, 2) are the corners of the
    window for each row."""

    whole: IntArray
    parted: IntArray
    low: FloatArray
    high: FloatArray


def windows(cell: Box, reach: Box, beyond: FloatArray) -> tuple[FloatArray, FloatArray]:
    """For each row the cell grown by so much, no farther than the machine reaches: lowest and highest corners (n, 2)."""
    low = np.column_stack((cell[0] - beyond, cell[1] - beyond))
    high = np.column_stack((cell[2] + beyond, cell[3] + beyond))
    return np.maximum(low, reach[:2]), np.minimum(high, reach[2:])


def share_of(
    path: Toolpath, share: Share, cut: Cut, bit: Bit, recipe: Recipe, heights: Heights
) -> tuple[Toolpath, list[Piece]]:
    """The moves of one setup, from retract height to retract height; and the pieces left out since a bit that cannot plunge has no room to go down."""
    stretches = [(int(a), int(b), False) for a, b in share.whole] + [(int(a), int(b), True) for a, b in share.parted]
    pieces: list[Piece | None] = []
    for a, b, is_parted in sorted(stretches):
        pieces.append(None)
        pieces += _within(path, a, b, share.low, share.high) if is_parted else pieces_of(path, a, b)
    pieces.append(None)
    first = next((piece for piece in pieces if piece is not None), None)
    if first is None:
        return empty_toolpath(path.cut, path.bit), []
    relaid = Reentry(cut, bit, recipe, over=heights.retract, retract=heights.retract, ramps=True)
    relaid.begin_at(float(first.begin[0]), float(first.begin[1]))
    left_out = relaid.lay(pieces)
    marks = tuple(mark for mark in path.marks if _holds(share, stretches, mark.x, mark.y))
    made = relaid.moves.toolpath(path.cut, path.bit, marks)
    return msgspec.structs.replace(made, outlines=path.outlines, pieces=path.pieces), left_out


def _holds(share: Share, stretches: list[tuple[int, int, bool]], x: float, y: float) -> bool:
    if not len(share.parted):
        return True
    a = min(first for first, _, is_parted in stretches if is_parted)
    (x0, y0), (x1, y1) = share.low[a], share.high[a]
    return bool(len(share.whole)) or (x0 <= x <= x1 and y0 <= y <= y1)


def _within(path: Toolpath, first: int, last: int, low: FloatArray, high: FloatArray) -> Iterator[Piece | None]:
    """The pieces of a stretch inside its windows; None between those that do not follow each other."""
    rows = np.arange(first, last)
    begin, end = path.xyz[rows - 1], path.xyz[rows]
    t0, t1 = _lines_within(begin[:, :2], end[:, :2], low[rows], high[rows])
    several: dict[int, list[tuple[float, float]]] = {}
    for k in np.flatnonzero(path.kind[rows] >= Move.ARC_CW).tolist():
        spans = _arc_within(path, int(rows[k]), low[rows[k]], high[rows[k]])
        t0[k], t1[k] = spans[0] if spans else (1.0, 0.0)
        if len(spans) > 1:
            several[k] = spans
    is_all = (t0 <= _HAIR) & (t1 >= 1 - _HAIR)
    is_some = t1 - t0 > _HAIR
    is_some |= is_all
    _drop_what_is_made_anew(path.role[rows], is_all, is_some)
    k, n = 0, len(rows)
    is_open = False  # whether the last piece ended where this row begins
    while k < n:
        if is_all[k]:
            stop = k
            while stop < n and is_all[stop]:
                stop += 1
            if not is_open:
                yield None
            yield from pieces_of(path, first + k, first + stop)
            k, is_open = stop, True
            continue
        if not is_some[k]:
            is_open = False
            k += 1
            continue
        for a, b in several.get(k, [(float(t0[k]), float(t1[k]))]):
            if not (is_open and a <= _HAIR):
                yield None
            yield _piece_of_row(path, first + k, a, b)
            is_open = b >= 1 - _HAIR
        k += 1


def _drop_what_is_made_anew(role: ByteArray, is_all: BoolArray, is_some: BoolArray) -> None:
    """An entry that leaves the window goes as a whole: the pass after it cuts what it would have."""
    is_entry = role == Role.ENTRY
    edges = np.flatnonzero(np.diff(np.concatenate(([0], is_entry.astype(np.int8), [0]))))
    for a, b in edges.reshape(-1, 2).tolist():
        if not is_all[a:b].all():
            is_all[a:b] = is_some[a:b] = False


def _lines_within(a: FloatArray, b: FloatArray, low: FloatArray, high: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Of straight moves the shares (n,) at which they enter and leave their windows; those outside enter after they leave."""
    t0, t1 = np.zeros(len(a)), np.ones(len(a))
    d = b - a
    for axis in (0, 1):
        still = np.abs(d[:, axis]) < 1e-12
        with np.errstate(divide="ignore", invalid="ignore"):
            u = (low[:, axis] - a[:, axis]) / d[:, axis]
            v = (high[:, axis] - a[:, axis]) / d[:, axis]
        near, far = np.minimum(u, v), np.maximum(u, v)
        outside = (a[:, axis] < low[:, axis]) | (a[:, axis] > high[:, axis])
        near = np.where(still, np.where(outside, 2.0, 0.0), near)
        far = np.where(still, np.where(outside, -1.0, 1.0), far)
        t0, t1 = np.maximum(t0, near), np.minimum(t1, far)
    return t0, t1


def _arc_within(path: Toolpath, row: int, low: FloatArray, high: FloatArray) -> list[tuple[float, float]]:
    """The shares of an arc inside a window."""
    begin, end, centre = path.xyz[row - 1], path.xyz[row], path.centre[row]
    radius = float(np.hypot(*(begin[:2] - centre)))
    if (centre - radius >= low).all() and (centre + radius <= high).all():
        return [(0.0, 1.0)]
    if (centre + radius < low).any() or (centre - radius > high).any():
        return []
    start, sweep = (float(v[0]) for v in arc_angles(begin[None], end[None], centre[None], path.kind[row : row + 1]))
    cuts = [0.0, 1.0]
    for axis, edge in ((0, low[0]), (0, high[0]), (1, low[1]), (1, high[1])):
        reach = (edge - centre[axis]) / radius
        if not abs(reach) < 1:
            continue
        at = np.arccos(reach) if axis == 0 else np.arcsin(reach)
        for angle in (at, -at if axis == 0 else np.pi - at):
            turn = np.mod(angle - start, 2 * np.pi) if sweep > 0 else -np.mod(start - angle, 2 * np.pi)
            share = turn / sweep
            if _HAIR < share < 1 - _HAIR:
                cuts.append(float(share))
    cuts.sort()
    out: list[tuple[float, float]] = []
    for a, b in zip(cuts[:-1], cuts[1:], strict=True):
        angle = start + sweep * (a + b) / 2
        middle = centre + radius * np.array((np.cos(angle), np.sin(angle)))
        if b - a > _HAIR and (middle >= low - 1e-9).all() and (middle <= high + 1e-9).all():
            if out and out[-1][1] >= a - _HAIR:
                out[-1] = (out[-1][0], b)
            else:
                out.append((a, b))
    return out


def _piece_of_row(path: Toolpath, row: int, a: float, b: float) -> Piece:
    """One move from share a to share b of it."""
    return Piece(
        _place(path, row, a), _place(path, row, b)[None, :], path.kind[row : row + 1], path.centre[row : row + 1],
        path.feed[row : row + 1], path.role[row : row + 1], int(path.pass_no[row]),
    )  # fmt: skip


def _place(path: Toolpath, row: int, share: float) -> FloatArray:
    begin, end = path.xyz[row - 1], path.xyz[row]
    if share <= _HAIR or share >= 1 - _HAIR:
        return np.array(begin if share <= _HAIR else end)
    out = begin + (end - begin) * share
    if path.kind[row] >= Move.ARC_CW:
        centre = path.centre[row]
        start, sweep = (float(v[0]) for v in arc_angles(begin[None], end[None], centre[None], path.kind[row : row + 1]))
        angle, radius = start + sweep * share, float(np.hypot(*(begin[:2] - centre)))
        out[:2] = centre + radius * np.array((np.cos(angle), np.sin(angle)))
    return np.asarray(out)
