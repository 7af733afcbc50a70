"""Three digests that say what is out of date.

The *geometry* key of a cut is the same for the same moves: shapes in their own place, settings, the bit's geometry, the recipe, the
thickness and the depth faced before; not names, not where on the sheet. The *run* key of a board is the same for the same moves and
times of all its cuts, and so for its stock. The *checks* key adds what any check reads: names, zero, the bed, inlays; a plan carries
it. The *output* key adds what the files say beyond that.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from hashlib import blake2b
from operator import is_
from typing import Any

import msgspec

from archimetra.job.bits import Bit, Recipe
from archimetra.job.cuts import Cut
from archimetra.job.ids import CutId
from archimetra.job.job import Board, Job
from archimetra.job.shapes import Shape
from archimetra.job.sheet import Sheet
from archimetra.toolpath.resolve import resolved
from archimetra.toolpath.resolved_cut import ResolvedCut

PLANNERS_VERSION = b"10"  # raise when a planner changes its answer for the same inputs
PLACE_DIGITS = 9  # of a mm: what moving to and fro may leave behind is no other place

replace = msgspec.structs.replace


def own_place(work: ResolvedCut) -> tuple[float, float]:
    """The place on the board that a cut's plan is worked out from: where its first shape lies, so that it keeps when all are moved. A cut
    that may leave the sheet is planned where it lies."""
    if work.cut.may_leave_sheet or not work.shapes:
        return 0.0, 0.0
    at = work.shapes[0].at
    return at.e, at.f


_last: dict[
    CutId, tuple[ResolvedCut, str]
] = {}  # of each cut what was digested last: an edit leaves most of them as they were
_MOST_KEPT = 2000


def geometry_key(work: ResolvedCut) -> str:
    """The same for the same toolpath, wherever on the sheet it lies."""
    known = _last.get(work.cut.id)
    if known is not None and _is_same(known[0], work):
        return known[1]
    key = _digested(work)
    if len(_last) >= _MOST_KEPT:
        _last.clear()
    _last[work.cut.id] = (work, key)
    return key


def _is_same(a: ResolvedCut, b: ResolvedCut) -> bool:
    """Whether two resolved cuts are made of the very same parts."""
    return all(_are_same(getattr(a, name), getattr(b, name)) for name in ResolvedCut.__struct_fields__)


def _are_same(a: Any, b: Any) -> bool:
    if a is b:
        return True
    if isinstance(a, tuple):  # of shapes, which are not looked into
        return len(a) == len(b) and all(map(is_, a, b))
    return bool(a == b)


def _digested(work: ResolvedCut) -> str:
    digest = blake2b(PLANNERS_VERSION, digest_size=16)
    away = own_place(work)
    sheet = (work.sheet.readings, _extent(work.sheet) if work.cut.may_leave_sheet else None)
    bits = (_cutting_part(work.bit), _cutting_part(work.previous_bit))
    digest.update(
        msgspec.json.encode(
            (_nameless(work.cut), *bits, work.recipe, sheet, work.retract, work.face, work.rest_follows)
        )
    )
    for shapes in (work.shapes, work.waste_outlines, work.tab_zones):
        digest.update(b"|")
        _add_shapes(digest, shapes, away)
    for prior in work.prior:
        digest.update(msgspec.json.encode((_nameless(prior.cut), _cutting_part(prior.bit), prior.depth, prior.face)))
        _add_shapes(digest, prior.shapes, away)
    return digest.hexdigest()


def _extent(sheet: Sheet) -> tuple[float, float, list[str]]:
    return sheet.width, sheet.height, [path.key().hex() for path in sheet.outline]


def _nameless(cut: Cut) -> Cut:
    return replace(cut, name="", notes="", is_on=True, begins_file=False)


def _cutting_part(bit: Bit | None) -> Bit | None:
    """A bit without what moves nothing: what it runs at is in the resolved cut's recipe."""
    if bit is None:
        return None
    return replace(bit, name="", notes="", rack_id="", recipe=Recipe(), recipes=(), place=0, holder=0)


