"""``DocumentWindow``: the window as its documents see it."""

from __future__ import annotations

from PySide6.QtGui import QImage
from PySide6.QtWidgets import QMainWindow

from archimetra.app.notice import Answer, Notices
from archimetra.app.session import Session
from archimetra.app.theme.tokens import Tokens


class DocumentWindow(QMainWindow):
    """The parent of the documents' dialogs, which says and asks things for them, shows stations, and gives a picture of the
    plan to keep with the job."""

    session: Session
    notices: Notices
    tokens: Tokens

    def say(self, kind: str, sentence: str) -> None:
        raise NotImplementedError

    def ask(self, kind: str, sentence: str, *answers: Answer, about: str) -> None:
        raise NotImplementedError

    def picture_of_plan(self) -> QImage:
        raise NotImplementedError

    def show_station(self, id_: str) -> None:
        raise NotImplementedError

    def show_shop(self) -> None:
        raise NotImplementedError
