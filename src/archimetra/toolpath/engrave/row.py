"""The planning row of this kind: what follows for it from the job, what it offers, and its planner, which is loaded when it first plans."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from archimetra.base.findings import Finding
from archimetra.job.cuts.engrave import EngraveCut
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.row import Progress, Row

if TYPE_CHECKING:
    from archimetra.toolpath.offer import Offer, Picked
    from archimetra.toolpath.shared.moves import Toolpath


def _plan(work: ResolvedCut, progress: Progress) -> tuple[Toolpath, tuple[Finding, ...]]:
    from archimetra.toolpath.engrave.planner import plan_engraving

    return plan_engraving(work, progress)


def _offers(picked: Picked) -> Iterator[Offer]:
    from archimetra.toolpath.offer import Offer

    if picked.shapes:
        count = len(picked.opened)
        words = f"{count} open line{'' if count == 1 else 's'}" if count else "along the outlines themselves"
        is_all = count == len(picked.shapes)
        yield Offer(place=6, title="Line engraving", why=words, bit=picked.bits.engraver(), leads=is_all)


ROW = Row(EngraveCut, _plan, offers=_offers)
