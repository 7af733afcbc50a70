"""From the session to what the three views show. Plain functions, so that tests can look at the same values."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from math import cos, hypot, radians, sin
from typing import TYPE_CHECKING

import msgspec
import numpy as np
from PySide6.QtGui import QImage, QPen

from archimetra.app.session import Session
from archimetra.app.session.playhead import Line
from archimetra.app.theme.tokens import Tokens
from archimetra.app.views.line_layer import LineGroup, group
from archimetra.app.views.plan_view import Scene
from archimetra.app.views.section_data import MateDrawing, SectionData, TabSpan
from archimetra.app.views.sequence_view import SequenceBlock, depth_trace
from archimetra.base.findings import Finding
from archimetra.edits import placement
from archimetra.engine.messages import BoardPlan, MateMade
from archimetra.engine.moments import bit_in_use, position_at
from archimetra.geometry.affine import Affine
from archimetra.geometry.path import flatten_together
from archimetra.job.ids import InlayId, InstanceId
from archimetra.job.job import Board, Job
from archimetra.job.parts import Instance
from archimetra.job.sheet import Sheet
from archimetra.output.times import clock
from archimetra.stock.mate_results import MEETS_MM, Mate
from archimetra.toolpath.shared.moves import MarkKind

if TYPE_CHECKING:
    from archimetra.artwork.drawing import Drawing
    from archimetra.job.reading import Reading


def plan_scene(session: Session) -> Scene | None:
    plan = session.planning.plan
    if plan is None or not len(plan.run):
        return None
    at, row = position_at(plan.run, plan.times.ends, session.playhead.seconds)
    return Scene(bit_in_use(session.job, plan.run, row), at)


def section_data(session: Session) -> SectionData | None:
    moment, plan = session.playhead.moment, session.planning.plan
    if moment is None or plan is None or moment.key != plan.run_key:
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
        under=moment.under,
        thicker=session.thicker,
        passes=passes,
        bit=bit,
        bit_at=(at[0] - ax) * ux + (at[1] - ay) * uy,
        bit_off=abs((at[1] - ay) * ux - (at[0] - ax) * uy),
        bit_z=at[2],
        moment=words,
        distances=_distances(session),
        tabs=tab_spans(session.job, session.board, plan, moment.line),
    )


def _distances(session: Session) -> tuple[tuple[tuple[float, float], tuple[float, float]], ...]:
    lines, playhead = session.board.sections, session.playhead
    if playhead.is_elsewhere or not lines:
        return ()
    return tuple(distance.ends for distance in lines[playhead.section].distances)


def tab_spans(job: Job, board: Board, plan: BoardPlan, line: Line) -> tuple[TabSpan, ...]:
    """Where a line runs across the tabs of the board's cuts: each is as long as its cut says and as wide as the slot it stands in."""
    (ax, ay), (bx, by) = line
    length = hypot(bx - ax, by - ay)
    out = []
    for cut, planned in zip(board.cuts, plan.cuts, strict=False):
        tabs, bit = cut.bridges, job.bit(cut.bit)
        if tabs is None or bit is None or not cut.is_on:
            continue
        for mark in planned.toolpath.marks:
            if mark.kind is not MarkKind.TAB:
                continue
            # in the frame of the tab: u along the path, v square to it
            c, s = cos(radians(mark.degrees)), sin(radians(mark.degrees))
            half = (tabs.length / 2 + bit.radius, 2 * bit.diameter)
            begin, end = 0.0, 1.0
            for along, reach in (((c, s), half[0]), ((-s, c), half[1])):
                a = (ax - mark.x) * along[0] + (ay - mark.y) * along[1]
                step = (bx - ax) * along[0] + (by - ay) * along[1]
                if abs(step) < 1e-9:
                    begin, end = (begin, end) if abs(a) <= reach else (1.0, 0.0)
                    continue
                one, other = sorted(((-reach - a) / step, (reach - a) / step))
                begin, end = max(begin, one), min(end, other)
            if begin < end:
                out.append(TabSpan(begin * length, end * length, tabs.thickness))
    return tuple(out)


def with_mate(data: SectionData | None, session: Session, made: MateMade | None) -> SectionData | None:
    """The section with the plug laid in, drawn only where the plug lies on the line; as it was where it nowhere does."""
    if data is None or made is None:
        return data
    if made.mate is None or made.section is None:
        return msgspec.structs.replace(data, moment=made.problem)
    inlay = session.job.inlay(InlayId(made.inlay))
    plug_board = session.job.board(inlay.plug_board) if inlay is not None else None
    section, mate = made.section, made.mate
    there = np.flatnonzero(np.isfinite(section.plug))
    if plug_board is None or not len(there) or inside_sheet(made.line, data.sheet) == (0.0, 0.0):
        return msgspec.structs.replace(data, moment="mate: the line A-A\u2032 passes no plug")
    n = len(section.plug)
    (ax, ay), (bx, by) = made.line
    length = hypot(bx - ax, by - ay)
    step = length / (n - 1)
    edge = int(4.0 / step) + 2
    a, b = max(int(there[0]) - edge, 0), min(int(there[-1]) + edge, n - 1)
    low, high = inside_sheet(made.line, data.sheet)
    # holes that go through the floor are no part of it
    floor = mate.seat + (mate.glue[2] if mate.glue is not None else 0.0)
    deepest = min(float(np.nanmax(-section.pocket[a : b + 1])), floor + 0.1)
    top = float(np.nanmax(section.plug)) if np.isfinite(section.plug).any() else 0.0
    drawing = MateDrawing(
        under=section.plug[a : b + 1], back=section.back[a : b + 1], sheet=plug_board.sheet, readings=tuple(mate_words(mate)),
        above=min(max(top, 1.0) + 1.5, 6.0), below=deepest + 1.5,
    )  # fmt: skip
    return msgspec.structs.replace(
        data, under=None, heights=section.pocket[a : b + 1], hollow=np.full((2, b - a + 1), np.nan), length=(b - a) * step, begin=a * step,
        inside=(max(low - a * step, 0.0), min(high - a * step, (b - a) * step)), mate=drawing,
    )  # fmt: skip


