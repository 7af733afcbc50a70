"""Measuring in the section: distances between two places of it, drawn with their length, kept when let go."""

from __future__ import annotations

from collections.abc import Sequence
from math import hypot
from typing import NamedTuple

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFont, QPainter, QPen

from archimetra.app.theme import style
from archimetra.app.theme.tokens import Tokens
from archimetra.app.views.section_data import Frame, SectionData
from archimetra.job.quantities import Unit, format_length

Place = tuple[float, float]
"""Along the drawn line and above the sheet's top (negative: below), mm."""

_NEAR_PX = 7.0
_STEP_MM = 0.05  # the surface rises or falls by more than this from sample to sample: a wall
_LEVEL_MM = 0.005
_FEWEST_PX = 4.0  # a drag shorter than this is a click


class Distance(NamedTuple):
    """Between two places of the section."""

    begin: Place
    end: Place

    @property
    def across(self) -> float:
        return abs(self.end[0] - self.begin[0])

    @property
    def down(self) -> float:
        return abs(self.end[1] - self.begin[1])

    def words(self, unit: Unit) -> str:
        """How long, and where it is oblique how far across and down."""
        whole = format_length(hypot(self.across, self.down), unit)
        if self.across < _LEVEL_MM or self.down < _LEVEL_MM:
            return whole
        return f"{whole} ({format_length(self.across, unit)} across, {format_length(self.down, unit)} down)"

    def is_long_enough(self, frame: Frame) -> bool:
        return hypot(self.across * frame.across, self.down * frame.down) >= _FEWEST_PX


def snapped(data: SectionData, frame: Frame, at: QPointF, start: Place | None) -> Place:
    """The place meant by a point of the canvas: on a wall, the surface, the sheet's top or bottom where these are near, else level with or
    straight below ``start`` where it nearly is."""
    s, z = frame.along(at.x()), frame.height(at.y())
    s = min(max(s, 0.0), data.length)
    wall = _nearest(s, _walls(data), _NEAR_PX / frame.across)
    s = s if wall is None else wall
    n = len(data.heights)
    k = min(max(round(s / data.length * (n - 1)), 0), n - 1)
    about = data.heights[max(k - 2, 0) : k + 3]  # at a wall both its ends
    levels = [0.0, -data.sheet.thickest, *(float(v) for v in about if v > -data.sheet.thickest - 1.0)]
    level = _nearest(z, levels, _NEAR_PX / frame.down)
    if start is not None:
        if wall is None and abs(s - start[0]) * frame.across < _NEAR_PX:
            s = start[0]
        if level is None and abs(z - start[1]) * frame.down < _NEAR_PX:
            level = start[1]
    return s, z if level is None else level


def _walls(data: SectionData) -> list[float]:
    """Where the surface steps."""
    step = data.length / (len(data.heights) - 1)
    rise = np.abs(np.diff(data.heights))
    is_steep = rise > max(_STEP_MM, 3 * step)
    return [float((k + 0.5) * step) for k in np.flatnonzero(is_steep)]


def _nearest(value: float, among: Sequence[float], within: float) -> float | None:
    best = min(among, key=lambda one: abs(one - value), default=None)
    return best if best is not None and abs(best - value) <= within else None


def paint_distance(
    painter: QPainter, frame: Frame, tokens: Tokens, distance: Distance, unit: Unit, *, is_picked: bool = False
) -> None:
    """Its line with a bar at each end, and its length beside the middle."""
    a, b = frame.at(*distance.begin), frame.at(*distance.end)
    ink = tokens.color("picked" if is_picked else "ink")
    painter.setPen(QPen(ink, 1.6 if is_picked else 1.2))
    painter.drawLine(a, b)
    long = hypot(b.x() - a.x(), b.y() - a.y()) or 1.0
    bar = QPointF(-(b.y() - a.y()) / long * 4, (b.x() - a.x()) / long * 4)
    for end in (a, b):
        painter.drawLine(end - bar, end + bar)
    box = label_box(painter, frame, distance, unit)
    painter.fillRect(box, tokens.color("panel", 225))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, distance.words(unit))


def label_box(painter: QPainter, frame: Frame, distance: Distance, unit: Unit) -> QRectF:
    """Where its length is written: above a level line, right of an upright one. Sets the font it is written in."""
    painter.setFont(style.font(11, weight=QFont.Weight.DemiBold))
    metrics = painter.fontMetrics()
    width, height = metrics.horizontalAdvance(distance.words(unit)) + 8.0, metrics.height() + 0.0
    a, b = frame.at(*distance.begin), frame.at(*distance.end)
    middle = (a + b) / 2
    is_level = abs(b.x() - a.x()) >= abs(b.y() - a.y())
    if is_level:
        return QRectF(middle.x() - width / 2, middle.y() - height - 3, width, height)
    return QRectF(middle.x() + 6, middle.y() - height / 2, width, height)


def distance_at(frame: Frame, distances: Sequence[Distance], at: QPointF) -> int | None:
    """The number of the distance whose line runs near a point of the canvas."""
    best: tuple[float, int] | None = None
    for number, distance in enumerate(distances):
        a, b = frame.at(*distance.begin), frame.at(*distance.end)
        far = _from_line(at, a, b)
        if far <= _NEAR_PX and (best is None or far < best[0]):
            best = far, number
    return best[1] if best is not None else None


def _from_line(p: QPointF, a: QPointF, b: QPointF) -> float:
    dx, dy = b.x() - a.x(), b.y() - a.y()
    square = dx * dx + dy * dy
    t = min(max(((p.x() - a.x()) * dx + (p.y() - a.y()) * dy) / square, 0.0), 1.0) if square else 0.0
    return hypot(p.x() - a.x() - t * dx, p.y() - a.y() - t * dy)
