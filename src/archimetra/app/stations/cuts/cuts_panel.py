"""The cuts of this board: what would suit what is picked, the cuts in running order, and the picked ones in detail."""

from __future__ import annotations

import msgspec
from PySide6.QtCore import QSize
from PySide6.QtWidgets import QCheckBox, QPushButton, QWidget

from archimetra.app.session import Session
from archimetra.app.stations.artwork.panel import Panel
from archimetra.app.stations.cuts.cut_context import CutContext
from archimetra.app.stations.cuts.cut_list import CutList
from archimetra.app.stations.cuts.editor import Editor
from archimetra.app.stations.cuts.inlay_form import InlayForm
from archimetra.app.stations.cuts.kinds import form_of
from archimetra.app.stations.cuts.offers import Offers
from archimetra.app.stations.cuts.saved_cuts import SavedCuts
from archimetra.app.stations.page import shown
from archimetra.app.theme.tokens import Tokens
from archimetra.app.widgets.badge import badge_pixmap
from archimetra.app.widgets.cut_sketch import CutSketch, CutSketchData
from archimetra.app.widgets.fields import TextBox, TextField, fill, label, show_kind
from archimetra.app.widgets.form import Fold, Form
from archimetra.base.findings import Severity
from archimetra.edits import cutting, layering
from archimetra.job.bits import Bit
from archimetra.job.cuts import Cut
from archimetra.job.ids import CutId, LayerId
from archimetra.job.recipes import judge

replace = msgspec.structs.replace


