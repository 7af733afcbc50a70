"""Before a drawing lands: what it looks like, how large it really is, the unit assumed and why."""

from __future__ import annotations

from collections.abc import Iterator

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from archimetra.app.theme.tokens import Tokens
from archimetra.app.views.line_layer import LineGroup, LineLayer, group
from archimetra.app.views.viewport import Viewport, fitting
from archimetra.app.widgets.fields import Choice, QuantityField, label, show_kind
from archimetra.app.widgets.form import Form
from archimetra.artwork.drawing import UNITS_MM, Drawing, with_true_size, with_unit
from archimetra.base.findings import Severity
from archimetra.geometry.path import flatten_together
from archimetra.job.quantities import QuantityError, Unit, format_length, parse_length
from archimetra.job.sheet import Sheet

_AS_IT_STANDS = "as the file says"


class ImportPanel(QFrame):
    """Shows one drawing; says when it is to land or not."""

    landed = Signal(object, object)  # Drawing, (name, bytes)
    given_up = Signal()
    page_chosen = Signal(int)
    changed = Signal(object)  # the Drawing as it would land now

    def __init__(self, tokens: Tokens) -> None:
        super().__init__()
        self.setProperty("kind", "card")
        self._original: Drawing | None = None
        self._drawing: Drawing | None = None
        self._source = ("", b"")
        self._unit = Unit.MM
        self._sheet: Sheet | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 8, 10, 10)
        column.setSpacing(6)
        self._name = label("", "heading")
        column.addWidget(self._name)
        self._picture = _Picture(tokens)
        column.addWidget(self._picture)
        self._size = label("", "heading")
        column.addWidget(self._size)
        self._reason = label("", "note")
        column.addWidget(self._reason)
        self._extra = Form()
        column.addWidget(self._extra)
        form = Form()
        self._pages = Choice("Page")
        self._pages.activated.connect(lambda index: self.page_chosen.emit(index + 1))
        self._pages_label = form.row("Page", self._pages)
        self._units = Choice("One file unit is")
        self._units.activated.connect(self._choose_unit)
        form.row("One file unit is", self._units)
        self._width, self._height = QuantityField("True width"), QuantityField("True height")
        form.row("True width", self._width)
        form.row("True height", self._height)
        self._width.entered.connect(lambda text: self._true_size(text, is_width=True))
        self._height.entered.connect(lambda text: self._true_size(text, is_width=False))
        column.addWidget(form)
        self._report = label("", "note")
        column.addWidget(self._report)
        row = QHBoxLayout()
        self._land = QPushButton("Place on sheet")
        self._land.setProperty("kind", "main")
        self._land.clicked.connect(self.land)
        give_up = QPushButton("Not now")
        give_up.clicked.connect(self.given_up)
        row.addWidget(self._land)
        row.addWidget(give_up)
        row.addStretch(1)
        column.addLayout(row)
        self.hide()

    def add_form(self, form: Form) -> None:
        """A form of settings that belong to the kind of file."""
        self._extra.add(form)

    def show_nothing(self, name: str) -> None:
        """Nothing would land as it is set now; the settings stay in reach."""
        self._original = self._drawing = None
        self._name.setText(name)
        self._size.setText("nothing to place yet")
        self._land.setEnabled(False)
        self.show()

    def show_drawing(
        self, drawing: Drawing, source: tuple[str, bytes], unit: Unit, sheet: Sheet, *, keeps_focus: bool = False
    ) -> None:
        self._land.setEnabled(True)
        for widget in (self._pages, self._pages_label):
            widget.setVisible(drawing.pages > 1)
        if drawing.pages != self._pages.count():
            self._pages.clear()
            self._pages.addItems([f"{k + 1} of {drawing.pages}" for k in range(drawing.pages)])
        self._pages.setCurrentIndex(drawing.page - 1)
        self._original = drawing
        for words in (self._reason, self._report):
            words.setMinimumHeight(0)
        self._source, self._unit, self._sheet = source, unit, sheet
        self._units.clear()
        self._units.addItems([_AS_IT_STANDS, *UNITS_MM])
        self._show(drawing)
        self.show()
        if not keeps_focus:
            self._land.setFocus()

    def land(self) -> None:
        """What is shown is wanted."""
        if self._drawing is not None:
            self.landed.emit(self._drawing, self._source)

    def _keep_places(self) -> None:
        """While sizes are typed nothing below moves: a sentence that grows shorter leaves its room."""
        for words in (self._reason, self._report):
            words.setMinimumHeight(words.height() if words.isVisible() else 0)

    def clear(self) -> None:
        self._original = self._drawing = None
        self.hide()

    @property
    def drawing(self) -> Drawing | None:
        """What would land now."""
        return self._drawing

    def _show(self, drawing: Drawing) -> None:
        self._drawing = drawing
        box = drawing.bounds() or (0.0, 0.0, 0.0, 0.0)
        width, height = box[2] - box[0], box[3] - box[1]
        count = len(drawing.shapes)
        self._name.setText(f"{drawing.name}: {count} shape{'' if count == 1 else 's'}")
        w, h = format_length(width, self._unit), format_length(height, self._unit)
        fits = ""
        if self._sheet is not None and (width > self._sheet.width or height > self._sheet.height):
            fits = ", larger than the sheet"
        self._size.setText(f"{w} x {h} {self._unit}{fits}")
        self._reason.setText(drawing.scale.reason)
        show_kind(self._reason, "note" if drawing.scale.is_certain else "caution")
        self._width.show_quantity(w, str(self._unit))
        self._height.show_quantity(h, str(self._unit))
        lines = [f.text() for f in drawing.report if f.code != "unit"]
        more = f"\nand {len(lines) - 6} more" if len(lines) > 6 else ""
        self._report.setText("\n".join(lines[:6]) + more)
        self._report.setVisible(bool(lines))
        worst = any(f.severity is not Severity.NOTE for f in drawing.report if f.code != "unit")
        show_kind(self._report, "caution" if worst else "note")
        self._picture.show_drawing(drawing)

    def _choose_unit(self, index: int) -> None:
        assert self._original is not None
        self._keep_places()
        self._show(self._original if index == 0 else with_unit(self._original, list(UNITS_MM)[index - 1]))
        self.changed.emit(self._drawing)

    def _true_size(self, text: str, *, is_width: bool) -> None:
        assert self._drawing is not None
        field = self._width if is_width else self._height
        try:
            mm = parse_length(text, default=self._unit)
            if not 0.01 <= mm <= 10_000:
                raise ValueError("A size is 0.01 to 10000 mm")
            self._keep_places()
            self._show(with_true_size(self._drawing, is_width=is_width, true_mm=mm))
            self.changed.emit(self._drawing)
        except (QuantityError, ValueError) as error:
            field.show_quantity(text, str(error), is_wrong=True)


