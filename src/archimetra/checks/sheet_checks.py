"""Checks of the sheet: what lies off its wood, or over a flaw in it."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import shapely
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from archimetra.base.findings import Finding, Severity, mm
from archimetra.checks.check_input import CheckInput
from archimetra.geometry.path import bounds_of
from archimetra.geometry.region import polygons_of
from archimetra.job.bits import Bit
from archimetra.job.cut_parts import Side
from archimetra.job.cuts import Cut
from archimetra.job.footprints import TOUCH_MM, enclosed_by, lines_of
from archimetra.toolpath.shared.moves import straightened
from archimetra.toolpath.shared.program import Run

_HAIR_MM = 0.01
_COARSE_MM = 0.05


def off_sheet(given: CheckInput) -> Iterator[Finding]:
    """Shapes past the edge of the sheet, but for cuts that are meant to run past it."""
    for cut, _ in given.cuts():
        if cut.may_leave_sheet:
            continue
        found = _past_outline(given, cut) if given.sheet.outline else _past_box(given, cut)
        if found is None:
            continue
        over, at = found
        yield Finding(
            "off-sheet", Severity.STOP, f"The shapes of '{cut.name}' reach {mm(over, '.2f')} past the edge of the sheet.",
            mend="Move them onto the sheet, or correct its size." if not given.sheet.outline else "Move them onto the sheet.",
            at=at, subject=cut.id,
        )  # fmt: skip


def _past_box(given: CheckInput, cut: Cut) -> tuple[float, tuple[float, float]] | None:
    sheet = given.sheet
    box = bounds_of([path for shape in given.board.shapes_of(cut) for path in shape.placed()])
    if box is None:
        return None
    over = max(-box[0], -box[1], box[2] - sheet.width, box[3] - sheet.height)
    at = (box[0] if -box[0] >= over else min(box[2], 1e6), box[1] if -box[1] >= over else box[3])
    return (over, at) if over > _HAIR_MM else None


def _past_outline(given: CheckInput, cut: Cut) -> tuple[float, tuple[float, float]] | None:
    """The place of the shapes, or of the wood that is to be kept within them, that lies farthest from the sheet's wood."""
    wood = given.sheet.region
    work = shapely.union_all([*lines_of(given.board.shapes_of(cut)), _kept_by(given, cut)])
    beyond = shapely.difference(work, wood.buffer(_HAIR_MM))
    if beyond.is_empty:
        return None
    places = shapely.get_coordinates(shapely.segmentize(beyond, 1.0))
    holes = [
        p for p in polygons_of(beyond) if p.area > _HAIR_MM
    ]  # an opening within a piece has no line that leaves the wood
    if holes:
        places = np.vstack((places, [shapely.get_coordinates(shapely.maximum_inscribed_circle(p))[0] for p in holes]))
    gaps = shapely.distance(wood, shapely.points(places))
    worst = int(np.argmax(gaps))
    return float(gaps[worst]), (float(places[worst, 0]), float(places[worst, 1]))


def over_flaw(given: CheckInput) -> Iterator[Finding]:
    """Work over a place of the sheet that is no good; a bit over metal in it."""
    flaws = given.sheet.flaws
    if not flaws:
        return
    areas = np.array([shapely.make_valid(Polygon(flaw.outline.flatten(_COARSE_MM))) for flaw in flaws], dtype=object)
    is_hard = np.array([flaw.is_hard for flaw in flaws])
    yield from _bits_over(given, areas[is_hard])
    for k in np.flatnonzero(~is_hard).tolist():
        for cut, _ in reversed(list(given.cuts())):
            lines = shapely.buffer(shapely.union_all(lines_of(given.board.shapes_of(cut))), _HAIR_MM)
            wood = shapely.union(_kept_by(given, cut), lines)
            if float(shapely.area(shapely.intersection(wood, areas[k]))) > _HAIR_MM:
                at = shapely.intersection(wood, areas[k]).representative_point()
                yield Finding(
                    "over-flaw", Severity.CAUTION, f"What '{cut.name}' cuts lies over a flaw of the sheet.",
                    mend="Move it off the flaw, or nest again.", at=(float(at.x), float(at.y)), subject=cut.id,
                )  # fmt: skip
                break


def _kept_by(given: CheckInput, cut: Cut) -> BaseGeometry:
    """The wood a cut makes something of: all a part's outline holds, the ground of a pocket or a carving; nothing where what is inside falls out."""
    if cut.takes_whole_sheet or (cut.loosens is not Side.OUTSIDE and cut.is_through(given.sheet)):
        return Polygon()
    areas = shapely.buffer(enclosed_by(given.board.shapes_of(cut)), -TOUCH_MM, join_style="mitre")
    kept: BaseGeometry = shapely.union_all(areas)
    return kept


def _bits_over(given: CheckInput, hard: np.ndarray) -> Iterator[Finding]:
    """One finding a block whose bit comes over metal below the sheet's top."""
    run = given.run
    if not len(hard):
        return
    tree = shapely.STRtree(list(hard))
    told: set[str] = set()
    for block in run.blocks:
        cut, bit = given.board.cut(block.cut), given.job.bit(block.bit)
        if cut is None or bit is None or cut.id in told:
            continue
        at = _first_over(run, slice(block.first, block.last), bit, tree)
        if at is not None:
            told.add(cut.id)
            yield Finding(
                "over-metal", Severity.STOP, f"The bit of '{cut.name}' runs over metal in the sheet.",
                mend="Move it away, or nest again.", at=at, subject=cut.id,
            )  # fmt: skip


def _first_over(run: Run, rows: slice, bit: Bit, tree: shapely.STRtree) -> tuple[float, float] | None:
    points, _ = straightened(run.xyz[rows], run.kind[rows], run.centre[rows], chord_tolerance_mm=_COARSE_MM)
    low = (points[:-1, 2] < 0) | (points[1:, 2] < 0)
    if not low.any():
        return None
    ends = np.stack((points[:-1, :2], points[1:, :2]), axis=1)[low]
    hits = tree.query(shapely.linestrings(ends), predicate="dwithin", distance=bit.radius)
    return tuple(ends[int(hits[0].min()), 1].tolist()) if hits.size else None
