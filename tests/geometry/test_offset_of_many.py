"""Many parts offset at once: each by itself, united where they meet. Measured against one GEOS buffer of the whole."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from archimetra.geometry.offset import offset_region, quarter_segments
from archimetra.geometry.region import as_region, polygons_of


def grid(pitch: float, *, turn: float = 0.0, away: float = 0.0):
    """Twelve washers of 10 mm, each with a disc in its opening, their middles a pitch apart."""
    out = []
    for i in range(4):
        for j in range(3):
            middle = shapely.points(pitch * i, pitch * j)
            ring = shapely.difference(middle.buffer(5, quad_segs=40), middle.buffer(3, quad_segs=40))
            out += [ring, middle.buffer(1, quad_segs=20)]
    return shapely.affinity.translate(
        shapely.affinity.rotate(as_region(shapely.union_all(out)), turn, (0, 0)), away, away
    )


@pytest.mark.parametrize("away", [0.0, 900.0])
@pytest.mark.parametrize("turn", [0.0, 31.0])
@pytest.mark.parametrize("pitch", [12.9, 12.999, 13.0, 13.001, 13.2, 30.0])
@pytest.mark.parametrize("distance", [-1.001, -1.0, -0.4, 0.4, 0.999, 1.5])
def test_many_parts_grow_as_their_whole_does(pitch, distance, turn, away):
    parts = grid(pitch, turn=turn, away=away)
    wanted = shapely.buffer(parts, distance, quad_segs=quarter_segments(abs(distance), 0.001))
    found = offset_region(parts, distance)
    assert found.is_valid
    assert shapely.symmetric_difference(found, wanted).area < 1e-3 * max(1.0, wanted.length)
    pieces = polygons_of(found)
    assert len(pieces) == len(polygons_of(wanted)) or abs(pitch - 13.0) < 0.01
    if not pieces:
        return
    i, _ = shapely.STRtree(pieces).query(pieces, predicate="overlaps")
    assert not len(i)
    assert np.isclose(found.area, shapely.union_all(pieces).area)
