"""Faces: the board's other face, how the sheet is turned over to it, what brings it back to its place, and what if it is not as thick as read."""

from __future__ import annotations

from archimetra.app.stations.artwork.panel import Panel
from archimetra.app.stations.bindings import TypedNumber
from archimetra.app.stations.page import shown
from archimetra.app.theme.tokens import Tokens
from archimetra.app.widgets.fields import ChoiceRow, label
from archimetra.app.widgets.form import Form
from archimetra.app.widgets.turn_over import TurnOverPicker
from archimetra.edits import setups as edits
from archimetra.edits.edit import Edit
from archimetra.job.job import Board
from archimetra.job.quantities import format_length
from archimetra.job.setups import HeldBy, TurnedAbout


class FacesPanel(Panel):
    name, icon, tip = "Faces", "faces", "The board's other face: turned over, cut from behind"

    def build(self) -> None:
        form, s = self.form, self.session
        form.gap(4)
        self._words = form.add(label("", "note"))
        self._alone = alone = Form()
        form.add(alone)
        self.buttons(alone, ("Add its back", "A board for the other face of the same sheet", self._add))
        self._other_row = self.combo_row(alone, "Or its back is", self._join)
        self._body = body = Form()
        form.add(body)
        self.buttons(body, ("Go to the other face", "Show the board on the other side of this sheet", self._go))
        body.line()
        body.heading("Turned over")
        self._turn = TurnOverPicker(self.tokens)
        self._turn.chosen.connect(lambda about: self._change(about=about))
        body.add(self._turn)
        self._held = ChoiceRow("Brought back to its place by", [(HeldBy.STOPS, "Corner stops"), (HeldBy.PINS, "Pins")])
        body.row("Held by", self._held)
        self._held.chosen.connect(lambda value: self._change(held_by=HeldBy(value)))
        self._place_words = body.add(label("", "note"))
        self._same_form = Form()
        body.add(self._same_form)
        self.buttons(
            self._same_form,
            ("Lay both alike", "The back lies on the bed as the front does, with the same zero", self._lay_alike),
        )
        self._pins_form = Form()
        body.add(self._pins_form)
        (self._place,) = self.buttons(
            self._pins_form, ("Place the pins", "Two on the line it turns about, in waste", self._place_pins)
        )
        body.line()
        body.heading("If the sheet is not as thick as read")
        self._thicker = TypedNumber(0.0, -5.0, 5.0)
        self.typed_row(body, "Thicker by", self._thicker)
        self._thicker.on_change(lambda: s.show_thicker(self._thicker.value))
        self._thick_words = body.add(label("", "note"))
        self._told = body.add(label("", "caution"))
        body.line()
        self.buttons(body, ("Part the faces", "Two boards on sheets of their own again", self._part))
        self._others: list[Board] = []
        s.planning.planned.connect(self.refresh)

    def show_theme(self, tokens: Tokens) -> None:
        super().show_theme(tokens)
        self._turn.tokens = tokens
        self._turn.update()

    def closed(self) -> None:
        self._thicker.value = 0.0
        self.session.show_thicker(0.0)

    @property
    def _back(self) -> Board | None:
        """The back of the sheet the shown board is on."""
        board = self.session.board
        return board if board.back_of is not None else self.session.job.back_of(board.id)

    def refresh(self) -> None:
        super().refresh()
        s = self.session
        job, board, back = s.job, s.board, self._back
        shown(self._alone, back is None)
        shown(self._body, back is not None)
        if back is None:
            self._words.setText(
                "This board has one face. Its back is a board of its own on the same sheet, cut after it."
            )
            taken = {b.back_of.front for b in job.boards if b.back_of is not None}
            self._others = [b for b in job.boards if b.id != board.id and b.back_of is None and b.id not in taken]
            self._other_row.blockSignals(True)
            self._other_row.clear()
            self._other_row.addItems(["choose a board", *[b.name for b in self._others]])
            self._other_row.setCurrentIndex(0)
            self._other_row.blockSignals(False)
            return
        assert back.back_of is not None
        front = job.board(back.back_of.front)
        if front is None:
            return
        is_back = board.id == back.id
        self._words.setText(
            f"The back of '{front.name}', seen as it lies up. Faint: what is cut of the front."
            if is_back
            else f"The front; its back is '{back.name}'. Faint: what is cut there, seen through the sheet."
        )
        self._turn.show_turn(board.sheet, back.back_of.about)
        self._held.show_value(back.back_of.held_by)
        is_pinned = back.back_of.held_by is HeldBy.PINS
        alike = (front.bed_x, front.bed_y, front.quarter_turns) == (back.bed_x, back.bed_y, back.quarter_turns)
        shown(self._pins_form, is_pinned)
        self._place_words.setText(self._about_place(front, back, is_pinned, alike))
        shown(self._same_form, not alike or (is_pinned and front.zero != back.zero))
        self._show_thickness(front, back)

    def _about_place(self, front: Board, back: Board, is_pinned: bool, alike: bool) -> str:
        assert back.back_of is not None
        if not alike:
            return "The two faces lie at different places on the bed."
        if is_pinned:
            count = len(edits.face_pins(self.session.job, back))
            if count < 2:
                return "Two pins on the line the sheet turns about hold it: X Y zero stays as it is."
            return "The sheet is turned over onto its two pins; X Y zero stays as it is."
        is_sideways = back.back_of.about is TurnedAbout.SIDEWAYS
        axis, far, near, size = (0, "right", "left", "width") if is_sideways else (1, "back", "front", "height")
        extent = (front.sheet.width, front.sheet.height)[axis]
        at, there = front.zero.point(front.sheet)[axis], back.zero.point(back.sheet)[axis]
        if at == there and at in (0.0, extent):
            edge = far if at == 0.0 else near
            return (
                f"Both zeros are at the {front.zero.at.value}: the back is measured from what was the sheet's {edge} edge, so an error in its {size} "
                "shifts the faces by as much. Measure it well, or take pins."
            )
        return "Set X Y zero anew after turning over."

    def _show_thickness(self, front: Board, back: Board) -> None:
        s, unit = self.session, self.session.job.unit
        faced = front.sheet.thickest - back.sheet.thickest
        words = f"{format_length(back.sheet.thickest, unit)} {unit} are between the faces"
        words += f", {format_length(faced, unit)} less than read, since the front is faced." if faced > 1e-6 else "."
        self._thick_words.setText(
            f"{words} The section shows them; of cuts that count from this face what is left changes with the thickness."
        )
        plan = s.planning.plan
        told = (
            [f for f in plan.findings if f.code.startswith("faces-")]
            if plan is not None and s.board.id == back.id
            else []
        )
        self._told.setText("\n".join(s.words_of(f) for f in told))
        shown(self._told, bool(told))

    # ---- edits

    def _add(self) -> None:
        s = self.session
        edit, new = edits.add_back(s.job, s.board.id)
        s.apply(edit)
        s.show_board(new)

    def _join(self, k: int) -> None:
        s = self.session
        if 0 < k <= len(self._others):
            other = self._others[k - 1].id
            self.run(lambda: edits.join_faces(s.job, s.board.id, other))

    def _go(self) -> None:
        other = edits.other_face(self.session.job, self.session.board)
        if other is not None:
            self.session.show_board(other.id)

    def _change(self, **fields: object) -> None:
        back = self._back
        if back is not None:
            self.run(lambda: edits.turn_over(self.session.job, back.id, **fields))

    def _lay_alike(self) -> None:
        back = self._back
        if back is not None:
            self.run(lambda: edits.lay_alike(self.session.job, back.id))

    def _place_pins(self) -> None:
        back = self._back
        if back is not None:
            self.run(lambda: self._pins(back))

    def _pins(self, back: Board) -> Edit:
        from archimetra.layout.face_pins import places_on_the_axis

        assert back.back_of is not None
        front = self.session.job.board(back.back_of.front)
        assert front is not None
        places = places_on_the_axis(self.session.job, front, back, hole=edits.FACE_PIN_MM + edits.FACE_PIN_SLACK_MM)
        if len(places) < 2:
            raise ValueError("there is no waste for two pins on the line the sheet turns about")
        return edits.place_face_pins(self.session.job, back.id, places)

    def _part(self) -> None:
        back = self._back
        if back is not None:
            self.run(lambda: edits.part_faces(self.session.job, back.id))
