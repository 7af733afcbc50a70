"""What a pinned measure reads on a board now."""

from __future__ import annotations

from math import hypot
from typing import NamedTuple

from archimetra.job.job import Board
from archimetra.job.shapes import Measure, MeasureKind

Point = tuple[float, float]


class Reading(NamedTuple):
    """``value`` in mm, degrees or mm²; ``points`` the places to draw it between or at."""

    kind: MeasureKind
    value: float
    points: tuple[Point, ...]


def reading(board: Board, measure: Measure) -> Reading | None:
    """The reading; None where its shapes are gone or it has no value there."""
    from archimetra.geometry import measuring

    points = measure.points
    shapes = [shape for id_ in measure.shapes if (shape := board.shape(id_)) is not None]
    if len(shapes) < len(measure.shapes):
        return None
    match measure.kind:
        case MeasureKind.DISTANCE:
            (ax, ay), (bx, by) = points
            return Reading(measure.kind, hypot(bx - ax, by - ay), points)
        case MeasureKind.ANGLE:
            return Reading(measure.kind, measuring.angle_at(points[0], points[1], points[2]), points)
        case MeasureKind.RADIUS:
            found = measuring.radius_near(shapes[0].placed(), points[0])
            return None if found is None else Reading(measure.kind, found[0], (points[0], found[1]))
        case MeasureKind.LENGTH:
            return Reading(measure.kind, measuring.length_of(shapes[0].placed()), points)
        case MeasureKind.AREA:
            return Reading(measure.kind, measuring.area_of(shapes[0].placed(), shapes[0].fill_rule), points)
        case MeasureKind.GAP:
            gap, a, b = measuring.gap_between(shapes[0].placed(), shapes[1].placed())
            return Reading(measure.kind, gap, (a, b))
