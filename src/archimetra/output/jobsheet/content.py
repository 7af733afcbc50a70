"""What a job sheet says, as values in the job's unit: the same for text and paper."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import NamedTuple

import msgspec
import numpy as np

from archimetra.base.findings import Finding, Severity
from archimetra.geometry.arrays import FloatArray
from archimetra.job.bits import Bit
from archimetra.job.cut_parts import Side
from archimetra.job.job import Board, Job
from archimetra.job.quantities import Unit, format_length, lengths_in
from archimetra.job.recipes import limit_to_machine
from archimetra.job.setups import HeldBy, Setup
from archimetra.job.sheet import FixtureKind, HoldDown, ZeroAt, ZeroZ
from archimetra.output.controllers import Controller
from archimetra.output.files import file_times
from archimetra.output.gcode_file import GcodeFile
from archimetra.output.times import RunTimes, clock
from archimetra.stock.surface import touch_offs
from archimetra.toolpath.shared.program import Run


class CutRow(NamedTuple):
    """A cut as it runs."""

    bit: Bit
    name: str
    depth: str
    speed: str
    feed: str
    plunge: str
    step: str
    time: str


class FileRow(NamedTuple):
    """A file in running order; ``again`` says what is to be done before it is started."""

    number: int
    name: str
    bits: tuple[Bit, ...]
    zero: str
    reach: str
    deepest: str
    time: str
    lines: int
    again: str
    cuts: tuple[CutRow, ...]


class PartRow(NamedTuple):
    name: str
    wanted: int
    here: int


class SectionProfile(NamedTuple):
    """A section to draw: its letter, how long it is, mm, and the heights along it (n,), below the sheet's top."""

    letter: str
    length: float
    heights: FloatArray


class BoardSheet(msgspec.Struct, frozen=True, eq=False):
    """One board. ``steps`` are what is done at the machine, in order; ``findings`` what is still open."""

    board: Board
    name: str
    sheet: str
    thickness: str
    hold_down: str
    zero_xy: str
    zero_z: str
    time: str
    seconds: float
    setups: tuple[Setup, ...]
    steps: tuple[str, ...]
    files: tuple[FileRow, ...]
    findings: tuple[tuple[Severity, str], ...]
    parts: tuple[PartRow, ...]
    yield_share: float | None
    notes: tuple[str, ...]
    plan_png: bytes = b""
    tilted_png: bytes = b""
    sections: tuple[SectionProfile, ...] = ()


class JobSheet(msgspec.Struct, frozen=True, eq=False):
    """All boards of a job."""

    job: Job
    name: str
    machine: str
    controller: str
    unit: Unit
    time: str
    boards: tuple[BoardSheet, ...]


class Planned(NamedTuple):
    """What is known of a board that was planned."""

    board: Board
    run: Run
    times: RunTimes
    setups: tuple[Setup, ...]
    findings: Sequence[Finding]
    files: Sequence[GcodeFile]


def job_sheet(
    job: Job, profile: Controller, planned: Sequence[tuple[Planned, bytes, bytes, Sequence[SectionProfile]]]
) -> JobSheet:
    """What the sheet says of some boards, each with its pictures from above and tilted and its sections."""
    boards = tuple(_board(job, profile, one, *pictures) for one, *pictures in planned)  # type: ignore[arg-type]
    machine = job.machine
    unit = job.unit
    return JobSheet(
        job, job.name,
        f"{machine.name}, travel {_length(machine.travel_x, unit)} x {_length(machine.travel_y, unit)} x {_length(machine.travel_z, unit)} {unit}",
        profile.title, unit, clock(sum(board.seconds for board in boards)), boards,
    )  # fmt: skip


def _length(mm: float, unit: Unit) -> str:
    return format_length(mm, unit)