def mate_words(mate: Mate) -> list[tuple[str, bool]]:
    """The readings of a mate, each with whether it is as it should be."""
    out = []
    off = mate.seat - mate.meant
    if mate.proud is None:
        words = f"seats {mate.seat:.2f} mm"
        out.append((words + (f", {off:+.2f} of what is meant" if abs(off) > 0.03 else ""), off > -0.03))
    else:
        words = (
            "flush" if abs(mate.proud) < 0.005 else f"{abs(mate.proud):.2f} mm {'proud' if mate.proud > 0 else 'sunk'}"
        )
        out.append((words, True))
    if mate.glue is not None and mate.proud is None:
        out.append((f"glue {mate.glue[1]:.2f}", mate.glue[1] > 0.02))
    if mate.saw is not None:
        out.append((f"saw {mate.saw[1]:.2f}", mate.saw[1] > 0.02))
    if mate.side is not None:
        low, high = mate.side[0], mate.side[2]
        same = f"{low:.2f}" == f"{high:.2f}"
        words = f"side {max(low, 0.0):.2f}" + ("" if same else f" to {high:.2f}")
        out.append((words if low > MEETS_MM else f"wood meets wood by {-low:.2f} mm", low > MEETS_MM))
    return out


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


def sequence_blocks(job: Job, board: Board, plan: BoardPlan, found: Sequence[Finding]) -> list[SequenceBlock]:
    """``found`` is what is told of the plan."""
    ends = plan.times.ends
    out: list[SequenceBlock] = []
    last = 0
    for block in plan.run.blocks:
        cut, bit = board.cut(block.cut), job.bit(block.bit)
        if bit is None:
            continue
        begin, end = float(ends[max(block.first - 1, 0)]), float(ends[block.last - 1])
        rows = slice(block.first, block.last)
        trace = depth_trace(ends[rows], plan.run.xyz[rows, 2], begin=begin, end=end)
        told = sum(1 for f in found if f.subject == block.cut)
        is_shift = bool(out) and block.setup != last
        own = cut.name if cut is not None else bit.name  # a program of somebody's has no cuts
        name = f"{plan.setups[block.setup].name} {own}" if len(plan.setups) > 1 else own
        out.append(
            SequenceBlock(
                block.cut if cut is not None else None,
                name,
                bit,
                begin,
                end,
                block.changes_bit or is_shift,
                trace,
                told,
            )
        )
        last = block.setup
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
    words += f", {changes} bit change{'' if changes == 1 else 's'}"
    shifts = sum(a.setup != b.setup for a, b in zip(blocks, blocks[1:], strict=False))
    return words + (f", board shifted {shifts} time{'' if shifts == 1 else 's'}" if shifts else "")


# ---- artwork about to land, pictures behind it, readings


def preview_groups(
    drawing: Drawing | None, picture: tuple[bytes, tuple[float, float]] | None, board: Board, tokens: Tokens
) -> tuple[Iterator[LineGroup] | None, tuple[QImage, Affine] | None]:
    """The lines of a drawing where it would land, and the picture it is traced from under them."""
    if drawing is None:
        return None, None
    at = placement.place_on_sheet(board, drawing)
    pen = QPen(tokens.color("picked", 220), 1.4)
    behind = None
    if picture is not None:
        image = QImage.fromData(picture[0])
        if not image.isNull():
            behind = (image, Affine.scale(*picture[1]).then(at))
    return _lines(drawing, at, pen), behind


def pieces_to_come(session: Session, tokens: Tokens) -> Iterator[LineGroup] | None:
    """The pieces of the best layout so far, or of a fit, on the shown board, or the offcut's outline; None where there are none."""
    pieces = session.nesting.pieces_on(session.board.id) or session.fitted_here
    if not pieces and not session.outlines_here:
        return None
    pen = QPen(tokens.color("picked", 220), 1.4)
    lines = [path.flatten(0.1) for path in session.outlines_here]
    for id_, place in pieces:
        part = session.job.part(id_)
        if part is not None:
            piece = Instance(InstanceId(""), part.id, place.x, place.y, place.degrees, place.mirrored)
            lines += [piece.at.apply(path.flatten(0.1)) for shape in part.shapes for path in shape.placed()]
    return iter((group(pen, lines),))


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
