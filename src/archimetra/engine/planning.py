"""Planning a board from start to end, in this process: what the workers run, and the command line directly."""

from __future__ import annotations

from collections.abc import Callable, MutableMapping

import msgspec

from archimetra.checks.board_checks import check_board
from archimetra.engine.keys import checks_key, geometry_key, run_key
from archimetra.engine.messages import BoardPlan, PlannedCut
from archimetra.engine.own_place import on_the_board, plan_in_own_place
from archimetra.job.job import Board, Job
from archimetra.output.timing import time_run
from archimetra.toolpath.resolve import resolved
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.fixtures import kept_clear
from archimetra.toolpath.shared.program import Run, assemble

Cache = MutableMapping[str, PlannedCut]
Report = Callable[[int, int, float], None]  # cut number, of how many, share of it; raises CancelledError to stop


def plan_board(job: Job, board: Board, cache: Cache, report: Report = lambda number, count, share: None) -> BoardPlan:
    """Plan what is not in the cache, then the run, its times and the checks."""
    works = list(resolved(job, board).values())
    keys = [geometry_key(work) for work in works]
    planned = []
    for number, (work, key) in enumerate(zip(works, keys, strict=True)):
        planned.append(_plan_cut(board, work, key, cache, lambda share, n=number: report(n, len(works), share)))  # type: ignore[misc]
    run = run_of(board, planned)
    planned = [_within(run, p) for p in planned]
    times = time_run(run, job.machine, waits=board.dwells)
    told = [finding for cut, p in zip(board.cuts, planned, strict=True) if cut.is_on for finding in p.findings]
    found = tuple(told + check_board(job, board, run))
    of_run = run_key(job, board, keys)
    return BoardPlan(board.id, checks_key(job, board, of_run), of_run, tuple(planned), run, times, found)


def run_of(board: Board, planned: list[PlannedCut]) -> Run:
    """The cuts that are on, in order, as one run."""
    paths = [p.toolpath for cut, p in zip(board.cuts, planned, strict=True) if cut.is_on]
    return assemble(paths, board.travel_heights)


def _within(run: Run, planned: PlannedCut) -> PlannedCut:
    """A planned cut whose moves are those of the run: each is there once."""
    path = planned.toolpath
    block = next((block for block in run.blocks if block.cut == path.cut), None)
    if block is None:
        return planned
    rows = slice(block.first + 1, block.last - 1)
    own = msgspec.structs.replace(
        path, xyz=run.xyz[rows], kind=run.kind[rows], centre=run.centre[rows], feed=run.feed[rows], role=run.role[rows],
        pass_no=run.pass_no[rows],
    )  # fmt: skip
    return msgspec.structs.replace(planned, toolpath=own)


def _plan_cut(board: Board, work: ResolvedCut, key: str, cache: Cache, progress: Callable[[float], None]) -> PlannedCut:
    known = cache.get(key)
    if known is None:
        progress(0.0)
        known = cache[key] = PlannedCut(key, *plan_in_own_place(work, progress))
    toolpath, findings = on_the_board((known.toolpath, known.findings), work)
    if not board.fixtures:
        return PlannedCut(key, toolpath, findings)
    # clamps move oftener than artwork: they are kept clear of after planning, and cost no new plan
    clear, told = kept_clear(toolpath, board.fixtures, work.cut, work.bit, board.travel_heights, recipe=work.recipe)
    return PlannedCut(key, clear, findings + told)
