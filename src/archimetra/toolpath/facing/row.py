"""The planning row of this kind: what follows for it from the job, what it offers, and its planner, which is loaded when it first plans."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from archimetra.base.findings import Finding
from archimetra.job.cuts.facing import FacingCut
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.row import Progress, Row
from archimetra.toolpath.wanted import Wanted

if TYPE_CHECKING:
    from archimetra.toolpath.offer import Offer, Picked
    from archimetra.toolpath.shared.moves import Toolpath


def _plan(work: ResolvedCut, progress: Progress) -> tuple[Toolpath, tuple[Finding, ...]]:
    from archimetra.toolpath.facing.planner import plan_facing

    return plan_facing(work, progress)


def _offers(picked: Picked) -> Iterator[Offer]:
    from archimetra.toolpath.offer import Offer

    yield Offer(
        place=8, title="Facing", why="of the picked areas" if picked.closed else "of the whole sheet",
        bit=picked.bits.surfacer(), leads=not picked.shapes, name="Facing", takes_only_areas=True,
    )  # fmt: skip


def _wanted(work: ResolvedCut) -> Iterator[Wanted]:
    from archimetra.toolpath.shared.contours import kept_region

    region = work.sheet.region if work.cut.takes_whole_sheet else kept_region(work.shapes)
    yield Wanted(work.cut.id, region, work.depth + work.face)


ROW = Row(FacingCut, _plan, offers=_offers, wanted=_wanted)
