"""The section of an inlay: the plug laid into its pocket, so large that gaps of half a millimetre are seen."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPolygonF

from archimetra.app.theme.tokens import Tokens
from archimetra.app.theme.wood import tone_of
from archimetra.app.views.section_data import LEFT, Frame, MateDrawing, SectionData, floors, stretches
from archimetra.app.views.section_layers import fill_wood, paint_break, paint_depths, paint_wood
from archimetra.job.quantities import format_length


def paint_mate(painter: QPainter, data: SectionData, mate: MateDrawing, frame: Frame, tokens: Tokens) -> float:
    """Pocket below, plug above, both broken off where nothing more is to be seen; red where wood meets wood. The y where the
    drawing ends."""
    low = frame.y(-mate.below)
    painter.save()
    painter.setClipRect(QRectF(LEFT - 1, 0, data.length * frame.across + 2, low + 1))
    paint_wood(painter, data, frame)
    _paint_plug(painter, data, mate, frame)
    _paint_meeting(painter, data, mate, frame, tokens)
    painter.restore()
    paint_break(painter, data, frame, tokens, low)
    known = {round(floor.z, 2) for floor in floors(data) if -floor.z < mate.below}
    depths = [0.0, *(-z for z in sorted(known, reverse=True)[:2])]
    paint_depths(painter, frame, tokens, [(d, format_length(d, data.unit) if d else "0") for d in depths])
    x0, x1 = frame.sheet_ends(data)
    words = f"{mate.sheet.material.value} plug over {data.sheet.material.value}"
    painter.drawText(QRectF(x0, low + 1, x1 - x0, 15), Qt.AlignmentFlag.AlignLeft, words)
    return low


def _paint_plug(painter: QPainter, data: SectionData, mate: MateDrawing, frame: Frame) -> None:
    s = np.linspace(0.0, data.length, len(mate.under))
    wood = tone_of(mate.sheet)
    for a, b in stretches(np.isfinite(mate.under)):
        under = _along(frame, s[a:b], mate.under[a:b])
        back = _along(frame, s[a:b], np.minimum(mate.back[a:b], mate.above + 2))
        body = QPolygonF(under + back[::-1])
        fill_wood(painter, body, wood, darker=125, hatch=Qt.BrushStyle.FDiagPattern)
        painter.drawPolyline(QPolygonF(under))


def _paint_meeting(painter: QPainter, data: SectionData, mate: MateDrawing, frame: Frame, tokens: Tokens) -> None:
    s = np.linspace(0.0, data.length, len(mate.under))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(tokens.color("picked", 200))
    for a, b in stretches(np.nan_to_num(mate.under, nan=1e9) < data.heights - 0.005):
        over = _along(frame, s[a:b], mate.under[a:b])
        floor = _along(frame, s[a:b], data.heights[a:b])
        painter.drawPolygon(QPolygonF(over + floor[::-1]))


def _along(frame: Frame, s: np.ndarray, z: np.ndarray) -> list[QPointF]:
    return [frame.at(x, y) for x, y in zip(s, z, strict=True)]
