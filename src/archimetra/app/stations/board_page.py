"""Board: the sheet, its caliper readings, zero, heights, and where it lies on the machine."""

from __future__ import annotations

import msgspec
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QPushButton, QWidget

from archimetra.app.stations.page import ANGLE_WIDTH, Page, fill, shown
from archimetra.app.theme.tokens import Tokens
from archimetra.app.widgets.fields import ChoiceRow, QuantityField, TextField, label
from archimetra.app.widgets.zero_picker import ZeroPicker
from archimetra.edits import basic as edits
from archimetra.edits.edit import Edit
from archimetra.job.quantities import QuantityError, format_length, is_plain, parse_length
from archimetra.job.sheet import Fixture, FixtureKind, HoldDown, Material, ZeroAt, ZeroZ

replace = msgspec.structs.replace


class BoardPage(Page):
    title = "Board"

    def build(self) -> None:
        form, session = self.form, self.session
        self._name = TextField("Board name")
        form.row("Name", self._name)
        self._name.entered.connect(self._rename)
        form.line()
        form.heading("Sheet")
        self._sheet_row("Width (X)", "width")
        self._sheet_row("Height (Y)", "height")
        self._readings = QuantityField(
            "Thickness readings", width=172
        )  # no room for a note: the unit is that of the rows above
        form.row("Thickness", self._readings)
        self._readings.entered.connect(self._enter_readings)
        self._spread = form.add(label("", "note"))
        self._material = self.combo_row(form, "Material", self._choose_material)
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
        form.line()
        self._clamp_words = form.heading("Clamps and screws")
        form.add(label("What the bit must not run into. Drag them on the plan to where they stand.", "note"))
        self._which = self.combo_row(form, "Shown", self._choose_fixture)
        self._fixture = 0
        self._fixture_rows: list[QuantityField] = []
        for text, name, note in (
            ("From the left", "x", "to its middle"),
            ("From the front", "y", "to its middle"),
            ("Clamp width (X)", "width", ""),
            ("Clamp height (Y)", "height", ""),
            ("Clamp top (Z)", "rise", "above the sheet"),
        ):
            made = self.length_row(
                form,
                text,
                key=lambda n=name: f"{session.board.id}.fixture{self._fixture}.{n}",
                get=lambda n=name: getattr(self.fixture, n) if self.fixture is not None else 0.0,
                edit=lambda mm, n=name: self._change_fixture(**{n: mm}),
                note=(lambda w=note: w) if note else None,
            )
            self._fixture_rows.append(made)
        turned = self.number_row(
            form, "Angle", get=lambda: self.fixture.degrees if self.fixture is not None else 0.0,
            edit=lambda v: self._change_fixture(degrees=v % 360.0), note=lambda: "° counter-clockwise", width=ANGLE_WIDTH,
        )  # fmt: skip
        self._fixture_rows.append(turned)
        self._fixture_buttons = self.buttons(
            form,
            (
                "Add a clamp",
                "A clamp at the front edge, to be dragged to its place",
                lambda: self._add_fixture(FixtureKind.CLAMP),
            ),
            ("Add a screw", "A screw, round and low", lambda: self._add_fixture(FixtureKind.SCREW)),
            ("Remove", "Take the shown one away", self._remove_fixture),
        )
        form.line()
        form.heading("Zero")
        self._picker = ZeroPicker(self.tokens)
        form.add(self._picker)
        self._picker.chosen.connect(lambda at: session.apply(self._zero(at=at)))
        self._zero_words = form.add(label("", "note"))
        for axis in ("x", "y"):
            self.length_row(
                form,
                f"{axis.upper()} of zero",
                key=lambda a=axis: f"{session.board.id}.zero.{a}",
                get=lambda a=axis: session.board.zero.point(session.board.sheet)["xy".index(a)],
                edit=lambda mm, a=axis: self._typed_zero(a, mm),
            )
        self._z = ChoiceRow("Z zero", [(ZeroZ.SHEET_TOP, "Sheet top"), (ZeroZ.SPOILBOARD, "Spoilboard")])
        form.row("Z zero on", self._z)
        self._z.chosen.connect(lambda value: session.apply(self._zero(z=ZeroZ(value))))
        form.line()
        form.heading("Heights above the sheet")
        for text, name in (("Retract", "retract"), ("Travel", "travel"), ("Park", "park")):
            self.length_row(
                form,
                text,
                key=lambda n=name: f"{session.board.id}.heights.{n}",
                get=lambda n=name: getattr(session.board.heights, n),
                edit=lambda mm, n=name: self._heights(n, mm),
                note=lambda n=name: {"retract": "nearby cuts", "travel": "above clamps", "park": "at the end"}[n],
            )
        self._low = QCheckBox("Travel as low as the clamps allow")
        self._low.clicked.connect(lambda on: session.apply(self._heights("follows_clamps", on)))
        form.add(self._low)
        self._flight = form.add(label("", "note"))
        form.line()
        form.heading("On the machine")
        for axis in ("x", "y"):
            self.length_row(
                form,
                f"Sheet at {axis.upper()}",
                key=lambda a=axis: f"{session.board.id}.bed_{a}",
                get=lambda a=axis: getattr(session.board, f"bed_{a}"),
                edit=lambda mm, a=axis: edits.change_board(
                    session.job, session.board.id, "Bed place", **{f"bed_{a}": mm}
                ),
                note=lambda: "on the bed",
            )
        for axis in ("x", "y", "z"):
            self.length_row(
                form,
                f"Travel {axis.upper()}",
                key=lambda a=axis: f"machine.travel_{a}",
                get=lambda a=axis: getattr(session.job.machine, f"travel_{a}"),
                edit=lambda mm, a=axis: self._machine(a, mm),
            )
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 4, 0, 0)
        turn = QPushButton("Turn a quarter")
        turn.setToolTip("Turn sheet, artwork, grain and zero together, counter-clockwise")
        turn.clicked.connect(lambda: session.apply(edits.turn_quarter(session.job, session.board.id)))
        line.addWidget(turn)
        self._remove = QPushButton("Remove board")
        self._remove.clicked.connect(self._remove_board)
        line.addWidget(self._remove)
        line.addStretch(1)
        form.add(row)

    def refresh(self) -> None:
        super().refresh()
        board = self.session.board
        sheet, unit = board.sheet, self.session.job.unit
        self.corner.setText(f"{len(self.session.job.boards)} in this job" if len(self.session.job.boards) > 1 else "")
        self._name.show_text(board.name)
        typed = self.session.job.typed.get(f"{board.id}.readings", "")
        shown = ", ".join(format_length(value, unit) for value in sheet.readings)
        self._readings.show_quantity(typed if self._readings_of(typed) == sheet.readings else shown, "")
        if len(sheet.readings) > 1:
            spread = format_length(sheet.thickest - sheet.thinnest, unit)
            self._spread.setText(
                f"Thickest {format_length(sheet.thickest, unit)} rules through cuts, thinnest "
                f"{format_length(sheet.thinnest, unit)} what must stay. Spread {spread} {unit}."
            )
        else:
            self._spread.setText("Measure it in several places: 18.3, 18.1, 18.2. Nominal thickness is never true.")
        fill(self._material, [m.value.capitalize() for m in Material], list(Material).index(sheet.material))
        self._hold.show_value(sheet.hold_down)
        self._tint.show_text(sheet.tint)
        self._show_fixtures()
        flight = board.travel_heights
        self._low.setChecked(board.heights.follows_clamps)
        self._flight.setText(
            f"The bit travels {format_length(flight.travel, unit)} {unit} above the sheet"
            + (
                f", clear of the highest clamp ({format_length(max(f.rise for f in board.fixtures), unit)})."
                if board.fixtures
                else "."
            )
        )
        self._picker.show_zero(sheet, board.zero.at)
        self._zero_words.setText(f"{board.zero.at.value.capitalize()}. Moving zero never moves the artwork.")
        self._z.show_value(board.zero.z)
        self._remove.setEnabled(len(self.session.job.boards) > 1)

    def show_theme(self, tokens: Tokens) -> None:
        super().show_theme(tokens)
        self._picker.tokens = tokens
        self._picker.update()

    # ---- clamps

    @property
    def fixture(self) -> Fixture | None:
        fixtures = self.session.board.fixtures
        return fixtures[min(self._fixture, len(fixtures) - 1)] if fixtures else None

    def _show_fixtures(self) -> None:
        fixtures = self.session.board.fixtures
        self._fixture = min(self._fixture, max(len(fixtures) - 1, 0))
        words = [f"{f.kind.value} {k + 1}" for k, f in enumerate(fixtures)]
        self._clamp_words.setText(f"{len(fixtures)}" if fixtures else "none")
        fill(self._which, words, self._fixture if fixtures else -1)
        rows: tuple[QWidget, ...] = (self._which, *self._fixture_rows)
        for row in rows:
            shown(row, bool(fixtures))
            beside = row.property("label")
            if beside is not None:
                shown(beside, bool(fixtures))
        self._fixture_buttons[2].setEnabled(bool(fixtures))

    def _choose_fixture(self, index: int) -> None:
        self._fixture = index
        self.refresh()

    def _set_fixtures(self, words: str, fixtures: tuple[Fixture, ...]) -> Edit:
        return edits.change_board(self.session.job, self.session.board.id, words, fixtures=fixtures)

    def _change_fixture(self, **fields: float) -> Edit:
        fixtures = list(self.session.board.fixtures)
        if fixtures:
            fixtures[self._fixture] = replace(fixtures[self._fixture], **fields)
        return self._set_fixtures("Clamp", tuple(fixtures))

    def _add_fixture(self, kind: FixtureKind) -> None:
        board = self.session.board
        size = (
            {"width": 60.0, "height": 30.0, "rise": 20.0}
            if kind is FixtureKind.CLAMP
            else {"width": 10.0, "height": 10.0, "rise": 3.0}
        )
        place = 30.0 + 70.0 * (len(board.fixtures) % max(int(board.sheet.width / 70), 1))
        made = Fixture(kind=kind, x=min(place, board.sheet.width), y=10.0, **size)
        self._fixture = len(board.fixtures)
        self.session.apply(self._set_fixtures(f"Add {kind.value}", (*board.fixtures, made)))

    def _remove_fixture(self) -> None:
        fixtures = self.session.board.fixtures
        if fixtures:
            left = tuple(f for k, f in enumerate(fixtures) if k != self._fixture)
            self.session.apply(self._set_fixtures("Remove clamp", left))

    def _enter_tint(self, text: str) -> None:
        text = text.strip()
        text = f"#{text}" if text and not text.startswith("#") else text
        problem = self.session.try_edit(lambda: self._sheet("Tint", tint=text.upper() if text else ""))
        if problem:
            self.session.said.emit("caution", problem)
        self.refresh()

    # ---- edits

    def _sheet_row(self, text: str, name: str) -> None:
        session = self.session
        self.length_row(
            self.form,
            text,
            key=lambda: f"{session.board.id}.sheet.{name}",
            get=lambda: getattr(session.board.sheet, name),
            edit=lambda mm: self._sheet(text, **{name: mm}),
        )

    def _sheet(self, label_: str, **fields: object) -> Edit:
        board = self.session.board
        return edits.change_board(self.session.job, board.id, label_, sheet=replace(board.sheet, **fields))

    def _zero(self, **fields: object) -> Edit:
        board = self.session.board
        return edits.set_zero(self.session.job, board.id, replace(board.zero, **fields))

    def _typed_zero(self, axis: str, mm: float) -> Edit:
        x, y = self.session.board.zero.point(self.session.board.sheet)
        return self._zero(at=ZeroAt.TYPED, x=mm if axis == "x" else x, y=mm if axis == "y" else y)

    def _heights(self, name: str, mm: float | bool) -> Edit:
        board = self.session.board
        return edits.change_board(self.session.job, board.id, "Heights", heights=replace(board.heights, **{name: mm}))

    def _machine(self, axis: str, mm: float) -> Edit:
        machine = replace(self.session.job.machine, **{f"travel_{axis}": mm})
        return edits.change_job(self.session.job, "Machine travel", machine=machine)

    def _rename(self, text: str) -> None:
        name = text.strip() or self.session.board.name
        self.session.apply(edits.change_board(self.session.job, self.session.board.id, "Rename board", name=name[:60]))
        self.refresh()

    def _choose_material(self, index: int) -> None:
        self.session.apply(self._sheet("Material", material=list(Material)[index]))

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

    def _remove_board(self) -> None:
        self.session.apply(edits.remove_board(self.session.job, self.session.board.id))
