"""The sample job with ten mistakes planted in it, each of a kind that ruins boards: kept as data for tests."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from archimetra.demo import quay_tide_clock
from archimetra.edits import basic, cutting, inlaying
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.job import Board, Job
from archimetra.job.sheet import Heights
from shapes import replace


class Mistake(NamedTuple):
    """On which board, what it is, and by which code it has to be told."""

    board: str
    name: str
    code: str
    make: Callable[[Job, Board], Job]


def _cut(board: Board, name: str):
    return next(cut for cut in board.cuts if cut.name == name)


def _override(name: str, field: str, value: float) -> Callable[[Job, Board], Job]:
    return lambda job, board: cutting.override(job, (_cut(board, name).id,), field, value).job


def _no_tabs(job: Job, board: Board) -> Job:
    cut = _cut(board, "Outline")
    return cutting.change_cut(job, cut.id, "", tabs=replace(cut.tabs, count=0, by_hand=())).job


def _thick_tabs(job: Job, board: Board) -> Job:
    cut = _cut(board, "Stamp out")
    return cutting.change_cut(job, cut.id, "", tabs=replace(cut.tabs, count=4, thickness=60.0)).job


def _outline_first(job: Job, board: Board) -> Job:
    return cutting.reorder_cut(job, board.id, _cut(board, "Outline").id, 0).job


def _tight_margin(job: Job, board: Board) -> Job:
    return inlaying.change_inlay(job, job.inlays[0].id, "", margin=6.0).job


MISTAKES = (
    Mistake("Dial face", "no tabs on a clamped disc", "loose-part", _no_tabs),
    Mistake("Dial face", "the outline before its inside", "order-inside", _outline_first),
    Mistake("Dial face", "faster than the spindle turns", "spindle-limit", _override("Wave border", "spindle_rpm", 40_000.0)),
    Mistake("Dial face", "four times the load", "slot-heavy", _override("Outline", "depth_per_pass", 15.0)),
    Mistake("Dial back", "deeper than the sheet", "too-deep", lambda job, board: _pocket(job, board, 0, 40.0)),
    Mistake("Star plug", "no room around the plug", "inlay-margin", _tight_margin),
    Mistake("Hands", "laid past the end of the bed", "out-of-travel", lambda job, board: basic.change_board(job, board.id, "", bed_x=400.0).job),
    Mistake("Dial back", "a floor as deep as the sheet", "floor-gone", lambda job, board: _pocket(job, board, 1, board.sheet.thinnest)),
    Mistake("Café stamp", "tabs as thick as the board", "tab-thick", _thick_tabs),
    Mistake("Hands", "parks above the machine's travel", "out-of-travel-z", lambda job, board: basic.change_board(job, board.id, "", heights=Heights(park=120.0)).job),
)  # fmt: skip


def _pocket(job: Job, board: Board, number: int, depth: float) -> Job:
    pockets = [cut for cut in board.cuts if isinstance(cut, PocketCut) and not cut.goes_through and cut.clears is None]
    return cutting.change_cut(job, pockets[number].id, "", end_depth=depth).job


def planted() -> Job:
    """The sample with all of them at once."""
    job = quay_tide_clock().job
    for mistake in MISTAKES:
        board = next(b for b in job.boards if b.name == mistake.board)
        job = mistake.make(job, board)
    return job
