"""Keeping a toolpath clear of clamps and screws: lifted over what stands in its way, with a word on what stays uncut there.

Works on any planner's moves. Where the bit, its shank or its nut would touch a fixture lower than its height, the move is
left out: up before it, over it at travel height, and down behind it at the plunge feed.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
from shapely.geometry import Polygon

from archimetra.base.findings import Finding, Severity
from archimetra.geometry.arrays import BoolArray
from archimetra.job.bits import UNDERCUTS, Bit
from archimetra.job.cuts import Cut
from archimetra.job.sheet import Fixture, FixtureKind, Heights
from archimetra.toolpath.moves import Move, MoveList, Role, Toolpath, empty_toolpath, straightened

GAP_MM = 1.5  # between the bit (or its shank) and a fixture, sideways and above


def outline_of(fixture: Fixture) -> Polygon:
    """The area a fixture stands on."""
    if fixture.kind is FixtureKind.SCREW:
        disc: Polygon = shapely.buffer(shapely.points(fixture.x, fixture.y), fixture.width / 2, quad_segs=16)
        return disc
    w, d = fixture.width / 2, fixture.depth / 2
    turn = np.radians(fixture.degrees)
    u, v = np.array((np.cos(turn), np.sin(turn))), np.array((-np.sin(turn), np.cos(turn)))
    centre = np.array((fixture.x, fixture.y))
    return Polygon([centre + a * w * u + b * d * v for a, b in ((-1, -1), (1, -1), (1, 1), (-1, 1))])


def kept_clear(
    toolpath: Toolpath, fixtures: Sequence[Fixture], cut: Cut, bit: Bit, heights: Heights, *, plunge: float
) -> tuple[Toolpath, tuple[Finding, ...]]:
    """The toolpath without what a fixture is in the way of, and a finding for each fixture that was.

    Behind a fixture the bit goes down again at ``plunge``, mm/min."""
    if not fixtures or not len(toolpath):
        return toolpath, ()
    reach = max(bit.radius, bit.shank / 2) + GAP_MM
    zones = [shapely.buffer(outline_of(f), reach, quad_segs=8) for f in fixtures]
    tops = np.array([f.height + GAP_MM for f in fixtures])
    hits = _rows_near(toolpath, zones, tops)
    if not hits.any():
        return toolpath, ()
    if bit.kind in UNDERCUTS:
        k = int(np.flatnonzero(hits)[0])
        return empty_toolpath(cut.id, bit.id), (_in_slot(cut, toolpath.xyz[k]),)
    builder = _Builder(toolpath, zones, tops, heights, plunge)
    builder.run(hits)
    made = builder.moves.toolpath(toolpath.cut, toolpath.bit, toolpath.marks)
    found = []
    for number, length in enumerate(builder.lost):
        if length > 0.05:
            f = fixtures[number]
            found.append(
                Finding(
                    "into-clamp", Severity.STOP,
                    f"'{cut.name}' would run into the {f.kind.value} at x {f.x:.0f}, y {f.y:.0f}; {length:.0f} mm of its path are "
                    "left out there and the wood stays uncut.",
                    fix=f"Move the {f.kind.value} or the shapes.", at=(f.x, f.y), subject=cut.id,
                )
            )  # fmt: skip
    return made, tuple(found)


def _rows_near(toolpath: Toolpath, zones: list[Polygon], tops: np.ndarray) -> BoolArray:
    """Moves that come into a zone below its top."""
    xyz, hits = toolpath.xyz, np.zeros(len(toolpath), dtype=bool)
    points, rows = straightened(xyz, toolpath.kind, toolpath.centre, chord_tolerance_mm=0.05)
    if len(points) < 2:
        return hits
    a, b = points[:-1], points[1:]
    low = np.minimum(a[:, 2], b[:, 2])
    begin = shapely.points(points[0, :2])
    hits[0] = any(points[0, 2] < top and zone.intersects(begin) for zone, top in zip(zones, tops, strict=True))
    for zone, top in zip(zones, tops, strict=True):
        x0, y0, x1, y1 = zone.bounds
        near = (
            (low < top)
            & (np.maximum(a[:, 0], b[:, 0]) >= x0) & (np.minimum(a[:, 0], b[:, 0]) <= x1)
            & (np.maximum(a[:, 1], b[:, 1]) >= y0) & (np.minimum(a[:, 1], b[:, 1]) <= y1)
        )  # fmt: skip
        k = np.flatnonzero(near)
        if len(k):
            lines = shapely.linestrings(np.stack((a[k, :2], b[k, :2]), axis=1))
            shapely.prepare(zone)
            hits[rows[k[shapely.intersects(zone, lines)] + 1]] = True
    return hits


class _Builder:
    def __init__(
        self, toolpath: Toolpath, zones: list[Polygon], tops: np.ndarray, heights: Heights, plunge: float
    ) -> None:
        self.moves = MoveList()
        self.lost = [0.0] * len(zones)
        self._path, self._zones, self._tops, self._heights = toolpath, zones, tops, heights
        self._plunge = plunge
        self._is_up = False

    def run(self, hits: BoolArray) -> None:
        n = len(self._path)
        row = 0
        while row < n:
            stop = row
            while stop < n and not hits[stop]:
                stop += 1
            if stop > row:
                self._take(row, stop)
                row = stop
            if row < n:
                self._clip(row)
                row += 1

    def _take(self, first: int, last: int) -> None:
        """Rows as they are; after a gap the bit first comes down where they begin."""
        path = self._path
        if first > 0:
            self._return_to(path.xyz[first - 1])
        part = slice(first, last)
        for chunk in _runs_of_pass(path.pass_no[part]):
            rows = slice(first + chunk[0], first + chunk[1])
            self.moves.add(
                path.xyz[rows], path.kind[rows], path.centre[rows], path.feed[rows], path.role[rows],
                int(path.pass_no[first + chunk[0]]),
            )  # fmt: skip

    def _clip(self, row: int) -> None:
        """One move, without its parts inside zones."""
        path = self._path
        if row == 0:
            begin = path.xyz[0]
            self.moves.add_point((float(begin[0]), float(begin[1]), self._heights.travel), kind=Move.RAPID)
            self._is_up = True
            return
        pair = slice(row - 1, row + 1)
        points, _ = straightened(path.xyz[pair], path.kind[pair], path.centre[pair], chord_tolerance_mm=0.005)
        feed = float(path.feed[row])
        for a, b in zip(points[:-1], points[1:], strict=True):
            self._clip_segment(a, b, int(path.kind[row]), feed, int(path.role[row]), int(path.pass_no[row]))

    def _clip_segment(self, a: np.ndarray, b: np.ndarray, kind: int, feed: float, role: int, pass_no: int) -> None:
        inside = self._inside(a, b)
        t = 0.0
        for t0, t1 in inside:
            if t0 > t + 1e-9:
                self._go(a + (b - a) * t, a + (b - a) * t0, kind, feed, role, pass_no)
            self._lift()
            t = max(t, t1)
        if t < 1.0 - 1e-9:
            self._go(a + (b - a) * t, b, kind, feed, role, pass_no)

    def _go(self, a: np.ndarray, b: np.ndarray, kind: int, feed: float, role: int, pass_no: int) -> None:
        self._return_to(a)
        is_rapid = kind == Move.RAPID
        self.moves.add_point(
            (float(b[0]), float(b[1]), float(b[2])),
            kind=Move.RAPID if is_rapid else Move.LINE,
            feed=feed,
            role=Role(role),
            pass_no=pass_no,
        )

    def _inside(self, a: np.ndarray, b: np.ndarray) -> list[tuple[float, float]]:
        """Stretches of a straight move, as shares of it, that lie in a zone below its top."""
        out = []
        length = float(np.hypot(*(b - a)[:2]))
        for number, (zone, top) in enumerate(zip(self._zones, self._tops, strict=True)):
            if min(a[2], b[2]) >= top:
                continue
            if length < 1e-9:
                if zone.intersects(shapely.points(a[0], a[1])):
                    out.append((0.0, 1.0))
                continue
            line = shapely.linestrings([a[:2], b[:2]])
            for part in shapely.get_parts(shapely.intersection(zone, line)):
                ends = shapely.get_coordinates(part)
                if not len(ends):
                    continue
                shares = np.hypot(*(ends[[0, -1]] - a[:2]).T) / length
                out.append((float(shares.min()), float(shares.max())))
                if min(a[2], b[2]) < 0:
                    self.lost[number] += float(np.ptp(shares)) * length
        return sorted(out)

    def _lift(self) -> None:
        if self._is_up or self.moves.is_empty:
            return
        x, y, z = self.moves.last
        if z < self._heights.travel:
            self.moves.add_point((x, y, self._heights.travel), kind=Move.RAPID, role=Role.LINK)
        self._is_up = True

    def _return_to(self, at: np.ndarray) -> None:
        if not self._is_up:
            return
        x, y, z = (float(v) for v in at)
        top = self._heights.travel
        self.moves.add_point((x, y, top), kind=Move.RAPID, role=Role.LINK)
        if z < top:
            above = max(z, min(1.0, self._heights.hop))
            if above < top:
                self.moves.add_point((x, y, above), kind=Move.RAPID, role=Role.LINK)
            if z < above:
                self.moves.add_point((x, y, z), kind=Move.LINE, feed=self._plunge, role=Role.ENTRY)
        self._is_up = False


def _runs_of_pass(pass_no: np.ndarray) -> list[tuple[int, int]]:
    edges = np.flatnonzero(np.diff(pass_no)) + 1
    bounds = [0, *edges.tolist(), len(pass_no)]
    return list(zip(bounds[:-1], bounds[1:], strict=True))


def _in_slot(cut: Cut, at: np.ndarray) -> Finding:
    return Finding(
        "into-clamp", Severity.STOP,
        f"'{cut.name}' would run into a clamp, and an undercut bit cannot be lifted within its slot; it is left uncut.",
        fix="Move the clamp or the slot.", at=(float(at[0]), float(at[1])), subject=cut.id,
    )  # fmt: skip
