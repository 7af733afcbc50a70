"""What a cut is meant to leave: the ground a perfect bit would, which has no width and reaches every corner.

Every kind says it in its row. A profile asks for its kept side only: a strip along the outline as wide as its bit's radius. What an
allowance, a tab or a skin leaves is meant to be there. What falls away with a part's offcut or out of its opening is nobody's
concern: ``without_waste`` takes it off.
"""

from __future__ import annotations

from collections.abc import Iterable

import msgspec
import numpy as np
import shapely

from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.region import Region, as_region
from archimetra.job.ids import CutId

_TOUCHES_MM2 = 0.01  # areas that share an edge overlap by their rounding


class Wanted(msgspec.Struct, frozen=True, eq=False):
    """``region`` cut down to ``depth`` mm below the sheet's top as delivered; with a ``slope`` above 0 its walls slope, 1 mm down for ``slope`` mm
    in from the outline, from ``start`` on; with a ``ball`` they are as steep as a ball of that radius leaves them where it touches the outline on
    both sides, the shallowest a stroke through that place can be. ``spare`` is how much higher the ground may lie and still be meant where the
    bit was at all: a drill's point, a V bit's tip flat."""

    cut: CutId
    region: Region
    depth: float
    start: float = 0.0
    slope: float = 0.0
    ball: float = 0.0
    spare: float = 0.0

    @property
    def has_walls(self) -> bool:
        """Whether its ground is not level up to the outline."""
        return self.slope > 0 or self.ball > 0

    @property
    def reach(self) -> float:
        """How far from the outline its walls still go down."""
        deepest = self.depth - self.start
        if self.ball > 0:
            sunk = min(deepest, self.ball)
            return float((2 * self.ball * sunk - sunk * sunk) ** 0.5)
        return deepest * self.slope

    def depths(self, away: FloatArray) -> FloatArray:
        """How deep it is to be (n,) at these distances from the outline."""
        deepest = self.depth - self.start
        if self.ball > 0:
            fallen = self.ball - np.sqrt(np.maximum(self.ball**2 - np.minimum(away, self.ball) ** 2, 0.0))
        elif self.slope > 0:
            fallen = away / self.slope
        else:
            fallen = np.full(np.shape(away), deepest)
        return np.asarray(self.start + np.minimum(fallen, deepest))

    def steepness(self, away: FloatArray) -> FloatArray:
        """How many mm its walls go down for one in, (n,)."""
        if self.ball > 0:
            across = np.minimum(away, 0.95 * self.ball)
            return np.asarray(across / np.sqrt(self.ball**2 - across * across))
        return np.full(np.shape(away), 1 / self.slope if self.slope > 0 else 0.0)


class Freed(msgspec.Struct, frozen=True, eq=False):
    """What cuts through the sheet free: ``kept`` parts, around which the sheet is waste; ``fallen`` pieces out of openings; ``frames``, openings
    whose piece is the part, so that nobody keeps their edge."""

    kept: Region
    fallen: Region
    frames: Region


def without_waste(wanted: Iterable[Wanted], freed: Freed) -> list[Wanted]:
    """Less what falls away: all that lies in an opening, and what reaches over the edge of a part. Ground that touches no part stays."""
    out = []
    for one in wanted:
        region = one.region
        if freed.fallen and shapely.intersects(region, freed.fallen):
            region = as_region(shapely.difference(region, freed.fallen))
        if freed.kept and shapely.intersects(region, freed.kept):
            within = as_region(shapely.intersection(region, freed.kept))
            region = within if within.area > _TOUCHES_MM2 else region
        if region.area > 0:
            out.append(one if region is one.region else msgspec.structs.replace(one, region=region))
    return out


def without_frames(edges: Iterable[Wanted], freed: Freed) -> list[Wanted]:
    """Less the edges of openings whose piece is the part. An outline's edge lies in the waste it makes; more is not taken off."""
    if not freed.frames:
        return list(edges)
    around = shapely.buffer(freed.frames, 0.05)
    parts = ((one, as_region(shapely.difference(one.region, around))) for one in edges)
    return [msgspec.structs.replace(one, region=region) for one, region in parts if region.area > 0]
