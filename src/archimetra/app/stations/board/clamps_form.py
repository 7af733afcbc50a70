"""Clamps and screws on the sheet: what the bit must not run into."""

from __future__ import annotations

import msgspec
from PySide6.QtWidgets import QWidget

from archimetra.app.session import Session
from archimetra.app.stations.page import ANGLE_WIDTH, Rows, shown
from archimetra.app.theme.tokens import Tokens
from archimetra.app.widgets.fields import QuantityField, fill, label
from archimetra.edits import basic as edits
from archimetra.edits.edit import Edit
from archimetra.job.sheet import Fixture, FixtureKind

replace = msgspec.structs.replace


class ClampsForm(Rows):
    def __init__(self, session: Session, tokens: Tokens) -> None:
        super().__init__(session, tokens)
        form = self.form
        self._count = form.heading("Clamps and screws")
        form.add(label("What the bit must not run into. Drag them on the plan to where they stand.", "note"))
        self._which = self.combo_row(form, "Clamp", self._choose)
        self._number = 0
        self._rows: list[QuantityField] = []
        self._setups: list[str] = [""]
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
                key=lambda n=name: f"{session.board.id}.fixture{self._number}.{n}",
                get=lambda n=name: getattr(self.fixture, n) if self.fixture is not None else 0.0,
                edit=lambda mm, n=name: self._change(**{n: mm}),
                note=(lambda w=note: w) if note else None,
            )
            self._rows.append(made)
        turned = self.number_row(
            form, "Angle", get=lambda: self.fixture.degrees if self.fixture is not None else 0.0,
            edit=lambda v: self._change(degrees=v % 360.0), note=lambda: "° counter-clockwise", width=ANGLE_WIDTH,
        )  # fmt: skip
        self._rows.append(turned)
        self._where = self.combo_row(form, "There in", self._choose_setup)
        self._where.setToolTip("On a board cut in tiles a clamp can be there for one of them only")
        (_, _, self._remove) = self.buttons(
            form,
            (
                "Add a clamp",
                "A clamp at the front edge, to be dragged to its place",
                lambda: self._add(FixtureKind.CLAMP),
            ),
            ("Add a screw", "A screw, round and low", lambda: self._add(FixtureKind.SCREW)),
            ("Remove", "Take the shown one away", self._take_away),
        )

    @property
    def fixture(self) -> Fixture | None:
        fixtures = self.session.board.fixtures
        return fixtures[min(self._number, len(fixtures) - 1)] if fixtures else None

    def refresh(self) -> None:
        fixtures = self.session.board.fixtures
        self._number = min(self._number, max(len(fixtures) - 1, 0))
        super().refresh()
        self._count.setText(f"{len(fixtures)}" if fixtures else "none")
        fill(self._which, [f"{f.kind.value} {k + 1}" for k, f in enumerate(fixtures)], self._number if fixtures else -1)
        show_rows((self._which, *self._rows), is_shown=bool(fixtures))
        self._remove.setEnabled(bool(fixtures))
        self._setups = self._setup_names()
        at = (
            self._setups.index(self.fixture.setup)
            if self.fixture is not None and self.fixture.setup in self._setups
            else 0
        )
        fill(self._where, ["every setup", *self._setups[1:]], at)
        show_rows((self._where,), is_shown=bool(fixtures) and len(self._setups) > 1)

    def _setup_names(self) -> list[str]:
        """'' for all, then the tiles of the board, and one that is named by the clamp but is no more."""
        plan, board = self.session.planning.plan, self.session.board
        if board.tiling is None:
            return [""]
        known = [setup.name for setup in plan.setups] if plan is not None and len(plan.setups) > 1 else []
        own = self.fixture.setup if self.fixture is not None else ""
        return ["", *known, *([own] if own and own not in known else [])]

    def _choose_setup(self, index: int) -> None:
        if self.fixture is not None and index < len(self._setups):
            self.session.apply(self._change(setup=self._setups[index]))

    def _choose(self, index: int) -> None:
        self._number = index
        self.refresh()

    def _set(self, words: str, fixtures: tuple[Fixture, ...]) -> Edit:
        return edits.change_board(self.session.job, self.session.board.id, words, fixtures=fixtures)

    def _change(self, **fields: float | str) -> Edit:
        fixtures = list(self.session.board.fixtures)
        if fixtures:
            fixtures[self._number] = replace(fixtures[self._number], **fields)
        return self._set("Clamp", tuple(fixtures))

    def _add(self, kind: FixtureKind) -> None:
        board = self.session.board
        size = (
            {"width": 60.0, "height": 30.0, "rise": 20.0}
            if kind is FixtureKind.CLAMP
            else {"width": 10.0, "height": 10.0, "rise": 3.0}
        )
        place = 30.0 + 70.0 * (len(board.fixtures) % max(int(board.sheet.width / 70), 1))
        made = replace(Fixture(kind=kind, x=min(place, board.sheet.width), y=10.0), **size)
        self._number = len(board.fixtures)
        self.session.apply(self._set(f"Add {kind.value}", (*board.fixtures, made)))

    def _take_away(self) -> None:
        left = tuple(f for k, f in enumerate(self.session.board.fixtures) if k != self._number)
        self.session.apply(self._set("Remove clamp", left))


def show_rows(rows: tuple[QWidget, ...], *, is_shown: bool) -> None:
    """Fields with the words beside them, or none of it."""
    for row in rows:
        shown(row, is_shown)
        beside = row.property("label")
        if beside is not None:
            shown(beside, is_shown)
