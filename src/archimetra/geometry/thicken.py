"""Lines thickened into areas, and areas offset with a chosen corner style: for drawing, not for toolpaths."""

from __future__ import annotations

import numpy as np
import shapely

from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.offset import quarter_segments
from archimetra.geometry.path import Path
from archimetra.geometry.refit import FINE_MM
from archimetra.geometry.region import Region, as_region

ENDS = ("round", "flat", "square")
CORNERS = ("round", "sharp", "bevel")
_JOIN = {"round": "round", "sharp": "mitre", "bevel": "bevel"}
END_MM, STEP = 1e-4, 1.2
SHARPEST = 5.0  # a sharp corner reaches at most this many widths out; beyond that it is cut off


def thickened(path: Path, width_mm: float, *, ends: str = "round", corners: str = "round") -> Region:
    """The area a pen of that width inks along a path. Raises ValueError for a width that is not above zero."""
    if not width_mm > 0:
        raise ValueError("a width is above 0 mm")
    flat = path.flatten(FINE_MM)
    if not path.closed and len(path):
        flat = np.vstack(
            (flat[:1], _near_end(path, flat[:2]), flat[1:-1], _near_end(path.reverse(), flat[:-3:-1])[::-1], flat[-1:])
        )
    line = shapely.linearrings(flat) if path.closed and len(flat) >= 4 else shapely.linestrings(flat)
    return as_region(
        shapely.buffer(
            line,
            width_mm / 2,
            quad_segs=quarter_segments(width_mm / 2, FINE_MM),
            cap_style=ends,
            join_style=_JOIN[corners],
            mitre_limit=SHARPEST,
        )
    )


def _near_end(path: Path, chord: FloatArray) -> FloatArray:
    """Points of the path between its begin and the end of the first chord of its flattening, ever nearer to the begin: a pen's
    end stands square to the line itself, not to a chord."""
    reach = float(np.hypot(*(chord[1] - chord[0])))
    steps = END_MM * STEP ** np.arange(max(int(np.log(reach / END_MM) / np.log(STEP)), 0))
    return np.array([path.point_at(float(step)) for step in steps]).reshape(-1, 2)


def grown(region: Region, by_mm: float, *, corners: str = "round") -> Region:
    """The region larger (or, below zero, smaller) all round; may be empty."""
    return as_region(
        shapely.buffer(
            region,
            by_mm,
            quad_segs=quarter_segments(abs(by_mm), FINE_MM),
            join_style=_JOIN[corners],
            mitre_limit=SHARPEST,
        )
    )
