"""A planned board in tiles: the setups with their seams and pins, and what each of them cuts.

Nothing is planned again: chains go whole to a tile that reaches them, or are clipped at the seam's overcut. A cut that opens the wood for others
goes farther past a seam than they do, and the passes of one cut step back one by one, so that nothing ever meets wood that a pass before it
should have taken.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np

from archimetra.base.findings import Finding
from archimetra.geometry.arrays import FloatArray, IntArray
from archimetra.job.ids import CutId
from archimetra.job.job import Board, Job
from archimetra.job.setups import Setup
from archimetra.layout.tiles import told
from archimetra.layout.tiles.answer import Seam, Shift
from archimetra.layout.tiles.assigning import PARTED, REFUSED, Needs, assigned
from archimetra.layout.tiles.clipping import Share, share_of, windows
from archimetra.layout.tiles.grid import MOST_TILES
from archimetra.layout.tiles.laying_out import LaidOut
from archimetra.layout.tiles.pinning import capsules, middle_of, places_for, with_pins
from archimetra.layout.tiles.setups import travel_on_board, with_zeros
from archimetra.layout.tiles.work import Work
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.moves import Toolpath
from archimetra.toolpath.shared.reentry import Piece

_LEAST_TRAVEL = 4.0  # diameters of the widest bit


class TilePath(NamedTuple):
    """What of one step a setup cuts."""

    setup: int
    step: int
    path: Toolpath


class Tiled(NamedTuple):
    """``paths`` in the order they run: setup after setup, in each in the order of the whole. ``shifts`` are the pins found where the board has none
    yet."""

    setups: tuple[Setup, ...] = ()
    seams: tuple[Seam, ...] = ()
    shifts: tuple[Shift, ...] = ()
    paths: tuple[TilePath, ...] = ()
    findings: tuple[Finding, ...] = ()


def tiled(job: Job, board: Board, works: Mapping[CutId, ResolvedCut], steps: Sequence[Toolpath]) -> Tiled:
    """The steps of a board, in running order, by setups. ``board.tiling`` says how."""
    work = Work(job, board, works, steps)
    if not work.chains:
        return Tiled()
    travel, widest, overcut = travel_on_board(board, job.machine), work.widest_bit, work.tiling.overcut
    if min(travel) < _LEAST_TRAVEL * widest or min(travel) <= 2 * overcut + widest:
        return Tiled(findings=(told.travel_too_small(board.id, travel, widest, overcut),))
    out = LaidOut(work)
    if len(out.setups) > MOST_TILES:
        return Tiled(findings=(told.too_many(board.id, len(out.setups)),))
    setups, of_pins = with_pins(work, out.setups)
    is_complete = not any(finding.code != "pin-misplaced" for finding in of_pins)
    shifts, without = places_for(work, setups, is_complete=is_complete)
    tile_of = assigned(work.chains, _needs(work, setups), setups)
    paths, taken, left_out = _shares(work, setups, tile_of)
    named = with_zeros(board, setups, taken, has_pins=work.tiling.has_pins)
    busy = {path.setup for path in paths}
    empty = [told.empty(board.id, setup.name) for t, setup in enumerate(named) if t not in busy]
    found = (*out.findings, *of_pins, *without, *_uncut(work, setups, tile_of), *left_out, *empty)
    return Tiled(tuple(named), tuple(out.seams), tuple(shifts), tuple(paths), found)


def _needs(work: Work, setups: Sequence[Setup]) -> list[Needs]:
    makes = {hole: t for t, setup in enumerate(setups) for hole in setup.holes}
    out = []
    for chain in work.chains:
        resolved = work.of(chain)
        cut = resolved.cut
        tile = makes.get(middle_of(chain.box)) if cut.id == work.tiling.pins else None
        out.append(
            Needs(cut.opening is not None or cut.lowers_face, cut.loosens is not None and resolved.is_through, tile)
        )
    return out


def _shares(
    work: Work, setups: Sequence[Setup], tile_of: Sequence[int]
) -> tuple[list[TilePath], list[FloatArray], list[Finding]]:
    """What each setup cuts; the ground it does that on, as (k, 5) for each; and what stays uncut since a bit has no room to go down."""
    paths: list[TilePath] = []
    taken: list[FloatArray] = []
    found: list[Finding] = []
    for t, setup in enumerate(setups):
        gone: list[FloatArray] = []
        for number, path in enumerate(work.steps):
            own = [(c, tile_of[k]) for k, c in enumerate(work.chains) if c.path == number]
            whole, parted = ([c.rows for c, of in own if of == wanted] for wanted in (t, PARTED))
            if not whole and not parted:
                continue
            low, high = windows(setup.cell, setup.reach, work.first_beyond(number) - work.growth[number])
            resolved = work.of_step(number)
            made, left_out = share_of(
                path, Share(_rows(whole), _rows(parted), low, high), resolved.cut, resolved.bit, resolved.recipe,
                work.board.travel_heights,
            )  # fmt: skip
            # what lies past the seam is cut whole by the tile beyond it
            missed = [piece for piece in left_out if _comes_into(piece, setup)]
            if missed:
                x, y = (float(v) for v in missed[0].begin[:2])
                found.append(told.no_entry(resolved.cut.id, resolved.cut.name, setup.name, (x, y)))
            if len(made):
                paths.append(TilePath(t, number, made))
                gone += [capsules(c) for c, of in own if of in (t, PARTED)]
        taken.append(_near(np.vstack(gone), setup) if gone else np.zeros((0, 5)))
    return paths, taken, found


def _uncut(work: Work, setups: Sequence[Setup], tile_of: Sequence[int]) -> list[Finding]:
    """What no tile reaches: chains that cannot be parted, and, as a guard, what of a parted one lies beyond the tile that is to cut it."""
    out: list[Finding] = []
    said: set[CutId] = set()
    for chain, of in zip(work.chains, tile_of, strict=True):
        cut = work.of(chain).cut
        if of == REFUSED:
            out.append(told.refused(cut.id, cut.name, middle_of(chain.box)))
        if of != PARTED or cut.id in said:
            continue
        ends = chain.segments.reshape(-1, 2)
        is_cut = np.zeros(len(ends), dtype=bool)
        for setup in setups:
            low, high = np.maximum(setup.cell[:2], setup.reach[:2]), np.minimum(setup.cell[2:], setup.reach[2:])
            is_cut |= ((ends >= low - 1e-6) & (ends <= high + 1e-6)).all(axis=1)
        if not is_cut.all():
            said.add(cut.id)
            x, y = (float(v) for v in ends[~is_cut][0])
            out.append(told.gap(cut.id, cut.name, (x, y)))
    return out


def _comes_into(piece: Piece, setup: Setup) -> bool:
    """Whether a piece lies in what a setup has to cut, not only in its overcut."""
    points = np.vstack((piece.begin, piece.xyz))[:, :2]
    inside = (points > np.array(setup.cell[:2]) + 1e-6) & (points < np.array(setup.cell[2:]) - 1e-6)
    return bool(inside.all(axis=1).any())


def _rows(some: Sequence[IntArray]) -> IntArray:
    return np.vstack(some) if some else np.zeros((0, 2), dtype=np.int64)


def _near(taken: FloatArray, setup: Setup) -> FloatArray:
    """What of the ground comes near to what a setup reaches."""
    low = np.minimum(taken[:, 0:2], taken[:, 2:4]) - taken[:, 4:5]
    high = np.maximum(taken[:, 0:2], taken[:, 2:4]) + taken[:, 4:5]
    near = (high >= setup.reach[:2]).all(axis=1) & (low <= setup.reach[2:]).all(axis=1)
    return np.asarray(taken[near])
