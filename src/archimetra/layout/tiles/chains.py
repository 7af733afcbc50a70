"""What of a toolpath belongs together: the passes of one outline, the strokes of a letter, the loops of a pocket, a hole.

A stretch is what the bit does between two rapids; stretches that overlap as they are cut are one chain. Nothing here asks what kind of cut
it is: letters and pockets are told apart by what touches.
"""

from __future__ import annotations

from collections import OrderedDict
from functools import cached_property
from hashlib import blake2b

import msgspec
import numpy as np
import shapely
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from shapely.geometry.base import BaseGeometry

from archimetra.geometry.arrays import FloatArray, IntArray
from archimetra.job.bits import UNDERCUTS, Bit
from archimetra.job.setups import Box
from archimetra.toolpath.shared.moves import Move, Role, Toolpath, arc_angles, straightened

_CHORD_MM = 0.05
_SHARE = 0.98  # of the widths of two stretches: nearer than this they overlap
_CORNER_DEGREES = 20.0


class Chain(msgspec.Struct, frozen=True, eq=False, dict=True):
    """``rows`` of the toolpath number ``path`` that belong together, (m, 2) first and last (exclusive) of each stretch. ``box`` holds the bit's centres;
    ``segments`` are the ends (k, 2, 2) of its straightened moves in wood, ``corners`` where it turns sharply and ``tabs`` where tabs are. ``radius`` is
    how wide the bit cuts at the surface. One that ``stays_whole`` is never parted."""

    path: int
    rows: IntArray
    box: Box
    segments: FloatArray
    corners: FloatArray
    tabs: FloatArray
    radius: float
    stays_whole: bool

    @cached_property
    def lines(self) -> BaseGeometry:
        made: BaseGeometry = shapely.multilinestrings(self.segments)
        return made

    @cached_property
    def hull(self) -> BaseGeometry:
        made: BaseGeometry = shapely.convex_hull(self.lines)
        return made


_kept: OrderedDict[bytes, list[Chain]] = (
    OrderedDict()
)  # a seam that is moved, and a cut that is left as it was, change no chain
_MOST_KEPT = 200


def chains_of(number: int, path: Toolpath, bit: Bit) -> list[Chain]:
    """The chains of a toolpath, in the order they begin. What was found for the same moves is kept."""
    digest = blake2b(
        f"{number} {bit.kind} {bit.diameter} {bit.angle} {bit.tip_flat} {bit.tip_ball}".encode(), digest_size=16
    )
    for array in (path.xyz, path.kind, path.role):
        digest.update(np.ascontiguousarray(array).tobytes())
    key = digest.digest()
    known = _kept.get(key)
    if known is None:
        known = _kept[key] = _chains_of(number, path, bit)
        while len(_kept) > _MOST_KEPT:
            _kept.popitem(last=False)
    else:
        _kept.move_to_end(key)
    return known


def _chains_of(number: int, path: Toolpath, bit: Bit) -> list[Chain]:
    stretches = _stretches(path)
    if not len(stretches):
        return []
    xyz, kind, centre = path.xyz, path.kind, path.centre
    points, source = straightened(xyz, kind, centre, chord_tolerance_mm=_CHORD_MM)
    of = np.full(len(path), -1)
    for k, (a, b) in enumerate(stretches.tolist()):
        of[a:b] = k
    begin, end = points[:-1], points[1:]
    rows = source[1:]
    low = (np.minimum(begin[:, 2], end[:, 2]) < 0) & (of[rows] >= 0)
    owner = of[rows[low]]
    segments = np.stack((begin[low, :2], end[low, :2]), axis=1)
    depth = np.zeros(len(stretches))
    np.minimum.at(depth, owner, np.minimum(begin[low, 2], end[low, 2]))
    used = np.flatnonzero(depth < 0)
    if not len(used):
        return []
    radius = np.array([bit.width_at(-d) / 2 if d < 0 else 0.0 for d in depth])
    label = _together(segments, owner, radius, used, len(stretches))
    extreme_at, extreme_of = _extremes(path, of)
    corner_at, corner_of = _corners(points, of[source])
    tab_at, tab_of = _tabs(path, of)
    is_whole = np.zeros(len(stretches), dtype=bool)
    for k, (a, b) in enumerate(stretches.tolist()):
        is_whole[k] = bool((path.role[a:b] == Role.DRILL).any())
    out = []
    for name in dict.fromkeys(label[used].tolist()):
        own = used[label[used] == name]
        mine = np.isin(owner, own)
        ends = np.vstack((segments[mine].reshape(-1, 2), extreme_at[np.isin(extreme_of, own)]))
        (x0, y0), (x1, y1) = ends.min(axis=0), ends.max(axis=0)
        out.append(
            Chain(
                number, stretches[own], (float(x0), float(y0), float(x1), float(y1)), segments[mine],
                corner_at[np.isin(corner_of, own)], tab_at[np.isin(tab_of, own)], float(radius[own].max()),
                bool(is_whole[own].any()) or bit.kind in UNDERCUTS,
            )
        )  # fmt: skip
    return out


