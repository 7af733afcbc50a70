"""The lines of a file with what looks for words in them."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QToolButton, QVBoxLayout, QWidget

from archimetra.app.theme.style import scaled
from archimetra.app.theme.tokens import Tokens
from archimetra.app.widgets.code_view import CodeView


class CodePane(QWidget):
    not_found = Signal(str)  # a sentence

    def __init__(self, name: str, tokens: Tokens, *, height: int) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        finding = QHBoxLayout()
        self.words = QLineEdit()
        self.words.setPlaceholderText("Find in the file")
        self.words.setAccessibleName("Find in the file")
        self.words.returnPressed.connect(self.find_next)
        finding.addWidget(self.words)
        for words, tip, backwards in (("↑", "The one before", True), ("↓", "The next one", False)):
            button = QToolButton()
            button.setText(words)
            button.setProperty("kind", "small")
            button.setToolTip(tip)
            button.setAccessibleName(tip)
            button.clicked.connect(lambda _c=False, b=backwards: self.find_next(backwards=b))
            finding.addWidget(button)
        column.addLayout(finding)
        self.view = CodeView(name, tokens)
        self.view.setFixedHeight(scaled(height))
        column.addWidget(self.view)

    def find_next(self, *, backwards: bool = False) -> None:
        words = self.words.text().strip()
        if words and not self.view.find_words(words, backwards=backwards):
            self.not_found.emit(f"'{words[:40]}' is nowhere in this file.")
