"""Flaws of the sheet: places that are no good, and metal in the wood."""

from __future__ import annotations

from PySide6.QtWidgets import QCheckBox

from archimetra.app.session import Session
from archimetra.app.stations.board.clamps_form import show_rows
from archimetra.app.stations.page import Rows
from archimetra.app.theme.tokens import Tokens
from archimetra.app.widgets.fields import fill, label
from archimetra.edits import sheets
from archimetra.edits.edit import Edit
from archimetra.job.sheet import Flaw


class FlawsForm(Rows):
    def __init__(self, session: Session, tokens: Tokens) -> None:
        super().__init__(session, tokens)
        form = self.form
        self._count = form.heading("Flaws")
        form.add(label("Knots, cracks, nails: pieces are laid beside them.", "note"))
        self._which = self.combo_row(form, "Flaw", self._choose)
        self._number = 0
        self._rows = [
            self.length_row(
                form, text, key=lambda n=name: f"{session.board.id}.flaw{self._number}.{n}", get=lambda n=name: self._box()[n],
                edit=lambda mm, n=name: self._change(**{n: mm}), note=(lambda w=note: w) if note else None,
            )
            for text, name, note in (
                ("Flaw at X", "x", "to its middle"), ("Flaw at Y", "y", "to its middle"),
                ("Flaw width (X)", "width", ""), ("Flaw height (Y)", "height", ""),
            )
        ]  # fmt: skip
        self._hard = QCheckBox("Metal: no bit may run over it")
        self._hard.clicked.connect(lambda on: session.apply(self._change(is_hard=on)))
        form.add(self._hard)
        (_, self._from_picked, self._remove) = self.buttons(
            form,
            ("Add a flaw", "A round one in the sheet's middle, to be given its place and size", self._add),
            ("From picked", "Outlines picked on the plan become flaws", self._take),
            ("Remove", "Take the shown one away", self._take_away),
        )
        self._trouble = form.add(label("", "stop"))
        self._trouble.hide()

    @property
    def flaw(self) -> Flaw | None:
        flaws = self.session.board.sheet.flaws
        return flaws[min(self._number, len(flaws) - 1)] if flaws else None

    def refresh(self) -> None:
        flaws = self.session.board.sheet.flaws
        self._number = min(self._number, max(len(flaws) - 1, 0))
        super().refresh()
        self._count.setText(f"{len(flaws)}" if flaws else "none")
        words = [f"{'metal' if flaw.is_hard else 'flaw'} {k + 1}" for k, flaw in enumerate(flaws)]
        fill(self._which, words, self._number if flaws else -1)
        show_rows((self._which, *self._rows, self._hard), is_shown=bool(flaws))
        self._hard.setChecked(self.flaw is not None and self.flaw.is_hard)
        self._remove.setEnabled(bool(flaws))
        self._from_picked.setEnabled(bool(self.session.picked))
        self._trouble.hide()

    def _box(self) -> dict[str, float]:
        if self.flaw is None:
            return {"x": 0.0, "y": 0.0, "width": 0.0, "height": 0.0}
        x0, y0, x1, y1 = self.flaw.outline.bounds()
        return {"x": (x0 + x1) / 2, "y": (y0 + y1) / 2, "width": x1 - x0, "height": y1 - y0}

    def _choose(self, index: int) -> None:
        self._number = index
        self.refresh()

    def _change(self, *, is_hard: bool | None = None, **sizes: float) -> Edit:
        return sheets.change_flaw(self.session.job, self.session.board.id, self._number, is_hard=is_hard, **sizes)

    def _add(self) -> None:
        self._number = len(self.session.board.sheet.flaws)
        self._try(lambda: sheets.add_flaw(self.session.job, self.session.board.id))

    def _take(self) -> None:
        self._number = len(self.session.board.sheet.flaws)
        self._try(lambda: sheets.take_flaws(self.session.job, self.session.board.id, self.session.picked))

    def _take_away(self) -> None:
        self._try(lambda: sheets.remove_flaw(self.session.job, self.session.board.id, self._number))

    def _try(self, make: object) -> None:
        problem = self.session.try_edit(make)  # type: ignore[arg-type]
        self._trouble.setText(problem)
        self._trouble.setVisible(bool(problem))
