"""All cuts of a board as one run of moves: travel between cuts, blocks, bit changes.

A ``Run`` is what the stock, the sequence, the time model and the G-code writer all consume, so that what is
seen is what is cut. It begins and ends at the park height over its first and last place; the way to the park point, which hangs on where
zero is, is added on output.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import msgspec
import numpy as np

from archimetra.geometry.arrays import ByteArray, FloatArray, IntArray, frozen
from archimetra.job.ids import BitId, CutId, InstanceId
from archimetra.job.sheet import Heights
from archimetra.toolpath.shared.moves import Move, MoveList, Role, Toolpath


class Block(msgspec.Struct, frozen=True):
    """Rows ``first`` to ``last`` (exclusive) of a run: one cut, or what of it is cut for some ``pieces`` of parts, with the travel that leads to
    it. '' among the pieces stands for shapes that are of none. ``setup`` is the number of the way the board lies."""

    cut: CutId
    bit: BitId
    first: int
    last: int
    changes_bit: bool
    pieces: tuple[InstanceId, ...] = ()
    setup: int = 0


class Run(msgspec.Struct, frozen=True, eq=False):
    """Moves of a whole board in running order; row 0 is the start position."""

    xyz: FloatArray
    kind: ByteArray
    centre: FloatArray
    feed: FloatArray
    role: ByteArray
    pass_no: IntArray
    block: IntArray  # (n,) index into blocks, -1 before the first and after the last
    blocks: tuple[Block, ...]

    def __post_init__(self) -> None:
        for array in (self.xyz, self.kind, self.centre, self.feed, self.role, self.pass_no, self.block):
            frozen(array)

    def __len__(self) -> int:
        return len(self.xyz)


def assemble(toolpaths: Sequence[Toolpath], heights: Heights, setups: Sequence[int] | None = None) -> Run:
    """The run of the given toolpaths in their order; empty ones take no part. ``setups`` numbers the way the board lies for each of them: between two
    ways the bit goes up to park height."""
    moves = MoveList()
    numbers: list[IntArray] = []
    blocks: list[Block] = []
    x, y = next(((float(path.xyz[0, 0]), float(path.xyz[0, 1])) for path in toolpaths if len(path)), (0.0, 0.0))
    moves.add_point((x, y, heights.park), kind=Move.RAPID)
    numbers.append(np.array([-1]))
    row = 1
    last_bit: BitId | None = None
    last_setup = -1
    for path, setup in zip(toolpaths, setups or [0] * len(toolpaths), strict=True):
        if not len(path):
            continue
        number = len(blocks)
        x, y, z = (float(v) for v in path.xyz[0])
        high = heights.travel if last_bit == path.bit and last_setup == setup else heights.park
        first = row
        for point in ((x, y, high), (x, y, z)):
            moves.add_point(point, kind=Move.RAPID, role=Role.LINK)
        moves.add(path.xyz[1:], path.kind[1:], path.centre[1:], path.feed[1:], path.role[1:], 0)
        end_x, end_y, _ = (float(v) for v in path.xyz[-1])
        moves.add_point((end_x, end_y, heights.travel), kind=Move.RAPID, role=Role.LINK)
        row += len(path) + 2
        numbers.append(np.full(row - first, number))
        changes_bit = last_bit is not None and last_bit != path.bit
        blocks.append(Block(path.cut, path.bit, first, row, changes_bit, path.pieces, setup))
        last_bit, last_setup = path.bit, setup
    whole = moves.toolpath(CutId(""), BitId(""))
    tail = 1
    if blocks:
        x, y, _ = (float(v) for v in whole.xyz[-1])
        moves.add_point((x, y, heights.park), kind=Move.RAPID)
        numbers.append(np.array([-1]))
        whole = moves.toolpath(CutId(""), BitId(""))
        tail = 2
    pass_no = np.zeros(len(whole), dtype=np.int64)
    for block, path in zip(blocks, [p for p in toolpaths if len(p)], strict=True):
        pass_no[block.first + 1 : block.last - 1] = path.pass_no
    assert len(whole) == row + tail - 1
    return Run(
        np.array(whole.xyz), np.array(whole.kind), np.array(whole.centre), np.array(whole.feed), np.array(whole.role),
        pass_no, np.concatenate(numbers), tuple(blocks),
    )  # fmt: skip


def dwells(run: Run, seconds: Mapping[CutId, float]) -> FloatArray:
    """How long the bit waits at the bottom of a drilled hole before each row (n,), s: of the cuts that are given a time."""
    out = np.zeros(len(run))
    for block in run.blocks:
        wait = seconds.get(block.cut, 0.0)
        if wait <= 0:
            continue
        rows = np.arange(block.first, block.last)
        is_drill = run.role[rows] == Role.DRILL
        edges = np.flatnonzero(np.diff(np.concatenate(([0], is_drill.astype(np.int8), [0]))))
        for a, b in zip(edges[0::2], edges[1::2], strict=True):
            bottom = int(rows[a + int(np.argmin(run.xyz[rows[a:b], 2]))])
            out[bottom + 1] += wait
    return out
