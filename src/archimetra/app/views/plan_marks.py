"""What lies on the plan besides the board itself: backdrops, artwork that is about to land, places of a report, measures."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPen, QTransform

from archimetra.app.theme import style
from archimetra.app.views.line_layer import LineGroup, LineLayer
from archimetra.app.views.plan_surface import PlanSurface
from archimetra.geometry.affine import Affine
from archimetra.job.quantities import Unit, format_length
from archimetra.job.reading import Reading
from archimetra.job.shapes import MeasureKind

BACKDROP_OPACITY = 0.35
Point = tuple[float, float]


class PlanMarks:
    def __init__(self, plan: PlanSurface) -> None:
        self._plan = plan
        self._backdrops: list[tuple[QImage, Affine, float]] = []
        self._preview: LineLayer | None = None
        self._preview_picture: tuple[QImage, Affine] | None = None
        self._places: list[Point] = []
        self._spot: Point | None = None
        self._readings: list[Reading] = []
        self._machine: Point | None = None

    @property
    def has_preview(self) -> bool:
        return self._preview is not None

    def show_backdrops(self, pictures: Sequence[tuple[QImage, Affine]]) -> None:
        self._backdrops = [(image, at, BACKDROP_OPACITY) for image, at in pictures]
        self._plan.update()

    def show_preview(self, groups: Iterator[LineGroup] | None, picture: tuple[QImage, Affine] | None = None) -> None:
        """Artwork where it would land, and the picture it is traced from; None for none."""
        if groups is None:
            self._preview = None
        else:
            if self._preview is None:
                self._preview = LineLayer(self._plan)
                self._preview.changed.connect(self._plan.update)
            self._preview.show_preview(groups)
        self._preview_picture = picture
        self._plan.update()

    def show_places(self, places: Sequence[Point], current: Point | None) -> None:
        """Places of an entry of the report, and the one stepped to."""
        self._places, self._spot = list(places), current
        self._plan.update()

    def show_readings(self, readings: Sequence[Reading]) -> None:
        self._readings = list(readings)
        self._plan.update()

    def show_machine(self, at: Point | None) -> None:
        """Where the machine's bit is, by the board's zero; None where nothing is known of it."""
        if at != self._machine:
            before, self._machine = self._machine, at
            for one in (before, at):
                if one is not None:
                    centre = self._plan.view.to_screen(*one)
                    self._plan.update(QRectF(centre.x() - 16, centre.y() - 16, 32, 32).toAlignedRect())

    # ---- painting

    def paint_under(self, painter: QPainter) -> None:
        for image, at, opacity in self._backdrops:
            self._picture(painter, image, at, opacity)
        if self._preview_picture is not None:
            self._picture(painter, *self._preview_picture, 0.6)

    def paint_over(self, painter: QPainter) -> None:
        plan = self._plan
        if self._preview is not None:
            self._preview.paint(painter, plan.view, plan.size(), plan.devicePixelRatioF())
        self._paint_spots(painter)
        if self._machine is not None:
            self._paint_machine(painter, self._machine)
        for reading in self._readings:
            self._paint_reading(painter, reading)

    def _paint_machine(self, painter: QPainter, at: Point) -> None:
        """A ring with a hair cross: the bit's own silhouette shows where the plan has it."""
        centre = self._plan.view.to_screen(*at)
        x, y = centre.x(), centre.y()
        tokens = self._plan.tokens
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for width, colour in ((3.4, tokens.color("panel", 200)), (1.6, tokens.color("accent"))):
            painter.setPen(QPen(colour, width))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(QPointF(x, y), 7, 7)
            for dx, dy in ((1, 0), (-1, 0), (0, 1), (0, -1)):
                painter.drawLine(QPointF(x + 4 * dx, y + 4 * dy), QPointF(x + 12 * dx, y + 12 * dy))
        painter.restore()

    def _picture(self, painter: QPainter, image: QImage, at: Affine, opacity: float) -> None:
        """An image whose unit square (y up) is mapped to mm by ``at``."""
        view = self._plan.view
        painter.save()
        painter.setOpacity(opacity)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        s = view.scale
        painter.setTransform(
            QTransform(s * at.a, -s * at.b, -s * at.c, s * at.d, view.x + s * at.e, view.y - s * at.f), True
        )
        painter.translate(0.0, -1.0)
        painter.drawImage(QRectF(0, 0, 1, 1), image)
        painter.restore()

    def _paint_spots(self, painter: QPainter) -> None:
        plan = self._plan
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(plan.tokens.color("caution"), 1.4))
        for spot in self._places:
            painter.drawEllipse(plan.view.to_screen(*spot), 6, 6)
        if self._spot is not None:
            at = plan.view.to_screen(*self._spot)
            painter.setPen(QPen(plan.tokens.color("picked"), 2.2))
            painter.drawEllipse(at, 11, 11)
            for dx, dy in ((1, 0), (-1, 0), (0, 1), (0, -1)):
                painter.drawLine(at + QPointF(dx * 11, dy * 11), at + QPointF(dx * 18, dy * 18))

    def _paint_reading(self, painter: QPainter, reading: Reading) -> None:
        plan = self._plan
        painter.setPen(QPen(plan.tokens.color("accent"), 1.2))
        places = [plan.view.to_screen(*point) for point in reading.points]
        if reading.kind is MeasureKind.ANGLE:
            painter.drawLine(places[0], places[1])
            painter.drawLine(places[0], places[2])
            at = places[0]
        elif len(places) > 1:
            painter.drawLine(places[0], places[1])
            for place in places[:2]:
                painter.drawEllipse(place, 2.5, 2.5)
            at = (places[0] + places[1]) / 2
        else:
            at = places[0]
        words = reading_words(reading, plan.unit)
        painter.setFont(style.font(11))
        width = painter.fontMetrics().horizontalAdvance(words) + 10
        box = QRectF(at.x() - width / 2, at.y() - 24, width, 17)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(plan.tokens.color("panel", 225)))
        painter.drawRoundedRect(box, 3, 3)
        painter.setPen(plan.tokens.color("accent"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)


def reading_words(reading: Reading, unit: Unit) -> str:
    """A reading as it stands on the plan."""
    if reading.kind is MeasureKind.ANGLE:
        return f"{reading.value:.2f}°"
    if reading.kind is MeasureKind.AREA:
        value = reading.value / 25.4**2 if unit is Unit.INCH else reading.value / 100
        return f"{value:.2f} {'in²' if unit is Unit.INCH else 'cm²'}"
    prefix = {MeasureKind.RADIUS: "R ", MeasureKind.LENGTH: "length ", MeasureKind.GAP: "gap "}.get(reading.kind, "")
    return f"{prefix}{format_length(reading.value, unit)} {unit}"
