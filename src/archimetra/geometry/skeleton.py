"""The medial axis of a region without the branches that only flattening draws: strokes from fork to fork or tip.

Glossary: a *stroke* is a line of points (x, y, clearance) between two *nodes* of the axis; a *tip* is a stroke's end at a
convex corner of the outline, where the clearance is zero. A round region has no stroke but a *spot*: one place whose disc stands for all.

Accuracy: clearances at points are exact; between them, taken as linear, they are too large by at most the chord
tolerance. What pruning leaves out lies within ``residual`` of what stays: each disc that goes lies within a disc that stays, grown
by so much (triangle inequality, peeled from the tips). Corners that turn more than 15 degrees keep their branch to the very tip.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from archimetra.geometry import skeleton_kernels as kernels
from archimetra.geometry.arrays import AnyArray, FloatArray, IntArray
from archimetra.geometry.clearance import GRID_PER_MM, Clearance

NO_LEVEL = 1e9


class Skeleton(NamedTuple):
    """Strokes as one array of points (n, 3): x, y, clearance; stroke k is ``points[first[k]:first[k + 1]]``. ``spots`` (m, 3)."""

    points: FloatArray
    first: IntArray
    spots: FloatArray

    def strokes(self) -> list[FloatArray]:
        return [self.points[a:b] for a, b in zip(self.first[:-1], self.first[1:], strict=True)]

    def length(self) -> float:
        """Of all strokes in the plane, mm."""
        return float(sum(np.hypot(*np.diff(stroke[:, :2], axis=0).T).sum() for stroke in self.strokes()))

    def between(self, low: float, high: float) -> Skeleton:
        """The parts of strokes whose clearance is within these limits; spots that are."""
        points, first = kernels.clipped(np.ascontiguousarray(self.points), self.first, low, high)
        return Skeleton(points, first, self.spots[(self.spots[:, 2] >= low) & (self.spots[:, 2] <= high)])

    def with_level(self, level: float) -> Skeleton:
        """The same with a point wherever the clearance passes a level."""
        points, first = kernels.with_level(np.ascontiguousarray(self.points), self.first, level)
        return Skeleton(points, first, self.spots)

    def simplified(self, tolerance_mm: float) -> Skeleton:
        """Without points that lie within the tolerance, in (x, y, clearance), of the line between those that stay."""
        if not len(self.points):
            return self
        keep = kernels.needed(np.ascontiguousarray(self.points), self.first, tolerance_mm)
        counts = np.concatenate(([0], np.cumsum(keep)))
        return Skeleton(self.points[keep], counts[self.first], self.spots)


NOTHING = Skeleton(np.zeros((0, 3)), np.zeros(1, dtype=np.int64), np.zeros((0, 3)))


def skeleton_of(
    clearance: Clearance, *, residual_mm: float, chord_tolerance_mm: float, level: float = NO_LEVEL
) -> Skeleton:
    """The pruned axis of a region. Where its clearance passes ``level`` mm a point stands exactly, the same one at which the
    offset at that level has its corner. Raises ValueError unless the tolerances are above zero."""
    if not (residual_mm > 0 and chord_tolerance_mm > 0):
        raise ValueError(f"tolerances are above zero, got {residual_mm} and {chord_tolerance_mm}")
    d = clearance.diagram
    if d is None:
        return NOTHING
    given: tuple[AnyArray, ...] = (d.start, d.end, d.cell, *d.sites, *d.xy)
    form, _, fx, fy, h = d.forms
    curves: tuple[AnyArray, ...] = (*given, form, fx, fy, h)
    length = kernels.edge_lengths(d.axis_rows, *curves)
    edges: tuple[AnyArray, ...] = (length, d.start, d.end, d.cell, *d.sites, d.radius)
    stays, spots = kernels.pruned(residual_mm * GRID_PER_MM, len(d.radius), d.axis_rows, *edges)
    chains: tuple[AnyArray, ...] = kernels.chained(d.axis_rows[stays], d.start, d.end, len(d.radius))
    known: tuple[AnyArray, ...] = (*chains, *given, d.radius, *d.forms)
    points, begins = kernels.chain_points(chord_tolerance_mm * GRID_PER_MM, level * GRID_PER_MM, *known)
    at = np.column_stack((*d.xy, d.radius))[spots] / GRID_PER_MM
    return Skeleton(points / GRID_PER_MM, begins, at)
