"""Pocket: areas cleared to a depth, islands left standing.

Stages: the area and its clearance (``pocket_area``), loops or lines and strokes (``clearing``), and for each connected piece,
pass by pass: in (``entries``), outwards from its middle, linked at depth wherever the way is clear; then the walls. A pocket that clears
the rest of another goes only where the larger bit could not.
"""

from __future__ import annotations

from collections.abc import Callable
from math import sqrt

import msgspec
import numpy as np
import shapely

from archimetra.base.errors import GeometryError
from archimetra.base.findings import Finding, Severity
from archimetra.geometry.arcfit import fit_arcs
from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.region import polygons_of
from archimetra.job.bits import FLAT_BOTTOMED, Bit, BitKind
from archimetra.job.cut_parts import Entry, Pattern
from archimetra.job.cuts.pocket import PocketCut
from archimetra.toolpath.hole.planner import drilled_holes
from archimetra.toolpath.pocket import findings as told
from archimetra.toolpath.pocket.area import PocketArea, pocket_area
from archimetra.toolpath.pocket.rest import RestOfPocket, point_on
from archimetra.toolpath.pocket.walls import Walls
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.clearing import (
    INNER_FIT_MM,
    JUST_FITS_MM,
    Loop,
    Node,
    covering_strokes,
    every_loop,
    fitting_strokes,
    gap_to,
    loop_tree,
    raster_lines,
)
from archimetra.toolpath.shared.contours import no_area, open_finding, walks_right
from archimetra.toolpath.shared.entries import helix_at, lay_helix
from archimetra.toolpath.shared.linking import Links
from archimetra.toolpath.shared.move_builder import MoveBuilder
from archimetra.toolpath.shared.moves import Role, Toolpath
from archimetra.toolpath.shared.order import inside_first
from archimetra.toolpath.shared.passes import lay_pass, no_lifts, pass_depths, ramp_length
from archimetra.toolpath.shared.refusals import nothing_to_plan, only_by_plunging
from archimetra.toolpath.shared.strokes import to_and_fro
from archimetra.toolpath.shared.track import Track

Progress = Callable[[float], None]
MANY_LOOPS = 12  # of one level
_SHORT_ROW = 1.0  # of the bit's diameter: too short to ramp down on
ACROSS_DIAMETERS = 3.0  # how far a branch may be reached through solid wood

replace = msgspec.structs.replace


def plan_pocket(work: ResolvedCut, progress: Progress = lambda share: None) -> tuple[Toolpath, tuple[Finding, ...]]:
    """The toolpath of one pocket and what to know about it. Deterministic; only the progress callback may raise."""
    cut, bit = work.cut, work.bit
    assert isinstance(cut, PocketCut)
    findings = list(nothing_to_plan(work))
    builder = MoveBuilder(work)
    if not findings:
        findings.extend(
            open_finding(shape, path, cut) for shape in work.shapes for path in shape.placed() if not path.closed
        )
        if bit.kind not in FLAT_BOTTOMED and bit.kind not in (BitKind.BALL, BitKind.TAPERED_BALL):
            findings.append(told.ridged(cut, bit))
        try:
            area = pocket_area(work)
        except GeometryError as error:
            findings.append(Finding("pocket-outline", Severity.STOP, str(error), subject=cut.id))
        else:
            progress(0.3)
            planner = _Pocket(work, cut, builder, area, progress)
            planner.run()
            findings.extend(planner.findings)
    builder.leave()
    return builder.moves.toolpath(cut.id, bit.id), tuple(findings)


def cut_by_ball(cut: PocketCut, bit: Bit) -> bool:
    """Whether the height of the ridges a round tip leaves sets the stepover."""
    return cut.scallop > 0 and bit.kind in (BitKind.BALL, BitKind.TAPERED_BALL)


def stepover(cut: PocketCut, bit: Bit, share: float) -> float:
    """The distance of neighbouring loops, mm. A ball that leaves ridges h high steps s = 2 sqrt(2 r h - h^2)."""
    if cut_by_ball(cut, bit):
        r = bit.radius if bit.kind is BitKind.BALL else bit.tip_ball / 2
        h = min(cut.scallop, r)
        return min(2 * sqrt(2 * r * h - h * h), 0.95 * bit.diameter)
    return share * bit.diameter


