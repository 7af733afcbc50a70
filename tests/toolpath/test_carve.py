"""V-carve: sharp to the corner, exact in depth, flat floors without steps, nothing left unsaid."""

from __future__ import annotations

from pathlib import Path as FilePath

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

import archimetra
from archimetra.artwork.fonts import fonts_in, shipped_fonts
from archimetra.artwork.text import set_in
from archimetra.artwork.text_form import TextForm
from archimetra.edits import leftovers
from archimetra.geometry.affine import Affine
from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import Path
from archimetra.job.bits import Bit, BitKind
from archimetra.job.cuts.carve import CarveCut
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.ids import BitId
from archimetra.job.job import with_boards
from archimetra.job.sheet import Sheet
from archimetra.toolpath.carve.area import area_of_carving
from archimetra.toolpath.carve_depths import carve_depths_of, rises
from archimetra.toolpath.kinds import plan_cut
from archimetra.toolpath.resolve import resolve
from archimetra.toolpath.shared.moves import Move, straightened
from carved_board import outline_distance, slope_of, surface, text_board, vee
from cutting_board import area_of as drawn_area
from cutting_board import board_with, no_rapid_in_wood, planned
from shapes import blob, replace, star

PLEX = FilePath(archimetra.__file__).parent / "app" / "theme" / "fonts"
THICK = Sheet(width=400.0, height=300.0, readings=(60.0,))
RECTANGLE = Path.polyline([(0, 0), (40, 0), (40, 20), (0, 20)], closed=True)


def carve(*paths: Path, bit: Bit | None = None, sheet: Sheet = THICK, **fields):
    """(toolpath, findings, board, bit); without a depth limit unless one is given."""
    bit = bit or vee(diameter=60.0)
    toolpath, findings, board = planned(*paths, kind=CarveCut, bit=bit, sheet=sheet, **({"end_depth": 0.0} | fields))
    return toolpath, findings, board, bit


def codes(findings) -> set[str]:
    return {finding.code for finding in findings}


def depth_errors(toolpath, area, bit: Bit, *, limit: float = np.inf) -> tuple[np.ndarray, np.ndarray]:
    """How much deeper (above 0) than the true distance to the outline allows the tip goes, at points of the path and between
    them, straight plunges and lifts left out."""
    points, _ = straightened(toolpath.xyz, toolpath.kind, toolpath.centre, chord_tolerance_mm=0.0005)
    d = np.diff(points, axis=0)
    along = (np.maximum(points[:-1, 2], points[1:, 2]) < 1e-6) & (np.hypot(d[:, 0], d[:, 1]) > 1e-6)
    a, b = points[:-1][along], points[1:][along]

    def over(places: np.ndarray) -> np.ndarray:
        return -places[:, 2] - np.minimum(rises(bit, outline_distance(area, places[:, :2])), limit)

    return over(np.vstack((a, b))), over(np.vstack([a + t * (b - a) for t in (0.25, 0.5, 0.75)]))


SHAPES = {
    "rectangle": (RECTANGLE,),
    "star": (star(),),
    "curved": (blob(3),),
    "with an island": (RECTANGLE, Path.circle((20, 10), 4)),
    "ring": (Path.circle((0, 0), 20), Path.circle((0, 0), 15)),
    "wedge": (Path.polyline([(0, 0), (60, 4), (60, -4)], closed=True),),
}


