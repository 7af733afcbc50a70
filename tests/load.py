"""What each move of a toolpath takes on: an own, slow height field, stamped with the bit every tenth of a mm of travel.

Shares no code with the planners, nor with the stock: only the moves as arrays and the bit's own shape. Measured for every step
of travel is how much wider than a sliver the bit bites deeper than one depth per pass, and how it comes down into wood.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit

from archimetra.job.bits import Bit
from archimetra.toolpath.shared.moves import Move, straightened

WINDOW = 0.5  # of the bit's diameter, and a mm at least: the travel over which a bite's width is taken


class Load(NamedTuple):
    """``wide`` (m,): width in mm bitten deeper than the limit, over some travel, for each straight piece of a move;
    ``steep`` (m,): degrees at which it comes down into wood, 0 where it does not; ``fall`` (m,): the feed straight down there, mm/min;
    ``solid`` (m,): area in mm2 of wood taken by that descent; ``row`` the move each piece belongs to; ``ends`` (m, 3)."""

    wide: np.ndarray
    steep: np.ndarray
    fall: np.ndarray
    solid: np.ndarray
    row: np.ndarray
    ends: np.ndarray
    rapid_bites: float  # volume a rapid takes, mm3


@njit(cache=True)
def _stamp_all(points, rapid, field, x0, y0, cell, rise, reach_cells, limit, step, over, area, volume, window):
    ny, nx = field.shape
    size = 2 * reach_cells + 1
    for k in range(1, len(points)):
        ax, ay, az = points[k - 1]
        bx, by, bz = points[k]
        length = np.sqrt((bx - ax) ** 2 + (by - ay) ** 2)
        fall = abs(bz - az)
        count = max(1, int(np.ceil(max(length / step, fall / (step * 4)))))
        recent = np.zeros(max(1, int(np.ceil(window / max(length / count, 1e-9)))) if length > 1e-9 else 1)
        slot = 0
        for n in range(1, count + 1):
            t = n / count
            x, y, z = ax + (bx - ax) * t, ay + (by - ay) * t, az + (bz - az) * t
            if z >= 0.0:
                recent[slot] = 0.0
                slot = (slot + 1) % len(recent)
                continue
            ci, cj = int(np.rint((y - y0) / cell)), int(np.rint((x - x0) / cell))
            deep = 0.0
            for i in range(size):
                r = ci + i - reach_cells
                if r < 0 or r >= ny:
                    continue
                for j in range(size):
                    low = z + rise[i, j]
                    c = cj + j - reach_cells
                    if c < 0 or c >= nx or low >= field[r, c]:
                        continue
                    bite = field[r, c] - low
                    field[r, c] = low
                    volume[k] += bite * cell * cell
                    if bite > 0.05:
                        area[k] += cell * cell
                    if bite > limit:
                        deep += cell * cell
            recent[slot] = deep
            slot = (slot + 1) % len(recent)
            travelled = max(window, length / count) if length > 1e-9 else 1.0
            over[k] = max(over[k], recent.sum() / travelled)


def load_of(
    toolpath,
    bit: Bit,
    *,
    per_pass: float,
    cell: float = 0.1,
    field: np.ndarray | None = None,
    origin=None,
    tolerance: float = 0.06,
) -> tuple[Load, np.ndarray, tuple[float, float]]:
    """The load of each piece of a toolpath, the height field after it, and where that lies. A field given is cut further."""
    points, row = straightened(toolpath.xyz, toolpath.kind, toolpath.centre, chord_tolerance_mm=0.01)
    points = np.ascontiguousarray(points)
    deepest = -float(points[:, 2].min())
    widest = min(bit.radius, bit.width_at(deepest) / 2 + cell)  # a pointed bit is no wider where it cuts
    reach = int(np.ceil(widest / cell)) + 1
    if field is None:
        low, high = points[:, :2].min(axis=0) - bit.radius - 1, points[:, :2].max(axis=0) + bit.radius + 1
        origin = (float(low[0]), float(low[1]))
        nx, ny = (int(v) for v in np.ceil((high - low) / cell) + 1)
        field = np.zeros((ny, nx))
    span = np.arange(-reach, reach + 1) * cell
    away = np.hypot(*np.meshgrid(span, span))
    rise = np.full(away.shape, 1e9)
    inside = away <= widest - 0.3 * cell
    rise[inside] = [bit.rise_at(float(r)) for r in away[inside]]
    rapid = toolpath.kind[row] == Move.RAPID
    over, area, volume = (np.zeros(len(points)) for _ in range(3))
    _stamp_all(
        points,
        rapid,
        field,
        *origin,
        cell,
        rise,
        reach,
        per_pass + tolerance,
        cell,
        over,
        area,
        volume,
        max(1.0, WINDOW * bit.diameter),
    )
    d = np.diff(points, axis=0, prepend=points[:1])
    run, drop = np.hypot(d[:, 0], d[:, 1]), -d[:, 2]
    length = np.hypot(run, drop)
    bites = (volume > 0.02) & (drop > 1e-6) & ~rapid
    steep = np.where(bites, np.degrees(np.arctan2(drop, run)), 0.0)
    feed = toolpath.feed[row]
    fall = np.where(bites, feed * drop / np.maximum(length, 1e-12), 0.0)
    is_vertical = run < 1e-6
    over[is_vertical] = 0.0  # straight down counts as a plunge, not as a bite along the way
    return Load(over, steep, fall, np.where(bites, area, 0.0), row, points, float(volume[rapid].sum())), field, origin
