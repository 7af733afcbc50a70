"""Draw: simple shapes by their measures, lines and arcs; a drawn shape's measures stay to be changed."""

from __future__ import annotations

from collections.abc import Callable

import msgspec
from PySide6.QtWidgets import QCheckBox, QGridLayout, QWidget

from archimetra.app.stations.artwork.panel import Panel, tool_button
from archimetra.app.stations.page import shown
from archimetra.app.views.tools import DrawTool, LineTool
from archimetra.app.widgets.fields import label
from archimetra.app.widgets.form import Form
from archimetra.edits import shaping
from archimetra.edits.edit import Edit
from archimetra.geometry.affine import Affine
from archimetra.geometry.path import Path
from archimetra.job.forms import EllipseForm, PolygonForm, RectangleForm, SlotForm, StarForm
from archimetra.job.forms import Form as ShapeForm
from archimetra.job.shapes import Shape

KINDS: dict[str, ShapeForm] = {
    "rectangle": RectangleForm(),
    "circle": EllipseForm(),
    "ellipse": EllipseForm(width=60.0, height=40.0),
    "polygon": PolygonForm(),
    "star": StarForm(),
    "slot": SlotForm(),
}
# what of each form a field shows: words, field, whether it is a length
FIELDS: dict[type, tuple[tuple[str, str, bool], ...]] = {
    RectangleForm: (("Width (X)", "width", True), ("Height (Y)", "height", True), ("Corner radius", "corner_radius", True)),
    EllipseForm: (("Width (X)", "width", True), ("Height (Y)", "height", True)),
    PolygonForm: (("Sides", "sides", False), ("Radius", "radius", True)),
    StarForm: (("Points", "points", False), ("Outer radius", "outer", True), ("Inner radius", "inner", True)),
    SlotForm: (
        ("Length", "length", True), ("Measured part", "thickness", True), ("Slack", "slack", True),
        ("Past the edge", "overrun", True),
    ),
}  # fmt: skip