def pocket_depths(cut: PocketCut, end: float, per_pass: float) -> FloatArray:
    """Depths of the passes: all the way down, the floor's allowance last, or the end depth alone."""
    if cut.floor_only:
        return np.array([end])
    rough = end - cut.floor_allowance
    if cut.floor_allowance <= 0 or rough <= cut.start_depth:
        return pass_depths(cut.start_depth, end, per_pass)
    return np.append(pass_depths(cut.start_depth, rough, per_pass), end)


class _Pocket:
    def __init__(
        self, work: ResolvedCut, cut: PocketCut, builder: MoveBuilder, area: PocketArea, progress: Progress
    ) -> None:
        self.findings: list[Finding] = []
        self._work, self._cut, self._bit, self._builder = work, cut, work.bit, builder
        self._area, self._region, self._clearance, self._progress = area, area.region, area.clearance, progress
        self._wall = area.inset + work.bit.radius  # the clearance at the finished wall, and before its allowance is off
        self._first = self._wall + cut.wall_allowance
        self._step = stepover(cut, work.bit, work.recipe.stepover)
        self._depths = pocket_depths(cut, work.depth, work.recipe.depth_per_pass)
        self._right = walks_right(cut.direction, work.bit)
        self._holes = drilled_holes(work)
        self._turned: dict[Track, Track] = {}
        self._root: Node | None = None
        self._links = Links(builder, area.clearance, first=self._first, ramp_degrees=cut.ramp_degrees)

    def run(self) -> None:
        if self._region.is_empty:
            if not any(not path.closed for shape in self._work.shapes for path in shape.paths):
                self.findings.append(no_area(self._cut))
            return
        # curve chords take a hair off what two loops cover together
        step = self._step - 2 * INNER_FIT_MM if self._step > 0.2 else self._step
        cover = self._bit.radius
        if cut_by_ball(self._cut, self._bit):
            # ridges are no higher than asked where every place is within half the step of a line: also where loops meet
            cover, step = self._step / 2, 0.96 * self._step
        raster = self._cut.pattern is Pattern.RASTER and self._work.previous_bit is None
        roots = loop_tree(
            self._clearance, first=self._first, step=step if not raster else 1e6, turn=not self._right,
            wall_fit_mm=self._area.wall_fit_mm,
        )  # fmt: skip
        # where a floor is just as wide as the bit, a hair too narrow would cut into its slopes: that is the carving bit's
        strokes = fitting_strokes(self._clearance, radius=self._first) if self._area.inset == 0 else []
        walls: list[Node] = []
        if self._cut.wall_allowance > 0:
            # the finishing pass goes where the ones before it found no room for its allowance, too
            walls = loop_tree(self._clearance, first=self._wall, step=1e6, turn=not self._right)
            if self._area.inset == 0:
                strokes += fitting_strokes(self._clearance, radius=self._wall)
        if self._work.previous_bit is not None:
            rest = RestOfPocket(
                self._work, self._cut, self._builder, self._links, self._area, first=self._first, depths=self._depths,
                slope=self._slope,
            )  # fmt: skip
            rest.run(roots, strokes, step)
            self.findings.extend(rest.findings)
            return
        if not raster:
            strokes_over = covering_strokes(
                self._clearance, every_loop(roots), first=self._first, step=step, radius=cover
            )
        else:
            strokes_over = []
        for number, root in enumerate(_nearest_first(roots)):
            self._progress(0.3 + 0.7 * number / max(1, len(roots)))
            mine = [line for line in strokes_over if _lies_in(line, root)]
            self._piece_of_area(root, mine, raster=raster)
        for line in strokes:
            self._slot(line)
        if self._area.inset > 0:
            if not roots:
                self.findings.append(told.no_floor(self._cut, self._bit))
        else:
            entered = roots + walls
            reached = told.Reached(walls or roots, strokes, self._plunges(entered, strokes))
            self.findings += told.areas_missed(
                self._cut, self._bit, self._area, told.Reached(entered, strokes, reached.plunged)
            )
            self.findings += told.branches_missed(self._work, self._cut, self._area, reached)
        if walls:
            finish = Walls(
                self._cut, self._bit, self._builder, self._links, depths=self._depths, wall=self._wall, first=self._first,
                slope=self._slope,
            )  # fmt: skip
            finish.run(every_loop(walls), [loop.ring for loop in every_loop(roots)] + strokes)

    # ---- a connected piece of the area

    def _piece_of_area(self, root: Node, strokes: list[FloatArray], *, raster: bool) -> None:
        z_above = -self._cut.start_depth
        self._links.is_open, self._root = False, root
        for pass_no, depth in enumerate(self._depths, 1):
            z = -float(depth)
            if raster:
                self._rows(root, z_above, z, pass_no)
            else:
                self._loops(root, z_above, z, pass_no)
            for line in _in_reach_order(strokes, self._builder.at):
                self._stroke(line, z_above, z, pass_no)
            z_above = z
            self._links.is_open = True

    def _loops(self, root: Node, z_above: float, z: float, pass_no: int) -> None:
        """All nodes of a tree, each after those inside it."""
        stack = [(root, self._children(root))]
        while stack:
            node, waiting = stack[-1]
            if waiting:
                if len(waiting) <= MANY_LOOPS and not self._builder.moves.is_empty:
                    here = np.array(self._builder.at[:2])
                    child = min(waiting, key=lambda c: float(np.hypot(*(c.loops[0].ring[0] - here))))
                    waiting.remove(child)
                else:
                    child = waiting.pop(0)
                stack.append((child, self._children(child)))
                continue
            stack.pop()
            self._node(node, z_above, z, pass_no)

    def _children(self, node: Node) -> list[Node]:
        """The nodes inside one; of very many the order is worked out as a whole."""
        if len(node.children) <= MANY_LOOPS:
            return list(node.children)
        starts = np.array([child.loops[0].ring[0] for child in node.children])
        return [node.children[k] for k in inside_first(starts, np.full(len(starts), -1), begin=tuple(starts[0]))]

    def _node(self, node: Node, z_above: float, z: float, pass_no: int) -> None:
        loops = list(node.loops)
        if not node.children:
            self._enter(node, loops, z_above, z, pass_no)
        self._cut_all(loops, z_above, z, pass_no)

    def _cut_all(self, loops: list[Loop], z_above: float, z: float, pass_no: int) -> None:
        """Loops of one level, the nearest first; of very many the order is worked out as a whole."""
        if len(loops) > MANY_LOOPS:
            starts = np.array([loop.ring[0] for loop in loops])
            order = inside_first(starts, np.full(len(loops), -1), begin=self._builder.at[:2])
            for k in order:
                station, _ = loops[k].track.near(np.array(self._builder.at[:2]))
                self._link_and_cut(loops[k], station, z_above, z, pass_no)
            return
        while loops:
            here = np.array(self._builder.at[:2])
            near = [loop.track.near(here) for loop in loops]
            k = min(range(len(loops)), key=lambda i: near[i][1])
            self._link_and_cut(loops.pop(k), near[k][0], z_above, z, pass_no)

    def _enter(self, node: Node, loops: list[Loop], z_above: float, z: float, pass_no: int) -> None:
        """Down into wood nothing has opened at this depth: the bit then stands at z, or has cut a first loop on its way."""
        cut, builder = self._cut, self._builder
        if self._slot_across(loops, z, pass_no):
            return
        place = self._clearance.deepest(node.border)
        if cut.entry is Entry.HOLE and self._down_a_hole(loops, z_above, z, pass_no):
            return
        if cut.entry is Entry.HELIX and place is not None:
            helix = helix_at(place.at, room=place.clearance - self._first, bit_radius=self._bit.radius)
            if helix is not None:
                self._links.transit(helix.begin, z_above)
                lay_helix(builder, helix, z, degrees=cut.ramp_degrees, is_left=self._right, pass_no=pass_no)
                return
        loop = min(loops, key=lambda each: self._distance_to(each))
        loops.remove(loop)
        station = self._start_near(loop)
        self._links.transit(point_on(loop.track, station), z_above)
        if cut.entry is Entry.PLUNGE and self._bit.can_plunge:
            builder.down(z, pass_no=pass_no)
        self._links.cut_round(loop.track, station, z, pass_no)

    def _down_a_hole(self, loops: list[Loop], z_above: float, z: float, pass_no: int) -> bool:
        """Down a hole drilled before, wherever it lies in this piece of the area, and from it at half the feed to the first
        loop. False where there is none, or no straight way from it."""
        hole = self._hole_in(self._root) if self._root is not None else None
        if hole is None:
            return False
        near = [loop.track.near(np.array(hole)) for loop in loops]
        k = min(range(len(loops)), key=lambda i: near[i][1])
        goal = point_on(loops[k].track, near[k][0])
        if not self._links.is_clear(hole, goal, self._first):
            return False
        self._links.transit(hole, z_above)
        self._builder.down(z, pass_no=pass_no, is_open=True)
        self._builder.line(*goal, z, pass_no=pass_no, feed=self._builder.feed / 2)
        return True

    def _slot_across(self, loops: list[Loop], z: float, pass_no: int) -> bool:
        """From another branch that is done straight through the wood between, at half the feed, where that is short: quicker
        than out and in again, and no rougher than a first loop."""
        builder = self._builder
        if builder.moves.is_empty or abs(builder.at[2] - z) > 1e-9:
            return False
        here = np.array(builder.at[:2])
        station, gap, track = min(((*loop.track.near(here), loop.track) for loop in loops), key=lambda found: found[1])
        goal = point_on(track, station)
        if gap > ACROSS_DIAMETERS * self._bit.diameter or not self._links.is_clear(builder.at[:2], goal, self._first):
            return False
        builder.line(*goal, z, pass_no=pass_no, feed=builder.feed / 2)
        return True

    def _link_and_cut(self, loop: Loop, station: float, z_above: float, z: float, pass_no: int) -> None:
        """To a loop at depth where the straight way is clear, otherwise out and in again along it."""
        builder = self._builder
        x, y, z_now = builder.at
        goal = point_on(loop.track, station)
        # near by any clear way will do, if need be through wood; farther only through what is open or the next band
        is_near = np.hypot(goal[0] - x, goal[1] - y) <= ACROSS_DIAMETERS * self._bit.diameter
        floor = self._first if is_near else max(self._first, loop.clearance - 0.55 * self._step)
        if abs(z_now - z) < 1e-9 and self._links.is_clear((x, y), goal, floor):
            builder.line(*goal, z, pass_no=pass_no, role=Role.LINK)
        else:
            self._links.transit(goal, z_above)
        self._links.cut_round(loop.track, station, z, pass_no)

    def _stroke(self, line: FloatArray, z_above: float, z: float, pass_no: int) -> None:
        """Along an axis line between loops: both its ends lie where it is open."""
        builder = self._builder
        x, y, z_now = builder.at
        if np.hypot(*(line[-1] - (x, y))) < np.hypot(*(line[0] - (x, y))):
            line = line[::-1]
        first = (float(line[0, 0]), float(line[0, 1]))
        if abs(z_now - z) < 1e-9 and self._links.is_clear((x, y), first, self._first):
            builder.line(*first, z, pass_no=pass_no, role=Role.LINK)
        else:
            self._links.transit(first, z_above)
            builder.down(z, pass_no=pass_no)
        for p in line[1:]:
            builder.line(float(p[0]), float(p[1]), z, pass_no=pass_no)

    # ---- straight lines

    def _rows(self, root: Node, z_above: float, z: float, pass_no: int) -> None:
        rows = raster_lines(root.border, degrees=self._cut.raster_degrees, step=self._step)
        left = {(r, k): piece for r, row in enumerate(rows) for k, piece in enumerate(row)}
        row_of: int | None = None
        entered = False
        while left:
            here = np.array(self._builder.at[:2]) if not self._builder.moves.is_empty else next(iter(left.values()))[0]
            key, is_back, near = self._next_piece(left, row_of, here)
            piece = left.pop(key)
            line = piece[::-1] if is_back else piece
            begin, end = (float(line[0, 0]), float(line[0, 1])), (float(line[1, 0]), float(line[1, 1]))
            if not entered:
                entered = self._enter_row(root, line, z_above, z, pass_no)
            elif near and self._links.is_clear(self._builder.at[:2], begin, self._first):
                self._builder.line(*begin, z, pass_no=pass_no, role=Role.LINK)
            elif self._along_wall(root, begin, z, pass_no):
                pass
            else:
                self._ramp_on(root, line, z_above, z, pass_no)
            self._builder.line(*end, z, pass_no=pass_no)
            row_of = key[0]
        # the walls, whose loop covers what rows leave along them
        self._cut_all(list(root.loops), z_above, z, pass_no)

    def _along_wall(self, root: Node, goal: tuple[float, float], z: float, pass_no: int) -> bool:
        """From the end of a row to the begin of the next along the wall both lie at, where that is not far."""
        builder = self._builder
        here = np.array(builder.at[:2])
        for loop in root.loops:
            track = loop.track
            a, gap_a = track.near(here)
            b, gap_b = track.near(np.array(goal))
            if max(gap_a, gap_b) > 0.05:
                continue
            forward, backward = (b - a) % track.length, (a - b) % track.length
            if min(forward, backward) > 12 * self._step + 4 * self._bit.radius:
                return False
            if forward > backward:
                if track not in self._turned:
                    self._turned[track] = track.reversed()
                track, a, forward = self._turned[track], track.length - a, backward
            builder.line(
                *point_on(track, a), z, pass_no=pass_no
            )  # onto the wall's own line: from beside it the first way is a chord
            lay_pass(
                builder.moves, track, a=a, b=a + forward, z_from=z, z_to=z, ramp=0.0, lifts=no_lifts(track),
                feed=builder.feed, plunge=builder.plunge, pass_no=pass_no,
            )  # fmt: skip
            builder.line(*goal, z, pass_no=pass_no)
            return True
        return False

    def _next_piece(
        self, left: dict[tuple[int, int], FloatArray], row: int | None, here: FloatArray
    ) -> tuple[tuple[int, int], bool, bool]:
        """The next piece, whether it is cut from its end, and whether it lies in a neighbouring row within reach."""
        if row is not None:
            best = None
            for key, piece in left.items():
                if abs(key[0] - row) == 1:
                    for is_back in (False, True):
                        gap = float(np.hypot(*(piece[-1 if is_back else 0] - here)))
                        if best is None or gap < best[0]:
                            best = (gap, key, is_back)
            if best is not None and best[0] <= 4 * self._step + self._bit.radius:
                return best[1], best[2], True
        gap, key, is_back = min(
            (float(np.hypot(*(piece[-1 if back else 0] - here))), key, back)
            for key, piece in left.items()
            for back in (False, True)
        )
        return key, is_back, False

    def _enter_row(self, root: Node, line: FloatArray, z_above: float, z: float, pass_no: int) -> bool:
        cut, builder = self._cut, self._builder
        begin = (float(line[0, 0]), float(line[0, 1]))
        place = self._clearance.deepest(root.border)
        hole = self._hole_in(root) if cut.entry is Entry.HOLE else None
        helix = None
        if cut.entry is Entry.HELIX and place is not None:
            helix = helix_at(place.at, room=place.clearance - self._first, bit_radius=self._bit.radius)
        if hole is not None and self._links.is_clear(hole, begin, self._first):
            self._links.transit(hole, z_above)
            builder.down(z, pass_no=pass_no, is_open=True)
            builder.line(*begin, z, pass_no=pass_no)
        elif helix is not None and self._links.is_clear(helix.begin, begin, self._first):
            self._links.transit(helix.begin, z_above)
            lay_helix(builder, helix, z, degrees=cut.ramp_degrees, is_left=self._right, pass_no=pass_no)
            builder.line(*begin, z, pass_no=pass_no)
        else:
            self._ramp_on(root, line, z_above, z, pass_no)
        return True

    def _ramp_on(self, root: Node, line: FloatArray, z_above: float, z: float, pass_no: int) -> None:
        """Down to where a row begins: along the row to and fro, along the wall where the row is short, or straight down."""
        builder = self._builder
        begin, end = (float(line[0, 0]), float(line[0, 1])), (float(line[1, 0]), float(line[1, 1]))
        if self._slope is None:
            self._links.transit(begin, z_above)
            builder.down(z, pass_no=pass_no)
            return
        length = float(np.hypot(*(line[1] - line[0])))
        if length < _SHORT_ROW * self._bit.diameter and self._ramp_by_wall(root, begin, z_above, z, pass_no):
            return
        self._links.transit(begin, z_above)
        ramp = ramp_length(builder.at[2] - z, self._cut.ramp_degrees, length)
        turns = max(1, int(np.ceil(ramp / max(2 * length, 1e-6) - 1e-9)))
        z_from = builder.at[2]
        for turn in range(turns):
            half = z_from + (z - z_from) * (turn + 0.5) / turns
            builder.line(*end, half, pass_no=pass_no, role=Role.ENTRY)
            builder.line(*begin, z_from + (z - z_from) * (turn + 1) / turns, pass_no=pass_no, role=Role.ENTRY)

    def _ramp_by_wall(self, root: Node, goal: tuple[float, float], z_above: float, z: float, pass_no: int) -> bool:
        """Down along the wall to a row's begin, which lies at it. Under the slope the wall's own loop takes what stands."""
        for loop in root.loops:
            track = loop.track
            station, gap = track.near(np.array(goal))
            if gap > 0.05 or track.length < self._bit.diameter:
                continue
            ramp = ramp_length(z_above - z, self._cut.ramp_degrees, track.length)
            first = station - ramp
            self._links.transit(point_on(track, first), z_above)
            lay_pass(
                self._builder.moves, track, a=first, b=station, z_from=self._builder.at[2], z_to=z, ramp=ramp,
                lifts=no_lifts(track), feed=self._builder.feed, plunge=self._builder.plunge, pass_no=pass_no,
            )  # fmt: skip
            self._builder.line(*goal, z, pass_no=pass_no)
            return True
        return False

    # ---- as wide as the bit

    def _slot(self, line: FloatArray) -> None:
        """To and fro along a stretch that is just as wide as the bit."""
        track = Track(fit_arcs(line, tolerance_mm=0.002, closed=False))
        to_and_fro(self._builder, track, self._depths, start=self._cut.start_depth, ramp_degrees=self._slope)

    @property
    def _slope(self) -> float | None:
        """At how many degrees the bit goes down along a line; None where it goes straight down."""
        plunges = self._cut.entry is Entry.PLUNGE and self._bit.can_plunge
        return None if plunges else self._cut.ramp_degrees

    def _plunges(self, roots: list[Node], strokes: list[FloatArray]) -> list[tuple[float, float]]:
        """Round areas of the bit's own size: straight down."""
        out = []
        for polygon in polygons_of(self._region):
            if told.touches(polygon, roots, strokes):
                continue
            deepest = self._clearance.deepest(polygon)
            if deepest is None or deepest.clearance < self._wall - JUST_FITS_MM:
                continue
            out.append(deepest.at)
            if not self._bit.can_plunge:
                self.findings.append(only_by_plunging(self._cut, self._bit, deepest.at))
                continue
            builder = self._builder
            builder.arrive(*deepest.at)
            for pass_no, depth in enumerate(self._depths, 1):
                builder.down(-float(depth), pass_no=pass_no)
                builder.down(-self._cut.start_depth + 0.5, pass_no=pass_no, is_open=True)
        return out

    # ---- shared

    def _distance_to(self, loop: Loop) -> float:
        if self._builder.moves.is_empty:
            return 0.0
        return loop.track.near(np.array(self._builder.at[:2]))[1]

    def _start_near(self, loop: Loop) -> float:
        if self._builder.moves.is_empty:
            return 0.0
        return loop.track.near(np.array(self._builder.at[:2]))[0]

    def _hole_in(self, node: Node) -> tuple[float, float] | None:
        """A hole drilled before, wide and deep enough, where the bit's centre may stand."""
        depth = float(self._depths[-1])
        for hole in self._holes:
            if hole.diameter < self._bit.diameter - 0.02 or hole.depth < depth - 1e-6:
                continue
            if shapely.intersects(node.border, shapely.points(hole.at)):
                return hole.at
        return None


def _nearest_first(roots: list[Node]) -> list[Node]:
    if not roots:
        return []
    starts = np.array([root.loops[0].ring[0] for root in roots])
    return [roots[k] for k in inside_first(starts, np.full(len(roots), -1))]


def _lies_in(line: FloatArray, root: Node) -> bool:
    return gap_to(root, shapely.points(line[len(line) // 2])) < 0.02


def _in_reach_order(strokes: list[FloatArray], at: tuple[float, float, float]) -> list[FloatArray]:
    if len(strokes) < 2:
        return strokes
    starts, ends = np.array([s[0] for s in strokes]), np.array([s[-1] for s in strokes])
    order = inside_first(
        starts, np.full(len(strokes), -1), begin=at[:2], ends=ends, can_turn=np.ones(len(strokes), dtype=bool)
    )
    return [strokes[k] if k >= 0 else strokes[~k][::-1] for k in order]
