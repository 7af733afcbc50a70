"""Planning a board from start to end, in this process: what the workers run, and the command line directly."""

from __future__ import annotations

from collections.abc import Callable, MutableMapping

from archimetra.checks.board_checks import check_board
from archimetra.engine.keys import board_key, geometry_key
from archimetra.engine.messages import BoardPlan, PlannedCut
from archimetra.job.cuts import Cut
from archimetra.job.job import Board, Job
from archimetra.output.timing import time_run
from archimetra.toolpath.kinds import plan_cut
from archimetra.toolpath.resolve import resolve
from archimetra.toolpath.shared.fixtures import kept_clear
from archimetra.toolpath.shared.program import Run, assemble

Cache = MutableMapping[str, PlannedCut]
Report = Callable[[int, int, float], None]  # cut number, of how many, share of it; raises CancelledError to stop


def plan_board(job: Job, board: Board, cache: Cache, report: Report = lambda number, count, share: None) -> BoardPlan:
    """Plan what is not in the cache, then the run, its times and the checks."""
    planned = []
    for number, cut in enumerate(board.cuts):
        planned.append(_plan_cut(job, board, cut, cache, lambda share, n=number: report(n, len(board.cuts), share)))  # type: ignore[misc]
    run = run_of(board, planned)
    times = time_run(run, job.machine, waits=board.dwells)
    told = [finding for cut, p in zip(board.cuts, planned, strict=True) if cut.is_on for finding in p.findings]
    found = tuple(told + check_board(job, board, run))
    key = board_key(job, board, [p.key for p in planned])
    return BoardPlan(board.id, key, tuple(planned), run, times, found)


def run_of(board: Board, planned: list[PlannedCut]) -> Run:
    """The cuts that are on, in order, as one run that parks over zero."""
    paths = [p.toolpath for cut, p in zip(board.cuts, planned, strict=True) if cut.is_on]
    return assemble(paths, board.travel_heights, park=board.zero.point(board.sheet))


def _plan_cut(job: Job, board: Board, cut: Cut, cache: Cache, progress: Callable[[float], None]) -> PlannedCut:
    work = resolve(job, board, cut)
    key = geometry_key(work)
    known = cache.get(key)
    if known is None:
        progress(0.0)
        toolpath, findings = plan_cut(work, progress)
        known = cache[key] = PlannedCut(key, toolpath, findings)
    if not board.fixtures:
        return known
    # clamps move oftener than artwork: they are kept clear of after planning, and cost no new plan
    clear, told = kept_clear(known.toolpath, board.fixtures, cut, work.bit, board.travel_heights, recipe=work.recipe)
    return PlannedCut(key, clear, known.findings + told)
