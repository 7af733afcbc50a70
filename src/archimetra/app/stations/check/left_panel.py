"""What the cuts leave standing: how much and where, why, and which bit would get there."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPixmap
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QVBoxLayout

from archimetra.app.stations.artwork.panel import Panel, clear_rows
from archimetra.app.views.left_marks import mask_image
from archimetra.app.widgets.fields import label
from archimetra.app.widgets.form import Form
from archimetra.edits import cutting, leftovers
from archimetra.job.cuts import Clears
from archimetra.job.ids import BitId
from archimetra.job.quantities import format_length
from archimetra.stock.standing_results import Left, Spot, Why

PICTURE = QSize(84, 64)
_ROOM_MM = 4.0  # around a spot in its picture
_WHY = {
    Why.CORNER: ("corner too tight for the bit", "corners too tight for the bit"),
    Why.NARROW: ("place too narrow for the bit", "places too narrow for the bit"),
    Why.WIDE: ("stroke wider than the bit carves", "strokes wider than the bit carves"),
    Why.FLOOR: ("floor that is not cleared", "floors that are not cleared"),
    Why.RIDGE: ("ridge between passes", "ridges between passes"),
    Why.CLAMP: ("place kept by a clamp", "places kept by clamps"),
    Why.PASSED: ("place the bit does not come to", "places the bit does not come to"),
}


_CARVED = {  # what helps where no bit of the job does
    Why.CORNER: "A bit of the same angle with a finer tip would get there.",
    Why.NARROW: "A bit of the same angle with a finer tip would get there.",
    Why.WIDE: "A wider bit of the same angle would; or a depth limit, and a straight bit for the floor.",
    Why.FLOOR: "A straight bit no wider than the floor would clear it.",
}


class LeftPanel(Panel):
    name, icon, tip = "Left standing", "layers-union", "Wood the cuts were meant to take and do not"

    def build(self) -> None:
        form = self.form
        self._words = form.add(label("", "note"))
        self._cards = Form()
        form.add(self._cards)
        self._shown: object = None
        self._next: dict[str, int] = {}  # of each cut the spot that is shown next
        self.session.planning.standing_made.connect(lambda _board: self.refresh() if self.form.isVisible() else None)
        self.session.playhead.painted.connect(lambda _box: self._redraw() if self.form.isVisible() else None)

    def opened(self) -> None:
        self._mark()

    def closed(self) -> None:
        self.session.left_shown.emit(())

    @property
    def left(self) -> tuple[Left, ...] | None:
        """What the shown board leaves standing; None while that is being measured."""
        made = self.session.planning.standing_of(self.session.board_id)
        return made.left if made is not None else None

    def refresh(self) -> None:
        super().refresh()
        s, left = self.session, self.left
        state = (s.board_id, None if left is None else id(left), s.job.unit, self.tokens.is_dark, s.job.cuts)
        if state == self._shown:
            return
        self._shown = state
        clear_rows(self._cards)
        if left is None:
            self._words.setText("Being measured on the finished stock.")
        elif not left:
            self._words.setText(
                "Nothing: every pocket, hole, carving and edge comes out as drawn, but for what allowances and tabs leave."
            )
        else:
            self._words.setText("Marked on the plan. What allowances and tabs leave is not counted.")
            for one in left:
                self._cards.add(self._card(one))
        self._mark()

    def _redraw(self) -> None:
        """Pictures of places want the stock, which comes after its measures."""
        self._shown = None
        self.refresh()

    def _mark(self) -> None:
        if self.form.isVisible():
            self.session.left_shown.emit(self.left or ())

    # ---- a card

    def _card(self, left: Left) -> QFrame:
        s = self.session
        cut = s.board.cut(left.cut)
        card = QFrame()
        card.setProperty("kind", "card")
        row = QHBoxLayout(card)
        row.setContentsMargins(8, 7, 8, 6)
        row.setSpacing(8)
        picture = QLabel()
        picture.setPixmap(self._picture(left.spots[0]))
        picture.setFixedSize(PICTURE)
        picture.setAlignment(Qt.AlignmentFlag.AlignTop)
        picture.setToolTip("The largest place, what stands there in red")
        row.addWidget(picture, 0, Qt.AlignmentFlag.AlignTop)
        column = QVBoxLayout()
        column.setSpacing(2)
        row.addLayout(column, 1)
        column.addWidget(label(cut.name if cut is not None else "A cut", "heading"))
        why = label(self._why(left))
        why.setWordWrap(True)
        column.addWidget(why)
        column.addWidget(label(self._size(left), "note"))
        reach = self._reach(left)
        if reach:
            column.addWidget(label(reach, "note"))
        line = QHBoxLayout()
        line.setSpacing(4)
        show = QPushButton("Show" if left.count == 1 else "Show next")
        show.setProperty("kind", "link")
        show.setToolTip("Show the place on the plan, in the section and in the sequence")
        show.clicked.connect(lambda _c=False: self.show_next(left))
        line.addWidget(show)
        if self.bit_to_add(left) is not None:
            line.addWidget(
                self._add("Add that cut", "A cut of its own with that bit, only where this one could not get", lambda: self.add_cut(left))
            )  # fmt: skip
        elif self.bit_to_use(left) is not None:
            line.addWidget(
                self._add("Use that bit", "Carve all of it with that bit instead", lambda: self.use_bit(left))
            )
        line.addStretch(1)
        column.addLayout(line)
        return card

    def _add(self, words: str, tip: str, does: Callable[[], None]) -> QPushButton:
        add = QPushButton(words)
        add.setProperty("kind", "add")
        add.setToolTip(tip)
        add.clicked.connect(lambda _c=False: does())
        return add

    def _why(self, left: Left) -> str:
        counts = Counter(spot.why for spot in left.spots)
        words = [f"{count} {_WHY[why][0 if count == 1 else 1]}" for why, count in counts.most_common()]
        return ", ".join(words) + "."

    def _size(self, left: Left) -> str:
        unit = self.session.job.unit
        largest = left.spots[0].area
        each = f"The largest {largest:.1f} mm²" if left.count > 1 else f"{largest:.1f} mm²"
        whole = f", {left.area:.0f} mm² in all" if left.count > 1 else ""
        return f"{each}{whole}; up to {format_length(left.height, unit)} {unit} high."

    def _reach(self, left: Left) -> str:
        s = self.session
        spot = left.spots[0]
        words = []
        bit = s.job.bit(spot.bit) if spot.bit is not None else None
        if bit is not None:
            words.append(f"{bit.name} gets to {spot.share:.0%} of {'the largest' if left.count > 1 else 'it'}.")
        cut = s.board.cut(left.cut)
        if cut is not None and cut.leftover is Clears.FLOOR:
            if bit is None and spot.why in _CARVED:
                words.append(_CARVED[spot.why])
        elif spot.needs:
            words.append(f"A straight bit of {format_length(spot.needs, s.job.unit)} {s.job.unit} would.")
        elif bit is None and spot.why is Why.CORNER:
            words.append("No round bit gets right into a corner; corner overcut on the cut makes room past it.")
        return " ".join(words)

    def _picture(self, spot: Spot) -> QPixmap:
        """The place on the stock as it is shown, what stands there tinted."""
        ratio = 2.0
        out = QPixmap(PICTURE * ratio)
        out.fill(QColor(self.tokens.field))
        stock = self.session.playhead.picture()
        x0, y0, x1, y1 = spot.box
        scale = min(PICTURE.width() / (x1 - x0 + 2 * _ROOM_MM), PICTURE.height() / (y1 - y0 + 2 * _ROOM_MM)) * ratio
        mx, my = (x0 + x1) / 2, (y0 + y1) / 2

        def place(ax: float, ay: float, bx: float, by: float) -> tuple[float, float, float, float]:
            return (
                out.width() / 2 + (ax - mx) * scale, out.height() / 2 - (by - my) * scale, (bx - ax) * scale, (by - ay) * scale,
            )  # fmt: skip

        painter = QPainter(out)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        if stock is not None:
            image, extent = stock.at_scale(scale)
            _draw(painter, image, place(*extent))
        _draw(painter, mask_image(spot, QColor(self.tokens.picked)), place(*spot.box))
        painter.end()
        out.setDevicePixelRatio(ratio)
        return out

    # ---- what is done

    def show_next(self, left: Left) -> None:
        number = self._next.get(left.cut, 0) % len(left.spots)
        self._next[left.cut] = number + 1
        self.session.place_wanted.emit(_Place(left.spots[number].at, left.cut))

    def bit_to_add(self, left: Left) -> BitId | None:
        """The bit that would clear the rest, or a carving's floor, where a cut of its own can do that."""
        cut = self.session.board.cut(left.cut)
        if cut is None or cut.leftover is Clears.FLOOR:
            return _bit_of(left, lambda spot: spot.why is Why.FLOOR)
        return _bit_of(left, lambda spot: True) if cut.leftover is Clears.REST else None

    def bit_to_use(self, left: Left) -> BitId | None:
        """The bit that would carve what this one cannot."""
        cut = self.session.board.cut(left.cut)
        return (
            _bit_of(left, lambda spot: spot.why is not Why.FLOOR)
            if cut is not None and cut.leftover is Clears.FLOOR
            else None
        )

    def add_cut(self, left: Left) -> None:
        bit, cut = self.bit_to_add(left), self.session.board.cut(left.cut)
        if bit is not None and cut is not None:
            add = leftovers.add_floor if cut.leftover is Clears.FLOOR else leftovers.add_rest
            edit, new = add(self.session.job, left.cut, bit)
            self.session.apply(edit)
            self.session.show_cut(new)

    def use_bit(self, left: Left) -> None:
        bit = self.bit_to_use(left)
        if bit is not None:
            self.session.apply(cutting.change_cut(self.session.job, left.cut, "Carve with another bit", bit=bit))


def _bit_of(left: Left, is_meant: Callable[[Spot], bool]) -> BitId | None:
    return next((spot.bit for spot in left.spots if spot.bit is not None and is_meant(spot)), None)


class _Place:
    """A place to be shown in all views."""

    def __init__(self, at: tuple[float, float], subject: str) -> None:
        self.at, self.subject = at, subject


def _draw(painter: QPainter, image: QImage, place: tuple[float, float, float, float]) -> None:
    painter.drawImage(QRectF(*place), image)
