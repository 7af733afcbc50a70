"""What a profile cuts, measured by other means than the planner's own."""

from __future__ import annotations

from math import pi, radians, tan

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from archimetra.base.findings import Severity
from archimetra.geometry.path import Path
from archimetra.geometry.region import ring_area
from archimetra.job.bits import Recipe, Spin
from archimetra.job.cut_parts import Direction, Entry, Overrides, Side, Tabs
from archimetra.job.sheet import Sheet
from archimetra.toolpath.profile.planner import plan_profile
from archimetra.toolpath.resolve import resolve
from archimetra.toolpath.shared.moves import Move, Role, move_lengths, straightened
from archimetra.toolpath.shared.order import inside_first
from archimetra.toolpath.shared.passes import pass_depths
from archimetra.toolpath.shared.program import assemble
from archimetra.toolpath.shared.tabs import tab_spans
from archimetra.toolpath.shared.track import Track
from shapes import blob, convex_polygons, job_with, replace, star, straight_bit, swept_area

SHEET = Sheet(width=400.0, height=300.0, readings=(12.0,))


def plan(*paths: Path, bit_diameter: float = 6.0, bit=None, **cut):
    job, board, made = job_with(*paths, sheet=cut.pop("sheet", SHEET), bit=bit or straight_bit(bit_diameter), **cut)
    toolpath, findings = plan_profile(resolve(job, board, made))
    return toolpath, findings, board, made


def part_of(board) -> shapely.Geometry:
    """The drawn area on the board, flattened finely and independently of any planner."""
    rings = [path.flatten(0.0005) for path in board.shapes[0].placed()]
    area = shapely.Polygon(rings[0])
    for ring in rings[1:]:
        area = area.symmetric_difference(shapely.Polygon(ring))
    return area


PARTS = {
    "star": (star(),),
    "blob": (blob(7),),
    "ring": (Path.circle((0, 0), 40), Path.circle((0, 0), 15)),
    "plate with holes": (Path.rectangle(0, 0, 120, 80), Path.circle((30, 40), 8), star(6, 12, 8, at=(85, 40))),
}


class TestWhatIsCut:
    @pytest.mark.parametrize("name", PARTS)
    @pytest.mark.parametrize("side", [Side.OUTSIDE, Side.INSIDE])
    def test_the_bit_never_enters_the_kept_wood_and_cuts_up_to_it(self, name, side):
        toolpath, findings, board, _ = plan(
            *PARTS[name], bit_diameter=3.0, side=side, goes_through=True, tabs=Tabs(count=0)
        )
        assert not [f for f in findings if f.severity is Severity.STOP]
        part = part_of(board)
        cut = swept_area(toolpath, 1.5, deeper_than=12.0)
        kept = part if side is Side.OUTSIDE else shapely.box(0, 0, 400, 300).difference(part)
        bite = cut.intersection(kept)
        assert bite.buffer(-0.01).is_empty, "the bit gouged the part"
        # every place of the outline that a round bit can touch is touched: opening by the bit's radius
        waste = shapely.box(-50, -50, 450, 350).difference(part) if side is Side.OUTSIDE else part
        reachable = waste.buffer(-1.5, quad_segs=90).buffer(1.5, quad_segs=90)
        along = reachable.boundary.intersection(part.boundary.buffer(0.02))
        assert shapely.distance(cut, shapely.points(shapely.get_coordinates(along))).max() < 0.02

    @settings(max_examples=15)
    @given(convex_polygons(), st.floats(1.0, 8.0))
    def test_the_slot_round_a_convex_part_has_steiners_area(self, path, diameter):
        toolpath, _, _, _ = plan(path, bit_diameter=diameter, tabs=Tabs(count=0), side=Side.OUTSIDE, goes_through=True)
        cut = swept_area(toolpath, diameter / 2, deeper_than=12.0)
        expected = path.length() * diameter + pi * diameter**2
        assert cut.area == pytest.approx(expected, abs=0.02 * (path.length() + 3 * diameter))

    def test_on_the_line_the_bit_follows_the_line_itself(self):
        toolpath, _, board, _ = plan(blob(3), side=Side.ON, goes_through=False, end_depth=2.0)
        low = toolpath.xyz[toolpath.xyz[:, 2] < -1.99]
        edge = shapely.linestrings(board.shapes[0].placed()[0].flatten(0.0005))
        assert shapely.distance(edge, shapely.points(low[:, :2])).max() < 0.01

    def test_an_open_line_is_cut_from_end_to_end(self):
        line = Path.polyline([(0, 0), (50, 0), (50, 30)], closed=False)
        toolpath, findings, board, _ = plan(line, side=Side.ON, goes_through=False, end_depth=3.0)
        assert not findings
        cut = swept_area(toolpath, 3.0, deeper_than=2.999)
        slot = shapely.linestrings(board.shapes[0].placed()[0].nodes).buffer(3.0, quad_segs=90)
        assert cut.symmetric_difference(slot).area < 0.05

    def test_a_turned_part_has_a_turned_path(self):
        from archimetra.geometry.affine import Affine

        first, _, _, _ = plan(star(), tabs=Tabs(count=0))
        second, _, _, _ = plan(star().transform(Affine.turn(90)), tabs=Tabs(count=0))
        areas = [swept_area(t, 3.0, deeper_than=12).area for t in (first, second)]
        assert areas[0] == pytest.approx(areas[1], abs=0.05)


