"""The first start: how far the machine travels, what controls it, in which unit its files are. Asked once; all of it can be changed later."""

from __future__ import annotations

import msgspec
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QDialog, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from archimetra.app.widgets.dialogs import no_button_by_return
from archimetra.app.widgets.fields import Choice, ChoiceRow, QuantityField, fill, label, show_kind
from archimetra.app.widgets.form import Form
from archimetra.app.widgets.unfinished import unfinished
from archimetra.base.errors import JobFileError
from archimetra.edits.shop import SHOP, Router, Shop
from archimetra.job.quantities import QuantityError, Unit, format_length, parse_length
from archimetra.job.sheet import Machine
from archimetra.output.controllers import controllers

replace = msgspec.structs.replace
_TRAVELS = (("Travel X", "travel_x"), ("Travel Y", "travel_y"), ("Travel Z", "travel_z"))
_WIDE_PX = 430


class FirstStart(QDialog):
    """``done`` comes however it ends: what was left out is as it comes with the program."""

    done_with = Signal()

    def __init__(self, window: QWidget) -> None:
        super().__init__(window)
        self.setWindowTitle("Your machine")
        self.setObjectName("pageBody")
        self.setMinimumWidth(_WIDE_PX)
        self._router = Router()
        self._unit = Unit.MM
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 14)
        column.setSpacing(10)
        column.addWidget(label("What will your files be cut on?", "title"))
        column.addWidget(
            label("Three things, so that nothing is laid where the machine does not reach. All can be changed later, on the Board page.", "note")
        )  # fmt: skip
        form = Form()
        self._units = ChoiceRow("Unit", ((Unit.MM, "Millimetres"), (Unit.INCH, "Inches")))
        self._units.chosen.connect(self._choose_unit)
        form.row("Measured in", self._units)
        self._fields: dict[str, QuantityField] = {}
        for words, key in _TRAVELS:
            field = self._fields[key] = QuantityField(words)
            field.entered.connect(lambda text, k=key: self._enter(k, text))
            form.row(words, field)
        self._profiles = list(controllers().values())
        self._controller = Choice("Controller")
        self._controller.activated.connect(self._choose_controller)
        form.row("Controller", self._controller)
        column.addWidget(form)
        self._told = label("", "note")
        column.addWidget(self._told)
        row = QHBoxLayout()
        later, keep = QPushButton("Later"), QPushButton("Keep it")
        later.setToolTip("Begin with a machine of 610 x 610 mm")
        keep.setProperty("kind", "main")
        later.clicked.connect(self.reject)
        keep.clicked.connect(self._keep)
        row.addStretch(1)
        row.addWidget(later)
        row.addWidget(keep)
        column.addLayout(row)
        no_button_by_return(self)
        self.rejected.connect(self._leave)
        self._show()

    def _show(self) -> None:
        for key, field in self._fields.items():
            field.show_quantity(format_length(getattr(self._router.machine, key), self._unit), str(self._unit))
        self._units.show_value(self._unit)
        names = [profile.name for profile in self._profiles]
        at = names.index(self._router.controller) if self._router.controller in names else 0
        fill(self._controller, [profile.title for profile in self._profiles], at)

    def _choose_unit(self, unit: str) -> None:
        unfinished.settle()
        self._unit = Unit(unit)
        self._router = replace(self._router, output_unit=self._unit)
        self._show()

    def _choose_controller(self, index: int) -> None:
        self._router = replace(self._router, controller=self._profiles[index].name)

    def _enter(self, key: str, text: str) -> None:
        try:
            machine = replace(self._router.machine, **{key: parse_length(text, default=self._unit)})
        except (QuantityError, ValueError) as error:
            self._fields[key].show_quantity(text, "", is_wrong=True)
            self._say(f"{str(error)[:1].upper()}{str(error)[1:].rstrip('.')}.", is_wrong=True)
            return
        self._router = replace(self._router, machine=machine)
        self._say("")
        self._show()

    def _say(self, words: str, *, is_wrong: bool = False) -> None:
        self._told.setText(words)
        show_kind(self._told, "stop" if is_wrong else "note")

    def _named(self) -> Router:
        """The machine called after its size, as long as nobody has called it otherwise."""
        machine = self._router.machine
        size = " x ".join(format_length(v, self._unit) for v in (machine.travel_x, machine.travel_y))
        unit = "" if self._unit is Unit.MM else f" {self._unit}"
        return replace(self._router, machine=replace(machine, name=f"Router {size}{unit}"))

    def _keep(self) -> None:
        unfinished.settle()
        if any(field.refusal() for field in self._fields.values()):
            return
        if self._save(Shop(routers=(self._named(),), unit=self._unit)):
            self.accept()
            self.done_with.emit()

    def _leave(self) -> None:
        """Not asked again; it is as it comes with the program."""
        self._save(Shop(routers=(Router(machine=Machine()),)))
        self.done_with.emit()

    def _save(self, shop: Shop) -> bool:
        try:
            SHOP.save(shop)
        except JobFileError as error:
            self._say(str(error), is_wrong=True)
            return False
        return True
