"""Which lines a profile follows, in which order, and which finishing line runs along which."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np
import shapely

from archimetra.base.findings import Finding, Severity
from archimetra.geometry.arrays import FloatArray, IntArray
from archimetra.geometry.path import Path
from archimetra.job.cuts.profile import ProfileCut
from archimetra.toolpath.profile.outlines import Outlines
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.contours import Contour, Contours
from archimetra.toolpath.shared.order import inside_first

NOWHERE: FloatArray = np.zeros((0, 2))


class Line(msgspec.Struct, frozen=True, eq=False):
    """A contour with the places (n, 2) of the tabs and starts set by hand on it."""

    contour: Contour
    tabs: FloatArray = NOWHERE
    starts: FloatArray = NOWHERE

    def reversed(self) -> Line:
        return Line(_reversed(self.contour), self.tabs, self.starts)


def lines_of(cut: ProfileCut, outlines: Outlines, contours: Sequence[Contour]) -> list[Line]:
    """The contours with the marks set on them, those the other way round that a mark asks for."""
    tabs, starts = outlines.marks_of(contours, cut.tabs.by_hand), outlines.marks_of(contours, cut.starts)
    turns = outlines.marks_of(contours, cut.turned)
    lines = [Line(*given) for given in zip(contours, tabs, starts, strict=True)]
    return [line.reversed() if len(turn) % 2 else line for line, turn in zip(lines, turns, strict=True)]


def in_order(
    work: ResolvedCut, cut: ProfileCut, outlines: Outlines, found: Contours
) -> tuple[list[Line], tuple[Finding, ...]]:
    """The contours as lines in the order they are cut: what is inside first, along a short way, or as the shapes stand."""
    lines = lines_of(cut, outlines, found.contours)
    if not lines:
        return [], ()
    contours = [line.contour for line in lines]
    if cut.keeps_order:
        order, told = _kept_order(work, cut, outlines, contours, found.parent)
        return [lines[k] for k in order], told
    starts = np.array([contour.at for contour in contours])
    ends = np.array([contour.ring[-1] for contour in contours])
    is_open = np.array([contour.path is not None and not contour.path.closed for contour in contours])
    free = is_open & np.array([contour.keeps_right is None for contour in contours])
    ends[~is_open] = starts[~is_open]
    turned = inside_first(starts, found.parent, ends=ends, can_turn=free)
    return [lines[k] if k >= 0 else lines[~k].reversed() for k in turned], ()


def _kept_order(
    work: ResolvedCut, cut: ProfileCut, outlines: Outlines, contours: Sequence[Contour], parent: IntArray
) -> tuple[list[int], tuple[Finding, ...]]:
    """As the shapes stand in the cut; of one shape the inner contours first. Told where that frees a part too early."""
    rank = {shape.id: n for n, shape in enumerate(work.shapes)}
    depth = [_depth(parent, k) for k in range(len(contours))]
    keys = [(rank.get(outlines.shape_at(contour.at), len(rank)), -depth[k]) for k, contour in enumerate(contours)]
    order = sorted(range(len(contours)), key=lambda k: keys[k])
    place = {k: n for n, k in enumerate(order)}
    late = [k for k in order if parent[k] >= 0 and place[int(parent[k])] < place[k]]
    if not late:
        return order, ()
    told = Finding(
        "order-kept", Severity.CAUTION,
        f"'{cut.name}' keeps the order of its shapes and cuts an outline before {len(late)} "
        f"contour{'s' if len(late) > 1 else ''} inside it, when the part may have moved.",
        mend="Let the order follow by itself, or put what is inside first.", at=contours[late[0]].at, subject=cut.id,
    )  # fmt: skip
    return order, (told,)


def paired(rough: list[Line], last: list[Line] | None) -> list[tuple[Line, list[Line]]]:
    """Each rough contour with the finishing contours that run along it; what only the finish reaches is cut by itself."""
    if last is None:
        return [(line, []) for line in rough]
    where = [k for k, line in enumerate(rough) if line.contour.path is not None]
    groups: list[list[Line]] = [[] for _ in rough]
    alone = []
    tree = shapely.STRtree([shapely.linestrings(rough[k].contour.ring) for k in where])
    for line in last:
        if line.contour.path is None or not where:
            alone.append((line, list[Line]()))
            continue
        ring = line.contour.ring
        nearest = tree.nearest(shapely.points(ring[len(ring) // 2]))
        assert nearest is not None
        groups[where[int(nearest)]].append(line)
    return [*zip(rough, groups, strict=True), *alone]


def tabbed(line: Line, finish: Sequence[Line]) -> Line:
    """The line that tabs are placed on: around a part the finishing pass where there is one, which is what leaves the wall."""
    is_closed = line.contour.path is not None and line.contour.path.closed
    return finish[0] if is_closed and len(finish) == 1 else line


def _reversed(contour: Contour) -> Contour:
    if contour.path is None:
        return contour
    path: Path = contour.path.reverse()
    right = None if contour.keeps_right is None else not contour.keeps_right
    return Contour(path, (float(path.nodes[0, 0]), float(path.nodes[0, 1])), contour.ring[::-1], right)


def _depth(parent: IntArray, k: int) -> int:
    """How many contours lie around one."""
    out = 0
    while parent[k] >= 0:
        k, out = int(parent[k]), out + 1
    return out