class TestDepth:
    @pytest.mark.parametrize("name", SHAPES)
    @pytest.mark.parametrize("angle", [30.0, 60.0, 90.0, 120.0])
    def test_the_tip_is_as_deep_as_the_true_distance_to_the_outline_says(self, name, angle):
        toolpath, _, board, bit = carve(
            *SHAPES[name], bit=vee(angle, diameter=100.0), sheet=replace(THICK, readings=(200.0,))
        )
        at, between = depth_errors(toolpath, drawn_area(board), bit)
        assert np.abs(at).max() < 0.005
        assert between.max() < 0.01
        assert between.min() > -0.02

    @pytest.mark.parametrize("name", SHAPES)
    def test_the_surface_is_the_ideal_one(self, name):
        toolpath, findings, board, bit = carve(*SHAPES[name])
        found = surface([(toolpath, bit)], drawn_area(board), slope=slope_of(bit))
        assert found.gouge < 0.01
        assert np.quantile(found.left, 0.999) < 0.012
        assert found.left.max() < 0.02
        assert not findings

    def test_corners_run_out_to_the_surface_exactly(self):
        toolpath, _, board, _ = carve(star())
        area = drawn_area(board)
        for x, y in shapely.get_coordinates(area.convex_hull)[:-1]:  # the five points of the star
            low = toolpath.xyz[toolpath.xyz[:, 2] < 0.5]
            gap = np.hypot(low[:, 0] - x, low[:, 1] - y)
            k = int(np.argmin(gap))
            assert gap[k] < 2e-4
            assert abs(low[k, 2]) < 1e-3

    def test_a_circle_is_one_plunge_to_its_own_depth(self):
        toolpath, _, _, bit = carve(Path.circle((0, 0), 5))
        assert -toolpath.xyz[:, 2].min() == pytest.approx(5 / slope_of(bit), abs=0.02)
        cutting_moves = toolpath.kind == Move.LINE
        assert np.ptp(toolpath.xyz[cutting_moves][:, :2], axis=0).max() < 1e-6

    def test_it_starts_on_the_floor_of_another_pocket(self):
        plain, _, _, _ = carve(star())
        lower, _, _, _ = carve(star(), start_depth=3.0)
        assert lower.xyz[:, 2].min() == pytest.approx(plain.xyz[:, 2].min() - 3.0)

    @pytest.mark.parametrize("kind", [BitKind.TAPERED_BALL, BitKind.BALL])
    def test_round_tips_touch_the_outline_and_cut_nothing_beyond_it(self, kind):
        bit = vee(20.0, diameter=12.0, kind=kind, tip_ball=1.0)
        toolpath, _, board, _ = carve(star(5, 12, 7), bit=bit, end_depth=8.0)
        area = drawn_area(board)
        found = surface([(toolpath, bit)], area, slope=1.0, cell=0.05)
        outside = ~found.inside & (outline_distance(area, found.places) > 0.004)
        assert found.cut[outside].min() > -0.01
        reach = np.minimum(rises(bit, outline_distance(area, toolpath.xyz[:, :2])), 8.0)
        low = toolpath.xyz[:, 2] < 0
        assert (-toolpath.xyz[low, 2] <= reach[low] + 0.01).all()

    @given(st.integers(3, 9), st.floats(6, 20), st.floats(0.3, 0.95), st.floats(0, 90), st.booleans())
    @settings(max_examples=25, deadline=None)
    def test_any_star_with_or_without_a_hole(self, points, size, share, turn, has_hole):
        paths = [star(points, size, size * share).transform(Affine.turn(turn))]
        if has_hole:
            paths.append(Path.circle((0, 0), 0.4 * size * share))
        toolpath, _, board, bit = carve(*paths)
        found = surface([(toolpath, bit)], drawn_area(board), slope=slope_of(bit), cell=0.15)
        assert found.gouge < 0.01
        assert np.quantile(found.left, 0.999) < 0.012


