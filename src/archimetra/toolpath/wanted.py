"""What a cut is meant to leave: the ground a perfect bit would, which has no width and reaches every corner.

Every kind says it in its row. A profile asks for its kept side only: a strip along the outline as wide as its bit's radius. What an
allowance, a tab or a skin leaves is meant to be there.
"""

from __future__ import annotations

import msgspec

from archimetra.geometry.region import Region
from archimetra.job.ids import CutId


class Wanted(msgspec.Struct, frozen=True, eq=False):
    """``region`` cut down to ``depth`` mm below the sheet's top as delivered; with a ``slope`` above 0 its walls slope, 1 mm down for ``slope`` mm
    in from the outline, from ``start`` on. ``spare`` is how much higher the ground may lie and still be meant: a drill's point, a V bit's tip flat."""

    cut: CutId
    region: Region
    depth: float
    start: float = 0.0
    slope: float = 0.0
    spare: float = 0.0
