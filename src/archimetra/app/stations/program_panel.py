"""A program of somebody's on the board: what it does, what would spoil work, its lines, and in what it differs from another."""

from __future__ import annotations

from pathlib import Path as FilePath

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from archimetra.app.session.session import Session
from archimetra.app.stations.artwork.panel import clear_rows
from archimetra.app.stations.page import Rows, shown
from archimetra.app.theme.tokens import Tokens, bit_hue
from archimetra.app.widgets.code_pane import CodePane
from archimetra.app.widgets.code_view import CodeView, TextLines
from archimetra.app.widgets.fields import fill, label
from archimetra.app.widgets.form import Form
from archimetra.base.findings import Finding, Severity, worded
from archimetra.engine.messages import Program
from archimetra.job.quantities import lengths_in
from archimetra.output.gcode_file import GcodeFile

CODE_PX, DIFFERENCES_PX = 300, 130
MOST_SAID = 14
PROGRAM_ENDINGS = (".nc", ".ngc", ".iso", ".gcode", ".tap", ".cnc", ".g", ".ncc", ".din", ".eia")
PROGRAMS = f"Programs ({' '.join('*' + ending for ending in (*PROGRAM_ENDINGS, '.txt'))});;All files (*)"
_ANOTHER = "another file …"
_KINDS = {Severity.STOP: "stop", Severity.CAUTION: "caution", Severity.NOTE: "note"}


