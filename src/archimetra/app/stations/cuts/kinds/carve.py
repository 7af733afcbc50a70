"""The V-carve in detail: how deep it may go, what clears its floor, and what other bits would make of it."""

from __future__ import annotations

import numpy as np
from PySide6.QtWidgets import QCheckBox, QMenu, QPushButton

from archimetra.app.stations.artwork.panel import clear_rows
from archimetra.app.stations.cuts.editor import Editor
from archimetra.app.stations.cuts.form_row import FormRow, under_bit_at
from archimetra.app.stations.page import shown
from archimetra.app.widgets.fields import label
from archimetra.app.widgets.form import Form
from archimetra.base.findings import worded
from archimetra.edits import leftovers
from archimetra.engine.messages import BitsCompared, CompareRequest
from archimetra.job.bits import CARVING_KINDS, FLAT_BOTTOMED, Bit
from archimetra.job.cuts.carve import CarveCut
from archimetra.job.quantities import format_length, lengths_in
from archimetra.output.times import clock

DEFAULT_LIMIT = 5.0
MOST_COMPARED = 4


class CarveEditor(Editor):
    def build(self) -> None:
        form = self.form
        self._reach = form.add(label("", "note"))
        self.length(
            form, "Start depth", "start_depth", lambda: "" if self.cut.start_depth else "sheet top", live="start",
            when=lambda c: c.mating is None,
        )  # fmt: skip
        self._limited = QCheckBox("Depth limit with a flat floor")
        self._limited.setToolTip(
            "Without it strokes go as deep as they are wide, as far as the bit and the sheet allow"
        )
        self._limited.clicked.connect(self._limit)
        form.add(self._limited)
        self._gates.append((self._limited, lambda c: c.mating is None))
        self._limit_field = self.length(
            form, "Limit", "end_depth", self._limit_note, live="end", when=lambda c: c.has_limit and c.mating is None
        )
        self._floor_form = form.add(Form())
        self._floor_words = self._floor_form.add(label("", "note"))
        self._floor_buttons: list[QPushButton] = self.buttons(
            self._floor_form,
            ("Straight bit for the floor …", "It clears the floor before, as far as it reaches", self._add_floor),
        )
        self.length(self._floor_form, "Ridges up to", "cusp", "on its own floor")
        passes = self.fold("Passes and lines", lambda c: f"{self._pass_words()}{', lines' if c.line_width else ''}")
        self.depth_per_pass_row(passes)
        self.length(passes, "Open lines", "line_width", lambda: "wide" if self.cut.line_width else "0: left out")
        self.length(
            passes,
            "Mark thin",
            "least_standing",
            lambda: "what stands" if self.cut.least_standing else "0: not looked for",
        )
        self._compare_form = self.fold("Compare bits", lambda _c: self._compared_words())
        self._trials = self._compare_form.add(Form())
        self.buttons(
            self._compare_form,
            ("Compare", "Plan this carving with the other carving bits of the job as well", self._compare),
        )
        self._compared: BitsCompared | None = None
        self._shown: object = None
        self.session.bits_compared.connect(self._take_compared)

    def refresh(self) -> None:
        super().refresh()
        cut: CarveCut = self.cut
        self._limited.setChecked(cut.has_limit)
        self._reach.setText(self._reach_words())
        floors = leftovers.floors_of(self.session.board, cut)
        names = [bit.name for f in floors if f.is_on and (bit := self.session.job.bit(f.bit)) is not None]
        if names:
            self._floor_words.setText(f"Its floor is cleared by {' and '.join(names)} before; the rest by this bit.")
        else:
            self._floor_words.setText("Where strokes are wider, this bit clears the floor alone, in narrow rows.")
        self._floor_buttons[0].setText("Finer bit for the floor …" if names else "Straight bit for the floor …")
        shown(self._floor_form, cut.has_limit or cut.mating is not None or bool(floors))
        self._show_trials()

    # ---- words

    def _deepest(self) -> float:
        plan = self.session.planning.plan
        path = (
            next((p.toolpath for p in plan.cuts if p.toolpath.cut == self.cut.id), None) if plan is not None else None
        )
        return float(-np.min(path.xyz[:, 2])) if path is not None and len(path) else 0.0

    def _reach_words(self) -> str:
        deep = self._deepest()
        if deep <= 0:
            return ""
        stays = self.context.sheet.thinnest - deep
        return (
            f"Goes {self.length_words(deep)} deep at its deepest; {self.length_words(max(stays, 0.0))} stay under it."
        )

    def _limit_note(self) -> str:
        width = self.bit.width_at(max(self.cut.end_depth - self.cut.start_depth, 0.0))
        return f"from {format_length(width, self.session.job.unit)} wide"

    def _pass_words(self) -> str:
        return f"up to {self.length_words(self.context.recipe.depth_per_pass)} a pass"

    # ---- intents

    def _limit(self, is_on: bool) -> None:
        cone = self.bit.rise_at(self.bit.radius)
        deepest = round(min(DEFAULT_LIMIT, cone, self.context.sheet.thinnest / 2), 1)
        self.set("Depth limit", "end_depth", self.cut.start_depth + deepest if is_on else 0.0)

    def _add_floor(self) -> None:
        s, cut = self.session, self.cut
        floors = leftovers.floors_of(s.board, cut)
        used = {f.bit for f in floors}
        finest = min((bit.diameter for f in floors if (bit := s.job.bit(f.bit)) is not None), default=1e9)
        choices = [b for b in s.job.bits if b.kind in FLAT_BOTTOMED and b.id not in used and b.diameter < finest]
        if not choices:
            self.context.tell("The job has no straight bit for it; take one from the rack first, on the Bits page.")
            return
        if len(choices) == 1:
            self.add_floor(choices[0])
            return
        menu = QMenu(self._floor_buttons[0])
        for bit in sorted(choices, key=lambda b: -b.diameter):
            menu.addAction(bit.name).triggered.connect(lambda _on=False, b=bit: self.add_floor(b))
        button = self._floor_buttons[0]
        menu.exec(button.mapToGlobal(button.rect().bottomLeft()))

    def add_floor(self, bit: Bit) -> None:
        s = self.session
        self.context.tell(s.try_edit(lambda: leftovers.add_floor(s.job, self.cut.id, bit.id)[0]))

    # ---- side by side

    def _compare(self) -> None:
        from archimetra.engine.keys import lean_board, lean_job

        s = self.session
        if s.engine is None:
            return
        others = [b for b in s.job.bits if b.kind in CARVING_KINDS and b.id != self.cut.bit]
        bits = (self.cut.bit, *[b.id for b in others])[:MOST_COMPARED]
        if len(bits) < 2:
            self.context.tell("The job has only this carving bit; take another from the rack first, on the Bits page.")
        s.engine.compare(CompareRequest(0, lean_job(s.job), lean_board(s.board), self.cut.id, bits))

    def _take_compared(self, compared: BitsCompared) -> None:
        self._compared = compared
        if self.session.cut_id == compared.cut:
            self.refresh()

    def _compared_words(self) -> str:
        made = self._compared
        return f"{len(made.trials)} side by side" if made is not None and made.cut == self.cut.id else "side by side"

    def _show_trials(self) -> None:
        made = self._compared if self._compared is not None and self._compared.cut == self.cut.id else None
        state = (made, self.cut.bit, self.session.job.unit)
        if state == self._shown:
            return
        self._shown = state
        clear_rows(self._trials)
        if made is None:
            return
        for trial in made.trials:
            bit = self.session.job.bit(trial.bit)  # type: ignore[arg-type]
            if bit is None:
                continue
            is_own = bit.id == self.cut.bit
            words = f"{bit.name}{', as now' if is_own else ''}: {self.length_words(trial.deepest)} deep, {clock(trial.seconds)}"
            self._trials.add(label(words, "" if is_own else "note"))
            for leaves in trial.leaves:
                self._trials.add(label(worded(leaves, lengths_in(self.session.job.unit)), "caution"))
            if not is_own:
                take = QPushButton(f"Carve with {bit.name}")
                take.setProperty("kind", "link")
                take.setStyleSheet("text-align: left;")
                take.clicked.connect(lambda _c=False, b=bit: self.set("Bit of cut", "bit", b.id))
                self._trials.add(take)


ROW = FormRow(CarveCut, CarveEditor, under_bit_at, words=lambda cut: "plug" if cut.sink > 0 else "V-carve")
