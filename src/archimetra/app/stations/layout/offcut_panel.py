"""Offcut: what is left of the sheet in one piece, kept as a sheet for other boards or written for other jobs."""

from __future__ import annotations

from PySide6.QtWidgets import QFileDialog

from archimetra.app.stations.artwork.panel import Panel
from archimetra.app.stations.bindings import TypedNumber
from archimetra.app.stations.page import shown
from archimetra.app.widgets.fields import label
from archimetra.app.widgets.form import Form
from archimetra.app.widgets.later import Later
from archimetra.base.errors import ArchimetraError
from archimetra.job.quantities import format_length
from archimetra.layout.offcut import NARROWEST_MM, Offcut, faced, offcut_of


class OffcutPanel(Panel):
    name, icon, tip = "Offcut", "offcut", "What is left of the sheet, to be used again"

    def build(self) -> None:
        form = self.form
        form.gap(4)
        self._narrowest = TypedNumber(NARROWEST_MM, 1.0, 1000.0)
        self.typed_row(form, "No arm below", self._narrowest)
        self._narrowest.on_change(self._look)
        form.add(label("What is narrower than this is not worth keeping.", "note"))
        form.line()
        self._words = form.add(label("", "heading"))
        self._words.setWordWrap(True)
        self._more = form.add(label("", "note"))
        self._body = body = Form()
        form.add(body)
        self.buttons(
            body,
            ("Keep as a board", "A new board behind this one, on a sheet with this outline", self._keep),
            ("Write it ...", "Its outline as SVG or DXF, for another job", self._write),
        )
        self._later = Later(form, "offcut")
        self._found: Offcut | None = None
        self._for: object = None
        self._is_open = False
        self.session.planning.planned.connect(self._plan_came)

    def opened(self) -> None:
        self._is_open, self._for = True, None
        self._look()

    def closed(self) -> None:
        self._is_open, self._found = False, None
        self._later.forget()
        self.session.show_fitted(None)

    def refresh(self) -> None:
        super().refresh()
        self._look()

    def _plan_came(self) -> None:
        self._look()

    def _look(self) -> None:
        """Work out what is left, if it is not known for just this."""
        s = self.session
        plan = s.planning.plan
        if not self._is_open:
            return
        wanted = (s.board, plan.run if plan is not None else None, self._narrowest.value)
        if self._for is not None and all(a is b for a, b in zip(wanted, self._for, strict=True)):  # type: ignore[call-overload]
            return
        self._for, self._found = wanted, None
        shown(self._body, False)
        shown(self._more, False)
        s.show_fitted(None)
        if plan is None or s.planning.is_planning:
            self._words.setText("Waiting for the plan ...")
            self._for = None
            return
        self._words.setText("Looking at what is left ...")
        board, run, bits, narrowest = s.board, plan.run, s.job.bits, self._narrowest.value
        self._later.ask(lambda: offcut_of(board, run, bits, narrowest=narrowest), self._show)

    def _show(self, found: Offcut | None) -> None:
        if not self._is_open:
            return
        self._found = found
        shown(self._body, found is not None)
        if found is None:
            self._words.setText("Nothing is left that is wide enough.")
            return
        unit = self.session.job.unit
        x0, y0, x1, y1 = found.region.bounds
        self._words.setText(
            f"{found.share:.0%} of the sheet: {format_length(x1 - x0, unit)} x {format_length(y1 - y0, unit)} {unit}"
        )
        further = f"{found.others} further piece{'s are' if found.others > 1 else ' is'} left beside it."
        self._more.setText(further if found.others else "")
        shown(self._more, bool(found.others))
        self.session.show_fitted(None, outlines=found.outline)

    def _keep(self) -> None:
        from archimetra.edits.sheets import keep_offcut

        s, found = self.session, self._found
        if found is None:
            return
        thinner = faced(s.board)
        edit, new = keep_offcut(s.job, s.board.id, found.region, found.outline, thinner=thinner)
        s.show_fitted(None)
        s.apply(edit)
        s.show_board(new)

    def _write(self) -> None:
        from archimetra.output.artwork_file import write_outline

        found = self._found
        if found is None:
            return
        start = f"{self.session.board.name} offcut.svg"
        name, _ = QFileDialog.getSaveFileName(self.form, "Write the offcut", start, "SVG (*.svg);;DXF (*.dxf)")
        if not name:
            return
        from pathlib import Path as FilePath

        try:
            write_outline(FilePath(name), found.outline, title=f"Offcut of {self.session.board.name}")
        except ArchimetraError as error:
            self.say_problem(str(error))
            return
        self.session.said.emit("note", f"The offcut is in {FilePath(name).name}.")
