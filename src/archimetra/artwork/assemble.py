"""Loose lines and arcs made into outlines: doubles dropped, ends joined, edges two parts share told apart.

This is the repair every import runs by itself. What it drops is only what lies on something that stays.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from archimetra.artwork.gaps import gaps_left
from archimetra.artwork.nets import Nets, areas_between, parts_of_nets
from archimetra.artwork.report import ReportLine, counted, decide, mended
from archimetra.geometry.arrays import BoolArray, FloatArray, IntArray
from archimetra.geometry.doubles import middles, twins, without_overlaps
from archimetra.geometry.joining import Joined, join
from archimetra.geometry.path import Path
from archimetra.geometry.pieces import Pieces, taken

JOIN_MM = 0.05  # gaps closed without asking: what rounding and careless snapping leave
DOUBLE_MM = 0.01  # lines this near are one line drawn twice
NOTHING_MM = 1e-4  # shorter segments are points


class Assembled(NamedTuple):
    """Outlines, and for each the numbers of the pieces it was made of."""

    paths: list[Path]
    members: list[IntArray]
    entries: list[ReportLine]


def assemble(
    pieces: Pieces, groups: IntArray, *, join_mm: float = JOIN_MM, double_mm: float = DOUBLE_MM, drops: bool = True
) -> Assembled:
    """Outlines from loose pieces; only pieces of the same group come together. ``drops`` lets doubles go."""
    if not pieces.number:
        return Assembled([], [], [])
    pieces, number, nothing = _with_extent(pieces)
    groups = groups[number]
    entries: list[ReportLine] = []
    if len(nothing):
        words = f"{counted(len(nothing), 'line')} without length {'was' if len(nothing) == 1 else 'were'} dropped."
        entries.append(mended("zero-length", words, nothing))
    dropped = np.zeros((0, 2))
    nets = Nets([], [], np.zeros(pieces.number, dtype=bool), *[np.zeros((0, 2))] * 3)
    if drops and pieces.number:
        nets = parts_of_nets(pieces, groups, tolerance_mm=join_mm, double_mm=double_mm)
        members_of_nets = [number[m] for m in nets.members]
        if nets.is_used.any():
            left = np.flatnonzero(~nets.is_used)
            pieces, number = taken(pieces, left, np.zeros(len(left), dtype=bool)), number[left]
            groups = groups[left]
        pieces, number, groups, dropped, is_whole = _without_doubles(pieces, number, groups, double_mm)
        if not is_whole:
            words = "So many lines cross each other that doubled lines and shared edges were looked for in part of them only."
            entries.append(decide("tangled", words))
    else:
        members_of_nets = []
    dropped = np.vstack((dropped, nets.extra))
    if len(dropped):
        words = f"{counted(len(dropped), 'line')} drawn twice {'was' if len(dropped) == 1 else 'were'} dropped."
        entries.append(mended("doubles", words, dropped))
    joined = join(pieces, tolerance_mm=join_mm, groups=groups)
    paths = [*nets.paths, *joined.chains]
    members = [*members_of_nets, *[number[m] for m in joined.members]]
    entries.extend(_joining_entries(joined, paths, members, nets))
    if drops:
        entries.extend(_questions(pieces, groups, joined, join_mm, double_mm))
    return Assembled(paths, members, entries)


def _questions(pieces: Pieces, groups: IntArray, joined: Joined, join_mm: float, double_mm: float) -> list[ReportLine]:
    """What the lines leave open: gaps too wide to be closed without asking, and areas on both sides of a line."""
    entries = []
    between = areas_between(pieces, groups, tolerance_mm=join_mm, double_mm=double_mm)
    if len(between):
        words = (
            f"{counted(len(between), 'line')} {'has' if len(between) == 1 else 'have'} an enclosed area on both sides and "
            f"{'is' if len(between) == 1 else 'are'} drawn once: one outline with a line in it, or parts with a common edge?"
        )
        entries.append(decide("areas-between-lines", words, between, offer="areas-as-parts"))
    chains = [
        (path, int(groups[m[0]])) for path, m in zip(joined.chains, joined.members, strict=True) if not path.closed
    ]
    gaps = gaps_left([path for path, _ in chains], [group for _, group in chains])
    if gaps is not None:
        words = f"Open by up to {gaps.widest:.2g} mm at {counted(len(gaps.places), 'place')}."
        entries.append(decide("gaps-left", words, gaps.places, offer="close-gaps", within_mm=gaps.within_mm))
    return entries


def _joining_entries(joined: Joined, paths: list[Path], members: list[IntArray], nets: Nets) -> list[ReportLine]:
    entries = []
    made = [path for path, parts in zip(paths, members, strict=True) if len(parts) > 1]
    if made:
        closed = sum(path.closed for path in made)
        count = sum(len(parts) for parts in members if len(parts) > 1)
        kinds = [counted(closed, "closed outline")] if closed else []
        kinds += [counted(len(made) - closed, "open line")] if len(made) > closed else []
        entries.append(mended("joined", f"{count:,} loose pieces were joined into {' and '.join(kinds)}."))
    if len(joined.bridged):
        count = len(joined.bridged)
        words = f"{counted(count, 'gap')} of up to {joined.widest:.2g} mm {'was' if count == 1 else 'were'} closed."
        entries.append(mended("gaps", words, joined.bridged))
    if len(joined.forks):
        count = len(joined.forks)
        words = f"At {counted(count, 'place')} three or more ends meet, and which belong together is yours to say."
        entries.append(decide("forks", words, joined.forks))
    if len(nets.twice):
        count = len(nets.twice)
        words = (
            f"{counted(count, 'edge')} {'belongs' if count == 1 else 'belong'} to two parts and "
            f"{'is' if count == 1 else 'are'} drawn twice; cut as it stands, the bit runs there twice."
        )
        entries.append(decide("shared-edges", words, nets.twice))
    if len(nets.once):
        count = len(nets.once)
        words = (
            f"{counted(count, 'edge')} between two parts {'is' if count == 1 else 'are'} drawn once; "
            "both parts were made whole. Undo, if it is a line within one part."
        )
        entries.append(decide("edges-drawn-once", words, nets.once))
    return entries


def _with_extent(pieces: Pieces) -> tuple[Pieces, IntArray, FloatArray]:
    """Pieces longer than nothing, their numbers, and where the rest lay."""
    is_real = pieces.piece_lengths() > NOTHING_MM
    number = np.flatnonzero(is_real)
    if is_real.all():
        return pieces, number, np.zeros((0, 2))
    return taken(pieces, number, np.zeros(len(number), dtype=bool)), number, pieces.begins()[~is_real]


def _without_doubles(
    pieces: Pieces, number: IntArray, groups: IntArray, double_mm: float
) -> tuple[Pieces, IntArray, IntArray, FloatArray, bool]:
    """Pieces that another covers dropped: those of one segment in part too, longer ones where all of them lies on one other."""
    if not pieces.number:
        return pieces, number, groups, np.zeros((0, 2)), True
    sizes = np.diff(pieces.first)
    single = sizes == 1
    owner = np.repeat(np.arange(pieces.number), sizes)
    segments = pieces.segments()
    twin = twins(segments, tolerance_mm=double_mm, groups=groups[owner])
    is_extra = ((twin >= 0) & single[owner]) | _of_doubled(twin, owner, sizes)
    places = [middles(segments.rows(is_extra))]
    keep = np.ones(pieces.number, dtype=bool)
    keep[owner[is_extra]] = False
    found = without_overlaps(segments.rows(keep[owner]), single[owner][keep[owner]], tolerance_mm=double_mm)
    if len(found.dropped):
        rows = np.flatnonzero(keep[owner])
        p, q, params = segments.p.copy(), segments.q.copy(), segments.params.copy()
        p[rows], q[rows], params[rows] = found.segments.p, found.segments.q, found.segments.params
        pieces = Pieces(p, q, segments.kinds, params, pieces.first)
        keep[owner[rows[~found.keep]]] = False
        places.append(found.dropped)
    left = np.flatnonzero(keep)
    if len(left) < pieces.number:
        pieces = taken(pieces, left, np.zeros(len(left), dtype=bool))
    return pieces, number[left], groups[left], np.vstack(places), found.is_whole


def _of_doubled(twin: IntArray, owner: IntArray, sizes: IntArray) -> BoolArray:
    """Segments of pieces every segment of which lies on one and the same other piece, as long as they are."""
    out = np.zeros(len(twin), dtype=bool)
    first = np.concatenate(([0], np.cumsum(sizes)))
    for k in np.flatnonzero(sizes > 1).tolist():
        mine = twin[first[k] : first[k + 1]]
        if (mine >= 0).all():
            other = owner[mine]
            if (other == other[0]).all() and other[0] != k and sizes[other[0]] == sizes[k]:
                out[first[k] : first[k + 1]] = True
    return out
