"""From the session to what the three views show. Plain functions, so that tests can look at the same values."""

from __future__ import annotations

from collections.abc import Iterator
from math import hypot
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtGui import QImage, QPen

from archimetra.app.session import Line, Session
from archimetra.app.theme.tokens import Tokens
from archimetra.app.views.line_layer import LineGroup, group
from archimetra.app.views.plan_view import Scene
from archimetra.app.views.section_view import SectionData
from archimetra.app.views.sequence_view import SequenceBlock, depth_trace
from archimetra.engine.messages import BoardPlan
from archimetra.geometry.affine import Affine
from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.path import flatten_together
from archimetra.job import landing
from archimetra.job.bits import Bit
from archimetra.job.job import Board, Job
from archimetra.job.sheet import Sheet
from archimetra.output.times import clock
from archimetra.toolpath.moves import Move, arc_angles
from archimetra.toolpath.program import Run

if TYPE_CHECKING:
    from archimetra.artwork.drawing import Drawing
    from archimetra.job.reading import Reading


def position_at(run: Run, ends: FloatArray, seconds: float) -> tuple[tuple[float, float, float], int]:
    """Where the bit's tip is at a moment, arcs followed, and the row of the move it is in."""
    k = min(int(np.searchsorted(ends, seconds, side="right")), len(run) - 1)
    if k == 0:
        x, y, z = run.xyz[0]
        return (float(x), float(y), float(z)), 0
    begin = float(ends[k - 1])
    span = float(ends[k]) - begin
    t = min(max((seconds - begin) / span, 0.0), 1.0) if span > 0 else 1.0
    a, b = run.xyz[k - 1], run.xyz[k]
    at = a + t * (b - a)
    if run.kind[k] >= Move.ARC_CW:
        c = run.centre[k]
        start, sweep = arc_angles(a[None], b[None], c[None], run.kind[k : k + 1])
        angle, r = float(start[0] + t * sweep[0]), hypot(*(a[:2] - c))
        at = np.array([c[0] + r * np.cos(angle), c[1] + r * np.sin(angle), at[2]])
    return (float(at[0]), float(at[1]), float(at[2])), k


def bit_in_use(job: Job, run: Run, row: int) -> Bit | None:
    number = int(run.block[row])
    return job.bit(run.blocks[number].bit) if 0 <= number < len(run.blocks) else None


def plan_scene(session: Session) -> Scene | None:
    plan = session.plan
    if plan is None or not len(plan.run):
        return None
    at, row = position_at(plan.run, plan.times.ends, session.seconds)
    return Scene(bit_in_use(session.job, plan.run, row), at)


def section_data(session: Session) -> SectionData | None:
    moment, plan = session.moment, session.plan
    if moment is None or plan is None or moment.key != plan.key:
        return None
    (ax, ay), (bx, by) = moment.line
    length = hypot(bx - ax, by - ay)
    at, row = position_at(plan.run, plan.times.ends, moment.seconds)
    bit = bit_in_use(session.job, plan.run, row)
    ux, uy = (bx - ax) / length, (by - ay) / length
    passes: tuple[float, ...] = ()
    if bit is not None:
        block = plan.run.blocks[int(plan.run.block[row])]
        z = plan.run.xyz[block.first : block.last, 2]
        numbers = plan.run.pass_no[block.first : block.last]
        passes = tuple(float(z[numbers == n].min()) for n in np.unique(numbers[numbers > 0]))
    total = plan.times.total
    words = "finished" if moment.seconds >= total else f"at {clock(moment.seconds)} of {clock(total)}"
    return SectionData(
        sheet=session.board.sheet,
        unit=session.job.unit,
        length=length,
        inside=inside_sheet(moment.line, session.board.sheet),
        heights=moment.heights,
        hollow=moment.hollow,
        passes=passes,
        bit=bit,
        bit_at=(at[0] - ax) * ux + (at[1] - ay) * uy,
        bit_off=abs((at[1] - ay) * ux - (at[0] - ax) * uy),
        bit_z=at[2],
        moment=words,
    )


