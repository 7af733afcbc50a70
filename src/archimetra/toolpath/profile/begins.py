"""Where the bit begins on a line of a profile, and how it leads in and out there."""

from __future__ import annotations

import numpy as np

from archimetra.base.findings import Finding, Severity
from archimetra.geometry.arrays import FloatArray
from archimetra.job.bits import Bit
from archimetra.job.cut_parts import LeadKind
from archimetra.job.cuts.profile import ProfileCut
from archimetra.toolpath.profile.lines import Line
from archimetra.toolpath.profile.outlines import Outlines, stations_of
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.contours import Contour
from archimetra.toolpath.shared.leads import LeadPath, fit_lead
from archimetra.toolpath.shared.moves import MarkKind, PathMark
from archimetra.toolpath.shared.starts import choose_start
from archimetra.toolpath.shared.track import Track

Leads = tuple[LeadPath | None, LeadPath | None]  # in, out


def can_enter(bit: Bit, track: Track) -> bool:
    """Whether a bit comes down along a line: on one so short that a ramp along it would be a plunge only if it plunges."""
    return bool(len(track)) and (bit.can_plunge or track.length >= 0.3 * bit.diameter)


def start_on(
    work: ResolvedCut, outlines: Outlines, track: Track, line: Line, spans: FloatArray
) -> tuple[float, PathMark]:
    """The station a pass begins at, off the spans (n, 2) of tabs and their slopes unless set by hand, and its mark."""
    contour = line.contour
    by_hand = stations_of(track, line.starts)
    if len(by_hand):
        station, reason = float(by_hand[0]), "set by hand"
    else:
        wood = outlines.wood if contour.keeps_right is not None else None
        station, reason = choose_start(
            track, spans, bit_diameter=work.bit.diameter, wood=wood, keeps_right=contour.keeps_right
        )
    x, y = track.point(station)
    dx, dy = track.tangents_at(np.array([station]))[0]
    degrees = float(np.degrees(np.arctan2(dy, dx)))
    return station, PathMark(MarkKind.START, x, y, outlines.shape_at(contour.at), reason, degrees)


def leads_on(
    cut: ProfileCut, outlines: Outlines, track: Track, contour: Contour, a: float, b: float
) -> tuple[Leads, tuple[Finding, ...]]:
    """The lead to station a and the one away from station b, where they are asked for and have room."""
    asked = [lead.kind is not LeadKind.NONE for lead in (cut.lead_in, cut.lead_out)]
    if contour.keeps_right is None or not any(asked):
        return (None, None), ()
    found = (
        _lead_at(cut, outlines, track, contour, a, is_in=True),
        _lead_at(cut, outlines, track, contour, b, is_in=False),
    )
    missing = sum(wanted and lead is None for wanted, lead in zip(asked, found, strict=True))
    if not missing:
        return found, ()
    told = Finding(
        "lead-no-room", Severity.NOTE,
        f"There is no room for {'a lead' if missing == 1 else 'the leads'} at a contour of '{cut.name}'; "
        "the bit goes straight to it.",
        mend="Make the lead shorter or drag the start elsewhere.", at=track.point(a), subject=cut.id,
    )  # fmt: skip
    return found, (told,)


def _lead_at(
    cut: ProfileCut, outlines: Outlines, track: Track, contour: Contour, station: float, *, is_in: bool
) -> LeadPath | None:
    here = np.array([station])
    return fit_lead(
        cut.lead_in if is_in else cut.lead_out,
        track.points(here)[0],
        track.tangents_at(here)[0],
        waste_on_left=bool(contour.keeps_right),
        is_in=is_in,
        is_clear=outlines.is_clear,
    )
