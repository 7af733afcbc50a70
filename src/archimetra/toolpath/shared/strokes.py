"""A line cut to and fro in passes: slots as wide as the bit, open lines, leads, and stretches that passes before did not reach.

Each pass begins where the last one ended. A ramp slopes down along the line, turning back at its ends as often as it must, and
what stands under its slope is taken by going on to an end and back over it.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely

from archimetra.geometry.arrays import BoolArray, FloatArray
from archimetra.geometry.distance import SegmentField
from archimetra.toolpath.shared.move_builder import MoveBuilder
from archimetra.toolpath.shared.passes import Lifts, lay_pass, no_lifts, ramp_length
from archimetra.toolpath.shared.track import Track

_MOST_OF = 0.8  # of a closed line: from here on all of it is gone round
_SAMPLES_MM = 0.5


def to_and_fro(
    builder: MoveBuilder, track: Track, depths: Sequence[float] | FloatArray, *, start: float, ramp_degrees: float | None,
    lifts: Lifts | None = None, first_pass: int = 1, arrives: bool = True,
) -> None:  # fmt: skip
    """An open track in passes that end at ``depths`` below the face, from ``start`` down. Without ``ramp_degrees`` straight down at
    its ends. Unless it ``arrives`` through the air the bit stands at the track's begin already."""
    if arrives:
        x, y = (float(v) for v in track.points(np.zeros(1))[0])
        builder.arrive(x, y)
        builder.down(-start, pass_no=first_pass)
    z = builder.at[2]
    a, length = 0.0, track.length
    for pass_no, depth in enumerate(depths, first_pass):
        z_to = -float(depth)
        ramp = ramp_length(z - z_to, ramp_degrees, length) if ramp_degrees is not None and z > z_to else 0.0
        end = a + length
        if ramp:
            end = max(float(np.ceil((a + ramp) / length - 1e-9) * length), end) + length
        lay_pass(
            builder.moves, track, a=a, b=end, z_from=z, z_to=z_to, ramp=ramp, lifts=lifts or no_lifts(track),
            feed=builder.feed, plunge=builder.plunge, pass_no=pass_no,
        )  # fmt: skip
        a, z = end, builder.at[2]


def finishing_reach(allowance: float, bit_diameter: float) -> float:
    """How far from what the passes before followed a finishing pass may lie: at a wall its allowance, in a square corner 1.4 times as
    much. Farther out it would meet solid wood at full depth."""
    return 1.6 * allowance + 0.02 * bit_diameter


def down_beside(
    builder: MoveBuilder, place: tuple[float, float], z: float, lines: Sequence[FloatArray], *, within: float, pass_no: int, feed: float,
) -> None:  # fmt: skip
    """To where a finishing pass begins: down where the passes before have opened the wood, on the nearest of their ``lines``, and from
    there into the allowance; straight down where none is near, since that has been cut to this depth already."""
    point, shapes = shapely.points(place), [shapely.linestrings(line) for line in lines]
    nearest = shapely.STRtree(shapes).nearest(point) if shapes else None
    if nearest is not None:
        x, y = (float(v) for v in shapely.get_coordinates(shapely.shortest_line(shapes[int(nearest)], point))[0])
        if np.hypot(x - place[0], y - place[1]) <= within:
            builder.arrive(x, y)
            builder.down(z, pass_no=pass_no, is_open=True)
            builder.line(*place, z, pass_no=pass_no, feed=feed)
            return
    builder.arrive(*place)
    builder.down(z, pass_no=pass_no)


def unserved(track: Track, lines: Sequence[FloatArray], *, limit: float, overlap: float) -> list[tuple[float, float]]:
    """The stretches of a track, as stations (a, b) with b > a, that lie farther than ``limit`` from every line (n, 2), grown by
    ``overlap`` at both ends. One of a closed track's whole length where that is most of it."""
    if not lines:
        return [(0.0, track.length)]
    nodes = track.nodes_between(0.0, track.length)
    even = np.linspace(0.0, track.length, max(8, int(track.length / _SAMPLES_MM)) + 1)
    stations = np.unique(np.concatenate((even, nodes)))
    gaps = SegmentField(lines, reach_mm=limit + 1.0).gaps(
        track.points(np.minimum(stations, track.length * (1 - 1e-12)))
    )
    far = gaps > limit
    if not far.any():
        return []
    grown = _grown(stations, far, overlap, track)
    if track.is_closed and sum(b - a for a, b in grown) > _MOST_OF * track.length:
        return [(grown[0][0], grown[0][0] + track.length)]
    return grown


def _grown(stations: FloatArray, far: BoolArray, overlap: float, track: Track) -> list[tuple[float, float]]:
    edges = np.flatnonzero(np.diff(np.concatenate(([0], far.astype(np.int8), [0]))))
    spans = [
        [float(stations[max(a - 1, 0)]) - overlap, float(stations[min(b, len(stations) - 1)]) + overlap]
        for a, b in zip(edges[0::2], edges[1::2], strict=True)
    ]
    if not track.is_closed:
        spans = [[max(a, 0.0), min(b, track.length)] for a, b in spans]
    out = [spans[0]]
    for a, b in spans[1:]:
        if a <= out[-1][1]:
            out[-1][1] = max(out[-1][1], b)
        else:
            out.append([a, b])
    if track.is_closed and len(out) > 1 and out[0][0] + track.length <= out[-1][1]:
        out[-1][1] = max(out[-1][1], out[0][1] + track.length)  # round the seam
        out.pop(0)
    return [(a, b) for a, b in out]
