"""The list of a job's parts: outline, name, how many lie on boards of how many are wanted."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QSize, Qt, Signal
from PySide6.QtGui import QPainter, QPainterPath, QPen, QPixmap, QPolygonF
from PySide6.QtWidgets import QHBoxLayout, QLabel, QListWidget, QListWidgetItem, QWidget

from archimetra.app.session import Session
from archimetra.app.theme.style import scaled
from archimetra.app.theme.tokens import Tokens
from archimetra.app.widgets.fields import label, show_kind
from archimetra.geometry.path import bounds_of
from archimetra.job.ids import PartId
from archimetra.job.job import Job
from archimetra.job.parts import Part

ROW_PX, PICTURE_PX, SHOWN = 34, 26, 8


class PartList(QListWidget):
    chosen = Signal(object)  # a part's id

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Parts")
        self.currentItemChanged.connect(self._changed)
        self._state: object = None
        self._is_showing = False

    def show_parts(self, session: Session, shown: PartId, tokens: Tokens) -> None:
        job = session.job
        state = (job.parts, tuple((board.instances, board.sheet.count) for board in job.boards), shown, tokens)
        if state == self._state:
            return
        self._state = state
        self._is_showing = True
        self.clear()
        for part in job.parts:
            item = QListWidgetItem()
            item.setData(Qt.ItemDataRole.UserRole, part.id)
            item.setSizeHint(QSize(100, scaled(ROW_PX)))
            lie = lying(job, part)
            item.setData(Qt.ItemDataRole.AccessibleTextRole, f"{part.name}, {lie} of {part.quantity}")
            self.addItem(item)
            self.setItemWidget(item, _row(part, lie, tokens))
            if part.id == shown:
                self.setCurrentItem(item)
        self.setFixedHeight(scaled(ROW_PX) * min(len(job.parts), SHOWN) + 4 if job.parts else 0)
        self._is_showing = False

    def _changed(self, item: QListWidgetItem | None) -> None:
        if item is not None and not self._is_showing:
            self.chosen.emit(PartId(item.data(Qt.ItemDataRole.UserRole)))


def lying(job: Job, part: Part) -> int:
    """How many pieces of a part are cut from the sheets of a job."""
    return sum(board.sheet.count for board in job.boards for piece in board.instances if piece.part == part.id)


def _row(part: Part, lie: int, tokens: Tokens) -> QWidget:
    row = QWidget()
    line = QHBoxLayout(row)
    line.setContentsMargins(6, 0, 8, 0)
    line.setSpacing(8)
    picture = QLabel()
    picture.setPixmap(picture_of(part, tokens))
    name, count = label(part.name), label(f"{lie} of {part.quantity}", "note")
    name.setWordWrap(False)
    count.setWordWrap(False)
    count.setToolTip(f"{lie} lie on boards, {part.quantity} are wanted")
    if lie < part.quantity:
        show_kind(count, "caution")
    line.addWidget(picture)
    line.addWidget(name, 1)
    line.addWidget(count)
    return row


def picture_of(part: Part, tokens: Tokens) -> QPixmap:
    """Its outlines, small."""
    size = scaled(PICTURE_PX)
    picture = QPixmap(2 * size, 2 * size)  # for screens of twice the density too
    picture.setDevicePixelRatio(2.0)
    picture.fill(Qt.GlobalColor.transparent)
    paths = [path for shape in part.shapes for path in shape.placed()]
    box = bounds_of(paths)
    if box is None:
        return picture
    x0, y0, x1, y1 = box
    scale = (size - 4) / max(x1 - x0, y1 - y0, 1e-6)
    left, low = (size - scale * (x1 - x0)) / 2, (size + scale * (y1 - y0)) / 2
    painter = QPainter(picture)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(tokens.color("ink"), 1.2))
    for path in paths:
        points = path.flatten(max(0.3 / scale, 0.01))
        shape = QPainterPath()
        shape.addPolygon(
            QPolygonF([QPointF(left + scale * (x - x0), low - scale * (y - y0)) for x, y in points.tolist()])
        )
        painter.drawPath(shape)
    painter.end()
    return picture
