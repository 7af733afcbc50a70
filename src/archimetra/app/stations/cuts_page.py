"""Cuts: the cuts of this board, the bits and recipes they run with, and test pieces."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt
from PySide6.QtWidgets import QHBoxLayout, QSizePolicy, QToolButton, QWidget

from archimetra.app.stations.artwork.panel import Panel
from archimetra.app.stations.cuts.bits_panel import BitsPanel
from archimetra.app.stations.cuts.cuts_panel import CutsPanel
from archimetra.app.stations.cuts.recipes_panel import RecipesPanel
from archimetra.app.stations.cuts.try_panel import TryPanel
from archimetra.app.stations.page import Page
from archimetra.app.theme import icons
from archimetra.app.theme.tokens import Tokens
from archimetra.app.widgets.form import Form

PANELS: tuple[type[Panel], ...] = (CutsPanel, BitsPanel, RecipesPanel, TryPanel)


class CutsPage(Page):
    title = "Cuts"

    def build(self) -> None:
        strip = QWidget()
        line = QHBoxLayout(strip)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(2)
        self._buttons: dict[str, QToolButton] = {}
        for kind in PANELS:
            button = QToolButton()
            button.setText(kind.name)
            button.setCheckable(True)
            button.setProperty("kind", "trade")
            button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
            button.setIconSize(QSize(16, 16))
            button.setToolTip(kind.tip)
            button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
            button.setAccessibleName(f"{kind.name}: {kind.tip}")
            button.clicked.connect(lambda _c=False, n=kind.name: self.show_panel(n))
            line.addWidget(button)
            self._buttons[kind.name] = button
        self.form.add(strip)
        self.form.gap(4)
        self._holder = Form()
        self.form.add(self._holder)
        self._panels: dict[str, Panel] = {}
        self._panel = ""
        self._show_icons()
        self.show_panel(CutsPanel.name)

    def panel_named(self, name: str) -> Panel:
        """A panel, made when first wanted."""
        panel = self._panels.get(name)
        if panel is None:
            kind = next(kind for kind in PANELS if kind.name == name)
            panel = self._panels[name] = kind(self.session, self.tokens)
            self._holder.add(panel.form)
            panel.form.hide()
        return panel

    def show_panel(self, name: str) -> None:
        if name == self._panel:
            return
        if self._panel:
            self.panel_named(self._panel).form.hide()
        self._panel = name
        panel = self.panel_named(name)
        panel.form.show()
        panel.opened()
        self.refresh()

    @property
    def shown_panel(self) -> str:
        return self._panel

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
        for name, button in self._buttons.items():
            button.setChecked(name == self._panel)
        self.panel_named(self._panel).refresh()

    def show_theme(self, tokens: Tokens) -> None:
        super().show_theme(tokens)
        for panel in self._panels.values():
            panel.show_theme(tokens)
        self._show_icons()

    def _show_icons(self) -> None:
        for kind in PANELS:
            self._buttons[kind.name].setIcon(icons.icon(kind.icon, self.tokens.quiet, checked=self.tokens.accent))
