"""A profile in detail."""

from __future__ import annotations

from functools import partial

from archimetra.app.stations.cuts.editor import Editor, show_row
from archimetra.app.stations.cuts.form_row import FormRow, under_bit_at
from archimetra.app.stations.page import shown
from archimetra.app.widgets.fields import fill, label
from archimetra.edits import cutting, marking
from archimetra.job.cut_parts import Entry, LeadKind, Side
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.ids import LayerId


class ProfileEditor(Editor):
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
        self.depth_per_pass_row(passes)
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
            get=lambda: self.cut.finish_feed or self.context.recipe.feed,
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
        marks = self.context.start_words()
        self._start_words.setText(marks)
        shown(self._start_words, bool(marks))

    def _pass_words(self, cut: ProfileCut) -> str:
        finish = f", finish {self.length_words(cut.finish)}" if cut.finish else ""
        return f"{self.context.pass_words()}, {cut.direction.value}, {cut.entry.value}{finish}"

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
            s.apply(marking.set_shape_tabs(s.job, self.cut.id, s.picked, self.cut.tabs.count))
        else:
            self.context.tell("Pick the shapes on the plan first.")

    def _tabs_by_rule(self) -> None:
        s = self.session
        job = marking.set_tab_marks(s.job, self.cut.id, ()).job
        s.apply(cutting.change_cut(job, self.cut.id, "Tabs by rule", tabs_of=()))

    def _turn_picked(self) -> None:
        s = self.session
        marks = self.context.contour_marks(s.picked or self.cut.shapes)
        job = s.job
        for mark in marks:
            job = marking.turn_contour(job, self.cut.id, mark).job
        s.apply(cutting.change_cut(job, self.cut.id, "Turn contours"))

    def _starts_by_rule(self) -> None:
        self.set("Start by rule", "starts", ())


def _has_lead(cut: ProfileCut, *, part: str) -> bool:
    return getattr(cut, part).kind is not LeadKind.NONE


ROW = FormRow(ProfileCut, ProfileEditor, under_bit_at, words=lambda cut: "profile")