class TestDepths:
    @given(st.floats(0, 20), st.floats(0.1, 40), st.floats(0.1, 10))
    def test_passes_are_even_end_exactly_and_keep_their_limit(self, start, more, step):
        depths = pass_depths(start, start + more, step)
        steps = np.diff(np.concatenate(([start], depths)))
        assert depths[-1] == pytest.approx(start + more)
        assert steps.max() <= step + 1e-9
        assert steps == pytest.approx(steps[0], abs=1e-9)

    def test_through_means_the_thickest_reading_and_the_allowance(self):
        sheet = Sheet(width=400, height=300, readings=(18.1, 18.4, 18.2))
        toolpath, _, _, _ = plan(star(), sheet=sheet, goes_through=True, allowance=0.3)
        assert toolpath.xyz[:, 2].min() == pytest.approx(-18.7)

    def test_a_start_depth_begins_there_and_nothing_falls_fast(self):
        toolpath, _, _, _ = plan(
            star(), start_depth=4.0, goes_through=False, end_depth=9.0, entry=Entry.PLUNGE, tabs=Tabs()
        )
        first = int(np.flatnonzero(toolpath.kind == Move.LINE)[0])
        assert toolpath.xyz[first - 1, 2] == 1.0, "a rapid ends a millimetre above the sheet"
        assert toolpath.xyz[first, 2] == -4.0
        assert toolpath.feed[first] == Recipe().plunge

    def test_rapids_never_run_below_the_hop_height(self):
        toolpath, _, board, _ = plan(*PARTS["plate with holes"], tabs=Tabs(count=3))
        for row in np.flatnonzero(toolpath.kind == Move.RAPID)[1:]:
            a, b = toolpath.xyz[row - 1], toolpath.xyz[row]
            goes_straight_up = np.hypot(*(b - a)[:2]) < 1e-9 and b[2] > a[2]
            comes_down = np.hypot(*(b - a)[:2]) < 1e-9 and b[2] >= 1.0
            assert goes_straight_up or comes_down or min(a[2], b[2]) >= board.heights.retract - 1e-9

    @pytest.mark.parametrize("degrees", [3.0, 8.0, 25.0])
    def test_a_ramp_is_no_steeper_than_asked_and_its_slope_is_cut_away(self, degrees):
        toolpath, _, _, _ = plan(star(), ramp_degrees=degrees, tabs=Tabs(count=0))
        points, _ = straightened(toolpath.xyz, toolpath.kind, toolpath.centre, chord_tolerance_mm=0.001)
        d = np.diff(points, axis=0)
        flat = np.hypot(d[:, 0], d[:, 1])
        falling = (d[:, 2] < -1e-9) & (flat > 1e-9)
        assert (-d[falling, 2] / flat[falling]).max() <= tan(radians(degrees)) * 1.01
        area = swept_area(toolpath, 3.0, deeper_than=12.19).area
        full = swept_area(plan(star(), entry=Entry.PLUNGE, tabs=Tabs(count=0))[0], 3.0, deeper_than=12.19).area
        assert area == pytest.approx(full, abs=0.05)

    def test_sloped_moves_keep_the_vertical_feed(self):
        toolpath, _, _, _ = plan(star(), ramp_degrees=40.0, tabs=Tabs(count=0))
        d = np.diff(toolpath.xyz, axis=0)
        speed = toolpath.feed[1:]
        falls = (d[:, 2] < -1e-9) & (toolpath.kind[1:] != Move.RAPID)
        length = move_lengths(toolpath.xyz, toolpath.kind, toolpath.centre)[1:]
        assert (speed[falls] * -d[falls, 2] / length[falls]).max() <= Recipe().plunge * 1.0001


