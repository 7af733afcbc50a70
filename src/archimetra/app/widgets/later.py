"""Work of some tenths of a second in a thread, its answer in the window's; a newer question makes an older answer nobody's."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from typing import Any

import shiboken6
from PySide6.QtCore import QObject, Qt, Signal


class Later(QObject):
    _answered = Signal(int, object)

    def __init__(self, parent: QObject, name: str) -> None:
        super().__init__(parent)
        self._threads = ThreadPoolExecutor(1, thread_name_prefix=name)
        self._number = 0
        self._then: Callable[[Any], None] = lambda _answer: None
        self._answered.connect(self._take, Qt.ConnectionType.QueuedConnection)
        threads = self._threads
        self.destroyed.connect(lambda: threads.shutdown(wait=False, cancel_futures=True))

    def ask(self, work: Callable[[], Any], then: Callable[[Any], None]) -> None:
        """Have ``work`` done; ``then`` gets what it returns, unless something else was asked or ``forget`` called since."""
        self._number += 1
        number, self._then = self._number, then

        def tell(done: Future[Any]) -> None:
            if not done.cancelled() and shiboken6.isValid(self):
                self._answered.emit(number, done.exception() or done.result())

        self._threads.submit(work).add_done_callback(tell)

    def forget(self) -> None:
        self._number += 1

    def _take(self, number: int, answer: Any) -> None:
        if isinstance(answer, BaseException):
            raise answer  # a fault of ours is told like any other, in the window's thread
        if number == self._number:
            self._then(answer)
