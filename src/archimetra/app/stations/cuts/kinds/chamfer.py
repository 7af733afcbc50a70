"""A chamfer in detail."""

from __future__ import annotations

from math import radians, tan

from PySide6.QtWidgets import QLabel

from archimetra.app.stations.cuts.editor import Editor, show_row
from archimetra.app.stations.cuts.form_row import FormRow
from archimetra.app.widgets.cut_sketch import Outline, under_bit
from archimetra.app.widgets.fields import label
from archimetra.job.bits import Bit, BitKind
from archimetra.job.cut_parts import Entry, Side
from archimetra.job.cuts.chamfer import ChamferCut


class ChamferEditor(Editor):
    def build(self) -> None:
        form = self.form
        self.side = self.choice(
            form, "Edge of", "side", [(Side.OUTSIDE, "Part"), (Side.INSIDE, "Opening"), (Side.ON, "Both")]
        )
        self.open_side = self.choice(
            form, "Edge", "side", [(Side.LEFT, "Right"), (Side.ON, "Both"), (Side.RIGHT, "Left")]
        )
        self.length(form, "Bevel width", "width", lambda: "on the face" if self.cut.width else "0: by its depth")
        self.length(
            form, "Start depth", "start_depth", lambda: "" if self.cut.start_depth else "sheet top", live="start"
        )
        self.length(form, "End depth", "end_depth", "of the bevel", when=lambda c: c.width <= 0)
        self.length(form, "Tip past it", "past", "below the bevel", when=lambda c: not c.is_on_line)
        self._comes: QLabel = form.add(label("", "note"))
        passes = self.fold(
            "Passes and entry", lambda c: f"{self.context.pass_words()}, {c.direction.value}, {c.entry.value}"
        )
        self.depth_per_pass_row(passes)
        self.direction_row(passes)
        self.choice(passes, "Entry", "entry", [(Entry.PLUNGE, "Plunge"), (Entry.RAMP, "Ramp")])
        self.number(passes, "Ramp", "ramp_degrees", "° along path", when=lambda c: c.entry is Entry.RAMP)
        self.check(passes, "Keep the order of the shapes", "keeps_order")

    def refresh(self) -> None:
        super().refresh()
        cut, bit = self.cut, self.bit
        shapes = self.session.board.shapes_of(cut)
        is_open = bool(shapes) and all(not shape.is_closed for shape in shapes)
        show_row(self.side, not is_open)
        show_row(self.open_side, is_open)
        if bit.kind is not BitKind.VEE:
            self._comes.setText("A chamfer needs a V bit.")
            return
        bevel = cut.bevel(bit)
        beside = f", the tip {self.length_words(bevel.beside)} beside the edge" if bevel.beside > 0 else ""
        self._comes.setText(
            f"The bevel comes out {self.length_words(bevel.width)} wide and {self.length_words(bevel.depth)} deep, at "
            f"{bit.angle / 2:g}° to the upright{beside}."
        )


def _outline(cut: ChamferCut, bit: Bit, end: float) -> Outline:
    """The bevel on one edge, or the groove of both."""
    if bit.kind is not BitKind.VEE or cut.is_on_line:
        return under_bit(bit, end)
    slope = tan(radians(bit.angle / 2))
    tip, half = end - cut.start_depth, bit.tip_flat / 2
    wide = half + tip * slope
    return [(-wide, 0.0), (-half, end), (half, end), (wide, 0.0)]


ROW = FormRow(ChamferCut, ChamferEditor, _outline, words=lambda cut: "chamfer")
