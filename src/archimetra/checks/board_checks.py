"""The table of checks on a board and its planned run. Each looks at one thing and returns what it found."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import msgspec
import numpy as np
import shapely
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from archimetra.base.findings import Finding, Severity
from archimetra.geometry.path import bounds_of
from archimetra.geometry.region import polygons_of
from archimetra.job.bits import Bit
from archimetra.job.cuts import Cut, Entry, Side
from archimetra.job.job import Board, Job
from archimetra.job.shapes import Shape
from archimetra.job.sheet import HoldDown
from archimetra.toolpath.contours import kept_region
from archimetra.toolpath.moves import Move, straightened
from archimetra.toolpath.program import Run


class CheckInput(msgspec.Struct, frozen=True, eq=False):
    job: Job
    board: Board
    run: Run

    def cuts(self) -> Iterator[tuple[Cut, Bit]]:
        """The cuts that are on, with their bits."""
        for cut in self.board.cuts:
            bit = self.job.bit(cut.bit)
            if cut.is_on and bit is not None:
                yield cut, bit


Check = Callable[[CheckInput], Iterator[Finding]]


def check_board(job: Job, board: Board, run: Run) -> list[Finding]:
    """All findings of all checks, worst first within the order of the table."""
    given = CheckInput(job, board, run)
    return [finding for check in CHECKS for finding in check(given)]


def too_deep(given: CheckInput) -> Iterator[Finding]:
    sheet = given.board.sheet
    for cut, _ in given.cuts():
        deepest = sheet.thickest + max(cut.allowance, 0.0)
        if not cut.goes_through and cut.end_depth > deepest + 1e-6:
            yield Finding(
                "too-deep",
                Severity.STOP,
                f"'{cut.name}' ends {cut.end_depth:g} mm deep; the sheet is {sheet.thickest:g} mm thick.",
                fix=f"End at {deepest:g} mm or less, or let it go through.",
                subject=cut.id,
            )


def deeper_than_bit(given: CheckInput) -> Iterator[Finding]:
    for cut, bit in given.cuts():
        depth = cut.depth(given.board.sheet)
        if depth > bit.cutting_length + 1e-6:
            yield Finding(
                "bit-too-short",
                Severity.STOP,
                f"'{cut.name}' goes {depth:g} mm deep; {bit.name} cuts only {bit.cutting_length:g} mm.",
                fix="Choose a longer bit or a smaller depth.",
                subject=cut.id,
            )


def pass_too_deep(given: CheckInput) -> Iterator[Finding]:
    for cut, bit in given.cuts():
        step = cut.recipe(bit).depth_per_pass
        if step > bit.cutting_length:
            yield Finding(
                "pass-too-deep",
                Severity.CAUTION,
                f"'{cut.name}' takes {step:g} mm a pass; {bit.name} cuts only {bit.cutting_length:g} mm.",
                fix="Make the depth per pass smaller.",
                subject=cut.id,
            )


def loose_parts(given: CheckInput) -> Iterator[Finding]:
    sheet = given.board.sheet
    if sheet.hold_down is not HoldDown.CLAMPED:
        return
    for cut, bit in given.cuts():
        if not cut.is_through(sheet) or not any(path.closed for s in given.board.shapes_of(cut) for path in s.paths):
            continue
        if cut.tabs.count == 0:
            what = "its offcut" if cut.side is Side.INSIDE else "its part"
            if cut.side is Side.INSIDE and not _leaves_slug(given.board, cut, bit):
                continue
            yield Finding(
                "loose-part",
                Severity.CAUTION,
                f"'{cut.name}' cuts through a clamped sheet without tabs; {what} comes loose under the bit.",
                fix="Add tabs, or say on the Board page that tape holds it.",
                subject=cut.id,
            )
        elif cut.tabs.thickness >= sheet.thinnest:
            yield Finding(
                "tab-thick",
                Severity.CAUTION,
                f"The tabs of '{cut.name}' are {cut.tabs.thickness:g} mm thick, as thick as the sheet.",
                fix="Make them thinner.",
                subject=cut.id,
            )


def _leaves_slug(board: Board, cut: Cut, bit: Bit) -> bool:
    """Whether a piece stays inside an opening: only where it is wider than two bits."""
    return not kept_region(board.shapes_of(cut)).buffer(-bit.diameter).is_empty


def cannot_plunge(given: CheckInput) -> Iterator[Finding]:
    for cut, bit in given.cuts():
        if cut.entry is Entry.PLUNGE and not bit.can_plunge:
            yield Finding(
                "no-plunge",
                Severity.STOP,
                f"'{cut.name}' plunges, but {bit.name} does not cut at its centre.",
                fix="Enter by a ramp, or choose another bit.",
                subject=cut.id,
            )


def off_sheet(given: CheckInput) -> Iterator[Finding]:
    sheet = given.board.sheet
    for cut, _ in given.cuts():
        paths = [path for shape in given.board.shapes_of(cut) for path in shape.placed()]
        box = bounds_of(paths)
        if box is None:
            continue
        over = max(-box[0], -box[1], box[2] - sheet.width, box[3] - sheet.height)
        if over > 0.01:
            corner = (box[0] if -box[0] >= over else min(box[2], 1e6), box[1] if -box[1] >= over else box[3])
            yield Finding(
                "off-sheet",
                Severity.STOP,
                f"The shapes of '{cut.name}' reach {over:.2f} mm past the edge of the sheet.",
                fix="Move them onto the sheet, or correct its size.",
                at=corner,
                subject=cut.id,
            )


def out_of_travel(given: CheckInput) -> Iterator[Finding]:
    board, machine = given.board, given.job.machine
    fits = board.bed_x + board.sheet.width <= machine.travel_x and board.bed_y + board.sheet.height <= machine.travel_y
    turned = (
        board.bed_x + board.sheet.height <= machine.travel_x and board.bed_y + board.sheet.width <= machine.travel_y
    )
    points, rows = straightened(given.run.xyz, given.run.kind, given.run.centre, chord_tolerance_mm=0.05)
    points = points[given.run.block[rows] >= 0]  # the way to zero and park is not what must fit
    if not len(points):
        return
    on_bed = points[:, :2] + (board.bed_x, board.bed_y)
    over = np.maximum(np.maximum(-on_bed, on_bed - (machine.travel_x, machine.travel_y)), 0.0)
    if over.max() > 0.01:
        worst = int(np.argmax(over.max(axis=1)))
        hint = " Turned a quarter, the sheet fits." if turned and not fits else ""
        yield Finding(
            "out-of-travel",
            Severity.STOP,
            f"The bit would travel {float(over.max()):.1f} mm past the machine's {machine.travel_x:g} x {machine.travel_y:g} mm.",
            fix=f"Move the sheet on the bed or the shapes on the sheet.{hint}",
            at=(float(points[worst, 0]), float(points[worst, 1])),
            subject=board.id,
        )
    depth = board.heights.park - float(points[:, 2].min())
    if depth > machine.travel_z:
        yield Finding(
            "out-of-travel-z",
            Severity.STOP,
            f"From the park height to the deepest cut are {depth:.1f} mm; the machine travels {machine.travel_z:g} mm.",
            fix="Lower the park height on the Board page.",
            subject=board.id,
        )


def outline_before_inside(given: CheckInput) -> Iterator[Finding]:
    """A through outline cut before other work within it: the part may move while that is done."""
    cuts = list(given.cuts())
    for number, (early, _) in enumerate(cuts[:-1]):
        if not early.is_through(given.board.sheet) or early.side is Side.ON:
            continue
        parts = [Polygon(part.exterior) for part in polygons_of(kept_region(given.board.shapes_of(early)))]
        for late, _ in cuts[number + 1 :]:
            lines = [_lines_of(shape) for shape in given.board.shapes_of(late) if shape.id not in early.shapes]
            if parts and lines and shapely.STRtree(parts).query(lines, predicate="within").size:
                yield Finding(
                    "order-inside",
                    Severity.CAUTION,
                    f"'{late.name}' lies inside '{early.name}' but is cut after it, when the part may have moved.",
                    fix=f"Drag '{late.name}' before '{early.name}' in the sequence.",
                    subject=late.id,
                )


def _lines_of(shape: Shape) -> BaseGeometry:
    lines: BaseGeometry = shapely.multilinestrings([path.flatten(0.05) for path in shape.placed() if len(path)])
    return lines


def drawn_twice(given: CheckInput) -> Iterator[Finding]:
    """The same outline twice in one cut, or cut twice alike by two cuts."""
    seen: dict[bytes, str] = {}
    for cut, _ in given.cuts():
        for shape in given.board.shapes_of(cut):
            for path in shape.placed():
                key = path.key() + f"{cut.side} {cut.bit} {cut.depth(given.board.sheet)}".encode()
                if key in seen:
                    x, y = (float(v) for v in path.nodes[0])
                    other = "" if seen[key] == cut.name else f" and in '{seen[key]}'"
                    yield Finding(
                        "drawn-twice",
                        Severity.CAUTION,
                        f"'{shape.name}' lies exactly on another outline in '{cut.name}'{other}.",
                        fix="Remove one of the two.",
                        at=(x, y),
                        subject=cut.id,
                    )
                seen[key] = cut.name


def speed_out_of_reach(given: CheckInput) -> Iterator[Finding]:
    machine = given.job.machine
    for cut, bit in given.cuts():
        recipe = cut.recipe(bit)
        if not machine.min_rpm <= recipe.spindle_rpm <= machine.max_rpm:
            held = min(max(recipe.spindle_rpm, machine.min_rpm), machine.max_rpm)
            yield Finding(
                "spindle-limit",
                Severity.CAUTION,
                f"'{cut.name}' asks for {recipe.spindle_rpm:g} rpm; the machine turns {machine.min_rpm:g} to "
                f"{machine.max_rpm:g}. The file says {held:g}.",
                fix="Change the speed, and the feed with it.",
                subject=cut.id,
            )
        if recipe.feed > machine.max_feed:
            yield Finding(
                "feed-limit",
                Severity.NOTE,
                f"'{cut.name}' asks for {recipe.feed:g} mm/min; the machine feeds at most {machine.max_feed:g}.",
                fix="Lower the feed.",
                subject=cut.id,
            )


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


CHECKS: tuple[Check, ...] = (
    too_deep,
    deeper_than_bit,
    off_sheet,
    out_of_travel,
    cannot_plunge,
    rapid_in_stock,
    loose_parts,
    outline_before_inside,
    drawn_twice,
    pass_too_deep,
    speed_out_of_reach,
)
