"""Holes in detail."""

from __future__ import annotations

from PySide6.QtWidgets import QCheckBox

from archimetra.app.stations.artwork.panel import clear_rows
from archimetra.app.stations.cuts.editor import Editor
from archimetra.app.stations.cuts.form_row import FormRow
from archimetra.app.widgets.cut_sketch import Outline, mirrored
from archimetra.app.widgets.fields import QuantityField, label
from archimetra.app.widgets.form import Form
from archimetra.job.bits import Bit, BitKind
from archimetra.job.cut_parts import HoleStep
from archimetra.job.cuts.hole import HoleCut, HoleMethod
from archimetra.job.quantities import QuantityError, format_length, parse_length


class HoleEditor(Editor):
    def build(self) -> None:
        form = self.form
        self._sizes = form.add(Form())
        self._boxes: list[QCheckBox] = []
        self._shown_sizes: object = None
        self.choice(
            form, "Method", "method",
            [(HoleMethod.FITTING, "Fitting"), (HoleMethod.DRILL, "Drill"), (HoleMethod.PECK, "Peck"), (HoleMethod.BORE, "Bore")],
        )  # fmt: skip
        self.depth_rows(form)
        self.length(form, "Peck", "peck", "up after each")
        self.number(form, "Wait", "dwell_s", lambda: "s at the bottom", when=lambda c: c.method is not HoleMethod.BORE)
        self.check(form, "Depth to full width", "to_shoulder", tip="A pointed drill goes deeper by its point")
        self._steps_words = form.add(label("Wider at the top (counterbore)", "note"))
        self._step_fields: list[tuple[QuantityField, QuantityField]] = []
        for number in range(2):
            width, deep = (
                QuantityField(f"Counterbore {number + 1} width"),
                QuantityField(f"Counterbore {number + 1} depth"),
            )
            form.row(f"Step {number + 1} width", width)
            form.row("and depth", deep)
            for field in (width, deep):
                field.entered.connect(lambda _text, n=number: self._enter_step(n))
            self._step_fields.append((width, deep))
        passes = self.fold(
            "Passes", lambda c: f"{c.direction.value}, {self.length_words(self.context.recipe.depth_per_pass)} a turn"
        )
        self.depth_per_pass_row(passes)
        self.direction_row(passes)
        self.check(passes, "Keep the order of the shapes", "keeps_order")

    def refresh(self) -> None:
        super().refresh()
        from archimetra.toolpath.shared.circles import circles_of, sizes_of

        cut, unit = self.cut, self.session.job.unit
        sizes = sizes_of(circles_of(self.session.board.shapes_of(cut)))
        if self._shown_sizes != (sizes, cut.diameters, unit):
            self._shown_sizes = (sizes, cut.diameters, unit)
            self._show_sizes(sizes)
        for number, (width, deep) in enumerate(self._step_fields):
            step = cut.steps[number] if number < len(cut.steps) else None
            width.show_quantity(format_length(step.diameter, unit) if step else "", str(unit) if step else "none")
            deep.show_quantity(format_length(step.depth, unit) if step else "", str(unit) if step else "")

    def _show_sizes(self, sizes: list[tuple[float, int]]) -> None:
        clear_rows(self._sizes)
        unit = self.session.job.unit
        if not sizes:
            self._sizes.add(label("No circles among its shapes.", "caution"))
        for size, count in sizes[:12]:
            box = QCheckBox(f"{count} of {format_length(size, unit)} {unit}")
            is_taken = not self.cut.diameters or any(abs(size - d) < 0.05 for d in self.cut.diameters)
            box.setChecked(is_taken)
            box.clicked.connect(lambda _on, s=sizes: self._choose_sizes(s))
            box.setProperty("size_mm", size)
            self._sizes.add(box)

    def _choose_sizes(self, sizes: list[tuple[float, int]]) -> None:
        boxes = self._sizes.findChildren(QCheckBox)
        chosen = tuple(float(box.property("size_mm")) for box in boxes if box.isChecked() and not box.isHidden())
        self.set("Sizes of holes", "diameters", () if len(chosen) == len(sizes) else chosen)

    def _enter_step(self, number: int) -> None:
        unit = self.session.job.unit
        width, deep = self._step_fields[number]
        steps = list(self.cut.steps)
        if not width.text().strip() and not deep.text().strip():
            if number < len(steps):
                del steps[number]
        elif width.text().strip() and deep.text().strip():
            try:
                step = HoleStep(parse_length(width.text(), default=unit), parse_length(deep.text(), default=unit))
            except (QuantityError, ValueError) as error:
                self.context.tell(str(error))
                return
            steps[number : number + 1] = [step]
        else:
            return
        self.set("Counterbore", "steps", tuple(steps))


def _outline(cut: HoleCut, bit: Bit, end: float) -> Outline:
    wide = max(cut.diameters, default=1.6 * bit.diameter) / 2
    steps = sorted((step for step in cut.steps if step.diameter / 2 > wide), key=lambda step: step.depth)
    half = [(-(steps[0].diameter / 2 if steps else wide), 0.0)]
    for k, step in enumerate(steps):
        half.append((-step.diameter / 2, step.depth))
        narrower = steps[k + 1].diameter / 2 if k + 1 < len(steps) else wide
        half.append((-narrower, step.depth))
    half.append((-wide, end))
    if bit.kind is BitKind.DRILL:
        half.append((0.0, end + bit.point_length))
    return mirrored(half)


ROW = FormRow(HoleCut, HoleEditor, _outline, words=lambda cut: "holes", bit_at_wall=True)
