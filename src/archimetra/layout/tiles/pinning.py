"""The pins of a tiled board: those it has holes for, shift by shift, and places for those it has not."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np
import shapely

from archimetra.base.findings import Finding, Severity
from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.region import EMPTY
from archimetra.job.ids import CutId
from archimetra.job.setups import Box, Setup, TileBy
from archimetra.layout.tiles import pins, told
from archimetra.layout.tiles.answer import Place, Shift
from archimetra.layout.tiles.chains import Chain
from archimetra.layout.tiles.work import Work

replace = msgspec.structs.replace


def with_pins(work: Work, setups: list[Setup]) -> tuple[list[Setup], list[Finding]]:
    """The setups with the pins the board has holes for: each belongs to the shift nearest to it."""
    tiling, found = work.tiling, list[Finding]()
    cut = work.board.cut(tiling.pins) if tiling.has_pins and tiling.pins else None
    if cut is None or len(setups) < 2:
        return setups, found
    pairs = [(0, 1)] if tiling.by is TileBy.HALF_TURN else [(k, k + 1) for k in range(len(setups) - 1)]
    shared = [pins.shared_reach(setups[a], setups[b]) for a, b in pairs]
    own: dict[int, list[Place]] = {}
    for place in [middle_of(chain.box) for chain in work.chains if work.of(chain).cut.id == cut.id]:
        fits = [k for k, box in enumerate(shared) if _is_in(place, box)]
        if not fits:
            found.append(told.pin_out_of_reach(cut.id, place))
            continue
        nearest = min(fits, key=lambda k: np.hypot(*np.subtract(middle_of(shared[k]), place)))
        own.setdefault(nearest, []).append(place)
    out = list(setups)
    for k, some in own.items():
        a, b = pairs[k]
        out[a] = replace(out[a], holes=(*out[a].holes, *some))
        out[b] = replace(out[b], pins=tuple(some))
    found += _misplaced(work, cut.id, [place for some in own.values() for place in some])
    found += [
        told.pins_missing(work.board.id, out[b].name, len(own.get(k, [])))
        for k, (_, b) in enumerate(pairs)
        if len(own.get(k, [])) < 2
    ]
    return out, found


def _misplaced(work: Work, cut: CutId, places: Sequence[Place]) -> list[Finding]:
    """Pins off the sheet, in a part, or in what falls out before the last shift."""
    discs = shapely.buffer(
        shapely.points(np.array(places).reshape(-1, 2)), (work.tiling.pin_diameter + work.tiling.pin_slack) / 2
    )
    wood, kept, loose = work.board.sheet.region, work.kept(), work.loose()
    out = []
    for place, disc in zip(places, discs, strict=True):
        if not shapely.covers(wood, disc):
            out.append(told.pin_misplaced(cut, place, "stands past the edge of the sheet", Severity.STOP))
        elif shapely.intersects(loose, disc):
            what = "stands in a piece that is cut loose before the board is shifted"
            out.append(told.pin_misplaced(cut, place, what, Severity.STOP))
        elif shapely.intersects(kept, disc):
            out.append(told.pin_misplaced(cut, place, "leaves its hole in a part", Severity.CAUTION))
    return out


def places_for(work: Work, setups: Sequence[Setup], *, is_complete: bool) -> tuple[list[Shift], list[Finding]]:
    """Where pins could go, for a board that is to have some and has not all of them; in what is kept where there is no waste."""
    tiling, board = work.tiling, work.board
    has_cut = board.cut(tiling.pins) is not None
    if not tiling.has_pins or len(setups) < 2 or (has_cut and is_complete):
        return [], []
    mine = [capsules(chain) for chain in work.chains if work.of(chain).cut.id != tiling.pins]
    paths = np.vstack(mine) if mine else np.zeros((0, 5))
    sheet, hole = board.sheet, tiling.pin_diameter + tiling.pin_slack
    ground = pins.Ground(
        sheet.region, paths[:, :4].reshape(-1, 2, 2), paths[:, 4], work.kept(), work.loose(), (sheet.width / 2, sheet.height / 2),
    )  # fmt: skip
    shifts = pins.found(tiling.by, setups, ground, hole=hole)
    if any(len(shift.places) < 2 for shift in shifts):
        others = pins.found(tiling.by, setups, ground._replace(kept=EMPTY), hole=hole)
        shifts = [
            one if len(one.places) > 1 else replace(other, in_waste=False)
            for one, other in zip(shifts, others, strict=True)
        ]
    if has_cut:
        return shifts, []
    none = next((shift for shift in shifts if len(shift.places) < 2), None)
    if none is None:
        return shifts, [told.no_pins(board.id)]
    return shifts, [told.no_room_for_pins(board.id, (setups[none.before].name, setups[none.after].name))]


def capsules(chain: Chain) -> FloatArray:
    """The chain's segments with their radius, (k, 5)."""
    flat = chain.segments.reshape(-1, 4)
    return np.column_stack((flat, np.full(len(flat), chain.radius)))


def middle_of(box: Box) -> Place:
    return round((box[0] + box[2]) / 2, 4), round((box[1] + box[3]) / 2, 4)


def _is_in(place: Place, box: Box) -> bool:
    return box[0] - 1e-6 <= place[0] <= box[2] + 1e-6 and box[1] - 1e-6 <= place[1] <= box[3] + 1e-6
