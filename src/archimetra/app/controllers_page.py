"""The controllers: what each wants in its files, with the file that comes of it beside it; one's own are made and changed here."""

from __future__ import annotations

from pathlib import Path as FilePath
from typing import Any, NamedTuple

import msgspec
from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QFont
from PySide6.QtWidgets import (
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QPlainTextEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from archimetra.app.session import Session
from archimetra.app.theme import style
from archimetra.app.widgets.dialogs import no_button_by_return
from archimetra.app.widgets.fields import Choice, ChoiceRow, QuantityField, TextBox, TextField, label, show_kind
from archimetra.app.widgets.form import Form
from archimetra.app.widgets.unfinished import unfinished
from archimetra.base.errors import OutputError
from archimetra.edits.edit import Edit
from archimetra.engine.messages import FilesMade
from archimetra.output.controllers import Controller
from archimetra.output.controllers.of_job import for_controller
from archimetra.output.controllers.profile import check
from archimetra.output.controllers.shelf import controllers, copy_of, drop, keep, own, read, shipped, write
from archimetra.output.controllers.template import FILE_NAMES, NAMES

MOST_LINES_SHOWN = 3000
_YES_NO = (("yes", "Yes"), ("no", "No"))
_PAUSE_MS = 350
_BOX_PX, _SIZE_PX, _FORM_PX = 52, (980, 720), 430


class _Row(NamedTuple):
    """A key of a controller, its words, what can be chosen, and what it is."""

    key: str
    words: str
    options: tuple[tuple[str, str], ...] = ()
    tip: str = ""


_CHOICES = (
    _Row("unit", "Files in", (("job", "As the job"), ("mm", "mm"), ("inch", "inch"))),
    _Row("bit_changes_in_file", "Bit changes", (("yes", "In the file"), ("no", "A file each"))),
    _Row("arcs", "Arcs", (("centre", "As arcs, I J"), ("none", "As lines"))),
    _Row("spindle", "Spindle", (("speed", "Speed"), ("on", "On, off"), ("none", "By hand"))),
    _Row("has_drill_cycles", "Drilling cycles", _YES_NO, "Holes as G81, G82 and G83"),
    _Row("has_bit_lengths", "Knows bit lengths", _YES_NO, "Files do not ask for Z to be zeroed again after a change"),
    _Row("has_spaces", "Spaces", _YES_NO, "Between words"),
    _Row("line_ending", "Line ends", (("lf", "LF"), ("crlf", "CR LF"))),
)
_LINES = (
    _Row("title", "Title", tip="What the window shows"),
    _Row("file_name", "Files are called", tip="\n".join(f"{{{name}}}: {what}" for name, what in FILE_NAMES.items())),
    _Row("extension", "Extension", tip="Of its files, without a dot"),
    _Row("comment", "Comment", tip="How a comment is written, with {text}; empty for none"),
    _Row("dwell", "Wait", tip="How to wait, with {seconds}"),
)
_NUMBERS = (
    _Row("decimals_mm", "Decimals, mm"),
    _Row("decimals_inch", "Decimals, inch"),
    _Row("line_numbers", "Line numbers", tip="The step of N words, 0 for none"),
    _Row("longest_line", "Longest line", tip="Letters a line may have, 0 for any"),
    _Row("comment_width", "Longest comment"),
    _Row("longest_name", "Longest name", tip="Letters a file's name may have, without its ending"),
    _Row("longest_arc_radius", "Largest arc", tip="mm; flatter arcs are written as lines"),
)
_BOXES = (
    _Row("opening", "First of all", tip="The very first lines, before the comments"),
    _Row("start", "Start", tip="After the unit, before anything moves"),
    _Row("before_bit_change", "Before a change", tip="After the bit went up and the spindle stands"),
    _Row("bit_change", "Bit change", tip="The change itself, for the first bit too"),
    _Row("after_bit_change", "After a change"),
    _Row("dust_on", "Dust on", tip="Once the spindle turns"),
    _Row("dust_off", "Dust off", tip="Before it stops"),
    _Row("end", "End"),
)


_WORDS = {row.key: row.words for row in (*_CHOICES, *_LINES, *_NUMBERS, *_BOXES)}


class ControllersPage(QDialog):
    """What is changed is kept at once, if it can be; what cannot is told and not kept."""

    changed = Signal()

    def __init__(self, session: Session, window: QWidget) -> None:
        super().__init__(window)
        self.setWindowTitle("Controllers")
        self.setObjectName("pageBody")
        self._session = session
        self._profile = controllers().get(session.job.controller) or next(iter(controllers().values()))
        self._asked = ""
        self._pause = QTimer(self)
        self._pause.setSingleShot(True)
        self._pause.setInterval(_PAUSE_MS)
        self._pause.timeout.connect(self._try)
        session.files_tried.connect(self._take)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(20, 16, 20, 14)
        whole.setSpacing(16)
        whole.addLayout(self._left(), 0)
        whole.addLayout(self._right(), 1)
        self.resize(style.scaled(_SIZE_PX[0]), min(style.scaled(_SIZE_PX[1]), window.height() - 40))
        no_button_by_return(self)
        self._show()

    # ---- its parts

    def _left(self) -> QVBoxLayout:
        column = QVBoxLayout()
        top = Form()
        self._list = Choice("Controller")
        self._list.activated.connect(self._choose)
        top.row("Controller", self._list)
        column.addWidget(top)
        buttons = QHBoxLayout()
        self._buttons: dict[str, QPushButton] = {}
        for words, does in (
            ("Duplicate", self._duplicate), ("Import …", self._ask_import), ("Export …", self._ask_export), ("Remove", self._remove),
        ):  # fmt: skip
            button = QPushButton(words)
            button.clicked.connect(does)
            buttons.addWidget(button)
            self._buttons[words] = button
        column.addLayout(buttons)
        self._note = label("", "note")
        column.addWidget(self._note)
        self._form = Form()
        self._fields: dict[str, Any] = {}
        for row in _LINES:
            self._add(row, TextField(row.words))
        for row in _CHOICES:
            choice = ChoiceRow(row.words, row.options)
            choice.chosen.connect(lambda value, k=row.key: self._enter(k, value))
            self._fields[row.key] = choice
            self._form.row(row.words, choice).setToolTip(row.tip)
        for row in _NUMBERS:
            self._add(row, QuantityField(row.words))
        for row in _BOXES:
            box = TextBox(row.words, pause_ms=_PAUSE_MS)
            box.setFixedHeight(style.scaled(_BOX_PX))
            box.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
            box.entered.connect(lambda text, k=row.key: self._enter(k, text))
            self._fields[row.key] = box
            self._form.row(row.words, box).setToolTip(row.tip)
        values = self._form.add(
            label(
                "In lines: " + ", ".join(f"{{{name}}}" for name in NAMES if name not in ("text", "seconds")) + ".",
                "note",
            )
        )
        values.setToolTip("\n".join(f"{{{name}}}: {what}" for name, what in NAMES.items()))
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(self._form)
        scroll.setFixedWidth(style.scaled(_FORM_PX))
        self._form.column.setContentsMargins(0, 0, 12, 0)
        column.addWidget(scroll, 1)
        self._told = label("", "note")
        column.addWidget(self._told)
        return column

    def _add(self, row: _Row, field: QuantityField) -> None:
        field.entered.connect(lambda text, k=row.key: self._enter(k, text))
        self._fields[row.key] = field
        self._form.row(row.words, field).setToolTip(row.tip)

    def _right(self) -> QVBoxLayout:
        column = QVBoxLayout()
        self._file_name = label("", "heading")
        column.addWidget(self._file_name)
        self._text = QPlainTextEdit()
        self._text.setReadOnly(True)
        self._text.setAccessibleName("The file as this controller gets it")
        mono = QFont("monospace")
        mono.setStyleHint(QFont.StyleHint.Monospace)
        mono.setPixelSize(11)
        self._text.setFont(mono)
        self._text.setStyleSheet("font-family: monospace; font-size: 11px;")
        self._text.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        column.addWidget(self._text, 1)
        row = QHBoxLayout()
        self._use = QPushButton("Use it for this job")
        self._use.setProperty("kind", "main")
        self._use.clicked.connect(self._use_it)
        close = QPushButton("Close")
        close.clicked.connect(self.close)
        row.addStretch(1)
        row.addWidget(close)
        row.addWidget(self._use)
        column.addLayout(row)
        return column

    # ---- showing

    @property
    def is_own(self) -> bool:
        return self._profile.name in own()[0]

    def _show(self) -> None:
        mine, problems = own()
        known = controllers()
        self._names = list(known)
        words = [f"{profile.title}{'  (own)' if name in mine else ''}" for name, profile in known.items()]
        self._list.blockSignals(True)
        self._list.clear()
        self._list.addItems(words)
        self._list.setCurrentIndex(self._names.index(self._profile.name))
        self._list.blockSignals(False)
        is_own = self._profile.name in mine
        stands_in = is_own and self._profile.name in shipped()
        self._buttons["Remove"].setEnabled(is_own)
        self._buttons["Remove"].setText("Restore" if stands_in else "Remove")
        self._buttons["Remove"].setToolTip("The one that comes with the program again" if stands_in else "")
        self._note.setText("" if is_own else "This one comes with the program. Duplicate it to change it.")
        self._note.setVisible(not is_own)
        if problems:
            self._say(" ".join(problems), is_wrong=True)
        for key, field in self._fields.items():
            field.setEnabled(is_own)
            self._show_field(key, field)
        self._use.setEnabled(self._session.job.controller != self._profile.name)
        self._pause.start()

    def _show_field(self, key: str, field: Any) -> None:
        value = getattr(self._profile, key)
        if isinstance(field, ChoiceRow):
            field.show_value({True: "yes", False: "no"}[value] if isinstance(value, bool) else str(value))
        elif isinstance(field, TextBox):
            field.show_text("\n".join(value))
        else:
            field.show_quantity(f"{value:g}" if isinstance(value, int | float) else value, "")

    def _choose(self, index: int) -> None:
        self._profile = controllers()[self._names[index]]
        self._say("")
        self._show()

    # ---- changing

    def _enter(self, key: str, text: str) -> None:
        """Take what was typed or chosen for a key; what cannot be is told and not kept."""
        try:
            fresh = check(msgspec.structs.replace(self._profile, **{key: self._value(key, text)}))
            keep(fresh)
        except (OutputError, ValueError) as error:
            words = str(error).removeprefix(f"Controller '{self._profile.name}'").lstrip(",: ")
            if words.startswith(key):  # a person knows the field, not the key
                words = _WORDS[key] + words.removeprefix(key)
            for other in (other for other in _WORDS if "_" in other):
                words = words.replace(other, f"'{_WORDS[other]}'")
            self._say(words[0].upper() + words[1:], is_wrong=True)
            field = self._fields[key]
            if isinstance(field, QuantityField):
                field.show_quantity(text, "", is_wrong=True)
            return
        self._profile = fresh
        self._say("")
        job = self._session.job
        if job.controller == fresh.name:  # who changes it before this job's eyes means this job as well
            self._session.note(lambda job: for_controller(job, fresh.name))
        self._show()
        self.changed.emit()

    def _value(self, key: str, text: str) -> Any:
        """What a text comes to for a key. Raises ValueError with a sentence."""
        now = getattr(self._profile, key)
        if isinstance(now, bool):
            return text == "yes"
        if isinstance(now, tuple):
            return tuple(line.rstrip() for line in text.splitlines() if line.strip())
        if isinstance(now, int | float):
            try:
                return type(now)(text.strip().replace(",", "."))
            except ValueError:
                raise ValueError(f"'{text[:20]}' is no {'whole ' if isinstance(now, int) else ''}number.") from None
        return type(now)(text) if type(now) is not str else text

    def _duplicate(self) -> None:
        self._keep_as(copy_of(self._profile, controllers()), "It is yours: change what your machine wants otherwise.")

    def _keep_as(self, profile: Controller, words: str) -> None:
        try:
            keep(profile)
        except OutputError as error:
            self._say(str(error), is_wrong=True)
            return
        self._profile = profile
        self._show()
        self._say(words)
        self.changed.emit()

    def _remove(self) -> None:
        name = self._profile.name
        try:
            drop(name)
        except OutputError as error:
            self._say(str(error), is_wrong=True)
            return
        known = controllers()
        self._profile = known.get(name) or known.get(self._session.job.controller) or next(iter(known.values()))
        self._say("")
        self._show()
        self.changed.emit()

    def _ask_import(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Import a controller", str(FilePath.home()), "Controllers (*.toml)")
        if path:
            self.import_from(FilePath(path))

    def import_from(self, path: FilePath) -> None:
        """Keep a controller from a file; one of that name is not overwritten: it comes in under another."""
        try:
            profile = read(path)
        except OutputError as error:
            self._say(str(error), is_wrong=True)
            return
        known = controllers()
        if profile.name in known and known[profile.name] != profile:
            profile = copy_of(profile, known)
        self._keep_as(profile, f"{path.name} is kept.")

    def _ask_export(self) -> None:
        path, _ = QFileDialog.getSaveFileName(
            self, "Export the controller", str(FilePath.home() / f"{self._profile.name}.toml"), "Controllers (*.toml)"
        )
        if path:
            self.export_to(FilePath(path))

    def export_to(self, path: FilePath) -> None:
        try:
            write(self._profile, path)
        except OutputError as error:
            self._say(str(error), is_wrong=True)
        else:
            self._say(f"It is in {path}.")

    def _use_it(self) -> None:
        unfinished.settle()
        self._session.apply(Edit("Controller", for_controller(self._session.job, self._profile.name)))
        self._use.setEnabled(False)

    # ---- the file beside it

    def _try(self) -> None:
        session = self._session
        plan, engine = session.planning.plan, session.engine
        if plan is None or engine is None or not len(plan.run.blocks):
            self._show_file(None, "Nothing is cut on this board yet, so there is no file to show.")
            return
        self._asked = f"trial {hash(self._profile)} {plan.key}"
        engine.try_files(self._asked, session.job, session.board, plan, self._profile)

    def _take(self, made: FilesMade) -> None:
        if made.key == self._asked:
            self._show_file(made, made.problem)

    def _show_file(self, made: FilesMade | None, problem: str) -> None:
        files = made.files if made is not None else ()
        count = f", the first of {len(files)} files" if len(files) > 1 else ""
        self._file_name.setText(f"{files[0].name}{count}" if files else "No file")
        if not files:
            self._text.setPlainText(problem)
            return
        lines = files[0].text.splitlines()
        more = [f"({len(lines) - MOST_LINES_SHOWN} more lines)"] if len(lines) > MOST_LINES_SHOWN else []
        at = self._text.verticalScrollBar().value()
        self._text.setPlainText("\n".join(lines[:MOST_LINES_SHOWN] + more))
        self._text.verticalScrollBar().setValue(at)

    def _say(self, words: str, *, is_wrong: bool = False) -> None:
        self._told.setText(words)
        show_kind(self._told, "stop" if is_wrong else "note")
