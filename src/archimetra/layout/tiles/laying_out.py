"""Where tiles lie: as many as it takes, their seams, and what is wrong with those."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from archimetra.base.findings import Finding
from archimetra.job.setups import Setup, TileBy
from archimetra.layout.tiles import told
from archimetra.layout.tiles.answer import Seam
from archimetra.layout.tiles.grid import EDGE_MM, Span, span_of
from archimetra.layout.tiles.seams import past_seam, placed
from archimetra.layout.tiles.setups import half_turn_setups, tile_setups, travel_on_board
from archimetra.layout.tiles.work import Work

replace = msgspec.structs.replace
_ROUNDS = 4
_PIN_ROOM_MM = 4.0  # more than a pin's hole that two reaches share


class LaidOut:
    """The setups of a board that is parted, its seams, and what was found."""

    def __init__(self, work: Work) -> None:
        self._work = work
        self.findings: list[Finding] = []
        self._travel = travel_on_board(work.board, work.machine)
        self._crossings = work.crossings()
        (lx, hx), (ly, hy) = work.extent
        self._long = int(hy - ly > hx - lx)
        by = work.tiling.by
        self.setups, self.seams = self._halves() if by is TileBy.HALF_TURN else self._grid(is_fed=by is TileBy.ALONG)

    def _grid(self, *, is_fed: bool) -> tuple[list[Setup], list[Seam]]:
        tiling, board = self._work.tiling, self._work.board
        spans: list[Span] = []
        seams: list[Seam] = []
        for axis, by_hand in ((0, tiling.seams_x), (1, tiling.seams_y)):
            if is_fed and axis != self._long:
                spans.append(self._across(axis))
                continue
            span, some = self._along(axis, by_hand)
            spans.append(span)
            seams += some
            self._tell(span, some, by_hand, axis)
        return tile_setups(board, (spans[0], spans[1])), seams

    def _base(self, axis: int) -> float:
        """Where the reach begins as the board lies now."""
        board = self._work.board
        return -(board.bed_x, board.bed_y)[axis]

    def _across(self, axis: int) -> Span:
        """The side across the way a board is fed: all of it is under the machine, or it is told."""
        (low, high), travel = self._work.extent[axis], self._travel[axis]
        if high - low > travel:
            self.findings.append(told.too_wide(self._work.board.id, high - low, travel))
        return Span(low, high, travel, (min(max(self._base(axis), high - travel), low),))

    def _along(self, axis: int, by_hand: Sequence[float]) -> tuple[Span, list[Seam]]:
        tiling = self._work.tiling
        low, high = self._work.extent[axis]
        least = tiling.pin_diameter + tiling.pin_slack + _PIN_ROOM_MM if tiling.has_pins else 0.0
        margin = tiling.overcut
        for _ in range(_ROUNDS):  # what is parted asks for more room the farther past a seam it has to be cut
            span = span_of(low, high, self._travel[axis], base=self._base(axis), margin=margin, least_overlap=least)
            span, seams = placed(span, axis, self._crossings, by_hand=by_hand, margin=margin)
            needed = max((past_seam(self._crossings, axis, span, k) for k in range(len(seams))), default=0.0)
            if needed <= margin:
                break
            margin = needed
        return span, seams

    def _halves(self) -> tuple[list[Setup], list[Seam]]:
        """Two halves. The turn is about the seam's middle: each side of it has to come under the machine, with what is cut past it."""
        work, axis = self._work, self._long
        tiling, travel = work.tiling, self._travel[axis]
        (low, high), (first, last) = work.extent[axis], work.extent[1 - axis]
        if last - first > self._travel[1 - axis]:
            self.findings.append(told.too_wide(work.board.id, last - first, self._travel[1 - axis]))
        most = 2 * (travel - tiling.overcut)
        if high - low > most:
            self.findings.append(told.too_long_for_halves(work.board.id, high - low, most))
        given = (tiling.seams_x, tiling.seams_y)[axis]
        span = Span(low, high, travel, (low - EDGE_MM, high + EDGE_MM - travel))
        span, seams = placed(
            span, axis, self._crossings, by_hand=given if len(given) == 1 else (), margin=tiling.overcut
        )
        margin = max(tiling.overcut, past_seam(self._crossings, axis, span, 0))
        room = high + EDGE_MM + margin - travel, low - EDGE_MM - margin + travel
        if room[0] > room[1]:
            room = ((low + high) / 2,) * 2
        at = round(min(max(seams[0].at, room[0]), room[1]), 2)
        span, seams = placed(span, axis, self._crossings, by_hand=(at,), margin=margin)
        self._tell(span, seams, (), axis)
        seam = replace(seams[0], by_hand=len(given) == 1, room=room)
        return half_turn_setups(work.board, axis, work.extent, self._travel, at, margin), [seam]

    def _tell(self, span: Span, seams: Sequence[Seam], by_hand: Sequence[float], axis: int) -> None:
        board, side = self._work.board.id, "XY"[axis]
        if by_hand and len(by_hand) != len(seams):
            self.findings.append(told.seams_anew(board, side, len(by_hand), len(seams)))
        for k, seam in enumerate(seams):
            low, high = span.room(k, past_seam(self._crossings, axis, span, k) - 0.01)
            if not low <= seam.at <= high:
                self.findings.append(told.seam_out_of_reach(board, side, seam.at))
