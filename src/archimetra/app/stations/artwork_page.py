"""Artwork: bring it in, see how large it really is, place it; layers and shapes."""

from __future__ import annotations

from pathlib import Path as FilePath

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from archimetra.app.stations.import_panel import ImportPanel
from archimetra.app.stations.page import Page, fill, shown
from archimetra.app.theme import icons
from archimetra.app.theme.tokens import Tokens
from archimetra.app.widgets.fields import QuantityField, label
from archimetra.app.widgets.form import Form
from archimetra.artwork.drawing import Drawing
from archimetra.engine.messages import ArtworkRead
from archimetra.geometry.affine import Affine
from archimetra.job import layering, placing
from archimetra.job.edit import Edit

LAYER_ROW_PX = 30


class ArtworkPage(Page):
    title = "Artwork"

    def build(self) -> None:
        form, session = self.form, self.session
        self._box_of: tuple[object, object, tuple[float, float, float, float]] | None = None
        self._bring = QPushButton("Bring in an SVG")
        self._bring.setProperty("kind", "add")
        self._bring.setToolTip("Ctrl+I, or drop a file on the plan")
        self._bring.clicked.connect(lambda: self.ask_for_file())
        form.add(self._bring)
        self._problem = label("", "stop")
        form.add(self._problem)
        self._reading_row = QWidget()
        line = QHBoxLayout(self._reading_row)
        line.setContentsMargins(0, 0, 0, 0)
        self._reading = label("", "quiet")
        stop = QPushButton("Stop")
        stop.clicked.connect(session.stop_reading)
        line.addWidget(self._reading, 1)
        line.addWidget(stop)
        form.add(self._reading_row)
        session.artwork_read.connect(self._show_read)
        session.reading_changed.connect(self.refresh)
        self.panel = ImportPanel(self.tokens)
        self.panel.landed.connect(self._land)
        self.panel.given_up.connect(self._give_up)
        form.add(self.panel)
        form.line()
        self._picked_words = form.heading("Picked")
        self._hint = form.add(label("", "note"))
        self._demo = QPushButton("Or look at the Quay tide clock first")
        self._demo.setProperty("kind", "link")
        self._demo.setStyleSheet("text-align: left;")
        self._demo.setToolTip("Open the sample job")
        self._demo.clicked.connect(session.demo_wanted)
        form.add(self._demo)
        holder = QWidget()
        column = QVBoxLayout(holder)
        column.setContentsMargins(0, 0, 0, 0)
        self._place = holder
        inner = Form()
        column.addWidget(inner)
        for text, axis, which in (("X of left edge", 0, 0), ("Y of front edge", 1, 1)):
            self.length_row(
                inner,
                text,
                key=lambda t=text: f"picked.{t}",
                get=lambda w=which: self._box()[w],
                edit=lambda mm, a=axis: self._move_to(a, mm),
            )
        for text, is_width in (("Width", True), ("Depth", False)):
            self.length_row(
                inner,
                text,
                key=lambda t=text: f"picked.{t}",
                get=lambda w=is_width: self._size(w),
                edit=lambda mm, w=is_width: self._resize(w, mm),
                note=lambda: "in proportion",
            )
        self._turn = QuantityField("Turn by")
        self._turn.show_quantity("", "° to the left")
        inner.row("Turn by", self._turn)
        self._turn.entered.connect(self._turn_by)
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 2, 0, 0)
        line.setSpacing(6)
        for text, tip, action in (
            ("Centre", "Centre on the sheet (C)", self.centre),
            ("Mirror", "Mirror left to right in place", self._mirror),
            ("Remove", "Remove the picked shapes (Del)", self.remove),
        ):
            button = QPushButton(text)
            button.setToolTip(tip)
            button.clicked.connect(action)
            line.addWidget(button)
        line.addStretch(1)
        inner.add(row)
        self._layer = self.combo_row(inner, "Layer", self._move_to_layer)
        form.add(holder)
        form.line()
        self._layer_words = form.heading("Layers")
        self._layers = LayerList(self.tokens)
        self._layers.shown_toggled.connect(
            lambda id_, on: session.apply(
                layering.change_layer(session.job, session.board.id, id_, "Show layer", is_shown=on)
            )
        )
        self._layers.locked_toggled.connect(
            lambda id_, on: session.apply(
                layering.change_layer(session.job, session.board.id, id_, "Lock layer", is_locked=on)
            )
        )
        self._layers.picked.connect(
            lambda id_: session.pick([shape.id for shape in session.board.shapes if shape.layer == id_])
        )
        form.add(self._layers)

    def refresh(self) -> None:
        board = self.session.board
        count = len(self.session.picked)
        self.corner.setText(f"{len(board.shapes)} shapes" if board.shapes else "")
        shown(self._problem, bool(self._problem.text()))
        shown(self._reading_row, self.session.is_reading)
        self._bring.setEnabled(not self.session.is_reading)
        shown(self._place, count > 0)
        shown(self._hint, count == 0)
        shown(self._demo, not board.shapes and not self.panel.isVisible())
        if not board.shapes:
            self._hint.setText("Nothing here yet. Bring in a drawing, or drop an SVG file on the plan.")
        else:
            self._hint.setText(
                "Click a shape on the plan, or drag a frame around several. Shift adds to what is picked."
            )
        self._picked_words.setText(f"{count} shape{'' if count == 1 else 's'}" if count else "")
        if count:
            super().refresh()
            names = [layer.name for layer in board.layers]
            picked = set(self.session.picked)
            of = {shape.layer for shape in board.shapes if shape.id in picked}
            index = next((i for i, layer in enumerate(board.layers) if {layer.id} == of), -1)
            fill(self._layer, names, index)
        self._layers.show_layers(board)
        self._layer_words.setText(f"{len(board.layers)}" if board.layers else "none yet")

    def show_theme(self, tokens: Tokens) -> None:
        super().show_theme(tokens)
        self._layers.tokens = tokens
        self._layers.show_layers(self.session.board)

    # ---- bringing in

    def ask_for_file(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self.widget, "Bring in artwork", "", "SVG drawings (*.svg *.svgz);;All files (*)"
        )
        if name:
            self.read_file(FilePath(name))

    def read_file(self, path: FilePath) -> None:
        """Show what a file holds, before it lands; a sentence where it cannot be read."""
        self._problem.setText("")
        self.panel.clear()
        self._reading.setText(f"Reading {path.name} …")
        self.session.read_artwork(path)
        self.refresh()

    def _show_read(self, read: ArtworkRead) -> None:
        self._problem.setText(read.problem)
        if read.drawing is None:
            self.session.said.emit("stop", read.problem)
        else:
            session = self.session
            self.panel.show_drawing(read.drawing, (read.name, read.data), session.job.unit, session.board.sheet)
        self.refresh()

    def _land(self, drawing: Drawing, source: tuple[str, bytes]) -> None:
        self.panel.clear()
        self.session.place(drawing, source)
        self.session.said.emit("note", f"{drawing.name} landed with {len(drawing.shapes)} shapes; they are picked.")

    def _give_up(self) -> None:
        self.panel.clear()
        self.refresh()

    # ---- placing

    def _box(self) -> tuple[float, float, float, float]:
        """Around all that is picked; four fields ask for it at every refresh, so it is kept."""
        shapes, picked = self.session.board.shapes, self.session.picked
        if self._box_of is None or self._box_of[0] is not shapes or self._box_of[1] is not picked:
            wanted = set(picked)
            boxes = [shape.bounds() for shape in shapes if shape.id in wanted] or [(0.0, 0.0, 0.0, 0.0)]
            x0, y0, x1, y1 = zip(*boxes, strict=True)
            self._box_of = (shapes, picked, (min(x0), min(y0), max(x1), max(y1)))
        return self._box_of[2]

    def _size(self, is_width: bool) -> float:
        x0, y0, x1, y1 = self._box()
        return x1 - x0 if is_width else y1 - y0

    def _map(self, m: Affine, words: str) -> Edit:
        return placing.move_shapes(self.session.job, self.session.board.id, self.session.picked, m, label=words)

    def _move_to(self, axis: int, mm: float) -> Edit:
        by = mm - self._box()[axis]
        return self._map(Affine.shift(by, 0.0) if axis == 0 else Affine.shift(0.0, by), "Move")

    def _resize(self, is_width: bool, mm: float) -> Edit:
        size = self._size(is_width)
        if not 0.01 <= mm <= 10_000:
            raise ValueError("a size is 0.01 to 10000 mm")
        if size <= 0:
            raise ValueError("there is no extent this way")
        x0, y0, _, _ = self._box()
        return self._map(Affine.scale(mm / size, about=(x0, y0)), "Size")

    def _middle(self) -> tuple[float, float]:
        x0, y0, x1, y1 = self._box()
        return (x0 + x1) / 2, (y0 + y1) / 2

    def _turn_by(self, text: str) -> None:
        problem = self.session.enter_number(text, lambda v: self._map(Affine.turn(v, about=self._middle()), "Turn"))
        self._turn.show_quantity("" if not problem else text, problem or "° to the left", is_wrong=bool(problem))

    def _mirror(self) -> None:
        if self.session.picked:
            self.session.apply(self._map(Affine.scale(-1.0, 1.0, about=self._middle()), "Mirror"))

    def centre(self) -> None:
        if self.session.picked:
            self.session.apply(placing.centre_shapes(self.session.job, self.session.board.id, self.session.picked))

    def remove(self) -> None:
        if self.session.picked:
            self.session.apply(placing.remove_shapes(self.session.job, self.session.board.id, self.session.picked))

    def _move_to_layer(self, index: int) -> None:
        layer = self.session.board.layers[index]
        self.session.apply(
            layering.move_to_layer(self.session.job, self.session.board.id, self.session.picked, layer.id)
        )


