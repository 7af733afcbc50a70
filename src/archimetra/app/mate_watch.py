"""Keeps the mate of an inlay up to date while it is looked at: asks for it when anything it rests on has changed."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from archimetra.app.session import Session
from archimetra.app.session.playhead import SECTION_SAMPLES
from archimetra.engine.messages import MateMade, MateRequest
from archimetra.job.inlays import Inlay
from archimetra.job.job import with_boards


class MateWatch(QObject):
    changed = Signal()  # on or off, asked anew, or an answer is there

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._session = session
        self.is_on = False
        self.made: MateMade | None = None
        self._asked = ""
        self._asked_line: object = None
        self._told: object = None
        session.planning.planned.connect(self._ask_again)
        session.playhead.line_changed.connect(self._ask)
        session.board_changed.connect(self._look)
        session.cut_changed.connect(self._look)
        session.job_changed.connect(self._look)
        session.mate_made.connect(self._take)

    @property
    def inlay(self) -> Inlay | None:
        """The inlay the shown board is a half of: that of the shown cut, or the first."""
        s = self._session
        mine = [i for i in s.job.inlays if s.board.id in (i.pocket_board, i.plug_board)]
        cut = s.board.cut(s.cut_id) if s.cut_id is not None else None
        if cut is not None and cut.mating is not None:
            mine = [i for i in mine if i.id == cut.mating.inlay] or mine
        return mine[0] if mine else None

    @property
    def shown(self) -> MateMade | None:
        """What is to be drawn now: only on the pocket board, only while it fits the job."""
        inlay = self.inlay
        if not self.is_on or inlay is None or self.made is None or self._session.board.id != inlay.pocket_board:
            return None
        return self.made if self.made.key == self._asked and self.made.inlay == inlay.id else None

    def show(self, is_on: bool) -> None:
        """Turn it on or off. On the plug board the pocket board is shown, where the plug goes in."""
        self.is_on = is_on
        inlay, s = self.inlay, self._session
        if is_on and inlay is not None and s.board.id != inlay.pocket_board:
            s.show_board(inlay.pocket_board)
        self._ask()
        self.changed.emit()

    def _look(self) -> None:
        """Something changed that may concern the inlay: the plug may have while the board shown needs no new plan."""
        self._ask()
        inlay = self.inlay
        state = (inlay.id if inlay is not None else "", self.is_on, self.shown is not None)
        if state != self._told:  # every nudge of any shape comes by here
            self._told = state
            self.changed.emit()

    def _ask_again(self) -> None:
        """A plan has come; what was asked for before it was asked for may have been dropped for it, unanswered."""
        if self.made is None or self.made.key != self._asked:
            self._asked = ""
        self._ask()

    def _ask(self) -> None:
        s, inlay = self._session, self.inlay
        if (
            not self.is_on
            or inlay is None
            or s.engine is None
            or s.board.id != inlay.pocket_board
            or s.planning.is_planning
        ):
            return
        from archimetra.engine.keys import lean_board, lean_job, plan_key

        boards = tuple(lean_board(b) for b in s.job.boards if b.id in (inlay.pocket_board, inlay.plug_board))
        key = " ".join([str(inlay), *[plan_key(s.job, board) for board in boards]])
        if key == self._asked and s.playhead.line == self._asked_line:
            return
        self._asked, self._asked_line = key, s.playhead.line
        job = with_boards(lean_job(s.job), boards)
        s.engine.mate(MateRequest(0, key, job, inlay.id, s.playhead.line, SECTION_SAMPLES))
        self.changed.emit()

    def _take(self, made: MateMade) -> None:
        if made.key == self._asked:
            self.made = made
            self.changed.emit()
