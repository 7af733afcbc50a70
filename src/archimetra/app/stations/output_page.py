"""Output: the controller, the files in running order with what each needs, and writing them."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Collection, Sequence
from pathlib import Path as FilePath

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QFrame, QHBoxLayout, QPushButton, QToolButton, QVBoxLayout

from archimetra.app.all_boards import AllBoards
from archimetra.app.document_window import DocumentWindow
from archimetra.app.stations.page import Page, shown
from archimetra.app.stations.program_panel import ProgramPanel
from archimetra.app.theme.style import scaled
from archimetra.app.theme.tokens import bit_hue
from archimetra.app.widgets.code_pane import CodePane
from archimetra.app.widgets.fields import ChoiceRow, fill, label
from archimetra.app.widgets.form import Form
from archimetra.base.errors import OutputError
from archimetra.base.findings import Severity
from archimetra.edits import basic as edits
from archimetra.edits.edit import Edit
from archimetra.edits.shop import SHOP
from archimetra.edits.writing import count_run, note_written
from archimetra.job.quantities import Unit
from archimetra.output.controllers import Controller, FileUnit, controllers
from archimetra.output.controllers.of_job import controller_of, for_controller, other_on_shelf
from archimetra.output.controllers.shelf import keep
from archimetra.output.files import as_written, file_times, write_files
from archimetra.output.folder import LOSES, Found, State, in_words, look_into
from archimetra.output.gcode_file import GcodeFile
from archimetra.output.times import clock

CODE_PX = 260
NAME_PX = 250


class OutputPage(Page):
    title = "Output"

    def build(self) -> None:
        session = self.session
        self._own = form = self.form.add(Form())
        self.program = ProgramPanel(session, self.tokens)
        self.form.add(self.program.form)
        session.programs.changed.connect(self._show_which)
        self._profiles = list(controllers().values())
        self._controller = self.combo_row(form, "Controller", self._choose_controller)
        self._edit = QPushButton("Controllers …")
        self._edit.setToolTip("Look at what a controller wants in its files; make one of your own")
        self._edit.clicked.connect(self.show_controllers)
        form.row("", self._edit)
        self._copy = form.add(label("", "note"))
        (self._to_shelf, self._from_shelf) = self.buttons(
            form, ("Keep it on the shelf", "For all jobs of this machine", self._keep_on_shelf),
            ("Take the shelf's", "The controller as it is on this machine now", self._take_from_shelf),
        )  # fmt: skip
        self._unit = ChoiceRow("Unit of the files", [(Unit.MM, "Millimetres"), (Unit.INCH, "Inches")])
        form.row("Files in", self._unit)
        self._unit.chosen.connect(
            lambda value: session.apply(edits.change_job(session.job, "Unit of files", output_unit=Unit(value)))
        )
        self._zero = form.add(label("", "note"))
        form.line()
        self._count = form.heading("Files in running order")
        self._files_box = QFrame()
        self._files_column = QVBoxLayout(self._files_box)
        self._files_column.setContentsMargins(0, 0, 0, 0)
        self._files_column.setSpacing(6)
        form.add(self._files_box)
        self._stops = form.add(label("", "stop"))
        self._write = QPushButton("Write the files")
        self._write.setProperty("kind", "main")
        self._write.setToolTip("Ctrl+E")
        self._write.clicked.connect(self._write_or_try)
        form.add(self._write)
        self._again = QPushButton()
        self._again.clicked.connect(self._write_again)
        form.add(self._again)
        self._all: AllBoards | None = None
        more = QHBoxLayout()
        self._all_boards, self._zip = QPushButton("All boards …"), QPushButton("ZIP …")
        self._all_boards.setToolTip("Write the files of all boards into one folder")
        self._zip.setToolTip("The files of all boards, the job sheet and a picture of each board in one ZIP")
        self._all_boards.clicked.connect(self._ask_all)
        self._zip.clicked.connect(self._ask_zip)
        more.addWidget(self._all_boards)
        more.addWidget(self._zip)
        self._sheet = QPushButton("Job sheet …")
        self._sheet.setToolTip(
            "The sheet of paper for the machine: what lies where, files in order, bits, what to watch"
        )
        self._sheet.clicked.connect(self.show_job_sheet)
        more.insertWidget(0, self._sheet)
        form.column.addLayout(more)
        self._read = QPushButton("Read a program …")
        self._read.setToolTip("Show what a G-code file does on this board, whoever wrote it, and what would spoil work")
        self._read.clicked.connect(self.program.ask)
        form.add(self._read)
        self._told = form.add(label("", "note"))
        form.line()
        self._text_name = form.heading("G-code")
        pane = form.add(CodePane("G-code of the file", self.tokens, height=CODE_PX))
        pane.not_found.connect(lambda words: self._say(words, "note"))
        self._text = pane.view
        self._text.line_chosen.connect(self._line_chosen)
        session.playhead.moved.connect(self._mark_line)
        self._files: tuple[GcodeFile, ...] = ()
        self._problem_told = ""
        self._lines_of: GcodeFile | None = None
        self._line_rows: list[int] = []
        self._line_numbers: list[int] = []
        self._cards_of: tuple[object, object] = ((), None)
        self._shown_file = 0
        session.planning.files_made.connect(self.refresh)
        session.planning.changed.connect(self.refresh)  # files of a plan that is out of date are not shown

    def _show_which(self) -> None:
        """The board's own files, or the program that is shown or read."""
        programs = self.session.programs
        is_program = programs.shown is not None or programs.is_reading
        shown(self._own, not is_program)
        shown(self.program.form, is_program)
        self.program.refresh()

    def refresh(self) -> None:
        self._show_which()
        session = self.session
        self._profiles = list(controllers().values())
        names = [profile.name for profile in self._profiles]
        index = names.index(session.job.controller) if session.job.controller in names else -1
        try:
            chosen: Controller | None = controller_of(session.job)
        except OutputError:
            chosen = None
        titles = [profile.title for profile in self._profiles]
        if index < 0 and chosen is not None:  # the job brought it along
            self._profiles, index = [*self._profiles, chosen], len(titles)
            titles.append(f"{chosen.title}, with the job")
        fill(self._controller, titles, index)
        self._show_copy()
        unit = chosen.unit_for(session.job.output_unit) if chosen is not None else session.job.output_unit
        self._unit.show_value(unit)
        self._unit.setEnabled(chosen is None or chosen.unit is FileUnit.JOB)
        self._unit.setToolTip("" if self._unit.isEnabled() else "This controller's files are always in this unit")
        known = session.planning.plan
        if known is not None and (len(known.setups) > 1 or (known.setups and known.setups[0].zero_name)):
            each = {setup.zero_name for setup in known.setups}
            where = each.pop() if len(each) == 1 else "a point of its own in each tile, named in its file"
            self._zero.setText(f"X Y zero: {where}; Z zero: {session.board.zero.z.value}.")
        else:
            self._zero.setText(session.board.zero.sentence(session.board.sheet) + ".")
        if not self.widget.isVisible():
            return  # files are written only where someone looks
        self._show_files()
        plan = session.planning.plan
        stops = [f for f in session.all_findings if f.severity is Severity.STOP] if plan is not None else []
        problem = session.planning.files_problem
        if problem and index < 0 and problem != self._problem_told:  # of any other the session has said so
            session.said.emit("stop", problem)
        self._problem_told = problem
        self._stops.setText("\n".join([*([problem] if problem else []), *(session.words_of(f) for f in stops[:4])]))
        shown(self._stops, bool(stops or problem))
        shown(self._told, bool(self._told.text()))
        folder = self._usual_folder()
        shown(self._again, bool(folder) and bool(self._files))
        words = f"Write {'again ' if session.board.written is not None else ''}into {FilePath(folder).name or folder}"
        self._again.setText(self._again.fontMetrics().elidedText(words, Qt.TextElideMode.ElideMiddle, scaled(NAME_PX)))
        self._again.setToolTip(folder)
        self._write.setEnabled(bool(self._files or (session.planning.files_problem and index >= 0)))
        words = "Write the files all the same" if stops else "Write the files"
        self._write.setText("Try again" if session.planning.files_problem else words)

    @property
    def files(self) -> tuple[GcodeFile, ...]:
        return self._files

    def _show_files(self) -> None:
        if not self.session.planning.want_files():
            problem = self.session.planning.files_problem
            self._count.setText("planning" if self.session.planning.is_planning else "failed" if problem else "writing")
            self._files, self._cards_of = (), ((), None)
            return
        shown_now = self.session.planning.files, self.session.board.written
        if self._cards_of == shown_now and self._files_column.count():
            return
        self._cards_of = shown_now
        self._files = self.session.planning.files
        self._shown_file = min(self._shown_file, max(len(self._files) - 1, 0))
        while self._files_column.count():
            item = self._files_column.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.deleteLater()
        for number, file in enumerate(self._files):
            self._files_column.addWidget(self._card(number, file))
        if not self._files:
            self._files_column.addWidget(label("No cuts yet, so no files.", "note"))
        self._count.setText(f"{len(self._files)}" if self._files else "")
        self._show_text()

    def _card(self, number: int, file: GcodeFile) -> QFrame:
        card = QFrame()
        card.setProperty("kind", "card")
        column = QVBoxLayout(card)
        column.setContentsMargins(8, 6, 8, 6)
        column.setSpacing(2)
        name = QPushButton()
        words = f"{number + 1}  {file.name}"  # too long, its middle goes: its ends say which file it is
        name.setText(name.fontMetrics().elidedText(words, Qt.TextElideMode.ElideMiddle, scaled(NAME_PX)))
        name.setAccessibleName(words)
        name.setProperty("kind", "link")
        name.setStyleSheet("text-align: left;")
        name.setToolTip(f"{file.name}: show its G-code below")
        name.clicked.connect(lambda _c=False, n=number: self._choose_file(n))
        column.addWidget(name)
        column.addWidget(label(self._needs(number, file), "note"))
        column.addLayout(self._runs_row(file))
        return card

    def _runs_row(self, file: GcodeFile) -> QHBoxLayout:
        """How often the file was cut, as it is now: counted by hand, for a job that is taken up again."""
        row = QHBoxLayout()
        row.setSpacing(4)
        written = self.session.board.written
        digest = file.digest
        known = (
            next((f for f in written.files if (f.name, f.digest) == (file.name, digest)), None)
            if written is not None
            else None
        )
        if written is None:
            return row
        if known is None:
            row.addWidget(label("Not written as it is now.", "note"))
            return row
        words = "not cut yet" if not known.runs else "cut" if known.runs == 1 else f"cut {known.runs} times"
        said = label(words, "note")
        said.setWordWrap(False)
        row.addWidget(said)
        row.addStretch(1)
        for text, tip, by in (("−", "Count one less", -1), ("Mark cut", "Count this file as cut once more", 1)):
            button = QToolButton()
            button.setText(text)
            button.setProperty("kind", "small")
            button.setToolTip(tip)
            button.setAccessibleName(f"{tip}: {file.name}")
            button.setEnabled(by > 0 or known.runs > 0)
            button.clicked.connect(lambda _c=False, n=file.name, b=by: self._count_run(n, b))
            row.addWidget(button)
        return row

    def _count_run(self, name: str, by: int) -> None:
        board = self.session.board_id
        self.session.note(lambda job: count_run(job, board, name, by))

    def _needs(self, number: int, file: GcodeFile) -> str:
        """What a file needs: how the board lies, the bits, the time, what to set again."""
        plan = self.session.planning.plan
        bits = ", ".join(f"{bit.letter} {bit.name}" for bit in file.bits)
        if not file.blocks or plan is None:
            return f"Before the board is laid on the machine: makes the holes for the pins in the bed. Needs {bits}, {len(file.rows)} lines."
        first = file.blocks[0]
        seconds = file_times(plan.times, self._files)[number]
        before = self._files[number - 1].blocks if number else ()
        stays = bool(before) and before[-1].bit == first.bit
        again = " Set Z zero again after the bit." if (number and not stays) or len(file.bits) > 1 else ""
        lies = ""
        if len(plan.setups) > 1:
            setup = plan.setups[first.setup]
            is_new = not before or before[-1].setup != first.setup
            is_pinned = bool(setup.pins) and is_new
            lies = f"{setup.name}: shift the board onto its pins first. " if is_pinned else f"{setup.name}. "
        return f"{lies}Needs {bits}. {clock(seconds)}, {len(file.rows)} lines.{again}"

    def _choose_file(self, number: int) -> None:
        self._shown_file = number
        self._show_text()

    def _show_text(self) -> None:
        if not self._files:
            self._text.show_text("")
            self._text_name.setText("")
            return
        file = self._files[self._shown_file]
        places = sorted({bit.place for bit in file.bits})
        self._text.show_text(file.text, self._bits_of_lines(file, places), [bit_hue(place) for place in places])
        self._text_name.setText(file.name if len(file.name) < 34 else file.name[:31] + "…")
        self._mark_line()

    def _bits_of_lines(self, file: GcodeFile, places: list[int]) -> list[int]:
        """Which of the bits' places each line belongs to, -1 for those that move nothing."""
        job = self.session.job
        ends = [block.last for block in file.blocks]
        of_block = [
            places.index(bit.place) if (bit := job.bit(block.bit)) is not None and bit.place in places else -1
            for block in file.blocks
        ]
        return [
            of_block[min(bisect_right(ends, row), len(ends) - 1)] if row >= 0 and ends else -1
            for row in file.rows.tolist()
        ]

    def _mark_line(self) -> None:
        """The line that is carried out at the moment shown is marked, in the file that holds it."""
        plan = self.session.planning.plan
        if plan is None or not self._files or not self.widget.isVisible():
            return
        row = int(plan.times.ends.searchsorted(self.session.playhead.seconds - 1e-9))
        file = self._files[self._shown_file]
        if self._lines_of is not file:
            known = [(r, line) for line, r in enumerate(file.rows.tolist()) if r >= 0]
            known.sort()
            self._lines_of, self._line_rows, self._line_numbers = (
                file,
                [r for r, _ in known],
                [line for _, line in known],
            )
        k = bisect_left(self._line_rows, row)
        is_here = file.blocks and file.blocks[0].first <= row < file.blocks[-1].last and k < len(self._line_rows)
        self._text.mark(self._line_numbers[k] if is_here else -1)

    def _line_chosen(self, line: int) -> None:
        """The chosen line is the moment shown."""
        plan = self.session.planning.plan
        if plan is None or not self._files:
            return
        rows = self._files[self._shown_file].rows
        if line < len(rows) and rows[line] >= 0:
            self.session.playhead.go_to(float(plan.times.ends[rows[line]]))

    def _choose_controller(self, index: int) -> None:
        self.session.apply(Edit("Controller", for_controller(self.session.job, self._profiles[index].name)))

    def _show_copy(self) -> None:
        """How the job's copy of its controller stands to the shelf's."""
        how = other_on_shelf(self.session.job)
        words = {
            "missing": "It is not on this machine: the job brought it along.",
            "changed": "It was changed on this machine since the job took it. Files follow the job's copy.",
        }
        self._copy.setText(words.get(how, ""))
        shown(self._copy, bool(how))
        shown(self._to_shelf, how == "missing")
        shown(self._from_shelf, how == "changed")

    def _keep_on_shelf(self) -> None:
        try:
            keep(controller_of(self.session.job))
        except OutputError as error:
            self._say(str(error), "stop")
        self.refresh()

    def _take_from_shelf(self) -> None:
        job = self.session.job
        self.session.apply(Edit("Take the shelf's controller", for_controller(job, job.controller)))

    @property
    def all_boards(self) -> AllBoards:
        """What writes all boards."""
        if self._all is None:
            window = self.widget.window()
            assert isinstance(window, DocumentWindow)
            self._all = AllBoards(window)
            self._all.said.connect(lambda kind, words: self._say(words, kind))
            self._all.progress.connect(self._show_all_progress)
        return self._all

    def _show_all_progress(self, share: float) -> None:
        is_running = share < 1.0
        for button in (self._all_boards, self._zip):
            button.setEnabled(not is_running)
        if is_running:
            self._told.setText(f"Working out all boards, {100 * share:.0f} %")
            shown(self._told, True)
        elif self._told.text().startswith("Working out all"):
            self._told.setText("")

    def _ask_all(self) -> None:
        folder = QFileDialog.getExistingDirectory(self.widget, "Write the files of all boards into")
        if folder:
            self.all_boards.write_into(FilePath(folder))

    def _ask_zip(self) -> None:
        session = self.session
        start = session.path.parent if session.path is not None else FilePath.home()
        name = f"{session.job.name}.zip".replace("/", "-")
        path, _ = QFileDialog.getSaveFileName(self.widget, "Everything as ZIP", str(start / name), "ZIP (*.zip)")
        if path:
            self.all_boards.zip_to(FilePath(path))

    def show_controllers(self) -> None:
        """The controllers there are, and what each wants in its files."""
        from archimetra.app.controllers_page import ControllersPage

        page = ControllersPage(self.session, self.widget.window())
        page.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        page.changed.connect(self.refresh)
        page.open()

    def show_job_sheet(self) -> None:
        """The pages of the job sheet, to be saved or printed."""
        from archimetra.app.job_sheet import JobSheetPage

        page = JobSheetPage(self.session, self.widget.window())
        page.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        page.open()

    def _write_or_try(self) -> None:
        if self.session.planning.files_problem:
            self.session.planning.want_files(again=True)
            self.refresh()
        else:
            self.ask_for_folder()

    def ask_for_folder(self) -> None:
        usual = self._usual_folder()
        start = usual if usual and FilePath(usual).is_dir() else ""
        folder = QFileDialog.getExistingDirectory(self.widget, "Write the files into", start)
        if folder:
            self.write_into(FilePath(folder))

    def _usual_folder(self) -> str:
        """Where the board's files were written last; else where the shop says those of its machine go; else ''."""
        written = self.session.board.written
        if written is not None:
            return written.folder
        router = SHOP.at_hand()[0].named(self.session.job.machine.name)
        return router.folder if router is not None else ""

    def _write_again(self) -> None:
        """Into the folder they were written into last, or the machine's own, unless it has gone."""
        usual = self._usual_folder()
        if not usual:
            return
        folder = FilePath(usual)
        if folder.is_dir():
            self.write_into(folder)
        else:
            self._say(
                f"{folder} is not there: nothing was written. Put the stick in, or write into another folder.",
                "caution",
            )

    def write_into(self, folder: FilePath, *, over: Collection[Found] = ()) -> None:
        """Write all files of the board; say where, or what went wrong. What would be lost is asked about first, but for
        what was asked about already, ``over``."""
        if self.session.programs.shown is not None:
            self._say("Nothing was written: a program is shown. Go back to the cuts of the job first.", "caution")
            return
        if not self.session.planning.want_files(again=True):
            self._say(
                "Nothing was written: the files are still being worked out. Write them again in a moment.", "caution"
            )
            return
        files, plan, board = self.session.planning.files, self.session.planning.plan, self.session.board
        found = look_into(folder, files, self.session.job.name, board.written)
        lost = [one for one in found if one.state in LOSES]
        if any(one not in over for one in lost):
            self._ask_over(folder, lost)
            return
        try:
            written = write_files(list(files), folder)
        except OutputError as error:
            self._say(str(error), "stop")
            return
        if plan is not None:
            record = as_written(self.session.job, board, files, folder, plan.key)
            self.session.note(lambda job: note_written(job, board.id, record))
        before = [one for one in found if one.state is not State.NEW]
        same = sum(one.state is State.SAME for one in before)
        words = f"{len(written)} file{'' if len(written) == 1 else 's'} written to {folder}."
        if before:
            replaced = len(before) - same
            words += f" {same} of them lay there as they are, {replaced} {'was' if replaced == 1 else 'were'} replaced."
        self._say(words, "note")

    def _ask_over(self, folder: FilePath, lost: Sequence[Found]) -> None:
        """Whether files that somebody changed, or that are of another job, are to be replaced."""
        window = self.widget.window()
        assert isinstance(window, DocumentWindow)
        window.ask(
            "caution", f"In {folder} {in_words(lost)}. Replace what is there?",
            ("Replace", lambda: self.write_into(folder, over=lost)), ("Another folder …", self.ask_for_folder),
            about="files",
        )  # fmt: skip

    def _say(self, words: str, kind: str) -> None:
        self._told.setText(words)
        shown(self._told, True)
        self._told.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.session.said.emit(kind, words)
