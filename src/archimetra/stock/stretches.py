"""Stretches of a run, each with what it cuts by itself.

A bit only ever takes wood away, so a field is the least of what its stretches leave, in whatever order they are laid on each other: a
stretch is swept once and kept for as long as its moves stay the same, whatever is changed before and after it. Undercut bits are the
exception: what stands above the head decides what opens, so their stretches are swept on what was left by those before.
"""

from __future__ import annotations

import os
from collections.abc import Iterator, MutableMapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from hashlib import blake2b
from math import ceil
from typing import NamedTuple

import numpy as np
from cachetools import LRUCache

from archimetra.geometry.arrays import AnyArray, BoolArray, FloatArray, IntArray
from archimetra.job.bits import Bit
from archimetra.stock.bitshapes import BitShapes, bit_shapes
from archimetra.stock.grid import Grid
from archimetra.stock.sweep_kernels import TILE, UNDERCUT, lay_tiles, sweep, take_tiles
from archimetra.toolpath.shared.moves import straightened
from archimetra.toolpath.shared.program import Run

KEYFRAME_WORK = 6_000_000  # cell updates in a stretch: some 10 to 20 ms of replay
_LEAST_SHARE = 0.05  # blocks of less than so much of that are taken together
_WORK_PER_MOVE = 150
_MOST_KEPT = 150_000_000  # bytes
_THREADS = min(4, os.cpu_count() or 1)


class Stretch(NamedTuple):
    """The tiles (n, 2) it touches, row and column, and how low it leaves their cells, (n, TILE, TILE) float32."""

    tiles: IntArray
    heights: AnyArray

    @property
    def nbytes(self) -> int:
        return int(self.tiles.nbytes + self.heights.nbytes)


Kept = MutableMapping[bytes, Stretch]


def kept_stretches() -> Kept:
    """Room for the stretches used last."""
    return LRUCache(_MOST_KEPT, getsizeof=lambda one: min(one.nbytes + 500, _MOST_KEPT))


class Moves(NamedTuple):
    """A run as it is swept: its points (m, 3), arcs straightened, and the number of the bit in each move that ends at one."""

    points: FloatArray
    bit_of: IntArray
    bits: BitShapes

    def sweep(self, field: AnyArray, grid: Grid, first: int, last: int, tiles: BoolArray) -> None:
        """Lower ``field`` by the moves that end at points ``first`` to ``last`` - 1; ``tiles`` marks those touched."""
        sweep(field, grid.x0, grid.y0, grid.cell, self.points, first, last, self.bit_of, *self.bits.arguments(), tiles)

    def has_undercuts(self, first: int, last: int) -> bool:
        """Whether a bit of these moves hollows wood out."""
        return bool((self.bits.shapes[self.bit_of[first:last]] == UNDERCUT).any())

    def key(self, grid: Grid, first: int, last: int) -> bytes:
        """The same for moves that leave the same: those above the sheet leave nothing."""
        a, b = self.points[first - 1 : last - 1], self.points[first:last]
        is_low = (a[:, 2] < 0) | (b[:, 2] < 0)
        shapes = np.column_stack(self.bits.arguments())
        digest = blake2b(repr(grid).encode(), digest_size=16)
        for part in (a[is_low], b[is_low], shapes[self.bit_of[first:last][is_low]]):
            digest.update(np.ascontiguousarray(part).tobytes())
        return digest.digest()


def moves_of(run: Run, bits: Sequence[Bit], *, chord_tolerance_mm: float) -> tuple[Moves, IntArray]:
    """A run with its arcs straightened, and the row of the run each point belongs to."""
    points, rows = straightened(run.xyz, run.kind, run.centre, chord_tolerance_mm=chord_tolerance_mm)
    points = np.require(points, requirements=["C", "W"])  # of one kind: each has kernels compiled for itself
    numbers = {bit.id: number for number, bit in enumerate(bits)}
    of_block = np.array([numbers[block.bit] for block in run.blocks] or [0], dtype=np.int64)
    bit_of = np.where(run.block[rows] >= 0, of_block[run.block[rows]], 0)
    return Moves(points, bit_of, bit_shapes(bits)), rows