class TestFloor:
    def test_with_a_limit_the_floor_is_level_and_ridges_stay_below_the_cusp(self):
        toolpath, findings, board, bit = carve(star(), end_depth=4.0, cusp=0.05)
        found = surface([(toolpath, bit)], drawn_area(board), slope=slope_of(bit), limit=4.0)
        assert found.gouge < 0.005
        assert found.left.max() < 0.06
        assert toolpath.xyz[:, 2].min() == pytest.approx(-4.0)
        assert codes(findings) == {"carve-floor-alone"}

    @pytest.mark.parametrize("share", [0.1, 0.5, 0.9, 0.99])
    def test_the_middle_of_a_round_floor_is_no_higher_than_the_rest(self, share):
        """Between the last level curve and the middle lies anything up to a whole step."""
        bit = vee()
        step = 2 * slope_of(bit) * 0.05
        radius = 2.0 * slope_of(bit) + (5 + share) * step
        toolpath, _, board, _ = carve(Path.circle((0, 0), radius), bit=bit, end_depth=2.0, cusp=0.05)
        found = surface([(toolpath, bit)], drawn_area(board), slope=slope_of(bit), limit=2.0, cell=0.01)
        assert found.left.max() < 0.06

    @pytest.mark.parametrize("paths", [(star(),), (blob(5),), (RECTANGLE, Path.circle((20, 10), 4))])
    @pytest.mark.parametrize("second", [False, True])
    def test_straight_bits_and_the_v_meet_without_ridge_or_step(self, paths, second):
        job, board, cut = board_with(*paths, kind=CarveCut, bit=vee(), end_depth=3.0, cusp=0.02)
        straight = [
            Bit(id=BitId("s1"), name="3 mm", diameter=3.0, cutting_length=20.0),
            Bit(id=BitId("s2"), name="1 mm", diameter=1.0, cutting_length=9.0),
        ]
        job = replace(job, bits=(*job.bits, *straight))
        for bit in straight[: 1 + second]:
            job = leftovers.add_floor(job, cut.id, bit.id)[0].job
        board = job.boards[0]
        plans = []
        for each in board.cuts:
            toolpath, findings = plan_cut(resolve(job, board, each))
            assert not [f for f in findings if f.severity != "note"]
            plans.append((toolpath, job.bit(each.bit)))
        assert isinstance(board.cuts[-1], CarveCut)
        found = surface(plans, drawn_area(board), slope=slope_of(job.bits[0]), limit=3.0)
        assert found.gouge < 0.01
        assert np.quantile(found.left, 0.999) < 0.03
        assert found.left.max() < 0.05
        alone = carve(*paths, bit=vee(), end_depth=3.0, cusp=0.02)[0]
        mine = next(t for t, b in plans if b.kind is BitKind.VEE)
        assert (
            np.hypot(*np.diff(mine.xyz[:, :2], axis=0).T).sum()
            < 0.7 * np.hypot(*np.diff(alone.xyz[:, :2], axis=0).T).sum()
        )

    def test_a_straight_bit_keeps_off_the_sloping_wall(self):
        job, board, cut = board_with(RECTANGLE, kind=CarveCut, bit=vee(), end_depth=3.0)
        job = replace(job, bits=(*job.bits, Bit(id=BitId("s1"), name="3 mm", diameter=3.0)))
        job = leftovers.add_floor(job, cut.id, BitId("s1"))[0].job
        board = job.boards[0]
        pocket = next(c for c in board.cuts if isinstance(c, PocketCut))
        toolpath, _ = plan_cut(resolve(job, board, pocket))
        low = toolpath.xyz[toolpath.xyz[:, 2] < 0]
        nearest = outline_distance(drawn_area(board), low[:, :2]).min()
        assert nearest == pytest.approx(3.0 * slope_of(job.bits[0]) + 1.5, abs=0.005)
        assert low[:, 2].min() == pytest.approx(-3.0)

    def test_a_floor_too_large_for_the_v_alone_is_left_and_told(self):
        big = Path.polyline([(0, 0), (300, 0), (300, 200), (0, 200)], closed=True)
        toolpath, findings, _, _ = carve(big, end_depth=3.0, cusp=0.005)
        assert "carve-floor-left" in codes(findings)
        assert len(toolpath) < 100

    @pytest.mark.parametrize("tip", [0.1, 0.4])
    def test_corners_a_tip_flat_cannot_reach_are_told_and_all_else_is_cut(self, tip):
        toolpath, findings, board, bit = carve(star(), bit=vee(tip=tip, diameter=60.0), end_depth=4.0, cusp=0.02)
        found = surface([(toolpath, bit)], drawn_area(board), slope=slope_of(bit), limit=4.0, cell=0.05)
        assert found.gouge < 0.005
        assert "short of their point" in next(f for f in findings if f.code == "carve-corners").sentence
        assert found.left.max() < tip / 2 / slope_of(bit) + 0.01
        area, flat = drawn_area(board), tip / 2
        for level in (0.5, 1.5, 3.0):  # at every depth the flat covers all it fits into
            fits = area.buffer(-level * slope_of(bit) - flat, quad_segs=60).buffer(flat - 0.01, quad_segs=60)
            missed = found.cut > -level + 0.03
            assert not shapely.contains_xy(fits, *found.places[missed & found.inside].T).any()


