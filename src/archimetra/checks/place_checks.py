"""Checks of places: within the machine's travel, clear of wood where the bit flies."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from archimetra.base.findings import Finding, Severity, mm, mm_each
from archimetra.checks.check_input import CheckInput
from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.path import bounds_of
from archimetra.stock.surface import touch_offs
from archimetra.toolpath.shared.moves import Move, straightened


def out_of_travel(given: CheckInput) -> Iterator[Finding]:
    """Places of the run the machine does not reach with the sheet where it lies on the bed."""
    board, machine = given.board, given.job.machine
    points, rows = straightened(given.run.xyz, given.run.kind, given.run.centre, chord_tolerance_mm=0.05)
    block = given.run.block[rows]
    points, block = points[block >= 0], block[block >= 0]  # the way to zero and park is not what must fit
    if not len(points):
        return
    of = np.array([b.setup for b in given.run.blocks])[block]
    low, high = np.array([setup.reach for setup in given.setups])[of].reshape(-1, 2, 2).transpose(1, 0, 2)
    over = np.maximum(np.maximum(low - points[:, :2], points[:, :2] - high), 0.0)
    if over.max() > 0.01:
        worst = int(np.argmax(over.max(axis=1)))
        yield Finding(
            "out-of-travel",
            Severity.STOP,
            f"The bit would travel {mm(float(over.max()), '.1f')} past the machine's {mm_each((machine.travel_x, machine.travel_y))}.",
            mend=_how_it_fits(given, points[:, :2]),
            at=(float(points[worst, 0]), float(points[worst, 1])),
            subject=board.id,
        )
    x, y = given.setups[0].zero
    beyond = max(-x, -y, x - machine.travel_x, y - machine.travel_y)
    if beyond > 0.01:
        yield Finding(
            "park-out-of-travel",
            Severity.STOP,
            f"The bit parks over zero at the end, {mm(beyond, '.1f')} past the machine's {mm_each((machine.travel_x, machine.travel_y))}.",
            mend="Put zero on the Board page where the machine gets to, or move the sheet on the bed.",
            at=given.setups[0].on_board(x, y),
            subject=board.id,
        )
    depth = board.travel_heights.park - float(points[:, 2].min())
    tall = board.sheet.thickest + board.travel_heights.park
    if depth <= machine.travel_z < tall:
        yield Finding(
            "out-of-travel-z",
            Severity.STOP,
            f"The park height lies {mm(tall, '.1f')} over the spoilboard; the machine travels {mm(machine.travel_z)} up from it.",
            mend="Lower the park height on the Board page.",
            subject=board.id,
        )
    if depth > machine.travel_z:
        yield Finding(
            "out-of-travel-z",
            Severity.STOP,
            f"From the park height to the deepest cut are {mm(depth, '.1f')}; the machine travels {mm(machine.travel_z)}.",
            mend="Lower the park height on the Board page.",
            subject=board.id,
        )


def _how_it_fits(given: CheckInput, places: FloatArray) -> str:
    """What brings all places within travel: another place on the bed, a quarter turn, or tiles."""
    board, machine = given.board, given.job.machine
    wide, high = places.max(axis=0) - places.min(axis=0)
    is_turned = board.quarter_turns % 2 == 1
    across, up = (high, wide) if is_turned else (wide, high)
    if board.tiling is not None:
        return "Leave the seams to be found, on the Layout page."
    if across <= machine.travel_x and up <= machine.travel_y:
        return "Move the sheet on the bed or the shapes on the sheet."
    if up <= machine.travel_x and across <= machine.travel_y:
        return "It fits turned a quarter: turn it on the Board page."
    return "It is larger than the machine: part it in tiles on the Layout page."


def rapid_in_stock(given: CheckInput) -> Iterator[Finding]:
    """A guard on our own planners: no rapid may go sideways or down below the sheet's top."""
    run = given.run
    if len(run) < 2:
        return
    a, b = run.xyz[:-1], run.xyz[1:]
    sideways = np.hypot(*(b - a)[:, :2].T) > 1e-6
    down = b[:, 2] < a[:, 2] - 1e-6
    is_low = np.minimum(a[:, 2], b[:, 2]) < 0
    bad = (run.kind[1:] == Move.RAPID) & is_low & (sideways | down)
    if bad.any():
        row = int(np.flatnonzero(bad)[0])
        yield Finding(
            "rapid-in-stock",
            Severity.STOP,
            "A rapid would run through the wood. This is a fault of Archimetra; please report it.",
            at=(float(b[row, 0]), float(b[row, 1])),
            subject=given.board.id,
        )


def touch_off_gone(given: CheckInput) -> Iterator[Finding]:
    """A bit change after which Z is to be set again where an earlier cut has taken the surface away."""
    told = touch_offs(given.board, given.run, given.job.bits, given.setups)
    for number, (block, off) in enumerate(zip(given.run.blocks, told, strict=False)):
        if (
            off.is_usual
            or (number > 0 and not block.changes_bit)
            or (off.is_far and off.at is not None and not off.taken_by)
        ):
            continue
        cut = given.board.cut(block.cut)
        name = cut.name if cut is not None else ""
        if off.at is None:
            yield Finding(
                "touch-off-gone", Severity.STOP,
                f"Before '{name}' Z is to be set again on the sheet's top, but nothing of it is left.",
                mend="Put Z zero on the spoilboard on the Board page.", subject=block.cut,
            )  # fmt: skip
            return
        x, y = off.at
        if not off.taken_by:
            yield Finding(
                "zero-off-wood", Severity.CAUTION,
                f"The sheet has no wood at its zero point. The file says to touch Z off at x {mm(x, '.0f')}, y {mm(y, '.0f')} of the sheet.",
                mend="Put zero where an edge or a corner can be touched, or touch Z off there.", at=(x, y), subject=given.board.id,
            )  # fmt: skip
            continue
        yield Finding(
            "touch-off-gone", Severity.CAUTION,
            f"Before '{name}' Z is to be set again, but '{off.taken_by}' has cut away the surface at the zero point. The file says to touch "
            f"off at x {mm(x, '.0f')}, y {mm(y, '.0f')} of the sheet instead.",
            mend="Touch off there, move zero to where nothing is cut, or put Z zero on the spoilboard.", at=(x, y), subject=block.cut,
        )  # fmt: skip
        return


def strays(given: CheckInput) -> Iterator[Finding]:
    """A guard on our own planners: no cut may leave the surroundings of its shapes."""
    run = given.run
    for block in run.blocks:
        cut, bit = given.board.cut(block.cut), given.job.bit(block.bit)
        if cut is None or bit is None or cut.reach is None:
            continue
        box = bounds_of([path for shape in given.board.shapes_of(cut) for path in shape.placed()])
        rows = np.arange(block.first, block.last)
        low = run.xyz[rows][run.xyz[rows, 2] < 0]
        if box is None or not len(low):
            continue
        room = 2 * bit.diameter + 1.0 + cut.reach
        over = np.maximum(np.array(box[:2]) - room - low[:, :2], low[:, :2] - np.array(box[2:]) - room).max(axis=1)
        if over.max() > 0:
            x, y = (float(v) for v in low[int(np.argmax(over)), :2])
            yield Finding(
                "strays", Severity.STOP,
                f"'{cut.name}' would cut far outside its shapes. This is a fault of Archimetra; please report it.",
                mend="Switch it off, or try another pattern or bit.", at=(x, y), subject=cut.id,
            )  # fmt: skip
