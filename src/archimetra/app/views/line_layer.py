"""Many lines on the plan, drawn once into a pixmap and reused while the view rests or moves.

A layer holds polylines in board coordinates, grouped by pen. It is rendered in slices of a few
milliseconds, so a drawing of 200,000 segments never holds the window up: until the new picture is complete, the
old one is shown where it now belongs. Points that fall on the same half pixel are drawn once.
"""

from __future__ import annotations

import struct
import time
from collections.abc import Iterator, Sequence
from typing import NamedTuple

import numpy as np
from PySide6.QtCore import QByteArray, QDataStream, QObject, QPointF, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QPainter, QPainterPath, QPen, QPixmap

from archimetra.app.views.viewport import Viewport
from archimetra.geometry.arrays import BoolArray, FloatArray

SLICE_S = 0.005
PIECE = 2000  # points drawn in one call
SMALL = 6000  # layers up to this many points are drawn at once, without slices


class LineGroup(NamedTuple):
    """Polylines drawn with one pen: points (n, 2), and where each line begins (n,)."""

    pen: QPen
    points: FloatArray
    begins: BoolArray


def group(pen: QPen, lines: Sequence[FloatArray]) -> LineGroup:
    lines = [line for line in lines if len(line) > 1]
    if not lines:
        return LineGroup(pen, np.zeros((0, 2)), np.zeros(0, dtype=bool))
    begins = np.zeros(sum(len(line) for line in lines), dtype=bool)
    begins[np.cumsum([0, *[len(line) for line in lines[:-1]]])] = True
    return LineGroup(pen, np.vstack(lines), begins)


class LineLayer(QObject):
    """Draws itself into a painter; ``changed`` says that a better picture is ready."""

    changed = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pieces: list[LineGroup] = []
        self._preview: Iterator[LineGroup] = iter(())
        self._version = 0  # counts changes of the lines
        self._done: tuple[QPixmap, _Wanted] | None = None
        self._work: Iterator[None] | None = None
        self._work_for: _Wanted | None = None
        self._timer = QTimer(self)
        self._timer.setInterval(0)
        self._timer.timeout.connect(self._slice)

    def show_groups(self, groups: Sequence[LineGroup]) -> None:
        """Other lines: the old picture stays until the new one is drawn."""
        self._pieces = [piece for g in groups for piece in _pieces(g)]
        self._preview = iter(())
        self._version += 1

    def show_preview(self, groups: Iterator[LineGroup]) -> None:
        """Other lines that are only worked out while they are drawn, a group at a time."""
        self._pieces = []
        self._preview = groups
        self._version += 1

    def clear(self) -> None:
        """No lines, and no old picture either."""
        self.show_groups([])
        self._done = None

    @property
    def is_idle(self) -> bool:
        return self._work is None

    def paint(self, painter: QPainter, view: Viewport, size: QSize, ratio: float) -> None:
        """Draw for this view: at once if small, else what there is, and start on what is wanted."""
        wanted = _Wanted(self._version, view, size, ratio)
        is_drawn = self._done is not None and self._done[1] == wanted
        # a picture under way is finished even if the view moved on: on the move it is better than none
        is_under_way = self._work is not None and self._work_for is not None and self._work_for.version == self._version
        if not is_drawn and not is_under_way:
            self._begin(wanted)
        if self._done is None:
            return
        pixmap, drawn = self._done
        if drawn.view == view:
            painter.drawPixmap(0, 0, pixmap)
            return
        k = view.scale / drawn.view.scale
        origin = QPointF(view.x - drawn.view.x * k, view.y - drawn.view.y * k)
        logical = pixmap.deviceIndependentSize()
        target = QRectF(origin.x(), origin.y(), logical.width() * k, logical.height() * k)
        painter.drawPixmap(target, pixmap, QRectF(pixmap.rect()))

    def _begin(self, wanted: _Wanted) -> None:
        self._work_for = wanted
        pixmap = QPixmap(wanted.size * wanted.ratio)
        pixmap.setDevicePixelRatio(wanted.ratio)
        pixmap.fill(Qt.GlobalColor.transparent)
        self._work = self._render(pixmap, wanted)
        if self._pieces and sum(len(piece.points) for piece in self._pieces) <= SMALL:
            for _ in self._work:
                pass
        else:
            self._timer.start()

    def _slice(self) -> None:
        if self._work is None:
            self._timer.stop()
            return
        end = time.perf_counter() + SLICE_S
        for _ in self._work:
            if time.perf_counter() > end:
                return
        self._timer.stop()
        self.changed.emit()

    def _render(self, pixmap: QPixmap, wanted: _Wanted) -> Iterator[None]:
        for lines in self._preview:
            self._pieces.extend(_pieces(lines))
            yield
        for lines in self._pieces:
            points, begins = thinned(wanted.view.points(lines.points), lines.begins)
            points, begins = _clipped(points, begins, wanted.size.width(), wanted.size.height())
            if len(points):
                painter = QPainter(pixmap)
                painter.setRenderHint(QPainter.RenderHint.Antialiasing)
                painter.setPen(lines.pen)
                painter.drawPath(painter_path(points, begins))
                painter.end()
            yield
        self._done = (pixmap, wanted)
        self._work = None


