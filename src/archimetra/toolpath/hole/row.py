"""The planning row of this kind: what follows for it from the job, what it offers, and its planner, which is loaded when it first plans."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from archimetra.base.findings import Finding, mm
from archimetra.job.bits import BitKind
from archimetra.job.cuts.hole import HoleCut
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.row import Progress, Row
from archimetra.toolpath.wanted import Wanted

if TYPE_CHECKING:
    from archimetra.toolpath.offer import Offer, Picked
    from archimetra.toolpath.shared.moves import Toolpath


def _plan(work: ResolvedCut, progress: Progress) -> tuple[Toolpath, tuple[Finding, ...]]:
    from archimetra.toolpath.hole.planner import plan_holes

    return plan_holes(work, progress)


def _offers(picked: Picked) -> Iterator[Offer]:
    from archimetra.toolpath.offer import Offer
    from archimetra.toolpath.shared.circles import sizes_of

    if not picked.holes:
        return
    sizes = sizes_of(picked.holes)
    words = ", ".join(f"{count} of {mm(size)}" for size, count in sizes[:4])
    bit = picked.bits.for_hole(sizes[0][0], picked.thickness)
    how = "drilled" if abs(bit.diameter - sizes[0][0]) < 0.05 else "bored round"
    is_all = len(picked.opened) < len(picked.shapes)
    yield Offer(place=0, title="Holes", why=f"{words}; {how}", bit=bit, leads=is_all)


def _wanted(work: ResolvedCut) -> Iterator[Wanted]:
    from archimetra.toolpath.shared.contours import kept_region

    point = work.bit.rise_at(work.bit.radius) if work.bit.kind is BitKind.DRILL else 0.0
    yield Wanted(work.cut.id, kept_region(work.shapes), work.depth + work.face, spare=point)


ROW = Row(HoleCut, _plan, offers=_offers, wanted=_wanted)
