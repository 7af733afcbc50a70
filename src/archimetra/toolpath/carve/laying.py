"""Laying the moves of a carving: trails of strokes whose depth changes along them, rows on a floor, plunges."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from archimetra.geometry.arcfit import fit_arcs
from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.clearances import Piece
from archimetra.toolpath.carve.route import Ways
from archimetra.toolpath.carve_depths import carve_depths_of
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.linking import CLEAR_SLACK_MM
from archimetra.toolpath.shared.move_builder import MoveBuilder
from archimetra.toolpath.shared.moves import Move, Role
from archimetra.toolpath.shared.track import Track

_RAPID_MM_S, _RAPID_Z_MM_S = 70.0, 20.0
_ARC_FROM = 5  # points of a level stretch from which arcs are looked for
_SAME_MM = 1e-6


class CarveLayer:
    """Lays through the common ``MoveBuilder``."""

    def __init__(self, builder: MoveBuilder, work: ResolvedCut) -> None:
        self._builder = builder
        carving = carve_depths_of(work.cut, work.bit, work.sheet)  # type: ignore[arg-type]
        self._fit = max(carving.simplify_mm, 2 * carving.chord_mm)
        self._links = 2.5 * work.bit.diameter
        high = builder.retract + min(carving.floor_depth, 3.0)
        self.lift_s = 0.3 + 2 * high / _RAPID_Z_MM_S + 1.0 / max(builder.plunge / 60, 0.1)

    def trails(self, lines: Sequence[FloatArray], found: Ways, pass_no: int, *, before: float) -> None:
        """Strokes (x, y, z), trail by trail; ``before`` is the height of the pass before, which has opened the wood down to there."""
        for trail in found.trails:
            points = np.vstack([lines[k][::-1] if back else lines[k] for k, back in trail.strokes])
            self._begin(points[0], before, pass_no)
            self._along(points[1:], pass_no)

    def rows(self, rows: Sequence[FloatArray], z: float, piece: Piece, *, reach: float, pass_no: int) -> None:
        """Rows at one depth, the nearest end first; on from one to the next at depth wherever the way there is clear."""
        if not len(rows):
            return
        begins = np.array([row[0] for row in rows])
        ends = np.array([row[-1] for row in rows])
        left = np.ones(len(rows), dtype=bool)
        builder = self._builder
        here = np.array(builder.at[:2]) if not builder.moves.is_empty else begins[0]
        for _ in range(len(rows)):
            to_begin = np.where(left, np.hypot(*(begins - here).T), np.inf)
            to_end = np.where(left, np.hypot(*(ends - here).T), np.inf)
            k, back = int(np.argmin(to_begin)), False
            if to_end.min() < to_begin[k]:
                k, back = int(np.argmin(to_end)), True
            left[k] = False
            row = rows[k][::-1] if back else rows[k]
            self._go_to_row(row[0], z, piece, reach, pass_no)
            self._along(np.column_stack((row[1:], np.full(len(row) - 1, z))), pass_no)
            here = row[-1]

    def plunge(self, x: float, y: float, z: float, *, pass_no: int) -> None:
        self._builder.arrive(x, y)
        self._builder.down(z, pass_no=pass_no)

    # ---- inner workings

    def _begin(self, at: FloatArray, before: float, pass_no: int) -> None:
        """To where a stretch begins; down through what the pass before, to the height ``before``, has opened at the full feed."""
        builder = self._builder
        x, y, z = (float(v) for v in at)
        if not builder.moves.is_empty:
            ax, ay, az = builder.at
            if abs(ax - x) + abs(ay - y) < _SAME_MM and az < builder.retract - 1e-6:
                builder.down(z, pass_no=pass_no)
                return
        builder.arrive(x, y)
        if pass_no > 1:
            builder.down(max(z, before), pass_no=pass_no, is_open=True)
        builder.down(z, pass_no=pass_no)

    def _go_to_row(self, to: FloatArray, z: float, piece: Piece, reach: float, pass_no: int) -> None:
        builder = self._builder
        x, y = float(to[0]), float(to[1])
        if not builder.moves.is_empty and abs(builder.at[2] - z) < 1e-9:
            here = np.array(builder.at[:2])
            far = float(np.hypot(*(here - to)))
            if far < self._links:
                gap = piece.gap(here, np.asarray(to), limit=reach + 1.0)
                if gap >= reach - CLEAR_SLACK_MM / 3:
                    builder.line(x, y, z, pass_no=pass_no)
                    return
        builder.arrive(x, y)
        builder.down(z, pass_no=pass_no)

    def _along(self, points: FloatArray, pass_no: int) -> None:
        """On through points (n, 3) from where the bit stands; level stretches as arcs where they are."""
        if not len(points):
            return
        here = np.array([self._builder.at])
        whole = np.vstack((here, points))
        moved = np.concatenate(([True], np.abs(np.diff(whole, axis=0)).sum(axis=1) > 1e-7))
        whole = whole[moved]
        if len(whole) < 2:
            return
        level = np.abs(np.diff(whole[:, 2])) < 1e-9
        edges = np.flatnonzero(np.diff(np.concatenate(([0], level.astype(np.int8), [0]))))
        done = 0
        for a, b in zip(edges[0::2], edges[1::2], strict=True):
            if b - a < _ARC_FROM:
                continue
            self._straight(whole[done : a + 1], pass_no)
            self._arcs(whole[a : b + 1], pass_no)
            done = b
        self._straight(whole[done:], pass_no)

    def _straight(self, points: FloatArray, pass_no: int) -> None:
        if len(points) < 2:
            return
        d = np.diff(points, axis=0)
        across, drop = np.hypot(d[:, 0], d[:, 1]), -d[:, 2]
        length = np.hypot(across, drop)
        feed = np.full(len(d), self._builder.feed)
        falling = drop > 1e-9
        feed[falling] = np.minimum(feed[falling], self._builder.plunge * length[falling] / drop[falling])
        n = len(d)
        self._builder.add(
            points[1:], np.full(n, Move.LINE, dtype=np.uint8), np.zeros((n, 2)), feed,
            np.full(n, Role.CUT, dtype=np.uint8), pass_no,
        )  # fmt: skip

    def _arcs(self, points: FloatArray, pass_no: int) -> None:
        track = Track(fit_arcs(points[:, :2], tolerance_mm=self._fit, closed=False))
        stations = np.concatenate(([0.0], track.nodes_between(0.0, track.length), [track.length]))
        at, kind, centre = track.moves(stations)
        n = len(at) - 1
        self._builder.add(
            np.column_stack((at[1:], np.full(n, points[0, 2]))), kind[1:], centre[1:], np.full(n, self._builder.feed),
            np.full(n, Role.CUT, dtype=np.uint8), pass_no,
        )  # fmt: skip
