"""The planning row of this kind: what follows for it from the job, what it offers, and its planner, which is loaded when it first plans."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from archimetra.base.findings import Finding, mm
from archimetra.job.cut_parts import Side
from archimetra.job.cuts.profile import ProfileCut
from archimetra.toolpath.resolved_cut import ResolvedCut, Resolving
from archimetra.toolpath.row import Progress, Row
from archimetra.toolpath.wanted import Wanted

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


def _wanted(work: ResolvedCut) -> Iterator[Wanted]:
    """A strip along the outline, on the side that falls away; no lower than its tabs are thick."""
    import shapely

    from archimetra.geometry.region import as_region
    from archimetra.toolpath.shared.contours import kept_region

    cut = work.cut
    assert isinstance(cut, ProfileCut)
    if cut.side not in (Side.OUTSIDE, Side.INSIDE):
        return
    area, reach = kept_region(work.shapes), work.bit.radius
    if cut.side is Side.OUTSIDE:
        strip = shapely.difference(shapely.buffer(area, reach), area)
        strip = shapely.intersection(strip, work.sheet.region)
    else:
        strip = shapely.difference(area, shapely.buffer(area, -reach))
    held = cut.tabs.thickness if cut.tabs.is_wanted or cut.tabs_of else 0.0
    depth = min(work.depth, work.sheet.thinnest - held) if held else work.depth
    yield Wanted(cut.id, as_region(strip), depth + work.face)


ROW = Row(ProfileCut, _plan, _resolve, offers=_offers, wanted=_wanted)