class DrawPanel(Panel):
    name, icon, tip = "Draw", "pencil", "Rectangles, circles, slots, lines and arcs"

    def build(self) -> None:
        self._templates = dict(KINDS)
        self._kind = ""
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(0)
        self._tools = {}
        for k, kind in enumerate((*KINDS, "line and arc")):
            button = tool_button(
                kind.capitalize(), f"Draw a {kind} on the plan", lambda n=kind: self.begin(n), is_checkable=True
            )
            grid.addWidget(button, k // 3, k % 3)
            grid.setColumnStretch(k % 3, 1)
            self._tools[kind] = button
        self.form.add(holder)
        self._words = self.form.heading("Measures")
        self._hint = self.form.add(label("", "note"))
        self._forms: dict[type, Form] = {}
        for type_, fields in FIELDS.items():
            form = Form()
            for words, field, is_length in fields:
                if is_length:
                    self.length_row(
                        form, words, key=lambda f=field: f"drawn.{f}.{self._key()}", get=lambda t=type_, f=field: self._get(t, f),
                        edit=lambda v, f=field: self._set(f, v),
                    )  # fmt: skip
                else:
                    self.number_row(
                        form, words, get=lambda t=type_, f=field: self._get(t, f),
                        edit=lambda v, f=field: self._set(f, round(v)), note=lambda: "",
                    )  # fmt: skip
            if type_ is SlotForm:
                self._round, self._both = QCheckBox("Round ends"), QCheckBox("Past the edge at both ends")
                self._round.clicked.connect(lambda on: self.run(lambda: self._set("is_round", on)))
                self._both.clicked.connect(lambda on: self.run(lambda: self._set("overruns_both", on)))
                form.add(self._round)
                form.add(self._both)
                self._slot_note = form.add(label("", "note"))
            self._forms[type_] = form
            self.form.add(form)
        (self._convert,) = self.buttons(
            self.form, ("Convert to outline", "From now on it has nodes instead of measures", self._make_plain)
        )

    def refresh(self) -> None:
        for kind, button in self._tools.items():
            button.setChecked(kind == self._kind)
        form = self._form()
        for type_, holder in self._forms.items():
            shown(holder, isinstance(form, type_))
        shape = self._shape()
        shown(self._convert, shape is not None)
        self._words.setText(f"of the picked {shape.name}" if shape is not None else "of the next one" if form else "")
        if self._kind == "line and arc":
            self._hint.setText("Click node after node on the plan. Drag while clicking to bend the piece into an arc.")
        elif form is None:
            self._hint.setText("Choose a shape and draw it on the plan, or pick a drawn one to change its measures.")
        else:
            self._hint.setText(
                "Drag on the plan for its size, or click for one of these measures." if shape is None else ""
            )
        shown(self._hint, bool(self._hint.text()))
        if isinstance(form, SlotForm):
            self._round.setChecked(form.is_round)
            self._both.setChecked(form.overruns_both)
            self._slot_note.setText(
                "As wide as the part measures plus the slack. Run it past the edge by more than the bit's radius, or "
                "ears are left; square corners need relief (Combine)."
            )
        for binding in self.bindings:
            if binding.field.isVisibleTo(self.form):
                binding.refresh()

    def closed(self) -> None:
        if self._kind:
            self._kind = ""
            self.session.tool_wanted.emit(None)

    def tool_left(self) -> None:
        self._kind = ""
        self.refresh()

    def begin(self, kind: str) -> None:
        """Draw shapes of a kind until another tool is chosen or Escape puts it away."""
        if kind == self._kind:
            self.closed()
            self.refresh()
            return
        self._kind = kind
        self.session.pick(())
        if kind == "line and arc":
            self.session.tool_wanted.emit(lambda plan: LineTool(self._line_made, plan))
        else:
            self.session.tool_wanted.emit(lambda plan: DrawTool(kind, self._templates[kind], self._made, plan))
        self.refresh()

    # ---- making

    def _made(self, form: ShapeForm, at: Affine) -> None:
        kind = self._kind
        self._templates[kind] = form
        self.run(lambda: shaping.draw(self.session.job, self.session.board.id, form, at))
        if kind:
            self.session.tool_wanted.emit(lambda plan: DrawTool(kind, form, self._made, plan))

    def _line_made(self, path: Path) -> None:
        self.run(lambda: shaping.draw_path(self.session.job, self.session.board.id, path))

    def _shape(self) -> Shape | None:
        """The one picked shape that has measures of this panel."""
        picked = self.session.picked
        shape = self.session.board.shape(picked[0]) if len(picked) == 1 else None
        return shape if shape is not None and type(shape.form) in FIELDS else None

    def _form(self) -> ShapeForm | None:
        shape = self._shape()
        return shape.form if shape is not None else self._templates.get(self._kind)

    def _key(self) -> str:
        shape = self._shape()
        return shape.id if shape is not None else self._kind

    def _get(self, kind: type, field: str) -> float:
        form = self._form()
        return float(getattr(form, field)) if isinstance(form, kind) else 0.0

    def _set(self, field: str, value: object) -> Edit:
        form, shape, s = self._form(), self._shape(), self.session
        if form is None:
            return Edit("", s.job)
        changed = msgspec.structs.replace(form, **{field: value})
        if self._kind == "circle" and field in ("width", "height") and shape is None:
            changed = msgspec.structs.replace(changed, width=value, height=value)
        if shape is None:
            self._templates[self._kind] = changed
            made: Callable[[ShapeForm, Affine], None] = self._made
            kind = self._kind
            s.tool_wanted.emit(lambda plan: DrawTool(kind, changed, made, plan))
            return Edit("", s.job)
        return shaping.reform(s.job, s.board.id, shape.id, changed)

    def _make_plain(self) -> None:
        s = self.session
        self.run(lambda: shaping.convert(s.job, s.board.id, s.picked))
