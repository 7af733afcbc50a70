"""Repairs of drawn shapes, each on its own: what comes out, from which shapes it came, and what was done.

``mend_on_import`` runs the safe ones with safe tolerances. Every repair leaves a shape it does not concern as the same object.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

import msgspec
import numpy as np
from scipy.spatial import cKDTree

from archimetra.artwork.assemble import DOUBLE_MM, JOIN_MM, NOTHING_MM, assemble
from archimetra.artwork.drawing import Drawing, DrawnShape
from archimetra.artwork.nets import parts_of_nets
from archimetra.artwork.report import ReportLine, counted, decide, mended
from archimetra.geometry.arcfit import fit_arcs
from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.distance import SegmentField
from archimetra.geometry.doubles import middles, twins, without_overlaps
from archimetra.geometry.fill import FillRule
from archimetra.geometry.nodes import closed_straight
from archimetra.geometry.path import Path, bounds_of
from archimetra.geometry.pieces import pieces_of
from archimetra.geometry.refit import FINE_MM, FIT_MM, crossings, deviation, region_paths
from archimetra.geometry.region import region_of, unite
from archimetra.geometry.segments import Kind
from archimetra.geometry.thicken import thickened

replace = msgspec.structs.replace


class Mended(NamedTuple):
    """``origins`` (one per shape) are the numbers of the shapes it came from, the first of which gives it its name."""

    shapes: list[DrawnShape]
    origins: Sequence[tuple[int, ...]]
    entries: list[ReportLine]


Repair = Callable[[Sequence[DrawnShape]], Mended]


def in_turn(shapes: Sequence[DrawnShape], repairs: Sequence[Repair]) -> Mended:
    """Several repairs one after the other."""
    now = Mended(list(shapes), [(k,) for k in range(len(shapes))], [])
    for repair in repairs:
        then = repair(now.shapes)
        origins = [tuple(dict.fromkeys(o for k in came for o in now.origins[k])) for came in then.origins]
        now = Mended(then.shapes, origins, [*now.entries, *then.entries])
    return now


def mend_on_import(drawing: Drawing) -> Drawing:
    """The drawing with needless nodes, doubles and small gaps gone, and its report saying so."""
    done = in_turn(drawing.shapes, (tidy, drop_doubled_outlines, join_ends))
    return replace(drawing, shapes=tuple(done.shapes), report=(*drawing.report, *done.entries))


# ---- nodes


def tidy(shapes: Sequence[DrawnShape]) -> Mended:
    """Doubled nodes and segments without length dropped; outlines that were nothing else with them."""
    if not _has_needless(shapes):
        return Mended(list(shapes), [(k,) for k in range(len(shapes))], [])
    out: list[DrawnShape] = []
    origins: list[tuple[int, ...]] = []
    places: list[FloatArray] = []
    count = gone = 0
    for k, shape in enumerate(shapes):
        paths = []
        for path in shape.paths:
            short = _needless(path)
            if short is None:
                paths.append(path)
                continue
            count += int(short.sum())
            places.extend(path.nodes[1:][short])
            left = _without(path, short)
            if left is None:
                gone += 1
            else:
                paths.append(left)
        if paths:
            changed = len(paths) != len(shape.paths) or any(a is not b for a, b in zip(paths, shape.paths, strict=True))
            out.append(replace(shape, paths=tuple(paths)) if changed else shape)
            origins.append((k,))
    entries = []
    if count:
        words = f"{counted(count, 'doubled node')} {'was' if count == 1 else 'were'} dropped"
        words += f", and with them {counted(gone, 'outline')} without extent." if gone else "."
        entries.append(mended("doubled-nodes", words, places))
    return Mended(out, origins, entries)


def _has_needless(shapes: Sequence[DrawnShape]) -> bool:
    """Whether any path may hold a segment that is a point: one look at all of them."""
    paths = [path for shape in shapes for path in shape.paths]
    if not paths:
        return False
    steps = np.diff(np.concatenate([path.nodes for path in paths]), axis=0)
    between = np.cumsum([len(path.nodes) for path in paths])[:-1] - 1  # from one path to the next
    is_short = np.abs(steps).max(axis=1, initial=0.0) <= NOTHING_MM
    is_short[between] = False
    return bool(is_short.any()) or any(not len(path) for path in paths)


def _needless(path: Path) -> FloatArray | None:
    """Which segments are points; None where none is."""
    d = np.diff(path.nodes, axis=0)
    short = np.abs(d).max(axis=1) <= NOTHING_MM if len(d) else np.ones(0, dtype=bool)
    if not short.any():
        return None
    loops = short & (path.kinds == Kind.CUBIC)
    for i in np.flatnonzero(loops):
        handles = path.params[i].reshape(2, 2) - path.nodes[i]
        short[i] = bool(np.abs(handles).max() <= NOTHING_MM)
    return short if short.any() else None


def _without(path: Path, short: FloatArray) -> Path | None:
    keep = ~short.astype(bool)
    if not keep.any():
        return None
    rows = np.flatnonzero(keep)
    nodes = np.vstack((path.nodes[rows], path.nodes[rows[-1] + 1 : rows[-1] + 2]))
    if path.closed:
        nodes[-1] = nodes[0]
    else:
        nodes[0], nodes[-1] = path.nodes[0], path.nodes[-1]
    return Path(nodes, path.kinds[rows], path.params[rows], closed=path.closed)


# ---- doubles


def drop_doubled_outlines(shapes: Sequence[DrawnShape]) -> Mended:
    """As ``drop_doubles``, but loose lines stay for ``join_ends``: whether one is drawn twice or for two parts, the net tells."""
    return drop_doubles(shapes, with_open=False)


def drop_doubles(shapes: Sequence[DrawnShape], *, tolerance_mm: float = DOUBLE_MM, with_open: bool = True) -> Mended:
    """Whole outlines that lie on another of the same layer dropped; of two on different layers both stay and are told."""
    paths = [path for shape in shapes for path in shape.paths]
    owner = np.repeat(np.arange(len(shapes)), [len(shape.paths) for shape in shapes])
    if len(paths) < 2:
        return Mended(list(shapes), [(k,) for k in range(len(shapes))], [])
    bounds_of(paths)  # finds all boxes in one go
    features = np.array([path.bounds() for path in paths])
    pairs = _near_rows(features, tolerance_mm)
    dropped: dict[int, int] = {}
    told: list[tuple[float, float]] = []
    for i, j in pairs:
        if j in dropped or i in dropped or paths[i].closed != paths[j].closed or not len(paths[i]):
            continue
        is_for_later = not paths[i].closed and not with_open
        if is_for_later and shapes[owner[i]].layer == shapes[owner[j]].layer:
            continue
        if not same_outline(paths[i], paths[j], tolerance_mm):
            continue
        spot = paths[j].nodes[0]
        if shapes[owner[i]].layer != shapes[owner[j]].layer:
            told.append((float(spot[0]), float(spot[1])))
        elif owner[i] != owner[j] or shapes[owner[i]].fill_rule is FillRule.NONZERO or not paths[i].closed:
            dropped[j] = i
    out, origins = [], []
    at = 0
    for k, shape in enumerate(shapes):
        kept = tuple(path for n, path in enumerate(shape.paths, at) if n not in dropped)
        at += len(shape.paths)
        if kept:
            out.append(shape if len(kept) == len(shape.paths) else replace(shape, paths=kept))
            origins.append((k,))
    entries = []
    if dropped:
        words = f"{counted(len(dropped), 'outline')} drawn twice {'was' if len(dropped) == 1 else 'were'} dropped."
        entries.append(mended("double-outlines", words, [paths[j].nodes[0] for j in dropped]))
    if told:
        words = (
            f"{counted(len(told), 'outline')} {'lies' if len(told) == 1 else 'lie'} on two layers at once; both stayed."
        )
        entries.append(decide("doubles-on-layers", words, told))
    return Mended(out, origins, entries)


def _near_rows(features: FloatArray, tolerance_mm: float) -> list[tuple[int, int]]:
    """Pairs (i < j) of rows alike within the tolerance a column; many alike rows are each paired with the first."""
    cells = np.round(features / (tolerance_mm / 50))
    _, first, which = np.unique(cells, axis=0, return_index=True, return_inverse=True)
    which = which.ravel()
    near = cKDTree(features[first]).query_pairs(4 * tolerance_mm, output_type="ndarray")
    pairs = {(min(a, b), max(a, b)) for a, b in first[near].tolist()}
    pairs |= {(int(first[w]), n) for n, w in enumerate(which.tolist()) if first[w] != n}
    return sorted(pairs, key=lambda pair: (pair[1], pair[0]))


def same_outline(one: Path, two: Path, tolerance_mm: float) -> bool:
    """Whether two outlines lie on each other all along, wherever they begin and whichever way they run."""
    lines = one.flatten(tolerance_mm / 8), two.flatten(tolerance_mm / 8)
    for mine, other in (lines, lines[::-1]):
        middles = (mine[1:] + mine[:-1]) / 2
        points = np.vstack((mine, middles))
        if (SegmentField([other], reach_mm=2 * tolerance_mm).gaps(points) > tolerance_mm).any():
            return False
    return True


def drop_overlaps(shapes: Sequence[DrawnShape], *, tolerance_mm: float = DOUBLE_MM) -> Mended:
    """Open lines cut back to what nothing else on their layer covers; edges that two closed outlines share are told."""
    gone: set[tuple[int, int]] = set()
    cut: dict[tuple[int, int], Path] = {}
    dropped: list[FloatArray] = []
    shared: list[FloatArray] = []
    for layer in sorted({shape.layer for shape in shapes}):
        named = [
            ((k, n), path)
            for k, shape in enumerate(shapes)
            if shape.layer == layer
            for n, path in enumerate(shape.paths)
        ]
        # loose lines last: of two that cover each other the later one gives way
        named.sort(key=lambda row: not row[1].closed and len(row[1]) == 1)
        named = [row for row in named if len(row[1])]
        if len(named) < 2:
            continue
        pieces = pieces_of([path for _, path in named])
        owner = np.repeat(np.arange(len(named)), np.diff(pieces.first))
        is_loose = np.array([not path.closed and len(path) == 1 for _, path in named])[owner]
        twin = twins(pieces.segments(), tolerance_mm=tolerance_mm)
        extra = (twin >= 0) & is_loose
        rows = np.flatnonzero(~extra)
        found = without_overlaps(pieces.segments().rows(rows), is_loose[rows], tolerance_mm=tolerance_mm)
        at = middles(pieces.segments())
        dropped.extend(at[extra])
        dropped.extend(found.dropped)
        gone.update(named[k][0] for k in owner[extra].tolist())
        gone.update(named[k][0] for k in owner[rows[~found.keep]].tolist())
        for row, k in zip(rows.tolist(), owner[rows].tolist(), strict=True):
            n = int(np.searchsorted(rows, row))
            if is_loose[row] and found.keep[n]:
                new = np.array([found.segments.p[n], found.segments.q[n]])
                if not np.array_equal(new, named[k][1].nodes):
                    params = found.segments.params[n : n + 1]
                    cut[named[k][0]] = Path(new, named[k][1].kinds, params, closed=False)
        pairs = {(int(owner[rows[i]]), int(owner[rows[j]])): at[rows[j]] for i, j in found.shared}
        shared.extend(spot for (a, b), spot in pairs.items() if a != b)
    out, origins = [], []
    for k, shape in enumerate(shapes):
        paths = tuple(cut.get((k, n), path) for n, path in enumerate(shape.paths) if (k, n) not in gone)
        if paths:
            same = len(paths) == len(shape.paths) and all(a is b for a, b in zip(paths, shape.paths, strict=True))
            out.append(shape if same else replace(shape, paths=paths))
            origins.append((k,))
    entries = []
    if dropped:
        words = f"{counted(len(dropped), 'line')} drawn twice {'was' if len(dropped) == 1 else 'were'} dropped."
        entries.append(mended("doubles", words, dropped))
    if shared:
        words = f"{counted(len(shared), 'edge')} shared by two outlines {'was' if len(shared) == 1 else 'were'} kept."
        entries.append(decide("shared-edges", words, shared))
    return Mended(out, origins, entries)


# ---- joining


def join_ends(
    shapes: Sequence[DrawnShape], *, tolerance_mm: float = JOIN_MM, double_mm: float = DOUBLE_MM, drops: bool = True
) -> Mended:
    """Open lines of a layer joined end to end, drawn twice or overlapping ones dropped. A shape made of several
    open lines comes apart into what they join to; closed outlines in it stay together."""
    loose: list[Path] = []
    owner: list[int] = []
    out: list[DrawnShape] = []
    origins: list[tuple[int, ...]] = []
    for k, shape in enumerate(shapes):
        is_loose = [not path.closed and len(path) > 0 for path in shape.paths]
        if not any(is_loose):
            out.append(shape)
            origins.append((k,))
            continue
        loose.extend(path for path, free in zip(shape.paths, is_loose, strict=True) if free)
        owner.extend([k] * sum(is_loose))
        closed = tuple(path for path, free in zip(shape.paths, is_loose, strict=True) if not free)
        if closed:
            out.append(replace(shape, paths=closed))
            origins.append((k,))
    if not loose:
        return Mended(out, origins, [])
    layers = np.array([shapes[k].layer for k in owner])
    found = assemble(pieces_of(loose), layers, join_mm=tolerance_mm, double_mm=double_mm, drops=drops)
    if not found.entries:
        return Mended(list(shapes), [(k,) for k in range(len(shapes))], [])
    for path, parts in zip(found.paths, found.members, strict=True):
        came = tuple(dict.fromkeys(owner[n] for n in parts.tolist()))
        first = shapes[min(came)]
        alone = len(came) == 1 and len(first.paths) == 1 and path is first.paths[0]
        out.append(first if alone else replace(first, paths=(path,)))
        origins.append((min(came), *[k for k in came if k != min(came)]))
    order = sorted(range(len(out)), key=lambda n: origins[n][0])  # in the order they were drawn
    return Mended([out[n] for n in order], [origins[n] for n in order], found.entries)


def areas_as_parts(shapes: Sequence[DrawnShape]) -> Mended:
    """Every area that loose lines enclose as a part of its own, with its own copy of the lines between it and the next."""
    loose = [(k, path) for k, shape in enumerate(shapes) for path in shape.paths if len(path)]
    sides = [_sides(path) for _, path in loose]
    pieces = pieces_of([side for own in sides for side in own])
    unit = np.repeat(np.arange(len(loose)), [len(own) for own in sides])  # the outline each side is of
    layers = np.array([shapes[loose[n][0]].layer for n in unit.tolist()], dtype=np.int64)
    nets = parts_of_nets(pieces, layers, tolerance_mm=JOIN_MM, double_mm=DOUBLE_MM, every=True)
    used = set(unit[nets.is_used].tolist())  # sides of one outline hang together, so all of them are
    if not used:
        return Mended(list(shapes), [(k,) for k in range(len(shapes))], [])
    out: list[tuple[int, DrawnShape, tuple[int, ...]]] = []
    taken = {k: [path for n, (own, path) in enumerate(loose) if own == k and n in used] for k in range(len(shapes))}
    for k, shape in enumerate(shapes):
        left = tuple(path for path in shape.paths if not any(path is gone for gone in taken[k]))
        if left:
            out.append((k, shape if len(left) == len(shape.paths) else replace(shape, paths=left), (k,)))
    for path, members in zip(nets.paths, nets.members, strict=True):
        came = tuple(dict.fromkeys(loose[n][0] for n in unit[members].tolist()))
        out.append((min(came), replace(shapes[came[0]], paths=(path,)), came))
    out.sort(key=lambda row: row[0])
    count = sum(path.closed for path in nets.paths)
    entries = [
        mended(
            "areas",
            f"{counted(count, 'area')} between lines {'is a part' if count == 1 else 'are parts'} of their own now.",
        )
    ]
    return Mended([shape for _, shape, _ in out], [came for _, _, came in out], entries)


def _sides(path: Path) -> list[Path]:
    """An outline as its single lines, an open line as it is."""
    if not path.closed:
        return [path]
    return [
        Path(path.nodes[k : k + 2], path.kinds[k : k + 1], path.params[k : k + 1], closed=False)
        for k in range(len(path))
    ]


def close_open(shapes: Sequence[DrawnShape]) -> Mended:
    """Every open line closed with a straight line."""
    out = []
    places = []
    widest = 0.0
    for shape in shapes:
        paths = []
        for path in shape.paths:
            if path.closed or len(path) < 2:
                paths.append(path)
                continue
            gap = float(np.hypot(*(path.nodes[-1] - path.nodes[0])))
            widest = max(widest, gap)
            places.append((path.nodes[0] + path.nodes[-1]) / 2)
            paths.append(closed_straight(path))
        changed = any(a is not b for a, b in zip(paths, shape.paths, strict=True))
        out.append(replace(shape, paths=tuple(paths)) if changed else shape)
    entries = []
    if places:
        words = f"{counted(len(places), 'open line')} closed with a straight line of up to {widest:.3g} mm."
        entries.append(mended("closed", words, places))
    return Mended(out, [(k,) for k in range(len(shapes))], entries)


# ---- strays


def drop_strays(
    shapes: Sequence[DrawnShape], *, smaller_than_mm: float, page: tuple[float, float, float, float] | None = None
) -> Mended:
    """Outlines whose whole extent is below a size dropped, and those wholly outside ``page`` (x0 y0 x1 y1)."""
    out, origins = [], []
    small: list[FloatArray] = []
    outside: list[FloatArray] = []
    for k, shape in enumerate(shapes):
        kept = []
        for path in shape.paths:
            x0, y0, x1, y1 = path.bounds()
            if max(x1 - x0, y1 - y0) < smaller_than_mm:
                small.append(path.nodes[0])
            elif page is not None and (x1 < page[0] or y1 < page[1] or x0 > page[2] or y0 > page[3]):
                outside.append(path.nodes[0])
            else:
                kept.append(path)
        if kept:
            out.append(shape if len(kept) == len(shape.paths) else replace(shape, paths=tuple(kept)))
            origins.append((k,))
    entries = []
    if small:
        words = f"{counted(len(small), 'stray bit')} smaller than {smaller_than_mm:g} mm removed."
        entries.append(mended("strays", words, small))
    if outside:
        entries.append(mended("off-page", f"{counted(len(outside), 'outline')} off the sheet removed.", outside))
    return Mended(out, origins, entries)


# ---- simplifying


class Simpler(NamedTuple):
    """Nodes before and after, and the largest measured deviation in mm."""

    before: int
    after: int
    deviation: float


def simplify(shapes: Sequence[DrawnShape], *, tolerance_mm: float) -> tuple[Mended, Simpler]:
    """Outlines as the fewest lines and arcs within the tolerance; one that would not become simpler stays."""
    out = []
    before = after = 0
    worst = 0.0
    for shape in shapes:
        paths = []
        for path in shape.paths:
            simple = simplified(path, tolerance_mm)
            strays = deviation([path], [simple]) if simple is not path else 0.0
            if strays > tolerance_mm * 1.001 + 1e-6:
                simple, strays = path, 0.0
            worst = max(worst, strays)
            before, after = before + len(path), after + len(simple)
            paths.append(simple)
        changed = any(a is not b for a, b in zip(paths, shape.paths, strict=True))
        out.append(replace(shape, paths=tuple(paths)) if changed else shape)
    entries = []
    if after < before:
        words = f"{counted(before, 'node')} became {after:,}; no outline moved more than {worst:.3f} mm."
        entries.append(mended("simplified", words))
    return Mended(out, [(k,) for k in range(len(shapes))], entries), Simpler(before, after, worst)


def simplified(path: Path, tolerance_mm: float) -> Path:
    """One outline with fewer nodes, or itself. Lines and arcs; corners stay corners."""
    if len(path) < 3:
        return path
    flat = path.flatten(tolerance_mm / 5)
    if len(flat) < 3:
        return path
    simple = fit_arcs(flat, tolerance_mm=tolerance_mm * 0.75, closed=path.closed)
    return simple if len(simple) < len(path) else path


# ---- crossings and strokes


def uncross(shapes: Sequence[DrawnShape]) -> Mended:
    """Closed outlines that cross themselves or each other within a shape redrawn as what they fill."""
    out = []
    places: list[FloatArray] = []
    for shape in shapes:
        closed = [path for path in shape.paths if path.closed]
        if not closed:
            out.append(shape)
            continue
        found = crossings([path.flatten(FINE_MM) for path in closed])
        if not len(found):
            out.append(shape)
            continue
        places.extend(found)
        region = region_of(closed, shape.fill_rule, chord_tolerance_mm=FINE_MM)
        others = tuple(path for path in shape.paths if not path.closed)
        paths = region_paths(region) + others
        out.append(replace(shape, paths=paths, fill_rule=FillRule.EVENODD) if paths else shape)
    entries = []
    if places:
        words = f"{counted(len(places), 'crossing')} of outlines with themselves resolved as the drawing fills them."
        entries.append(mended("uncrossed", words, places))
    return Mended(out, [(k,) for k in range(len(shapes))], entries)


def find_crossings(shapes: Sequence[DrawnShape]) -> FloatArray:
    """Where closed outlines of one shape cross (k, 2)."""
    found = [
        crossings([path.flatten(FINE_MM) for path in shape.paths if path.closed])
        for shape in shapes
        if any(path.closed for path in shape.paths)
    ]
    return np.vstack(found) if found else np.zeros((0, 2))


def outline_strokes(
    shapes: Sequence[DrawnShape], *, width_mm: float | None = None, ends: str = "round", corners: str = "round"
) -> Mended:
    """Lines as the areas their pens would ink; ``width_mm`` overrides the widths the file gave. Shapes without a width
    stay as they are."""
    out = []
    count = 0
    for shape in shapes:
        width = shape.stroke_width if width_mm is None else width_mm
        if not width or (width_mm is None and shape.is_filled):
            out.append(shape)
            continue
        region = unite([thickened(path, width, ends=ends, corners=corners) for path in shape.paths if len(path)])
        paths = region_paths(region, tolerance_mm=FIT_MM)
        if not paths:
            out.append(shape)
            continue
        count += 1
        out.append(replace(shape, paths=paths, fill_rule=FillRule.EVENODD, is_filled=True, stroke_width=None))
    entries = [mended("strokes", f"{counted(count, 'line')} turned into outlines as wide as drawn.")] if count else []
    return Mended(out, [(k,) for k in range(len(shapes))], entries)
