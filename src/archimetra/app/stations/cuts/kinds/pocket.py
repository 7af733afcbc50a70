"""A pocket in detail, or what clears the rest or the floor of another cut."""

from __future__ import annotations

from archimetra.app.stations.cuts.editor import Editor
from archimetra.app.stations.cuts.form_row import FormRow
from archimetra.app.stations.page import shown
from archimetra.app.widgets.cut_sketch import under_bit
from archimetra.app.widgets.fields import label
from archimetra.edits import leftovers
from archimetra.job.bits import BitKind
from archimetra.job.cut_parts import Entry, Pattern
from archimetra.job.cuts.pocket import PocketCut


class PocketEditor(Editor):
    def build(self) -> None:
        form = self.form
        self._rest_words = form.add(label("", "note"))
        self.depth_rows(form)
        self.choice(form, "Pattern", "pattern", [(Pattern.OFFSET, "Along walls"), (Pattern.RASTER, "To and fro")])
        self.number(form, "Angle", "raster_degrees", "° off the width", when=lambda c: c.pattern is Pattern.RASTER)
        self.stepover_rows(form)
        passes = self.fold("Passes and entry", self._pass_words)
        self.depth_per_pass_row(passes)
        self.direction_row(passes)
        self.choice(
            passes, "Entry", "entry",
            [(Entry.HELIX, "Helix"), (Entry.RAMP, "Ramp"), (Entry.PLUNGE, "Plunge"), (Entry.HOLE, "Hole")],
        )  # fmt: skip
        self.number(passes, "Slope", "ramp_degrees", "° of helix or ramp", when=lambda c: c.entry is not Entry.PLUNGE)
        self.check(
            passes, "Only the floor", "floor_only", tip="Visit the end depth alone: another cut has cleared above it"
        )
        finish = self.fold("Walls, floor and edges", self._finish_words)
        self.length(finish, "Wall", "wall_allowance", "for a last pass", live="finish")
        self.length(finish, "Floor", "floor_allowance", "for a last pass")
        self.number_row(
            finish,
            "Wall feed",
            get=lambda: self.cut.finish_feed or self.context.recipe.feed,
            edit=lambda v: self.edit("Wall feed", "finish_feed", v),
            note=lambda: "mm/min" if self.cut.finish_feed else "as the rest",
        )
        self.length(finish, "Scallop", "scallop", "ridges of a ball bit", when=lambda _c: self._is_ball())
        self.check(
            finish, "Run past open edges", "open_edges", tip="Where the area meets the edge of its part or the sheet"
        )
        self._add_rest = self.buttons(
            form, ("Smaller bit for the rest", "A second cut that clears only what this bit cannot reach", self._rest)
        )[0]

    def refresh(self) -> None:
        super().refresh()
        cut, board = self.cut, self.session.board
        root = board.root_cut(cut)
        is_rest = root is not cut
        if is_rest and cut.floor_of:
            self._rest_words.setText(
                f"Clears the flat floor of '{root.name}', off its sloping walls; shapes and depth are that cut's."
            )
            shown(self._rest_words, True)
            return
        self._rest_words.setText(
            f"Clears only what the bit of '{getattr(board.cut(cut.rest_of), 'name', '')}' cannot reach; shapes and depths are those of "
            f"'{root.name}'." if is_rest else ""
        )  # fmt: skip
        shown(self._rest_words, is_rest)

    def _is_ball(self) -> bool:
        return self.bit.kind in (BitKind.BALL, BitKind.TAPERED_BALL)

    def _pass_words(self, cut: PocketCut) -> str:
        return f"{self.context.pass_words()}, {cut.direction.value}, {cut.entry.value}"

    def _finish_words(self, cut: PocketCut) -> str:
        parts = []
        if cut.wall_allowance:
            parts.append(f"wall {self.length_words(cut.wall_allowance)}")
        if cut.floor_allowance:
            parts.append(f"floor {self.length_words(cut.floor_allowance)}")
        if cut.open_edges:
            parts.append("open edges")
        return ", ".join(parts) or "in one go"

    def _rest(self) -> None:
        s = self.session
        smaller = [b for b in s.job.bits if b.diameter < self.bit.diameter and b.kind is BitKind.STRAIGHT]
        if not smaller:
            self.context.tell("The job has no smaller straight bit; take one from the rack first.")
            return
        bit = max(smaller, key=lambda b: b.diameter)
        edit, new = leftovers.add_rest(s.job, self.cut.id, bit.id)
        s.apply(edit)
        s.show_cut(new)


def _words(cut: PocketCut) -> str:
    return str(cut.clears) if cut.clears is not None else "pocket"


ROW = FormRow(
    PocketCut,
    PocketEditor,
    lambda cut, bit, end: under_bit(bit, end, 1.6 * bit.diameter),
    words=_words,
    bit_at_wall=True,
)
