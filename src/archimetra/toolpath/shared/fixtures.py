"""Keeping a toolpath clear of clamps and screws: lifted over what stands in its way, with a word on what stays uncut there.

Works on any planner's moves. Where the bit or its shank would touch a fixture lower than its height, the move is
left out: up before it, over it at travel height, and down behind it at the plunge feed, or sloping along its way where it cannot plunge.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from math import ceil

import msgspec
import numpy as np
import shapely
from shapely.geometry import Polygon

from archimetra.base.findings import Finding, Severity, mm
from archimetra.geometry.arrays import BoolArray, FloatArray
from archimetra.job.bits import UNDERCUTS, Bit, Recipe
from archimetra.job.cuts import Cut
from archimetra.job.sheet import Fixture, FixtureKind, Heights
from archimetra.toolpath.shared.moves import Move, MoveList, Role, Toolpath, empty_toolpath, straightened
from archimetra.toolpath.shared.strokes import finishing_reach

LEAST_RAMP_DIAMETERS = 0.5  # a way on shorter than this is no ramp
_SLOPE_DEGREES = 5.0  # where a cut has no ramp of its own
GAP_MM = 1.5  # between the bit (or its shank) and a fixture, sideways and above


def outline_of(fixture: Fixture) -> Polygon:
    """The area a fixture stands on."""
    if fixture.kind is FixtureKind.SCREW:
        disc: Polygon = shapely.buffer(shapely.points(fixture.x, fixture.y), fixture.width / 2, quad_segs=16)
        return disc
    w, d = fixture.width / 2, fixture.height / 2
    turn = np.radians(fixture.degrees)
    u, v = np.array((np.cos(turn), np.sin(turn))), np.array((-np.sin(turn), np.cos(turn)))
    centre = np.array((fixture.x, fixture.y))
    return Polygon([centre + a * w * u + b * d * v for a, b in ((-1, -1), (1, -1), (1, 1), (-1, 1))])


def kept_clear(
    toolpath: Toolpath, fixtures: Sequence[Fixture], cut: Cut, bit: Bit, heights: Heights, *, recipe: Recipe
) -> tuple[Toolpath, tuple[Finding, ...]]:
    """The toolpath without what a fixture is in the way of, and a finding for each fixture that was.

    Behind a fixture the bit goes down again at the recipe's plunge feed."""
    if not fixtures or not len(toolpath):
        return toolpath, ()
    plunge, stepover = recipe.plunge, recipe.stepover
    reach = max(bit.radius, bit.shank / 2) + GAP_MM
    zones = [shapely.buffer(outline_of(f), reach, quad_segs=8) for f in fixtures]
    tops = np.array([f.rise + GAP_MM for f in fixtures])
    growth = _growth(toolpath, cut, bit, stepover)
    hits = np.zeros(len(toolpath), dtype=bool)
    for more in np.unique(growth):
        hits |= (growth == more) & _rows_near(toolpath, _grown(zones, float(more)), tops)
    if not hits.any():
        return toolpath, ()
    if bit.kind in UNDERCUTS:
        k = int(np.flatnonzero(hits)[0])
        return empty_toolpath(cut.id, bit.id), (_in_slot(cut, toolpath.xyz[k]),)
    builder = _Builder(toolpath, zones, growth, tops, heights, cut, bit, plunge)
    builder.run(hits)
    made = builder.moves.toolpath(toolpath.cut, toolpath.bit, toolpath.marks)
    made = msgspec.structs.replace(made, outlines=toolpath.outlines)
    found = [
        _told(cut, fixture, length, len(holes))
        for fixture, length, holes in zip(fixtures, builder.lost, builder.plunges, strict=True)
        if length > 0.05 or holes
    ]
    return made, tuple(found)


