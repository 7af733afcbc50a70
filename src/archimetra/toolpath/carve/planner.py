"""V-carve: the bit follows the medial axis of an area, as deep at every place as the stroke there is wide.

Stages: depths (``carving``), the area and its pieces (``carve_area``), strokes between the narrowest the tip enters and where
the limit begins, the rim of the floor there, what straight bits leave of the floor (``carve_floor``), and for each piece, pass by pass,
rows, strokes and rim in trails with few lifts (``carve_ways``). A pass goes only where the one before did not reach the final depth.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import shapely

from archimetra.base.errors import GeometryError
from archimetra.base.findings import Finding
from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.clearances import Piece
from archimetra.geometry.skeleton import Skeleton
from archimetra.job.bits import BitKind
from archimetra.job.cuts.carve import CarveCut
from archimetra.toolpath.carve import findings as told
from archimetra.toolpath.carve.area import CarveArea, area_of_carving
from archimetra.toolpath.carve.floor import floor_of, left_of_floor, length_of_rows, rows_of
from archimetra.toolpath.carve.laying import CarveLayer
from archimetra.toolpath.carve.route import deeper_lines, ways
from archimetra.toolpath.carve_depths import CarveDepths, carve_depths_of
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.move_builder import MoveBuilder
from archimetra.toolpath.shared.moves import Toolpath
from archimetra.toolpath.shared.order import inside_first
from archimetra.toolpath.shared.passes import pass_depths
from archimetra.toolpath.shared.refusals import nothing_to_plan

Progress = Callable[[float], None]
MOST_FLOOR_MM = 150_000.0  # of rows on a floor; beyond that the bit would run for hours
_TOUCH_MM = 0.002
_CURVED = 0.6  # of the feed is about what is kept up along strokes that turn and rise
_LEVEL_MM = 0.1  # so long a stretch is no stroke that just passes the limit
_ON_RIM_MM = 0.02
_DOT_MM = 0.0005


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
            carver = _Carver(work, carving, area, CarveLayer(builder, work), progress)
            carver.run()
            findings.extend(carver.findings)
    builder.leave()
    return builder.moves.toolpath(cut.id, work.bit.id), tuple(findings)


class _Carver:
    def __init__(
        self, work: ResolvedCut, carving: CarveDepths, area: CarveArea, builder: CarveLayer, progress: Progress
    ) -> None:
        self.findings: list[Finding] = []
        assert isinstance(work.cut, CarveCut)
        self._work, self._cut, self._carving, self._area, self._builder = work, work.cut, carving, area, builder
        self._progress, self._share = progress, 0.3
        self._told = told.CarveFindings(work.cut, work.bit, carving)
        # the smallest straight bit that clears this floor before
        self._cleared_by = min((e.bit.radius for e in work.prior), default=None)
        self._step = carving.floor_step(work.cut.cusp)

    def run(self) -> None:
        cut, carving = self._cut, self._carving
        self.findings.extend(self._told.area(self._area))
        self.findings.extend(self._told.standing(self._area))
        if carving.limit <= 0:
            self.findings.append(self._told.no_room())
            return
        pieces = self._area.clearances.pieces
        for number, k in enumerate(_order(pieces)):
            self._share = 0.3 + 0.7 * number / max(1, len(pieces))
            self._piece(pieces[k])
        if cut.line_width > 0:
            self._grooves()
        self.findings.extend(self._told.summary())

    # ---- one piece

    def _strokes(self, piece: Piece, low: float, high: float) -> Skeleton:
        c = self._carving
        found = piece.skeleton(
            residual_mm=c.residual_mm, chord_tolerance_mm=c.chord_mm, low=low, high=high, simplify_mm=c.simplify_mm
        )
        return found if c.bit.kind is BitKind.VEE else _denser(found, 0.02)

    def _piece(self, piece: Piece) -> None:
        c = self._carving
        self._progress(self._share)
        deepest = piece.deepest()
        widest = deepest.clearance if deepest is not None else 0.0
        self._told.stroke_limits(piece, self._strokes(piece, 0.0, np.inf), deepest)
        if widest <= max(c.narrowest, 1e-4):
            return
        has_floor = widest > c.reach + _TOUCH_MM
        # without a floor strokes that are a hair wider than the limit asks are strokes all the same, at the limit's depth
        skeleton = self._strokes(piece, c.narrowest, c.reach if has_floor else np.inf)
        rims = [path.flatten(c.simplify_mm) for path in piece.offsets(c.reach)] if has_floor else []
        lines = [line for line in skeleton.strokes() if len(line) > 1]
        if has_floor:
            lines += self._level_strokes(piece)
        if rims:
            lines = _onto_rims(lines, rims, c.reach)
            rims = _split_rims(rims, lines, c.reach)
            lines += [np.column_stack((ring, np.full(len(ring), c.reach))) for ring in rims]
        rows, rough_rows = self._rows(piece, has_floor)
        bottom = float(c.depths(np.array([min(widest, c.reach)]))[0])
        caps = pass_depths(c.start, bottom, self._work.recipe.depth_per_pass)
        for pass_no, cap in enumerate(caps, 1):
            self._progress(self._share)  # a large piece takes long: between its passes it can be stopped
            chosen = rows if pass_no == len(caps) else rough_rows
            reach = max(c.clearance_at(float(cap)), 0.05)
            self._builder.rows(chosen, -float(cap), piece, reach=reach, pass_no=pass_no)
        self._cut_strokes([np.column_stack((line[:, :2], -c.depths(line[:, 2]))) for line in lines], caps)
        for x, y, radius in skeleton.spots:
            self._builder.plunge(float(x), float(y), -float(c.depths(np.array([radius]))[0]), pass_no=len(caps))

    def _cut_strokes(self, lines: list[FloatArray], caps: FloatArray) -> None:
        """Strokes (x, y, z) down to their depth in passes, each over what the one before did not bring to its depth."""
        speed, lift_s = _CURVED * self._work.recipe.feed / 60, self._builder.lift_s
        before = -self._carving.start
        for pass_no, cap in enumerate(caps, 1):
            chosen = lines if pass_no == 1 else deeper_lines(lines, before, longest_mm=speed * lift_s)
            level = [
                np.column_stack((line[:, :2], np.maximum(line[:, 2], -float(cap))))
                for line in _at_level(chosen, -float(cap))
            ]
            self._builder.trails(level, ways(level, mm_per_s=speed, lift_s=lift_s), pass_no, before=before)
            before = -float(cap)

    def _level_strokes(self, piece: Piece) -> list[FloatArray]:
        """Strokes that are for some way as wide as the limit asks, to a hair: no rim need be there, since their floor has no width."""
        reach = self._carving.reach
        lines = self._strokes(piece, reach, reach + _TOUCH_MM).strokes()
        found = [
            line for line in lines if len(line) > 1 and np.hypot(*np.diff(line[:, :2], axis=0).T).sum() > _LEVEL_MM
        ]
        return [np.column_stack((line[:, :2], np.full(len(line), reach))) for line in found]

    def _rows(self, piece: Piece, has_floor: bool) -> tuple[list[FloatArray], list[FloatArray]]:
        """The rows of the last pass on the floor, and those of passes before it, farther apart."""
        if not has_floor:
            return [], []
        c = self._carving
        floor = floor_of(piece, c)
        zone = floor if self._cleared_by is None else left_of_floor(piece, c, floor, self._cleared_by)
        self._told.floor(piece, floor, zone, self._step, cleared=self._cleared_by)
        if zone.is_empty:
            return [], []
        if length_of_rows(zone, self._step) > MOST_FLOOR_MM:
            self._told.floor_left(piece, zone, self._step)
            return [], []
        high = self._strokes(piece, c.reach, np.inf)
        # the middle of a round floor has no stroke to be cut along: the bit goes down on it
        axis = high.strokes() + [np.array([(x, y, r), (x + _DOT_MM, y, r)]) for x, y, r in high.spots]
        rows = rows_of(piece, c, zone, step=self._step, axis=axis)
        rough = max(self._step, 0.5 * c.bit.width_at(self._work.recipe.depth_per_pass))
        rough_rows = rows if rough < 1.5 * self._step else rows_of(piece, c, zone, step=rough, axis=axis)
        return rows, rough_rows

    # ---- open lines

    def _grooves(self) -> None:
        """Open lines as grooves of one width, in passes, to and fro."""
        c = self._carving
        depth = float(c.depths(np.array([self._cut.line_width / 2]))[0])
        if self._cut.line_width / 2 <= c.narrowest:
            self.findings.append(self._told.line_narrow(self._cut.line_width))
            return
        lines = [path.flatten(c.outline_mm) for _, path in self._area.open_lines if path.length() > 0.01]
        caps = pass_depths(c.start, depth, self._work.recipe.depth_per_pass)
        self._cut_strokes([np.column_stack((line, np.full(len(line), -depth))) for line in lines], caps)


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


def _onto_rims(lines: list[FloatArray], rims: list[FloatArray], reach: float) -> list[FloatArray]:
    """Strokes whose ends at the limit are put onto the rims' own points there: the two were worked out apart."""
    ends = [(k, end) for k, line in enumerate(lines) for end in (0, -1) if abs(line[end, 2] - reach) < 1e-6]
    if not ends:
        return lines
    nodes = np.vstack(rims)
    places = shapely.points(np.array([lines[k][end, :2] for k, end in ends]))
    nearest, gaps = shapely.STRtree(shapely.points(nodes)).query_nearest(
        places, return_distance=True, all_matches=False
    )
    out = list(lines)
    for which, node, gap in zip(nearest[0], nearest[1], gaps, strict=True):
        k, end = ends[which]
        if gap < _ON_RIM_MM:
            out[k] = out[k].copy()
            out[k][end, :2] = nodes[node]
    return out


