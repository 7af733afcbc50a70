"""Rows with the real window: its start, and how long its event loop is ever held up."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path as FilePath

import numpy as np
from PySide6.QtCore import QEvent, QPointF, Qt, QTimer
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QApplication

from archimetra.app.run import load_for_pages
from archimetra.app.session import Session
from archimetra.app.theme import style
from archimetra.app.window import MainWindow
from archimetra.artwork.drawing import Drawing, DrawnLayer, DrawnShape, Scale
from archimetra.artwork.text_form import TextForm
from archimetra.demo import quay_tide_clock
from archimetra.edits import basic as edits
from archimetra.edits import placement, placing, shaping
from archimetra.edits.parting import change_part
from archimetra.edits.sheets import change_sheet
from archimetra.engine.messages import ArtworkRequest, NestSettings
from archimetra.geometry.affine import Affine
from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import Path
from archimetra.job.file import JobFile
from archimetra.job.forms import RectangleForm
from archimetra.job.job import new_job
from archimetra.job.sheet import Sheet
from pieces import job_of, svg_of_size, wavy
from rows import Row, compared


def first_window() -> Iterator[Row]:
    """Process start to a painted window that takes input."""

    def start(which: str) -> Callable[[], None]:
        script = str(FilePath(__file__).with_name("first_window.py"))

        def run() -> None:
            subprocess.run([sys.executable, script, which], check=True, capture_output=True)

        return run

    # of the time some 28 % are Qt's own import, 26 % ours, 27 % building the widgets, 8 % the first picture: what is left to put off
    # is a page nobody has asked for yet
    yield compared("first window, ready for input", start("bare"), start("archimetra"), reach=2.8, runs=7)


def stalls() -> Iterator[Row]:
    """The event loop's longest waits while things go on around it."""
    app = QApplication.instance() or QApplication(sys.argv[:1])
    style.load_fonts()
    with tempfile.TemporaryDirectory() as folder, _OpenWindow(app, quay_tide_clock()) as opened:
        opened.artwork = FilePath(folder) / "large.svg"
        opened.artwork.write_bytes(svg_of_size(5.0))
        yield opened.watched("stall while planning, 20,000-segment profile replanned 8 times", opened.replan_often)
        yield opened.watched("stall while playing the run", opened.play)
        yield opened.watched("stall while dragging the section line", opened.drag_section)
        yield opened.watched("stall while a 5 MB SVG is read", opened.read_svg)
    with _OpenWindow(app, quay_tide_clock()) as opened:
        opened.get_ready_to_nest()
        yield opened.watched("stall while 200 pieces are nested", opened.nest)
        yield opened.watched("stall while the layout is kept and planned", opened.keep)
    rings = [Path.polyline(wavy(500, size=12.0, waves=9, at=at), closed=True) for at in _grid(20, 28.0)]
    with _OpenWindow(app, JobFile(job_of(rings))) as opened:
        yield opened.watched("stall while panning and zooming 200,000 segments", opened.pan)
        yield opened.watched("stall while 400 shapes are nudged, each replanned", opened.drag_shapes)


