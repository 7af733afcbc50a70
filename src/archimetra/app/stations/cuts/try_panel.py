"""Try out: a test piece of labelled samples, made as a board of its own."""

from __future__ import annotations

import msgspec

from archimetra.app.stations.artwork.panel import Panel
from archimetra.app.stations.bindings import TypedNumber
from archimetra.app.widgets.fields import ChoiceRow, fill, label
from archimetra.base.errors import ArchimetraError
from archimetra.edits import test_piece
from archimetra.edits.test_piece import UNITS, Quantity, Sample, Scale, TestPiece
from archimetra.job.bits import UNDERCUTS, Bit, BitKind

replace = msgspec.structs.replace
QUANTITIES = list(Quantity)


def _deepest(quantity: Quantity, depth: float, thinnest: float) -> float | None:
    """The most a quantity of depth can be on this sheet; None for the others."""
    if quantity is Quantity.DEPTH_PER_PASS:
        return depth
    return round(0.8 * thinnest, 1) if quantity is Quantity.DEPTH else None


class TryPanel(Panel):
    name = "Test piece"
    icon = "try"
    tip = "A test piece: samples with one quantity varied across, another down"

    def build(self) -> None:
        form = self.form
        form.add(label("A board of labelled samples, to find where it starts to go wrong.", "note"))
        self._bit = self.combo_row(form, "Bit", self._choose_bit)
        self._sample = ChoiceRow(
            "Sample", [(Sample.SLOT, "Slot"), (Sample.POCKET, "Pocket"), (Sample.TONGUE, "Outline")]
        )
        form.row("Sample", self._sample)
        self._sample.chosen.connect(lambda value: self._change(sample=Sample(value)))
        self._kinds, self._fields = {}, {}
        self._piece: TestPiece | None = None
        for side, words in (("across", "Across"), ("down", "Upwards")):
            self._kinds[side] = self.combo_row(form, words, lambda k, s=side: self._choose_quantity(s, QUANTITIES[k]))
            low, high, count = TypedNumber(1.0, 0.001, 100_000), TypedNumber(1.0, 0.001, 100_000), TypedNumber(4, 1, 12)
            self.typed_row(form, f"{words} from", low, "", is_length=False)
            self.typed_row(form, "to", high, "", is_length=False)
            self.typed_row(form, "samples", count, "", is_length=False)
            self._fields[side] = (low, high, count)
            for typed in (low, high, count):
                typed.on_change(self._typed)
        self._depth = TypedNumber(3.0, 0.1, 200)
        self.typed_row(form, "Depth", self._depth, "", is_length=True)
        self._depth.on_change(self._typed)
        self._size = form.add(label("", "note"))
        self._make = self.buttons(
            form, ("Add the test piece", "A new board with the samples, ready to cut", self._add)
        )[0]
        self._make.setProperty("kind", "main")

    @property
    def bit(self) -> Bit:
        job = self.session.job
        found = job.bit(self._piece.bit) if self._piece is not None else None
        return found or job.bits[0]

    def opened(self) -> None:
        if self._piece is None or self.session.job.bit(self._piece.bit) is None:
            cut = self.session.board.cut(self.session.cut_id) if self.session.cut_id is not None else None
            self._suggest(self.session.job.bit(cut.bit) if cut is not None else None)
        self.refresh()

    def _suggest(self, bit: Bit | None, quantities: tuple[Quantity, Quantity] | None = None) -> None:
        job = self.session.job
        if bit is None or bit.kind in (*UNDERCUTS, BitKind.DRILL):
            bit = next((b for b in job.bits if b.kind is BitKind.STRAIGHT), job.bits[0])
        marker = min((b for b in job.bits if b.kind is not BitKind.DRILL), key=lambda b: b.diameter, default=bit)
        sample = self._piece.sample if self._piece is not None else Sample.SLOT
        made = test_piece.suggested(
            bit, bit.recipe_for(self.session.board.sheet.material), marker.id,
            quantities=quantities or (Quantity.FEED, Quantity.DEPTH_PER_PASS),
        )  # fmt: skip
        thinnest = self.session.board.sheet.thinnest
        depth = min(made.depth, bit.cutting_length, round(0.8 * thinnest, 1))
        scales = {
            side: replace(scale, first=min(scale.first, limit), last=min(scale.last, limit))
            for side, scale in (("across", made.across), ("down", made.down))
            if (limit := _deepest(scale.quantity, depth, thinnest)) is not None
        }
        self._piece = replace(made, sample=sample, depth=depth, **scales)
        self._show_numbers()

    def _show_numbers(self) -> None:
        piece = self._piece
        assert piece is not None
        for side in ("across", "down"):
            scale: Scale = getattr(piece, side)
            for typed, value in zip(self._fields[side], (scale.first, scale.last, scale.count), strict=True):
                typed.value = value
        self._depth.value = piece.depth

    def refresh(self) -> None:
        if self._piece is None:
            return
        for side in ("across", "down"):
            scale: Scale = getattr(self._piece, side)
            for typed in self._fields[side][:2]:
                typed._note = UNITS[scale.quantity]
            fill(self._kinds[side], [q.value.capitalize() for q in QUANTITIES], QUANTITIES.index(scale.quantity))
        super().refresh()
        bits = self.session.job.bits
        fill(self._bit, [bit.name for bit in bits], next((i for i, b in enumerate(bits) if b.id == self.bit.id), 0))
        self._sample.show_value(self._piece.sample)
        width, depth = test_piece.piece_size(self._piece, self.bit)
        count = self._piece.across.count * self._piece.down.count
        self._size.setText(
            f"{count} samples on {width:.0f} x {depth:.0f} mm of {self.session.board.sheet.material.value}."
        )

    def _choose_bit(self, index: int) -> None:
        assert self._piece is not None
        self._suggest(self.session.job.bits[index], (self._piece.across.quantity, self._piece.down.quantity))
        self.refresh()

    def _choose_quantity(self, side: str, quantity: Quantity) -> None:
        piece = self._piece
        assert piece is not None
        other = piece.down if side == "across" else piece.across
        if quantity is other.quantity:
            self.say_problem("Across and upwards vary two different quantities.")
            self.refresh()
            return
        pair = (quantity, other.quantity) if side == "across" else (other.quantity, quantity)
        self.say_problem("")
        self._suggest(self.bit, pair)
        self.refresh()

    def _change(self, **fields: object) -> None:
        assert self._piece is not None
        self._piece = replace(self._piece, **fields)
        self.refresh()

    def _typed(self) -> None:
        piece = self._piece
        assert piece is not None
        try:
            scales = {}
            for side in ("across", "down"):
                low, high, count = (typed.value for typed in self._fields[side])
                scales[side] = replace(getattr(piece, side), first=low, last=high, count=int(count))
            self._piece = replace(piece, depth=self._depth.value, **scales)
        except ValueError as error:
            self.say_problem(f"{str(error).capitalize()}.")
            return
        self.say_problem("")
        self.refresh()

    def _add(self) -> None:
        piece = self._piece
        assert piece is not None
        try:
            edit, board_id = test_piece.add_test_piece(self.session.job, self.session.board.id, piece)
        except (ValueError, ArchimetraError) as error:
            self.say_problem(f"{str(error)[:1].upper()}{str(error)[1:]}.")
            return
        self.session.apply(edit)
        self.session.show_board(board_id)
