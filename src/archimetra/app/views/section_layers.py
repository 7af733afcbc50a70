"""Painters of the section: wood, what is hollow in it, passes, bit, figures. Each draws one thing into a frame."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QFont, QPainter, QPen, QPolygonF

from archimetra.app.theme import style
from archimetra.app.theme.tokens import Tokens
from archimetra.app.theme.wood import tone_of
from archimetra.app.views.section_data import LEFT, SPOIL_MM, Floor, Frame, SectionData, floors, stretches
from archimetra.app.widgets.badge import draw_bit
from archimetra.geometry.arrays import FloatArray
from archimetra.job.quantities import format_length
from archimetra.job.sheet import NO_WOOD_MM


def surface(data: SectionData, frame: Frame) -> list[QPointF]:
    """The cut surface on the sheet, thinned to what a pixel shows but keeping every step."""
    n = len(data.heights)
    s = np.linspace(0.0, data.length, n)
    on = (s >= data.inside[0]) & (s <= data.inside[1])
    x = LEFT + s[on] * frame.across
    y = frame.top - np.maximum(data.heights[on], -(data.sheet.thickest + SPOIL_MM)) * frame.down
    if not len(x):
        return []
    keep = np.ones(len(x), dtype=bool)
    keep[1:-1] = (np.abs(np.diff(y)[:-1]) > 0.02) | (np.abs(np.diff(y)[1:]) > 0.02)
    return [QPointF(a, b) for a, b in zip(x[keep], y[keep], strict=True)]


def paint_spoilboard(painter: QPainter, data: SectionData, frame: Frame, tokens: Tokens) -> None:
    x0, x1 = frame.sheet_ends(data)
    strip = QRectF(x0 - 20, frame.y(-data.sheet.thickest), x1 - x0 + 40, SPOIL_MM * frame.down)
    painter.fillRect(strip, tokens.color("hairline"))


def fill_wood(
    painter: QPainter,
    shape: QPolygonF,
    wood: QColor,
    *,
    darker: int = 122,
    hatch: Qt.BrushStyle = Qt.BrushStyle.BDiagPattern,
) -> None:
    """Wood cut through, hatched; the painter is left with the pen of its edges."""
    painter.setPen(Qt.PenStyle.NoPen)
    for brush in (QBrush(wood), QBrush(QColor(wood.darker(darker)), hatch)):
        painter.setBrush(brush)
        painter.drawPolygon(shape)
    painter.setPen(QPen(wood.darker(190), 1.3))
    painter.setBrush(Qt.BrushStyle.NoBrush)


def paint_wood(painter: QPainter, data: SectionData, frame: Frame) -> None:
    """The sheet as it stands; sides and underside only where wood is left."""
    if data.under is not None:
        _paint_between_faces(painter, data, frame, data.under - data.thicker)
        return
    top = surface(data, frame)
    if not top:
        return
    x0, x1 = frame.sheet_ends(data)
    bottom = frame.y(-data.sheet.thickest)
    painter.save()
    outline = QPolygonF([QPointF(p.x(), min(p.y(), bottom)) for p in top])
    outline.append(QPointF(x1, bottom))
    outline.append(QPointF(x0, bottom))
    wood = tone_of(data.sheet)
    fill_wood(painter, outline, wood)
    painter.drawPolyline(QPolygonF(top))
    n = len(data.heights)
    for a, b in stretches(data.heights > -data.sheet.thinnest + 1e-6):
        left = max(frame.x(a / (n - 1) * data.length), x0)
        right = min(frame.x(b / (n - 1) * data.length), x1)
        if right > left:
            painter.drawLine(QPointF(left, bottom), QPointF(right, bottom))
    for x, p in ((x0, top[0]), (x1, top[-1])):
        painter.drawLine(QPointF(x, min(p.y(), bottom)), QPointF(x, bottom))
    painter.restore()


def _paint_between_faces(painter: QPainter, data: SectionData, frame: Frame, under: FloatArray) -> None:
    """Wood that is cut from both sides: a piece for each stretch where some is left."""
    s = np.linspace(0.0, data.length, len(data.heights))
    on = (s >= data.inside[0]) & (s <= data.inside[1])
    wood = tone_of(data.sheet)
    painter.save()
    for a, b in stretches(on & (data.heights > under + 1e-6)):
        along = np.concatenate((s[a:b], s[a:b][::-1]))
        z = np.concatenate((data.heights[a:b], under[a:b][::-1]))
        piece = QPolygonF([frame.at(x, y) for x, y in zip(along, z, strict=True)])
        fill_wood(painter, piece, wood)
        painter.drawPolygon(piece)
    painter.restore()


def paint_hollow(painter: QPainter, data: SectionData, frame: Frame, tokens: Tokens) -> None:
    """What undercut bits took away under wood that stays."""
    is_open = np.isfinite(data.hollow[0]) & (data.hollow[1] > data.hollow[0])
    s = np.linspace(0.0, data.length, data.hollow.shape[1])
    edge = tone_of(data.sheet).darker(190)
    for a, b in stretches(is_open):
        along = np.concatenate((s[a:b], s[a:b][::-1]))
        z = np.concatenate((data.hollow[1, a:b], data.hollow[0, a:b][::-1]))
        painter.setPen(QPen(edge, 1.3))
        painter.setBrush(tokens.color("panel"))
        painter.drawPolygon(QPolygonF([frame.at(x, y) for x, y in zip(along, z, strict=True)]))


def paint_passes(painter: QPainter, data: SectionData, frame: Frame, tokens: Tokens) -> None:
    """The levels of the cut in work, beside the bit."""
    if data.bit is None:
        return
    x0, x1 = frame.sheet_ends(data)
    middle = frame.x(data.bit_at)
    half = max(data.bit.radius * frame.across * 1.6, 14.0)
    painter.setPen(QPen(tokens.color("ink", 110), 0.8))
    for z in data.passes:
        y = frame.y(z)
        painter.drawLine(QPointF(max(middle - half, x0), y), QPointF(min(middle + half, x1), y))


def paint_bit(painter: QPainter, data: SectionData, frame: Frame, tokens: Tokens) -> None:
    """The bit, pale where it stands beside the line, and how much wood is left below its tip."""
    bit = data.bit
    if bit is None or not -bit.radius <= data.bit_at <= data.length + bit.radius:
        return
    is_here = data.bit_off <= bit.radius
    tip = frame.at(data.bit_at, max(data.bit_z, -(data.sheet.thickest + SPOIL_MM)))
    painter.save()
    painter.setClipping(False)  # its shank stands out of what is broken off
    painter.setOpacity(1.0 if is_here else 0.28)
    draw_bit(painter, bit, tip, frame.across, frame.down)
    painter.restore()
    left = data.sheet.thinnest + data.bit_z
    if is_here and 0 < left < data.sheet.thinnest:
        x = tip.x() + bit.radius * frame.across + 7
        bottom = frame.y(-data.sheet.thickest)
        painter.setPen(QPen(tokens.color("picked"), 1.2))
        painter.drawLine(QPointF(x, tip.y()), QPointF(x, bottom))
        painter.setFont(style.font(11, weight=QFont.Weight.DemiBold))
        text = f"{format_length(left, data.unit)} left"
        width = painter.fontMetrics().horizontalAdvance(text) + 6
        box = QRectF(x + 4, (tip.y() + bottom) / 2 - 8, width, 16)
        painter.fillRect(box, tokens.color("panel", 210))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


def paint_shank(painter: QPainter, data: SectionData, frame: Frame, tokens: Tokens) -> None:
    """Wood that stands where the shank is: hatched in red, with a word."""
    where = shank_in_wood(data)
    if where is None or data.bit is None:
        return
    foot = data.bit_z + data.bit.cutting_length
    s = np.linspace(0.0, data.length, len(data.heights))
    ink = tokens.color("picked")
    painter.setPen(QPen(ink, 1.4))
    painter.setBrush(QBrush(ink, Qt.BrushStyle.DiagCrossPattern))
    at = QPointF()
    for a, b in stretches(where):
        along = np.concatenate((s[a:b], s[a:b][::-1]))
        z = np.concatenate((np.full(b - a, foot), data.heights[a:b][::-1]))
        painter.drawPolygon(QPolygonF([frame.at(x, y) for x, y in zip(along, z, strict=True)]))
        at = frame.at(float(s[b - 1]), foot)
    painter.setFont(style.font(11, weight=QFont.Weight.DemiBold))
    words = "shank meets wood"
    box = QRectF(at.x() + 6, at.y() - 16, painter.fontMetrics().horizontalAdvance(words) + 6, 16)
    painter.fillRect(box, tokens.color("panel", 210))
    painter.setPen(ink)
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)


def shank_in_wood(data: SectionData) -> np.ndarray | None:
    """Where along the line (n,) wood stands higher than the bit cuts, within its shank; None where that is nowhere."""
    bit = data.bit
    if bit is None or bit.shank <= bit.diameter or data.bit_off > bit.shank / 2:
        return None
    half = float(np.sqrt(bit.shank**2 / 4 - data.bit_off**2))
    s = np.linspace(0.0, data.length, len(data.heights))
    foot = data.bit_z + bit.cutting_length
    meets = (
        (np.abs(s - data.bit_at) < half) & (data.heights > foot + 0.01) & (s >= data.inside[0]) & (s <= data.inside[1])
    )
    return meets if meets.any() else None


def paint_break(painter: QPainter, data: SectionData, frame: Frame, tokens: Tokens, y: float) -> None:
    """The wood goes on below."""
    x0, x1 = frame.sheet_ends(data)
    painter.setPen(QPen(tokens.color("quiet"), 1, Qt.PenStyle.DashLine))
    painter.drawLine(QPointF(x0, y), QPointF(x1, y))


def paint_depths(painter: QPainter, frame: Frame, tokens: Tokens, depths: list[tuple[float, str]]) -> None:
    """Ticks at the left edge: depths in mm, each with its words."""
    painter.setFont(style.font(11))
    painter.setPen(tokens.color("quiet"))
    for depth, words in depths:
        y = frame.y(-depth)
        box = QRectF(0, y - 8, LEFT - 18, 16)
        painter.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, words)
        painter.drawLine(QPointF(LEFT - 15, y), QPointF(LEFT - 9, y))


def paint_floors(painter: QPainter, data: SectionData, frame: Frame, tokens: Tokens, y: float) -> None:
    """How deep level floors are, written below them at ``y``."""
    painter.setFont(style.font(11))
    last_end = -1e9
    for floor in floors(data):
        depth = -floor.z
        is_through = depth >= data.sheet.thinnest - 1e-9 or _is_open_below(data, floor)
        is_missing = bool(data.sheet.outline) and abs(depth - data.sheet.thickest - NO_WOOD_MM) < NO_WOOD_MM / 2
        text = (
            "no wood"
            if is_missing
            else "through"
            if is_through
            else f"{format_length(depth, data.unit)} {data.unit} deep"
        )
        middle = frame.x((floor.begin + floor.end) / 2)
        needed = painter.fontMetrics().horizontalAdvance(text) + 10
        if (floor.end - floor.begin) * frame.across < 3 or middle - needed / 2 < last_end:
            continue
        last_end = middle + needed / 2
        painter.setPen(tokens.color("quiet"))
        painter.drawText(QRectF(middle - needed / 2, y + 1, needed, 15), Qt.AlignmentFlag.AlignCenter, text)


def _is_open_below(data: SectionData, floor: Floor) -> bool:
    """Whether the other face is cut down to a floor."""
    if data.under is None:
        return False
    k = round((floor.begin + floor.end) / 2 / data.length * (len(data.heights) - 1))
    return bool(data.under[k] - data.thicker >= floor.z - 1e-6)


def paint_tabs(painter: QPainter, data: SectionData, frame: Frame, tokens: Tokens) -> None:
    """A bar along the top of each tab the line crosses, once its slot is cut, with how thick it is where the sheet is thinnest."""
    n = len(data.heights)
    s = np.linspace(0.0, data.length, n)
    painter.setFont(style.font(11, weight=QFont.Weight.DemiBold))
    ink = tokens.color("accent")
    for tab in data.tabs:
        within = (s >= tab.begin) & (s <= tab.end)
        left = data.heights + data.sheet.thickest
        is_tab = within & (left > 0.05) & (left < tab.thickness + 0.6) & (left < 0.9 * data.sheet.thickest)
        if not is_tab.any():
            continue
        a, b = float(s[is_tab][0]), float(s[is_tab][-1])
        top = float(left[is_tab].max())
        y = frame.y(top - data.sheet.thickest)
        painter.setPen(QPen(ink, 3))
        painter.drawLine(QPointF(frame.x(a), y), QPointF(frame.x(b), y))
        words = f"tab {format_length(top - data.sheet.thickest + data.sheet.thinnest, data.unit)}"
        wide = painter.fontMetrics().horizontalAdvance(words) + 6
        box = QRectF(frame.x((a + b) / 2) - wide / 2, y - 18, wide, 15)
        painter.fillRect(box, tokens.color("panel", 210))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)


def paint_reading(painter: QPainter, x: float, y0: float, y1: float, tokens: Tokens) -> None:
    """The upright line under the pointer."""
    painter.setPen(QPen(tokens.color("picked"), 1, Qt.PenStyle.DotLine))
    painter.drawLine(QPointF(x, y0), QPointF(x, y1))
