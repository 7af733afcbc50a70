"""Fit: one part in rows and columns over the sheet, counted and shown while the numbers change."""

from __future__ import annotations

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QCheckBox

from archimetra.app.stations.artwork.panel import Panel
from archimetra.app.stations.bindings import TypedNumber
from archimetra.app.stations.page import shown
from archimetra.app.widgets.fields import label
from archimetra.app.widgets.form import Form
from archimetra.app.widgets.later import Later
from archimetra.job.ids import PartId
from archimetra.job.parts import Part
from archimetra.job.quantities import format_length
from archimetra.layout.fit import Fitted, fit, with_less_spacing
from archimetra.layout.spacing import proposed_spacing

MARGIN_MM = 10.0
_PAUSE_MS = 30  # after the last change
Better = tuple[float, int]


class FitPanel(Panel):
    name, icon, tip = "Fit", "grid-dots", "One part in rows and columns: how many fit"

    def build(self) -> None:
        form = self.form
        self._hint = form.add(label("", "note"))
        self._body = body = Form()
        form.add(body)
        body.gap(4)
        self._part = PartId("")
        self._choice = self.combo_row(body, "Part", self._choose)
        self._spacing = TypedNumber(0.0, 0.0, 500.0)
        self._is_own = False  # the spacing was typed; until then it follows the bits
        self.typed_row(body, "Spacing", self._spacing)
        self._why = body.add(label("", "note"))
        self._spacing.on_change(self._typed_spacing)
        self._margin = TypedNumber(MARGIN_MM, 0.0, 500.0)
        self.typed_row(body, "Edge margin", self._margin)
        self._margin.on_change(self.refresh)
        self._staggered, self._centred = QCheckBox("Staggered rows"), QCheckBox("Centred on the sheet")
        for box, tip in (
            (self._staggered, "Every other row moved by half a place"),
            (self._centred, "As much left on every side; else from the front left"),
        ):
            box.setToolTip(tip)
            box.clicked.connect(lambda _on: self.refresh())
            body.add(box)
        body.line()
        self._words = body.add(label("", "heading"))
        self._words.setWordWrap(True)
        self._more = body.add(label("", "note"))
        (self._lay,) = self.buttons(
            body, ("Lay them out", "Pieces of the part on this board, in place of those that lie there", self._lay_out)
        )
        self._found: Fitted | None = None
        self._for: object = None
        self._is_open = False
        self._timer = QTimer(form)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_PAUSE_MS)
        self._timer.timeout.connect(self._work_out)
        self._later = Later(form, "fit")

    @property
    def part(self) -> Part | None:
        return self.session.job.part(self._part)

    def opened(self) -> None:
        self._is_open, self._for = True, None
        self.refresh()

    def closed(self) -> None:
        self._is_open = False
        self._later.forget()
        self.session.show_fitted(None)

    def refresh(self) -> None:
        job = self.session.job
        self._hint.setText("There are no parts yet. Make them under Parts.")
        shown(self._hint, not job.parts)
        shown(self._body, bool(job.parts))
        if not job.parts:
            self.session.show_fitted(None)
            return
        if self.part is None:
            self._part = job.parts[0].id
        names = [part.name for part in job.parts]
        if names != [self._choice.itemText(k) for k in range(self._choice.count())]:
            self._choice.clear()
            self._choice.addItems(names)
        self._choice.setCurrentIndex([part.id for part in job.parts].index(self._part))
        if not self._is_own and self.part is not None:
            self._spacing.value = proposed_spacing(job, [self.part])
        self._why.setText("" if self._is_own else "The widest bit that cuts it out, and a web of 2 mm.")
        shown(self._why, not self._is_own)
        super().refresh()
        board = self.session.board
        wanted = (
            job.parts, job.cuts, job.bits, board.sheet, board.fixtures, board.instances, board.id, self._part, self._spacing.value,
            self._margin.value, self._staggered.isChecked(), self._centred.isChecked(),
        )  # fmt: skip
        if self._is_open and wanted != self._for:
            self._for = wanted
            self._timer.start()

    def _choose(self, k: int) -> None:
        self._part = self.session.job.parts[k].id
        self.refresh()

    def _typed_spacing(self) -> None:
        self._is_own = True
        self.refresh()

    def _work_out(self) -> None:
        from archimetra.layout.of_job import fit_asked

        s, part = self.session, self.part
        if part is None or not self._is_open:
            return
        asked = fit_asked(
            s.job, s.board, part, spacing=self._spacing.value, margin=self._margin.value, is_staggered=self._staggered.isChecked(),
            is_centred=self._centred.isChecked(),
        )  # fmt: skip
        found = self._found = fit(asked)
        s.show_fitted([(part.id, place) for place in found.places])
        self._words.setText(self._fit_words(found))
        self._more.setText("")
        shown(self._more, False)
        self._lay.setEnabled(found.count > 0)

        self._later.ask(lambda: with_less_spacing(asked, found), self._take_better)

    def _fit_words(self, found: Fitted) -> str:
        if not found.columns:
            return "None fits on this sheet with these margins."
        turned = f", turned {found.degrees:g}°" if found.degrees else ""
        taken = found.columns * found.rows - found.count if not self._staggered.isChecked() else 0
        beside = f" {taken} places are taken by what else is there." if taken > 0 else ""
        return f"{found.count} fit: {found.columns} columns, {found.rows} rows{turned}.{beside}"

    def _take_better(self, better: Better | None) -> None:
        unit = self.session.job.unit
        self._more.setText(
            f"{better[1]} if they were {format_length(better[0], unit)} {unit} apart." if better is not None else ""
        )
        shown(self._more, better is not None)

    def _lay_out(self) -> None:
        from archimetra.layout.of_job import fitted

        found, part = self._found, self.part
        if found is not None and part is not None:
            self.session.show_fitted(None)
            self.session.apply(fitted(self.session.job, self.session.board, part.id, found))
