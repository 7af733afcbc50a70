"""Planning a board from start to end, in this process: what the workers run, and the command line directly."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, MutableMapping, Sequence
from itertools import groupby
from typing import NamedTuple

import msgspec
import shapely

from archimetra.base.findings import Finding
from archimetra.checks.board_checks import check_board
from archimetra.engine.keys import checks_key, front_of, geometry_key, own_run_key, run_key
from archimetra.engine.messages import BoardPlan, PlannedCut
from archimetra.engine.own_place import Planned, on_the_board, plan_in_own_place
from archimetra.engine.parts_kept import parts_kept
from archimetra.job.ids import CutId
from archimetra.job.job import Board, Job
from archimetra.job.lying import only_setup, pins_from_front, standing_pins
from archimetra.job.setups import Setup
from archimetra.job.sheet import Fixture
from archimetra.layout.tiles.answer import Seam, Shift
from archimetra.output.timing import time_run
from archimetra.toolpath.groups import groups_of
from archimetra.toolpath.resolve import resolved
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.running import Step, in_running_order
from archimetra.toolpath.shared.fixtures import kept_clear
from archimetra.toolpath.shared.front import FrontFace
from archimetra.toolpath.shared.moves import Toolpath, empty_toolpath, joined
from archimetra.toolpath.shared.program import Run, assemble

replace = msgspec.structs.replace
Cache = MutableMapping[str, PlannedCut]
Report = Callable[[int, int, float], None]  # cut number, of how many, share of it; raises CancelledError to stop


def plan_board(
    job: Job,
    board: Board,
    cache: Cache,
    report: Report = lambda number, count, share: None,
    *,
    front: Board | None = None,
) -> BoardPlan:
    """Plan what is not in the cache, then the run, its times and the checks. ``front`` is that of a back, where the job does not have it."""
    front = front or front_of(job, board)
    behind = _front_face(job, front, cache, report) if front is not None else None
    works = resolved(job, board)
    told: dict[CutId, list[Finding]] = {}
    steps: list[Step] = []
    for number, work in enumerate(works.values()):
        planned = plan_groups(work, cache, lambda share, n=number: report(n, len(works), share))  # type: ignore[misc]
        steps += [Step(work.cut.id, work.bit.id, frozenset(path.pieces), path) for path, _ in planned]
        told[work.cut.id] = [finding for _, findings in planned for finding in findings]
    on = {cut.id for cut in board.cuts if cut.is_on}
    laid = _laid(
        job, board, works, [s.path for s in _in_blocks(in_running_order(board, [s for s in steps if s.cut in on]))]
    )
    paths, numbers = [], []
    names = {setup.name for setup in laid.setups} - {""}  # a clamp for one that is no more may stand anywhere
    face_pins = pins_from_front(board, front) if front is not None else ()
    for number, whole in laid.paths:
        here = laid.setups[number].name
        fixtures = (
            *[f for f in board.fixtures if f.setup == here or f.setup not in names],
            *standing_pins(board, laid.setups[number]),
            *face_pins,
        )
        path, more = _clear_of_fixtures(board, fixtures, works[whole.cut], whole)
        told[whole.cut] += more
        if len(path):
            paths.append(path)
            numbers.append(number)
    run = assemble(paths, board.travel_heights, numbers)
    off = {step.cut: step.path for step in _in_blocks([step for step in steps if step.cut not in on])}
    keys = [geometry_key(work) for work in works.values()]
    cuts = tuple(
        PlannedCut(key, _path_of(id_, run, paths, off, works[id_]), once(told[id_]))
        for id_, key in zip(works, keys, strict=True)
    )
    times = time_run(run, job.machine, waits=board.dwells)
    first = [finding for id_, cut in zip(works, cuts, strict=True) if id_ in on for finding in cut.findings]
    found = tuple(first + list(laid.findings) + check_board(job, board, run, laid.setups, behind))
    of_run = run_key(job, board, keys, front)
    return BoardPlan(
        board.id,
        checks_key(job, board, of_run),
        of_run,
        cuts,
        run,
        times,
        found,
        laid.setups,
        laid.seams,
        laid.shifts,
        behind,
        parts=_parts(works.values()),
    )


def _parts(works: Iterable[ResolvedCut]) -> bytes:
    parts = parts_kept(works)
    return b"" if parts is None or parts.is_empty else bytes(shapely.to_wkb(parts))


_fronts: dict[str, FrontFace] = {}  # a back is changed oftener than its front


def _front_face(job: Job, front: Board, cache: Cache, report: Report) -> FrontFace:
    key = f"{own_run_key(job, front)} {front.sheet.readings} {front.bed_x} {front.bed_y} {front.quarter_turns}"
    if key not in _fronts:
        run = plan_board(job, replace(front, back_of=None), cache, report).run
        made = FrontFace(front.sheet, run, (front.bed_x, front.bed_y, front.quarter_turns))
        while len(_fronts) >= _MOST_FRONTS:
            del _fronts[next(iter(_fronts))]
        _fronts[key] = made
    return _fronts[key]


_MOST_FRONTS = 4


class _Laid(NamedTuple):
    """The setups of a board and what runs in them: (number of the setup, path)."""

    setups: tuple[Setup, ...]
    paths: list[tuple[int, Toolpath]]
    seams: tuple[Seam, ...] = ()
    shifts: tuple[Shift, ...] = ()
    findings: tuple[Finding, ...] = ()


def _laid(job: Job, board: Board, works: Mapping[CutId, ResolvedCut], paths: Sequence[Toolpath]) -> _Laid:
    if board.tiling is None or not paths:
        return _Laid((only_setup(board, job.machine),), [(0, path) for path in paths])
    from archimetra.layout.tiles.tiling import tiled  # few boards are

    made = tiled(job, board, works, paths)
    only = only_setup(board, job.machine)
    setups = tuple(replace(setup, note=only.note) for setup in made.setups) or (only,)
    return _Laid(setups, [(of, path) for of, _, path in made.paths], made.seams, made.shifts, made.findings)


def plan_groups(work: ResolvedCut, cache: Cache, progress: Callable[[float], None]) -> list[Planned]:
    """The plans of a cut's groups, where they lie on the board and under the names things have there."""
    groups = groups_of(work)
    out = []
    for number, group in enumerate(groups):
        key = geometry_key(group.work)
        known = cache.get(key)
        if known is None:
            progress(number / len(groups))
            share = lambda part, n=number: progress((n + part) / len(groups))  # noqa: E731
            known = cache[key] = PlannedCut(key, *plan_in_own_place(group.work, share))
        path, findings = on_the_board((known.toolpath, known.findings), group.work)
        marks = tuple(replace(mark, shape=group.names.get(mark.shape, mark.shape)) for mark in path.marks)
        out.append((replace(path, marks=marks, pieces=group.pieces), findings))
    return out


