"""Settings with which there is nothing to plan. What may still be cut, but unwisely, is for ``checks``."""

from __future__ import annotations

from archimetra.base.findings import Finding, Severity, mm
from archimetra.job.bits import Bit
from archimetra.job.cuts import Cut
from archimetra.toolpath.resolved_cut import ResolvedCut

LEAST_DEPTH_MM = 0.002  # less is a zero that came out of a sum


def nothing_to_plan(work: ResolvedCut) -> list[Finding]:
    """Why a work cannot be planned at all; empty where it can."""
    cut = work.cut
    if not work.shapes and not cut.takes_whole_sheet:
        return [
            Finding(
                "no-shapes", Severity.CAUTION, f"'{cut.name}' has no shapes and cuts nothing.",
                mend="Pick shapes on the plan and give them to the cut.", subject=cut.id,
            )
        ]  # fmt: skip
    if work.depth < LEAST_DEPTH_MM:
        return [
            Finding(
                "depth-zero", Severity.STOP, f"The end depth of '{cut.name}' is still zero; it cuts nothing.",
                mend="Enter an end depth, or let it go through.", subject=cut.id,
            )
        ]  # fmt: skip
    if cut.start_depth >= work.depth:
        return [
            Finding(
                "depth-order", Severity.STOP,
                f"'{cut.name}' starts at {mm(cut.start_depth)} and ends at {mm(work.depth)}; it cuts nothing.",
                mend="Make the end depth the greater one.", subject=cut.id,
            )
        ]  # fmt: skip
    return []


def only_by_plunging(cut: Cut, bit: Bit, at: tuple[float, float]) -> Finding:
    """A place a bit could only get into straight down, and cannot."""
    return Finding(
        "only-by-plunging", Severity.STOP,
        f"A place of '{cut.name}' has no room to ramp down in, and {bit.name} does not cut at its centre; it is left uncut.",
        mend="Choose a bit that can plunge.", at=at, subject=cut.id,
    )  # fmt: skip
