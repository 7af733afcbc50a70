"""The status line: findings, planning, zoom, and what is set for the whole window."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

from archimetra.app.theme import style
from archimetra.app.theme.tokens import Tokens
from archimetra.base.findings import Finding, Severity

HEIGHT = 26
_HUES = {Severity.STOP: "picked", Severity.CAUTION: "caution", Severity.NOTE: "accent"}


class Status(QWidget):
    findings_wanted = Signal()
    unit_wanted = Signal()
    snapping_wanted = Signal()
    theme_wanted = Signal()
    machine_wanted = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("status")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(style.scaled(HEIGHT))
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 0, 10, 0)
        row.setSpacing(14)
        self.findings = _button(row, "What would spoil work", self.findings_wanted)
        self.planning = QLabel()
        row.addWidget(self.planning)
        self._autosave = QLabel()
        self._autosave.setProperty("kind", "stop")
        self._autosave.hide()
        row.addWidget(self._autosave)
        self.machine = _button(row, "The machine: where it is, and what runs (Ctrl+7)", self.machine_wanted)
        row.addStretch(1)
        self.zoom = QLabel()
        row.addWidget(self.zoom)
        self.unit = _button(row, "Unit of all fields: mm or inch", self.unit_wanted)
        self.snapping = _button(row, "Snapping on or off (S)", self.snapping_wanted)
        self.theme = _button(row, "Light, dark or as the system", self.theme_wanted)

    def show_findings(self, found: Sequence[Finding], tokens: Tokens) -> None:
        """How many there are, in the hue of the worst."""
        count = len(found)
        self.findings.setText("no findings" if not count else f"{count} finding{'' if count == 1 else 's'}")
        worst = next((hue for severity, hue in _HUES.items() if any(f.severity is severity for f in found)), "quiet")
        sheet = f"color: {getattr(tokens, worst)}; font-weight: {600 if count else 400};"
        if sheet != self.findings.styleSheet():
            self.findings.setStyleSheet(sheet)

    def show_autosave(self, problem: str) -> None:
        """A lasting word where work in progress is not kept aside."""
        self._autosave.setText("not kept for a crash: save yourself")
        self._autosave.setToolTip(problem)
        self._autosave.setVisible(bool(problem))

    def show_snapping(self, is_on: bool) -> None:
        self.snapping.setText("snapping on" if is_on else "snapping off")

    def show_theme_choice(self, theme: str) -> None:
        self.theme.setText({"system": "as the system"}.get(theme, theme))


def _button(row: QHBoxLayout, tip: str, wanted) -> QPushButton:
    button = QPushButton()
    button.setProperty("kind", "link")
    button.setToolTip(tip)
    button.clicked.connect(wanted)
    row.addWidget(button)
    return button
