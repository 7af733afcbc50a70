"""Check: what would go wrong, what is left standing, how long it takes, and what another bit would make of a cut."""

from __future__ import annotations

from archimetra.app.stations.check.compare_panel import ComparePanel
from archimetra.app.stations.check.findings_panel import FindingsPanel
from archimetra.app.stations.check.left_panel import LeftPanel
from archimetra.app.stations.check.times_panel import TimesPanel
from archimetra.app.stations.panels_page import PanelsPage


class CheckPage(PanelsPage):
    title = "Check"
    kinds = (FindingsPanel, LeftPanel, TimesPanel, ComparePanel)
    columns = 2

    def refresh(self) -> None:
        self.corner.setText(f"on {self.session.board.name}")
        super().refresh()