def _growth(toolpath: Toolpath, cut: Cut, bit: Bit, stepover: float) -> FloatArray:
    """How much wider each move (n,) keeps away than the first pass does: where the passes before were lifted a later one would find solid
    wood. Within an area every pass steps back a stepover, since it links its lines in ways of its own; a finishing pass its allowance."""
    pass_no = toolpath.pass_no
    if cut.clears_area:
        # the way to a pass counts as that pass
        following = np.where(pass_no > 0, np.arange(len(pass_no)), len(pass_no))
        following = np.minimum.accumulate(following[::-1])[::-1]
        of = np.where(following < len(pass_no), pass_no[np.minimum(following, len(pass_no) - 1)], pass_no.max())
        return np.asarray((np.maximum(of, 1) - 1) * stepover * bit.diameter)
    allowance = cut.last_pass
    if allowance <= 0:
        return np.zeros(len(pass_no))
    return np.where(pass_no == pass_no.max(), finishing_reach(allowance, bit.diameter), 0.0)


def _grown(zones: list[Polygon], more: float) -> list[Polygon]:
    return zones if more <= 0 else [shapely.buffer(zone, more, quad_segs=8) for zone in zones]


def _told(cut: Cut, fixture: Fixture, length: float, holes: int) -> Finding:
    """What is left out for the sake of one fixture."""
    plunges = "a hole" if holes == 1 else f"{holes} holes"
    along = f"{mm(length, '.0f')} of its path"
    what = f"{along} and {plunges}" if length > 0.05 and holes else plunges if holes else along
    verb = "is" if what == "a hole" else "are"
    return Finding(
        "into-clamp", Severity.STOP,
        f"'{cut.name}' would run into the {fixture.kind.value} at x {mm(fixture.x, '.0f')}, y {mm(fixture.y, '.0f')}; {what} {verb} "
        "left out there and the wood stays uncut.",
        mend=f"Move the {fixture.kind.value} or the shapes.", at=(fixture.x, fixture.y), subject=cut.id,
    )  # fmt: skip


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
    """Lays the moves again without what is in the way. ``lost`` is how much of the path each fixture costs, mm, and ``plunges`` where
    the bit was to go straight down there."""

    def __init__(
        self, toolpath: Toolpath, zones: list[Polygon], growth: FloatArray, tops: np.ndarray, heights: Heights, cut: Cut,
        bit: Bit, plunge: float,
    ) -> None:  # fmt: skip
        self.moves = MoveList()
        self._growth = growth
        self._wider = {float(more): _grown(zones, float(more)) for more in np.unique(growth)}
        self.lost = [0.0] * len(tops)
        self.plunges: list[set[tuple[float, float]]] = [set() for _ in tops]
        self._path, self._zones, self._tops, self._heights = toolpath, zones, tops, heights
        self._plunge = plunge
        # straight down behind a fixture only by a bit that can: others slope down along the way they go on
        self._slope = None if bit.can_plunge else float(getattr(cut, "ramp_degrees", _SLOPE_DEGREES))
        self._least_mm = LEAST_RAMP_DIAMETERS * bit.diameter
        self._is_up = False

    def run(self, hits: BoolArray) -> None:
        pieces = list(self._pieces(hits))
        k = 0
        while k < len(pieces):
            piece = pieces[k]
            if piece is None:
                self._lift()
            elif self._is_up and not self._return_to(piece, pieces[k:]):
                # no room to slope down before the next fixture: that stretch is left out too
                nearest = int(np.argmin(shapely.distance(self._zones, shapely.points(piece.begin[:2]))))
                while k < len(pieces) and (left := pieces[k]) is not None:
                    d = np.diff(np.vstack((left.begin, left.xyz))[:, :2], axis=0)
                    self.lost[nearest] += float(np.hypot(*d.T).sum())
                    k += 1
                continue
            else:
                self.moves.add(piece.xyz, piece.kind, piece.centre, piece.feed, piece.role, piece.pass_no)
            k += 1

    # ---- what stays

    def _pieces(self, hits: BoolArray) -> Iterator[_Piece | None]:
        """The moves that stay, in runs; None wherever the bit has to be lifted between them."""
        n, row = len(self._path), 0
        while row < n:
            stop = row
            while stop < n and not hits[stop]:
                stop += 1
            if stop > row:
                yield from self._whole(row, stop)
                row = stop
            if row < n:
                yield from self._clipped(row)
                row += 1

    def _whole(self, first: int, last: int) -> Iterator[_Piece]:
        path = self._path
        for a, b in _runs_of_pass(path.pass_no[first:last]):
            rows = slice(first + a, first + b)
            begin = path.xyz[max(first + a - 1, 0)]
            yield _Piece(
                begin, path.xyz[rows], path.kind[rows], path.centre[rows], path.feed[rows], path.role[rows],
                int(path.pass_no[first + a]),
            )  # fmt: skip

    def _clipped(self, row: int) -> Iterator[_Piece | None]:
        """One move, without its parts inside zones."""
        path = self._path
        if row == 0:
            yield None
            return
        pair = slice(row - 1, row + 1)
        points, _ = straightened(path.xyz[pair], path.kind[pair], path.centre[pair], chord_tolerance_mm=0.005)
        for a, b in zip(points[:-1], points[1:], strict=True):
            t = 0.0
            for t0, t1 in self._inside(a, b, self._wider[float(self._growth[row])]):
                if t0 > t + 1e-9:
                    yield self._straight(row, a + (b - a) * t, a + (b - a) * t0)
                yield None
                t = max(t, t1)
            if t < 1.0 - 1e-9:
                yield self._straight(row, a + (b - a) * t, b)

    def _straight(self, row: int, a: np.ndarray, b: np.ndarray) -> _Piece:
        path = self._path
        kind = Move.RAPID if path.kind[row] == Move.RAPID else Move.LINE
        return _Piece(
            a, b[None, :], np.array([kind], dtype=np.uint8), np.zeros((1, 2)), path.feed[row : row + 1],
            path.role[row : row + 1], int(path.pass_no[row]),
        )  # fmt: skip

    def _inside(self, a: np.ndarray, b: np.ndarray, zones: list[Polygon]) -> list[tuple[float, float]]:
        """Stretches of a straight move, as shares of it, that lie in a zone below its top."""
        out = []
        length = float(np.hypot(*(b - a)[:2]))
        for number, (zone, top) in enumerate(zip(zones, self._tops, strict=True)):
            if min(a[2], b[2]) >= top:
                continue
            if length < 1e-9:
                if zone.intersects(shapely.points(a[0], a[1])):
                    out.append((0.0, 1.0))
                    if b[2] < 0 and b[2] < a[2]:
                        self.plunges[number].add((round(float(b[0]), 3), round(float(b[1]), 3)))
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

    # ---- up and down

    def _lift(self) -> None:
        if self._is_up:
            return
        if self.moves.is_empty:
            x, y, _ = (float(v) for v in self._path.xyz[0])
            self.moves.add_point((x, y, self._heights.travel), kind=Move.RAPID)
        else:
            x, y, z = self.moves.last
            if z < self._heights.travel:
                self.moves.add_point((x, y, self._heights.travel), kind=Move.RAPID, role=Role.LINK)
        self._is_up = True

    def _return_to(self, piece: _Piece, following: Sequence[_Piece | None]) -> bool:
        """Down to where a piece begins. False where a bit that cannot plunge finds no room to slope down on."""
        x, y, z = (float(v) for v in piece.begin)
        top = self._heights.travel
        above = max(z, min(1.0, self._heights.retract))
        slope: FloatArray | None = None
        if z < min(above, 0.0) and self._slope is not None:
            way = _way_on(following, at_most=above / np.tan(np.radians(self._slope)) + 40.0)
            slope = _sloping(way, above, self._slope, least=self._least_mm)
            if slope is None:
                return False
        self.moves.add_point((x, y, top), kind=Move.RAPID, role=Role.LINK)
        if above < top:
            self.moves.add_point((x, y, above), kind=Move.RAPID, role=Role.LINK)
        if slope is not None:
            n = len(slope)
            speed = float(piece.feed[0]) if piece.kind[0] != Move.RAPID else self._plunge
            d = np.diff(np.vstack(([[x, y, above]], slope)), axis=0)
            length = np.linalg.norm(d, axis=1)
            feed = np.where(
                d[:, 2] < -1e-9, np.minimum(speed, self._plunge * length / np.maximum(-d[:, 2], 1e-9)), speed
            )
            self.moves.add(
                slope, np.full(n, Move.LINE, dtype=np.uint8), np.zeros((n, 2)), feed,
                np.full(n, Role.ENTRY, dtype=np.uint8), piece.pass_no,
            )  # fmt: skip
        elif z < above:
            self.moves.add_point((x, y, z), kind=Move.LINE, feed=self._plunge, role=Role.ENTRY)
        self._is_up = False
        return True


