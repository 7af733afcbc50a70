"""V-carve: the bit follows the medial axis of an area, as deep at every place as the stroke there is wide.

Stages: depths (``carve_depths``), the area and its pieces (``area``); of each piece its strokes and the rim of its floor (``strokes``), and
what straight bits leave of the floor (``floor``); then, pass by pass, rows, strokes and rim in trails with few lifts (``route``, ``laying``).
A pass goes only where the one before did not reach the final depth.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np

from archimetra.base.errors import GeometryError
from archimetra.base.findings import Finding
from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.clearances import Piece
from archimetra.geometry.skeleton import Skeleton
from archimetra.job.cuts.carve import CarveCut
from archimetra.toolpath.carve import findings as told
from archimetra.toolpath.carve.area import CarveArea, area_of_carving
from archimetra.toolpath.carve.floor import FloorRows, floor_rows
from archimetra.toolpath.carve.laying import CarveLayer
from archimetra.toolpath.carve.route import deeper_lines, ways
from archimetra.toolpath.carve.strokes import axis_of, strokes_of
from archimetra.toolpath.carve_depths import CarveDepths, carve_depths_of
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.move_builder import MoveBuilder
from archimetra.toolpath.shared.moves import Toolpath
from archimetra.toolpath.shared.order import inside_first
from archimetra.toolpath.shared.passes import pass_depths
from archimetra.toolpath.shared.refusals import nothing_to_plan

Progress = Callable[[float], None]
_CURVED = 0.6  # of the feed is about what is kept up along strokes that turn and rise


def plan_carve(work: ResolvedCut, progress: Progress = lambda share: None) -> tuple[Toolpath, tuple[Finding, ...]]:
    """The toolpath of one V-carve and what to know about it. Deterministic; only the progress callback may raise."""
    cut = work.cut
    assert isinstance(cut, CarveCut)
    findings = list(nothing_to_plan(work)) or list(told.unfit(work))
    builder = MoveBuilder(work)
    if not findings:
        carving = carve_depths_of(cut, work.bit, work.sheet)
        try:
            area = area_of_carving(work.shapes, cut, carving)
        except GeometryError as error:
            findings.append(told.bad_outline(cut, str(error)))
        else:
            progress(0.3)
            findings.extend(_carve(work, cut, carving, area, CarveLayer(builder, work), progress))
    builder.leave()
    return builder.moves.toolpath(cut.id, work.bit.id), tuple(findings)


def _carve(
    work: ResolvedCut, cut: CarveCut, carving: CarveDepths, area: CarveArea, laying: CarveLayer, progress: Progress
) -> list[Finding]:
    tell = told.CarveFindings(cut, work.bit, carving)
    findings = [*tell.area(area), *tell.standing(area)]
    if carving.limit <= 0:
        return [*findings, tell.no_room()]
    pieces = area.clearances.pieces
    for number, k in enumerate(_order(pieces)):
        share = 0.3 + 0.7 * number / max(1, len(pieces))
        # a large piece takes long: between its passes it can be stopped
        _carve_piece(work, cut, carving, pieces[k], laying, tell, partial(progress, share))
    if cut.line_width > 0:
        findings += _carve_grooves(work, cut, carving, area, laying, tell)
    return [*findings, *tell.summary()]


def _carve_piece(
    work: ResolvedCut, cut: CarveCut, carving: CarveDepths, piece: Piece, laying: CarveLayer, tell: told.CarveFindings,
    go_on: Callable[[], None],
) -> None:  # fmt: skip
    go_on()
    tell.stroke_limits(piece, axis_of(piece, carving, 0.0, np.inf), piece.deepest())
    strokes = strokes_of(piece, carving)
    if strokes is None:
        return
    rows = _rows(work, cut, carving, piece, tell) if strokes.has_floor else None
    bottom = float(carving.depths(np.array([min(strokes.widest, carving.reach)]))[0])
    caps = pass_depths(carving.start, bottom, work.recipe.depth_per_pass)
    for pass_no, cap in enumerate(caps, 1):
        go_on()
        chosen = [] if rows is None else rows.rows if pass_no == len(caps) else rows.rough
        reach = max(carving.clearance_at(float(cap)), 0.05)
        laying.rows(chosen, -float(cap), piece, reach=reach, pass_no=pass_no)
    _lay_strokes(work, carving, strokes.placed(carving), caps, laying)
    for x, y, radius in strokes.spots:
        laying.plunge(float(x), float(y), -float(carving.depths(np.array([radius]))[0]), pass_no=len(caps))


def _rows(work: ResolvedCut, cut: CarveCut, carving: CarveDepths, piece: Piece, tell: told.CarveFindings) -> FloorRows:
    """The rows on the floor of a piece, what of it stays told."""
    step = carving.floor_step(cut.cusp)
    cleared_by = min((prior.bit.radius for prior in work.prior), default=None)  # the smallest that cleared it before
    rough_step = 0.5 * carving.bit.width_at(work.recipe.depth_per_pass)
    found = floor_rows(piece, carving, step=step, rough_step=rough_step, cleared_by=cleared_by)
    tell.floor(piece, found.floor, found.zone, step, cleared=cleared_by)
    if found.is_too_much:
        tell.floor_left(piece, found.zone, step)
    return found


def _carve_grooves(
    work: ResolvedCut,
    cut: CarveCut,
    carving: CarveDepths,
    area: CarveArea,
    laying: CarveLayer,
    tell: told.CarveFindings,
) -> list[Finding]:
    """Open lines as grooves of one width, in passes, to and fro."""
    depth = float(carving.depths(np.array([cut.line_width / 2]))[0])
    if cut.line_width / 2 <= carving.narrowest:
        return [tell.line_narrow(cut.line_width)]
    lines = [path.flatten(carving.outline_mm) for _, path in area.open_lines if path.length() > 0.01]
    caps = pass_depths(carving.start, depth, work.recipe.depth_per_pass)
    level = [np.column_stack((line, np.full(len(line), -depth))) for line in lines]
    _lay_strokes(work, carving, level, caps, laying)
    return []


def _lay_strokes(
    work: ResolvedCut, carving: CarveDepths, lines: list[FloatArray], caps: FloatArray, laying: CarveLayer
) -> None:
    """Strokes (x, y, z) down to their depth in passes, each over what the one before did not bring to its depth."""
    speed, lift_s = _CURVED * work.recipe.feed / 60, laying.lift_s
    before = -carving.start
    for pass_no, cap in enumerate(caps, 1):
        chosen = lines if pass_no == 1 else deeper_lines(lines, before, longest_mm=speed * lift_s)
        level = [
            np.column_stack((line[:, :2], np.maximum(line[:, 2], -float(cap))))
            for line in _at_level(chosen, -float(cap))
        ]
        laying.trails(level, ways(level, mm_per_s=speed, lift_s=lift_s), pass_no, before=before)
        before = -float(cap)


def _order(pieces: list[Piece]) -> list[int]:
    """Pieces in an order with little travel, by their lower left corners."""
    if not pieces:
        return []
    return inside_first(np.array([piece.corner for piece in pieces]), np.full(len(pieces), -1))


def _at_level(lines: list[FloatArray], z: float) -> list[FloatArray]:
    """Lines (x, y, z) with a point wherever they pass a height; those of one point left out."""
    kept = [line for line in lines if len(line) > 1]
    if not kept:
        return []
    whole = Skeleton(np.vstack(kept), np.concatenate(([0], np.cumsum([len(line) for line in kept]))), np.zeros((0, 3)))
    return whole.with_level(z).strokes()
