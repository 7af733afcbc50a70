"""SVG path data, basic shapes, transforms and lengths as exact geometry, strictly read.

A token matches whole or not at all: damaged data raises ``ValueError`` with the place, and is never mended by
keeping its front. Coordinates stay in the file's units, y down.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from math import asin, atan2, ceil, cos, degrees, hypot, isfinite, pi, radians, sin, sqrt, tan

import numpy as np

from archimetra.geometry.affine import IDENTITY, Affine
from archimetra.geometry.path import Path
from archimetra.geometry.segments import Kind

_NUMBER = r"[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?"
_NUMBERS = re.compile(_NUMBER)
_SEPARATOR = re.compile(r"[\s,]*")
_COMMAND = re.compile(r"([MmZzLlHhVvCcSsQqTtAa])([^MmZzLlHhVvCcSsQqTtAa]*)")
_ARC = re.compile(
    rf"\s*({_NUMBER})[\s,]*({_NUMBER})[\s,]*({_NUMBER})[\s,]*([01])[\s,]*([01])[\s,]*({_NUMBER})[\s,]*({_NUMBER})[\s,]*"
)
_LENGTH = re.compile(rf"\s*({_NUMBER})\s*(mm|cm|in|pt|pc|px|q|%)?\s*", re.IGNORECASE)
_TRANSFORM = re.compile(r"[\s,]*(matrix|translate|scale|rotate|skewX|skewY)\s*\(([^)]*)\)[\s,]*")

ARGUMENTS = {"M": 2, "L": 2, "H": 1, "V": 1, "C": 6, "S": 4, "Q": 4, "T": 2, "A": 7, "Z": 0}
PX_PER_INCH = 96.0
MM_PER = {"mm": 1.0, "cm": 10.0, "in": 25.4, "pt": 25.4 / 72, "pc": 25.4 / 6, "q": 0.25, "px": 25.4 / PX_PER_INCH}


def parse_numbers(text: str) -> list[float]:
    """All numbers of a list; ValueError where anything else stands between them."""
    out: list[float] = []
    at = _end(_SEPARATOR, text, 0)
    while at < len(text):
        found = _NUMBERS.match(text, at)
        if found is None:
            raise ValueError(f"'{text[at : at + 12].strip()}' is not a number")
        out.append(float(found.group()))
        at = _end(_SEPARATOR, text, found.end())
    if not all(isfinite(value) for value in out):
        raise ValueError("a number is too large")
    return out


def parse_length(text: str) -> tuple[float, str]:
    """``(value, unit)`` with unit '' for a bare number; ValueError for anything else."""
    found = _LENGTH.fullmatch(text)
    if found is None or not isfinite(float(found.group(1))):
        raise ValueError(f"'{text.strip()}' is not a length")
    return float(found.group(1)), (found.group(2) or "").lower()


def parse_transform(text: str) -> Affine:
    """A transform list as one map; ValueError where a part is not understood."""
    total = IDENTITY
    at = 0
    while at < len(text):
        found = _TRANSFORM.match(text, at)
        if found is None:
            if not text[at:].strip():
                break
            raise ValueError(f"'{text[at : at + 20].strip()}' is not a transform")
        total = _one_transform(found.group(1), parse_numbers(found.group(2))).then(total)
        at = found.end()
    return total


def _one_transform(name: str, v: list[float]) -> Affine:
    match name, len(v):
        case "matrix", 6:
            return Affine(*v)
        case "translate", 1 | 2:
            return Affine.shift(v[0], v[1] if len(v) == 2 else 0.0)
        case "scale", 1 | 2:
            return Affine.scale(v[0], v[-1])
        case "rotate", 1 | 3:
            return Affine.turn(v[0], about=(v[1], v[2]) if len(v) == 3 else (0.0, 0.0))
        case "skewX", 1:
            return Affine(c=tan(radians(v[0])))
        case "skewY", 1:
            return Affine(b=tan(radians(v[0])))
    raise ValueError(f"{name} with {len(v)} numbers is not a transform")


def parse_path(data: str) -> list[Path]:
    """The subpaths of path data. Raises ValueError saying at which character the data is damaged."""
    builder = _Builder()
    at = _end(_SEPARATOR, data, 0)
    for command, numbers, at_command in _commands(data, at):
        builder.run(command, numbers, at_command)
    return builder.finish()


def _commands(data: str, start: int) -> Iterator[tuple[str, list[float], int]]:
    at = start
    while at < len(data):
        found = _COMMAND.match(data, at)
        if found is None:
            raise ValueError(f"path data is damaged at character {at + 1} ('{data[at : at + 12]}')")
        command, text = found.groups()
        try:
            numbers = _arc_numbers(text) if command in "Aa" else parse_numbers(text)
        except ValueError as error:
            raise ValueError(f"path data is damaged after character {at + 1}: {error}") from error
        need = ARGUMENTS[command.upper()]
        if (need == 0 and numbers) or (need and (not numbers or len(numbers) % need)):
            raise ValueError(f"path command {command} at character {at + 1} has {len(numbers)} numbers")
        yield command, numbers, at
        at = found.end()


def _arc_numbers(text: str) -> list[float]:
    """Arc arguments; the two flags may be written without anything between them."""
    out: list[float] = []
    at = 0
    while at < len(text) and text[at:].strip(" ,\t\r\n"):
        found = _ARC.match(text, at)
        if found is None:
            raise ValueError(f"'{text[at : at + 20].strip()}' is not an arc")
        out.extend(float(value) for value in found.groups())
        at = found.end()
    return out


class _Builder:
    """Collects subpaths; keeps the pen as SVG's grammar needs it."""

    def __init__(self) -> None:
        self.paths: list[Path] = []
        self._nodes: list[tuple[float, float]] = []
        self._kinds: list[int] = []
        self._params: list[tuple[float, float, float, float]] = []
        self._pen = (0.0, 0.0)
        self._start = (0.0, 0.0)
        self._control: tuple[float, float] | None = None
        self._control_of = ""
        self._is_begun = False

    def run(self, command: str, v: list[float], at: int) -> None:
        upper = command.upper()
        if not self._is_begun and upper != "M":
            raise ValueError(f"path data must start with M, not {command} at character {at + 1}")
        relative = command != upper
        if upper == "Z":
            self._close()
            return
        size = ARGUMENTS[upper]
        for k in range(0, len(v), size):
            ox, oy = self._pen if relative else (0.0, 0.0)
            step = "L" if upper == "M" and k else upper
            getattr(self, f"_{step}")(v[k : k + size], ox, oy)
            self._control_of = step

    def finish(self) -> list[Path]:
        self._flush(closed=False)
        return self.paths

    def _M(self, v: list[float], ox: float, oy: float) -> None:
        self._flush(closed=False)
        self._pen = self._start = (v[0] + ox, v[1] + oy)
        self._nodes = [self._pen]
        self._is_begun = True

    def _L(self, v: list[float], ox: float, oy: float) -> None:
        self._add(Kind.LINE, (v[0] + ox, v[1] + oy))

    def _H(self, v: list[float], ox: float, _oy: float) -> None:
        self._add(Kind.LINE, (v[0] + ox, self._pen[1]))

    def _V(self, v: list[float], _ox: float, oy: float) -> None:
        self._add(Kind.LINE, (self._pen[0], v[0] + oy))

    def _C(self, v: list[float], ox: float, oy: float) -> None:
        self._cubic((v[0] + ox, v[1] + oy), (v[2] + ox, v[3] + oy), (v[4] + ox, v[5] + oy))

    def _S(self, v: list[float], ox: float, oy: float) -> None:
        self._cubic(self._mirrored("CS"), (v[0] + ox, v[1] + oy), (v[2] + ox, v[3] + oy))

    def _Q(self, v: list[float], ox: float, oy: float) -> None:
        self._quadratic((v[0] + ox, v[1] + oy), (v[2] + ox, v[3] + oy))

    def _T(self, v: list[float], ox: float, oy: float) -> None:
        self._quadratic(self._mirrored("QT"), (v[0] + ox, v[1] + oy))

    def _A(self, v: list[float], ox: float, oy: float) -> None:
        end = (v[5] + ox, v[6] + oy)
        rx, ry = abs(v[0]), abs(v[1])
        if rx == ry and rx > 0 and end != self._pen:
            self._circular(rx, v[3] != 0, v[4] != 0, end)
            return
        piece = arc_path(self._pen, rx, ry, v[2], v[3] != 0, v[4] != 0, end)
        for i in range(len(piece)):
            to = end if i == len(piece) - 1 else (float(piece.nodes[i + 1, 0]), float(piece.nodes[i + 1, 1]))
            p = piece.params[i]
            self._add(Kind(int(piece.kinds[i])), to, (float(p[0]), float(p[1]), float(p[2]), float(p[3])))

    def _circular(self, r: float, large: bool, sweep: bool, end: tuple[float, float]) -> None:
        """The common case without arrays: bulges straight from the chord, two where it goes past half a circle."""
        (x0, y0), (x1, y1) = self._pen, end
        half = hypot(x1 - x0, y1 - y0) / 2
        angle = 2 * asin(min(half / r, 1.0))
        if large and half < r:
            angle = 2 * pi - angle
        turn = 1.0 if sweep else -1.0
        if angle <= pi:
            self._add(Kind.ARC, end, (turn * tan(angle / 4), 0.0, 0.0, 0.0))
            return
        rise = half * tan(angle / 4)  # the sagitta: bulge times half the chord
        middle = (
            (x0 + x1) / 2 + turn * (y1 - y0) / (2 * half) * rise,
            (y0 + y1) / 2 - turn * (x1 - x0) / (2 * half) * rise,
        )
        self._add(Kind.ARC, middle, (turn * tan(angle / 8), 0.0, 0.0, 0.0))
        self._add(Kind.ARC, end, (turn * tan(angle / 8), 0.0, 0.0, 0.0))

    def _cubic(self, c1: tuple[float, float], c2: tuple[float, float], end: tuple[float, float]) -> None:
        self._add(Kind.CUBIC, end, (*c1, *c2))
        self._control = c2

    def _quadratic(self, c: tuple[float, float], end: tuple[float, float]) -> None:
        (x0, y0), (x1, y1) = self._pen, end
        first = (x0 + 2 / 3 * (c[0] - x0), y0 + 2 / 3 * (c[1] - y0))
        second = (x1 + 2 / 3 * (c[0] - x1), y1 + 2 / 3 * (c[1] - y1))
        self._add(Kind.CUBIC, end, (*first, *second))
        self._control = c

    def _mirrored(self, kinds: str) -> tuple[float, float]:
        if self._control is None or self._control_of not in kinds:
            return self._pen
        return (2 * self._pen[0] - self._control[0], 2 * self._pen[1] - self._control[1])

    def _add(
        self, kind: Kind, end: tuple[float, float], params: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)
    ) -> None:
        if not self._nodes:
            self._nodes = [self._pen]
        if end != self._pen or (kind == Kind.CUBIC and len({self._pen, params[:2], params[2:], end}) > 1):
            self._nodes.append(end)
            self._kinds.append(kind)
            self._params.append(params)
        self._pen = end

    def _close(self) -> None:
        if self._nodes:
            self._add(Kind.LINE, self._start)
        self._flush(closed=True)
        self._pen = self._start

    def _flush(self, *, closed: bool) -> None:
        if self._kinds:
            self.paths.append(
                Path(np.array(self._nodes), np.array(self._kinds, np.uint8), np.array(self._params), closed=closed)
            )
        self._nodes, self._kinds, self._params = [], [], []