class ProgramPanel(Rows):
    def __init__(self, session: Session, tokens: Tokens) -> None:
        super().__init__(session, tokens)
        form = self.form
        self._name = form.heading("Program")
        self._where = form.add(label("", "note"))
        (self._back, self._other) = self.buttons(
            form, ("Back to the cuts", "Show the cuts of this job again", self.session.planning.end_program),
            ("Another …", "Read another program", self.ask),
        )  # fmt: skip
        self._bits_form = form.add(Form())
        self._bit = self.combo_row(self._bits_form, "Bit", self._choose_bit)
        self._bits_form.add(label("It names no bit. This one is shown in its place.", "note"))
        self._does = form.add(label("", "note"))
        form.line()
        self._count = form.heading("What would spoil work")
        self._told = Form()
        form.add(self._told)
        form.line()
        form.heading("Its lines")
        self.pane = form.add(CodePane("Lines of the program", self.tokens, height=CODE_PX))
        self.pane.not_found.connect(lambda words: self.session.said.emit("note", words))
        self.code.line_chosen.connect(self._line_chosen)
        form.line()
        self._with_form = form.add(Form())
        self._with = self.combo_row(self._with_form, "Compare with", self._compare)
        self._differs_words = form.add(label("", "note"))
        self.differences = CodeView("Differences", self.tokens)
        self.differences.setFixedHeight(DIFFERENCES_PX)
        self.differences.line_chosen.connect(self._difference_chosen)
        form.add(self.differences)
        self._shown: Program | None = None
        self._files: tuple[GcodeFile, ...] = ()
        self._compared: object = None
        self.session.playhead.moved.connect(self._mark_line)
        self.session.programs.problem.connect(lambda words: self.session.said.emit("stop", words))

    @property
    def code(self) -> CodeView:
        return self.pane.view

    @property
    def program(self) -> Program | None:
        return self.session.programs.shown

    def ask(self) -> None:
        session = self.session
        written = session.board.written
        known = session.programs.path or (written.folder if written is not None else "")
        path, _ = QFileDialog.getOpenFileName(self.form, "Read a program", known, PROGRAMS)
        if path:
            self.read(path)

    def read(self, path: str) -> None:
        """On the shown board; of one in tiles in the zero of the tile that is shown."""
        session = self.session
        plan, number = session.planning.plan, session.setup_shown
        setup = plan.setups[number] if plan is not None and number is not None and number < len(plan.setups) else None
        session.programs.open(path, setup=setup)

    # ---- what is shown

    def refresh(self) -> None:
        session, program = self.session, self.program
        programs = session.programs
        name = FilePath(programs.path).name
        self._name.setText(name if len(name) < 30 else name[:27] + "…")
        if program is None:
            words = f"{name} is being read."
        elif not program.is_whole:
            words = f"Its beginning, on '{session.board.name}'; the rest is being read."
        else:
            words = f"Shown on '{session.board.name}' instead of its cuts, from X Y Z zero of the board."
        self._where.setText(words)
        for widget in (self._does, self._told, self._count, self.pane, self._with_form, self._back):
            shown(widget, program is not None)
        self._show_bits(program)
        self._show_differences()
        if program is self._shown:
            return
        self._shown = program
        if program is None:
            return
        unit = lengths_in(session.job.unit)
        self._does.setText(" ".join(worded(line, unit) for line in program.summary))
        self._show_told(program)
        self._show_lines(program)
        self._fill_others()

    def _show_bits(self, program: Program | None) -> None:
        bits = self.session.job.bits
        is_open = program is not None and not program.names_bits and bool(program.plan.run.blocks)
        shown(self._bits_form, is_open)
        if program is not None and is_open:
            ids = [bit.id for bit in bits]
            at = program.plan.run.blocks[0].bit
            fill(self._bit, [f"{bit.letter}  {bit.name}" for bit in bits], ids.index(at) if at in ids else -1)

    def _choose_bit(self, index: int) -> None:
        bits = self.session.job.bits
        if 0 <= index < len(bits):
            self.session.programs.show_with(bits[index].id)

    def _show_told(self, program: Program) -> None:
        clear_rows(self._told)
        found = sorted(program.plan.findings, key=lambda one: list(_KINDS).index(one.severity))
        self._count.setText(str(len(found)) if found else "nothing found")
        for one in found[:MOST_SAID]:
            self._told.add(self._row(one))
        if len(found) > MOST_SAID:
            self._told.add(label(f"And {len(found) - MOST_SAID} more, told by 'archimetra read'.", "note"))

    def _row(self, one: Finding) -> QWidget:
        """What it is, what to do, and the line, which leads there."""
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(0, 0, 0, 2)
        words = QVBoxLayout()
        words.setSpacing(1)
        unit = lengths_in(self.session.job.unit)
        words.addWidget(label(worded(one.words, unit), _KINDS[one.severity]))
        if one.mend:
            words.addWidget(label(worded(one.mend, unit), "note"))
        row.addLayout(words, 1)
        number = one.place.removeprefix("line ")
        if number.isdigit():
            show = QPushButton(one.place)
            show.setProperty("kind", "link")
            show.setToolTip("Go to that line and its moment")
            show.clicked.connect(lambda _c=False, line=int(number): self.show_line(line))
            row.addWidget(show, 0, Qt.AlignmentFlag.AlignTop)
        return holder

    def _show_lines(self, program: Program) -> None:
        hues = [bit_hue(bit.place) for bit in self.session.job.bits]
        self.code.show_lines(TextLines(program.letters.data, program.ends), program.widest, program.bits, hues)
        self._mark_line()

    # ---- lines and moments

    def _mark_line(self) -> None:
        program = self.program
        if program is None or self._shown is not program or not self.form.isVisible():
            return
        ends = program.plan.times.ends
        row = min(int(ends.searchsorted(self.session.playhead.seconds - 1e-9)), len(ends) - 1)
        self.code.mark(int(program.lines[row]) - 1)

    def _line_chosen(self, line: int) -> None:
        """The chosen line, counted from 0, is the moment shown."""
        program = self.program
        if program is None:
            return
        row = int(np.searchsorted(program.lines, line + 1, side="right")) - 1
        if 0 < row < len(program.lines) and program.lines[row] == line + 1:
            self.session.playhead.go_to(float(program.plan.times.ends[row]))

    def show_line(self, line: int) -> None:
        """Pick a line, counted from 1, and go to its moment."""
        self.code.choose(line - 1)

    # ---- in what it differs

    def _fill_others(self) -> None:
        """The board's own files as they were worked out last, and any other."""
        self._files = self.session.planning.files
        fill(self._with, ["", *(file.name for file in self._files), _ANOTHER], 0)

    def _compare(self, index: int) -> None:
        if index <= 0:
            return
        if index <= len(self._files):
            file = self._files[index - 1]
            self.session.programs.compare(file.name, file.text)
            return
        path, _ = QFileDialog.getOpenFileName(self.form, "Compare with", self.session.programs.path, PROGRAMS)
        if path:
            self.session.programs.compare(path)

    def _show_differences(self) -> None:
        programs = self.session.programs
        made = programs.differs
        shown(self._differs_words, bool(programs.compared_with))
        shown(self.differences, made is not None and bool(made.found))
        name = FilePath(programs.compared_with).name
        if made is None:
            self._differs_words.setText(f"Being compared with {name}.")
            return
        if made is self._compared:
            return
        self._compared = made
        if made.problem and not made.found:
            words = made.problem
        elif not made.found:
            words = f"The same moves as {name}."
        else:
            words = f"{len(made.found)} differences to {name}; its line behind the stroke. {made.problem}"
        self._differs_words.setText(words)
        unit = lengths_in(self.session.job.unit)
        self.differences.show_text(
            "\n".join(f"{line or '-'} | {other or '-'}  {worded(words, unit)}" for line, other, words in made.found)
        )

    def _difference_chosen(self, index: int) -> None:
        made = self.session.programs.differs
        if made is not None and 0 <= index < len(made.found) and made.found[index][0]:
            self.show_line(made.found[index][0])
