"""The shop: the machines that are really there and what each is fed, the sheets on the shelf, the units new jobs begin with."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path as FilePath
from typing import Any

import msgspec
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import (
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QListWidget,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from archimetra.app.session import Session
from archimetra.app.theme import style
from archimetra.app.widgets.dialogs import no_button_by_return
from archimetra.app.widgets.fields import Choice, ChoiceRow, QuantityField, TextField, fill, label, show_kind
from archimetra.app.widgets.form import Form
from archimetra.app.widgets.unfinished import unfinished
from archimetra.base.errors import JobFileError
from archimetra.edits import shop as shops
from archimetra.edits.shop import SHOP, HomeAt, Router, Shop
from archimetra.job.quantities import QuantityError, Unit, format_length, parse_length, parse_number
from archimetra.output.controllers import FileUnit, controllers
from archimetra.output.controllers.of_job import for_controller

replace = msgspec.structs.replace

TRAVELS = (("Travel X", "travel_x"), ("Travel Y", "travel_y"), ("Travel Z", "travel_z"))
NUMBERS = (
    ("Fastest cut", "max_feed", "mm/min", "No feed in a file is faster"),
    ("Rapids across", "rapid_xy", "mm/min", "In the air, along X and Y"),
    ("Rapids up, down", "rapid_z", "mm/min", "Along Z"),
    ("Slowest spindle", "min_rpm", "rpm", "What asks for less turns so, and feeds along with it"),
    ("Fastest spindle", "max_rpm", "rpm", "What asks for more turns so, and feeds along with it"),
    ("Spindle starts in", "spindle_start_s", "s", "Until it turns at its speed"),
    ("Bit change takes", "bit_change_s", "s", "Counted in the time of a run"),
    ("Acceleration", "acceleration", "mm/s²", "Along X and Y"),
    ("Acceleration, Z", "acceleration_z", "mm/s²", "Along Z"),
)
_UNITS = ((Unit.MM, "Millimetres"), (Unit.INCH, "Inches"))
_LEFT_PX, _SIZE_PX, _LIST_PX = 290, (760, 640), 96


class ShopPage(QDialog):
    """What is changed is kept at once and can be taken back; another window's changes are never written over."""

    changed = Signal()
    look_chosen = Signal(str)

    def __init__(self, session: Session, window: QWidget, *, look: str = "system") -> None:
        super().__init__(window)
        self.setWindowTitle("The shop")
        self.setObjectName("pageBody")
        self._session, self._look = session, look
        self.shop, problem = SHOP.at_hand()
        self._at = self.shop.at
        self._done: list[tuple[Shop, Shop]] = []
        self._undone: list[tuple[Shop, Shop]] = []
        whole = QHBoxLayout(self)
        whole.setContentsMargins(20, 16, 20, 14)
        whole.setSpacing(20)
        whole.addLayout(self._left(), 0)
        whole.addLayout(self._right(), 1)
        self.resize(style.scaled(_SIZE_PX[0]), min(style.scaled(_SIZE_PX[1]), window.height() - 40))
        no_button_by_return(self)
        for keys, does in ((QKeySequence.StandardKey.Undo, self.undo), (QKeySequence.StandardKey.Redo, self.redo)):
            QShortcut(keys, self, does)
        self._show()
        self._say(problem, is_wrong=bool(problem))

    # ---- its parts

    def _left(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        column.addWidget(label("Machines", "heading"))
        self.machines = self._list("Machines", self._choose)
        column.addWidget(self.machines)
        row = QHBoxLayout()
        self._add = self._button(
            row, "Add this job's", "The machine of the open job as one of the shop", self._add_jobs
        )
        self._copy = self._button(
            row, "Duplicate", "", lambda: self._change(lambda s: shops.copy_router(s, self._at), 1)
        )
        self._drop = self._button(row, "Remove", "", self._remove)
        column.addLayout(row)
        self._first = QPushButton("New jobs are for it")
        self._first.clicked.connect(lambda: self._change(lambda s: replace(s, at=self._at)))
        column.addWidget(self._first)
        column.addSpacing(10)
        column.addWidget(label("Sheets on the shelf", "heading"))
        self.sheets = self._list("Sheets on the shelf", lambda _row: self._show_buttons())
        column.addWidget(self.sheets)
        self._sheet_name = TextField("Name of the sheet")
        naming = Form()
        naming.row("Keep one as", self._sheet_name)
        self._sheet_name.setToolTip("Empty: its material and its size")
        column.addWidget(naming)
        row = QHBoxLayout()
        self._keep_sheet = self._button(
            row,
            "Keep the board's",
            "The sheet of the shown board: size, outline, readings, material, flaws",
            self._add_sheet,
        )
        self._lay = self._button(row, "Lay it", "Lay the chosen sheet on the shown board", self._lay_sheet)
        self._drop_sheet = self._button(row, "Remove", "Take the chosen sheet off the shelf", self._remove_sheet)
        column.addLayout(row)
        column.addSpacing(10)
        form = Form()
        self._unit = ChoiceRow("Fields of new jobs in", _UNITS)
        self._unit.chosen.connect(lambda value: self._change(lambda s: replace(s, unit=Unit(value))))
        form.row("Fields in", self._unit)
        looks = ChoiceRow("Look", (("light", "Light"), ("dark", "Dark"), ("system", "System")))
        looks.show_value(self._look)
        looks.chosen.connect(looks.show_value)
        looks.chosen.connect(self.look_chosen)
        form.row("Look", looks)
        column.addWidget(form)
        column.addStretch(1)
        return column

    def _list(self, name: str, chosen: Callable[[int], object]) -> QListWidget:
        made = QListWidget()
        made.setAccessibleName(name)
        made.setProperty("kind", "shelf")
        made.setFixedSize(style.scaled(_LEFT_PX), style.scaled(_LIST_PX))
        made.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        made.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        made.currentRowChanged.connect(chosen)
        return made

    def _button(self, row: QHBoxLayout, words: str, tip: str, does: Callable[[], object]) -> QPushButton:
        button = QPushButton(words)
        button.setProperty("kind", "small")
        button.setToolTip(tip)
        button.clicked.connect(lambda _c=False: does())
        row.addWidget(button)
        return button

    def _right(self) -> QVBoxLayout:
        column = QVBoxLayout()
        form = Form()
        self._name = TextField("Machine name")
        self._name.entered.connect(lambda text: self._enter(name=text.strip()[:60]))
        form.row("Its name", self._name)
        self._fields: dict[str, QuantityField] = {}
        for words, key in TRAVELS:
            self._field(form, words, key, "").entered.connect(lambda text, k=key: self._enter_length(k, text))
        for words, key, _unit, tip in NUMBERS:
            self._field(form, words, key, tip).entered.connect(lambda text, k=key: self._enter_number(k, text))
        form.line()
        self._plate = QuantityField("Probe plate")
        self._plate.entered.connect(self._enter_plate)
        form.row("Probe plate is", self._plate)
        self._home = Choice("Home")
        self._home.addItems([one.value for one in HomeAt])
        self._home.activated.connect(lambda k: self._router(home=list(HomeAt)[k]))
        form.row("Home is", self._home).setToolTip("Where it stands when it has found its home, seen from its front")
        form.line()
        self._controller = Choice("Controller")
        self._controller.activated.connect(self._choose_controller)
        form.row("Controller", self._controller)
        self._files_in = ChoiceRow("Unit of files", _UNITS)
        self._files_in.chosen.connect(lambda value: self._router(output_unit=Unit(value)))
        form.row("Files in", self._files_in)
        self._folder = QPushButton()
        self._folder.setToolTip("Where its files go: a stick, a share. Press to choose another folder")
        self._folder.clicked.connect(self._ask_folder)
        form.row("Files go to", self._folder)
        self._nowhere = QPushButton("Wherever they went last")
        self._nowhere.setProperty("kind", "link")
        self._nowhere.clicked.connect(lambda: self._router(folder=""))
        form.row("", self._nowhere)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(form)
        form.column.setContentsMargins(0, 0, 12, 0)
        column.addWidget(scroll, 1)
        self._told = label("", "note")
        column.addWidget(self._told)
        row = QHBoxLayout()
        self._undo, self._redo = QPushButton("Undo"), QPushButton("Redo")
        self._undo.clicked.connect(self.undo)
        self._redo.clicked.connect(self.redo)
        self._use = QPushButton("Use it for this job")
        self._use.setProperty("kind", "main")
        self._use.clicked.connect(self._use_it)
        close = QPushButton("Close")
        close.clicked.connect(self.close)
        for button in (self._undo, self._redo):
            row.addWidget(button)
        row.addStretch(1)
        row.addWidget(close)
        row.addWidget(self._use)
        column.addLayout(row)
        return column

    def _field(self, form: Form, words: str, key: str, tip: str) -> QuantityField:
        field = self._fields[key] = QuantityField(words)
        form.row(words, field).setToolTip(tip)
        return field

    # ---- showing

    @property
    def router(self) -> Router:
        """The machine that is shown."""
        return self.shop.routers[self._at]

    def _show(self) -> None:
        shop, router = self.shop, self.router
        machine = router.machine
        names = [f"{one.machine.name}{'   (new jobs)' if k == shop.at else ''}" for k, one in enumerate(shop.routers)]
        _fill_list(self.machines, names, self._at)
        _fill_list(self.sheets, [one.name for one in shop.sheets], min(self.sheets.currentRow(), len(shop.sheets) - 1))
        self._name.show_text(machine.name)
        unit = self._session.job.unit
        for _, key in TRAVELS:
            self._fields[key].show_quantity(format_length(getattr(machine, key), unit), str(unit))
        for _, key, words, _tip in NUMBERS:
            self._fields[key].show_quantity(f"{getattr(machine, key):g}", words)
        self._plate.show_quantity(format_length(router.plate, unit), f"{unit} thick")
        self._home.setCurrentIndex(list(HomeAt).index(router.home))
        self._profiles = list(controllers().values())
        known = [profile.name for profile in self._profiles]
        at = known.index(router.controller) if router.controller in known else -1
        fill(self._controller, [profile.title for profile in self._profiles], at)
        is_open = at < 0 or self._profiles[at].unit is FileUnit.JOB
        self._files_in.setEnabled(is_open)
        self._files_in.show_value(router.output_unit if is_open else self._profiles[at].unit_for(router.output_unit))
        self._folder.setText(FilePath(router.folder).name or router.folder or "Choose a folder …")
        self._folder.setToolTip(router.folder)
        self._nowhere.setVisible(bool(router.folder))
        self._unit.show_value(shop.unit)
        self._show_buttons()

    def _show_buttons(self) -> None:
        shop, job = self.shop, self._session.job
        self._first.setEnabled(shop.at != self._at)
        self._drop.setEnabled(len(shop.routers) > 1)
        self._add.setEnabled(all(shops.as_router(job, one) != one for one in shop.routers))
        has_sheet = 0 <= self.sheets.currentRow() < len(shop.sheets)
        self._lay.setEnabled(has_sheet)
        self._drop_sheet.setEnabled(has_sheet)
        self._undo.setEnabled(bool(self._done))
        self._redo.setEnabled(bool(self._undone))
        self._use.setEnabled(bool(shops.differences(job, self.router)))

    def _choose(self, row: int) -> None:
        if 0 <= row < len(self.shop.routers) and row != self._at:
            unfinished.settle()
            self._at = row
            self._say("")
            self._show()

    def _say(self, words: str, *, is_wrong: bool = False) -> None:
        self._told.setText(words)
        show_kind(self._told, "stop" if is_wrong else "note")
        self._told.setVisible(bool(words))

    # ---- changing

    def _change(self, change: Callable[[Shop], Shop], step: int = 0) -> bool:
        """Keep the shop changed as it is by now on disk; whether it is. ``step`` is how far the shown machine moves."""
        try:
            now = SHOP.load()
            fresh = change(now)
            SHOP.save(fresh)
        except (JobFileError, ValueError) as error:
            words = str(error)
            self._say(words[:1].upper() + words[1:] + ("" if words.endswith(".") else "."), is_wrong=True)
            self._show()
            return False
        if fresh != now:
            self._done.append((now, fresh))
            self._undone.clear()
        self._take(fresh, self._at + step)
        return True

    def _take(self, shop: Shop, at: int) -> None:
        self.shop, self._at = shop, min(max(at, 0), len(shop.routers) - 1)
        self._say("")
        self._show()
        self.changed.emit()

    def undo(self) -> None:
        self._step(self._done, self._undone, lambda pair: (pair[1], pair[0]))

    def redo(self) -> None:
        self._step(self._undone, self._done, lambda pair: pair)

    def _step(
        self, one: list[tuple[Shop, Shop]], other: list[tuple[Shop, Shop]], way: Callable[[tuple[Shop, Shop]], tuple[Shop, Shop]]
    ) -> None:  # fmt: skip
        unfinished.settle()
        if not one:
            return
        now, then = way(one[-1])
        try:
            if SHOP.load() != now:
                one.clear()
                other.clear()
                self._take(SHOP.load(), self._at)
                self._say("The shop was changed from another window since: nothing was taken back.", is_wrong=True)
                return
            SHOP.save(then)
        except JobFileError as error:
            self._say(str(error), is_wrong=True)
            return
        other.append(one.pop())
        self._take(then, self._at)

    def _router(self, **fields: Any) -> bool:
        """The shown machine with other fields; of the machine of that name, as it is by now."""
        name = self.router.machine.name

        def change(shop: Shop) -> Shop:
            number = next((k for k, one in enumerate(shop.routers) if one.machine.name == name), None)
            if number is None:
                raise ValueError(f"'{name}' is no machine of the shop any more: another window took it away")
            return shops.with_router(shop, number, replace(shop.routers[number], **fields))

        return self._change(change)

    def _enter(self, **fields: Any) -> bool:
        if fields.get("name") == "":
            self._show()
            return False
        try:
            machine = replace(self.router.machine, **fields)
        except ValueError as error:
            self._say(f"{error}."[0].upper() + f"{error}."[1:], is_wrong=True)
            return False
        return self._router(machine=machine)

    def _enter_length(self, key: str, text: str) -> None:
        self._enter_quantity(key, text, lambda: parse_length(text, default=self._session.job.unit))

    def _enter_number(self, key: str, text: str) -> None:
        self._enter_quantity(key, text, lambda: parse_number(text))

    def _enter_quantity(self, key: str, text: str, value: Callable[[], float]) -> None:
        try:
            is_kept = self._enter(**{key: value()})
        except QuantityError as error:
            is_kept = False
            self._say(str(error), is_wrong=True)
        if not is_kept:
            self._fields[key].show_quantity(text, "", is_wrong=True)

    def _enter_plate(self, text: str) -> None:
        try:
            is_kept = self._router(plate=parse_length(text, default=self._session.job.unit))
        except QuantityError as error:
            is_kept = False
            self._say(str(error), is_wrong=True)
        if not is_kept:
            self._plate.show_quantity(text, "", is_wrong=True)

    def _add_jobs(self) -> None:
        unfinished.settle()
        if self._change(lambda shop: shops.add_router(shop, shops.as_router(self._session.job))):
            self._take(self.shop, len(self.shop.routers) - 1)

    def _remove(self) -> None:
        self._change(lambda shop: shops.drop_router(shop, self._at))

    def _choose_controller(self, index: int) -> None:
        self._router(controller=self._profiles[index].name)

    def _ask_folder(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, "Where its files go", self.router.folder)
        if folder:
            self._router(folder=folder)

    # ---- sheets

    def _add_sheet(self) -> None:
        sheet, unit = self._session.board.sheet, self._session.job.unit
        size = " x ".join(format_length(v, unit) for v in (sheet.width, sheet.height))
        name = self._sheet_name.text().strip() or f"{sheet.material.label}, {size}"
        if self._change(lambda shop: shops.keep_sheet(shop, name, sheet)):
            self._sheet_name.show_text("")
            self._say(f"'{name[:60]}' is on the shelf.")

    def _lay_sheet(self) -> None:
        kept = self.shop.sheets[self.sheets.currentRow()]
        self._session.apply(shops.lay_sheet(self._session.job, self._session.board_id, kept))
        self._say(f"'{kept.name}' lies on '{self._session.board.name}'.")

    def _remove_sheet(self) -> None:
        name = self.shop.sheets[self.sheets.currentRow()].name
        self._change(lambda shop: shops.drop_sheet(shop, name))

    # ---- for the job

    def _use_it(self) -> None:
        unfinished.settle()
        edit = shops.take_router(self._session.job, self.router)
        self._session.apply(replace(edit, job=for_controller(edit.job, self.router.controller)))
        self._show_buttons()
        self._say("This job is for it now.")


def _fill_list(made: QListWidget, names: list[str], at: int) -> None:
    made.blockSignals(True)
    if [made.item(k).text() for k in range(made.count())] != names:
        made.clear()
        made.addItems(names)
    made.setCurrentRow(at)
    made.blockSignals(False)