def _add_shapes(digest: blake2b, shapes: Iterable[Shape], away: tuple[float, float]) -> None:
    x, y = away
    for shape in shapes:
        at = shape.at
        place = (at.a, at.b, at.c, at.d, round(at.e - x, PLACE_DIGITS), round(at.f - y, PLACE_DIGITS))
        digest.update(f"{shape.id} {shape.fill_rule} {place}".encode())
        for path in shape.paths:
            digest.update(path.key())


def front_of(job: Job, board: Board) -> Board | None:
    """The front of a board that is a back; None for any other."""
    return job.board(board.back_of.front) if board.back_of is not None else None


def run_key(job: Job, board: Board, cut_keys: Sequence[str], front: Board | None = None) -> str:
    """The same for the same moves and times of a board, and so for its stock; of a back with those of its ``front``."""
    digest = blake2b(PLANNERS_VERSION, digest_size=16)
    works = resolved(job, board)
    parts = (
        (
            board.id,
            board.piece_by_piece,
            replace(board.sheet, outline=(), flaws=(), count=1),
            _extent(board.sheet),
            board.heights,
            board.fixtures,
            job.machine,
            board.dwells,
            board.tiling,
            (board.bed_x, board.bed_y, board.quarter_turns) if board.tiling is not None else None,
        ),
        [(cut.id, cut.is_on, *own_place(works[cut.id])) for cut in board.cuts],
        cut_keys,
        [_cutting_part(bit) for bit in job.bits],
        [
            (bit.id, bit.recipe, bit.recipes) for bit in job.bits if board.fixtures
        ],  # stepping clear of clamps asks for recipes
        (board.back_of.about, own_run_key(job, front)) if board.back_of is not None and front is not None else None,
    )
    digest.update(msgspec.json.encode(parts))
    return digest.hexdigest()


def own_run_key(job: Job, board: Board) -> str:
    """The run key of a board by itself."""
    return run_key(job, board, [geometry_key(work) for work in resolved(job, board).values()])


def checks_key(job: Job, board: Board, run: str) -> str:
    """The same for the same plan with all that is found about it."""
    digest = blake2b(run.encode(), digest_size=16)
    parts = (
        board.name,
        board.sheet.count,
        [(flaw.outline.key().hex(), flaw.is_hard) for flaw in board.sheet.flaws],
        board.zero,
        board.bed_x,
        board.bed_y,
        board.quarter_turns,
        board.back_of,
        [replace(bit, notes="") for bit in job.bits],
        [(cut.name, cut.is_on) for cut in board.cuts],
        [shape.name for work in resolved(job, board).values() for shape in work.shapes],
        [inlay for inlay in job.inlays if board.id in (inlay.pocket_board, inlay.plug_board)],
    )
    digest.update(msgspec.json.encode(parts))
    return digest.hexdigest()


def output_key(job: Job, board: Board, checks: str) -> str:
    """The same for the same files of a plan."""
    begins = [cut.id for cut in board.cuts if cut.begins_file]
    return f"{checks} {job.controller} {job.output_unit} {job.name} {begins}"


def plan_key(job: Job, board: Board) -> str:
    """The key a board's plan carries: two jobs with the same key need no new plan."""
    keys = [geometry_key(work) for work in resolved(job, board).values()]
    return checks_key(job, board, run_key(job, board, keys, front_of(job, board)))


def lean_job(job: Job) -> Job:
    """The job without its boards: the bits and the machine a planner needs."""
    return replace(job, stored=(), sheets=(), cuts=(), parts=(), typed={})


def lean_board(board: Board) -> Board:
    """The board with only the shapes its cuts take: all a planner needs."""
    used = {id_ for cut in board.cuts for id_ in cut.shapes}
    layers = {cut.layer for cut in board.cuts if cut.layer}
    layers |= {cut.zone for cut in board.cuts if cut.zone}
    # the name is all of a shape's description a finding may quote; where it came from concerns no planner
    shapes = tuple(
        replace(shape, form=None, origin=None, group="")
        if shape.form is not None or shape.origin is not None
        else shape
        for shape in board.shapes
        if shape.id in used or shape.layer in layers
    )
    return replace(
        board,
        shapes=shapes,
        layers=(),
        sources=(),
        backdrops=(),
        guides=(),
        margin=0.0,
        measures=(),
        instances=(),
        sections=(),
        dismissed=(),
        written=None,
    )
