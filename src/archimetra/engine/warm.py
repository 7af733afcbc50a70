"""Compile every kernel once, so that nobody waits for it: ``python -m archimetra.engine.warm``, when a checkout is set up.

Where somebody else's machine, processor or an update finds the kernels not yet compiled, the planner does the same when it
starts, and says how far it is (``steps``). Compiling is per signature: what is warmed must be called with arrays of the same
kind as later, so small jobs go through the planners themselves.
"""

from __future__ import annotations

import hashlib
import pickle
from collections.abc import Callable, Iterator
from pathlib import Path as FilePath
from typing import Any

import msgspec
import numpy as np
import platformdirs
import shapely
from shapely.geometry import Polygon

import archimetra
from archimetra.artwork.drawing import Drawing, DrawnLayer, DrawnShape, Scale
from archimetra.base.files import write_safely
from archimetra.edits import cutting, inlaying, placement, rack
from archimetra.engine.keys import lean_board, lean_job
from archimetra.engine.mating import mating_of
from archimetra.engine.messages import CloserRequest, MomentRequest, TiltRequest
from archimetra.engine.planning import plan_board
from archimetra.engine.standing import standing_of
from archimetra.engine.tilting import chain_of
from archimetra.geometry.fill import FillRule
from archimetra.geometry.joining import join
from archimetra.geometry.path import Path
from archimetra.geometry.pieces import pieces_of
from archimetra.job.bits import UNDERCUTS, BitKind
from archimetra.job.cut_parts import Entry, Pattern, Side, Tabs
from archimetra.job.cuts import Cut
from archimetra.job.cuts.engrave import EngraveCut
from archimetra.job.cuts.facing import FacingCut
from archimetra.job.cuts.hole import HoleCut
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.cuts.slot import SlotCut
from archimetra.job.inlays import InlayKind
from archimetra.job.job import Job, new_job
from archimetra.job.sheet import Fixture
from archimetra.job.starter_rack import starter_rack
from archimetra.layout.nest.request import KeepClear, NestPart, NestRequest, NestSheet
from archimetra.layout.nest.stages import nest
from archimetra.output.controllers import controller
from archimetra.output.files import gcode_files
from archimetra.output.gcode_reader import read_gcode
from archimetra.stock.viewpoint import Around, fitting
from archimetra.toolpath.suggest import suggestions


def warm() -> None:
    """Run tiny jobs through every compiled loop, and note that it is done."""
    for _ in steps():
        pass
    note_done()


def steps() -> Iterator[float]:
    """The same in steps; the share done after each."""
    work: tuple[Callable[[], object], ...] = (
        _profiles,
        lambda: _cut(HoleCut, end_depth=4.0),
        lambda: _cut(EngraveCut, end_depth=0.5),
        lambda: _cut(PocketCut, end_depth=4.0),
        lambda: _cut(PocketCut, end_depth=4.0, pattern=Pattern.RASTER, entry=Entry.RAMP),
        lambda: _cut(FacingCut, end_depth=1.0),
        _carving,
        _undercut,
        _joining,
        _offers,
        _empty_board,
        _nesting,
        _files,
    )
    for number, step in enumerate(work, 1):
        step()
        yield number / len(work)


# ---- whether it has been done


def is_done() -> bool:
    """Whether this user's kernels have been compiled for this program, these libraries and this processor."""
    try:
        return _note().exists()
    except OSError:  # a folder that may not be looked into: the compiler's own cache answers for the rest
        return False


def note_done() -> None:
    note = _note()
    try:
        note.parent.mkdir(parents=True, exist_ok=True)
        write_safely(note, b"")
    except OSError:
        pass  # then it is done again at the next start, from what the compiler kept


def _note() -> FilePath:
    import llvmlite.binding as llvm  # type: ignore[import-untyped]
    import numba

    digest = hashlib.sha256(numba.__version__.encode())
    digest.update(llvm.get_host_cpu_name().encode())
    digest.update(llvm.get_host_cpu_features().flatten().encode())
    for path in sorted(FilePath(archimetra.__file__).parent.rglob("*_kernels.py")):
        digest.update(path.read_bytes())
    return FilePath(platformdirs.user_cache_dir("archimetra")) / f"kernels-{digest.hexdigest()[:20]}"


# ---- the steps


def _job(*shapes: Path) -> Job:
    job = new_job()
    drawn = tuple(
        DrawnShape(f"s{k}", 0, (path,), FillRule.NONZERO, path.closed, None, 1) for k, path in enumerate(shapes)
    )
    drawing = Drawing("warm", (DrawnLayer("one"),), drawn, Scale("mm", 1.0, "", True), None, ())
    return placement.place_drawing(job, job.boards[0].id, drawing)[0].job


def _art() -> tuple[Path, ...]:
    t = np.linspace(0, 2 * np.pi, 61)
    r = 30 + 6 * np.sin(5 * t)
    wave = np.column_stack((120 + r * np.cos(t), 60 + r * np.sin(t)))
    return (Path.polyline(wave, closed=True), *(Path.circle((x, 60), 4) for x in (110, 120, 130)),
            Path.polyline([(10, 10), (60, 20)], closed=False), Path.polyline([(10, 80), (60, 90)], closed=False))  # fmt: skip


