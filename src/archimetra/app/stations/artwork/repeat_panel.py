"""Repeat: rows and columns, rings, along a line; guides and margins to place by."""

from __future__ import annotations

from PySide6.QtWidgets import QCheckBox

from archimetra.app.stations.artwork.panel import Panel
from archimetra.app.stations.bindings import TypedNumber
from archimetra.app.stations.page import shown
from archimetra.app.widgets.fields import ChoiceRow, label
from archimetra.app.widgets.form import Form
from archimetra.edits import repeating
from archimetra.edits.repeating import Rows


class RepeatPanel(Panel):
    name, icon, tip = "Repeat", "grid-dots", "Rows and columns, rings, along a line"

    def build(self) -> None:
        self._hint = self.form.add(label("", "note"))
        self._body = body = Form()
        self.form.add(body)
        self._linked = QCheckBox("Copies follow: pieces of a part")
        self._linked.setToolTip(
            "What is changed on one, its cuts too, is changed on all; they are among the parts on Layout"
        )
        body.add(self._linked)
        body.line()
        body.heading("Rows and columns")
        self._columns, self._rows = TypedNumber(3, 1, 500), TypedNumber(2, 1, 500)
        self.typed_row(body, "Columns", self._columns, " ", is_length=False)
        self.typed_row(body, "Rows", self._rows, " ", is_length=False)
        self._across, self._along = TypedNumber(5.0, -10_000), TypedNumber(5.0, -10_000)
        self._by = ChoiceRow("Distances are", [("gap", "gaps"), ("pitch", "pitches")])
        self._by.show_value("gap")
        self._by.chosen.connect(self._by.show_value)
        body.add(self._by)
        self.typed_row(body, "Across", self._across)
        self.typed_row(body, "Along", self._along)
        self.buttons(body, ("Create copies", "Copies to the right and to the back", self._field))
        body.line()
        body.heading("Ring")
        self._count, self._sweep = TypedNumber(8, 2, 2000), TypedNumber(360.0, -360.0, 360.0)
        self.typed_row(body, "Places", self._count, " ", is_length=False)
        self.typed_row(body, "Sweep", self._sweep, "°", is_length=False)
        self._x, self._y = TypedNumber(0.0, -10_000), TypedNumber(0.0, -10_000)
        self.typed_row(body, "Centre X", self._x)
        self.typed_row(body, "Centre Y", self._y)
        self._turns = QCheckBox("Turn the copies with it")
        self._turns.setChecked(True)
        body.add(self._turns)
        self.buttons(
            body,
            ("Make the ring", "Copies about the centre", self._ring),
            ("Centre of sheet", "Put the ring's centre on the sheet's", self._sheet_centre),
        )
        body.line()
        body.heading("Along a line")
        self._places = TypedNumber(6, 1, 2000)
        self.typed_row(body, "Places", self._places, " ", is_length=False)
        self.buttons(body, ("Along the last picked", "Copies of the others along the line picked last", self._line))
        self._sheet_centre()

    def refresh(self) -> None:
        shown(self._body, self.need_picked(self._hint, "Pick what is to be repeated."))
        super().refresh()

    def _sheet_centre(self) -> None:
        sheet = self.session.board.sheet
        self._x.value, self._y.value = sheet.width / 2, sheet.height / 2
        super().refresh()

    def _field(self) -> None:
        how = Rows(
            round(self._columns.value), round(self._rows.value), self._across.value, self._along.value,
            self._by.button("gap").isChecked(),
        )  # fmt: skip
        s = self.session
        self.run(
            lambda: repeating.rows_and_columns(s.job, s.board.id, s.picked, how, is_linked=self._linked.isChecked())
        )

    def _ring(self) -> None:
        s = self.session
        self.run(
            lambda: repeating.ring(
                s.job, s.board.id, s.picked, count=round(self._count.value), centre=(self._x.value, self._y.value),
                sweep=self._sweep.value, turns=self._turns.isChecked(), is_linked=self._linked.isChecked(),
            )
        )  # fmt: skip

    def _line(self) -> None:
        s = self.session
        if len(s.picked) < 2:
            self.say_problem("Pick what is to be repeated first, and the line it follows last.")
            return
        line = s.board.shape(s.picked[-1])
        if line is None:
            return
        others = s.picked[:-1]
        path = line.placed()[0]
        self.run(
            lambda: repeating.along_path(
                s.job,
                s.board.id,
                others,
                path,
                count=round(self._places.value),
                turns=self._turns.isChecked(),
                is_linked=self._linked.isChecked(),
            )
        )
