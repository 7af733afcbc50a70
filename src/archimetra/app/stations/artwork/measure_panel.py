"""Measure: distances, angles, radii, areas, lengths and gaps; pinned on the plan, copied into number fields. Guides too."""

from __future__ import annotations

from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QPushButton, QWidget

from archimetra.app.stations.artwork.panel import Panel, clear_rows, tool_button
from archimetra.app.stations.bindings import TypedNumber
from archimetra.app.stations.page import shown
from archimetra.app.views.plan_marks import reading_words
from archimetra.app.views.tools import MeasureTool
from archimetra.app.widgets.fields import label
from archimetra.app.widgets.form import Form
from archimetra.edits import guides
from archimetra.job.ids import ShapeId
from archimetra.job.quantities import format_length
from archimetra.job.reading import Reading, reading
from archimetra.job.shapes import Measure, MeasureKind

KINDS: dict[MeasureKind, tuple[int, tuple[str, ...]]] = {
    MeasureKind.DISTANCE: (2, ("Click where to measure from", "click where to measure to")),
    MeasureKind.ANGLE: (3, ("Click the corner of the angle", "Click along one side", "Click along the other side")),
    MeasureKind.RADIUS: (1, ("Click an arc or a curve",)),
    MeasureKind.LENGTH: (1, ("Click an outline",)),
    MeasureKind.AREA: (1, ("Click an outline",)),
    MeasureKind.GAP: (2, ("Click the one outline", "Click the other outline")),
}
_OF_SHAPES = (MeasureKind.RADIUS, MeasureKind.LENGTH, MeasureKind.AREA, MeasureKind.GAP)


class MeasurePanel(Panel):
    name, icon, tip = "Measure", "ruler-measure", "Distances, angles, gaps; guides and margins"

    def build(self) -> None:
        self._kind: MeasureKind | None = None
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(0)
        self._tools = {}
        for k, kind in enumerate(MeasureKind):
            button = tool_button(
                kind.value.capitalize(), f"Measure a {kind.value}", lambda n=kind: self.begin(n), is_checkable=True
            )
            grid.addWidget(button, k // 3, k % 3)
            grid.setColumnStretch(k % 3, 1)
            self._tools[kind] = button
        self.form.add(holder)
        self._hint = self.form.add(label("", "note"))
        self._list = Form()
        self.form.add(self._list)
        self._shown: object = None
        (self._clear,) = self.buttons(self.form, ("Take all off", "Remove all readings from the plan", self._take_off))
        self.form.line()
        self.form.heading("Guides", "drag them out of the rulers")
        body = Form()
        self.form.add(body)
        s = self.session
        self.length_row(
            body, "Margin", key=lambda: f"{s.board.id}.margin", get=lambda: s.board.margin,
            edit=lambda mm: guides.set_margin(s.job, s.board.id, mm), note=lambda: "0 for none",
        )  # fmt: skip
        self._grid = TypedNumber(0.0, 0.0, 1_000.0)
        self.typed_row(body, "Grid", self._grid, "snaps; 0: none")
        self._grid.on_change(lambda: s.grid_wanted.emit(self._grid.value))
        self._centre = QCheckBox("Centre lines of the sheet")
        self._centre.clicked.connect(lambda on: self.run(lambda: guides.set_centre_lines(s.job, s.board.id, is_on=on)))
        body.add(self._centre)
        (self._no_guides,) = self.buttons(
            body,
            (
                "Remove guides",
                "One goes when it is dragged back into its ruler",
                lambda: self.run(lambda: guides.clear_guides(s.job, s.board.id)),
            ),
        )

    def refresh(self) -> None:
        board = self.session.board
        for kind, button in self._tools.items():
            button.setChecked(kind is self._kind)
        self._hint.setText(
            KINDS[self._kind][1][0] + " on the plan."
            if self._kind
            else "Choose what to measure. Readings stay on the plan and follow the shapes they are of."
        )
        self._centre.setChecked(board.has_centre_lines)
        self._no_guides.setEnabled(bool(board.guides))
        super().refresh()
        self._show_list()

    def closed(self) -> None:
        if self._kind is not None:
            self._kind = None
            self.session.tool_wanted.emit(None)

    def tool_left(self) -> None:
        self._kind = None
        self.refresh()

    def begin(self, kind: MeasureKind) -> None:
        if kind is self._kind:
            self.closed()
        else:
            self._kind = kind
            need, hints = KINDS[kind]
            self.session.tool_wanted.emit(lambda _plan: MeasureTool(kind.value, need, hints, self._made))
        self.refresh()

    def _made(self, points: list[tuple[float, float]]) -> None:
        s, kind = self.session, self._kind
        if kind is None:
            return
        shapes: tuple[ShapeId, ...] = ()
        if kind in _OF_SHAPES:
            found = [s.shape_near(point) for point in points]
            if any(id_ is None for id_ in found) or len(set(found)) < len(found):
                self.say_problem(
                    "There is no outline there." if None in found else "Those are one and the same outline."
                )
                return
            shapes = tuple(id_ for id_ in found if id_ is not None)
        measure = Measure(kind=kind, points=tuple(points), shapes=shapes)
        if reading(s.board, measure) is None:
            self.say_problem(
                "The line is straight there: it has no radius."
                if kind is MeasureKind.RADIUS
                else "That cannot be measured."
            )
            return
        self.run(lambda: guides.pin_measure(s.job, s.board.id, measure))

    def _take_off(self) -> None:
        s = self.session
        self.run(lambda: guides.unpin_measure(s.job, s.board.id, None))

    def _show_list(self) -> None:
        """The readings, newest first, each with its value to copy."""
        s = self.session
        rows = [(k, found) for k, m in enumerate(s.board.measures) if (found := reading(s.board, m)) is not None]
        state = (tuple(rows), s.job.unit)
        shown(self._clear, bool(rows))
        if state == self._shown:
            return
        self._shown = state
        clear_rows(self._list)
        for k, found in reversed(rows[-12:]):
            self._list.add(self._row(k, found))

    def _row(self, k: int, found: Reading) -> QWidget:
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(label(reading_words(found, self.session.job.unit)), 1)
        for words, tip, run in (
            ("Copy", "Copy the number, to paste it into any field", lambda: self._copy(found)),
            ("Off", "Take this reading off the plan", lambda: self._off(k)),
        ):
            button = QPushButton(words)
            button.setProperty("kind", "link")
            button.setToolTip(tip)
            button.clicked.connect(lambda _c=False, r=run: r())
            line.addWidget(button)
        return row

    def _copy(self, found: Reading) -> None:
        is_length = found.kind not in (MeasureKind.ANGLE, MeasureKind.AREA)
        text = format_length(found.value, self.session.job.unit) if is_length else f"{found.value:.4f}"
        QGuiApplication.clipboard().setText(text)
        self.session.said.emit("note", f"{text} is on the clipboard; paste it into any number field.")

    def _off(self, k: int) -> None:
        s = self.session
        self.run(lambda: guides.unpin_measure(s.job, s.board.id, k))