class CutsPanel(Panel):
    name = "Cuts"
    icon = "bit"
    tip = "The cuts of this board"

    def __init__(self, session: Session, tokens: Tokens) -> None:
        self.editors: dict[type[Cut], Editor] = {}
        self.context = CutContext(
            session, chosen=lambda: self._list.selected_ids(), sketch=self.show_sketch, tell=self.tell
        )
        super().__init__(session, tokens)

    def build(self) -> None:
        form, session = self.form, self.session
        self.offers = form.add(Offers(session, self.tell))
        self._hint = form.add(label("", "note"))
        self._land = self.buttons(
            form, ("", "It lies on the plan, but is not artwork of the board yet", session.imports.placing_wanted.emit)
        )[0]
        self._list = CutList()
        form.add(self._list)
        self._list.picked.connect(session.show_cut)
        self._list.removed.connect(self._remove)
        self._list.menu_wanted.connect(session.cut_menu_wanted)
        self._list.chosen.connect(self.refresh)
        self._list.switched.connect(
            lambda id_, on: session.apply(cutting.change_cut(session.job, id_, "Switch cut", is_on=on))
        )
        self._list.moved.connect(
            lambda id_, position: session.apply(cutting.reorder_cut(session.job, session.board.id, id_, position))
        )
        self._order = QPushButton("")
        self._order.setProperty("kind", "link")
        self._order.setStyleSheet("text-align: left;")
        self._order.clicked.connect(self._order_by_itself)
        form.add(self._order)
        self._by_piece = QCheckBox("Piece by piece, as far as one bit goes")
        self._by_piece.setToolTip(
            "Each piece of a part is finished before the next is begun: what may come loose is worked on no more"
        )
        self._by_piece.clicked.connect(
            lambda on: session.apply(cutting.run_piece_by_piece(session.job, session.board.id, is_on=on))
        )
        form.add(self._by_piece)
        self.saved = form.add(SavedCuts(session, self.tell))
        self._detail = QWidget()
        holder = Form()
        self._detail.setLayout(holder.column)
        form.add(self._detail)
        self._build_detail(holder)

    def _build_detail(self, form: Form) -> None:
        form.line()
        self._kind = form.heading("Cut")
        self._sketch = CutSketch(self.tokens)
        form.add(self._sketch)
        self._findings = form.add(label("", "caution"))
        self._name = TextField("Cut name")
        form.row("Name", self._name)
        self._name.entered.connect(self._rename)
        self._bit = self.combo_row(form, "Bit", self._choose_bit)
        self._bit.setIconSize(QSize(16, 16))
        self.inlay = InlayForm(self.session, self.tokens, self.tell)
        form.add(self.inlay.form)
        self._holder = Form()
        form.add(self._holder)
        self._recipe_fold = Fold("Recipe")
        form.add(self._recipe_fold)
        recipe = self._recipe_fold.form
        for text, name, unit in (
            ("Feed", "feed", "mm/min"), ("Plunge", "plunge", "mm/min"), ("Spindle", "spindle_rpm", "rpm"),
        ):  # fmt: skip
            self.number_row(
                recipe,
                text,
                get=lambda n=name: getattr(self.context.asked, n),
                edit=lambda v, n=name: self.context.override(n, v),
                note=lambda n=name, u=unit: self._recipe_note(n, u),
            )
        self._bits_shown: tuple[Bit, ...] = ()
        self._chip = recipe.add(label("", "note"))
        self._held = recipe.add(label("", "caution"))
        self._follow = QPushButton("Follow the bit")
        self._follow.setToolTip("Drop what differs from the bit's recipe")
        self._follow.clicked.connect(
            lambda: self.session.apply(cutting.follow_recipe(self.session.job, self.chosen_ids))
        )
        form.add(self._follow)
        shapes = Fold("Shapes and notes")
        self._shapes_fold = shapes
        form.add(shapes)
        self._layer = self.combo_row(shapes.form, "Follows layer", self._choose_layer)
        self._shapes_note = shapes.form.add(label("", "note"))
        self._shape_buttons = self.buttons(
            shapes.form,
            ("Take picked", "Give this cut the shapes picked on the plan", self._take_picked),
            ("Pick its shapes", "Pick on the plan what this cut takes", self._pick_shapes),
        )
        self._copy_to = self.buttons(
            shapes.form,
            (
                "Same settings for picked",
                "A second cut like this one on the shapes picked on the plan",
                self._copy_to_picked,
            ),
        )[0]
        self._notes = TextBox("Notes")
        self._notes.setPlaceholderText("Notes")
        self._notes.setFixedHeight(54)
        self._notes.entered.connect(self._take_notes)
        shapes.form.add(self._notes)
        self.buttons(
            form,
            ("Copy", "A second cut with the same settings on the same shapes", self._copy),
            ("Remove", "Take this cut, or all picked ones, out of the board", self._remove),
        )

    # ---- what is shown

    @property
    def cut(self) -> Cut:
        return self.context.cut

    @property
    def chosen_ids(self) -> tuple[CutId, ...]:
        return self.context.chosen_ids

    def refresh(self) -> None:
        session, board = self.session, self.session.board
        self._list.show_cuts(session)
        self.offers.refresh_soon()
        count = len(session.picked)
        coming = session.imports.preview[0]
        row = self._land.parentWidget()
        if row is not None:
            shown(row, coming is not None)
        if coming is not None:
            self._hint.setText(f"{coming.name} is shown on the plan, but has not been placed on the sheet yet.")
            self._land.setText(f"Place {coming.name if len(coming.name) < 24 else 'it'} on the sheet")
        elif not board.shapes:
            self._hint.setText("Bring in artwork first: station Artwork. The sheet itself can be faced.")
        elif not count and not board.cuts:
            self._hint.setText("Pick shapes on the plan; what would suit them is offered here.")
        else:
            self._hint.setText("")
        shown(self._hint, bool(self._hint.text()))
        several = len(board.cuts) > 1
        self._order.setText(
            "Sorted automatically; drag to change" if board.auto_order else "In your own order; sort automatically"
        )
        shown(self._order, several)
        shown(self._by_piece, several and len(board.instances) > 1)
        self._by_piece.setChecked(board.piece_by_piece)
        self.saved.refresh()
        has_cut = session.cut_id is not None and board.cut(session.cut_id) is not None
        shown(self._detail, has_cut)
        if has_cut:
            self._refresh_detail()

    def _refresh_detail(self) -> None:
        for binding in self.bindings:
            binding.refresh()
        session, board = self.session, self.session.board
        cut, bit = self.cut, self.context.bit
        chosen = self.chosen_ids
        self._kind.setText(form_of(cut).words(cut) if len(chosen) == 1 else f"{len(chosen)} picked; edits reach all")
        self._name.show_text(cut.name)
        self._show_bits()
        editor = self._editor_of(type(cut))
        for kind, other in self.editors.items():
            shown(other.form, kind is type(cut))
        editor.refresh()
        has_inlay = self.inlay.found is not None
        shown(self.inlay.form, has_inlay)
        shown(self._sketch, not has_inlay)  # the pair is drawn with its numbers
        if has_inlay:
            self.inlay.refresh()
        self._show_recipe(cut, bit)
        followed = next((i for i, layer in enumerate(board.layers) if layer.id == cut.layer), -1)
        fill(self._layer, ["none", *[layer.name for layer in board.layers]], followed + 1)
        shapes = board.shapes_of(cut)
        names = ", ".join(shape.name for shape in shapes[:4]) + (" and more" if len(shapes) > 4 else "")
        if cut.takes_whole_sheet:
            self._shapes_note.setText("Takes the whole sheet.")
        else:
            self._shapes_note.setText(f"Cuts {len(shapes)}: {names}." if shapes else "Takes no shapes yet.")
        self._shapes_fold.show_words(
            self._shapes_note.text() if not cut.notes else f"{self._shapes_note.text()} Noted."
        )
        is_own = board.root_cut(cut) is cut and cut.mating is None
        self._layer.setEnabled(is_own)
        self._shape_buttons[0].setEnabled(is_own and bool(session.picked) and session.picked != cut.shapes)
        self._copy_to.setEnabled(is_own and bool(session.picked))
        self._notes.show_text(cut.notes)
        self.show_sketch()
        self._show_findings()

    def _editor_of(self, kind: type[Cut]) -> Editor:
        editor = self.editors.get(kind)
        if editor is None:
            editor = self.editors[kind] = form_of(kind).editor(self.session, self.tokens, self.context)
            self._holder.add(editor.form)
        return editor

    def editor(self, kind: type[Cut]) -> Editor:
        """For tests and the window: the editor of a kind, made if need be."""
        return self._editor_of(kind)

    def _show_recipe(self, cut: Cut, bit: Bit) -> None:
        material = self.session.board.sheet.material
        verdict = judge(bit, self.context.recipe, material)
        low, high = verdict.low, verdict.high
        self._chip.setText(f"{verdict.sentence} {material.value.capitalize()}: {low:.3f} to {high:.3f}, to begin with.")
        show_kind(self._chip, "note" if verdict.verdict == 0 else "caution")
        reasons = self.context.resolved.reasons
        self._held.setText("\n".join(reasons))
        shown(self._held, bool(reasons))
        own = ", own" if cut.run.is_any else ""
        self._recipe_fold.show_words(
            f"{self.context.recipe.feed:.0f} mm/min, {self.context.recipe.spindle_rpm:.0f} rpm{own}"
        )
        shown(self._follow, cut.run.is_any)

    def _show_bits(self) -> None:
        bits = self.session.job.bits
        fill(
            self._bit, [bit.name for bit in bits], next((i for i, bit in enumerate(bits) if bit.id == self.cut.bit), 0)
        )
        if bits != self._bits_shown:
            self._bits_shown = bits
            for i, bit in enumerate(bits):
                self._bit.setItemIcon(i, badge_pixmap(bit))

    def show_sketch(self, **live: float) -> None:
        """The small section of the cut, with numbers being typed in place of the document's."""
        about = self.context.resolved
        cut, form, tabs = about.cut, form_of(about.cut), about.cut.bridges
        per_pass = live.get("per_pass", about.recipe.depth_per_pass)
        end = min(max(live.get("end", about.ends_at), 0.0), 3 * self.session.board.sheet.thickest)
        has_tabs = tabs is not None and tabs.is_wanted and about.is_through
        self._sketch.show_cut(
            CutSketchData(
                sheet=about.sheet, unit=self.session.job.unit, bit=about.bit, outline=form.outline(cut, about.bit, end),
                start=live.get("start", cut.start_depth), end=end,
                per_pass=per_pass if per_pass > 0.05 else about.recipe.depth_per_pass,
                tab=live.get("tab", tabs.thickness if tabs is not None and has_tabs else 0.0),
                last_pass=live.get("finish", cut.last_pass), off_top=end if cut.lowers_face else 0.0,
                shows_passes=form.shows_passes, bit_at_wall=form.bit_at_wall,
            )
        )  # fmt: skip

    def _show_findings(self) -> None:
        plan = self.session.planning.plan
        told = [f for f in plan.findings if f.subject == self.cut.id] if plan is not None else []
        self._findings.setText("\n".join(self.session.words_of(f) for f in told[:5]))
        show_kind(self._findings, "stop" if any(f.severity is Severity.STOP for f in told) else "caution")
        shown(self._findings, bool(told))

    def _recipe_note(self, name: str, unit: str) -> str:
        if getattr(self.cut.run, name) is not None:
            general = getattr(self.context.bit.recipe_for(self.session.board.sheet.material), name)
            return f"{unit}, bit {general:g}"
        return unit

    # ---- edits

    def tell(self, problem: str) -> None:
        self.say_problem(problem)

    def _rename(self, text: str) -> None:
        s = self.session
        s.apply(cutting.change_cut(s.job, self.cut.id, "Rename cut", name=text.strip()[:60] or self.cut.name))
        self.refresh()

    def _take_notes(self, text: str) -> None:
        s = self.session
        if s.cut_id is not None and s.board.cut(s.cut_id) is not None and text[:2000] != self.cut.notes:
            s.apply(cutting.change_cut(s.job, self.cut.id, "Notes", notes=text[:2000]))

    def _choose_bit(self, index: int) -> None:
        s = self.session
        s.apply(cutting.change_cuts(s.job, self.chosen_ids, "Bit of cut", bit=s.job.bits[index].id))

    def _choose_layer(self, index: int) -> None:
        """The cut takes all shapes of a layer, now and later, besides those picked for it."""
        s = self.session
        layer = s.board.layers[index - 1].id if index else LayerId("")
        s.apply(layering.follow_layer(s.job, self.cut.id, layer))

    def _take_picked(self) -> None:
        s = self.session
        s.apply(cutting.change_cuts(s.job, self.chosen_ids, "Shapes of cut", shapes=s.picked))

    def _pick_shapes(self) -> None:
        self.session.pick(tuple(shape.id for shape in self.session.board.shapes_of(self.cut)))

    def _copy(self) -> None:
        edit, new = cutting.copy_cut(self.session.job, self.cut.id)
        self.session.apply(edit)
        self.session.show_cut(new)

    def _copy_to_picked(self) -> None:
        edit, new = cutting.copy_cut(self.session.job, self.cut.id, shapes=self.session.picked)
        self.session.apply(edit)
        self.session.show_cut(new)

    def _remove(self) -> None:
        if not self.session.board.cuts:
            return
        self.session.apply(cutting.remove_cuts(self.session.job, self.chosen_ids))

    def _order_by_itself(self) -> None:
        s = self.session
        s.apply(cutting.order_by_itself(s.job, s.board.id, is_on=not s.board.auto_order))

    def show_theme(self, tokens: Tokens) -> None:
        super().show_theme(tokens)
        self._sketch.tokens = tokens
        self._sketch.update()
        self.inlay.show_theme(tokens)
        for editor in self.editors.values():
            editor.show_theme(tokens)
