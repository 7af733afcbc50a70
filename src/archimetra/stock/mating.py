"""How a plug sits in its pocket, measured on the finished stocks of both boards, not on the settings.

Glossary. *Seat* q: how far the plug's face goes below the pocket board's face. Where the pocket is d deep and the plug is cut v
below its own face, the turned plug's surface is at v - q over the pocket board's face and the pocket's at -d, so the gap there is
d + v - q. Pressed home, a V plug comes to rest where d + v is least over all places: q = min(d + v). An insert of a straight inlay
rests on the floor. *Glue gap*: the gap over the floor. *Saw gap*: what is open between the boards beside the art. *Side gap*: the way from
the pocket's wall to the plug's, square to the outline, at one depth; below zero wood meets wood.

All depths come from a ``DepthSampler`` and are exact at each place asked; places are a grid, the art's outline, and the section line.
"""

from __future__ import annotations

from collections.abc import Callable

import msgspec
import numpy as np
import shapely

from archimetra.geometry.affine import Affine
from archimetra.geometry.arrays import BoolArray, FloatArray
from archimetra.geometry.region import Region, ring_paths
from archimetra.stock.depth_sampler import DepthSampler
from archimetra.stock.mate_results import Mate, MateMap, MateSection

GRID_MM = 0.25
_MOST_PLACES = 400_000
OUTLINE_STEP_MM = 0.5
_MOST_OUTLINE = 6_000
_BISECTIONS = 26
_CLOSE_LOOK = 60  # the lowest places of the grid are looked at more closely
_CORNER_MM = (
    0.6  # so near to a corner no direction is square to the outline; at a depth a V's walls lie that much farther in
)
_FAR_MM = 0.4  # how far off its outline a wall of a straight inlay is looked for; less than any bit is wide


