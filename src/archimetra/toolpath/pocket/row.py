"""The planning row of this kind: what follows for it from the job, what it offers, and its planner, which is loaded when it first plans."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

import msgspec

from archimetra.base.findings import Finding, mm
from archimetra.job.cut_parts import DepthFrom, Entry
from archimetra.job.cuts import Opening
from archimetra.job.cuts.carve import CarveCut
from archimetra.job.cuts.pocket import PocketCut
from archimetra.toolpath.carve_depths import carve_depths_of
from archimetra.toolpath.resolved_cut import PriorCut, ResolvedCut, Resolving
from archimetra.toolpath.row import Progress, Row
from archimetra.toolpath.wanted import Wanted

if TYPE_CHECKING:
    from archimetra.toolpath.offer import Offer, Picked
    from archimetra.toolpath.shared.moves import Toolpath

replace = msgspec.structs.replace


def _plan(work: ResolvedCut, progress: Progress) -> tuple[Toolpath, tuple[Finding, ...]]:
    from archimetra.toolpath.pocket.planner import plan_pocket

    return plan_pocket(work, progress)


def _resolve(about: Resolving, cut: PocketCut) -> dict[str, Any]:
    """The rest of a pocket and the floor of a V-carve are at the other's depths; walls that are not this cut's own get no allowance."""
    fields: dict[str, Any] = {"previous_bit": about.previous_bit()}
    root = about.root
    prior: tuple[PriorCut, ...] = ()
    if isinstance(root, CarveCut):
        carver = about.bit_of(root)
        carving = carve_depths_of(root, carver, about.sheet)
        cut = replace(
            cut, start_depth=root.start_depth, end_depth=carving.floor_depth, goes_through=False, depth_from=DepthFrom.FACE,
            wall_allowance=0.0,
            floor_allowance=0.0, open_edges=False,
        )  # fmt: skip
        fields["carving"] = carving
        prior = (PriorCut(root, carver, ()),)
    elif isinstance(root, PocketCut) and root.id != cut.id:
        # the larger bit has taken the walls' allowance off where it fits; in the corners left to this one it goes with the rest
        cut = replace(
            cut, start_depth=root.start_depth, end_depth=root.end_depth, goes_through=root.goes_through,
            depth_from=root.depth_from, allowance=root.allowance, wall_allowance=0.0, open_edges=root.open_edges,
        )  # fmt: skip
    if cut.open_edges:
        fields["waste_outlines"] = tuple(about.waste_outlines())
    if cut.entry is Entry.HOLE:
        prior += tuple(p for p in about.prior() if p.cut.opening is Opening.HOLE)
    return fields | {"cut": cut, "prior": prior}


def _offers(picked: Picked) -> Iterator[Offer]:
    from archimetra.toolpath.offer import Offer

    if picked.closed:
        bit = picked.bits.straight(picked.board.sheet.thinnest / 2, at_most=0.55 * picked.room)
        yield Offer(place=2, title="Pocket", why=f"{mm(picked.room, '.1f')} at its widest", bit=bit)


def _wanted(work: ResolvedCut) -> Iterator[Wanted]:
    """Its area, but for what it leaves for the walls and the floor. What clears another's rest or floor asks for no more than that does."""
    import shapely

    from archimetra.geometry.region import as_region
    from archimetra.toolpath.shared.contours import kept_region

    cut = work.cut
    assert isinstance(cut, PocketCut)
    if cut.clears is not None:
        return
    area = shapely.intersection(shapely.buffer(kept_region(work.shapes), -cut.wall_allowance), work.sheet.region)
    yield Wanted(cut.id, as_region(area), work.depth - cut.floor_allowance + work.face)


ROW = Row(PocketCut, _plan, _resolve, offers=_offers, wanted=_wanted)
