"""Cuts that would suit what is picked, each a press away."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QSize, QTimer
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QPushButton

from archimetra.app.session import Session
from archimetra.app.session.document import sentence
from archimetra.app.stations.artwork.panel import clear_rows
from archimetra.app.widgets.badge import badge_pixmap
from archimetra.app.widgets.form import Form
from archimetra.base.errors import ArchimetraError
from archimetra.base.findings import worded
from archimetra.edits import rack
from archimetra.job.quantities import lengths_in
from archimetra.job.shapes import Layer, Shape

OFFERED = 3  # shown at once; the rest behind one more click
LATER_MS = 30


class Offers(Form):
    """``tell`` says what is wrong with one that was taken."""

    def __init__(self, session: Session, tell: Callable[[str], None]) -> None:
        super().__init__()
        self._session, self._tell = session, tell
        self._shown_for: object = None
        self._shows_all = False
        self._timer = QTimer(self)  # gone with the page
        self._timer.setSingleShot(True)
        self._timer.setInterval(LATER_MS)
        self._timer.timeout.connect(self.refresh)

    def refresh_soon(self) -> None:
        """Working offers out takes a while: once for many changes in a row."""
        self._timer.start()

    def refresh(self) -> None:
        session = self._session
        # offers are worked out here: where loops are not compiled yet that would go on beside the planner's, and hold the window up
        if session.planning.ready_share < 1.0:
            return
        ids = set(session.picked)
        picked = [shape for shape in session.board.shapes if shape.id in ids]
        state = (tuple(picked), session.job.bits, session.board.sheet, len(session.board.cuts) == 0)
        if state == self._shown_for:
            return
        if self._shown_for is not None:
            self._shows_all = False
        self._shown_for = state
        clear_rows(self)
        if not picked and session.board.cuts:
            return
        from archimetra.toolpath.suggest import suggestions

        layer = self._whole_layer(picked)
        offered = suggestions(session.job, session.board.id, picked, self._rack())
        words = (
            f"For the {len(picked)} picked" if len(picked) > 1 else "For what is picked" if picked else "To begin with"
        )
        self.heading(words, f"all of layer {layer.name}" if layer is not None else "")
        most = len(offered) if self._shows_all or len(offered) <= OFFERED + 1 else OFFERED
        for suggestion in offered[:most]:
            self.add(self._button(suggestion))
        if most < len(offered):
            more = QPushButton(f"{len(offered) - most} more …")
            more.setProperty("kind", "link")
            more.setStyleSheet("text-align: left;")
            more.clicked.connect(self.show_all)
            self.add(more)
        self.line()

    def show_all(self) -> None:
        self._shows_all = True
        self._shown_for = None
        self.refresh()

    def _button(self, suggestion) -> QPushButton:
        button = QPushButton(f"{suggestion.title}   ·   {suggestion.bit.name}")
        button.setProperty("kind", "offer")
        button.setIcon(QIcon(badge_pixmap(suggestion.bit)))
        button.setIconSize(QSize(16, 16))
        why = worded(suggestion.why, lengths_in(self._session.job.unit))
        button.setToolTip(f"{suggestion.title}: {why}. Bit: {suggestion.bit.name}.")
        button.setAccessibleName(f"Add {suggestion.title}")
        button.clicked.connect(lambda _c=False: self._take(suggestion))
        return button

    def _whole_layer(self, picked: Sequence[Shape]) -> Layer | None:
        """The layer whose shapes are exactly those picked."""
        board = self._session.board
        layers = {shape.layer for shape in picked}
        layer = board.layer(next(iter(layers))) if len(layers) == 1 else None
        if layer is None or len(board.layers) < 2:
            return None
        return layer if sum(shape.layer == layer.id for shape in board.shapes) == len(picked) else None

    def _take(self, suggestion) -> None:
        try:
            edit, cut_id = suggestion.make()
        except (ValueError, ArchimetraError) as error:
            self._tell(sentence(str(error)))
            return
        self._shows_all, self._shown_for = False, None
        self._session.apply(edit)
        self._session.show_cut(cut_id)

    def _rack(self) -> rack.Rack:
        """Read anew each time: the Bits page may have changed it."""
        shop, problem = rack.rack_at_hand()
        if problem:
            self._tell(problem)
        return shop