class LayerList(QWidget):
    """Layers with their colour, an eye and a lock; a click on the name picks their shapes."""

    shown_toggled = Signal(str, bool)
    locked_toggled = Signal(str, bool)
    picked = Signal(str)

    def __init__(self, tokens: Tokens) -> None:
        super().__init__()
        self.tokens = tokens
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self._list = QListWidget()
        self._list.setAccessibleName("Layers")
        self._list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        column.addWidget(self._list)
        self._shown: object = None

    def show_layers(self, board) -> None:
        counts: dict[str, int] = {}
        for shape in board.shapes:
            counts[shape.layer] = counts.get(shape.layer, 0) + 1
        state = (board.layers, tuple(sorted(counts.items())), self.tokens.is_dark)
        if state == self._shown:
            return
        self._shown = state
        self._list.clear()
        for layer in board.layers:
            row = QWidget()
            line = QHBoxLayout(row)
            line.setContentsMargins(6, 0, 2, 0)
            line.setSpacing(6)
            swatch = label("")
            swatch.setFixedSize(12, 12)
            swatch.setStyleSheet(f"background: {layer.colour}; border-radius: 2px;")
            line.addWidget(swatch)
            name = QPushButton(layer.name)
            name.setProperty("kind", "link")
            name.setToolTip("Pick all shapes of this layer")
            name.clicked.connect(lambda _c=False, i=layer.id: self.picked.emit(i))
            line.addWidget(name)
            line.addStretch(1)
            line.addWidget(label(str(counts.get(layer.id, 0)), "note"))
            for icon, off, is_on, signal, words in (
                ("eye", "eye-off", layer.is_shown, self.shown_toggled, "Show or hide"),
                ("lock", "lock-open", layer.is_locked, self.locked_toggled, "Lock or unlock"),
            ):
                button = QToolButton()
                button.setIcon(icons.icon(icon if is_on else off, self.tokens.ink if is_on else self.tokens.quiet))
                button.setToolTip(words)
                button.setAccessibleName(f"{words} layer {layer.name}")
                button.clicked.connect(lambda _c=False, s=signal, i=layer.id, v=is_on: s.emit(i, not v))
                line.addWidget(button)
            item = QListWidgetItem()
            item.setSizeHint(QSize(100, LAYER_ROW_PX))
            self._list.addItem(item)
            self._list.setItemWidget(item, row)
        self._list.setFixedHeight(len(board.layers) * LAYER_ROW_PX + 4)
