"""Which moves of a run are a line of G-code each, and the whole numbers those lines say: worked out for all of them at once."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from archimetra.geometry.arrays import BoolArray, ByteArray, FloatArray, IntArray
from archimetra.output.controllers import Arcs, Controller
from archimetra.toolpath.shared.moves import Move, Role, arc_angles
from archimetra.toolpath.shared.program import Run

SHORTEST_ARC_MM = 0.05  # below this an arc and its chord differ by less than rounding
RADIUS_AGREEMENT_MM = 0.002
WIDEST_ARC = 3.2  # radians, a hair over half a circle; wider ones are written in parts


class Steps(NamedTuple):
    """How places become whole numbers: shifted by ``shift`` (3,) mm, in units of ``per_unit`` mm, each in so many ``scale`` steps."""

    shift: FloatArray
    per_unit: float
    scale: int

    def places(self, xyz: FloatArray) -> IntArray:
        """(n, 3)."""
        out: IntArray = np.rint((xyz + self.shift) / self.per_unit * self.scale).astype(np.int64)
        return out


class PlainMoves(NamedTuple):
    """Of every row its G number, its end (n, 3) in steps, I and J (n, 2) reckoned from where the row before ends, and whether it is a line of its
    own."""

    codes: ByteArray
    places: IntArray
    offsets: IntArray
    is_plain: BoolArray


def plain_moves(run: Run, waits: FloatArray, steps: Steps, profile: Controller) -> PlainMoves:
    """``waits`` (n,) are seconds the bit stands before each row."""
    places = steps.places(run.xyz)
    codes = np.where(run.kind == Move.RAPID, 0, 1).astype(np.uint8)
    offsets = np.zeros((len(run), 2), dtype=np.int64)
    plain = waits <= 0
    if profile.has_drill_cycles:
        plain &= run.role != Role.DRILL
    radii, sweeps = arcs_of(run)
    rows = np.flatnonzero((run.kind >= Move.ARC_CW) & (radii * np.abs(sweeps) >= SHORTEST_ARC_MM))
    rows = rows[rows > 0]
    if len(rows):
        ij, fits = offsets_about(places[rows - 1, :2], places[rows, :2], run.centre[rows], steps, profile)
        fits &= np.abs(sweeps[rows]) <= WIDEST_ARC
        offsets[rows], plain[rows] = ij, plain[rows] & fits
        codes[rows] = np.where(run.kind[rows] == Move.ARC_CW, 2, 3)
    return PlainMoves(codes, places, offsets, plain)


def offsets_about(
    begin: IntArray, end: IntArray, centre: FloatArray, steps: Steps, profile: Controller
) -> tuple[IntArray, BoolArray]:
    """I and J (n, 2) of arcs between rounded places (n, 2) about ``centre`` (n, 2), and whether the control would take them: the centre is moved
    onto the perpendicular bisector of the rounded ends first."""
    a, b = begin.astype(np.float64), end.astype(np.float64)
    c = (centre + steps.shift[:2]) / steps.per_unit * steps.scale
    chord = np.hypot(*(b - a).T)
    unit = np.divide(b - a, chord[:, None], out=np.zeros_like(a), where=chord[:, None] > 0)
    middle = (a + b) / 2
    away = (c[:, 1] - middle[:, 1]) * unit[:, 0] - (c[:, 0] - middle[:, 0]) * unit[:, 1]
    ij = np.rint(middle + away[:, None] * np.column_stack((-unit[:, 1], unit[:, 0])) - a)
    per_mm = steps.per_unit / steps.scale
    mismatch = np.abs(np.hypot(*ij.T) - np.hypot(*(a + ij - b).T)) * per_mm
    radius = np.hypot(*(a - c).T) * per_mm
    fits = (chord > 0) & (radius <= profile.longest_arc_radius) & (mismatch <= RADIUS_AGREEMENT_MM)
    return ij.astype(np.int64), fits & (profile.arcs is not Arcs.NONE)


def arcs_of(run: Run) -> tuple[FloatArray, FloatArray]:
    """Radius and signed sweep of every row (n,) that is an arc, 0 for others."""
    radii, sweeps = np.zeros(len(run)), np.zeros(len(run))
    rows = np.flatnonzero(run.kind >= Move.ARC_CW)
    rows = rows[rows > 0]
    if len(rows):
        begin, centre = run.xyz[rows - 1], run.centre[rows]
        radii[rows] = np.hypot(*(begin[:, :2] - centre).T)
        sweeps[rows] = arc_angles(begin, run.xyz[rows], centre, run.kind[rows])[1]
    return radii, sweeps
