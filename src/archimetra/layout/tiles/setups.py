"""The setups of a tiled board, one for each tile, and their zeros."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np

from archimetra.geometry.arrays import FloatArray
from archimetra.job.job import Board
from archimetra.job.lying import EVERYTHING
from archimetra.job.setups import Box, Setup, box_turned
from archimetra.job.sheet import Machine, ZeroAt
from archimetra.layout.tiles.grid import EDGE_MM, Span, tile_name

replace = msgspec.structs.replace
_ROUND_MM = 10.0
_INSIDE_MM = 15.0  # from the reach's edge, and from what is cut


def travel_on_board(board: Board, machine: Machine) -> tuple[float, float]:
    """The machine's travel along the board's X and Y."""
    travel = machine.travel_x, machine.travel_y
    return travel if board.quarter_turns % 2 == 0 else (travel[1], travel[0])


def tile_setups(board: Board, spans: tuple[Span, Span]) -> list[Setup]:
    """A setup for each tile of a grid, in the order they are cut: to and fro, so that each lies beside the one before it."""
    across, up = spans
    out = []
    for row in range(len(up.starts)):
        columns = range(len(across.starts))
        for column in columns if row % 2 == 0 else reversed(columns):
            (x0, x1), (y0, y1) = across.cell(column), up.cell(row)
            (rx0, rx1), (ry0, ry1) = across.reach(column), up.reach(row)
            cell, reach = (x0, y0, x1, y1), (rx0, ry0, rx1, ry1)
            out.append(_laid(tile_name(row, column), cell, reach, board.quarter_turns))
    return out


def half_turn_setups(
    board: Board,
    axis: int,
    extent: tuple[tuple[float, float], tuple[float, float]],
    travel: tuple[float, float],
    seam: float,
    overcut: float,
) -> list[Setup]:
    """Two setups, the second turned half round about the middle of the seam."""
    (lx, hx), (ly, hy) = extent
    centre = [(lx + hx) / 2, (ly + hy) / 2]
    centre[axis] = seam
    first = [0.0, 0.0]
    base = (-board.bed_x, -board.bed_y)
    for k, (low, high) in enumerate(((lx, hx), (ly, hy))):  # as the board lies now, where that reaches all
        least = seam + overcut - travel[k] if k == axis else high - travel[k]
        most = min(low, 2 * seam - high) - EDGE_MM if k == axis else low
        first[k] = float(min(max(base[k], least), most))
    reach = (first[0], first[1], first[0] + travel[0], first[1] + travel[1])
    other = (2 * centre[0] - reach[2], 2 * centre[1] - reach[3], 2 * centre[0] - reach[0], 2 * centre[1] - reach[1])
    near, far = list(EVERYTHING), list(EVERYTHING)
    near[axis + 2] = far[axis] = seam
    return [
        _laid("A1", (near[0], near[1], near[2], near[3]), reach, board.quarter_turns),
        _laid("A2", (far[0], far[1], far[2], far[3]), other, board.quarter_turns + 2),
    ]


def _laid(name: str, cell: Box, reach: Box, turns: int) -> Setup:
    x, y, *_ = box_turned(reach, turns)
    return Setup(name=name, quarter_turns=turns % 4, dx=-x, dy=-y, cell=cell, reach=reach)


def with_zeros(board: Board, setups: Sequence[Setup], taken: Sequence[FloatArray], *, has_pins: bool) -> list[Setup]:
    """The setups with their zeros. With pins it is set once, at the first; without, each has a named point in what it cuts that nothing earlier took
    away. ``taken`` are the ends (k, 2, 2) and last the radius in which each setup cuts, flattened as (k, 5)."""
    if has_pins:
        point = board.zero.point(board.sheet)
        zero = setups[0].on_bed(*point)
        name = board.zero.at.value if board.zero.at is not ZeroAt.TYPED else "typed point"
        return [
            replace(setup, zero=zero, zero_name=f"{name} of the sheet as {setups[0].name} lies") for setup in setups
        ]
    out = []
    for k, setup in enumerate(setups):
        gone = np.vstack(list(taken[:k])) if k and any(len(t) for t in taken[:k]) else np.zeros((0, 5))
        place, name = _zero_in(board, setup, gone)
        out.append(replace(setup, zero=setup.on_bed(*place), zero_name=name))
    return out


def _zero_in(board: Board, setup: Setup, gone: FloatArray) -> tuple[tuple[float, float], str]:
    """A point of the sheet the bit gets to, in the setup's own cell where it can be: the board's zero, a corner, a place on an edge, then any."""
    sheet = board.sheet
    w, h = sheet.width, sheet.height
    usual = board.zero.point(sheet)
    named = [(usual, f"{board.zero.at.value} of the sheet" if board.zero.at is not ZeroAt.TYPED else "typed point")]
    corners = [
        ((0.0, 0.0), "front left corner"), ((w, 0.0), "front right corner"), ((0.0, h), "back left corner"), ((w, h), "back right corner"),
    ]  # fmt: skip
    named += [(p, f"{name} of the sheet") for p, name in corners]
    x0, y0 = max(setup.reach[0], setup.cell[0], 0.0), max(setup.reach[1], setup.cell[1], 0.0)
    x1, y1 = min(setup.reach[2], setup.cell[2], w), min(setup.reach[3], setup.cell[3], h)
    xs = _from_the_middle(x0 + _INSIDE_MM, x1 - _INSIDE_MM)
    ys = _from_the_middle(y0 + _INSIDE_MM, y1 - _INSIDE_MM)
    named += [((x, 0.0), f"front edge of the sheet, {x:g} mm from its left edge") for x in xs]
    named += [((x, h), f"back edge of the sheet, {x:g} mm from its left edge") for x in xs]
    named += [((0.0, y), f"left edge of the sheet, {y:g} mm from its front edge") for y in ys]
    named += [((w, y), f"right edge of the sheet, {y:g} mm from its front edge") for y in ys]
    named += [
        ((x, y), f"a mark {x:g} mm from the sheet's left edge, {y:g} mm from its front edge") for x in xs for y in ys
    ]
    for place, name in named:
        inside = all(
            max(setup.reach[a], setup.cell[a]) - 1e-6 <= place[a] <= min(setup.reach[a + 2], setup.cell[a + 2]) + 1e-6
            for a in (0, 1)
        )
        if inside and (not len(gone) or _gap(place, gone) > 0.5):
            return place, name
    return ((x0 + x1) / 2, (y0 + y1) / 2), "the middle of what is cut"


def _from_the_middle(low: float, high: float) -> list[float]:
    places = np.arange(np.ceil(low / _ROUND_MM) * _ROUND_MM, high + 1e-9, _ROUND_MM)
    return sorted(places.tolist(), key=lambda v: abs(v - (low + high) / 2))[:40]


def _gap(place: tuple[float, float], taken: FloatArray) -> float:
    """How far a place is from the nearest edge of what is cut, mm; below 0 within it."""
    a, b, r = taken[:, 0:2], taken[:, 2:4], taken[:, 4]
    d = b - a
    t = np.clip(((np.array(place) - a) * d).sum(axis=1) / np.maximum((d * d).sum(axis=1), 1e-12), 0.0, 1.0)
    return float((np.hypot(*(a + d * t[:, None] - place).T) - r).min())
