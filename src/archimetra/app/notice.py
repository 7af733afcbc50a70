"""One sentence over the plan, for a while."""

from __future__ import annotations

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QLabel, QWidget

from archimetra.app.theme.tokens import Tokens

WIDEST_PX, TOP_PX = 520, 12
STAY_MS = {"stop": 12_000}
SHORT_MS = 5_000


class Notice(QLabel):
    def __init__(self, holder: QWidget) -> None:
        super().__init__(holder)
        self._holder = holder
        self.setWordWrap(True)
        self.setMargin(8)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.hide()
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self.hide)

    def say(self, kind: str, sentence: str, tokens: Tokens) -> None:
        """``kind`` is "note", "caution" or "stop"; what stops work stays longest."""
        color = {"stop": tokens.picked, "caution": tokens.caution}.get(kind, tokens.accent)
        self.setStyleSheet(
            f"background: {tokens.panel}; border: 1px solid {color}; border-radius: 4px; color: {tokens.ink};"
        )
        self.setText(sentence)
        width = min(WIDEST_PX, self._holder.width() - 40)
        self.setFixedWidth(width)
        self.adjustSize()
        self.move((self._holder.width() - width) // 2, TOP_PX)
        self.show()
        self.raise_()
        self._timer.start(STAY_MS.get(kind, SHORT_MS))
