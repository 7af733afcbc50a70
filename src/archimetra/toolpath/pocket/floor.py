"""Clearing the floor of a pocket: each connected piece pass by pass, in, along its loops from the middle outwards, linked at depth
wherever the way is clear."""

from __future__ import annotations

import numpy as np
import shapely

from archimetra.geometry.arrays import FloatArray
from archimetra.job.cut_parts import Entry
from archimetra.job.cuts.pocket import PocketCut
from archimetra.toolpath.hole.planner import drilled_holes
from archimetra.toolpath.pocket.area import PocketArea
from archimetra.toolpath.pocket.lines import in_reach_order
from archimetra.toolpath.pocket.measures import Measures
from archimetra.toolpath.pocket.rest import point_on
from archimetra.toolpath.resolved_cut import ResolvedCut
from archimetra.toolpath.shared.clearing import Loop, Node
from archimetra.toolpath.shared.entries import helix_at, lay_helix
from archimetra.toolpath.shared.linking import Links
from archimetra.toolpath.shared.move_builder import MoveBuilder
from archimetra.toolpath.shared.moves import Role
from archimetra.toolpath.shared.order import inside_first

MANY_LOOPS = 12  # of one level
ACROSS_DIAMETERS = 3.0  # how far a branch may be reached through solid wood


class Floor:
    """Lays pieces of the area one after the other."""

    def __init__(
        self, work: ResolvedCut, cut: PocketCut, area: PocketArea, m: Measures, builder: MoveBuilder, links: Links
    ) -> None:
        self._cut, self._bit, self._builder, self._links, self._m = cut, work.bit, builder, links, m
        self._clearance = area.clearance
        self._holes = drilled_holes(work)

    def piece(self, root: Node, strokes: list[FloatArray]) -> None:
        """A connected piece of the area; ``strokes`` (n, 2) lie in it between its loops."""
        z_above = -self._cut.start_depth
        self._links.is_open = False
        for pass_no, depth in enumerate(self._m.depths, 1):
            z = -float(depth)
            self._clear(root, z_above, z, pass_no)
            for line in in_reach_order(strokes, self._builder.at):
                self._stroke(line, z_above, z, pass_no)
            z_above = z
            self._links.is_open = True

    def _clear(self, root: Node, z_above: float, z: float, pass_no: int) -> None:
        """One pass; in a class of its own for rows."""
        self._loops(root, z_above, z, pass_no)

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
            self._node(root, node, z_above, z, pass_no)

    def _children(self, node: Node) -> list[Node]:
        """The nodes inside one; of very many the order is worked out as a whole."""
        if len(node.children) <= MANY_LOOPS:
            return list(node.children)
        starts = np.array([child.loops[0].ring[0] for child in node.children])
        return [node.children[k] for k in inside_first(starts, np.full(len(starts), -1), begin=tuple(starts[0]))]

    def _node(self, root: Node, node: Node, z_above: float, z: float, pass_no: int) -> None:
        loops = list(node.loops)
        if not node.children:
            self._enter(root, node, loops, z_above, z, pass_no)
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

    def _enter(self, root: Node, node: Node, loops: list[Loop], z_above: float, z: float, pass_no: int) -> None:
        """Down into wood nothing has opened at this depth: the bit then stands at z, or has cut a first loop on its way."""
        cut, builder = self._cut, self._builder
        if self._slot_across(loops, z, pass_no):
            return
        place = self._clearance.deepest(node.border)
        if cut.entry is Entry.HOLE and self._down_a_hole(root, loops, z_above, z, pass_no):
            return
        if cut.entry is Entry.HELIX and place is not None:
            helix = helix_at(place.at, room=place.clearance - self._m.first, bit_radius=self._bit.radius)
            if helix is not None:
                self._links.transit(helix.begin, z_above)
                lay_helix(builder, helix, z, degrees=cut.ramp_degrees, is_left=self._m.keeps_right, pass_no=pass_no)
                return
        loop = min(loops, key=lambda each: self._distance_to(each))
        loops.remove(loop)
        station = self._start_near(loop)
        self._links.transit(point_on(loop.track, station), z_above)
        if cut.entry is Entry.PLUNGE and self._bit.can_plunge:
            builder.down(z, pass_no=pass_no)
        self._links.cut_round(loop.track, station, z, pass_no)

    def _down_a_hole(self, root: Node, loops: list[Loop], z_above: float, z: float, pass_no: int) -> bool:
        """Down a hole drilled before, wherever it lies in this piece of the area, and from it at half the feed to the first
        loop. False where there is none, or no straight way from it."""
        hole = self._hole_in(root)
        if hole is None:
            return False
        near = [loop.track.near(np.array(hole)) for loop in loops]
        k = min(range(len(loops)), key=lambda i: near[i][1])
        goal = point_on(loops[k].track, near[k][0])
        if not self._links.is_clear(hole, goal, self._m.first):
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
        if gap > ACROSS_DIAMETERS * self._bit.diameter or not self._links.is_clear(builder.at[:2], goal, self._m.first):
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
        floor = self._m.first if is_near else max(self._m.first, loop.clearance - 0.55 * self._m.step)
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
        if abs(z_now - z) < 1e-9 and self._links.is_clear((x, y), first, self._m.first):
            builder.line(*first, z, pass_no=pass_no, role=Role.LINK)
        else:
            self._links.transit(first, z_above)
            builder.down(z, pass_no=pass_no)
        for p in line[1:]:
            builder.line(float(p[0]), float(p[1]), z, pass_no=pass_no)

    # ---- where the bit is, and holes

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
        depth = float(self._m.depths[-1])
        for hole in self._holes:
            if hole.diameter < self._bit.diameter - 0.02 or hole.depth < depth - 1e-6:
                continue
            if shapely.intersects(node.border, shapely.points(hole.at)):
                return hole.at
        return None
