"""Cuts: the cuts of this board in running order, one of them in detail with its section, and its bit."""

from __future__ import annotations

from typing import Any

import msgspec
from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from archimetra.app.session import Session
from archimetra.app.stations.bit_form import BitForm
from archimetra.app.stations.page import Page, fill, shown
from archimetra.app.theme.tokens import Tokens
from archimetra.app.widgets.badge import badge_pixmap
from archimetra.app.widgets.fields import ChoiceRow, QuantityField, TextField, label
from archimetra.app.widgets.form import Form
from archimetra.app.widgets.sketches import CutSketch, CutSketchData
from archimetra.base.findings import Severity
from archimetra.job import edits, layering
from archimetra.job.bits import Bit
from archimetra.job.cut_parts import Direction, Entry, Side
from archimetra.job.cuts import Cut
from archimetra.job.edit import Edit
from archimetra.job.ids import CutId, LayerId
from archimetra.job.quantities import format_length
from archimetra.output.times import clock
from archimetra.toolpath.passes import pass_depths

replace = msgspec.structs.replace


class CutsPage(Page):
    title = "Cuts"

    def build(self) -> None:
        form, session = self.form, self.session
        self._list = CutList()
        form.add(self._list)
        self._list.picked.connect(session.show_cut)
        self._list.switched.connect(
            lambda id_, on: session.apply(edits.change_cut(session.job, id_, "Switch cut", is_on=on))
        )
        self._list.moved.connect(
            lambda id_, position: session.apply(edits.reorder_cut(session.job, session.board.id, id_, position))
        )
        self._add = QPushButton("Add a profile")
        self._add.setProperty("kind", "add")
        self._add.clicked.connect(session.add_profile)
        form.add(self._add)
        self._hint = form.add(label("", "note"))
        self._detail = QWidget()
        column = QVBoxLayout(self._detail)
        column.setContentsMargins(0, 0, 0, 0)
        self._build_detail(column)
        form.add(self._detail)

    def _build_detail(self, column: QVBoxLayout) -> None:
        session = self.session
        form = Form()
        column.addWidget(form)
        form.line()
        self._kind = form.heading("Profile")
        self._sketch = CutSketch(self.tokens)
        form.add(self._sketch)
        self._findings = form.add(label("", "caution"))
        self._name = TextField("Cut name")
        form.row("Name", self._name)
        self._name.entered.connect(self._rename)
        self._layer = self.combo_row(form, "Follows layer", self._choose_layer)
        self._bit = self.combo_row(form, "Bit", self._choose_bit)
        self._bit.setIconSize(QSize(16, 16))
        self._side = ChoiceRow("Side", [(Side.OUTSIDE, "Outside"), (Side.INSIDE, "Inside"), (Side.ON, "On line")])
        form.row("Side", self._side)
        self._side.chosen.connect(lambda value: self._set("Side", side=Side(value)))
        self._length(form, "Start depth", "start_depth", note=lambda: "" if self.cut.start_depth else "sheet top")
        self._through = QCheckBox("Goes through the sheet")
        self._through.clicked.connect(lambda on: self._set("Through", goes_through=on))
        self._end = self.length_row(
            form,
            "End depth",
            key=lambda: f"{self.cut.id}.end_depth",
            get=lambda: self.cut.depth(session.board.sheet),
            edit=lambda mm: edits.change_cut(session.job, self.cut.id, "End depth", end_depth=mm, goes_through=False),
            note=self._end_note,
            live=lambda mm: self._show_sketch(end=mm),
        )
        form.row("", self._through)
        self._allowance = self._length(form, "Past the bottom", "allowance", note=lambda: "in spoilboard")
        self.length_row(
            form,
            "Depth per pass",
            key=lambda: f"{self.cut.id}.depth_per_pass",
            get=lambda: self.cut.recipe(self.bit, self.session.board.sheet.material).depth_per_pass,
            edit=lambda mm: self._override("depth_per_pass", mm),
            note=self._passes_note,
            live=lambda mm: self._show_sketch(per_pass=mm) if mm > 0.05 else None,
        )
        self._direction = ChoiceRow("Direction", [(Direction.CLIMB, "Climb"), (Direction.CONVENTIONAL, "Conventional")])
        form.row("Direction", self._direction)
        self._direction.chosen.connect(lambda value: self._set("Direction", direction=Direction(value)))
        self._entry = ChoiceRow("Entry", [(Entry.RAMP, "Ramp"), (Entry.PLUNGE, "Plunge")])
        form.row("Entry", self._entry)
        self._entry.chosen.connect(lambda value: self._set("Entry", entry=Entry(value)))
        self._ramp = self.number_row(
            form,
            "Ramp",
            get=lambda: self.cut.ramp_degrees,
            edit=lambda v: self._edit("Ramp", ramp_degrees=v),
            note=lambda: "° along path",
        )
        self.number_row(form, "Tabs", get=lambda: self.cut.tabs.count, edit=self._tab_count, note=lambda: "an outline")
        self._tab_length = self._tab_row(form, "Tab length", "length", "wood that stays")
        self._tab_thickness = self._tab_row(form, "Tab thickness", "thickness", "above the bottom")
        self._tab_corner = self._tab_row(form, "Off corners", "corner_distance", "at least")
        for text, name, unit in (
            ("Feed", "feed", "mm/min"),
            ("Plunge", "plunge", "mm/min"),
            ("Spindle", "spindle_rpm", "rpm"),
        ):
            self.number_row(
                form,
                text,
                get=lambda n=name: getattr(self.cut.recipe(self.bit, self.session.board.sheet.material), n),
                edit=lambda v, n=name: self._override(n, v),
                note=lambda n=name, u=unit: self._recipe_note(n, u),
            )
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 2, 0, 0)
        line.setSpacing(6)
        self._follow = QPushButton("Follow the bit")
        self._follow.setToolTip("Drop what differs from the bit's recipe")
        self._follow.clicked.connect(lambda: self._set("Follow the bit", run=type(self.cut.run)()))
        self._take = QPushButton("Take picked")
        self._take.setToolTip("Give this cut the shapes picked on the plan")
        self._take.clicked.connect(lambda: self._set("Shapes of cut", shapes=session.picked))
        copy = QPushButton("Copy")
        copy.clicked.connect(self._copy)
        remove = QPushButton("Remove")
        remove.clicked.connect(lambda: session.apply(edits.remove_cut(session.job, self.cut.id)))
        for button in (self._take, copy, remove):
            line.addWidget(button)
        line.addStretch(1)
        form.add(self._follow)
        form.add(row)
        self._shapes_note = form.add(label("", "note"))
        form.line()
        self.bit_form = BitForm(session, lambda: self.bit)
        form.add(self.bit_form)

    # ---- what is shown

    @property
    def cut(self) -> Cut:
        session = self.session
        found = session.board.cut(session.cut_id) if session.cut_id is not None else None
        return found if found is not None else session.board.cuts[0]

    @property
    def bit(self) -> Bit:
        return self.session.job.bit(self.cut.bit) or self.session.job.bits[0]

    def refresh(self) -> None:
        session, board = self.session, self.session.board
        self.corner.setText(f"on {board.name}")
        self._list.show_cuts(session)
        count = len(session.picked)
        self._add.setText(
            f"Add a profile to the {count} picked shapes" if count > 1 else "Add a profile to the picked shape"
        )
        self._add.setEnabled(count > 0)
        if not board.shapes:
            self._hint.setText("Bring in artwork first: station Artwork.")
        elif not count and not board.cuts:
            self._hint.setText("Pick shapes on the plan, then add a cut to them.")
        else:
            self._hint.setText("")
        shown(self._hint, bool(self._hint.text()))
        has_cut = session.cut_id is not None and board.cut(session.cut_id) is not None
        shown(self._detail, has_cut)
        if not has_cut:
            return
        super().refresh()
        cut, bit, sheet = self.cut, self.bit, board.sheet
        self._kind.setText(cut.side.value)
        self._name.show_text(cut.name)
        followed = next((i for i, layer in enumerate(board.layers) if layer.id == cut.layer), -1)
        fill(self._layer, ["none", *[layer.name for layer in board.layers]], followed + 1)
        self._show_bits()
        for choice, value in ((self._side, cut.side), (self._direction, cut.direction), (self._entry, cut.entry)):
            choice.show_value(value)
        self._through.setChecked(cut.goes_through)
        self._allowance.setEnabled(cut.goes_through)
        self._ramp.setEnabled(cut.entry is Entry.RAMP)
        for field in (self._tab_length, self._tab_thickness, self._tab_corner):
            field.setEnabled(cut.tabs.count > 0)
        self._show_sketch()
        self._show_findings()
        self._take.setEnabled(count > 0 and session.picked != cut.shapes)
        shown(self._follow, cut.run != type(cut.run)())
        shapes = board.shapes_of(cut)
        names = ", ".join(shape.name for shape in shapes[:4]) + (" and more" if len(shapes) > 4 else "")
        load = bit.chip_load(cut.recipe(bit, board.sheet.material))
        chip = f"Chip load {load:.3f} mm." if sheet else ""
        self._shapes_note.setText(f"Cuts {len(shapes)}: {names}. {chip}" if shapes else f"Takes no shapes yet. {chip}")
        self.bit_form.refresh()

    def show_theme(self, tokens: Tokens) -> None:
        super().show_theme(tokens)
        self._sketch.tokens = tokens
        self._sketch.update()

    def _choose_layer(self, index: int) -> None:
        """The cut takes all shapes of a layer, now and later, besides those picked for it."""
        s = self.session
        layer = s.board.layers[index - 1].id if index else LayerId("")
        s.apply(layering.follow_layer(s.job, self.cut.id, layer))

    def _show_bits(self) -> None:
        bits = self.session.job.bits
        fill(
            self._bit, [bit.name for bit in bits], next((i for i, bit in enumerate(bits) if bit.id == self.cut.bit), 0)
        )
        for i, bit in enumerate(bits):
            self._bit.setItemIcon(i, badge_pixmap(bit))

    def _show_sketch(self, *, end: float | None = None, per_pass: float | None = None) -> None:
        cut, sheet = self.cut, self.session.board.sheet
        tab = cut.tabs.thickness if cut.tabs.count and cut.is_through(sheet) else 0.0
        depth = cut.depth(sheet) if end is None else min(max(end, 0.0), 3 * sheet.thickest)
        step = cut.recipe(self.bit, sheet.material).depth_per_pass if per_pass is None else per_pass
        self._sketch.show_cut(CutSketchData(sheet, self.session.job.unit, self.bit, cut.start_depth, depth, step, tab))

    def _show_findings(self) -> None:
        plan = self.session.plan
        told = [f for f in plan.findings if f.subject == self.cut.id] if plan is not None else []
        self._findings.setText("\n".join(f.text() for f in told[:5]))
        self._findings.setProperty("kind", "stop" if any(f.severity is Severity.STOP for f in told) else "caution")
        self._findings.style().unpolish(self._findings)
        self._findings.style().polish(self._findings)
        shown(self._findings, bool(told))

    def _end_note(self) -> str:
        sheet, unit = self.session.board.sheet, self.session.job.unit
        if self.cut.is_through(sheet):
            return "through"
        left = sheet.thinnest - self.cut.depth(sheet)
        return f"{format_length(left, unit)} {unit} stay"

    def _passes_note(self) -> str:
        cut, sheet = self.cut, self.session.board.sheet
        if cut.depth(sheet) <= cut.start_depth:
            return ""
        count = len(pass_depths(cut.start_depth, cut.depth(sheet), cut.recipe(self.bit, sheet.material).depth_per_pass))
        own = ", own" if cut.run.depth_per_pass is not None else ""
        return f"{count} pass{'' if count == 1 else 'es'}{own}"

    def _recipe_note(self, name: str, unit: str) -> str:
        if getattr(self.cut.run, name) is not None:
            return f"{unit}, bit {getattr(self.bit.recipe, name):g}"
        return unit

    # ---- rows and edits

    def _edit(self, words: str, **fields: Any) -> Edit:
        return edits.change_cut(self.session.job, self.cut.id, words, **fields)

    def _set(self, words: str, **fields: Any) -> None:
        self.session.try_edit(lambda: self._edit(words, **fields))

    def _length(self, form: Form, text: str, name: str, *, note) -> QuantityField:
        return self.length_row(
            form,
            text,
            key=lambda: f"{self.cut.id}.{name}",
            get=lambda: getattr(self.cut, name),
            edit=lambda mm: self._edit(text, **{name: mm}),
            note=note,
        )

    def _tab_row(self, form: Form, text: str, name: str, words: str) -> QuantityField:
        return self.length_row(
            form,
            text,
            key=lambda: f"{self.cut.id}.tabs.{name}",
            get=lambda: getattr(self.cut.tabs, name),
            edit=lambda mm: self._edit(text, tabs=replace(self.cut.tabs, **{name: mm})),
            note=lambda: words,
        )

    def _tab_count(self, value: float) -> Edit:
        if value != int(value):
            raise ValueError("a number of tabs is whole")
        return self._edit("Tabs", tabs=replace(self.cut.tabs, count=int(value)))

    def _override(self, name: str, value: float) -> Edit:
        own = None if value == getattr(self.bit.recipe, name) else value
        return self._edit("Recipe of cut", run=replace(self.cut.run, **{name: own}))

    def _rename(self, text: str) -> None:
        self._set("Rename cut", name=text.strip()[:60] or self.cut.name)
        self.refresh()

    def _choose_bit(self, index: int) -> None:
        self._set("Bit of cut", bit=self.session.job.bits[index].id)

    def _copy(self) -> None:
        edit, new = edits.copy_cut(self.session.job, self.cut.id)
        self.session.apply(edit)
        self.session.show_cut(new)


