"""Holes, engraving, facing, undercut slots, clamps kept clear of, and the order of many contours."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from archimetra.base.findings import Severity
from archimetra.edits import basic as edits
from archimetra.engine.planning import plan_board
from archimetra.geometry.affine import Affine
from archimetra.geometry.path import Path
from archimetra.job.bits import Bit, BitKind, Recipe
from archimetra.job.cut_parts import Entry, HoleStep, Overrides, Side, Tabs
from archimetra.job.cuts.engrave import EngraveCut
from archimetra.job.cuts.facing import FacingCut, FacingPattern
from archimetra.job.cuts.hole import HoleCut, HoleMethod
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.cuts.slot import SlotCut
from archimetra.job.ids import BitId, CutId
from archimetra.job.job import with_boards
from archimetra.job.sheet import Fixture, FixtureKind, Heights, Sheet
from archimetra.stock.timeline import StockTimeline
from archimetra.toolpath.kinds import plan_cut
from archimetra.toolpath.resolve import resolve
from archimetra.toolpath.shared.circles import circle_of, circles_of, sizes_of
from archimetra.toolpath.shared.fixtures import GAP_MM, outline_of
from archimetra.toolpath.shared.moves import Move, Role, straightened
from archimetra.toolpath.shared.order import inside_first, travel
from cutting_board import area_of, board_with, no_rapid_in_wood, planned, swept
from shapes import blob, replace, star, straight_bit

DRILL = Bit(id=BitId("bit1"), name="5 mm drill", kind=BitKind.DRILL, diameter=5.0, cutting_length=40.0, angle=118.0)
KEYHOLE = Bit(
    id=BitId("bit1"), name="keyhole", kind=BitKind.KEYHOLE, diameter=9.5, cutting_length=11.0, neck=4.8, head_height=4.0
)
DOVETAIL = Bit(id=BitId("bit1"), name="dovetail", kind=BitKind.DOVETAIL, diameter=12.7, cutting_length=12.0, neck=6.7,
               head_height=12.0, can_plunge=False)  # fmt: skip


def holes(*paths: Path, **fields):
    return planned(*paths, kind=HoleCut, **fields)


class TestCircles:
    def test_circles_of_any_making_are_found_and_others_are_not(self):
        angles = np.linspace(0, 2 * np.pi, 200, endpoint=False)
        flat = Path.polyline(np.column_stack((5 + 3 * np.cos(angles), 7 + 3 * np.sin(angles))), closed=True)
        for path in (Path.circle((5, 7), 3), Path.circle((5, 7), 3).reverse(), flat):
            at, diameter = circle_of(path)
            assert at == pytest.approx((5, 7), abs=0.002)
            assert diameter == pytest.approx(6, abs=0.005)
        oval = Path.circle((0, 0), 3).transform(Affine(1.02, 0, 0, 1, 0, 0))
        for path in (
            oval,
            star(6, 3, 2.9),
            Path.rectangle(0, 0, 6, 6),
            Path.polyline([(0, 0), (1, 1)], closed=False),
            blob(2, 3),
        ):
            assert circle_of(path) is None

    def test_sizes_are_grouped_and_one_drawn_twice_counts_once(self):
        paths = [Path.circle((10 * k, 0), r) for k, r in enumerate((2.5, 2.503, 4, 2.5))]
        _, board, _ = board_with(*paths, paths[0], kind=HoleCut)
        assert sizes_of(circles_of(board.shapes)) == [(pytest.approx(5.002, abs=0.003), 3), (8.0, 1)]


class TestHoles:
    def test_a_wider_hole_is_bored_to_size_with_a_level_floor(self):
        toolpath, findings, board = holes(Path.circle((0, 0), 5.5), bit=straight_bit(6.0))
        assert not findings
        floor = swept(toolpath, 3.0, deeper_than=5.999)
        assert floor.symmetric_difference(area_of(board)).buffer(-0.01).is_empty
        turns = np.flatnonzero(toolpath.kind >= Move.ARC_CW)
        assert set(toolpath.kind[turns]) == {Move.ARC_CCW}, "climb in a hole is counter-clockwise"

    @pytest.mark.parametrize("diameter", [13.0, 20.0, 37.0])
    def test_holes_wider_than_two_bits_leave_no_post(self, diameter):
        toolpath, findings, board = holes(Path.circle((0, 0), diameter / 2), bit=straight_bit(6.0))
        assert not findings
        left = area_of(board).difference(swept(toolpath, 3.0, deeper_than=5.999))
        assert left.buffer(-0.01).is_empty
        bite = swept(toolpath, 3.0, deeper_than=0.001).difference(area_of(board))
        assert bite.is_empty or bite.buffer(-0.005).is_empty

    def test_a_hole_the_size_of_the_bit_just_works(self):
        toolpath, findings, board = holes(Path.circle((0, 0), 3.0), bit=straight_bit(6.0))
        assert not findings
        x, y = (np.array(board.shapes[0].bounds()[:2]) + board.shapes[0].bounds()[2:]) / 2
        assert np.abs(toolpath.xyz[:, :2] - (x, y)).max() < 0.003
        assert toolpath.xyz[:, 2].min() == -6

    def test_pecks_go_down_in_steps_and_come_out_between(self):
        toolpath, _, _ = holes(Path.circle((0, 0), 2.5), bit=DRILL, method=HoleMethod.PECK, peck=2.0, to_shoulder=False)
        z = toolpath.xyz[toolpath.role == Role.DRILL][:, 2]
        turning = [a for a, b in zip(z, z[1:], strict=False) if b > a and a < 0]
        assert turning == pytest.approx([-2.0, -4.0, -6.0])
        assert z.max() > 0

    def test_a_pointed_drill_goes_its_point_deeper(self):
        toolpath, _, _ = holes(Path.circle((0, 0), 2.5), bit=DRILL, method=HoleMethod.DRILL)
        assert toolpath.xyz[:, 2].min() == pytest.approx(-6.0 - 2.5 / np.tan(np.radians(59)))

    def test_a_counterbore_and_its_hole_in_one_cut(self):
        toolpath, findings, board = holes(
            Path.circle((0, 0), 4.0), bit=straight_bit(6.0), end_depth=12.0, steps=(HoleStep(14.0, 5.0),)
        )  # fmt: skip
        assert not findings
        centre = area_of(board).centroid
        for depth, radius in ((4.99, 7.0), (11.99, 4.0)):
            assert (
                swept(toolpath, 3.0, deeper_than=depth).symmetric_difference(centre.buffer(radius, quad_segs=90)).area
                < 0.2
            )
        assert no_rapid_in_wood(toolpath, 3.0)

    def test_only_the_sizes_chosen(self):
        toolpath, _, board = holes(
            Path.circle((0, 0), 4), Path.circle((30, 0), 5), bit=straight_bit(6.0), diameters=(10.0,)
        )
        x = toolpath.xyz[toolpath.xyz[:, 2] < -1][:, 0]
        assert x.min() > board.shapes[0].bounds()[2] - 10.1

    @pytest.mark.parametrize(
        ("path", "fields", "code"),
        [
            (Path.circle((0, 0), 2.0), {}, "hole-narrow"),
            (Path.circle((0, 0), 5.0), {"method": HoleMethod.DRILL}, "hole-wide"),
            (star(), {}, "holes-none"),
            (Path.circle((0, 0), 5.0), {"diameters": (7.0,)}, "holes-size"),
            (Path.circle((0, 0), 5.0), {"steps": (HoleStep(8.0, 2.0),)}, "hole-step"),
        ],
    )
    def test_what_does_not_fit_is_told(self, path, fields, code):
        _, findings, _ = holes(path, bit=straight_bit(6.0), **fields)
        assert code in {f.code for f in findings}


class TestEngraving:
    def test_lines_are_followed_exactly_with_less_travel_than_drawn(self):
        rng = np.random.default_rng(4)
        lines = [Path.polyline([p, p + rng.uniform(-8, 8, 2)], closed=False) for p in rng.uniform(0, 150, (60, 2))]
        toolpath, findings, board = planned(*lines, kind=EngraveCut, end_depth=0.8, bit=straight_bit(1.0))
        assert not findings
        drawn = shapely.multilinestrings([p.nodes for p in board.shapes[0].placed()])
        low = toolpath.xyz[toolpath.xyz[:, 2] < -0.79][:, :2]
        assert shapely.distance(drawn, shapely.points(low)).max() < 0.005
        asked = planned(*lines, kind=EngraveCut, end_depth=0.8, bit=straight_bit(1.0), keeps_order=True)[0]
        air = [np.hypot(*np.diff(t.xyz[:, :2], axis=0).T)[t.kind[1:] == Move.RAPID].sum() for t in (toolpath, asked)]
        assert air[0] < 0.4 * air[1]

    def test_lines_that_meet_are_followed_on_without_lifting(self):
        corner = [Path.polyline([(0, 0), (20, 0)], closed=False), Path.polyline([(40, 0), (20, 0)], closed=False)]
        toolpath, _, _ = planned(*corner, kind=EngraveCut, end_depth=0.5)
        assert (toolpath.kind == Move.RAPID).sum() == 3  # over the first, down to it, and up at the end


class TestFacing:
    SHEET = Sheet(width=120.0, height=80.0, readings=(20.4, 20.0))

    @pytest.mark.parametrize("pattern", list(FacingPattern))
    @pytest.mark.parametrize("degrees", [0.0, 90.0])
    def test_the_whole_sheet_is_planed_past_every_edge(self, pattern, degrees):
        toolpath, findings, _ = planned(
            star(), kind=FacingCut, shapes=(), sheet=self.SHEET, end_depth=0.5, pattern=pattern, raster_degrees=degrees,
            bit=straight_bit(20.0, kind=BitKind.SURFACING), run=Overrides(stepover=0.6, depth_per_pass=1.0),
        )  # fmt: skip
        assert not findings
        assert shapely.box(0, 0, 120, 80).difference(swept(toolpath, 10.0, deeper_than=0.499)).area < 1e-6
        down = np.flatnonzero((toolpath.kind == Move.LINE) & (np.diff(toolpath.xyz[:, 2], prepend=9.0) < -1e-6))
        for x, y in toolpath.xyz[down, :2]:
            assert shapely.box(0, 0, 120, 80).distance(shapely.points(x, y)) > 10.0, "comes down beside the sheet"

    def test_a_target_thickness_and_its_half(self):
        cut = FacingCut(id=CutId("c"), name="F", bit=BitId("b"), target=19.0)
        assert cut.depth(self.SHEET) == pytest.approx(1.4)
        assert replace(cut, is_split=True).depth(self.SHEET) == pytest.approx(0.7)

    def test_later_cuts_count_from_the_new_face(self):
        job, board, cut = board_with(star(), kind=ProfileCut, sheet=self.SHEET, goes_through=True, tabs=Tabs(count=0))
        pocket = PocketCut(id=CutId("cut7"), name="P", bit=cut.bit, shapes=cut.shapes, end_depth=5.0)
        facing = FacingCut(id=CutId("cut8"), name="F", bit=cut.bit, target=19.0)
        board = replace(board, cuts=(facing, pocket, cut))
        job = with_boards(job, (board,))
        plan = plan_board(job, board, {})
        lowest = [float(p.toolpath.xyz[:, 2].min()) for p in plan.cuts]
        assert lowest == pytest.approx([-1.4, -6.4, -20.6])
        for planned_cut in plan.cuts:
            assert no_rapid_in_wood(planned_cut.toolpath, 3.0)

    def test_facing_to_more_than_there_is_is_told(self):
        _, findings, _ = planned(star(), kind=FacingCut, shapes=(), sheet=self.SHEET, target=25.0, end_depth=0.0)
        assert [f.code for f in findings] == ["facing-thin"]

    def test_facing_after_other_work_is_told(self):
        job, board, cut = board_with(star(), kind=ProfileCut, goes_through=True)
        late = FacingCut(id=CutId("cut8"), name="F", bit=cut.bit, end_depth=0.5)
        board = replace(board, cuts=(cut, late))
        assert "facing-late" in {f.code for f in plan_board(with_boards(job, (board,)), board, {}).findings}


class TestSlots:
    LINE = Path.polyline([(0, 0), (0, 30)], closed=False)

    def test_a_keyhole_goes_in_and_out_at_the_same_place_in_one_pass(self):
        toolpath, findings, board = planned(self.LINE, kind=SlotCut, bit=KEYHOLE, end_depth=10.0)
        assert not findings
        low = toolpath.xyz[:, 2] < -0.01
        assert set(toolpath.xyz[low, 2]) == {-10.0}
        ups = np.flatnonzero((toolpath.kind == Move.RAPID) & (np.diff(toolpath.xyz[:, 2], prepend=9) > 1))
        begin = board.shapes[0].placed()[0].nodes[0]
        assert np.allclose(toolpath.xyz[ups, :2], begin)

    def test_the_section_shows_the_hollow_and_the_plan_only_the_neck(self):
        job, board, _ = board_with(self.LINE, kind=SlotCut, bit=KEYHOLE, end_depth=10.0)
        plan = plan_board(job, board, {})
        timeline = StockTimeline(board.sheet, plan.run, job.bits, cell=0.25)
        x, y = board.shapes[0].placed()[0].nodes[1]
        heights, hollow = timeline.hollow_section((x - 10, y - 8), (x + 10, y - 8), timeline.duration, samples=2001)
        is_open = heights < -9.9
        assert is_open.sum() * 0.01 == pytest.approx(4.8, abs=0.03)
        is_hollow = np.isfinite(hollow[0])
        assert (is_hollow | is_open).sum() * 0.01 == pytest.approx(9.5, abs=0.03)
        assert np.nanmin(hollow[0]) == -10.0
        assert np.nanmax(hollow[1]) == pytest.approx(-6.0)
        timeline.seek(timeline.duration)
        row = timeline.field[int((y - 8) / 0.25)]
        assert (row < -9.9).sum() * 0.25 == pytest.approx(4.8, abs=0.3)

    def test_a_dovetail_in_solid_wood_is_refused_with_the_reason(self):
        toolpath, findings, _ = planned(self.LINE, kind=SlotCut, bit=DOVETAIL, end_depth=8.0)
        assert not len(toolpath)
        refusal = next(f for f in findings if f.code == "slot-closed-in")
        assert refusal.severity is Severity.STOP
        assert "12.7" in refusal.fix

    def test_a_dovetail_across_the_sheet_comes_in_and_goes_out_in_the_air(self):
        sheet = Sheet(width=100.0, height=60.0, readings=(18.0,))
        across = Path.polyline([(0, 0), (100, 0)], closed=False)
        toolpath, findings, _ = planned(across, kind=SlotCut, bit=DOVETAIL, end_depth=8.0, sheet=sheet)
        assert "slot-relief" in {f.code for f in findings}
        vertical = np.flatnonzero(
            np.hypot(*np.diff(toolpath.xyz[:, :2], axis=0, prepend=toolpath.xyz[:1, :2]).T) < 1e-9
        )
        low = vertical[(toolpath.xyz[vertical, 2] < 0) | (toolpath.xyz[np.maximum(vertical - 1, 0), 2] < 0)]
        for x, y in toolpath.xyz[low, :2]:
            assert shapely.box(0, 0, 100, 60).distance(shapely.points(x, y)) >= 6.35, "up and down only off the sheet"

    def test_a_hole_wide_and_deep_enough_lets_it_in(self):
        job, board, cut = board_with(self.LINE, Path.circle((0, 0), 7.0), kind=SlotCut, bit=DOVETAIL, end_depth=8.0)
        line, hole = board.shapes[0], replace(board.shapes[0], id="shape5", paths=board.shapes[0].paths[1:])
        line = replace(line, paths=line.paths[:1])
        bore = HoleCut(id=CutId("cut5"), name="H", bit=BitId("bit2"), shapes=("shape5",), end_depth=8.0)
        job = replace(job, bits=(*job.bits, replace(straight_bit(6.0), id=BitId("bit2"), place=1)))
        board = replace(board, shapes=(line, hole), cuts=(bore, replace(cut, shapes=(line.id,))))
        toolpath, findings = plan_cut(resolve(with_boards(job, (board,)), board, board.cuts[1]))
        assert "slot-closed-in" not in {f.code for f in findings}
        assert len(toolpath)
        shallow = replace(board, cuts=(replace(bore, end_depth=5.0), board.cuts[1]))
        assert not len(plan_cut(resolve(with_boards(job, (shallow,)), shallow, shallow.cuts[1]))[0])

    def test_a_straight_bit_makes_no_undercut(self):
        _, findings, _ = planned(self.LINE, kind=SlotCut, bit=straight_bit(6.0), end_depth=8.0)
        assert [f.code for f in findings] == ["slot-bit"]


class TestFixtures:
    def with_fixture(self, fixture, *paths, **fields):
        job, board, _ = board_with(*paths, kind=ProfileCut, goes_through=True, tabs=Tabs(count=0), **fields)
        board = replace(board, fixtures=(fixture,), heights=Heights(follows_clamps=True))
        job = with_boards(job, (board,))
        return job, board, plan_board(job, board, {})

    @settings(max_examples=15)
    @given(
        st.floats(-45, 45), st.floats(-45, 45), st.floats(0, 180), st.floats(2, 30), st.sampled_from(list(FixtureKind))
    )
    def test_neither_bit_nor_shank_ever_comes_near_a_clamp(self, dx, dy, degrees, height, kind):
        fixture = Fixture(kind=kind, x=200 + dx, y=150 + dy, width=40, height=20, rise=height, degrees=degrees)
        job, _board, plan = self.with_fixture(fixture, Path.circle((0, 0), 40), Path.rectangle(-15, -15, 30, 30))
        points, _ = straightened(plan.run.xyz, plan.run.kind, plan.run.centre, chord_tolerance_mm=0.01)
        low = np.minimum(points[:-1, 2], points[1:, 2]) < height
        lines = shapely.linestrings(np.stack((points[:-1, :2], points[1:, :2]), axis=1)[low])
        clear = shapely.distance(outline_of(fixture), lines)
        assert not len(lines) or clear.min() > job.bits[0].radius + GAP_MM - 0.05

    def test_what_is_left_uncut_is_told_and_the_rest_is_cut(self):
        fixture = Fixture(x=240, y=150, width=20, height=20, rise=15)
        _, _board, plan = self.with_fixture(fixture, Path.circle((0, 0), 40))
        told = next(f for f in plan.findings if f.code == "into-clamp")
        assert told.severity is Severity.STOP
        assert told.at == (240, 150)
        bottom = swept(plan.cuts[0].toolpath, 3.0, deeper_than=18.1)
        ring = (
            shapely.points(200, 150)
            .buffer(46, quad_segs=90)
            .difference(shapely.points(200, 150).buffer(40, quad_segs=90))
        )
        share = bottom.intersection(ring).area / ring.area
        assert 0.75 < share < 0.95

    @pytest.mark.parametrize("plunge", [150.0, 900.0])
    def test_behind_a_clamp_the_bit_goes_down_at_the_recipes_plunge(self, plunge):
        job, board, _ = board_with(
            Path.circle((0, 0), 40), kind=ProfileCut, goes_through=True, tabs=Tabs(count=0),
            bit=straight_bit(6.0, recipe=Recipe(plunge=plunge)),
        )  # fmt: skip
        board = replace(board, fixtures=(Fixture(x=240, y=150, width=20, height=20, rise=15),))
        path = plan_board(with_boards(job, (board,)), board, {}).cuts[0].toolpath
        level = np.hypot(*np.diff(path.xyz[:, :2], axis=0).T) < 1e-9
        down = np.flatnonzero(level & (np.diff(path.xyz[:, 2]) < -0.01) & (path.kind[1:] == Move.LINE)) + 1
        assert len(down) >= 2
        assert path.feed[down].max() <= plunge + 1e-6

    def test_travel_clears_the_highest_clamp_and_stays_low_without(self):
        heights = Heights(retract=3.0, travel=15.0, park=30.0, follows_clamps=True)
        assert heights.over(()).travel == 8.0
        assert heights.over((Fixture(x=0, y=0, rise=22.0),)).travel == 27.0
        typed = replace(heights, follows_clamps=False)
        assert typed.over(()).travel == 15.0
        assert typed.over((Fixture(x=0, y=0, rise=40.0),)).travel > 40.0
        assert typed.over((Fixture(x=0, y=0, rise=40.0),)).park > 40.0

    def test_a_clamp_away_from_the_work_changes_nothing(self):
        fixture = Fixture(x=20, y=20, width=20, height=20, rise=15)
        _, _, plan = self.with_fixture(fixture, Path.circle((0, 0), 40))
        job, board, _ = board_with(Path.circle((0, 0), 40), kind=ProfileCut, goes_through=True, tabs=Tabs(count=0))
        board = replace(board, heights=Heights(follows_clamps=True))
        bare = plan_board(with_boards(job, (board,)), board, {})
        assert np.array_equal(plan.cuts[0].toolpath.xyz, bare.cuts[0].toolpath.xyz)


class TestOrder:
    @settings(max_examples=25)
    @given(st.integers(1, 120), st.integers(0, 2**31))
    def test_every_contour_once_inside_first_and_never_longer_than_the_nearest_next(self, n, seed):
        rng = np.random.default_rng(seed)
        starts = rng.uniform(0, 500, (n, 2))
        ends = starts + rng.uniform(-30, 30, (n, 2)) * (rng.random((n, 1)) < 0.6)
        parent = np.full(n, -1)
        for k in range(n // 3):
            parent[k] = rng.integers(n // 3, n)
        order = inside_first(starts, parent, ends=ends, can_turn=np.ones(n, dtype=bool))
        place = {(k if k >= 0 else ~k): i for i, k in enumerate(order)}
        assert sorted(place) == list(range(n))
        assert all(parent[k] < 0 or place[k] < place[parent[k]] for k in range(n))
        at, free, greedy = np.zeros(2), set(range(n)), 0.0
        while free:
            ready = [k for k in free if not any(parent[c] == k for c in free)]
            gaps = [(np.hypot(*(p - at)), k, q) for k in ready for p, q in ((starts[k], ends[k]), (ends[k], starts[k]))]
            gap, k, at = min(gaps, key=lambda g: g[0])
            greedy += gap
            free.remove(k)
        assert travel(starts, order, ends=ends, begin=(0, 0)) <= greedy + 1e-6

    def test_a_far_beginning_and_points_on_one_spot(self):
        assert inside_first(np.array([[5.0, 5.0]]), np.array([-1]), begin=(-1e4, 1e4)) == [0]
        assert sorted(inside_first(np.zeros((9, 2)), np.full(9, -1))) == list(range(9))


class TestLoosePieces:
    def test_an_offcut_inside_a_part_is_a_piece_too(self):
        job, board, cut = board_with(
            Path.circle((0, 0), 40), kind=ProfileCut, goes_through=True, side=Side.INSIDE, tabs=Tabs(count=0)
        )
        plan = plan_board(job, board, {})
        loose = [f for f in plan.findings if f.code == "loose-part"]
        assert len(loose) == 1
        assert loose[0].at == pytest.approx((200, 150), abs=40)
        held = edits.change_cut(job, cut.id, "", tabs=Tabs(count=3)).job
        assert not [f for f in plan_board(held, held.boards[0], {}).findings if f.code in ("loose-part", "one-tab")]
        one = edits.change_cut(job, cut.id, "", tabs=Tabs(count=1)).job
        assert "one-tab" in {f.code for f in plan_board(one, one.boards[0], {}).findings}

    def test_pieces_between_two_cuts_are_found(self):
        ring = [Path.circle((0, 0), 60), Path.circle((0, 0), 30)]
        job, board, cut = board_with(*ring, kind=ProfileCut, goes_through=True, side=Side.ON, tabs=Tabs(count=0))
        loose = [f for f in plan_board(job, board, {}).findings if f.code == "loose-part"]
        assert len(loose) == 2, "the disc and the ring around it"
        clamp = Fixture(x=245, y=150, width=10, height=10, rise=5)
        held = with_boards(job, (replace(board, fixtures=(clamp, Fixture(x=10, y=10, rise=5))),))
        assert len([f for f in plan_board(held, held.boards[0], {}).findings if f.code == "loose-part"]) == 1
        assert cut.is_through(board.sheet)
        assert Recipe().stepover == 0.4
        assert Entry.RAMP in Entry


class TestBadInput:
    """What a slip of the hand gives a cut: sentences, never silence, a hang or a fault; what can be cut is still cut."""

    SPECK = Path.polyline([(0, 0), (0, 0), (1e-7, 0)], closed=True)

    @pytest.mark.parametrize("kind", [ProfileCut, PocketCut, HoleCut, EngraveCut])
    def test_a_region_of_a_single_point_is_told(self, kind):
        toolpath, findings, _ = planned(self.SPECK, kind=kind, end_depth=3.0)
        assert findings
        assert not len(toolpath) or toolpath.xyz[:, 2].min() >= -3.0

    @pytest.mark.parametrize("kind", [ProfileCut, PocketCut])
    def test_beside_a_speck_the_rest_is_cut(self, kind):
        toolpath, _, _ = planned(self.SPECK, Path.rectangle(20, 0, 40, 30), kind=kind, end_depth=3.0)
        assert len(toolpath) > 10

    @pytest.mark.parametrize("kind", [ProfileCut, EngraveCut, PocketCut])
    def test_a_tiny_outline_and_a_flat_ramp_do_not_go_round_for_ever(self, kind):
        fields = {"side": Side.ON} if kind is ProfileCut else {}
        toolpath, _, _ = planned(
            Path.circle((0, 0), 0.05 if kind is not PocketCut else 3.05), kind=kind, end_depth=17.0, entry=Entry.RAMP, ramp_degrees=0.5,
            bit=straight_bit(6.0, recipe=Recipe(depth_per_pass=17.0)), **fields,
        )  # fmt: skip
        assert len(toolpath) < 20_000

    @pytest.mark.parametrize(
        "fields", [{"end_depth": 900.0}, {"start_depth": 5.0, "end_depth": 5.0}, {"end_depth": 1e-9}]
    )
    @pytest.mark.parametrize("kind", [ProfileCut, PocketCut, EngraveCut, FacingCut])
    def test_depths_zero_huge_and_turned_round_are_told(self, kind, fields):
        job, board, _ = board_with(star(), kind=kind, **fields)
        assert plan_board(job, board, {}).findings

    def test_a_bit_wider_than_everything(self):
        wide = straight_bit(150.0)
        for kind in (PocketCut, HoleCut, ProfileCut):
            extra = {"side": Side.INSIDE} if kind is ProfileCut else {}
            toolpath, findings, _ = planned(Path.circle((0, 0), 10), kind=kind, bit=wide, **extra)
            assert not len(toolpath)
            assert [f for f in findings if f.severity is Severity.STOP]

    def test_clamps_over_the_whole_part(self):
        job, board, _ = board_with(star(), kind=PocketCut)
        board = replace(board, fixtures=(Fixture(x=200, y=150, width=200, height=200, rise=20),))
        plan = plan_board(with_boards(job, (board,)), board, {})
        assert "into-clamp" in {f.code for f in plan.findings}
        assert plan.run.xyz[:, 2].min() >= 0
