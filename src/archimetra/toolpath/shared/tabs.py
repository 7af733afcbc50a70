"""Where tabs go: spread evenly or set by hand, kept off corners, curves and given areas, told when they do not fit."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from archimetra.geometry.arrays import BoolArray, FloatArray
from archimetra.job.cut_parts import Tabs
from archimetra.toolpath.shared.track import Track, nearest_on_ring

_PHASES = 96  # how many ways of turning the even spread are tried
CORNER_DEGREES = 20.0
CURVE_DIAMETERS = 2.0  # a path that curves tighter than this many bit diameters is a poor place for a tab

Forbidden = Callable[[FloatArray], BoolArray]  # which points (n, 2) tabs may not stand at


class TabSpans(NamedTuple):
    """Lifts along a track: (n, 2) start and end stations, where the bit rises over a tab."""

    spans: FloatArray
    asked: int
    near_corner: int  # how many could not keep their distance to corners
    in_zone: int = 0  # how many could not keep out of a given area


def tab_spans(
    track: Track, tabs: Tabs, *, bit_diameter: float, count: int | None = None, forbidden: Forbidden | None = None
) -> TabSpans:
    """Lifts for the tabs of one contour.

    The bit is round and bites half its diameter into both ends of a bridge, so a lift is one diameter
    longer than the wood that stays. As many tabs are placed as leave at least a lift's length between them.
    """
    asked = tabs.wanted_on(track.length) if count is None else count
    lift = tabs.length + bit_diameter
    room = track.length if track.is_closed else track.length - 2 * bit_diameter
    placed = min(asked, int(room / (2 * lift)))
    if placed <= 0:
        return TabSpans(np.zeros((0, 2)), asked, 0)
    corners = track.corners(
        sharper_than_degrees=CORNER_DEGREES, tighter_than_mm=bit_diameter * CURVE_DIAMETERS, with_curves=True
    )
    pitch = room / placed
    offset = 0.0 if track.is_closed else bit_diameter
    need = lift / 2 + tabs.corner_distance
    bad = _bad_places(track, forbidden)
    avoid = np.sort(np.concatenate((corners, bad))) if len(bad) else corners
    best = _best_spread(room, placed, pitch, avoid - offset, is_closed=track.is_closed) + offset
    reach = min(pitch / 3, pitch / 2 - lift / 2)
    centres = np.array([_nudged(c, avoid, need, reach, track.length) for c in best])
    centres = _kept_apart(np.sort(centres % track.length if track.is_closed else centres), best, lift, track.length)
    near = int((nearest_on_ring(centres, corners, track.length) < need - 1e-6).sum()) if len(corners) else 0
    inside = int(forbidden(track.points(centres)).sum()) if forbidden is not None else 0
    return TabSpans(np.column_stack((centres - lift / 2, centres + lift / 2)), asked, near, inside)


def spans_at(track: Track, centres: FloatArray, tabs: Tabs, *, bit_diameter: float) -> FloatArray:
    """Lifts of tabs set by hand at stations; ones that would touch become one, and one longer than the track is none."""
    lift = tabs.length + bit_diameter
    if lift >= track.length - 1e-6:
        return np.zeros((0, 2))  # it would lift the bit all the way round
    centres = np.sort(np.asarray(centres, dtype=np.float64))
    kept: list[float] = []
    for centre in centres:
        if not kept or centre - kept[-1] > lift + 1e-6:
            kept.append(float(centre))
    if len(kept) > 1 and track.is_closed and kept[0] + track.length - kept[-1] <= lift + 1e-6:
        kept.pop()
    out = np.array(kept)
    return np.column_stack((out - lift / 2, out + lift / 2)) if len(out) else np.zeros((0, 2))


def _bad_places(track: Track, forbidden: Forbidden | None) -> FloatArray:
    """Stations inside forbidden areas, close together."""
    if forbidden is None:
        return np.zeros(0)
    stations = np.linspace(0.0, track.length, max(64, int(track.length / 2)), endpoint=False)
    return np.asarray(stations[forbidden(track.points(stations))])


def _best_spread(length: float, count: int, pitch: float, corners: FloatArray, *, is_closed: bool) -> FloatArray:
    """Of all ways to turn an even spread, the one whose worst tab is farthest from a corner."""
    even = np.arange(count) * pitch
    if not len(corners) or not is_closed:
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