class TestPasses:
    def test_every_pass_takes_no_more_than_asked_and_goes_only_where_wood_is_left(self):
        once, _, board, bit = carve(star())
        often, _, _, _ = carve(star(), bit=vee(diameter=60.0, per_pass=6.0))
        deepest = -once.xyz[:, 2].min()
        count = int(np.ceil(deepest / 6.0))
        assert often.pass_no.max() == count
        for number in range(1, count + 1):
            z = often.xyz[(often.pass_no == number) & (often.xyz[:, 2] < 0), 2]
            assert -z.min() <= number * deepest / count + 1e-6
            assert (
                -z.max() >= (number - 1) * deepest / count - 1e-6
            )  # no business where the last one reached the final depth
        found = surface([(often, bit)], drawn_area(board), slope=slope_of(bit))
        assert found.gouge < 0.01
        assert np.quantile(found.left, 0.999) < 0.012

    def test_rapids_stay_out_of_the_wood(self):
        for fields in ({}, {"end_depth": 3.0}, {"bit": vee(per_pass=2.0, tip=0.2)}):
            toolpath, _, board, _ = carve(star(), RECTANGLE, **fields)
            assert no_rapid_in_wood(toolpath, board.travel_heights.retract)

    def test_it_never_falls_faster_than_the_plunge_feed(self):
        toolpath, _, _, bit = carve(star())
        d = np.diff(toolpath.xyz, axis=0)
        falling = (d[:, 2] < -1e-9) & (toolpath.kind[1:] == Move.LINE)
        length = np.linalg.norm(d, axis=1)
        vertical = toolpath.feed[1:][falling] * -d[falling, 2] / length[falling]
        assert vertical.max() <= bit.recipe.plunge + 1e-6

    def test_a_letter_is_carved_with_hardly_a_lift_and_little_gone_over_twice(self):
        job, board, cut = text_board("E", bit=vee())
        toolpath, _ = plan_cut(resolve(job, board, cut))
        lifts = (toolpath.kind == Move.RAPID).sum() // 3
        assert lifts <= 2
        work = resolve(job, board, cut)
        axis = (
            area_of_carving(work.shapes, cut, carve_depths_of(cut, work.bit, work.sheet))
            .clearances.pieces[0]
            .skeleton(residual_mm=0.004, chord_tolerance_mm=0.001, low=0.0, high=1e9, simplify_mm=0.001)
        )
        low = toolpath.xyz[:, 2] <= 1e-9
        both = low[:-1] & low[1:]
        walked = np.hypot(*np.diff(toolpath.xyz[:, :2], axis=0).T)[both].sum()
        assert axis.length() * 0.99 < walked < 1.9 * axis.length()

    def test_the_same_task_gives_the_same_bytes(self):
        a, b = carve(blob(2))[0], carve(blob(2))[0]
        assert a.xyz.tobytes() == b.xyz.tobytes()