def swept(moves: Moves, grid: Grid, field: AnyArray, first: int, last: int, *, is_empty: bool) -> Stretch:
    """Sweep a stretch onto ``field`` and take what it leaves; a field that ``is_empty`` is left so."""
    touched = tile_marks(field.shape)
    moves.sweep(field, grid, first, last, touched)
    tiles = np.argwhere(touched)
    heights = np.zeros((len(tiles), TILE, TILE), dtype=np.float32)
    take_tiles(field, tiles, heights, is_empty)
    return Stretch(tiles, heights)


def swept_apart(
    moves: Moves, grid: Grid, shape: tuple[int, int], spans: Sequence[tuple[int, int]]
) -> Iterator[Stretch]:
    """Sweep each of the spans of moves by itself, in the order given. Kernels let the interpreter go: threads share the work."""
    threads = min(_THREADS, len(spans))
    if not threads:
        return
    empty = [np.zeros(shape, dtype=np.float32) for _ in range(threads)]

    def one(span: tuple[int, int]) -> Stretch:
        field = empty.pop()
        try:
            return swept(moves, grid, field, *span, is_empty=True)
        finally:
            empty.append(field)

    if threads == 1:
        yield from map(one, spans)
        return
    with ThreadPoolExecutor(threads) as pool:
        yield from pool.map(one, spans)


def tile_marks(shape: tuple[int, ...]) -> BoolArray:
    """A mark for each tile of a field, none set."""
    return np.zeros((ceil(shape[0] / TILE), ceil(shape[1] / TILE)), dtype=bool)


def lay(field: AnyArray, stretch: Stretch, where: BoolArray) -> None:
    """Lower ``field`` by a stretch in the tiles that are marked."""
    lay_tiles(field, stretch.tiles, stretch.heights, where)


def stretch_ends(moves: Moves, grid: Grid, block_of: IntArray, keyframe_work: float) -> list[int]:
    """Point numbers at which stretches end, the first 1 and the last the number of points. They depend on the blocks themselves
    and not on where in the run these stand, so that the stretches of a block that stays do too. ``block_of`` (m,): -1 between blocks."""
    if len(moves.points) < 2:
        return [1]
    work = _work(moves, grid)
    return [1, *_ends(work, _block_starts(block_of), keyframe_work), len(moves.points)]


def _block_starts(block_of: IntArray) -> list[int]:
    """Numbers of moves, counted from 0, with which another block begins; what leads to it belongs to it."""
    at = np.flatnonzero(block_of >= 0)
    if not len(at):
        return []
    changes = np.flatnonzero(np.diff(block_of[at]))  # a block ends at its last own point
    return [int(k) for k in at[changes]]


def _ends(work: FloatArray, starts: list[int], keyframe_work: float) -> Iterator[int]:
    done = np.concatenate(([0.0], np.cumsum(work)))
    begin = 0
    for start, end in zip([0, *starts], [*starts, len(work)], strict=True):
        own = float(done[end] - done[start])
        if own > _LEAST_SHARE * keyframe_work and begin < start:  # small ones before it stay by themselves
            yield start + 1
            begin = start
        if done[end] - done[begin] <= _LEAST_SHARE * keyframe_work and end < len(work):
            continue
        count = max(1, ceil(float(done[end] - done[begin]) / keyframe_work))
        shares = done[begin] + (done[end] - done[begin]) * np.arange(1, count) / count
        marks = {int(mark) for mark in np.searchsorted(done[begin : end + 1], shares) + begin}
        yield from (mark + 1 for mark in sorted(marks) if begin < mark < end)
        if end < len(work):
            yield end + 1
        begin = end


def _work(moves: Moves, grid: Grid) -> FloatArray:
    """Cell updates of each move, (m - 1,)."""
    a, b = moves.points[:-1], moves.points[1:]
    length = np.hypot(*(b - a)[:, :2].T)
    radius = moves.bits.radii[moves.bit_of[1:]]
    work = (2 * radius * length + np.pi * radius**2) / grid.cell**2 + _WORK_PER_MOVE
    x0, y0, x1, y1 = grid.extent
    low, high = np.minimum(a, b), np.maximum(a, b)
    is_away = (a[:, 2] >= 0) & (b[:, 2] >= 0)
    is_away |= (high[:, 0] < x0 - radius) | (low[:, 0] > x1 + radius)
    is_away |= (high[:, 1] < y0 - radius) | (low[:, 1] > y1 + radius)
    return np.where(is_away, 1.0, work)
