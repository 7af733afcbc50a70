"""``Path``: one open or closed run of lines, circular arcs and cubic curves, kept exact.

Storage is three compact arrays. ``nodes`` (n + 1, 2) are the joints; segment i runs from node i to
node i + 1 with ``kinds[i]``; ``params[i]`` holds four numbers:

    LINE   unused
    ARC    the bulge tan(sweep / 4) in column 0: positive turns left, |1| is a half circle
    CUBIC  both control points: x1 y1 x2 y2

A bulge survives any turn, shift or even scaling unchanged and any mirror with its sign flipped, so
arcs stay arcs through those; an uneven scaling turns them into cubics (error below 1e-7 of the
radius). A closed path repeats its first node as its last, to the bit. Area is signed,
counter-clockwise positive, and exact for lines, arcs and cubics. Lengths along the path are by
arc length; ``cubic`` says how exact that is.
"""

from __future__ import annotations

import gc
from collections.abc import Sequence
from functools import cache
from hashlib import blake2b
from math import atan, atan2, ceil, cos, isfinite, pi, sin, tan

import numpy as np

from archimetra.geometry.affine import IDENTITY, Affine
from archimetra.geometry.arrays import ByteArray, FloatArray, frozen
from archimetra.geometry.cubic import CubicLengths, cubic_derivative, cubic_nearest, cubic_points
from archimetra.geometry.segments import Kind, Segments, arc_centres, boxes, flattened, lengths

FLATTEN_TOLERANCE_MM = 0.01  # default chord tolerance where a caller has no reason for another
_LINE, _ARC, _CUBIC = int(Kind.LINE), int(Kind.ARC), int(Kind.CUBIC)  # members of an enum take a microsecond to look up
FLATTEST_BULGE = 1e-10  # an arc this flat strays from its chord by half of it per mm of chord: it is kept as a line