class CutList(QListWidget):
    """The cuts in running order: badge, name, what it is, its time. Drag to reorder; the box switches off."""

    picked = Signal(object)
    switched = Signal(object, bool)
    moved = Signal(object, int)

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Cuts in running order")
        self.setDragDropMode(QListWidget.DragDropMode.InternalMove)
        self.setDefaultDropAction(Qt.DropAction.MoveAction)
        self.itemSelectionChanged.connect(self._selected)
        self.model().rowsMoved.connect(self._rows_moved)
        self._state: object = None
        self._is_showing = False

    def show_cuts(self, session: Session) -> None:
        board, plan = session.board, session.plan
        times = cut_times(session)
        told = {f.subject for f in plan.findings} if plan is not None else set()
        state = (
            board.cuts,
            session.job.bits,
            session.cut_id,
            tuple(times.items()),
            frozenset(told),
            session.is_planning,
        )
        if state == self._state:
            return
        self._state = state
        self._is_showing = True
        self.clear()
        for cut in board.cuts:
            bit = session.job.bit(cut.bit) or session.job.bits[0]
            item = QListWidgetItem()
            item.setData(Qt.ItemDataRole.UserRole, cut.id)
            item.setData(Qt.ItemDataRole.AccessibleTextRole, f"{cut.name}, profile, {times.get(cut.id, 'planning')}")
            row = _CutRow(cut, bit, times.get(cut.id, ""), has_finding=cut.id in told)
            row.switched.connect(lambda on, i=cut.id: self.switched.emit(i, on))
            item.setSizeHint(QSize(100, 34))
            self.addItem(item)
            self.setItemWidget(item, row)
            if cut.id == session.cut_id:
                item.setSelected(True)
                self.setCurrentItem(item)
        self.setFixedHeight(34 * min(len(board.cuts), 7) + 4 if board.cuts else 0)
        self._is_showing = False

    def _selected(self) -> None:
        if not self._is_showing and self.selectedItems():
            self.picked.emit(CutId(self.selectedItems()[0].data(Qt.ItemDataRole.UserRole)))

    def _rows_moved(self, _parent, start: int, _end: int, _to, row: int) -> None:
        if not self._is_showing:
            position = row - 1 if row > start else row
            self._state = None
            self.moved.emit(CutId(self.item(position).data(Qt.ItemDataRole.UserRole)), position)


