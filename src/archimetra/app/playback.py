"""Playing the run: a clock that moves the moment on, and steps by move and by cut."""

from __future__ import annotations

import time

import numpy as np
from PySide6.QtCore import QObject, Qt, QTimer, Signal

from archimetra.app.session import Session

FRAME_MS = 33
FIRST_SPEED = 50


class Playback(QObject):
    playing_changed = Signal(bool)
    speed_changed = Signal(int)
    loop_changed = Signal(object)  # (from, to) in seconds, or None

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.speed = FIRST_SPEED
        self.loop: tuple[float, float] | None = None
        session.board_changed.connect(lambda: self.set_loop(None))
        self._last = 0.0
        self._timer = QTimer(self)
        self._timer.setInterval(FRAME_MS)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self._frame)

    @property
    def is_playing(self) -> bool:
        return self._timer.isActive()

    def toggle(self) -> None:
        """Play from here (from the start, at the end), or pause."""
        if self.is_playing:
            self.stop()
            return
        total = self._total()
        if total <= 0:
            return
        begin, end = self._stretch()
        if not begin <= self._session.playhead.seconds < end:
            self._session.playhead.go_to(begin)
        self._last = time.perf_counter()
        self._timer.start()
        self.playing_changed.emit(True)

    def stop(self) -> None:
        if self.is_playing:
            self._timer.stop()
            self.playing_changed.emit(False)

    def set_speed(self, speed: int) -> None:
        self.speed = speed
        self.speed_changed.emit(speed)

    def set_loop(self, loop: tuple[float, float] | None) -> None:
        """Play a stretch again and again; None for all of it, once."""
        if loop != self.loop:
            self.loop = loop
            self.loop_changed.emit(loop)

    def _stretch(self) -> tuple[float, float]:
        total = self._total()
        begin, end = self.loop if self.loop is not None else (0.0, total)
        return (begin, min(end, total)) if begin < total else (0.0, total)

    def go_to(self, seconds: float) -> None:
        """A moment asked for by hand; playing stops."""
        self.stop()
        self._session.playhead.go_to(seconds)

    def step_moves(self, by: int) -> None:
        """One move on or back."""
        plan = self._session.planning.plan
        if plan is None or not len(plan.times.ends):
            return
        ends, now = plan.times.ends, self._session.playhead.seconds
        if by > 0:
            k = int(np.searchsorted(ends, now + 1e-9, side="right"))
            self.go_to(float(ends[min(k, len(ends) - 1)]))
        else:
            k = int(np.searchsorted(ends, now - 1e-9, side="left")) - 1
            self.go_to(float(ends[k]) if k >= 0 else 0.0)

    def step_passes(self, by: int) -> None:
        """To where the next pass begins, or this one (or the one before it)."""
        plan = self._session.planning.plan
        if plan is None or len(plan.run) < 2:
            return
        run, ends = plan.run, plan.times.ends
        is_cut = (run.block[1:] >= 0) & (run.pass_no[1:] > 0)
        is_other = (run.pass_no[1:] != run.pass_no[:-1]) | (run.block[1:] != run.block[:-1])
        begins = ends[:-1][is_cut & is_other]
        now = self._session.playhead.seconds
        if by > 0:
            after = begins[begins > now + 0.01]
            self.go_to(float(after[0]) if len(after) else plan.times.total)
        else:
            before = begins[begins < now - 0.01]
            self.go_to(float(before[-1]) if len(before) else 0.0)

    def step_cuts(self, by: int) -> None:
        """To where the next cut begins, or this one (or the one before it)."""
        plan = self._session.planning.plan
        if plan is None:
            return
        begins = [float(plan.times.ends[max(block.first - 1, 0)]) for block in plan.run.blocks]
        now = self._session.playhead.seconds
        if by > 0:
            self.go_to(next((t for t in begins if t > now + 0.01), plan.times.total))
        else:
            self.go_to(next((t for t in reversed(begins) if t < now - 0.01), 0.0))

    def _total(self) -> float:
        return self._session.planning.plan.times.total if self._session.planning.plan is not None else 0.0

    def _frame(self) -> None:
        now = time.perf_counter()
        begin, end = self._stretch()
        seconds = self._session.playhead.seconds + (now - self._last) * self.speed
        self._last = now
        if self.loop is not None and seconds >= end:
            seconds = begin
        self._session.playhead.go_to(seconds)
        if self.loop is None and self._session.playhead.seconds >= self._total():
            self.stop()
