"""Nesting, from a first answer within a second to better and better ones until time or work is up."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
import shapely

from archimetra.geometry.arrays import AnyArray, FloatArray
from archimetra.layout.nest import first_kernels, search_kernels
from archimetra.layout.nest.answer import Nested, Placement
from archimetra.layout.nest.checking import faults, placed_outline
from archimetra.layout.nest.compaction import compact, legalise
from archimetra.layout.nest.grown import COARSE_MM, TOLERANCE_MM
from archimetra.layout.nest.request import NestError, NestRequest
from archimetra.layout.nest.space import Layout, Space, space_of

MANY = 300  # pieces beyond which whole-sheet looks and full programs take too long
_ROUGH, _FINE, _FINE_MANY = 14.0, 32.0, 20.0  # cells along a mean part
_NEARLY = 3.0  # cells of overlap a linear program may still take apart
_POOL = 8
_GATHERINGS = 40  # rounds of moving together
_FRONT = 0.01  # what a mean place farther to the front counts for beside the length used, where parts gather

Score = tuple[float, ...]


def nest_at_once(
    request: NestRequest, *, work: float = np.inf, stop: AnyArray | None = None, tell: Callable[[Nested], None] | None = None,
) -> Nested:  # fmt: skip
    """The best layout on sheets of which there is one each, found until ``work`` (cells looked at; a second of a core is about 1e9) is done or
    ``stop[0]`` is set.

    ``tell`` gets every better layout on the way, each checked. The same request and work give the same answer.
    Raises NestError where nothing can be nested.
    """
    flag = np.zeros(1, np.int64) if stop is None else stop
    asked = sum(part.quantity for part in request.parts)
    found: Nested | None = None
    counter = np.zeros(1)
    for fineness, tolerance in ((_ROUGH, COARSE_MM), (_FINE if asked <= MANY else _FINE_MANY, TOLERANCE_MM)):
        space = space_of(request, fineness=fineness, tolerance=tolerance)
        search = _Search(request, space, counter, work, flag, tell, found)
        search.begin()
        found = search.found
        if search.is_over:
            break
        if fineness > _ROUGH:
            search.improve()
            if request.gathers:
                search.gather()
            found = search.found
    if found is None:
        raise NestError("No layout came out right when it was measured. Try a larger spacing or margin.")
    return found


class _Search:
    """One run on one set of tables. ``found`` is the best layout so far, whichever tables it came from."""

    def __init__(
        self, request: NestRequest, space: Space, counter: FloatArray, budget: float, stop: AnyArray,
        tell: Callable[[Nested], None] | None, found: Nested | None,
    ) -> None:  # fmt: skip
        self._request, self._space, self._tell = request, space, tell
        self._work, self._budget, self._stop = counter, budget, stop
        self._random = np.random.default_rng(request.seed)
        self._state = np.array([request.seed * 2 + 0x9E3779B97F4A7C15 & 0xFFFFFFFFFFFFFFFF], np.uint64)
        self._items = int((~space.fixed).sum())
        self._local = 0.5 if self._items <= MANY else 0.95
        self.found = found
        self._kept: tuple[Layout, FloatArray] | None = None  # of what was found here
        self._raster: Layout | None = None

    @property
    def is_over(self) -> bool:
        return bool(self._stop[0]) or self._work[0] >= self._budget

    # ---- the first answer

    def begin(self) -> None:
        """Parts one after the other, in a few orders; the best of them moved together."""
        s = self._space
        size = np.array([(shape.width, shape.height) for shape in s.shapes])[s.first[s.part[: self._items]]]
        area = s.area[: self._items]
        keys = (area, size.max(axis=1), size.min(axis=1), size.sum(axis=1))
        best: tuple[Score, Layout] | None = None
        for key in keys[:1] if self._items > MANY else keys:
            layout = s.empty()
            self._fill(layout, np.lexsort((np.arange(self._items), -key, s.priority[: self._items])))
            score = self._score(layout, s.corners(layout))
            if best is None or score < best[0]:
                best = score, layout
            if self.is_over:
                break
        assert best is not None
        self._raster = best[1]
        self._offer(best[1], s.corners(best[1]))
        self._polish(best[1])

    def _fill(self, layout: Layout, order: AnyArray) -> None:
        s = self._space
        first_kernels.place_in_order(
            s.tables, order.astype(np.int64), s.part, s.first, s.number, s.room, s.moves, *layout, self._work
        )

    # ---- better and better

    def improve(self) -> None:
        assert self._raster is not None
        if (self._raster.zone[: self._items] < 0).any():
            self._bring_in()
        if not self.is_over and (self._raster.zone[: self._items] >= 0).all():
            self._shrink()
        self._polish(self._raster)

    def _bring_in(self) -> None:
        """Find room for what was left out, priority by priority: worse ones make way and are placed again in what is left."""
        s, n = self._space, self._items
        assert self._raster is not None
        tries = 0
        while not self.is_over and tries < 60:
            out = np.flatnonzero(self._raster.zone[:n] < 0)
            if not len(out):
                return
            worst = int(s.priority[out].min())
            wanted = out[s.priority[out] == worst]
            rank = np.argsort(-s.area[wanted], kind="stable")
            pick = int(wanted[rank[min(int(self._random.exponential(1.0)), len(wanted) - 1)]])
            layout = self._raster.copy()
            worse = np.flatnonzero((s.priority[:n] > worst) & (layout.zone[:n] >= 0))
            layout.zone[worse] = -1
            if tries % 3 == 2:  # another of its kind makes way for once
                same = np.flatnonzero((s.priority[:n] == worst) & (layout.zone[:n] >= 0))
                if len(same):
                    layout.zone[int(self._random.choice(same))] = -1
            if not self._put_in(layout, pick, len(s.zones)):
                tries += 1
                continue
            if self._separate(layout, s.room) > 0:
                tries += 1
                continue
            left = np.flatnonzero(layout.zone[:n] < 0)
            self._fill(layout, left[np.lexsort((left, -s.area[left], s.priority[left]))])
            if self._score(layout, s.corners(layout)) < self._score(self._raster, s.corners(self._raster)):
                self._raster = layout
                self._offer(layout, s.corners(layout))
                tries = 0
            else:
                tries += 1

    def _shrink(self) -> None:
        """Squeeze what lies on the last sheet used, until it needs less of it, or none."""
        s, n = self._space, self._items
        assert self._raster is not None
        last = int(self._raster.zone[:n].max())
        length = s.right_end(self._raster, last)
        polished = length
        share, least, most = (0.035, 0.003, 0.05) if last == 0 else (0.05, 0.006, 0.2)
        pool: list[tuple[float, Layout]] = []
        failures = 0
        start = self._raster
        while not self.is_over:
            smallest = float(s.tables.size[: int(s.moves.sum())].min())
            target = min(length * (1 - share), length - 0.5)
            room = s.room[: last + 1].copy()
            room[last, 0] = target
            if target < smallest:
                if last == 0:
                    return
                room = s.room[:last].copy()
            layout = start.copy()
            if not self._squeeze(layout, room, last):
                share *= 0.6
                failures += 1
                if share < least / 4:
                    return
                continue
            total = self._separate(layout, room)
            if total == 0:
                self._raster = start = layout
                before, last = last, int(layout.zone[:n].max())
                length = s.right_end(layout, last)
                share = min(share * 1.5, most)
                pool.clear()
                if length < 0.99 * polished or last != before:
                    self._polish(layout)
                    polished = length
                else:
                    self._offer(layout, s.corners(layout))
                continue
            failures += 1
            if polished > length:
                self._polish(self._raster)
                polished = length
            if total < _NEARLY and len(room) == last + 1:
                self._legalise(layout, last, room)
            pool = sorted([*pool, (total, layout)], key=lambda entry: entry[0])[:_POOL]
            share = max(0.6 * share, least)
            if failures % 10 == 0:
                pool.clear()
            start = self._raster
            if share <= least and pool:
                start = pool[min(int(abs(self._random.normal(0.0, 0.35)) * len(pool)), len(pool) - 1)][1].copy()
                self._swap_two(start)

    def _squeeze(self, layout: Layout, room: FloatArray, last: int) -> bool:
        """Bring what lies beyond the room back into it."""
        s, n = self._space, self._items
        target = room[last, 0] if len(room) > last else 0.0
        end = layout.x[:n] + s.tables.size[layout.shape[:n], 0]
        beyond = np.flatnonzero((layout.zone[:n] == last) & (end > target + 1e-9))
        if len(room) == last + 1 and last == 0:
            cut = self._random.uniform(0.0, target)
            by = int(np.ceil(end[beyond].max(initial=target) - target))
            move = np.flatnonzero((layout.zone[:n] == 0) & (layout.x[:n] > cut))
            layout.x[move] -= by
            columns = np.floor(target - s.tables.size[layout.shape[:n], 0] + 1e-9).astype(np.int64)
            if (columns < 0).any():
                return False
            layout.x[:n] = np.clip(layout.x[:n], 0, columns)
            return True
        layout.zone[beyond] = -1
        return all(self._put_in(layout, int(item), len(room), room) for item in beyond.tolist())

    def _swap_two(self, layout: Layout) -> None:
        """Exchange two of the larger parts."""
        s, n = self._space, self._items
        large = np.flatnonzero((s.area[:n] >= np.median(s.area[:n])) & (layout.zone[:n] >= 0))
        if len(large) < 2:
            return
        a, b = self._random.choice(large, 2, replace=False).tolist()
        for field in (layout.x, layout.y, layout.zone):
            field[a], field[b] = field[b], field[a]
        for item in (a, b):
            room = s.room[layout.zone[item]] - s.tables.size[layout.shape[item]]
            layout.x[item] = min(layout.x[item], max(int(room[0]), 0))
            layout.y[item] = min(layout.y[item], max(int(room[1]), 0))

    def _put_in(self, layout: Layout, item: int, zones: int, room: FloatArray | None = None) -> bool:
        s = self._space
        return bool(
            search_kernels.put_in(
                s.tables, *layout, item, s.part, s.first, s.number, s.room if room is None else room, zones, s.buffer,
                self._state, self._work,
            )
        )  # fmt: skip

    def _separate(self, layout: Layout, room: FloatArray) -> float:
        s = self._space
        return float(
            search_kernels.separate(
                s.tables, *layout, s.part, s.first, s.number, s.fixed, room, s.sigma, self._local, s.buffer, self._state,
                self._work, self._budget, self._stop,
            )
        )  # fmt: skip

    # ---- exact

    def _polish(self, layout: Layout) -> None:
        """Move what lies on the last sheet used together, exactly."""
        s, n = self._space, self._items
        placed = layout.zone[:n] >= 0
        if not placed.any():
            return
        last = int(layout.zone[:n].max())
        corners = s.corners(layout)
        items, lying = s.lying(layout, corners, last)
        zone = s.zones[last]
        step, rounds = (2 * s.cell, 8) if self._items <= MANY else (s.cell, 4)
        corners[items] = compact(lying, s.pieces, (zone.width, zone.height), step, self._random, self._work, rounds)
        self._offer(layout, corners)

    def gather(self) -> None:
        """Move what lies on every sheet together, whatever the time: without it edges would hardly lie along each other."""
        if self._kept is None:
            return
        s = self._space
        layout, corners = self._kept[0], self._kept[1].copy()
        for zone in np.unique(layout.zone[: self._items][layout.zone[: self._items] >= 0]).tolist():
            items, lying = s.lying(layout, corners, zone)
            room = (s.zones[zone].width, s.zones[zone].height)
            corners[items] = compact(
                lying, s.pieces, room, 4 * s.cell, self._random, self._work, _GATHERINGS, gathers=True
            )
        self._offer(layout, corners)

    def _legalise(self, layout: Layout, last: int, room: FloatArray) -> None:
        s = self._space
        corners = s.corners(layout)
        items, lying = s.lying(layout, corners, last)
        zone = s.zones[last]
        width = float(room[last, 0] * s.cell)
        found = legalise(lying, s.pieces, (width, zone.height), 2 * s.cell, self._work)
        if found is None:
            return
        corners[items] = compact(
            lying._replace(corner=found), s.pieces, (width, zone.height), 2 * s.cell, self._random, self._work
        )
        if all(self._is_free(layout, zone) for zone in range(last)):
            self._offer(layout, corners)

    def _is_free(self, layout: Layout, zone: int) -> bool:
        s = self._space
        there = layout._replace(zone=np.where(layout.zone == zone, layout.zone, -1))
        return not search_kernels.all_depths(s.tables, *there, s.fixed).any()

    # ---- what is best

    def _score(self, layout: Layout, corners: FloatArray) -> Score:
        """Less is better: the area left out by priority, the sheets used, and to what x the last of them is."""
        s, n = self._space, self._items
        out = layout.zone[:n] < 0
        left = np.bincount(s.priority[:n][out], weights=s.area[:n][out], minlength=10)
        if out.all():
            return (*left.tolist(), 0.0, 0.0)
        last = int(layout.zone[:n].max())
        there = layout.zone[:n] == last
        end = corners[:n][there, 0] + s.tables.size[layout.shape[:n][there], 0] * s.cell
        return (*left.tolist(), float(last), float(end.max()))

    def _offer(self, layout: Layout, corners: FloatArray) -> None:
        """Keep a layout where it is better than what is known, and holds when it is looked at exactly."""
        nested = self._nested(layout, corners)
        if self.found is not None and not is_better(self._request, nested, self.found):
            return
        if faults(self._request, nested):
            return
        self.found, self._kept = nested, (layout.copy(), corners.copy())
        if self._tell is not None:
            self._tell(nested)

    def _nested(self, layout: Layout, corners: FloatArray) -> Nested:
        s = self._space
        placements = []
        for item in np.flatnonzero(layout.zone[: self._items] >= 0).tolist():
            shape, zone = s.shapes[int(layout.shape[item])], int(layout.zone[item])
            x = s.zones[zone].x + corners[item, 0] - shape.low[0]
            y = s.zones[zone].y + corners[item, 1] - shape.low[1]
            placements.append(
                Placement(int(s.part[item]), int(s.sheet[zone]), float(x), float(y), shape.degrees, shape.mirrored)
            )
        return summed(self._request, placements, float(self._work[0]))


def summed(request: NestRequest, placements: Sequence[Placement], work: float) -> Nested:
    """These placements as a layout, with its figures."""
    left = np.array([part.quantity for part in request.parts])
    used: dict[int, float] = {}
    area = 0.0
    for p in placements:
        part, count = request.parts[p.part], request.sheets[p.sheet].count
        left[p.part] -= count
        area += part.outline.area * count
        right = float(shapely.bounds(placed_outline(request, p))[2])
        used[p.sheet] = max(used.get(p.sheet, -np.inf), right)
    last = max(used, default=-1)
    whole = sum(request.sheets[k].outline.area * request.sheets[k].count for k in used if k != last)
    to = used.get(last, 0.0)
    if last >= 0:
        sheet = request.sheets[last]
        x0, y0, _, y1 = sheet.outline.bounds
        whole += sheet.outline.intersection(shapely.box(x0, y0, to + request.margin, y1)).area * sheet.count
    sheets = sum(request.sheets[k].count for k in used)
    return Nested(tuple(placements), tuple(left.tolist()), sheets, to, area / whole if whole else 0.0, work)


def is_better(request: NestRequest, one: Nested, other: Nested) -> bool:
    """Whether a layout is better: less left out of a better priority, then fewer sheets, then less of the last."""
    return rank(request, one) < rank(request, other)


def rank(request: NestRequest, nested: Nested) -> Score:
    """What layouts of a request are compared by; less is better."""
    left = np.zeros(10)
    for part, count in zip(request.parts, nested.left_out, strict=True):
        left[part.priority] += count * part.outline.area
    last = max((p.sheet for p in nested.placements), default=0)
    front = 0.0
    if request.gathers and nested.placements:
        front = float(np.mean([shapely.bounds(placed_outline(request, p))[1] for p in nested.placements]))
    return (*left.tolist(), float(last), nested.used_to + _FRONT * front)
