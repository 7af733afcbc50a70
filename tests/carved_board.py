"""What tests of carving share: V bits, the carved surface against the ideal one, texts as art."""

from __future__ import annotations

from math import radians, tan
from typing import NamedTuple

import numpy as np
import shapely

from archimetra.artwork.text_form import TextForm
from archimetra.edits import cutting, shaping
from archimetra.geometry.affine import Affine
from archimetra.geometry.arrays import FloatArray
from archimetra.job.bits import Bit, BitKind, Recipe
from archimetra.job.cuts.carve import CarveCut
from archimetra.job.ids import BitId
from archimetra.job.job import Board, Job, new_job
from archimetra.stock.bitshapes import bit_shapes
from archimetra.stock.sweep_kernels import TILE, sweep
from archimetra.toolpath.shared.moves import Toolpath, straightened
from shapes import replace


def vee(
    angle: float = 60.0, *, tip: float = 0.0, diameter: float = 12.7, per_pass: float = 150.0, **fields: object
) -> Bit:
    settings: dict[str, object] = {
        "cutting_length": 280.0,
        "recipe": Recipe(depth_per_pass=per_pass),
        "id": BitId("bit1"),
        "kind": BitKind.VEE,
    }
    settings |= fields
    return Bit(name=f"{angle:g} V", diameter=diameter, angle=angle, tip_flat=tip, **settings)


def text_board(
    text: str, *, bit: Bit, font: str = "Zilla Slab Bold", cap_height: float = 20.0, **fields: object
) -> tuple[Job, Board, CarveCut]:
    """A line of text on a new board and one V-carve of it."""
    job = replace(new_job(), bits=(bit,))
    board = job.boards[0].id
    form = TextForm(text=text, font=font, cap_height=cap_height)
    done = shaping.draw(job, board, form, Affine.shift(200.0, 150.0), name="text")
    cut = cutting.new_cut(done.edit.job, board, CarveCut, done.pick, bit=bit.id, **fields)
    job = cutting.add_cut(done.edit.job, board, cut).job
    return job, job.boards[0], job.boards[0].cuts[0]


class Surface(NamedTuple):
    """Heights of cells in the area's box: as cut, as ideal, which lie in the area, and how far each is from its outline."""

    cut: FloatArray
    ideal: FloatArray
    inside: np.ndarray
    distance: FloatArray
    places: FloatArray

    @property
    def gouge(self) -> float:
        return float((self.ideal - self.cut).max())

    @property
    def left(self) -> FloatArray:
        """What stays above the ideal surface within the area."""
        return (self.cut - self.ideal)[self.inside]


def surface(
    toolpaths: list[tuple[Toolpath, Bit]], area: shapely.Geometry, *, slope: float, limit: float = np.inf, sink: float = 0.0,
    cell: float = 0.1,
) -> Surface:  # fmt: skip
    """The carved surface against -min(distance / slope, limit), each cell's distance to the outline measured by GEOS."""
    x0, y0, x1, y1 = np.array(area.bounds) + np.array((-0.5, -0.5, 0.5, 0.5))
    ny, nx = int((y1 - y0) / cell) + 1, int((x1 - x0) / cell) + 1
    field = np.zeros((ny, nx), np.float32)
    tiles = np.zeros((ny // TILE + 1, nx // TILE + 1), dtype=bool)
    for toolpath, bit in toolpaths:
        points, _ = straightened(toolpath.xyz, toolpath.kind, toolpath.centre, chord_tolerance_mm=0.0005)
        points = np.ascontiguousarray(points)
        number = np.zeros(len(points), dtype=np.int64)
        sweep(field, x0, y0, cell, points, 1, len(points), number, *bit_shapes([bit]).arguments(), tiles)
    x, y = np.meshgrid(x0 + (np.arange(nx) + 0.5) * cell, y0 + (np.arange(ny) + 0.5) * cell)
    places = np.column_stack((x.ravel(), y.ravel()))
    inside = shapely.contains_xy(area, places[:, 0], places[:, 1])
    distance = np.zeros(len(places))
    distance[inside] = outline_distance(area, places[inside])
    ideal = np.where(inside, -np.minimum(distance / slope, limit) - sink, 0.0)
    return Surface(field.ravel().astype(float), ideal, inside, distance, places)


def outline_distance(area: shapely.Geometry, places: FloatArray) -> FloatArray:
    """Distances (n,) of places to an area's outline, segment by segment."""
    segments = []
    for line in shapely.get_parts(shapely.get_parts(shapely.boundary(area))):
        ring = shapely.get_coordinates(line)
        segments.append(np.stack((ring[:-1], ring[1:]), axis=1))
    tree = shapely.STRtree(shapely.linestrings(np.vstack(segments)))
    _, found = tree.query_nearest(shapely.points(places), return_distance=True, all_matches=False)
    return np.asarray(found)


def slope_of(bit: Bit) -> float:
    return tan(radians(bit.angle / 2))
