"""Keys and first steps: one quiet page over the window, made from the same rows as menus and keys."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QGridLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from archimetra.app.actions import ROWS
from archimetra.app.widgets.fields import label

FIRST_STEPS = (
    "1  Board: say what sheet lies on the machine, as measured, and where zero is.",
    "2  Artwork: bring in a drawing. See its true size, then land it.",
    "3  Cuts: pick shapes on the plan, add a profile, choose the bit and the depth.",
    "4  Drag the section line and the playhead: is the wood as it should be?",
    "5  Output: write the files.",
)
WITH_THE_MOUSE = (
    ("Drag a shape", "moves it; it catches on sheet, guides and centres, Alt lets it go free"),
    ("Drag a handle, the knob", "sizes in proportion (Shift: freely), turns"),
    ("Type while dragging", "how far, how large, how many degrees; Enter"),
    ("Drag out of a ruler", "a guide; back into it, and it is gone"),
    ("Drag on bare ground", "frames shapes; Shift adds to what is picked"),
    ("Drag A or A′, or the line", "cuts the section elsewhere"),
    ("Middle drag, wheel", "pans, zooms on the cursor"),
    ("Arrows", "nudge by 1 mm; Shift 10 mm, Alt 0.1 mm"),
)


class HelpPage(QDialog):
    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keys and first steps")
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 20, 24, 20)
        column.setSpacing(5)
        column.addWidget(label("First steps", "heading"))
        for step in FIRST_STEPS:
            column.addWidget(label(step))
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
        column.addLayout(_keys())
        column.addSpacing(12)
        close = QPushButton("Close")
        close.clicked.connect(self.accept)
        column.addWidget(close, 0, Qt.AlignmentFlag.AlignRight)
        self.setFixedWidth(720)


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
