"""Fit: how many of one piece go on a sheet in rows and columns, straight or staggered, and how little more would take another."""

from __future__ import annotations

from collections.abc import Sequence
from math import floor
from typing import NamedTuple

import msgspec
import numpy as np
import shapely
from shapely import affinity
from shapely.geometry.base import BaseGeometry

from archimetra.geometry.region import Region
from archimetra.layout.nest.answer import Placement
from archimetra.layout.nest.request import KeepClear

_STEP_MM = 0.5  # how finely the first contact of two pieces is looked for; between, it is bisected
_EXACT_MM = 1e-4
_HAIR = 1e-6  # of a millimetre: what is just wide enough is wide enough
_SHIFTS = 6  # beginnings of the rows that are tried along each axis where something is in the way
_MOST_SHIFTED = 400
MOST = 5_000


class FitAsked(msgspec.Struct, frozen=True, kw_only=True, eq=False):
    """Pieces with this ``outline`` (what is kept, mm, the part's own coordinates) on a sheet ``width`` by ``height``, ``spacing`` apart at least,
    ``margin`` from its edges, at one of these ``turns`` (degrees), clear of what is to be kept clear. ``is_centred`` leaves as much on every side;
    else they begin at the lower left."""

    outline: Region
    width: float
    height: float
    spacing: float
    margin: float
    turns: tuple[float, ...] = (0.0,)
    is_staggered: bool = False
    is_centred: bool = False
    keep_clear: tuple[KeepClear, ...] = ()


class Fitted(msgspec.Struct, frozen=True, eq=False):
    """``rows`` of up to ``columns`` pieces, ``pitch`` (x, y) apart. ``places`` are those that clamps and other work leave free."""

    places: tuple[Placement, ...]
    columns: int
    rows: int
    pitch: tuple[float, float]
    degrees: float

    @property
    def count(self) -> int:
        return len(self.places)


def fit(asked: FitAsked) -> Fitted:
    """The turn at which most fit; of equals the first."""
    each = [_at(asked, turn) for turn in asked.turns]
    return max(each, key=lambda fitted: fitted.count)


def with_less_spacing(asked: FitAsked, fitted: Fitted) -> tuple[float, int] | None:
    """(spacing, count): the widest spacing, narrower than asked, with which more would fit, and how many; None where none would."""
    none = fit(msgspec.structs.replace(asked, spacing=0.0))
    if none.count <= fitted.count:
        return None
    low, high = 0.0, asked.spacing
    best = none.count
    while high - low > 0.01:
        middle = (low + high) / 2
        found = fit(msgspec.structs.replace(asked, spacing=middle)).count
        if found > fitted.count:
            low, best = middle, found
        else:
            high = middle
    spacing = floor(low * 100) / 100
    return spacing, best


def _at(asked: FitAsked, turn: float) -> Fitted:
    shape = affinity.rotate(asked.outline, turn, origin=(0, 0)) if turn else asked.outline
    x0, y0, x1, y1 = shape.bounds
    shape = affinity.translate(shape, -x0, -y0)
    wide, high = x1 - x0, y1 - y0
    room = asked.width - 2 * asked.margin - wide, asked.height - 2 * asked.margin - high
    if room[0] < -_HAIR or room[1] < -_HAIR:
        return Fitted((), 0, 0, (0.0, 0.0), turn)
    across = _pitch(shape, asked.spacing, (1.0, 0.0), wide, [0.0])
    shift = across / 2 if asked.is_staggered else 0.0
    up = _pitch(
        shape,
        asked.spacing,
        (0.0, 1.0),
        high,
        [-across, 0.0, across] if not shift else [-3 * shift, -shift, shift, 3 * shift],
    )
    if shift:  # rows two apart lie over each other
        up = max(up, _pitch(shape, asked.spacing, (0.0, 1.0), high, [-across, 0.0, across]) / 2)
    columns = min(floor(room[0] / across + _HAIR) + 1, MOST)
    rows = min(floor(room[1] / up + _HAIR) + 1, MOST)
    left = (asked.margin, asked.margin)
    if asked.is_centred:
        ends = shift if rows > 1 and shift <= room[0] - (columns - 1) * across + _HAIR else 0.0
        left = (
            left[0] + (room[0] - (columns - 1) * across - ends) / 2,
            left[1] + (room[1] - (rows - 1) * up) / 2,
        )  # fmt: skip
    grid = _Grid(left, (across, up), shift, (asked.width - asked.margin - wide, asked.height - asked.margin - high))
    free = _free(shape, grid.places((0.0, 0.0)), asked.keep_clear)
    if len(free) < columns * rows and asked.keep_clear and not asked.is_centred and columns * rows <= _MOST_SHIFTED:
        # another beginning may lose fewer places to what is in the way, or to where there is no wood
        parts = np.arange(_SHIFTS) / _SHIFTS
        for ox, oy in [(x * across, y * up) for y in parts.tolist() for x in parts.tolist()][1:]:
            places = grid.places((ox, oy))
            if len(places) > len(free):
                found = _free(shape, places, asked.keep_clear)
                free = found if len(found) > len(free) else free
    laid = tuple(Placement(0, 0, x - x0, y - y0, turn) for x, y in free)
    return Fitted(laid, columns, rows, (across, up), turn)


