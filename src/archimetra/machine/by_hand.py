"""Leading a machine by hand: jogs of a distance, and jogs that last as long as they are said again, sent in pieces; none of them beyond the travel."""

from __future__ import annotations

from math import hypot, inf

from archimetra.machine.messages import JogHeld, Place, Reach
from archimetra.machine.protocol import Doing, Report

LED_S = 0.3  # so long after it was led by hand a report may still be of before
HELD_S = 0.25  # a held jog that is not said again ends
PIECE_S = 0.1  # a held jog is sent in pieces as long as this
AHEAD = 3  # pieces sent before they are begun
_LEAST_MM = 1e-4


class ByHand:
    """``goal`` is where what was sent leads, machine coordinates, None while nothing is under way: reports tell of it late, and several jogs may be
    under way at once."""

    def __init__(self) -> None:
        self.reach: Reach | None = None
        self.held: JogHeld | None = None
        self.ends = False  # let go of; pieces that were under way are broken off as they are read
        self.goal: Place | None = None
        self._held_at = self._piece_at = self._led_at = -inf

    def is_led(self, now: float) -> bool:
        """Whether it is led, or was so lately that the last report may be of before."""
        return self.held is not None or now - self._led_at < LED_S

    def step(self, by: Place, feed: float, report: Report | None, now: float) -> tuple[str, bool]:
        """The line for a jog of a distance, '' where the travel ends there; and whether it is shorter than asked."""
        kept = self._kept_within(by, report)
        if max(abs(v) for v in kept) < 1e-6:
            return "", True
        self._led_at = now
        self._goes_on(kept, report)
        return _line(kept, feed), any(abs(a) + 1e-6 < abs(b) for a, b in zip(kept, by, strict=True))

    def hold(self, message: JogHeld, now: float) -> None:
        """Begin to move, or go on."""
        if self.held is None:
            self._piece_at, self.ends = now, False
        self.held, self._held_at = message, now

    def is_forgotten(self, now: float) -> bool:
        """Whether a held jog was not said again in time."""
        return self.held is not None and now - self._held_at > HELD_S

    def let_go(self, now: float) -> bool:
        """Whether there is something to break off."""
        if self.held is None:
            return False
        self.held, self._led_at, self.ends = None, now, True
        self.goal = None
        return True

    def drop(self) -> None:
        """Nothing is led any more: it was stopped, or locked itself."""
        self.held = self.goal = None

    def pieces(self, report: Report | None, now: float, under_way: int) -> list[str]:
        """Lines of a held jog that are due, with so many lines under way already."""
        held, out = self.held, list[str]()
        if held is None:
            return out
        length, norm = held.feed / 60 * PIECE_S, hypot(*held.way) or 1.0
        x, y, z = (v / norm * length for v in held.way)
        while now >= self._piece_at - (AHEAD - 1) * PIECE_S and under_way + len(out) < AHEAD:
            by = self._kept_within((x, y, z), report)
            if max(abs(v) for v in by) < _LEAST_MM:
                break
            self._piece_at = max(self._piece_at, now - PIECE_S) + PIECE_S
            self._goes_on(by, report)
            out.append(_line(by, held.feed))
        return out

    def look(self, report: Report, now: float) -> None:
        """What a report says of it: standing, it is where it was to go."""
        if report.doing not in (Doing.JOG, Doing.RUN) and not self.is_led(now):
            self.goal = None

    def _goes_on(self, by: Place, report: Report | None) -> None:
        begin = self.goal or (report.machine if report is not None else None)
        if begin is not None:
            self.goal = (begin[0] + by[0], begin[1] + by[1], begin[2] + by[2])

    def _kept_within(self, by: Place, report: Report | None) -> Place:
        """A way as far as the travel goes, from where what was sent before leads to."""
        reach, begin = self.reach, self.goal or (report.machine if report is not None else None)
        if reach is None or reach.low is None or reach.high is None or begin is None:
            return by
        # broken off a moment ago it still brakes: how far is not told yet
        brakes = AHEAD * PIECE_S * report.feed / 60 if report is not None and self.goal is None else 0.0
        out = []
        for k in range(3):
            room = (reach.high[k] - begin[k] if by[k] > 0 else begin[k] - reach.low[k]) - (brakes if by[k] else 0.0)
            out.append(by[k] if abs(by[k]) <= room else max(room, 0.0) * (1 if by[k] > 0 else -1))
        return out[0], out[1], out[2]


def _line(by: Place, feed: float) -> str:
    words = " ".join(f"{letter}{v:.4f}" for letter, v in zip("XYZ", by, strict=True) if abs(v) >= 5e-5)
    return f"$J=G21 G91 {words} F{feed:.0f}"
