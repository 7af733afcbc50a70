"""Programs of anybody, as runs of a board: read, laid where the board's zero is, timed and checked, so that all views can show what they do."""

from __future__ import annotations

from hashlib import blake2b
from pathlib import Path as FilePath

import msgspec
import numpy as np

from archimetra.base.errors import ArchimetraError
from archimetra.base.findings import Finding, Severity
from archimetra.engine.messages import BoardPlan, Program
from archimetra.geometry.arrays import AnyArray, FloatArray, IntArray, frozen
from archimetra.job.ids import BitId, CutId
from archimetra.job.job import Board, Job
from archimetra.job.lying import only_setup
from archimetra.job.setups import Setup
from archimetra.output.gcode_reader import ReadMoves, read_gcode, readable
from archimetra.output.program_checks import Given, check_program, summary
from archimetra.output.timing import time_run
from archimetra.toolpath.shared.moves import Move
from archimetra.toolpath.shared.program import Block, Run

MOST_BYTES = 400_000_000
MOST_SHOWN = 1_500_000  # moves; of a longer program the rest is read and checked, not shown
PROGRAM = CutId("program")


def program_text(path: FilePath) -> str:
    """What a program's file holds, its lines parted by line feeds. Raises ArchimetraError in words."""
    try:
        size = path.stat().st_size
        if size > MOST_BYTES:
            raise ArchimetraError(
                f"{path.name} has {size // 1_000_000} MB; programs of up to {MOST_BYTES // 1_000_000} MB are read."
            )
        data = path.read_bytes()
    except OSError as error:
        raise ArchimetraError(
            f"{path} could not be read: {error.strerror}. Choose another file, or one you may read."
        ) from error
    if b"\0" in data[:100_000]:
        raise ArchimetraError(f"{path.name} holds no text: it is no program a control reads.")
    return readable(data.decode("utf-8", "replace"))


def program_of(
    name: str, text: str, job: Job, board: Board, *, setup: Setup | None = None, bit: str = "", is_whole: bool = True
) -> Program:
    """``text`` on a board: in the zero of one of its setups (as a whole without), with the job's bits by the numbers the program calls; ``bit`` where
    it calls none."""
    setup = setup or only_setup(board, job.machine)
    read = read_gcode(text)
    machine = job.machine
    travel = (machine.travel_x, machine.travel_y, machine.travel_z)
    # Z zero on the sheet's top: the wood's top is at 0; on the spoilboard it is as high as the sheet is thick
    told = check_program(read, Given(board.zero.z_shift(board.sheet), travel))
    if not is_whole:
        told = [one for one in told if one.code != "gcode-end"]
    bits, unknown = _bits_of(read, job, bit)
    told += unknown
    run, lines = _run_of(read, job, board, setup, bits)
    if len(read.xyz) > len(run) - 1:
        told.append(
            Finding(
                "program-long", Severity.NOTE, f"Shown are the first {len(run) - 1:,} of its {len(read.xyz):,} moves; all of them were checked.",
            )
        )  # fmt: skip
    digest = blake2b(f"{name} {board.sheet} {setup} {bit} {job.bits} {machine}".encode(), digest_size=16)
    letters = np.frombuffer(text.encode("utf-8", "replace"), dtype=np.uint8)
    digest.update(letters.tobytes())
    plan = BoardPlan(
        board=board.id, key="", run_key=f"program {digest.hexdigest()}", cuts=(), run=run, times=time_run(run, machine),
        findings=tuple(_placed(one, run, lines) for one in told), setups=(msgspec.structs.replace(setup, name=""),),
    )  # fmt: skip
    ends = line_ends(letters)
    of_lines = np.full(len(ends) + 1, -1, dtype=np.int8)
    of_lines[np.minimum(read.line, len(ends))] = bits
    return Program(
        name, plan, letters, ends, int(np.diff(ends, prepend=-1).max(initial=1)) - 1, of_lines[1:], lines, tuple(summary(read)), is_whole,
        bool(read.bit.any()),
    )  # fmt: skip


