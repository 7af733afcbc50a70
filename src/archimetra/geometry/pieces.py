"""Many open pieces at once as flat arrays, so that drawings of loose lines by the hundred thousand stay quick.

``Pieces`` holds the segments of all pieces end to end; ``first`` (m + 1,) says where each piece begins.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from archimetra.geometry.arrays import BoolArray, ByteArray, FloatArray, IntArray
from archimetra.geometry.path import Path
from archimetra.geometry.segments import Kind, Segments, arcs_of, lengths


class Pieces(NamedTuple):
    p: FloatArray
    q: FloatArray
    kinds: ByteArray
    params: FloatArray
    first: IntArray

    @property
    def number(self) -> int:
        """How many pieces."""
        return len(self.first) - 1

    def segments(self) -> Segments:
        return Segments(self.p, self.q, self.kinds, self.params)

    def begins(self) -> FloatArray:
        return np.asarray(self.p[self.first[:-1]])

    def ends(self) -> FloatArray:
        return np.asarray(self.q[self.first[1:] - 1])

    def piece_lengths(self) -> FloatArray:
        return np.add.reduceat(lengths(self.segments()), self.first[:-1]) if self.number else np.zeros(0)

    def path(self, piece: int, *, closed: bool = False) -> Path:
        rows = slice(int(self.first[piece]), int(self.first[piece + 1]))
        nodes = np.vstack((self.p[rows], self.q[rows][-1:]))
        if closed:
            nodes[-1] = nodes[0]
        return Path(nodes, self.kinds[rows], self.params[rows], closed=closed)


def pieces_of(paths: Sequence[Path]) -> Pieces:
    """Open paths as pieces; each needs at least one segment."""
    if not paths:
        none = np.zeros((0, 2))
        return Pieces(none, none.copy(), np.zeros(0, np.uint8), np.zeros((0, 4)), np.zeros(1, np.int64))
    return Pieces(
        np.concatenate([path.nodes[:-1] for path in paths]),
        np.concatenate([path.nodes[1:] for path in paths]),
        np.concatenate([path.kinds for path in paths]),
        np.concatenate([path.params for path in paths]),
        np.concatenate(([0], np.cumsum([len(path) for path in paths]))).astype(np.int64),
    )


def taken(pieces: Pieces, order: IntArray, backward: BoolArray) -> Pieces:
    """The pieces in another order, some walked backwards."""
    sizes = np.diff(pieces.first)[order]
    first = np.concatenate(([0], np.cumsum(sizes)))
    piece = np.repeat(np.arange(len(order)), sizes)
    within = np.arange(first[-1]) - first[piece]
    back = backward[piece]
    base = pieces.first[order][piece]
    rows = np.where(back, base + sizes[piece] - 1 - within, base + within)
    p, q, kinds, params = pieces.p[rows], pieces.q[rows], pieces.kinds[rows], pieces.params[rows].copy()
    p, q = np.where(back[:, None], q, p), np.where(back[:, None], p, q)
    params[back & (kinds == Kind.ARC), 0] *= -1
    turned = back & (kinds == Kind.CUBIC)
    params[turned] = params[turned][:, [2, 3, 0, 1]]
    return Pieces(p, q, kinds, params, first)


def directions(pieces: Pieces) -> tuple[FloatArray, FloatArray]:
    """Unit directions (m, 2) in which each piece leaves its begin, and in which it arrives at its end."""
    a, b = pieces.first[:-1], pieces.first[1:] - 1
    return _tangent(pieces, a, at_end=False), _tangent(pieces, b, at_end=True)


def _tangent(pieces: Pieces, rows: IntArray, *, at_end: bool) -> FloatArray:
    p, q, kinds, params = pieces.p[rows], pieces.q[rows], pieces.kinds[rows], pieces.params[rows]
    d = q - p
    arc = np.flatnonzero(kinds == Kind.ARC)
    if len(arc):
        half = arcs_of(p[arc], q[arc], params[arc, 0]).sweep / 2 * (1 if at_end else -1)
        c, s = np.cos(half), np.sin(half)
        d[arc] = np.column_stack((d[arc, 0] * c - d[arc, 1] * s, d[arc, 0] * s + d[arc, 1] * c))
    cubic = np.flatnonzero(kinds == Kind.CUBIC)
    if len(cubic):
        near = q[cubic] - params[cubic, 2:4] if at_end else params[cubic, 0:2] - p[cubic]
        far = q[cubic] - params[cubic, 0:2] if at_end else params[cubic, 2:4] - p[cubic]
        is_zero = np.hypot(near[:, 0], near[:, 1]) < 1e-9
        d[cubic] = np.where(is_zero[:, None], far, near)
    size = np.hypot(d[:, 0], d[:, 1])
    size[size == 0] = 1.0
    return np.asarray(d / size[:, None])
