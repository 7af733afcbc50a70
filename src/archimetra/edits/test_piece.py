"""The test piece: a board of labelled samples, one quantity varied across, another down, to find where it goes wrong.

Every sample is a cut of its own that runs what its place says, so the piece is planned, shown, checked and exported like any
board. The samples are sized for the bit.
"""

from __future__ import annotations

from enum import StrEnum
from math import isfinite

import msgspec

from archimetra.artwork.text_form import Align, TextForm
from archimetra.edits.edit import Edit, board_of, next_number, replace
from archimetra.geometry.affine import Affine
from archimetra.geometry.path import Path
from archimetra.job.bits import Bit, Recipe
from archimetra.job.cut_parts import Entry, Overrides, Side, Tabs
from archimetra.job.cuts import Cut
from archimetra.job.cuts.engrave import EngraveCut
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.forms import outlines_of
from archimetra.job.ids import BitId, BoardId, CutId, LayerId, ShapeId, SheetId
from archimetra.job.job import Board, Job, with_boards
from archimetra.job.require import require
from archimetra.job.shapes import LAYER_COLOURS, Layer, Shape
from archimetra.job.sheet import Heights, HoldDown

LABEL_FONT = "Line Sans"


class Quantity(StrEnum):
    FEED = "feed"
    SPINDLE = "spindle"
    DEPTH_PER_PASS = "depth per pass"
    DEPTH = "depth"
    STEPOVER = "stepover"
    PLUNGE = "plunge"


UNITS = {
    Quantity.FEED: "mm/min", Quantity.SPINDLE: "rpm", Quantity.DEPTH_PER_PASS: "mm", Quantity.DEPTH: "mm",
    Quantity.STEPOVER: "%", Quantity.PLUNGE: "mm/min",
}  # fmt: skip
_FIELDS = {
    Quantity.FEED: "feed", Quantity.SPINDLE: "spindle_rpm", Quantity.DEPTH_PER_PASS: "depth_per_pass",
    Quantity.STEPOVER: "stepover", Quantity.PLUNGE: "plunge",
}  # fmt: skip


class Sample(StrEnum):
    SLOT = "slot"  # a straight groove
    POCKET = "pocket"  # a square
    TONGUE = "outline"  # a small square cut round, left standing


class Scale(msgspec.Struct, frozen=True, kw_only=True):
    """A quantity from ``first`` to ``last`` in ``count`` even steps (a stepover in percent)."""

    quantity: Quantity
    first: float
    last: float
    count: int = 4

    def __post_init__(self) -> None:
        require(1 <= self.count <= 12, "a test piece has 1 to 12 samples a side")
        require(isfinite(self.first) and isfinite(self.last), "a quantity goes from one finite number to another")
        require(min(self.first, self.last) > 0, f"{self.quantity.value} is above zero")

    @property
    def values(self) -> tuple[float, ...]:
        if self.count == 1:
            return (self.first,)
        step = (self.last - self.first) / (self.count - 1)
        return tuple(
            float(f"{self.first + k * step:.3g}") for k in range(self.count)
        )  # as they can be read off a label


class TestPiece(msgspec.Struct, frozen=True, kw_only=True):
    """What to try: across, down, the kind of sample, the bit, and the depth where no scale varies it."""

    __test__ = False  # not a test, whatever its name says to a test runner

    across: Scale
    down: Scale
    sample: Sample = Sample.SLOT
    bit: BitId
    label_bit: BitId
    depth: float = 3.0

    def __post_init__(self) -> None:
        require(self.across.quantity is not self.down.quantity, "across and down vary two different quantities")
        require(isfinite(self.depth) and 0.1 <= self.depth <= 200, "a sample is 0.1 to 200 mm deep")


def suggested(bit: Bit, recipe: Recipe, label_bit: BitId, *, quantities: tuple[Quantity, Quantity]) -> TestPiece:
    """Scales about the recipe: from well below it to well above."""

    def scale(quantity: Quantity) -> Scale:
        middle = 2 * recipe.depth_per_pass if quantity is Quantity.DEPTH else float(getattr(recipe, _FIELDS[quantity]))
        if quantity is Quantity.STEPOVER:
            return Scale(quantity=quantity, first=20.0, last=80.0)
        return Scale(quantity=quantity, first=_round(middle * 0.6), last=_round(middle * 1.5))

    return TestPiece(
        across=scale(quantities[0]), down=scale(quantities[1]), bit=bit.id, label_bit=label_bit,
        depth=round(max(2 * recipe.depth_per_pass, 0.5), 2),
    )  # fmt: skip


