"""Parts: outlines with everything inside them made one thing, how many are wanted, and how they may lie."""

from __future__ import annotations

from typing import Any

from PySide6.QtWidgets import QCheckBox

from archimetra.app.session.document import sentence
from archimetra.app.stations.artwork.panel import Panel
from archimetra.app.stations.layout.part_list import PartList, lying
from archimetra.app.stations.page import shown
from archimetra.app.widgets.fields import TextField, label
from archimetra.app.widgets.form import Form
from archimetra.edits import parting
from archimetra.edits.edit import Edit
from archimetra.job.flat import instance_of
from archimetra.job.ids import PartId
from archimetra.job.parts import Part, Turning

_WAYS = {
    Turning.FIXED: "As drawn",
    Turning.HALF: "Half turns",
    Turning.QUARTER: "Quarter turns",
    Turning.STEPS: "In steps",
    Turning.ANY: "Any way",
}
BESIDE_MM = 10.0  # how far a piece that is added lies from the last


class PartsPanel(Panel):
    name, icon, tip = "Parts", "part", "What is cut out as one piece, and how many"

    def build(self) -> None:
        form = self.form
        self._shown = PartId("")
        self._hint = form.add(label("", "note"))
        (self._make,) = self.buttons(
            form,
            (
                "Make parts",
                "Each outermost outline picked, with all that is inside it, becomes a part",
                self._make_parts,
            ),
        )
        self._list = PartList()
        form.add(self._list)
        self._list.chosen.connect(self._show)
        self._body = body = Form()
        form.add(body)
        body.line()
        self._name = TextField("Part name")
        body.row("Name", self._name)
        self._name.entered.connect(lambda text: self._change("Rename part", name=text.strip()[:50] or self.part.name))
        self._quantity = self.number_row(
            body, "Quantity", get=lambda: self.part.quantity, edit=lambda v: self._edit("Quantity", quantity=round(v)),
            note=lambda: f"{lying(self.session.job, self.part)} on boards",
        )  # fmt: skip
        self._turning = self.combo_row(body, "May turn", lambda k: self._change("Turning", turning=list(_WAYS)[k]))
        for words in _WAYS.values():
            self._turning.addItem(words)
        self._step = self.number_row(
            body,
            "Step",
            get=lambda: self.part.step_degrees,
            edit=lambda v: self._edit("Step", step_degrees=v),
            note=lambda: "°",
        )
        self._grain = QCheckBox("Keep along the grain")
        self._grain.setToolTip("Only half turns: the part's grain lies as the sheet's")
        self._grain.clicked.connect(lambda on: self._change("Grain", follows_grain=on))
        body.add(self._grain)
        self._flip = QCheckBox("May be turned over")
        self._flip.setToolTip("Mirrored pieces, where that fills the sheet better")
        self._flip.clicked.connect(lambda on: self._change("Turning over", may_flip=on))
        body.add(self._flip)
        self.number_row(
            body, "Priority", get=lambda: self.part.priority, edit=lambda v: self._edit("Priority", priority=round(v)),
            note=lambda: "0 is placed first",
        )  # fmt: skip
        self._add, self._own, self._apart = self.buttons(
            body,
            ("Add a piece", "One more of it on this board, beside the last", self._add_piece),
            ("Make its own", "The picked pieces no longer follow the part", self._make_own),
            ("Take apart", "Plain shapes again, where the pieces lie", self._take_apart),
        )
        self.buttons(
            body,
            ("Engrave its name", "The part's name, small, on every piece of it", lambda: self._engrave([self.part.id])),
            (
                "Engrave all names",
                "On every piece of every part",
                lambda: self._engrave([p.id for p in self.session.job.parts]),
            ),
        )

    def _engrave(self, parts: list[PartId]) -> None:
        from archimetra.edits.labelling import engrave_names

        def make() -> Edit:
            edit, without = engrave_names(self.session.job, self.session.board.id, parts)
            if without:
                self.session.said.emit("note", f"No room for a name on {', '.join(without)}.")
            return edit

        self.run(make)

    @property
    def part(self) -> Part:
        part = self.session.job.part(self._shown)
        if part is None and self.session.job.parts:
            part = self.session.job.parts[0]
        assert part is not None  # rows are only asked while there are parts
        return part

    def refresh(self) -> None:
        s = self.session
        picked = {instance_of(id_) for id_ in s.picked} - {""}
        free = [id_ for id_ in s.picked if not instance_of(id_)]
        of_picked = [piece.part for piece in s.board.instances if piece.id in picked]
        if of_picked and s.job.part(of_picked[-1]) is not None:
            self._shown = of_picked[-1]
        has_parts = bool(s.job.parts)
        if has_parts:
            self._shown = self.part.id
        self._hint.setText(
            "Pick outlines on the plan, each with all that is to be cut in it, and make them parts."
            if not has_parts
            else "A change to one piece changes all of its part. Moved as a whole, a piece moves alone."
        )
        self._make.setEnabled(bool(free))
        self._list.show_parts(s, self._shown, self.tokens)
        shown(self._list, has_parts)
        shown(self._body, has_parts)
        if not has_parts:
            return
        part = self.part
        self._name.show_text(part.name)
        self._turning.setCurrentIndex(list(_WAYS).index(part.turning))
        self._grain.setChecked(part.follows_grain)
        self._flip.setChecked(part.may_flip)
        is_in_steps = part.turning is Turning.STEPS and not part.follows_grain
        shown(self._step, is_in_steps)
        shown(self._step.property("label"), is_in_steps)
        self._own.setEnabled(bool(of_picked))
        super().refresh()

    def _show(self, part: PartId) -> None:
        """Show a part, and pick its pieces on this board."""
        self._shown = part
        s = self.session
        own = {piece.id for piece in s.board.instances if piece.part == part}
        s.pick(tuple(shape.id for shape in s.board.shapes if instance_of(shape.id) in own and instance_of(shape.id)))
        self.refresh()

    def _edit(self, label_: str, **fields: Any) -> Edit:
        return parting.change_part(self.session.job, self.part.id, label_, **fields)

    def _change(self, label_: str, **fields: Any) -> None:
        try:
            self.session.apply(self._edit(label_, **fields))
        except ValueError as error:
            self.say_problem(sentence(str(error)))

    # ---- what the buttons do

    def _make_parts(self) -> None:
        s = self.session
        made: list[PartId] = []

        def make() -> Edit:
            edit, ids = parting.make_parts(s.job, s.board.id, [id_ for id_ in s.picked if not instance_of(id_)])
            made.extend(ids)
            return edit

        if self.run(make):
            self._show(made[0])

    def _add_piece(self) -> None:
        s, part = self.session, self.part
        last = next((piece for piece in reversed(s.board.instances) if piece.part == part.id), None)
        x, y = (last.x + BESIDE_MM, last.y + BESIDE_MM) if last is not None else (BESIDE_MM, BESIDE_MM)
        degrees, mirrored = (last.degrees, last.mirrored) if last is not None else (0.0, False)
        edit, (piece,) = parting.add_pieces(s.job, s.board.id, part.id, [(x, y, degrees, mirrored)])
        s.apply(edit)
        s.pick(tuple(shape.id for shape in s.board.shapes if instance_of(shape.id) == piece))

    def _make_own(self) -> None:
        s = self.session
        pieces = parting.pieces_picked(s.board, s.picked)
        self.run(lambda: parting.make_own(s.job, s.board.id, pieces)[0])

    def _take_apart(self) -> None:
        s, part = self.session, self.part.id
        self.run(lambda: parting.take_apart(s.job, part))
