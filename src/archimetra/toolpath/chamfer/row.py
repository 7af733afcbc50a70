"""The planning row of this kind: what follows for it from the job, what it offers, and its planner, which is loaded when it first plans."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

import msgspec

from archimetra.base.findings import Finding, mm
from archimetra.job.bits import BitKind
from archimetra.job.cuts.chamfer import ChamferCut
from archimetra.toolpath.resolved_cut import ResolvedCut, Resolving
from archimetra.toolpath.row import Progress, Row

if TYPE_CHECKING:
    from archimetra.toolpath.offer import Offer, Picked
    from archimetra.toolpath.shared.moves import Toolpath

replace = msgspec.structs.replace


def _plan(work: ResolvedCut, progress: Progress) -> tuple[Toolpath, tuple[Finding, ...]]:
    from archimetra.toolpath.chamfer.planner import plan_chamfer

    return plan_chamfer(work, progress)


def _resolve(about: Resolving, cut: ChamferCut) -> dict[str, Any]:
    """The end depth becomes that of the tip."""
    bevel = cut.bevel(about.bit)
    tip = bevel.tip if bevel.depth > 0.0 and about.bit.kind is BitKind.VEE else bevel.depth
    return {"cut": replace(cut, end_depth=cut.start_depth + max(tip, 0.0))}


def _offers(picked: Picked) -> Iterator[Offer]:
    from archimetra.toolpath.offer import Offer

    bit = picked.bits.vee(90.0)
    if bit is not None and picked.closed:
        width = min(1.0, round(picked.board.sheet.thinnest / 4, 1))
        yield Offer(
            place=6.5, title="Chamfer", why=f"top edges broken {mm(width)} wide", bit=bit, fields={"width": width}
        )


ROW = Row(ChamferCut, _plan, _resolve, offers=_offers)
