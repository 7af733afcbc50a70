"""The planning row of this kind: what follows for it from the job, what it offers, and its planner, which is loaded when it first plans."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from archimetra.base.findings import Finding, mm
from archimetra.job.cut_parts import Side
from archimetra.job.cuts.profile import ProfileCut
from archimetra.toolpath.resolved_cut import ResolvedCut, Resolving
from archimetra.toolpath.row import Progress, Row

if TYPE_CHECKING:
    from archimetra.toolpath.offer import Offer, Picked
    from archimetra.toolpath.shared.moves import Toolpath


def _plan(work: ResolvedCut, progress: Progress) -> tuple[Toolpath, tuple[Finding, ...]]:
    from archimetra.toolpath.profile.planner import plan_profile

    return plan_profile(work, progress)


def _resolve(about: Resolving, cut: ProfileCut) -> dict[str, Any]:
    return {"tab_zones": tuple(s for s in about.board.shapes if s.layer == cut.zone) if cut.zone else ()}


def _offers(picked: Picked) -> Iterator[Offer]:
    from archimetra.toolpath.offer import Offer

    if not picked.closed:
        return
    thickness = picked.thickness
    yield Offer(
        place=3.5 if picked.holes else 1, title="Outline, outside", why=f"cut out through {mm(thickness)}",
        bit=picked.bits.straight(thickness), fields={"side": Side.OUTSIDE},
    )  # fmt: skip
    yield Offer(
        place=3, title="Opening, inside", why="cut through, the inside falls out",
        bit=picked.bits.straight(thickness, at_most=0.8 * picked.room), fields={"side": Side.INSIDE},
    )  # fmt: skip


ROW = Row(ProfileCut, _plan, _resolve, offers=_offers)