class _Piece(msgspec.Struct, frozen=True, eq=False):
    """Some moves that follow each other from ``begin``, as in a toolpath."""

    begin: np.ndarray
    xyz: np.ndarray
    kind: np.ndarray
    centre: np.ndarray
    feed: np.ndarray
    role: np.ndarray
    pass_no: int


def _way_on(following: Sequence[_Piece | None], *, at_most: float) -> FloatArray:
    """Where the bit goes on from a piece's begin, points (n, 3), until it is lifted, goes straight up or down, or this far."""
    first = following[0]
    assert first is not None
    out, gone = [first.begin], 0.0
    for piece in following:
        if piece is None:
            break
        xyz, kind = np.vstack((piece.begin, piece.xyz)), np.concatenate(([Move.LINE], piece.kind))
        centre = np.vstack(([[0.0, 0.0]], piece.centre))
        points, row = straightened(xyz, kind.astype(np.uint8), centre, chord_tolerance_mm=0.01)
        for point, r in zip(points[1:], row[1:], strict=True):
            step = float(np.hypot(*(point - out[-1])[:2]))
            if kind[r] == Move.RAPID or (step < 1e-9 and abs(point[2] - out[-1][2]) > 1e-9):
                return np.array(out)
            out.append(point)
            gone += step
            if gone > at_most:
                return np.array(out)
    return np.array(out)


