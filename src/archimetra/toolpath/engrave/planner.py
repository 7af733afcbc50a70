"""Line engraving: the bit follows the drawn lines themselves, to and fro in passes, in an order with little travel."""

from __future__ import annotations

from collections.abc import Callable

from archimetra.base.findings import Finding
from archimetra.job.cuts.engrave import EngraveCut
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.contours import no_area, on_the_line
from archimetra.toolpath.shared.lines import WayIn, lay_line, ordered_lines
from archimetra.toolpath.shared.move_builder import MoveBuilder
from archimetra.toolpath.shared.moves import Toolpath
from archimetra.toolpath.shared.passes import pass_depths
from archimetra.toolpath.shared.refusals import nothing_to_plan
from archimetra.toolpath.shared.track import Track

Progress = Callable[[float], None]


def plan_engraving(work: ResolvedCut, progress: Progress = lambda share: None) -> tuple[Toolpath, tuple[Finding, ...]]:
    """The toolpath of some lines and what to know about it. Deterministic; only the progress callback may raise."""
    cut = work.cut
    assert isinstance(cut, EngraveCut)
    findings = list(nothing_to_plan(work))
    builder = MoveBuilder(work)
    if not findings:
        depths = pass_depths(cut.start_depth, work.depth, work.recipe.depth_per_pass)
        contours = [c for c in on_the_line(work.shapes, cut.direction, work.bit) if c.path is not None]
        tracks = [Track(contour.path) for contour in contours if contour.path is not None]
        order = range(len(tracks)) if cut.keeps_order else ordered_lines(tracks)
        for number, k in enumerate(order):
            progress(number / max(1, len(tracks)))
            track = tracks[k if k >= 0 else ~k]
            if len(track):
                lay_line(
                    builder, track, WayIn(cut.entry, cut.ramp_degrees), depths, start=cut.start_depth, is_back=k < 0
                )
        if builder.moves.is_empty and not findings:
            findings.append(no_area(cut))
    builder.leave()
    return builder.moves.toolpath(cut.id, work.bit.id), tuple(findings)
