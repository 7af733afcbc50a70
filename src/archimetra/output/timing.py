"""How long a run takes: acceleration, braking for corners, spindle starts and bit changes.

A corner of angle theta is passed at v^2 = a d sin(theta/2) / (1 - sin(theta/2)): the speed at which a circle
that leaves the corner by the deviation d just needs the acceleration a (theta: between the two directions, pi when
straight). Rapids run each axis at its own limit; a curve of radius r is taken at no more than sqrt(a r).
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from archimetra.geometry.arrays import FloatArray, frozen
from archimetra.job.ids import CutId
from archimetra.job.sheet import Machine
from archimetra.output.times import RunTimes
from archimetra.output.timing_kernels import trapezoid_times
from archimetra.toolpath.shared.moves import Move, arc_angles, move_lengths
from archimetra.toolpath.shared.program import Run, dwells


def time_run(run: Run, machine: Machine, *, waits: Mapping[CutId, float] | None = None) -> RunTimes:
    """Times of every move of the run on this machine; ``waits`` are seconds at the bottom of drilled holes, by cut."""
    n = len(run)
    pauses = dwells(run, waits) if waits else np.zeros(n)
    for number, block in enumerate(run.blocks):
        if block.changes_bit:
            pauses[block.first] += machine.bit_change_s
        if block.changes_bit or number == 0:
            pauses[block.first] += machine.spindle_start_s
    if n < 2:
        return RunTimes(frozen(np.cumsum(pauses)), frozen(pauses))
    length = move_lengths(run.xyz, run.kind, run.centre)
    begins, ends, radius = _directions(run)
    cruise = _cruise(run, machine, length, radius)
    acceleration = _limit(begins, machine.acceleration, machine.acceleration_z)
    joint = _joint_speeds(begins, ends, length, acceleration, cruise, machine.junction_deviation)
    joint[pauses > 0] = 0.0
    is_rapid = run.kind == Move.RAPID
    joint[1:][is_rapid[1:] != is_rapid[:-1]] = 0.0
    seconds = trapezoid_times(length, cruise, acceleration, joint)
    return RunTimes(frozen(np.cumsum(seconds + pauses)), frozen(pauses))


def _directions(run: Run) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Unit directions (n, 3) in which each move begins and ends, and its radius (inf for straight ones)."""
    d = np.zeros((len(run), 3))
    d[1:] = np.diff(run.xyz, axis=0)
    begins, ends = d.copy(), d.copy()
    radius = np.full(len(run), np.inf)
    rows = np.flatnonzero(run.kind >= Move.ARC_CW)
    rows = rows[rows > 0]
    if len(rows):
        p, q, c = run.xyz[rows - 1], run.xyz[rows], run.centre[rows]
        _, sweep = arc_angles(p, q, c, run.kind[rows])
        radius[rows] = np.hypot(*(p[:, :2] - c).T)
        turn = np.sign(sweep)
        rise = (q[:, 2] - p[:, 2]) / np.abs(sweep)
        for out, at in ((begins, p), (ends, q)):
            out[rows, 0] = -(at[:, 1] - c[:, 1]) * turn
            out[rows, 1] = (at[:, 0] - c[:, 0]) * turn
            out[rows, 2] = rise
    for out in (begins, ends):
        size = np.linalg.norm(out, axis=1)
        out /= np.where(size > 0, size, 1.0)[:, None]
    return begins, ends, radius


def _limit(direction: FloatArray, flat: float, vertical: float) -> FloatArray:
    """The largest value along a direction that keeps its flat and its vertical part within their limits."""
    across = np.hypot(direction[:, 0], direction[:, 1])
    up = np.abs(direction[:, 2])
    with np.errstate(divide="ignore"):
        return np.asarray(
            np.minimum(np.where(across > 0, flat / across, np.inf), np.where(up > 0, vertical / up, np.inf)).clip(
                max=1e9
            )
        )


def _cruise(run: Run, machine: Machine, length: FloatArray, radius: FloatArray) -> FloatArray:
    d = np.zeros((len(run), 3))
    d[1:] = np.diff(run.xyz, axis=0)
    d /= np.where(length > 0, length, 1.0)[:, None]
    rapid = _limit(d, machine.rapid_xy, machine.rapid_z)
    cut = np.minimum(np.maximum(run.feed, 1.0), machine.max_feed)
    speed = np.where(run.kind == Move.RAPID, rapid, cut) / 60
    return np.asarray(np.minimum(speed, np.sqrt(machine.acceleration * radius)))


def _joint_speeds(
    begins: FloatArray,
    ends: FloatArray,
    length: FloatArray,
    acceleration: FloatArray,
    cruise: FloatArray,
    deviation: float,
) -> FloatArray:
    """The speed (n,) with which each move may be begun, from the corner with the last move that went anywhere."""
    n = len(length)
    moving = np.flatnonzero(length > 0)
    joint = np.zeros(n)
    if len(moving) < 2:
        return joint
    before, after = moving[:-1], moving[1:]
    cosine = np.clip((ends[before] * begins[after]).sum(axis=1), -1.0, 1.0)
    half = np.sqrt((1 + cosine) / 2)  # sin(theta / 2), theta = pi - turn
    with np.errstate(divide="ignore"):
        corner = np.sqrt(np.minimum(acceleration[before], acceleration[after]) * deviation * half / (1 - half))
    joint[after] = np.minimum(np.minimum(corner, cruise[before]), cruise[after])
    # a move of no length hands the speed on
    still = np.flatnonzero(length <= 0)
    if len(still):
        following = np.searchsorted(moving, still)
        known = following < len(moving)
        joint[still[known]] = joint[moving[following[known]]]
    return joint
