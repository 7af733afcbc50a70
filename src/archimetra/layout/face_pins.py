"""Pins a sheet is turned over onto: two on the line it turns about, so that each comes back to its own place, in waste of both faces."""

from __future__ import annotations

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from archimetra.geometry.arrays import FloatArray
from archimetra.job.footprints import enclosed_by, lines_of
from archimetra.job.job import Board, Job
from archimetra.job.setups import TurnedAbout
from archimetra.job.turning import over

_STEP_MM = 1.0
_WALL_MM = 3.0


def places_on_the_axis(job: Job, front: Board, back: Board, *, hole: float) -> list[tuple[float, float]]:
    """The two places farthest apart, in the coordinates of the front; none where there are not two. They never lie alike about the middle, so that the
    sheet cannot be laid on them the wrong way round."""
    assert back.back_of is not None
    about, sheet = back.back_of.about, front.sheet
    is_upright = about is TurnedAbout.SIDEWAYS
    size = sheet.height if is_upright else sheet.width
    along = np.arange(hole, size - hole + 1e-9, _STEP_MM)
    middle = sheet.width / 2 if is_upright else sheet.height / 2
    points = np.column_stack(
        (np.full(len(along), middle), along) if is_upright else (along, np.full(len(along), middle))
    )
    turned = over(about, sheet).apply(points)
    free = shapely.intersects_xy(shapely.buffer(sheet.region, -(hole / 2 + _WALL_MM)), *points.T)
    free &= _clear(job, front, points, hole) & _clear(job, back, turned, hole)
    along = along[free]
    if len(along) < 2:
        return []
    gaps = np.abs(along[:, None] - along[None, :])
    alike = np.abs(along[:, None] + along[None, :] - size) < hole / 4  # by more than this off, no pin goes in
    gaps = np.where(alike, -1.0, gaps)
    i, j = np.unravel_index(int(np.argmax(gaps)), gaps.shape)
    if gaps[i, j] < 4 * hole:
        return []
    low, high = sorted((float(along[i]), float(along[j])))
    return [(middle, low), (middle, high)] if is_upright else [(low, middle), (high, middle)]


def _clear(job: Job, board: Board, points: FloatArray, hole: float) -> np.ndarray:
    """Which places are waste of a face, and a bit away from every outline of its cuts."""
    out = np.ones(len(points), dtype=bool)
    for cut in board.cuts:
        shapes, bit = board.shapes_of(cut), job.bit(cut.bit)
        if not cut.is_on or not shapes or bit is None or (cut.lowers_face and cut.takes_whole_sheet):
            continue
        # of an area that is cut, and of a part, all that its outlines go round
        area: BaseGeometry = shapely.union_all([*enclosed_by(shapes), *lines_of(shapes)])
        reach = hole / 2 + _WALL_MM + bit.diameter + (cut.reach or 0.0)
        out &= shapely.distance(area, shapely.points(points)) >= reach
    return out
