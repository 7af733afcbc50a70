"""How the stand-in moves: straight segments with acceleration and braking, corners taken at a speed, a buffer it looks ahead in.

A corner that turns by an angle (theta between the two directions, pi when straight) is passed at v^2 = a d h / (1 - h), h = sin(theta / 2): the
circle that leaves the corner by d needs the acceleration a there. Speeds at the joints are planned backward from a stand at the last segment, so
that everything in the buffer can still be braked away (Jeon & Ha 2000).
"""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass
from math import dist, hypot, inf, sqrt

Place = tuple[float, float, float]
_STILL = 1e-9


@dataclass(frozen=True)
class Limits:
    """mm/s and mm/s2; ``deviation`` mm at corners; ``blocks`` segments the buffer holds."""

    rapid: Place = (5000 / 60, 5000 / 60, 1500 / 60)
    acceleration: Place = (400.0, 400.0, 200.0)
    max_feed: float = 4000 / 60
    deviation: float = 0.02
    blocks: int = 32


@dataclass
class Segment:
    """A straight way. ``speed`` is asked for, ``joint`` the most it may be begun with, ``entry`` what it is planned to be begun with."""

    start: Place
    end: Place
    way: Place
    length: float
    speed: float
    acceleration: float
    joint: float
    entry: float
    is_rapid: bool
    number: int


