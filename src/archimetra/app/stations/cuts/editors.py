"""The editor of each kind of cut, found by the table at the end."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QCheckBox, QLabel, QPushButton

from archimetra.app.stations.cuts.carve_editor import CarveEditor
from archimetra.app.stations.cuts.editor import Editor, show_row
from archimetra.app.stations.page import shown
from archimetra.app.widgets.fields import QuantityField, label
from archimetra.app.widgets.form import Form
from archimetra.job import cutting
from archimetra.job.bits import BitKind
from archimetra.job.cut_parts import Entry, HoleStep, LeadKind, Pattern, Side
from archimetra.job.cuts import (
    CarveCut,
    Cut,
    EngraveCut,
    FacingCut,
    FacingPattern,
    HoleCut,
    HoleMethod,
    PocketCut,
    ProfileCut,
    SlotCut,
)
from archimetra.job.ids import LayerId
from archimetra.job.quantities import QuantityError, format_length, parse_length


class ProfileEditor(Editor):
    words = "profile"

    def build(self) -> None:
        form = self.form
        self.side = self.choice(
            form, "Side", "side", [(Side.OUTSIDE, "Outside"), (Side.INSIDE, "Inside"), (Side.ON, "On line")]
        )
        self.open_side = self.choice(
            form, "Of open lines", "side", [(Side.LEFT, "Left"), (Side.ON, "On line"), (Side.RIGHT, "Right")]
        )
        self.depth_rows(form)
        passes = self.fold("Passes and entry", self._pass_words)
        self.panel.depth_per_pass_row(self, passes)
        self.direction_row(passes)
        self.choice(
            passes, "Entry", "entry", [(Entry.RAMP, "Ramp"), (Entry.SPIRAL, "Spiral"), (Entry.PLUNGE, "Plunge")]
        )
        self.number(passes, "Ramp", "ramp_degrees", "° along path", when=lambda c: c.entry is Entry.RAMP)
        self.length(passes, "Ramp length", "ramp_length", self._ramp_note, when=lambda c: c.entry is Entry.RAMP)
        self.length(passes, "Finish", "finish", "for a last pass", live="finish")
        self.number_row(
            passes,
            "Finish feed",
            get=lambda: self.cut.finish_feed or self.panel.recipe.feed,
            edit=lambda v: self.edit("Finish feed", "finish_feed", v),
            note=lambda: "mm/min" if self.cut.finish_feed else "as the rest",
        )
        self.length(passes, "Overlap", "overlap", "past the start")
        self.check(
            passes, "Overcut inner corners", "overcut", tip="Drive the bit into inner corners so that square parts fit"
        )
        self.check(
            passes, "Shared edges once", "shares_edges", tip="Parts one bit apart: cut the edge between them once"
        )
        self.check(
            passes, "Keep the order of the shapes", "keeps_order", tip="Contours in the order the shapes were picked in"
        )
        hold = self.fold("Tabs", self._tab_words)
        self.number(hold, "Tabs", "count", "an outline", part="tabs", is_whole=True)
        self.length(
            hold, "Or every", "spacing", lambda: "0: by count" if not self.cut.tabs.spacing else "apart", part="tabs"
        )
        has_tabs = lambda c: c.tabs.is_wanted  # noqa: E731
        self.length(hold, "Tab length", "length", "wood that stays", part="tabs", when=has_tabs)
        self.length(hold, "Tab thickness", "thickness", "above the bottom", part="tabs", when=has_tabs, live="tab")
        self.length(hold, "From corners", "corner_distance", "at least", part="tabs", when=has_tabs)
        self.check(hold, "Sloped ends", "is_sloped", part="tabs", tip="Tabs that fall at 45 degrees", when=has_tabs)
        self.avoid = self.combo_row(hold, "Keep out of", self._choose_zone)
        self.length(hold, "Skin instead", "skin", "0: none", when=lambda c: c.goes_through, live="skin")
        self._tab_hint = hold.add(label("", "note"))
        self._tab_buttons = self.buttons(
            hold,
            ("For picked shapes", "Give the picked shapes this number of tabs of their own", self._tabs_for_picked),
            ("By rule again", "Forget tabs dragged or set for single shapes", self._tabs_by_rule),
        )
        leads = self.fold("Leads and start", self._lead_words)
        for words, part in (("Lead in", "lead_in"), ("Lead out", "lead_out")):
            self.choice(
                leads,
                words,
                "kind",
                [(LeadKind.NONE, "None"), (LeadKind.LINE, "Line"), (LeadKind.ARC, "Arc")],
                part=part,
            )
            self.length(
                leads, f"{words} length", "length", "shorter where tight", part=part,
                when=partial(_has_lead, part=part),
            )  # fmt: skip
        self._start_words = leads.add(label("", "note"))
        self.buttons(
            leads,
            ("Turn contours", "Walk the picked shapes' contours the other way round", self._turn_picked),
            ("Start by rule", "Forget starts that were dragged", self._starts_by_rule),
        )

    def refresh(self) -> None:
        super().refresh()
        cut = self.cut
        from archimetra.app.stations.page import fill

        shapes = self.session.board.shapes_of(cut)
        is_open = bool(shapes) and any(not shape.is_closed for shape in shapes)
        show_row(self.side, not is_open or not all(not shape.is_closed for shape in shapes))
        show_row(self.open_side, is_open or cut.side in (Side.LEFT, Side.RIGHT))
        layers = self.session.board.layers
        at = next((i for i, layer in enumerate(layers) if layer.id == cut.tabs.avoid), -1)
        fill(self.avoid, ["nothing", *[layer.name for layer in layers]], at + 1)
        own = len(cut.tabs.by_hand) + len(cut.tabs_of)
        self._tab_hint.setText(
            "Drag tabs on the plan to where they do no harm." if not own else f"{own} set by hand or for single shapes."
        )
        marks = self.panel.start_words()
        self._start_words.setText(marks)
        shown(self._start_words, bool(marks))

    def _pass_words(self, cut: ProfileCut) -> str:
        finish = f", finish {self.length_words(cut.finish)}" if cut.finish else ""
        return f"{self.panel.pass_words()}, {cut.direction.value}, {cut.entry.value}{finish}"

    def _tab_words(self, cut: ProfileCut) -> str:
        if cut.skin and cut.goes_through:
            return f"skin of {self.length_words(cut.skin)}"
        if not cut.tabs.is_wanted:
            return "none"
        if cut.tabs.spacing:
            return f"every {self.length_words(cut.tabs.spacing)}"
        return f"{cut.tabs.count} an outline" if cut.tabs.count else f"{len(cut.tabs.by_hand)} by hand"

    def _lead_words(self, cut: ProfileCut) -> str:
        if cut.lead_in.kind is cut.lead_out.kind:
            return "no leads" if cut.lead_in.kind is LeadKind.NONE else f"{cut.lead_in.kind.value} in and out"
        return f"{cut.lead_in.kind.value} in, {cut.lead_out.kind.value} out"

    def _ramp_note(self) -> str:
        return "along path" if self.cut.ramp_length else "0: by angle"

    def _choose_zone(self, index: int) -> None:
        layer = self.session.board.layers[index - 1].id if index else LayerId("")
        self.set("Tabs keep out", "avoid", str(layer), "tabs")

    def _tabs_for_picked(self) -> None:
        s = self.session
        if s.picked:
            s.apply(cutting.set_shape_tabs(s.job, self.cut.id, s.picked, self.cut.tabs.count))
        else:
            self.panel.tell("Pick the shapes on the plan first.")

    def _tabs_by_rule(self) -> None:
        s = self.session
        job = cutting.set_tab_marks(s.job, self.cut.id, ()).job
        s.apply(cutting.change_cut(job, self.cut.id, "Tabs by rule", tabs_of=()))

    def _turn_picked(self) -> None:
        s = self.session
        marks = self.panel.contour_marks(s.picked or self.cut.shapes)
        job = s.job
        for mark in marks:
            job = cutting.turn_contour(job, self.cut.id, mark).job
        s.apply(cutting.change_cut(job, self.cut.id, "Turn contours"))

    def _starts_by_rule(self) -> None:
        self.set("Start by rule", "starts", ())


def _has_lead(cut: ProfileCut, *, part: str) -> bool:
    return getattr(cut, part).kind is not LeadKind.NONE


class PocketEditor(Editor):
    words = "pocket"

    def build(self) -> None:
        form = self.form
        self._rest_words = form.add(label("", "note"))
        self.depth_rows(form)
        self.choice(form, "Pattern", "pattern", [(Pattern.OFFSET, "Along walls"), (Pattern.RASTER, "To and fro")])
        self.number(form, "Angle", "raster_degrees", "° off the width", when=lambda c: c.pattern is Pattern.RASTER)
        self.panel.stepover_rows(self, form)
        passes = self.fold("Passes and entry", self._pass_words)
        self.panel.depth_per_pass_row(self, passes)
        self.direction_row(passes)
        self.choice(
            passes, "Entry", "entry",
            [(Entry.HELIX, "Helix"), (Entry.RAMP, "Ramp"), (Entry.PLUNGE, "Plunge"), (Entry.HOLE, "Hole")],
        )  # fmt: skip
        self.number(passes, "Slope", "ramp_degrees", "° of helix or ramp", when=lambda c: c.entry is not Entry.PLUNGE)
        self.check(
            passes, "Only the floor", "floor_only", tip="Visit the end depth alone: another cut has cleared above it"
        )
        finish = self.fold("Walls, floor and edges", self._finish_words)
        self.length(finish, "Wall", "wall_allowance", "for a last pass", live="finish")
        self.length(finish, "Floor", "floor_allowance", "for a last pass")
        self.number_row(
            finish,
            "Wall feed",
            get=lambda: self.cut.finish_feed or self.panel.recipe.feed,
            edit=lambda v: self.edit("Wall feed", "finish_feed", v),
            note=lambda: "mm/min" if self.cut.finish_feed else "as the rest",
        )
        self.length(finish, "Scallop", "scallop", "ridges of a ball bit", when=lambda _c: self._is_ball())
        self.check(
            finish, "Run past open edges", "open_edges", tip="Where the area meets the edge of its part or the sheet"
        )
        self._add_rest = self.buttons(
            form, ("Smaller bit for the rest", "A second cut that clears only what this bit cannot reach", self._rest)
        )[0]

    def refresh(self) -> None:
        super().refresh()
        cut, board = self.cut, self.session.board
        root = board.whose_shapes(cut)
        is_rest = root is not cut
        if is_rest and cut.floor_of:
            self._rest_words.setText(
                f"Clears the flat floor of '{root.name}', off its sloping walls; shapes and depth are that cut's."
            )
            shown(self._rest_words, True)
            return
        self._rest_words.setText(
            f"Clears only what the bit of '{getattr(board.cut(cut.rest_of), 'name', '')}' cannot reach; shapes and depths are those of "
            f"'{root.name}'." if is_rest else ""
        )  # fmt: skip
        shown(self._rest_words, is_rest)

    def _is_ball(self) -> bool:
        return self.bit.kind in (BitKind.BALL, BitKind.TAPERED_BALL)

    def _pass_words(self, cut: PocketCut) -> str:
        return f"{self.panel.pass_words()}, {cut.direction.value}, {cut.entry.value}"

    def _finish_words(self, cut: PocketCut) -> str:
        parts = []
        if cut.wall_allowance:
            parts.append(f"wall {self.length_words(cut.wall_allowance)}")
        if cut.floor_allowance:
            parts.append(f"floor {self.length_words(cut.floor_allowance)}")
        if cut.open_edges:
            parts.append("open edges")
        return ", ".join(parts) or "in one go"

    def _rest(self) -> None:
        s = self.session
        smaller = [b for b in s.job.bits if b.diameter < self.bit.diameter and b.kind is BitKind.STRAIGHT]
        if not smaller:
            self.panel.tell("The job has no smaller straight bit; take one from the rack first.")
            return
        bit = max(smaller, key=lambda b: b.diameter)
        edit, new = cutting.add_rest(s.job, self.cut.id, bit.id)
        s.apply(edit)
        s.show_cut(new)


class HoleEditor(Editor):
    words = "holes"

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
            "Passes", lambda c: f"{c.direction.value}, {self.length_words(self.panel.recipe.depth_per_pass)} a turn"
        )
        self.panel.depth_per_pass_row(self, passes)
        self.direction_row(passes)
        self.check(passes, "Keep the order of the shapes", "keeps_order")

    def refresh(self) -> None:
        super().refresh()
        from archimetra.toolpath.circles import circles_of, sizes_of

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
        from archimetra.app.stations.artwork.panel import clear_rows

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
                self.panel.tell(str(error))
                return
            steps[number : number + 1] = [step]
        else:
            return
        self.set("Counterbore", "steps", tuple(steps))


class EngraveEditor(Editor):
    words = "engraving"

    def build(self) -> None:
        form = self.form
        self.depth_rows(form, can_go_through=False)
        self._width: QLabel = form.add(label("", "note"))
        passes = self.fold("Passes and entry", lambda c: f"{self.panel.pass_words()}, {c.entry.value}")
        self.panel.depth_per_pass_row(self, passes)
        self.choice(passes, "Entry", "entry", [(Entry.PLUNGE, "Plunge"), (Entry.RAMP, "Ramp")])
        self.number(passes, "Ramp", "ramp_degrees", "° along path", when=lambda c: c.entry is Entry.RAMP)
        self.direction_row(passes)
        self.check(passes, "Keep the order of the shapes", "keeps_order")

    def refresh(self) -> None:
        super().refresh()
        wide = self.bit.width_at(self.panel.depth - self.cut.start_depth)
        self._width.setText(f"The line comes out {self.length_words(wide)} wide.")


class FacingEditor(Editor):
    words = "facing"

    def build(self) -> None:
        form = self.form
        self._what = form.add(label("", "note"))
        self.length(form, "Target", "target", self._target_note)
        # there is no second face to take the other half from yet: only where an older job asks for it can it be taken back
        self.check(form, "Half from each face", "is_split", tip="The other half is taken from the other face",
                   when=lambda c: c.target > 0 and c.is_split)  # fmt: skip
        self.length(form, "Take off", "end_depth", "by hand", when=lambda c: c.target <= 0, live="end")
        self.choice(
            form, "Pattern", "pattern", [(FacingPattern.RASTER, "To and fro"), (FacingPattern.SPIRAL, "Inwards")]
        )
        self.number(
            form, "Angle", "raster_degrees", "° off the width", when=lambda c: c.pattern is FacingPattern.RASTER
        )
        self.length(form, "Run past", "run_past", "past every edge")
        self.panel.stepover_rows(self, form)
        passes = self.fold("Passes", lambda c: f"{self.panel.pass_words()}, {c.direction.value}")
        self.panel.depth_per_pass_row(self, passes)
        self.direction_row(passes)

    def refresh(self) -> None:
        super().refresh()
        sheet, depth = self.panel.sheet, self.panel.depth
        what = "The whole sheet" if self.cut.is_whole_sheet else "The areas of its shapes"
        self._what.setText(
            f"{what}: {self.length_words(depth)} off, {self.length_words(sheet.thickest - depth)} thick after it. Later cuts count "
            "their depths from the new face."
        )

    def _target_note(self) -> str:
        return "thick at the end" if self.cut.target else "0: by hand"


class SlotEditor(Editor):
    words = "undercut slot"

    def build(self) -> None:
        form = self.form
        self.depth_rows(form, can_go_through=False)
        self._how = form.add(label("", "note"))
        self.groove: QPushButton = self.buttons(
            form, ("Add relief groove", "A straight bit first, so that the undercut bit only widens it", self._groove)
        )[0]

    def refresh(self) -> None:
        super().refresh()
        bit = self.bit
        own_way = bit.kind is BitKind.KEYHOLE and bit.can_plunge
        self._how.setText(
            "In at the line's begin, along it, back and out where it came in." if own_way
            else "In and out where it is open: past the sheet's edge, or in a hole or pocket cut before."
        )  # fmt: skip
        shown(self.groove, bit.kind is not BitKind.KEYHOLE)

    def _groove(self) -> None:
        s, cut = self.session, self.cut
        fitting = [b for b in s.job.bits if b.kind is BitKind.STRAIGHT and b.diameter <= self.bit.neck]
        if not fitting:
            self.panel.tell(
                f"The job has no straight bit up to {self.length_words(self.bit.neck)}; take one from the rack first."
            )
            return
        made = cutting.new_cut(
            s.job, s.board.id, EngraveCut, cut.shapes, bit=max(fitting, key=lambda b: b.diameter).id, layer=cut.layer,
            name=f"{cut.name}, groove", end_depth=round(max(self.panel.depth - 0.2, 0.2), 2), entry=Entry.RAMP,
        )  # fmt: skip
        s.apply(cutting.add_cut(s.job, s.board.id, made, "Add relief groove"))


EDITORS: dict[type[Cut], type[Editor]] = {
    ProfileCut: ProfileEditor,
    PocketCut: PocketEditor,
    HoleCut: HoleEditor,
    EngraveCut: EngraveEditor,
    FacingCut: FacingEditor,
    SlotCut: SlotEditor,
    CarveCut: CarveEditor,
}
