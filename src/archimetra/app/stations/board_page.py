"""Board: the sheet, its caliper readings, zero, heights, and where it lies on the machine."""

from __future__ import annotations

import msgspec
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QPushButton, QWidget

from archimetra.app.stations.board.clamps_form import ClampsForm
from archimetra.app.stations.board.flaws_form import FlawsForm
from archimetra.app.stations.board.machine_form import MachineForm
from archimetra.app.stations.board.sheet_form import SheetForm
from archimetra.app.stations.page import Page, shown
from archimetra.app.theme.tokens import Tokens
from archimetra.app.widgets.fields import ChoiceRow, TextField, label
from archimetra.app.widgets.tile_strip import TileStrip
from archimetra.app.widgets.zero_picker import ZeroPicker
from archimetra.edits import basic as edits
from archimetra.edits import setups
from archimetra.edits.edit import Edit
from archimetra.job.lying import only_setup
from archimetra.job.quantities import format_length
from archimetra.job.sheet import ZeroAt, ZeroZ

replace = msgspec.structs.replace
_LIES = ("No", "90°", "180°", "270°")


class BoardPage(Page):
    title = "Board"

    def build(self) -> None:
        form, session = self.form, self.session
        self._name = TextField("Board name")
        form.row("Name", self._name)
        self._name.entered.connect(self._rename)
        form.line()
        self._parts = (
            SheetForm(session, self.tokens), ClampsForm(session, self.tokens), FlawsForm(session, self.tokens)
        )  # fmt: skip
        for part in self._parts:
            form.add(part.form)
            form.line()
        form.heading("Zero")
        self._picker = ZeroPicker(self.tokens)
        form.add(self._picker)
        self._picker.chosen.connect(lambda at: session.apply(self._zero(at=at)))
        self._zero_words = form.add(label("", "note"))
        for axis in ("x", "y"):
            self.length_row(
                form,
                f"{axis.upper()} of zero",
                key=lambda a=axis: f"{session.board.id}.zero.{a}",
                get=lambda a=axis: session.board.zero.point(session.board.sheet)["xy".index(a)],
                edit=lambda mm, a=axis: self._typed_zero(a, mm),
            )
        self._z = ChoiceRow("Z zero", [(ZeroZ.SHEET_TOP, "Sheet top"), (ZeroZ.SPOILBOARD, "Spoilboard")])
        form.row("Z zero on", self._z)
        self._z.chosen.connect(lambda value: session.apply(self._zero(z=ZeroZ(value))))
        form.line()
        form.heading("Heights above the sheet")
        for text, name in (("Retract", "retract"), ("Travel", "travel"), ("Park", "park")):
            self.length_row(
                form,
                text,
                key=lambda n=name: f"{session.board.id}.heights.{n}",
                get=lambda n=name: getattr(session.board.heights, n),
                edit=lambda mm, n=name: self._heights(n, mm),
                note=lambda n=name: {"retract": "nearby cuts", "travel": "above clamps", "park": "at the end"}[n],
            )
        self._low = QCheckBox("Travel as low as the clamps allow")
        self._low.clicked.connect(lambda on: session.apply(self._heights("follows_clamps", on)))
        form.add(self._low)
        self._flight = form.add(label("", "note"))
        form.line()
        form.heading("On the machine")
        self._lying = TileStrip(self.tokens)
        self._lying.setToolTip(
            "The board as it lies on the bed, with zero; its dark corner is the sheet's own front left"
        )
        self._lying.chosen.connect(self._choose_setup)
        form.add(self._lying)
        for axis in ("x", "y"):
            self.length_row(
                form,
                f"Sheet at {axis.upper()}",
                key=lambda a=axis: f"{session.board.id}.bed_{a}",
                get=lambda a=axis: getattr(session.board, f"bed_{a}"),
                edit=lambda mm, a=axis: edits.change_board(
                    session.job, session.board.id, "Bed place", **{f"bed_{a}": mm}
                ),
                note=lambda: "on the bed",
            )
        session.setup_changed.connect(self.refresh)
        self._lies = ChoiceRow("How the board lies on the machine", [(str(k), words) for k, words in enumerate(_LIES)])
        form.row("Turned", self._lies)
        self._lies.setToolTip(
            "How far the board is turned counter-clockwise on the bed; its fields and zero's names stay the board's own"
        )
        self._lies.chosen.connect(lambda k: session.apply(setups.lie(session.job, session.board.id, int(k))))
        self._fits = form.add(label("", "caution"))
        self._machine = MachineForm(session, self.tokens)
        form.add(self._machine.form)
        form.line()
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 4, 0, 0)
        self._turn = turn = QPushButton("Turn a quarter")
        turn.setToolTip("Draw the board turned: sheet, artwork, grain and zero together, counter-clockwise")
        turn.clicked.connect(lambda: session.apply(edits.turn_quarter(session.job, session.board.id)))
        line.addWidget(turn)
        self._remove = QPushButton("Remove board")
        self._remove.clicked.connect(self._remove_board)
        line.addWidget(self._remove)
        line.addStretch(1)
        form.add(row)

    def refresh(self) -> None:
        super().refresh()
        board = self.session.board
        sheet, unit = board.sheet, self.session.job.unit
        self.corner.setText(f"{len(self.session.job.boards)} in this job" if len(self.session.job.boards) > 1 else "")
        self._name.show_text(board.name)
        for part in (*self._parts, self._machine):
            part.refresh()
        flight = board.travel_heights
        self._low.setChecked(board.heights.follows_clamps)
        self._flight.setText(
            f"The bit travels {format_length(flight.travel, unit)} {unit} above the sheet"
            + (
                f", clear of the highest clamp ({format_length(max(f.rise for f in board.fixtures), unit)})."
                if board.fixtures
                else "."
            )
        )
        self._picker.show_zero(sheet, board.zero.at)
        self._zero_words.setText(f"{board.zero.at.value.capitalize()}. Moving zero never moves the artwork.")
        self._z.show_value(board.zero.z)
        self._remove.setEnabled(len(self.session.job.boards) > 1)
        self._lies.show_value(str(board.quarter_turns))
        known = self.session.planning.plan
        tiles = known.setups if known is not None and board.tiling is not None and len(known.setups) > 1 else ()
        machine = self.session.job.machine
        self._lying.show_setups(board, machine, tiles or (only_setup(board, machine),), self.session.setup_shown)
        has_one_face = board.back_of is None and self.session.job.back_of(board.id) is None
        self._turn.setEnabled(has_one_face)
        plan = self.session.planning.plan
        out = next((f for f in plan.findings if f.code == "out-of-travel"), None) if plan is not None else None
        self._fits.setText(self.session.words_of(out) if out is not None else "")
        shown(self._fits, out is not None)

    def show_theme(self, tokens: Tokens) -> None:
        super().show_theme(tokens)
        for part in (*self._parts, self._machine):
            part.show_theme(tokens)
        self._lying.tokens = self._picker.tokens = tokens
        self._lying.update()
        self._picker.update()

    def _choose_setup(self, number: int) -> None:
        plan = self.session.planning.plan
        if plan is not None and len(plan.setups) > 1:
            self.session.show_setup(None if number < 0 else number)

    # ---- edits

    def _zero(self, **fields: object) -> Edit:
        board = self.session.board
        return edits.set_zero(self.session.job, board.id, replace(board.zero, **fields))

    def _typed_zero(self, axis: str, mm: float) -> Edit:
        x, y = self.session.board.zero.point(self.session.board.sheet)
        return self._zero(at=ZeroAt.TYPED, x=mm if axis == "x" else x, y=mm if axis == "y" else y)

    def _heights(self, name: str, mm: float | bool) -> Edit:
        board = self.session.board
        return edits.change_board(self.session.job, board.id, "Heights", heights=replace(board.heights, **{name: mm}))

    def _rename(self, text: str) -> None:
        name = text.strip() or self.session.board.name
        self.session.apply(edits.change_board(self.session.job, self.session.board.id, "Rename board", name=name[:60]))
        self.refresh()

    def _remove_board(self) -> None:
        self.session.apply(edits.remove_board(self.session.job, self.session.board.id))
