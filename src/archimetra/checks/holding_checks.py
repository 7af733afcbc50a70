"""Checks of what holds the wood: pieces that come loose under the bit, and tabs that cannot hold them.

Pieces are found from what the run really cuts through: the sheet less everything the bits pass over below its thinnest
bottom. A piece at the sheet's edge, or under a clamp, is held; any other needs tabs. Offcuts count like parts.
"""

from __future__ import annotations

from collections.abc import Iterator

import msgspec
import numpy as np
import shapely
from shapely.geometry import MultiLineString, Polygon
from shapely.geometry.base import BaseGeometry

from archimetra.base.findings import Finding, Severity, mm, mm_each
from archimetra.checks.check_input import CheckInput
from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.region import Region, polygons_of
from archimetra.job.bits import Bit
from archimetra.job.cuts import Cut, Parting
from archimetra.job.sheet import HoldDown
from archimetra.toolpath.shared.contours import kept_region
from archimetra.toolpath.shared.fixtures import outline_of
from archimetra.toolpath.shared.moves import Role, straightened
from archimetra.toolpath.shared.program import Block

COARSE_MM = 0.05
SMALLEST_MM = 1.0  # pieces narrower than this are chips
ONE_TAB_MM2 = 600.0  # up to this area one tab is enough
SAME_TAB_MM = 1.0
EDGE_MM = 8.0  # so much of a piece must lie on the sheet's edge to be held there


class Slot(msgspec.Struct, frozen=True, eq=False):
    """What one block cuts through: its ground, and the middles of its tabs."""

    cut: Cut
    bit: Bit
    ground: BaseGeometry
    tabs: FloatArray


def loose_pieces(given: CheckInput) -> Iterator[Finding]:
    """Pieces that come free while the bit is beside them: nothing but what was asked for holds them."""
    sheet = given.sheet
    if sheet.hold_down is not HoldDown.CLAMPED:
        return
    slots = through_slots(given)
    if not slots:
        return
    whole = sheet.region
    ground = shapely.union_all([slot.ground for slot in slots])
    pieces = [p for p in polygons_of(shapely.difference(whole, ground)) if not p.buffer(-SMALLEST_MM / 2).is_empty]
    tree = shapely.STRtree([slot.ground for slot in slots])
    held_by = [outline_of(fixture) for fixture in given.board.fixtures]
    for piece in pieces:
        if _is_held(piece, whole, held_by):
            continue
        near = shapely.buffer(piece, 0.5)
        beside = [slots[k] for k in sorted(tree.query(near, predicate="intersects"))]
        count = 0
        for slot in beside:
            if len(slot.tabs):
                reach = slot.bit.radius + 0.5
                count += int((shapely.distance(piece, shapely.points(slot.tabs)) < reach).sum())
        # what frees a piece runs around it; holes in it do not
        rim = shapely.buffer(piece.exterior, 0.5)
        around = [slot for slot in beside if shapely.intersects(slot.ground, rim)] or beside or slots
        last = around[-1].cut
        x, y = shapely.get_coordinates(piece.representative_point())[0]
        x0, y0, x1, y1 = piece.bounds
        size = f"{mm_each((x1 - x0, y1 - y0), '.0f')}"
        if count == 0:
            yield Finding(
                "loose-part", Severity.CAUTION,
                f"'{last.name}' cuts a piece of {size} loose from a clamped sheet, and no tab holds it.",
                mend="Add tabs, leave a skin, or say on the Board page that tape holds it.",
                at=(float(x), float(y)), subject=last.id,
            )  # fmt: skip
        elif count == 1 and piece.area > ONE_TAB_MM2:
            yield Finding(
                "one-tab", Severity.CAUTION,
                f"A piece of {size} cut by '{last.name}' hangs on a single tab and can turn into the bit.",
                mend="Give it two tabs or more.", at=(float(x), float(y)), subject=last.id,
            )  # fmt: skip


_last: list[tuple[CheckInput, list[Slot]]] = []  # several checks ask the same


def through_slots(checked: CheckInput) -> list[Slot]:
    """What each block of the run cuts through, in running order."""
    if not _last or _last[0][0] is not checked:
        found = [slot for block in checked.run.blocks if (slot := _slot(checked, block)) is not None]
        _last[:] = [(checked, found)]
    return _last[0][1]


