"""Place: where the picked shapes lie, how large they are, how they stand; lined up and spread out."""

from __future__ import annotations

from PySide6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QSizePolicy, QWidget

from archimetra.app.stations.artwork.panel import Panel, tool_button
from archimetra.app.stations.bindings import TypedNumber
from archimetra.app.stations.page import ANGLE_WIDTH, shown
from archimetra.app.theme.style import scaled
from archimetra.app.widgets.fields import ChoiceRow, QuantityField, fill, label
from archimetra.app.widgets.form import Form
from archimetra.edits import aligning, layering, placing
from archimetra.edits.aligning import AlignTo, Edge
from archimetra.edits.edit import Edit
from archimetra.edits.placing import Anchor
from archimetra.geometry.affine import Affine

_ANCHORS = tuple(Anchor)


class PlacePanel(Panel):
    name, icon, tip = "Place", "arrows-move", "Where it lies, how large it is, lined up and spread out"

    def build(self) -> None:
        self._hint = self.form.add(label("", "note"))
        self._body = Form()
        self.form.add(self._body)
        self._anchor = Anchor.FRONT_LEFT
        body = self._body
        head = QWidget()
        line = QHBoxLayout(head)
        line.setContentsMargins(0, 0, 0, 0)
        grid = QGridLayout()
        grid.setSpacing(1)
        self._dots = {}
        for k, anchor in enumerate(_ANCHORS):
            dot = tool_button(
                "", f"Measure from and size about: {anchor.value}", lambda a=anchor: self._choose(a), is_checkable=True
            )
            dot.setAccessibleName(f"Anchor {anchor.value}")
            dot.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
            dot.setFixedSize(scaled(20), scaled(20))
            grid.addWidget(dot, k // 3, k % 3)
            self._dots[anchor] = dot
        line.addLayout(grid)
        line.addSpacing(8)
        self._anchor_words = label("", "note")
        line.addWidget(self._anchor_words, 1)
        body.add(head)
        for text, axis in (("X", 0), ("Y", 1)):
            self.length_row(
                body, text, key=lambda t=text: f"picked.{t}.{self._anchor}", get=lambda a=axis: self._at()[a],
                edit=lambda mm, a=axis: self._move_to(a, mm),
            )  # fmt: skip
        for text, is_width in (("Width (X)", True), ("Height (Y)", False)):
            self.length_row(
                body, text, key=lambda t=text: f"picked.{t}", get=lambda w=is_width: self._size(w),
                edit=lambda mm, w=is_width: self._resize(w, mm),
            )  # fmt: skip
        self._ratio = QCheckBox("Keep the ratio of width to height")
        self._ratio.setChecked(True)
        body.add(self._ratio)
        self._angle = self.number_row(
            body,
            "Angle",
            get=self._stands,
            edit=lambda v: self._turn(v, is_to=True),
            note=lambda: "° counter-clockwise",
            width=ANGLE_WIDTH,
        )
        self._by = QuantityField("Turn by", width=ANGLE_WIDTH)
        body.row("Turn by", self._by)
        self._by.show_quantity("", "° counter-clockwise")
        self._by.entered.connect(self._turn_by)
        self._dx, self._dy = QuantityField("Move by X"), QuantityField("Move by Y")
        body.row("Move by X", self._dx)
        body.row("Move by Y", self._dy)
        for field, axis in ((self._dx, 0), (self._dy, 1)):
            field.show_quantity("", str(self.session.job.unit))
            field.entered.connect(lambda text, f=field, a=axis: self._move_by(f, a, text))
        self.buttons(
            body,
            ("Centre", "Centre on the sheet (C)", self.centre),
            ("Mirror ↔", "Mirror left to right in place", lambda: self._mirror(True, False)),
            ("Mirror ↕", "Mirror front to back in place", lambda: self._mirror(False, False)),
        )
        self.buttons(
            body,
            ("Copy ↔", "A mirrored copy to the right", lambda: self._mirror(True, True)),
            ("Copy ↕", "A mirrored copy to the back", lambda: self._mirror(False, True)),
            ("Remove", "Remove the picked shapes (Del)", self.remove),
        )
        body.line()
        body.heading("Line up", "")
        self._to = ChoiceRow("Line up with", [(a.value, a.value) for a in AlignTo])
        self._to.show_value(AlignTo.SHEET.value)
        self._to.chosen.connect(self._to.show_value)
        body.add(self._to)
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(0)
        for edge in Edge:
            button = tool_button(edge.value, f"Line up {edge.value}", lambda e=edge: self._align(e))
            line.addWidget(button, 1)
        body.add(row)
        self._spread = Form()
        body.add(self._spread)
        self._spread.heading("Spread out")
        self._gap = TypedNumber(10.0, -10_000.0, 10_000.0)
        self.typed_row(self._spread, "Distance", self._gap)
        self.buttons(
            self._spread,
            ("Gap ↔", "That far apart, left to right", lambda: self._distribute(True, "gap")),
            ("Gap ↕", "That far apart, front to back", lambda: self._distribute(False, "gap")),
            ("Pitch ↔", "That far from centre to centre", lambda: self._distribute(True, "pitch")),
            ("Pitch ↕", "That far from centre to centre", lambda: self._distribute(False, "pitch")),
        )
        self.buttons(
            self._spread,
            ("Evenly ↔", "Equal gaps between the outer two", lambda: self._distribute(True, "")),
            ("Evenly ↕", "Equal gaps between the outer two", lambda: self._distribute(False, "")),
        )
        body.line()
        self._group, self._ungroup, self._lock = self.buttons(
            body,
            ("Group", "Pick and move them as one (Ctrl+G)", self.group),
            ("Ungroup", "Each for itself again (Ctrl+Shift+G)", self.ungroup),
            ("Lock", "Keep the picked shapes from being changed", self._toggle_lock),
        )
        self._layer = self.combo_row(body, "Layer", self._move_to_layer)

    def refresh(self) -> None:
        is_enough = self.need_picked(self._hint, "Pick a shape on the plan; Shift picks more, a frame picks several.")
        shown(self._body, is_enough)
        for anchor, dot in self._dots.items():
            dot.setChecked(anchor is self._anchor)
        self._anchor_words.setText(
            f"Places are those of the {self._anchor.value} of what is picked; sizing keeps it there."
        )
        if not is_enough:
            return
        super().refresh()
        for field in (self._dx, self._dy):
            field.show_note(str(self.session.job.unit))
        board, picked = self.session.board, set(self.session.picked)
        mine = [shape for shape in board.shapes if shape.id in picked]
        shown(self._spread, len(mine) > 1)
        self._group.setEnabled(len(mine) > 1)
        self._ungroup.setEnabled(any(shape.group for shape in mine))
        self._lock.setText("Unlock" if mine and all(shape.is_locked for shape in mine) else "Lock")
        of = {shape.layer for shape in mine}
        fill(
            self._layer,
            [layer.name for layer in board.layers],
            next((i for i, layer in enumerate(board.layers) if {layer.id} == of), -1),
        )

    # ---- what the buttons do

    def centre(self) -> None:
        if self.session.picked:
            self.session.apply(placing.centre_shapes(self.session.job, self.session.board.id, self.session.picked))

    def remove(self) -> None:
        if self.session.picked:
            self.session.apply(placing.remove_shapes(self.session.job, self.session.board.id, self.session.picked))

    def group(self) -> None:
        if len(self.session.picked) > 1:
            self.session.apply(layering.group_shapes(self.session.job, self.session.board.id, self.session.picked))

    def ungroup(self) -> None:
        if self.session.picked:
            self.session.apply(layering.ungroup_shapes(self.session.job, self.session.board.id, self.session.picked))

    def _choose(self, anchor: Anchor) -> None:
        self._anchor = anchor
        self.refresh()

    def _at(self) -> tuple[float, float]:
        return placing.anchor_point(self.box() or (0.0, 0.0, 0.0, 0.0), self._anchor)

    def _size(self, is_width: bool) -> float:
        x0, y0, x1, y1 = self.box() or (0.0, 0.0, 0.0, 0.0)
        return x1 - x0 if is_width else y1 - y0

    def _move_to(self, axis: int, mm: float) -> Edit:
        at = (mm, None) if axis == 0 else (None, mm)
        return placing.move_to(self.session.job, self.session.board.id, self.session.picked, self._anchor, at)

    def _resize(self, is_width: bool, mm: float) -> Edit:
        return placing.size_to(
            self.session.job, self.session.board.id, self.session.picked, self._anchor,
            width=mm if is_width else None, height=None if is_width else mm, keeps_ratio=self._ratio.isChecked(),
        )  # fmt: skip

    def _stands(self) -> float:
        first = self.session.board.shape(self.session.picked[0]) if self.session.picked else None
        return round(placing.turned(first), 6) if first is not None else 0.0

    def _turn(self, angle: float, *, is_to: bool) -> Edit:
        turn = placing.turn_to if is_to else placing.turn_by
        about = self._at() if not is_to else None
        return turn(self.session.job, self.session.board.id, self.session.picked, angle, about)

    def _turn_by(self, text: str) -> None:
        problem = self.session.enter_number(text, lambda v: self._turn(v, is_to=False))
        self._by.show_quantity("" if not problem else text, problem or "° counter-clockwise", is_wrong=bool(problem))

    def _move_by(self, field: QuantityField, axis: int, text: str) -> None:
        def edit(mm: float) -> Edit:
            by = Affine.shift(mm, 0.0) if axis == 0 else Affine.shift(0.0, mm)
            return placing.map_shapes(self.session.job, self.session.board.id, self.session.picked, by)

        problem = self.session.enter_length("", text, edit)
        field.show_quantity("" if not problem else text, problem or str(self.session.job.unit), is_wrong=bool(problem))

    def _mirror(self, is_across: bool, as_copy: bool) -> None:
        self.run(
            lambda: placing.mirror(
                self.session.job, self.session.board.id, self.session.picked, is_across=is_across, as_copy=as_copy,
                gap=max(self._gap.value, 0.0) if as_copy else 0.0,
            )
        )  # fmt: skip

    def _align(self, edge: Edge) -> None:
        to = next(a for a in AlignTo if self._to.button(a.value).isChecked())
        self.run(lambda: aligning.align(self.session.job, self.session.board.id, self.session.picked, edge, to))

    def _distribute(self, is_across: bool, how: str) -> None:
        fields = {how: self._gap.value} if how else {}
        self.run(
            lambda: aligning.distribute(
                self.session.job, self.session.board.id, self.session.picked, is_across=is_across, **fields
            )
        )

    def _toggle_lock(self) -> None:
        is_locked = self._lock.text() == "Lock"
        self.session.apply(
            layering.lock_shapes(self.session.job, self.session.board.id, self.session.picked, is_locked=is_locked)
        )

    def _move_to_layer(self, index: int) -> None:
        layer = self.session.board.layers[index]
        self.session.apply(
            layering.move_to_layer(self.session.job, self.session.board.id, self.session.picked, layer.id)
        )
