"""The machine: how far it travels, how fast it moves and turns. Every file and every time follows from it."""

from __future__ import annotations

import msgspec

from archimetra.app.document_window import DocumentWindow
from archimetra.app.session import Session
from archimetra.app.shop_page import NUMBERS
from archimetra.app.stations.page import Rows
from archimetra.app.theme.tokens import Tokens
from archimetra.app.widgets.fields import TextField, label
from archimetra.app.widgets.form import Fold
from archimetra.base.errors import JobFileError
from archimetra.edits import basic as edits
from archimetra.edits.edit import Edit
from archimetra.edits.shop import SHOP, as_router, differences, keep_router, router_of, take_router
from archimetra.job.quantities import format_length
from archimetra.output.controllers.of_job import for_controller

replace = msgspec.structs.replace


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
        for text, name, unit, tip in NUMBERS:
            field = self.number_row(
                form, text, get=lambda n=name: getattr(session.job.machine, n),
                edit=lambda v, n=name, t=text: self._machine(t, **{n: v}), note=lambda u=unit: u,
            )  # fmt: skip
            field.setToolTip(tip)
        form.add(label("It is the same for all boards of the job.", "note"))
        self._shop_words = form.add(label("", "note"))
        (self._keep, self._take) = self.buttons(
            form, ("Keep for new jobs", "New jobs begin with this machine, this controller and these units", self._keep_for_new),
            ("Take the shop's", "Machine, controller and unit of files as the shop has them", self._take_from_shop),
        )  # fmt: skip
        self.buttons(form, ("The shop …", "All machines of the shop, and the sheets on its shelf", self.show_shop))

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
        """In what the job differs from the machine of the shop it is for."""
        shop, problem = SHOP.at_hand()
        job = self.session.job
        router = router_of(job, shop)
        found = differences(job, router)
        is_known = shop.named(job.machine.name) is not None
        name = f"'{router.machine.name}' of the shop" if is_known or len(shop.routers) > 1 else "in the shop"
        words = f"Otherwise than {name}: {', '.join(found)}." if found else "As the shop has it."
        self._shop_words.setText(problem or words)
        self._keep.setEnabled(bool(found) or shop.router != router)
        self._take.setEnabled(bool(found))

    def _keep_for_new(self) -> None:
        job = self.session.job
        try:
            shop = SHOP.load()
            known = shop.named(job.machine.name)
            mine = as_router(job, known)
            SHOP.save(replace(keep_router(shop, mine), unit=job.unit))
        except (JobFileError, ValueError) as error:
            self.session.said.emit("stop", str(error))
            return
        self._show_shop()
        self.session.said.emit("note", "New jobs begin with this machine, this controller and these units.")

    def _take_from_shop(self) -> None:
        job = self.session.job
        router = router_of(job, SHOP.at_hand()[0])
        edit = take_router(job, router)
        self.session.apply(replace(edit, job=for_controller(edit.job, router.controller)))

    def show_shop(self) -> None:
        window = self.form.window()
        assert isinstance(window, DocumentWindow)
        window.show_shop()

    def _rename(self, text: str) -> None:
        name = text.strip()[:60] or self.session.job.machine.name
        self.session.apply(self._machine("Machine name", name=name))
        self.refresh()
