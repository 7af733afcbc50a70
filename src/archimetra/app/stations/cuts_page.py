"""Cuts: the cuts of this board, the bits and recipes they run with, and test pieces."""

from __future__ import annotations

from archimetra.app.stations.cuts.bits_panel import BitsPanel
from archimetra.app.stations.cuts.cuts_panel import CutsPanel
from archimetra.app.stations.cuts.recipes_panel import RecipesPanel
from archimetra.app.stations.cuts.try_panel import TryPanel
from archimetra.app.stations.panels_page import PanelsPage


class CutsPage(PanelsPage):
    title = "Cuts"
    kinds = (CutsPanel, BitsPanel, RecipesPanel, TryPanel)
    columns = 4

    @property
    def cuts(self) -> CutsPanel:
        panel = self.panel_named(CutsPanel.name)
        assert isinstance(panel, CutsPanel)
        return panel

    @property
    def bits(self) -> BitsPanel:
        panel = self.panel_named(BitsPanel.name)
        assert isinstance(panel, BitsPanel)
        return panel

    def refresh(self) -> None:
        self.corner.setText(f"on {self.session.board.name}")
        super().refresh()
