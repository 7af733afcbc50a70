"""``Planning``: the plan of the shown board, and the files it gives."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from archimetra.app.session.document import Document
from archimetra.engine.messages import BoardPlan, FilesMade, PlanProgress
from archimetra.job.ids import BoardId
from archimetra.output.gcode_file import GcodeFile

if TYPE_CHECKING:
    from archimetra.engine.client import Engine


class Planning(QObject):
    changed = Signal()  # how far it is
    planned = Signal()  # the shown board has a plan that fits the job
    files_made = Signal()

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self._document = document
        self.engine: Engine | None = None
        self.plan: BoardPlan | None = None
        self.progress: PlanProgress | None = None
        self.ready_share = 1.0  # below 1 while the planner compiles its loops, once on a machine
        self.files: tuple[GcodeFile, ...] = ()
        self.files_problem = ""  # why the files of this plan do not come
        self._plans: dict[BoardId, BoardPlan] = {}
        self._wanted_key = ""
        self._files_for = ""
        document.replaced.connect(self._plans.clear)
        document.turning.connect(self._drop)
        document.edited.connect(self.replan)
        document.showed.connect(self.replan)

    @property
    def is_planning(self) -> bool:
        return self.plan is None or self.plan.key != self._wanted_key

    def _drop(self) -> None:
        self.plan = None

    def replan(self) -> None:
        """Have the shown board planned, unless the plan for it as it is now is known or on its way."""
        if self.engine is None:
            return
        from archimetra.engine.keys import plan_key  # what a planner needs to know: not to show a window

        job, board = self._document.job, self._document.board
        key = plan_key(job, board)
        if key == self._wanted_key and (self.plan is not None or self.progress is not None):
            return
        self._wanted_key = key
        known = self._plans.get(board.id)
        if known is not None and known.key == key:
            self._take(known)
            return
        self.progress = PlanProgress(board.id, 0, max(1, len(board.cuts)), 0.0)
        self.engine.plan(job, board.id)
        self.changed.emit()

    def take(self, plan: BoardPlan) -> None:
        """A plan that came; one that nobody waits for any more is dropped."""
        if plan.key == self._wanted_key and plan.board == self._document.board_id:
            self._take(plan)

    def _take(self, plan: BoardPlan) -> None:
        self.plan = plan
        self._plans[BoardId(plan.board)] = plan
        self.progress = None
        if self.engine is not None:
            self.engine.show_stock(plan, self._document.job, self._document.board)
        self.changed.emit()
        self.planned.emit()

    def show_progress(self, progress: PlanProgress) -> None:
        if progress.board == self._document.board_id and self.is_planning:
            self.progress = progress
            self.changed.emit()

    def show_ready(self, share: float) -> None:
        self.ready_share = share
        self.changed.emit()

    def stopped(self, files_key: str, sentence: str) -> None:
        """A worker stopped: no plan comes, and no files where it was at those of ``files_key``."""
        self.progress = None
        self.ready_share = 1.0
        if files_key and files_key == self._files_for:
            self.files_problem = sentence
            self.files_made.emit()
        self.changed.emit()

    # ---- files

    def want_files(self, *, again: bool = False) -> bool:
        """Have the shown plan written as files; whether ``files`` already are those of the plan. Where that failed it is
        tried ``again`` only when asked."""
        plan, job = self.plan, self._document.job
        if self.engine is None or plan is None or self.is_planning:
            return False
        from archimetra.engine.keys import output_key

        key = output_key(job, plan.key)
        if key != self._files_for or (again and self.files_problem):
            self._files_for, self.files, self.files_problem = key, (), ""
            self.engine.make_files(key, job, self._document.board, plan)
        return bool(self.files) or not len(plan.run.blocks)

    def take_files(self, made: FilesMade) -> None:
        if made.key == self._files_for:
            self.files = made.files
            self.files_made.emit()