def inside_sheet(line: Line, sheet: Sheet) -> tuple[float, float]:
    """The stretch of a line (mm from its start) that lies on the sheet; (0, 0) where none does."""
    (ax, ay), (bx, by) = line
    length = hypot(bx - ax, by - ay)
    low, high = 0.0, 1.0
    for p, d, size in ((ax, bx - ax, sheet.width), (ay, by - ay, sheet.height)):
        if abs(d) < 1e-12:
            if not 0 <= p <= size:
                return 0.0, 0.0
            continue
        t0, t1 = sorted((-p / d, (size - p) / d))
        low, high = max(low, t0), min(high, t1)
    return (low * length, high * length) if high > low else (0.0, 0.0)


def sequence_blocks(job: Job, board: Board, plan: BoardPlan) -> list[SequenceBlock]:
    ends = plan.times.ends
    out = []
    for block in plan.run.blocks:
        cut, bit = board.cut(block.cut), job.bit(block.bit)
        if cut is None or bit is None:
            continue
        begin, end = float(ends[max(block.first - 1, 0)]), float(ends[block.last - 1])
        rows = slice(block.first, block.last)
        trace = depth_trace(ends[rows], plan.run.xyz[rows, 2], begin=begin, end=end)
        told = sum(1 for f in plan.findings if f.subject == cut.id)
        out.append(SequenceBlock(cut.id, cut.name, bit, begin, end, block.changes_bit, trace, told))
    return out


def sequence_summary(job: Job, plan: BoardPlan) -> str:
    """Total, per bit, and how many bit changes."""
    blocks = plan.run.blocks
    if not blocks:
        return ""
    per_bit: dict[str, float] = {}
    for block in blocks:
        bit = job.bit(block.bit)
        span = float(plan.times.ends[block.last - 1]) - float(plan.times.ends[max(block.first - 1, 0)])
        letter = bit.letter if bit is not None else "?"
        per_bit[letter] = per_bit.get(letter, 0.0) + span
    changes = sum(block.changes_bit for block in blocks)
    words = f"{clock(plan.times.total)} in all"
    if len(per_bit) > 1:
        words += ", " + ", ".join(f"{letter} {clock(seconds)}" for letter, seconds in sorted(per_bit.items()))
    return words + f", {changes} bit change{'' if changes == 1 else 's'}"


# ---- artwork about to land, pictures behind it, readings


def coming(
    drawing: Drawing | None, picture: tuple[bytes, tuple[float, float]] | None, board: Board, tokens: Tokens
) -> tuple[Iterator[LineGroup] | None, tuple[QImage, Affine] | None]:
    """The lines of a drawing where it would land, and the picture it is traced from under them."""
    if drawing is None:
        return None, None
    at = landing.landing(board, drawing)
    pen = QPen(tokens.color("picked", 220), 1.4)
    behind = None
    if picture is not None:
        image = QImage.fromData(picture[0])
        if not image.isNull():
            behind = (image, Affine.scale(*picture[1]).then(at))
    return _lines(drawing, at, pen), behind


def _lines(drawing: Drawing, at: Affine, pen: QPen) -> Iterator[LineGroup]:
    paths = [path for shape in drawing.shapes for path in shape.paths]
    for k in range(0, len(paths), 100):
        some = paths[k : k + 100]
        flatten_together(some, 0.1)
        yield group(pen, [at.apply(path.flatten(0.1)) for path in some])


class Backdrops:
    """The pictures behind a board's artwork, unpacked once."""

    def __init__(self) -> None:
        self._known: dict[int, QImage] = {}

    def of(self, board: Board, sources: dict[str, bytes]) -> list[tuple[QImage, Affine]]:
        out = []
        for backdrop in board.backdrops:
            data = sources.get(backdrop.source)
            if data is None or not backdrop.is_shown:
                continue
            key = hash(data)
            if key not in self._known:
                self._known[key] = QImage.fromData(data)
            if not self._known[key].isNull():
                out.append((self._known[key], backdrop.at))
        return out


def readings_of(board: Board) -> list[Reading]:
    """What the pinned measures read now; ones whose shapes are gone are passed over."""
    from archimetra.job.reading import reading

    return [found for measure in board.measures if (found := reading(board, measure)) is not None]
