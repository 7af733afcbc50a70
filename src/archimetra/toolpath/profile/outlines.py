"""The drawn outlines of a profile: whose outline a place lies near, where the bit may stand, and which contour a mark belongs to."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import cached_property

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from archimetra.geometry.arrays import BoolArray, FloatArray
from archimetra.geometry.distance import SegmentField
from archimetra.geometry.region import Region, ring_paths
from archimetra.job.cut_parts import Mark, Side
from archimetra.job.ids import ShapeId
from archimetra.job.marks import place_of
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.contours import Contour, kept_region
from archimetra.toolpath.shared.starts import Wood
from archimetra.toolpath.shared.track import Track

_ROOM_SLACK_MM = 0.004  # a lead may come this much nearer than the contour itself keeps
_FARTHEST_RADII = 3.0  # a mark in a corner lies this far from the bit's path at most
_EVEN_MM = 0.05


class Outlines:
    def __init__(self, work: ResolvedCut) -> None:
        self._work = work
        self._radius = work.bit.radius
        self._tree: shapely.STRtree | None = None
        self._owners: list[ShapeId] = []
        self._field: SegmentField | None = None

    @property
    def kept(self) -> Region:
        """The wood that stays, inside or outside the shapes."""
        cut = self._work.cut
        region = kept_region(self._work.shapes)
        if cut.loosens is Side.INSIDE and not region.is_empty:
            x0, y0, x1, y1 = region.bounds
            room = 6 * self._radius
            around: Region = shapely.difference(shapely.box(x0 - room, y0 - room, x1 + room, y1 + room), region)
            return around
        return region

    @cached_property
    def wood(self) -> Wood:
        """That wood, to be looked at along short lines."""
        return Wood(self.kept)

    @property
    def edge(self) -> BaseGeometry:
        """The drawn lines around the shapes' area."""
        lines: BaseGeometry = shapely.boundary(kept_region(self._work.shapes))
        return lines

    def shape_at(self, at: tuple[float, float]) -> ShapeId:
        """The shape whose outline lies nearest."""
        if self._tree is None:
            lines = []
            for shape in self._work.shapes:
                for path in shape.placed():
                    if len(path):
                        lines.append(shapely.linestrings(path.flatten(0.05)))
                        self._owners.append(shape.id)
            self._tree = shapely.STRtree(lines)
        if not self._owners:
            return ShapeId("")
        nearest = self._tree.nearest(shapely.points(at))
        assert nearest is not None
        return self._owners[int(nearest)]

    def is_clear(self, points: FloatArray) -> BoolArray:
        """Whether the bit's centre may stand at points beside the kept wood."""
        if self._field is None:
            lines = ring_paths(kept_region(self._work.shapes)) or [
                path.flatten(0.01) for shape in self._work.shapes for path in shape.placed() if len(path)
            ]
            self._field = SegmentField(lines, reach_mm=self._radius + 1.0)
        return np.asarray(self._field.gaps(np.ascontiguousarray(points)) >= self._radius - _ROOM_SLACK_MM)

    def zone_test(self) -> Callable[[FloatArray], BoolArray] | None:
        """Which points lie in the shapes tabs keep out of; None where there are none."""
        if not self._work.tab_zones:
            return None
        zone = kept_region(self._work.tab_zones)
        if zone.is_empty:
            return None
        shapely.prepare(zone)
        return lambda points: np.asarray(shapely.intersects_xy(zone, points[:, 0], points[:, 1]))

    def marks_of(self, contours: Sequence[Contour], marks: Sequence[Mark]) -> list[FloatArray]:
        """For each contour the places (n, 2) of the marks that belong to it: every mark to one contour, the nearest one, of equally
        near ones its own shape's. Marks of shapes the work lacks are passed over."""
        out = [np.zeros((0, 2))] * len(contours)
        lines = [k for k, contour in enumerate(contours) if contour.path is not None]
        known = {shape.id: shape for shape in self._work.shapes}
        mine = [mark for mark in marks if mark.shape in known]
        if not mine or not lines:
            return out
        cut = self._work.cut
        reach = _FARTHEST_RADII * self._radius + cut.last_pass + 1.0
        shapes = [shapely.linestrings(_closed_ring(contours[k])) for k in lines]
        tree = shapely.STRtree(shapes)
        for mark in mine:
            x, y = place_of(known[mark.shape], mark)
            point = shapely.points(x, y)
            near = tree.query(point, predicate="dwithin", distance=reach)
            if not len(near):
                continue
            gaps = shapely.distance([shapes[n] for n in near], point)
            even = [int(n) for n, gap in zip(near, gaps, strict=True) if gap <= gaps.min() + _EVEN_MM]
            own = [n for n in even if self.shape_at(contours[lines[n]].at) == mark.shape]
            k = lines[(own or even)[0]]
            out[k] = np.vstack((out[k], [(x, y)]))
        return out


def _closed_ring(contour: Contour) -> FloatArray:
    ring = contour.ring
    if contour.path is not None and contour.path.closed and np.abs(ring[0] - ring[-1]).max() > 1e-9:
        return np.vstack((ring, ring[:1]))
    return ring


def stations_of(track: Track, places: FloatArray) -> FloatArray:
    """The stations of a track nearest to places (n, 2)."""
    return track.nearest(places)[0] if len(places) else np.zeros(0)
