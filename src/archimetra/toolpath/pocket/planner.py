"""Pocket: areas cleared to a depth, islands left standing.

Stages: the area and its clearance (``area``), its numbers (``measures``), the lines it is cleared along (``lines``); then each connected
piece is laid, in loops (``floor``) or rows (``rows``), what is just as wide as the bit, and the walls (``walls``). A pocket that clears the
rest of another goes only where the larger bit could not (``rest``).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from archimetra.base.errors import GeometryError
from archimetra.base.findings import Finding, Severity
from archimetra.geometry.arcfit import fit_arcs
from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.region import polygons_of
from archimetra.job.bits import FLAT_BOTTOMED, BitKind
from archimetra.job.cuts.pocket import PocketCut
from archimetra.toolpath.pocket import findings as told
from archimetra.toolpath.pocket.area import PocketArea, pocket_area
from archimetra.toolpath.pocket.floor import Floor
from archimetra.toolpath.pocket.lines import Lines, lines_in, lines_of, nearest_first
from archimetra.toolpath.pocket.measures import Measures, measures_of
from archimetra.toolpath.pocket.rest import RestOfPocket
from archimetra.toolpath.pocket.rows import Rows
from archimetra.toolpath.pocket.walls import Walls
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.clearing import JUST_FITS_MM, Node, every_loop
from archimetra.toolpath.shared.contours import no_area, open_finding
from archimetra.toolpath.shared.linking import Links
from archimetra.toolpath.shared.move_builder import MoveBuilder
from archimetra.toolpath.shared.moves import Toolpath
from archimetra.toolpath.shared.refusals import nothing_to_plan, only_by_plunging
from archimetra.toolpath.shared.strokes import to_and_fro
from archimetra.toolpath.shared.track import Track

Progress = Callable[[float], None]


def plan_pocket(work: ResolvedCut, progress: Progress = lambda share: None) -> tuple[Toolpath, tuple[Finding, ...]]:
    """The toolpath of one pocket and what to know about it. Deterministic; only the progress callback may raise."""
    cut, bit = work.cut, work.bit
    assert isinstance(cut, PocketCut)
    findings = list(nothing_to_plan(work))
    builder = MoveBuilder(work)
    if not findings:
        findings.extend(
            open_finding(shape, path, cut) for shape in work.shapes for path in shape.placed() if not path.closed
        )
        if bit.kind not in FLAT_BOTTOMED and bit.kind not in (BitKind.BALL, BitKind.TAPERED_BALL):
            findings.append(told.ridged(cut, bit))
        try:
            area = pocket_area(work)
        except GeometryError as error:
            findings.append(Finding("pocket-outline", Severity.STOP, str(error), subject=cut.id))
        else:
            progress(0.3)
            findings.extend(_lay(work, cut, area, builder, progress))
    builder.leave()
    return builder.moves.toolpath(cut.id, bit.id), tuple(findings)


def _lay(
    work: ResolvedCut, cut: PocketCut, area: PocketArea, builder: MoveBuilder, progress: Progress
) -> Sequence[Finding]:
    if area.region.is_empty:
        is_open = any(not path.closed for shape in work.shapes for path in shape.paths)
        return [] if is_open else [no_area(cut)]
    m = measures_of(work, cut, area)
    lines = lines_of(work, cut, area, m)
    links = Links(builder, area.clearance, first=m.first, ramp_degrees=cut.ramp_degrees)
    if work.previous_bit is not None:
        rest = RestOfPocket(work, cut, builder, links, area, first=m.first, depths=m.depths, slope=m.slope)
        rest.run(lines.roots, lines.fitting, lines.step)
        return rest.findings
    floor = (Rows if lines.are_rows else Floor)(work, cut, area, m, builder, links)
    for number, root in enumerate(nearest_first(lines.roots)):
        progress(0.3 + 0.7 * number / max(1, len(lines.roots)))
        floor.piece(root, lines_in(root, lines.covering))
    for line in lines.fitting:
        track = Track(fit_arcs(line, tolerance_mm=0.002, closed=False))
        to_and_fro(builder, track, m.depths, start=cut.start_depth, ramp_degrees=m.slope)
    findings = _plunge_and_tell(work, cut, area, m, lines, builder)
    if lines.walls:
        finish = Walls(cut, work.bit, builder, links, depths=m.depths, wall=m.wall, first=m.first, slope=m.slope)
        finish.run(every_loop(lines.walls), [loop.ring for loop in every_loop(lines.roots)] + lines.fitting)
    return findings


def _plunge_and_tell(
    work: ResolvedCut, cut: PocketCut, area: PocketArea, m: Measures, lines: Lines, builder: MoveBuilder
) -> list[Finding]:
    """Round areas of the bit's own size are plunged into; what is reached by no line and no plunge is told."""
    if area.inset > 0:
        return [] if lines.roots else [told.no_floor(cut, work.bit)]
    entered = lines.roots + lines.walls
    places = _round_places(area, m, entered_by=(entered, lines.fitting))
    findings = []
    for at in places:
        if work.bit.can_plunge:
            _plunge(cut, m, builder, at)
        else:
            findings.append(only_by_plunging(cut, work.bit, at))
    findings += told.areas_missed(cut, work.bit, area, told.Reached(entered, lines.fitting, places))
    reached = told.Reached(lines.walls or lines.roots, lines.fitting, places)
    return [*findings, *told.branches_missed(work, cut, area, reached)]


def _round_places(
    area: PocketArea, m: Measures, *, entered_by: tuple[list[Node], list[FloatArray]]
) -> list[tuple[float, float]]:
    """The middles of areas that no line enters and that are as wide as the bit."""
    out = []
    for polygon in polygons_of(area.region):
        if told.touches(polygon, *entered_by):
            continue
        deepest = area.clearance.deepest(polygon)
        if deepest is not None and deepest.clearance >= m.wall - JUST_FITS_MM:
            out.append(deepest.at)
    return out


def _plunge(cut: PocketCut, m: Measures, builder: MoveBuilder, at: tuple[float, float]) -> None:
    builder.arrive(*at)
    for pass_no, depth in enumerate(m.depths, 1):
        builder.down(-float(depth), pass_no=pass_no)
        builder.down(-cut.start_depth + 0.5, pass_no=pass_no, is_open=True)
