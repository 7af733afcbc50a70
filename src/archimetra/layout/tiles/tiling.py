"""A planned board in tiles: the setups with their seams and pins, and what each of them cuts.

Nothing is planned again: chains go whole to a tile that reaches them, or are clipped at the seam's overcut. A cut that opens the wood for others
goes farther past a seam than they do, and the passes of one cut step back one by one, so that nothing ever meets wood that a pass before it
should have taken.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

import msgspec
import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from archimetra.base.findings import Finding, Severity, mm, mm_each
from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.region import EMPTY
from archimetra.job.cut_parts import Side
from archimetra.job.footprints import enclosed_by
from archimetra.job.ids import CutId
from archimetra.job.job import Board, Job
from archimetra.job.setups import Setup, TileBy
from archimetra.layout.tiles import pins
from archimetra.layout.tiles.answer import Seam, Shift
from archimetra.layout.tiles.assigning import PARTED, REFUSED, Needs, assigned
from archimetra.layout.tiles.chains import Chain, chains_of
from archimetra.layout.tiles.clipping import Share, share_of, windows
from archimetra.layout.tiles.grid import EDGE_MM, MOST_TILES, Span, span_of
from archimetra.layout.tiles.seams import Crossing, past_seam, placed
from archimetra.layout.tiles.setups import half_turn_setups, tile_setups, travel_on_board, with_zeros
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.fixtures import growth_of_passes
from archimetra.toolpath.shared.moves import Toolpath

replace = msgspec.structs.replace
_LEAST_TRAVEL = 4.0  # diameters of the widest bit
_ROUNDS = 4
_PIN_ROOM_MM = 4.0  # more than a pin's hole that two reaches share


class TilePath(NamedTuple):
    """What of one step a setup cuts."""

    setup: int
    step: int
    path: Toolpath


class Tiled(NamedTuple):
    """``paths`` in the order they run: setup after setup, in each in the order of the whole. ``shifts`` are the pins found where the board has none
    yet."""

    setups: tuple[Setup, ...]
    seams: tuple[Seam, ...]
    shifts: tuple[Shift, ...]
    paths: tuple[TilePath, ...]
    findings: tuple[Finding, ...]


def tiled(job: Job, board: Board, works: Mapping[CutId, ResolvedCut], steps: Sequence[Toolpath]) -> Tiled:
    """The steps of a board, in running order, by setups. ``board.tiling`` says how."""
    return _Tiling(job, board, works, steps).done()


class _Tiling:
    def __init__(self, job: Job, board: Board, works: Mapping[CutId, ResolvedCut], steps: Sequence[Toolpath]) -> None:
        assert board.tiling is not None
        self._board, self._tiling, self._job = board, board.tiling, job
        self._works, self._steps = works, steps
        self._chains: list[Chain] = []
        for number, path in enumerate(steps):
            self._chains += chains_of(number, path, works[path.cut].bit)
        self._growth = [
            growth_of_passes(p, works[p.cut].cut, works[p.cut].bit, works[p.cut].recipe.stepover) for p in steps
        ]
        self._beyond = self._how_far_past()
        self._found: list[Finding] = []

    def done(self) -> Tiled:
        travel = travel_on_board(self._board, self._job.machine)
        widest = max((self._works[p.cut].bit.diameter for p in self._steps), default=0.0)
        if not self._chains:
            return Tiled((), (), (), (), ())
        if min(travel) < _LEAST_TRAVEL * widest or min(travel) <= 2 * self._tiling.overcut + widest:
            words = f"The machine travels {mm_each(travel)}: too little to part a board cut with a {mm(widest)} bit and {mm(self._tiling.overcut)} past each seam."
            mend = "Check the machine's travel on the Board page, or take a smaller overcut."
            return self._none(Finding("no-tiles", Severity.STOP, words, mend=mend, subject=self._board.id))
        setups, seams = self._laid_out(travel)
        if len(setups) > MOST_TILES:
            words = f"It would take {len(setups)} tiles; {MOST_TILES} are the most."
            return self._none(
                Finding(
                    "no-tiles",
                    Severity.STOP,
                    words,
                    mend="Check the machine's travel on the Board page.",
                    subject=self._board.id,
                )
            )
        setups = self._with_pins(setups)
        tile_of = assigned(self._chains, self._needs(setups), setups)
        self._tell_refused(tile_of, setups)
        self._tell_gaps(tile_of, setups)
        shifts = self._pins_found(setups)
        paths, taken = self._shares(setups, tile_of)
        named = with_zeros(self._board, setups, taken, has_pins=self._tiling.has_pins)
        self._tell_of_tiles(named, paths)
        return Tiled(tuple(named), tuple(seams), tuple(shifts), tuple(paths), tuple(self._found))

    def _none(self, finding: Finding) -> Tiled:
        return Tiled((), (), (), (), (finding,))

    # ---- seams

    def _how_far_past(self) -> list[float]:
        """How far past a seam the last pass of each step goes, at the least, mm. What opens the wood for a later step that meets it goes so much
        farther that all of what that step counts on is gone: by the radii of both bits."""
        boxes = [_box_of([c for c in self._chains if c.path == k]) for k in range(len(self._steps))]
        out = [self._tiling.overcut] * len(self._steps)
        radii = [self._works[p.cut].bit.radius for p in self._steps]
        for k in range(len(self._steps) - 1, -1, -1):
            cut = self._works[self._steps[k].cut].cut
            if cut.opening is None and not cut.lowers_face:
                continue
            for later in range(k + 1, len(self._steps)):
                work = self._works[self._steps[later].cut]
                counts = work.cut.clears is not None or work.face > 0 or any(p.cut.id == cut.id for p in work.prior)
                matters = cut.lowers_face or work.cut.clears is not None or work.cut.start_depth > 0
                if counts and matters and boxes[k].intersects(boxes[later]):
                    first = out[later] + float(self._growth[later].max(initial=0.0))
                    out[k] = max(out[k], first + radii[later] + radii[k])
        return out

    def _laid_out(self, travel: tuple[float, float]) -> tuple[list[Setup], list[Seam]]:
        tiling, board = self._tiling, self._board
        low = np.min([chain.box[:2] for chain in self._chains], axis=0)
        high = np.max([chain.box[2:] for chain in self._chains], axis=0)
        crossings = [
            Crossing(
                chain, self._name(chain), self._beyond[chain.path] + float(self._growth[chain.path].max(initial=0.0))
            )
            for chain in self._chains
        ]
        base = (-board.bed_x, -board.bed_y)
        least = tiling.pin_diameter + tiling.pin_slack + _PIN_ROOM_MM if tiling.has_pins else 0.0
        long = int(high[1] - low[1] > high[0] - low[0])
        if tiling.by is TileBy.HALF_TURN:
            return self._half_turned(travel, low, high, long, crossings)
        spans: list[Span] = []
        seams: list[Seam] = []
        for axis, by_hand in ((0, tiling.seams_x), (1, tiling.seams_y)):
            if tiling.by is TileBy.ALONG and axis != long:
                start = min(max(base[axis], high[axis] - travel[axis]), low[axis])
                spans.append(Span(float(low[axis]), float(high[axis]), travel[axis], (float(start),)))
                if high[axis] - low[axis] > travel[axis]:
                    self._too_wide(float(high[axis] - low[axis]), travel[axis])
                continue
            margin = tiling.overcut
            for _ in range(_ROUNDS):  # what is parted asks for more room the farther past a seam it has to be cut
                span = span_of(
                    float(low[axis]),
                    float(high[axis]),
                    travel[axis],
                    base=base[axis],
                    margin=margin,
                    least_overlap=least,
                )
                span, some = placed(span, axis, crossings, by_hand=by_hand, margin=margin)
                needed = max((past_seam(crossings, axis, span, k) for k in range(len(some))), default=0.0)
                if needed <= margin:
                    break
                margin = needed
            spans.append(span)
            seams += some
            self._tell_seams(span, some, by_hand, axis, crossings)
        return tile_setups(board, (spans[0], spans[1])), seams

    def _half_turned(
        self, travel: tuple[float, float], low: FloatArray, high: FloatArray, axis: int, crossings: Sequence[Crossing]
    ) -> tuple[list[Setup], list[Seam]]:
        tiling = self._tiling
        side = high[axis] - low[axis]
        if high[1 - axis] - low[1 - axis] > travel[1 - axis]:
            self._too_wide(float(high[1 - axis] - low[1 - axis]), travel[1 - axis])
        if side > 2 * travel[axis] - 2 * tiling.overcut:
            words = f"The work is {mm(float(side), '.1f')} long; turned half round the machine gets to {mm(2 * travel[axis] - 2 * tiling.overcut, '.1f')} in two goes."
            self._found.append(
                Finding(
                    "tiles-short", Severity.STOP, words, mend="Take a grid of tiles instead.", subject=self._board.id
                )
            )
        given = (tiling.seams_x, tiling.seams_y)[axis]
        starts = (float(low[axis]) - EDGE_MM, float(high[axis]) + EDGE_MM - travel[axis])
        span = Span(float(low[axis]), float(high[axis]), travel[axis], starts)
        middle = float(low[axis] + high[axis]) / 2
        span, some = placed(span, axis, crossings, by_hand=given if len(given) == 1 else (), margin=tiling.overcut)
        margin = max(tiling.overcut, past_seam(crossings, axis, span, 0))
        # the turn is about the seam's middle: each side of it has to come under the machine, with what is cut past it
        first, last = (
            float(high[axis]) + EDGE_MM + margin - travel[axis],
            float(low[axis]) - EDGE_MM - margin + travel[axis],
        )
        room = (first, last) if first <= last else (middle, middle)
        at = round(min(max(some[0].at, room[0]), room[1]), 2)
        span, some = placed(span, axis, crossings, by_hand=(at,), margin=margin)
        self._tell_seams(span, some, (), axis, crossings)
        seam = replace(some[0], by_hand=len(given) == 1, room=room)
        extent = ((float(low[0]), float(high[0])), (float(low[1]), float(high[1])))
        return half_turn_setups(self._board, axis, extent, travel, seam.at, margin), [seam]

    def _too_wide(self, side: float, travel: float) -> None:
        words = f"The work is {mm(side, '.1f')} wide across the way it is fed; the machine travels {mm(travel)}."
        self._found.append(
            Finding(
                "tiles-short",
                Severity.STOP,
                words,
                mend="Take a grid of tiles, or turn the board a quarter.",
                subject=self._board.id,
            )
        )

    def _tell_seams(
        self, span: Span, seams: Sequence[Seam], by_hand: Sequence[float], axis: int, crossings: Sequence[Crossing]
    ) -> None:
        side = "XY"[axis]
        if by_hand and len(by_hand) != len(seams):
            words = f"{len(by_hand)} seam{'' if len(by_hand) == 1 else 's'} across {side} {'is' if len(by_hand) == 1 else 'are'} set by hand, but it takes {len(seams)}; they were found anew."
            self._found.append(
                Finding(
                    "seams-anew",
                    Severity.CAUTION,
                    words,
                    mend="Set them again on the Layout page, or leave them to be found.",
                    subject=self._board.id,
                )
            )
        for k, seam in enumerate(seams):
            low, high = span.room(k, past_seam(crossings, axis, span, k) - 0.01)
            if not low <= seam.at <= high:
                words = f"The seam at {side} {mm(seam.at, '.1f')} lies where the machine does not get past it from both sides."
                self._found.append(
                    Finding(
                        "seam-out-of-reach",
                        Severity.STOP,
                        words,
                        mend="Move it, or leave it to be found.",
                        subject=self._board.id,
                    )
                )

    # ---- pins

    def _with_pins(self, setups: list[Setup]) -> list[Setup]:
        """The setups with the pins the board has holes for: each pair belongs to the shift nearest to it."""
        tiling = self._tiling
        cut = self._board.cut(tiling.pins) if tiling.has_pins and tiling.pins else None
        if cut is None or len(setups) < 2:
            return setups
        places = [_middle(chain) for chain in self._chains if self._steps[chain.path].cut == cut.id]
        pairs = [(0, 1)] if tiling.by is TileBy.HALF_TURN else [(k, k + 1) for k in range(len(setups) - 1)]
        own: dict[int, list[tuple[float, float]]] = {}
        for place in places:
            fits = [k for k, (a, b) in enumerate(pairs) if _in_box(place, pins.shared_reach(setups[a], setups[b]))]
            if not fits:
                words = f"The pin at x {mm(place[0], '.1f')}, y {mm(place[1], '.1f')} lies where no two neighbouring tiles both reach."
                self._found.append(
                    Finding(
                        "pin-out-of-reach",
                        Severity.STOP,
                        words,
                        mend="Place the pins again on the Layout page.",
                        at=place,
                        subject=cut.id,
                    )
                )
                continue
            middles = [_middle_of(pins.shared_reach(setups[pairs[k][0]], setups[pairs[k][1]])) for k in fits]
            nearest = int(np.argmin([np.hypot(m[0] - place[0], m[1] - place[1]) for m in middles]))
            own.setdefault(fits[nearest], []).append(place)
        out = list(setups)
        for k, some in own.items():
            a, b = pairs[k]
            out[a] = replace(out[a], holes=(*out[a].holes, *some))
            out[b] = replace(out[b], pins=tuple(some))
        for k, (_, b) in enumerate(pairs):
            if len(own.get(k, [])) < 2:
                words = f"{out[b].name} has {len(own.get(k, []))} of the two pins that hold the board in place."
                self._found.append(
                    Finding(
                        "pins-missing",
                        Severity.STOP,
                        words,
                        mend="Place the pins on the Layout page.",
                        subject=self._board.id,
                    )
                )
        return out

    def _pins_found(self, setups: Sequence[Setup]) -> list[Shift]:
        """Where pins could go, for a board that is to have some."""
        tiling, board = self._tiling, self._board
        has_all = board.cut(tiling.pins) is not None and not any(f.code.startswith("pin") for f in self._found)
        if not tiling.has_pins or len(setups) < 2 or has_all:
            return []
        mine = [c for c in self._chains if self._steps[c.path].cut != tiling.pins]
        hole = tiling.pin_diameter + tiling.pin_slack
        paths = np.vstack([_capsules(chain) for chain in mine]) if mine else np.zeros((0, 5))
        sheet = board.sheet
        ground = pins.Ground(
            sheet.region, paths[:, :4].reshape(-1, 2, 2), paths[:, 4], self._kept(), self._loose(), (sheet.width / 2, sheet.height / 2),
        )  # fmt: skip
        shifts = pins.found(tiling.by, setups, ground, hole=hole)
        if any(len(shift.places) < 2 for shift in shifts):  # then in what is kept
            others = pins.found(tiling.by, setups, ground._replace(kept=EMPTY), hole=hole)
            shifts = [
                one if len(one.places) > 1 else replace(other, in_waste=False)
                for one, other in zip(shifts, others, strict=True)
            ]
        if not tiling.pins or board.cut(tiling.pins) is None:
            none = [shift for shift in shifts if len(shift.places) < 2]
            if none:
                words = f"There is no room for two pins between {setups[none[0].before].name} and {setups[none[0].after].name}."
                mend = "Move the seam or the shapes, take thinner pins, or do without them."
            else:
                words, mend = (
                    "The board has no holes yet for the pins that hold it in place when it is shifted.",
                    "Place the pins on the Layout page.",
                )
            self._found.append(Finding("pins-missing", Severity.STOP, words, mend=mend, subject=board.id))
        return shifts

    def _kept(self) -> BaseGeometry:
        """What is cut out as a part."""
        return self._enclosed(Side.OUTSIDE)

    def _loose(self) -> BaseGeometry:
        """What falls out of openings."""
        return self._enclosed(Side.INSIDE)

    def _enclosed(self, side: Side) -> BaseGeometry:
        board = self._board
        shapes = [
            shape for cut in board.cuts if cut.is_on and cut.loosens is side and cut.is_through(board.sheet)
            for shape in board.shapes_of(cut)
        ]  # fmt: skip
        found: BaseGeometry = shapely.union_all(enclosed_by(shapes)) if shapes else EMPTY
        return found

    # ---- what each cuts

    def _needs(self, setups: Sequence[Setup]) -> list[Needs]:
        makes = {hole: t for t, setup in enumerate(setups) for hole in setup.holes}
        out = []
        for chain in self._chains:
            work = self._works[self._steps[chain.path].cut]
            tile = makes.get(_middle(chain)) if work.cut.id == self._tiling.pins else None
            loosens = work.cut.loosens is not None and work.is_through
            out.append(Needs(work.cut.opening is not None or work.cut.lowers_face, loosens, tile))
        return out

    def _shares(self, setups: Sequence[Setup], tile_of: Sequence[int]) -> tuple[list[TilePath], list[FloatArray]]:
        paths: list[TilePath] = []
        taken: list[FloatArray] = []
        for t, setup in enumerate(setups):
            gone: list[FloatArray] = []
            for number, path in enumerate(self._steps):
                own = [(c, tile_of[k]) for k, c in enumerate(self._chains) if c.path == number]
                whole = [c.rows for c, of in own if of == t]
                parted = [c.rows for c, of in own if of == PARTED]
                if not whole and not parted:
                    continue
                growth = self._growth[number]
                low, high = windows(
                    setup.cell, setup.reach, self._beyond[number] + float(growth.max(initial=0.0)) - growth
                )
                work = self._works[path.cut]
                share = Share(_rows(whole), _rows(parted), low, high)
                made, left_out = share_of(path, share, work.cut, work.bit, work.recipe, self._board.travel_heights)
                if left_out:
                    self._tell_left_out(work, setup, left_out[0].begin)
                if len(made):
                    paths.append(TilePath(t, number, made))
                    gone += [_capsules(c) for c, of in own if of in (t, PARTED)]
            taken.append(_clipped_to(np.vstack(gone), setup) if gone else np.zeros((0, 5)))
        return paths, taken

    def _tell_left_out(self, work: ResolvedCut, setup: Setup, at: FloatArray) -> None:
        words = f"In {setup.name} '{work.cut.name}' has no room for its bit to slope down beside the seam; a stretch stays uncut."
        self._found.append(
            Finding(
                "seam-no-entry",
                Severity.STOP,
                words,
                mend="Move the seam, or take a bit that can plunge.",
                at=(float(at[0]), float(at[1])),
                subject=work.cut.id,
            )
        )

    def _tell_refused(self, tile_of: Sequence[int], setups: Sequence[Setup]) -> None:
        for k, of in enumerate(tile_of):
            if of != REFUSED:
                continue
            chain = self._chains[k]
            work = self._works[self._steps[chain.path].cut]
            x, y = _middle(chain)
            words = f"No tile reaches all of '{work.cut.name}' at x {mm(x, '.0f')}, y {mm(y, '.0f')}, and it cannot be cut in parts; it is left uncut."
            self._found.append(
                Finding(
                    "seam-through-whole",
                    Severity.STOP,
                    words,
                    mend="Move the seam off it.",
                    at=(x, y),
                    subject=work.cut.id,
                )
            )

    def _tell_gaps(self, tile_of: Sequence[int], setups: Sequence[Setup]) -> None:
        """A guard: what is parted lies, as far as each tile cuts it, within what that tile reaches."""
        told: set[CutId] = set()
        for k, of in enumerate(tile_of):
            if of != PARTED:
                continue
            ends = self._chains[k].segments.reshape(-1, 2)
            is_cut = np.zeros(len(ends), dtype=bool)
            for setup in setups:
                low, high = np.maximum(setup.cell[:2], setup.reach[:2]), np.minimum(setup.cell[2:], setup.reach[2:])
                is_cut |= ((ends >= low - 1e-6) & (ends <= high + 1e-6)).all(axis=1)
            cut = self._works[self._steps[self._chains[k].path].cut].cut
            if not is_cut.all() and cut.id not in told:
                told.add(cut.id)
                x, y = (float(v) for v in ends[~is_cut][0])
                words = f"No tile gets to all of '{cut.name}': about x {mm(x, '.0f')}, y {mm(y, '.0f')} it stays uncut."
                mend = "Move the seams or leave them to be found, or take a grid of tiles."
                self._found.append(Finding("tile-gap", Severity.STOP, words, mend=mend, at=(x, y), subject=cut.id))

    def _tell_of_tiles(self, setups: Sequence[Setup], paths: Sequence[TilePath]) -> None:
        busy = {path.setup for path in paths}
        for t, setup in enumerate(setups):
            if t not in busy:
                words = f"Nothing is cut in {setup.name}; it makes no file."
                self._found.append(
                    Finding(
                        "tile-empty", Severity.NOTE, words, mend="Move a seam to do without it.", subject=self._board.id
                    )
                )

    def _name(self, chain: Chain) -> str:
        return self._works[self._steps[chain.path].cut].cut.name


def _rows(some: Sequence[np.ndarray]) -> np.ndarray:
    return np.vstack(some) if some else np.zeros((0, 2), dtype=np.int64)


def _middle(chain: Chain) -> tuple[float, float]:
    return _middle_of(chain.box)


def _middle_of(box: tuple[float, float, float, float]) -> tuple[float, float]:
    return round((box[0] + box[2]) / 2, 4), round((box[1] + box[3]) / 2, 4)


def _in_box(place: tuple[float, float], box: tuple[float, float, float, float]) -> bool:
    return box[0] - 1e-6 <= place[0] <= box[2] + 1e-6 and box[1] - 1e-6 <= place[1] <= box[3] + 1e-6


def _box_of(chains: Sequence[Chain]) -> BaseGeometry:
    if not chains:
        return EMPTY
    boxes = np.array([chain.box for chain in chains])
    wide = max(chain.radius for chain in chains)
    box: BaseGeometry = shapely.box(*(boxes[:, :2].min(axis=0) - wide), *(boxes[:, 2:].max(axis=0) + wide))
    return box


def _capsules(chain: Chain) -> FloatArray:
    """The chain's segments with their radius, (k, 5)."""
    flat = chain.segments.reshape(-1, 4)
    return np.column_stack((flat, np.full(len(flat), chain.radius)))


def _clipped_to(taken: FloatArray, setup: Setup) -> FloatArray:
    """Those that come near to what a setup reaches."""
    low = np.minimum(taken[:, 0:2], taken[:, 2:4]) - taken[:, 4:5]
    high = np.maximum(taken[:, 0:2], taken[:, 2:4]) + taken[:, 4:5]
    near = (high >= setup.reach[:2]).all(axis=1) & (low <= setup.reach[2:]).all(axis=1)
    return np.asarray(taken[near])
