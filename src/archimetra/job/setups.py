"""Ways to lay a board on the machine: what a person decides of them (``Tiling``), and what follows (``Setup``).

Every board has one setup without anybody asking. One that is tiled has a setup for each tile; which part of the board each of them
cuts follows from the machine, the cuts and their plans, so the document keeps only what was decided by hand.
"""

from __future__ import annotations

from enum import StrEnum
from math import isfinite

import msgspec

from archimetra.job.ids import BoardId, CutId
from archimetra.job.record import Record
from archimetra.job.require import require

Box = tuple[float, float, float, float]  # x0, y0, x1, y1

_FARTHEST_MM = 100_000.0
_MOST_SEAMS = 60


class TileBy(StrEnum):
    """How a board larger than the machine is brought under it."""

    GRID = "grid"  # as many tiles along both sides as it takes
    ALONG = "along"  # fed along its longer side, by the same step each time
    HALF_TURN = "half turn"  # two goes, turned half round about two pins between them


class Tiling(Record, frozen=True, kw_only=True):
    """A board cut in several setups. ``overcut``: how far past a seam both sides cut, mm. ``seams_x`` and ``seams_y`` are places of seams set by
    hand, board coordinates; none: found. With ``has_pins`` the board is held in place by pins in the bed: ``pin_diameter``, ``pin_depth`` into the
    bed, ``pin_slack`` between a pin and its hole, all in mm; ``pins`` is the cut whose circles are those holes."""

    by: TileBy = TileBy.GRID
    overcut: float = 3.0
    seams_x: tuple[float, ...] = ()
    seams_y: tuple[float, ...] = ()
    has_pins: bool = True
    pin_diameter: float = 6.0
    pin_depth: float = 10.0
    pin_slack: float = 0.2
    pins: CutId = CutId("")

    def __post_init__(self) -> None:
        require(isfinite(self.overcut) and 0 <= self.overcut <= 100, "an overcut is 0 to 100 mm")
        for seams in (self.seams_x, self.seams_y):
            require(len(seams) <= _MOST_SEAMS, f"a board has at most {_MOST_SEAMS} seams a side")
            require(all(isfinite(v) and abs(v) <= _FARTHEST_MM for v in seams), "a seam lies at a finite place")
            require(
                all(a < b for a, b in zip(seams, seams[1:], strict=False)), "seams stand from the lowest to the highest"
            )
        require(isfinite(self.pin_diameter) and 1 <= self.pin_diameter <= 50, "a pin is 1 to 50 mm thick")
        require(isfinite(self.pin_depth) and 0.5 <= self.pin_depth <= 100, "a pin goes 0.5 to 100 mm into the bed")
        require(isfinite(self.pin_slack) and 0 <= self.pin_slack <= 2, "a pin's hole is 0 to 2 mm wider than the pin")


class TurnedAbout(StrEnum):
    """How a sheet is turned over to its back, as the operator sees it."""

    SIDEWAYS = "left to right"  # about an edge that runs away from the operator
    LENGTHWAYS = "front to back"  # about an edge that runs across


class HeldBy(StrEnum):
    """What brings a sheet that was turned over back to its place."""

    STOPS = "corner stops"
    PINS = "pins"


class Turnover(Record, frozen=True, kw_only=True):
    """A board that is the back of ``front``: the same sheet turned over ``about`` an edge, and ``held_by`` stops or pins: ``pins`` is
    the cut of the front whose circles are their holes."""

    front: BoardId
    about: TurnedAbout = TurnedAbout.SIDEWAYS
    held_by: HeldBy = HeldBy.STOPS
    pins: CutId = CutId("")


class Setup(msgspec.Struct, frozen=True, kw_only=True):
    """One way to lay a board on the machine. A place on the board is turned ``quarter_turns`` counter-clockwise and shifted by ``dx, dy`` to come to
    its place on the bed. ``cell`` is what of the board is cut, between seams (beyond the outermost everything), ``reach`` where the bit's centre
    gets to, both in board coordinates. Files count from ``zero`` on the bed, called ``zero_name``. ``pins`` stand in the bed and through the
    board, ``holes`` are made for pins of a later setup; board coordinates. ``note`` is what else its files say."""

    name: str = ""
    quarter_turns: int = 0
    dx: float = 0.0
    dy: float = 0.0
    cell: Box
    reach: Box
    zero: tuple[float, float] = (0.0, 0.0)
    zero_name: str = ""
    pins: tuple[tuple[float, float], ...] = ()
    holes: tuple[tuple[float, float], ...] = ()
    note: str = ""

    def on_bed(self, x: float, y: float) -> tuple[float, float]:
        """Where a place of the board lies on the bed."""
        x, y = turned(x, y, self.quarter_turns)
        return x + self.dx, y + self.dy

    def on_board(self, x: float, y: float) -> tuple[float, float]:
        """Which place of the board lies at one of the bed."""
        return turned(x - self.dx, y - self.dy, -self.quarter_turns)

    def in_file(self, x: float, y: float) -> tuple[float, float]:
        """What a file says for a place of the board."""
        x, y = self.on_bed(x, y)
        return x - self.zero[0], y - self.zero[1]


def turned(x: float, y: float, quarter_turns: int) -> tuple[float, float]:
    """A place turned counter-clockwise about the origin, exactly."""
    for _ in range(quarter_turns % 4):
        x, y = -y, x
    return x, y


def box_turned(box: Box, quarter_turns: int) -> Box:
    """The box a box becomes."""
    (ax, ay), (bx, by) = turned(box[0], box[1], quarter_turns), turned(box[2], box[3], quarter_turns)
    return min(ax, bx), min(ay, by), max(ax, bx), max(ay, by)
