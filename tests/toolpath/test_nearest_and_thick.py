"""Where a track is nearest to a place, and how much wood lies beside it: against GEOS."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from archimetra.geometry.path import Path
from archimetra.geometry.region import as_region
from archimetra.toolpath.shared.starts import Wood
from archimetra.toolpath.shared.track import Track


@pytest.mark.parametrize("seed", range(40))
def test_the_nearest_station_is_the_nearest_place(seed):
    chance = np.random.default_rng(seed)
    n, closed = int(chance.integers(2, 9)), bool(seed % 2)
    nodes = chance.uniform(0, 100, (n + 1, 2))
    if closed:
        nodes[-1] = nodes[0]
    path = Path.arcs(nodes, chance.uniform(-2.5, 2.5, n) * (chance.random(n) < 0.6), closed=closed)
    track, points = Track(path), chance.uniform(-20, 120, (30, 2))
    stations, gaps = track.nearest(points)
    wanted = shapely.distance(shapely.LineString(path.flatten(1e-4)), shapely.points(points))
    assert np.abs(wanted - gaps).max() < 3e-4
    there = track.points(np.minimum(stations, track.length * (1 - 1e-12)))
    assert np.abs(np.hypot(*(there - points).T) - gaps).max() < 1e-6


@pytest.mark.parametrize("seed", range(24))
@pytest.mark.parametrize("is_right", [False, True])
def test_the_wood_beside_a_path_is_what_lies_on_a_ray_square_to_it(seed, is_right):
    chance = np.random.default_rng(seed)
    disc = shapely.Point(50, 50).buffer(chance.uniform(10, 40))
    holed = disc.difference(shapely.box(*chance.uniform(20, 50, 2), *chance.uniform(50, 80, 2)))
    kept = as_region(holed.union(shapely.Point(*chance.uniform(0, 100, 2)).buffer(chance.uniform(1, 9))))
    track = Track(Path.circle((50.0, 50.0), chance.uniform(5, 45)))
    stations = chance.uniform(0, track.length, 24)
    points, way = track.points(stations), track.tangents_at(stations)
    square = np.column_stack((way[:, 1], -way[:, 0])) * (1.0 if is_right else -1.0)
    rays = shapely.linestrings(np.stack((points + square * 3.0, points + square * 27.0), axis=1))
    wanted = shapely.length(shapely.intersection(rays, kept))
    assert np.abs(Wood(kept).beside(track, stations, 6.0, is_right=is_right) - wanted).max() < 1e-6
