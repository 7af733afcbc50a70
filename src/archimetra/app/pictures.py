"""Pictures out: what of the board is saved as a picture or a film, how large, how long."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path as FilePath

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QCloseEvent
from PySide6.QtWidgets import QDialog, QFileDialog, QHBoxLayout, QProgressBar, QPushButton, QVBoxLayout

from archimetra.app.document_window import DocumentWindow
from archimetra.app.theme import style
from archimetra.app.views.tilted_view import TiltedView
from archimetra.app.widgets.dialogs import no_button_by_return
from archimetra.app.widgets.fields import ChoiceRow, QuantityField, label, show_kind
from archimetra.app.widgets.form import Form
from archimetra.app.widgets.unfinished import unfinished
from archimetra.engine.picture_process import PictureEvent, PictureMaker, PictureRequest, What

SMALLEST_PX, LARGEST_PX, LARGEST_FILM_PX = 100, 8000, 2000
SHORTEST_S, LONGEST_S = 1.0, 120.0
_WHATS = (("plan", "Plan"), ("tilted", "Tilted view"), (What.RUN.value, "The run"), (What.TURNTABLE.value, "Turntable"))
_NOTES = {
    "plan": "The plan as it is shown, with what Show has on; as high as it is here.",
    "tilted": "The board at the moment shown, from where the tilted view looks, all of it in the picture.",
    What.RUN.value: "A film: the board being cut from beginning to end, in so many seconds.",
    What.TURNTABLE.value: "A film: the finished board turned round once.",
}
_DIALOG_PX = 420


class PicturesPage(QDialog):
    """Stays open while a film is made; closing it gives the film up."""

    _event = Signal(object)
    written = Signal(str)

    def __init__(self, tilted: TiltedView, write_plan: Callable[[FilePath, int], str], window: DocumentWindow) -> None:
        """``write_plan`` writes the plan as it is shown, so many pixels wide, and returns what went wrong."""
        super().__init__(window)
        self.setWindowTitle("Save a picture or a film")
        self.setObjectName("pageBody")
        self._session, self._write_plan, self._tilted = window.session, write_plan, tilted
        self._theme = "dark" if window.tokens.is_dark else "light"
        self._maker = PictureMaker(self._event.emit)
        self._event.connect(self._take, Qt.ConnectionType.QueuedConnection)
        self._what, self._width, self._height, self._seconds = "plan", 1600, 1000, 8.0
        self._path = ""
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 20, 24, 18)
        self.form = Form()
        column.addWidget(self.form)
        self._choice = ChoiceRow("What", _WHATS)
        self._choice.chosen.connect(self._choose)
        self.form.add(self._choice)
        self._note = self.form.add(label("", "note"))
        takers = {"Width": self._enter_width, "Height": self._enter_height, "Lasts": self._enter_seconds}
        self._fields = {name: QuantityField(name) for name in takers}
        for name, take in takers.items():
            self._fields[name].entered.connect(lambda text, n=name, t=take: self._enter(n, text, t))
        self._rows = {name: self.form.row(name, field) for name, field in self._fields.items()}
        self._progress = QProgressBar()
        self._progress.setRange(0, 1000)
        self._progress.setTextVisible(False)
        self._progress.setFixedHeight(style.scaled(8))
        self._progress.setAccessibleName("How far the picture is")
        self.form.add(self._progress)
        self._told = self.form.add(label("", "note"))
        buttons = QHBoxLayout()
        buttons.addStretch(1)
        self._stop = QPushButton("Give up")
        self._stop.clicked.connect(self._give_up)
        self._close = QPushButton("Close")
        self._close.clicked.connect(self.close)
        self._save = QPushButton("Save …")
        self._save.setProperty("kind", "main")
        self._save.clicked.connect(self._ask)
        for button in (self._stop, self._close, self._save):
            buttons.addWidget(button)
        column.addLayout(buttons)
        self.setMinimumWidth(style.scaled(_DIALOG_PX))
        self._choose("tilted" if tilted.isVisible() else "plan")
        no_button_by_return(self)
        self._show_running(is_running=False)

    # ---- what is wanted

    @property
    def is_film(self) -> bool:
        return self._what in (What.RUN, What.TURNTABLE)

    def _choose(self, what: str) -> None:
        was_film = self.is_film
        self._what = what
        if self.is_film != was_film:
            self._width, self._height = (960, 600) if self.is_film else (1600, 1000)
        self._choice.show_value(what)
        self._note.setText(_NOTES[what])
        self._show()

    def _show(self) -> None:
        for name, value, unit in (
            ("Width", self._width, "px"),
            ("Height", self._height, "px"),
            ("Lasts", self._seconds, "s"),
        ):
            self._fields[name].show_quantity(f"{value:g}", unit)
        for name, is_shown in (("Height", self._what != "plan"), ("Lasts", self.is_film)):
            self._fields[name].setVisible(is_shown)
            self._rows[name].setVisible(is_shown)

    def _enter(self, name: str, text: str, take: Callable[[str], str]) -> None:
        problem = take(text)
        if problem:
            self._fields[name].show_quantity(text, "", is_wrong=True)
            self._say(problem, is_wrong=True)
        else:
            self._say("")
            self._show()

    def _enter_pixels(self, text: str) -> tuple[int, str]:
        most = LARGEST_FILM_PX if self.is_film else LARGEST_PX
        words = text.strip().removesuffix("px").strip()
        if not words.isdecimal() or not SMALLEST_PX <= int(words) <= most:
            what = "film" if self.is_film else "picture"
            return 0, f"A {what} is {SMALLEST_PX} to {most} pixels wide and high."
        return int(words), ""

    def _enter_width(self, text: str) -> str:
        value, problem = self._enter_pixels(text)
        self._width = value or self._width
        return problem

    def _enter_height(self, text: str) -> str:
        value, problem = self._enter_pixels(text)
        self._height = value or self._height
        return problem

    def _enter_seconds(self, text: str) -> str:
        try:
            value = float(text.strip().removesuffix("s").replace(",", "."))
        except ValueError:
            value = 0.0
        if not SHORTEST_S <= value <= LONGEST_S:
            return f"A film lasts {SHORTEST_S:g} to {LONGEST_S:g} seconds."
        self._seconds = value
        return ""

    # ---- making it

    def _ask(self) -> None:
        unfinished.settle()
        session = self._session
        ending = "webp" if self.is_film else "png"
        folder = session.path.parent if session.path is not None else FilePath.home()
        name = f"{session.job.name} {session.board.name} {self._what}".replace("/", "-")
        path, _ = QFileDialog.getSaveFileName(
            self, "Save as", str(folder / f"{name}.{ending}"), f"{'Films' if self.is_film else 'Pictures'} (*.{ending})"
        )
        if path:
            self.save(FilePath(path))

    def save(self, path: FilePath) -> None:
        """Make what is chosen and write it there."""
        ending = ".webp" if self.is_film else ".png"
        if path.suffix.lower() != ending:
            path = path.with_name(path.name + ending)
        self._path = str(path)
        if self._what == "plan":
            problem = self._write_plan(path, self._width)
            self._tell(problem)
            return
        session, plan = self._session, self._session.planning.plan
        turn, above = self._tilted.eye
        total = plan.times.total if plan is not None else 0.0
        self._say("")
        self._show_running(is_running=True)
        self._maker.start(
            PictureRequest(
                What.PICTURE if self._what == "tilted" else What(self._what), session.job, session.board_id, self._path,
                (self._width, self._height), turn=turn, above=above, is_over=self._tilted.is_over, theme=self._theme,
                at=session.playhead.seconds / total if total > 0 else 1.0, seconds=self._seconds,
            )
        )  # fmt: skip

    def _take(self, event: PictureEvent) -> None:
        self._progress.setValue(round(1000 * event.share))
        if event.is_last:
            self._show_running(is_running=False)
            self._tell(event.problem)

    def _tell(self, problem: str) -> None:
        self._say(problem or f"It is in {self._path}.", is_wrong=bool(problem))
        if not problem:
            self.written.emit(self._path)

    def _give_up(self) -> None:
        self._maker.stop()
        self._show_running(is_running=False)
        self._say("Given up; nothing was written.")

    def _say(self, words: str, *, is_wrong: bool = False) -> None:
        self._told.setText(words)
        show_kind(self._told, "stop" if is_wrong else "note")
        self._told.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)

    def _show_running(self, *, is_running: bool) -> None:
        self._progress.setValue(0)
        self._progress.setVisible(is_running)
        self._stop.setVisible(is_running)
        self._close.setVisible(not is_running)
        self._save.setEnabled(not is_running)
        self._choice.setEnabled(not is_running)

    def closeEvent(self, event: QCloseEvent) -> None:
        self._maker.stop()
        super().closeEvent(event)

    def reject(self) -> None:
        self._maker.stop()
        super().reject()
