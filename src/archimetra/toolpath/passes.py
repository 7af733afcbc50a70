"""Depth passes laid along a track: ramps, tabs and the moves that result."""

from __future__ import annotations

from math import ceil, radians, tan

import numpy as np

from archimetra.geometry.arrays import BoolArray, FloatArray
from archimetra.toolpath.moves import Move, MoveList, Role
from archimetra.toolpath.track import Track


def pass_depths(start: float, end: float, per_pass: float) -> FloatArray:
    """Depths (n,) below the sheet top after each pass, equal steps of at most ``per_pass``."""
    count = max(1, ceil((end - start) / per_pass - 1e-9))
    return np.asarray(start + (end - start) * np.arange(1, count + 1) / count)


def ramp_length(drop: float, degrees: float) -> float:
    return drop / tan(radians(degrees))


def lay_pass(
    moves: MoveList,
    track: Track,
    *,
    a: float,
    b: float,
    z_from: float,
    z_to: float,
    ramp: float,
    tabs: FloatArray,
    tab_top: float,
    feed: float,
    plunge: float,
    pass_no: int,
) -> None:
    """One walk from station a to b: down from ``z_from`` to ``z_to`` over the first ``ramp`` mm, then level.

    Over the lifts ``tabs`` (n, 2) (closed tracks) the bit stays at ``tab_top`` or above. The bit already stands at a,
    ``z_from``; without a ramp it first goes straight down. Sloped moves are slowed so that their vertical part
    keeps to the plunge feed.
    """
    breaks, is_tab = _breaks(track, a, b, z_from, z_to, ramp, tabs, tab_top)
    z_left = _level(breaks[:-1], a, z_from, z_to, ramp)
    z_right = _level(breaks[1:], a, z_from, z_to, ramp)
    if ramp <= 0:
        z_left = np.full_like(z_left, z_to)
    z_left = np.where(is_tab, np.maximum(z_left, tab_top), z_left)
    z_right = np.where(is_tab, np.maximum(z_right, tab_top), z_right)
    jump = np.abs(np.diff(np.concatenate(([z_from], np.column_stack((z_left, z_right)).ravel())))[0::2]) > 1e-9
    # rows: for each stretch its vertical step, where there is one, then the stretch itself
    count = len(z_left)
    rows = np.concatenate((np.arange(count)[jump] * 2, np.arange(count) * 2 + 1))
    order = np.argsort(rows, kind="stable")
    stations = np.concatenate((breaks[:-1][jump], breaks[1:]))[order]
    z = np.concatenate((z_left[jump], z_right))[order]
    on_tab = np.concatenate((is_tab[jump], is_tab))[order]
    points, kind, centre = track.moves(np.concatenate(([a], stations)))
    xyz = np.column_stack((points[1:], z))
    before = np.vstack(([[*points[0], z_from]], xyz[:-1]))
    run = np.diff(np.concatenate(([a], stations)))
    drop = before[:, 2] - z
    in_space = np.hypot(run, drop)
    speed = np.full(len(z), feed)
    falling = drop > 1e-9
    speed[falling] = np.minimum(feed, plunge * in_space[falling] / drop[falling])
    role = np.where(on_tab, Role.TAB, np.where(falling, Role.ENTRY, Role.CUT)).astype(np.uint8)
    moves.add(xyz, kind[1:], centre[1:], speed, role, pass_no)


def _level(s: FloatArray, a: float, z_from: float, z_to: float, ramp: float) -> FloatArray:
    """Depth of the bare pass at stations."""
    if ramp <= 0:
        return np.full(len(s), z_to)
    return np.asarray(z_from + (z_to - z_from) * np.clip((s - a) / ramp, 0.0, 1.0))


def _breaks(
    track: Track, a: float, b: float, z_from: float, z_to: float, ramp: float, tabs: FloatArray, tab_top: float
) -> tuple[FloatArray, BoolArray]:
    """Rising stations from a to b at which anything changes, and which stretches between them lie on a tab."""
    lifts = _unrolled(tabs, a, b, track.length) if len(tabs) and z_to < tab_top else np.zeros((0, 2))
    extra = [track.nodes_between(a, b), lifts.ravel()]
    if 0 < ramp < b - a:
        extra.append(np.array([a + ramp]))
    if ramp > 0 and z_from > tab_top > z_to:
        extra.append(np.array([a + ramp * (z_from - tab_top) / (z_from - z_to)]))
    inner = np.sort(np.concatenate(extra), kind="stable")  # a few marks among rising nodes
    inner = inner[(inner > a + 1e-9) & (inner < b - 1e-9)]
    inner = inner[np.concatenate(([True], np.diff(inner) > 1e-9))] if len(inner) else inner
    breaks = np.concatenate(([a], inner, [b]))
    middle = (breaks[:-1] + breaks[1:]) / 2
    return breaks, np.searchsorted(lifts.ravel(), middle) % 2 == 1  # lifts rise and never touch


def _unrolled(spans: FloatArray, a: float, b: float, length: float) -> FloatArray:
    """Spans of a closed track repeated for every turn that [a, b] touches."""
    first, last = int(np.floor(a / length)) - 1, int(np.floor(b / length)) + 1
    every = np.vstack([spans + turn * length for turn in range(first, last + 1)])
    return np.asarray(every[(every[:, 1] > a) & (every[:, 0] < b)])


def plunge_to(moves: MoveList, point: tuple[float, float], z: float, *, feed: float, pass_no: int) -> None:
    """Straight down (or up) on the spot."""
    moves.add_point((*point, z), kind=Move.LINE, feed=feed, role=Role.ENTRY, pass_no=pass_no)
