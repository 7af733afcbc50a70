"""Which tile cuts which chain: whole in one where the machine reaches all of it, else parted at the seams.

Two things bind the order of tiles: what counts on wood an earlier cut has taken away comes no earlier than that, and an outline that is cut
through comes no earlier than what lies inside it.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import shapely

from archimetra.job.setups import Box, Setup
from archimetra.layout.tiles.chains import Chain

PARTED = -1
REFUSED = -2
_ROUNDS = 6
_HAIR = 1e-6


class Needs(NamedTuple):
    """What the cut of a chain leaves to later ones (``opens``), whether it ``loosens`` what lies inside it, and whether it is a hole for a pin of
    a later setup: then ``tile`` is the one that makes it."""

    opens: bool
    loosens: bool
    tile: int | None = None


def assigned(chains: Sequence[Chain], needs: Sequence[Needs], setups: Sequence[Setup]) -> list[int]:
    """For each chain, in running order, the number of its tile, ``PARTED`` or ``REFUSED``."""
    return _Assigning(chains, needs, setups).done()


class _Assigning:
    def __init__(self, chains: Sequence[Chain], needs: Sequence[Needs], setups: Sequence[Setup]) -> None:
        self._chains, self._needs, self._setups = chains, needs, setups
        self._touching = [[t for t, s in enumerate(setups) if _meets(chain.box, s.cell)] for chain in chains]
        self._fits = [[t for t, s in enumerate(setups) if _inside(chain.box, s.reach)] for chain in chains]
        self._before = self._what_comes_before()
        self._latest = [len(setups)] * len(chains)

    def done(self) -> list[int]:
        out: list[int] = []
        for _ in range(_ROUNDS):
            out = []
            is_settled = True
            for k in range(len(self._chains)):
                out.append(self._tile_of(k, out))
                is_settled &= not (out[k] == PARTED and self._hold_back(k, out))
            if is_settled:
                break
        return out

    def _tile_of(self, k: int, out: Sequence[int]) -> int:
        chain, need = self._chains[k], self._needs[k]
        if need.tile is not None:
            return need.tile if need.tile in self._fits[k] else REFUSED
        least = max((self._done_by(e, k, out) for e in self._before[k]), default=0)
        fits = [t for t in self._fits[k] if least <= t <= self._latest[k]]
        here = [t for t in fits if t in self._touching[k]] or fits
        if here:
            if len(here) == 1:
                return here[0]
            shares = [_length_in(chain, self._setups[t].cell) for t in here]
            return here[int(np.argmax(np.round(shares, 6)))]
        return REFUSED if chain.stays_whole else PARTED

    def _done_by(self, e: int, k: int, out: Sequence[int]) -> int:
        """The tile by which chain e is cut as far as chain k meets it."""
        if out[e] >= 0:
            return out[e]
        around = _grown(self._chains[k].box, self._chains[k].radius)
        return max((t for t in self._touching[e] if _meets(around, self._setups[t].cell)), default=0)

    def _hold_back(self, k: int, out: Sequence[int]) -> bool:
        """Where a parted chain would come before what it counts on, have that come earlier; whether anything changed. An outline is freed in its last
        tile anyhow, and a hole that is made after a pocket about it does no harm."""
        changed = False
        for e in () if self._needs[k].loosens else self._before[k]:
            if out[e] < 0 or self._chains[e].stays_whole:
                continue
            around = _grown(self._chains[e].box, self._chains[e].radius)
            first = min((t for t in self._touching[k] if _meets(around, self._setups[t].cell)), default=out[e])
            if first < min(out[e], self._latest[e]):
                self._latest[e] = first
                changed = True
        return changed

    def _what_comes_before(self) -> list[list[int]]:
        """For each chain the earlier ones it must not come before."""
        chains = self._chains
        out: list[list[int]] = [[] for _ in chains]
        if not chains:
            return out
        hulls = [chain.hull for chain in chains]
        boxes = shapely.box(*np.array([_grown(chain.box, chain.radius) for chain in chains]).T)
        a, b = shapely.STRtree(boxes).query(boxes)
        for k, e in zip(a.tolist(), b.tolist(), strict=True):
            if e >= k:
                continue
            near = chains[e].radius + chains[k].radius
            is_other = chains[e].path != chains[k].path  # chains of one path do not meet
            overlaps = is_other and self._needs[e].opens and _are_near(chains[e], chains[k], near)
            if overlaps or (self._needs[k].loosens and shapely.covers(hulls[k], hulls[e])):
                out[k].append(e)
        return out


# by the objects themselves, held meanwhile
_near: OrderedDict[tuple[int, int], tuple[Chain, Chain, bool]] = OrderedDict()
_MOST_KEPT = 5000


def _are_near(a: Chain, b: Chain, distance: float) -> bool:
    """Whether two chains overlap as they are cut; kept, since moving a seam changes none."""
    found = _near.get((id(a), id(b)))
    if found is None:
        found = _near[id(a), id(b)] = a, b, bool(shapely.dwithin(a.lines, b.lines, distance))
        while len(_near) > _MOST_KEPT:
            _near.popitem(last=False)
    return found[2]


def _meets(box: Box, cell: Box) -> bool:
    return (box[0] < cell[2] - _HAIR and box[2] > cell[0] + _HAIR and box[1] < cell[3] - _HAIR and box[3] > cell[1] + _HAIR) or (
        _is_point(box) and cell[0] <= box[0] <= cell[2] and cell[1] <= box[1] <= cell[3]
    )  # fmt: skip


def _is_point(box: Box) -> bool:
    return box[2] - box[0] < 2 * _HAIR or box[3] - box[1] < 2 * _HAIR


def _inside(box: Box, reach: Box) -> bool:
    return (
        box[0] >= reach[0] - _HAIR
        and box[1] >= reach[1] - _HAIR
        and box[2] <= reach[2] + _HAIR
        and box[3] <= reach[3] + _HAIR
    )


def _grown(box: Box, by: float) -> Box:
    return box[0] - by, box[1] - by, box[2] + by, box[3] + by


def _length_in(chain: Chain, cell: Box) -> float:
    """How much of a chain lies in a cell, by the middles of its moves."""
    a, b = chain.segments[:, 0], chain.segments[:, 1]
    middle = (a + b) / 2
    inside = ((middle >= cell[:2]) & (middle <= cell[2:])).all(axis=1)
    return float((np.hypot(*(b - a).T) + 1e-3)[inside].sum())
