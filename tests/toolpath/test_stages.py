"""The stages planners are made of, one by one: laying, entries, leads, overcuts, starts, lifts, links, areas, tasks."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from archimetra.base.findings import worded
from archimetra.edits import leftovers
from archimetra.geometry.clearance import Clearance
from archimetra.geometry.morphology import filled
from archimetra.geometry.path import Path
from archimetra.geometry.region import as_region
from archimetra.job.bits import BitKind, Recipe
from archimetra.job.cut_parts import Lead, LeadKind, Tabs
from archimetra.job.cuts.facing import FacingCut
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.ids import CutId
from archimetra.job.job import with_boards
from archimetra.job.sheet import Machine, Sheet
from archimetra.toolpath.pocket.area import PocketArea, left_by
from archimetra.toolpath.resolve import resolve
from archimetra.toolpath.resolved_cut import faced_before
from archimetra.toolpath.shared.clearing import chains, covering_strokes, every_loop, fitting_strokes, loop_tree
from archimetra.toolpath.shared.entries import helix_at, lay_helix
from archimetra.toolpath.shared.leads import fit_lead
from archimetra.toolpath.shared.linking import Links
from archimetra.toolpath.shared.move_builder import MoveBuilder, sloped_feed
from archimetra.toolpath.shared.moves import Move, MoveList, Role
from archimetra.toolpath.shared.overcut import overcut
from archimetra.toolpath.shared.passes import MOST_ROUNDS, Lifts, lay_pass, ramp_length
from archimetra.toolpath.shared.starts import choose_start
from archimetra.toolpath.shared.tabs import spans_at, tab_spans
from archimetra.toolpath.shared.track import Track
from cutting_board import board_with
from shapes import blob, replace, star, straight_bit


def layer_of(**fields) -> MoveBuilder:
    job, board, cut = board_with(
        star(), kind=PocketCut, bit=straight_bit(6.0, recipe=Recipe(feed=1200.0, plunge=300.0)), **fields
    )
    return MoveBuilder(resolve(job, board, cut))


class TestLaying:
    def test_a_rapid_ends_a_millimetre_over_the_face_and_the_rest_is_plunged(self):
        layer = layer_of()
        layer.arrive(10, 20)
        layer.down(-2.0, pass_no=1)
        path = layer.moves.toolpath("c", "b")
        assert path.xyz[:, 2].tolist() == [3.0, 1.0, -2.0]
        assert path.kind.tolist() == [Move.RAPID, Move.RAPID, Move.LINE]
        assert path.feed[-1] == 300

    def test_in_open_wood_and_upwards_it_goes_at_the_feed(self):
        layer = layer_of()
        layer.arrive(0, 0)
        layer.down(-2.0, pass_no=1, is_open=True)
        layer.down(-1.0, pass_no=1)
        assert layer.moves.toolpath("c", "b").feed[-2:].tolist() == [1200, 1200]

    def test_arriving_again_lifts_first_from_the_very_place(self):
        layer = layer_of()
        layer.arrive(0, 0)
        layer.down(-2.0, pass_no=1)
        layer.arrive(50, 0)
        xyz = layer.moves.toolpath("c", "b").xyz
        assert xyz[3].tolist() == [0, 0, 3]
        assert xyz[4].tolist() == [50, 0, 3]

    @given(st.floats(0.01, 50), st.floats(0.01, 30), st.floats(100, 5000), st.floats(50, 2000))
    def test_a_falling_move_keeps_its_vertical_part_to_the_plunge_feed(self, across, drop, feed, plunge):
        speed = sloped_feed((across, 0.0), drop, feed, plunge)
        assert speed <= feed
        assert speed * drop / np.hypot(across, drop) <= plunge * (1 + 1e-9)
        assert sloped_feed((across, 0.0), -drop, feed, plunge) == feed

    def test_a_circle_is_two_halves_about_its_centre(self):
        layer = layer_of()
        layer.arrive(5, 0)
        layer.circle((0, 0), -1.0, is_left=True, pass_no=1)
        path = layer.moves.toolpath("c", "b")
        assert path.kind[-2:].tolist() == [Move.ARC_CCW, Move.ARC_CCW]
        assert np.allclose(path.xyz[-2, :2], (-5, 0))
        assert np.allclose(path.xyz[-1], (5, 0, -1))


class TestEntries:
    @pytest.mark.parametrize(("room", "radius"), [(0.5, None), (0.9, 0.9), (2.0, 2.0), (9.0, 2.4)])
    def test_a_helix_is_as_wide_as_there_is_room_and_leaves_no_post(self, room, radius):
        helix = helix_at((0, 0), room=room, bit_radius=3.0)
        if radius is None:
            assert helix is None
        else:
            assert helix.radius == pytest.approx(radius)

    @given(st.floats(0.5, 45), st.floats(0.1, 20))
    def test_it_ends_level_where_it_was_asked_to(self, degrees, depth):
        layer = layer_of()
        helix = helix_at((0, 0), room=2.0, bit_radius=3.0)
        layer.arrive(*helix.begin)
        layer.down(0.0, pass_no=1)
        lay_helix(layer, helix, -depth, degrees=degrees, is_left=True, pass_no=1)
        path = layer.moves.toolpath("c", "b")
        assert path.xyz[-2:, 2] == pytest.approx(-depth)
        turn = 2 * np.pi * helix.radius * np.tan(np.radians(degrees))
        drops = -np.diff(path.xyz[2:, 2])
        assert drops.max() <= turn / 2 + 1e-6

    @given(st.floats(0.1, 30), st.floats(0.5, 60), st.floats(0.01, 400))
    def test_a_ramp_is_never_more_than_some_rounds_of_its_line(self, drop, degrees, line):
        assert ramp_length(drop, degrees, line) <= MOST_ROUNDS * line + 1e-9
        assert ramp_length(drop, degrees) == pytest.approx(drop / np.tan(np.radians(degrees)))


class TestLeads:
    NEAR, ALONG = np.array((0.0, 0.0)), np.array((1.0, 0.0))

    def fit(self, kind, *, left=True, is_in=True, clear=lambda p: np.ones(len(p), dtype=bool), length=6.0):
        return fit_lead(
            Lead(kind=kind, length=length), self.NEAR, self.ALONG, waste_on_left=left, is_in=is_in, is_clear=clear
        )

    @pytest.mark.parametrize("left", [True, False])
    @pytest.mark.parametrize("is_in", [True, False])
    def test_it_lies_on_the_side_of_the_waste_behind_or_ahead(self, left, is_in):
        for kind in (LeadKind.LINE, LeadKind.ARC):
            lead = self.fit(kind, left=left, is_in=is_in)
            assert (lead.far[1] > 0) == left
            assert (lead.far[0] < 0) == is_in

    def test_an_arc_has_the_length_asked(self):
        lead = self.fit(LeadKind.ARC, length=np.pi)
        assert np.hypot(*(np.array(lead.far) - lead.centre)) == pytest.approx(2.0)
        assert lead.length == pytest.approx(np.pi)

    def test_it_shrinks_to_the_room_there_is_and_gives_up_without_any(self):
        def narrow(points):
            return points[:, 1] < 2.0

        short = self.fit(LeadKind.LINE, clear=narrow)
        assert 0 < short.far[1] < 2.0
        assert self.fit(LeadKind.LINE, clear=lambda p: np.zeros(len(p), dtype=bool)) is None
        assert self.fit(LeadKind.NONE) is None


class TestOvercut:
    @given(st.floats(25.0, 150.0), st.floats(0.5, 10.0))
    def test_the_bit_just_reaches_the_corner_of_the_wood(self, turn, radius):
        t = np.radians(turn)
        corner = Path.polyline([(-50, 0), (0, 0), (50 * np.cos(t), 50 * np.sin(t)), (-50, 80)], closed=True)
        # the wood stands a radius to the right of the path all round
        drawn = shapely.Polygon(corner.nodes).buffer(radius, join_style="mitre", mitre_limit=50)
        made = overcut(corner, bit_radius=radius, keeps_right=True, outline=drawn.boundary)
        tips = [p for p in made.nodes if not any(np.allclose(p, q) for q in corner.nodes)]
        tip = min(tips, key=lambda p: float(np.hypot(*p)))
        # the walls lie a radius to the right of the path: their corner is where those two lines meet
        outer = np.array((np.tan(t / 2) * radius, -radius))
        assert np.hypot(*(tip - outer)) == pytest.approx(radius, abs=1e-6)

    def test_gentle_turns_and_outer_corners_stay(self):
        ring, square = Path.circle((0, 0), 10), Path.rectangle(0, 0, 10, 10)
        around = shapely.box(-3, -3, 13, 13).boundary
        assert len(overcut(ring, bit_radius=3, keeps_right=True, outline=shapely.Point(0, 0).buffer(13).boundary)) == 2
        assert len(overcut(square, bit_radius=3, keeps_right=True, outline=around)) == 12
        assert len(overcut(square, bit_radius=3, keeps_right=False, outline=around)) == 4

    @pytest.mark.parametrize("corner", [0.0, 1.0, 2.0, 2.9, 2.97, 3.0, 3.5])
    def test_rounded_corners_are_reached_as_far_as_they_are_drawn(self, corner):
        plate = shapely.box(0, 0, 60, 40)
        opening = plate.buffer(-corner).buffer(corner, quad_segs=200) if corner else plate
        inner = Path.polyline(np.array(plate.buffer(-3.0, join_style="mitre").exterior.coords)[:-1], closed=True)
        if corner >= 3.0:  # the bit's own path is round there
            ring = shapely.get_coordinates(opening.buffer(-3.0, quad_segs=200).exterior)
            inner = Path.polyline(ring[:-1], closed=True)
        inner = inner if inner.area() > 0 else inner.reverse()
        made = overcut(inner, bit_radius=3.0, keeps_right=True, outline=opening.boundary)
        past = [float(shapely.Point(p).buffer(3.0, quad_segs=200).difference(plate).area) for p in made.nodes]
        corners = [shapely.Point(p) for p in made.nodes]
        # at the deepest place the bit's edge touches the drawn corner: no farther from it than its radius, and no nearer
        reach = max(float(shapely.Point(0, 0).distance(p)) for p in corners if p.x < 10 and p.y < 10)
        arc = float(np.hypot(corner, corner) - corner)  # from the plate's corner to the drawn round
        if corner < 3.0:
            tip = min(float(shapely.Point(0, 0).distance(p)) for p in corners)
            assert tip == pytest.approx(3.0 + arc, abs=0.002)
        else:
            assert max(past) < 1e-6, "no way out of a round the bit follows by itself"
        assert reach <= 3.0 * np.sqrt(2.0) + (0.0 if corner < 3 else 10.0)


class TestStarts:
    def test_the_longest_straight_away_from_tabs_and_corners(self):
        track = Track(Path.rectangle(0, 0, 100, 40))
        start = choose_start(track, np.zeros((0, 2)), bit_diameter=6.0)
        assert start.station in (pytest.approx(50.0), pytest.approx(190.0))
        assert "100 mm" in worded(start.reason)
        tab = choose_start(track, np.array([[40.0, 60.0], [180.0, 200.0]]), bit_diameter=6.0)
        assert not 40 <= tab.station <= 60
        assert not 180 <= tab.station <= 200

    def test_a_curve_without_straights_says_so(self):
        track = Track(Path.circle((0, 0), 20))
        assert "even curve" in choose_start(track, np.zeros((0, 2)), bit_diameter=6.0).reason
        assert "tabs" in choose_start(track, np.array([[10.0, 20.0]]), bit_diameter=6.0).reason


class TestTabs:
    def test_tabs_by_hand_that_touch_become_one(self):
        track = Track(Path.rectangle(0, 0, 100, 40))
        spans = spans_at(track, np.array([20.0, 24.0, 90.0]), Tabs(length=8.0), bit_diameter=6.0)
        assert len(spans) == 2
        assert np.diff(spans, axis=1).ravel() == pytest.approx(14.0)

    def test_areas_given_are_kept_out_of(self):
        track = Track(Path.rectangle(0, 0, 200, 100))

        def forbidden(points):
            return points[:, 0] < 90

        placed = tab_spans(track, Tabs(count=3, length=6, corner_distance=0), bit_diameter=4.0, forbidden=forbidden)
        assert len(placed.spans) == 3
        assert placed.in_zone < 3

    def test_on_an_open_line_they_stay_off_its_ends(self):
        track = Track(Path.polyline([(0, 0), (200, 0)], closed=False))
        spans = tab_spans(track, Tabs(count=4, length=8), bit_diameter=6.0).spans
        assert len(spans) == 4
        assert spans.min() >= 0
        assert spans.max() <= 200

    def test_lifts_of_an_open_line_are_there_on_the_way_back_too(self):
        track = Track(Path.polyline([(0, 0), (100, 0)], closed=False))
        moves = MoveList()
        moves.add_point((0, 0, 0), kind=Move.RAPID)
        lifts = Lifts(track, np.array([[20.0, 35.0]]), top=-4.0)
        lay_pass(moves, track, a=0, b=200, z_from=0, z_to=-6, ramp=0, lifts=lifts, feed=1000, plunge=300, pass_no=1)
        path = moves.toolpath("c", "b")
        on_tab = path.role == Role.TAB
        assert path.xyz[on_tab, 2].min() == -4
        across = np.abs(np.diff(path.xyz[:, 0], prepend=0))[on_tab].sum()
        assert across == pytest.approx(30.0)


class TestClearing:
    def test_loops_fall_apart_into_a_tree_and_every_loop_is_there_once(self):
        waist = shapely.union_all([shapely.box(0, 0, 30, 30), shapely.box(25, 13, 60, 17), shapely.box(55, 0, 85, 30)])
        clearance = Clearance(as_region(waist))
        (root,) = loop_tree(clearance, first=1.5, step=1.2, turn=False)
        node = root
        while len(node.children) == 1:
            node = node.children[0]
        assert len(node.children) == 2, "beyond the waist the two halves are apart"
        loops = every_loop([root])
        levels = {round(loop.clearance, 6) for loop in loops}
        assert len(loops) == sum(len(clearance.offsets(level)) for level in sorted(levels))

    @settings(max_examples=20)
    @given(st.integers(0, 10_000), st.floats(0.55, 0.95))
    def test_strokes_serve_every_place_on_the_axis(self, seed, share):
        region = as_region(
            shapely.Polygon(blob(seed % 50, 30, waves=3).flatten(0.01)).difference(shapely.Point(0, 0).buffer(4))
        )
        clearance, radius = Clearance(region), 3.0
        step = share * 2 * radius
        loops = every_loop(loop_tree(clearance, first=radius, step=step, turn=False))
        strokes = covering_strokes(clearance, loops, first=radius, step=step, radius=radius)
        lines = shapely.union_all([shapely.linestrings(s) for s in [*(loop.ring for loop in loops), *strokes]])
        axis = clearance.axis(at_least=radius)
        inside = np.minimum(axis.clearance_a, axis.clearance_b) >= radius
        gaps = shapely.distance(lines, shapely.points(axis.a[inside]))
        assert gaps.max(initial=0.0) <= radius + 0.02

    def test_no_strokes_at_half_the_diameter(self):
        clearance = Clearance(as_region(shapely.Polygon(star().nodes)))
        loops = every_loop(loop_tree(clearance, first=1.5, step=1.5, turn=False))
        assert covering_strokes(clearance, loops, first=1.5, step=1.5, radius=1.5) == []

    def test_a_slot_of_the_bits_width_is_one_line(self):
        lines = fitting_strokes(Clearance(as_region(shapely.box(0, 0, 40, 6))), radius=3.0)
        assert len(lines) == 1
        assert np.hypot(*np.diff(lines[0], axis=0).T).sum() == pytest.approx(34.0, abs=0.01)
        assert chains(Clearance(as_region(shapely.box(0, 0, 40, 6))).axis(), np.zeros(5, dtype=bool)[:0]) == []

    def test_the_rest_of_a_larger_bit_is_the_corners(self):
        square = as_region(shapely.box(0, 0, 40, 40))
        zone = left_by(PocketArea(square, Clearance(square)), larger=5.0, overlap=1.0)
        assert len(shapely.get_parts(zone)) == 4
        corners = 4 * (25 - np.pi * 25 / 4)
        assert corners < zone.area < 4 * 49
        assert left_by(PocketArea(square, Clearance(square)), larger=30.0, overlap=1.0).equals(square)

    def test_what_lies_within_a_hole_is_an_area_again(self):
        rings = [np.array(shapely.box(0, 0, 40, 40).exterior.coords), np.array(shapely.box(30, 10, 10, 30).exterior.coords),
                 np.array(shapely.box(15, 15, 25, 25).exterior.coords)]  # fmt: skip
        turned = [ring if shapely.is_ccw(shapely.linearrings(ring)) == is_shell else ring[::-1]
                  for ring, is_shell in zip(rings, (True, False, True), strict=True)]  # fmt: skip
        assert filled(turned).area == pytest.approx(1600 - 400 + 100)


class TestLinks:
    def links(self):
        layer = layer_of()
        region = as_region(shapely.box(0, 0, 100, 60).difference(shapely.box(45, 0, 55, 40)))
        return layer, Links(layer, Clearance(region), first=3.0, ramp_degrees=4.0)

    def test_a_straight_way_is_clear_only_where_the_bit_fits_all_along(self):
        _, links = self.links()
        assert links.is_clear((10, 10), (35, 10), 3.0)
        assert not links.is_clear((10, 10), (90, 10), 3.0), "through the island"
        assert links.is_clear((10, 50), (90, 50), 3.0)
        assert not links.is_clear((10, 42), (90, 42), 3.0), "too near the island's end"

    def test_through_the_open_pocket_where_that_is_clear_and_over_it_where_not(self):
        layer, links = self.links()
        layer.arrive(10, 50)
        layer.down(-3.0, pass_no=1)
        links.is_open = True
        links.transit((30, 50), -3.0)
        assert layer.moves.toolpath("c", "b").kind[-1] == Move.LINE
        links.transit((90, 10), -3.0)
        assert (layer.moves.toolpath("c", "b").kind[-4:] == Move.RAPID).sum() >= 2
        assert layer.at == (90, 10, -3)


class TestTasks:
    def test_a_plan_is_keyed_by_what_it_needs_and_nothing_else(self):
        from archimetra.engine.keys import geometry_key

        job, board, cut = board_with(star(), kind=PocketCut)
        key = geometry_key(resolve(job, board, cut))
        noted = replace(cut, notes="blunt", is_on=False)
        assert geometry_key(resolve(job, board, noted)) == key
        assert geometry_key(resolve(job, board, replace(cut, end_depth=7.0))) != key
        slower = replace(job, machine=Machine(max_rpm=8000.0))
        assert geometry_key(resolve(slower, board, cut)) != key
        thicker = replace(board, sheet=replace(board.sheet, readings=(19.0,)))
        assert geometry_key(resolve(job, thicker, cut)) != key

    def test_facing_an_area_counts_for_what_lies_in_it(self):
        _job, board, cut = board_with(Path.rectangle(0, 0, 50, 50), Path.rectangle(10, 10, 5, 5), kind=PocketCut)
        small = replace(board.shapes[0], id="small", paths=board.shapes[0].paths[1:])
        large = replace(board.shapes[0], paths=board.shapes[0].paths[:1])
        far = replace(small, id="far", at=small.at.shift(120, 0))
        face = FacingCut(id=CutId("f"), name="F", bit=cut.bit, shapes=(large.id,), end_depth=1.5)
        inner, outer = replace(cut, id=CutId("i"), shapes=("small",)), replace(cut, id=CutId("o"), shapes=("far",))
        board = replace(board, shapes=(large, small, far), cuts=(face, inner, outer))
        assert faced_before(board, inner) == 1.5
        assert faced_before(board, outer) == 0.0
        off = replace(board, cuts=(replace(face, is_on=False), inner))
        assert faced_before(off, inner) == 0.0

    def test_two_facings_add_up_to_the_last_target(self):
        sheet = Sheet(width=100, height=100, readings=(20.0, 19.5))
        job, board, cut = board_with(star(5, 20, 10), kind=ProfileCut, sheet=sheet)
        a = FacingCut(id=CutId("a"), name="A", bit=cut.bit, end_depth=0.5)
        b = FacingCut(id=CutId("b"), name="B", bit=cut.bit, target=19.0)
        board = replace(board, cuts=(a, b, cut))
        work = resolve(with_boards(job, (board,)), board, cut)
        assert work.face == pytest.approx(1.0)
        assert work.sheet.readings == (pytest.approx(19.0),)
        assert work.retract == pytest.approx(4.0)

    def test_the_chain_of_a_rest_knows_the_smallest_bit_before_it(self):
        job, board, cut = board_with(star(), kind=PocketCut, bit=straight_bit(8.0))
        bits = (job.bits[0], *(replace(straight_bit(d), id=f"bit{k}", place=k) for k, d in ((5, 4.0), (6, 2.0))))
        job = with_boards(job, (board,), bits=bits)
        edit, second = leftovers.add_rest(job, cut.id, "bit5")
        edit, third = leftovers.add_rest(edit.job, second, "bit6")
        work = resolve(edit.job, edit.job.boards[0], edit.job.boards[0].cut(third))
        assert work.previous_bit.diameter == 4.0
        assert work.cut.end_depth == cut.end_depth
        assert work.bit.kind is BitKind.STRAIGHT
