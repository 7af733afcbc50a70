"""What is measured of a plug in its pocket. Light to import: these travel to the window."""

from __future__ import annotations

import msgspec

from archimetra.geometry.arrays import FloatArray

MEETS_MM = -0.005  # a side gap below this is wood meeting wood; above it is what arithmetic leaves


class MateMap(msgspec.Struct, frozen=True, eq=False):
    """The side gap (n,) at places (n, 2) of the outline, nan where a wall reaches not so deep; ``worst`` is the row of the
    tightest, -1 for none."""

    places: FloatArray
    gaps: FloatArray
    worst: int


class MateSection(msgspec.Struct, frozen=True, eq=False):
    """Along a line of the pocket board: height of the pocket (n,), of the turned plug's underside and of its back; nan where
    there is no plug."""

    pocket: FloatArray
    plug: FloatArray
    back: FloatArray


class Mate(msgspec.Struct, frozen=True, eq=False):
    """``seat`` as measured, and as the settings mean it; gaps in mm: (least, median, greatest), None where there is nothing to
    measure. ``contact`` is where the plug comes to rest."""

    seat: float
    meant: float
    glue: tuple[float, float, float] | None
    saw: tuple[float, float, float] | None
    side: tuple[float, float, float] | None
    level: float
    contact: tuple[float, float]
    map: MateMap
    proud: float | None = None
