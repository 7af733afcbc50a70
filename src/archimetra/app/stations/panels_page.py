"""A page of several parts, one of which is in front: a strip to choose it by, and parts made when first wanted."""

from __future__ import annotations

from typing import ClassVar

from PySide6.QtCore import QSize, Qt
from PySide6.QtWidgets import QGridLayout, QSizePolicy, QToolButton, QWidget

from archimetra.app.stations.artwork.panel import Panel
from archimetra.app.stations.page import Page
from archimetra.app.theme import icons
from archimetra.app.theme.tokens import Tokens
from archimetra.app.widgets.form import Form


class PanelsPage(Page):
    """``kinds`` are its parts, ``columns`` how many stand in a row of the strip. The first is shown to begin with."""

    kinds: ClassVar[tuple[type[Panel], ...]] = ()
    columns: ClassVar[int] = 3

    def build(self) -> None:
        strip = QWidget()
        grid = QGridLayout(strip)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(2)
        is_even = len(self.kinds) > self.columns  # several rows line up; one row gives each word its room
        policy = QSizePolicy.Policy.Ignored if is_even else QSizePolicy.Policy.Expanding
        self._buttons: dict[str, QToolButton] = {}
        for k, kind in enumerate(self.kinds):
            button = QToolButton()
            button.setText(kind.name)
            button.setCheckable(True)
            button.setProperty("kind", "trade")
            button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
            button.setIconSize(QSize(16, 16))
            button.setToolTip(kind.tip)
            button.setSizePolicy(policy, QSizePolicy.Policy.Fixed)
            button.setAccessibleName(f"{kind.name}: {kind.tip}")
            button.clicked.connect(lambda _c=False, n=kind.name: self.show_panel(n))
            grid.addWidget(button, k // self.columns, k % self.columns)
            if is_even:
                grid.setColumnStretch(k % self.columns, 1)
            self._buttons[kind.name] = button
        self.form.add(strip)
        self.form.gap(4)
        self._holder = Form()
        self.form.add(self._holder)
        self.panels: dict[str, Panel] = {}
        self._panel = ""
        self.build_below()
        self._show_icons()
        self.show_panel(self.kinds[0].name)

    def build_below(self) -> None:
        """What stands under the part in front, whichever it is."""

    def panel_named(self, name: str) -> Panel:
        """A part, made when first wanted."""
        panel = self.panels.get(name)
        if panel is None:
            kind = next(kind for kind in self.kinds if kind.name == name)
            panel = self.panels[name] = kind(self.session, self.tokens)
            self._holder.add(panel.form)
            panel.form.hide()
        return panel

    def show_panel(self, name: str) -> None:
        if name == self._panel:
            self._buttons[name].setChecked(True)  # a click on the part that is shown leaves it marked
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

    @property
    def shown_panel(self) -> str:
        return self._panel

    def refresh(self) -> None:
        for name, button in self._buttons.items():
            button.setChecked(name == self._panel)
        if self._panel:
            self.panel_named(self._panel).refresh()

    def left(self) -> None:
        """Another station comes to the front: tools are put away."""
        if self._panel:
            self.panel_named(self._panel).closed()

    def show_theme(self, tokens: Tokens) -> None:
        super().show_theme(tokens)
        for panel in self.panels.values():
            panel.show_theme(tokens)
        self._show_icons()

    def _show_icons(self) -> None:
        for kind in self.kinds:
            self._buttons[kind.name].setIcon(icons.icon(kind.icon, self.tokens.quiet, checked=self.tokens.accent))