def line_ends(letters: AnyArray) -> IntArray:
    """Where each line of a text (n,) uint8 ends, before its line feed."""
    ends = np.flatnonzero(letters == 10)
    if len(letters) and (not len(ends) or ends[-1] != len(letters) - 1):
        ends = np.append(ends, len(letters))
    return ends


def _bits_of(read: ReadMoves, job: Job, bit: str) -> tuple[AnyArray, list[Finding]]:
    """The number among the job's bits of each move's bit (n,), and what is told of numbers no bit has."""
    numbers = {one.number: k for k, one in reversed(list(enumerate(job.bits)))}
    own = next((k for k, one in enumerate(job.bits) if one.id == bit), 0)
    out = np.full(len(read.bit), own)
    told = []
    for called in np.unique(read.bit).tolist():
        if called == 0:
            continue
        rows = read.bit == called
        if called in numbers:
            out[rows] = numbers[called]
        else:
            told.append(
                Finding(
                    "program-bit", Severity.CAUTION, f"T{called} is no bit of this job; it is shown as bit {job.bits[own].letter}.",
                    mend=f"Give the bit it means number {called} under Cuts, Bits.", place=f"line {int(read.line[rows.argmax()])}",
                )
            )  # fmt: skip
    return out, told


def _run_of(read: ReadMoves, job: Job, board: Board, setup: Setup, bits: AnyArray) -> tuple[Run, IntArray]:
    """The run, and the line of each of its rows (n,), 0 for where it begins."""
    shown = slice(0, MOST_SHOWN)
    low = board.zero.z_shift(board.sheet)
    xyz = _filled(read.xyz[shown], board.travel_heights.park + low)
    count = len(xyz)
    begin = np.array([[*(xyz[0, :2] if count else (0.0, 0.0)), board.travel_heights.park + low]])
    xyz = np.vstack((begin, xyz))
    centre = np.vstack((np.zeros((1, 2)), read.centre[shown]))
    bits = bits[shown]
    starts = np.concatenate(([0], np.flatnonzero(np.diff(bits)) + 1)) if count else np.zeros(0, dtype=np.int64)
    stops = [*starts[1:].tolist(), count]
    blocks = tuple(
        Block(PROGRAM, BitId(job.bits[int(bits[a])].id), a + 1, b + 1, a > 0)
        for a, b in zip(starts.tolist(), stops, strict=False)
    )
    run = Run(
        np.column_stack((_on_board(xyz[:, :2], setup), xyz[:, 2] - low)), np.concatenate(([Move.RAPID], read.kind[shown])).astype(np.uint8),
        _on_board(centre, setup), np.concatenate(([0.0], read.feed[shown])),
        np.zeros(count + 1, dtype=np.uint8), np.zeros(count + 1, dtype=np.int64),
        np.concatenate(([-1], np.repeat(np.arange(len(blocks)), np.diff([*starts, count]) if count else []))).astype(np.int64), blocks,
    )  # fmt: skip
    return run, frozen(np.concatenate(([0], read.line[shown])))


def _on_board(xy: FloatArray, setup: Setup) -> FloatArray:
    """Places (n, 2) a file says, where they lie on the board."""
    x, y = xy[:, 0] + setup.zero[0] - setup.dx, xy[:, 1] + setup.zero[1] - setup.dy
    for _ in range(-setup.quarter_turns % 4):
        x, y = -y, x
    return np.column_stack((x, y))


def _filled(xyz: FloatArray, height: float) -> FloatArray:
    """Axes a program has not stated yet: at zero, and as high as the bit waits."""
    out = xyz.copy()
    for axis, value in enumerate((0.0, 0.0, height)):
        out[np.isnan(out[:, axis]), axis] = value
    return out


def _placed(one: Finding, run: Run, lines: IntArray) -> Finding:
    """With the place its line leads to, where it is shown."""
    number = one.place.removeprefix("line ")
    if not number.isdigit():
        return one
    row = int(np.searchsorted(lines, int(number)))
    if row >= len(lines) or lines[row] != int(number):
        return one
    return msgspec.structs.replace(one, at=(float(run.xyz[row, 0]), float(run.xyz[row, 1])))
