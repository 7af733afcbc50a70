"""``Toolpath``: moves as arrays, never one object per move.

Row i is the move that ends at ``xyz[i]`` and began at ``xyz[i - 1]``; row 0 is where the toolpath
begins, reached by a rapid. Board coordinates, mm, mm/min.
"""

from __future__ import annotations

from collections.abc import Sequence
from enum import IntEnum

import msgspec
import numpy as np

from archimetra.geometry.arrays import AnyArray, ByteArray, FloatArray, IntArray, frozen
from archimetra.job.ids import BitId, CutId, InstanceId, ShapeId


class Move(IntEnum):
    RAPID = 0
    LINE = 1
    ARC_CW = 2  # in the XY plane; z may change along it
    ARC_CCW = 3


class Role(IntEnum):
    """What a move is for; decides how it is drawn, not how it runs."""

    CUT = 0
    ENTRY = 1
    TAB = 2
    LINK = 3
    DRILL = 4  # straight down a hole and out of it; a controller may write such moves as one cycle


class MarkKind(IntEnum):
    START = 0
    TAB = 1


class PathMark(msgspec.Struct, frozen=True):
    """A place on a contour a person can take hold of: where it begins (and why there; may hold lengths: ``base.findings.mm``), or the middle of a tab."""

    kind: MarkKind
    x: float
    y: float
    shape: ShapeId
    reason: str = ""
    degrees: float = 0.0  # direction of the path there


class Toolpath(msgspec.Struct, frozen=True, eq=False):
    """The moves of one cut, beginning and ending at retract height. ``pass_no`` counts from 1, 0 for links. ``outlines`` are the rings (n, 2)
    it works to where these are not the drawn ones; ``pieces`` the instances of parts it is cut for ('' for what is of none)."""

    cut: CutId
    bit: BitId
    xyz: FloatArray
    kind: ByteArray
    centre: FloatArray  # (n, 2), meaningful for arcs
    feed: FloatArray
    role: ByteArray
    pass_no: IntArray
    marks: tuple[PathMark, ...] = ()
    outlines: tuple[FloatArray, ...] = ()
    pieces: tuple[InstanceId, ...] = ()

    def __post_init__(self) -> None:
        n = len(self.xyz)
        assert self.xyz.shape == (n, 3)
        assert self.centre.shape == (n, 2)
        assert all(len(array) == n for array in (self.kind, self.feed, self.role, self.pass_no))
        for array in (self.xyz, self.kind, self.centre, self.feed, self.role, self.pass_no):
            frozen(array)
        for ring in self.outlines:
            frozen(ring)

    def __len__(self) -> int:
        return len(self.xyz)


class MoveList:
    """Grows a toolpath chunk by chunk, whole arrays at a time."""

    def __init__(self) -> None:
        self._chunks: list[tuple[FloatArray, ByteArray, FloatArray, FloatArray, ByteArray, IntArray]] = []

    def add(
        self, xyz: FloatArray, kind: ByteArray, centre: FloatArray, feed: FloatArray, role: ByteArray, pass_no: int
    ) -> None:
        if len(xyz):
            self._chunks.append((xyz, kind, centre, feed, role, np.full(len(xyz), pass_no, dtype=np.int64)))

    def add_point(
        self, point: Sequence[float], *, kind: Move, feed: float = 0.0, role: Role = Role.LINK, pass_no: int = 0
    ) -> None:
        """One straight move."""
        self.add(
            np.array([point], dtype=np.float64),
            np.array([kind], dtype=np.uint8),
            np.zeros((1, 2)),
            np.array([feed]),
            np.array([role], dtype=np.uint8),
            pass_no,
        )

    @property
    def last(self) -> tuple[float, float, float]:
        """Where the moves so far end."""
        x, y, z = self._chunks[-1][0][-1]
        return float(x), float(y), float(z)

    @property
    def is_empty(self) -> bool:
        return not self._chunks

    def toolpath(self, cut: CutId, bit: BitId, marks: tuple[PathMark, ...] = ()) -> Toolpath:
        """The moves so far as one toolpath."""
        if not self._chunks:
            return empty_toolpath(cut, bit)
        xyz, kind, centre, feed, role, pass_no = (np.concatenate(arrays) for arrays in zip(*self._chunks, strict=True))
        return Toolpath(cut, bit, xyz, kind, centre, feed, role, pass_no, marks)


def empty_toolpath(cut: CutId, bit: BitId) -> Toolpath:
    """A toolpath without a move."""
    none = np.zeros(0)
    return Toolpath(
        cut,
        bit,
        np.zeros((0, 3)),
        np.zeros(0, np.uint8),
        np.zeros((0, 2)),
        none,
        np.zeros(0, np.uint8),
        np.zeros(0, np.int64),
    )


