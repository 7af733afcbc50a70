"""Where a closed contour begins, and why: where the mark shows least and the wood is firm."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import shapely

from archimetra.base.findings import mm
from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.region import Region
from archimetra.toolpath.shared.tabs import CORNER_DEGREES
from archimetra.toolpath.shared.track import Track, nearest_on_ring, ring_distance

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
    wood: Wood | None = None,
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
    if wood is not None and keeps_right is not None:
        look = order[:_CLOSE_LOOK]
        firm = wood.beside(track, candidates[look], bit_diameter, is_right=keeps_right)
        limit = FIRM_DIAMETERS * bit_diameter
        penalty = 4 * np.maximum(limit - firm, 0.0)
        again = score[look] - penalty
        chosen = int(np.argmax(again))
        avoided = chosen != 0 and firm[0] < limit
        best = int(look[chosen])
    length = float(on_straight[best])
    if length > bit_diameter:
        reason = f"in the middle of a straight stretch of {mm(length, '.0f')}"
    elif len(corners) or len(tabs):
        reason = "as far from corners and tabs as it gets"
    else:
        reason = "anywhere on an even curve"
    return Start(float(candidates[best]), reason + (", off a thin place" if avoided else ""))


class Wood:
    """The wood that stays beside contours, looked at along short lines."""

    def __init__(self, kept: Region) -> None:
        self._kept = kept
        shapely.prepare(kept)
        rings = shapely.get_rings(shapely.get_parts(kept))
        self._rings = [shapely.get_coordinates(ring).T.copy() for ring in rings]
        self._tree = shapely.STRtree(rings)

    def beside(self, track: Track, stations: FloatArray, bit_diameter: float, *, is_right: bool) -> FloatArray:
        """How much wood (n,) lies beside a contour at stations, square to it, up to four diameters."""
        points, t = track.points(stations), track.tangents_at(stations)
        normal = np.column_stack((t[:, 1], -t[:, 0])) * (1.0 if is_right else -1.0)
        far = 4 * bit_diameter
        begin, way = points + normal * bit_diameter * 0.5, normal * far
        is_inside = shapely.contains_xy(self._kept, begin)
        crossed: list[list[FloatArray]] = [[] for _ in stations]
        lines, rings = self._tree.query(shapely.linestrings(np.stack((begin, begin + way), axis=1)))
        for k, ring in zip(lines.tolist(), rings.tolist(), strict=True):
            crossed[k].append(_crossings(begin[k], way[k], self._rings[ring]))
        out = np.zeros(len(stations))
        for k, shares in enumerate(crossed):
            at = np.concatenate(([0.0], np.sort(np.concatenate(shares)) if shares else [], [1.0]))
            out[k] = far * np.diff(at)[0 if is_inside[k] else 1 :: 2].sum()
        return out


def _crossings(a: FloatArray, d: FloatArray, ring: FloatArray) -> FloatArray:
    """At which shares of the way from ``a`` along ``d`` it crosses a ring of corners (2, n)."""
    x, y = ring
    side = d[0] * (y - a[1]) - d[1] * (x - a[0])
    is_left = side < 0
    over = np.flatnonzero(is_left[1:] != is_left[:-1])  # a corner on the way counts once
    p, q = ring[:, over], ring[:, over + 1]
    t = side[over] / (side[over] - side[over + 1])
    shares = (d @ (p + (q - p) * t - a[:, None])) / float(d @ d)
    return np.asarray(shares[(shares > 0) & (shares < 1)])
