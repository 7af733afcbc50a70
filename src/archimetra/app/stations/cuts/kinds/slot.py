"""An undercut slot in detail."""

from __future__ import annotations

from PySide6.QtWidgets import QPushButton

from archimetra.app.stations.cuts.editor import Editor
from archimetra.app.stations.cuts.form_row import FormRow
from archimetra.app.stations.page import shown
from archimetra.app.widgets.cut_sketch import Outline, mirrored, under_bit
from archimetra.app.widgets.fields import label
from archimetra.edits import cutting
from archimetra.job.bits import UNDERCUTS, Bit, BitKind
from archimetra.job.cut_parts import Entry
from archimetra.job.cuts.engrave import EngraveCut
from archimetra.job.cuts.slot import SlotCut


class SlotEditor(Editor):
    def build(self) -> None:
        form = self.form
        self.depth_rows(form, can_go_through=False)
        self._how = form.add(label("", "note"))
        self.groove: QPushButton = self.buttons(
            form, ("Add relief groove", "A straight bit first, so that the undercut bit only widens it", self._groove)
        )[0]

    def refresh(self) -> None:
        super().refresh()
        bit = self.bit
        own_way = bit.kind is BitKind.KEYHOLE and bit.can_plunge
        self._how.setText(
            "In at the line's begin, along it, back and out where it came in." if own_way
            else "In and out where it is open: past the sheet's edge, or in a hole or pocket cut before."
        )  # fmt: skip
        shown(self.groove, bit.kind is not BitKind.KEYHOLE)

    def _groove(self) -> None:
        s, cut = self.session, self.cut
        fitting = [b for b in s.job.bits if b.kind is BitKind.STRAIGHT and b.diameter <= self.bit.neck]
        if not fitting:
            self.context.tell(
                f"The job has no straight bit up to {self.length_words(self.bit.neck)}; take one from the rack first."
            )
            return
        made = cutting.new_cut(
            s.job, s.board.id, EngraveCut, cut.shapes, bit=max(fitting, key=lambda b: b.diameter).id, layer=cut.layer,
            name=f"{cut.name}, groove", end_depth=round(max(self.context.depth - 0.2, 0.2), 2), entry=Entry.RAMP,
        )  # fmt: skip
        s.apply(cutting.add_cut(s.job, s.board.id, made, "Add relief groove"))


def _outline(cut: SlotCut, bit: Bit, end: float) -> Outline:
    if bit.kind not in UNDERCUTS:
        return under_bit(bit, end)
    neck, head = bit.neck / 2, min(bit.head_height, end)
    shoulder = neck if bit.kind is BitKind.DOVETAIL else bit.radius
    return mirrored([(-neck, 0.0), (-neck, end - head), (-shoulder, end - head), (-bit.radius, end)])


ROW = FormRow(SlotCut, SlotEditor, _outline, words=lambda cut: "slot", shows_passes=False)
