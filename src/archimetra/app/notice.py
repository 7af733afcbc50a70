"""Sentences over the plan: said for a while, or, where something must be decided, asked until they are answered."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QEvent, QObject, Qt, QTimer
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from archimetra.app.theme.tokens import Tokens

WIDEST_PX, TOP_PX, GAP_PX = 520, 12, 6
STAY_MS = {"stop": 12_000, "caution": 8_000}
SHORT_MS = 5_000
MOST_SAID = 3

Answer = tuple[str, Callable[[], object]]
"""The words on a button and what it does."""


class Notices(QObject):
    """The cards over the plan, newest below."""

    def __init__(self, holder: QWidget) -> None:
        super().__init__(holder)
        self._holder = holder
        self._cards: list[_Card] = []
        holder.installEventFilter(self)

    def say(self, kind: str, sentence: str, tokens: Tokens) -> None:
        """``kind`` is "note", "caution" or "stop"; what stops work stays longest. A note gives way to the next sentence,
        anything worse stays beside it."""
        for card in tuple(self._cards):
            if not card.is_asking and (card.kind == "note" or card.text == sentence):
                self._drop(card)
        said = [card for card in self._cards if not card.is_asking]
        for card in said[: max(len(said) - MOST_SAID + 1, 0)]:
            self._drop(card)
        card = _Card(self._holder, kind, sentence, (), tokens)
        QTimer.singleShot(STAY_MS.get(kind, SHORT_MS), card, lambda: self._drop(card))
        self._show(card)

    def ask(self, kind: str, sentence: str, answers: Sequence[Answer], tokens: Tokens, *, about: str) -> None:
        """A sentence that stays until one of the buttons under it is pressed. Asked again ``about`` the same, it stands there
        once, as it is now."""
        for card in tuple(self._cards):
            if card.is_asking and card.about == about:
                self._drop(card)
        card = _Card(self._holder, kind, sentence, answers, tokens)
        card.about = about
        card.answered = lambda: self._drop(card)
        self._show(card)

    def withdraw(self, about: str) -> None:
        """A question that has lost its ground: what it would do concerns something else by now."""
        for card in tuple(self._cards):
            if card.is_asking and card.about == about:
                self._drop(card)

    @property
    def text(self) -> str:
        """All that stands there."""
        return "\n".join(card.text for card in self._cards)

    @property
    def is_asking(self) -> bool:
        return any(card.is_asking for card in self._cards)

    def press(self, words: str) -> None:
        """Press a button of a question by its words (for keys and tests)."""
        for card in tuple(self._cards):
            for button in card.buttons:
                if button.text() == words:
                    button.click()
                    return
        raise KeyError(words)

    def clear(self) -> None:
        for card in tuple(self._cards):
            self._drop(card)

    def show_theme(self, tokens: Tokens) -> None:
        for card in self._cards:
            card.show_theme(tokens)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Resize:
            self._lay_out()
        return False

    def _show(self, card: _Card) -> None:
        self._cards.append(card)
        card.show()
        self._lay_out()

    def _drop(self, card: _Card) -> None:
        if card in self._cards:
            self._cards.remove(card)
            card.hide()
            card.deleteLater()
            self._lay_out()

    def _lay_out(self) -> None:
        width = min(WIDEST_PX, self._holder.width() - 40)
        y = TOP_PX
        for card in self._cards:
            card.setFixedWidth(width)
            card.adjustSize()
            card.setFixedHeight(max(card.heightForWidth(width), card.sizeHint().height()))
            card.move((self._holder.width() - width) // 2, y)
            card.raise_()
            y += card.height() + GAP_PX


class _Card(QFrame):
    def __init__(self, holder: QWidget, kind: str, text: str, answers: Sequence[Answer], tokens: Tokens) -> None:
        super().__init__(holder)
        self.kind, self.text = kind, text
        self.is_asking = bool(answers)
        self.about = ""
        self.answered: Callable[[], None] = lambda: None
        self.setObjectName("notice")
        # what is only said must not catch clicks meant for the plan
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents, not answers)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 8, 10, 8)
        column.setSpacing(8)
        words = QLabel(text)
        words.setWordWrap(True)
        words.setTextFormat(Qt.TextFormat.PlainText)
        column.addWidget(words)
        self.buttons: list[QPushButton] = []
        if answers:
            row = QHBoxLayout()
            row.setSpacing(6)
            for text_, run in answers:
                button = QPushButton(text_)
                button.clicked.connect(lambda _c=False, r=run: self._answer(r))
                row.addWidget(button)
                self.buttons.append(button)
            row.addStretch(1)
            column.addLayout(row)
        self.show_theme(tokens)

    def show_theme(self, tokens: Tokens) -> None:
        color = {"stop": tokens.picked, "caution": tokens.caution}.get(self.kind, tokens.accent)
        self.setStyleSheet(
            f"#notice {{ background: {tokens.panel}; border: 1px solid {color}; border-radius: 4px; }}"
            f" #notice QLabel {{ color: {tokens.ink}; border: none; background: transparent; }}"
        )

    def _answer(self, run: Callable[[], object]) -> None:
        self.answered()
        run()
