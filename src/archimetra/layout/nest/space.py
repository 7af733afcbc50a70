"""What a search works in: shapes, their tables, the zones, and a layout of items in them as arrays."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from shapely import affinity

from archimetra.geometry.arrays import BoolArray, FloatArray, IntArray
from archimetra.geometry.region import Region
from archimetra.layout.nest.compaction import Lying
from archimetra.layout.nest.grown import Oriented, Zone, oriented_shapes, zone_of
from archimetra.layout.nest.pieces import Pieces, pieces_of_shapes
from archimetra.layout.nest.request import NestError, NestRequest
from archimetra.layout.nest.tables import Tables, cell_for, tables_of


class Layout(NamedTuple):
    """Where each item lies: its zone (-1 for left out), its corner in cells, and its shape."""

    zone: IntArray
    x: IntArray
    y: IntArray
    shape: IntArray

    def copy(self) -> Layout:
        return Layout(self.zone.copy(), self.x.copy(), self.y.copy(), self.shape.copy())


class Space(NamedTuple):
    """``sheet`` (z,) is the sheet of each zone, ``room`` (z, 2) its size in cells. Items first, then what never moves; the shapes of part p
    are ``first[p]`` to ``first[p] + number[p]``. ``area`` and ``priority`` are those of each item's part."""

    cell: float
    shapes: list[Oriented]
    tables: Tables
    pieces: list[Pieces]
    zones: list[Zone]
    sheet: IntArray
    room: FloatArray
    part: IntArray
    first: IntArray
    number: IntArray
    fixed: BoolArray
    moves: BoolArray
    area: FloatArray
    priority: IntArray
    sigma: FloatArray
    buffer: FloatArray

    def empty(self) -> Layout:
        """Nothing placed but what never moves."""
        n = len(self.part)
        layout = Layout(*(np.full(n, value, np.int64) for value in (-1, 0, 0, 0)))
        k = len(self.shapes) - int(self.fixed.sum())
        items = n - int(self.fixed.sum())
        m = 0
        for number, zone in enumerate(self.zones):
            for obstacle in zone.obstacles:
                x0, y0, _, _ = obstacle.bounds
                layout.zone[items + m], layout.shape[items + m] = number, k + m
                layout.x[items + m], layout.y[items + m] = int(x0 // self.cell), int(y0 // self.cell)
                m += 1
        return layout

    def corners(self, layout: Layout) -> FloatArray:
        return np.column_stack((layout.x, layout.y)).astype(np.float64) * self.cell

    def lying(self, layout: Layout, corners: FloatArray, zone: int) -> tuple[IntArray, Lying]:
        """The items of a zone for a linear program, and which they are."""
        items = np.flatnonzero(layout.zone == zone)
        shape = layout.shape[items]
        size = self.tables.size[shape] * self.cell
        return items, Lying(shape, corners[items], size, self.fixed[items])

    def right_end(self, layout: Layout, zone: int) -> float:
        """To what x the items of a zone reach, cells."""
        there = (layout.zone == zone) & ~self.fixed
        return float((layout.x[there] + self.tables.size[layout.shape[there], 0]).max(initial=0.0))


def space_of(request: NestRequest, *, fineness: float, tolerance: float) -> Space:
    """Shapes, tables and zones for a request. Raises NestError where no part fits on any sheet."""
    shapes = oriented_shapes(request, tolerance)
    zones, sheets = [], []
    for place, sheet in enumerate(request.sheets):
        zone = zone_of(sheet, request, tolerance)
        if zone is not None:
            zones.append(zone)
            sheets.append(place)
    if not zones:
        raise NestError(f"A margin of {request.margin:g} mm leaves nothing of the sheet. Make it smaller.")
    if not any(s.width <= zone.width and s.height <= zone.height for s in shapes for zone in zones):
        raise NestError("No part fits on a sheet with these margins. Take a larger sheet, or smaller margins.")
    cell = cell_for(shapes, fineness)
    parts = len(request.parts)
    first, number = np.zeros(parts, np.int64), np.zeros(parts, np.int64)
    for k, shape in enumerate(shapes):
        if number[shape.part] == 0:
            first[shape.part] = k
        number[shape.part] += 1
    stuck = [_stuck(obstacle, cell) for zone in zones for obstacle in zone.obstacles]
    every = shapes + stuck
    part = np.repeat(np.arange(parts), [p.quantity for p in request.parts])
    areas = np.array([p.outline.area for p in request.parts])
    item_area = np.concatenate((areas[part], np.full(len(stuck), areas[part].mean())))
    sigma = (item_area / areas[part].mean()) ** 0.25
    sigma[len(part) :] = 2.0
    room = np.array([(zone.width, zone.height) for zone in zones]) / cell
    tables = tables_of(every, cell)
    largest = max(int((room[:, 0].max() + 2) * (room[:, 1].max() + 2)), 1)
    return Space(
        cell=cell, shapes=every, tables=tables, pieces=pieces_of_shapes(every), zones=zones,
        sheet=np.array(sheets, np.int64), room=room, part=np.concatenate((part, np.full(len(stuck), -1))).astype(np.int64),
        first=first, number=number, fixed=np.arange(len(part) + len(stuck)) >= len(part),
        moves=np.array([shape.part >= 0 for shape in every]), area=item_area,
        priority=np.array([request.parts[k].priority for k in part] + [0] * len(stuck), np.int64), sigma=sigma,
        buffer=np.zeros(largest, np.float32),
    )  # fmt: skip


def _stuck(obstacle: Region, cell: float) -> Oriented:
    """What never moves, with its corner on a whole cell left and below it."""
    x0, y0, x1, y1 = obstacle.bounds
    x, y = x0 // cell * cell, y0 // cell * cell
    itself = affinity.translate(obstacle, -x, -y)
    return Oriented(itself, itself, -1, 0.0, False, (x, y), x1 - x, y1 - y)
