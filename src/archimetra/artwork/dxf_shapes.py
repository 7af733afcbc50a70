"""The outlines of single DXF entities as paths in the drawing's units, and the plane an entity lies in."""

from __future__ import annotations

from math import cos, isfinite, radians, sin, tan
from typing import Any

import numpy as np

from archimetra.geometry.affine import IDENTITY, Affine
from archimetra.geometry.arcfit import fit_arcs
from archimetra.geometry.joining import join
from archimetra.geometry.path import Path, bounds_of
from archimetra.geometry.pieces import pieces_of
from archimetra.geometry.segments import Kind

HATCH_JOIN = 1e-3  # edges of a hatch's boundary meet within this share of its size
_FEW = 40


def bulged_path(points: Any, bulges: Any, *, is_closed: bool) -> Path | None:
    """A polyline with bulges; points repeated in place dropped; None where fewer than two different ones are left. Arcs of more than
    half a circle come as two: the ends of a nearly full one may lie so close that closing it would leave nothing of it."""
    points, bulges = np.asarray(points, dtype=np.float64), np.asarray(bulges, dtype=np.float64)
    if len(bulges) and np.abs(bulges).max() > 1.0 and np.isfinite(points).all() and np.isfinite(bulges).all():
        points, bulges = _halved(points, bulges, is_closed=is_closed)
    if 2 < len(points) < _FEW:  # most polylines: without arrays it is three times as quick
        rows = points.tolist()
        ring = [*rows, rows[0]] if is_closed else rows
        if all(a != b for a, b in zip(ring[:-1], ring[1:], strict=True)):
            return Path.arcs(np.array(ring), bulges if is_closed else bulges[:-1], closed=is_closed)
    if not (np.isfinite(points).all() and np.isfinite(bulges).all()):
        raise ValueError("a place that is no number")
    if is_closed and len(points):
        points, bulges = np.vstack((points, points[:1])), np.append(bulges, 0.0)
    if len(points) < 2:
        return None
    keep = (np.diff(points, axis=0) != 0).any(axis=1)
    if not keep.any():
        return None
    nodes = np.vstack((points[:-1][keep], points[-1:]))
    if is_closed and keep.sum() < 2 and not bulges[:-1][keep].any():
        return None
    return Path.arcs(nodes, bulges[:-1][keep], closed=is_closed)


def _halved(points: Any, bulges: Any, *, is_closed: bool) -> tuple[Any, Any]:
    """Points and bulges with arcs of more than half a circle cut in their middle: the sagitta is half the chord times the bulge."""
    out, half = [], list[float]()
    count = len(points)
    for k in range(count):
        out.append(points[k])
        wide = abs(bulges[k]) > 1.0 and (k + 1 < count or is_closed)
        if wide:
            d = points[(k + 1) % count] - points[k]
            out.append((points[k] + points[(k + 1) % count]) / 2 + np.array((d[1], -d[0])) * bulges[k] / 2)
            half += [float(np.tan(np.arctan(bulges[k]) / 2))] * 2
        else:
            half.append(float(bulges[k]))
    return np.array(out), np.array(half)


def curve_path(spline: Any, within: float) -> Path:
    """A B-spline exactly where it is a chain of cubics, else ``within`` a distance of it."""
    if spline.is_rational or spline.degree > 3 or not spline.is_clamped:
        points = np.array([(p.x, p.y) for p in spline.flattening(within, segments=8)])
        return fit_arcs(points, tolerance_mm=2 * within, closed=False)
    nodes: list[Any] = []
    params: list[Any] = []
    for bezier in spline.bezier_decomposition():
        c = np.array([(p.x, p.y) for p in bezier])
        if len(c) == 2:
            c = np.array([c[0], c[0] + (c[1] - c[0]) / 3, c[1] - (c[1] - c[0]) / 3, c[1]])
        elif len(c) == 3:
            c = np.array([c[0], c[0] + 2 / 3 * (c[1] - c[0]), c[2] + 2 / 3 * (c[1] - c[2]), c[2]])
        if not nodes:
            nodes.append(c[0])
        nodes.append(c[3])
        params.append((*c[1], *c[2]))
    kinds = np.full(len(params), Kind.CUBIC, np.uint8)
    return Path(np.array(nodes), kinds, np.array(params), closed=False)


def hatch_outlines(boundary: Any, within: float) -> list[Path]:
    """The edges of a boundary joined, in whatever order and direction they come."""
    pieces: list[Path] = []
    for edge in boundary.edges:
        kind = type(edge).__name__
        if kind == "LineEdge":
            a, b = edge.start, edge.end
            if a != b:
                pieces.append(Path.polyline([(a.x, a.y), (b.x, b.y)], closed=False))
        elif kind == "ArcEdge":
            sweep = (edge.end_angle - edge.start_angle) % 360.0 or 360.0
            angles = [radians(edge.start_angle + sweep * k / 2) for k in range(3)]
            points = [(edge.center.x + edge.radius * cos(a), edge.center.y + edge.radius * sin(a)) for a in angles]
            if sweep > 359.999:
                points[2] = points[0]
            pieces.append(Path.arcs(np.array(points), np.full(2, tan(radians(sweep) / 8)), closed=sweep > 359.999))
        else:
            tool = edge.construction_tool()
            if kind == "EllipseEdge":
                flat = np.array([(p.x, p.y) for p in tool.flattening(within)])
                pieces.append(fit_arcs(flat, tolerance_mm=2 * within, closed=False))
            else:
                pieces.append(curve_path(tool, within))
    whole = [path for path in pieces if path.closed]
    loose = [path for path in pieces if not path.closed and path.length() > 0]
    if loose:
        box = bounds_of(loose) or (0.0, 0.0, 0.0, 0.0)
        near = HATCH_JOIN * max(box[2] - box[0], box[3] - box[1])
        whole.extend(join(pieces_of(loose), tolerance_mm=near).chains)
    return whole


def plane_of(entity: Any, d: dict[str, Any]) -> Affine:
    """From the entity's own plane to the board, seen from above. Plain drawings lie in it already."""
    normal = d.get("extrusion")
    if normal is None or (normal.x == 0 and normal.y == 0 and normal.z > 0):
        return IDENTITY
    if normal.x == 0 and normal.y == 0:
        return Affine(a=-1.0)  # seen from behind: x runs the other way
    ocs = entity.ocs()
    level = float(d.get("elevation", 0.0)) if not hasattr(d.get("elevation"), "z") else d["elevation"].z
    o, x, y = (ocs.to_wcs(p) for p in ((0, 0, level), (1, 0, level), (0, 1, level)))
    m = Affine(x.x - o.x, x.y - o.y, y.x - o.x, y.y - o.y, o.x, o.y)
    if abs(m.determinant) < 1e-6:
        raise ValueError("it stands on edge")
    return m


def finite(*values: float) -> Any:
    """The values again. Raises ValueError where one is no number."""
    if not all(isfinite(value) for value in values):
        raise ValueError("a place that is no number")
    return values


def spot_of(values: dict[str, Any]) -> tuple[float, float] | None:
    """Where an entity lies, in the drawing's units, as far as it says so."""
    for name in ("insert", "location", "center", "start", "defpoint"):
        at = values.get(name)
        if at is not None and isfinite(at.x) and isfinite(at.y):
            return float(at.x), float(at.y)
    return None
