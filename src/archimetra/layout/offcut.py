"""What is left of a sheet when a board is cut, as a sheet to be used again."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np
import shapely
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from archimetra.geometry.arcfit import fit_arcs
from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.path import Path
from archimetra.geometry.region import Region, polygons_of
from archimetra.job.bits import Bit
from archimetra.job.footprints import enclosed_by
from archimetra.job.job import Board
from archimetra.toolpath.shared.moves import straightened
from archimetra.toolpath.shared.program import Run

NARROWEST_MM = 40.0
_AWAY_MM = 0.1  # how far the offcut's edge keeps from what was cut: its arcs may stray from it by less
_COARSE_MM = 0.02
_CORNER = 0.42  # of a disc's radius: so far is a square corner from a disc laid into it
_LEAST_SQUARES = 2.5  # as wide as the narrowest arm: smaller pieces are not worth keeping


class Offcut(msgspec.Struct, frozen=True, eq=False):
    """``region`` is what is left in one piece (board coordinates, mm), ``outline`` its edge and its openings as closed paths. ``share`` of the sheet's
    area it is. ``others`` are further pieces, not kept."""

    region: Polygon
    outline: tuple[Path, ...]
    share: float
    others: int


def offcut_of(board: Board, run: Run, bits: Sequence[Bit], *, narrowest: float = NARROWEST_MM) -> Offcut | None:
    """The largest piece of the sheet that nothing is cut into or out of, without arms narrower than ``narrowest`` mm; None where there is none. Facing
    is no cutting into: it leaves the piece thinner (``faced``)."""
    wood = board.sheet.region
    gone = shapely.union_all([_swept(board, run, bits), _cut_out(board)])
    left = shapely.difference(wood, gone.buffer(_AWAY_MM)) if not gone.is_empty else wood
    half = narrowest / 2
    broad = left.buffer(-half).buffer(half)  # where a disc that wide goes; it does not go into corners,
    broad = shapely.intersection(broad.buffer(_CORNER * half), left)  # which are given back
    pieces = [p for p in polygons_of(broad) if p.area >= _LEAST_SQUARES * narrowest**2]
    if not pieces:
        return None
    pieces.sort(key=lambda p: -p.area)
    region = shapely.orient_polygons(pieces[0].simplify(_COARSE_MM))
    rings = [shapely.get_coordinates(ring) for ring in (region.exterior, *region.interiors)]
    outline = tuple(fit_arcs(ring, tolerance_mm=_COARSE_MM, closed=True) for ring in rings)
    return Offcut(region, outline, float(region.area / wood.area), len(pieces) - 1)


def faced(board: Board) -> float:
    """How much the whole sheet is faced down, mm."""
    return max((cut.depth(board.sheet) for cut in board.cuts if cut.is_on and cut.takes_whole_sheet), default=0.0)


def _swept(board: Board, run: Run, bits: Sequence[Bit]) -> BaseGeometry:
    """The ground the bits run over below the sheet's top, facing of the whole sheet left out."""
    grounds: list[BaseGeometry] = []
    known = {bit.id: bit for bit in bits}
    for block in run.blocks:
        cut, bit = board.cut(block.cut), known.get(block.bit)
        if cut is None or bit is None or cut.takes_whole_sheet:
            continue
        rows = slice(block.first, block.last)
        points, _ = straightened(run.xyz[rows], run.kind[rows], run.centre[rows], chord_tolerance_mm=_COARSE_MM)
        low = (points[:-1, 2] < 0) | (points[1:, 2] < 0)
        if not low.any():
            continue
        ends = _once(np.stack((points[:-1, :2], points[1:, :2]), axis=1)[low])
        wide = bit.width_at(-float(points[:, 2].min())) / 2
        lines = shapely.get_parts(shapely.line_merge(shapely.multilinestrings(ends)))
        grounds.append(
            shapely.union_all(shapely.buffer(shapely.simplify(lines, _COARSE_MM), wide + _COARSE_MM, quad_segs=16))
        )
    ground: BaseGeometry = shapely.union_all(grounds)
    return ground


def _once(ends: FloatArray) -> FloatArray:
    """Stretches (n, 2, 2) each once, whichever way round and in however many passes they were cut."""
    rounded = np.round(ends, 3)
    is_back = (rounded[:, 0, 0] > rounded[:, 1, 0]) | (
        (rounded[:, 0, 0] == rounded[:, 1, 0]) & (rounded[:, 0, 1] > rounded[:, 1, 1])
    )
    rounded[is_back] = rounded[is_back][:, ::-1]
    return np.unique(rounded.reshape(-1, 4), axis=0).reshape(-1, 2, 2)


def _cut_out(board: Board) -> Region:
    """What the outlines of all cuts hold: parts, and the ground of pockets and carvings."""
    held = [
        area
        for cut in board.cuts
        if cut.is_on and not cut.takes_whole_sheet
        for area in enclosed_by(board.shapes_of(cut))
        if not area.is_empty
    ]
    area: Region = shapely.union_all(held)
    return area
