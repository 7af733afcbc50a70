"""Loose lines and arcs made into outlines: doubles dropped, ends joined, edges two parts share told apart.

This is the repair every import runs by itself. What it drops is only what lies on something that stays.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from archimetra.artwork.report import Entry, counted, decide, mended
from archimetra.geometry.arrays import BoolArray, FloatArray, IntArray
from archimetra.geometry.doubles import middles, twins, without_overlaps
from archimetra.geometry.faces import faces, walked
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
    entries: list[Entry]


def assemble(
    pieces: Pieces, groups: IntArray, *, join_mm: float = JOIN_MM, double_mm: float = DOUBLE_MM, drops: bool = True
) -> Assembled:
    """Outlines from loose pieces; only pieces of the same group come together. ``drops`` lets doubles go."""
    if not pieces.number:
        return Assembled([], [], [])
    pieces, number, nothing = _with_extent(pieces)
    groups = groups[number]
    entries: list[Entry] = []
    if len(nothing):
        words = f"{counted(len(nothing), 'line')} without length {'was' if len(nothing) == 1 else 'were'} dropped."
        entries.append(mended("zero-length", words, nothing))
    copies, dropped = np.ones(pieces.number, dtype=np.int64), np.zeros((0, 2))
    if drops and pieces.number:
        pieces, number, groups, copies, dropped = _without_doubles(pieces, number, groups, double_mm)
    shared = _shared_edges(pieces, groups, copies, join_mm)
    if len(dropped):
        dropped = dropped[_far_from(dropped, shared.kept, double_mm)]
    if len(dropped):
        words = f"{counted(len(dropped), 'line')} drawn twice {'was' if len(dropped) == 1 else 'were'} dropped."
        entries.append(mended("doubles", words, dropped))
    rest = np.flatnonzero(~shared.is_used)
    joined = join(
        taken(pieces, rest, np.zeros(len(rest), dtype=bool)) if len(shared.paths) else pieces,
        tolerance_mm=join_mm,
        groups=groups[rest] if len(shared.paths) else groups,
    )
    members = [number[rest[m]] if len(shared.paths) else number[m] for m in joined.members]
    paths = [*shared.paths, *joined.chains]
    members = [*[number[m] for m in shared.members], *members]
    entries.extend(_joining_entries(pieces, joined, paths, members, shared))
    return Assembled(paths, members, entries)


def _joining_entries(
    pieces: Pieces, joined: Joined, paths: list[Path], members: list[IntArray], shared: _Shared
) -> list[Entry]:
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
    if len(shared.spots):
        count = len(shared.spots)
        words = (
            f"{counted(count, 'edge')} {'belongs' if count == 1 else 'belong'} to two parts and "
            f"{'is' if count == 1 else 'are'} drawn twice; cut as it stands, the bit runs there twice."
        )
        entries.append(decide("shared-edges", words, shared.spots))
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
) -> tuple[Pieces, IntArray, IntArray, IntArray, FloatArray]:
    """Pieces of one segment that another covers dropped; how many copies there were of each that stays."""
    single = np.diff(pieces.first) == 1
    owner = np.repeat(np.arange(pieces.number), np.diff(pieces.first))
    segments = pieces.segments()
    twin = twins(segments, tolerance_mm=double_mm, groups=groups[owner])
    is_extra = (twin >= 0) & single[owner]
    copies = np.ones(pieces.number, dtype=np.int64)
    np.add.at(copies, owner[twin[is_extra]], 1)
    spots = [middles(segments.rows(is_extra))]
    keep = np.ones(pieces.number, dtype=bool)
    keep[owner[is_extra]] = False
    found = without_overlaps(segments.rows(keep[owner]), single[owner][keep[owner]], tolerance_mm=double_mm)
    if len(found.dropped):
        rows = np.flatnonzero(keep[owner])
        p, q, params = segments.p.copy(), segments.q.copy(), segments.params.copy()
        p[rows], q[rows], params[rows] = found.segments.p, found.segments.q, found.segments.params
        pieces = Pieces(p, q, segments.kinds, params, pieces.first)
        keep[owner[rows[~found.keep]]] = False
        spots.append(found.dropped)
    left = np.flatnonzero(keep)
    if len(left) < pieces.number:
        pieces = taken(pieces, left, np.zeros(len(left), dtype=bool))
    return pieces, number[left], groups[left], copies[left], np.vstack(spots)


class _Shared(NamedTuple):
    """Parts that have an edge in common, put together each with its own copy of it. ``spots`` are half way along
    the shared edges, ``kept`` half way along each piece of them."""

    paths: list[Path]
    members: list[IntArray]
    is_used: BoolArray
    spots: FloatArray
    kept: FloatArray


def _shared_edges(pieces: Pieces, groups: IntArray, copies: IntArray, join_mm: float) -> _Shared:
    """Where lines drawn twice are exactly the edges between the areas of a net, and lines drawn once its rim, every area is a
    part of its own: two parts that share an edge on purpose, not one part drawn carelessly."""
    none = np.zeros((0, 2))
    nothing = _Shared([], [], np.zeros(pieces.number, dtype=bool), none, none)
    if not (copies == 2).any() or not (copies == 1).any():
        return nothing
    net = join(pieces, tolerance_mm=join_mm, groups=groups, settles_forks=False)
    times = np.array([_only(copies[m]) for m in net.members])
    is_open = np.array([not path.closed for path in net.chains])
    rows = np.flatnonzero(is_open)
    if not len(rows):
        return nothing
    ends = np.array([(net.chains[k].nodes[0], net.chains[k].nodes[-1]) for k in rows]).reshape(-1, 2)
    joint = np.unique(np.round(ends / (4 * join_mm)), axis=0, return_inverse=True)[1].reshape(-1, 2)
    joints = int(joint.max()) + 1
    links = coo_matrix((np.ones(len(rows), dtype=bool), (joint[:, 0], joint[:, 1])), shape=(joints, joints))
    part = connected_components(links, directed=False)[1][joint[:, 0]]
    paths: list[Path] = []
    members: list[IntArray] = []
    is_used = np.zeros(pieces.number, dtype=bool)
    spots: list[FloatArray] = []
    for k in np.unique(part[times[rows] == 2]).tolist():
        mine = np.flatnonzero(part == k)
        lines = [net.chains[rows[n]] for n in mine]
        ways = faces(lines, [(int(a), int(b)) for a, b in joint[mine]])
        seen = np.bincount([n for way in ways for n, _ in way], minlength=len(mine))
        if not (seen == times[rows[mine]]).all() or not (seen == 1).any():
            continue
        for way in ways:
            paths.append(walked(lines, way))
            members.append(np.concatenate([net.members[rows[mine[n]]] for n, _ in way]))
            is_used[members[-1]] = True
        spots.extend(lines[n].point_at(lines[n].length() / 2) for n in np.flatnonzero(seen == 2).tolist())
    twice = taken(pieces, np.flatnonzero(is_used & (copies == 2)), np.zeros(int((is_used & (copies == 2)).sum()), bool))
    return _Shared(paths, members, is_used, np.array(spots).reshape(-1, 2), middles(twice.segments()))


def _far_from(points: FloatArray, others: FloatArray, reach: float) -> BoolArray:
    if not len(others):
        return np.ones(len(points), dtype=bool)
    return np.asarray(cKDTree(others).query(points)[0] > 2 * reach)


def _only(values: IntArray) -> int:
    """The value all have, or 0."""
    return int(values[0]) if (values == values[0]).all() else 0