class Path:
    """Immutable. Equality and hash are by content."""

    __slots__ = ("__weakref__", "_box", "_flat", "_key", "_lengths", "closed", "kinds", "nodes", "params")

    def __init__(self, nodes: FloatArray, kinds: ByteArray, params: FloatArray, *, closed: bool) -> None:
        nodes = np.ascontiguousarray(nodes, dtype=np.float64)
        kinds = np.ascontiguousarray(kinds, dtype=np.uint8)
        params = np.ascontiguousarray(params, dtype=np.float64)
        if nodes.ndim != 2 or nodes.shape[1] != 2 or len(nodes) < 1:
            raise ValueError(f"nodes must be (n + 1, 2), got {nodes.shape}")
        if kinds.shape != (len(nodes) - 1,) or params.shape != (len(nodes) - 1, 4):
            raise ValueError(f"{len(nodes)} nodes need {len(nodes) - 1} kinds and params (n, 4)")
        if not (np.isfinite(nodes).all() and np.isfinite(params).all()):
            raise ValueError("a path holds finite numbers only")
        if closed and not np.array_equal(nodes[0], nodes[-1]):
            raise ValueError("a closed path ends on its first node")
        is_arc = kinds == _ARC
        if (
            is_arc.any() and (is_flat := is_arc & (np.abs(params[:, 0]) < FLATTEST_BULGE)).any()
        ):  # its radius would be beyond all numbers
            kinds, params = kinds.copy(), params.copy()
            kinds[is_flat], params[is_flat] = _LINE, 0.0
        self.nodes: FloatArray = frozen(nodes)
        self.kinds: ByteArray = frozen(kinds)
        self.params: FloatArray = frozen(params)
        self.closed = closed
        self._flat: dict[float, FloatArray] = {}
        self._lengths: FloatArray | None = None
        self._box: tuple[float, float, float, float] | None = None
        self._key: bytes | None = None

    # ---- making

    @staticmethod
    def _trusted(nodes: FloatArray, kinds: ByteArray, params: FloatArray, *, closed: bool) -> Path:
        """A path from parts of arrays that have been checked as a whole."""
        path: Path = object.__new__(Path)
        path.nodes, path.kinds, path.params, path.closed = nodes, kinds, params, closed
        path._flat, path._lengths, path._box, path._key = {}, None, None, None
        return path

    @staticmethod
    def polyline(points: FloatArray | Sequence[tuple[float, float]], *, closed: bool) -> Path:
        """Straight segments through points (n, 2); a closed one may or may not repeat its first point."""
        nodes = np.asarray(points, dtype=np.float64)
        if closed and not np.array_equal(nodes[0], nodes[-1]):
            nodes = np.vstack((nodes, nodes[:1]))
        count = len(nodes) - 1
        return Path(nodes, np.zeros(count, np.uint8), np.zeros((count, 4)), closed=closed)

    @staticmethod
    def arcs(points: FloatArray, bulges: FloatArray, *, closed: bool) -> Path:
        """Lines and arcs: nodes (n + 1, 2) and one bulge per segment, 0 for a line."""
        bulges = np.asarray(bulges, dtype=np.float64)
        params = np.zeros((len(bulges), 4))
        params[:, 0] = bulges
        kinds = np.where(bulges == 0.0, Kind.LINE, Kind.ARC).astype(np.uint8)
        return Path(points, kinds, params, closed=closed)

    @staticmethod
    def circle(centre: tuple[float, float], radius: float) -> Path:
        """Counter-clockwise from three o'clock, as two half circles."""
        x, y = centre
        if not (isfinite(x) and isfinite(y) and isfinite(radius)):
            raise ValueError("a path holds finite numbers only")
        nodes = np.array([(x + radius, y), (x - radius, y), (x + radius, y)], dtype=np.float64)
        return Path._trusted(frozen(nodes), *_half_circles(), closed=True)

    @staticmethod
    def rectangle(x: float, y: float, width: float, height: float) -> Path:
        """Counter-clockwise from its lower left corner."""
        corners = [(x, y), (x + width, y), (x + width, y + height), (x, y + height)]
        return Path.polyline(corners, closed=True)

    # ---- identity

    def key(self) -> bytes:
        """A digest of all of the content: equal for equal paths."""
        if self._key is None:
            digest = blake2b(b"closed" if self.closed else b"open", digest_size=16)
            for array in (self.kinds, self.nodes, self.params):
                digest.update(array.data)
            self._key = digest.digest()
        return self._key

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Path) and self.key() == other.key()

    def __hash__(self) -> int:
        return hash(self.key())

    def __repr__(self) -> str:
        return f"Path({len(self.kinds)} segments, {'closed' if self.closed else 'open'})"

    def __len__(self) -> int:
        return len(self.kinds)

    def __reduce__(self) -> tuple[object, ...]:
        # plain bytes: several times quicker than arrays, and a job of thousands of paths goes to a worker at every edit
        parts = (self.nodes.tobytes(), self.kinds.tobytes(), self.params.tobytes())
        return (_rebuild, (*parts, self.closed, self._box))

    # ---- measuring

    def segment_lengths(self) -> FloatArray:
        """Arc length of each segment, (n,)."""
        if self._lengths is None:
            self._lengths = frozen(lengths(self.segments))
        return self._lengths

    @property
    def segments(self) -> Segments:
        """The path as a table of segments, in order."""
        return Segments(self.nodes[:-1], self.nodes[1:], self.kinds, self.params)

    def length(self) -> float:
        """Length in mm, exact for lines and arcs."""
        return float(self.segment_lengths().sum())

    def area(self) -> float:
        """Signed area by Green's theorem, open paths as if closed by a straight line.

        Lines: the shoelace sum. An arc adds r^2 (sweep - sin sweep) / 2. A cubic adds
        3/20 [p0 x p1 + ... ]: the integral of x dy - y dx over the Bezier form.
        """
        p, q = self.nodes[:-1], self.nodes[1:]
        origin = self.nodes[0]
        p, q = p - origin, q - origin  # near the origin nothing cancels
        twice = float((p[:, 0] * q[:, 1] - q[:, 0] * p[:, 1]).sum())
        total = twice / 2
        is_arc = self.kinds == Kind.ARC
        if is_arc.any():
            b = self.params[is_arc, 0]
            chord = np.hypot(*(q - p)[is_arc].T)
            radius = chord * (1 + b * b) / (4 * b)
            sweep = 4 * np.arctan(b)
            total += float((radius * radius * (sweep - np.sin(sweep)) / 2).sum())
        is_cubic = self.kinds == Kind.CUBIC
        if is_cubic.any():
            a0, a3 = p[is_cubic], q[is_cubic]
            a1 = self.params[is_cubic, 0:2] - origin
            a2 = self.params[is_cubic, 2:4] - origin
            full = 6 * _cross(a0, a1) + 3 * _cross(a0, a2) + _cross(a0, a3)
            full += 3 * _cross(a1, a2) + 3 * _cross(a1, a3) + 6 * _cross(a2, a3)
            total += float((full / 20 - _cross(a0, a3) / 2).sum())
        return total

    def bounds(self) -> tuple[float, float, float, float]:
        """Exact (x0, y0, x1, y1), curve extremes included."""
        if self._box is None:
            around = boxes(self.segments)
            low = np.minimum(self.nodes[0], around[:, :2].min(axis=0, initial=np.inf))
            high = np.maximum(self.nodes[0], around[:, 2:].max(axis=0, initial=-np.inf))
            self._box = (float(low[0]), float(low[1]), float(high[0]), float(high[1]))
        return self._box

    def point_at(self, distance: float) -> FloatArray:
        """The point (2,) at an arc length along the path; clamped to its ends."""
        i, t = self._locate(distance)
        return self._segment_point(i, t)

    def direction_at(self, distance: float) -> FloatArray:
        """Unit tangent (2,) at an arc length along the path."""
        i, t = self._locate(distance)
        p0, p3 = self.nodes[i], self.nodes[i + 1]
        if self.kinds[i] == Kind.LINE:
            d = p3 - p0
        elif self.kinds[i] == Kind.ARC:
            sweep = 4 * atan(self.params[i, 0])
            turn = sweep * (t - 0.5)  # the tangent is parallel to the chord half way
            chord = p3 - p0
            d = np.array([chord[0] * cos(turn) - chord[1] * sin(turn), chord[0] * sin(turn) + chord[1] * cos(turn)])
        else:
            d = cubic_derivative(self._cubic(i), np.array([t]))[0]
            if not d.any():
                d = p3 - p0
        size = float(np.hypot(d[0], d[1]))
        return d / size if size else np.array([1.0, 0.0])

    def nearest(self, point: tuple[float, float]) -> tuple[float, float]:
        """``(distance along the path, distance to the path)`` of the point of the path nearest to ``point``."""
        q = np.asarray(point, dtype=np.float64)
        ends = np.concatenate(([0.0], np.cumsum(self.segment_lengths())))
        best_along, best_gap = 0.0, float(np.hypot(*(self.nodes[0] - q)))
        for i in range(len(self.kinds)):
            t, gap = self._segment_nearest(i, q)
            if gap < best_gap:
                best_gap = gap
                best_along = float(ends[i]) + self._length_to(i, t)
        return best_along, best_gap

    def nearest_on_segment(self, i: int, point: tuple[float, float]) -> tuple[float, float]:
        """``(parameter from 0 to 1, distance)`` of the point of segment ``i`` nearest to ``point``."""
        return self._segment_nearest(i, np.asarray(point, dtype=np.float64))

    # ---- deriving

    def transform(self, m: Affine) -> Path:
        """Mapped exactly where the map keeps circles; otherwise arcs become cubics first."""
        if m is IDENTITY:
            return self
        source = self
        if not m.is_similarity and (self.kinds == Kind.ARC).any():
            source = self.to_cubics()
        nodes = m.apply(source.nodes)
        params = source.params.copy()
        is_cubic = source.kinds == Kind.CUBIC
        if is_cubic.any():
            params[is_cubic] = m.apply(params[is_cubic].reshape(-1, 2, 2)).reshape(-1, 4)
        if m.determinant < 0:
            params[source.kinds == Kind.ARC, 0] *= -1
        if source.closed:
            nodes[-1] = nodes[0]
        return Path(nodes, source.kinds.copy(), params, closed=source.closed)

    def reverse(self) -> Path:
        """The same line walked the other way."""
        params = self.params[::-1].copy()
        kinds = self.kinds[::-1].copy()
        params[kinds == Kind.ARC, 0] *= -1
        is_cubic = kinds == Kind.CUBIC
        params[is_cubic] = params[is_cubic][:, [2, 3, 0, 1]]
        return Path(self.nodes[::-1].copy(), kinds, params, closed=self.closed)

    def split(self, distances: Sequence[float]) -> list[Path]:
        """Open pieces between the given arc lengths (sorted or not); a closed path is cut only there.

        An open path keeps its outer pieces; a closed path joins the piece over its first node.
        """
        total = self.length()
        marks = sorted({min(max(d, 0.0), total) for d in distances})
        if not marks:
            return [self]
        if self.closed:
            marks = sorted({d % total if d < total else 0.0 for d in marks})
            spans = [*zip(marks, [*marks[1:], marks[0] + total], strict=True)]
            return [self._span(a, b) for a, b in spans]
        edges = [0.0, *[d for d in marks if 0 < d < total], total]
        return [self._span(a, b) for a, b in zip(edges[:-1], edges[1:], strict=True)]

    def start_at(self, distance: float) -> Path:
        """A closed path begun at another place; everything else the same."""
        if not self.closed:
            raise ValueError("only a closed path has a free start")
        total = self.length()
        distance %= total
        if distance < 1e-9 or total - distance < 1e-9:
            return self
        piece = self._span(distance, distance + total)
        nodes = piece.nodes.copy()
        nodes[-1] = nodes[0]
        return Path(nodes, piece.kinds.copy(), piece.params.copy(), closed=True)

    def to_cubics(self) -> Path:
        """Arcs replaced by cubics of at most 22.5 degrees (radial error < 1e-7 of the radius)."""
        nodes = [self.nodes[:1]]
        kinds: list[int] = []
        params: list[FloatArray] = []
        for i in range(len(self.kinds)):
            if self.kinds[i] != Kind.ARC:
                nodes.append(self.nodes[i + 1 : i + 2])
                kinds.append(int(self.kinds[i]))
                params.append(self.params[i])
                continue
            centre, radius, start, sweep = self.arc(i)
            count = max(1, ceil(abs(sweep) / (pi / 8)))
            angles = start + sweep * np.arange(count + 1) / count
            on = centre + radius * np.column_stack((np.cos(angles), np.sin(angles)))
            on[0], on[-1] = self.nodes[i], self.nodes[i + 1]
            handle = 4 / 3 * tan(sweep / count / 4) * radius
            tangent = np.column_stack((-np.sin(angles), np.cos(angles)))
            nodes.append(on[1:])
            kinds.extend([Kind.CUBIC] * count)
            params.extend(np.hstack((on[:-1] + handle * tangent[:-1], on[1:] - handle * tangent[1:])))
        if not kinds:
            return self
        return Path(np.vstack(nodes), np.array(kinds, np.uint8), np.array(params), closed=self.closed)

    def flatten(self, chord_tolerance_mm: float = FLATTEN_TOLERANCE_MM) -> FloatArray:
        """Points (m, 2) whose chords stay within the tolerance of the path; nodes are kept to the bit.

        A closed path repeats its first point. Cached per tolerance.
        """
        flat = self._flat.get(chord_tolerance_mm)
        if flat is None:
            flatten_together([self], chord_tolerance_mm)
            flat = self._flat[chord_tolerance_mm]
        return flat

    def arc(self, i: int) -> tuple[FloatArray, float, float, float]:
        """Centre (2,), radius, start angle and signed sweep in radians of arc segment ``i``."""
        p, q = self.nodes[i], self.nodes[i + 1]
        bulge = float(self.params[i, 0])
        centre = arc_centres(p[None], q[None], np.array([bulge]))[0]
        radius = float(np.hypot(*(p - centre)))
        return centre, radius, atan2(p[1] - centre[1], p[0] - centre[0]), 4 * atan(bulge)

    # ---- inner workings

    def _cubic(self, i: int) -> FloatArray:
        c = self.params[i]
        return np.array([self.nodes[i], c[0:2], c[2:4], self.nodes[i + 1]])

    def _locate(self, distance: float) -> tuple[int, float]:
        lengths = self.segment_lengths()
        ends = np.cumsum(lengths)
        if not len(ends):
            raise ValueError("a path without segments has no inside")
        distance = min(max(distance, 0.0), float(ends[-1]))
        i = min(int(np.searchsorted(ends, distance, side="left")), len(ends) - 1)
        rest = distance - (float(ends[i - 1]) if i else 0.0)
        return i, self._parameter_at(i, rest)

    def _parameter_at(self, i: int, rest: float) -> float:
        total = float(self.segment_lengths()[i])
        if total == 0.0:
            return 0.0
        if self.kinds[i] != Kind.CUBIC:
            return min(max(rest / total, 0.0), 1.0)
        return CubicLengths(self._cubic(i)).parameter_at(rest)

    def _length_to(self, i: int, t: float) -> float:
        if self.kinds[i] != Kind.CUBIC:
            return float(self.segment_lengths()[i]) * t
        return CubicLengths(self._cubic(i)).to(t)

    def _segment_point(self, i: int, t: float) -> FloatArray:
        if t <= 0.0:
            return np.array(self.nodes[i])
        if t >= 1.0:
            return np.array(self.nodes[i + 1])
        if self.kinds[i] == Kind.LINE:
            return np.asarray(self.nodes[i] + t * (self.nodes[i + 1] - self.nodes[i]))
        if self.kinds[i] == Kind.ARC:
            centre, radius, start, sweep = self.arc(i)
            angle = start + sweep * t
            return np.asarray(centre + radius * np.array([cos(angle), sin(angle)]))
        return np.asarray(cubic_points(self._cubic(i), np.array([t]))[0])

    def _segment_nearest(self, i: int, q: FloatArray) -> tuple[float, float]:
        p0, p3 = self.nodes[i], self.nodes[i + 1]
        if self.kinds[i] == Kind.LINE:
            d = p3 - p0
            size = float(d @ d)
            t = min(max(float((q - p0) @ d) / size, 0.0), 1.0) if size else 0.0
        elif self.kinds[i] == Kind.ARC:
            centre, _, start, sweep = self.arc(i)
            angle = atan2(q[1] - centre[1], q[0] - centre[0])
            ahead = (angle - start) % (2 * pi) if sweep > 0 else (start - angle) % (2 * pi)
            if ahead <= abs(sweep):
                t = ahead / abs(sweep)
            else:
                t = 0.0 if np.hypot(*(q - p0)) <= np.hypot(*(q - p3)) else 1.0
        else:
            t = cubic_nearest(self._cubic(i), q)
        return t, float(np.hypot(*(self._segment_point(i, t) - q)))

    def _span(self, a: float, b: float) -> Path:
        """The open piece between two arc lengths, a < b; on a closed path b may run past the end."""
        total = self.length()
        if b > total + 1e-12:
            head, tail = self._span(a, total), self._span(0.0, b - total)
            if a >= total - 1e-12 or not len(head):
                return tail
            if not len(tail):
                return head
            return Path(
                np.vstack((head.nodes, tail.nodes[1:])),
                np.concatenate((head.kinds, tail.kinds)),
                np.vstack((head.params, tail.params)),
                closed=False,
            )
        (i, t), (j, u) = self._locate(a), self._locate(b)
        if t >= 1.0 and i + 1 < len(self.kinds):
            i, t = i + 1, 0.0
        nodes: list[FloatArray] = [self._segment_point(i, t)]
        kinds: list[int] = []
        params: list[FloatArray] = []
        for k in range(i, j + 1):
            low, high = (t if k == i else 0.0), (u if k == j else 1.0)
            if high <= low:
                continue
            nodes.append(self._segment_point(k, high))
            kinds.append(int(self.kinds[k]))
            params.append(self._sub_params(k, low, high))
        return Path(np.array(nodes), np.array(kinds, np.uint8), np.array(params).reshape(len(kinds), 4), closed=False)

    def _sub_params(self, k: int, low: float, high: float) -> FloatArray:
        out = np.zeros(4)
        if self.kinds[k] == Kind.ARC:
            out[0] = tan(atan(self.params[k, 0]) * (high - low))
        elif self.kinds[k] == Kind.CUBIC:
            p = self._cubic(k)
            ends = cubic_points(p, np.array([low, high]))
            slopes = cubic_derivative(p, np.array([low, high])) * (high - low) / 3
            out[0:2], out[2:4] = ends[0] + slopes[0], ends[1] - slopes[1]
        return out