class TestArt:
    @pytest.mark.parametrize("font", [font.name for font in shipped_fonts() if not font.is_single_line])
    @pytest.mark.parametrize("bit", [vee(60.0), vee(90.0, tip=0.1)], ids=["60", "90 with a flat"])
    def test_letters_of_every_font_come_out_as_drawn(self, font, bit):
        job, board, cut = text_board("Rag8&", bit=bit, font=font, end_depth=2.0, cusp=0.03)
        work = resolve(job, board, cut)
        toolpath, findings = plan_cut(work)
        assert not [f for f in findings if f.severity == "stop"]
        area = area_of_carving(work.shapes, cut, carve_depths_of(cut, bit, work.sheet)).region
        found = surface([(toolpath, bit)], area, slope=slope_of(bit), limit=2.0)
        assert found.gouge < 0.01
        unreached = bit.tip_flat / 2 / slope_of(bit)
        assert found.left.max() < max(0.05, unreached + 0.03)
        assert np.quantile(found.left, 0.99) < 0.04

    def test_letters_of_the_window_s_own_fonts(self):
        own = [font for path in sorted(PLEX.glob("*.ttf")) for font in fonts_in(path)]
        assert len(own) == 3
        bit = vee()
        for font in own:
            text = set_in(TextForm(text="Rag8&", font=font.name, cap_height=16.0), font)
            job, board, cut = board_with(*text.paths, kind=CarveCut, bit=bit, end_depth=2.0, cusp=0.03)
            board = replace(board, shapes=(replace(board.shapes[0], fill_rule=FillRule.NONZERO),))
            work = resolve(with_boards(job, (board,)), board, cut)
            toolpath, findings = plan_cut(work)
            assert not [f for f in findings if f.severity == "stop"], font.name
            area = area_of_carving(work.shapes, cut, carve_depths_of(cut, bit, work.sheet)).region
            found = surface([(toolpath, bit)], area, slope=slope_of(bit), limit=2.0, cell=0.15)
            assert found.gouge < 0.01, font.name
            assert found.left.max() < 0.045, font.name

    def test_both_fill_rules(self):
        ring = [Path.circle((0, 0), 12), Path.circle((0, 0), 6)]  # both counter-clockwise
        deep = {}
        for rule in (FillRule.NONZERO, FillRule.EVENODD):
            job, board, cut = board_with(*ring, kind=CarveCut, bit=vee(diameter=60.0), sheet=THICK, end_depth=0.0)
            shape = replace(board.shapes[0], fill_rule=rule)
            board = replace(board, shapes=(shape,))
            toolpath, _ = plan_cut(resolve(with_boards(job, (board,)), board, cut))
            deep[rule] = -toolpath.xyz[:, 2].min()
        slope = slope_of(vee())
        assert deep[FillRule.NONZERO] == pytest.approx(12 / slope, abs=0.02)
        assert deep[FillRule.EVENODD] == pytest.approx(3 / slope, abs=0.02)

    def test_overlapping_shapes_are_carved_as_one_and_told(self):
        job, board, cut = board_with(RECTANGLE, kind=CarveCut, bit=vee(diameter=60.0), sheet=THICK, end_depth=0.0)
        second = replace(board.shapes[0], id="other", at=board.shapes[0].at.then(Affine.shift(30.0, 5.0)))
        board = replace(
            board, shapes=(*board.shapes, second), cuts=(replace(cut, shapes=(board.shapes[0].id, "other")),)
        )
        job = with_boards(job, (board,))
        toolpath, findings = plan_cut(resolve(job, board, board.cuts[0]))
        assert "carve-united" in codes(findings)
        union = shapely.union_all([drawn_area(board, 0), drawn_area(board, 1)])
        found = surface([(toolpath, job.bits[0])], union, slope=slope_of(job.bits[0]))
        assert found.gouge < 0.01
        assert np.quantile(found.left, 0.999) < 0.012

    @pytest.mark.parametrize("gap", [0.0, 0.0001, 0.001])
    def test_shapes_that_just_touch_are_both_carved(self, gap):
        two = (RECTANGLE, Path.polyline([(40 + gap, 8), (60, 0), (60, 16)], closed=True))
        toolpath, findings, board, bit = carve(*two)
        found = surface([(toolpath, bit)], drawn_area(board), slope=slope_of(bit))
        assert found.gouge < 0.01
        assert np.quantile(found.left, 0.999) < 0.015
        assert not [f for f in findings if f.severity == "stop"]

    def test_a_hairline_is_carved_by_a_point_and_told_by_a_flat(self):
        hair = Path.polyline([(0, 0), (50, 0), (50, 0.06), (0, 0.06)], closed=True)
        toolpath, findings, _, _ = carve(hair)
        assert -toolpath.xyz[:, 2].min() == pytest.approx(0.03 / slope_of(vee()), abs=0.01)
        assert not findings
        toolpath, findings, _, _ = carve(hair, bit=vee(tip=0.1))
        assert codes(findings) == {"carve-too-narrow"}
        assert "0.06 mm" in findings[0].sentence
        assert len(toolpath) == 0

    def test_the_outside_of_art_within_a_frame(self):
        frame = Path.polyline([(-40, -40), (40, -40), (40, 40), (-40, 40)], closed=True)
        toolpath, _, board, bit = carve(frame, star(), end_depth=2.0, cusp=0.2)
        area = drawn_area(board)
        assert area.area == pytest.approx(6400 - abs(star().area()), rel=1e-6)
        found = surface([(toolpath, bit)], area, slope=slope_of(bit), limit=2.0, cell=0.2)
        assert found.gouge < 0.01
        assert found.left.max() < 0.21

    def test_thirty_thousand_nodes(self):
        a = np.linspace(0, 2 * np.pi, 15_000, endpoint=False)
        rings = []
        for size in (60, 52):
            r = size + np.sin(40 * a) + 0.05 * np.sin(1500 * a)
            rings.append(Path.polyline(np.column_stack((r * np.cos(a), r * np.sin(a))), closed=True))
        toolpath, findings, board, bit = carve(*rings)
        assert not findings
        at, between = depth_errors(toolpath, drawn_area(board), bit)
        assert max(at.max(), between.max()) < 0.01

    def test_turned_moved_or_begun_elsewhere_it_is_the_same_work(self):
        def measure(path: Path) -> tuple[float, float]:
            toolpath, _, _, _ = carve(path, end_depth=5.0)
            low = toolpath.xyz[:, 2] < 0
            both = low[:-1] & low[1:]
            return np.hypot(*np.diff(toolpath.xyz[:, :2], axis=0).T)[both].sum(), -toolpath.xyz[:, 2].min()

        plain = measure(star())
        nodes = star().nodes[:-1]
        for other in (
            star().transform(Affine.turn(33.0)), star().transform(Affine.shift(17.123, -4.2)),
            Path.polyline(np.roll(nodes, 3, axis=0), closed=True), star().reverse(),
        ):  # fmt: skip
            length, depth = measure(other)
            assert depth == pytest.approx(plain[1], abs=1e-6)
            assert length == pytest.approx(plain[0], rel=0.03)


