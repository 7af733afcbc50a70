"""Artwork: bring it in, mend it, place it, draw, set text, combine, measure; and its layers."""

from __future__ import annotations

from pathlib import Path as FilePath

from PySide6.QtCore import QSize
from PySide6.QtWidgets import QGridLayout, QPushButton, QSizePolicy, QToolButton, QWidget

from archimetra.app.stations.artwork.bring_panel import BringPanel
from archimetra.app.stations.artwork.combine_panel import CombinePanel
from archimetra.app.stations.artwork.draw_panel import DrawPanel
from archimetra.app.stations.artwork.layers_panel import LayerList
from archimetra.app.stations.artwork.measure_panel import MeasurePanel
from archimetra.app.stations.artwork.mend_panel import MendPanel
from archimetra.app.stations.artwork.nodes_panel import NodesPanel
from archimetra.app.stations.artwork.panel import Panel
from archimetra.app.stations.artwork.place_panel import PlacePanel
from archimetra.app.stations.artwork.repeat_panel import RepeatPanel
from archimetra.app.stations.artwork.text_panel import TextPanel
from archimetra.app.stations.page import Page, shown
from archimetra.app.theme import icons
from archimetra.app.theme.tokens import Tokens
from archimetra.app.widgets.form import Form

PANELS: tuple[type[Panel], ...] = (
    BringPanel, PlacePanel, DrawPanel, TextPanel, NodesPanel, RepeatPanel, CombinePanel, MendPanel, MeasurePanel,
)  # fmt: skip


class ArtworkPage(Page):
    title = "Artwork"

    def build(self) -> None:
        form, session = self.form, self.session
        strip = QWidget()
        grid = QGridLayout(strip)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(2)
        self._buttons: dict[str, QToolButton] = {}
        for k, kind in enumerate(PANELS):
            button = QToolButton()
            button.setText(kind.name)
            button.setCheckable(True)
            button.setProperty("kind", "trade")
            button.setToolButtonStyle(_beside())
            button.setIconSize(QSize(16, 16))
            button.setToolTip(kind.tip)
            button.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
            button.setAccessibleName(f"{kind.name}: {kind.tip}")
            button.clicked.connect(lambda _c=False, n=kind.name: self.show_panel(n))
            grid.addWidget(button, k // 3, k % 3)
            grid.setColumnStretch(k % 3, 1)
            self._buttons[kind.name] = button
        form.add(strip)
        form.gap(4)
        self._holder = Form()
        form.add(self._holder)
        self.panels: dict[str, Panel] = {}
        self._panel = ""
        form.line()
        self._layer_words = form.heading("Layers")
        self._layers = LayerList(session, self.tokens)
        self._layers.picked.connect(
            lambda id_: session.pick([shape.id for shape in session.board.shapes if shape.layer == id_])
        )
        form.add(self._layers)
        self._demo = QPushButton("Or look at the Quay tide clock first")
        self._demo.setProperty("kind", "link")
        self._demo.setStyleSheet("text-align: left;")
        self._demo.setToolTip("Open the sample job")
        self._demo.clicked.connect(session.demo_wanted)
        form.add(self._demo)
        self._show_icons()
        session.chosen_nodes = self._chosen_nodes
        self.show_panel(BringPanel.name)

    def panel_named(self, name: str) -> Panel:
        """A panel, made when first wanted."""
        panel = self.panels.get(name)
        if panel is None:
            kind = next(kind for kind in PANELS if kind.name == name)
            panel = self.panels[name] = kind(self.session, self.tokens)
            self._holder.add(panel.form)
            panel.form.hide()
        return panel

    def show_panel(self, name: str) -> None:
        if name == self._panel:
            return
        if self._panel:
            before = self.panel_named(self._panel)
            before.closed()
            before.form.hide()
        self._panel = name
        panel = self.panel_named(name)
        panel.form.show()
        self.refresh()
        panel.opened()

    def _chosen_nodes(self):
        nodes = self.panels.get(NodesPanel.name)
        return nodes.chosen_nodes() if isinstance(nodes, NodesPanel) else None

    @property
    def shown_panel(self) -> str:
        return self._panel

    @property
    def bring(self) -> BringPanel:
        panel = self.panel_named(BringPanel.name)
        assert isinstance(panel, BringPanel)
        return panel

    @property
    def place(self) -> PlacePanel:
        panel = self.panel_named(PlacePanel.name)
        assert isinstance(panel, PlacePanel)
        return panel

    @property
    def nodes(self) -> NodesPanel:
        panel = self.panel_named(NodesPanel.name)
        assert isinstance(panel, NodesPanel)
        return panel

    def refresh(self) -> None:
        board = self.session.board
        picked = len(self.session.picked)
        words = f"{len(board.shapes)} shapes" if board.shapes else ""
        self.corner.setText(f"{picked} of {words} picked" if picked else words)
        for name, button in self._buttons.items():
            button.setChecked(name == self._panel)
        if self._panel:
            self.panel_named(self._panel).refresh()
        self._layers.show_layers(board)
        self._layer_words.setText(f"{len(board.layers)}" if board.layers else "none yet")
        shown(self._demo, not board.shapes and self._panel == BringPanel.name and not self.bring.is_busy)

    def left(self) -> None:
        """Another station comes to the front: tools are put away."""
        if self._panel:
            self.panel_named(self._panel).closed()

    def show_places(self) -> None:
        """Something was picked: where it lies is what one wants to see, unless a panel is at work."""
        if self._panel == BringPanel.name and not self.bring.is_busy:
            self.show_panel(PlacePanel.name)

    def tool_left(self) -> None:
        """Escape put the tool away."""
        panel = self.panel_named(self._panel) if self._panel else None
        leave = getattr(panel, "tool_left", None)
        if leave is not None:
            leave()
        if self._panel == NodesPanel.name:
            self.show_panel(PlacePanel.name)

    def show_theme(self, tokens: Tokens) -> None:
        super().show_theme(tokens)
        self._layers.tokens = tokens
        for panel in self.panels.values():
            panel.show_theme(tokens)
        self._show_icons()
        self._layers.show_layers(self.session.board)

    def _show_icons(self) -> None:
        for kind in PANELS:
            self._buttons[kind.name].setIcon(icons.icon(kind.icon, self.tokens.quiet, checked=self.tokens.accent))

    # ---- what the window asks for

    def ask_for_file(self) -> None:
        self.show_panel(BringPanel.name)
        self.bring.ask_for_file()

    def read_file(self, path: FilePath) -> None:
        self.show_panel(BringPanel.name)
        self.bring.read_file(path)

    def centre(self) -> None:
        self.place.centre()

    def remove(self) -> None:
        if self._panel == NodesPanel.name and self.nodes.tool is not None and self.nodes.tool.chosen:
            self.nodes.delete()
        else:
            self.place.remove()


def _beside():
    from PySide6.QtCore import Qt

    return Qt.ToolButtonStyle.ToolButtonTextBesideIcon
