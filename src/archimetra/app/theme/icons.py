"""Shipped line icons, tinted for the theme."""

from __future__ import annotations

from functools import cache
from importlib.resources import files

from PySide6.QtCore import QByteArray, QRectF, Qt
from PySide6.QtGui import QIcon, QPainter, QPixmap
from PySide6.QtSvg import QSvgRenderer


@cache
def _source(name: str) -> str:
    return files("archimetra.app.theme").joinpath("icons", f"{name}.svg").read_text(encoding="utf-8")


def pixmap(name: str, color: str, size: int = 20, *, ratio: float = 2.0) -> QPixmap:
    """An icon as a pixmap of ``size`` logical pixels."""
    svg = _source(name).replace("currentColor", color).replace('stroke-width="2"', 'stroke-width="1.6"')
    out = QPixmap(round(size * ratio), round(size * ratio))
    out.fill(Qt.GlobalColor.transparent)
    painter = QPainter(out)
    QSvgRenderer(QByteArray(svg.encode())).render(painter, QRectF(0, 0, size * ratio, size * ratio))
    painter.end()
    out.setDevicePixelRatio(ratio)
    return out


def icon(name: str, color: str, *, checked: str = "", disabled: str = "") -> QIcon:
    out = QIcon(pixmap(name, color))
    if checked:
        out.addPixmap(pixmap(name, checked), QIcon.Mode.Normal, QIcon.State.On)
    if disabled:
        out.addPixmap(pixmap(name, disabled), QIcon.Mode.Disabled)
    return out