class Motion:
    """``log`` takes every place where a segment ended or the machine came to a stand: (seconds, x, y, z, number of the line)."""

    def __init__(self, limits: Limits, at: Place = (0.0, 0.0, 0.0)) -> None:
        self.limits = limits
        self.now = 0.0
        self.position: Place = at
        self.speed = 0.0
        self.is_holding = False
        self.feed_share, self.rapid_share = 1.0, 1.0
        self.queue: deque[Segment] = deque()
        self.log: list[tuple[float, float, float, float, int]] = []
        self._along = 0.0
        self._end = at  # where the last segment in the buffer ends

    @property
    def room(self) -> int:
        return self.limits.blocks - len(self.queue)

    @property
    def is_still(self) -> bool:
        return self.speed <= _STILL

    @property
    def is_done(self) -> bool:
        return not self.queue

    @property
    def end(self) -> Place:
        """Where everything in the buffer leads."""
        return self._end

    def add(self, end: Place, speed: float, *, is_rapid: bool, number: int = 0, radius: float = inf) -> None:
        """One more segment; nothing where it leads nowhere. ``speed`` mm/s is ignored by rapids. On a curve of ``radius`` it is no faster than
        sqrt(a r)."""
        start, length = self._end, dist(self._end, end)
        if length < _STILL:
            return
        way = tuple((b - a) / length for a, b in zip(start, end, strict=True))
        acceleration = _along(way, self.limits.acceleration)
        most = _along(way, self.limits.rapid)
        wanted = most if is_rapid else min(speed, self.limits.max_feed, most)
        wanted = min(wanted, sqrt(acceleration * radius)) if radius < inf else wanted
        joint = 0.0
        if self.queue:
            before = self.queue[-1]
            joint = min(self._corner(before, way, acceleration), before.speed, wanted)
        self.queue.append(
            Segment(start, end, (way[0], way[1], way[2]), length, wanted, acceleration, joint, 0.0, is_rapid, number)
        )
        self._end = end
        self._plan()

    def _corner(self, before: Segment, way: Sequence[float], acceleration: float) -> float:
        cosine = sum(a * b for a, b in zip(before.way, way, strict=True))
        half = sqrt(max((1 + cosine) / 2, 0.0))
        if half > 1 - 1e-12:
            return inf
        return sqrt(min(before.acceleration, acceleration) * self.limits.deviation * half / (1 - half))

    def _plan(self) -> None:
        """Speeds at the joints, from the last back to the first that does not change; the one under way keeps what it was begun with."""
        following = 0.0
        for k in range(len(self.queue) - 1, 0, -1):
            one = self.queue[k]
            entry = min(one.joint, sqrt(following * following + 2 * one.acceleration * one.length))
            if entry == one.entry and k < len(self.queue) - 1:
                break
            one.entry = following = entry

    def hold(self) -> None:
        """Brake to a stand on the way; nothing is lost."""
        self.is_holding = True

    def resume(self) -> None:
        self.is_holding = False

    def drop(self) -> None:
        """Forget the rest of the way; it stands where it is."""
        self.queue.clear()
        self.speed, self._along, self.is_holding = 0.0, 0.0, False
        self._end = self.position
        self._note(0)

    def put(self, at: Place) -> None:
        """Stand somewhere else at once (homing)."""
        self.queue.clear()
        self.speed, self._along = 0.0, 0.0
        self.position = self._end = at
        self._note(0)

    def advance(self, seconds: float) -> None:
        """Let time pass."""
        self.now += seconds
        left = seconds
        while left > 1e-12 and self.queue:
            if self.is_holding and self.is_still:
                break
            left -= self._step(left)

    def _step(self, left: float) -> float:
        """Move for at most so many seconds in one phase of one segment; the seconds it took."""
        one = self.queue[0]
        a, v = one.acceleration, self.speed
        rest = one.length - self._along
        leaving = self.queue[1].entry if len(self.queue) > 1 else 0.0
        share = self.rapid_share if one.is_rapid else self.feed_share
        wanted = one.speed * share
        if self.is_holding:
            return self._go(left, -a, min(left, v / a), one)
        leaving = min(leaving, wanted) if share < 1 else leaving
        top = min(wanted, sqrt(max((2 * a * rest + v * v + leaving * leaving) / 2, 0.0)))
        if v > wanted + 1e-6:  # asked to be slower than it is
            return self._go(left, -a, min(left, (v - wanted) / a), one)
        if v < top - 1e-6:
            return self._go(left, a, min(left, (top - v) / a), one)
        braking = (v * v - leaving * leaving) / (2 * a)
        if rest - braking > 1e-9:
            return self._go(left, 0.0, min(left, (rest - braking) / max(v, 1e-9)), one)
        return self._go(left, -a, min(left, max((v - leaving) / a, 1e-9)), one, ends=True)

    def _go(self, left: float, acceleration: float, seconds: float, one: Segment, *, ends: bool = False) -> float:
        way = max(self.speed * seconds + acceleration * seconds * seconds / 2, 0.0)
        rest = one.length - self._along
        if way >= rest - 1e-9 or (ends and rest < 1e-6):
            if way > rest + 1e-9 and way > 0:  # past its end: only as long as it takes to there
                seconds = self._time_to(rest, acceleration)
            self.speed = max(self.speed + acceleration * seconds, 0.0)
            self._finish(one, seconds, left)
            return max(seconds, 1e-12)
        self._along += way
        self.speed = max(self.speed + acceleration * seconds, 0.0)
        self.position = _at(one, self._along)
        if self.is_still:
            self.speed = 0.0
            if self.is_holding:
                self._note(one.number)
        return max(seconds, 1e-12)

    def _time_to(self, rest: float, acceleration: float) -> float:
        if abs(acceleration) < 1e-12:
            return rest / max(self.speed, 1e-12)
        root = sqrt(max(self.speed * self.speed + 2 * acceleration * rest, 0.0))
        return max((root - self.speed) / acceleration, 0.0)

    def _finish(self, one: Segment, seconds: float, left: float) -> None:
        self.queue.popleft()
        self.position = one.end
        self._along = 0.0
        if not self.queue:
            self.speed = 0.0
        self.log.append((self.now - left + seconds, *one.end, one.number))

    def _note(self, number: int) -> None:
        self.log.append((self.now, *self.position, number))


def _along(way: Sequence[float], most: Sequence[float]) -> float:
    """The largest value along a direction that keeps its flat part and its vertical one within their limits."""
    flat, up = hypot(way[0], way[1]), abs(way[2])
    return min(min(most[0], most[1]) / flat if flat > 1e-12 else inf, most[2] / up if up > 1e-12 else inf)


def _at(one: Segment, along: float) -> Place:
    x, y, z = (a + w * along for a, w in zip(one.start, one.way, strict=True))
    return x, y, z
