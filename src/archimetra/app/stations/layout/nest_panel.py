"""Nest: all parts onto the sheets of boards, better and better while one watches; kept or dropped."""

from __future__ import annotations

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QCheckBox

from archimetra.app.stations.artwork.panel import Panel, clear_rows
from archimetra.app.stations.bindings import TypedNumber
from archimetra.app.stations.page import shown
from archimetra.app.widgets.fields import label, show_kind
from archimetra.app.widgets.form import Form
from archimetra.engine.messages import NestSettings
from archimetra.job.ids import BoardId
from archimetra.job.quantities import Unit, format_length
from archimetra.layout.spacing import proposed_spacing
from archimetra.layout.suiting import suited
from archimetra.output.times import clock

MARGIN_MM = 10.0


class NestPanel(Panel):
    name, icon, tip = "Nest", "nest", "All parts onto sheets, by their true shapes"

    def build(self) -> None:
        form, nesting = self.form, self.session.nesting
        self._hint = form.add(label("", "note"))
        self._body = body = Form()
        form.add(body)
        body.gap(4)
        self._wanted = body.heading("Sheets")
        self._sheets = body.add(Form())
        self._switched: dict[BoardId, bool] = {}  # sheets a person took or left; the others are taken where they suit
        self._rows: list[tuple[BoardId, str]] = []
        self._state: object = None
        body.line()
        self._spacing = TypedNumber(0.0, 0.0, 500.0)
        self._is_own = False  # the spacing was typed; until then it follows the bits
        self.typed_row(body, "Spacing", self._spacing)
        self._spacing.on_change(self._typed_spacing)
        self._why = body.add(label("", "note"))
        self._shares = QCheckBox("Edges side by side share a cut")
        self._shares.setToolTip("Parts lie one bit apart; straight edges that run along each other are cut once")
        self._shares.clicked.connect(lambda _on: self._follow_bits())
        body.add(self._shares)
        self._margin = TypedNumber(MARGIN_MM, 0.0, 500.0)
        self.typed_row(body, "Edge margin", self._margin)
        (self._nest, self._stop) = self.buttons(
            body,
            ("Nest all parts", "Lay them out; it goes on getting better until it is stopped", self._start),
            ("Stop", "End with the best layout found", nesting.stop),
        )
        self._nest.setProperty("kind", "primary")
        self._result = result = Form()
        body.add(result)
        result.line()
        self._head = result.heading("Best so far")
        self._words = result.add(label(""))
        self._left = result.add(label("", "caution"))
        (self._keep, self._drop) = self.buttons(
            result,
            ("Keep", "Lay the pieces like this, in place of those on these boards", nesting.keep),
            ("Drop", "Leave the boards as they are", nesting.drop),
        )
        self._trouble = body.add(label("", "stop"))
        self._tick = QTimer(self.form)
        self._tick.setInterval(500)
        self._tick.timeout.connect(self._show_state)
        nesting.changed.connect(self._show_state)

    def opened(self) -> None:
        self.session.nesting.get_ready()

    def refresh(self) -> None:
        job = self.session.job
        has_parts = bool(job.parts)
        self._hint.setText("There are no parts yet. Make them under Parts.")
        shown(self._hint, not has_parts)
        shown(self._body, has_parts)
        if not has_parts:
            return
        pieces = sum(part.quantity for part in job.parts)
        self._wanted.setText(f"for {pieces} piece{'' if pieces == 1 else 's'}")
        rows = [(board.id, self._sheet_words(board.id)) for board in job.boards]
        state = (rows, suited(job, self.session.board.id))
        if state != self._state:
            self._rows, self._state = rows, state
            self._make_sheets()
        if not self._is_own:
            self._spacing.value = proposed_spacing(job, job.parts, shares_edges=self._shares.isChecked())
        web = "" if self._shares.isChecked() else ", and a web of 2 mm"
        self._why.setText("" if self._is_own else f"The widest bit that cuts parts out{web}.")
        shown(self._why, not self._is_own)
        super().refresh()
        self._show_state()

    def _sheet_words(self, id_: BoardId) -> str:
        board = self.session.job.board(id_)
        assert board is not None
        unit = self.session.job.unit
        sheet = board.sheet
        size = f"{format_length(sheet.width, unit)} x {format_length(sheet.height, unit)} {unit}"
        return f"{board.name}: {size}, {sheet.material.value}"

    def _make_sheets(self) -> None:
        clear_rows(self._sheets)
        taken = self._taken()
        for id_, words in self._rows:
            box = QCheckBox(words)
            box.setChecked(id_ in taken)
            box.setToolTip("Use this sheet; they are filled in this order")
            box.clicked.connect(lambda on, i=id_: self._switch(i, on))
            self._sheets.add(box)

    def _switch(self, id_: BoardId, on: bool) -> None:
        self._switched[id_] = on
        self._show_state()

    def _taken(self) -> tuple[BoardId, ...]:
        """The sheets to nest on: those chosen, and of the others those that suit."""
        suits = set(suited(self.session.job, self.session.board.id))
        return tuple(id_ for id_, _ in self._rows if self._switched.get(id_, id_ in suits))

    def _follow_bits(self) -> None:
        self._is_own = False
        self.refresh()

    def _typed_spacing(self) -> None:
        self._is_own = True
        self.refresh()

    def _start(self) -> None:
        settings = NestSettings(self._spacing.value, self._margin.value, shares_edges=self._shares.isChecked())
        self.session.nesting.start(self._taken(), settings)

    def _show_state(self) -> None:
        nesting = self.session.nesting
        self._nest.setEnabled(not nesting.is_running and bool(self._taken()))
        self._stop.setEnabled(nesting.is_running)
        self._tick.start() if nesting.is_running else self._tick.stop()
        best = nesting.best
        shown(self._result, nesting.is_running or best is not None)
        self._head.setText(clock(nesting.seconds) if nesting.is_running or best is not None else "")
        self._words.setText(self._best_words() if best is not None else "Looking for the first layout ...")
        left = self._left_words()
        self._left.setText(left)
        show_kind(self._left, "caution")
        shown(self._left, bool(left))
        self._keep.setEnabled(best is not None and bool(best.nested.placements))
        self._drop.setEnabled(best is not None or nesting.is_running)
        self._trouble.setText(nesting.problem)
        shown(self._trouble, bool(nesting.problem))

    def _best_words(self) -> str:
        best = self.session.nesting.best
        assert best is not None
        nested, unit = best.nested, self.session.job.unit
        if not nested.placements:
            return "No piece has room on these sheets."
        sheets = f"{nested.sheets_used} sheet{'' if nested.sheets_used == 1 else 's'}"
        return (
            f"{len(nested.placements)} pieces on {sheets}, the last up to {format_length(nested.used_to, unit, decimals=2 if unit is Unit.INCH else 0)} {unit}.\n"
            f"{nested.filled:.1%} of what is used becomes parts."
        )

    def _left_words(self) -> str:
        best, job = self.session.nesting.best, self.session.job
        if best is None:
            return ""
        names = [
            f"{count} of '{part.name}'"
            for id_, count in zip(best.parts, best.nested.left_out, strict=True)
            if count and (part := job.part(id_)) is not None
        ]
        return f"No room for {', '.join(names)}." if names else ""
