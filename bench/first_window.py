"""Opens one window and says when it has been painted and takes input: ``first_window.py bare|archimetra``.

Run by the bench as a process of its own, because starting Python and loading libraries is part of what is measured.
"""

from __future__ import annotations

import os
import sys

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication, QMainWindow


def ready() -> None:
    print("ready", flush=True)
    os._exit(0)


def main() -> None:
    app = QApplication(sys.argv[:1])
    if sys.argv[1] == "bare":
        window: QMainWindow = QMainWindow()
        window.resize(1280, 800)
        window.show()
    else:
        from archimetra.app.run import first_window

        window = first_window(theme="light")
    # after the first exposure and paint the loop is idle: that is when a key or click would be answered
    QTimer.singleShot(0, lambda: QTimer.singleShot(0, lambda: (window.repaint(), QTimer.singleShot(0, ready))))
    app.exec()


if __name__ == "__main__":
    main()
