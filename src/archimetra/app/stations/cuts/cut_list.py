"""The list of a board's cuts in running order, several of which can be picked."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QEvent, QItemSelectionModel, QPoint, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLabel, QListWidget, QListWidgetItem, QWidget

from archimetra.app.session import Session
from archimetra.app.stations.cuts.kinds import form_of
from archimetra.app.widgets.badge import badge_pixmap
from archimetra.app.widgets.fields import label, show_kind
from archimetra.job.bits import Bit
from archimetra.job.cuts import Cut
from archimetra.job.ids import CutId
from archimetra.output.times import clock

_SELECT_NOTHING = QItemSelectionModel.SelectionFlag.NoUpdate


class CutList(QListWidget):
    """The cuts in running order: badge, name, what it is, its time. Drag to reorder; the box switches off."""

    picked = Signal(object)
    chosen = Signal()  # which rows are selected has changed
    switched = Signal(object, bool)
    moved = Signal(object, int)
    removed = Signal()  # those picked are not wanted
    menu_wanted = Signal(object, object)  # the cut, and the place on the screen

    def __init__(self) -> None:
        super().__init__()
        self.setSelectionMode(QListWidget.SelectionMode.ExtendedSelection)
        self.setAccessibleName("Cuts in running order")
        self.setDragDropMode(QListWidget.DragDropMode.InternalMove)
        self.setDefaultDropAction(Qt.DropAction.MoveAction)
        self.itemSelectionChanged.connect(self._selected)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.customContextMenuRequested.connect(self._want_menu)
        self.model().rowsMoved.connect(self._rows_moved)
        self._state: object = None
        self._rows: list[_CutRow] = []
        self._is_showing = False

    def show_cuts(self, session: Session) -> None:
        board, plan = session.board, session.planning.plan
        times = cut_times(session)
        told = {f.subject for f in plan.findings} if plan is not None else set()
        state = (
            board.cuts,
            session.job.bits,
            session.cut_id,
            tuple(times.items()),
            frozenset(told),
            session.planning.is_planning,
        )
        if state == self._state:
            return
        self._state = state
        before = set(self.selected_ids())
        self._is_showing = True
        if [cut.id for cut in board.cuts] != [row.cut for row in self._rows]:
            self._make_rows(board.cuts)
        for k, (cut, row) in enumerate(zip(board.cuts, self._rows, strict=True)):
            bit = session.job.bit(cut.bit) or session.job.bits[0]
            item = self.item(k)
            item.setData(
                Qt.ItemDataRole.AccessibleTextRole,
                f"{cut.name}, {form_of(cut).words(cut)}, {times.get(cut.id, 'planning')}",
            )
            row.show_cut(cut, bit, times.get(cut.id, ""), has_finding=cut.id in told)
            if cut.id == session.cut_id:
                self.selectionModel().setCurrentIndex(self.indexFromItem(item), _SELECT_NOTHING)
        picked = before if session.cut_id in before else {session.cut_id}
        for k, cut in enumerate(board.cuts):
            self.item(k).setSelected(cut.id in picked)
        self.setFixedHeight(34 * min(len(board.cuts), 7) + 4 if board.cuts else 0)
        self._is_showing = False

    def _make_rows(self, cuts: Sequence[Cut]) -> None:
        self.clear()
        self._rows = []
        for cut in cuts:
            item = QListWidgetItem()
            item.setData(Qt.ItemDataRole.UserRole, cut.id)
            item.setSizeHint(QSize(100, 34))
            row = _CutRow(cut.id)
            row.switched.connect(lambda on, i=cut.id: self.switched.emit(i, on))
            self.addItem(item)
            self.setItemWidget(item, row)
            self._rows.append(row)

    def event(self, event: QEvent) -> bool:
        # here Ctrl+A picks all cuts, not all shapes
        if (
            event.type() == QEvent.Type.ShortcutOverride
            and isinstance(event, QKeyEvent)
            and event.matches(QKeySequence.StandardKey.SelectAll)
        ):
            event.accept()
            return True
        return super().event(event)

    def _want_menu(self, at: QPoint) -> None:
        item = self.itemAt(at) or self.currentItem()
        if item is not None:
            self.menu_wanted.emit(CutId(item.data(Qt.ItemDataRole.UserRole)), self.viewport().mapToGlobal(at))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Delete:
            self.removed.emit()
        else:
            super().keyPressEvent(event)

    def selected_ids(self) -> tuple[CutId, ...]:
        return tuple(CutId(item.data(Qt.ItemDataRole.UserRole)) for item in self.selectedItems())

    def _selected(self) -> None:
        if self._is_showing or not self.selectedItems():
            return
        current = self.currentItem()
        lead = current if current is not None and current.isSelected() else self.selectedItems()[0]
        self.picked.emit(CutId(lead.data(Qt.ItemDataRole.UserRole)))
        self.chosen.emit()

    def _rows_moved(self, _parent, start: int, _end: int, _to, row: int) -> None:
        if not self._is_showing:
            position = row - 1 if row > start else row
            self._state = None
            self._rows = []  # what is moved loses its row
            self.moved.emit(CutId(self.item(position).data(Qt.ItemDataRole.UserRole)), position)


class _CutRow(QWidget):
    switched = Signal(bool)

    def __init__(self, cut: CutId) -> None:
        super().__init__()
        self.cut = cut
        self._shown: object = None
        line = QHBoxLayout(self)
        line.setContentsMargins(6, 0, 8, 0)
        line.setSpacing(8)
        self._is_on = QCheckBox()
        self._is_on.setToolTip("Cut it, or leave it out")
        self._is_on.clicked.connect(self.switched)
        self._badge = QLabel()
        self._name, self._look, self._kind, self._when = (
            label(""),
            label("look", "caution"),
            label("", "note"),
            label("", "note"),
        )
        for each in (self._name, self._look, self._kind, self._when):
            each.setWordWrap(False)
        self._look.setToolTip("There is something to know about this cut; pick it to read it")
        self._when.setMinimumWidth(34)
        self._when.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        line.addWidget(self._is_on)
        line.addWidget(self._badge)
        line.addWidget(self._name, 1)
        for each in (self._look, self._kind, self._when):
            line.addWidget(each)

    def show_cut(self, cut: Cut, bit: Bit, time: str, *, has_finding: bool) -> None:
        state = (cut.name, cut.is_on, form_of(cut).words(cut), bit, time, has_finding)
        if state == self._shown:
            return
        self._shown = state
        self._is_on.setChecked(cut.is_on)
        self._is_on.setAccessibleName(f"Cut {cut.name}")
        self._badge.setPixmap(badge_pixmap(bit))
        self._name.setText(cut.name)
        show_kind(self._name, "" if cut.is_on else "quiet")
        self._look.setVisible(has_finding)
        self._kind.setText(form_of(cut).words(cut))
        self._when.setText(time if cut.is_on else "off")


def cut_times(session: Session) -> dict[str, str]:
    """Machine time of each planned cut, in words."""
    plan = session.planning.plan
    if plan is None:
        return {}
    ends = plan.times.ends
    seconds: dict[str, float] = {}
    for block in plan.run.blocks:
        span = float(ends[block.last - 1]) - float(ends[max(block.first - 1, 0)])
        seconds[block.cut] = seconds.get(block.cut, 0.0) + span
    return {cut: clock(span) for cut, span in seconds.items()}