def joined(paths: Sequence[Toolpath]) -> Toolpath:
    """Toolpaths of one cut, each beginning where the one before it ends at retract height, as one."""
    if len(paths) == 1:
        return paths[0]
    first = paths[0]

    def rows(name: str) -> AnyArray:
        return np.concatenate([getattr(path, name) for path in paths])

    return Toolpath(
        first.cut, first.bit, rows("xyz"), rows("kind"), rows("centre"), rows("feed"), rows("role"), rows("pass_no"),
        marks=tuple(mark for path in paths for mark in path.marks), outlines=tuple(ring for path in paths for ring in path.outlines),
        pieces=tuple(dict.fromkeys(piece for path in paths for piece in path.pieces)),
    )  # fmt: skip


def straightened(
    xyz: FloatArray, kind: ByteArray, centre: FloatArray, *, chord_tolerance_mm: float
) -> tuple[FloatArray, IntArray]:
    """Moves with every arc replaced by chords: points (m, 3) and, for each, the row it came from (m,).

    Row 0 of the result is the first point. Chords lie at most the tolerance inside the arc.
    """
    if not len(xyz):
        return np.zeros((0, 3)), np.zeros(0, dtype=np.int64)
    is_arc = kind >= Move.ARC_CW
    is_arc[:1] = False
    if not is_arc.any():
        return np.asarray(xyz), np.arange(len(xyz))
    rows = np.flatnonzero(is_arc)
    begin, end, mid = xyz[rows - 1], xyz[rows], centre[rows]
    radius = np.hypot(*(begin[:, :2] - mid).T)
    start, sweep = arc_angles(begin, end, mid, kind[rows])
    step = 2 * np.arccos(np.clip(1 - chord_tolerance_mm / np.maximum(radius, 1e-9), 0.0, 1.0))
    counts = np.ones(len(xyz), dtype=np.int64)
    counts[rows] = np.maximum(1, np.ceil(np.abs(sweep) / np.maximum(step, 1e-6) - 1e-9)).astype(np.int64)
    source = np.repeat(np.arange(len(xyz)), counts)
    first = np.cumsum(counts) - counts
    share = (np.arange(len(source)) - first[source] + 1) / counts[source]
    out = np.asarray(xyz[source])
    inner = is_arc[source] & (share < 1.0)
    of_arc = np.full(len(xyz), -1)
    of_arc[rows] = np.arange(len(rows))
    k = of_arc[source[inner]]
    angle = start[k] + sweep[k] * share[inner]
    out[inner, 0] = mid[k, 0] + radius[k] * np.cos(angle)
    out[inner, 1] = mid[k, 1] + radius[k] * np.sin(angle)
    out[inner, 2] = begin[k, 2] + (end[k, 2] - begin[k, 2]) * share[inner]
    return out, source


def arc_angles(
    begin: FloatArray, end: FloatArray, centre: FloatArray, kind: ByteArray
) -> tuple[FloatArray, FloatArray]:
    """Start angle and signed sweep of arcs, radians; equal ends mean a full turn."""
    a = np.arctan2(begin[:, 1] - centre[:, 1], begin[:, 0] - centre[:, 0])
    b = np.arctan2(end[:, 1] - centre[:, 1], end[:, 0] - centre[:, 0])
    sweep = np.mod(b - a, 2 * np.pi)
    sweep[sweep < 1e-12] = 2 * np.pi
    is_cw = kind == Move.ARC_CW
    sweep[is_cw] = np.mod(a - b, 2 * np.pi)[is_cw]
    sweep[is_cw & (sweep < 1e-12)] = 2 * np.pi
    return a, np.where(is_cw, -sweep, sweep)


def move_lengths(xyz: FloatArray, kind: ByteArray, centre: FloatArray) -> FloatArray:
    """Length of each move in space (n,), helix arcs included; 0 for row 0."""
    out = np.zeros(len(xyz))
    if len(xyz) < 2:
        return out
    out[1:] = np.linalg.norm(np.diff(xyz, axis=0), axis=1)
    rows = np.flatnonzero(kind >= Move.ARC_CW)
    rows = rows[rows > 0]
    if len(rows):
        begin, end = xyz[rows - 1], xyz[rows]
        radius = np.hypot(*(begin[:, :2] - centre[rows]).T)
        _, sweep = arc_angles(begin, end, centre[rows], kind[rows])
        out[rows] = np.hypot(radius * np.abs(sweep), end[:, 2] - begin[:, 2])
    return out