class TestLines:
    def test_open_lines_become_grooves_as_wide_as_asked(self):
        line = Path.polyline([(0, 0), (50, 0), (50, 30)], closed=False)
        toolpath, findings, board, bit = carve(line, line_width=2.0)
        assert not findings
        assert -toolpath.xyz[:, 2].min() == pytest.approx(1.0 / slope_of(bit))
        drawn = shapely.LineString(board.shapes[0].placed()[0].nodes)
        found = surface([(toolpath, bit)], drawn.buffer(1.0, quad_segs=40), slope=slope_of(bit))
        assert found.gouge < 0.01
        assert found.cut[~found.inside].min() > -0.02

    def test_without_a_width_they_are_told(self):
        toolpath, findings, _, _ = carve(Path.polyline([(0, 0), (50, 0)], closed=False))
        assert codes(findings) == {"area-open"}
        assert findings[0].at is not None
        assert len(toolpath) == 0

    def test_a_line_narrower_than_the_tip_is_told(self):
        line = Path.polyline([(0, 0), (50, 0)], closed=False)
        assert codes(carve(line, bit=vee(tip=0.5), line_width=0.4)[1]) == {"carve-line-narrow"}


class TestTold:
    def test_strokes_wider_than_the_bit(self):
        _, findings, _, _ = carve(RECTANGLE, bit=vee(diameter=6.0))
        told = next(f for f in findings if f.code == "carve-too-wide")
        assert "20.0 mm wide" in told.sentence
        assert "cuts no deeper" in told.sentence

    def test_the_sheet_is_never_carved_through(self):
        toolpath, findings, _, _ = carve(RECTANGLE, sheet=Sheet(width=400.0, height=300.0, readings=(8.0, 7.5)))
        assert toolpath.xyz[:, 2].min() == pytest.approx(-7.5)
        assert "the sheet is no thicker" in next(f for f in findings if f.code == "carve-too-wide").sentence

    def test_a_bit_that_cannot_carve(self):
        bit = Bit(id=BitId("bit1"), name="6 mm", diameter=6.0)
        assert codes(carve(RECTANGLE, bit=bit)[1]) == {"carve-bit"}

    @pytest.mark.parametrize("angle", [0.0, 180.0, -10.0])
    def test_a_v_without_an_angle_is_refused(self, angle):
        with pytest.raises(ValueError, match="1 to 179"):
            vee(angle)

    def test_slivers_without_area_and_crossing_outlines_are_no_stumbling_block(self):
        bow = Path.polyline([(0, 0), (30, 20), (30, 0), (0, 20)], closed=True)
        flat = Path.polyline([(0, 40), (30, 40), (15, 40)], closed=True)
        toolpath, findings, board, bit = carve(bow, flat)
        assert not [f for f in findings if f.severity == "stop"]
        drawn = shapely.make_valid(shapely.Polygon(board.shapes[0].placed()[0].nodes))
        found = surface([(toolpath, bit)], drawn, slope=slope_of(bit))
        assert found.gouge < 0.01
        assert np.quantile(found.left, 0.999) < 0.012

    def test_nothing_but_a_sliver_is_told(self):
        flat = Path.polyline([(0, 40), (30, 40), (15, 40)], closed=True)
        assert codes(carve(flat)[1]) == {"area-none"}

    def test_thin_features_of_a_stamp_are_marked_with_their_width(self):
        frame = Path.polyline([(-40, -40), (40, -40), (40, 40), (-40, 40)], closed=True)
        dumbbell = Path.polyline(
            [(-20, -6), (-8, -6), (-8, -0.3), (8, -0.3), (8, -6), (20, -6), (20, 6), (8, 6), (8, 0.3), (-8, 0.3), (-8, 6), (-20, 6)],
            closed=True,
        )  # fmt: skip
        _, findings, board, _ = carve(frame, dumbbell, end_depth=2.0, cusp=0.3, least_standing=1.0)
        thin = [f for f in findings if f.code == "carve-thin-standing"]
        assert len(thin) == 1
        assert "0.60 mm wide" in thin[0].sentence
        middle = (board.sheet.width / 2, board.sheet.height / 2)
        assert np.hypot(thin[0].at[0] - middle[0], thin[0].at[1] - middle[1]) < 8.5
        assert "carve-thin-standing" not in codes(carve(frame, star(), end_depth=2.0, cusp=0.3, least_standing=1.0)[1])


