"""The finer controls of profiles: finish, leads, spiral, skin, overcut, sides of open lines, tabs and starts by hand, shared edges."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from archimetra.base.findings import Severity
from archimetra.edits import marking
from archimetra.engine.planning import plan_board
from archimetra.geometry.path import Path
from archimetra.job.bits import Recipe
from archimetra.job.cut_parts import Direction, Entry, Lead, LeadKind, Mark, Side, Tabs
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.job import with_boards
from archimetra.job.sheet import Sheet
from archimetra.stock.timeline import StockTimeline
from archimetra.toolpath.kinds import plan_cut
from archimetra.toolpath.resolve import resolve
from archimetra.toolpath.shared.moves import MarkKind, Move, Role, straightened
from cutting_board import SHEET, area_of, board_with, no_rapid_in_wood, planned, swept
from shapes import blob, replace, star, straight_bit

SQUARE = Path.rectangle(0, 0, 80, 60)
NONE = Tabs()


def profile(*paths: Path, **fields):
    return planned(*paths, kind=ProfileCut, **({"tabs": NONE, "end_depth": 0.0, "goes_through": True} | fields))


def _near_corners(xyz, board, reach: float = 9.0):
    """Which places lie near a corner of the drawn outline."""
    corners = shapely.union_all(shapely.points(board.shapes[0].placed()[0].nodes))
    return shapely.distance(corners, shapely.points(xyz[:, :2])) < reach


class TestFinish:
    @pytest.mark.parametrize("side", [Side.OUTSIDE, Side.INSIDE])
    @pytest.mark.parametrize("path", [SQUARE, star(5, 40, 20), blob(3, 40)], ids=["square", "star", "blob"])
    def test_the_first_passes_leave_the_allowance_and_one_last_pass_takes_it(self, side, path):
        toolpath, findings, board = profile(path, side=side, finish=0.5, finish_feed=600.0, bit=straight_bit(4.0))
        assert not [f for f in findings if f.severity is Severity.STOP]
        edge = area_of(board).boundary
        last = toolpath.pass_no == toolpath.pass_no.max()
        low = toolpath.xyz[:, 2] < -0.5
        gaps = shapely.distance(edge, shapely.points(toolpath.xyz[:, :2]))
        # the points of the star are so sharp that the allowance there is gone into in passes
        early = (
            low
            & ~last
            & ~(_near_corners(toolpath.xyz, board) if len(path) == 10 and side is Side.INSIDE else low & False)
        )
        assert gaps[early].min() == pytest.approx(2.5, abs=0.01)
        assert gaps[low & last].min() == pytest.approx(2.0, abs=0.01)
        cut = last & (toolpath.role == Role.CUT)
        assert set(np.round(toolpath.xyz[cut, 2], 6)) == {-18.2}
        assert toolpath.feed[cut].max() == 600

    def test_an_opening_only_the_last_pass_fits_is_still_cut(self):
        toolpath, findings, board = profile(Path.circle((0, 0), 3.2), side=Side.INSIDE, finish=0.5)
        assert not [f for f in findings if f.severity is Severity.STOP]
        bottom = swept(toolpath, 3.0, deeper_than=18.1)
        assert bottom.area == pytest.approx(area_of(board).area, rel=0.01)


class TestLeads:
    @pytest.mark.parametrize("kind", [LeadKind.LINE, LeadKind.ARC])
    @pytest.mark.parametrize("entry", [Entry.PLUNGE, Entry.RAMP])
    def test_the_bit_comes_and_goes_beside_the_wood_and_leaves_no_mark(self, kind, entry):
        lead = Lead(kind=kind, length=5.0)
        toolpath, findings, board = profile(SQUARE, lead_in=lead, lead_out=lead, entry=entry)
        assert not findings
        plunges = np.flatnonzero((toolpath.kind == Move.LINE) & (toolpath.role == Role.ENTRY) & (np.diff(toolpath.xyz[:, 2], prepend=9.0) < -1e-6)
                                 & (np.hypot(*np.diff(toolpath.xyz[:, :2], axis=0, prepend=0).T) < 1e-9))  # fmt: skip
        gaps = shapely.distance(area_of(board).boundary, shapely.points(toolpath.xyz[plunges, :2]))
        assert (gaps > 3.5).all(), "straight down only away from the wood"
        bite = swept(toolpath, 3.0, deeper_than=0.001).intersection(area_of(board))
        assert bite.is_empty or bite.buffer(-0.01).is_empty

    def test_an_arc_is_tangent_to_the_contour(self):
        lead = Lead(kind=LeadKind.ARC, length=6.0)
        toolpath, _, _ = profile(SQUARE, lead_in=lead, entry=Entry.PLUNGE)
        row = int(np.flatnonzero((toolpath.kind >= Move.ARC_CW) & (toolpath.role == Role.ENTRY))[0])
        to_centre = toolpath.centre[row] - toolpath.xyz[row, :2]
        onward = toolpath.xyz[row + 1, :2] - toolpath.xyz[row, :2]
        assert abs(to_centre @ onward) / np.hypot(*to_centre) / np.hypot(*onward) < 1e-6

    def test_without_room_it_goes_straight_and_says_so(self):
        lead = Lead(kind=LeadKind.ARC, length=20.0)
        toolpath, findings, _ = profile(Path.circle((0, 0), 3.3), side=Side.INSIDE, lead_in=lead, bit=straight_bit(6.4))
        assert len(toolpath)
        assert "lead-no-room" in {f.code for f in findings}

    @settings(max_examples=12)
    @given(st.integers(0, 2**31), st.floats(0.5, 25.0), st.sampled_from([LeadKind.LINE, LeadKind.ARC]), st.sampled_from([Side.OUTSIDE, Side.INSIDE]),
           st.sampled_from(list(Direction)))  # fmt: skip
    def test_no_lead_ever_touches_the_kept_wood(self, seed, length, kind, side, direction):
        lead = Lead(kind=kind, length=length)
        path = blob(seed % 1000, 25, waves=3)
        toolpath, _, board = profile(path, side=side, lead_in=lead, lead_out=lead, direction=direction, overlap=2.0)
        area = area_of(board)
        kept = area if side is Side.OUTSIDE else shapely.box(0, 0, 400, 300).difference(area)
        bite = swept(toolpath, 3.0, deeper_than=0.001).intersection(kept)
        assert bite.is_empty or bite.buffer(-0.01).is_empty
        assert no_rapid_in_wood(toolpath, 3.0)


class TestSpiralAndRamps:
    def test_a_spiral_falls_all_the_way_and_ends_level(self):
        toolpath, _, _board = profile(
            Path.circle((0, 0), 30), entry=Entry.SPIRAL, bit=straight_bit(6.0, recipe=Recipe(depth_per_pass=4.0))
        )
        z = toolpath.xyz[(toolpath.xyz[:, 2] < 0) & (toolpath.kind != Move.RAPID), 2]
        assert (np.diff(z) <= 1e-9).all()
        full = swept(toolpath, 3.0, deeper_than=18.19).area
        assert full == pytest.approx(np.pi * (36**2 - 30**2), rel=1e-3)

    def test_a_ramp_by_length(self):
        toolpath, _, _ = profile(SQUARE, ramp_length=50.0, goes_through=False, end_depth=4.0)
        rows = np.flatnonzero(
            (toolpath.role == Role.ENTRY)
            & (np.hypot(*np.diff(toolpath.xyz[:, :2], axis=0, prepend=toolpath.xyz[:1, :2]).T) > 1e-9)
        )
        across = np.hypot(*np.diff(toolpath.xyz[:, :2], axis=0).T)[rows - 1].sum()
        assert across == pytest.approx(50.0, abs=0.5)


class TestSkinAndOvercut:
    def test_a_skin_is_left_under_the_thinnest_reading_and_no_tabs(self):
        sheet = Sheet(width=400, height=300, readings=(18.4, 18.0))
        toolpath, _, _ = profile(SQUARE, sheet=sheet, skin=0.4, tabs=Tabs(count=4))
        assert toolpath.xyz[:, 2].min() == pytest.approx(-17.6)
        assert not (toolpath.role == Role.TAB).any()

    def test_a_square_part_fits_into_an_overcut_opening(self):
        plain, _, board = profile(SQUARE, side=Side.INSIDE)
        relieved, _, _ = profile(SQUARE, side=Side.INSIDE, overcut=True)
        corners = shapely.MultiPoint(np.array(area_of(board).exterior.coords)[:-1])
        slug = lambda t: swept(t, 3.0, deeper_than=18.1)  # noqa: E731
        assert shapely.distance(slug(plain), corners) > 1.0 or slug(plain).distance(corners.geoms[0]) > 1.0
        assert max(slug(relieved).distance(c) for c in corners.geoms) < 0.01

    def test_overcut_leaves_outer_corners_alone(self):
        plain, _, _ = profile(SQUARE)
        relieved, _, _ = profile(SQUARE, overcut=True)
        assert np.array_equal(plain.xyz, relieved.xyz)


class TestOpenLines:
    LINE = Path.polyline([(0, 0), (50, 0), (80, 30)], closed=False)

    @pytest.mark.parametrize("side", [Side.LEFT, Side.RIGHT])
    def test_the_bit_runs_beside_the_line_on_the_side_asked(self, side):
        toolpath, findings, board = profile(self.LINE, side=side, goes_through=False, end_depth=4.0)
        assert not findings
        low = toolpath.xyz[toolpath.xyz[:, 2] < -3.9][:, :2]
        drawn = shapely.linestrings(board.shapes[0].placed()[0].nodes)
        assert np.abs(shapely.distance(drawn, shapely.points(low)) - 3.0).max() < 0.01
        begin, end = board.shapes[0].placed()[0].nodes[:2]
        d = end - begin
        away = low[np.abs((low - begin) @ d / np.hypot(*d) - 20) < 15] - begin
        cross = d[0] * away[:, 1] - d[1] * away[:, 0]
        assert ((cross > 0) == (side is Side.LEFT)).all()


class TestTabsByHand:
    def test_a_mark_moves_with_its_shape_and_takes_the_place_of_the_spread(self):
        job, board, cut = board_with(SQUARE, kind=ProfileCut, goes_through=True, tabs=Tabs(count=4))
        shape = board.shapes[0]
        mark = Mark(shape.id, 40.0, 0.0)  # the middle of the front edge, in the shape's own coordinates
        job = marking.set_tab_marks(job, cut.id, (mark,)).job
        toolpath, _ = plan_cut(resolve(job, job.boards[0], job.boards[0].cuts[0]))
        tabs = [m for m in toolpath.marks if m.kind is MarkKind.TAB]
        x, y = shape.at.point(40.0, 0.0)
        assert [(round(m.x, 2), round(m.y, 2)) for m in tabs] == [(round(x, 2), round(y - 3.0, 2))]

    def test_one_shape_may_have_its_own_number(self):
        job, board, cut = board_with(SQUARE, kind=ProfileCut, goes_through=True, tabs=Tabs(count=4))
        job = marking.set_shape_tabs(job, cut.id, [board.shapes[0].id], 2).job
        toolpath, _ = plan_cut(resolve(job, job.boards[0], job.boards[0].cuts[0]))
        assert sum(m.kind is MarkKind.TAB for m in toolpath.marks) == 2

    @pytest.mark.parametrize("spacing", [60.0, 100.0])
    def test_by_spacing(self, spacing):
        toolpath, _, _ = profile(SQUARE, tabs=Tabs(spacing=spacing))
        around = 2 * (80 + 60) + 2 * np.pi * 3
        assert sum(m.kind is MarkKind.TAB for m in toolpath.marks) == round(around / spacing)

    def test_zones_are_kept_out_of(self):
        job, board, cut = board_with(SQUARE, kind=ProfileCut, goes_through=True, tabs=Tabs(count=3, avoid="zone"))
        shape = board.shapes[0]
        _x0, _y0, _x1, _y1 = shape.bounds()
        zone = replace(
            shape, id="shape7", layer="zone", paths=(Path.rectangle(0, 0, 80, 60),), at=shape.at.shift(0, -45)
        )
        board = replace(board, shapes=(shape, zone))
        toolpath, findings = plan_cut(resolve(with_boards(job, (board,)), board, cut))
        tabs = [m for m in toolpath.marks if m.kind is MarkKind.TAB]
        zx0, zy0, zx1, zy1 = zone.bounds()
        inside = [m for m in tabs if zx0 <= m.x <= zx1 and zy0 <= m.y <= zy1]
        assert len(tabs) == 3
        assert not inside or "tabs-zone" in {f.code for f in findings}


class TestSlopedTabs:
    @pytest.mark.parametrize("is_sloped", [False, True])
    def test_the_wood_that_stays_has_its_length_and_thickness(self, is_sloped):
        sheet = Sheet(width=400, height=300, readings=(12.0,))
        job, board, _cut = board_with(
            Path.rectangle(0, 0, 160, 100), kind=ProfileCut, sheet=sheet, goes_through=True, tabs=Tabs(count=2, length=10, thickness=3, is_sloped=is_sloped)
        )  # fmt: skip
        plan = plan_board(job, board, {})
        timeline = StockTimeline(sheet, plan.run, job.bits, cell=1.0)
        mark = next(m for m in plan.cuts[0].toolpath.marks if m.kind is MarkKind.TAB)
        d = np.array((np.cos(np.radians(mark.degrees)), np.sin(np.radians(mark.degrees))))
        a, b = np.array((mark.x, mark.y)) - 25 * d, np.array((mark.x, mark.y)) + 25 * d
        heights = timeline.section(tuple(a), tuple(b), timeline.duration, samples=5001)
        wood = heights - -12.0
        assert wood.max() == pytest.approx(3.0, abs=0.005)
        full = (wood > 2.995).sum() * 0.01
        assert full == pytest.approx(10.0, abs=0.05)
        some = (wood > 0.005).sum() * 0.01
        assert some == pytest.approx(10.0 + (2 * 3.0 if is_sloped else 0.0), abs=0.1)


class TestStartsAndOrder:
    def test_a_start_set_by_hand_and_the_reason_of_others(self):
        job, board, cut = board_with(SQUARE, kind=ProfileCut, goes_through=True, tabs=NONE)
        toolpath, _ = plan_cut(resolve(job, board, cut))
        start = next(m for m in toolpath.marks if m.kind is MarkKind.START)
        assert "straight stretch" in start.reason
        moved = marking.set_start_mark(job, cut.id, start.shape, Mark(start.shape, 80.0, 20.0)).job
        toolpath, _ = plan_cut(resolve(moved, moved.boards[0], moved.boards[0].cuts[0]))
        start = next(m for m in toolpath.marks if m.kind is MarkKind.START)
        x, y = board.shapes[0].at.point(83.0, 20.0)
        assert (start.x, start.y) == pytest.approx((x, y), abs=0.01)
        assert start.reason == "set by hand"

    def test_it_does_not_begin_where_the_wood_is_thin(self):
        # a plate whose longest edge runs along a strip only 3 mm thin
        frame = Path.polyline([(0, 0), (120, 0), (120, 70), (100, 70), (100, 3), (0, 3)], closed=True)
        toolpath, _, board = profile(frame, bit=straight_bit(4.0))
        start = next(m for m in toolpath.marks if m.kind is MarkKind.START)
        x0, _y0, _, _ = board.shapes[0].bounds()
        assert start.x - x0 > 98, "on the thick part, not on the long thin strip"

    def test_a_contour_turned_by_hand_runs_the_other_way(self):
        job, board, cut = board_with(SQUARE, kind=ProfileCut, goes_through=True, tabs=NONE)
        turned = marking.turn_contour(job, cut.id, Mark(board.shapes[0].id, 40.0, 0.0)).job
        ways = []
        for j in (job, turned):
            toolpath, _ = plan_cut(resolve(j, j.boards[0], j.boards[0].cuts[0]))
            points, _ = straightened(toolpath.xyz, toolpath.kind, toolpath.centre, chord_tolerance_mm=0.05)
            low = points[points[:, 2] < -18][:, :2]
            ways.append(float((low[:-1, 0] * low[1:, 1] - low[1:, 0] * low[:-1, 1]).sum()))
        assert ways[0] * ways[1] < 0

    def test_the_order_of_the_shapes_is_kept_when_asked(self):
        squares = [Path.rectangle(40 * k, 0, 20, 20) for k in (0, 3, 1, 2)]
        job, board, cut = board_with(*squares, kind=ProfileCut, goes_through=True, tabs=NONE, keeps_order=True)
        shapes = tuple(
            replace(board.shapes[0], id=f"shape{k}", paths=(p,)) for k, p in enumerate(board.shapes[0].paths)
        )
        board = replace(board, shapes=shapes, cuts=(replace(cut, shapes=tuple(s.id for s in shapes)),))
        toolpath, _ = plan_cut(resolve(with_boards(job, (board,)), board, board.cuts[0]))
        starts = [m.shape for m in toolpath.marks if m.kind is MarkKind.START]
        assert starts == ["shape0", "shape1", "shape2", "shape3"]


class TestSharedEdges:
    def test_the_edge_between_two_parts_one_bit_apart_is_cut_once(self):
        left, right = Path.rectangle(0, 0, 50, 40), Path.rectangle(56, 0, 50, 40)
        once, findings, board = profile(
            left, right, shares_edges=True, entry=Entry.PLUNGE, goes_through=False, end_depth=3.0
        )
        assert not [f for f in findings if f.severity is Severity.STOP]
        low = once.xyz[:, 2] < -2.9
        way = np.hypot(*np.diff(once.xyz[:, :2], axis=0).T)[low[1:] & low[:-1]].sum()
        around = 2 * (50 + 40) + 2 * np.pi * 3
        assert way < 2 * around - 35
        bottom = swept(once, 3.0, deeper_than=2.99)
        assert bottom.intersection(area_of(board)).buffer(-0.01).is_empty
        x0, y0, _, _ = board.shapes[0].bounds()
        between = shapely.box(x0 + 50.1, y0 + 0.1, x0 + 55.9, y0 + 39.9)
        assert between.difference(bottom).area < 0.3
        assert SHEET.thickest == 18.0
