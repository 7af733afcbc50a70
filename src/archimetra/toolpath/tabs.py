"""Where tabs go: spread evenly, kept off corners, told when they do not fit."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from archimetra.geometry.arrays import FloatArray
from archimetra.job.cuts import Tabs
from archimetra.toolpath.track import Track, nearest_on_ring

_PHASES = 96  # how many ways of turning the even spread are tried
CORNER_DEGREES = 20.0


class TabSpans(NamedTuple):
    """Lifts along a closed track: (n, 2) start and end stations, where the bit rises over a tab."""

    spans: FloatArray
    asked: int
    near_corner: int  # how many could not keep their distance to corners


def tab_spans(track: Track, tabs: Tabs, *, bit_diameter: float) -> TabSpans:
    """Lifts for the tabs of one closed contour.

    The bit is round and bites half its diameter into both ends of a bridge, so a lift is one diameter
    longer than the wood that stays. As many tabs are placed as leave at least a lift's length between them.
    """
    lift = tabs.length + bit_diameter
    fits = int(track.length / (2 * lift))
    count = min(tabs.count, fits)
    if count <= 0:
        return TabSpans(np.zeros((0, 2)), tabs.count, 0)
    corners = track.corners(sharper_than_degrees=CORNER_DEGREES, tighter_than_mm=bit_diameter * 0.8)
    pitch = track.length / count
    need = lift / 2 + tabs.corner_distance
    best = _best_spread(track.length, count, pitch, corners)
    centres = np.array([_nudged(c, corners, need, min(pitch / 3, pitch / 2 - lift / 2), track.length) for c in best])
    centres = _kept_apart(np.sort(centres % track.length), best, lift, track.length)
    near = int((nearest_on_ring(centres, corners, track.length) < need - 1e-6).sum()) if len(corners) else 0
    return TabSpans(np.column_stack((centres - lift / 2, centres + lift / 2)), tabs.count, near)


def _best_spread(length: float, count: int, pitch: float, corners: FloatArray) -> FloatArray:
    """Of all ways to turn an even spread, the one whose worst tab is farthest from a corner."""
    even = np.arange(count) * pitch
    if not len(corners):
        return np.asarray(even + pitch / 2, dtype=np.float64)
    phases = np.arange(_PHASES) / _PHASES * pitch
    centres = np.mod(even[None, :] + phases[:, None], length)
    nearest = nearest_on_ring(centres, corners, length)
    best = int(np.argmax(nearest.min(axis=1) + 1e-3 * nearest.mean(axis=1)))
    return np.array(centres[best], dtype=np.float64)


def _nudged(centre: float, corners: FloatArray, need: float, reach: float, length: float) -> float:
    """The nearest place within reach that keeps its distance to corners; else the farthest from them."""
    if not len(corners) or reach <= 0:
        return centre
    steps = np.linspace(-reach, reach, 81)
    places = np.mod(centre + steps, length)
    nearest = nearest_on_ring(places, corners, length)
    good = nearest >= need
    if good.any():
        return float(places[good][np.argmin(np.abs(steps[good]))])
    return float(places[np.argmax(nearest)])


def _kept_apart(centres: FloatArray, even: FloatArray, lift: float, length: float) -> FloatArray:
    """Nudged tabs that came too close fall back to the even spread."""
    if len(centres) < 2:
        return centres
    gaps = np.diff(np.concatenate((centres, centres[:1] + length)))
    return np.asarray(centres if (gaps >= lift * 1.2).all() else np.sort(even % length), dtype=np.float64)
