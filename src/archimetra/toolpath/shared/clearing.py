"""Clearing an area: loops at even distances from its walls, straight lines across it, and strokes where loops leave something.

**Coverage.** Loops lie at clearances d_k = R + w + k s. With a stepover s of at most the bit's radius R nothing is left. Above that,
what is left lies about the medial axis: a place x that no loop covers has more than d_k + R of clearance (k the level below it); going
up from it one reaches the axis at a place a before the next level, |x - a| < d(a) - d_k - R. So a bit that also goes along the axis
wherever dist(a, loops) + d(a) - d_k > 2 R covers everything. Those *strokes* are cut from loop to loop.

**Just fitting.** Where the area is as wide as the bit (to a hundredth) the bit goes along the axis, or down on a point.

Loops form a tree: what has more clearance than d_k falls apart into *nodes*, each inside one node of the level before. A node is cut
after those inside it, so that every loop but the innermost works beside what is open already.
"""

from __future__ import annotations

import msgspec
import numpy as np
import shapely
from shapely.geometry import Point, Polygon

from archimetra.geometry.arcfit import fit_arcs
from archimetra.geometry.arrays import BoolArray, FloatArray
from archimetra.geometry.clearance import Axis
from archimetra.geometry.clearances import AnyClearance
from archimetra.geometry.distance import SegmentField
from archimetra.geometry.path import Path
from archimetra.geometry.region import Region, as_region
from archimetra.toolpath.shared.track import Track

WALL_FIT_MM = 0.004  # how far loops at the wall may stray when chords become arcs,
INNER_FIT_MM = 0.01  # and those farther in
FLATTEN_MM = 0.001
JUST_FITS_MM = 0.01  # an area this much narrower than the bit still takes it
_FLAT_LOOP_MM = 0.004  # loops narrower than this are lines there and back, which strokes replace
_MOST_LEVELS = 20_000


class Loop(msgspec.Struct, frozen=True, eq=False):
    track: Track
    ring: FloatArray
    clearance: float


class Node(msgspec.Struct, eq=False):
    """One connected piece of what has more clearance than a level: its border loops and the nodes inside it. ``border`` is what the
    loops enclose; where they run there and back along a line, as in a slot as wide as the bit, they enclose nothing."""

    level: int
    loops: list[Loop]
    border: Region
    children: list[Node]


class Strokes(msgspec.Struct, frozen=True, eq=False):
    """Lines (n, 2) along the axis, each with the least clearance on it."""

    lines: list[FloatArray]


def loop_tree(
    clearance: AnyClearance, *, first: float, step: float, turn: bool, wall_fit_mm: float = WALL_FIT_MM
) -> list[Node]:
    """The trees of loops from clearance ``first`` inwards. Kept wood lies on the right of each loop, on the left with ``turn``;
    the outermost stray by ``wall_fit_mm`` at most."""
    roots: list[Node] = []
    above: list[Node] = []
    for level in range(_MOST_LEVELS):
        distance = first + level * step
        paths = [path for path in clearance.offsets(distance) if not _is_flat(path)]
        if not paths:
            break
        nodes = _nodes(paths, distance, level, turn, tolerance=wall_fit_mm if level == 0 else INNER_FIT_MM)
        if level == 0:
            roots = nodes
        else:
            for node in nodes:
                _parent_of(node, above).children.append(node)
        above = nodes
    return roots


def every_loop(roots: list[Node]) -> list[Loop]:
    """All loops of some trees, wall first."""
    out: list[Loop] = []
    waiting = list(roots)
    while waiting:
        node = waiting.pop(0)
        out.extend(node.loops)
        waiting.extend(node.children)
    return out


def _is_flat(path: Path) -> bool:
    return 2 * abs(path.area()) < _FLAT_LOOP_MM * path.length()


def _nodes(paths: list[Path], distance: float, level: int, turn: bool, *, tolerance: float) -> list[Node]:
    rings = [path.flatten(FLATTEN_MM) for path in paths]
    outer = [k for k, path in enumerate(paths) if path.area() > 0]
    holes = [k for k, path in enumerate(paths) if path.area() <= 0]
    shells = [Polygon(rings[k]) for k in outer]
    of_shell: list[list[int]] = [[] for _ in outer]
    if len(outer) == 1:
        of_shell[0] = holes
    elif holes:
        tree = shapely.STRtree(shells)
        for k in holes:
            around = tree.query(shapely.points(rings[k][0]), predicate="intersects")
            if len(around):  # the smallest shell around it
                of_shell[int(around[np.argmin(shapely.area([shells[a] for a in around]))])].append(k)
    out = []
    for n, k in enumerate(outer):
        loops = [_loop(rings[m], distance, turn, tolerance) for m in (k, *of_shell[n])]
        out.append(Node(level, loops, _enclosed(rings[k], [rings[m] for m in of_shell[n]]), []))
    return out


