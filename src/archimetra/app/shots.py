"""Pictures of the window and its views: ``archimetra render``, and the screenshots of the documentation.

``python -m archimetra.app.shots FOLDER`` makes every picture of docs/screenshots from the sample job.
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path as FilePath

from PySide6.QtWidgets import QApplication

from archimetra.app.session import Session
from archimetra.app.theme import style
from archimetra.app.window import MainWindow
from archimetra.base.errors import ArchimetraError
from archimetra.demo import artwork, quay_tide_clock
from archimetra.job.file import JobFile, load_job


def render_job(
    job: FilePath, out: FilePath, *, view: str, at: float, size: tuple[int, int], theme: str, board: str | None = None
) -> None:
    """One view of a job at a moment as a PNG. Raises ArchimetraError where it cannot be drawn or written."""
    content = load_job(job)
    with _Studio(content, theme=theme, size=size) as studio:
        if board is not None:
            found = next((b for b in content.job.boards if b.name == board), None)
            if found is None:
                raise ArchimetraError(f"There is no board '{board}' in this job.")
            studio.session.show_board(found.id)
            studio.settle()
        studio.go_to_share(at)
        widget = {"window": studio.window, "plan": studio.window.plan, "section": studio.window.section,
                  "sequence": studio.window.sequence}[view]  # fmt: skip
        if not widget.grab().save(str(out), "PNG"):
            raise ArchimetraError(f"{out} could not be written. Choose another place.")


def make_shots(folder: FilePath) -> None:
    """Every picture of the documentation."""
    folder.mkdir(parents=True, exist_ok=True)
    for theme in ("light", "dark"):
        with _Studio(quay_tide_clock(), theme=theme, size=(1280, 800)) as studio:
            window, session = studio.window, studio.session
            session.show_cut(session.board.cuts[-1].id)

            def shoot(name: str, window: MainWindow = window, studio: _Studio = studio, theme: str = theme) -> None:
                studio.settle()
                window.grab().save(str(folder / f"{name}-{theme}.png"), "PNG")

            window.station_cuts()
            studio.go_to_share(0.9)
            shoot("cuts")
            if theme == "dark":
                continue
            studio.go_to_share(1.0)
            window.station_board()
            shoot("board")
            session.pick([next(s.id for s in session.board.shapes if s.name == "star")])
            window.station_artwork()
            shoot("artwork")
            with tempfile.TemporaryDirectory() as temporary:
                drawing = FilePath(temporary) / "dial-face.svg"
                drawing.write_bytes(
                    artwork("dial-face.svg").replace(b'width="320mm" height="320mm"', b'width="960" height="960"')
                )
                window.artwork_page.read_file(drawing)
                studio.wait(lambda session=session: not session.is_reading)
                shoot("bring-in")
                window.artwork_page.bring.panel.clear()
            window.station_output()
            studio.wait(lambda page=window.output_page: bool(page.files))
            shoot("output")


class _Studio:
    """A window off every path of the user's own files, waited for until everything is planned and painted."""

    def __init__(self, content: JobFile, *, theme: str, size: tuple[int, int]) -> None:
        if not (os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY")):
            os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
        self.app = QApplication.instance() or QApplication(sys.argv[:1])
        style.load_fonts()
        self.session = Session()
        self.window = MainWindow(self.session, theme=theme)
        self.window.resize(*size)
        self._content = content

    def __enter__(self) -> _Studio:
        self.window.show()
        self.session.start(None)
        self.session.open_job(self._content, None)
        self.settle()
        return self

    def __exit__(self, *_: object) -> None:
        self.session.forget_changes()
        self.window.close()
        self.app.processEvents()

    def go_to_share(self, share: float) -> None:
        assert self.session.plan is not None
        self.session.go_to(self.session.plan.times.total * share)
        self.settle()

    def settle(self, seconds: float = 60.0) -> None:
        """Wait until the plan fits the job and the stock stands at the moment shown."""
        self.wait(lambda: not self.session.is_planning, seconds)
        self.wait(self._is_shown, seconds)
        end = time.monotonic() + 0.5
        while time.monotonic() < end:
            self.app.processEvents()
            time.sleep(0.01)

    def _is_shown(self) -> bool:
        moment, plan = self.session.moment, self.session.plan
        return (
            moment is not None
            and plan is not None
            and moment.key == plan.key
            and abs(moment.seconds - self.session.seconds) < 1e-6
        )

    def wait(self, done: Callable[[], bool], seconds: float = 60.0) -> None:
        end = time.monotonic() + seconds
        while not done():
            if time.monotonic() > end:
                raise ArchimetraError("The picture could not be made: planning took too long.")
            self.app.processEvents()
            time.sleep(0.005)


if __name__ == "__main__":
    make_shots(FilePath(sys.argv[1]))
