"""Corner overcut: the bit driven into inner corners until its edge touches the corner itself.

Where the centre line turns sharply (angle b between the directions), the corner of the wood lies R / cos(b / 2) from the
joint on the outer side of the turn; a bit that goes R (1 / cos(b / 2) - 1) that way just reaches it. Where the drawn corner is
rounded the wood begins nearer: the bit goes only as far that way as the drawn outline lies, and not at all where it follows the round.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from archimetra.geometry.arrays import BoolArray, FloatArray
from archimetra.geometry.path import Path
from archimetra.geometry.segments import Kind

SHARPER_THAN_DEGREES = 20.0
SHARPEST_DEGREES = 160.0  # beyond it the corner is a needle, and the way into it long
_LEAST_MM = 0.005  # shorter ways are not worth a stop


def overcut(path: Path, *, bit_radius: float, keeps_right: bool, outline: BaseGeometry) -> Path:
    """``path`` (lines and arcs, closed) with a way out and back at every sharp joint that turns away from the kept wood;
    ``outline`` are the drawn lines beside it."""
    kinds, nodes, bulges = path.kinds, path.nodes, np.where(path.kinds == Kind.ARC, path.params[:, 0], 0.0)
    away, into, sharp = _corners(path, keeps_right, SHARPEST_DEGREES)
    if not sharp.any():
        return path
    tips = _tips(nodes[:-1], away, into, sharp, bit_radius, outline)
    out_nodes, out_bulges = [], list[float]()
    for k in range(len(kinds)):
        out_nodes.append(nodes[k])
        if k in tips:
            out_nodes += [tips[k], nodes[k]]
            out_bulges += [0.0, 0.0]
        out_bulges.append(float(bulges[k]))
    out_nodes.append(out_nodes[0])
    return Path.arcs(np.array(out_nodes), np.array(out_bulges), closed=True)


def inner_corners(
    path: Path, *, keeps_right: bool, sharpest_degrees: float = SHARPEST_DEGREES
) -> Iterator[tuple[FloatArray, FloatArray, float]]:
    """The sharp joints of a closed path that turn away from the kept wood: each joint (2,), the unit direction from it to the corner of
    the wood it cannot get into, and by how much the path turns there, rad."""
    away, into, sharp = _corners(path, keeps_right, sharpest_degrees)
    for k in np.flatnonzero(sharp):
        yield path.nodes[k], away[k] / np.hypot(*away[k]), float(into[k])


def _corners(path: Path, keeps_right: bool, sharpest_degrees: float) -> tuple[FloatArray, FloatArray, BoolArray]:
    """For each joint (n,) a direction (n, 2) towards the kept wood, how far the path turns away from that, rad, and whether that is a
    sharp corner."""
    bulges = np.where(path.kinds == Kind.ARC, path.params[:, 0], 0.0)
    directions_in, directions_out = _directions(path.nodes, bulges)
    before = np.roll(directions_out, 1, axis=0)  # of the segment that ends at each node
    cross = before[:, 0] * directions_in[:, 1] - before[:, 1] * directions_in[:, 0]
    turn = np.arctan2(cross, (before * directions_in).sum(axis=1))
    # wood on the right: an inner corner of the wood makes the path turn left
    into = turn if keeps_right else -turn
    degrees = np.degrees(into)
    return before - directions_in, into, (degrees > SHARPER_THAN_DEGREES) & (degrees < sharpest_degrees)


def _tips(
    nodes: FloatArray, away: FloatArray, into: FloatArray, sharp: BoolArray, radius: float, outline: BaseGeometry
) -> dict[int, FloatArray]:
    """For the joints that need it the place from which the bit's edge just touches the drawn outline."""
    shapely.prepare(outline)
    out: dict[int, FloatArray] = {}
    for k in np.flatnonzero(sharp):
        direction = away[k] / np.hypot(*away[k])
        reach = radius / np.cos(into[k] / 2)
        ray = shapely.linestrings(np.array((nodes[k], nodes[k] + direction * reach)))
        met = shapely.intersection(ray, outline)
        room = float(shapely.distance(met, shapely.points(nodes[k]))) if not met.is_empty else reach
        if room - radius > _LEAST_MM:
            out[int(k)] = nodes[k] + direction * (room - radius)
    return out


def _directions(nodes: FloatArray, bulges: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Unit directions in which each segment begins and ends."""
    d = np.diff(nodes, axis=0)
    d = d / np.hypot(d[:, 0], d[:, 1])[:, None]
    half = 2 * np.arctan(bulges)
    c, s = np.cos(half)[:, None], np.sin(half)[:, None]
    side = np.column_stack((-d[:, 1], d[:, 0]))
    return d * c - side * s, d * c + side * s
