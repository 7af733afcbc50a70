"""The stock seen from anywhere, parallel: a picture of it, of what lies around it and of the bit, and how far away each pixel lies."""

from __future__ import annotations

from collections.abc import Sequence
from math import cos, radians, sin
from typing import NamedTuple

import numpy as np
import shapely

from archimetra.geometry.arrays import AnyArray, FloatArray
from archimetra.job.materials import rgb
from archimetra.job.sheet import FixtureKind, Sheet
from archimetra.stock.bands import in_bands
from archimetra.stock.bit_profile import silhouette
from archimetra.stock.shade_kernels import halved
from archimetra.stock.tilt_kernels import fill_triangles, fill_turned, tilt
from archimetra.stock.viewpoint import Around, View
from archimetra.toolpath.shared.fixtures import outline_of

NO_HOLLOW: FloatArray = np.zeros((2, 0, 0), dtype=np.float32)
_STEEL, _SHANK, _CLAMP, _PIN = (
    (176.0, 184.0, 188.0),
    (139.0, 147.0, 150.0),
    (104.0, 116.0, 118.0),
    (150.0, 154.0, 158.0),
)
_FRESH = 0.30  # a fresh wall is so much paler than the face


class Stock(NamedTuple):
    """What the picture is of: ``field`` and its picture from above, ``painted`` (ny, nx) uint32; ``hollow`` (2, ny, nx) or none. Its corner lies at
    ``origin``; where it is not all of the sheet, it is all that the picture shows of it."""

    sheet: Sheet
    field: AnyArray
    painted: AnyArray
    cell: float
    hollow: AnyArray = NO_HOLLOW
    origin: tuple[float, float] = (0.0, 0.0)

    @property
    def reach(self) -> tuple[float, float]:
        """How far it goes from its corner, mm: to the sheet's edges at the farthest, which its last cells may stand out beyond."""
        ny, nx = self.field.shape
        return (
            min(nx * self.cell, self.sheet.width - self.origin[0]),
            min(ny * self.cell, self.sheet.height - self.origin[1]),
        )


def picture(
    stock: Stock,
    view: View,
    size: tuple[int, int],
    *,
    around: Around | None = None,
    background: int = 0xFFDED7C8,
) -> tuple[AnyArray, AnyArray]:
    """``pixels`` (h, w) uint32 0xffRRGGBB and ``depth`` (h, w), mm beyond the middle, inf where nothing is."""
    width, height = size
    pixels = np.full((height, width), background, dtype=np.uint32)
    depth = np.full((height, width), np.inf, dtype=np.float32)
    sheet = stock.sheet
    seen = np.array((*view.middle, *view.axes, view.scale))
    grain = radians(sheet.grain_degrees)
    tone = np.array(rgb(sheet.tones[0]), dtype=np.float64)
    fresh = tone + (np.array((255.0, 246.0, 226.0)) - tone) * _FRESH
    size_of = np.array((*stock.reach, sheet.thickest))
    from_corner = seen - (*stock.origin, 0.0, 0.0, 0.0, 0.0, 0.0)
    way = np.array((cos(grain), sin(grain)))

    def band(first: int, last: int) -> None:
        tilt(
            stock.field,
            stock.painted,
            stock.hollow,
            fresh,
            size_of,
            way,
            stock.cell,
            from_corner,
            depth,
            pixels,
            first,
            last,
        )

    in_bands(width, band)
    if around is not None:
        _put_around(sheet, around, view, seen, size, depth, pixels)
    return pixels, depth


def smooth_picture(
    stock: Stock, view: View, size: tuple[int, int], *, around: Around | None = None, background: int = 0xFFDED7C8
) -> AnyArray:
    """The pixels of a picture with smooth edges: drawn twice as large, and halved."""
    fine, _ = picture(stock, view.scaled(2.0), (2 * size[0], 2 * size[1]), around=around, background=background)
    out = np.empty((size[1], size[0]), dtype=np.uint32)
    halved(fine, out, 0, 0, *size)
    return out


# ---- what stands around the stock


def _put_around(
    sheet: Sheet, around: Around, view: View, seen: FloatArray, size: tuple[int, int], depth: AnyArray, pixels: AnyArray
) -> None:
    triangles: list[FloatArray] = []
    colours: list[tuple[float, float, float]] = []
    opacities: list[float] = []

    def add(corners: FloatArray, colour: Sequence[float], opacity: float = 1.0) -> None:
        """A flat piece with three or more corners (n, 3), bulging nowhere inwards."""
        there = view.to_screen(corners, size)
        for k in range(1, len(there) - 1):
            triangles.append(there[[0, k, k + 1]])
            colours.append((float(colour[0]), float(colour[1]), float(colour[2])))
            opacities.append(opacity)

    low = -sheet.thickest
    if around.bed is not None:
        # a hair lower than the sheet's foot, so that the sheet hides it
        add(_level(around.bed, low - 0.05), around.bed_colour)
        fall = sheet.thickest / 1.25
        shadow = (fall * 0.55, -fall * 0.55, sheet.width + fall * 0.55, sheet.height - fall * 0.55)
        add(_level(shadow, low), (40.0, 34.0, 26.0), 0.22)
    for fixture in around.fixtures:
        ring = shapely.get_coordinates(outline_of(fixture).exterior)[:-1]
        foot, head = low, fixture.rise
        colour = _PIN if fixture.kind is FixtureKind.PIN else _CLAMP
        on_sheet = fixture.kind is not FixtureKind.CLAMP
        _add_block(add, ring, low if not on_sheet else 0.0 if fixture.kind is FixtureKind.SCREW else foot, head, colour)
    if triangles:
        fill_triangles(
            np.array(triangles), np.array(colours), np.array(opacities), depth, pixels,
        )  # fmt: skip
    if around.bit is not None:
        outline, is_cutting = silhouette(around.bit)
        steel = np.where(is_cutting[:, None], 0.45 * np.array(around.hue) + 0.55 * np.array(_STEEL), np.array(_SHANK))
        stripes = np.where(is_cutting, float(max(around.bit.flutes, 1)), 0.0)
        fill_turned(outline, steel, stripes, np.array(around.at, dtype=np.float64), seen, depth, pixels)


def _level(box: tuple[float, float, float, float], z: float) -> FloatArray:
    x0, y0, x1, y1 = box
    return np.array([(x0, y0, z), (x1, y0, z), (x1, y1, z), (x0, y1, z)])


def _add_block(add, ring: FloatArray, foot: float, head: float, colour: tuple[float, float, float]) -> None:  # type: ignore[no-untyped-def]
    """An upright block over a ring (n, 2) that runs counter-clockwise or clockwise."""
    lit = np.array((-0.707, 0.707))
    for a, b in zip(ring, np.roll(ring, -1, axis=0), strict=True):
        way = b - a
        out = np.array((way[1], -way[0])) / max(float(np.hypot(*way)), 1e-9)
        if _is_clockwise(ring):
            out = -out
        light = 0.78 + 0.22 * float(out @ lit)
        wall = np.array([(*a, foot), (*b, foot), (*b, head), (*a, head)])
        add(wall, tuple(c * light for c in colour))
    add(np.column_stack((ring, np.full(len(ring), head))), tuple(min(c * 1.18, 255.0) for c in colour))


def _is_clockwise(ring: FloatArray) -> bool:
    x, y = ring[:, 0], ring[:, 1]
    return float(np.sum(x * np.roll(y, -1) - np.roll(x, -1) * y)) < 0
