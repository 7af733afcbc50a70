"""How a board lies on the machine without anybody asking, and what of a setup stands in the way there."""

from __future__ import annotations

import msgspec

from archimetra.job.job import Board
from archimetra.job.setups import Box, HeldBy, Setup, box_turned
from archimetra.job.sheet import Fixture, FixtureKind, Machine
from archimetra.job.turning import over

replace = msgspec.structs.replace
EVERYTHING: Box = (float("-inf"), float("-inf"), float("inf"), float("inf"))


def only_setup(board: Board, machine: Machine) -> Setup:
    """The way a board lies as a whole."""
    x0, y0, *_ = box_turned((0.0, 0.0, board.sheet.width, board.sheet.height), board.quarter_turns)
    dx, dy = board.bed_x - x0, board.bed_y - y0
    note = f"Back of the sheet, turned over {board.back_of.about.value}" if board.back_of is not None else ""
    setup = Setup(note=note, quarter_turns=board.quarter_turns, dx=dx, dy=dy, cell=EVERYTHING, reach=EVERYTHING)
    (ax, ay), (bx, by) = setup.on_board(0.0, 0.0), setup.on_board(machine.travel_x, machine.travel_y)
    reach = (min(ax, bx), min(ay, by), max(ax, bx), max(ay, by))
    return replace(setup, reach=reach, zero=setup.on_bed(*board.zero.point(board.sheet)))


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
