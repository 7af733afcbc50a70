"""The tilted view in the plan's place: quick pictures while it moves or plays, a fine one once it rests."""

from __future__ import annotations

import time

from PySide6.QtCore import QObject, QTimer
from PySide6.QtGui import QColor, QImage
from PySide6.QtWidgets import QStackedWidget

from archimetra.app.playback import Playback
from archimetra.app.session import Session
from archimetra.app.views.plan_view import PlanView
from archimetra.app.views.tilted_view import TiltedView
from archimetra.engine.messages import MOST_PICTURE
from archimetra.job.sections import section_letter
from archimetra.stock.viewpoint import View

_REST_MS = 110
_FRAME_S = 0.017  # a quick picture should take no longer, on its way to and fro included
_SHARES = (1.0, 0.7, 0.5, 0.35)  # of the screen's pixels each way that a quick picture may have


class TiltViews(QObject):
    def __init__(
        self, session: Session, plan: PlanView, tilted: TiltedView, stack: QStackedWidget, playback: Playback
    ) -> None:
        super().__init__(tilted)
        self._session, self._plan, self._tilted, self._stack, self._playback = session, plan, tilted, stack, playback
        self._share = 2  # which of the shares quick pictures have
        self._began = 0.0
        self._asked: View | None = None
        self._is_stale = self._is_fine_wanted = False
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(_REST_MS)
        self._rest.timeout.connect(lambda: self._draw(is_fine=True))
        tilted.moved.connect(self._quickly)
        tilted.turned_over.connect(self._quickly)
        tilted.left.connect(self.toggle)
        session.seeing.tilted.connect(self._take)
        session.playhead.painted.connect(lambda _box: self._quickly())
        session.playhead.line_changed.connect(self._show_line)
        session.board_changed.connect(lambda: self._show_board(is_other=True))
        session.opened.connect(lambda: self._show_board(is_other=True))
        session.job_changed.connect(lambda: self._show_board(is_other=False))

    @property
    def is_shown(self) -> bool:
        return self._stack.currentWidget() is self._tilted

    def toggle(self) -> None:
        """From the plan to the tilted view and back."""
        shown = self._plan if self.is_shown else self._tilted
        self._stack.setCurrentWidget(shown)
        shown.setFocus()
        if self.is_shown:
            self._show_board(is_other=False)
            self._show_line()
            self._quickly()

    def _show_board(self, *, is_other: bool) -> None:
        if self.is_shown or is_other:
            self._tilted.show_board(self._session.board.sheet, is_other=is_other)

    def _show_line(self) -> None:
        playhead = self._session.playhead
        self._tilted.show_line(playhead.line, section_letter(playhead.section))

    def _quickly(self) -> None:
        if self.is_shown:
            self._draw(is_fine=False)
            self._rest.start()

    def _draw(self, *, is_fine: bool) -> None:
        from archimetra.engine.moments import surroundings  # loads numpy: not on the way to the first window

        s, tilted, plan = self._session, self._tilted, self._session.planning.plan
        if not self.is_shown or tilted.view is None or plan is None:
            return
        if s.seeing.is_tilting:
            # another as soon as this one has come: a quick one where something moved since, else the fine one
            self._is_stale |= not is_fine
            self._is_fine_wanted |= is_fine
            return
        ratio = tilted.devicePixelRatioF()
        share = ratio if is_fine else ratio * _SHARES[self._share]
        share = min(share, (MOST_PICTURE / max(tilted.width() * tilted.height(), 1)) ** 0.5)
        size = max(1, round(tilted.width() * share)), max(1, round(tilted.height() * share))
        around = surroundings(
            s.job, s.board, plan, s.playhead.seconds, bed_colour=tilted.tokens.bed, has_bit=not tilted.is_over
        )
        if tilted.is_over:
            around = around._replace(fixtures=())
        self._began, self._asked = time.perf_counter(), tilted.view
        s.seeing.tilt(
            tilted.view.scaled(share), size, around, QColor(tilted.tokens.table).rgb(), is_fine=is_fine, is_over=tilted.is_over
        )  # fmt: skip

    def _take(self, image: QImage, is_fine: bool) -> None:
        took = time.perf_counter() - self._began
        if not is_fine:
            if took > _FRAME_S and self._share < len(_SHARES) - 1:
                self._share += 1
            elif took < _FRAME_S / 2.5 and self._share > 0:
                self._share -= 1
        if self._asked is not None and self.is_shown:
            self._tilted.show_picture(image, self._asked)
        is_stale, is_fine_wanted = self._is_stale, self._is_fine_wanted
        self._is_stale = self._is_fine_wanted = False
        if is_stale:
            self._draw(is_fine=False)
            self._rest.start()
        elif is_fine_wanted:
            self._draw(is_fine=True)
