"""The section: the sheet cut along line A-A′ at the shown moment, to scale, with readings."""

from __future__ import annotations

from PySide6.QtCore import QSize, Signal, SignalInstance
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QToolButton, QVBoxLayout, QWidget

from archimetra.app.theme.tokens import Tokens
from archimetra.app.views.section_canvas import EXAGGERATIONS, SectionCanvas
from archimetra.app.views.section_data import SectionData
from archimetra.app.widgets.fields import label
from archimetra.job.sections import section_letter


class SectionView(QWidget):
    exaggeration_chosen = Signal(int)
    mate_wanted = Signal(bool)
    line_wanted = Signal(int)  # another of the board's section lines
    more_wanted = Signal()
    less_wanted = Signal()
    export_wanted = Signal()

    def __init__(self, tokens: Tokens, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName("Section")
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 4, 10, 0)
        head = QHBoxLayout()
        head.setSpacing(3)
        self._title = label("Section A–A′", "heading")
        head.addWidget(self._title)
        self._lines = QHBoxLayout()
        self._lines.setSpacing(0)
        head.addLayout(self._lines)
        self._letters: list[QToolButton] = []
        self._more = _small("+", "Another section line beside this one", self.more_wanted)
        self._less = _small("−", "Remove this section line", self.less_wanted)
        head.addWidget(self._more)
        head.addWidget(self._less)
        self._moment = label("", "note")
        self._moment.setWordWrap(False)
        self._reading = label("", "note")
        self._reading.setWordWrap(False)
        head.addSpacing(8)
        head.addWidget(self._moment)
        head.addStretch(1)
        head.addWidget(self._reading)
        head.addSpacing(6)
        self._mate = QToolButton()
        self._mate.setText("mate")
        self._mate.setCheckable(True)
        self._mate.setProperty("kind", "small")
        self._mate.setToolTip("Lay the plug into its pocket, as both boards are cut")
        self._mate.setAccessibleName("Mate")
        self._mate.clicked.connect(self.mate_wanted)
        self._mate.hide()
        head.addWidget(self._mate)
        head.addSpacing(8)
        self._depth = label("depth", "note")
        self._depth.setWordWrap(False)
        head.addWidget(self._depth)
        self._buttons: dict[int, QToolButton] = {}
        for factor in EXAGGERATIONS:
            button = QToolButton()
            button.setText(f"x{factor}")
            button.setCheckable(True)
            button.setProperty("kind", "small")
            button.setToolTip(
                f"Draw depths {factor} times as large as widths" if factor > 1 else "Draw depths to scale"
            )
            button.setAccessibleName(f"Depth times {factor}")
            button.clicked.connect(lambda _checked=False, f=factor: self.show_exaggeration(f))
            head.addWidget(button)
            self._buttons[factor] = button
        head.addSpacing(4)
        head.addWidget(_small("…", "Save the section as a drawing to scale or as a picture", self.export_wanted))
        column.addLayout(head)
        self.canvas = SectionCanvas(tokens, self)
        self.canvas.reading.connect(self._reading.setText)
        column.addWidget(self.canvas, 1)
        self.setMinimumHeight(124)
        self.show_exaggeration(2)

    def show_theme(self, tokens: Tokens) -> None:
        self.canvas.tokens = tokens
        self.canvas.update()

    def show_lines(self, count: int, shown: int, *, is_elsewhere: bool = False) -> None:
        """So many section lines the board has, and which is looked along; or that it is another line for a while."""
        letter = section_letter(shown)
        self._title.setText("Section here" if is_elsewhere else f"Section {letter}–{letter}′")
        while len(self._letters) < count:
            number = len(self._letters)
            button = _small(section_letter(number), f"Look along section {section_letter(number)}", None)
            button.setCheckable(True)
            button.clicked.connect(lambda _c=False, n=number: self.line_wanted.emit(n))
            self._lines.addWidget(button)
            self._letters.append(button)
        for number, button in enumerate(self._letters):
            button.setVisible((count > 1 or is_elsewhere) and number < count)
            button.setChecked(number == shown and not is_elsewhere)
        self._less.setVisible(count > 1)

    def show_mate(self, *, is_offered: bool, is_on: bool) -> None:
        """Whether the board is half of an inlay, and whether its plug is laid in."""
        self._mate.setVisible(is_offered)
        self._mate.setChecked(is_on)

    def show_section(self, data: SectionData | None) -> None:
        self._moment.setText(self._words(data))
        self._moment.setToolTip(
            "Gaps under the plug, above the sheet and at the side, in mm"
            if data is not None and data.mate is not None
            else ""
        )
        is_mate = data is not None and data.mate is not None
        self.setMinimumHeight(210 if is_mate else 124)  # gaps of half a millimetre want room
        self.canvas.show_section(data)
        self._tell_scale()

    def _words(self, data: SectionData | None) -> str:
        if data is None or data.mate is None:
            return data.moment if data is not None else ""
        bad = self.canvas.tokens.color("picked").name()
        return " \u00a0 ".join(
            words if is_good else f'<span style="color:{bad}; font-weight:600">{words}</span>'
            for words, is_good in data.mate.readings
        )

    def _tell_scale(self) -> None:
        """What is chosen may not fit; then what is drawn is said."""
        drawn = self.canvas.drawn_exaggeration()
        chosen = self.canvas.exaggeration
        fits = drawn is None or 0.97 * chosen < drawn < 1.03 * chosen
        more = drawn is not None and drawn > chosen
        self._depth.setText("depth" if fits else f"depth, x{drawn:.1f}{'' if more else ' fits'}")

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._tell_scale()

    def show_exaggeration(self, factor: int) -> None:
        for key, button in self._buttons.items():
            button.setChecked(key == factor)
        self.canvas.exaggeration = factor
        self.canvas.update()
        self._tell_scale()

    def sizeHint(self) -> QSize:
        return QSize(800, 146)


def _small(words: str, tip: str, wanted: SignalInstance | None) -> QToolButton:
    button = QToolButton()
    button.setText(words)
    button.setProperty("kind", "small")
    button.setToolTip(tip)
    button.setAccessibleName(tip)
    if wanted is not None:
        button.clicked.connect(lambda _c=False: wanted.emit())
    return button