def _slot(given: CheckInput, block: Block) -> Slot | None:
    cut, bit, run = given.board.cut(block.cut), given.job.bit(block.bit), given.run
    if cut is None or bit is None:
        return None
    rows = slice(block.first, block.last)
    through = -given.sheet.thinnest + 1e-6
    if float(run.xyz[rows, 2].min()) > through:
        return None
    if cut.parting is Parting.SHAPES:
        return Slot(cut, bit, kept_region(given.board.shapes_of(cut)), np.zeros((0, 2)))
    if cut.parting is Parting.AREA:  # thousands of lines side by side: the area they clear says the same
        area = shapely.buffer(
            shapely.buffer(kept_region(given.board.shapes_of(cut)), -bit.radius), bit.radius - COARSE_MM
        )
        return Slot(cut, bit, area, np.zeros((0, 2)))
    if cut.parting is Parting.NEVER:
        return None
    points, of = straightened(run.xyz[rows], run.kind[rows], run.centre[rows], chord_tolerance_mm=COARSE_MM)
    role = run.role[rows][of]
    is_tab = role == Role.TAB
    # tabs are cut through in thought: they are counted, not measured
    low = (np.maximum(points[:-1, 2], points[1:, 2]) <= through) | (is_tab[1:] & _last_pass(run.pass_no[rows][of])[1:])
    low &= _last_pass(run.pass_no[rows][of])[1:]  # passes before it went the same way
    if not low.any():
        return None
    lines = shapely.simplify(_runs(points, low), COARSE_MM)
    ground = shapely.buffer(lines, max(bit.radius - COARSE_MM, 0.01), quad_segs=4)
    return Slot(cut, bit, ground, _tab_middles(points, is_tab & _last_pass(run.pass_no[rows][of])))


def _last_pass(pass_no: np.ndarray) -> np.ndarray:
    return np.asarray(pass_no == pass_no.max())


def _runs(points: FloatArray, low: np.ndarray) -> MultiLineString:
    """Lines along consecutive low moves."""
    edges = np.flatnonzero(np.diff(np.concatenate(([0], low.astype(np.int8), [0]))))
    lines = []
    for a, b in zip(edges[0::2], edges[1::2], strict=True):
        run = points[a : b + 1, :2]
        if np.ptp(run, axis=0).max() < 1e-9:  # a plunge on the spot still makes a hole
            run = np.vstack((run[0], run[0] + 1e-6))
        lines.append(shapely.linestrings(run))
    return MultiLineString(lines)


def _tab_middles(points: FloatArray, is_tab: np.ndarray) -> FloatArray:
    """The middle of every tab (n, 2). The last pass goes over the stretch of its ramp a second time, and over part of a tab there: what
    lies on the same stretch is one tab."""
    edges = np.flatnonzero(np.diff(np.concatenate(([0], is_tab.astype(np.int8), [0]))))
    lines = [shapely.linestrings(points[max(a - 1, 0) : b, :2]) for a, b in zip(edges[0::2], edges[1::2], strict=True)]
    tabs = shapely.get_parts(shapely.union_all([shapely.buffer(line, SAME_TAB_MM / 2) for line in lines]))
    middles = []
    for tab in tabs:
        longest = max((line for line in lines if tab.intersects(line)), key=lambda line: float(line.length))
        middles.append(shapely.get_coordinates(longest.interpolate(0.5, normalized=True))[0])
    return np.array(middles).reshape(-1, 2)


def _is_held(piece: Polygon, whole: Region, fixtures: list[Polygon]) -> bool:
    """Under a clamp; or, where no clamps are drawn, at the sheet's edge."""
    if fixtures:
        return any(piece.intersects(f) for f in fixtures)
    if piece.distance(whole.boundary) > 0.01:
        return False
    return float(shapely.length(shapely.intersection(piece.exterior, shapely.buffer(whole.boundary, 0.01)))) > EDGE_MM


def tabs_too_thick(given: CheckInput) -> Iterator[Finding]:
    """Tabs as thick as the sheet, which leave nothing cut there."""
    for work in given.resolved():
        cut, tabs = work.cut, work.cut.bridges
        if tabs is None or not tabs.is_wanted or not cut.is_through(work.sheet):
            continue
        if tabs.thickness >= work.sheet.thinnest:
            yield Finding(
                "tab-thick", Severity.CAUTION,
                f"The tabs of '{cut.name}' are {mm(tabs.thickness)} thick, as thick as the sheet.",
                mend="Make them thinner.", subject=cut.id,
            )  # fmt: skip
