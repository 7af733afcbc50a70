"""Digests of a planner's inputs: one key serves the cache, undo and the question what is out of date."""

from __future__ import annotations

from collections.abc import Sequence
from hashlib import blake2b

import msgspec

from archimetra.job.bits import Bit, Recipe
from archimetra.job.job import Board, Job
from archimetra.job.shapes import Shape
from archimetra.toolpath.resolve import resolve
from archimetra.toolpath.resolved_cut import ResolvedCut

PLANNERS_VERSION = b"8"  # raise when a planner changes its answer for the same inputs


def geometry_key(work: ResolvedCut) -> str:
    """The same for the same toolpath: geometry, settings, bit, thickness and heights count; notes do not."""
    digest = blake2b(PLANNERS_VERSION, digest_size=16)
    cut = msgspec.structs.replace(work.cut, notes="", is_on=True)
    sheet = (work.sheet.width, work.sheet.height, work.sheet.readings)
    bits = (_cutting_part(work.bit), _cutting_part(work.previous_bit))
    digest.update(msgspec.json.encode((cut, *bits, work.recipe, sheet, work.retract, work.face, work.rest_follows)))
    for shapes in (work.shapes, work.waste_outlines, work.tab_zones):
        digest.update(b"|")
        _add_shapes(digest, shapes)
    for earlier in work.prior:
        cut = msgspec.structs.replace(earlier.cut, notes="", is_on=True)
        digest.update(msgspec.json.encode((cut, _cutting_part(earlier.bit), earlier.depth, earlier.face)))
        _add_shapes(digest, earlier.shapes)
    return digest.hexdigest()


def _cutting_part(bit: Bit | None) -> Bit | None:
    """A bit without what moves nothing: what it runs at is in the work's recipe. Its name is quoted by findings."""
    if bit is None:
        return None
    return msgspec.structs.replace(bit, notes="", rack_id="", recipe=Recipe(), recipes=(), place=0, holder=0)


def _add_shapes(digest: blake2b, shapes: Sequence[Shape]) -> None:
    for shape in shapes:
        digest.update(msgspec.json.encode((shape.id, shape.name, shape.fill_rule, shape.at)))
        for path in shape.paths:
            digest.update(path.key())


def board_key(job: Job, board: Board, cut_keys: Sequence[str]) -> str:
    """The same for the same run, times and checks of a board."""
    digest = blake2b(PLANNERS_VERSION, digest_size=16)
    parts = (
        board.id,
        board.name,
        board.sheet,
        board.zero,
        board.heights,
        board.bed_x,
        board.bed_y,
        board.fixtures,
        job.machine,
        [msgspec.structs.replace(bit, notes="") for bit in job.bits],
        [inlay for inlay in job.inlays if board.id in (inlay.pocket_board, inlay.plug_board)],
    )
    digest.update(msgspec.json.encode(parts))
    digest.update(
        msgspec.json.encode([(cut.name, cut.is_on, key) for cut, key in zip(board.cuts, cut_keys, strict=True)])
    )
    return digest.hexdigest()


def lean_job(job: Job) -> Job:
    """The job without its boards: the bits and the machine a planner needs."""
    return msgspec.structs.replace(job, stored=(), sheets=(), cuts=(), typed={})


def lean_board(board: Board) -> Board:
    """The board with only the shapes its cuts take: all a planner needs."""
    used = {id_ for cut in board.cuts for id_ in cut.shapes}
    layers = {cut.layer for cut in board.cuts if cut.layer}
    layers |= {cut.zone for cut in board.cuts if cut.zone}
    # the name is all of a shape's description a finding may quote; where it came from concerns no planner
    shapes = tuple(
        msgspec.structs.replace(shape, form=None, origin=None, group="")
        if shape.form is not None or shape.origin is not None
        else shape
        for shape in board.shapes
        if shape.id in used or shape.layer in layers
    )
    return msgspec.structs.replace(
        board, shapes=shapes, layers=(), sources=(), backdrops=(), guides=(), margin=0.0, measures=()
    )


def plan_key(job: Job, board: Board) -> str:
    """The key a board's plan carries: two jobs with the same key need no new plan."""
    return board_key(job, board, [geometry_key(resolve(job, board, cut)) for cut in board.cuts])