class _Wanted(NamedTuple):
    """What a picture shows: which lines, from where, how large."""

    version: int
    view: Viewport
    size: QSize
    ratio: float


def _pieces(lines: LineGroup) -> Iterator[LineGroup]:
    """A group in pieces that take a few milliseconds each; a line cut in two goes on from its last point."""
    at, n = 0, len(lines.points)
    while at < n:
        stop = min(at + PIECE, n)
        yield LineGroup(lines.pen, lines.points[at:stop], lines.begins[at:stop])
        at = stop if stop == n or lines.begins[stop] else stop - 1


def painter_path(points: FloatArray, begins: BoolArray) -> QPainterPath:
    """A path from arrays in one go: the byte form Qt reads is far quicker than a call per point."""
    n = len(points)
    path = QPainterPath()
    if not n:
        return path
    rows = np.empty(n, dtype=[("kind", ">i4"), ("x", ">f8"), ("y", ">f8")])
    rows["kind"] = np.where(begins, 0, 1)
    rows["kind"][0] = 0
    rows["x"], rows["y"] = points[:, 0], points[:, 1]
    data = struct.pack(">i", n) + rows.tobytes() + struct.pack(">ii", 0, 0)
    stream = QDataStream(QByteArray(data))  # this form copies; the one with a mode keeps a pointer
    stream >> path
    return path


def thinned(points: FloatArray, begins: BoolArray) -> tuple[FloatArray, BoolArray]:
    """Points that move on by at least half a pixel, with every line's first and last point."""
    cell = np.floor(points * 2)
    keep = np.ones(len(points), dtype=bool)
    keep[1:] = (cell[1:] != cell[:-1]).any(axis=1)
    keep |= begins
    keep[:-1] |= begins[1:]
    keep[-1:] = True
    return points[keep], begins[keep]


def _clipped(points: FloatArray, begins: BoolArray, width: float, height: float) -> tuple[FloatArray, BoolArray]:
    """Stretches that lie wholly to one side of the picture dropped."""
    if len(points) < 2:
        return points, begins
    pad = 8.0
    x, y = points[:, 0], points[:, 1]
    out = np.zeros(len(points), dtype=bool)  # whether the segment that ends here can be seen
    sides = (x < -pad, x > width + pad, y < -pad, y > height + pad)
    out[1:] = ~np.logical_or.reduce([side[1:] & side[:-1] for side in sides])
    out[begins] = False
    keep = out.copy()
    keep[:-1] |= out[1:]
    fresh = keep & ~out  # the first point of a stretch that is seen
    return points[keep], (fresh | begins)[keep]
