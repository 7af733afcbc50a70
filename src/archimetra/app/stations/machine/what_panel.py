"""What runs: the list looked at before, bounds in air, the files in order, and the run under way."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from archimetra.app.session.at_machine import Stage
from archimetra.app.session.session import Session
from archimetra.app.stations.bindings import TypedNumber
from archimetra.app.stations.machine.run_card import RunCard
from archimetra.app.stations.page import Rows, shown
from archimetra.app.theme.style import scaled
from archimetra.app.theme.tokens import Tokens
from archimetra.app.widgets.badge import badge_pixmap
from archimetra.app.widgets.fields import label
from archimetra.app.widgets.form import Form
from archimetra.base.errors import OutputError
from archimetra.base.findings import Severity
from archimetra.edits.writing import count_run
from archimetra.job.bits import Bit
from archimetra.job.quantities import format_length
from archimetra.job.recipes import limit_to_machine
from archimetra.machine.checklist import Check, checks_of
from archimetra.machine.messages import Ended
from archimetra.output.controllers.of_job import controller_of
from archimetra.output.files import file_times
from archimetra.output.gcode_file import GcodeFile
from archimetra.output.times import clock

AIR_FEED_SHARE = 0.5  # of the fastest cut: slow enough to be watched
NAME_PX = 210


class WhatPanel(Rows):
    def __init__(self, session: Session, tokens: Tokens) -> None:
        super().__init__(session, tokens)
        self.machine = session.machine
        self.run = RunCard(session, tokens)
        self._before = self.form.add(Form())
        self._count = self._before.heading("Files in order")
        self._files_box = QFrame()
        self._column = QVBoxLayout(self._files_box)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(4)
        self._before.add(self._files_box)
        self._before.line()
        self._list_note = self._before.heading("Before it runs")
        self._list_box = QFrame()
        self._list = QVBoxLayout(self._list_box)
        self._list.setContentsMargins(0, 0, 0, 0)
        self._list.setSpacing(6)
        self._before.add(self._list_box)
        self._before.gap(2)
        self._air = TypedNumber(20.0, 1.0, 300.0)
        self._air_field = self.typed_row(self._before, "In air, over zero", self._air)
        (self._trace,) = self.buttons(
            self._before, ("Trace its bounds in air", "The bit goes once around what the file cuts, high above it: does it lie where you think?", self._trace_it),
        )  # fmt: skip
        self._stops = self._before.add(label("", "stop"))
        self._go = QPushButton("Run")
        self._go.setProperty("kind", "main")
        self._go.clicked.connect(lambda _c=False: self.run_chosen())
        self._before.add(self._go)
        self._why = self._before.add(label("", "note"))
        self._chosen = 0
        self._shown_files: object = None
        self._shown_checks: tuple[Check, ...] = ()
        self._ticks: list[QCheckBox] = []
        session.planning.files_made.connect(self.refresh)
        self.machine.ended.connect(self._advance)

    # ---- what is chosen

    @property
    def files(self) -> tuple[GcodeFile, ...]:
        planning = self.session.planning
        return planning.files if planning.want_files() else ()

    @property
    def file(self) -> GcodeFile | None:
        files = self.files
        return files[min(self._chosen, len(files) - 1)] if files else None

    def choose(self, number: int) -> None:
        self._chosen = number
        self.machine.show_setup_of(self.file)
        self.refresh()

    def _bit(self, file: GcodeFile | None) -> Bit | None:
        return file.bits[0] if file is not None and file.bits else None

    def checks(self) -> tuple[Check, ...]:
        session, file = self.session, self.file
        if file is None:
            return ()
        self.machine.show_setup_of(file)
        bit = self._bit(file)
        try:
            profile = controller_of(session.job)
        except OutputError:
            profile = None
        is_new = min(self._chosen, len(self.files) - 1) > 0
        rpm, turn = self._rpm(file, bit), self.machine.turn
        return checks_of(
            session.job,
            session.board,
            self.machine.setup,
            bit,
            profile,
            rpm=rpm,
            is_new_bit=is_new,
            turn=turn,
            feed_percent=self.machine.now.overrides[0],
        )

    def _rpm(self, file: GcodeFile, bit: Bit | None) -> float:
        """The speed its first cut turns the bit at, 1/min."""
        board = self.session.board
        cut = board.cut(file.blocks[0].cut) if file.blocks else None
        if cut is None or bit is None:
            return 0.0
        return limit_to_machine(cut.recipe(bit, board.sheet.material), self.session.job.machine).recipe.spindle_rpm

    # ---- what a person does

    def run_chosen(self) -> None:
        """Run the chosen file, once everything of the list is ticked."""
        file = self.file
        if file is not None and not self.why_not():
            bit = file.bits[-1] if file.bits else None
            self.machine.run_file(file)
            self.machine.bit_comes_in(bit)

    def _advance(self, end: Ended) -> None:
        """A file that is cut is not the next one any more."""
        file = self.file
        is_cut = file is not None and file.digest in self.machine.done_files
        if end.state == "done" and is_cut and self._chosen + 1 < len(self.files):
            self._chosen += 1
            self.machine.show_setup_of(self.file)

    def why_not(self) -> str:
        """Why the chosen file is not run now; '' where it may."""
        session, machine = self.session, self.machine
        planning = session.planning
        if machine.opened is None:
            return "Connect the machine first."
        if machine.stage is Stage.LOCKED:
            return "The machine is locked: home it first."
        if machine.stage is not Stage.READY:
            return f"The machine is {machine.stage.value}."
        if planning.program is not None:
            return "A program that was read is shown. Go back to the cuts of this job on the Output page."
        if planning.is_planning:
            return "The cuts are still being planned."
        if self.file is None:
            return planning.files_problem or self._why_none()
        missing = [check for check in self.checks() if check.id not in machine.ticked]
        if missing:
            return (
                "Look at what is on the list first." if len(missing) > 1 else f"Still to look at: {missing[0].words}."
            )
        return ""

    def _why_none(self) -> str:
        planning = self.session.planning
        if planning.is_planning:
            return "The cuts are being planned."
        has_moves = planning.plan is not None and len(planning.plan.run.blocks)
        return "The files are being written." if has_moves else "No cuts yet, so no files."

    def _trace_it(self) -> None:
        self._air_field.commit()
        file = self.file
        if file is not None and not self._air_field.refusal():
            board = self.session.board
            least = board.travel_heights.travel
            if self._air.value < least:
                unit = self.session.job.unit
                words = f"Traced {format_length(least, unit)} {unit} above the sheet: lower, clamps or the board would be in the way."
                self.session.said.emit("note", words)
            height = max(self._air.value, least) + board.zero.z_shift(board.sheet)
            self.machine.trace(file, height=height, feed=self.session.job.machine.max_feed * AIR_FEED_SHARE)

    def _tick(self, check: Check, is_on: bool) -> None:
        if is_on:
            self.machine.ticked.add(check.id)
        else:
            self.machine.ticked.discard(check.id)
        self._show_go()

    def _mark_cut(self, file: GcodeFile) -> None:
        board = self.session.board_id
        self.session.note(lambda job: count_run(job, board, file.name, 1))

    # ---- showing

    def refresh(self) -> None:
        super().refresh()
        self.run.refresh()
        is_running = self.machine.running is not None and not self.machine.running.about.is_air
        shown(self._before, not is_running)
        if is_running or not self.form.isVisible():
            return
        self._show_files()
        self._show_checks()
        self._show_go()

    def _show_files(self) -> None:
        files = self.files
        done = {digest for digest in self.machine.done_files}
        state = (files, frozenset(done), self._chosen, self.session.board.written, self.is_stick)
        if state == self._shown_files and self._column.count():
            return
        self._shown_files = state
        _clear(self._column)
        plan = self.session.planning.plan
        times = file_times(plan.times, files) if plan is not None else []
        for number, file in enumerate(files):
            is_done = file.digest in done
            if number and plan is not None:
                self._gate(files[number - 1], file)
            self._column.addWidget(self._card(number, file, times[number] if times else 0.0, is_done=is_done))
        if not files:
            planning = self.session.planning
            words = planning.files_problem or self._why_none()
            self._column.addWidget(label(words, "note"))
        self._count.setText(f"{len(files)}" if files else "")

    def _gate(self, before: GcodeFile, after: GcodeFile) -> None:
        """What is done between two files."""
        said = []
        if before.blocks and after.blocks and before.blocks[-1].setup != after.blocks[0].setup:
            said.append("shift the board")
        bit = self._bit(after)
        if bit is not None and before.bits and before.bits[-1] != bit:
            said.append(f"change the bit to {bit.letter}, find Z zero again")
        if said:
            words = "; ".join(said)
            self._column.addWidget(label(f"↓  {words}", "note"))

    def _card(self, number: int, file: GcodeFile, seconds: float, *, is_done: bool) -> QFrame:
        card = QFrame()
        card.setProperty("kind", "card")
        row = QHBoxLayout(card)
        row.setContentsMargins(8, 4, 8, 4)
        row.setSpacing(8)
        for bit in file.bits[:3]:
            badge = QLabel()
            badge.setPixmap(badge_pixmap(bit))
            row.addWidget(badge)
        name = QPushButton()
        name.setProperty("kind", "link")
        words = _apart([one.name for one in self.files], file.name)
        name.setText(name.fontMetrics().elidedText(words, Qt.TextElideMode.ElideMiddle, scaled(self._name_px(file))))
        name.setToolTip(f"{file.name}: choose it to run next")
        name.setAccessibleName(f"Choose file {number + 1}, {file.name}")
        name.setStyleSheet("text-align: left; font-weight: 600;" if number == self._chosen else "text-align: left;")
        name.clicked.connect(lambda _c=False, n=number: self.choose(n))
        row.addWidget(name, 1)
        state = label("cut" if is_done else "next" if number == self._chosen else clock(seconds), "note")
        state.setWordWrap(False)
        row.addWidget(state)
        if self.is_stick:
            mark = QToolButton()
            mark.setText("Mark cut")
            mark.setProperty("kind", "small")
            mark.setAccessibleName(f"Mark cut: {file.name}")
            mark.setEnabled(self.session.board.written is not None)
            mark.setToolTip(
                "Count this file as cut once more" if mark.isEnabled() else "Write the files first, on the Output page"
            )
            mark.clicked.connect(lambda _c=False, f=file: self._mark_cut(f))
            row.addWidget(mark)
        return card

    def _name_px(self, file: GcodeFile) -> int:
        """What is left for a file's name beside its bits and what is said of it."""
        return NAME_PX - 26 * min(len(file.bits), 3) - (62 if self.is_stick else 0)

    is_stick = False

    def _show_checks(self) -> None:
        checks = self.checks()
        if checks == self._shown_checks and self._list.count():
            for check, tick in zip(checks, self._ticks, strict=True):
                tick.blockSignals(True)
                tick.setChecked(check.id in self.machine.ticked)
                tick.blockSignals(False)
            return
        self._shown_checks = checks
        _clear(self._list)
        self._ticks.clear()
        for check in checks:
            self._list.addWidget(self._check_row(check))

    def _check_row(self, check: Check) -> QWidget:
        """A box with words beside it that wrap."""
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(8)
        tick = QCheckBox()
        tick.setAccessibleName(check.words)
        tick.setChecked(check.id in self.machine.ticked)
        tick.toggled.connect(lambda is_on, c=check: self._tick(c, is_on))
        self._ticks.append(tick)
        row.addWidget(tick, 0, Qt.AlignmentFlag.AlignTop)
        words = _Words(check.words, tick)
        row.addWidget(words, 1)
        return holder

    def _show_go(self) -> None:
        session, machine = self.session, self.machine
        is_linked = machine.opened is not None
        stops = [f for f in session.all_findings if f.severity is Severity.STOP]
        self._stops.setText("\n".join(session.words_of(one) for one in stops[:3]))
        shown(self._stops, bool(stops))
        why = self.why_not()
        file = self.file
        for widget in (self._air_field, self._air_field.property("label"), self._trace):
            shown(widget, is_linked)
        shown(self._go, not self.is_stick)
        if not why and not machine.is_homed:
            self._why.setText("It has not been homed: nothing watches that the file stays within the machine's travel.")
        else:
            self._why.setText(why)
        shown(self._why, bool(self._why.text()) and not self.is_stick)
        self._go.setEnabled(not why)
        number = self._chosen + 1
        is_cut = file is not None and file.digest in machine.done_files
        how = " all the same" if stops else " once more" if is_cut else ""
        self._go.setText(f"Run file {number}{how}" if file is not None else "Run")
        self._trace.setEnabled(file is not None and machine.stage in (Stage.READY, Stage.CHANGE))
        count = len([check for check in self._shown_checks if check.id in machine.ticked])
        self._list_note.setText(f"{count} of {len(self._shown_checks)}" if self._shown_checks else "")


class _Words(QLabel):
    """A press on the words is one on the box."""

    def __init__(self, words: str, tick: QCheckBox) -> None:
        super().__init__(words)
        self.setWordWrap(True)
        self._tick = tick

    def mousePressEvent(self, event) -> None:
        self._tick.toggle()


def _apart(names: list[str], name: str) -> str:
    """A file's name without what all of them begin with, whole words of it: what tells them apart has room then."""
    words = [one.split("-") for one in names]
    count = next((k for k, column in enumerate(zip(*words, strict=False)) if len(set(column)) > 1), 0)
    return f"…{'-'.join(name.split('-')[count:])}" if count > 0 and len(names) > 1 else name


def _clear(column: QVBoxLayout) -> None:
    while column.count():
        item = column.takeAt(0)
        widget = item.widget() if item is not None else None
        if widget is not None:
            widget.hide()
            widget.deleteLater()
