"""The cuts of this board: what would suit what is picked, the cuts in running order, and the picked ones in detail."""

from __future__ import annotations

import msgspec
from PySide6.QtCore import QSize, QTimer
from PySide6.QtWidgets import QInputDialog, QMenu, QPushButton, QWidget

from archimetra.app.session import Session
from archimetra.app.session.document import sentence
from archimetra.app.stations.artwork.panel import Panel, clear_rows
from archimetra.app.stations.cuts.cut_context import CutContext
from archimetra.app.stations.cuts.cut_list import CutList
from archimetra.app.stations.cuts.editor import Editor
from archimetra.app.stations.cuts.inlay_form import InlayForm
from archimetra.app.stations.cuts.kinds import form_of
from archimetra.app.stations.page import fill, shown
from archimetra.app.theme.tokens import Tokens
from archimetra.app.widgets.badge import badge_pixmap
from archimetra.app.widgets.cut_sketch import CutSketch, CutSketchData
from archimetra.app.widgets.fields import TextBox, TextField, label, show_kind
from archimetra.app.widgets.form import Fold, Form
from archimetra.base.errors import ArchimetraError
from archimetra.base.findings import Severity
from archimetra.edits import cutting, kits, layering, rack
from archimetra.job.bits import Bit
from archimetra.job.cuts import Cut
from archimetra.job.ids import CutId, LayerId
from archimetra.job.recipes import judge

replace = msgspec.structs.replace


