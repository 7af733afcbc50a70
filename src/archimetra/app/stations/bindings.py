"""One number of the document, one field on a page: what it shows, and the edit that typing makes."""

from __future__ import annotations

import contextlib
from collections.abc import Callable

from archimetra.app.session import Session
from archimetra.app.widgets.fields import QuantityField
from archimetra.edits.edit import Edit
from archimetra.job.quantities import QuantityError, format_length, is_plain, parse_length, parse_number

Note = Callable[[], str]


class LengthBinding:
    """A length of the document. ``key`` names it for what was typed; ``note`` overrides the words beside it."""

    def __init__(
        self,
        session: Session,
        field: QuantityField,
        *,
        key: Callable[[], str],
        get: Callable[[], float],
        edit: Callable[[float], Edit],
        note: Note | None = None,
        live: Callable[[float], None] | None = None,
    ) -> None:
        self._session, self.field = session, field
        self._key, self._get, self._edit, self._note, self._live = key, get, edit, note, live
        field.entered.connect(self._entered)
        field.edited.connect(self._edited)

    def refresh(self) -> None:
        text, note = self._session.length_text(self._key(), self._get())
        if self._note is not None and self._note():
            note = f"{note}, {self._note()}" if note.startswith("=") else self._note()
        self.field.show_quantity(text, note)

    def _entered(self, text: str) -> None:
        problem = self._session.enter_length(self._key(), text, self._edit)
        if problem:
            self.field.show_quantity(text, problem, is_wrong=True)
        else:
            self.refresh()

    def _edited(self, text: str) -> None:
        """While typing: what it comes to so far, and the small section moves along."""
        with contextlib.suppress(QuantityError):
            mm = parse_length(text, default=self._session.job.unit)
            if not is_plain(text):
                self.field.show_note(f"= {format_length(mm, self._session.job.unit)} {self._session.job.unit}")
            if self._live is not None:
                self._live(mm)


class NumberBinding:
    """A plain number: a count, an angle, a speed."""

    def __init__(
        self,
        session: Session,
        field: QuantityField,
        *,
        get: Callable[[], float],
        edit: Callable[[float], Edit],
        note: Note,
    ) -> None:
        self._session, self.field = session, field
        self._get, self._edit, self._note = get, edit, note
        field.entered.connect(self._entered)
        field.edited.connect(self._edited)

    def refresh(self) -> None:
        self.field.show_quantity(f"{self._get():g}", self._note())

    def _entered(self, text: str) -> None:
        problem = self._session.enter_number(text, self._edit)
        if problem:
            self.field.show_quantity(text, problem, is_wrong=True)
        else:
            self.refresh()

    def _edited(self, text: str) -> None:
        with contextlib.suppress(QuantityError):
            value = parse_number(text)
            if not is_plain(text):
                self.field.show_note(f"= {value:g}")


class TypedNumber:
    """A number typed for what is about to be done. It keeps the last sound value and says what is wrong with others."""

    def __init__(self, value: float, low: float = 0.0, high: float = 10_000.0) -> None:
        self.value = value
        self._low, self._high = low, high
        self._listeners: list[Callable[[], object]] = []

    def attach(self, field: QuantityField, session: Session, note: str, *, is_length: bool) -> None:
        self.field, self._session, self._note, self._is_length = field, session, note, is_length
        field.entered.connect(self._entered)

    def on_change(self, run: Callable[[], object]) -> None:
        self._listeners.append(run)

    def refresh(self) -> None:
        unit = self._session.job.unit
        text = format_length(self.value, unit) if self._is_length else f"{self.value:g}"
        self.field.show_quantity(text, self._note or (str(unit) if self._is_length else ""))

    def _entered(self, text: str) -> None:
        try:
            value = parse_length(text, default=self._session.job.unit) if self._is_length else parse_number(text)
        except QuantityError as error:
            self.field.show_quantity(text, str(error), is_wrong=True)
            return
        if not self._low <= value <= self._high:
            self.field.show_quantity(text, f"{self._low:g} to {self._high:g}", is_wrong=True)
            return
        self.value = value
        self.refresh()
        for run in self._listeners:
            run()


Binding = LengthBinding | NumberBinding | TypedNumber