class PlugInPocket(msgspec.Struct, frozen=True, eq=False):
    """Two finished boards and how one is laid on the other: ``onto`` maps the pocket board onto the plug board (mirrored), ``art``
    is the pocket's area on its board, ``around`` how far beyond its box the plug's block reaches. ``depth`` is the pocket's,
    ``slope`` the tangent of a V's half angle, 0 for straight walls."""

    pocket: DepthSampler
    plug: DepthSampler
    onto: Affine
    art: Region
    around: float
    depth: float
    meant: float
    slope: float
    plug_thickness: float

    def sums(self, places: FloatArray) -> tuple[FloatArray, FloatArray]:
        """d and v at places (n, 2) of the pocket board."""
        return self.pocket.depths(places), self.plug.depths(self.onto.apply(places))

    @property
    def box(self) -> tuple[float, float, float, float]:
        x0, y0, x1, y1 = self.art.bounds
        return x0 - self.around, y0 - self.around, x1 + self.around, y1 + self.around

    def measured(self) -> Mate:
        """Everything but the section. Raises ValueError where the art is empty."""
        if self.art.is_empty:
            raise ValueError("an inlay without art has nothing to mate")
        places, inside = self._grid()
        d, v = self.sums(places)
        total = d + v
        if self.slope > 0:
            seat, contact = self._lowest(places, total)
        else:
            inner = inside & (d > 0.5 * self.depth) & (v < 1e-6)
            seat = float(d[inner].min()) if inner.any() else 0.0
            k = int(np.flatnonzero(inner)[np.argmin(d[inner])]) if inner.any() else 0
            contact = (float(places[k, 0]), float(places[k, 1]))
        gap = total - seat
        floor = inside & (np.abs(d - self.depth) < 0.06) & (v < 1e-6)  # holes through it are none
        beside = (d < 1e-6) & ~inside
        beside &= v > (float(v[beside].max()) if beside.any() else 0.0) - 0.06
        # upright walls are measured near the floor: tabs, sanded off later, stand on the other side
        level = min(seat / 2, 1.0) if self.slope > 0 else seat - min(0.8, seat / 3)
        level = max(level, 0.0)
        outline = self.side_gaps(seat, level)
        side = _three(outline.gaps[np.isfinite(outline.gaps)])
        if self.slope == 0 and side is not None:
            side = (side[0], side[1], max(side[2], self._widest_void(places, d, v, seat, level)))
        return Mate(
            seat=seat, meant=self.meant, glue=_three(gap[floor]), saw=_three(gap[beside]) if self.slope > 0 else None,
            side=side, level=level, contact=contact, map=outline,
            proud=self.plug_thickness - seat if self.slope == 0 else None,
        )  # fmt: skip

    def _lowest(self, places: FloatArray, total: FloatArray) -> tuple[float, tuple[float, float]]:
        """The least d + v and where it is: looked for ever closer about the lowest places of the grid, since between two of them a ridge
        may rise by hundredths."""
        step = max(GRID_MM, float(np.ptp(places[:, 0])) / max(len(np.unique(places[:, 0])) - 1, 1))
        around = np.stack(np.meshgrid(np.linspace(-1, 1, 9), np.linspace(-1, 1, 9)), axis=-1).reshape(-1, 2)
        best = places[np.argsort(total, kind="stable")[:_CLOSE_LOOK]]
        value = float(total.min())
        for _ in range(4):
            near = (best[:, None, :] + around[None] * step).reshape(-1, 2)
            d, v = self.sums(near)
            order = np.argsort(d + v, kind="stable")[:_CLOSE_LOOK]
            best, value, step = near[order], min(value, float((d + v)[order[0]])), step / 4
        return value, (float(best[0, 0]), float(best[0, 1]))

    def _widest_void(self, places: FloatArray, d: FloatArray, v: FloatArray, seat: float, level: float) -> float:
        """How wide the widest opening between upright walls is anywhere, corners and notches too: the widest disc that fits between them
        at that depth, to the grid."""
        from scipy.ndimage import distance_transform_edt

        columns = len(np.unique(places[:, 0]))
        step = float(places[1, 0] - places[0, 0]) if columns > 1 else GRID_MM
        near_art = _within(self.art, places, 3.0)
        is_open = (d > level) & (v > seat - level) & near_art
        radius = distance_transform_edt(np.pad(is_open.reshape(-1, columns), 1)) * step
        widest = 2 * float(radius.max()) - step
        return widest if widest > 2 * step else 0.0

    def side_gaps(self, seat: float, level: float) -> MateMap:
        """The side gap all round at a depth below the pocket board's face."""
        places, inward, corner = outline_places(self.art, corner_mm=_CORNER_MM + 2.5 * level * self.slope)
        if level <= 1e-6 or not len(places):
            return MateMap(places, np.full(len(places), np.nan), -1)
        low, high = (-0.3, level * self.slope + 1.0) if self.slope > 0 else (-_FAR_MM, _FAR_MM)
        wall = _crossing(lambda p: self.pocket.depths(p) - level, places, inward, low, high)
        # the plug's underside passes the level where v = q - level
        face = _crossing(lambda p: (seat - level) - self.plug.depths(self.onto.apply(p)), places, inward, low, high)
        gaps = face - wall
        gaps[corner] = np.nan  # square to which side?
        worst = int(np.nanargmin(gaps)) if np.isfinite(gaps).any() else -1
        return MateMap(places, gaps, worst)

    def section(self, a: tuple[float, float], b: tuple[float, float], seat: float, *, samples: int) -> MateSection:
        """Both surfaces along a line of the pocket board, the plug at its seat."""
        t = np.linspace(0.0, 1.0, samples)[:, None]
        places = np.array(a) * (1 - t) + np.array(b) * t
        d, v = self.sums(places)
        x0, y0, x1, y1 = self.box
        is_plug = (places >= (x0, y0)).all(axis=1) & (places <= (x1, y1)).all(axis=1) & (v < self.plug_thickness - 1e-6)
        if self.slope == 0:  # an insert ends at its outline; what lies around it is waste
            is_plug &= _within(self.art, places, 0.02)
        under = np.where(is_plug, v - seat, np.nan)
        back = np.where(is_plug, self.plug_thickness - seat, np.nan)
        return MateSection(-d, under, back)

    def _grid(self) -> tuple[FloatArray, BoolArray]:
        """Places over the plug's block, and which of them lie in the art."""
        x0, y0, x1, y1 = self.box
        step = max(GRID_MM, float(np.sqrt((x1 - x0) * (y1 - y0) / _MOST_PLACES)))
        x, y = np.meshgrid(np.arange(x0 + step / 2, x1, step), np.arange(y0 + step / 2, y1, step))
        places = np.column_stack((x.ravel(), y.ravel()))
        art = self.art
        shapely.prepare(art)
        return places, np.asarray(shapely.contains_xy(art, places[:, 0], places[:, 1]))


