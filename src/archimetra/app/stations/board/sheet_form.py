"""The sheet: size or outline, caliper readings, what it is made of, how it is held, how many there are."""

from __future__ import annotations

from collections.abc import Callable

import msgspec
from PySide6.QtWidgets import QCheckBox

from archimetra.app.session import Session
from archimetra.app.stations.board.clamps_form import show_rows
from archimetra.app.stations.page import Rows, shown
from archimetra.app.theme.tokens import Tokens
from archimetra.app.widgets.fields import ChoiceRow, QuantityField, TextField, fill, label
from archimetra.app.widgets.form import Form
from archimetra.edits import basic as edits
from archimetra.edits import sheets
from archimetra.edits.edit import Edit
from archimetra.job.materials import AnyMaterial, Material, OwnMaterial
from archimetra.job.quantities import QuantityError, format_length, is_plain, parse_length
from archimetra.job.sheet import HoldDown

replace = msgspec.structs.replace
STANDARD = list(Material)


class SheetForm(Rows):
    def __init__(self, session: Session, tokens: Tokens) -> None:
        super().__init__(session, tokens)
        form = self.form
        form.heading("Sheet")
        self._sizes = (self._row("Width (X)", "width"), self._row("Height (Y)", "height"))
        self._outline = form.add(label("", "note"))
        (self._from_picked, self._plain) = self.buttons(
            form,
            (
                "Edge from picked",
                "Outlines picked on the plan become the sheet's edge, those inside others its openings",
                lambda: self._try(
                    lambda: sheets.take_outline(self.session.job, self.session.board.id, self.session.picked)
                ),
            ),
            (
                "Rectangle",
                "The sheet a rectangle again, as wide and as high",
                lambda: self._try(lambda: sheets.make_rectangular(self.session.job, self.session.board.id)),
            ),
        )
        self._readings = QuantityField(
            "Thickness readings", width=164
        )  # no room for a note: the unit is that of the rows above
        form.row("Thickness", self._readings)
        self._readings.entered.connect(self._enter_readings)
        self._spread = form.add(label("", "note"))
        self.number_row(
            form, "Equal sheets", get=lambda: float(session.board.sheet.count), edit=self._counted,
            note=lambda: "cut alike" if session.board.sheet.count > 1 else "",
        )  # fmt: skip
        self._material = self.combo_row(form, "Material", self._choose_material)
        self._own = OwnMaterialForm(session, tokens)
        form.add(self._own.form)
        self.number_row(
            form,
            "Grain",
            get=lambda: session.board.sheet.grain_degrees,
            edit=lambda v: self._sheet("Grain", grain_degrees=v % 180.0),
            note=lambda: "° off the width",
        )
        self._tint = TextField("Tint")
        form.row("Tint", self._tint)
        self._tint.setToolTip("A colour such as #C9A66B for this very sheet; empty: the material's own")
        self._tint.entered.connect(self._enter_tint)
        self._hold = ChoiceRow("Held by", [(HoldDown.CLAMPED, "Clamps"), (HoldDown.TAPED, "Tape, glue")])
        form.row("Held by", self._hold)
        self._hold.chosen.connect(lambda value: session.apply(self._sheet("Hold-down", hold_down=HoldDown(value))))
        self._trouble = form.add(label("", "stop"))
        self._trouble.hide()

    def refresh(self) -> None:
        super().refresh()
        board, job = self.session.board, self.session.job
        sheet, unit = board.sheet, job.unit
        self._trouble.hide()
        show_rows(self._sizes, is_shown=not sheet.outline)
        shown(self._plain, bool(sheet.outline))
        shown(self._outline, bool(sheet.outline))
        if sheet.outline:
            size = f"{format_length(sheet.width, unit)} x {format_length(sheet.height, unit)} {unit}"
            full = float(sheet.region.area) / (sheet.width * sheet.height)
            self._outline.setText(f"An outline of its own, {size}; {full:.0%} of that is wood.")
        self._from_picked.setEnabled(bool(self.session.picked))
        typed = job.typed.get(f"{board.id}.readings", "")
        plain = ", ".join(format_length(value, unit) for value in sheet.readings)
        self._readings.show_quantity(typed if self._readings_of(typed) == sheet.readings else plain, "")
        if len(sheet.readings) > 1:
            spread = format_length(sheet.thickest - sheet.thinnest, unit)
            self._spread.setText(
                f"Thickest {format_length(sheet.thickest, unit)} rules through cuts, thinnest "
                f"{format_length(sheet.thinnest, unit)} what must stay. Spread {spread} {unit}."
            )
        else:
            self._spread.setText("Measure it in several places: 18.3, 18.1, 18.2. Nominal thickness is never true.")
        offered = offered_materials(self.session)
        fill(self._material, [*(m.label for m in offered), "Another ..."], offered.index(sheet.material))
        is_own = isinstance(sheet.material, OwnMaterial)
        shown(self._own.form, is_own)
        if is_own:
            self._own.refresh()
        self._hold.show_value(sheet.hold_down)
        self._tint.show_text(sheet.tint)

    # ---- edits

    def _try(self, make: Callable[[], Edit]) -> None:
        problem = self.session.try_edit(make)
        self._trouble.setText(problem)
        shown(self._trouble, bool(problem))

    def _row(self, text: str, name: str) -> QuantityField:
        session = self.session
        return self.length_row(
            self.form, text, key=lambda: f"{session.board.id}.sheet.{name}", get=lambda: getattr(session.board.sheet, name),
            edit=lambda mm: self._sheet(text, **{name: mm}),
        )  # fmt: skip

    def _sheet(self, words: str, **fields: object) -> Edit:
        return sheets.change_sheet(self.session.job, self.session.board.id, words, **fields)

    def _counted(self, value: float) -> Edit:
        if value != int(value):
            raise ValueError("whole sheets only")
        return self._sheet("Equal sheets", count=int(value))

    def _choose_material(self, index: int) -> None:
        offered = offered_materials(self.session)
        if index < len(offered):
            self.session.apply(self._sheet("Material", material=offered[index]))
        else:
            self.session.apply(self._sheet("New material", material=self._new_material()))
            self._own.take_focus()

    def _new_material(self) -> OwnMaterial:
        now = self.session.board.sheet.material
        taken = {own.name.casefold() for own in sheets.materials_of(self.session.job)}
        names = ("my material", *(f"my material {k}" for k in range(2, 1000)))
        return OwnMaterial(name=next(name for name in names if name not in taken), like=now.like, tint=now.tones[0])

    def _enter_tint(self, text: str) -> None:
        problem = self.session.try_edit(lambda: self._sheet("Tint", tint=as_colour(text)))
        if problem:
            self.session.said.emit("caution", problem)
        self.refresh()

    def _readings_of(self, text: str) -> tuple[float, ...] | None:
        try:
            return (
                tuple(parse_length(part, default=self.session.job.unit) for part in text.split(",")) if text else None
            )
        except QuantityError:
            return None

    def _enter_readings(self, text: str) -> None:
        try:
            values = tuple(parse_length(part, default=self.session.job.unit) for part in text.split(","))
        except QuantityError as error:
            self._readings.show_quantity(text, "", is_wrong=True)
            self._spread.setText(str(error))
            return
        key = f"{self.session.board.id}.readings"
        plain = all(is_plain(part) for part in text.split(","))

        def make() -> Edit:
            edit = self._sheet("Thickness", readings=values)
            return replace(edit, job=edits.remember_typed(edit.job, key, None if plain else text))

        problem = self.session.try_edit(make)
        if problem:
            self._readings.show_quantity(text, "", is_wrong=True)
            self._spread.setText(problem)
        else:
            self.refresh()