class TestDirection:
    @pytest.mark.parametrize("spin", list(Spin))
    @pytest.mark.parametrize("direction", list(Direction))
    @pytest.mark.parametrize("side", [Side.OUTSIDE, Side.INSIDE])
    def test_climb_keeps_the_wood_on_the_right_of_a_clockwise_bit(self, side, direction, spin):
        """Each contour's turning sense, judged from points beside its first cut: on which side is the kept wood?"""
        bit = replace(straight_bit(3.0), spin=spin)
        toolpath, _, board, _ = plan(*PARTS["ring"], bit=bit, side=side, direction=direction, tabs=Tabs(count=0))
        part = part_of(board)
        kept_right = (direction is Direction.CLIMB) == (spin is Spin.CLOCKWISE)
        points, rows = straightened(toolpath.xyz, toolpath.kind, toolpath.centre, chord_tolerance_mm=0.01)
        low = np.flatnonzero((points[1:, 2] < -12) & (points[:-1, 2] < -12) & (toolpath.role[rows[1:]] == Role.CUT))
        a, b = points[low, :2], points[low + 1, :2]
        d = b - a
        right = (a + b) / 2 + np.column_stack((d[:, 1], -d[:, 0])) / np.hypot(*d.T)[:, None] * 1.6
        is_part = shapely.contains(part, shapely.points(right))
        wood_is_right = is_part if side is Side.OUTSIDE else ~is_part
        assert (wood_is_right == kept_right).all()


class TestOrder:
    def test_inner_contours_come_before_outer_ones(self):
        toolpath, _, _, _ = plan(*PARTS["plate with holes"], bit_diameter=3.0, tabs=Tabs(count=0))
        starts = np.flatnonzero((toolpath.kind == Move.RAPID) & (toolpath.xyz[:, 2] < 5))
        low = [
            toolpath.xyz[a:b] for a, b in zip(starts[:-1], starts[1:], strict=True) if (toolpath.xyz[a:b, 2] < 0).any()
        ]
        sizes = [np.ptp(piece[:, 0]) for piece in low]
        assert sizes[-1] == max(sizes) > 100

    @given(st.integers(1, 40), st.integers(0, 1000))
    def test_every_contour_once_and_children_first(self, count, seed):
        rng = np.random.default_rng(seed)
        parent = np.array([rng.integers(-1, i) if i else -1 for i in range(count)])
        order = inside_first(rng.uniform(0, 100, (count, 2)), parent)
        assert sorted(order) == list(range(count))
        place = {k: n for n, k in enumerate(order)}
        assert all(place[i] < place[int(p)] for i, p in enumerate(parent) if p >= 0)


