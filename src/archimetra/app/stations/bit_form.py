"""The bit of a cut: its sizes and its recipe, and the rack it stands in."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import msgspec
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QPushButton, QToolButton, QVBoxLayout, QWidget

from archimetra.app.session import Session
from archimetra.app.stations.bindings import Binding, LengthBinding, NumberBinding
from archimetra.app.stations.page import shown
from archimetra.app.widgets.fields import ChoiceRow, QuantityField, TextField, label
from archimetra.app.widgets.form import Form
from archimetra.job import edits
from archimetra.job.bits import Bit, BitKind, Spin
from archimetra.job.edit import Edit

replace = msgspec.structs.replace


class BitForm(QWidget):
    """A fold that opens on the bit in use; what is changed here holds for every cut with it."""

    def __init__(self, session: Session, bit: Callable[[], Bit]) -> None:
        super().__init__()
        self._session, self._bit = session, bit
        self._bindings: list[Binding] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self._fold = QToolButton()
        self._fold.setCheckable(True)
        self._fold.setProperty("kind", "small")
        column.addWidget(self._fold)
        self._open = Form()
        self._fold.clicked.connect(self._open.setVisible)
        column.addWidget(self._open)
        self._build(self._open)
        self._open.hide()

    def open_fold(self) -> None:
        self._fold.setChecked(True)
        self._open.show()

    def _build(self, form: Form) -> None:
        session = self._session
        form.add(label("What you change here holds for every cut with this bit.", "note"))
        self._name = TextField("Bit name")
        form.row("Bit name", self._name)
        self._name.entered.connect(lambda text: self._set("Rename bit", name=text.strip()[:60] or self._bit().name))
        self._kind = ChoiceRow(
            "Bit shape", [(BitKind.STRAIGHT, "Straight"), (BitKind.BALL, "Ball"), (BitKind.VEE, "V")]
        )
        form.row("Shape", self._kind)
        self._kind.chosen.connect(lambda value: self._set("Bit shape", kind=BitKind(value)))
        self._rows: dict[str, QuantityField] = {}
        for text, name, note in (
            ("Diameter", "diameter", ""),
            ("Cutting length", "cutting_length", ""),
            ("Shank", "shank", ""),
            ("Tip flat", "tip_flat", "across"),
        ):
            field = QuantityField(text)
            form.row(text, field)
            self._rows[name] = field
            self._bindings.append(
                LengthBinding(
                    session,
                    field,
                    key=lambda n=name: f"{self._bit().id}.{n}",
                    get=lambda n=name: getattr(self._bit(), n),
                    edit=lambda mm, n=name, t=text: self._edit(t, **{n: mm}),
                    note=(lambda w=note: w) if note else None,
                )
            )
        for text, name, note in (("Angle", "angle", "° in all"), ("Flutes", "flutes", "")):
            field = QuantityField(text)
            form.row(text, field)
            self._rows[name] = field
            self._bindings.append(
                NumberBinding(
                    session,
                    field,
                    get=lambda n=name: getattr(self._bit(), n),
                    edit=lambda v, n=name, t=text: self._edit(t, **{n: _whole(v) if n == "flutes" else v}),
                    note=lambda w=note: w,
                )
            )
        for text, name, unit in (
            ("Spindle", "spindle_rpm", "rpm"),
            ("Feed", "feed", "mm/min"),
            ("Plunge", "plunge", "mm/min"),
            ("Depth per pass", "depth_per_pass", "mm"),
        ):
            field = QuantityField(f"Recipe: {text}")
            form.row(text, field)
            self._bindings.append(
                NumberBinding(
                    session,
                    field,
                    get=lambda n=name: getattr(self._bit().recipe, n),
                    edit=lambda v, n=name, t=text: self._edit(t, recipe=replace(self._bit().recipe, **{n: v})),
                    note=lambda u=unit: u,
                )
            )
        self._plunges = QCheckBox("Cuts at its centre, so it can plunge")
        self._plunges.clicked.connect(lambda on: self._set("Bit plunges", can_plunge=on))
        form.add(self._plunges)
        self._left = QCheckBox("Turns counter-clockwise")
        self._left.clicked.connect(
            lambda on: self._set("Bit turns", spin=Spin.COUNTERCLOCKWISE if on else Spin.CLOCKWISE)
        )
        form.add(self._left)
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        add = QPushButton("Add a bit like it")
        add.clicked.connect(lambda: session.apply(edits.add_bit(session.job)[0]))
        remove = QPushButton("Remove bit")
        remove.clicked.connect(self._remove)
        line.addWidget(add)
        line.addWidget(remove)
        line.addStretch(1)
        form.add(row)
        self._problem = label("", "stop")
        form.add(self._problem)

    def refresh(self) -> None:
        bit = self._bit()
        self._fold.setText(f"Bit {bit.letter}: {bit.name}, sizes and recipe …")
        for binding in self._bindings:
            binding.refresh()
        self._name.show_text(bit.name)
        self._kind.show_value(bit.kind)
        is_vee = bit.kind is BitKind.VEE
        self._rows["angle"].setEnabled(is_vee)
        self._rows["tip_flat"].setEnabled(is_vee)
        self._plunges.setChecked(bit.can_plunge)
        self._left.setChecked(bit.spin is Spin.COUNTERCLOCKWISE)
        shown(self._problem, bool(self._problem.text()))

    def _edit(self, words: str, **fields: Any) -> Edit:
        return edits.change_bit(self._session.job, self._bit().id, words, **fields)

    def _set(self, words: str, **fields: Any) -> None:
        self._tell(self._session.try_edit(lambda: self._edit(words, **fields)))

    def _remove(self) -> None:
        self._tell(self._session.try_edit(lambda: edits.remove_bit(self._session.job, self._bit().id)))

    def _tell(self, problem: str) -> None:
        self._problem.setText(problem)
        shown(self._problem, bool(problem))


def _whole(value: float) -> int:
    if value != int(value):
        raise ValueError("a number of flutes is whole")
    return int(value)
