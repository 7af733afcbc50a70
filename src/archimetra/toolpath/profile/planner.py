"""Profile: along outlines, outside, inside or on the line, in passes, with tabs, leads and ramps.

Stages: contours beside the outlines, rough and finished (``contours``); lines with the marks set on them, in the order they are cut
(``lines``, ``outlines``); then for each line its tabs (``tab_places``), and it is laid (``laying``): its start and leads (``begins``),
its passes, the last pass of a finishing allowance.
"""

from __future__ import annotations

from collections.abc import Callable

from archimetra.base.findings import Finding
from archimetra.job.cut_parts import Side
from archimetra.job.cuts.profile import ProfileCut
from archimetra.toolpath.profile.laying import Laying
from archimetra.toolpath.profile.lines import in_order, lines_of, paired, tabbed
from archimetra.toolpath.profile.outlines import Outlines
from archimetra.toolpath.profile.shared_edges import contours_sharing
from archimetra.toolpath.profile.tab_places import tabs_on
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.contours import Contours, contours_of, no_area
from archimetra.toolpath.shared.moves import Toolpath
from archimetra.toolpath.shared.refusals import nothing_to_plan

Progress = Callable[[float], None]  # share done, 0 to 1; raises CancelledError to stop


def plan_profile(work: ResolvedCut, progress: Progress = lambda share: None) -> tuple[Toolpath, tuple[Finding, ...]]:
    """The toolpath of one profile and what to know about it. Deterministic; only the progress callback may raise."""
    cut, bit = work.cut, work.bit
    assert isinstance(cut, ProfileCut)
    findings = list(nothing_to_plan(work))
    outlines = Outlines(work)
    laying = Laying(work, cut, outlines)
    if not findings:
        rough, last, told = both_contours(work, cut)
        findings += told
        progress(0.5)
        lines, told = in_order(work, cut, outlines, rough)
        finishing = lines_of(cut, outlines, last.contours) if last is not None else None
        laying.findings += told
        for number, (line, finish) in enumerate(paired(lines, finishing)):
            progress(0.5 + 0.5 * number / max(1, len(rough.contours)))
            tabs = tabs_on(work, cut, outlines, tabbed(line, finish))
            laying.marks += tabs.marks
            laying.findings += tabs.findings
            laying.lay(line, finish, tabs.middles)
        findings += laying.findings
    laying.builder.leave()
    return laying.builder.moves.toolpath(cut.id, bit.id, tuple(laying.marks)), tuple(findings)


def both_contours(work: ResolvedCut, cut: ProfileCut) -> tuple[Contours, Contours | None, tuple[Finding, ...]]:
    """The contours of the passes, those of the finishing pass where it has an allowance, and what to know about either."""
    rough = _rough(work, cut)
    last = contours_of(work.shapes, cut, work.bit) if cut.finish > 0 and cut.side is not Side.ON else None
    told = list(rough.findings)
    if last is not None:
        known = {f.code for f in told}
        told += [f for f in last.findings if f.code not in known]
    if not told and not rough.contours and (last is None or not last.contours):
        told.append(no_area(cut))
    return rough, last, tuple(told)


def _rough(work: ResolvedCut, cut: ProfileCut) -> Contours:
    extra = cut.finish if cut.side is not Side.ON else 0.0
    if cut.shares_edges and cut.side is Side.OUTSIDE:
        told = contours_of(work.shapes, cut, work.bit, extra=extra).findings
        return contours_sharing(work.shapes, cut, work.bit, extra=extra, told=told)
    return contours_of(work.shapes, cut, work.bit, extra=extra)
