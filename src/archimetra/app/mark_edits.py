"""Tabs and starts dragged on the plan, and clamps: from what the hand did to edits of the job."""

from __future__ import annotations

from math import cos, radians, sin

import msgspec

from archimetra.app.session import Session
from archimetra.app.views.plan_view import PlanView
from archimetra.edits import basic as edits
from archimetra.edits import marking
from archimetra.job.cut_parts import Mark
from archimetra.job.ids import ShapeId
from archimetra.job.marks import mark_at
from archimetra.toolpath.shared.moves import MarkKind, PathMark

replace = msgspec.structs.replace
SECTION_REACH = 28.0  # mm to either side of a tab that the section shows it with


class MarkEdits:
    """Shows the marks of the cut in detail while its station is in front, and takes what is done to them."""

    def __init__(self, session: Session, plan: PlanView) -> None:
        self._session, self._plan = session, plan
        plan.path_marks.picked.connect(self._picked)
        plan.path_marks.dropped.connect(self._dropped)
        plan.path_marks.removed.connect(self._removed)
        plan.fixtures.dropped.connect(self._move_fixture)

    def show(self, *, is_cutting: bool, is_boarding: bool) -> None:
        """Bring the plan's marks up to date."""
        self._plan.fixtures.are_movable = is_boarding
        self._plan.fixtures.show_fixtures(self._session.board.fixtures)
        self._plan.path_marks.show_marks(self._marks() if is_cutting else ())

    def _marks(self) -> tuple[PathMark, ...]:
        s = self._session
        cut = s.board.cut(s.cut_id) if s.cut_id is not None else None
        if (
            cut is None
            or not cut.takes_marks
            or not cut.is_on
            or s.planning.plan is None
            or s.planning.plan.board != s.board.id
        ):
            return ()
        return next((p.toolpath.marks for p in s.planning.plan.cuts if p.toolpath.cut == cut.id), ())

    def _local(self, shape_id: ShapeId, x: float, y: float) -> Mark | None:
        shape = self._session.board.shape(shape_id)
        return mark_at(shape, x, y) if shape is not None else None

    def _picked(self, mark: PathMark) -> None:
        """The section is laid along the path through a tab, so that it is seen there."""
        if mark.kind is MarkKind.TAB:
            dx, dy = SECTION_REACH * cos(radians(mark.degrees)), SECTION_REACH * sin(radians(mark.degrees))
            self._session.playhead.move_line(((mark.x - dx, mark.y - dy), (mark.x + dx, mark.y + dy)))

    def _dropped(self, mark: PathMark, x: float, y: float) -> None:
        s = self._session
        assert s.cut_id is not None
        if mark.kind is MarkKind.START:
            s.apply(marking.set_start_mark(s.job, s.cut_id, mark.shape, self._local(mark.shape, x, y)))
        else:
            self._set_tabs(mark, (x, y))

    def _removed(self, mark: PathMark) -> None:
        self._set_tabs(mark, None)

    def _set_tabs(self, changed: PathMark, place: tuple[float, float] | None) -> None:
        """All tabs of the contour's shape become tabs set by hand, with one of them moved or taken away."""
        s = self._session
        cut = s.board.cut(s.cut_id) if s.cut_id is not None else None
        if cut is None or cut.bridges is None:
            return
        others = [mark for mark in cut.bridges.by_hand if mark.shape != changed.shape]
        mine = []
        for mark in self._plan.path_marks.marks:
            if mark.kind is not MarkKind.TAB or mark.shape != changed.shape:
                continue
            at = place if mark is changed else (mark.x, mark.y)
            local = self._local(mark.shape, *at) if at is not None else None
            if local is not None:
                mine.append(local)
        job = s.job
        if not mine:  # the last tab was taken away: none on this shape, instead of those of the rule
            job = marking.set_shape_tabs(job, cut.id, (changed.shape,), 0).job
        s.apply(marking.set_tab_marks(job, cut.id, (*others, *mine)))

    def _move_fixture(self, k: int, x: float, y: float) -> None:
        s = self._session
        if k < len(s.board.fixtures):
            fixtures = list(s.board.fixtures)
            fixtures[k] = replace(fixtures[k], x=x, y=y)
            s.apply(edits.change_board(s.job, s.board.id, "Move clamp", fixtures=tuple(fixtures)))