def _round(value: float) -> float:
    step = 50.0 if value >= 1000 else 10.0 if value >= 100 else 1.0 if value >= 20 else 0.1
    return max(step, round(round(value / step) * step, 3))


def piece_size(piece: TestPiece, bit: Bit) -> tuple[float, float]:
    """Width and depth of the wood it needs, mm."""
    w, d = _cell(piece, bit)
    left, bottom = _margins(piece, bit)
    heading = left + 1.0 * _letter_height(piece, bit) * len(
        _heading(piece)
    )  # with room: letters are some three quarters as wide as high
    return max(left + w * piece.across.count, heading) + 8.0, bottom + d * piece.down.count + 8.0


def add_test_piece(job: Job, like: BoardId, piece: TestPiece) -> tuple[Edit, BoardId]:
    """A board of samples, of the wood of another board. Raises ValueError where a value is out of a recipe's limits or deeper than
    the sheet."""
    source = board_of(job, like)
    bit = job.bit(piece.bit)
    assert bit is not None
    width, depth = piece_size(piece, bit)
    new = BoardId(f"board{next_number(job, 'board')}")
    sheet = replace(
        source.sheet, id=SheetId(""), width=round(width, 1), height=round(depth, 1), hold_down=HoldDown.TAPED
    )
    layer, first_shape = next_number(job, "layer"), next_number(job, "shape")
    layers = (
        Layer(id=LayerId(f"layer{layer}"), name="Samples", colour=LAYER_COLOURS[0]),
        Layer(id=LayerId(f"layer{layer + 1}"), name="Labels", colour=LAYER_COLOURS[4]),
    )
    shapes: list[Shape] = []
    cuts: list[Cut] = []
    number = next_number(job, "cut")
    w, d = _cell(piece, bit)
    left, bottom = _margins(piece, bit)
    for row, down in enumerate(piece.down.values):
        for column, across in enumerate(piece.across.values):
            name = f"{_value(piece.across.quantity, across)}, {_value(piece.down.quantity, down)}"
            shape = Shape(
                id=ShapeId(f"shape{first_shape + len(shapes)}"), name=name, layer=layers[0].id, paths=(_sample(piece, bit),),
                is_filled=piece.sample is not Sample.SLOT,
                at=Affine.shift(left + w * (column + 0.5), bottom + d * (row + 0.5)),
            )  # fmt: skip
            shapes.append(shape)
            cuts.append(_cut(piece, sheet.thinnest, CutId(f"cut{number}"), name, shape.id, across, down))
            number += 1
    labels = _labels(piece, bit, first_shape + len(shapes) - 1, layers[1].id)
    shapes += labels
    cuts.insert(
        0,
        EngraveCut(
            id=CutId(f"cut{number}"), name="Labels", bit=piece.label_bit, layer=layers[1].id, end_depth=0.4,
            notes=f"Across: {piece.across.quantity.value}; down: {piece.down.quantity.value}.",
        ),
    )  # fmt: skip
    board = Board(
        id=new, name="Test piece", sheet=sheet, zero=source.zero, heights=Heights(follows_clamps=True),
        bed_x=source.bed_x, bed_y=source.bed_y, layers=layers, shapes=tuple(shapes), cuts=tuple(cuts), auto_order=False,
    )  # fmt: skip
    return Edit("Add test piece", with_boards(job, (*job.boards, board))), new