def arc_path(
    start: tuple[float, float], rx: float, ry: float, tilt: float, large: bool, sweep: bool, end: tuple[float, float]
) -> Path:
    """SVG's end-point arc as an open path: arcs where rx = ry, cubics otherwise.

    Centre form after SVG 1.1, appendix F.6.5; radii too small are enlarged as F.6.6 says.
    """
    if rx == 0.0 or ry == 0.0 or start == end:
        return Path.polyline([start, end], closed=False)
    turn = radians(tilt)
    c, s = cos(turn), sin(turn)
    hx, hy = (start[0] - end[0]) / 2, (start[1] - end[1]) / 2
    x, y = (c * hx + s * hy) / rx, (-s * hx + c * hy) / ry  # on the unit circle from here
    size = x * x + y * y
    if size > 1:
        rx, ry, x, y, size = rx * sqrt(size), ry * sqrt(size), x / sqrt(size), y / sqrt(size), 1.0
    push = sqrt(max((1 - size) / size, 0.0)) * (1 if large != sweep else -1)
    cx, cy = push * y, -push * x
    a0, a1 = atan2(y - cy, x - cx), atan2(-y - cy, -x - cx)
    angle = a1 - a0
    if sweep and angle < 0:
        angle += 2 * pi
    elif not sweep and angle > 0:
        angle -= 2 * pi
    count = max(1, ceil(abs(angle) / pi - 1e-12))
    angles = a0 + angle * np.arange(count + 1) / count
    unit = Path.arcs(
        np.column_stack((np.cos(angles), np.sin(angles))), np.full(count, tan(angle / count / 4)), closed=False
    )
    middle = ((start[0] + end[0]) / 2, (start[1] + end[1]) / 2)
    to_file = Affine.scale(rx, ry).then(Affine.turn(degrees(turn))).then(Affine.shift(*middle))
    return unit.transform(Affine.shift(cx, cy).then(to_file))