@cache
def _half_circles() -> tuple[ByteArray, FloatArray]:
    """Kinds and params of two half circles, shared by all circles."""
    return frozen(np.full(2, _ARC, np.uint8)), frozen(np.array([[1.0, 0.0, 0.0, 0.0], [1.0, 0.0, 0.0, 0.0]]))


def bounds_of(paths: Sequence[Path]) -> tuple[float, float, float, float] | None:
    """Exact bounds of several paths together; None for none."""
    if len(paths) < 2:
        return paths[0].bounds() if paths else None
    fresh = [path for path in paths if path._box is None]
    if len(fresh) > 8:
        _find_boxes(fresh)
    every = np.array([path.bounds() for path in paths])
    x0, y0 = every[:, :2].min(axis=0)
    x1, y1 = every[:, 2:].max(axis=0)
    return float(x0), float(y0), float(x1), float(y1)


def paths_of(
    nodes: FloatArray, kinds: ByteArray, params: FloatArray, sizes: Sequence[int], closed: Sequence[bool]
) -> list[Path]:
    """Many paths from arrays put end to end: ``sizes`` segments each, hence ``sizes + 1`` nodes each. Closed ones must
    end on their first node to the bit; checked as a whole, so that a hundred thousand paths take no longer than their
    arrays. Raises ValueError for numbers that are not finite."""
    if not (np.isfinite(nodes).all() and np.isfinite(params).all()):
        raise ValueError("a path holds finite numbers only")
    is_flat = (kinds == _ARC) & (np.abs(params[:, 0]) < FLATTEST_BULGE)
    if is_flat.any():
        kinds, params = kinds.copy(), params.copy()
        kinds[is_flat], params[is_flat] = _LINE, 0.0
    nodes, kinds, params = frozen(nodes), frozen(kinds), frozen(params)
    out = []
    node = segment = 0
    was_on = gc.isenabled()
    gc.disable()  # nothing made here is garbage, and looking for some takes longer than the paths
    try:
        for size, is_closed in zip(sizes, closed, strict=True):
            out.append(
                Path._trusted(
                    nodes[node : node + size + 1],
                    kinds[segment : segment + size],
                    params[segment : segment + size],
                    closed=is_closed,
                )
            )
            node, segment = node + size + 1, segment + size
    finally:
        if was_on:
            gc.enable()
    return out


