"""Keys and first steps: one quiet page over the window, made from the same rows as menus and keys."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from archimetra.app.actions import ROWS
from archimetra.app.theme.style import scaled
from archimetra.app.widgets.fields import label

FIRST_STEPS = (
    "1  Board: say what sheet lies on the machine, as measured, what holds it, and where zero is.",
    "2  Artwork: bring in a drawing or a picture, see its true size, place it; or draw, or set text. Mend, place and combine it here.",
    "3  Cuts: pick shapes on the plan; profiles, pockets, V-carving, inlays, holes and the rest are offered with the bit that suits.",
    "4  Drag the section line and the playhead: is the wood as it should be? Findings at the bottom say what would spoil it.",
    "5  Output: write the files for your controller, one for each bit if it must be changed by hand.",
    "6  Machine: connect, find zero, look at the list, run. F9 stops. Without a machine, try it with the stand-in.",
)
WITH_THE_MOUSE = (
    ("Drag a shape", "moves it; it catches on sheet, guides and centres, Alt lets it go free"),
    ("Drag a handle, the knob", "sizes in proportion (Shift: freely), turns"),
    ("Type while dragging", "how far, how large, how many degrees; Enter"),
    ("Drag out of a ruler", "a guide; back into it, and it is gone"),
    ("Drag on bare ground", "frames shapes; Shift adds to what is picked"),
    ("Drag A or A′, or the line", "cuts the section elsewhere"),
    ("Right click", "what can be done with a shape, a cut, a layer, a finding or a board"),
    ("Middle drag, wheel", "pans, zooms on the cursor"),
    ("Arrows", "nudge by 1 mm; Shift 10 mm, Alt 0.1 mm"),
    ("Arrows, PgUp, PgDown on the jog pad", "lead the machine; + and − change the step"),
)


class HelpPage(QDialog):
    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keys and first steps")
        inside = QWidget()
        inside.setObjectName("pageBody")
        column = QVBoxLayout(inside)
        column.setContentsMargins(24, 20, 24, 12)
        column.setSpacing(5)
        column.addWidget(label("First steps", "heading"))
        for step in FIRST_STEPS:
            words = label(step)
            words.setWordWrap(True)
            column.addWidget(words)
        column.addSpacing(10)
        column.addWidget(label("On the plan", "heading"))
        grid = QGridLayout()
        grid.setHorizontalSpacing(18)
        grid.setVerticalSpacing(4)
        for row, (what, does) in enumerate(WITH_THE_MOUSE):
            grid.addWidget(QLabel(what), row, 0)
            grid.addWidget(label(does, "quiet"), row, 1)
        grid.setColumnStretch(1, 1)
        column.addLayout(grid)
        column.addSpacing(10)
        column.addWidget(label("Keys", "heading"))
        column.addWidget(
            label("Letters, Space and Delete act while the plan, the section or the sequence has the focus.", "note")
        )
        column.addLayout(_keys())
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(inside)
        close = QPushButton("Close")
        close.clicked.connect(self.accept)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(area, 1)
        foot = QHBoxLayout()
        foot.setContentsMargins(24, 4, 24, 16)
        foot.addStretch(1)
        foot.addWidget(close)
        whole.addLayout(foot)
        width = scaled(820)
        room = parent.height() - 40 if parent is not None else 700
        self.setFixedSize(width, min(inside.sizeHint().height() + 80, room))


def _keys() -> QGridLayout:
    """All actions with a key, in two columns read downward."""
    rows = [row for row in ROWS if row.keys]
    half = (len(rows) + 1) // 2
    grid = QGridLayout()
    grid.setHorizontalSpacing(14)
    grid.setVerticalSpacing(4)
    for number, row in enumerate(rows):
        at, side = number % half, number // half
        key = label(row.keys, "key")
        grid.addWidget(key, at, 3 * side, Qt.AlignmentFlag.AlignRight)
        grid.addWidget(QLabel(row.text.removesuffix(" …")), at, 3 * side + 1)
    grid.setColumnMinimumWidth(2, 12)
    grid.setColumnStretch(1, 1)
    grid.setColumnStretch(4, 1)
    return grid
