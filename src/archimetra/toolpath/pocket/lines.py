"""The lines a pocket is cleared along: loops around, or rows across, and strokes where neither comes."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import shapely

from archimetra.geometry.arrays import FloatArray
from archimetra.job.cut_parts import Pattern
from archimetra.job.cuts.pocket import PocketCut
from archimetra.toolpath.pocket.area import PocketArea
from archimetra.toolpath.pocket.measures import Measures, cut_by_ball
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.clearing import (
    INNER_FIT_MM,
    Node,
    covering_strokes,
    every_loop,
    fitting_strokes,
    gap_to,
    loop_tree,
)
from archimetra.toolpath.shared.order import inside_first


class Lines(NamedTuple):
    """``roots`` are the loops of each connected piece, the outermost above those inside it (of rows the outermost alone); ``walls`` those
    of the finishing pass; ``fitting`` runs (n, 2) along stretches just as wide as the bit, ``covering`` along what lies between loops."""

    roots: list[Node]
    walls: list[Node]
    fitting: list[FloatArray]
    covering: list[FloatArray]
    step: float
    are_rows: bool


def lines_of(work: ResolvedCut, cut: PocketCut, area: PocketArea, m: Measures) -> Lines:
    # curve chords take a hair off what two loops cover together
    step = m.step - 2 * INNER_FIT_MM if m.step > 0.2 else m.step
    cover = work.bit.radius
    if cut_by_ball(cut, work.bit):
        # ridges are no higher than asked where every place is within half the step of a line: also where loops meet
        cover, step = m.step / 2, 0.96 * m.step
    are_rows = cut.pattern is Pattern.RASTER and work.previous_bit is None
    roots = loop_tree(
        area.clearance, first=m.first, step=step if not are_rows else 1e6, turn=not m.keeps_right,
        wall_fit_mm=area.wall_fit_mm,
    )  # fmt: skip
    # where a floor is just as wide as the bit, a hair too narrow would cut into its slopes: that is the carving bit's
    fitting = fitting_strokes(area.clearance, radius=m.first) if area.inset == 0 else []
    walls: list[Node] = []
    if cut.wall_allowance > 0:
        # the finishing pass goes where the ones before it found no room for its allowance, too
        walls = loop_tree(area.clearance, first=m.wall, step=1e6, turn=not m.keeps_right)
        if area.inset == 0:
            fitting += fitting_strokes(area.clearance, radius=m.wall)
    covering: list[FloatArray] = []
    if not are_rows and work.previous_bit is None:
        covering = covering_strokes(area.clearance, every_loop(roots), first=m.first, step=step, radius=cover)
    return Lines(roots, walls, fitting, covering, step, are_rows)


def nearest_first(roots: list[Node]) -> list[Node]:
    """Connected pieces along a short way."""
    if not roots:
        return []
    starts = np.array([root.loops[0].ring[0] for root in roots])
    return [roots[k] for k in inside_first(starts, np.full(len(roots), -1))]


def lines_in(root: Node, lines: list[FloatArray]) -> list[FloatArray]:
    """Those of the lines (n, 2) that lie in a connected piece."""
    return [line for line in lines if gap_to(root, shapely.points(line[len(line) // 2])) < 0.02]


def in_reach_order(strokes: list[FloatArray], at: tuple[float, float, float]) -> list[FloatArray]:
    """Strokes along a short way from a place, turned where that is shorter."""
    if len(strokes) < 2:
        return strokes
    starts, ends = np.array([s[0] for s in strokes]), np.array([s[-1] for s in strokes])
    order = inside_first(
        starts, np.full(len(strokes), -1), begin=at[:2], ends=ends, can_turn=np.ones(len(strokes), dtype=bool)
    )
    return [strokes[k] if k >= 0 else strokes[~k][::-1] for k in order]
