"""Working out the ``ResolvedCut`` of each cut of a board, once."""

from __future__ import annotations

from typing import Any

from archimetra.job.cuts import Clears, Cut
from archimetra.job.ids import CutId
from archimetra.job.job import Board, Job
from archimetra.job.recipes import limit_to_machine
from archimetra.toolpath.resolved_cut import ResolvedCut, Resolving, faced_before, less
from archimetra.toolpath.rows import row_of


def resolved(job: Job, board: Board) -> dict[CutId, ResolvedCut]:
    """All cuts of a board, in running order. Worked out once for a board, its bits and its machine; kept with the board."""
    kept: tuple[Any, Any, dict[CutId, ResolvedCut]] | None = board.__dict__.get("resolved")
    if kept is None or kept[0] is not job.bits or kept[1] is not job.machine:
        kept = board.__dict__["resolved"] = (job.bits, job.machine, {c.id: resolve(job, board, c) for c in board.cuts})
    return kept[2]


def resolve(job: Job, board: Board, cut: Cut) -> ResolvedCut:
    """One cut of the board, which need not be the way it is there (a trial with another bit)."""
    face = faced_before(board, cut)
    sheet = less(board.sheet, face)
    about = Resolving(job, board, cut, sheet)
    limits = limit_to_machine(about.asked, job.machine)
    fields: dict[str, Any] = {
        "cut": cut.with_last_feed(limits.feed_of(cut.last_feed, job.machine)) if cut.last_feed is not None else cut,
        "shapes": board.shapes_of(cut),
        "rest_follows": any(c.is_on and c.clears is Clears.REST and c.parent == cut.id for c in board.cuts),
    }
    fields |= row_of(cut).resolve(about, fields["cut"])
    return ResolvedCut(
        bit=about.bit, asked=about.asked, recipe=limits.recipe, reasons=tuple(limits.reasons), sheet=sheet,
        retract=board.travel_heights.retract + face, face=face, **fields,
    )  # fmt: skip