OFFERED = 3  # suggestions shown at once; the rest behind one more click


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
        self._suggestions = Form()
        form.add(self._suggestions)
        self._suggested_for: object = None
        self._offers_all = False
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
        kits_form = Form()
        self._kits = form.add(kits_form)
        self._kit_row = self.buttons(
            kits_form,
            ("Save these cuts …", "Keep them for other artwork, layer by layer", self._save_kit),
            (
                "Apply saved cuts …",
                "Cuts saved before, on the layers of this board that bear the same names",
                self._lay_kit,
            ),
        )
        self._detail = QWidget()
        holder = Form()
        self._detail.setLayout(holder.column)
        form.add(self._detail)
        self._build_detail(holder)
        self._suggest_timer = QTimer(form)  # gone with the page
        self._suggest_timer.setSingleShot(True)
        self._suggest_timer.setInterval(30)
        self._suggest_timer.timeout.connect(self._show_suggestions)

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
        self._suggest_timer.start()
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
        shown(self._kits, bool(board.cuts) or (bool(board.layers) and bool(kits.saved_kits())))
        self._kit_row[0].setEnabled(bool(board.cuts))
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
        self._findings.setText("\n".join(f.text() for f in told[:5]))
        show_kind(self._findings, "stop" if any(f.severity is Severity.STOP for f in told) else "caution")
        shown(self._findings, bool(told))

    def _recipe_note(self, name: str, unit: str) -> str:
        if getattr(self.cut.run, name) is not None:
            general = getattr(self.context.bit.recipe_for(self.session.board.sheet.material), name)
            return f"{unit}, bit {general:g}"
        return unit

    # ---- suggestions

    def _show_suggestions(self) -> None:
        session = self.session
        if (
            session.planning.ready_share < 1.0
        ):  # what is offered is calculated here: it would compile beside the planner, and hold the window up
            return
        ids = set(session.picked)
        picked = [shape for shape in session.board.shapes if shape.id in ids]
        state = (tuple(picked), session.job.bits, session.board.sheet, len(session.board.cuts) == 0)
        if state == self._suggested_for:
            return
        if self._suggested_for is not None:
            self._offers_all = False
        self._suggested_for = state
        clear_rows(self._suggestions)
        if not picked and session.board.cuts:
            return
        from archimetra.toolpath.suggest import suggestions

        layer = self._whole_layer(picked)
        offered = suggestions(session.job, session.board.id, picked, self._rack())
        words = (
            f"For the {len(picked)} picked" if len(picked) > 1 else "For what is picked" if picked else "To begin with"
        )
        self._suggestions.heading(words, f"all of layer {layer.name}" if layer is not None else "")
        for number, suggestion in enumerate(offered):
            if number == OFFERED and len(offered) > OFFERED + 1 and not self._offers_all:
                more = QPushButton(f"{len(offered) - OFFERED} more …")
                more.setProperty("kind", "link")
                more.setStyleSheet("text-align: left;")
                more.clicked.connect(self._offer_all)
                self._suggestions.add(more)
                break
            button = QPushButton(suggestion.title)
            button.setProperty("kind", "offer")
            button.setIcon(badge_icon(suggestion.bit))
            button.setIconSize(QSize(16, 16))
            button.setText(f"{suggestion.title}   ·   {suggestion.bit.name}")
            button.setToolTip(f"{suggestion.title}: {suggestion.why}. Bit: {suggestion.bit.name}.")
            button.setAccessibleName(f"Add {suggestion.title}")
            button.clicked.connect(lambda _c=False, s=suggestion: self._take(s))
            self._suggestions.add(button)
        self._suggestions.line()

    def _offer_all(self) -> None:
        self._offers_all = True
        self._suggested_for = None
        self._show_suggestions()

    def _whole_layer(self, picked):
        """The layer whose shapes are exactly those picked."""
        board = self.session.board
        layers = {shape.layer for shape in picked}
        if len(layers) != 1:
            return None
        layer = board.layer(next(iter(layers)))
        if (
            layer is None
            or sum(shape.layer == layer.id for shape in board.shapes) != len(picked)
            or len(board.layers) < 2
        ):
            return None
        return layer

    def _take(self, suggestion) -> None:
        try:
            edit, cut_id = suggestion.make()
        except (ValueError, ArchimetraError) as error:
            self.tell(sentence(str(error)))
            return
        self._offers_all, self._suggested_for = False, None
        self.session.apply(edit)
        self.session.show_cut(cut_id)

    def _rack(self) -> rack.Rack:
        """Read anew each time: the Bits page may have changed it."""
        shop, problem = rack.rack_at_hand()
        if problem:
            self.tell(problem)
        return shop

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

    # ---- kits

    def _save_kit(self) -> None:
        board = self.session.board
        name, is_ok = QInputDialog.getText(
            self._detail.window(), "Save these cuts", "Name to find them by", text=board.name
        )
        if is_ok and name.strip():
            try:
                kits.save_kit(kits.kit_of(self.session.job, board.id, name.strip()[:60]))
            except ArchimetraError as error:
                self.tell(str(error))
                return
            self.session.said.emit(
                "note", f"Kit {name.strip()} is kept. Lay it on any board whose layers bear the same names."
            )

    def _lay_kit(self) -> None:
        saved = kits.saved_kits()
        menu = QMenu(self._kit_row[1])
        for name in saved:
            menu.addAction(name)
        if not saved:
            menu.addAction("No kits are kept yet").setEnabled(False)
        chosen = menu.exec(self._kit_row[1].mapToGlobal(self._kit_row[1].rect().bottomLeft()))
        if chosen is not None and chosen.text() in saved:
            self.lay_kit(saved[chosen.text()])

    def lay_kit(self, path) -> None:
        s = self.session
        try:
            laid = kits.lay_kit(s.job, s.board.id, kits.load_kit(path))
        except ArchimetraError as error:
            self.tell(str(error))
            return
        s.apply(laid.edit)
        words = f"{len(laid.cuts)} cut{'' if len(laid.cuts) == 1 else 's'} laid."
        if laid.missing:
            words += f" This board has no layer named {', '.join(laid.missing)}."
        s.said.emit("note" if laid.cuts else "caution", words)

    def show_theme(self, tokens: Tokens) -> None:
        super().show_theme(tokens)
        self._sketch.tokens = tokens
        self._sketch.update()
        self.inlay.show_theme(tokens)
        for editor in self.editors.values():
            editor.show_theme(tokens)


def badge_icon(bit: Bit):
    from PySide6.QtGui import QIcon

    return QIcon(badge_pixmap(bit))
