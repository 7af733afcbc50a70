"""The setups of the shown board on the plan, and what is done to their seams there."""

from __future__ import annotations

from archimetra.app.board_tabs import BoardTabs
from archimetra.app.session import Session
from archimetra.app.views.plan_view import PlanView
from archimetra.edits import setups as edits


class SetupViews:
    def __init__(self, session: Session, plan: PlanView, tabs: BoardTabs) -> None:
        self._session, self._plan, self._tabs = session, plan, tabs
        plan.seam_moved.connect(self._move_seam)
        session.setup_changed.connect(self.show)
        session.planning.planned.connect(self.show)
        session.board_changed.connect(self._show_none)
        session.job_changed.connect(self._show_untiled)

    def show(self) -> None:
        s = self._session
        plan = s.planning.plan
        if plan is None or s.board.tiling is None:
            self._show_none()
        else:
            self._plan.seams.show(plan.setups, plan.seams, s.setup_shown)
            self._tabs.show_setups(s.board.id, len(plan.setups), s.setup_shown)

    def _show_none(self) -> None:
        self._plan.seams.show((), (), None)
        self._tabs.show_setups(self._session.board.id, 0, None)

    def _show_untiled(self) -> None:
        if self._session.board.tiling is None:
            self._show_none()

    def _move_seam(self, axis: int, number: int, at: float) -> None:
        s = self._session
        plan = s.planning.plan
        if plan is not None:
            seams = [seam.at for seam in plan.seams if seam.axis == axis]
            s.apply(edits.move_seam(s.job, s.board.id, axis, seams, number, at))