class OwnMaterialForm(Rows):
    """The rows of a material a person added, for all sheets of it."""

    def __init__(self, session: Session, tokens: Tokens) -> None:
        super().__init__(session, tokens)
        form: Form = self.form
        self._name = TextField("Material name")
        form.row("Its name", self._name)
        self._name.entered.connect(lambda text: self._change(name=text.strip()))
        self._like = self.combo_row(form, "Recipes as", lambda k: self._change(like=STANDARD[k]))
        self._like.setToolTip("Until a bit has a recipe of its own for it, and for judging chip loads")
        self._colour = TextField("Material colour")
        form.row("Colour", self._colour)
        self._colour.entered.connect(lambda text: self._change(tint=as_colour(text)))
        self._grain = QCheckBox("Has grain")
        self._grain.clicked.connect(lambda on: self._change(has_grain=on))
        form.add(self._grain)

    def refresh(self) -> None:
        own = self.session.board.sheet.material
        if isinstance(own, OwnMaterial):
            self._name.show_text(own.name)
            fill(self._like, [m.label for m in STANDARD], STANDARD.index(own.like))
            self._colour.show_text(own.tint)
            self._grain.setChecked(own.has_grain)

    def take_focus(self) -> None:
        self._name.setFocus()

    def _change(self, **fields: object) -> None:
        was = self.session.board.sheet.material
        if isinstance(was, OwnMaterial):
            problem = self.session.try_edit(
                lambda: sheets.change_material(self.session.job, was, replace(was, **fields))
            )
            if problem:
                self.session.said.emit("caution", problem)
            self.refresh()


def offered_materials(session: Session) -> list[AnyMaterial]:
    """The standard ones, and those the job's sheets are made of beside them."""
    return [*STANDARD, *sheets.materials_of(session.job)]


def as_colour(text: str) -> str:
    text = text.strip()
    text = f"#{text}" if text and not text.startswith("#") else text
    return text.upper()
