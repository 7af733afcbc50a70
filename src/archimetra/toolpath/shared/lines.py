"""Lines followed in passes: in an order with little travel, to and fro where they are open, round and round where they are closed."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from archimetra.geometry.arrays import FloatArray
from archimetra.job.cut_parts import Entry
from archimetra.toolpath.shared.move_builder import MoveBuilder
from archimetra.toolpath.shared.order import inside_first
from archimetra.toolpath.shared.passes import lay_pass, no_lifts, ramp_length
from archimetra.toolpath.shared.track import Track

TOUCHING_MM = 0.02  # lines that meet this closely are followed on without lifting


class WayIn(NamedTuple):
    """How each pass gets down."""

    entry: Entry
    ramp_degrees: float


class Aside(NamedTuple):
    """A way off a closed line and back to it by places (n, 3), gone in the last pass from a station of it."""

    station: float
    points: FloatArray


def ordered_lines(tracks: Sequence[Track]) -> list[int]:
    """The numbers of the tracks in the order to follow them in; ``~k`` for an open one begun at its end."""
    starts = np.array([track.points(np.array([0.0]))[0] for track in tracks if len(track)]).reshape(-1, 2)
    kept = [k for k, track in enumerate(tracks) if len(track)]
    ends = np.array([
        starts[n] if tracks[k].is_closed else tracks[k].points(np.array([tracks[k].length]))[0] for n, k in enumerate(kept)
    ]).reshape(-1, 2)  # fmt: skip
    is_open = np.array([not tracks[k].is_closed for k in kept], dtype=bool)
    order = inside_first(starts, np.full(len(kept), -1), ends=ends, can_turn=is_open)
    return [kept[k] if k >= 0 else ~kept[~k] for k in order]


def lay_line(
    builder: MoveBuilder, track: Track, way_in: WayIn, depths: FloatArray, *, start: float, is_back: bool = False, asides: Sequence[Aside] = ()
) -> None:  # fmt: skip
    """One line, ``start`` and ``depths`` below the face: open ones to and fro, from the end it is begun at; a ramp's slope is gone over
    again at full depth."""
    length = track.length
    a = length if is_back else 0.0
    x, y = (float(v) for v in track.points(np.array([a]))[0])
    z = -start
    follows_on = (
        not builder.moves.is_empty
        and len(depths) == 1
        and way_in.entry is Entry.PLUNGE
        and abs(builder.at[2] + float(depths[0])) < 1e-9
        and np.hypot(builder.at[0] - x, builder.at[1] - y) < TOUCHING_MM
    )
    if follows_on:
        z = -float(depths[0])
        builder.line(x, y, z, pass_no=1)
    else:
        builder.arrive(x, y)
        builder.down(z, pass_no=1)
    for pass_no, depth in enumerate(depths, 1):
        z_to = -float(depth)
        ramps = way_in.entry is Entry.RAMP and z > z_to
        ramp = ramp_length(z - z_to, way_in.ramp_degrees, length) if ramps else 0.0
        if track.is_closed:
            b = a + ramp + length
        elif ramp:
            b = float(np.ceil((a + ramp) / length - 1e-9) * length)
            b = max(b, a + length) + length
        else:
            b = a + length
        stops = _stops(asides, a + ramp, b, length) if pass_no == len(depths) else []
        for station, aside in [*stops, (b, None)]:
            if station > a + 1e-9:
                lay_pass(
                    builder.moves, track, a=a, b=station, z_from=z, z_to=z_to, ramp=ramp, lifts=no_lifts(track), feed=builder.feed,
                    plunge=builder.plunge, pass_no=pass_no,
                )  # fmt: skip
                a, z, ramp = station, z_to, 0.0
            if aside is not None:
                here = builder.at[2]
                for px, py, pz in aside.points:
                    builder.line(float(px), float(py), max(float(pz), here), pass_no=pass_no)
        a, z = b, z_to


def _stops(asides: Sequence[Aside], first: float, last: float, length: float) -> list[tuple[float, Aside | None]]:
    """The asides at stations after ``first``, where the line is at full depth, up to ``last``, once round."""
    stops = [
        (aside.station + length * float(np.ceil((first - aside.station) / length + 1e-9)), aside) for aside in asides
    ]
    return sorted(((at, aside) for at, aside in stops if at <= last + 1e-9), key=lambda stop: stop[0])
