"""What is left of the sheet's top at single places, block by block: where Z can still be touched off, and how low the surface is there."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np
import shapely
from shapely.ops import nearest_points

from archimetra.geometry.arrays import FloatArray, IntArray
from archimetra.job.bits import Bit
from archimetra.job.job import Board
from archimetra.job.setups import Box, Setup
from archimetra.job.sheet import ZeroZ
from archimetra.toolpath.shared.fixtures import outline_of
from archimetra.toolpath.shared.moves import straightened
from archimetra.toolpath.shared.program import Run

INSIDE_MM = 10.0  # a place to touch off lies this far within the sheet
PLATE_MM = 6.0  # radius of what must be whole around it
_SAME_MM = 0.005
_AT_EDGE_MM = 0.5  # a zero point at a corner that is a little off is still that corner


class TouchOff(msgspec.Struct, frozen=True):
    """Where Z can be touched off before a block runs. ``height`` is the surface there, below the sheet's top as delivered (0: as
    delivered); ``at`` the place in board coordinates, ``is_usual`` where it is that of the zero point; None where nothing is left of the
    surface. ``taken_by`` names the cut that took the usual place away, '' where the sheet has no wood there; ``is_far`` where the machine does not get
    to the zero point as the board lies then."""

    height: float
    at: tuple[float, float] | None
    is_usual: bool
    taken_by: str = ""
    is_far: bool = False


def touch_offs(board: Board, run: Run, bits: Sequence[Bit], setups: Sequence[Setup] = ()) -> list[TouchOff]:
    """One for every block of the run: how things are before it. Empty where Z zero is on the spoilboard, which nothing takes away. ``setups`` are the ways
    the board lies, where it is cut in several: then Z is touched off within what the machine reaches in each of them, and best in what it cuts there."""
    if board.zero.z is not ZeroZ.SHEET_TOP or not run.blocks:
        return []
    if len(setups) < 2:
        return _touch_offs(board, run, bits, _usual_place(board), None)
    out: list[TouchOff] = []
    for number in dict.fromkeys(block.setup for block in run.blocks):
        setup = setups[number]
        box = (
            max(setup.cell[0], setup.reach[0]), max(setup.cell[1], setup.reach[1]),
            min(setup.cell[2], setup.reach[2]), min(setup.cell[3], setup.reach[3]),
        )  # fmt: skip
        x, y = _usual_place(board)
        place = (min(max(x, box[0]), box[2]), min(max(y, box[1]), box[3]))
        until = sum(block.setup <= number for block in run.blocks) if _is_rising(run) else len(run.blocks)
        told = _touch_offs(board, run, bits, place, setup.reach, blocks=until)
        far = place != (x, y)
        out += [
            msgspec.structs.replace(
                one, is_far=True, is_usual=False, taken_by="" if one.at is not None else one.taken_by
            )
            if far
            else one
            for one, block in zip(told, run.blocks, strict=False)
            if block.setup == number
        ]
    return out


def _is_rising(run: Run) -> bool:
    numbers = [block.setup for block in run.blocks]
    return numbers == sorted(numbers)


def _touch_offs(
    board: Board,
    run: Run,
    bits: Sequence[Bit],
    usual: tuple[float, float],
    box: Box | None,
    *,
    blocks: int | None = None,
) -> list[TouchOff]:
    """For the first ``blocks`` blocks (all), at the ``usual`` place or another within the ``box``."""
    cuts = [board.cut(block.cut) for block in run.blocks]
    is_facing = np.array([cut is not None and cut.lowers_face for cut in cuts])
    is_on_wood = bool(
        not board.sheet.outline
        or shapely.distance(board.sheet.region, shapely.points(board.zero.point(board.sheet))) <= _AT_EDGE_MM
    )
    places = [usual]
    lowest = lowest_by_block(run, bits, places, margin=PLATE_MM, blocks=blocks)
    if (
        lowest[0, ~is_facing[: lowest.shape[1]]] < -_SAME_MM
    ).any():  # only where the usual place is cut are others looked for
        others = _other_places(board, usual)
        if box is not None:
            others = [p for p in others if box[0] <= p[0] <= box[2] and box[1] <= p[1] <= box[3]]
        places = [usual, *others]
        lowest = lowest_by_block(run, bits, places, margin=PLATE_MM, blocks=blocks)
    out = []
    for number in range(lowest.shape[1]):
        before = lowest[:, :number]
        faced = before[:, is_facing[:number]].min(axis=1, initial=0.0)
        height = before.min(axis=1, initial=0.0)
        whole = np.flatnonzero(height > faced - _SAME_MM)
        if 0 in whole:
            out.append(TouchOff(float(faced[0]), places[0], is_usual=is_on_wood))
            continue
        taker = int(np.argmin(before[0]))
        cut = board.cut(run.blocks[taker].cut)
        name = cut.name if cut is not None else ""
        if len(whole):
            k = int(whole[0])
            out.append(TouchOff(float(faced[k]), places[k], is_usual=False, taken_by=name))
        else:
            out.append(TouchOff(float(faced[0]), None, is_usual=False, taken_by=name))
    return out


def _usual_place(board: Board) -> tuple[float, float]:
    """The zero point, drawn into the sheet."""
    sheet = board.sheet
    x, y = board.zero.point(sheet)
    if sheet.outline:
        inner = sheet.region.buffer(-INSIDE_MM)
        place = (
            shapely.point_on_surface(sheet.region) if inner.is_empty else nearest_points(inner, shapely.points(x, y))[0]
        )
        return float(place.x), float(place.y)
    inset_x, inset_y = min(INSIDE_MM, sheet.width / 2), min(INSIDE_MM, sheet.height / 2)
    return (
        float(np.clip(x, inset_x, sheet.width - inset_x)),
        float(np.clip(y, inset_y, sheet.height - inset_y)),
    )


def _other_places(board: Board, usual: tuple[float, float]) -> list[tuple[float, float]]:
    """Places over the sheet, from the nearest on, those under clamps left out."""
    sheet = board.sheet
    inset_x, inset_y = min(INSIDE_MM, sheet.width / 2), min(INSIDE_MM, sheet.height / 2)
    grid = [
        (float(px), float(py))
        for px in np.linspace(inset_x, sheet.width - inset_x, 15)
        for py in np.linspace(inset_y, sheet.height - inset_y, 15)
    ]
    covered = shapely.union_all([shapely.buffer(outline_of(fixture), PLATE_MM) for fixture in board.fixtures])
    if sheet.outline:
        inner = sheet.region.buffer(-INSIDE_MM)
        grid = [p for p in grid if shapely.intersects_xy(inner, *p)]
    free = [p for p in grid if covered.is_empty or not shapely.intersects_xy(covered, *p)]
    return sorted(free, key=lambda p: (p[0] - usual[0]) ** 2 + (p[1] - usual[1]) ** 2)


_last_straight: list[tuple[Run, FloatArray, IntArray]] = []  # one run is asked about several times over


def _straight(run: Run) -> tuple[FloatArray, IntArray]:
    """The points of a run with arcs as chords, and the row each came from."""
    if not _last_straight or _last_straight[0][0] is not run:
        points, rows = straightened(run.xyz, run.kind, run.centre, chord_tolerance_mm=0.05)
        _last_straight[:] = [(run, points, rows)]
    _, points, rows = _last_straight[0]
    return points, rows


def lowest_by_block(
    run: Run, bits: Sequence[Bit], places: Sequence[tuple[float, float]] | FloatArray, *, margin: float = 0.0, blocks: int | None = None
) -> FloatArray:  # fmt: skip
    """How low each of the first ``blocks`` blocks (m,) comes within ``margin`` of the reach of its bit about each place (n,): (n, m), 0 where
    it does not come into the wood. Bits count as flat."""
    count = len(run.blocks) if blocks is None else blocks
    out = np.zeros((len(places), count))
    last = run.blocks[count - 1].last if count else 0
    if not last or not len(places):
        return out
    points, rows = _straight(run)
    until = int(np.searchsorted(rows, last))
    points, rows = points[:until], rows[:until]
    block = run.block[rows]
    radius = {bit.id: bit.radius for bit in bits}
    reach = np.array([radius.get(b.bit, 0.0) for b in run.blocks[:count]])
    a, b = points[:-1], points[1:]
    low = np.minimum(a[:, 2], b[:, 2])
    keep = np.flatnonzero((low < -1e-6) & (block[1:] >= 0))
    if not len(keep):
        return out
    far = float(reach.max()) + margin
    asked = np.asarray(places, dtype=np.float64)
    # most of a long run lies nowhere near what is asked for
    x0, y0 = asked.min(axis=0) - far
    x1, y1 = asked.max(axis=0) + far
    p, q = a[keep, :2], b[keep, :2]
    near_box = (np.maximum(p[:, 0], q[:, 0]) >= x0) & (np.minimum(p[:, 0], q[:, 0]) <= x1)
    near_box &= (np.maximum(p[:, 1], q[:, 1]) >= y0) & (np.minimum(p[:, 1], q[:, 1]) <= y1)
    keep = keep[near_box]
    if not len(keep):
        return out
    lines = shapely.linestrings(np.stack((a[keep, :2], b[keep, :2]), axis=1))
    of, depth = block[1:][keep], low[keep]
    points_asked = shapely.points(asked)
    place, line = shapely.STRtree(lines).query(points_asked, predicate="dwithin", distance=far)
    gaps = shapely.distance(points_asked[place], lines[line])
    near = gaps <= reach[of[line]] + margin
    np.minimum.at(out, (place[near], of[line[near]]), depth[line[near]])
    return out