def _board(
    job: Job, profile: Controller, one: Planned, plan_png: bytes, tilted_png: bytes, sections: Sequence[SectionProfile]
) -> BoardSheet:
    board, unit = one.board, job.unit
    sheet = board.sheet
    files = tuple(_file(job, profile, one, number, file) for number, file in enumerate(one.files, 1))
    grain = "" if not sheet.grain_degrees else f", grain {sheet.grain_degrees:g} degrees off the width"
    count = f"{sheet.count} sheets alike, " if sheet.count > 1 else ""
    size = f"{count}{_length(sheet.width, unit)} x {_length(sheet.height, unit)} {unit}, {sheet.material.value}{grain}"
    readings = ", ".join(_length(value, unit) for value in sheet.readings[:6])
    thickness = f"{readings} {unit} thick" + (f" ({len(sheet.readings)} readings)" if len(sheet.readings) > 6 else "")
    parts, share = _parts(job, board)
    return BoardSheet(
        board, board.name, size, thickness, _hold_down(board), _zero_xy(board, one.setups, unit), board.zero.z.value,
        clock(one.times.total), one.times.total, one.setups, tuple(_steps(job, profile, one, files)), files,
        tuple((finding.severity, finding.text(lengths_in(unit))) for finding in one.findings), parts, share,
        tuple(cut.notes.strip() for cut in board.cuts if cut.is_on and cut.notes.strip()), plan_png, tilted_png, tuple(sections),
    )  # fmt: skip


def _zero_xy(board: Board, setups: Sequence[Setup], unit: Unit) -> str:
    if len(setups) > 1:
        names = {setup.zero_name for setup in setups}
        return names.pop() if len(names) == 1 else "a point of its own in each setup, see below"
    if setups and setups[0].zero_name:
        return setups[0].zero_name
    x, y = board.zero.point(board.sheet)
    if board.zero.at is ZeroAt.FRONT_LEFT:
        return "front left corner of the sheet"
    place = "a point" if board.zero.at is ZeroAt.TYPED else board.zero.at.value
    return f"{place} of the sheet: {_length(x, unit)}, {_length(y, unit)} {unit} from its front left corner"


def _hold_down(board: Board) -> str:
    counts = [(kind, sum(f.kind is kind for f in board.fixtures)) for kind in FixtureKind]
    things = ", ".join(f"{n} {kind.value}{'' if n == 1 else 's'}" for kind, n in counts if n)
    how = "clamped or screwed" if board.sheet.hold_down is HoldDown.CLAMPED else "taped, glued or held by vacuum"
    return f"{how}{f': {things}, as drawn' if things else ''}"


def _file(job: Job, profile: Controller, one: Planned, number: int, file: GcodeFile) -> FileRow:
    unit, board = job.unit, one.board
    if not file.blocks:
        return FileRow(
            number, file.name, file.bits, "surface of the bed", "", "", "", len(file.rows),
            "Nothing lies on the machine yet: this makes the holes for the pins in the bed.", (),
        )  # fmt: skip
    setup = one.setups[file.blocks[0].setup]
    rows = np.concatenate([np.arange(block.first, block.last) for block in file.blocks])
    low = one.run.xyz[rows]
    cutting = low[low[:, 2] < 0]
    zs = board.zero.z_shift(board.sheet)
    corners = [
        setup.in_file(float(x), float(y))
        for x in (low[:, 0].min(), low[:, 0].max())
        for y in (low[:, 1].min(), low[:, 1].max())
    ]
    xs, ys = zip(*corners, strict=True)
    reach = (
        f"X {_length(min(xs), unit)} to {_length(max(xs), unit)}, Y {_length(min(ys), unit)} to {_length(max(ys), unit)}, "
        f"Z {_length(float(low[:, 2].min()) + zs, unit)} to {_length(float(low[:, 2].max()) + zs, unit)} {unit}"
    )
    seconds = file_times(one.times, one.files)[number - 1]
    deepest = -float(cutting[:, 2].min()) if len(cutting) else 0.0
    return FileRow(
        number, file.name, file.bits, setup.zero_name or board.zero.at.value, reach, f"{_length(deepest, unit)} {unit}", clock(seconds),
        len(file.rows), _zero_again(job, profile, one, number), tuple(_cuts(job, one, file)),
    )  # fmt: skip


