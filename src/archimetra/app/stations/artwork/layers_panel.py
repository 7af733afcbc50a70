"""Layers: name, colour, show, lock, order; below whatever else the Artwork page shows."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent
from PySide6.QtWidgets import (
    QColorDialog,
    QHBoxLayout,
    QInputDialog,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from archimetra.app.actions import pop_up
from archimetra.app.session import Session
from archimetra.app.session.document import sentence
from archimetra.app.theme import icons
from archimetra.app.theme.tokens import Tokens
from archimetra.app.widgets.fields import label
from archimetra.edits import layering
from archimetra.edits.edit import Edit
from archimetra.job.ids import LayerId
from archimetra.job.job import Board
from archimetra.job.shapes import LAYER_COLOURS, Layer

LAYER_ROW_PX = 30


class _Rows(QListWidget):
    """Enter picks the shapes of the row the keys have come to, Delete takes the layer away."""

    removed = Signal()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Delete:
            self.removed.emit()
        else:
            super().keyPressEvent(event)


class LayerList(QWidget):
    """The layers, top of the list drawn last; a click on the name picks their shapes."""

    picked = Signal(str)

    def __init__(self, session: Session, tokens: Tokens) -> None:
        super().__init__()
        self.tokens = tokens
        self._session = session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self._list = _Rows()
        self._list.setAccessibleName("Layers")
        self._list.removed.connect(self._remove_current)
        self._list.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self._list.customContextMenuRequested.connect(self._show_menu)
        self._list.itemActivated.connect(lambda item: self.picked.emit(item.data(Qt.ItemDataRole.UserRole)))
        column.addWidget(self._list)
        add = QPushButton("Add a layer")
        add.setProperty("kind", "link")
        add.clicked.connect(self._add)
        line = QHBoxLayout()
        line.addWidget(add)
        line.addStretch(1)
        column.addLayout(line)
        self._shown: object = None

    def show_layers(self, board: Board) -> None:
        counts: dict[str, int] = {}
        for shape in board.shapes:
            counts[shape.layer] = counts.get(shape.layer, 0) + 1
        state = (board.layers, tuple(sorted(counts.items())), self.tokens.is_dark)
        if state == self._shown:
            return
        self._shown = state
        self._list.clear()
        for layer in board.layers:
            item = QListWidgetItem()
            item.setData(Qt.ItemDataRole.UserRole, layer.id)
            item.setData(Qt.ItemDataRole.AccessibleTextRole, f"{layer.name}, {counts.get(layer.id, 0)} shapes")
            item.setSizeHint(QSize(100, LAYER_ROW_PX))
            self._list.addItem(item)
            self._list.setItemWidget(item, self._row(layer, counts.get(layer.id, 0)))
        self._list.setFixedHeight(min(len(board.layers), 10) * LAYER_ROW_PX + 4)

    def _row(self, layer: Layer, count: int) -> QWidget:
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(6, 0, 2, 0)
        line.setSpacing(6)
        swatch = QPushButton()
        swatch.setFixedSize(14, 14)
        swatch.setStyleSheet(
            f"background: {layer.colour}; border-radius: 2px; border: none; min-height: 0; padding: 0;"
        )
        swatch.setToolTip("Another colour")
        swatch.setAccessibleName(f"Colour of layer {layer.name}")
        swatch.clicked.connect(lambda _c=False, la=layer: self._colour(la))
        line.addWidget(swatch)
        name = QPushButton(layer.name)
        name.setProperty("kind", "link")
        name.setToolTip("Pick all shapes of this layer")
        name.clicked.connect(lambda _c=False, i=layer.id: self.picked.emit(i))
        line.addWidget(name)
        line.addStretch(1)
        line.addWidget(label(str(count), "note"))
        for icon, off, is_on, field, words in (
            ("eye", "eye-off", layer.is_shown, "is_shown", "Show or hide"),
            ("lock", "lock-open", layer.is_locked, "is_locked", "Lock or unlock"),
        ):
            button = QToolButton()
            button.setIcon(icons.icon(icon if is_on else off, self.tokens.ink if is_on else self.tokens.quiet))
            button.setToolTip(words)
            button.setAccessibleName(f"{words} layer {layer.name}")
            button.clicked.connect(
                lambda _c=False, i=layer.id, f=field, v=is_on: self._change(
                    i, words="Show layer" if f == "is_shown" else "Lock layer", **{f: not v}
                )
            )
            line.addWidget(button)
        more = QToolButton()
        more.setIcon(icons.icon("dots", self.tokens.quiet))
        more.setToolTip("Rename, order, move what is picked here, remove")
        more.setAccessibleName(f"More for layer {layer.name}")
        more.clicked.connect(
            lambda _c=False, la=layer, b=more: pop_up(self.menu(la), b.mapToGlobal(b.rect().bottomLeft()))
        )
        line.addWidget(more)
        return row

    def menu(self, layer: Layer) -> QMenu:
        """What can be done with a layer besides what its row shows."""
        s = self._session
        menu = QMenu(self)
        position = [known.id for known in s.board.layers].index(layer.id)
        menu.addAction("Rename …").triggered.connect(lambda: self._rename(layer))
        menu.addAction("Move what is picked here").triggered.connect(
            lambda: self._try(lambda: layering.move_to_layer(s.job, s.board.id, s.picked, layer.id))
        )
        menu.addAction("Up").triggered.connect(
            lambda: self._try(lambda: layering.move_layer(s.job, s.board.id, layer.id, position - 1))
        )
        menu.addAction("Down").triggered.connect(
            lambda: self._try(lambda: layering.move_layer(s.job, s.board.id, layer.id, position + 1))
        )
        menu.addAction("Remove").triggered.connect(
            lambda: self._try(lambda: layering.remove_layer(s.job, s.board.id, layer.id))
        )
        return menu

    def _try(self, make) -> None:
        try:
            edit: Edit = make()
        except ValueError as error:
            self._session.said.emit("caution", sentence(str(error)))
            return
        self._session.apply(edit)

    def _change(self, layer_id: LayerId, *, words: str, **fields: object) -> None:
        s = self._session
        self._try(lambda: layering.change_layer(s.job, s.board.id, layer_id, words, **fields))

    def _show_menu(self, at: QPoint) -> None:
        item = self._list.itemAt(at) or self._list.currentItem()
        layer = self._session.board.layer(item.data(Qt.ItemDataRole.UserRole)) if item is not None else None
        if layer is not None:
            pop_up(self.menu(layer), self._list.viewport().mapToGlobal(at))

    def _remove_current(self) -> None:
        s, row = self._session, self._list.currentRow()
        if 0 <= row < len(s.board.layers):
            self._try(lambda: layering.remove_layer(s.job, s.board.id, s.board.layers[row].id))

    def _add(self) -> None:
        s = self._session
        self._try(lambda: layering.add_layer(s.job, s.board.id)[0])

    def _rename(self, layer: Layer) -> None:
        name, is_given = QInputDialog.getText(self, "Archimetra", "Name of the layer", text=layer.name)
        if is_given:
            self._change(layer.id, words="Rename layer", name=name)

    def _colour(self, layer: Layer) -> None:
        for k, colour in enumerate(LAYER_COLOURS):
            QColorDialog.setCustomColor(k, QColor(colour))
        chosen = QColorDialog.getColor(QColor(layer.colour), self, "Colour of the layer")
        if chosen.isValid():
            self._change(layer.id, words="Colour layer", colour=chosen.name())
