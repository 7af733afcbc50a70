"""A real window on the sample job, planned and painted, waited for and closed."""

from __future__ import annotations

import contextlib

import pytest
from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QApplication

from archimetra.app.session import Session
from archimetra.app.theme import style
from archimetra.app.widgets.unfinished import unfinished
from archimetra.app.window import MainWindow
from archimetra.engine.client import Engine
from archimetra.job.file import JobFile
from plain_clock import plain_clock


class SharedEngine(Engine):
    """One pair of warm workers for all window tests of a process; each window gets its own events."""

    def __init__(self) -> None:
        self.listener = None
        super().__init__(lambda event: self.listener and self.listener(event))
        self.start()

    def listen(self, listener) -> SharedEngine:
        self.listener = listener
        return self


@pytest.fixture(scope="session")
def shared_engine():
    engine = SharedEngine()
    yield engine
    engine.close()


@pytest.fixture(autouse=True, scope="session")
def own_settings(tmp_path_factory):
    """What windows remember between starts goes into a folder of the tests, not into the settings of who runs them."""
    QSettings.setPath(
        QSettings.Format.NativeFormat, QSettings.Scope.UserScope, str(tmp_path_factory.mktemp("settings"))
    )


@pytest.fixture
def open_window(qtbot, shared_engine, monkeypatch):
    """A function that opens a window on a job file and waits until it shows the finished stock."""
    opened = []
    monkeypatch.setattr("archimetra.engine.client.Engine", shared_engine.listen)
    monkeypatch.setattr(shared_engine, "start", lambda: None)
    monkeypatch.setattr(shared_engine, "close", lambda: None)

    def open_(content: JobFile | None = None, *, recovery=None) -> MainWindow:
        for left in QApplication.topLevelWidgets():
            left.hide()  # a page an earlier test left open would keep the window from becoming active
        style.load_fonts()
        session = Session()
        window = MainWindow(session, theme="light", demo=plain_clock)
        qtbot.addWidget(window, before_close_func=_give_up)
        window.show()
        qtbot.waitExposed(window)
        with contextlib.suppress(qtbot.TimeoutError), qtbot.waitActive(window, timeout=3_000):
            window.activateWindow()  # keys go to the active window only
        session.start(recovery)
        session.open_job(content or plain_clock(), None)
        settle(qtbot, window)
        opened.append(session)
        return window

    yield open_
    for session in opened:
        session.close()
    shared_engine.listener = None


def _give_up(window: MainWindow) -> None:
    """Nobody is there to answer whether to save."""
    unfinished.settle()
    window.session.forget_changes()
    window.session.machine.close()


def settle(qtbot, window: MainWindow) -> None:
    """Wait until the plan fits the job and the stock stands at the moment shown."""
    session = window.session

    def is_shown() -> bool:
        moment, plan = session.playhead.moment, session.planning.plan
        return (
            not session.planning.is_planning
            and moment is not None
            and plan is not None
            and moment.key == plan.run_key
            and abs(moment.seconds - session.playhead.seconds) < 1e-6
        )

    qtbot.waitUntil(is_shown, timeout=60_000)
