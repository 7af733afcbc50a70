"""From a job's parts to what is nested, and from the answer to pieces on boards."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np
import shapely
from shapely import affinity
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from archimetra.edits.cutting import change_cuts
from archimetra.edits.edit import Edit
from archimetra.edits.parting import lay_pieces
from archimetra.geometry.fill import FillRule
from archimetra.geometry.region import Region, as_region, polygons_of, region_of
from archimetra.job.cut_parts import Side
from archimetra.job.flat import MARK, flat_cut
from archimetra.job.ids import BoardId, InstanceId, PartId, ShapeId
from archimetra.job.job import Board, Job
from archimetra.job.parts import Instance, Part
from archimetra.job.shapes import Shape
from archimetra.job.sheet import Sheet
from archimetra.layout.fit import FitAsked, Fitted
from archimetra.layout.nest.answer import Nested
from archimetra.layout.nest.grown import free_turns
from archimetra.layout.nest.request import KeepClear, NestError, NestPart, NestRequest, NestSheet, Reach
from archimetra.layout.spacing import cuts_of, outlines_of, proposed_spacing
from archimetra.stock.bitshapes import bit_shapes
from archimetra.stock.sweep_kernels import reach as reach_of_bit
from archimetra.toolpath.kinds import plan_cut
from archimetra.toolpath.resolve import resolve
from archimetra.toolpath.shared.contours import kept_region
from archimetra.toolpath.shared.fixtures import GAP_MM, outline_of
from archimetra.toolpath.shared.moves import straightened

replace = msgspec.structs.replace
CHORD_MM = 0.01
_COARSE_MM = 0.05
_ON_IT_MM = 0.03  # a contour half the spacing off a part lies no farther out than that
_AWAY = 10_000.0  # how far a part planned alone lies from every edge of its sheet


def kept_wood(job: Job, part: Part, sheet: Sheet) -> Region:
    """What is kept of a part as it leaves a sheet: what its outermost outlines hold, less the openings a cut through the sheet frees
    in it, in which other parts may lie: they are cut before that (``toolpath.running``). What is cleared to chips is no room for others."""
    outer = _outside(part.shapes)
    freed: list[Region] = []
    for cut in cuts_of(job, part):
        if cut.loosens is Side.INSIDE and cut.is_through(sheet):
            taken = [
                shape for shape in part.shapes if shape.id in cut.shapes or (cut.layer and shape.layer == cut.layer)
            ]
            freed.append(_outside(taken))
    return as_region(outer.difference(shapely.union_all(freed))) if freed else outer


def _outside(shapes: Sequence[Shape]) -> Region:
    paths = [path for shape in shapes for path in shape.placed() if path.closed]
    found = region_of(paths, FillRule.NONZERO, chord_tolerance_mm=CHORD_MM)
    return as_region(shapely.union_all([Polygon(polygon.exterior) for polygon in polygons_of(found)]))


def reaches_of(job: Job, part: Part, board: Board, outline: Region, spacing: float) -> tuple[Reach, ...]:
    """Where bits run for a part farther from its outline than the spacing keeps others away: leads, open pockets, bevels."""
    near = outline.buffer(max(spacing / 2, 0.01) + _ON_IT_MM, quad_segs=32)
    found = []
    for lines, radius in _runs(job, part, board):
        beyond = lines.difference(near)
        if not beyond.is_empty and not near.buffer(-0.01).covers(lines.buffer(max(radius - spacing / 2, 0.0))):
            found.append(Reach(as_region(beyond.buffer(0.02, quad_segs=2)), radius))
    return tuple(found)


def _runs(job: Job, part: Part, board: Board) -> list[tuple[BaseGeometry, float]]:
    """(the lines its bit runs along below the sheet's top, how wide it cuts there) for each cut of a part lying alone on a sheet, in
    the part's coordinates."""
    cuts = cuts_of(job, part)
    there = Instance(InstanceId("alone"), part.id, _AWAY, _AWAY)
    shapes = tuple(
        replace(shape, id=ShapeId(f"{shape.id}{MARK}alone"), at=shape.at.then(there.at)) for shape in part.shapes
    )
    flats = {shape.id: (flat.id,) for shape, flat in zip(part.shapes, shapes, strict=True)}
    sheet = Sheet(
        id=board.sheet.id, width=10_000.0, height=10_000.0, readings=board.sheet.readings, material=board.sheet.material,
        grain_degrees=board.sheet.grain_degrees,
    )  # fmt: skip
    alone = replace(
        board, sheet=sheet, shapes=shapes, instances=(), fixtures=(), measures=(), cuts=tuple(flat_cut(cut, flats) for cut in cuts),
    )  # fmt: skip
    out = []
    for cut in alone.cuts:
        path, _ = plan_cut(resolve(job, alone, cut))
        bit = job.bit(cut.bit)
        if not len(path) or bit is None:
            continue
        points, _ = straightened(path.xyz, path.kind, path.centre, chord_tolerance_mm=_COARSE_MM)
        low = (points[:-1, 2] < 0) | (points[1:, 2] < 0)
        if not low.any():
            continue
        ends = np.stack((points[:-1][low, :2], points[1:][low, :2]), axis=1) - _AWAY
        lines = shapely.simplify(shapely.line_merge(shapely.union_all(shapely.linestrings(ends))), _COARSE_MM)
        kind, radii, tangents, tips = bit_shapes([bit]).arguments()
        wide = float(reach_of_bit(kind[0], radii[0], tangents[0], tips[0], -float(points[:, 2].min())))
        out.append((lines, wide))
    return out


def nest_request(
    job: Job, boards: Sequence[Board], *, spacing: float | None = None, margin: float = 10.0, seed: int = 1, shares_edges: bool = False,
) -> tuple[NestRequest, tuple[PartId, ...]]:  # fmt: skip
    """All parts of the job onto the sheets of these boards, in their order; and which part each of the request's is. Clamps and what is
    cut on the boards beside parts are kept clear. Raises NestError where none is wanted."""
    wanted = [part for part in job.parts if part.quantity]
    if job.parts and not wanted:
        raise NestError("Every quantity is 0. Say how many are wanted.")
    gap = proposed_spacing(job, wanted, shares_edges=shares_edges) if spacing is None else spacing
    parts = []
    for part in wanted:
        # an opening is room only where it is cut through every one of these sheets
        outline = as_region(
            shapely.union_all([kept_wood(job, part, sheet) for sheet in dict.fromkeys(b.sheet for b in boards)])
        )
        turns = part.turns
        parts.append(
            NestPart(
                name=part.name, outline=outline, quantity=part.quantity, turns=free_turns(outline) if turns is None else turns,
                may_mirror=part.may_flip, priority=part.priority, reaches=reaches_of(job, part, boards[0], outline, gap),
            )
        )  # fmt: skip
    widest = widest_bit(job)
    sheets = tuple(_sheet(job, board, gap, margin, widest) for board in boards)
    return NestRequest(
        parts=tuple(parts), sheets=sheets, spacing=gap, margin=margin, seed=seed, gathers=shares_edges
    ), tuple(p.id for p in wanted)


def _sheet(job: Job, board: Board, spacing: float, margin: float, widest: float) -> NestSheet:
    wood = max(polygons_of(board.sheet.region), key=lambda polygon: float(polygon.area))
    openings = tuple(KeepClear(Polygon(ring), margin) for ring in wood.interiors)
    return NestSheet(
        outline=Polygon(wood.exterior), keep_clear=(*openings, *kept_clear_on(job, replace(board, instances=()), spacing, widest)),
        count=board.sheet.count,
    )  # fmt: skip


def kept_clear_on(
    job: Job, board: Board, spacing: float, widest: float, *, but: PartId | None = None
) -> tuple[KeepClear, ...]:
    """What pieces must keep away from on a board: clamps and metal in it, by the ``widest`` bit; flaws; what is cut there beside parts; and pieces
    of other parts than ``but``, by the spacing."""
    keep = [KeepClear(outline_of(fixture), widest + GAP_MM) for fixture in board.fixtures]
    for flaw in board.sheet.flaws:
        area = shapely.make_valid(Polygon(flaw.outline.flatten(CHORD_MM)))
        keep += [KeepClear(polygon, widest + GAP_MM if flaw.is_hard else 0.0) for polygon in polygons_of(area)]
    for cut in board.cuts:
        own = [shape for shape in board.shapes_of(cut) if MARK not in shape.id]
        bit = job.bit(cut.bit)
        if own and cut.is_on and bit is not None:
            area = shapely.union_all([kept_region(own), *[line for shape in own for line in _lines(shape)]])
            keep += [KeepClear(p, max(spacing, bit.diameter)) for p in polygons_of(area.buffer(0.01))]
    for piece in board.instances:
        part = job.part(piece.part)
        if part is not None and part.id != but:
            at = piece.at
            wood = affinity.affine_transform(kept_wood(job, part, board.sheet), [at.a, at.c, at.b, at.d, at.e, at.f])
            keep += [KeepClear(p, spacing) for p in polygons_of(wood)]
    return tuple(keep)


def _lines(shape: Shape) -> list[BaseGeometry]:
    return [shapely.linestrings(path.flatten(_COARSE_MM)) for path in shape.placed() if len(path)]


def widest_bit(job: Job) -> float:
    """The diameter of the widest bit any cut runs with; 0 without cuts."""
    used = {cut.bit for cut in job.cuts}
    return max((bit.diameter for bit in job.bits if bit.id in used), default=0.0)


def fit_asked(
    job: Job, board: Board, part: Part, *, spacing: float, margin: float, is_staggered: bool, is_centred: bool
) -> FitAsked:  # fmt: skip
    """How many of a part fit on a board, clear of clamps and of what else is cut there."""
    turns = part.turns
    return FitAsked(
        outline=kept_wood(job, part, board.sheet), width=board.sheet.width, height=board.sheet.height, spacing=spacing, margin=margin,
        turns=(0.0, 90.0) if turns is None else turns, is_staggered=is_staggered, is_centred=is_centred,
        keep_clear=(*_off_wood(board.sheet, margin), *kept_clear_on(job, board, spacing, widest_bit(job), but=part.id)),
    )  # fmt: skip


def _off_wood(sheet: Sheet, margin: float) -> tuple[KeepClear, ...]:
    """What of the box around a sheet is no wood."""
    if not sheet.outline:
        return ()
    missing = shapely.difference(shapely.box(-1, -1, sheet.width + 1, sheet.height + 1), sheet.region)
    return tuple(KeepClear(polygon, margin) for polygon in polygons_of(missing))


def fitted(job: Job, board: Board, part: PartId, found: Fitted) -> Edit:
    """The pieces of a fit on its board, in place of those of the part that lie there."""
    others = [piece for piece in board.instances if piece.part != part]
    spare = [piece.id for piece in board.instances if piece.part == part]
    new = [
        Instance(spare[k] if k < len(spare) else InstanceId(""), part, p.x, p.y, p.degrees % 360.0, p.mirrored)
        for k, p in enumerate(found.places)
    ]
    return lay_pieces(job, {board.id: (*others, *new)}, "Lay out rows")


def laid(
    job: Job, boards: Sequence[BoardId], parts: Sequence[PartId], nested: Nested, *, shares_edges: bool = False
) -> Edit:
    """The pieces of a layout on their boards, in place of all that lie there. Pieces that were there keep their ids as far as they go. With
    ``shares_edges`` the cuts that cut parts out cut edges that run along each other once."""
    places: dict[BoardId, list[Instance]] = {board: [] for board in boards}
    spare: dict[PartId, list[InstanceId]] = {}
    for stored in job.stored:
        if stored.id in places:
            for piece in stored.instances:
                spare.setdefault(piece.part, []).append(piece.id)
    for p in nested.placements:
        part = parts[p.part]
        known = spare.get(part)
        id_ = known.pop(0) if known else InstanceId("")
        places[boards[p.sheet]].append(Instance(id_, part, p.x, p.y, p.degrees % 360.0, p.mirrored))
    edit = lay_pieces(job, places)
    if not shares_edges:
        return edit
    outlines = [cut.id for cut in outlines_of(job, [part for part in job.parts if part.id in parts])]
    return Edit(edit.label, change_cuts(edit.job, outlines, edit.label, shares_edges=True).job)
