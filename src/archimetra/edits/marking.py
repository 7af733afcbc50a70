"""Edits of what a profile has set by hand on single contours and shapes: tabs, starts, directions."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from archimetra.edits.edit import Edit, replace
from archimetra.job.cut_parts import Mark, ShapeTabs
from archimetra.job.cuts import Cut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.ids import CutId, ShapeId
from archimetra.job.job import Job, with_boards
from archimetra.job.marks import same_contour


def set_tab_marks(job: Job, cut_id: CutId, marks: tuple[Mark, ...], *, merge: str = "") -> Edit:
    """Tabs set by hand, all of a cut's at once."""

    def change(cut: Cut) -> Cut:
        return replace(cut, tabs=replace(cut.tabs, by_hand=marks)) if isinstance(cut, ProfileCut) else cut

    return _each(job, cut_id, change, "Move tab", merge)


def set_start_mark(job: Job, cut_id: CutId, shape: ShapeId, mark: Mark | None, *, merge: str = "") -> Edit:
    """Where the contour at a mark begins; None lets the rule choose again for all contours of the shape."""

    def change(cut: Cut) -> Cut:
        if not isinstance(cut, ProfileCut):
            return cut
        others = tuple(m for m in cut.starts if m.shape != shape or (mark is not None and not same_contour(m, mark)))
        return replace(cut, starts=(*others, mark) if mark is not None else others)

    return _each(job, cut_id, change, "Move start" if mark is not None else "Choose start", merge)


def turn_contour(job: Job, cut_id: CutId, mark: Mark) -> Edit:
    """Walk the contour at a mark the other way round; again, and it is as before."""

    def change(cut: Cut) -> Cut:
        if not isinstance(cut, ProfileCut):
            return cut
        others = tuple(m for m in cut.turned if not same_contour(m, mark))
        return replace(cut, turned=others if len(others) < len(cut.turned) else (*others, mark))

    return _each(job, cut_id, change, "Turn contour")


def set_shape_tabs(job: Job, cut_id: CutId, shapes: Collection[ShapeId], count: int | None) -> Edit:
    """Another number of tabs for some shapes; None gives them the cut's own again."""

    def change(cut: Cut) -> Cut:
        if not isinstance(cut, ProfileCut):
            return cut
        others = tuple(own for own in cut.tabs_of if own.shape not in set(shapes))
        mine = () if count is None else tuple(ShapeTabs(shape, count) for shape in shapes)
        return replace(cut, tabs_of=others + mine)

    return _each(job, cut_id, change, "Tabs of shape")


def _each(job: Job, cut_id: CutId, change: Any, label: str, merge: str = "") -> Edit:
    boards = tuple(
        replace(b, cuts=tuple(change(cut) if cut.id == cut_id else cut for cut in b.cuts)) if b.cut(cut_id) else b
        for b in job.boards
    )
    return Edit(label, with_boards(job, boards), merge)
