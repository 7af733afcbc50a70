"""Profile: along outlines, outside, inside or on the line, in passes, with tabs and ramps.

Stages: contours beside the outlines (``contours``), their running order (``order``), and for each a start
point, tabs (``tabs``) and passes (``passes``). A bit goes down only at its plunge feed or along a ramp, never by a rapid
below the sheet's top plus the hop height.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from archimetra.base.findings import Finding, Severity
from archimetra.geometry.arrays import FloatArray
from archimetra.job.bits import Bit, Recipe
from archimetra.job.cuts import Entry, ProfileCut
from archimetra.job.job import Board
from archimetra.job.shapes import Shape
from archimetra.toolpath.contours import Contour, Contours, contours_of
from archimetra.toolpath.moves import Move, MoveList, Role, Toolpath
from archimetra.toolpath.order import inside_first
from archimetra.toolpath.passes import lay_pass, pass_depths, plunge_to, ramp_length
from archimetra.toolpath.tabs import CORNER_DEGREES, tab_spans
from archimetra.toolpath.track import Track, nearest_on_ring, ring_distance

Progress = Callable[[float], None]  # share done, 0 to 1; raises CancelledError to stop


def plan_profile(
    shapes: Sequence[Shape], cut: ProfileCut, bit: Bit, board: Board, progress: Progress = lambda share: None
) -> tuple[Toolpath, tuple[Finding, ...]]:
    """The toolpath of one profile and what to know about it. Deterministic; only the progress callback may raise."""
    findings = list(_refusals(shapes, cut))
    moves = MoveList()
    if not findings:
        found = contours_of(shapes, cut, bit)
        progress(0.5)
        findings.extend(found.findings)
        lay = _Layer(moves, cut, bit, board)
        for number, contour in enumerate(_in_order(found)):
            progress(0.5 + 0.5 * number / max(1, len(found.contours)))
            lay.contour(contour)
        findings.extend(lay.findings)
    return moves.toolpath(cut.id, bit.id), tuple(findings)


def _refusals(shapes: Sequence[Shape], cut: ProfileCut) -> list[Finding]:
    """Settings with which there is nothing to plan. What may still be cut, but unwisely, is for ``checks``."""
    if not shapes:
        return [
            Finding(
                "no-shapes", Severity.CAUTION, f"'{cut.name}' has no shapes and cuts nothing.",
                fix="Pick shapes on the plan and give them to the cut.", subject=cut.id,
            )
        ]  # fmt: skip
    if not cut.goes_through and cut.end_depth <= 0:
        return [
            Finding(
                "depth-zero", Severity.STOP, f"The end depth of '{cut.name}' is still zero; it cuts nothing.",
                fix="Enter an end depth, or let it go through.", subject=cut.id,
            )
        ]  # fmt: skip
    return []


def _in_order(found: Contours) -> list[Contour]:
    if not found.contours:
        return []
    starts = np.array([contour.at for contour in found.contours])
    return [found.contours[i] for i in inside_first(starts, found.parent)]


class _Layer:
    """Lays the passes of one contour after the other."""

    def __init__(self, moves: MoveList, cut: ProfileCut, bit: Bit, board: Board) -> None:
        self._moves = moves
        self._cut = cut
        self._bit = bit
        self._recipe: Recipe = cut.recipe(bit)
        self._hop = board.heights.hop
        self._depths = pass_depths(cut.start_depth, cut.depth(board.sheet), self._recipe.depth_per_pass)
        self._has_tabs = cut.tabs.count > 0 and cut.is_through(board.sheet)
        self._tab_top = cut.tabs.thickness - board.sheet.thinnest
        self.findings: list[Finding] = []
        if cut.start_depth >= cut.depth(board.sheet):
            self._depths = np.zeros(0)
            self.findings.append(
                Finding(
                    "depth-order", Severity.STOP,
                    f"'{cut.name}' starts at {cut.start_depth:g} mm and ends at {cut.depth(board.sheet):g} mm; it cuts nothing.",
                    fix="Make the end depth the greater one.", subject=cut.id,
                )
            )  # fmt: skip

    def contour(self, contour: Contour) -> None:
        if not len(self._depths):
            return
        if contour.path is None:
            self._plunges(contour.at)
            return
        track = Track(contour.path)
        if not len(track):
            return
        if contour.path.closed:
            self._closed(track)
        else:
            self._open(track)

    def _plunges(self, at: tuple[float, float]) -> None:
        """A hole of the bit's own size: down in steps, up between them to clear the chips."""
        self._arrive(at)
        for number, depth in enumerate(self._depths, 1):
            plunge_to(self._moves, at, -float(depth), feed=self._recipe.plunge, pass_no=number)
            plunge_to(self._moves, at, min(-self._cut.start_depth, 0.0) + 0.5, feed=self._recipe.feed, pass_no=number)
        self._leave()

    def _closed(self, track: Track) -> None:
        tabs = np.zeros((0, 2))
        if self._has_tabs:
            placed = tab_spans(track, self._cut.tabs, bit_diameter=self._bit.diameter)
            tabs = placed.spans
            self._tell_tabs(track, len(tabs), placed.near_corner)
        a = start_station(track, tabs, bit_diameter=self._bit.diameter)
        at = self._point(track, a)
        self._arrive(at)
        z = 0.0 - self._cut.start_depth
        self._to_start(at, z)
        for number, depth in enumerate(self._depths, 1):
            z_to = -float(depth)
            ramp = self._ramp(z - z_to)
            b = a + ramp + track.length
            self._lay(track, a, b, z, z_to, ramp, tabs, number)
            a, z = b, z_to
        self._leave()

    def _open(self, track: Track) -> None:
        """To and fro: each pass begins where the last one ended, and the ramp's slope is cut away by going back over it."""
        a, z = 0.0, 0.0 - self._cut.start_depth
        at = self._point(track, a)
        self._arrive(at)
        self._to_start(at, z)
        for number, depth in enumerate(self._depths, 1):
            z_to = -float(depth)
            ramp = self._ramp(z - z_to)
            end = np.ceil((a + ramp) / track.length - 1e-9) * track.length if ramp else a + track.length
            if ramp:
                end = max(end, a + track.length) + track.length  # on to the end, then back over the slope
            self._lay(track, a, float(end), z, z_to, ramp, np.zeros((0, 2)), number)
            a, z = float(end), z_to
        self._leave()

    def _lay(
        self, track: Track, a: float, b: float, z: float, z_to: float, ramp: float, tabs: FloatArray, number: int
    ) -> None:
        lay_pass(
            self._moves, track, a=a, b=b, z_from=z, z_to=z_to, ramp=ramp, tabs=tabs, tab_top=self._tab_top,
            feed=self._recipe.feed, plunge=self._recipe.plunge, pass_no=number,
        )  # fmt: skip

    def _ramp(self, drop: float) -> float:
        return ramp_length(drop, self._cut.ramp_degrees) if self._cut.entry is Entry.RAMP else 0.0

    def _arrive(self, at: tuple[float, float]) -> None:
        self._moves.add_point((*at, self._hop), kind=Move.RAPID)

    def _to_start(self, at: tuple[float, float], z: float) -> None:
        """Down to where the passes begin: never by a rapid, whatever was cut there before."""
        plunge_to(self._moves, at, z, feed=self._recipe.plunge, pass_no=1)

    def _leave(self) -> None:
        """Straight up from the very place the bit stands at: worked out anew it might round to another."""
        at = self._moves.last[:2]
        self._moves.add_point((*at, self._hop), kind=Move.RAPID, role=Role.LINK)

    def _point(self, track: Track, station: float) -> tuple[float, float]:
        x, y = track.points(np.array([station]))[0]
        return float(x), float(y)

    def _tell_tabs(self, track: Track, placed: int, near: int) -> None:
        asked = self._cut.tabs.count
        at = self._point(track, 0.0)
        if placed < asked:
            self.findings.append(
                Finding(
                    "tabs-few", Severity.CAUTION,
                    f"Only {placed} of {asked} tabs fit on an outline of {track.length:.0f} mm in '{self._cut.name}'.",
                    fix="Make the tabs shorter or fewer, or hold the part with tape.", at=at, subject=self._cut.id,
                )
            )  # fmt: skip
        elif near:
            self.findings.append(
                Finding(
                    "tabs-corner", Severity.NOTE,
                    f"{near} tab{'' if near == 1 else 's'} of '{self._cut.name}' could not be kept "
                    f"{self._cut.tabs.corner_distance:g} mm off corners.",
                    at=at, subject=self._cut.id,
                )
            )  # fmt: skip