class TestTabs:
    @settings(max_examples=8)
    @given(st.integers(1, 8), st.floats(3, 12), st.floats(1, 5))
    def test_tabs_have_their_length_and_thickness_after_all_passes(self, count, length, thickness):
        part = Path.rectangle(0, 0, 200, 140)
        tabs = Tabs(count=count, length=length, thickness=thickness, corner_distance=5)
        toolpath, findings, _, _ = plan(part, tabs=tabs, goes_through=True)
        assert not findings
        slot = swept_area(plan(part, tabs=Tabs(count=0))[0], 3.0, deeper_than=12)
        for depth, is_bridged in ((12.0 - thickness - 0.01, False), (12.0 - thickness + 0.02, True), (11.99, True)):
            left = slot.difference(swept_area(toolpath, 3.0, deeper_than=depth)).buffer(-0.005)
            pieces = [p for p in getattr(left, "geoms", [left]) if p.area > 0.5]
            assert len(pieces) == (count if is_bridged else 0)
            for piece in pieces:
                x0, y0, x1, y1 = piece.bounds
                # round ends bite into the bridge; along the middle of the slot it has its full length
                line = (
                    shapely.linestrings([[(x0 + x1) / 2, y0 - 1], [(x0 + x1) / 2, y1 + 1]])
                    if x1 - x0 < y1 - y0
                    else shapely.linestrings([[x0 - 1, (y0 + y1) / 2], [x1 + 1, (y0 + y1) / 2]])
                )
                assert shapely.length(piece.intersection(line)) == pytest.approx(length, abs=0.06)

    def test_tabs_keep_off_corners(self):
        track = Track(Path.rectangle(0, 0, 100, 60))
        placed = tab_spans(track, Tabs(count=4, length=8, corner_distance=10), bit_diameter=6)
        corners = np.array([0, 100, 160, 260, 320])
        for low, high in placed.spans:
            assert np.abs(corners - (low + high) / 2).min() >= 7 + 10 - 1e-6
        assert placed.near_corner == 0

    @given(st.integers(1, 60), st.floats(1, 30), st.integers(0, 50))
    def test_lifts_never_touch_and_misfits_are_counted(self, count, length, seed):
        track = Track(_arcs(blob(seed)))
        placed = tab_spans(track, Tabs(count=count, length=length), bit_diameter=6)
        spans = placed.spans
        assert len(spans) <= count
        if len(spans) > 1:
            gaps = np.roll(spans[:, 0], -1) - spans[:, 1]
            gaps[-1] += track.length
            assert gaps.min() > 0

    def test_too_many_tabs_are_told(self):
        _, findings, _, _ = plan(star(5, 12, 6), tabs=Tabs(count=40, length=10))
        assert "tabs-few" in {f.code for f in findings}


def _arcs(path: Path) -> Path:
    from archimetra.geometry.arcfit import to_arcs

    return to_arcs(path, tolerance_mm=0.01)


