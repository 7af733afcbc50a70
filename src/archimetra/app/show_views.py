"""What the plan shows, station by station, and its stock in finer cells where one looks closer."""

from __future__ import annotations

from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QFrame, QHBoxLayout, QMenu, QToolButton, QWidget

from archimetra.app.session import Session
from archimetra.app.views.plan_view import PlanView
from archimetra.app.views.shown import OF_STATION, SETTINGS, Shown, is_on, toggled

ROW_IDS = ("stock", "artwork", "picked", "all", "travel", "marks", "findings", "clamps", "offcuts", "guides")
_REST_MS = 60  # the view rests so long before it is looked at closer
_COARSE_PX = 1.6  # a cell larger than this on the screen shows
_FINEST_MM = 0.01
_CLOSE_PX = 1.25  # of a fine cell
_MOST_CLOSE_CELLS = 1_600_000


class ShowViews(QObject):
    """Named by the rows of ``actions``: the three settings, and each row by itself."""

    changed = Signal()

    def __init__(self, session: Session, plan: PlanView) -> None:
        super().__init__(plan)
        self._session, self._plan = session, plan
        self._by_station: dict[str, Shown] = {}
        self._station = ""
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(_REST_MS)
        self._rest.timeout.connect(self._look_closer)
        plan.looked.connect(self._rest.start)
        session.playhead.painted.connect(lambda _box: self._rest.start() if session.seeing.closer is None else None)
        session.seeing.closer_changed.connect(lambda: plan.show_close(session.seeing.closer))

    @property
    def shown(self) -> Shown:
        return self._by_station.get(self._station) or SETTINGS[OF_STATION.get(self._station, "work")]

    def show_station(self, id_: str) -> None:
        self._station = id_
        self._show()

    def wood(self) -> None:
        self._set(SETTINGS["wood"])

    def work(self) -> None:
        self._set(SETTINGS["work"])

    def lines(self) -> None:
        self._set(SETTINGS["lines"])

    def toggle(self, row: str) -> None:
        self._set(toggled(self.shown, row))

    def stock(self) -> None:
        self.toggle("stock")

    def artwork(self) -> None:
        self.toggle("artwork")

    def picked(self) -> None:
        self.toggle("picked")

    def all(self) -> None:
        self.toggle("all")

    def travel(self) -> None:
        self.toggle("travel")

    def marks(self) -> None:
        self.toggle("marks")

    def findings(self) -> None:
        self.toggle("findings")

    def clamps(self) -> None:
        self.toggle("clamps")

    def offcuts(self) -> None:
        self.toggle("offcuts")

    def guides(self) -> None:
        self.toggle("guides")

    def _set(self, shown: Shown) -> None:
        self._by_station[self._station] = shown
        self._show()

    def _show(self) -> None:
        self._plan.show_parts(self.shown)
        self._session.playhead.show_offcuts(self.shown.offcuts)
        self.changed.emit()

    # ---- closer

    def _look_closer(self) -> None:
        """Ask for fine cells of what is seen, where the stock's own would show."""
        stock, plan, seeing = self._session.playhead.stock, self._plan, self._session.seeing
        scale = plan.view.scale * plan.devicePixelRatioF()
        if stock is None or plan.board is None or scale * stock.cell < _COARSE_PX or not self.shown.stock:
            seeing.look_closer(None)
            return
        sheet = plan.board.sheet
        x0, y1 = plan.view.to_board(plan.rect().topLeft().toPointF())
        x1, y0 = plan.view.to_board(plan.rect().bottomRight().toPointF())
        box = max(x0, 0.0), max(y0, 0.0), min(x1, sheet.width), min(y1, sheet.height)
        if box[0] >= box[2] or box[1] >= box[3]:
            seeing.look_closer(None)
            return
        area = (box[2] - box[0]) * (box[3] - box[1])
        cell = max(_CLOSE_PX / scale, (area / _MOST_CLOSE_CELLS) ** 0.5, _FINEST_MM)
        seeing.look_closer(box, cell)


class ShowControl(QFrame):
    """The small control in the plan's corner: three settings, and a list of all that can be shown."""

    def __init__(self, shows: ShowViews, actions: dict[str, QAction], parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("showControl")
        self._shows, self._actions = shows, actions
        row = QHBoxLayout(self)
        row.setContentsMargins(3, 3, 3, 3)
        row.setSpacing(2)
        self._buttons: dict[str, QToolButton] = {}
        for name in SETTINGS:
            action = actions[f"show-{name}"]
            button = QToolButton()
            button.setProperty("kind", "small")
            button.setText(name.capitalize())
            button.setCheckable(True)
            button.setAccessibleName(f"Show {name}")
            button.setToolTip(f"{action.text()} ({action.shortcut().toString()})")
            button.clicked.connect(action.trigger)
            row.addWidget(button)
            self._buttons[name] = button
        self._more = QToolButton()
        self._more.setProperty("kind", "small")
        self._more.setText("Show")
        self._more.setAccessibleName("What is shown")
        self._more.setToolTip("Choose what the plan shows")
        self._more.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(self)
        for id_ in ROW_IDS:
            menu.addAction(actions[f"show-{id_}"])
        self._more.setMenu(menu)
        row.insertWidget(0, self._more)
        shows.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        shown = self._shows.shown
        for name, button in self._buttons.items():
            button.setChecked(shown.name == name)
        for id_ in ROW_IDS:
            action = self._actions[f"show-{id_}"]
            action.setCheckable(True)
            action.setChecked(is_on(shown, id_))
        self.adjustSize()

    def place(self, area: QWidget) -> None:
        """Into the lower right corner of what it stands over."""
        self.adjustSize()
        self.move(area.width() - self.width() - 10, area.height() - self.height() - 10)
        self.raise_()
