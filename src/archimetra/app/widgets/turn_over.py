"""A small picture of a sheet being turned over, with the edge it turns about and an arrow: one to choose from two."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from archimetra.app.theme import style
from archimetra.app.theme.tokens import Tokens
from archimetra.app.theme.wood import tone_of
from archimetra.job.setups import TurnedAbout
from archimetra.job.sheet import Sheet

_WORDS = {TurnedAbout.SIDEWAYS: "Left to right", TurnedAbout.LENGTHWAYS: "Front to back"}


class TurnOverPicker(QWidget):
    chosen = Signal(object)  # TurnedAbout

    def __init__(self, tokens: Tokens) -> None:
        super().__init__()
        self.tokens = tokens
        self._sheet: Sheet | None = None
        self._about = TurnedAbout.SIDEWAYS
        self.setFixedHeight(style.scaled(112))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Turned over about which edge")
        self.setToolTip("How the sheet is turned over to work on its back")

    def show_turn(self, sheet: Sheet, about: TurnedAbout) -> None:
        self._sheet, self._about = sheet, about
        self.setAccessibleDescription(f"Turned over {about.value}")
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(280, style.scaled(112))

    def box(self, about: TurnedAbout) -> QRectF:
        """Where the picture of one way stands."""
        half = (self.width() - 8) / 2
        left = 0.0 if about is TurnedAbout.SIDEWAYS else half + 8
        return QRectF(left, 0, half, self.height() - 1)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        for about in TurnedAbout:
            if self.box(about).contains(event.position()) and about is not self._about:
                self.chosen.emit(about)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        wanted = {Qt.Key.Key_Left: TurnedAbout.SIDEWAYS, Qt.Key.Key_Right: TurnedAbout.LENGTHWAYS}.get(
            Qt.Key(event.key())
        )
        if wanted is None:
            super().keyPressEvent(event)
        elif wanted is not self._about:
            self.chosen.emit(wanted)

    def paintEvent(self, event: QPaintEvent) -> None:
        if self._sheet is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for about in TurnedAbout:
            self._paint(painter, self.box(about).adjusted(1, 1, -1, -1), about)
        if self.hasFocus():
            painter.setPen(QPen(self.tokens.color("accent"), 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5))

    def _paint(self, painter: QPainter, box: QRectF, about: TurnedAbout) -> None:
        assert self._sheet is not None
        is_chosen = about is self._about
        painter.setPen(QPen(self.tokens.color("accent" if is_chosen else "hairline"), 2.0 if is_chosen else 1.0))
        painter.setBrush(self.tokens.color("bed"))
        painter.drawRoundedRect(box, 4, 4)
        room = QRectF(box.left() + 18, box.top() + 22, box.width() - 36, box.height() - 50)
        scale = min(room.width() / self._sheet.width, room.height() / self._sheet.height)
        w, h = self._sheet.width * scale, self._sheet.height * scale
        sheet = QRectF(room.center().x() - w / 2, room.center().y() - h / 2, w, h)
        painter.setPen(QPen(self.tokens.color("ink", 150), 1))
        painter.setBrush(tone_of(self._sheet))
        painter.drawRect(sheet)
        axis = QPen(self.tokens.color("picked"), 1.6, Qt.PenStyle.DashDotLine)
        painter.setPen(axis)
        arrow = QPainterPath()
        if about is TurnedAbout.SIDEWAYS:
            painter.drawLine(
                QPointF(sheet.center().x(), sheet.top() - 8), QPointF(sheet.center().x(), sheet.bottom() + 8)
            )
            y = sheet.top() - 4
            arrow.moveTo(sheet.left() + w * 0.14, y)
            arrow.cubicTo(sheet.left() + w * 0.3, y - 13, sheet.right() - w * 0.3, y - 13, sheet.right() - w * 0.14, y)
            tip, back = QPointF(sheet.right() - w * 0.14, y), QPointF(-6, -4)
            head = QPolygonF([tip + QPointF(1, 1), tip + back, tip + QPointF(-1.0, -7)])
        else:
            painter.drawLine(
                QPointF(sheet.left() - 8, sheet.center().y()), QPointF(sheet.right() + 8, sheet.center().y())
            )
            x = sheet.right() + 4
            arrow.moveTo(x, sheet.bottom() - h * 0.14)
            arrow.cubicTo(x + 13, sheet.bottom() - h * 0.3, x + 13, sheet.top() + h * 0.3, x, sheet.top() + h * 0.14)
            tip = QPointF(x, sheet.top() + h * 0.14)
            head = QPolygonF([tip + QPointF(-1, -1), tip + QPointF(4, 6), tip + QPointF(7, 1.0)])
        painter.setPen(QPen(self.tokens.color("ink"), 1.6))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(arrow)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self.tokens.color("ink"))
        painter.drawPolygon(head)
        painter.setPen(self.tokens.color("accent" if is_chosen else "ink"))
        painter.setFont(style.font(11))
        painter.drawText(
            QRectF(box.left(), box.bottom() - 20, box.width(), 18), Qt.AlignmentFlag.AlignCenter, _WORDS[about]
        )
