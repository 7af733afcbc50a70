"""``Seeing``: pictures of the stock beside the plan's: tilted, a part of it closer, and small ones of every board."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from archimetra.app.session.document import Document
from archimetra.app.session.planning import Planning
from archimetra.app.session.playhead import Playhead
from archimetra.engine.messages import BoardPlan, Closer, CloserRequest, Thumb, Tilted, TiltRequest
from archimetra.job.ids import BoardId
from archimetra.stock.viewpoint import Around, View

if TYPE_CHECKING:
    from archimetra.engine.client import Engine

THUMB_PX = 60


class ClosePart(NamedTuple):
    """A part of the stock in fine cells, over ``extent`` (x0, y0, x1, y1) mm."""

    image: QImage
    extent: tuple[float, float, float, float]


class Seeing(QObject):
    tilted = Signal(object, bool)  # QImage, and whether it is the fine one
    closer_changed = Signal()
    thumb_made = Signal(object, object)  # board, QImage

    def __init__(self, document: Document, planning: Planning, playhead: Playhead) -> None:
        super().__init__(document)
        self._document, self._planning, self._playhead = document, planning, playhead
        self.engine: Engine | None = None
        self.closer: ClosePart | None = None
        self.is_tilting = False  # a tilted picture is on its way
        self._number = 0
        self._closer_number = 0
        self._closer_wanted: tuple[tuple[float, float, float, float], float] | None = None
        self._is_looking = False
        self._thumbs: dict[BoardId, str] = {}  # the key of the run each small picture is of
        document.replaced.connect(self._thumbs.clear)
        document.turning.connect(self._forget_closer)
        planning.known.connect(self._draw_thumb)
        playhead.painted.connect(lambda _box: self._look_again())

    def stopped(self) -> None:
        """A worker stopped: nothing comes."""
        self.is_tilting = self._is_looking = False

    # ---- tilted

    def tilt(
        self, view: View, size: tuple[int, int], around: Around, background: int, *, is_fine: bool, is_over: bool
    ) -> bool:
        """Have the stock drawn tilted, one picture at a time; whether it was asked for."""
        if self.engine is None or self.is_tilting or self._playhead.picture() is None:
            return False
        self._number += 1
        self.is_tilting = True
        self.engine.tilt(TiltRequest(self._number, view, size, is_fine, around, background, is_over))
        return True

    def take_tilted(self, made: Tilted) -> None:
        self.is_tilting = False
        if made.number != self._number or self.engine is None or self.engine.pictures.buf is None:
            return
        width, height = made.size
        buffer = self.engine.pictures.buf[made.offset : made.offset + 4 * width * height]
        self.tilted.emit(QImage(buffer, width, height, width * 4, QImage.Format.Format_RGB32), made.is_fine)

    # ---- closer

    def look_closer(self, box: tuple[float, float, float, float] | None, cell: float = 0.0) -> None:
        """Have what lies within a box (mm) drawn in cells of ``cell`` mm, at this moment and those to come; None for no more."""
        self._closer_wanted = (box, cell) if box is not None else None
        if box is None:
            self._forget_closer()
        else:
            self._look_again()

    def _look_again(self) -> None:
        if self._closer_wanted is None or self.engine is None or self._is_looking or self._playhead.picture() is None:
            return
        self._closer_number += 1
        self._is_looking = True
        self.engine.look_closer(CloserRequest(self._closer_number, *self._closer_wanted))

    def take_closer(self, made: Closer) -> None:
        self._is_looking = False
        plan, wanted = self._planning.plan, self._closer_wanted
        if wanted is None or plan is None or made.key != plan.run_key:
            return
        ny, nx = made.pixels.shape
        image = QImage(made.pixels.tobytes(), nx, ny, nx * 4, QImage.Format.Format_RGB32).copy()
        self.closer = ClosePart(image, made.extent)
        self.closer_changed.emit()
        moment = self._playhead.moment
        if made.number != self._closer_number or (moment is not None and moment.seconds != made.seconds):
            self._look_again()

    def _forget_closer(self) -> None:
        if self.closer is not None:
            self.closer = None
            self.closer_changed.emit()

    # ---- small pictures

    def _draw_thumb(self, plan: BoardPlan) -> None:
        board = self._document.job.board(BoardId(plan.board))
        if board is not None and self.engine is not None and self._thumbs.get(board.id) != plan.run_key:
            self._thumbs[board.id] = plan.run_key
            self.engine.draw_thumb(plan, self._document.job, board, THUMB_PX)

    def take_thumb(self, made: Thumb) -> None:
        ny, nx = made.pixels.shape
        image = QImage(made.pixels.tobytes(), nx, ny, nx * 4, QImage.Format.Format_RGB32).copy()
        if self._thumbs.get(BoardId(made.board)) == made.key:
            self.thumb_made.emit(BoardId(made.board), image)
