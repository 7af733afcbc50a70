"""The rail: the stations in the order people work, one of them shown."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QToolButton, QVBoxLayout, QWidget

from archimetra.app.stations import STATIONS
from archimetra.app.theme import icons, style
from archimetra.app.theme.tokens import Tokens

WIDTH, BUTTON_HEIGHT = 64, 54


class Rail(QWidget):
    chosen = Signal(str)  # a station's id

    def __init__(self, tokens: Tokens) -> None:
        super().__init__()
        self.setObjectName("rail")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(style.scaled(WIDTH))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 8, 0, 8)
        column.setSpacing(4)
        self._buttons: dict[str, QToolButton] = {}
        for number, station in enumerate(STATIONS):
            button = QToolButton()
            button.setText(station.name)
            button.setToolTip(f"{station.tip} (Ctrl+{number + 1})")
            button.setAccessibleName(f"Station {station.name}")
            button.setCheckable(True)
            button.setProperty("kind", "station")
            button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
            button.setFixedSize(style.scaled(WIDTH) - 1, style.scaled(BUTTON_HEIGHT))
            button.clicked.connect(lambda _c=False, id_=station.id: self._choose(id_))
            column.addWidget(button)
            self._buttons[station.id] = button
        column.addStretch(1)
        self.show_theme(tokens)

    def show_theme(self, tokens: Tokens) -> None:
        for station in STATIONS:
            self._buttons[station.id].setIcon(icons.icon(station.icon, tokens.quiet, checked=tokens.accent))

    def show_count(self, id_: str, count: int) -> None:
        """How many things a station has to tell, beside its name."""
        name = next(station.name for station in STATIONS if station.id == id_)
        button = self._buttons[id_]
        button.setText(f"{name} {count}" if count else name)
        button.setAccessibleDescription(f"{count} findings" if count else "")

    def _choose(self, id_: str) -> None:
        self._buttons[id_].setChecked(True)  # a click on the one that is shown leaves it marked
        self.chosen.emit(id_)

    def show_station(self, id_: str) -> None:
        for own, button in self._buttons.items():
            button.setChecked(own == id_)
