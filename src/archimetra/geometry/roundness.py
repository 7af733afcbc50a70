"""Cubics that stand for circular arcs turned back into arcs: drawing programs and page formats know no circles."""

from __future__ import annotations

import numpy as np

from archimetra.geometry.path import Path
from archimetra.geometry.segments import Kind

# the cubic every program draws for an arc strays from it by 2.7e-4 of the radius for a quarter circle, and by the
# sixth power of the sweep less for shorter ones; what strays more is another curve
ROUND_SHARE = 3.2e-4
ROUND_MM = 0.0006  # what rounding of coordinates adds
_FLATTEST = 1e-3
_AT = np.array([0.1, 0.25, 0.4, 0.6, 0.75, 0.9])


def with_arcs(path: Path) -> Path:
    """The path with every cubic that is an arc, to what drawing programs make of one, as that arc; else itself."""
    rows = np.flatnonzero(path.kinds == Kind.CUBIC)
    if not len(rows):
        return path
    p, q = path.nodes[rows], path.nodes[rows + 1]
    c1, c2 = path.params[rows, 0:2], path.params[rows, 2:4]
    chord = q - p
    length = np.hypot(*chord.T)
    middle = (p + 3 * c1 + 3 * c2 + q) / 8
    ok = length > 1e-9
    size = np.where(ok, length, 1.0)
    # the sagitta to the right of the chord gives the bulge, the bulge the circle
    away = middle - (p + q) / 2
    rise = (away[:, 0] * chord[:, 1] - away[:, 1] * chord[:, 0]) / size
    bulge = 2 * rise / size
    ok &= (np.abs(bulge) > _FLATTEST) & (np.abs(bulge) <= 1.001)
    safe = np.where(ok, bulge, 1.0)
    normal = np.column_stack((-chord[:, 1], chord[:, 0]))
    centre = (p + q) / 2 + normal * ((1 - safe**2) / (4 * safe))[:, None]
    radius = size * (1 + safe**2) / (4 * np.abs(safe))
    s = 1 - _AT[:, None, None]
    t = _AT[:, None, None]
    on = s**3 * p + 3 * s * s * t * c1 + 3 * s * t * t * c2 + t**3 * q
    off = np.abs(np.hypot(on[..., 0] - centre[:, 0], on[..., 1] - centre[:, 1]) - radius).max(axis=0)
    # the handles must leave along the circle too, or a flat curve of another kind would pass
    for end, handle in ((p, c1), (q, c2)):
        r, h = end - centre, handle - end
        lean = np.abs((r * h).sum(axis=1)) / np.maximum(np.hypot(*r.T) * np.hypot(*h.T), 1e-12)
        ok &= lean < 0.02
    quarters = 4 * np.arctan(np.abs(safe)) / (np.pi / 2)
    ok &= off <= ROUND_MM + ROUND_SHARE * radius * quarters**6
    if not ok.any():
        return path
    kinds, params = path.kinds.copy(), path.params.copy()
    good = rows[ok]
    kinds[good] = Kind.ARC
    params[good] = 0.0
    params[good, 0] = np.clip(bulge[ok], -1.0, 1.0)
    return Path(path.nodes, kinds, params, closed=path.closed)
