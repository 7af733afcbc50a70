"""``Playhead``: the moment of the run that is shown, the stock at it, and the section line it is cut along."""

from __future__ import annotations

from math import hypot
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from archimetra.app.session.document import Document
from archimetra.app.session.planning import Planning
from archimetra.engine.messages import Moment, MomentRequest, StockReady
from archimetra.job.ids import BoardId

if TYPE_CHECKING:
    from archimetra.engine.client import Engine

Line = tuple[tuple[float, float], tuple[float, float]]
SECTION_SAMPLES = 2400


class Playhead(QObject):
    moved = Signal()
    painted = Signal(object)  # cells of the stock (x0, y0, x1, y1), or None where nothing changed
    line_changed = Signal()

    def __init__(self, document: Document, planning: Planning) -> None:
        super().__init__(document)
        self._document, self._planning = document, planning
        self.engine: Engine | None = None
        self.seconds = 0.0
        self.stock: StockReady | None = None
        self.moment: Moment | None = None
        self._is_at_end = True
        self._is_seeking = False
        self._seek_again = False
        self._lines: dict[BoardId, Line] = {}
        document.replaced.connect(self._lines.clear)
        document.turning.connect(self._to_end)
        document.showed.connect(self.line_changed)
        planning.planned.connect(self._follow_plan)

    # ---- the moment

    def go_to(self, seconds: float) -> None:
        """Show the stock at this moment; the newest wish counts, older ones still waiting are dropped."""
        plan = self._planning.plan
        total = plan.times.total if plan is not None else 0.0
        self.seconds = min(max(seconds, 0.0), total)
        self._is_at_end = self.seconds >= total
        self.moved.emit()
        self._seek()

    def picture(self) -> QImage | None:
        """The stock at the moment shown, as a picture that looks into the engine's memory; None until it fits the plan."""
        stock, plan, engine = self.stock, self._planning.plan, self.engine
        if stock is None or plan is None or engine is None or stock.key != plan.run_key or engine.pixels.buf is None:
            return None
        ny, nx = stock.shape
        return QImage(engine.pixels.buf, nx, ny, nx * 4, QImage.Format.Format_RGB32)

    def take(self, moment: Moment) -> None:
        """The stock came to a moment."""
        self._is_seeking = False
        plan = self._planning.plan
        if plan is not None and moment.key == plan.run_key:
            self.moment = moment
            self.painted.emit(moment.box)
        if self._seek_again:
            self._seek_again = False
            self._seek()

    def stopped(self) -> None:
        """A worker stopped: no moment comes."""
        self._is_seeking = False

    def _to_end(self) -> None:
        self._is_at_end = True

    def _follow_plan(self) -> None:
        """Stay at the end of another plan, or at the time; who listens to the plan shows the moment with it, so this comes first."""
        plan = self._planning.plan
        assert plan is not None
        self.seconds = plan.times.total if self._is_at_end else min(self.seconds, plan.times.total)
        self._is_seeking = False
        self._seek()

    def _seek(self) -> None:
        if self.engine is None or self._planning.plan is None:
            return
        if self._is_seeking:
            self._seek_again = True
            return
        self._is_seeking = True
        self.engine.seek(MomentRequest(self.seconds, self.line, SECTION_SAMPLES))

    # ---- the section line

    @property
    def line(self) -> Line:
        """The section line of the shown board; across the middle of the sheet until it is dragged."""
        board = self._document.board
        y = board.sheet.height / 2
        return self._lines.get(board.id, ((-0.04 * board.sheet.width, y), (1.04 * board.sheet.width, y)))

    def move_line(self, line: Line) -> None:
        (ax, ay), (bx, by) = line
        if abs(ax - bx) + abs(ay - by) < 1.0:
            return
        self._lines[self._document.board.id] = line
        self.line_changed.emit()
        self._seek()

    def shift_line(self, mm: float) -> None:
        """Move the section line square to itself, up (or to the left, if it stands upright)."""
        (ax, ay), (bx, by) = self.line
        long = hypot(bx - ax, by - ay)
        up = 1.0 if (bx - ax, by - ay) > (0.0, 0.0) else -1.0
        dx, dy = -up * (by - ay) / long * mm, up * (bx - ax) / long * mm
        self.move_line(((ax + dx, ay + dy), (bx + dx, by + dy)))
