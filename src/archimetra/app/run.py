"""Starting the window: fonts, session, recovery, a job to show; faults of ours end in a sentence and a log."""

from __future__ import annotations

import gc
import importlib
import importlib.util
import logging
import signal
import sys
import threading
import traceback
from collections.abc import Callable
from pathlib import Path as FilePath
from types import ModuleType, TracebackType
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QSettings, QTimer
from PySide6.QtWidgets import QApplication

if TYPE_CHECKING:
    from archimetra.app.window import MainWindow
    from archimetra.job.file import JobFile

log = logging.getLogger("archimetra")


def state_folder() -> FilePath:
    """Where logs and recovery files live."""
    import platformdirs

    return FilePath(platformdirs.user_state_dir("archimetra"))


def run_window(job_path: FilePath | None, *, with_demo: bool) -> int:
    """Open the window and stay until it is closed."""
    _log_to_file()
    app = QApplication(sys.argv[:1])
    app.setApplicationName("Archimetra")
    app.setDesktopFileName("archimetra")
    window = first_window(theme=str(QSettings("Archimetra", "Archimetra").value("theme", "system")))
    session = window.session
    _report_faults(window)
    recovery = state_folder() / "recovery"
    # after the first picture: reading files and starting processes must not hold it up
    QTimer.singleShot(0, lambda: _begin(window, recovery, job_path, with_demo=with_demo))
    # not quit(), which would close the window and have it ask about unsaved work: that is kept for the next start
    signal.signal(signal.SIGTERM, lambda *_: app.exit(0))
    heartbeat = QTimer()  # lets Python see signals while Qt sleeps
    heartbeat.start(500)
    heartbeat.timeout.connect(lambda: None)
    code = app.exec()
    session.close(keep_recovery=not session.is_saved and window.isVisible())
    return code


def first_window(*, theme: str) -> MainWindow:
    """An empty window, shown, with nothing loaded that it does not need to be seen and clicked.

    numpy costs as much as a whole bare window; an empty one calculates nothing. So it is put off until something
    does: ``_begin``, right after the first picture and before any thread is started (putting off is not safe
    between threads).
    """
    gc.disable()  # nothing made on the way is garbage; looking for it takes a tenth of the time
    put_off_loading("numpy")
    from archimetra.app.session import Session
    from archimetra.app.theme import style
    from archimetra.app.window import MainWindow

    style.load_fonts()
    window = MainWindow(Session(), theme=theme, demo=_demo)
    window.show()
    gc.enable()
    return window


def put_off_loading(name: str) -> None:
    """Have a module loaded when something of it is first used, unless it is loaded already."""
    spec = importlib.util.find_spec(name) if name not in sys.modules else None
    if spec is not None:
        module = importlib.util.module_from_spec(spec)
        module.__class__ = _PutOff
        sys.modules[name] = module


class _PutOff(ModuleType):
    """A module before it is loaded. Other than the standard library's own, it is not loaded by a mere ``import``."""

    def __getattribute__(self, name: str) -> Any:
        # import statements, and the toolkit that looks at every module imported, ask for such names; ``__path__`` means
        # that a module inside is wanted, which needs this one
        if name.startswith("__") and name != "__path__":
            return super().__getattribute__(name)
        self.__class__ = ModuleType  # type: ignore[assignment]  # from here on it is one like any other
        loader = self.__spec__.loader if self.__spec__ is not None else None
        assert loader is not None
        loader.exec_module(self)
        return getattr(self, name)


def _begin(window: MainWindow, recovery: FilePath, job_path: FilePath | None, *, with_demo: bool) -> None:
    import numpy as np

    from archimetra.engine.autosave import left_by_crashes

    np.zeros(1)  # loads it, if nothing has
    session = window.session
    session.start(recovery)
    threading.Thread(target=load_for_pages, name="loading", daemon=True).start()
    window.documents.begin(left_by_crashes(recovery), job_path, with_demo=with_demo)


PAGES_NEED = ("shapely", "scipy.spatial", "numba", "archimetra.artwork.text", "archimetra.artwork.mend", "archimetra.edits.shaping",
              "archimetra.artwork.fonts", "archimetra.toolpath.suggest", "archimetra.toolpath.carve_depths")  # fmt: skip


def load_for_pages() -> None:
    """Load what the pages calculate with, while the window waits for its first click: it would wait for it then."""
    for name in PAGES_NEED:
        importlib.import_module(name)


def _demo() -> JobFile:
    from archimetra.demo import quay_tide_clock

    return quay_tide_clock()


def _log_to_file() -> None:
    folder = state_folder()
    try:
        folder.mkdir(parents=True, exist_ok=True)
        handler: logging.Handler = logging.FileHandler(folder / "archimetra.log", encoding="utf-8")
    except OSError:
        handler = logging.StreamHandler()
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(message)s"))
    log.addHandler(handler)
    log.setLevel(logging.INFO)


def _report_faults(window: MainWindow) -> None:
    """A fault of ours: into the log whole, onto the screen as one sentence; the window and the work stay."""

    def hook(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        if issubclass(kind, KeyboardInterrupt):
            sys.__excepthook__(kind, error, trace)
            return
        log.error("".join(traceback.format_exception(kind, error, trace)))
        tell: Callable[[], None] = lambda: window.say(  # noqa: E731
            "stop",
            f"Something went wrong inside Archimetra ({kind.__name__}: {error}). Your work is kept; save it, please.",
        )
        QTimer.singleShot(0, tell)

    sys.excepthook = hook