def _lay_again(job: Job, one: Planned, number: int) -> str:
    """How the board is to lie for a file, where that is not as for the one before."""
    file = one.files[number - 1]
    before = one.files[number - 2] if number > 1 else None
    if not file.blocks or len(one.setups) < 2:
        return ""
    is_same = before is not None and bool(before.blocks) and before.blocks[-1].setup == file.blocks[0].setup
    return "" if is_same else _lying(one.setups[file.blocks[0].setup], job.unit)


def _zero_again(job: Job, profile: Controller, one: Planned, number: int) -> str:
    """Whether Z is to be set again for a file, once its bit is in."""
    file = one.files[number - 1]
    before = one.files[number - 2] if number > 1 else None
    if not file.blocks or before is None or profile.has_bit_lengths:
        return ""
    if before.bits and file.bits and before.bits[-1].id == file.bits[0].id:
        return ""
    setup = one.setups[file.blocks[0].setup]
    keep = "" if _lay_again(job, one, number) and not setup.pins else " Keep X and Y."
    return f"Set Z zero again{_touch_place(job, one, file)}.{keep}"


def _touch_place(job: Job, one: Planned, file: GcodeFile) -> str:
    """Where Z is touched off before a file, if it is not the usual place, and what is entered there."""
    told = touch_offs(one.board, one.run, job.bits, one.setups)
    if not told or not file.blocks:
        return ""
    this = told[one.run.blocks.index(file.blocks[0])]
    if this.at is None:
        return " on the spoilboard: nothing is left of the sheet's top"
    unit = job.unit
    enter = "" if this.height > -1e-6 else f", entering {_length(this.height, unit)} {unit}"
    if this.is_usual:
        return enter
    x, y = one.setups[file.blocks[0].setup].in_file(*this.at)
    return f" at X {_length(x, unit)}, Y {_length(y, unit)} {unit}{enter}"


def _lying(setup: Setup, unit: Unit) -> str:
    turn = {
        0: "",
        1: ", turned a quarter counter-clockwise",
        2: ", turned half round",
        3: ", turned a quarter clockwise",
    }
    pins = f" Pins at {'; '.join(_place(setup, pin, unit) for pin in setup.pins)}." if setup.pins else ""
    how = "shift the board onto its pins" if setup.pins else f"lay the board with its zero at {setup.zero_name}"
    return f"{setup.name}{turn[setup.quarter_turns]}: {how}.{pins}"


def _place(setup: Setup, pin: tuple[float, float], unit: Unit) -> str:
    x, y = setup.in_file(*pin)
    return f"X {_length(x, unit)}, Y {_length(y, unit)}"


def _cuts(job: Job, one: Planned, file: GcodeFile) -> list[CutRow]:
    out = []
    unit = job.unit
    for block in file.blocks:
        cut, bit = one.board.cut(block.cut), job.bit(block.bit)
        if cut is None or bit is None:
            continue
        recipe = limit_to_machine(cut.recipe(bit, one.board.sheet.material), job.machine).recipe
        z = one.run.xyz[block.first : block.last, 2]
        depth = max(-float(z.min()), 0.0)
        seconds = float(one.times.ends[block.last - 1]) - float(one.times.ends[max(block.first - 1, 0)])
        out.append(
            CutRow(
                bit, cut.name, _length(depth, unit), f"{recipe.spindle_rpm:.0f}", _length(recipe.feed, unit), _length(recipe.plunge, unit),
                _length(min(recipe.depth_per_pass, max(depth, 1e-9)), unit), clock(seconds),
            )
        )  # fmt: skip
    return out