def _stretches(path: Toolpath) -> IntArray:
    """First and last row (exclusive) of what lies between rapids, (m, 2)."""
    is_cut = path.kind != Move.RAPID
    is_cut[:1] = False
    edges = np.flatnonzero(np.diff(np.concatenate(([0], is_cut.astype(np.int8), [0]))))
    return edges.reshape(-1, 2)


def _together(segments: FloatArray, owner: IntArray, radius: FloatArray, used: IntArray, count: int) -> IntArray:
    """For each stretch (count,) a number that those which overlap share."""
    shapes = np.empty(len(used), dtype=object)
    order = np.argsort(owner, kind="stable")
    first = np.searchsorted(owner[order], used)
    last = np.searchsorted(owner[order], used, side="right")
    for k, (a, b) in enumerate(zip(first, last, strict=True)):
        shapes[k] = shapely.multilinestrings(segments[order[a:b]])
    # both within twice their own radius: a narrow stroke that only nears a wide one belongs to another letter, one that meets it touches it
    a, b = shapely.STRtree(shapes).query(shapes, predicate="dwithin", distance=2 * radius[used] * _SHARE + 0.05)
    found = coo_matrix((np.ones(len(a)), (used[a], used[b])), shape=(count, count)).tocsr()
    edges = found.multiply(found.T)
    return np.asarray(connected_components(edges, directed=False)[1])


def _extremes(path: Toolpath, of: IntArray) -> tuple[FloatArray, IntArray]:
    """Where arcs go farthest left, right, to the front and back (n, 2), and of which stretch each is: chords stay short of that."""
    rows = np.flatnonzero((path.kind >= Move.ARC_CW) & (of >= 0))
    if not len(rows):
        return np.zeros((0, 2)), np.zeros(0, dtype=np.int64)
    begin, centre = path.xyz[rows - 1], path.centre[rows]
    radius = np.hypot(*(begin[:, :2] - centre).T)
    start, sweep = arc_angles(begin, path.xyz[rows], centre, path.kind[rows])
    places, owners = [], []
    for angle in (0.0, np.pi / 2, np.pi, -np.pi / 2):
        turn = np.where(sweep > 0, np.mod(angle - start, 2 * np.pi), np.mod(start - angle, 2 * np.pi))
        passes = turn <= np.abs(sweep)
        places.append((centre + radius[:, None] * (np.cos(angle), np.sin(angle)))[passes])
        owners.append(of[rows][passes])
    return np.vstack(places), np.concatenate(owners)


def _corners(points: FloatArray, of: IntArray) -> tuple[FloatArray, IntArray]:
    """Where stretches turn by more than curves do in one chord: places (n, 2), and of which stretch each is."""
    if len(points) < 3:
        return np.zeros((0, 2)), np.zeros(0, dtype=np.int64)
    d = np.diff(points[:, :2], axis=0)
    length = np.hypot(*d.T)
    u = d / np.maximum(length, 1e-12)[:, None]
    turn = np.abs(np.arctan2(u[:-1, 0] * u[1:, 1] - u[:-1, 1] * u[1:, 0], (u[:-1] * u[1:]).sum(axis=1)))
    is_corner = (turn > np.radians(_CORNER_DEGREES)) & (length[:-1] > 1e-6) & (length[1:] > 1e-6)
    is_corner &= (of[1:-1] >= 0) & (of[1:-1] == of[2:])
    return points[1:-1, :2][is_corner], of[1:-1][is_corner]


def _tabs(path: Toolpath, of: IntArray) -> tuple[FloatArray, IntArray]:
    rows = np.flatnonzero((path.role == Role.TAB) & (of >= 0))
    return path.xyz[rows, :2], of[rows]
