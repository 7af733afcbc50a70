"""The letter badge of a bit, and bits drawn to scale."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QFont, QPainter, QPainterPath, QPen, QPixmap

from archimetra.app.theme import style
from archimetra.app.theme.tokens import bit_hue
from archimetra.job.bits import Bit


def draw_badge(painter: QPainter, centre: QPointF, bit: Bit, *, radius: float = 9.0) -> None:
    """A filled disc in the bit's hue with its letter."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(bit_hue(bit.place))
    painter.drawEllipse(centre, radius, radius)
    painter.setPen(QColor("white"))
    painter.setFont(style.font(11, weight=QFont.Weight.DemiBold))
    painter.drawText(
        QRectF(centre.x() - radius, centre.y() - radius, 2 * radius, 2 * radius),
        Qt.AlignmentFlag.AlignCenter,
        bit.letter,
    )
    painter.restore()


def badge_pixmap(bit: Bit, size: int = 18, ratio: float = 2.0) -> QPixmap:
    out = QPixmap(round(size * ratio), round(size * ratio))
    out.setDevicePixelRatio(ratio)
    out.fill(Qt.GlobalColor.transparent)
    painter = QPainter(out)
    draw_badge(painter, QPointF(size / 2, size / 2), bit, radius=size / 2)
    painter.end()
    return out


def bit_outline(bit: Bit, *, shank_length: float = 14.0) -> tuple[QPainterPath, QPainterPath]:
    """(cutting part, shank) in mm, tip at 0, 0, y up."""
    from archimetra.stock.bit_profile import silhouette  # loads numpy: not on the way to the first window

    outline, is_cutting = silhouette(bit, shank_mm=shank_length)
    top = int(is_cutting.sum())  # the point where the cutting part ends and the shank begins
    return _turned(outline[: top + 1].tolist()), _turned(outline[top + 1 : -1].tolist())


def _turned(right: list[list[float]]) -> QPainterPath:
    """A path around half an outline, from below to above, and its mirror."""
    path = QPainterPath()
    points = [(x, y) for x, y in right] + [(-x, y) for x, y in reversed(right)]
    for k, (x, y) in enumerate(points):
        path.lineTo(x, y) if k else path.moveTo(x, y)
    path.closeSubpath()
    return path


def _towards_white(color: QColor, share: float) -> QColor:
    """A tint that keeps the hue quiet."""
    parts = (round(c + (255 - c) * share) for c in (color.red(), color.green(), color.blue()))
    return QColor(*parts)


def draw_bit(painter: QPainter, bit: Bit, tip: QPointF, sx: float, sy: float, *, alpha: int = 255) -> None:
    """The bit's silhouette, tip at a point in pixels, ``sx`` and ``sy`` pixels per mm; flutes shown as slanted lines."""
    hue = bit_hue(bit.place)
    cutting, shank = bit_outline(bit)
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.translate(tip)
    painter.scale(sx, -sy)
    edge = QPen(hue, 1.4)
    edge.setCosmetic(True)
    body = _towards_white(hue, 0.66)
    body.setAlpha(min(alpha, 215))
    steel = QColor("#AEB6B6")
    steel.setAlpha(min(alpha, 215))
    painter.setPen(edge)
    painter.setBrush(QBrush(steel))
    painter.drawPath(shank)
    painter.setBrush(QBrush(body))
    painter.drawPath(cutting)
    painter.setClipPath(cutting)
    thin = QPen(hue, 1.0)
    thin.setCosmetic(True)
    painter.setPen(thin)
    y = -bit.diameter
    while y < bit.cutting_length:
        painter.drawLine(QPointF(-bit.radius, y), QPointF(bit.radius, y + bit.diameter * 0.9))
        y += max(bit.diameter * 1.4, bit.cutting_length / 12)
    painter.restore()
