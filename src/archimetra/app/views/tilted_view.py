"""The tilted view: the stock seen from anywhere, at the moment the plan shows. The view only says from where it looks."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QToolButton, QWidget

from archimetra.app.theme import style
from archimetra.app.theme.tokens import Tokens
from archimetra.app.views.key_focus import KeyFocusView
from archimetra.job.sheet import Sheet
from archimetra.stock.viewpoint import HIGHEST, LOWEST, View, fitting

TURN_BY_PX, RISE_BY_PX = 0.4, 0.3  # degrees
KEY_DEGREES = 5.0
SMALLEST, LARGEST = 0.02, 60.0  # px per mm


class Direction(NamedTuple):
    """A way to look at the board that has a button: degrees turned, degrees above it."""

    name: str
    tip: str
    turn: float
    above: float


DIRECTIONS = (
    Direction("Corner", "From the front left corner", -35.0, 42.0),
    Direction("Front", "From where the operator stands", 0.0, 28.0),
    Direction("Left", "From the left", -90.0, 28.0),
    Direction("Back", "From behind", 180.0, 28.0),
    Direction("Right", "From the right", 90.0, 28.0),
    Direction("Above", "From straight above", 0.0, 90.0),
)


class TiltedView(KeyFocusView):
    """``view`` is from where it looks, None before it was first shown. ``moved`` while that changes, ``rested`` once it has."""

    moved = Signal()
    turned_over = Signal()
    left = Signal()  # back to the plan

    def __init__(self, tokens: Tokens, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.tokens = tokens
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Tilted view")
        self.setMinimumSize(320, 200)
        self.sheet: Sheet | None = None
        self.is_over = False
        self.line: tuple[tuple[float, float], tuple[float, float]] | None = None
        self.letter = "A"
        self._view: View | None = None
        self._image: QImage | None = None
        self._drawn: View | None = None
        self._pressed: QPointF | None = None
        self._is_panning = False
        self._bar = self._made_bar()

    def _made_bar(self) -> QFrame:
        bar = QFrame(self)
        bar.setObjectName("showControl")
        row = QHBoxLayout(bar)
        row.setContentsMargins(3, 3, 3, 3)
        row.setSpacing(2)
        for direction in DIRECTIONS:
            button = _button(direction.name, direction.tip)
            button.clicked.connect(lambda _c=False, d=direction: self.look_from(d))
            row.addWidget(button)
        self._over = _button("Turn over", "See the board's other face")
        self._over.setCheckable(True)
        self._over.clicked.connect(self.turn_over)
        row.addWidget(self._over)
        plan = _button("Plan", "Back to the plan (T)")
        plan.clicked.connect(self.left)
        row.addWidget(plan)
        return bar

    # ---- what to show

    @property
    def view(self) -> View | None:
        return self._view

    @property
    def eye(self) -> tuple[float, float]:
        """How far the board is turned and how high the eye stands, degrees, even before it was first shown."""
        return (self._view.turn, self._view.above) if self._view is not None else DIRECTIONS[0][2:]

    def show_board(self, sheet: Sheet, *, is_other: bool) -> None:
        """The sheet looked at; another one, or one of another size, is shown whole."""
        is_same_size = self.sheet is not None and (self.sheet.width, self.sheet.height) == (sheet.width, sheet.height)
        self.sheet = sheet
        if is_other:
            self.is_over = False
            self._over.setChecked(False)
            self._image = None
        if is_other or not is_same_size or self._view is None:
            self.fit()

    def show_picture(self, image: QImage, drawn: View) -> None:
        """A picture that may look into memory that goes on changing, and from where it was drawn."""
        self._image, self._drawn = image, drawn
        self.update()

    def show_nothing(self) -> None:
        self._image = None
        self.update()

    def show_line(self, line: tuple[tuple[float, float], tuple[float, float]], letter: str = "A") -> None:
        self.line, self.letter = line, letter
        self.update()

    def show_theme(self, tokens: Tokens) -> None:
        self.tokens = tokens
        self.update()

    # ---- from where

    def look_from(self, direction: Direction) -> None:
        self._go(turn=direction.turn, above=direction.above)
        self.fit()

    def turn_over(self) -> None:
        self.is_over = not self.is_over
        self._over.setChecked(self.is_over)
        self.turned_over.emit()

    def fit(self) -> None:
        """Show the whole sheet from where one looks."""
        if self.sheet is None or self.width() < 20:
            return
        turn, above = self.eye
        self._set(fitting(self.sheet, turn, above, (self.width(), max(self.height() - 20, 20)), room=0.05))

    def zoom(self, by: float, about: QPointF | None = None) -> None:
        if self._view is None:
            return
        about = about or QPointF(self.width() / 2, self.height() / 2)
        scale = min(max(self._view.scale * by, SMALLEST), LARGEST)
        x, y = self._board_at(about)
        self._set(self._view._replace(scale=scale))
        nx, ny = self._board_at(about)
        mx, my = self._view.middle
        self._set(self._view._replace(middle=(mx + x - nx, my + y - ny)))

    def _go(self, *, turn: float | None = None, above: float | None = None) -> None:
        if self._view is None:
            return
        turn = self._view.turn if turn is None else (turn + 180.0) % 360.0 - 180.0
        above = self._view.above if above is None else min(max(above, LOWEST), HIGHEST)
        self._set(self._view._replace(turn=turn, above=above))

    def _pan(self, dx: float, dy: float) -> None:
        if self._view is None:
            return
        ct, st, se, _ = self._view.axes
        across, away = -dx / self._view.scale, dy / self._view.scale / se
        mx, my = self._view.middle
        self._set(self._view._replace(middle=(mx + across * ct - away * st, my + across * st + away * ct)))

    def _set(self, view: View) -> None:
        if view != self._view:
            self._view = view
            self.moved.emit()
            self.update()

    def _board_at(self, at: QPointF) -> tuple[float, float]:
        """The place on the sheet's top under a point of the screen."""
        assert self._view is not None
        ct, st, se, _ = self._view.axes
        across = (at.x() - self.width() / 2) / self._view.scale
        away = (self.height() / 2 - at.y()) / self._view.scale / se
        mx, my = self._view.middle
        return mx + across * ct - away * st, my + across * st + away * ct

    # ---- mouse and keys

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        self._pressed = event.position()
        held = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        self._is_panning = event.button() != Qt.MouseButton.LeftButton or bool(held)
        self.setCursor(Qt.CursorShape.ClosedHandCursor if self._is_panning else Qt.CursorShape.SizeAllCursor)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._pressed is None or self._view is None:
            return
        d = event.position() - self._pressed
        self._pressed = event.position()
        if self._is_panning:
            self._pan(d.x(), d.y())
        else:
            self._go(turn=self._view.turn + d.x() * TURN_BY_PX, above=self._view.above + d.y() * RISE_BY_PX)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._pressed = None
        self.unsetCursor()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.fit()

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.zoom(1.2 ** (event.angleDelta().y() / 120), event.position())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        view = self._view
        turns = {Qt.Key.Key_Left: -KEY_DEGREES, Qt.Key.Key_Right: KEY_DEGREES}
        rises = {Qt.Key.Key_Up: KEY_DEGREES, Qt.Key.Key_Down: -KEY_DEGREES}
        key = event.key()
        if view is None:
            super().keyPressEvent(event)
        elif key in turns:
            self._go(turn=view.turn + turns[Qt.Key(key)])
        elif key in rises:
            self._go(above=view.above + rises[Qt.Key(key)])
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.zoom(1.25)
        elif key == Qt.Key.Key_Minus:
            self.zoom(1 / 1.25)
        elif key == Qt.Key.Key_Escape:
            self.left.emit()
        else:
            super().keyPressEvent(event)

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._bar.adjustSize()
        self._bar.move(10, 10)
        if event.oldSize().width() < 20 or self._view is None:
            self.fit()
        else:
            self.moved.emit()

    def changeEvent(self, event: QEvent) -> None:
        super().changeEvent(event)
        self._bar.adjustSize()

    # ---- painting

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.tokens.color("table"))
        if self._image is None or self._view is None or self._drawn is None or self.sheet is None:
            return
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(QRectF(self.rect()), self._image)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not self.is_over:
            self._paint_line(painter)
        self._paint_front(painter)
        self.paint_focus(painter, self.tokens)

    def _on_screen(self, *places: tuple[float, float, float]) -> list[QPointF]:
        assert self._view is not None
        at = self._view.to_screen(np.array(places), (self.width(), self.height()))
        return [QPointF(x, y) for x, y, _ in at]

    def _paint_line(self, painter: QPainter) -> None:
        """The section line, as it lies on the sheet's top."""
        if self.line is None:
            return
        (ax, ay), (bx, by) = self.line
        a, b = self._on_screen((ax, ay, 0.0), (bx, by, 0.0))
        painter.setPen(QPen(self.tokens.color("ink", 120), 1, Qt.PenStyle.DashDotLine))
        painter.drawLine(a, b)
        painter.setFont(style.font(11))
        painter.setPen(QPen(self.tokens.color("ink"), 1.2))
        painter.setBrush(self.tokens.color("panel"))
        for at, text in ((a, self.letter), (b, f"{self.letter}′")):
            painter.drawEllipse(at, 9, 9)
            painter.drawText(QRectF(at.x() - 9, at.y() - 9, 18, 18), Qt.AlignmentFlag.AlignCenter, text)

    def _paint_front(self, painter: QPainter) -> None:
        """A word at the edge before which the operator stands, so that one does not lose which way round it lies."""
        assert self.sheet is not None
        w, low = self.sheet.width, -self.sheet.thickest
        away = 0.05 * max(self.sheet.width, self.sheet.height)
        (at,) = self._on_screen((w / 2, -away, low))
        painter.setFont(style.font(11))
        words = "front, turned over" if self.is_over else "front"
        width = painter.fontMetrics().horizontalAdvance(words) + 10
        box = QRectF(at.x() - width / 2, at.y() - 9, width, 18)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self.tokens.color("panel", 190))
        painter.drawRoundedRect(box, 3, 3)
        painter.setPen(self.tokens.color("quiet"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)

    def sizeHint(self) -> QSize:
        return QSize(800, 480)


def _button(words: str, tip: str) -> QToolButton:
    button = QToolButton()
    button.setProperty("kind", "small")
    button.setText(words)
    button.setToolTip(tip)
    button.setAccessibleName(tip)
    button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
    return button
