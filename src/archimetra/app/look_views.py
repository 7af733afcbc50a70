"""The three views together: section lines, places shown in all of them, moments of a place, and what another order would cost."""

from __future__ import annotations

from typing import NamedTuple

import msgspec
from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QMenu

from archimetra.app.playback import Playback
from archimetra.app.session import Session
from archimetra.app.session.document import sentence
from archimetra.app.tilt_views import TiltViews
from archimetra.app.views.plan_view import PlanView
from archimetra.app.views.section_measure import Distance
from archimetra.app.views.section_view import SectionView
from archimetra.app.views.sequence_view import SequenceView
from archimetra.base.findings import Finding
from archimetra.job.ids import CutId
from archimetra.job.quantities import format_length
from archimetra.job.sections import PinnedDistance, section_letter
from archimetra.output.times import clock

MOST_MOMENTS = 14


class Views(NamedTuple):
    """The views of a window."""

    plan: PlanView
    tilting: TiltViews
    section: SectionView
    sequence: SequenceView


class LookViews:
    def __init__(self, session: Session, views: Views, playback: Playback) -> None:
        self._session, self._views, self._playback = session, views, playback
        playhead, plan, section = session.playhead, views.plan, views.section
        playhead.line_changed.connect(self.show_line)
        plan.line_moved.connect(playhead.move_line)
        plan.line_dropped.connect(playhead.keep_line)
        plan.section_wanted.connect(playhead.show_section)
        section.line_wanted.connect(playhead.show_section)
        section.more_wanted.connect(self._add_section)
        section.less_wanted.connect(playhead.remove_section)
        section.canvas.distance_wanted.connect(self._pin)
        section.canvas.distances_unwanted.connect(playhead.unpin_distances)
        session.place_wanted.connect(self.show_place)
        session.left_shown.connect(plan.left_marks.show)
        views.sequence.lane.order_tried.connect(self.tell_order)

    def _add_section(self) -> None:
        try:
            self._session.playhead.add_section()
        except ValueError as error:
            self._session.said.emit("caution", sentence(str(error)))

    def _pin(self, distance: Distance) -> None:
        (s0, z0), (s1, z1) = distance
        try:
            self._session.playhead.pin_distance(PinnedDistance(s0=s0, z0=z0, s1=s1, z1=z1))
        except ValueError as error:
            self._session.said.emit("caution", sentence(str(error)))

    def show_line(self) -> None:
        playhead = self._session.playhead
        self._views.plan.show_line(playhead.line, section_letter(playhead.section), playhead.other_lines)
        self._views.section.show_lines(playhead.section_count, playhead.section, is_elsewhere=playhead.is_elsewhere)

    def show_place(self, place: Finding) -> None:
        """A place told of, in all views: on the plan, cut through in the section, at its moment in the sequence."""
        from archimetra.engine.moments import moment_at

        s, plan = self._session, self._session.planning.plan
        cut = s.board.cut(CutId(place.subject))
        if cut is not None:
            s.show_cut(cut.id)
        if plan is None:
            return
        if place.at is None:
            begins = (float(plan.times.ends[max(b.first - 1, 0)]) for b in plan.run.blocks if b.cut == place.subject)
            self._playback.go_to(next(begins, s.playhead.seconds))
            return
        if self._views.tilting.is_shown:
            self._views.tilting.toggle()
        x, y = place.at
        reach = max(0.15 * s.board.sheet.width, 20.0)
        s.playhead.look_along(((x - reach, y), (x + reach, y)))
        self._views.plan.go_to(x, y)
        when = moment_at(s.job, plan, (x, y), place.subject)
        if when is not None:
            self._playback.go_to(when)

    def tell_order(self, cut_id: CutId, position: int) -> None:
        """What the order would cost and risk with a cut dropped there."""
        from archimetra.engine.reordering import cost_of_order

        s, plan = self._session, self._session.planning.plan
        if plan is None:
            return
        cost = cost_of_order(s.job, s.board, plan, cut_id, position)
        words = []
        if cost.changes:
            more = "more" if cost.changes > 0 else "fewer"
            words.append(
                f"{abs(cost.changes)} bit change{'' if abs(cost.changes) == 1 else 's'} {more}, {clock(abs(cost.seconds))}"
            )
        words += [s.words_of(msgspec.structs.replace(f, mend="")) for f in cost.risks[:1]]
        if len(cost.risks) > 1:
            words.append(f"and {len(cost.risks) - 1} more like it")
        self._views.sequence.lane.show_cost(
            "; ".join(words) or "no more bit changes, nothing at risk", is_risky=bool(cost.risks)
        )

    def add_moments(self, menu: QMenu, at: QPoint) -> None:
        """Every moment at which a bit takes wood at a place, to jump to."""
        from archimetra.engine.moments import visits

        s, plan = self._session, self._session.planning.plan
        if plan is None:
            return
        place = self._views.plan.view.to_board(self._views.plan.mapFromGlobal(at).toPointF())
        found = visits(s.job, plan, place)[:MOST_MOMENTS]
        inner = menu.addMenu("When is this cut?")
        for visit in found:
            cut = s.board.cut(plan.run.blocks[visit.block].cut)
            name = cut.name if cut is not None else "travel"
            depth = f"{format_length(visit.depth, s.job.unit)} {s.job.unit} deep"
            action = inner.addAction(f"{clock(visit.begin)}  {name}, {depth}")
            action.triggered.connect(lambda _c=False, v=visit: self._playback.go_to(v.end))
        if not found:
            inner.addAction("Nothing is cut here").setEnabled(False)
