"""The clearance of a region piece by piece: every connected piece has a diagram of its own, kept for wherever it lies.

The letters of a line of text are pieces: when one is typed, the others are only moved. A piece is known by its outline on the grid
counted from its own lower left corner; that corner's own place is kept to full precision. Answers are those of ``Clearance``.
"""

from __future__ import annotations

import contextlib
from collections.abc import Iterator
from typing import Any, NamedTuple

import numpy as np
import shapely
from cachetools import LRUCache
from shapely.geometry import Polygon

from archimetra.geometry.affine import Affine
from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.clearance import GRID_PER_MM, Axis, Clearance, Deepest
from archimetra.geometry.path import Path
from archimetra.geometry.region import Region, polygons_of
from archimetra.geometry.skeleton import Skeleton, skeleton_of

MOST_SEGMENTS = 300_000  # kept in all


class Piece(NamedTuple):
    """One connected piece: its outline, and its clearance counted from ``corner``. ``key`` is the same for the same outline
    wherever it lies."""

    polygon: Polygon
    clearance: Clearance
    corner: tuple[float, float]
    key: bytes

    def offsets(self, distance: float) -> list[Path]:
        shift = Affine.shift(*self.corner)
        return [path.transform(shift) for path in self.clearance.offsets(distance)]

    def axis(self, *, at_least: float = 0.0, chord_tolerance_mm: float = 0.005) -> Axis:
        axis = self.clearance.axis(at_least=at_least, chord_tolerance_mm=chord_tolerance_mm)
        return axis._replace(a=axis.a + self.corner, b=axis.b + self.corner)

    def deepest(self) -> Deepest | None:
        found = self.clearance.deepest()
        return (
            None
            if found is None
            else Deepest((found.at[0] + self.corner[0], found.at[1] + self.corner[1]), found.clearance)
        )

    def gap(self, p: FloatArray, q: FloatArray, *, limit: float) -> float:
        return self.clearance.gap(p - self.corner, q - self.corner, limit=limit)

    def skeleton(
        self, *, residual_mm: float, chord_tolerance_mm: float, low: float, high: float, simplify_mm: float
    ) -> Skeleton:
        """The pruned axis between two clearances, simplified, where the piece lies; worked out once for an outline. At ``high``
        it ends exactly where the offset at that level has its corners."""
        settings = (self.key, residual_mm, chord_tolerance_mm, low, high, simplify_mm)
        known = _skeletons.get(settings)
        if known is None:
            whole = skeleton_of(
                self.clearance, residual_mm=residual_mm, chord_tolerance_mm=chord_tolerance_mm, level=high
            )
            known = whole.between(low, high).simplified(simplify_mm)
            _keep(_skeletons, settings, known)
        shift = np.array((*self.corner, 0.0))
        return Skeleton(known.points + shift, known.first, known.spots + shift)


class ClearanceSet:
    """The pieces of a region, answering together."""

    def __init__(self, region: Region) -> None:
        """Raises GeometryError where an outline crosses itself even after snapping, or lies too far out."""
        self.pieces = [_piece(polygon) for polygon in polygons_of(region)]
        self._boxes = np.array([piece.polygon.bounds for piece in self.pieces]).reshape(-1, 4)

    @property
    def segment_count(self) -> int:
        return sum(piece.clearance.segment_count for piece in self.pieces)

    def offsets(self, distance: float) -> list[Path]:
        return [path for piece in self.pieces for path in piece.offsets(distance)]

    def axis(self, *, at_least: float = 0.0, chord_tolerance_mm: float = 0.005) -> Axis:
        parts = [piece.axis(at_least=at_least, chord_tolerance_mm=chord_tolerance_mm) for piece in self.pieces]
        if not parts:
            none = np.zeros(0)
            return Axis(np.zeros((0, 2)), np.zeros((0, 2)), none, none)
        return Axis(*(np.concatenate(columns) for columns in zip(*parts, strict=True)))

    def gap(self, p: FloatArray, q: FloatArray, *, limit: float) -> float:
        low, high = np.minimum(p, q) - limit, np.maximum(p, q) + limit
        best = limit
        for piece in self._near(low, high):
            best = min(best, piece.gap(p, q, limit=best))
        return best

    def deepest(self, within: Polygon | None = None) -> Deepest | None:
        if within is None:
            found = [piece.deepest() for piece in self.pieces]
        else:
            x0, y0, x1, y1 = within.bounds
            near = self._near(np.array((x0, y0)), np.array((x1, y1)))
            found = []
            for piece in near:
                there = piece.clearance.deepest(
                    shapely.transform(within, lambda points, corner=piece.corner: points - corner)
                )
                if there is not None:
                    x, y = there.at
                    found.append(Deepest((x + piece.corner[0], y + piece.corner[1]), there.clearance))
        return max((f for f in found if f is not None), key=lambda f: f.clearance, default=None)

    def _near(self, low: FloatArray, high: FloatArray) -> Iterator[Piece]:
        boxes = self._boxes
        if not len(boxes):
            return
        is_near = (
            (boxes[:, 0] <= high[0]) & (boxes[:, 1] <= high[1]) & (boxes[:, 2] >= low[0]) & (boxes[:, 3] >= low[1])
        )
        for k in np.flatnonzero(is_near):
            yield self.pieces[k]


AnyClearance = Clearance | ClearanceSet


def forget() -> None:
    """Keep nothing: for those who measure what the first time costs."""
    _kept.clear()
    _skeletons.clear()


_kept: LRUCache[bytes, Clearance] = LRUCache(MOST_SEGMENTS, getsizeof=lambda clearance: clearance.segment_count + 1)
_skeletons: LRUCache[Any, Skeleton] = LRUCache(2 * MOST_SEGMENTS, getsizeof=lambda skeleton: len(skeleton.points) + 1)


def _keep(cache: Any, key: Any, value: Any) -> None:
    """What is larger than the whole cache is not kept."""
    with contextlib.suppress(ValueError):
        cache[key] = value


def _piece(polygon: Polygon) -> Piece:
    x0, y0, _, _ = polygon.bounds
    rings = [shapely.get_coordinates(ring) - (x0, y0) for ring in (polygon.exterior, *polygon.interiors)]
    key = b"|".join(np.rint(ring * GRID_PER_MM).astype(np.int64).tobytes() for ring in rings)
    clearance = _kept.get(key)
    if clearance is None:
        clearance = Clearance(Polygon(rings[0], rings[1:]))
        _keep(_kept, key, clearance)
    return Piece(polygon, clearance, (x0, y0), key)
