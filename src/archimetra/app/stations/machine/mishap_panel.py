"""Going on after a mishap: what is known of the run that was broken off, where it can be begun again, and what is left of it as a file."""

from __future__ import annotations

from pathlib import Path as FilePath
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QCheckBox, QFileDialog

from archimetra.app.session.at_machine import Stage
from archimetra.app.session.session import Session
from archimetra.app.stations.page import Rows, shown
from archimetra.app.theme.tokens import Tokens
from archimetra.app.widgets.fields import fill, label
from archimetra.base.files import why, write_safely
from archimetra.job.quantities import format_length

if TYPE_CHECKING:
    from archimetra.machine.going_on import Start
    from archimetra.machine.runs import Broken

MOST_PLACES = 12
_HOW = {
    "running": "it broke off without a word, as when the power goes", "held": "it was held, then broke off without a word",
    "done": "it waited for its next part",
}  # fmt: skip


class MishapPanel(Rows):
    def __init__(self, session: Session, tokens: Tokens) -> None:
        super().__init__(session, tokens)
        self.machine = session.machine
        form = self.form
        self._when = form.heading("Broken off")
        self._name = form.add(label("", "heading"))
        self._what = form.add(label("", "note"))
        self._place = self.combo_row(form, "Begin again at", lambda _k: self._show_place())
        self._entry = form.add(label("", "note"))
        self._is_checked = QCheckBox("I have checked zero, and the bit is whole")
        self._is_checked.toggled.connect(lambda _on: self._show_buttons())
        form.add(self._is_checked)
        (self._go, self._write, self._leave) = self.buttons(
            form, ("Go on", "Run what is left", self._go_on), ("Rest as a file …", "Write what is left of the program as a file", self._write_rest),
            ("Leave it", "Forget this run: it is not gone on with", self._leave_it),
        )  # fmt: skip
        self._go.setProperty("kind", "main")
        self._why = form.add(label("", "note"))
        form.line()
        self._broken: Broken | None = None
        self._shows_place = False
        self._starts: tuple[Start, ...] = ()
        self._of: object = None

    @property
    def broken(self) -> Broken | None:
        return self._broken

    def left(self) -> None:
        """Another page comes to the front: the place it would begin again at is not shown any more."""
        self._hide_place()

    def refresh(self) -> None:
        found = self.machine.broken()
        self._broken = found[0] if found else None
        shown(self.form, self._broken is not None)
        broken = self._broken
        if broken is None:
            self._hide_place()
            return
        file, _, lines = self.machine.file_of(broken)
        state = (broken.folder, broken.last, file is None)
        if state != self._of:
            self._of = state
            self._is_checked.setChecked(False)
            self._starts = self.machine.starts_for(broken)[:MOST_PLACES]  # type: ignore[assignment]
            names = [f"line {one.line}{f', {one.words}' if one.words else ''}" for one in self._starts]
            fill(self._place, names, 0 if names else -1)
        about, last = broken.about, broken.last
        self._when.setText(about.began[:16].replace("T", " "))
        self._name.setText(about.file)
        done = last.done + (about.offset if file is not None else 0)
        taken = last.taken + (about.offset if file is not None else 0)
        said = [f"On '{about.board}' of {about.job}: {_HOW.get(last.state, last.state)}."]
        said.append(f"Certainly done up to line {max(done, 0)} of {lines}; the control had taken {max(taken, 0)}.")
        if file is None:
            said.append(
                "The job has changed since, or shows another board: the program is gone on with as it was sent."
            )
        self._what.setText(" ".join(said))
        self._show_place()

    def _start(self) -> Start | None:
        k = self._place.currentIndex()
        return self._starts[k] if 0 <= k < len(self._starts) else None

    def _show_place(self) -> None:
        start, unit = self._start(), self.session.job.unit
        if start is None:
            self._entry.setText(
                "No place to begin again is known: it had not gone down into the wood yet, or its file has changed since. Run a file from its beginning."
            )
        else:
            x, y, z = (format_length(v, unit) for v in start.at)
            self._entry.setText(
                f"The bit goes up, over X {x} Y {y}, down to Z {z} above the wood, and on from there. What is cut once more takes no wood."
            )
            turn = self._broken.about.turn if self._broken is not None else 0.0
            place = self.machine.place_on_board(start.at[0], start.at[1], turn)
            if self._broken is not None and self._broken.about.board_id == self.session.board_id:
                self._shows_place = True
                self.session.imports.places_wanted.emit((place,), None)
        self._show_buttons()

    def _show_buttons(self) -> None:
        start, stage = self._start(), self.machine.stage
        words = ""
        if stage is Stage.NONE:
            words = "Connect the machine to go on, or write the rest as a file."
        elif stage is Stage.LOCKED or (
            self._broken is not None
            and self._broken.last.state in ("alarm", "position not trusted", "link lost")
            and not self.machine.is_homed
        ):
            words = "Home the machine first: its position may be lost."
        elif not self._is_checked.isChecked():
            words = "Touch off again, or look that zero is where it was."
        self._why.setText(words)
        shown(self._why, bool(words))
        self._go.setEnabled(start is not None and stage is Stage.READY and not words)
        self._write.setEnabled(start is not None)

    def _go_on(self) -> None:
        start = self._start()
        if self._broken is not None and start is not None:
            self._hide_place()
            self.machine.go_on(self._broken, start)

    def _hide_place(self) -> None:
        if self._shows_place:
            self._shows_place = False
            self.session.imports.places_wanted.emit((), None)

    def _leave_it(self) -> None:
        if self._broken is not None:
            self._hide_place()
            self.machine.leave_broken(self._broken)

    def _write_rest(self) -> None:
        from archimetra.machine.going_on import remainder

        broken, start = self._broken, self._start()
        if broken is None or start is None:
            return
        name = FilePath(broken.about.file)
        path, _ = QFileDialog.getSaveFileName(self.form, "What is left", f"{name.stem}-rest{name.suffix}")
        if not path:
            return
        _, text = self.machine.program_of(broken)
        try:
            write_safely(FilePath(path), remainder(text, start, park=broken.about.park).encode("ascii", "replace"))
        except OSError as error:
            self.session.said.emit("stop", f"{FilePath(path).name} could not be written: {why(error, FilePath(path))}")
            return
        self.session.said.emit("note", f"{FilePath(path).name} holds what is left, from line {start.line} on.")
