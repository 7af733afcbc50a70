"""Layout: what is cut out as one piece, how often, and how the pieces lie on sheets."""

from __future__ import annotations

from archimetra.app.stations.layout.faces_panel import FacesPanel
from archimetra.app.stations.layout.fit_panel import FitPanel
from archimetra.app.stations.layout.nest_panel import NestPanel
from archimetra.app.stations.layout.offcut_panel import OffcutPanel
from archimetra.app.stations.layout.parts_panel import PartsPanel
from archimetra.app.stations.layout.tiles_panel import TilesPanel
from archimetra.app.stations.panels_page import PanelsPage


class LayoutPage(PanelsPage):
    title = "Layout"
    kinds = (PartsPanel, FitPanel, NestPanel, OffcutPanel, TilesPanel, FacesPanel)
    columns = 3

    def refresh(self) -> None:
        self.corner.setText(f"on {self.session.board.name}")
        super().refresh()
