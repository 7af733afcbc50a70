"""Combine: areas united and subtracted, offset, lines thickened, corners rounded, cut or relieved, frames."""

from __future__ import annotations

from archimetra.app.stations.artwork.panel import Panel
from archimetra.app.stations.bindings import TypedNumber
from archimetra.app.stations.page import shown
from archimetra.app.widgets.fields import ChoiceRow, fill, label
from archimetra.app.widgets.form import Form
from archimetra.edits import shaping
from archimetra.geometry.thicken import CORNERS, ENDS

RELIEFS = ("on the corner", "along the longer side", "along the shorter side")


class CombinePanel(Panel):
    name, icon, tip = "Combine", "layers-union", "Unite, subtract, offset, thicken, corners, frame"

    def build(self) -> None:
        self._hint = self.form.add(label("", "note"))
        self._body = body = Form()
        self.form.add(body)
        s = self.session
        both = lambda run: lambda: self.run(lambda: run(s.job, s.board.id, s.picked))  # noqa: E731
        self._pairs = Form()
        body.add(self._pairs)
        self._pairs.heading("Areas", "the first picked counts")
        self.buttons(
            self._pairs,
            ("Unite", "Areas that touch as one", both(shaping.unite)),
            ("Subtract", "The first picked less the others", both(shaping.subtract)),
            ("Intersect", "What all of them cover", both(shaping.intersect)),
            ("Split", "The first picked cut apart by the others", both(shaping.split)),
        )
        body.heading("Offset and thicken")
        self._by, self._width = TypedNumber(3.0, -5_000, 5_000), TypedNumber(3.0, 0.01, 5_000)
        self._corners = ChoiceRow("Corners", [(c, c) for c in CORNERS])
        self._corners.show_value("round")
        self._corners.chosen.connect(self._corners.show_value)
        self.typed_row(body, "Distance", self._by)
        body.add(self._corners)
        self.buttons(
            body,
            ("Offset out", "A new outline that far outside", lambda: self._offset(1)),
            ("Offset in", "A new outline that far inside", lambda: self._offset(-1)),
        )
        self.typed_row(body, "Pen width", self._width)
        self._ends = ChoiceRow("Ends", [(c, c) for c in ENDS])
        self._ends.show_value("round")
        self._ends.chosen.connect(self._ends.show_value)
        body.add(self._ends)
        self.buttons(body, ("Thicken", "The line as the area a pen of that width inks", self._thicken))
        body.line()
        body.heading("Corners")
        self._radius = TypedNumber(5.0, 0.01, 5_000)
        self.typed_row(body, "Size", self._radius)
        self.buttons(
            body,
            ("Round", "Every corner by that radius", self._round),
            ("Cut off", "Every corner that far along both sides", self._cut),
        )
        self._bit = self.combo_row(body, "Relief for bit", lambda _index: None)
        self._how = self.combo_row(body, "Goes", lambda _index: None)
        fill(self._how, list(RELIEFS), 0)
        self._which = ChoiceRow("Relief in", [("hole", "a hole or slot"), ("part", "a part's outline")])
        self._which.show_value("hole")
        self._which.chosen.connect(self._which.show_value)
        body.add(self._which)
        self.buttons(body, ("Relieve corners", "Room for a square mate where a round bit cannot reach", self._relieve))
        body.line()
        body.heading("Frame")
        self._margin, self._frame_radius = TypedNumber(10.0, -1_000, 5_000), TypedNumber(0.0, 0.0, 5_000)
        self.typed_row(body, "Margin", self._margin)
        self.typed_row(body, "Corner radius", self._frame_radius)
        self.buttons(body, ("Draw a frame", "A rectangle around what is picked", self._frame))

    def refresh(self) -> None:
        is_enough = self.need_picked(self._hint, "Pick the shapes to combine; which one is picked first can matter.")
        shown(self._body, is_enough)
        shown(self._pairs, len(self.session.picked) > 1)
        bits = [f"{bit.letter}  {bit.name}" for bit in self.session.job.bits]
        fill(self._bit, bits, max(self._bit.currentIndex(), 0))
        super().refresh()

    def _offset(self, sign: int) -> None:
        s = self.session
        corners = next(c for c in CORNERS if self._corners.button(c).isChecked())
        self.run(lambda: shaping.offset(s.job, s.board.id, s.picked, sign * self._by.value, corners=corners))

    def _thicken(self) -> None:
        s = self.session
        ends = next(c for c in ENDS if self._ends.button(c).isChecked())
        corners = next(c for c in CORNERS if self._corners.button(c).isChecked())
        self.run(lambda: shaping.thicken(s.job, s.board.id, s.picked, self._width.value, ends=ends, corners=corners))

    def _round(self) -> None:
        s = self.session
        self.run(lambda: shaping.round_corners(s.job, s.board.id, s.picked, self._radius.value, s.chosen_nodes()))

    def _cut(self) -> None:
        s = self.session
        self.run(lambda: shaping.cut_corners(s.job, s.board.id, s.picked, self._radius.value, s.chosen_nodes()))

    def _relieve(self) -> None:
        s = self.session
        bit = s.job.bits[max(self._bit.currentIndex(), 0)]
        how = RELIEFS[max(self._how.currentIndex(), 0)]
        is_hole = self._which.button("hole").isChecked()
        self.run(lambda: shaping.relieve_corners(s.job, s.board.id, s.picked, bit.diameter, how, is_hole=is_hole))

    def _frame(self) -> None:
        s = self.session
        self.run(
            lambda: shaping.frame(
                s.job, s.board.id, s.picked, self._margin.value, corner_radius=self._frame_radius.value
            )
        )