def _outlines(drawing: Drawing, pen: QPen, chord_tolerance_mm: float) -> Iterator[LineGroup]:
    """A drawing's lines, some hundred at a time: a large one takes half a second in all."""
    paths = [path for shape in drawing.shapes for path in shape.paths]
    for k in range(0, len(paths), 100):
        some = paths[k : k + 100]
        flatten_together(some, chord_tolerance_mm)
        yield group(pen, [path.flatten(chord_tolerance_mm) for path in some])


class _Picture(QWidget):
    """The drawing in small, on its page."""

    def __init__(self, tokens: Tokens) -> None:
        super().__init__()
        self._tokens = tokens
        self._drawing: Drawing | None = None
        self._view = Viewport()
        self._lines = LineLayer(self)
        self._lines.changed.connect(self.update)
        self.setFixedHeight(120)
        self.setAccessibleName("Picture of the drawing")

    def show_drawing(self, drawing: Drawing) -> None:
        self._drawing = drawing
        box = drawing.bounds()
        if box is not None:
            self._view = fitting(box, max(self.width(), 200), self.height(), 8)
            pen = QPen(self.palette().text().color(), 1.0)
            self._lines.clear()
            self._lines.show_preview(_outlines(drawing, pen, 0.25 / self._view.scale))  # a quarter of a pixel
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        box = self._drawing.bounds() if self._drawing is not None else None
        if box is not None:
            self._view = fitting(box, self.width(), self.height(), 8)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self.palette().base())
        if self._drawing is None:
            return
        if self._drawing.page_mm:
            painter.setPen(QPen(self.palette().placeholderText().color(), 0.6, Qt.PenStyle.DotLine))
            painter.drawRect(self._view.rect(0.0, 0.0, *self._drawing.page_mm))
        self._lines.paint(painter, self._view, self.size(), self.devicePixelRatioF())
