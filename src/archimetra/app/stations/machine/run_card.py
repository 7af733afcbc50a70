"""The program under way: how far it is, hold and resume, overrides, the bit change in its middle; or how the last one ended."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLabel, QProgressBar, QToolButton, QWidget

from archimetra.app.session.at_machine import Running, Stage
from archimetra.app.session.session import Session
from archimetra.app.stations.page import Rows, shown
from archimetra.app.theme.style import scaled
from archimetra.app.theme.tokens import Tokens
from archimetra.app.widgets.fields import label
from archimetra.app.widgets.form import Form
from archimetra.output.times import clock

NAME_PX = 280
STEP_PERCENT, MOST_PERCENT, LEAST_PERCENT = 10, 200, 10


class RunCard(Rows):
    """The program under way, or how the last one ended."""

    def __init__(self, session: Session, tokens: Tokens) -> None:
        super().__init__(session, tokens)
        self.machine = session.machine
        form = self.form
        self._state = form.heading("Now")
        self._name = form.add(label("", "heading"))
        self._bar = QProgressBar()
        self._bar.setRange(0, 1000)
        self._bar.setTextVisible(False)
        self._bar.setAccessibleName("How much of the program is done")
        form.add(self._bar)
        self._figures = form.add(label("", "note"))
        self._figures.setWordWrap(True)
        (self._hold, self._resume, self._next) = self.buttons(
            form, ("Hold", "Brake to a stand; the program waits", self.machine.hold), ("Resume", "Go on from where it stands", self.machine.resume),
            ("Go on", "The bit is changed and Z zero is found again", self.machine.go_on_with_next),
        )  # fmt: skip
        self._is_in = QCheckBox()
        self._is_in.toggled.connect(lambda is_on: self._next.setEnabled(is_on))
        self.form.column.insertWidget(self.form.column.count() - 1, self._is_in)
        for button in (self._resume, self._next):
            button.setProperty("kind", "main")
        self._feed_row = self._override(form, "Feed", "feed")
        self._speed_row = self._override(form, "Spindle", "spindle")
        self._told = form.add(label("", "note"))
        form.line()
        self.machine.moved.connect(self._show_figures)

    def _override(self, form: Form, words: str, of: str) -> tuple[QWidget, QLabel]:
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(4)
        value = label("100 %")
        for text, tip, by in (
            ("−", f"{words} slower by {STEP_PERCENT} %", -STEP_PERCENT),
            ("+", f"{words} faster by {STEP_PERCENT} %", STEP_PERCENT),
            ("100", f"{words} as the program says", 0),
        ):
            button = QToolButton()
            button.setText(text)
            button.setProperty("kind", "part")
            button.setToolTip(tip)
            button.setAccessibleName(tip)
            button.setMinimumWidth(scaled(32))
            button.clicked.connect(lambda _c=False, b=by: self._change(of, b))
            row.addWidget(button)
        row.addSpacing(8)
        row.addWidget(value)
        row.addStretch(1)
        holder.setProperty("label", form.row(words, holder))
        return holder, value

    def _change(self, of: str, by: int) -> None:
        now = self.machine.now.overrides[0 if of == "feed" else 2]
        percent = 100 if by == 0 else min(max(now + by, LEAST_PERCENT), MOST_PERCENT)
        self.machine.override("feed" if of == "feed" else "spindle", percent)

    def refresh(self) -> None:
        machine = self.machine
        running, stage = machine.running, machine.stage
        shown(self.form, running is not None or (machine.last is not None and machine.opened is not None))
        is_under_way = running is not None and stage in (Stage.RUNNING, Stage.HELD)
        is_change = running is not None and stage is Stage.CHANGE
        shown(self._hold, is_under_way and stage is Stage.RUNNING)
        shown(self._resume, stage is Stage.HELD)
        shown(self._next, is_change)
        for holder, _ in (self._feed_row, self._speed_row):
            shown(holder, is_under_way)
            shown(holder.property("label"), is_under_way)
        shown(self._bar, running is not None and not is_change)
        shown(self._figures, running is not None and not is_change)
        self._show_change(running if is_change else None)
        self._state.setText(stage.value if running is not None else "")
        told, plan = "", self.session.planning.plan
        if running is not None:
            words = self._called(running)
            self._name.setText(
                self._name.fontMetrics().elidedText(words, Qt.TextElideMode.ElideMiddle, scaled(NAME_PX))
            )
            self._name.setToolTip(words)
            if is_change:
                part = running.parts[running.part]
                bit = machine.bit_of(running)
                in_words = f"{part.words} It is bit {bit.letter}, {bit.name}." if bit is not None else part.words
                told = f"{in_words} Find Z zero again, leave X and Y. The machine can be led meanwhile."
            elif running.run_key and plan is not None and plan.run_key != running.run_key:
                told = "The job was changed since this program began: the views show the job, the machine runs what was sent."
        elif machine.last is not None:
            name, end = machine.last
            self._name.setText(name)
            told = (
                end.words if end.state != "done" else f"Done in {clock(end.seconds)}." if end.seconds >= 1 else "Done."
            )
            self._state.setText(end.state)
        self._told.setText(told)
        shown(self._told, bool(told))
        self._show_figures()

    def _show_change(self, running: Running | None) -> None:
        """Between two parts: the bit and its zero are looked at each time anew."""
        shown(self._is_in, running is not None)
        key = (running.about.began, running.part) if running is not None else None
        if key != self._asked_of:
            self._asked_of = key
            self._is_in.setChecked(False)
        if running is not None:
            bit = self.machine.bit_of(running)
            self._is_in.setText(
                f"Bit {bit.letter} is in, Z zero found with it" if bit is not None else "I have done it"
            )
            self._next.setEnabled(self._is_in.isChecked())

    _asked_of: tuple[str, int] | None = None

    def _called(self, running: Running) -> str:
        count = len(running.parts)
        return f"{running.name}, part {running.part + 1} of {count}" if count > 1 else running.name

    def _show_figures(self) -> None:
        machine = self.machine
        if machine.running is None or not self._bar.isVisible():
            return
        by_time, by_lines, left = machine.share()
        self._bar.setUpdatesEnabled(
            False
        )  # it would paint the whole window at once, whatever else is about to be painted
        self._bar.setValue(round(by_time * 1000))
        self._bar.setUpdatesEnabled(True)
        now, about = machine.now, machine.running.about
        line = max(now.line, 0) + 1 + max(about.offset, 0)
        rest = [f"{clock(left)} left"] if left > 0 else []
        says = [
            f"{by_time:.0%} by time · {by_lines:.0%} by lines",
            " · ".join([*rest, f"line {line}", f"{now.feed:,.0f} mm/min"]),
        ]
        self._figures.setText("\n".join(says))
        for (_, value), percent in ((self._feed_row, now.overrides[0]), (self._speed_row, now.overrides[2])):
            value.setText(f"{percent} %")