class _Grid(NamedTuple):
    """Rows ``pitch`` apart from ``begin`` on, every other one moved by ``shift``, up to ``end``: lower left corners of pieces."""

    begin: tuple[float, float]
    pitch: tuple[float, float]
    shift: float
    end: tuple[float, float]

    def places(self, offset: tuple[float, float]) -> list[tuple[float, float]]:
        (x0, y0), (across, up) = self.begin, self.pitch
        out: list[tuple[float, float]] = []
        rows = min(floor((self.end[1] - y0 - offset[1]) / up + _HAIR) + 1, MOST)
        for row in range(rows):
            begin = x0 + offset[0] + (self.shift if row % 2 else 0.0)
            columns = min(floor((self.end[0] - begin) / across + _HAIR) + 1, MOST - len(out))
            out += [(begin + column * across, y0 + offset[1] + row * up) for column in range(columns)]
        return out


def _pitch(shape: Region, spacing: float, way: tuple[float, float], extent: float, aside: Sequence[float]) -> float:
    """How far one piece must be moved ``way`` to be ``spacing`` from the same piece where it was, at every one of the ``aside`` shifts (along
    the other axis); never nearer than where they first touch coming from far, nor where the one after next would touch."""
    others = [affinity.translate(shape, a * way[1], a * way[0]) for a in aside]

    def is_apart(by: float) -> bool:
        for times in (1, 2):
            moved = affinity.translate(shape, times * by * way[0], times * by * way[1])
            if any(_gap(moved, other) < spacing - _HAIR for other in others):
                return False
        return True

    far = extent + spacing
    steps = np.arange(far, 0.0, -_STEP_MM)
    low = 0.0
    for step in steps.tolist()[1:]:
        if not is_apart(step):
            low = step
            break
        far = step
    while far - low > _EXACT_MM:
        middle = (far + low) / 2
        far, low = (middle, low) if is_apart(middle) else (far, middle)
    return far


def _gap(one: BaseGeometry, other: BaseGeometry) -> float:
    return -1.0 if one.intersection(other).area > _HAIR else float(one.distance(other))


def _free(
    shape: Region, places: list[tuple[float, float]], keep_clear: Sequence[KeepClear]
) -> list[tuple[float, float]]:
    if not keep_clear:
        return places
    pieces = np.array([affinity.translate(shape, x, y) for x, y in places], dtype=object)
    is_free = np.ones(len(places), dtype=bool)
    for keep in keep_clear:
        is_free &= shapely.distance(keep.area, pieces) >= keep.clearance - _HAIR
        is_free &= ~(
            shapely.intersects(keep.area, pieces) & (shapely.area(shapely.intersection(keep.area, pieces)) > _HAIR)
        )
    return [place for place, free in zip(places, is_free.tolist(), strict=True) if free]