def _sloping(way: FloatArray, above: float, degrees: float, *, least: float) -> FloatArray | None:
    """To and fro along a way (n, 3) from the height ``above`` its begin down to it, points (m, 3); None where the way is too short."""
    steps = np.hypot(*np.diff(way[:, :2], axis=0).T)
    length = float(steps.sum())
    if length < least:
        return None
    drop = above - float(way[0, 2])
    turns = max(1, ceil(drop / np.tan(np.radians(degrees)) / (2 * length) - 1e-9))
    order = np.concatenate([np.concatenate((np.arange(1, len(way)), np.arange(len(way) - 2, -1, -1)))] * turns)
    gone = np.cumsum(np.concatenate([np.concatenate((steps, steps[::-1]))] * turns))
    height = above - drop * gone / gone[-1]
    return np.column_stack((way[order, :2], np.maximum(height, way[order, 2])))


def _runs_of_pass(pass_no: np.ndarray) -> list[tuple[int, int]]:
    edges = np.flatnonzero(np.diff(pass_no)) + 1
    bounds = [0, *edges.tolist(), len(pass_no)]
    return list(zip(bounds[:-1], bounds[1:], strict=True))


def _in_slot(cut: Cut, at: np.ndarray) -> Finding:
    return Finding(
        "into-clamp", Severity.STOP,
        f"'{cut.name}' would run into a clamp, and an undercut bit cannot be lifted within its slot; it is left uncut.",
        mend="Move the clamp or the slot.", at=(float(at[0]), float(at[1])), subject=cut.id,
    )  # fmt: skip