def _enclosed(shell: FloatArray, holes: list[FloatArray]) -> Region:
    """A valid area. A ring with a spur of no width makes an invalid polygon, of which an overlay gives anything at all."""
    drawn = Polygon(shell, holes)
    return drawn if drawn.is_valid else as_region(shapely.make_valid(drawn))


def _loop(ring: FloatArray, distance: float, turn: bool, tolerance: float) -> Loop:
    """Offsets have what is cleared on their left, so the wall on their right."""
    path = fit_arcs(ring, tolerance_mm=tolerance, closed=True)
    return Loop(Track(path.reverse() if turn else path), ring, distance)


def _parent_of(node: Node, above: list[Node]) -> Node:
    if len(above) == 1:
        return above[0]
    point = shapely.points(node.loops[0].ring[0])
    return min(above, key=lambda other: gap_to(other, point))


def gap_to(node: Node, point: Point) -> float:
    """How far a point lies from what a node encloses and from its loops, mm."""
    lines = [shapely.linestrings(loop.ring) for loop in node.loops]
    gaps = shapely.distance([node.border, *lines], point)
    return float(np.nanmin(gaps))  # nothing is enclosed: nan


# ---- strokes


def fitting_strokes(clearance: AnyClearance, *, radius: float) -> list[FloatArray]:
    """Lines along which an area is just as wide as the bit."""
    axis = clearance.axis(at_least=radius - JUST_FITS_MM)
    low = np.minimum(axis.clearance_a, axis.clearance_b)
    high = np.maximum(axis.clearance_a, axis.clearance_b)
    chosen = (low >= radius - JUST_FITS_MM) & (high < radius + _FLAT_LOOP_MM)
    lines = chains(axis, chosen)
    return [line for line in lines if _length(line) > 0.3 * radius]


def covering_strokes(
    clearance: AnyClearance, loops: list[Loop], *, first: float, step: float, radius: float
) -> list[FloatArray]:
    """Lines along the axis that cover what loops more than a radius apart leave."""
    if step <= radius or not loops:
        return []
    # beside even walls dist + d - d_k is the step itself: pieces so short that their slack never makes that look uncovered
    longest = min(radius / 8, max(radius - step / 2, 0.01 * radius))
    axis = _split(clearance.axis(at_least=first, chord_tolerance_mm=0.01), longest=longest)
    inside = np.minimum(axis.clearance_a, axis.clearance_b) >= first - 1e-6
    middle = (axis.a + axis.b) / 2
    height = (axis.clearance_a + axis.clearance_b) / 2
    level = np.floor((height - first) / step + 1e-9)
    above = height - (first + level * step)
    candidate = inside & (above > radius - axis_slack(axis))
    if not candidate.any():
        return []
    field = SegmentField([loop.ring for loop in loops], reach_mm=2 * radius + 1.0)
    gaps = np.full(len(height), 0.0)
    gaps[candidate] = field.gaps(np.ascontiguousarray(middle[candidate]))
    needed = candidate & (gaps + above > 2 * radius - 2 * axis_slack(axis) - 0.002)
    if not needed.any():
        return []
    # from loop to loop: everything on the axis between the same two levels that hangs together with what is needed
    grown = _grown(axis, needed, inside & ~needed, level)
    lines = [line for line in chains(axis, grown) if _length(line) > 1e-3]
    short_of = 2 * radius - 2 * axis_slack(axis) - 0.002 - above  # a piece is served once a line comes this near
    return _enough_of(lines, axis, middle, needed, gaps, short_of, reach=2 * radius)


def _enough_of(
    lines: list[FloatArray],
    axis: Axis,
    middle: FloatArray,
    needed: BoolArray,
    gaps: FloatArray,
    short_of: FloatArray,
    *,
    reach: float,
) -> list[FloatArray]:
    """The lines, longest first, without those whose pieces are all served by loops and lines taken before: where many branches
    meet in one place, as in the middle of a circle, one or two of them are enough. The condition for coverage is the same with
    lines taken as with loops, so what is left out was covered."""
    row_of: dict[tuple[float, ...], int] = {}
    for k in range(len(middle)):
        a, b = tuple(np.round(axis.a[k], 9)), tuple(np.round(axis.b[k], 9))
        row_of[(*min(a, b), *max(a, b))] = k
    tree = shapely.STRtree(shapely.points(middle[needed]))
    number = np.flatnonzero(needed)
    gaps = gaps.copy()
    out = []
    for line in sorted(lines, key=_length, reverse=True):
        ends = np.round(line, 9)
        rows = []
        for p, q in zip(map(tuple, ends[:-1]), map(tuple, ends[1:]), strict=True):
            k = row_of.get((*min(p, q), *max(p, q)), -1)
            if k >= 0 and needed[k]:
                rows.append(k)
        if not any(gaps[k] > short_of[k] for k in rows):
            continue
        out.append(line)
        shape = shapely.linestrings(line)
        near = number[tree.query(shapely.buffer(shape, reach, quad_segs=2))]
        gaps[near] = np.minimum(gaps[near], shapely.distance(shape, shapely.points(middle[near])))
    return out


