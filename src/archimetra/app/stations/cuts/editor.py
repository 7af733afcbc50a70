"""What the editors of the kinds of cut share: rows bound to fields of the cut that is shown, changed in every cut that is picked."""

from __future__ import annotations

from collections.abc import Callable
from enum import StrEnum
from typing import Any

import msgspec
from PySide6.QtWidgets import QCheckBox, QWidget

from archimetra.app.session import Session
from archimetra.app.stations.cuts.cut_context import CutContext
from archimetra.app.stations.page import Rows, shown
from archimetra.app.theme.tokens import Tokens
from archimetra.app.widgets.fields import ChoiceRow, QuantityField
from archimetra.app.widgets.form import Fold, Form
from archimetra.edits import cutting
from archimetra.edits.edit import Edit
from archimetra.job.bits import Bit
from archimetra.job.cut_parts import DepthFrom
from archimetra.job.cuts import Clears, Cut
from archimetra.job.ids import CutId
from archimetra.job.quantities import format_length

replace = msgspec.structs.replace
Words = Callable[[], str]


class Editor(Rows):
    """Rows for one kind of cut. Fields with ``live`` redraw the small section while they are typed."""

    def __init__(self, session: Session, tokens: Tokens, context: CutContext) -> None:
        super().__init__(session, tokens)
        self.context = context
        self._checks: list[tuple[QCheckBox, str, str]] = []
        self._choices: list[tuple[ChoiceRow, str, str]] = []
        self._gates: list[tuple[QWidget, Callable[[Any], bool]]] = []
        self._folds: list[tuple[Fold, Callable[[Any], str]]] = []
        self.build()

    def build(self) -> None:
        raise NotImplementedError

    @property
    def cut(self) -> Any:
        """The cut shown; each editor is only ever shown for its own kind."""
        return self.context.cut

    @property
    def bit(self) -> Bit:
        return self.context.bit

    def refresh(self) -> None:
        super().refresh()
        for check, name, part in self._checks:
            check.setChecked(bool(self._get(name, part)))
        for choice, name, part in self._choices:
            choice.show_value(self._get(name, part))
        for widget, applies in self._gates:
            show_row(widget, applies(self.cut))
        for fold, words in self._folds:
            fold.show_words(words(self.cut))

    # ---- rows

    def fold(self, title: str, words: Callable[[Any], str]) -> Form:
        fold = Fold(title)
        self.form.add(fold)
        self._folds.append((fold, words))
        return fold.form

    def length(
        self, form: Form, text: str, name: str, note: Words | str = "", *, part: str = "", when: Callable[[Any], bool] | None = None,
        live: str = "",
    ) -> QuantityField:  # fmt: skip
        """A length of the cut, or of its ``part`` (its tabs, say)."""
        field = self.length_row(
            form,
            text,
            key=lambda: f"{self.cut.id}.{part + '.' if part else ''}{name}",
            get=lambda: self._get(name, part),
            edit=lambda mm: self.edit(text, name, mm, part),
            note=_words(note),
            live=(lambda mm: self.context.show_sketch(**{live: mm})) if live else None,
        )
        if when is not None:
            self._gates.append((field, when))
        return field

    def number(
        self, form: Form, text: str, name: str, note: Words | str = "", *, part: str = "", is_whole: bool = False,
        when: Callable[[Any], bool] | None = None, scale: float = 1.0,
    ) -> QuantityField:  # fmt: skip
        def edit(value: float) -> Edit:
            if is_whole and value != int(value):
                raise ValueError(f"a number of {text.lower()} is whole")
            return self.edit(text, name, int(value) if is_whole else value / scale, part)

        field = self.number_row(
            form, text, get=lambda: self._get(name, part) * scale, edit=edit, note=_words(note) or str
        )
        if when is not None:
            self._gates.append((field, when))
        return field

    def choice(
        self, form: Form, text: str, name: str, options: list[tuple[StrEnum, str]], *, part: str = "",
        when: Callable[[Any], bool] | None = None,
    ) -> ChoiceRow:  # fmt: skip
        kind = type(options[0][0])
        row = ChoiceRow(text, [(value, words) for value, words in options])
        row.setProperty("label", form.row(text, row))
        row.chosen.connect(lambda value: self.set(text, name, kind(value), part))
        self._choices.append((row, name, part))
        if when is not None:
            self._gates.append((row, when))
        return row

    def check(
        self,
        form: Form,
        text: str,
        name: str,
        *,
        part: str = "",
        tip: str = "",
        when: Callable[[Any], bool] | None = None,
    ) -> QCheckBox:
        box = QCheckBox(text)
        box.setToolTip(tip)
        box.clicked.connect(lambda on: self.set(text, name, on, part))
        form.add(box)
        self._checks.append((box, name, part))
        if when is not None:
            self._gates.append((box, when))
        return box

    def depth_per_pass_row(self, form: Form) -> None:
        about = self.context

        def note() -> str:
            own = ", own" if self.cut.run.depth_per_pass is not None else ""
            return f"{about.pass_words()}{own}" if about.depths else ""

        self.length_row(
            form, "Depth per pass", key=lambda: f"{self.cut.id}.depth_per_pass", get=lambda: about.asked.depth_per_pass,
            edit=lambda mm: about.override("depth_per_pass", mm), note=note,
            live=lambda mm: about.show_sketch(per_pass=mm),
        )  # fmt: skip

    def stepover_rows(self, form: Form) -> None:
        """The stepover in percent and in mm: one number, two ways to type it."""
        about = self.context
        self.number_row(
            form, "Stepover", get=lambda: about.asked.stepover * 100, edit=lambda v: about.override("stepover", v / 100),
            note=lambda: f"% of {self.bit.diameter:g} mm{', own' if self.cut.run.stepover is not None else ''}",
        )  # fmt: skip
        self.length_row(
            form, "Stepover in mm", key=lambda: f"{self.cut.id}.stepover_mm",
            get=lambda: about.asked.stepover * self.bit.diameter,
            edit=lambda mm: about.override("stepover", mm / self.bit.diameter),
        )  # fmt: skip

    # ---- the document

    def _get(self, name: str, part: str) -> Any:
        owner = getattr(self.cut, part) if part else self.cut
        return getattr(owner, name)

    def edit(self, words: str, name: str, value: Any, part: str = "") -> Edit:
        ids = self.context.chosen_ids
        if not part:
            return cutting.change_cuts(self.session.job, ids, words, **{name: value})
        return change_part(self.session, ids, words, part, **{name: value})

    def set(self, words: str, name: str, value: Any, part: str = "") -> None:
        self.context.tell(self.session.try_edit(lambda: self.edit(words, name, value, part)))

    def length_words(self, mm: float) -> str:
        unit = self.session.job.unit
        return f"{format_length(mm, unit)} {unit}"

    def direction_row(self, form: Form) -> ChoiceRow:
        from archimetra.job.cut_parts import Direction

        return self.choice(
            form, "Direction", "direction", [(Direction.CLIMB, "Climb"), (Direction.CONVENTIONAL, "Conventional")]
        )

    def depth_rows(self, form: Form, *, can_go_through: bool = True) -> None:
        """Start and end, with what stays under them."""
        session = self.session
        self.length(
            form, "Start depth", "start_depth", lambda: "" if self.cut.start_depth else "sheet top", live="start",
            when=_is_own_depth,
        )  # fmt: skip
        end = self.length_row(
            form,
            "End depth",
            key=lambda: f"{self.cut.id}.end_depth",
            get=self._end_depth,
            edit=lambda mm: cutting.change_cuts(
                session.job, self.context.chosen_ids, "End depth", end_depth=mm, goes_through=False
            ),
            note=self._end_note,
            live=lambda mm: self.context.show_sketch(end=mm),
        )
        self._gates.append((end, _is_own_depth))
        counts = ChoiceRow(
            "Depth counts from", [(DepthFrom.FACE, "Here"), (DepthFrom.OTHER, "Back"), (DepthFrom.MIDDLE, "Middle")]
        )
        counts.setProperty("label", form.row("Counts from", counts))
        counts.setToolTip("From this face, from the other one (so much stays), or past the middle of the sheet")
        counts.chosen.connect(
            lambda value: session.apply(
                cutting.count_depth_from(session.job, session.board.id, self.context.chosen_ids, DepthFrom(value))
            )
        )
        self._choices.append((counts, "depth_from", ""))
        self._gates.append((counts, lambda c: self._has_two_faces and _is_own_depth(c) and not c.limits_itself))
        if can_go_through:
            self.check(form, "Goes through the sheet", "goes_through", when=_is_own_depth)
            self.length(form, "Past the bottom", "allowance", "in spoilboard", when=lambda c: c.goes_through)

    @property
    def _has_two_faces(self) -> bool:
        board = self.session.board
        return board.back_of is not None or self.session.job.back_of(board.id) is not None

    def _end_depth(self) -> float:
        """As set: from this face how deep, from the other how much stays."""
        return (
            self.context.depth if self.cut.depth_from is DepthFrom.FACE or self.cut.goes_through else self.cut.end_depth
        )

    def _end_note(self) -> str:
        sheet, depth = self.context.sheet, self.context.depth
        if self.cut.depth_from is not DepthFrom.FACE and not self.cut.goes_through:
            return f"{self.length_words(depth)} deep"
        if depth >= sheet.thinnest:
            return "through"
        return f"{self.length_words(sheet.thinnest - depth)} stay"


def _is_own_depth(cut: Cut) -> bool:
    """Halves of an inlay and what clears a V-carve's floor are as deep as those say."""
    return cut.mating is None and cut.clears is not Clears.FLOOR


def change_part(session: Session, ids: tuple[CutId, ...], words: str, part: str, **inner: Any) -> Edit:
    """Fields of a part (tabs, a lead) of every chosen cut that has it."""
    job = session.job
    for id_ in ids:
        cut: Cut | None = next((c for b in job.boards for c in b.cuts if c.id == id_), None)
        if cut is not None and hasattr(cut, part):
            job = cutting.change_cut(job, id_, words, **{part: replace(getattr(cut, part), **inner)}).job
    return Edit(words, job)


def _words(note: Words | str) -> Words | None:
    if isinstance(note, str):
        return (lambda: note) if note else None
    return note


def show_row(field: QWidget, is_shown: bool) -> None:
    """A choice with its label, or neither."""
    shown(field, is_shown)
    beside = field.property("label")
    if beside is not None:
        shown(beside, is_shown)