class TestFindings:
    def test_an_open_outline_has_no_outside(self):
        toolpath, findings, _, _ = plan(
            Path.polyline([(0, 0), (50, 0), (50, 30)], closed=False), side=Side.OUTSIDE, goes_through=True
        )
        assert [f.code for f in findings] == ["profile-open"]
        assert "open by" in findings[0].sentence
        assert findings[0].at is not None
        assert not len(toolpath)

    def test_an_open_outline_beside_a_closed_one_costs_only_itself(self):
        paths = (Path.rectangle(0, 0, 40, 40), Path.polyline([(60, 0), (90, 0)], closed=False))
        toolpath, findings, _, _ = plan(*paths, side=Side.OUTSIDE, goes_through=True)
        assert "profile-open" in {f.code for f in findings}
        assert len(toolpath)

    def test_a_bit_larger_than_the_hole_is_told_where(self):
        paths = (Path.rectangle(0, 0, 60, 60), Path.circle((20, 20), 2.5))
        toolpath, findings, board, _ = plan(*paths, bit_diameter=6)
        told = next(f for f in findings if f.code == "profile-too-small")
        hole = board.shapes[0].placed()[1].bounds()
        assert told.at == pytest.approx(((hole[0] + hole[2]) / 2, (hole[1] + hole[3]) / 2), abs=0.05)
        assert "5.00 mm wide" in told.sentence
        assert len(toolpath)

    def test_a_hole_of_exactly_the_bits_size_is_plunged(self):
        toolpath, findings, board, _ = plan(Path.circle((20, 20), 3.0), bit_diameter=6, side=Side.INSIDE)
        assert not [f for f in findings if f.code == "profile-too-small"]
        x0, y0, x1, y1 = board.shapes[0].bounds()
        low = toolpath.xyz[toolpath.xyz[:, 2] < 0]
        assert low[:, :2] == pytest.approx(np.broadcast_to([(x0 + x1) / 2, (y0 + y1) / 2], (len(low), 2)), abs=0.01)
        assert low[:, 2].min() == pytest.approx(-12.2)

    def test_parts_too_close_for_the_bit_are_told(self):
        paths = (Path.rectangle(0, 0, 40, 40), Path.rectangle(44, 0, 40, 40))
        _, findings, _, _ = plan(*paths, bit_diameter=6)
        assert "4.00 mm apart" in next(f for f in findings if f.code == "profile-gap").sentence

    @pytest.mark.parametrize(
        ("fields", "code"),
        [
            ({"goes_through": False, "end_depth": 0.0}, "depth-zero"),
            ({"goes_through": False, "end_depth": 2.0, "start_depth": 3.0}, "depth-order"),
            ({"shapes": ()}, "no-shapes"),
        ],
    )
    def test_settings_that_cut_nothing_are_told(self, fields, code):
        toolpath, findings, _, _ = plan(star(), **fields)
        assert code in {f.code for f in findings}
        assert not len(toolpath)

    @pytest.mark.parametrize(
        "paths",
        [(Path.polyline([(0, 0), (0, 0)], closed=True),), (Path.polyline([(0, 0), (9, 0), (0, 0)], closed=True),)],
    )
    def test_shapes_without_area_cut_nothing_and_do_not_fail(self, paths):
        toolpath, _, _, _ = plan(*paths)
        assert not len(toolpath)


class TestPlanning:
    def test_the_same_inputs_give_the_same_bytes(self):
        first, second = (plan(*PARTS["plate with holes"])[0] for _ in range(2))
        for name in ("xyz", "kind", "centre", "feed", "role", "pass_no"):
            assert getattr(first, name).tobytes() == getattr(second, name).tobytes()

    def test_a_run_begins_and_ends_high_and_travels_between_cuts(self):
        toolpath, _, board, _ = plan(star())
        run = assemble([toolpath, toolpath], board.heights)
        assert run.xyz[0].tolist() == [*toolpath.xyz[0, :2], board.heights.park]
        assert run.xyz[-1].tolist() == [*toolpath.xyz[-1, :2], board.heights.park]
        between = run.xyz[run.blocks[1].first]
        assert between[2] == board.heights.travel
        assert run.kind[run.blocks[1].first] == Move.RAPID
        assert len(assemble([], board.heights).blocks) == 0

    def test_starts_lie_on_straight_stretches_clear_of_tabs(self):
        toolpath, _, _, _ = plan(Path.rectangle(0, 0, 150, 100), tabs=Tabs(count=4), run=Overrides(depth_per_pass=20.0))
        x, y = toolpath.xyz[1, :2]
        corners = toolpath.xyz[toolpath.kind >= Move.ARC_CW][:, :2]
        assert np.hypot(*(corners - (x, y)).T).min() > 15

    def test_contours_turn_the_way_their_area_says(self):
        toolpath, _, _, _ = plan(Path.circle((0, 0), 30), tabs=Tabs(count=0), direction=Direction.CONVENTIONAL)
        points, _ = straightened(toolpath.xyz, toolpath.kind, toolpath.centre, chord_tolerance_mm=0.01)
        last = points[points[:, 2] < -12.19][:, :2]
        assert ring_area(np.vstack((last, last[:1]))) > 0
