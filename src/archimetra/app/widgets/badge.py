"""The letter badge of a bit, and bits drawn to scale."""

from __future__ import annotations

from math import radians, tan

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QFont, QPainter, QPainterPath, QPen, QPixmap

from archimetra.app.theme import style
from archimetra.app.theme.tokens import bit_hue
from archimetra.job.bits import UNDERCUTS, Bit, BitKind


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
    r, length = bit.radius, bit.cutting_length
    cutting = QPainterPath()
    if bit.kind is BitKind.VEE:
        flat = bit.tip_flat / 2
        rise = min((r - flat) / tan(radians(bit.angle / 2)), length)
        cutting.moveTo(-flat, 0)
        cutting.lineTo(flat, 0)
        cutting.lineTo(r, rise)
        cutting.lineTo(r, length)
        cutting.lineTo(-r, length)
        cutting.lineTo(-r, rise)
    elif bit.kind is BitKind.BALL:
        cutting.moveTo(-r, length)
        cutting.lineTo(-r, r)
        cutting.arcTo(QRectF(-r, 0, 2 * r, 2 * r), 180, -180)
        cutting.lineTo(r, length)
    elif bit.kind in UNDERCUTS:
        neck, head = bit.neck / 2, min(bit.head_height, length)
        shoulder = neck if bit.kind is BitKind.DOVETAIL else r
        for k, (x, y) in enumerate(((-r, 0.0), (r, 0.0), (shoulder, head), (neck, head), (neck, length), (-neck, length),
                                    (-neck, head), (-shoulder, head))):  # fmt: skip
            cutting.lineTo(x, y) if k else cutting.moveTo(x, y)
    elif bit.kind in (BitKind.TAPERED_BALL, BitKind.DRILL):
        places = [r * k / 16 for k in range(17)]
        right = [(x, min(bit.rise_at(x), length)) for x in places]
        cutting.moveTo(-right[-1][0], length)
        for x, y in [(-x, y) for x, y in reversed(right)] + right:
            cutting.lineTo(x, y)
        cutting.lineTo(right[-1][0], length)
    else:
        cutting.addRect(QRectF(-r, 0, 2 * r, length))
    cutting.closeSubpath()
    shank = QPainterPath()
    shank.addRect(QRectF(-bit.shank / 2, length, bit.shank, shank_length))
    return cutting, shank


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