def transform_together(paths: Sequence[Path], m: Affine) -> list[Path]:
    """Every path mapped, as ``Path.transform`` does, in one go."""
    if len(paths) < 2 or (not m.is_similarity and any((path.kinds == _ARC).any() for path in paths)):
        return [path.transform(m) for path in paths]
    nodes = m.apply(np.concatenate([path.nodes for path in paths]))
    kinds = np.concatenate([path.kinds for path in paths])
    params = np.concatenate([path.params for path in paths])
    is_cubic = kinds == _CUBIC
    if is_cubic.any():
        params[is_cubic] = m.apply(params[is_cubic].reshape(-1, 2, 2)).reshape(-1, 4)
    if m.determinant < 0:
        params[kinds == _ARC, 0] *= -1
    sizes = [len(path) for path in paths]
    closed = [path.closed for path in paths]
    last = np.cumsum(np.array(sizes) + 1) - 1
    first = last - np.array(sizes)
    rings = np.flatnonzero(closed)
    nodes[last[rings]] = nodes[first[rings]]
    return paths_of(nodes, kinds, params, sizes, closed)


def lengths_of(paths: Sequence[Path]) -> FloatArray:
    """The length (n,) of each path, found in one go."""
    fresh = [path for path in paths if path._lengths is None and len(path)]
    if len(fresh) > 1:
        each = np.split(lengths(_joined(fresh)), np.cumsum([len(path) for path in fresh])[:-1])
        for path, own in zip(fresh, each, strict=True):
            path._lengths = frozen(own)
    return np.array([path.length() for path in paths])