class _CutRow(QWidget):
    switched = Signal(bool)

    def __init__(self, cut: Cut, bit: Bit, time: str, *, has_finding: bool) -> None:
        super().__init__()
        line = QHBoxLayout(self)
        line.setContentsMargins(6, 0, 8, 0)
        line.setSpacing(8)
        is_on = QCheckBox()
        is_on.setChecked(cut.is_on)
        is_on.setToolTip("Cut it, or leave it out")
        is_on.setAccessibleName(f"Cut {cut.name}")
        is_on.clicked.connect(self.switched)
        line.addWidget(is_on)
        badge = QLabel()
        badge.setPixmap(badge_pixmap(bit))
        line.addWidget(badge)
        name = label(cut.name, "" if cut.is_on else "quiet")
        name.setWordWrap(False)
        line.addWidget(name, 1)
        if has_finding:
            mark = label("look", "caution")
            mark.setWordWrap(False)
            mark.setToolTip("There is something to know about this cut; pick it to read it")
            line.addWidget(mark)
        kind = label("profile", "note")
        kind.setWordWrap(False)
        line.addWidget(kind)
        when = label(time if cut.is_on else "off", "note")
        when.setWordWrap(False)
        when.setMinimumWidth(34)
        when.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        line.addWidget(when)


def cut_times(session: Session) -> dict[str, str]:
    """Machine time of each planned cut, in words."""
    plan = session.plan
    if plan is None:
        return {}
    ends = plan.times.ends
    return {
        block.cut: clock(float(ends[block.last - 1]) - float(ends[max(block.first - 1, 0)]))
        for block in plan.run.blocks
    }
