"""Rows with a machine at the other end of a line: the stand-in in a process of its own, the link in another, the window drawing."""

from __future__ import annotations

import json
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path as FilePath

import numpy as np
from PySide6.QtWidgets import QApplication

from archimetra.app.session.at_machine import Running, Stage
from archimetra.app.theme import style
from archimetra.demo import quay_tide_clock
from archimetra.edits import basic as edits
from archimetra.engine.messages import NestSettings
from archimetra.machine.course import course_of
from archimetra.machine.runs import About, now_words
from rows import Row
from window_rows import _OpenWindow

MOVES, EACH_MM, FEED = 8000, 0.02, 1200.0  # 1 ms each, and short enough that 32 of them are far enough to brake
STOPS = 1000


def short_moves() -> str:
    """A circle walked round in short straight moves, as a carving is."""
    radius = 40.0
    angle = np.arange(1, MOVES + 1) * EACH_MM / radius
    x, y = radius * np.sin(angle), radius - radius * np.cos(angle)
    lines = "".join(f"X{a:.4f} Y{b:.4f}\n" for a, b in zip(x, y, strict=True))
    return f"G21 G90\nG1 F{FEED:.0f}\n{lines}"


@contextmanager
def _process(*arguments: str) -> Iterator[tuple[str, subprocess.Popen[str]]]:
    """Something that prints where it can be reached; its address and itself."""
    process = subprocess.Popen([sys.executable, *arguments], stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    try:
        yield process.stdout.readline().strip(), process
    finally:
        process.terminate()
        process.wait()
        process.stdout.close()


def machine() -> Iterator[Row]:
    """A program of short moves while the window draws: is the control ever short of moves, how old is what is shown, how long does the window stand."""
    app = QApplication.instance() or QApplication(sys.argv[:1])
    style.load_fonts()
    stand_in = ("-m", "archimetra", "stand-in", "--unlocked")
    with _process(*stand_in) as (address, _), _OpenWindow(app, quay_tide_clock()) as opened:
        window, at = opened.window, opened.window.session.machine
        window.station_machine()
        at.connect_to(address)
        opened.run_until(lambda: at.stage is Stage.READY)
        at.jog((200.0, 200.0, -40.0), 5000.0)
        opened.run_until(lambda: at.now.at is not None and abs(at.now.at[2] + 40) < 1e-3 and at.stage is Stage.READY)
        opened.run_for(0.3)
        at.set_zero(x=0.0, y=0.0, z=0.0)
        opened.run_until(lambda: at.now.zero is not None and at.now.zero[0] > 100)
        text = short_moves()
        about = About(
            job="bench", board="bench", board_id="", file="bench", machine="bench", digest="", began=now_words(), expected_s=MOVES / 1000,
            lines=text.count("\n"), zero=at.now.zero or (0.0, 0.0, 0.0), is_air=True,
        )  # fmt: skip
        told: list[float] = []
        rooms: list[int] = []

        def note() -> None:
            told.append(time.perf_counter())
            if at.now.run == "running" and 0.02 * MOVES < at.now.line < 0.97 * MOVES:
                rooms.append(at.now.room)

        at.moved.connect(note)

        def run() -> None:
            at._begin(text, course_of(text, at.at), about, Running("bench", text, (), 0, about, None, "", ""))
            opened.run_until(lambda: at.running is not None and at.now.run == "running")
            begin = len(told)
            window.playback.toggle()  # the views draw all the while
            opened.run_until(lambda: at.running is None)
            window.playback.stop()
            del told[:begin]

        yield opened.watched("running 1,000 moves a second, playing beside it", run)
        ideal = MOVES / 1000
        assert at.last is not None
        taken = at.last[1].seconds
        yield Row(
            "1,000 short moves a second, as long as they take", f"{ideal:.2f} s", f"{taken:.2f} s", taken / ideal, 1.05
        )
        yield Row("the control's buffer, blocks empty (99 %)", "", "", float(np.percentile(rooms, 99)), 16.0, "of 32")
        gaps = np.diff(told) * 1000
        yield Row(
            "what is shown of the machine is this old (99 %)", "", "", float(np.percentile(gaps, 99)), 100.0, "ms"
        )
        at.close()


def stopping() -> Iterator[Row]:
    """From the press of the button to the byte on the line, a thousand times, while boards are planned and nested and the views play."""
    app = QApplication.instance() or QApplication(sys.argv[:1])
    style.load_fonts()
    script = str(FilePath(__file__).with_name("stop_clock.py"))
    with _process(script) as (address, process), _OpenWindow(app, quay_tide_clock()) as opened:
        window, at = opened.window, opened.window.session.machine
        window.station_machine()
        at.connect_to(address)
        opened.run_until(lambda: at.stage is Stage.READY)
        opened.get_ready_to_nest()
        pressed: list[float] = []
        window.playback.toggle()
        halt = window.page("machine").halt  # type: ignore[attr-defined]
        opened.session.nesting.start((opened.session.board_id,), NestSettings(5.0, 6.0))
        session, cut = opened.session, opened.session.board.cuts[0].id
        for k in range(STOPS):
            if k % 40 == 0:
                edit = edits.change_cut(session.job, cut, "Depth", end_depth=1.0 + k / 1000, goes_through=False)
                session.apply(edit)
            pressed.append(time.monotonic())
            halt.clicked.emit()
            opened.run_for(0.2 if k % 40 == 0 else 0.02)
        window.playback.stop()
        session.nesting.stop()
        opened.run_for(0.5)
        process.terminate()
        assert process.stdout is not None
        held = json.loads(process.stdout.readline())
        at.close()
    late = (np.array(held[: len(pressed)]) - np.array(pressed)) * 1000
    yield Row("a stop on the line, all but one of 1,000", "", "", float(np.sort(late)[-2]), 50.0, "ms")
    yield Row("a stop on the line, in the middle", "", "", float(np.median(late)), None, "ms")


ROWS = (machine, stopping)