def flatten_together(paths: Sequence[Path], chord_tolerance_mm: float) -> None:
    """Flatten paths in one go; ``flatten`` at that tolerance then answers each from its cache."""
    fresh = [path for path in paths if chord_tolerance_mm not in path._flat]
    for path in [path for path in fresh if (path.kinds == Kind.LINE).all()]:
        path._flat[chord_tolerance_mm] = path.nodes
    fresh = [path for path in fresh if chord_tolerance_mm not in path._flat]
    if not fresh:
        return
    points, counts = flattened(_joined(fresh), chord_tolerance_mm)
    last = np.cumsum([len(path) for path in fresh])
    stops = np.concatenate(([0], np.cumsum(counts)))[last]
    begin = 0
    for path, stop in zip(fresh, stops, strict=True):
        path._flat[chord_tolerance_mm] = frozen(np.vstack((path.nodes[:1], points[begin:stop])))
        begin = int(stop)


def _find_boxes(paths: Sequence[Path]) -> None:
    """The boxes of many paths at once."""
    around = boxes(_joined(paths))
    sizes = np.array([len(path) for path in paths])
    first = np.concatenate(([0], np.cumsum(sizes)[:-1]))
    filled = np.flatnonzero(sizes)
    low = np.minimum.reduceat(around[:, :2], first[filled]) if len(filled) else around[:0, :2]
    high = np.maximum.reduceat(around[:, 2:], first[filled]) if len(filled) else around[:0, 2:]
    for k, box in zip(filled.tolist(), np.hstack((low, high)).tolist(), strict=True):
        paths[k]._box = (box[0], box[1], box[2], box[3])


def _joined(paths: Sequence[Path]) -> Segments:
    """The segments of several paths put end to end."""
    parts = [path.segments for path in paths]
    p, q, kinds, params = (np.concatenate(arrays) for arrays in zip(*parts, strict=True))
    return Segments(p, q, kinds, params)


def _rebuild(
    nodes: bytes, kinds: bytes, params: bytes, closed: bool, box: tuple[float, float, float, float] | None
) -> Path:
    path = Path(
        np.frombuffer(nodes).reshape(-1, 2),
        np.frombuffer(kinds, np.uint8),
        np.frombuffer(params).reshape(-1, 4),
        closed=closed,
    )
    path._box = box  # what a worker has found out travels along
    return path


def _cross(a: FloatArray, b: FloatArray) -> FloatArray:
    return np.asarray(a[..., 0] * b[..., 1] - a[..., 1] * b[..., 0])