def _steps(job: Job, profile: Controller, one: Planned, files: Sequence[FileRow]) -> list[str]:
    board, unit = one.board, job.unit
    steps = []
    if board.back_of is not None:
        front = job.board(board.back_of.front)
        over = f"Turn the sheet over {board.back_of.about.value}"
        name = f" of {front.name}" if front is not None else ""
        held = ", onto its pins" if board.back_of.held_by is HeldBy.PINS else ""
        steps.append(f"{over}{held}: this is the back{name}.")
    if len(one.setups) < 2:
        at = f"{_length(board.bed_x, unit)}, {_length(board.bed_y, unit)} {unit}"
        turned = ["", ", turned a quarter counter-clockwise", ", turned half round", ", turned a quarter clockwise"][
            board.quarter_turns
        ]
        steps.append(
            f"Lay the sheet on the bed{turned}, its front left corner as it lies at {at}. Hold it down: {_hold_down(board)}."
        )
        steps.append(f"X Y zero: {_zero_xy(board, one.setups, unit)}.")
    z = "the sheet's top" if board.zero.z is ZeroZ.SHEET_TOP else "the spoilboard"
    is_set = False
    for row, file in zip(files, one.files, strict=True):
        lay = _lay_again(job, one, row.number)
        said = [lay] if lay else []
        if not row.cuts and row.again:
            said.append(row.again)
        if row.bits:
            first, last = row.bits[0], (files[row.number - 2].bits[-1:] if row.number > 1 else ())
            stays = bool(last) and last[0].id == first.id
            said.append(
                f"{first.letter}, {first.name}, stays in." if stays else f"Put in {first.letter}, {first.name}."
            )
        if not row.cuts and row.again:
            said.append(_bed_zero(one.setups[0], unit))
        if row.cuts and not is_set:
            said.append(f"Set Z zero on {z}{_touch_place(job, one, file)}.")
            is_set = True
        elif row.cuts and row.again:
            said.append(row.again)  # after the bit is in: it is as long as it is
        said.append(f"Run {row.name}{f' ({row.time})' if row.time else ''}.")
        steps.append(" ".join(said))
        steps += _changes(job, profile, one, file)
    return steps


def _bed_zero(first: Setup, unit: Unit) -> str:
    """Where the holes for pins are counted from, with nothing on the bed: where the zero of the first setup will lie."""
    x, y = (_length(v, unit) for v in first.zero)
    there = f" ({first.zero_name})" if first.zero_name else ""
    return f"Set X and Y zero {x} {unit} from the left end of the machine's travel and {y} {unit} from its front{there}; Z zero on the bed's surface."


def _changes(job: Job, profile: Controller, one: Planned, file: GcodeFile) -> list[str]:
    """What is done where a file stops for another bit."""
    out = []
    for before, block in pairwise(file.blocks):
        bit = job.bit(block.bit)
        if bit is None or before.bit == block.bit:
            continue
        part = msgspec.structs.replace(file, blocks=(block,))
        again = "" if profile.has_bit_lengths else f" Set Z zero again{_touch_place(job, one, part)}; keep X and Y."
        out.append(f"Where it stops for {bit.letter}: put in {bit.name}.{again}")
    return out


def _parts(job: Job, board: Board) -> tuple[tuple[PartRow, ...], float | None]:
    """How many pieces of each part lie on the board, of how many that are wanted, and how much of the sheet their boxes take."""
    rows = []
    for part in job.parts:
        here = sum(instance.part == part.id for instance in board.instances)
        if here:
            rows.append(PartRow(part.name, part.quantity, here))
    if not rows:
        return (), None
    area = sum(
        abs(path.area())
        for shape in board.shapes
        for path in shape.placed()
        if path.closed and _is_outline(board, shape.id)
    )
    return tuple(rows), area / (board.sheet.width * board.sheet.height)


def _is_outline(board: Board, shape: str) -> bool:
    """Whether a shape is what some cut that goes through is cut around by: the outline of a piece."""
    return any(
        cut.loosens is Side.OUTSIDE and cut.is_through(board.sheet) and any(s.id == shape for s in board.shapes_of(cut))
        for cut in board.cuts
        if cut.is_on
    )
