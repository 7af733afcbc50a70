"""Machine: where the bit is, what runs, and stop."""

from __future__ import annotations

from PySide6.QtWidgets import QFrame, QVBoxLayout

from archimetra.app.session.at_machine import Stage
from archimetra.app.stations.machine.link_form import LinkForm
from archimetra.app.stations.machine.mishap_panel import MishapPanel
from archimetra.app.stations.machine.what_panel import WhatPanel
from archimetra.app.stations.machine.where_panel import WherePanel
from archimetra.app.stations.page import Page, shown
from archimetra.app.theme.tokens import Tokens
from archimetra.app.widgets.fields import ChoiceRow, label
from archimetra.app.widgets.halt import HaltButton

LEAD, RUN = "lead", "run"


class MachinePage(Page):
    title = "Machine"

    def build(self) -> None:
        session, tokens = self.session, self.tokens
        self.link = LinkForm(session, tokens)
        self.where = WherePanel(session, tokens)
        self.what = WhatPanel(session, tokens)
        self.mishap = MishapPanel(session, tokens)
        self.form.add(self.what.run.form)
        self.form.add(self.mishap.form)
        self.form.add(self.link.form)
        self.form.add(self.where.form)
        self._parts = ChoiceRow("Part of the page", [(LEAD, "Move and zero"), (RUN, "Files and run")])
        self._stage = Stage.NONE
        self._parts.show_value(LEAD)
        self._parts.chosen.connect(self.show_part)
        self.where.below.add(self._parts)
        self.form.add(self.what.form)
        self._zone = QFrame()
        self._zone.setProperty("kind", "stopzone")
        column = QVBoxLayout(self._zone)
        column.setContentsMargins(16, 10, 16, 10)
        column.setSpacing(4)
        self.halt = HaltButton()
        self.halt.clicked.connect(session.machine.stop)
        column.addWidget(self.halt)
        column.addWidget(label("No emergency stop: that is a hardware switch.", "note"))
        layout = self.widget.layout()
        assert layout is not None
        layout.addWidget(self._zone)
        session.machine.changed.connect(self.refresh)
        session.planning.changed.connect(self._planned)

    def _planned(self) -> None:
        if self.widget.isVisible():
            self.what.refresh()

    def show_part(self, part: str) -> None:
        """Bring leading by hand, or the files, to the front."""
        self._parts.show_value(part)
        self.refresh()

    def refresh(self) -> None:
        machine = self.session.machine
        if not self.widget.isVisible():
            return
        is_linked, is_cutting = machine.opened is not None, machine.stage in (Stage.RUNNING, Stage.HELD)
        if machine.stage is not self._stage:
            self._stage = machine.stage
            if machine.stage in (Stage.OPENING, Stage.LOCKED):  # it is homed first
                self._parts.show_value(LEAD)
        self.where.leads = self._parts.value == LEAD
        shown(self.where.below, is_linked and not is_cutting and machine.stage is not Stage.CHANGE)
        # between two parts of a program the machine is led, whatever was in front
        self.where.leads = self.where.leads or machine.stage is Stage.CHANGE
        shown(self.what.form, not (is_linked and self.where.leads and not is_cutting))
        self.corner.setText(machine.stage.value)
        self.what.is_stick = self.link.is_stick and not machine.is_linked
        shown(self.link.form, machine.stage not in (Stage.RUNNING, Stage.HELD, Stage.CHANGE))
        for part in (self.link, self.mishap, self.where, self.what):
            part.refresh()
        if self.mishap.broken is not None:
            shown(self.what.run.form, machine.running is not None)
        shown(self._zone, machine.is_linked)

    def left(self) -> None:
        self.mishap.left()

    def show_theme(self, tokens: Tokens) -> None:
        super().show_theme(tokens)
        for part in (self.link, self.mishap, self.where, self.what):
            part.show_theme(tokens)
