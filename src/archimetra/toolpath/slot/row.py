"""The planning row of this kind: what follows for it from the job, what it offers, and its planner, which is loaded when it first plans."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from archimetra.base.findings import Finding
from archimetra.job.cuts.slot import SlotCut
from archimetra.toolpath.resolved_cut import ResolvedCut, Resolving
from archimetra.toolpath.row import Progress, Row

if TYPE_CHECKING:
    from archimetra.toolpath.offer import Offer, Picked
    from archimetra.toolpath.shared.moves import Toolpath


def _plan(work: ResolvedCut, progress: Progress) -> tuple[Toolpath, tuple[Finding, ...]]:
    from archimetra.toolpath.slot.planner import plan_slots

    return plan_slots(work, progress)


def _resolve(about: Resolving, cut: SlotCut) -> dict[str, Any]:
    return {"prior": tuple(about.prior())}


def _offers(picked: Picked) -> Iterator[Offer]:
    from archimetra.toolpath.offer import Offer

    bit = picked.bits.undercut()
    if picked.opened and bit is not None:
        yield Offer(place=7, title="Undercut slot", why="in and out where it is open", bit=bit)


ROW = Row(SlotCut, _plan, _resolve, offers=_offers)
