"""Keeping a toolpath clear of clamps and screws: lifted over what stands in its way, with a word on what stays uncut there.

Works on any planner's moves. Where the bit or its shank would touch a fixture lower than its height, the move is
left out: up before it, over it at travel height, and down behind it at the plunge feed, or sloping along its way where it cannot plunge.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import msgspec
import numpy as np
import shapely
from shapely.geometry import Polygon

from archimetra.base.findings import Finding, Severity, mm
from archimetra.geometry.arrays import BoolArray, FloatArray
from archimetra.job.bits import UNDERCUTS, Bit, Recipe
from archimetra.job.cuts import Cut
from archimetra.job.sheet import Fixture, FixtureKind, Heights
from archimetra.toolpath.shared.moves import Move, Toolpath, empty_toolpath, straightened
from archimetra.toolpath.shared.reentry import Piece, Reentry, pieces_of
from archimetra.toolpath.shared.strokes import finishing_reach

GAP_MM = 1.5  # between the bit (or its shank) and a fixture, sideways and above


def outline_of(fixture: Fixture) -> Polygon:
    """The area a fixture stands on."""
    if fixture.kind is not FixtureKind.CLAMP:
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
    reach = max(bit.radius, bit.shank / 2) + GAP_MM
    zones = [shapely.buffer(outline_of(f), reach, quad_segs=8) for f in fixtures]
    tops = np.array([f.rise + GAP_MM for f in fixtures])
    growth = growth_of_passes(toolpath, cut, bit, recipe.stepover)
    hits = np.zeros(len(toolpath), dtype=bool)
    for more in np.unique(growth):
        hits |= (growth == more) & _rows_near(toolpath, _grown(zones, float(more)), tops)
    if not hits.any():
        return toolpath, ()
    if bit.kind in UNDERCUTS:
        k = int(np.flatnonzero(hits)[0])
        return empty_toolpath(cut.id, bit.id), (_in_slot(cut, toolpath.xyz[k]),)
    clearing = _Clearing(toolpath, zones, growth, tops)
    pieces = list(clearing.pieces(hits))
    relaid = Reentry(cut, bit, recipe, over=heights.travel, retract=heights.retract)
    if pieces[0] is None:
        relaid.begin_at(float(toolpath.xyz[0, 0]), float(toolpath.xyz[0, 1]))
    clearing.leave_out(relaid.lay(pieces))
    made = relaid.moves.toolpath(toolpath.cut, toolpath.bit, toolpath.marks)
    made = msgspec.structs.replace(made, outlines=toolpath.outlines)
    found = [
        _told(cut, fixture, length, len(holes))
        for fixture, length, holes in zip(fixtures, clearing.lost, clearing.plunges, strict=True)
        if length > 0.05 or holes
    ]
    return made, tuple(found)


def growth_of_passes(toolpath: Toolpath, cut: Cut, bit: Bit, stepover: float) -> FloatArray:
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


class _Clearing:
    """Takes out of a toolpath what is in the way of fixtures. ``lost`` is how much of the path each of them costs, mm, and ``plunges`` where
    the bit was to go straight down there."""

    def __init__(self, toolpath: Toolpath, zones: list[Polygon], growth: FloatArray, tops: np.ndarray) -> None:
        self._growth = growth
        self._wider = {float(more): _grown(zones, float(more)) for more in np.unique(growth)}
        self.lost = [0.0] * len(tops)
        self.plunges: list[set[tuple[float, float]]] = [set() for _ in tops]
        self._path, self._zones, self._tops = toolpath, zones, tops

    def pieces(self, hits: BoolArray) -> Iterator[Piece | None]:
        """The moves that stay, in runs; None wherever the bit has to be lifted between them."""
        n, row = len(self._path), 0
        while row < n:
            stop = row
            while stop < n and not hits[stop]:
                stop += 1
            if stop > row:
                yield from pieces_of(self._path, row, stop)
                row = stop
            if row < n:
                yield from self._clipped(row)
                row += 1

    def leave_out(self, pieces: Sequence[Piece]) -> None:
        """Count what is left out because a bit finds no room to slope down before the next fixture."""
        for piece in pieces:
            nearest = int(np.argmin(shapely.distance(self._zones, shapely.points(piece.begin[:2]))))
            self.lost[nearest] += piece.length

    def _clipped(self, row: int) -> Iterator[Piece | None]:
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

    def _straight(self, row: int, a: np.ndarray, b: np.ndarray) -> Piece:
        path = self._path
        kind = Move.RAPID if path.kind[row] == Move.RAPID else Move.LINE
        return Piece(
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


def _in_slot(cut: Cut, at: np.ndarray) -> Finding:
    return Finding(
        "into-clamp", Severity.STOP,
        f"'{cut.name}' would run into a clamp, and an undercut bit cannot be lifted within its slot; it is left uncut.",
        mend="Move the clamp or the slot.", at=(float(at[0]), float(at[1])), subject=cut.id,
    )  # fmt: skip
