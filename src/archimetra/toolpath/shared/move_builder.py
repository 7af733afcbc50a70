"""Laying moves: how a bit comes to a place, goes down, and leaves. Every planner lays through this.

No rapid goes lower than ``ABOVE_MM`` over the face the cut starts at; from there the bit goes down at its plunge feed, or,
where this very cut has already opened the wood, at its feed.
"""

from __future__ import annotations

import numpy as np

from archimetra.geometry.arrays import ByteArray, FloatArray
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.moves import Move, MoveList, Role

ABOVE_MM = 1.0


class MoveBuilder:
    """Grows one toolpath."""

    def __init__(self, work: ResolvedCut) -> None:
        self.moves = MoveList()
        self.retract = work.retract
        self.feed, self.plunge = work.recipe.feed, work.recipe.plunge
        self._above = min(ABOVE_MM + work.face, work.retract)  # above the sheet as delivered, too

    @property
    def at(self) -> tuple[float, float, float]:
        return self.moves.last

    def arrive(self, x: float, y: float) -> None:
        """Over a place: at retract height, then down to just above the face, both by rapid."""
        if not self.moves.is_empty:
            self.leave()
        self.moves.add_point((x, y, self.retract), kind=Move.RAPID)
        if self._above < self.retract:
            self.moves.add_point((x, y, self._above), kind=Move.RAPID)

    def down(self, z: float, *, pass_no: int, is_open: bool = False, role: Role = Role.ENTRY) -> None:
        """Straight down (or up) on the spot; in wood this cut has opened before at the full feed."""
        x, y, z_now = self.at
        if abs(z - z_now) < 1e-9:
            return
        speed = self.feed if is_open or z > z_now else self.plunge
        self.moves.add_point((x, y, z), kind=Move.LINE, feed=speed, role=role, pass_no=pass_no)

    def line(
        self, x: float, y: float, z: float, *, pass_no: int, feed: float | None = None, role: Role = Role.CUT
    ) -> None:
        """A straight move at a feed; falling, no faster than lets its vertical part keep to the plunge feed."""
        x0, y0, z0 = self.at
        if abs(x - x0) + abs(y - y0) + abs(z - z0) < 1e-9:
            return
        speed = self.feed if feed is None else feed
        self.moves.add_point(
            (x, y, z), kind=Move.LINE, feed=sloped_feed((x - x0, y - y0), z0 - z, speed, self.plunge), role=role,
            pass_no=pass_no,
        )  # fmt: skip

    def arc(
        self, x: float, y: float, z: float, centre: tuple[float, float], *, is_left: bool, pass_no: int,
        length: float, feed: float | None = None, role: Role = Role.CUT,
    ) -> None:  # fmt: skip
        """An arc of this length in the plane, falling or rising along it."""
        drop = self.at[2] - z
        speed = sloped_feed((length, 0.0), drop, self.feed if feed is None else feed, self.plunge)
        self.add(
            np.array([[x, y, z]]), np.array([Move.ARC_CCW if is_left else Move.ARC_CW], dtype=np.uint8),
            np.array([centre], dtype=np.float64), np.array([speed]), np.array([role], dtype=np.uint8), pass_no,
        )  # fmt: skip

    def circle(
        self, centre: tuple[float, float], z: float, *, is_left: bool, pass_no: int, feed: float | None = None,
        role: Role = Role.CUT,
    ) -> None:  # fmt: skip
        """Once round from where the bit stands, in two halves (controls disagree about full circles), to height z."""
        x0, y0, z0 = self.at
        radius = float(np.hypot(x0 - centre[0], y0 - centre[1]))
        half = np.pi * radius
        self.arc(
            2 * centre[0] - x0, 2 * centre[1] - y0, (z0 + z) / 2, centre, is_left=is_left, pass_no=pass_no, length=half,
            feed=feed, role=role,
        )  # fmt: skip
        self.arc(x0, y0, z, centre, is_left=is_left, pass_no=pass_no, length=half, feed=feed, role=role)

    def add(
        self, xyz: FloatArray, kind: ByteArray, centre: FloatArray, feed: FloatArray, role: ByteArray, pass_no: int
    ) -> None:
        self.moves.add(xyz, kind, centre, feed, role, pass_no)

    def leave(self) -> None:
        """Straight up from the very place the bit stands at: worked out anew it might round to another."""
        if self.moves.is_empty:
            return
        x, y, z = self.at
        if z < self.retract:
            self.moves.add_point((x, y, self.retract), kind=Move.RAPID, role=Role.LINK)


def sloped_feed(across: tuple[float, float], drop: float, feed: float, plunge: float) -> float:
    """The feed along a move so that its vertical part stays within the plunge feed."""
    if drop <= 1e-9:
        return feed
    length = float(np.hypot(np.hypot(*across), drop))
    return min(feed, plunge * length / drop)
