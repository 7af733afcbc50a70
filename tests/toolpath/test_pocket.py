"""Pockets: no gouge, nothing left that the bit reaches, at any stepover; islands, rest, walls, open edges, entries."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from archimetra.base.findings import Severity
from archimetra.edits import cutting, leftovers
from archimetra.engine.planning import plan_board
from archimetra.geometry.path import Path
from archimetra.geometry.region import as_region
from archimetra.job.bits import BitKind, Recipe
from archimetra.job.cut_parts import Direction, Entry, Overrides, Pattern, Side
from archimetra.job.cuts.hole import HoleCut
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.ids import BitId, CutId
from archimetra.job.job import with_boards
from archimetra.job.sheet import Sheet
from archimetra.toolpath.kinds import plan_cut
from archimetra.toolpath.pocket.measures import pocket_depths, stepover
from archimetra.toolpath.resolve import resolve
from archimetra.toolpath.shared.clearing import raster_lines
from archimetra.toolpath.shared.moves import Move, Role, straightened
from cutting_board import area_of, board_with, no_rapid_in_wood, planned, reachable, swept
from shapes import blob, replace, star, straight_bit

PLATE = (Path.rectangle(0, 0, 120, 80), Path.circle((30, 40), 8), star(6, 12, 8, at=(85, 40)))


def pocket(*paths: Path, **fields):
    return planned(*paths, kind=PocketCut, **fields)


def check(toolpath, board, radius: float, *, depth: float = 6.0, slack: float = 0.01):
    area = area_of(board)
    bite = swept(toolpath, radius, deeper_than=0.001).difference(area)
    assert bite.is_empty or bite.buffer(-0.006).is_empty, f"gouged {bite.area:.3f} mm2"
    left = reachable(area, radius).difference(swept(toolpath, radius, deeper_than=depth - 0.001))
    assert left.buffer(-slack).is_empty, f"left {left.area:.3f} mm2"


@st.composite
def areas(draw):
    """Spiky outlines with round and angular islands, sometimes with a slot through them."""
    rng = np.random.default_rng(draw(st.integers(0, 2**31)))
    n = draw(st.integers(3, 24))
    angles, radii = np.sort(rng.uniform(0, 2 * np.pi, n)), rng.uniform(6, 40, n)
    area = shapely.Polygon(np.column_stack((radii * np.cos(angles), radii * np.sin(angles)))).buffer(0)
    for _ in range(draw(st.integers(0, 4))):
        x, y = rng.uniform(-18, 18, 2)
        area = area.difference(shapely.Point(x, y).buffer(rng.uniform(0.5, 7), quad_segs=int(rng.integers(1, 16))))
    if draw(st.booleans()):
        area = area.union(shapely.box(-36, -3, 36, 3))
    polygons = [p for p in shapely.get_parts(as_region(area.buffer(0))) if p.area > 1]
    return [Path.polyline(np.array(r.coords)[:-1], closed=True) for p in polygons for r in (p.exterior, *p.interiors)]


class TestCoverage:
    @settings(max_examples=12)
    @given(
        areas(), st.sampled_from([1.5, 3.0, 6.0]), st.sampled_from([0.2, 0.4, 0.5, 0.6, 0.8, 0.95]),
        st.sampled_from(list(Pattern)), st.sampled_from([Entry.HELIX, Entry.RAMP, Entry.PLUNGE]),
    )  # fmt: skip
    def test_no_gouge_and_nothing_left_at_any_stepover(self, paths, diameter, share, pattern, entry):
        if not paths:
            return
        toolpath, _, board = pocket(
            *paths,
            bit=straight_bit(diameter),
            run=Overrides(stepover=share),
            pattern=pattern,
            entry=entry,
            raster_degrees=33.0,
        )
        if len(toolpath):
            check(toolpath, board, diameter / 2)
            assert no_rapid_in_wood(toolpath, 3.0)
        else:
            assert reachable(area_of(board), diameter / 2).area < 0.05

    @pytest.mark.parametrize("share", [0.4, 0.7, 0.95])
    @pytest.mark.parametrize("pattern", list(Pattern))
    def test_a_plate_with_islands(self, share, pattern):
        toolpath, findings, board = pocket(*PLATE, run=Overrides(stepover=share), pattern=pattern)
        assert not findings
        check(toolpath, board, 3.0)

    def test_curves_bring_no_needless_strokes(self):
        fine, _, _ = pocket(blob(7), run=Overrides(stepover=0.5))
        wide, _, _ = pocket(blob(7), run=Overrides(stepover=0.9))
        assert len(wide) < 20 * len(fine)
        points = [np.hypot(*np.diff(t.xyz[:, :2], axis=0).T).sum() for t in (fine, wide)]
        assert points[1] < 1.3 * points[0]

    def test_islands_in_islands(self):
        rings = [Path.circle((0, 0), r) for r in (50, 40, 30, 20)]
        toolpath, findings, board = pocket(*rings, bit=straight_bit(4.0))
        assert not findings
        check(toolpath, board, 2.0)
        middle = board.shapes[0].placed()[0].bounds()
        cx, cy = (middle[0] + middle[2]) / 2, (middle[1] + middle[3]) / 2
        radii = np.hypot(*(toolpath.xyz[toolpath.xyz[:, 2] < -1][:, :2] - (cx, cy)).T)
        assert ((radii < 48.01) & (radii > 41.99) | (radii < 28.01) & (radii > 21.99)).all()

    def test_hundreds_of_islands(self):
        holes = [Path.circle((4 * (k % 20), 4 * (k // 20)), 0.7) for k in range(400)]
        outer = Path.rectangle(-4, -4, 84, 84)
        toolpath, findings, board = pocket(outer, *holes, bit=straight_bit(2.0), end_depth=1.0)
        assert not [f for f in findings if f.severity is Severity.STOP]
        low = shapely.points(toolpath.xyz[toolpath.xyz[:, 2] < -0.5][:, :2])
        assert shapely.distance(area_of(board).boundary, low).min() > 0.99


class TestJustFits:
    @pytest.mark.parametrize("width", [6.0, 5.995, 6.003])
    def test_a_slot_as_wide_as_the_bit(self, width):
        toolpath, findings, board = pocket(Path.rectangle(0, 0, 60, width))
        assert not findings
        bottom = swept(toolpath, 3.0, deeper_than=5.999)
        slot = area_of(board)
        assert bottom.difference(slot.buffer(0.006)).is_empty
        assert bottom.bounds[2] - bottom.bounds[0] == pytest.approx(60.0, abs=0.05)

    def test_a_bent_slot_and_a_round_hole_of_the_bits_size(self):
        elbow = shapely.LineString([(0, 0), (30, 0), (30, 25)]).buffer(3.0, cap_style="flat", join_style="mitre")
        toolpath, findings, _ = pocket(Path.polyline(np.array(elbow.exterior.coords)[:-1], closed=True))
        assert not findings
        assert toolpath.xyz[:, 2].min() == -6
        hole, findings, board = pocket(Path.circle((0, 0), 3.0))
        assert not findings
        low = hole.xyz[hole.xyz[:, 2] < -5.9]
        x0, y0, x1, y1 = board.shapes[0].bounds()
        assert np.hypot(*(low[:, :2] - ((x0 + x1) / 2, (y0 + y1) / 2)).T).max() < 0.01

    def test_too_narrow_is_told_with_its_width_and_the_rest_is_cut(self):
        toolpath, findings, _ = pocket(Path.rectangle(0, 0, 40, 20), Path.rectangle(60, 0, 40, 5))
        assert [f.code for f in findings] == ["pocket-too-small"]
        assert "5.00 mm wide" in findings[0].sentence
        assert findings[0].at is not None
        assert len(toolpath) > 10


class TestDirection:
    @pytest.mark.parametrize("direction", list(Direction))
    def test_climb_is_climb_on_every_wall_and_island(self, direction):
        toolpath, _, board = pocket(*PLATE, direction=direction, entry=Entry.RAMP)
        area = area_of(board)
        points, rows = straightened(toolpath.xyz, toolpath.kind, toolpath.centre, chord_tolerance_mm=0.01)
        a, b = points[:-1], points[1:]
        d = (b - a)[:, :2]
        length = np.hypot(*d.T)
        is_cut = (toolpath.role[rows[1:]] == Role.CUT) & (b[:, 2] < -1) & (length > 0.05)
        middle, d = (a[is_cut, :2] + b[is_cut, :2]) / 2, d[is_cut] / length[is_cut, None]
        at_wall = np.abs(shapely.distance(area.boundary, shapely.points(middle)) - 3.0) < 0.02
        assert at_wall.sum() > 50
        lines = shapely.shortest_line(shapely.points(middle[at_wall]), area.boundary)
        to_wall = shapely.get_coordinates(lines).reshape(-1, 2, 2)[:, 1] - middle[at_wall]
        is_right = d[at_wall, 0] * to_wall[:, 1] - d[at_wall, 1] * to_wall[:, 0] < 0
        assert (is_right if direction is Direction.CLIMB else ~is_right).all()


class TestDepths:
    def test_start_depth_floor_allowance_and_floor_only(self):
        cut = board_with(*PLATE, kind=PocketCut, start_depth=4.0, end_depth=10.0, floor_allowance=0.5)[2]
        depths = pocket_depths(cut, 10.0, 3.0)
        assert depths[-2:] == pytest.approx([9.5, 10.0])
        assert depths[0] > 4
        assert pocket_depths(replace(cut, floor_only=True), 10.0, 3.0).tolist() == [10.0]

    def test_scallop_sets_the_stepover_of_a_ball(self):
        bit = straight_bit(6.0, kind=BitKind.BALL)
        cut = board_with(*PLATE, kind=PocketCut, bit=bit, scallop=0.05)[2]
        s = stepover(cut, bit, 0.4)
        left = 3.0 - np.sqrt(9.0 - (s / 2) ** 2)  # the ridge between two neighbouring balls
        assert left == pytest.approx(0.05)

    def test_every_pass_ends_at_its_own_depth(self):
        toolpath, _, _ = pocket(*PLATE, bit=straight_bit(6.0, recipe=Recipe(depth_per_pass=2.5)), end_depth=6.0)
        low = toolpath.xyz[toolpath.role == Role.CUT][:, 2]
        assert sorted(set(np.round(low[low < -0.5], 6))) == pytest.approx([-6.0, -4.0, -2.0])

    @pytest.mark.parametrize("fields", [{"end_depth": 0.0}, {"start_depth": 8.0, "end_depth": 6.0}])
    def test_depths_that_cut_nothing_are_told(self, fields):
        toolpath, findings, _ = pocket(*PLATE, **fields)
        assert not len(toolpath)
        assert findings[0].severity is Severity.STOP


class TestEntries:
    def test_a_helix_is_no_steeper_than_asked_and_leaves_no_post(self):
        toolpath, _, board = pocket(
            Path.rectangle(0, 0, 60, 60), ramp_degrees=3.0, bit=straight_bit(6.0, recipe=Recipe(depth_per_pass=6.0))
        )
        rows = np.flatnonzero((toolpath.role == Role.ENTRY) & (toolpath.kind >= Move.ARC_CW))
        radius = np.hypot(*(toolpath.xyz[rows, :2] - toolpath.centre[rows]).T)
        assert radius.max() <= 0.9 * 3.0
        drop = toolpath.xyz[rows - 1, 2] - toolpath.xyz[rows, 2]
        assert (np.degrees(np.arctan(drop / (np.pi * radius))) <= 3.0 + 1e-6).all()
        check(toolpath, board, 3.0)

    def test_a_ramp_keeps_to_its_angle(self):
        toolpath, _, _ = pocket(*PLATE, entry=Entry.RAMP, ramp_degrees=5.0)
        points, _ = straightened(toolpath.xyz, toolpath.kind, toolpath.centre, chord_tolerance_mm=0.002)
        d = np.diff(points, axis=0)
        across = np.hypot(d[:, 0], d[:, 1])
        slope = np.degrees(np.arctan2(-d[:, 2], across))
        assert slope[(d[:, 2] < -1e-9) & (across > 1e-6)].max() <= 5.0 + 0.05

    def test_through_a_hole_drilled_before(self):
        job, board, cut = board_with(
            Path.rectangle(0, 0, 80, 50), Path.circle((12, 12), 3.2), kind=PocketCut, entry=Entry.HOLE
        )
        plate, hole = board.shapes[0], board.shapes[0]
        plate = replace(plate, paths=plate.paths[:1])
        hole = replace(hole, id="shape9", paths=hole.paths[1:])
        drill = HoleCut(id=CutId("cut9"), name="Hole", bit=cut.bit, shapes=(hole.id,), end_depth=6.0)
        board = replace(board, shapes=(plate, hole), cuts=(drill, cut))
        job = with_boards(job, (board,))
        toolpath, findings = plan_cut(resolve(job, board, cut))
        assert not findings
        first = toolpath.xyz[np.flatnonzero(toolpath.xyz[:, 2] < -0.5)[0]]
        cx, cy = (np.array(hole.bounds()[:2]) + hole.bounds()[2:]) / 2
        assert np.hypot(first[0] - cx, first[1] - cy) < 0.01


class TestWallsAndEdges:
    def test_the_wall_allowance_is_left_and_then_taken_off_at_full_depth(self):
        toolpath, _, board = pocket(*PLATE, wall_allowance=0.4, finish_feed=700.0)
        last = toolpath.pass_no == toolpath.pass_no.max()
        gaps = shapely.distance(
            area_of(board).boundary, shapely.points(toolpath.xyz[~last & (toolpath.xyz[:, 2] < -0.1)][:, :2])
        )
        assert gaps.min() == pytest.approx(3.4, abs=0.01)
        finish = toolpath.xyz[last & (toolpath.role == Role.CUT)]
        assert set(np.round(finish[:, 2], 6)) == {-6.0}
        assert toolpath.feed[last & (toolpath.role == Role.CUT)].max() == 700
        check(toolpath, board, 3.0)

    def test_open_edges_run_past_the_sheet(self):
        sheet = Sheet(width=100.0, height=60.0, readings=(18.0,))
        job, board, cut = board_with(Path.rectangle(0, 0, 40, 30), kind=PocketCut, sheet=sheet, open_edges=True)
        shape = replace(
            board.shapes[0],
            at=type(board.shapes[0].at)(1, 0, 0, 1, 60, 15),
        )
        board = replace(board, shapes=(shape,))
        toolpath, findings = plan_cut(resolve(with_boards(job, (board,)), board, cut))
        assert not findings
        bottom = swept(toolpath, 3.0, deeper_than=5.999)
        asked = shapely.box(60, 15, 100, 45)
        corners = asked.difference(reachable(asked, 3.0))
        missed = asked.difference(bottom).difference(corners.buffer(0.01))
        assert missed.buffer(-0.01).is_empty
        at_edge = shapely.box(96, 15, 100, 45).difference(bottom)
        assert at_edge.area < 0.02, "square to the very edge: the bit ran past it"
        assert bottom.difference(asked.buffer(0.06)).intersection(shapely.box(0, 0, 100, 60)).area < 0.3

    def test_a_pocket_opens_past_the_part_it_lies_in(self):
        job, board, cut = board_with(
            Path.rectangle(0, 0, 80, 60), Path.rectangle(0, 20, 30, 20), kind=PocketCut, open_edges=True
        )
        part = replace(board.shapes[0], id="shape8", paths=board.shapes[0].paths[:1])
        inner = replace(board.shapes[0], paths=board.shapes[0].paths[1:])
        outline = ProfileCut(
            id=CutId("cut8"), name="Part", bit=cut.bit, shapes=(part.id,), side=Side.OUTSIDE, goes_through=True
        )
        board = replace(board, shapes=(part, inner), cuts=(cut, outline))
        toolpath, _ = plan_cut(resolve(with_boards(job, (board,)), board, cut))
        bottom = swept(toolpath, 3.0, deeper_than=5.999)
        x0, y0, _, y1 = inner.bounds()
        assert shapely.box(x0, y0, x0 + 4, y1).difference(bottom).area < 0.05
        assert bottom.bounds[0] < x0 - 2.9


class TestRest:
    def make(self, *paths, large=8.0, small=2.0):
        job, board, cut = board_with(*paths, kind=PocketCut, bit=straight_bit(large))
        job = replace(job, bits=(job.bits[0], replace(straight_bit(small), id=BitId("bit2"), place=1)))
        edit, new = leftovers.add_rest(with_boards(job, (board,)), cut.id, BitId("bit2"))
        return edit.job, edit.job.boards[0], new

    @pytest.mark.parametrize(
        "paths", [(star(),), PLATE, (Path.rectangle(0, 0, 60, 40),)], ids=["star", "plate", "rectangle"]
    )
    def test_both_together_leave_only_what_the_smaller_cannot_reach(self, paths):
        job, board, new = self.make(*paths)
        plan = plan_board(job, board, {})
        first, rest = (p.toolpath for p in plan.cuts)
        area = area_of(board)
        together = swept(first, 4.0, deeper_than=5.999).union(swept(rest, 1.0, deeper_than=5.999))
        left = reachable(area, 1.0).difference(together)
        assert left.buffer(-0.01).is_empty, left.area
        bite = swept(rest, 1.0, deeper_than=0.001).difference(area)
        assert bite.is_empty or bite.buffer(-0.006).is_empty
        alone = plan_cut(replace(resolve(job, board, board.cut(new)), previous_bit=None))[0]
        way = [np.hypot(*np.diff(t.xyz[:, :2], axis=0).T).sum() for t in (rest, alone)]
        assert way[0] < 0.6 * way[1], "the smaller bit goes only where it is needed"

    def test_it_shares_the_depths_and_follows_the_first(self):
        job, board, new = self.make(star())
        job = cutting.change_cut(job, board.cuts[0].id, "", end_depth=9.0).job
        rest = plan_cut(resolve(job, job.boards[0], job.boards[0].cut(new)))[0]
        assert rest.xyz[:, 2].min() == -9

    def test_nothing_to_clear_is_told(self):
        job, board, new = self.make(Path.circle((0, 0), 30))
        toolpath, findings = plan_cut(resolve(job, board, board.cut(new)))
        assert not len(toolpath)
        assert [f.code for f in findings] == ["rest-none"]

    def test_off_or_after_is_told(self):
        job, board, new = self.make(star())
        off = cutting.change_cut(job, board.cuts[0].id, "", is_on=False).job
        assert "rest-alone" in {f.code for f in plan_board(off, off.boards[0], {}).findings}
        after = cutting.reorder_cut(job, board.id, new, 0).job
        assert "rest-order" in {f.code for f in plan_board(after, after.boards[0], {}).findings}


class TestRows:
    def test_rows_are_even_inside_and_ordered(self):
        border = shapely.box(0, 0, 40, 20).difference(shapely.box(15, 5, 25, 15))
        rows = raster_lines(border, degrees=0.0, step=3.0)
        heights = [row[0][0, 1] for row in rows]
        assert np.diff(heights).max() <= 3.0 + 1e-9
        assert all(abs(piece[0, 1] - piece[1, 1]) < 1e-9 for row in rows for piece in row)
        assert max(len(row) for row in rows) == 2
        assert heights[0] < 0.2
        assert heights[-1] > 19.8
