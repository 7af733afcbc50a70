"""Facing in detail."""

from __future__ import annotations

from archimetra.app.stations.cuts.editor import Editor
from archimetra.app.stations.cuts.form_row import FormRow
from archimetra.app.widgets.fields import label
from archimetra.job.cuts.facing import FacingCut, FacingPattern


class FacingEditor(Editor):
    def build(self) -> None:
        form = self.form
        self._what = form.add(label("", "note"))
        self.length(form, "Target", "target", self._target_note)
        # there is no second face to take the other half from yet: only where an older job asks for it can it be taken back
        self.check(form, "Half from each face", "is_split", tip="The other half is taken from the other face",
                   when=lambda c: c.target > 0 and c.is_split)  # fmt: skip
        self.length(form, "Take off", "end_depth", "by hand", when=lambda c: c.target <= 0, live="end")
        self.choice(
            form, "Pattern", "pattern", [(FacingPattern.RASTER, "To and fro"), (FacingPattern.SPIRAL, "Inwards")]
        )
        self.number(
            form, "Angle", "raster_degrees", "° off the width", when=lambda c: c.pattern is FacingPattern.RASTER
        )
        self.length(form, "Run past", "run_past", "past every edge")
        self.stepover_rows(form)
        passes = self.fold("Passes", lambda c: f"{self.context.pass_words()}, {c.direction.value}")
        self.depth_per_pass_row(passes)
        self.direction_row(passes)

    def refresh(self) -> None:
        super().refresh()
        sheet, depth = self.context.sheet, self.context.depth
        what = "The whole sheet" if self.cut.takes_whole_sheet else "The areas of its shapes"
        self._what.setText(
            f"{what}: {self.length_words(depth)} off, {self.length_words(sheet.thickest - depth)} thick after it. Later cuts count "
            "their depths from the new face."
        )

    def _target_note(self) -> str:
        return "thick at the end" if self.cut.target else "0: by hand"


ROW = FormRow(FacingCut, FacingEditor, lambda cut, bit, end: [], words=lambda cut: "facing")