def start_station(track: Track, tabs: FloatArray, *, bit_diameter: float) -> float:
    """Where a closed contour begins: the middle of its longest straight stretch clear of tabs and corners,
    otherwise the place farthest from both.

    A start mark shows least on a straight edge and can be sanded there.
    """
    candidates = np.linspace(0.0, track.length, 240, endpoint=False)
    straight = track.straight_stretches()
    if len(straight):
        longest = straight[np.argsort(straight[:, 0] - straight[:, 1])][:12]
        middles = longest.mean(axis=1)
        candidates = np.concatenate((middles, candidates))
    corners = track.corners(sharper_than_degrees=CORNER_DEGREES, tighter_than_mm=bit_diameter * 0.8)
    room = nearest_on_ring(candidates, corners, track.length)
    for low, high in tabs:
        inside = ring_distance(candidates, float(low + high) / 2, track.length) - (high - low) / 2
        room = np.minimum(room, inside)
    on_straight = np.zeros(len(candidates))
    if len(straight):
        last = np.maximum(np.searchsorted(straight[:, 0], candidates, side="left") - 1, 0)  # they rise, none overlap
        begins, ends = straight[last].T
        on_straight = np.where((candidates > begins) & (candidates < ends), ends - begins, 0.0)
    score = np.minimum(on_straight, track.length / 4) + 2 * np.minimum(room, 5 * bit_diameter)
    return float(candidates[int(np.argmax(score))])