def _cut(piece: TestPiece, thinnest: float, id_: CutId, name: str, shape: ShapeId, across: float, down: float) -> Cut:
    depth = piece.depth
    run = Overrides()
    for scale, value in ((piece.across, across), (piece.down, down)):
        if scale.quantity is Quantity.DEPTH:
            depth = value
        else:
            share = value / 100 if scale.quantity is Quantity.STEPOVER else value
            run = replace(run, **{_FIELDS[scale.quantity]: share})
    require(depth < thinnest, f"a sample {depth:g} mm deep goes through a sheet {thinnest:g} mm thin")
    if piece.sample is Sample.POCKET:
        return PocketCut(id=id_, name=name, bit=piece.bit, shapes=(shape,), end_depth=depth, run=run, entry=Entry.RAMP)
    side = Side.ON if piece.sample is Sample.SLOT else Side.OUTSIDE
    return ProfileCut(
        id=id_, name=name, bit=piece.bit, shapes=(shape,), side=side, end_depth=depth, run=run, tabs=Tabs(count=0),
        ramp_degrees=15.0,
    )  # fmt: skip


def _cell(piece: TestPiece, bit: Bit) -> tuple[float, float]:
    """Room for one sample with solid wood around it."""
    if piece.sample is Sample.SLOT:
        return max(24.0, 6 * bit.diameter) + 2 * bit.diameter, 2.2 * bit.diameter + 4.0
    side = _side(piece, bit)
    extra = 2.2 * bit.diameter if piece.sample is Sample.TONGUE else 0.0
    return side + extra + bit.diameter + 4.0, side + extra + bit.diameter + 4.0


def _side(piece: TestPiece, bit: Bit) -> float:
    return max(14.0, 3.5 * bit.diameter) if piece.sample is Sample.POCKET else max(10.0, 2 * bit.diameter)


def _sample(piece: TestPiece, bit: Bit) -> Path:
    if piece.sample is Sample.SLOT:
        half = max(24.0, 6 * bit.diameter) / 2
        return Path.polyline([(-half, 0.0), (half, 0.0)], closed=False)
    side = _side(piece, bit)
    return Path.rectangle(-side / 2, -side / 2, side, side)


def _letter_height(piece: TestPiece, bit: Bit) -> float:
    return min(4.0, _cell(piece, bit)[1] * 0.45, _cell(piece, bit)[0] * 0.14)


def _margins(piece: TestPiece, bit: Bit) -> tuple[float, float]:
    """Left and below, where the labels stand."""
    letter = _letter_height(piece, bit)
    return 8.0 + 6.5 * letter, 8.0 + 5.0 * letter


def _labels(piece: TestPiece, bit: Bit, taken: int, layer: LayerId) -> list[Shape]:
    w, d = _cell(piece, bit)
    left, bottom = _margins(piece, bit)
    letter = _letter_height(piece, bit)
    texts = [
        (f"{value:g}", left + w * (k + 0.5), bottom - 1.8 * letter, Align.CENTRE)
        for k, value in enumerate(piece.across.values)
    ]
    texts += [
        (f"{value:g}", left - 1.5 * letter, bottom + d * (k + 0.5) - letter / 2, Align.RIGHT)
        for k, value in enumerate(piece.down.values)
    ]
    texts.append((_heading(piece), left, bottom - 4.2 * letter, Align.LEFT))
    out: list[Shape] = []
    for text, x, y, align in texts:
        form = TextForm(text=text, font=LABEL_FONT, cap_height=round(letter, 2), align=align)
        paths = outlines_of(form)
        shift = 0.0
        boxes = [path.bounds() for path in paths if len(path)]
        if boxes:
            low, high = min(b[0] for b in boxes), max(b[2] for b in boxes)
            shift = {Align.LEFT: -low, Align.CENTRE: -(low + high) / 2, Align.RIGHT: -high}[align]
        out.append(
            Shape(
                id=ShapeId(f"shape{taken + len(out) + 1}"),
                name=f"label {text}",
                layer=layer,
                paths=paths,
                form=form,
                is_filled=False,
                at=Affine.shift(x + shift, y),
            )
        )
    return out


def _heading(piece: TestPiece) -> str:
    return f"{_brief(piece.across.quantity)} across, {_brief(piece.down.quantity)} up"


def _brief(quantity: Quantity) -> str:
    return f"{quantity.value} {UNITS[quantity]}"


def _value(quantity: Quantity, value: float) -> str:
    return f"{quantity.value} {value:g} {UNITS[quantity]}"
