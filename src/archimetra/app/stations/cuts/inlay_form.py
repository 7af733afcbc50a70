"""The inlay a cut is half of, as one thing: its numbers, how it sits, and the other half."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtWidgets import QCheckBox

from archimetra.app.session import Session
from archimetra.app.stations.page import Rows, shown
from archimetra.app.theme.tokens import Tokens
from archimetra.app.widgets.fields import QuantityField, label
from archimetra.app.widgets.inlay_sketch import InlaySketch, InlaySketchData
from archimetra.edits import inlaying
from archimetra.edits.edit import Edit
from archimetra.job.bits import Bit
from archimetra.job.inlays import Inlay, InlayKind
from archimetra.job.quantities import format_length

Tell = Callable[[str], None]


class InlayForm(Rows):
    """Rows of the inlay of the shown cut. Refreshed only while there is one."""

    def __init__(self, session: Session, tokens: Tokens, tell: Tell) -> None:
        super().__init__(session, tokens)
        self._tell = tell
        self._gates: list[tuple[QuantityField, InlayKind]] = []
        form = self.form
        self._title = form.heading("Inlay")
        self._sketch = InlaySketch(tokens)
        form.add(self._sketch)
        self._seat = form.add(label("", "note"))
        self._length("Pocket", "depth", "deep", InlayKind.VEE)
        self._length("Under the plug", "glue_gap", "room for glue", InlayKind.VEE)
        self._length("Above the sheet", "saw_gap", "room for the saw", InlayKind.VEE)
        self._length("Side clearance", "fit", self._fit_note, InlayKind.VEE)
        self._length("Clearance", "clearance", "a side", InlayKind.STRAIGHT)
        self._length("Proud", "proud", self._proud_note, InlayKind.STRAIGHT)
        self._down = QCheckBox("Show face down while cutting (mirrored)")
        self._down.setToolTip("The insert is cut from its back and turned over")
        self._down.clicked.connect(lambda on: self._set("Show face", show_face_down=on))
        form.add(self._down)
        self.number_row(
            form, "Plugs", get=lambda: float(self.inlay.copies), edit=self._edit_copies, note=lambda: "on their board"
        )
        self._length("Spacing", "spacing", "from plug to plug")
        self._length("Margin", "margin", "around a plug", InlayKind.VEE)
        self._length("From left", "x", "on plug board")
        self._length("From front", "y", "on plug board")
        self._other = self.buttons(
            form,
            ("Other half", "Show the board with the other half", self._go_over),
            ("Remove inlay", "Take out both halves and the plug's outlines", self._remove),
        )

    @property
    def found(self) -> Inlay | None:
        s = self.session
        cut = s.board.cut(s.cut_id) if s.cut_id is not None else None
        return inlaying.inlay_of(s.job, cut) if cut is not None else None

    @property
    def inlay(self) -> Inlay:
        found = self.found
        assert found is not None, "only refreshed while the shown cut is half of one"
        return found

    def refresh(self) -> None:
        super().refresh()
        s, inlay = self.session, self.inlay
        is_vee = inlay.kind is InlayKind.VEE
        half = "pocket" if s.board.id == inlay.pocket_board else "plug"
        self._title.setText(f"{inlay.name}: {'V inlay' if is_vee else 'straight inlay'}, {half}")
        for field, kind in self._gates:
            is_shown = kind is inlay.kind
            shown(field, is_shown)
            shown(field.property("label"), is_shown)
        shown(self._down, not is_vee)
        self._down.setChecked(inlay.show_face_down)
        other = s.job.board(inlay.plug_board if half == "pocket" else inlay.pocket_board)
        self._other[0].setText(f"Go to {other.name}" if other is not None else "Other half")
        self._show_sketch()

    def show_theme(self, tokens: Tokens) -> None:
        super().show_theme(tokens)
        self._sketch.tokens = tokens
        self._sketch.update()

    # ---- words and the drawing

    def _length(self, text: str, name: str, note: Callable[[], str] | str, kind: InlayKind | None = None) -> None:
        field = self.length_row(
            self.form, text, key=lambda: f"{self.inlay.id}.{name}", get=lambda: getattr(self.inlay, name),
            edit=lambda mm: self._edit(text, {name: mm}),
            note=note if callable(note) else (lambda: note), live=lambda mm: self._show_sketch(**{name: mm}),
        )  # fmt: skip
        if kind is not None:
            self._gates.append((field, kind))

    def _show_sketch(self, **live: float) -> None:
        """The pair in section, with numbers being typed in place of the document's."""
        s, inlay = self.session, self.inlay
        pocket, plug = inlaying.halves(s.job, inlay)
        pocket_board, plug_board = s.job.board(inlay.pocket_board), s.job.board(inlay.plug_board)
        half = pocket or plug
        bit = s.job.bit(half.bit) if half is not None else None
        if bit is None or pocket_board is None or plug_board is None:
            return
        data = InlaySketchData(inlay, bit, pocket_board.sheet, plug_board.sheet, s.job.unit, tuple(live.items()))
        self._sketch.show_inlay(data)
        if inlay.kind is InlayKind.VEE:
            seat = inlaying.seat_of(inlay, bit)
            self._seat.setText(
                f"Seats {self._words(seat)} deep; {self._words(max(inlay.depth - seat, 0.0))} stay open for glue. The plug's outline "
                f"lies {self._words(inlaying.sink_of(inlay, bit))} below its face.{self._flat_words(bit)}"
            )
        else:
            deep = self._words(max(plug_board.sheet.thickest - inlay.proud, 0.0))
            self._seat.setText(f"The pocket is {deep} deep: as thick as {plug_board.name}, {self._proud_note()}.")

    def _words(self, mm: float) -> str:
        unit = self.session.job.unit
        return f"{format_length(mm, unit)} {unit}"

    def _fit_note(self) -> str:
        inlay = self.inlay
        if inlay.fit <= 0:
            return "walls touch"
        pocket, plug = inlaying.halves(self.session.job, inlay)
        half = pocket or plug
        bit = self.session.job.bit(half.bit) if half is not None else None
        if bit is None:
            return ""
        deeper = inlaying.seat_of(inlay, bit) - (inlay.depth - inlay.glue_gap)
        return f"sinks {self._words(deeper)}"

    def _flat_words(self, bit: Bit) -> str:
        """What a tip flat does to the pair."""
        if bit.tip_flat <= 0:
            return ""
        deeper = inlaying.sink_of(self.inlay, bit) - inlaying.seat_of(self.inlay, bit)
        return (
            f" The {self._words(bit.tip_flat)} flat of the tip leaves corners open by up to {self._words(bit.tip_flat / 2)} a side; art "
            f"without corners sinks {self._words(deeper)} deeper."
        )

    def _proud_note(self) -> str:
        proud = self.inlay.proud
        return "flush" if proud == 0 else "above the face" if proud > 0 else "below the face"

    # ---- intents

    def _edit_copies(self, value: float) -> Edit:
        if value != int(value):
            raise ValueError("a number of plugs is whole")
        return inlaying.change_inlay(self.session.job, self.inlay.id, "Plugs", copies=int(value))

    def _edit(self, words: str, fields: dict[str, Any]) -> Edit:
        return inlaying.change_inlay(self.session.job, self.inlay.id, words, **fields)

    def _set(self, words: str, **fields: Any) -> None:
        self._tell(self.session.try_edit(lambda: self._edit(words, fields)))

    def _go_over(self) -> None:
        s, inlay = self.session, self.inlay
        is_pocket = s.board.id == inlay.pocket_board
        pocket, plug = inlaying.halves(s.job, inlay)
        s.show_board(inlay.plug_board if is_pocket else inlay.pocket_board)
        goal = plug if is_pocket else pocket
        if goal is not None:
            s.show_cut(goal.id)

    def _remove(self) -> None:
        self.session.apply(inlaying.remove_inlay(self.session.job, self.inlay.id))