def _split_rims(rims: list[FloatArray], lines: list[FloatArray], reach: float) -> list[FloatArray]:
    """Rims cut at the points where strokes end on them."""
    at_reach = [line[end, :2] for line in lines for end in (0, -1) if abs(line[end, 2] - reach) < 1e-6]
    marks = {(round(float(x), 7), round(float(y), 7)) for x, y in at_reach}
    out = []
    for ring in rims:
        cuts = [k for k, (x, y) in enumerate(ring[:-1]) if (round(float(x), 7), round(float(y), 7)) in marks]
        if not cuts:
            out.append(ring)
            continue
        turned = np.vstack((ring[cuts[0] : -1], ring[: cuts[0] + 1]))
        stops = [k - cuts[0] for k in cuts] + [len(turned) - 1]
        out.extend(turned[a : b + 1] for a, b in zip(stops[:-1], stops[1:], strict=True) if b > a)
    return out


def _denser(skeleton: Skeleton, step: float) -> Skeleton:
    """With points so close that depth, curved for round tips, may be taken as linear between them."""
    lines = []
    for line in skeleton.strokes():
        rise = np.abs(np.diff(line[:, 2]))
        counts = np.maximum(1, np.ceil(rise / step)).astype(int)
        if len(line) < 2 or counts.max() == 1:
            lines.append(line)
            continue
        t = np.concatenate([k + np.arange(n) / n for k, n in enumerate(counts)] + [[len(line) - 1.0]])
        lines.append(np.column_stack([np.interp(t, np.arange(len(line)), line[:, d]) for d in range(3)]))
    if not lines:
        return skeleton
    first = np.concatenate(([0], np.cumsum([len(line) for line in lines])))
    return Skeleton(np.vstack(lines), first, skeleton.spots)
