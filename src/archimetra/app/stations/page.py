"""What all stations' pages share: a session, bindings that are refreshed together, rows made alike."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QWidget

from archimetra.app.session import Session
from archimetra.app.stations.bindings import Binding, LengthBinding, Note, NumberBinding, TypedNumber
from archimetra.app.theme.tokens import Tokens
from archimetra.app.widgets.fields import FIELD_WIDTH, Choice, QuantityField
from archimetra.app.widgets.form import Form, page
from archimetra.edits.edit import Edit

ANGLE_WIDTH = 58  # of fields whose note says which way angles count


class Rows:
    """A form of a session: fields bound to the document. ``refresh`` brings the document in and emits nothing."""

    def __init__(self, session: Session, tokens: Tokens) -> None:
        self.session = session
        self.tokens = tokens
        self.bindings: list[Binding] = []
        self.form = Form()

    def refresh(self) -> None:
        for binding in self.bindings:
            binding.refresh()

    def show_theme(self, tokens: Tokens) -> None:
        self.tokens = tokens

    # ---- rows

    def length_row(
        self,
        form: Form,
        text: str,
        *,
        key: Callable[[], str],
        get: Callable[[], float],
        edit: Callable[[float], Edit],
        note: Note | None = None,
        live: Callable[[float], None] | None = None,
    ) -> QuantityField:
        field = QuantityField(text)
        field.setProperty("label", form.row(text, field))
        self.bindings.append(LengthBinding(self.session, field, key=key, get=get, edit=edit, note=note, live=live))
        return field

    def number_row(
        self, form: Form, text: str, *, get: Callable[[], float], edit: Callable[[float], Edit], note: Note,
        width: int = FIELD_WIDTH,
    ) -> QuantityField:  # fmt: skip
        field = QuantityField(text, width=width)
        field.setProperty("label", form.row(text, field))
        self.bindings.append(NumberBinding(self.session, field, get=get, edit=edit, note=note))
        return field

    def typed_row(
        self, form: Form, text: str, value: TypedNumber, note: str = "", *, is_length: bool = True
    ) -> QuantityField:
        """A number that belongs to what is about to be done, not to the document: ``value`` keeps it."""
        field = QuantityField(text)
        field.setProperty("label", form.row(text, field))
        value.attach(field, self.session, note, is_length=is_length)
        self.bindings.append(value)
        return field

    def buttons(self, form: Form, *rows: tuple[str, str, Callable[[], object]]) -> list[QPushButton]:
        """A line of buttons: (words, tooltip, what it does)."""
        holder = QWidget()
        line = QHBoxLayout(holder)
        line.setContentsMargins(0, 2, 0, 0)
        line.setSpacing(6)
        made = []
        for words, tip, run in rows:
            button = QPushButton(words)
            button.setToolTip(tip)
            button.clicked.connect(lambda _checked=False, r=run: r())
            line.addWidget(button)
            made.append(button)
        line.addStretch(1)
        form.add(holder)
        return made

    def combo_row(self, form: Form, text: str, chosen: Callable[[int], None]) -> Choice:
        combo = Choice(text)
        combo.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        combo.setMinimumContentsLength(8)
        combo.activated.connect(chosen)
        combo.setProperty("label", form.row(text, combo))
        return combo


class Page(Rows):
    """A station's page. ``widget`` goes into the window."""

    title = ""

    def __init__(self, session: Session, tokens: Tokens) -> None:
        super().__init__(session, tokens)
        self.widget, self.corner = page(self.form, self.title)
        self.build()

    def left(self) -> None:
        """Another station comes to the front."""

    def build(self) -> None:
        raise NotImplementedError


def shown(widget: QWidget, is_shown: bool) -> None:
    if widget.isHidden() == is_shown:
        widget.setVisible(is_shown)
