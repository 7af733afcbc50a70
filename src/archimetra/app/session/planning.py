"""``Planning``: the plan of the shown board, those of the others when nothing else is to be done, and the files they give."""

from __future__ import annotations

from typing import TYPE_CHECKING

import msgspec
from PySide6.QtCore import QObject, QTimer, Signal

from archimetra.app.session.document import Document
from archimetra.base.errors import OutputError
from archimetra.engine.messages import BoardPlan, FilesMade, PlanProgress, Program, StandingMade
from archimetra.job.ids import BoardId
from archimetra.output.controllers.of_job import controller_of
from archimetra.output.gcode_file import GcodeFile
from archimetra.output.names import board_called

if TYPE_CHECKING:
    from archimetra.engine.client import Engine


IDLE_MS = 1500  # so long after the last plan the other boards are planned
_NEXT_MS = 20


class Planning(QObject):
    changed = Signal()  # how far it is
    planned = Signal()  # the shown board has a plan that fits the job
    files_made = Signal()
    standing_made = Signal(object)  # of which board
    known = Signal(object)  # BoardPlan of any board, as it is now
    program_changed = (
        Signal()
    )  # a program of somebody's is shown instead of the board's cuts, another, or none any more

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self._document = document
        self.engine: Engine | None = None
        self.plan: BoardPlan | None = None
        self.program: Program | None = None  # whose run is the plan shown; files and measures stay those of the job
        self.progress: PlanProgress | None = None
        self.ready_share = 1.0  # below 1 while the planner compiles its loops, once on a machine
        self.files: tuple[GcodeFile, ...] = ()
        self.files_problem = ""  # why the files of this plan do not come
        self._plans: dict[BoardId, BoardPlan] = {}
        self._wanted_key = ""
        self._files_for = ""
        self._quiet: BoardId | None = None  # the board planned meanwhile
        self._given_up: set[BoardId] = set()
        self._standing: dict[BoardId, StandingMade] = {}
        self._idle = QTimer(self)
        self._idle.setSingleShot(True)
        self._idle.setInterval(IDLE_MS)
        self._idle.timeout.connect(self._plan_others)
        document.replaced.connect(self._plans.clear)
        document.replaced.connect(self._standing.clear)
        document.turning.connect(self._drop)
        document.edited.connect(self._given_up.clear)
        document.edited.connect(self.replan)
        document.showed.connect(self.replan)

    @property
    def is_planning(self) -> bool:
        return self.plan is None or self.plan.key != self._wanted_key

    def _drop(self) -> None:
        self.plan = None
        self._forget_program()

    # ---- a program of somebody's

    def show_program(self, program: Program) -> None:
        """Show what it does on the shown board, until that or the job changes."""
        self.program = program
        self.plan = plan = msgspec.structs.replace(program.plan, key=self._wanted_key)
        if self.engine is not None:
            self.engine.show_stock(plan, self._document.job, self._document.board)
        self.program_changed.emit()
        self.changed.emit()
        self.planned.emit()

    def end_program(self) -> None:
        """Back to the cuts of the job."""
        if self.program is not None:
            self._forget_program()
            self._wanted_key = ""
            self.replan()

    def _forget_program(self) -> None:
        if self.program is not None:
            self.program = None
            self.plan = None
            self.program_changed.emit()

    def replan(self) -> None:
        """Have the shown board planned, unless the plan for it as it is now is known or on its way."""
        if self.engine is None:
            return
        from archimetra.engine.keys import plan_key  # what a planner needs to know: not to show a window

        job, board = self._document.job, self._document.board
        key = plan_key(job, board)
        if self.program is not None and (key != self._wanted_key or self.program.plan.board != board.id):
            self._forget_program()
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
            if self.program is not None:  # read meanwhile: it is shown until a person goes back
                self._plans[BoardId(plan.board)] = plan
                self.progress = None
                self.changed.emit()
                return
            self._take(plan)
        elif plan.board == self._quiet:
            self._take_other(plan)

    def _take(self, plan: BoardPlan) -> None:
        self._forget_program()
        self.plan = plan
        self._plans[BoardId(plan.board)] = plan
        self.progress = None
        if self.engine is not None:
            self.engine.show_stock(plan, self._document.job, self._document.board)
        self.changed.emit()
        self.planned.emit()
        self.known.emit(plan)
        self._idle.start()

    # ---- boards that are not looked at

    def plan_of(self, board_id: BoardId) -> BoardPlan | None:
        """The plan of any board as it is now; None while it is not known."""
        from archimetra.engine.keys import plan_key

        plan, board = self._plans.get(board_id), self._document.job.board(board_id)
        return (
            plan if plan is not None and board is not None and plan.key == plan_key(self._document.job, board) else None
        )

    def quiet_dropped(self, board: str) -> None:
        """What was planned meanwhile gave way to something else."""
        if board == self._quiet:
            self._quiet = None
        self._idle.start()

    def standing_of(self, board_id: BoardId) -> StandingMade | None:
        """What a board leaves standing as it is planned now; None while it is not known."""
        made, plan = self._standing.get(board_id), self.plan_of(board_id)
        return made if made is not None and plan is not None and made.key == plan.key else None

    def take_standing(self, made: StandingMade) -> None:
        self._standing[BoardId(made.board)] = made
        if made.board == self._quiet:
            self._quiet = None
        self.standing_made.emit(BoardId(made.board))
        self._idle.start(_NEXT_MS)

    def _plan_others(self) -> None:
        """The next thing to do while nobody waits: what the shown board leaves standing, then the other boards."""
        if self.engine is None or self.is_planning or self._quiet is not None or self.program is not None:
            return
        job, shown = self._document.job, self._document.board
        if self.plan is not None and shown.id not in self._given_up and self.standing_of(shown.id) is None:
            self._quiet = shown.id
            self.engine.measure_standing(self.plan, job, shown)
            return
        board = next(
            (board for board in job.boards if board.id not in self._given_up and self.plan_of(board.id) is None), None
        )
        if board is not None:
            self._quiet = board.id
            self.engine.plan_quietly(job, board.id)

    def _take_other(self, plan: BoardPlan) -> None:
        self._quiet = None
        from archimetra.engine.keys import plan_key

        board = self._document.job.board(BoardId(plan.board))
        if board is not None and plan.key == plan_key(self._document.job, board):
            self._plans[board.id] = plan
            self.known.emit(plan)
        self._idle.start(_NEXT_MS)

    # ---- how far it is

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
        if self._quiet is not None:  # it may have been this one: not again until the job changes
            self._given_up.add(self._quiet)
            self._quiet = None
        if files_key and files_key == self._files_for:
            self.files_problem = sentence
            self.files_made.emit()
        self.changed.emit()

    # ---- files

    def want_files(self, *, again: bool = False) -> bool:
        """Have the shown plan written as files; whether ``files`` already are those of the plan. Where that failed it is
        tried ``again`` only when asked."""
        plan, job = self.plan, self._document.job
        if self.engine is None or plan is None or self.is_planning or self.program is not None:
            return False
        from archimetra.engine.keys import output_key

        try:
            profile = controller_of(job)
        except OutputError as error:
            self._files_for, self.files, self.files_problem = "", (), str(error)
            return False
        # a profile may be changed under its name, and so may another board, from whose files this one's are told apart
        key = f"{output_key(job, self._document.board, plan.key)} {hash(profile)} {board_called(job, self._document.board)}"
        if key != self._files_for or (again and self.files_problem):
            self._files_for, self.files, self.files_problem = key, (), ""
            self.engine.make_files(key, job, self._document.board, plan, profile)
        return bool(self.files) or not len(plan.run.blocks)

    def take_files(self, made: FilesMade) -> None:
        if made.key == self._files_for:
            self.files = made.files
            self.files_made.emit()
