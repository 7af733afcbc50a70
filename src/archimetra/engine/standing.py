"""What the cuts of a planned board leave standing."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import shapely

from archimetra.base.errors import GeometryError
from archimetra.engine.messages import BoardPlan
from archimetra.engine.parts_kept import freed_by
from archimetra.geometry.region import Region, as_region
from archimetra.job.bits import Bit
from archimetra.job.job import Board, Job
from archimetra.stock.standing import Looking, left_standing
from archimetra.stock.standing_results import Left
from archimetra.toolpath.groups import groups_of
from archimetra.toolpath.resolve import resolved
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.rows import row_of
from archimetra.toolpath.shared.fixtures import GAP_MM, outline_of
from archimetra.toolpath.wanted import Wanted, without_frames, without_waste


def standing_of(job: Job, board: Board, plan: BoardPlan, report: Callable[[], None] = lambda: None) -> tuple[Left, ...]:
    """By cut, the most first. ``report`` is called between pieces and may raise to stop."""
    works = [work for work in resolved(job, board).values() if work.cut.is_on]
    edges: list[Wanted] = []
    grounds: list[Wanted] = []
    for work in works:
        (edges if work.cut.loosens is not None and work.is_through else grounds).extend(_wanted(work))
    carved = {work.cut.id for work in works if work.cut.leftover is not None}
    freed = freed_by(works, [one.region for one in grounds if one.cut in carved])
    wanted = [*without_frames(edges, freed), *without_waste(grounds, freed)]
    around = Looking({work.cut.id: work.bit for work in works}, _clamped(board, job.bits), job.bits)
    return left_standing(board.sheet, plan.run, job.bits, wanted, around, report=report)


def _wanted(work: ResolvedCut) -> Iterator[Wanted]:
    """Piece by piece: what lies in an opening of another piece is no opening in that."""
    for group in groups_of(work):
        try:
            yield from row_of(work.cut).wanted(group.work)
        except GeometryError:
            continue  # outlines that make no area are told by the planner


def _clamped(board: Board, bits: tuple[Bit, ...]) -> Region | None:
    """The ground that bits are lifted over."""
    if not board.fixtures:
        return None
    reach = max((max(bit.radius, bit.shank / 2) for bit in bits), default=3.0) + GAP_MM
    return as_region(
        shapely.union_all([shapely.buffer(outline_of(f), reach + bits_reach(bits)) for f in board.fixtures])
    )


def bits_reach(bits: tuple[Bit, ...]) -> float:
    """Beside what a bit was kept off stands as much again as it is wide."""
    return max((bit.radius for bit in bits), default=3.0)