class _OpenWindow:
    """A window on a job as people have it, keeping work aside and all loaded, and a clock that notes every gap between two turns of its
    event loop."""

    def __init__(self, app, content: JobFile) -> None:
        self.app = app
        self.session = Session()
        self.window = MainWindow(self.session, theme="light")
        self._content = content
        self._kept_aside = tempfile.TemporaryDirectory()
        self.artwork = FilePath()
        self.large = JobFile(job_of([Path.polyline(wavy(20_000, at=(300, 300)), closed=True)]))
        self._gaps: list[float] = []
        self._last = 0.0
        self._clock = QTimer()
        self._clock.setInterval(1)
        self._clock.timeout.connect(self._tick)

    def __enter__(self) -> _OpenWindow:
        self.window.show()
        self.session.start(FilePath(self._kept_aside.name))
        load_for_pages()
        self.session.open_job(self._content, None)
        self.run_until(lambda: not self.session.planning.is_planning and self.session.playhead.moment is not None)
        self.run_for(1.0)
        return self

    def __exit__(self, *_: object) -> None:
        self.session.forget_changes()
        self.window.close()
        self.run_for(0.2)
        self._kept_aside.cleanup()

    def watched(self, name: str, work: Callable[[], None]) -> Row:
        self._gaps = []
        self._last = time.perf_counter()
        self._clock.start()
        work()
        self._clock.stop()
        gaps = np.array(self._gaps) * 1000
        # what someone clicking at any moment would wait: a gap of 100 ms is met a hundred times as often as one of 1 ms
        waits = np.concatenate([np.arange(gap, 0.0, -1.0) for gap in gaps])
        p99 = float(np.percentile(waits, 99))
        return Row(name, "16 ms frame", f"longest {gaps.max():.0f} ms", p99, 50.0, "ms (99 %)")

    def acted(self, name: str, act: Callable[[int], None]) -> Row:
        def work() -> None:
            for k in range(6):
                act(k)
                self.run_for(0.4)

        return self.watched(name, work)

    def _tick(self) -> None:
        now = time.perf_counter()
        self._gaps.append(now - self._last)
        self._last = now

    def run_for(self, seconds: float) -> None:
        end = time.perf_counter() + seconds
        while time.perf_counter() < end:
            self.app.processEvents()
            time.sleep(0.0002)

    def run_until(self, done: Callable[[], bool], limit: float = 120.0) -> None:
        end = time.perf_counter() + limit
        while not done() and time.perf_counter() < end:
            self.app.processEvents()
            time.sleep(0.0002)

    # ---- what is done meanwhile

    def replan_often(self) -> None:
        self.session.open_job(self.large, None)
        cut = self.session.board.cuts[0].id
        for k in range(8):
            self.run_for(0.15)
            self.session.apply(edits.change_cut(self.session.job, cut, "Depth", end_depth=5.0 + k, goes_through=False))
        self.run_until(lambda: not self.session.planning.is_planning)
        self.run_for(1.0)

    def play(self) -> None:
        self.session.playhead.go_to(0.0)
        self.window.playback.set_speed(500)
        self.window.toggle_play()
        self.run_for(3.0)
        self.window.playback.stop()

    def drag_section(self) -> None:
        for k in range(150):
            y = 20.0 + 2 * k
            self.session.playhead.move_line(((-10.0, y), (330.0, y + 30)))
            self.run_for(0.01)

    def read_svg(self) -> None:
        self.window.station_artwork()
        self.session.imports.read_artwork(ArtworkRequest(0, path=str(self.artwork)))
        self.run_until(lambda: not self.session.imports.is_reading)
        self.run_for(0.5)

    def get_ready_to_nest(self) -> None:
        session = self.session
        for part in session.job.parts:
            session.apply(change_part(session.job, part.id, quantity=34))
        board = next(board for board in session.job.boards if board.name == "Hands")
        session.apply(change_sheet(session.job, board.id, "Sheet", width=1200.0, height=700.0))
        session.show_board(board.id)
        self.window.station_layout()
        self.window.pages["layout"].show_panel("Nest")
        self.run_for(4.0)

    def nest(self) -> None:
        self.session.nesting.start((self.session.board_id,), NestSettings(5.0, 6.0))
        self.run_for(8.0)
        self.session.nesting.stop()
        self.run_until(lambda: not self.session.nesting.is_running)

    def keep(self) -> None:
        self.session.nesting.keep()
        self.run_until(lambda: not self.session.planning.is_planning)
        self.run_for(1.0)

    def pan(self) -> None:
        plan = self.window.plan
        for k in range(200):
            view = plan.view.panned(3.0 if k % 40 < 20 else -3.0, 1.0)
            plan.view = view.zoomed(1.03 if k % 100 < 50 else 1 / 1.03, QPointF(400, 250))
            plan.update()
            self.run_for(0.016)

    def drag_shapes(self) -> None:
        session = self.session
        session.pick([shape.id for shape in session.board.shapes])
        for _ in range(20):
            edit = placing.map_shapes(
                session.job, session.board.id, session.picked, Affine.shift(0.2, 0.1), merge="drag"
            )
            session.apply(edit)
            self.run_for(0.03)


