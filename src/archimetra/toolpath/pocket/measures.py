"""The numbers of a pocket: how near its passes come to the wall, their distance, their depths."""

from __future__ import annotations

from math import sqrt
from typing import NamedTuple

import numpy as np

from archimetra.geometry.arrays import FloatArray
from archimetra.job.bits import Bit, BitKind
from archimetra.job.cut_parts import Entry
from archimetra.job.cuts.pocket import PocketCut
from archimetra.toolpath.pocket.area import PocketArea
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.contours import walks_right
from archimetra.toolpath.shared.passes import pass_depths


class Measures(NamedTuple):
    """mm. ``wall`` is the clearance of the bit's centre at the finished wall, ``first`` before its allowance is off; ``step`` lies between
    neighbouring loops; ``slope`` is at how many degrees the bit goes down along a line, None where it goes straight down."""

    wall: float
    first: float
    step: float
    depths: FloatArray
    keeps_right: bool
    slope: float | None


def measures_of(work: ResolvedCut, cut: PocketCut, area: PocketArea) -> Measures:
    """The measures of a pocket: steps, tolerances and depths that all its stages read."""
    wall = area.inset + work.bit.radius
    plunges = cut.entry is Entry.PLUNGE and work.bit.can_plunge
    return Measures(
        wall=wall,
        first=wall + cut.wall_allowance,
        step=stepover(cut, work.bit, work.recipe.stepover),
        depths=pocket_depths(cut, work.depth, work.recipe.depth_per_pass),
        keeps_right=walks_right(cut.direction, work.bit),
        slope=None if plunges else cut.ramp_degrees,
    )


def cut_by_ball(cut: PocketCut, bit: Bit) -> bool:
    """Whether the height of the ridges a round tip leaves sets the stepover."""
    return cut.scallop > 0 and bit.kind in (BitKind.BALL, BitKind.TAPERED_BALL)


def stepover(cut: PocketCut, bit: Bit, share: float) -> float:
    """The distance of neighbouring loops, mm. A ball that leaves ridges h high steps s = 2 sqrt(2 r h - h^2)."""
    if cut_by_ball(cut, bit):
        r = bit.radius if bit.kind is BitKind.BALL else bit.tip_ball / 2
        h = min(cut.scallop, r)
        return min(2 * sqrt(2 * r * h - h * h), 0.95 * bit.diameter)
    return share * bit.diameter


def pocket_depths(cut: PocketCut, end: float, per_pass: float) -> FloatArray:
    """Depths of the passes: all the way down, the floor's allowance last, or the end depth alone."""
    if cut.floor_only:
        return np.array([end])
    rough = end - cut.floor_allowance
    if cut.floor_allowance <= 0 or rough <= cut.start_depth:
        return pass_depths(cut.start_depth, end, per_pass)
    return np.append(pass_depths(cut.start_depth, rough, per_pass), end)
