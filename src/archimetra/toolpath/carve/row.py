"""The planning row of this kind: what follows for it from the job, what it offers, and its planner, which is loaded when it first plans."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from archimetra.base.findings import Finding, mm
from archimetra.job.bits import BitKind
from archimetra.job.cuts.carve import CarveCut
from archimetra.job.ids import CutId
from archimetra.job.job import Job
from archimetra.toolpath.carve_depths import carve_depths_of
from archimetra.toolpath.resolved_cut import ResolvedCut, Resolving
from archimetra.toolpath.row import Progress, Row
from archimetra.toolpath.wanted import Wanted

if TYPE_CHECKING:
    from archimetra.toolpath.offer import BitsAtHand, Offer, Picked
    from archimetra.toolpath.shared.moves import Toolpath


def _plan(work: ResolvedCut, progress: Progress) -> tuple[Toolpath, tuple[Finding, ...]]:
    from archimetra.toolpath.carve.planner import plan_carve

    return plan_carve(work, progress)


def _resolve(about: Resolving, cut: CarveCut) -> dict[str, Any]:
    return {"prior": tuple(about.floors()), "carving": carve_depths_of(cut, about.bit, about.sheet)}


def _offers(picked: Picked) -> Iterator[Offer]:
    """A V-carve, with a depth limit where the strokes are wider than the bit or the sheet take."""
    from archimetra.toolpath.offer import Offer

    bit, room, sheet = picked.bits.carver(), picked.room, picked.board.sheet
    if bit is None or not picked.closed or picked.holes:
        return
    limit = round(min(bit.rise_at(bit.radius), sheet.thinnest / 2), 1)
    needs = bit.rise_at(min(room / 2, bit.radius))
    has_floor = room / 2 > bit.radius or needs > limit
    depth = min(limit, 5.0) if has_floor else 0.0
    why = f"flat floor at {mm(depth)}, cleared by a straight bit" if has_floor else f"{mm(needs, '.1f')} at its deepest"

    def with_floor(job: Job, cut: CutId, bits: BitsAtHand) -> Job:
        from archimetra.edits import leftovers

        job, (floor,) = bits.all_taken(bits.straight(depth, at_most=0.5 * room), job=job)
        return leftovers.add_floor(job, cut, floor)[0].job

    yield Offer(
        place=4, title="V-carve", why=why, bit=bit, fields={"end_depth": depth}, leads=picked.are_letters,
        after=with_floor if has_floor else None,
    )  # fmt: skip


def _wanted(work: ResolvedCut) -> Iterator[Wanted]:
    """Walls that slope as the bit does, as deep as they meet or as the cut or the sheet let them: that its bit is too small is no wish."""
    import numpy as np

    from archimetra.base.errors import GeometryError
    from archimetra.toolpath.carve.area import area_of_carving

    carving = work.carving
    assert carving is not None
    assert isinstance(work.cut, CarveCut)
    try:
        region = area_of_carving(work.shapes, work.cut, carving).region
    except GeometryError:
        return
    bit, above = work.bit, carving.start + carving.sink + work.face
    by_cut = work.cut.end_depth - above + work.face if work.cut.has_limit else np.inf
    depth = above + max(min(by_cut, work.sheet.thinnest + work.face - above), 0.0)
    if bit.kind is BitKind.BALL:
        yield Wanted(work.cut.id, region, depth, start=above, ball=bit.radius)
        return
    # where walls meet, the tip stays above the edge they would make
    blunt = carving.narrowest if bit.kind is BitKind.VEE else bit.ball_meets_taper[0]
    spare = blunt / carving.slope - bit.rise_at(blunt)
    yield Wanted(work.cut.id, region, depth, start=above, slope=carving.slope, spare=spare)


ROW = Row(CarveCut, _plan, _resolve, offers=_offers, wanted=_wanted)