def axis_slack(axis: Axis) -> FloatArray:
    """How much the clearance differs at most between the middle and an end of each piece."""
    return np.asarray(np.hypot(*(axis.b - axis.a).T) / 2)


def _split(axis: Axis, *, longest: float) -> Axis:
    """The axis in pieces no longer than this; the clearance of straight bisectors is taken as linear on them."""
    length = np.hypot(*(axis.b - axis.a).T)
    counts = np.maximum(1, np.ceil(length / longest)).astype(np.int64)
    rows = np.repeat(np.arange(len(length)), counts)
    first = np.cumsum(counts) - counts
    k = np.asarray(np.arange(len(rows)) - first[rows])
    t0, t1 = (k / counts[rows])[:, None], ((k + 1) / counts[rows])[:, None]
    d = (axis.b - axis.a)[rows]
    r = (axis.clearance_b - axis.clearance_a)[rows]
    return Axis(
        axis.a[rows] + d * t0, axis.a[rows] + d * t1,
        axis.clearance_a[rows] + r * t0[:, 0], axis.clearance_a[rows] + r * t1[:, 0],
    )  # fmt: skip


def _grown(axis: Axis, seed: BoolArray, allowed: BoolArray, level: FloatArray) -> BoolArray:
    """Seed pieces with the allowed ones of their level that they hang together with."""
    keys: dict[tuple[int, int], list[int]] = {}
    ends = np.rint(np.stack((axis.a, axis.b), axis=1) * 1000).astype(np.int64)
    usable = seed | allowed
    for k in np.flatnonzero(usable):
        for end in range(2):
            keys.setdefault((int(ends[k, end, 0]), int(ends[k, end, 1])), []).append(int(k))
    out = seed.copy()
    waiting = [int(k) for k in np.flatnonzero(seed)]
    while waiting:
        here = waiting.pop()
        for end in range(2):
            for other in keys[(int(ends[here, end, 0]), int(ends[here, end, 1]))]:
                if not out[other] and level[other] == level[here]:
                    out[other] = True
                    waiting.append(other)
    return out


def chains(axis: Axis, chosen: BoolArray) -> list[FloatArray]:
    """The chosen pieces of an axis joined end to end into lines (n, 2); at forks lines begin and end."""
    rows = np.flatnonzero(chosen)
    rows = rows[np.hypot(*(axis.b[rows] - axis.a[rows]).T) > 1e-7]
    if not len(rows):
        return []
    lines = shapely.linestrings(np.stack((axis.a[rows], axis.b[rows]), axis=1))
    merged = shapely.line_merge(shapely.multilinestrings(list(lines)))
    return [shapely.get_coordinates(line) for line in shapely.get_parts(merged)]


def _length(line: FloatArray) -> float:
    return float(np.hypot(*np.diff(line, axis=0).T).sum())


# ---- straight lines


def raster_lines(border: Region, *, degrees: float, step: float) -> list[list[FloatArray]]:
    """Rows of straight stretches (2, 2) inside a valid border, square to the way they advance, from one side to the other; none
    where the border encloses nothing."""
    if border.is_empty:
        return []
    turn = np.radians(degrees)
    u, v = np.array((np.cos(turn), np.sin(turn))), np.array((-np.sin(turn), np.cos(turn)))
    points = shapely.get_coordinates(border)
    along, across = points @ u, points @ v
    low, high = float(across.min()), float(across.max())
    span = high - low
    count = max(1, int(np.ceil(span / step - 1e-9)))
    # the first and last row lie just inside, the rest evenly between them at no more than the step
    inset = min(step / 2, span / 2) * 0.02 + 1e-4
    places = np.linspace(low + inset, high - inset, count + 1) if span > 2 * inset else np.array([(low + high) / 2])
    far = float(np.abs(along).max()) + 1.0
    rows = shapely.linestrings(
        np.stack((v[None] * places[:, None] - u * far, v[None] * places[:, None] + u * far), axis=1)
    )
    shapely.prepare(border)
    out = []
    for row in shapely.intersection(rows, border):
        pieces = [
            shapely.get_coordinates(part)[[0, -1]]
            for part in shapely.get_parts(row)
            if part.geom_type == "LineString" and shapely.length(part) > 1e-3
        ]
        pieces.sort(key=lambda piece: float(piece[0] @ u))
        if pieces:
            out.append([piece if piece[0] @ u <= piece[1] @ u else piece[::-1] for piece in pieces])
    return out