def _rings(area: shapely.Geometry) -> list[Path]:
    return [
        Path.polyline(shapely.get_coordinates(ring)[:-1], closed=True)
        for polygon in shapely.get_parts(area)
        for ring in (polygon.exterior, *polygon.interiors)
    ]


BAR = shapely.box(0, 0, 40, 3)
RING = shapely.Point(0, 0).buffer(20, quad_segs=8).difference(shapely.Point(0, 0).buffer(17, quad_segs=8))
ROOM = shapely.union(BAR, shapely.box(35, -5, 50, 8))


class TestStrokesAsWideAsTheLimitAsks:
    @pytest.mark.parametrize("limit", [1.49, 1.498, 1.499, 1.4995, 1.5, 1.5005, 1.501, 1.502, 1.51])
    @pytest.mark.parametrize(
        "area", [BAR, RING, ROOM, shapely.affinity.rotate(ROOM, 33)], ids=["bar", "ring", "room", "turned"]
    )
    def test_a_hair_over_or_under_nothing_is_left(self, area, limit):
        for per_pass in (150.0, 0.6):
            bit = vee(90.0, per_pass=per_pass)
            toolpath, _, board = planned(*_rings(area), kind=CarveCut, bit=bit, end_depth=limit, cusp=0.02)
            found = surface([(toolpath, bit)], drawn_area(board), slope=1.0, limit=limit)
            assert found.gouge < 0.01
            assert found.left.max() < 0.03

    def test_a_ring_is_carved_without_lifting_at_every_corner(self):
        for quarters in (8, 32, 64):
            ring = (
                shapely.Point(0, 0)
                .buffer(20, quad_segs=quarters)
                .difference(shapely.Point(0, 0).buffer(17, quad_segs=quarters))
            )
            toolpath, _, _ = planned(*_rings(ring), kind=CarveCut, bit=vee(90.0, per_pass=0.5), end_depth=0.0)
            assert (toolpath.kind == Move.RAPID).sum() < 20

    def test_letters_in_passes_lift_no_oftener_than_they_have_to(self):
        once, often = (
            plan_cut(resolve(*text_board("Q&", bit=vee(60.0, per_pass=per_pass), cap_height=40.0)))[0]
            for per_pass in (150.0, 3.0)
        )
        lifts = [int(((t.kind == Move.RAPID) & (np.diff(t.xyz[:, 2], prepend=9) > 1)).sum()) for t in (once, often)]
        passes = int(often.pass_no.max())
        assert lifts[1] <= 1.5 * passes * max(lifts[0], 2)
