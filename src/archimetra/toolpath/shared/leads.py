"""Leads: how the bit comes to a contour and leaves it beside the kept wood, shortened where there is no room."""

from __future__ import annotations

from collections.abc import Callable

import msgspec
import numpy as np

from archimetra.geometry.arrays import BoolArray, FloatArray
from archimetra.job.cut_parts import Lead, LeadKind
from archimetra.toolpath.shared.move_builder import MoveBuilder
from archimetra.toolpath.shared.moves import Role

IsClear = Callable[[FloatArray], BoolArray]  # which points (n, 2) the bit's centre may stand at
_SHARES = (1.0, 0.7, 0.45, 0.25)
_SHORTEST = 0.3


class LeadPath(msgspec.Struct, frozen=True, eq=False):
    """From ``far`` to the contour at ``near`` (or back); an arc about ``centre`` where that is not None."""

    far: tuple[float, float]
    near: tuple[float, float]
    centre: tuple[float, float] | None
    turns_left: bool
    length: float
    is_in: bool


def fit_lead(
    lead: Lead, near: FloatArray, tangent: FloatArray, *, waste_on_left: bool, is_in: bool, is_clear: IsClear
) -> LeadPath | None:
    """The longest of some shares of the lead whose every point is clear; None where none fits or none is asked."""
    if lead.kind is LeadKind.NONE:
        return None
    side = np.array((-tangent[1], tangent[0])) * (1.0 if waste_on_left else -1.0)
    back = -tangent if is_in else tangent
    for share in _SHARES:
        length = lead.length * share
        if length < _SHORTEST:
            break
        if lead.kind is LeadKind.ARC:
            radius = length / (np.pi / 2)
            centre = near + side * radius
            far = centre + back * radius
            angles = np.linspace(0.0, np.pi / 2, 24)
            points = centre - side * radius * np.cos(angles)[:, None] + back * radius * np.sin(angles)[:, None]
            mid: tuple[float, float] | None = (float(centre[0]), float(centre[1]))
        else:
            far = near + (back + side) * length / np.sqrt(2.0)
            points = near + (far - near) * np.linspace(0.0, 1.0, 24)[:, None]
            mid = None
        if is_clear(points[1:]).all():
            return LeadPath(
                (float(far[0]), float(far[1])), (float(near[0]), float(near[1])), mid, waste_on_left, length, is_in
            )
    return None


def lay_lead(builder: MoveBuilder, lead: LeadPath, *, is_in: bool, pass_no: int, feed: float) -> None:
    """The moves of a lead at the height the bit stands at: from far to near, or from near to far."""
    z = builder.at[2]
    x, y = lead.near if is_in else lead.far
    if lead.centre is None:
        builder.line(x, y, z, pass_no=pass_no, feed=feed, role=Role.ENTRY if is_in else Role.CUT)
    else:
        # with the waste on the left the arc comes in and goes out turning left
        builder.arc(
            x, y, z, lead.centre, is_left=lead.turns_left, pass_no=pass_no, length=lead.length, feed=feed,
            role=Role.ENTRY if is_in else Role.CUT,
        )  # fmt: skip
