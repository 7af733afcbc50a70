"""Checks that need more than one board, or what was written before: none of them needs a plan.

They run where a job is shown, so nothing here loads the libraries a planner needs.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from functools import lru_cache

import numpy as np

from archimetra.base.findings import Finding, Severity, gravest_first
from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.path import Path
from archimetra.job.cuts.carve import CarveCut
from archimetra.job.job import Board, Job
from archimetra.job.shapes import Shape

_SAME_SHARE = 0.012  # of its size: so far two outlines may lie apart and be taken for the same
_POINTS = 400  # along the outlines of an art, all together
_SAME_MM = 0.01


def all_found(job: Job, board: Board, planned: Sequence[Finding]) -> tuple[Finding, ...]:
    """What its plan found, with what is to be told of a board in view of the others and of what was written of it; the gravest first."""
    more = [finding for check in _CHECKS for finding in check(job, board)]
    return tuple(gravest_first((*planned, *more))) if more else tuple(planned)


def plug_not_mirrored(job: Job, board: Board) -> Iterator[Finding]:
    """A V-carved plug made by hand that faces the way its pocket does: turned over to be glued in, it would be its mirror image."""
    for cut in _by_hand(board):
        art = _art_of_plug(board.shapes_of(cut))
        if not art:
            continue
        pockets = (
            (other, pocket)
            for other in job.boards
            for pocket in _by_hand(other)
            if pocket.id != cut.id and not _art_of_plug(other.shapes_of(pocket))
        )
        for other, pocket in pockets:
            drawn = _outlines(other.shapes_of(pocket))
            if drawn and _is_laid_on(art, drawn) and not _is_laid_on(art, drawn, mirrored=True):
                x0, y0, x1, y1 = _box(art)
                yield Finding(
                    "plug-not-mirrored", Severity.CAUTION,
                    f"'{cut.name}' is the art of '{pocket.name}' as it is drawn there: glued in face down, a plug has to be its mirror image.",
                    mend="Mirror its shapes, unless it is no plug.", at=((x0 + x1) / 2, (y0 + y1) / 2), subject=cut.id,
                )  # fmt: skip
                break


def zero_since_written(job: Job, board: Board) -> Iterator[Finding]:
    """Files on their way to the machine that expect another zero than the one shown."""
    written = board.written
    if written is None or not written.files:
        return
    zero, before = board.zero, written.zero
    (x, y), (bx, by) = zero.point(board.sheet), before.point(board.sheet)
    if zero.z is before.z and abs(x - bx) < _SAME_MM and abs(y - by) < _SAME_MM:
        return
    yield Finding(
        "zero-since-written", Severity.CAUTION,
        f"The files written last expect {before.sentence(board.sheet)}; now it is {zero.sentence(board.sheet)}.",
        mend=f"Write the files anew, or zero the machine as those in {written.folder} expect.", at=(x, y), subject=board.id,
    )  # fmt: skip


_CHECKS: tuple[Callable[[Job, Board], Iterator[Finding]], ...] = (plug_not_mirrored, zero_since_written)


# ---- arts


def _by_hand(board: Board) -> Iterator[CarveCut]:
    """The V carvings that are no halves of an inlay the program made."""
    for cut in board.cuts:
        if isinstance(cut, CarveCut) and cut.mating is None and cut.is_on:
            yield cut


@lru_cache(maxsize=256)
def _art_of_plug(shapes: tuple[Shape, ...]) -> tuple[Path, ...]:
    """What lies within the one outline around everything else, if there is one; () for what is no plug."""
    outlines = _outlines(shapes)
    if len(outlines) < 2:
        return ()
    boxes = np.array([path.bounds() for path in outlines])
    frame = int(np.argmax((boxes[:, 2] - boxes[:, 0]) * (boxes[:, 3] - boxes[:, 1])))
    inner = np.delete(boxes, frame, axis=0)
    x0, y0, x1, y1 = boxes[frame]
    is_around = (inner[:, 0] > x0) & (inner[:, 1] > y0) & (inner[:, 2] < x1) & (inner[:, 3] < y1)
    return tuple(path for k, path in enumerate(outlines) if k != frame) if is_around.all() else ()


def _outlines(shapes: Sequence[Shape]) -> tuple[Path, ...]:
    return tuple(path for shape in shapes for path in shape.placed() if path.closed)


def _box(paths: Sequence[Path]) -> tuple[float, float, float, float]:
    boxes = np.array([path.bounds() for path in paths])
    return (*boxes[:, :2].min(axis=0).tolist(), *boxes[:, 2:].max(axis=0).tolist())


@lru_cache(maxsize=64)
def _is_laid_on(art: tuple[Path, ...], other: tuple[Path, ...], *, mirrored: bool = False) -> bool:
    """Whether an art lies on another when it is shifted and turned by quarters, after it was turned over if ``mirrored``."""
    a, b = _along(art), _along(other)
    lengths = (sum(path.length() for path in paths) for paths in (art, other))
    one, two = lengths
    size = float(np.hypot(*np.ptp(b, axis=0)))
    if len(art) != len(other) or abs(one - two) > _SAME_SHARE * max(one, two) or size == 0:
        return False
    if mirrored:
        a = a * (-1.0, 1.0)
    for _ in range(4):
        a = np.column_stack((-a[:, 1], a[:, 0]))
        if _apart(a, b) <= _SAME_SHARE * size:
            return True
    return False


def _along(paths: Sequence[Path]) -> FloatArray:
    """Points evenly along outlines, about the middle of the box around them."""
    total = sum(path.length() for path in paths)
    out = []
    for path in paths:
        points = path.flatten(0.05)
        along = np.concatenate(([0.0], np.cumsum(np.hypot(*np.diff(points, axis=0).T))))
        at = np.linspace(0.0, along[-1], max(round(_POINTS * path.length() / total), 8))
        out.append(np.column_stack([np.interp(at, along, points[:, axis]) for axis in (0, 1)]))
    points = np.vstack(out)
    return np.asarray(points - (points.min(axis=0) + points.max(axis=0)) / 2)


def _apart(a: FloatArray, b: FloatArray) -> float:
    """The farthest any point of one lies from the other (Hausdorff's distance of the two sets)."""
    d = np.hypot(a[:, None, 0] - b[None, :, 0], a[:, None, 1] - b[None, :, 1])
    return float(max(d.min(axis=0).max(), d.min(axis=1).max()))