def _planned(job: Job) -> None:
    """Planned and seen as the workers do it: from arrays that came through a pipe."""
    board = job.boards[0]
    job, board = pickle.loads(pickle.dumps((lean_job(job), lean_board(board))))
    plan = pickle.loads(pickle.dumps(plan_board(job, board, {})))
    chain = chain_of(job, board, plan, cell=2.0)
    chain.seek(plan.times.total / 2)
    chain.unlike(chain_of(job, board, plan, cell=2.0))
    pixels = np.zeros(chain.grid.shape, np.uint32)
    chain.paint([pixels, np.zeros_like(pixels)], chain.grid.all)
    chain.section(MomentRequest(plan.times.total, ((0, 0), (100, 100)), 10))
    around = Around(fixtures=(Fixture(x=0.0, y=0.0),), bed=(0.0, 0.0, 50.0, 50.0), bit=job.bits[0])
    view = fitting(board.sheet, 30.0, 40.0, (200, 90))
    for is_fine in (True, False):
        chain.tilted(TiltRequest(0, view, (200, 90), is_fine, around, 0, is_over=is_fine), [pixels])
    chain.closer(CloserRequest(0, (0.0, 0.0, 30.0, 30.0), 1.0))


def _with_cut(job: Job, kind: type[Cut], **fields: Any) -> Job:
    board = job.boards[0]
    ids = [] if kind is FacingCut else [shape.id for shape in board.shapes]
    cut = cutting.new_cut(job, board.id, kind, ids, **fields)
    return cutting.add_cut(job, board.id, cut).job


def _cut(kind: type[Cut], **fields: Any) -> None:
    _planned(_with_cut(_job(*_art()), kind, **fields))


def _profiles() -> None:
    for side in (Side.OUTSIDE, Side.INSIDE, Side.ON):
        _cut(ProfileCut, side=side, goes_through=True, tabs=Tabs(count=2))


def _carving() -> None:
    """A V inlay and its mate: the loops of carving and measuring."""
    job = _job(Path.circle((50, 50), 20))
    vee = next(bit for bit in starter_rack() if bit.kind is BitKind.VEE)
    edit, bit = rack.take(job, vee)
    board = edit.job.boards[0]
    made, inlay = inlaying.add_inlay(
        edit.job, board.id, [board.shapes[0].id], kind=InlayKind.VEE, bit=bit, floor_bit=edit.job.bits[0].id, depth=2.0
    )
    _planned(made.job)
    mating = mating_of(made.job, inlay, {})
    mating.section((0.0, 0.0), (100.0, 100.0), mating.measured().seat, samples=10)
    pocket = made.job.boards[0]
    standing_of(made.job, pocket, plan_board(made.job, pocket, {}))


def _undercut() -> None:
    """A slot from edge to edge, hollow under its sides, and what stands beside it."""
    job = _job(Path.polyline([(-20.0, 40.0), (120.0, 40.0)], closed=False))
    keyhole = next(bit for bit in starter_rack() if bit.kind in UNDERCUTS)
    edit, bit = rack.take(job, keyhole)
    job = _with_cut(edit.job, SlotCut, bit=bit, end_depth=6.0)
    _planned(job)
    board = job.boards[0]
    standing_of(job, board, plan_board(job, board, {}))


def _joining() -> None:
    corner = [Path.polyline([(0, 0), (5, 0)], closed=False), Path.polyline([(5, 0), (5, 5)], closed=False)]
    join(pieces_of(corner), tolerance_mm=0.1)


def _offers() -> None:
    job = _job(*_art())
    suggestions(job, job.boards[0].id, job.boards[0].shapes, rack.Rack(bits=starter_rack()))


def _empty_board() -> None:
    _planned(new_job())


def _nesting() -> None:
    """A few parts round a clamp, squeezed together."""
    corner = Polygon([(0, 0), (30, 0), (30, 10), (10, 10), (10, 30), (0, 30)])
    clamp = KeepClear(shapely.box(0, 0, 20, 20), 3.0)
    sheet = NestSheet(outline=shapely.box(0, 0, 300, 120), keep_clear=(clamp,))
    part = NestPart(name="corner", outline=corner, quantity=6, turns=(0.0, 90.0))
    nest(NestRequest(parts=(part,), sheets=(sheet, sheet)), work=5e7)
    nest(NestRequest(parts=(msgspec.structs.replace(part, quantity=90),), sheets=(sheet,)), work=5e7)


def _files() -> None:
    """Written and read again."""
    job = _with_cut(_job(*_art()), ProfileCut, side=Side.OUTSIDE)
    board = job.boards[0]
    plan = pickle.loads(pickle.dumps(plan_board(job, board, {})))
    for file in gcode_files(job, board, plan.run, controller("rs274")):
        read_gcode(file.text)


if __name__ == "__main__":
    warm()
