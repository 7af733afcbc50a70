"""Where a closed contour begins, and why: where the mark shows least and the wood is firm."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import shapely

from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.region import Region
from archimetra.toolpath.tabs import CORNER_DEGREES
from archimetra.toolpath.track import Track, nearest_on_ring, ring_distance

FIRM_DIAMETERS = 2.0  # wood thinner than this beside the path counts as thin
_CANDIDATES = 240
_CLOSE_LOOK = 24  # of them the best are looked at for the thickness of the wood


class Start(NamedTuple):
    station: float
    reason: str


def choose_start(
    track: Track,
    tabs: FloatArray,
    *,
    bit_diameter: float,
    kept: Region | None = None,
    keeps_right: bool | None = None,
) -> Start:
    """The middle of the longest straight stretch clear of tabs, corners and thin places, otherwise the place farthest from
    all of them. A start mark shows least on a straight edge and can be sanded there; where the wood beside the path is thin it
    would give way as the bit comes in."""
    candidates = np.linspace(0.0, track.length, _CANDIDATES, endpoint=False)
    straight = track.straight_stretches()
    if len(straight):
        longest = straight[np.argsort(straight[:, 0] - straight[:, 1])][:12]
        candidates = np.concatenate((longest.mean(axis=1), candidates))
    corners = track.corners(sharper_than_degrees=CORNER_DEGREES, tighter_than_mm=bit_diameter * 0.8)
    room = nearest_on_ring(candidates, corners, track.length)
    for low, high in tabs:
        inside = ring_distance(candidates, float(low + high) / 2, track.length) - (high - low) / 2
        room = np.minimum(room, inside)
    on_straight = np.zeros(len(candidates))
    if len(straight):
        last = np.maximum(np.searchsorted(straight[:, 0], candidates, side="left") - 1, 0)  # they rise, none overlap
        begins, ends = straight[last].T
        on_straight = np.where((candidates > begins) & (candidates < ends), ends - begins, 0.0)
    score = np.minimum(on_straight, track.length / 4) + 2 * np.minimum(room, 5 * bit_diameter)
    order = np.argsort(-score, kind="stable")
    best = int(order[0])
    avoided = False
    if kept is not None and keeps_right is not None and not kept.is_empty:
        look = order[:_CLOSE_LOOK]
        firm = _thickness(track, candidates[look], kept, bit_diameter, is_right=keeps_right)
        limit = FIRM_DIAMETERS * bit_diameter
        penalty = 4 * np.maximum(limit - firm, 0.0)
        again = score[look] - penalty
        chosen = int(np.argmax(again))
        avoided = chosen != 0 and firm[0] < limit
        best = int(look[chosen])
    length = float(on_straight[best])
    if length > bit_diameter:
        reason = f"in the middle of a straight stretch of {length:.0f} mm"
    elif len(corners) or len(tabs):
        reason = "as far from corners and tabs as it gets"
    else:
        reason = "anywhere on an even curve"
    return Start(float(candidates[best]), reason + (", off a thin place" if avoided else ""))


def _thickness(track: Track, stations: FloatArray, kept: Region, bit_diameter: float, *, is_right: bool) -> FloatArray:
    """How much wood lies beside the path at stations, square to it, up to four diameters."""
    points, t = track.points(stations), track.tangents_at(stations)
    normal = np.column_stack((t[:, 1], -t[:, 0])) * (1.0 if is_right else -1.0)
    far = 4 * bit_diameter
    begin, end = points + normal * bit_diameter * 0.5, points + normal * (bit_diameter * 0.5 + far)
    shapely.prepare(kept)
    is_inside = shapely.contains_xy(kept, begin)
    corners, ring = shapely.get_coordinates(shapely.get_rings(shapely.get_parts(kept)), return_index=True)
    is_side = ring[1:] == ring[:-1]  # the others are leaps to the next ring
    p, q = corners[:-1][is_side], corners[1:][is_side]
    (x0, y0), (x1, y1) = np.minimum(p, q).T.copy(), np.maximum(p, q).T.copy()
    out = np.zeros(len(stations))
    for k in range(len(stations)):
        a, d = begin[k], end[k] - begin[k]
        (left, front), (right, back) = np.minimum(a, end[k]), np.maximum(a, end[k])
        near = np.flatnonzero((x0 <= right) & (x1 >= left) & (y0 <= back) & (y1 >= front))
        out[k] = far * _share_inside(a, d, p[near], q[near], starts_inside=bool(is_inside[k]))
    return out


def _share_inside(a: FloatArray, d: FloatArray, p: FloatArray, q: FloatArray, *, starts_inside: bool) -> float:
    """The share of the way from ``a`` along ``d`` that lies inside, where it crosses the sides ``p`` to ``q``."""
    side_p = d[0] * (p[:, 1] - a[1]) - d[1] * (p[:, 0] - a[0])
    side_q = d[0] * (q[:, 1] - a[1]) - d[1] * (q[:, 0] - a[0])
    over = (side_p < 0) != (side_q < 0)  # a corner on the way counts once
    t = side_p[over] / (side_p[over] - side_q[over])
    at = p[over] + (q[over] - p[over]) * t[:, None]
    shares = np.sort(((at - a) * d).sum(axis=1) / float(d @ d))
    shares = np.concatenate(([0.0], shares[(shares > 0) & (shares < 1)], [1.0]))
    steps = np.diff(shares)
    return float(steps[0 if starts_inside else 1 :: 2].sum())
