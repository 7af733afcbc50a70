"""Where pins go that hold a board in place as it is shifted: two for each shift, far apart, in waste that is still held then, clear of every path.

Two pins a distance L apart in holes wider by the slack s let the board turn by s / L at the most.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import shapely
from shapely import affinity
from shapely.geometry.base import BaseGeometry

from archimetra.geometry.arrays import BoolArray, FloatArray
from archimetra.geometry.region import EMPTY, as_region
from archimetra.job.setups import Box, Setup, TileBy
from archimetra.layout.tiles.answer import Place, Shift

WALL_MM = 3.0  # of wood about a pin's hole, at the least
_LEAST_APART = 4.0  # diameters
_MOST_POINTS = 220


class Ground(NamedTuple):
    """What the search goes by: the ``wood`` of the sheet, the ``paths`` cut in it anywhere (n, 2, 2) and how wide each is to either side (n,), the
    ``kept`` parts, what is ``loose`` before the last setup; and the ``middle`` of the sheet."""

    wood: BaseGeometry
    paths: FloatArray
    radii: FloatArray
    kept: BaseGeometry
    loose: BaseGeometry
    middle: Place

    def are_clear(self, points: FloatArray, wall: float) -> BoolArray:
        """Which places (n, 2) are so far from everything that is cut."""
        out = np.ones(len(points), dtype=bool)
        if not len(points) or not len(self.paths):
            return out
        far = float(self.radii.max()) + wall
        low, high = self.paths.min(axis=1), self.paths.max(axis=1)
        near = (high >= points.min(axis=0) - far).all(axis=1) & (low <= points.max(axis=0) + far).all(axis=1)
        if not near.any():
            return out
        lines, radii = shapely.linestrings(self.paths[near]), self.radii[near]
        asked = shapely.points(points)
        place, line = shapely.STRtree(lines).query(asked, predicate="dwithin", distance=far)
        hit = shapely.distance(asked[place], lines[line]) < radii[line] + wall
        out[place[hit]] = False
        return out


def found(by: TileBy, setups: Sequence[Setup], ground: Ground, *, hole: float) -> list[Shift]:
    """Places for each shift; none where there is no room for two."""
    pairs = [(k, k + 1) for k in range(len(setups) - 1)]
    if by is TileBy.HALF_TURN:
        return [_half_turned(setups, ground, hole)]
    same = _same_each_time(setups, pairs, ground, hole)
    if same is not None:
        return same
    wall = hole / 2 + WALL_MM
    out = []
    in_bed = np.zeros((0, 2))
    for before, after in pairs:
        points = _points(_room(shared_reach(setups[before], setups[after]), ground, hole))
        points = points[ground.are_clear(points, wall)]
        lie = np.array([setups[after].on_bed(*point) for point in points.tolist()]).reshape(-1, 2)
        if len(in_bed) and len(lie):  # holes in the bed stand apart, too
            gaps = np.hypot(*(lie[:, None] - in_bed[None, :]).transpose(2, 0, 1))
            points = points[(gaps >= hole + WALL_MM).all(axis=1)]
        pair = _farthest(points, ground.middle, hole)
        in_bed = np.vstack((in_bed, *[setups[after].on_bed(*point) for point in pair]))
        out.append(Shift(before, after, pair, True))
    return out


def shared_reach(a: Setup, b: Setup) -> Box:
    return (
        max(a.reach[0], b.reach[0]), max(a.reach[1], b.reach[1]), min(a.reach[2], b.reach[2]), min(a.reach[3], b.reach[3]),
    )  # fmt: skip


def _room(box: Box, ground: Ground, hole: float) -> BaseGeometry:
    """Where the middle of a hole may lie within a box, paths left aside."""
    x0, y0, x1, y1 = box
    wall, half = hole / 2 + WALL_MM, hole / 2  # the bit that makes it goes round in it
    if x1 - x0 <= hole or y1 - y0 <= hole:
        return EMPTY
    shared = shapely.box(x0 + half, y0 + half, x1 - half, y1 - half)
    room = shapely.intersection(shapely.buffer(ground.wood, -wall, quad_segs=4), shared)
    for taken in (ground.loose, ground.kept):
        room = shapely.difference(room, shapely.buffer(taken, wall, quad_segs=4))
    return as_region(room)


def _farthest(points: FloatArray, middle: Place, hole: float) -> tuple[Place, ...]:
    """The two places farthest apart that do not let the board lie on its pins the wrong way round; none where there are not two."""
    if len(points) < 2:
        return ()
    gaps = np.hypot(*(points[:, None] - points[None, :]).transpose(2, 0, 1))
    # turned half round about the middle of the sheet, or turned over, the pair must not come to lie on itself
    away = 2 * np.array(middle) - points
    for flip in (away, np.column_stack((points[:, 0], away[:, 1])), np.column_stack((away[:, 0], points[:, 1]))):
        onto = np.hypot(*(points[:, None] - flip[None, :]).transpose(2, 0, 1))
        own = np.diag(onto)
        swaps, stays = np.maximum(onto, onto.T), np.maximum(own[:, None], own[None, :])
        gaps = np.where((swaps < 2 * hole) | (stays < 2 * hole), -1.0, gaps)
    i, j = np.unravel_index(int(np.argmax(gaps)), gaps.shape)
    if gaps[i, j] < _LEAST_APART * hole:
        return ()
    return _pair((points[i, 0], points[i, 1]), (points[j, 0], points[j, 1]))


def _pair(a: Place, b: Place) -> tuple[Place, ...]:
    first, second = sorted(((float(a[0]), float(a[1])), (float(b[0]), float(b[1]))), key=lambda p: (p[1], p[0]))
    return first, second


def _points(room: BaseGeometry) -> FloatArray:
    """Places in a room (n, 2), in hundredths of a mm: its corners and a raster of it."""
    if room.is_empty:
        return np.zeros((0, 2))
    x0, y0, x1, y1 = room.bounds
    step = max((x1 - x0) * (y1 - y0) / _MOST_POINTS, 1.0) ** 0.5
    grid = np.stack(np.meshgrid(np.arange(x0, x1 + step, step), np.arange(y0, y1 + step, step)), axis=-1).reshape(-1, 2)
    inner = shapely.buffer(room, -0.02, join_style="mitre")
    every = np.round(np.vstack((grid, shapely.get_coordinates(shapely.simplify(inner, 0.2))[:_MOST_POINTS])), 2)
    return np.asarray(every[shapely.intersects_xy(room, *every.T)])


def _same_each_time(
    setups: Sequence[Setup], pairs: Sequence[tuple[int, int]], ground: Ground, hole: float
) -> list[Shift] | None:
    """Pairs that lie alike for every shift of a board, so that the same two pins in the bed serve all of them."""
    starts = [np.array(setups[after].reach[:2]) for _, after in pairs]
    if len({setup.quarter_turns for setup in setups}) > 1:
        return None
    rooms = [
        affinity.translate(_room(shared_reach(setups[a], setups[b]), ground, hole), *-start)
        for (a, b), start in zip(pairs, starts, strict=True)
    ]
    common = rooms[0]
    for room in rooms[1:]:
        common = shapely.intersection(common, room)
    points = _points(as_region(common))
    for start in starts:
        points = points[ground.are_clear(points + start, hole / 2 + WALL_MM)]
    x, y = starts[0]
    places = _farthest(points, (ground.middle[0] - x, ground.middle[1] - y), hole)
    if not places:
        return None
    return [
        Shift(before, after, tuple((px + float(start[0]), py + float(start[1])) for px, py in places), True)
        for (before, after), start in zip(pairs, starts, strict=True)
    ]


def _half_turned(setups: Sequence[Setup], ground: Ground, hole: float) -> Shift:
    """A pair that comes to lie on itself as the board is turned half round, and on nothing else."""
    a, b = setups[0], setups[1]
    # what of the board comes to lie where its corner was: the turn is about half way to there
    ox, oy = b.on_board(*a.on_bed(0.0, 0.0))
    room = _room(shared_reach(a, b), ground, hole)
    both = as_region(shapely.intersection(room, affinity.scale(room, -1, -1, origin=(ox / 2, oy / 2))))
    points = _points(both)
    wall = hole / 2 + WALL_MM
    points = (
        points[ground.are_clear(points, wall) & ground.are_clear((ox, oy) - points, wall)] if len(points) else points
    )
    gaps = 2 * np.hypot(points[:, 0] - ox / 2, points[:, 1] - oy / 2)
    if not len(points) or gaps.max() < _LEAST_APART * hole:
        return Shift(0, 1, (), True)
    x, y = points[int(np.argmax(gaps))]
    return Shift(0, 1, _pair((x, y), (round(ox - x, 6), round(oy - y, 6))), True)
