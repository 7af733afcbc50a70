"""How a board lies on the machine without anybody asking, and what of a setup stands in the way there."""

from __future__ import annotations

import msgspec

from archimetra.job.job import Board
from archimetra.job.setups import Box, Setup, box_turned
from archimetra.job.sheet import Fixture, FixtureKind, Machine

replace = msgspec.structs.replace
EVERYTHING: Box = (float("-inf"), float("-inf"), float("inf"), float("inf"))


def only_setup(board: Board, machine: Machine) -> Setup:
    """The way a board lies as a whole."""
    x0, y0, *_ = box_turned((0.0, 0.0, board.sheet.width, board.sheet.height), board.quarter_turns)
    dx, dy = board.bed_x - x0, board.bed_y - y0
    setup = Setup(quarter_turns=board.quarter_turns, dx=dx, dy=dy, cell=EVERYTHING, reach=EVERYTHING)
    (ax, ay), (bx, by) = setup.on_board(0.0, 0.0), setup.on_board(machine.travel_x, machine.travel_y)
    reach = (min(ax, bx), min(ay, by), max(ax, bx), max(ay, by))
    return replace(setup, reach=reach, zero=setup.on_bed(*board.zero.point(board.sheet)))


def standing_pins(board: Board, setup: Setup) -> tuple[Fixture, ...]:
    """The pins of a setup as things to keep clear of."""
    if board.tiling is None:
        return ()
    width = max(board.tiling.pin_diameter, 1.0)
    return tuple(Fixture(kind=FixtureKind.PIN, x=x, y=y, width=width, height=width, rise=0.0) for x, y in setup.pins)
