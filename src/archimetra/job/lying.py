"""How a board lies on the machine without anybody asking, and what of a setup stands in the way there."""

from __future__ import annotations

import msgspec

from archimetra.job.job import Board
from archimetra.job.setups import Box, HeldBy, Setup, box_turned
from archimetra.job.sheet import Fixture, FixtureKind, Machine, Zero, ZeroAt
from archimetra.job.turning import over

replace = msgspec.structs.replace
_HAIR_MM = 1e-6
EVERYTHING: Box = (float("-inf"), float("-inf"), float("inf"), float("inf"))


def only_setup(board: Board, machine: Machine) -> Setup:
    """The way a board lies as a whole."""
    x0, y0, *_ = box_turned((0.0, 0.0, board.sheet.width, board.sheet.height), board.quarter_turns)
    dx, dy = board.bed_x - x0, board.bed_y - y0
    note = f"Back of the sheet, turned over {board.back_of.about.value}" if board.back_of is not None else ""
    setup = Setup(note=note, quarter_turns=board.quarter_turns, dx=dx, dy=dy, cell=EVERYTHING, reach=EVERYTHING)
    (ax, ay), (bx, by) = setup.on_board(0.0, 0.0), setup.on_board(machine.travel_x, machine.travel_y)
    reach = (min(ax, bx), min(ay, by), max(ax, bx), max(ay, by))
    zero = setup.on_bed(*board.zero.point(board.sheet))
    name = _as_it_lies(board, zero[0] - board.bed_x, zero[1] - board.bed_y) if board.quarter_turns else ""
    return replace(setup, reach=reach, zero=zero, zero_name=name)


def _as_it_lies(board: Board, x: float, y: float) -> str:
    """What the zero point of a turned board is called by who stands before it: x, y from the front left corner as it lies."""
    x0, y0, x1, y1 = box_turned((0.0, 0.0, board.sheet.width, board.sheet.height), board.quarter_turns)
    lying = replace(board.sheet, width=x1 - x0, height=y1 - y0, outline=())
    for at in ZeroAt:
        if (
            at is not ZeroAt.TYPED
            and max(abs(a - b) for a, b in zip(Zero(at=at).point(lying), (x, y), strict=True)) < _HAIR_MM
        ):
            return f"{at.value} of the sheet as it lies"
    return f"x {x:.2f}, y {y:.2f} mm from the front left corner of the sheet as it lies"


def pins_from_front(back: Board, front: Board) -> tuple[Fixture, ...]:
    """The pins a back was turned over onto, as things to keep clear of there."""
    cut = front.cut(back.back_of.pins) if back.back_of is not None and back.back_of.held_by is HeldBy.PINS else None
    if cut is None or back.back_of is None:
        return ()
    import numpy as np  # only where there are such pins: a first window needs none

    from archimetra.geometry.path import bounds_of

    m = over(back.back_of.about, front.sheet)
    found = []
    for shape in front.shapes_of(cut):
        x0, y0, x1, y1 = bounds_of(shape.placed()) or (0.0, 0.0, 0.0, 0.0)
        (x, y), size = m.apply(np.array(((x0 + x1) / 2, (y0 + y1) / 2))), max(x1 - x0, 1.0)
        found.append(Fixture(kind=FixtureKind.PIN, x=float(x), y=float(y), width=size, height=size, rise=0.0))
    return tuple(found)


def standing_pins(board: Board, setup: Setup) -> tuple[Fixture, ...]:
    """The pins of a setup as things to keep clear of."""
    if board.tiling is None:
        return ()
    width = max(board.tiling.pin_diameter, 1.0)
    return tuple(Fixture(kind=FixtureKind.PIN, x=x, y=y, width=width, height=width, rise=0.0) for x, y in setup.pins)
