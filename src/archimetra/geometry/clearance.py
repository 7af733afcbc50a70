"""The clearance structure of a region: how far every place in it lies from its outline.

It is the segment Voronoi diagram of the outline (Boost's, through pyvoronoi), kept with the clearance at its
vertices. Pocket loops and inside profiles are its level curves, exact lines and arcs; where a bit fits, how much room
there is and along which lines corners are reached are read from it too. Build it once per region and keep it.

Input contract (what breaks it breaks the diagram): rings snapped to a grid of a ten-thousandth of a mm, no repeated points, no
exactly collinear neighbours, no crossings. ``Clearance`` brings any region to that form. Coordinates within 200 m.

Source of the offset walk: along the border of each cell the clearance is piecewise monotone once edges are split at their
apex; every rise through a level pairs with the next fall and bounds one line (segment site) or one arc (point
site) of the level curve.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import pyvoronoi
import shapely
from shapely.geometry import MultiPolygon, Polygon

from archimetra.base.collecting import without_collecting
from archimetra.base.errors import GeometryError
from archimetra.geometry import clearance_kernels as kernels
from archimetra.geometry.arrays import AnyArray, BoolArray, FloatArray, IntArray
from archimetra.geometry.path import Path
from archimetra.geometry.region import Region, as_region, ring_paths

GRID_PER_MM = 10_000.0
SHORTEST_LOOP_MM = 0.002  # loops shorter than this are where a level just touches the largest clearance
_FARTHEST_MM = 200_000.0


class Axis(NamedTuple):
    """Straight pieces of the medial axis: ends (k, 2) each and the clearance at both (k,)."""

    a: FloatArray
    b: FloatArray
    clearance_a: FloatArray
    clearance_b: FloatArray


class Diagram(NamedTuple):
    """The diagram in grid units, for those who walk it themselves: half-edges (twins are neighbours), the sites of cells
    (is_segment, ax, ay, bx, by), vertices and their clearance, the forms of edges and the axis edges inside."""

    start: IntArray
    end: IntArray
    cell: IntArray
    sites: tuple[AnyArray, ...]
    xy: tuple[FloatArray, FloatArray]
    radius: FloatArray
    forms: tuple[AnyArray, ...]
    axis_rows: IntArray


class Deepest(NamedTuple):
    at: tuple[float, float]
    clearance: float


class Clearance:
    """The diagram of one region. ``offsets`` is the question it mostly answers."""

    def __init__(self, region: Region) -> None:
        """Raises GeometryError where the outline crosses itself even after snapping, or lies too far out."""
        rings = _grid_rings(region)
        self.segment_count = sum(len(ring) for ring in rings)
        self._is_empty = not rings
        if self._is_empty:
            return
        a = np.vstack(rings)
        b = np.vstack([np.roll(ring, -1, axis=0) for ring in rings])
        self._outline = (np.ascontiguousarray(a / GRID_PER_MM), np.ascontiguousarray(b / GRID_PER_MM))
        with without_collecting():
            start, end, cell, primary, linear, vertices, category, site = _diagram(a, b)
        is_segment = category == 3
        origin = np.where((category == 2)[:, None], b[site], a[site]).astype(np.float64)
        toward = np.where(is_segment[:, None], b[site], origin).astype(np.float64)
        self._sites = (is_segment, *_columns(origin), *_columns(toward))
        self._xy = _columns(vertices)
        self._radius = kernels.vertex_radii(len(vertices), start, cell, *self._sites, *self._xy)
        inside = kernels.inside_edges(start, end, cell, *self._sites, *self._xy, self._radius)
        self._chains = kernels.chains_of(start, end, cell, inside, self._radius, len(vertices))
        self._edges = (start, end, cell)
        given: tuple[AnyArray, ...] = (start, end, cell, linear, *self._sites, *self._xy)
        self._forms = kernels.edge_forms(*given)
        self._is_axis: BoolArray = inside & primary
        self._is_axis[1::2] = False  # one of each pair of twins

    def offsets(self, distance: float) -> list[Path]:
        """The curves that lie ``distance`` mm inside the outline, as closed paths of lines and arcs.

        What has more clearance lies on their left: outer curves run counter-clockwise, those round islands clockwise. Empty
        where no place has that much clearance. Raises ValueError unless the distance is above zero.
        """
        if not distance > 0:
            raise ValueError(f"an offset lies some way inside, got {distance}")
        if self._is_empty:
            return []
        given: tuple[AnyArray, ...] = (*self._chains, *self._edges, *self._sites, *self._xy, self._radius, *self._forms)
        x, y, bulge, begins = kernels.level_curves(distance * GRID_PER_MM, *given)
        nodes = np.column_stack((x, y)) / GRID_PER_MM
        out = []
        for first, last in zip(begins[:-1], begins[1:], strict=True):
            path = _loop(nodes[first:last], bulge[first:last])
            if path is not None:
                out.append(path)
        return out

    @property
    def diagram(self) -> Diagram | None:
        """What the structure is made of; None for an empty region."""
        if self._is_empty:
            return None
        rows = np.flatnonzero(self._is_axis)
        return Diagram(*self._edges, self._sites, self._xy, self._radius, self._forms, rows)

    def axis(self, *, at_least: float = 0.0, chord_tolerance_mm: float = 0.005) -> Axis:
        """The medial axis where its clearance reaches ``at_least`` mm at one end or the other, curves as short pieces whose
        clearance, taken as linear between their ends, is at most the tolerance too large."""
        if self._is_empty:
            none = np.zeros(0)
            return Axis(np.zeros((0, 2)), np.zeros((0, 2)), none, none)
        start, end, _ = self._edges
        rows = np.flatnonzero(self._is_axis)
        level = at_least * GRID_PER_MM
        rows = rows[np.maximum(self._radius[start[rows]], self._radius[end[rows]]) >= level]
        form, _, fx, fy, h = self._forms
        pieces = kernels.sampled_axis(
            rows, chord_tolerance_mm * GRID_PER_MM, *self._edges, *self._sites, *self._xy, self._radius, form, fx, fy, h
        )
        pieces = pieces / GRID_PER_MM
        return Axis(pieces[:, 0:2], pieces[:, 3:5], pieces[:, 2], pieces[:, 5])

    def gap(self, p: FloatArray, q: FloatArray, *, limit: float) -> float:
        """The least clearance along the straight line from p to q, mm; ``limit`` where it is nowhere less."""
        return float(kernels.segment_gap(p[0], p[1], q[0], q[1], self._outline[0], self._outline[1], limit))

    def deepest(self, within: Polygon | None = None) -> Deepest | None:
        """The place with the most clearance, of all or of those within a polygon; None where there is none."""
        if self._is_empty:
            return None
        start, end, _ = self._edges
        rows = np.flatnonzero(self._is_axis)
        vertices = np.unique(np.concatenate((start[rows], end[rows])))
        xy = np.column_stack(self._xy)[vertices] / GRID_PER_MM
        radius = self._radius[vertices] / GRID_PER_MM
        if within is not None:
            shapely.prepare(within)
            is_in = shapely.intersects_xy(within, xy[:, 0], xy[:, 1])
            xy, radius = xy[is_in], radius[is_in]
        if not len(radius):
            return None
        k = int(np.argmax(radius))
        return Deepest((float(xy[k, 0]), float(xy[k, 1])), float(radius[k]))


def inside_out(region: Region, *, reach: float) -> Region:
    """What lies around ``region``, up to ``reach`` mm from its box: its offsets are the outside offsets of the region."""
    x0, y0, x1, y1 = region.bounds
    frame = shapely.box(x0 - reach, y0 - reach, x1 + reach, y1 + reach)
    return as_region(shapely.difference(frame, region))


def _loop(nodes: FloatArray, bulge: FloatArray) -> Path | None:
    step = np.hypot(*(np.roll(nodes, -1, axis=0) - nodes).T)
    keep = step > 1e-7
    if keep.sum() < 2 or step.sum() < SHORTEST_LOOP_MM:
        return None
    # a node is dropped together with the element of no length that leaves it; the next node stands for both
    nodes, bulge = nodes[keep], bulge[keep]
    return Path.arcs(np.vstack((nodes, nodes[:1])), bulge, closed=True).reverse()


def _columns(points: AnyArray) -> tuple[FloatArray, FloatArray]:
    return np.ascontiguousarray(points[:, 0], dtype=np.float64), np.ascontiguousarray(points[:, 1], dtype=np.float64)


def _grid_rings(region: Region) -> list[IntArray]:
    """Rings (n, 2) in grid units, area on the left, without repeats and collinear neighbours, checked for crossings."""
    if region.is_empty:
        return []
    if np.abs(shapely.bounds(region)).max() > _FARTHEST_MM:
        raise GeometryError("The outline lies more than 200 m from the sheet. Move it onto the sheet.")
    for _ in range(3):
        rings = [ring for ring in (_snapped(points) for points in ring_paths(region)) if len(ring) >= 3]
        rebuilt = _as_polygons(rings)
        if not rings:
            return []
        if shapely.is_valid(rebuilt):
            return _with_contacts(rings)
        # snapping made a ring touch or cross itself: resolve on the grid and snap what comes out
        region = as_region(shapely.make_valid(shapely.transform(rebuilt, lambda p: p / GRID_PER_MM)))
        if region.is_empty:
            return []
    x, y = shapely.get_coordinates(shapely.centroid(region))[0]
    raise GeometryError(f"The outline around x {x:.1f}, y {y:.1f} crosses itself. Mend it on the Artwork page.")


def _with_contacts(rings: list[IntArray]) -> list[IntArray]:
    """Rings with a point where a corner of another, or another part of their own, touches them from the side."""
    a = np.vstack(rings).astype(np.float64)
    b = np.vstack([np.roll(ring, -1, axis=0) for ring in rings]).astype(np.float64)
    lines = shapely.linestrings(np.stack((a, b), axis=1))
    points = shapely.points(a)
    corner, line = shapely.STRtree(lines).query(points, predicate="dwithin", distance=0.75)
    own = (a[corner] == a[line]).all(axis=1) | (a[corner] == b[line]).all(axis=1)
    corner, line = corner[~own], line[~own]
    if not len(line):
        return rings
    along = ((a[corner] - a[line]) * (b[line] - a[line])).sum(axis=1)
    order = np.lexsort((along, line))
    corner, line = corner[order], line[order]
    out, first = [], 0
    for ring in rings:
        mine = (line >= first) & (line < first + len(ring))
        out.append(np.insert(ring, line[mine] - first + 1, a[corner[mine]].astype(np.int64), axis=0))
        first += len(ring)
    return out


def _as_polygons(rings: list[IntArray]) -> Region:
    """Rings back as polygons: counter-clockwise ones begin an area, clockwise ones are holes in the last."""
    polygons: list[Polygon] = []
    shell, holes = None, list[IntArray]()
    for ring in rings:
        x, y = ring[:, 0].astype(np.float64), ring[:, 1].astype(np.float64)
        area = float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum())
        if area > 0:
            if shell is not None:
                polygons.append(Polygon(shell, holes))
            shell, holes = ring, []
        else:
            holes.append(ring)
    if shell is not None:
        polygons.append(Polygon(shell, holes))
    return MultiPolygon(polygons)


def _snapped(ring: FloatArray) -> IntArray:
    grid = np.rint(ring[:-1] * GRID_PER_MM).astype(np.int64)
    while len(grid) >= 3:
        before, after = np.roll(grid, 1, axis=0), np.roll(grid, -1, axis=0)
        d, e = grid - before, after - grid
        is_flat = d[:, 0] * e[:, 1] == d[:, 1] * e[:, 0]
        if not is_flat.any():
            break
        # of neighbours that lie in line only every other one goes at a time: each is judged against points that stay
        drop = is_flat & ~np.roll(is_flat, 1)
        if not drop.any():
            drop[0] = True
        grid = grid[~drop]
    return grid


def _diagram(
    a: IntArray, b: IntArray
) -> tuple[IntArray, IntArray, IntArray, BoolArray, BoolArray, FloatArray, IntArray, IntArray]:
    """The diagram as flat arrays: half-edges (start, end, cell, primary, linear), vertices, and each cell's site category
    (0, 1: a segment's begin; 2: its end; 3: the segment) and segment number. Twins are neighbours: e and e ^ 1."""
    diagram = pyvoronoi.Pyvoronoi(1)
    for segment in np.stack((a, b), axis=1).tolist():
        diagram.AddSegment(segment)
    diagram.Construct()
    # object by object is the only way out of the package; of each pair of twins only the cell of the second is new
    count = diagram.CountEdges()
    read = diagram.GetEdge
    pairs = np.array(
        [
            (e.start, e.end, e.cell, f.cell, e.is_primary, e.is_linear)
            for e, f in zip(map(read, range(0, count, 2)), map(read, range(1, count, 2)), strict=True)
        ],
        dtype=np.int64,
    ).reshape(-1, 6)
    edges = np.empty((count, 5), dtype=np.int64)
    edges[0::2] = pairs[:, (0, 1, 2, 4, 5)]
    edges[1::2] = pairs[:, (1, 0, 3, 4, 5)]
    vertices = np.array([(v.X, v.Y) for v in map(diagram.GetVertex, range(diagram.CountVertices()))])
    cells = [diagram.GetCell(k) for k in range(diagram.CountCells())]
    category = np.array([3 if cell.contains_segment else cell.source_category for cell in cells], dtype=np.int64)
    site = np.array([cell.site for cell in cells], dtype=np.int64)
    columns = [np.ascontiguousarray(edges[:, k]) for k in range(5)]
    return (
        columns[0], columns[1], columns[2], columns[3].astype(bool), columns[4].astype(bool),
        vertices.reshape(-1, 2), category, site,
    )  # fmt: skip
