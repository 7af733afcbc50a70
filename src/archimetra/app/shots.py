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

import msgspec
from PySide6.QtCore import QBuffer
from PySide6.QtWidgets import QApplication

from archimetra.app.session import Session
from archimetra.app.stations.machine_page import MachinePage
from archimetra.app.stations.panels_page import PanelsPage
from archimetra.app.theme import style
from archimetra.app.window import MainWindow
from archimetra.base.errors import ArchimetraError
from archimetra.base.files import write_safely
from archimetra.demo import artwork, quay_tide_clock
from archimetra.edits import basic as edits
from archimetra.edits import cutting
from archimetra.edits.edit import Edit
from archimetra.job.file import JobFile, load_job
from archimetra.job.flat import instance_of


def render_job(
    job: FilePath,
    out: FilePath,
    *,
    view: str,
    at: float,
    size: tuple[int, int],
    theme: str,
    board: str | None = None,
    show: str | None = None,
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
        if show is not None:
            {"wood": studio.window.shows.wood, "work": studio.window.shows.work, "lines": studio.window.shows.lines}[
                show
            ]()
        studio.go_to_share(at)
        widget = {"window": studio.window, "plan": studio.window.plan, "section": studio.window.section,
                  "sequence": studio.window.sequence}[view]  # fmt: skip
        buffer = QBuffer()
        buffer.open(QBuffer.OpenModeFlag.WriteOnly)
        widget.grab().save(buffer, "PNG")
        try:
            write_safely(out, bytes(buffer.data().data()))
        except OSError as error:
            raise ArchimetraError(f"{out} could not be written: {error.strerror}. Choose another place.") from error


def make_shots(folder: FilePath) -> None:
    """Every picture of the documentation."""
    folder.mkdir(parents=True, exist_ok=True)
    for theme in ("light", "dark"):
        with _Studio(quay_tide_clock(), theme=theme, size=(1280, 800)) as studio:
            window, session = studio.window, studio.session
            session.show_cut(session.board.cuts[-1].id)  # the outline

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
            _shoot_carving(window, studio, shoot)
            _shoot_cuts(window, studio, shoot)
            _shoot_artwork(window, studio, shoot)
            _shoot_layout(window, studio, shoot)
            session.show_board(session.job.boards[0].id)
            studio.settle()
            studio.go_to_share(1.0)
            window.station_output()
            studio.wait(lambda page=window.output_page: bool(page.files))
            shoot("output")
            _shoot_machine(window, studio, shoot)
            _shoot_seeing(window, studio, shoot)


def _shoot_machine(window: MainWindow, studio: _Studio, shoot: Callable[[str], None]) -> None:
    """The first file of the dial being cut on the stand-in, held on its way."""
    from archimetra.app.session.at_machine import Stage
    from archimetra.machine.standin.controller import Build, StandIn
    from archimetra.machine.standin.server import Served

    session, machine = window.session, window.session.machine
    session.apply(edits.change_job(session.job, "Controller", controller="streaming"))
    window.station_machine()
    studio.settle()
    stand_in = StandIn(Build(needs_home=False))
    stand_in.motion.put((145.0, 145.0, -40.0))
    stand_in.zero = (145.0, 145.0, -40.0)
    with Served(stand_in, speed=1.0) as served:
        machine.connect_to(served.address)
        page = window.page("machine")
        assert isinstance(page, MachinePage)
        studio.wait(lambda: machine.stage is Stage.READY and bool(page.what.files))
        machine.run_file(page.what.files[0])
        studio.wait(lambda: machine.moment is not None and machine.moment > 40.0)
        machine.hold()
        studio.wait(lambda: machine.stage is Stage.HELD)
        studio.rest(1.0)
        shoot("machine")
        machine.stop()
        studio.wait(lambda: machine.running is None)
        machine.disconnect_from()
    session.undo()
    studio.settle()


def _shoot_seeing(window: MainWindow, studio: _Studio, shoot: Callable[[str], None]) -> None:
    """The dial tilted while it is cut, findings of a spoiled one, what a blunt V bit leaves of it."""
    session = window.session
    session.show_cut(session.board.cuts[-1].id)
    window.station_cuts()
    studio.go_to_share(0.93)
    window.tilting.toggle()
    studio.rest(1.5)
    shoot("tilted")
    window.tilting.toggle()
    outline = session.board.cuts[-1]
    assert outline.bridges is not None
    bare = cutting.change_cut(session.job, outline.id, "", tabs=msgspec.structs.replace(outline.bridges, count=0)).job
    fast = cutting.override(bare, (session.board.cuts[0].id,), "spindle_rpm", 30_000.0)
    session.apply(cutting.reorder_cut(fast.job, session.board.id, outline.id, 2))
    studio.settle()
    studio.go_to_share(1.0)
    window.station_check()
    shoot("check")
    session.undo()
    star = next(cut for cut in session.board.cuts if cut.name == "Star, pocket")
    blunt = tuple(
        msgspec.structs.replace(bit, tip_flat=1.2, diameter=14.0) if bit.id == star.bit else bit
        for bit in session.job.bits
    )
    session.apply(Edit("A blunt V", msgspec.structs.replace(session.job, bits=blunt)))
    studio.settle()
    studio.go_to_share(1.0)
    page = window.page("check")
    assert isinstance(page, PanelsPage)
    page.show_panel("Left standing")
    studio.wait(lambda: session.planning.standing_of(session.board_id) is not None)
    shoot("left")


def _shoot_carving(window: MainWindow, studio: _Studio, shoot: Callable[[str], None]) -> None:
    """Carved words close up and in section, the star inlay laid together, the stamp."""
    session = window.session

    def show(board: int, name: str) -> None:
        session.show_board(session.job.boards[board].id)
        session.show_cut(next(cut.id for cut in session.board.cuts if cut.name == name))
        studio.settle()
        studio.go_to_share(1.0)

    window.station_cuts()
    show(0, "Words")
    session.playhead.move_line(((92.0, 248.0), (158.0, 248.0)))
    window.plan.show_box((92.0, 232.0, 166.0, 270.0))
    window.shows.wood()
    studio.wait(lambda: session.seeing.closer is not None)
    shoot("carve")
    window.shows.work()
    show(0, "Star, pocket")
    session.playhead.move_line(((62.0, 143.0), (258.0, 177.0)))
    window.plan.fit()
    window.mate.show(True)
    studio.wait(lambda: window.mate.shown is not None)
    shoot("mate")
    window.mate.show(False)


def _shoot_cuts(window: MainWindow, studio: _Studio, shoot: Callable[[str], None]) -> None:
    """The Cuts page at work on the dial back and on the test piece, and its other parts."""
    session = window.session
    back = session.job.boards[1]
    window.station_cuts()
    session.show_board(back.id)
    session.show_cut(back.cuts[1].id)
    studio.settle()
    studio.go_to_share(0.5)
    shoot("pocket")
    studio.go_to_share(1.0)
    window.cuts_page.show_panel("Bits")
    shoot("bits")
    window.cuts_page.show_panel("Cuts")
    session.show_board(session.job.boards[0].id)
    studio.settle()


def _shoot_layout(window: MainWindow, studio: _Studio, shoot: Callable[[str], None]) -> None:
    """The small parts on their sheet, one of them picked."""
    session = window.session
    session.show_board(session.job.boards[3].id)
    window.station_layout()
    studio.settle()
    studio.go_to_share(1.0)
    window.notices.clear()
    hand = next(part.id for part in session.job.parts if part.name == "high-hand")
    piece = next(piece.id for piece in session.board.instances if piece.part == hand)
    session.pick([shape.id for shape in session.board.shapes if instance_of(shape.id) == piece])
    shoot("layout")
    page = window.page("layout")
    assert isinstance(page, PanelsPage)
    page.show_panel("Tiles")
    session.show_board(session.job.boards[4].id)
    studio.settle()
    studio.go_to_share(1.0)
    session.show_setup(1)
    shoot("tiles")
    page.show_panel("Faces")
    session.show_board(session.job.boards[1].id)
    session.playhead.move_line(((0.0, 160.0), (320.0, 160.0)))
    studio.settle()
    studio.go_to_share(1.0)
    shoot("faces")
    page.show_panel("Parts")


def _shoot_artwork(window: MainWindow, studio: _Studio, shoot: Callable[[str], None]) -> None:
    """The Artwork page, panel by panel, each at work on the board that shows it best."""
    session = window.session
    window.station_artwork()
    page = window.artwork_page

    def on_board(number: int, *names: str) -> None:
        session.show_board(session.job.boards[number].id)
        studio.settle()
        studio.go_to_share(1.0)
        window.notices.clear()
        session.pick([shape.id for shape in session.board.shapes if shape.name in names])

    on_board(0, "star")
    page.show_panel("Place")
    shoot("artwork")
    on_board(3, "QUAY")
    session.picked = session.picked[:1]
    session.picked_changed.emit()
    page.show_panel("Text")
    shoot("text")
    with tempfile.TemporaryDirectory() as temporary:
        for number, name, panel in ((1, "dial-back.dxf", "bring-in"), (3, "gull.png", "trace")):
            on_board(number)
            session.apply(edits.change_board(session.job, session.board.id, "", shapes=(), cuts=(), sources=()))
            drawing = FilePath(temporary) / name
            drawing.write_bytes(artwork(name))
            page.read_file(drawing)
            studio.wait(lambda: not session.imports.is_reading)
            shoot(panel)
            page.bring.panel.given_up.emit()
            while session.undo_label is not None:
                session.undo()
    on_board(0)


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
        assert self.session.planning.plan is not None
        self.session.playhead.go_to(self.session.planning.plan.times.total * share)
        self.settle()

    def settle(self, seconds: float = 60.0) -> None:
        """Wait until the plan fits the job and the stock stands at the moment shown."""
        self.wait(lambda: not self.session.planning.is_planning, seconds)
        self.wait(self._is_shown, seconds)
        self.rest(0.5)

    def rest(self, seconds: float) -> None:
        """Let what comes by itself come."""
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            self.app.processEvents()
            time.sleep(0.005)

    def _is_shown(self) -> bool:
        moment, plan = self.session.playhead.moment, self.session.planning.plan
        return (
            moment is not None
            and plan is not None
            and moment.key == plan.run_key
            and abs(moment.seconds - self.session.playhead.seconds) < 1e-6
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
