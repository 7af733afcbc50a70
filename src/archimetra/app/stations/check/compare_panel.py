"""What if: the shown cut as it is beside the same with another bit, feed, depth per pass or stepover."""

from __future__ import annotations

from PySide6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout

from archimetra.app.session.document import sentence
from archimetra.app.stations.artwork.panel import Panel, clear_layout
from archimetra.app.stations.bindings import TypedNumber
from archimetra.app.stations.check.depth_map import DepthMap, DepthScale
from archimetra.app.stations.page import shown
from archimetra.app.widgets.fields import ChoiceRow, fill, label
from archimetra.app.widgets.form import Form
from archimetra.base.findings import worded
from archimetra.edits import cutting
from archimetra.edits.edit import Edit
from archimetra.engine.messages import Trial, TrialRequest, TrialsMade
from archimetra.job.bits import Bit
from archimetra.job.cuts import Cut, kind_of
from archimetra.job.ids import CutId
from archimetra.job.job import Job
from archimetra.job.quantities import format_length, lengths_in
from archimetra.output.times import clock


class ComparePanel(Panel):
    name, icon, tip = "Compare", "copy", "The shown cut beside itself with another bit or recipe"

    def build(self) -> None:
        form = self.form
        self._hint = form.add(label("", "note"))
        self._body = body = Form()
        form.add(body)
        self._cut = self.combo_row(body, "Cut", self._choose_cut)
        self._bit = self.combo_row(body, "Bit", lambda _k: self._show_buttons())
        self._feed, self._stepover = TypedNumber(1000.0, 1.0, 50_000.0), TypedNumber(40.0, 1.0, 95.0)
        self._step = TypedNumber(3.0, 0.01, 200.0)
        self.typed_row(body, "Feed", self._feed, "mm/min", is_length=False)
        self.typed_row(body, "Stepover", self._stepover, "%", is_length=False)
        self.typed_row(body, "Depth per pass", self._step)
        (self._try, self._keep) = self.buttons(
            body, ("Compare", "Plan the cut both ways", self._compare), ("Keep the other", "Change the cut to what was tried", self._take),
        )  # fmt: skip
        self._shows = ChoiceRow("Pictures show", (("depth", "Depth"), ("wood", "Wood")))
        self._shows.show_value("depth")
        self._shows.chosen.connect(self._show_as)
        body.add(self._shows)
        self._results = QHBoxLayout()
        self._results.setSpacing(8)
        self._results.setContentsMargins(0, 0, 0, 0)
        holder = QFrame()
        holder.setLayout(self._results)
        body.add(holder)
        self._scale_place = QVBoxLayout()
        under = QFrame()
        under.setLayout(self._scale_place)
        self._scale_place.setContentsMargins(0, 0, 0, 0)
        body.add(under)
        self._maps: list[DepthMap] = []
        self._made: TrialsMade | None = None
        self._asked: tuple[Job, Job, CutId] | None = None
        self._for: object = None
        self.session.trials_made.connect(self._take_trials)

    # ---- what is compared

    @property
    def cut(self) -> Cut | None:
        s = self.session
        return (s.board.cut(s.cut_id) if s.cut_id is not None else None) or next(iter(s.board.cuts), None)

    def refresh(self) -> None:
        super().refresh()
        s, cut = self.session, self.cut
        shown(self._body, cut is not None)
        shown(self._hint, cut is None)
        self._hint.setText("There are no cuts on this board to compare.")
        if cut is None:
            return
        cuts = s.board.cuts
        fill(self._cut, [c.name for c in cuts], cuts.index(cut))
        state = (cut, s.job.bits)
        if state != self._for:
            self._for = state
            self._show_as_is(cut)
            if self._asked is not None and self._asked[0] is not s.job:
                self._clear()
        self._show_buttons()

    def _bits(self, cut: Cut) -> list[Bit]:
        return [bit for bit in self.session.job.bits if bit.kind in kind_of(cut).bits]

    def _show_as_is(self, cut: Cut) -> None:
        s = self.session
        bits = self._bits(cut)
        ids = [bit.id for bit in bits]
        fill(self._bit, [f"{bit.letter}  {bit.name}" for bit in bits], ids.index(cut.bit) if cut.bit in ids else -1)
        bit = s.job.bit(cut.bit)
        if bit is None:
            return
        recipe = cut.recipe(bit, s.board.sheet.material)
        self._feed.value, self._stepover.value = recipe.feed, round(recipe.stepover * 100, 4)
        self._step.value = recipe.depth_per_pass
        for value in (self._feed, self._stepover, self._step):
            value.refresh()

    def _choose_cut(self, index: int) -> None:
        cuts = self.session.board.cuts
        if 0 <= index < len(cuts):
            self._clear()
            self.session.show_cut(cuts[index].id)
            self.refresh()

    # ---- the other version

    def other(self) -> Edit | None:
        """The job with the cut changed as the fields say; None where nothing differs. Raises ValueError."""
        s, cut = self.session, self.cut
        if cut is None:
            return None
        bits = self._bits(cut)
        job = s.job
        index = self._bit.currentIndex()
        if 0 <= index < len(bits) and bits[index].id != cut.bit:
            job = cutting.change_cut(job, cut.id, "Other bit", bit=bits[index].id).job
        bit = bits[index] if 0 <= index < len(bits) else s.job.bit(cut.bit)
        if bit is None:
            return None
        own = s.job.bit(cut.bit)
        recipe = cut.recipe(bit, s.board.sheet.material)
        was = cut.recipe(own, s.board.sheet.material) if own is not None else recipe
        asked = {"feed": self._feed.value, "stepover": self._stepover.value / 100, "depth_per_pass": self._step.value}
        for name, value in asked.items():
            # what was left as it is follows the other bit's own recipe
            if abs(value - getattr(was, name)) > 1e-4 and abs(value - getattr(recipe, name)) > 1e-4:
                job = cutting.override(job, (cut.id,), name, value).job
        return Edit("Change cut as compared", job) if job is not s.job else None

    def _compare(self) -> None:
        from archimetra.engine.keys import lean_board, lean_job

        s, cut = self.session, self.cut
        self.say_problem("")
        try:
            other = self.other()
        except ValueError as error:
            self.say_problem(sentence(str(error)))
            return
        if other is None or cut is None or s.engine is None:
            self.say_problem("Choose another bit, or enter another feed, stepover or depth per pass, to compare with.")
            return
        board = other.job.board(s.board_id)
        if board is None:
            return
        self._clear()
        self._asked = (s.job, other.job, cut.id)
        self._results.addWidget(label("Being planned both ways.", "note"))
        s.engine.try_versions(
            TrialRequest(0, cut.id, (lean_job(s.job), lean_job(other.job)), (lean_board(s.board), lean_board(board)))
        )

    def _take_trials(self, made: TrialsMade) -> None:
        if self._asked is None or made.cut != self._asked[2] or self._asked[0] is not self.session.job:
            return
        self._made = made
        self._clear_results()
        deepest = max(trial.deepest for trial in made.trials)
        for words, trial, best in self._columns(made.trials):
            self._results.addWidget(self._column(words, trial, best, deepest), 1)
        self._scale_place.addWidget(DepthScale(deepest, self.tokens, self.session.job.unit))
        self._show_buttons()
        self._show_as(self._shows.value)

    def _show_as(self, what: str) -> None:
        self._shows.show_value(what)
        self._shows.setVisible(bool(self._maps))
        for one in self._maps:
            one.show_as(what)
        for k in range(self._scale_place.count()):
            item = self._scale_place.itemAt(k)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.setVisible(what == "depth")

    def _point(self, at: tuple[float, float] | None) -> None:
        for one in self._maps:
            one.show_place(at)

    def _take(self) -> None:
        """Change the cut to what was tried."""
        if self._asked is not None and self._asked[0] is self.session.job:
            job = self._asked[1]
            self._clear()
            self.session.apply(Edit("Change cut as compared", job))

    def _columns(self, trials: tuple[Trial, ...]) -> list[tuple[str, Trial, Trial]]:
        return [("As it is", trials[0], trials[1]), ("Tried", trials[1], trials[0])] if len(trials) == 2 else []

    def _column(self, words: str, trial: Trial, other: Trial, deepest: float) -> QFrame:
        unit = self.session.job.unit
        card = QFrame()
        card.setProperty("kind", "card")
        column = QVBoxLayout(card)
        column.setContentsMargins(7, 6, 7, 6)
        column.setSpacing(2)
        column.addWidget(label(words, "heading"))
        made = DepthMap(words, trial.depths, trial.picture, deepest, self.tokens, unit)
        made.pointed.connect(self._point)
        self._maps.append(made)
        column.addWidget(made)
        lines = [
            (f"{clock(trial.seconds)}", trial.seconds < other.seconds - 0.5),
            (f"{format_length(trial.deepest, unit)} {unit} deep", False),
            (f"takes {trial.rate:.0f} cm³/min", False),
            (f"leaves {trial.left_area:.1f} mm²" if trial.left_area else "leaves nothing", trial.left_area < other.left_area - 0.05),
        ]  # fmt: skip
        for text, is_better in lines:
            column.addWidget(label(text, "key" if is_better else ""))
        for said in trial.told[:3]:
            column.addWidget(label(worded(said, lengths_in(unit)), "caution"))
        column.addStretch(1)
        return card

    def _show_buttons(self) -> None:
        is_current = self._asked is not None and self._asked[0] is self.session.job and self._made is not None
        self._keep.setEnabled(is_current)

    def _clear(self) -> None:
        self._made, self._asked = None, None
        self._clear_results()

    def _clear_results(self) -> None:
        self._maps.clear()
        self._shows.hide()
        clear_layout(self._results)
        clear_layout(self._scale_place)
