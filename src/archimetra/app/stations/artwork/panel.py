"""What the panels of the Artwork page share: a session, rows alike, edits that say what is wrong in a sentence."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtWidgets import QLabel, QLayout, QSizePolicy, QToolButton

from archimetra.app.session import Session
from archimetra.app.session.document import sentence
from archimetra.app.stations.page import Rows, shown
from archimetra.app.theme.style import scaled
from archimetra.app.theme.tokens import Tokens
from archimetra.app.widgets.fields import label
from archimetra.app.widgets.form import Form
from archimetra.base.errors import ArchimetraError
from archimetra.edits.edit import Edit
from archimetra.edits.placing import Box, box_of
from archimetra.edits.shaping import Done
from archimetra.job.ids import ShapeId


class Panel(Rows):
    """One kind of work. ``form`` is its widget."""

    name = ""
    icon = ""
    tip = ""
    keys = ""

    def __init__(self, session: Session, tokens: Tokens) -> None:
        super().__init__(session, tokens)
        self._problem = label("", "stop")
        self.build()
        self.form.add(self._problem)
        self._problem.hide()

    def build(self) -> None:
        raise NotImplementedError

    def opened(self) -> None:
        """The panel comes to the front."""

    def closed(self) -> None:
        """Another panel comes to the front."""

    def box(self) -> Box | None:
        wanted = set(self.session.picked)
        return box_of([shape for shape in self.session.board.shapes if shape.id in wanted])

    def need_picked(self, hint: QLabel, words: str, at_least: int = 1) -> bool:
        """Whether enough is picked; else the hint says what to pick."""
        is_enough = len(self.session.picked) >= at_least
        hint.setText(words)
        shown(hint, not is_enough)
        return is_enough

    def run(self, make: Callable[[], Done | Edit | tuple[Edit, Sequence[ShapeId]]]) -> bool:
        """Make an edit, apply it and pick what came of it; or say what is wrong."""
        self._problem.hide()
        try:
            made = make()
        except (ValueError, ArchimetraError) as error:
            self.say_problem(sentence(str(error)))
            return False
        if isinstance(made, Edit):
            self.session.apply(made)
        elif isinstance(made, Done):
            self.session.apply(made.edit)
            self.session.pick(made.pick)
            if made.words:
                self.session.said.emit("note", made.words)
        else:
            self.session.apply(made[0])
            self.session.pick(made[1])
        return True

    def say_problem(self, words: str) -> None:
        self._problem.setText(words)
        shown(self._problem, bool(words))


def clear_rows(form: Form) -> None:
    """Take all rows out of a form that is filled anew."""
    clear_layout(form.column)


def clear_layout(layout: QLayout) -> None:
    while layout.count():
        item = layout.takeAt(0)
        inner = item.layout() if item is not None else None
        if inner is not None:
            clear_layout(inner)
        widget = item.widget() if item is not None else None
        if widget is not None:
            widget.hide()  # until it is deleted it would be drawn over what takes its place
            widget.deleteLater()


def tool_button(words: str, tip: str, run: Callable[[], object], *, is_checkable: bool = False) -> QToolButton:
    """A small button of a row of alternatives."""
    button = QToolButton()
    button.setText(words)
    button.setToolTip(tip)
    button.setAccessibleName(words)
    button.setProperty("kind", "part")
    button.setCheckable(is_checkable)
    button.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
    button.setFixedHeight(scaled(26))
    button.clicked.connect(lambda _checked=False: run())
    return button
