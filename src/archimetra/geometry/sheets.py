"""Sheets seen from above: rectangles, or what is left of them."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import shapely

from archimetra.geometry.arrays import BoolArray
from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import Path
from archimetra.geometry.region import Region, polygons_of, region_of


@lru_cache(maxsize=64)
def sheet_region(outline: tuple[Path, ...], width: float, height: float) -> Region:
    """The area of closed outlines by the even-odd rule, or without any the rectangle from 0, 0."""
    return region_of(outline, FillRule.EVENODD) if outline else shapely.box(0, 0, width, height)


def cells_inside(region: Region, shape: tuple[int, int], cell: float) -> BoolArray:
    """Which cells (ny, nx) of a grid from 0, 0 have their middle within a region: parity of the outlines crossed along each row."""
    ny, nx = shape
    flips = np.zeros((ny, nx + 1), dtype=np.int32)
    for polygon in polygons_of(region):
        for ring in (polygon.exterior, *polygon.interiors):
            xy = shapely.get_coordinates(ring)
            a, b = xy[:-1], xy[1:]
            low, high = np.minimum(a[:, 1], b[:, 1]), np.maximum(a[:, 1], b[:, 1])
            first = np.clip(np.ceil(low / cell - 0.5), 0, ny).astype(np.int64)  # rows whose middle is at least as high
            last = np.clip(np.ceil(high / cell - 0.5), 0, ny).astype(np.int64)
            count = np.maximum(last - first, 0)
            edge = np.repeat(np.arange(len(a)), count)
            row = np.arange(len(edge)) - np.repeat(np.cumsum(count) - count, count) + first[edge]
            y = (row + 0.5) * cell
            share = (y - a[edge, 1]) / (b[edge, 1] - a[edge, 1])
            x = a[edge, 0] + share * (b[edge, 0] - a[edge, 0])
            column = np.clip(np.ceil(x / cell - 0.5), 0, nx).astype(np.int64)
            np.add.at(flips, (row, column), 1)
    return np.asarray(np.cumsum(flips[:, :nx], axis=1) % 2 == 1)
