"""A cut's finished stock as a map of depths, beside another of the same ground in the same colours, and the scale both are read by.

Pointing at one map points at the same place of the other, and each says how deep it is there.
"""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QFont, QImage, QLinearGradient, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from archimetra.app.theme.style import scaled
from archimetra.app.theme.tokens import Tokens
from archimetra.geometry.arrays import AnyArray
from archimetra.job.materials import rgb
from archimetra.job.quantities import Unit, format_length

HEIGHT = 132
# from the sheet's face down, evenly spaced: each step as much darker as the one before (lightness 92 to 20 of 100)
_STOPS = ("#F0E6D2", "#C9CDB4", "#93B2A4", "#5C9096", "#326A82", "#1D4263", "#171F3B")


def depth_colours(depths: AnyArray, deepest: float) -> AnyArray:
    """(ny, nx) uint32 of depths in mm, 0 the palest, ``deepest`` and what is deeper the darkest."""
    stops = np.array([rgb(stop) for stop in _STOPS], dtype=np.float64)
    share = np.clip(depths / max(deepest, 1e-9), 0.0, 1.0) * (len(stops) - 1)
    at = np.arange(len(stops))
    red, green, blue = (np.interp(share, at, stops[:, k]).astype(np.uint32) for k in range(3))
    return np.asarray(0xFF000000 | red << 16 | green << 8 | blue, dtype=np.uint32)


class DepthMap(QWidget):
    """``depths`` (ny, nx) mm below the sheet's face, the back of the sheet on top; ``wood`` (ny, nx) uint32 is the same lit."""

    pointed = Signal(object)  # (u, v), shares of the map from its upper left, or None

    def __init__(self, name: str, depths: AnyArray, wood: AnyArray, deepest: float, tokens: Tokens, unit: Unit) -> None:
        super().__init__()
        self.tokens, self.unit = tokens, unit
        self._depths = depths
        self._images = {"depth": _image(depth_colours(depths, deepest)), "wood": _image(wood)}
        self._shows = "depth"
        self._at: tuple[float, float] | None = None
        self.setAccessibleName(f"Depths, {name.lower()}")
        self.setMouseTracking(True)
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.setFixedHeight(scaled(HEIGHT))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_as(self, what: str) -> None:
        self._shows = what
        self.update()

    def show_place(self, at: tuple[float, float] | None) -> None:
        self._at = at
        self.update()

    def depth_at(self, at: tuple[float, float]) -> float:
        """How deep it is at a place given in shares of the map."""
        ny, nx = self._depths.shape
        return float(self._depths[min(int(at[1] * ny), ny - 1), min(int(at[0] * nx), nx - 1)])

    @property
    def place(self) -> QRectF:
        """Where the map lies in the widget."""
        ny, nx = self._depths.shape
        scale = min(self.width() / nx, self.height() / ny)
        return QRectF((self.width() - nx * scale) / 2, (self.height() - ny * scale) / 2, nx * scale, ny * scale)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        place, at = self.place, event.position()
        if place.contains(at):
            self.pointed.emit(((at.x() - place.x()) / place.width(), (at.y() - place.y()) / place.height()))
        else:
            self.pointed.emit(None)

    def leaveEvent(self, event: QEvent) -> None:
        self.pointed.emit(None)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        place = self.place
        painter.drawImage(place, self._images[self._shows])
        if self._at is None:
            return
        at = QPointF(place.x() + self._at[0] * place.width(), place.y() + self._at[1] * place.height())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for color, wide in ((QColor("#FFFFFF"), 3.0), (self.tokens.color("picked"), 1.5)):
            painter.setPen(QPen(color, wide))
            painter.drawEllipse(at, 4, 4)
        words = f"{format_length(self.depth_at(self._at), self.unit)} {self.unit}"
        font = QFont(self.font())
        font.setBold(True)
        painter.setFont(font)
        box = painter.fontMetrics().boundingRect(words).adjusted(-5, -2, 5, 2)
        box.moveTo(3, 3 if at.y() > box.height() + 10 else self.height() - box.height() - 3)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self.tokens.color("panel", 235))
        painter.drawRoundedRect(box, 3, 3)
        painter.setPen(self.tokens.color("ink"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)


class DepthScale(QWidget):
    """The colours of both maps, with the depths they stand for."""

    def __init__(self, deepest: float, tokens: Tokens, unit: Unit) -> None:
        super().__init__()
        self.tokens = tokens
        self._ends = ("0", f"{format_length(deepest, unit)} {unit} deep and more")
        self.setFixedHeight(scaled(30))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(f"Scale of depths, 0 to {self._ends[1]}")

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        bar = QRectF(0.5, 0.5, self.width() - 1, scaled(9))
        ramp = QLinearGradient(bar.topLeft(), bar.topRight())
        for k, stop in enumerate(_STOPS):
            ramp.setColorAt(k / (len(_STOPS) - 1), QColor(stop))
        painter.setPen(QPen(self.tokens.color("hairline"), 1))
        painter.setBrush(ramp)
        painter.drawRect(bar)
        painter.setPen(self.tokens.color("quiet"))
        under = QRectF(self.rect()).adjusted(0, scaled(11), 0, 0)
        painter.drawText(under, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop, self._ends[0])
        painter.drawText(under, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop, self._ends[1])


def _image(pixels: AnyArray) -> QImage:
    ny, nx = pixels.shape
    return QImage(pixels.tobytes(), nx, ny, nx * 4, QImage.Format.Format_RGB32).copy()
