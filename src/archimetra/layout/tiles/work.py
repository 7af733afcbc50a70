"""The work of a board that is to be parted: its chains, and how far past a seam each of its steps has to be cut."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.region import EMPTY
from archimetra.job.cut_parts import Side
from archimetra.job.footprints import enclosed_by
from archimetra.job.ids import CutId
from archimetra.job.job import Board, Job
from archimetra.layout.tiles.chains import Chain, chains_of
from archimetra.layout.tiles.seams import Crossing
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.fixtures import growth_of_passes
from archimetra.toolpath.shared.moves import Toolpath


class Work:
    """``steps`` are the toolpaths in running order. ``growth`` (n,) of each says how much farther each of its moves keeps back from what is left out
    than its first pass does, ``beyond`` how far past a seam its last pass goes, mm."""

    def __init__(self, job: Job, board: Board, works: Mapping[CutId, ResolvedCut], steps: Sequence[Toolpath]) -> None:
        assert board.tiling is not None
        self.machine, self.board, self.tiling = job.machine, board, board.tiling
        self._works, self.steps = works, steps
        self.chains: list[Chain] = []
        for number, path in enumerate(steps):
            self.chains += chains_of(number, path, self.of_step(number).bit)
        self.growth: list[FloatArray] = []
        for number, path in enumerate(steps):
            work = self.of_step(number)
            self.growth.append(growth_of_passes(path, work.cut, work.bit, work.recipe.stepover))
        self.beyond = self._how_far_past()

    def of_step(self, number: int) -> ResolvedCut:
        return self._works[self.steps[number].cut]

    def of(self, chain: Chain) -> ResolvedCut:
        return self.of_step(chain.path)

    def first_beyond(self, number: int) -> float:
        """How far past a seam the first pass of a step goes."""
        return self.beyond[number] + float(self.growth[number].max(initial=0.0))

    def crossings(self) -> list[Crossing]:
        return [Crossing(chain, self.of(chain).cut.name, self.first_beyond(chain.path)) for chain in self.chains]

    @property
    def extent(self) -> tuple[tuple[float, float], tuple[float, float]]:
        """Where bits' centres go: along X, along Y."""
        low = np.min([chain.box[:2] for chain in self.chains], axis=0)
        high = np.max([chain.box[2:] for chain in self.chains], axis=0)
        return (float(low[0]), float(high[0])), (float(low[1]), float(high[1]))

    @property
    def widest_bit(self) -> float:
        return max(self.of_step(k).bit.diameter for k in range(len(self.steps)))

    def kept(self) -> BaseGeometry:
        """What is cut out as a part."""
        return self._enclosed(Side.OUTSIDE)

    def loose(self) -> BaseGeometry:
        """What falls out of openings."""
        return self._enclosed(Side.INSIDE)

    def _enclosed(self, side: Side) -> BaseGeometry:
        board = self.board
        shapes = [
            shape for cut in board.cuts if cut.is_on and cut.loosens is side and cut.is_through(board.sheet)
            for shape in board.shapes_of(cut)
        ]  # fmt: skip
        found: BaseGeometry = shapely.union_all(enclosed_by(shapes)) if shapes else EMPTY
        return found

    def _how_far_past(self) -> list[float]:
        """What opens the wood for a later step that meets it goes so much farther past a seam than that step that all of what it counts on is gone: by
        the radii of both bits."""
        boxes = [_box_of([c for c in self.chains if c.path == k]) for k in range(len(self.steps))]
        out = [self.tiling.overcut] * len(self.steps)
        for k in range(len(self.steps) - 1, -1, -1):
            cut = self.of_step(k).cut
            if cut.opening is None and not cut.lowers_face:
                continue
            for later in range(k + 1, len(self.steps)):
                if boxes[k].intersects(boxes[later]) and _counts_on(self.of_step(later), self.of_step(k)):
                    first = out[later] + float(self.growth[later].max(initial=0.0))
                    out[k] = max(out[k], first + self.of_step(later).bit.radius + self.of_step(k).bit.radius)
        return out


def _counts_on(later: ResolvedCut, earlier: ResolvedCut) -> bool:
    """Whether a cut begins below what another leaves."""
    if later.cut.clears is not None:
        return True
    if earlier.cut.lowers_face:
        return later.face > 0
    return later.cut.start_depth > 0 and any(prior.cut.id == earlier.cut.id for prior in later.prior)


def _box_of(chains: Sequence[Chain]) -> BaseGeometry:
    if not chains:
        return EMPTY
    boxes = np.array([chain.box for chain in chains])
    wide = max(chain.radius for chain in chains)
    box: BaseGeometry = shapely.box(*(boxes[:, :2].min(axis=0) - wide), *(boxes[:, 2:].max(axis=0) + wide))
    return box