def circle_path(cx: float, cy: float, rx: float, ry: float) -> Path:
    """A circle or ellipse, closed."""
    if rx == ry:
        return Path.circle((cx, cy), rx)
    circle = Path.circle((0.0, 0.0), 1.0)
    return circle.transform(Affine.scale(rx, ry)).transform(Affine.shift(cx, cy))


def rectangle_path(x: float, y: float, width: float, height: float, rx: float, ry: float) -> Path:
    """A rectangle with round corners of radii rx, ry (0 for sharp ones), closed."""
    rx, ry = min(rx, width / 2), min(ry, height / 2)
    if rx <= 0 or ry <= 0:
        return Path.rectangle(x, y, width, height)
    data = (
        f"M{x + rx!r} {y!r}H{x + width - rx!r}A{rx!r} {ry!r} 0 0 1 {x + width!r} {y + ry!r}V{y + height - ry!r}"
        f"A{rx!r} {ry!r} 0 0 1 {x + width - rx!r} {y + height!r}H{x + rx!r}A{rx!r} {ry!r} 0 0 1 {x!r} {y + height - ry!r}"
        f"V{y + ry!r}A{rx!r} {ry!r} 0 0 1 {x + rx!r} {y!r}Z"
    )
    return parse_path(data)[0]


def _end(pattern: re.Pattern[str], text: str, at: int) -> int:
    found = pattern.match(text, at)
    return found.end() if found else at
