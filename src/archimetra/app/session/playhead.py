"""``Playhead``: the moment of the run that is shown, the stock at it, and the section line it is cut along."""

from __future__ import annotations

from collections.abc import Collection
from math import hypot
from typing import TYPE_CHECKING, NamedTuple

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from archimetra.app.session.document import Document
from archimetra.app.session.planning import Planning
from archimetra.edits import looking
from archimetra.edits.looking import middle_line
from archimetra.engine.messages import Moment, MomentRequest, StockReady, picture_levels
from archimetra.job.ids import BoardId
from archimetra.job.job import Board
from archimetra.job.sections import SHORTEST_MM, PinnedDistance, section_letter

if TYPE_CHECKING:
    from archimetra.engine.client import Engine

Line = tuple[tuple[float, float], tuple[float, float]]
SECTION_SAMPLES = 2400


class StockPicture(NamedTuple):
    """The stock from above: ``levels`` of pictures, each half as fine as the one before; ``shape`` rows and columns of cells of ``cell`` mm."""

    levels: tuple[QImage, ...]
    shape: tuple[int, int]
    cell: float

    def at_scale(self, scale: float) -> tuple[QImage, tuple[float, float, float, float]]:
        """The coarsest picture that is fine enough at so many pixels per mm, and what it covers of the board (x0, y0, x1, y1), mm."""
        level = 0
        while level + 1 < len(self.levels) and self.cell * (2 << level) * scale <= 1.0:
            level += 1
        image, (ny, _) = self.levels[level], self.shape
        size = self.cell * (1 << level)
        top = ny * self.cell  # rows count from the back of the sheet
        return image, (0.0, top - image.height() * size, image.width() * size, top)


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
        self.drops_offcuts = False
        self._is_at_end = True
        self._is_seeking = False
        self._seek_again = False
        self._moved: dict[BoardId, Line] = {}  # lines on their way, not kept with the job
        self._sections: dict[BoardId, int] = {}
        self._shown_line: Line | None = None
        self._elsewhere: set[BoardId] = set()  # boards whose shown line is none of theirs
        document.replaced.connect(self._elsewhere.clear)
        document.replaced.connect(self._moved.clear)
        document.replaced.connect(self._sections.clear)
        document.edited.connect(self._follow_sections)
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

    def show_offcuts(self, is_shown: bool) -> None:
        """Whether what is no part stays to be seen once the run is done."""
        if self.drops_offcuts == is_shown:
            self.drops_offcuts = not is_shown
            self._seek()

    def picture(self) -> StockPicture | None:
        """The stock at the moment shown, as pictures that look into the engine's memory; None until they fit the plan."""
        stock, plan, engine = self.stock, self._planning.plan, self.engine
        if stock is None or plan is None or engine is None or stock.key != plan.run_key or engine.pixels.buf is None:
            return None
        return StockPicture(
            tuple(
                QImage(engine.pixels.buf[offset : offset + 4 * nx * ny], nx, ny, nx * 4, QImage.Format.Format_RGB32)
                for (ny, nx), offset in picture_levels(stock.shape)
            ),
            stock.shape, stock.cell,
        )  # fmt: skip

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
        self.engine.seek(MomentRequest(self.seconds, self.line, SECTION_SAMPLES, self.drops_offcuts))

    # ---- the section line

    @property
    def line(self) -> Line:
        """The section line of the shown board: where it was moved to, or as it is kept; across the middle of the sheet before that."""
        board = self._document.board
        return self._moved.get(board.id) or self._kept(board)

    def _kept(self, board: Board) -> Line:
        return board.sections[self.section].ends if board.sections else middle_line(board)

    @property
    def section(self) -> int:
        """The number of the shown line among those of the board."""
        board = self._document.board
        return min(self._sections.get(board.id, 0), max(len(board.sections) - 1, 0))

    @property
    def section_count(self) -> int:
        return max(len(self._document.board.sections), 1)

    @property
    def other_lines(self) -> list[tuple[str, Line]]:
        """The board's other section lines with their letters."""
        lines = self._document.board.sections
        return [(section_letter(k), one.ends) for k, one in enumerate(lines) if k != self.section]

    def move_line(self, line: Line) -> None:
        """Look along another line; ``keep_line`` keeps it with the job."""
        (ax, ay), (bx, by) = line
        if abs(ax - bx) + abs(ay - by) < SHORTEST_MM:
            return
        self._moved[self._document.board.id] = line
        self._show_line()

    @property
    def is_elsewhere(self) -> bool:
        """Whether the shown line is none of the board's."""
        return self._document.board.id in self._elsewhere

    def look_along(self, line: Line) -> None:
        """Look along another line for a while: the board's own stay where they are, and ``show_section`` leads back."""
        self._elsewhere.add(self._document.board.id)
        self.move_line(line)

    def keep_line(self) -> None:
        """Keep the shown line with the job where it is now, if it is one of the board's."""
        if self.is_elsewhere:
            return
        line = self._moved.pop(self._document.board.id, None)
        if line is not None:
            self._document.apply(looking.place_section(self._document.job, self._document.board.id, self.section, line))

    def shift_line(self, mm: float) -> None:
        """Move the section line square to itself, up (or to the left, if it stands upright)."""
        self.move_line(_beside(self.line, mm))
        self.keep_line()

    def show_section(self, number: int) -> None:
        """Look along another of the board's lines."""
        board = self._document.board
        self._moved.pop(board.id, None)
        self._elsewhere.discard(board.id)
        self._sections[board.id] = number
        self._show_line()

    def add_section(self) -> None:
        """Another line beside the shown one; of a line that is none of the board's, that one. Raises ValueError where there are too many."""
        board = self._document.board
        if self.is_elsewhere:  # what is looked along becomes one of the board's
            line = self.line
            self._elsewhere.discard(board.id)
            self._moved.pop(board.id, None)
        else:
            self.keep_line()
            line = _beside(self.line, max(0.08 * board.sheet.height, 5.0))
        edit, number = looking.add_section(self._document.job, board.id, line)
        self._sections[board.id] = number
        self._document.apply(edit)

    def pin_distance(self, distance: PinnedDistance) -> None:
        """Keep a distance with the shown line; a line that is none of the board's becomes one of them. Raises ValueError where there are too many."""
        if self.is_elsewhere:
            self.add_section()
        else:
            self.keep_line()
        board = self._document.board
        self._document.apply(looking.pin_distance(self._document.job, board.id, self.section, self.line, distance))

    def unpin_distances(self, numbers: Collection[int]) -> None:
        """The shown line without these of its distances."""
        board = self._document.board
        self._document.apply(looking.unpin_distances(self._document.job, board.id, self.section, numbers))

    def remove_section(self) -> None:
        """Without the shown line."""
        board = self._document.board
        self._moved.pop(board.id, None)
        self._document.apply(looking.remove_section(self._document.job, board.id, self.section))

    def _show_line(self) -> None:
        self._shown_line = self.line
        self.line_changed.emit()
        self._seek()

    def _follow_sections(self) -> None:
        """An edit, or undo, may have moved the shown line, or made and removed others."""
        if self.line != self._shown_line:
            self._show_line()
        else:
            self.line_changed.emit()


def _beside(line: Line, mm: float) -> Line:
    """The line moved square to itself, up (or to the left, if it stands upright)."""
    (ax, ay), (bx, by) = line
    long = hypot(bx - ax, by - ay)
    up = 1.0 if (bx - ax, by - ay) > (0.0, 0.0) else -1.0
    dx, dy = -up * (by - ay) / long * mm, up * (bx - ax) / long * mm
    return (ax + dx, ay + dy), (bx + dx, by + dy)
