"""The strokes of a piece of a V-carve: along its medial axis between the narrowest the tip enters and where the limit begins, and along
the rim of the floor there."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import shapely

from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.clearances import Piece
from archimetra.geometry.skeleton import Skeleton
from archimetra.job.bits import BitKind
from archimetra.toolpath.carve_depths import CarveDepths

_TOUCH_MM = 0.002
_LEVEL_MM = 0.1  # so long a stretch is no stroke that just passes the limit
_ON_RIM_MM = 0.02


class Strokes(NamedTuple):
    """``lines`` (n, 3): x, y and the clearance there, mm; ``spots`` (n, 3) are lone places. ``widest`` is the greatest clearance of the piece."""

    lines: list[FloatArray]
    spots: FloatArray
    widest: float
    has_floor: bool

    def placed(self, carving: CarveDepths) -> list[FloatArray]:
        """The lines with the z of the tip in place of the clearance."""
        return [np.column_stack((line[:, :2], -carving.depths(line[:, 2]))) for line in self.lines]


def strokes_of(piece: Piece, carving: CarveDepths) -> Strokes | None:
    """What the bit goes along in a piece; None where it is too narrow for it all over."""
    c = carving
    deepest = piece.deepest()
    widest = deepest.clearance if deepest is not None else 0.0
    if widest <= max(c.narrowest, 1e-4):
        return None
    has_floor = widest > c.reach + _TOUCH_MM
    # without a floor strokes that are a hair wider than the limit asks are strokes all the same, at the limit's depth
    skeleton = axis_of(piece, c, c.narrowest, c.reach if has_floor else np.inf)
    rims = [path.flatten(c.simplify_mm) for path in piece.offsets(c.reach)] if has_floor else []
    lines = [line for line in skeleton.strokes() if len(line) > 1]
    if has_floor:
        lines += _level_strokes(piece, c)
    if rims:
        lines = _onto_rims(lines, rims, c.reach)
        rims = _split_rims(rims, lines, c.reach)
        lines += [np.column_stack((ring, np.full(len(ring), c.reach))) for ring in rims]
    return Strokes(lines, skeleton.spots, widest, has_floor)


def axis_of(piece: Piece, carving: CarveDepths, low: float, high: float) -> Skeleton:
    """The medial axis where the clearance lies between two values, with points as close as the bit's form asks."""
    c = carving
    found = piece.skeleton(
        residual_mm=c.residual_mm, chord_tolerance_mm=c.chord_mm, low=low, high=high, simplify_mm=c.simplify_mm
    )
    return found if c.bit.kind is BitKind.VEE else _denser(found, 0.02)


def _level_strokes(piece: Piece, carving: CarveDepths) -> list[FloatArray]:
    """Strokes that are for some way as wide as the limit asks, to a hair: no rim need be there, since their floor has no width."""
    reach = carving.reach
    lines = axis_of(piece, carving, reach, reach + _TOUCH_MM).strokes()
    found = [line for line in lines if len(line) > 1 and np.hypot(*np.diff(line[:, :2], axis=0).T).sum() > _LEVEL_MM]
    return [np.column_stack((line[:, :2], np.full(len(line), reach))) for line in found]


def _onto_rims(lines: list[FloatArray], rims: list[FloatArray], reach: float) -> list[FloatArray]:
    """Strokes whose ends at the limit are put onto the rims' own points there: the two were worked out apart."""
    ends = [(k, end) for k, line in enumerate(lines) for end in (0, -1) if abs(line[end, 2] - reach) < 1e-6]
    if not ends:
        return lines
    nodes = np.vstack(rims)
    places = shapely.points(np.array([lines[k][end, :2] for k, end in ends]))
    nearest, gaps = shapely.STRtree(shapely.points(nodes)).query_nearest(
        places, return_distance=True, all_matches=False
    )
    out = list(lines)
    for which, node, gap in zip(nearest[0], nearest[1], gaps, strict=True):
        k, end = ends[which]
        if gap < _ON_RIM_MM:
            out[k] = out[k].copy()
            out[k][end, :2] = nodes[node]
    return out


def _split_rims(rims: list[FloatArray], lines: list[FloatArray], reach: float) -> list[FloatArray]:
    """Rims cut at the points where strokes end on them."""
    at_reach = [line[end, :2] for line in lines for end in (0, -1) if abs(line[end, 2] - reach) < 1e-6]
    marks = {(round(float(x), 7), round(float(y), 7)) for x, y in at_reach}
    out = []
    for ring in rims:
        cuts = [k for k, (x, y) in enumerate(ring[:-1]) if (round(float(x), 7), round(float(y), 7)) in marks]
        if not cuts:
            out.append(ring)
            continue
        turned = np.vstack((ring[cuts[0] : -1], ring[: cuts[0] + 1]))
        stops = [k - cuts[0] for k in cuts] + [len(turned) - 1]
        out.extend(turned[a : b + 1] for a, b in zip(stops[:-1], stops[1:], strict=True) if b > a)
    return out


def _denser(skeleton: Skeleton, step: float) -> Skeleton:
    """With points so close that depth, curved for round tips, may be taken as linear between them."""
    lines = []
    for line in skeleton.strokes():
        rise = np.abs(np.diff(line[:, 2]))
        counts = np.maximum(1, np.ceil(rise / step)).astype(int)
        if len(line) < 2 or counts.max() == 1:
            lines.append(line)
            continue
        t = np.concatenate([k + np.arange(n) / n for k, n in enumerate(counts)] + [[len(line) - 1.0]])
        lines.append(np.column_stack([np.interp(t, np.arange(len(line)), line[:, d]) for d in range(3)]))
    if not lines:
        return skeleton
    first = np.concatenate(([0], np.cumsum([len(line) for line in lines])))
    return Skeleton(np.vstack(lines), first, skeleton.spots)
