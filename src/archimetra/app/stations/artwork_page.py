"""Artwork: bring it in, mend it, place it, draw, set text, combine, measure; and its layers."""

from __future__ import annotations

from pathlib import Path as FilePath

from PySide6.QtWidgets import QPushButton

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
from archimetra.app.stations.page import shown
from archimetra.app.stations.panels_page import PanelsPage
from archimetra.app.theme.tokens import Tokens

PANELS: tuple[type[Panel], ...] = (
    BringPanel, PlacePanel, DrawPanel, TextPanel, NodesPanel, RepeatPanel, CombinePanel, MendPanel, MeasurePanel,
)  # fmt: skip


class ArtworkPage(PanelsPage):
    title = "Artwork"
    kinds = PANELS

    def build_below(self) -> None:
        form, session = self.form, self.session
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
        session.chosen_nodes = self._chosen_nodes

    def _chosen_nodes(self):
        nodes = self.panels.get(NodesPanel.name)
        return nodes.chosen_nodes() if isinstance(nodes, NodesPanel) else None

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
        super().refresh()
        self._layers.show_layers(board)
        self._layer_words.setText(f"{len(board.layers)}" if board.layers else "none yet")
        shown(self._demo, not board.shapes and self._panel == BringPanel.name and not self.bring.is_busy)

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
        self._layers.show_layers(self.session.board)

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
