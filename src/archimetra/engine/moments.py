"""A moment of a run: where the bit is then, which one it is, and what stands around the stock."""

from __future__ import annotations

from math import hypot
from typing import NamedTuple

import numpy as np

from archimetra.engine.messages import BoardPlan
from archimetra.geometry.arrays import FloatArray
from archimetra.job.bits import Bit
from archimetra.job.hues import bit_colour
from archimetra.job.job import Board, Job
from archimetra.job.lying import only_setup, pins_from_front, standing_pins
from archimetra.job.materials import rgb
from archimetra.job.setups import Setup
from archimetra.job.sheet import Fixture
from archimetra.stock.viewpoint import Around
from archimetra.toolpath.shared.moves import Move, arc_angles, straightened
from archimetra.toolpath.shared.program import Run


def position_at(run: Run, ends: FloatArray, seconds: float) -> tuple[tuple[float, float, float], int]:
    """Where the bit's tip is at a moment, arcs followed, and the row of the move it is in."""
    k = min(int(np.searchsorted(ends, seconds, side="right")), len(run) - 1)
    if k == 0:
        x, y, z = run.xyz[0]
        return (float(x), float(y), float(z)), 0
    begin = float(ends[k - 1])
    span = float(ends[k]) - begin
    t = min(max((seconds - begin) / span, 0.0), 1.0) if span > 0 else 1.0
    a, b = run.xyz[k - 1], run.xyz[k]
    at = a + t * (b - a)
    if run.kind[k] >= Move.ARC_CW:
        c = run.centre[k]
        start, sweep = arc_angles(a[None], b[None], c[None], run.kind[k : k + 1])
        angle, r = float(start[0] + t * sweep[0]), hypot(*(a[:2] - c))
        at = np.array([c[0] + r * np.cos(angle), c[1] + r * np.sin(angle), at[2]])
    return (float(at[0]), float(at[1]), float(at[2])), k


def bit_in_use(job: Job, run: Run, row: int) -> Bit | None:
    number = int(run.block[row])
    return job.bit(run.blocks[number].bit) if 0 <= number < len(run.blocks) else None


class Visit(NamedTuple):
    """A stretch of the run, in seconds, in which a bit takes wood over a place: of which block, and how deep it gets there."""

    begin: float
    end: float
    block: int
    depth: float


def visits(job: Job, plan: BoardPlan, at: tuple[float, float]) -> list[Visit]:
    """Every time a bit passes over a place lower than all before it, in order: when is this cut?"""
    run = plan.run
    if len(run) < 2:
        return []
    points, rows = straightened(run.xyz, run.kind, run.centre, chord_tolerance_mm=0.1)
    bits = [job.bit(block.bit) for block in run.blocks]
    reach = np.array([bit.radius if bit is not None else 0.0 for bit in bits] or [0.0])
    a, b = points[:-1], points[1:]
    block = run.block[rows[1:]]
    d = b[:, :2] - a[:, :2]
    size = (d * d).sum(axis=1)
    size[size == 0] = 1.0
    along = np.clip(((np.array(at) - a[:, :2]) * d).sum(axis=1) / size, 0.0, 1.0)
    gap = np.hypot(*(a[:, :2] + along[:, None] * d - np.array(at)).T)
    # a level move leaves the place as low as its tip and the bit's shape there; a slope is taken where it is nearest
    low = a[:, 2] + along * (b[:, 2] - a[:, 2])
    over = np.flatnonzero((block >= 0) & (low < -1e-6) & (gap <= reach[np.maximum(block, 0)]))
    out: list[Visit] = []
    lowest = 0.0
    for k in over.tolist():
        bit = bits[int(block[k])]
        row, depth = int(rows[k + 1]), -float(low[k]) - (bit.rise_at(float(gap[k])) if bit is not None else 0.0)
        if depth <= 1e-6:
            continue
        begin, end = float(plan.times.ends[max(row - 1, 0)]), float(plan.times.ends[row])
        if out and out[-1].block == block[k] and begin - out[-1].end < _SAME_VISIT_S:
            out[-1] = Visit(out[-1].begin, end, out[-1].block, max(out[-1].depth, depth))
            lowest = max(lowest, depth)
        elif depth > lowest + 0.01:
            out.append(Visit(begin, end, int(block[k]), depth))
            lowest = depth
    return out


_SAME_VISIT_S = 1.5


def moment_at(job: Job, plan: BoardPlan, at: tuple[float, float], cut: str) -> float | None:
    """When a cut is at work over a place, or nearest to it; None where it has no moves."""
    own = [visit for visit in visits(job, plan, at) if plan.run.blocks[visit.block].cut == cut]
    if own:
        return own[-1].end
    blocks = [block for block in plan.run.blocks if block.cut == cut]
    if not blocks:
        return None
    rows = np.concatenate([np.arange(block.first, block.last) for block in blocks])
    low = rows[plan.run.xyz[rows, 2] < 0]
    rows = low if len(low) else rows
    nearest = rows[int(np.argmin(np.hypot(*(plan.run.xyz[rows, :2] - np.array(at)).T)))]
    return float(plan.times.ends[nearest])


def surroundings(
    job: Job, board: Board, plan: BoardPlan, seconds: float, *, bed_colour: str, has_bit: bool = True
) -> Around:
    """The bed, what holds the board there and the bit, as they are at a moment. The bit is left out once the run is done."""
    setup, at, bit = (plan.setups or (only_setup(board, job.machine),))[0], (0.0, 0.0, 0.0), None
    if len(plan.run):
        at, row = position_at(plan.run, plan.times.ends, seconds)
        if has_bit and seconds < plan.times.total - 1e-6:
            bit = bit_in_use(job, plan.run, row)
        number = int(plan.run.block[row])
        if plan.setups and 0 <= number < len(plan.run.blocks):
            setup = plan.setups[plan.run.blocks[number].setup]
    return Around(
        bed=_reach(setup), bed_colour=rgb(bed_colour), fixtures=_standing(job, board, plan, setup), bit=bit, at=at,
        hue=rgb(bit_colour(bit.place)) if bit is not None else (0, 0, 0),
    )  # fmt: skip


_last_standing: list[tuple[tuple[object, ...], tuple[Fixture, ...]]] = []  # asked for with every picture


def _standing(job: Job, board: Board, plan: BoardPlan, setup: Setup) -> tuple[Fixture, ...]:
    """What holds the board in a setup: clamps, screws, pins."""
    key = (job, board, setup)
    if not _last_standing or any(a is not b for a, b in zip(_last_standing[0][0], key, strict=True)):
        front = job.board(board.back_of.front) if board.back_of is not None else None
        names = {one.name for one in plan.setups} - {""}
        found = (
            *[f for f in board.fixtures if f.setup == setup.name or f.setup not in names],
            *standing_pins(board, setup),
            *(pins_from_front(board, front) if front is not None else ()),
        )
        _last_standing[:] = [(key, found)]
    return _last_standing[0][1]


def _reach(setup: Setup) -> tuple[float, float, float, float] | None:
    return setup.reach if all(np.isfinite(v) for v in setup.reach) else None
