"""The machine: how far it travels, how fast it moves and turns. Every file and every time follows from it."""

from __future__ import annotations

import msgspec
from PySide6.QtWidgets import QHBoxLayout, QPushButton

from archimetra.app.session import Session
from archimetra.app.stations.page import Rows
from archimetra.app.theme.tokens import Tokens
from archimetra.app.widgets.fields import TextField, label
from archimetra.app.widgets.form import Fold
from archimetra.base.errors import JobFileError
from archimetra.edits import basic as edits
from archimetra.edits.edit import Edit
from archimetra.edits.shop import differences, save_shop, shop_at_hand, shop_of, take_shop
from archimetra.job.quantities import format_length

replace = msgspec.structs.replace

_NUMBERS = (
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


class MachineForm(Rows):
    def __init__(self, session: Session, tokens: Tokens) -> None:
        super().__init__(session, tokens)
        self._fold = Fold("The machine")
        self.form.add(self._fold)
        form = self._fold.form
        self._name = TextField("Machine name")
        form.row("Its name", self._name)
        self._name.entered.connect(self._rename)
        for axis in ("x", "y", "z"):
            self.length_row(
                form, f"Travel {axis.upper()}", key=lambda a=axis: f"machine.travel_{a}",
                get=lambda a=axis: getattr(session.job.machine, f"travel_{a}"),
                edit=lambda mm, a=axis: self._machine("Machine travel", **{f"travel_{a}": mm}),
            )  # fmt: skip
        for text, name, unit, tip in _NUMBERS:
            field = self.number_row(
                form, text, get=lambda n=name: getattr(session.job.machine, n),
                edit=lambda v, n=name, t=text: self._machine(t, **{n: v}), note=lambda u=unit: u,
            )  # fmt: skip
            field.setToolTip(tip)
        form.add(label("It is the same for all boards of the job.", "note"))
        self._shop_words = form.add(label("", "note"))
        row = QHBoxLayout()
        self._keep, self._take = QPushButton("Keep for new jobs"), QPushButton("Take the shop's")
        self._keep.setToolTip("New jobs begin with this machine, this controller and these units")
        self._take.setToolTip("Machine, controller and units as new jobs begin with them")
        self._keep.clicked.connect(self._keep_for_new)
        self._take.clicked.connect(self._take_from_shop)
        row.addWidget(self._keep)
        row.addWidget(self._take)
        form.column.addLayout(row)

    def refresh(self) -> None:
        super().refresh()
        self._show_shop()
        machine, unit = self.session.job.machine, self.session.job.unit
        self._name.show_text(machine.name)
        size = " x ".join(format_length(v, unit) for v in (machine.travel_x, machine.travel_y))
        self._fold.show_words(f"{size} {unit}")

    def _machine(self, words: str, **fields: object) -> Edit:
        job = self.session.job
        return edits.change_job(job, words, machine=replace(job.machine, **fields))

    # ---- the shop

    def _show_shop(self) -> None:
        """In what the job differs from what new jobs begin with."""
        shop, problem = shop_at_hand()
        found = differences(self.session.job, shop)
        self._shop_words.setText(
            problem
            or (f"Otherwise than in the shop: {', '.join(found)}." if found else "As new jobs begin in this shop.")
        )
        for button in (self._keep, self._take):
            button.setEnabled(bool(found))

    def _keep_for_new(self) -> None:
        try:
            save_shop(shop_of(self.session.job))
        except JobFileError as error:
            self.session.said.emit("stop", str(error))
            return
        self._show_shop()
        self.session.said.emit("note", "New jobs begin with this machine, this controller and these units.")

    def _take_from_shop(self) -> None:
        self.session.apply(take_shop(self.session.job, shop_at_hand()[0]))

    def _rename(self, text: str) -> None:
        name = text.strip()[:60] or self.session.job.machine.name
        self.session.apply(self._machine("Machine name", name=name))
        self.refresh()