def outline_places(art: Region, *, corner_mm: float = _CORNER_MM) -> tuple[FloatArray, FloatArray, BoolArray]:
    """Places (n, 2) along an outline, the direction into the area at each, and which lie so near to a corner (``corner_mm``) that no
    direction is square to the outline there."""
    rings = ring_paths(art)
    length = sum(float(np.hypot(*np.diff(ring, axis=0).T).sum()) for ring in rings)
    step = max(OUTLINE_STEP_MM, length / _MOST_OUTLINE)
    places, inward, corner = [], [], []
    for ring in rings:
        d = np.diff(ring, axis=0)
        size = np.hypot(d[:, 0], d[:, 1])
        ends = np.cumsum(size)
        count = max(4, int(ends[-1] / step))
        s = (np.arange(count) + 0.5) / count * ends[-1]
        k = np.minimum(np.searchsorted(ends, s), len(d) - 1)
        t = (s - (ends[k] - size[k])) / np.maximum(size[k], 1e-12)
        places.append(ring[k] + d[k] * t[:, None])
        u = d[k] / np.maximum(size[k], 1e-12)[:, None]
        inward.append(np.column_stack((-u[:, 1], u[:, 0])))
        turn = _turns(d, size)
        marks = np.concatenate(([0.0], ends))[:-1][turn]
        near = np.zeros(count, dtype=bool)
        for mark in marks:
            gap = np.abs(s - mark)
            near |= np.minimum(gap, ends[-1] - gap) < corner_mm
        corner.append(near)
    if not places:
        return np.zeros((0, 2)), np.zeros((0, 2)), np.zeros(0, dtype=bool)
    return np.vstack(places), np.vstack(inward), np.concatenate(corner)


def _turns(d: FloatArray, size: FloatArray) -> BoolArray:
    """At which nodes of a ring it turns by more than 20 degrees."""
    before, length = np.roll(d, 1, axis=0), np.roll(size, 1)
    cosine = (before * d).sum(axis=1) / np.maximum(length * size, 1e-12)
    return np.asarray(cosine < np.cos(np.radians(20)))


def _crossing(
    value: Callable[[FloatArray], FloatArray], places: FloatArray, inward: FloatArray, low: float, high: float
) -> FloatArray:
    """How far inward of each place ``value`` passes zero from below, nan where it does not between the limits."""
    a, b = np.full(len(places), low), np.full(len(places), high)
    fa, fb = value(places + inward * low), value(places + inward * high)
    good = (fa < 0) & (fb >= 0)
    for _ in range(_BISECTIONS):
        middle = (a + b) / 2
        f = value(places + inward * middle[:, None])
        is_low = f < 0
        a, b = np.where(is_low, middle, a), np.where(is_low, b, middle)
    return np.where(good, (a + b) / 2, np.nan)


def _within(art: Region, places: FloatArray, distance: float) -> BoolArray:
    points = shapely.points(places)
    shapely.prepare(art)
    return np.asarray(shapely.dwithin(art, points, distance))


def _three(values: FloatArray) -> tuple[float, float, float] | None:
    if not len(values):
        return None
    return float(values.min()), float(np.median(values)), float(values.max())