def _in_blocks(steps: Sequence[Step]) -> list[Step]:
    """Steps of one cut that follow each other as one."""
    out = []
    for _, same in groupby(steps, key=lambda step: step.cut):
        some = list(same)
        path = joined([step.path for step in some])
        out.append(some[0]._replace(path=path, pieces=frozenset(path.pieces)))
    return out


def _clear_of_fixtures(board: Board, fixtures: Sequence[Fixture], work: ResolvedCut, path: Toolpath) -> Planned:
    if not fixtures:
        return path, ()
    # clamps move oftener than artwork: they are kept clear of after planning, and cost no new plan
    clear, told = kept_clear(path, fixtures, work.cut, work.bit, board.travel_heights, recipe=work.recipe)
    return replace(clear, pieces=path.pieces, outlines=path.outlines), told


def _path_of(
    cut: CutId, run: Run, paths: Sequence[Toolpath], off: Mapping[CutId, Toolpath], work: ResolvedCut
) -> Toolpath:
    """The moves of a cut as they are in the run: each is kept once."""
    own = [(block, path) for block, path in zip(run.blocks, paths, strict=True) if block.cut == cut]
    if not own:
        return off.get(cut, empty_toolpath(cut, work.bit.id))
    return joined(
        [
            replace(path, **{name: getattr(run, name)[block.first + 1 : block.last - 1] for name in _ROWS})
            for block, path in own
        ]
    )


_ROWS = ("xyz", "kind", "centre", "feed", "role", "pass_no")


def once(findings: Sequence[Finding]) -> tuple[Finding, ...]:
    """The same thing said of several pieces of a part once."""
    kept: dict[tuple[object, ...], Finding] = {}
    for finding in findings:
        kept.setdefault((finding.code, finding.words, finding.mend, finding.subject), finding)
    return tuple(kept.values())
