"""Line engraving in detail."""

from __future__ import annotations

from PySide6.QtWidgets import QLabel

from archimetra.app.stations.cuts.editor import Editor
from archimetra.app.stations.cuts.form_row import FormRow, under_bit_at
from archimetra.app.widgets.fields import label
from archimetra.job.cut_parts import Entry
from archimetra.job.cuts.engrave import EngraveCut


class EngraveEditor(Editor):
    def build(self) -> None:
        form = self.form
        self.depth_rows(form, can_go_through=False)
        self._width: QLabel = form.add(label("", "note"))
        passes = self.fold("Passes and entry", lambda c: f"{self.context.pass_words()}, {c.entry.value}")
        self.depth_per_pass_row(passes)
        self.choice(passes, "Entry", "entry", [(Entry.PLUNGE, "Plunge"), (Entry.RAMP, "Ramp")])
        self.number(passes, "Ramp", "ramp_degrees", "° along path", when=lambda c: c.entry is Entry.RAMP)
        self.direction_row(passes)
        self.check(passes, "Keep the order of the shapes", "keeps_order")

    def refresh(self) -> None:
        super().refresh()
        wide = self.bit.width_at(self.context.depth - self.cut.start_depth)
        self._width.setText(f"The line comes out {self.length_words(wide)} wide.")


ROW = FormRow(EngraveCut, EngraveEditor, under_bit_at, words=lambda cut: "engraving")