def acting() -> Iterator[Row]:
    """Single acts in a full job, each a few times with rests between: how long the window answers to nothing else."""
    app = QApplication.instance() or QApplication(sys.argv[:1])
    style.load_fonts()
    squares = [Path.rectangle(14 * (k % 40), 30 * (k // 40), 10, 20) for k in range(400)]
    with _OpenWindow(app, JobFile(job_of(squares, cuts=40))) as opened:
        session, window = opened.session, opened.window
        window.station_cuts()
        session.show_cut(session.board.cuts[7].id)
        opened.run_for(0.5)
        span = session.planning.plan.times.total

        def depth(k: int) -> None:
            session.apply(
                edits.change_cut(session.job, session.board.cuts[7].id, "", end_depth=3.0 + k, goes_through=False)
            )

        def nudge(k: int) -> None:
            session.pick([shape.id for shape in session.board.shapes[:40]])
            session.apply(placing.map_shapes(session.job, session.board.id, session.picked, Affine.shift(0.3, 0.0)))

        yield opened.acted("40 cuts, a depth committed", depth)
        yield opened.acted("40 cuts, shapes nudged", nudge)
        yield opened.acted("40 cuts, the moment moved", lambda k: session.playhead.go_to(span * (k + 1) / 8))
        # Qt styles each of some 800 widgets twice, a seventh of a millisecond each time; nobody switches in the middle of a gesture
        switched = opened.acted("theme switched", lambda k: window.set_theme("light" if k % 2 else "dark"))
        yield switched._replace(reach=300.0)


def dragging() -> Iterator[Row]:
    """Two thousand shapes under the hand: from a move of the mouse to the painted plan."""
    app = QApplication.instance() or QApplication(sys.argv[:1])
    style.load_fonts()
    shapes = [Path.circle((12 + 11 * i, 12 + 11 * j), 4.0) for i in range(50) for j in range(40)]
    drawn = tuple(DrawnShape(f"s{k}", 0, (path,), FillRule.NONZERO, True, None, 1) for k, path in enumerate(shapes))
    job = new_job()
    job = edits.change_board(job, job.boards[0].id, "", sheet=Sheet(width=600, height=500, readings=(18.0,))).job
    drawing = Drawing("many", (DrawnLayer("all"),), drawn, Scale("mm", 1.0, "", True), (600.0, 500.0), ())
    job = placement.place_drawing(job, job.boards[0].id, drawing)[0].job
    with _OpenWindow(app, JobFile(job)) as opened:
        plan = opened.window.plan
        opened.session.pick([shape.id for shape in opened.session.board.shapes])
        opened.run_for(0.5)
        start = plan.view.to_screen(63, 89)  # on an outline, off the handles
        frames = []
        _mouse(plan, QEvent.Type.MouseButtonPress, start)
        for k in range(60):
            begin = time.perf_counter()
            _mouse(plan, QEvent.Type.MouseMove, start + QPointF(2.0 * k, 0.7 * k))
            plan.repaint()
            frames.append(time.perf_counter() - begin)
            opened.run_for(0.002)
        _mouse(plan, QEvent.Type.MouseButtonRelease, start + QPointF(120, 42))
    worst = float(np.percentile(frames[3:], 95)) * 1000
    yield Row("2,000 shapes dragged, a frame", "", f"{np.median(frames) * 1000:.1f} ms", worst, 16.7, "ms (95 %)")


def letters() -> Iterator[Row]:
    """One shape under the hand among the many outlines of a long text."""
    app = QApplication.instance() or QApplication(sys.argv[:1])
    style.load_fonts()
    job = new_job()
    job = edits.change_board(job, job.boards[0].id, "", sheet=Sheet(width=600, height=500, readings=(18.0,))).job
    form = TextForm(
        text="\n".join(["Quay tide clock, high water"] * 20), cap_height=12.0, font="Libre Baskerville Bold"
    )
    done = shaping.draw(job, job.boards[0].id, form, Affine.shift(60, 40))
    done = shaping.draw(done.edit.job, job.boards[0].id, RectangleForm(width=30, height=20), Affine.shift(560, 460))
    with _OpenWindow(app, JobFile(done.edit.job)) as opened:
        plan = opened.window.plan
        opened.session.pick(done.pick)
        opened.run_for(0.5)
        start = plan.view.to_screen(545, 466)  # on its outline
        frames = []
        _mouse(plan, QEvent.Type.MouseButtonPress, start)
        for k in range(60):
            begin = time.perf_counter()
            _mouse(plan, QEvent.Type.MouseMove, start + QPointF(-2.0 * k, 0.7 * k))
            plan.repaint()
            frames.append(time.perf_counter() - begin)
            opened.run_for(0.002)
        _mouse(plan, QEvent.Type.MouseButtonRelease, start + QPointF(-120, 42))
        assert opened.session.undo_label == "Move"
    worst = float(np.percentile(frames[3:], 95)) * 1000
    yield Row(
        "a shape dragged among 500 letters, a frame", "", f"{np.median(frames) * 1000:.1f} ms", worst, 16.0, "ms (95 %)"
    )


def _mouse(plan, kind: QEvent.Type, at: QPointF) -> None:
    left, none = Qt.MouseButton.LeftButton, Qt.MouseButton.NoButton
    which = none if kind is QEvent.Type.MouseMove else left
    held = none if kind is QEvent.Type.MouseButtonRelease else left
    event = QMouseEvent(kind, at, plan.mapToGlobal(at), which, held, Qt.KeyboardModifier.NoModifier)
    QApplication.sendEvent(plan, event)


def _grid(count: int, pitch: float) -> list[tuple[float, float]]:
    return [(30 + pitch * i, 30 + pitch * j) for i in range(count) for j in range(count)]


ROWS = (first_window, dragging, letters, acting, stalls)
