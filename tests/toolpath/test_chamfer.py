"""Bevels measured by stamping the bit's cone along the planned moves, against the distance to the drawn outline by GEOS."""

from __future__ import annotations

from math import radians, sin, tan

import numpy as np
import pytest
import shapely

from archimetra.edits.ordering import suited_order
from archimetra.geometry.affine import Affine
from archimetra.geometry.path import Path
from archimetra.job.cut_parts import Direction, Entry, Side
from archimetra.job.cuts.chamfer import ChamferCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.job import with_boards
from archimetra.job.sheet import Sheet
from archimetra.toolpath.kinds import plan_cut
from archimetra.toolpath.resolve import resolve
from archimetra.toolpath.shared.moves import straightened
from cutting_board import area_of, board_with, no_rapid_in_wood, planned
from shapes import blob, replace, star, straight_bit, vee_bit

SHEET = Sheet(width=400.0, height=300.0, readings=(18.0,))
L_SHAPE = Path.polyline([(0, 0), (60, 0), (60, 20), (25, 20), (25, 50), (0, 50)], closed=True)
NOTCHED = Path.polyline([(0, 0), (60, 0), (60, 40), (34, 40), (30, 15), (26, 40), (0, 40)], closed=True)
RECTANGLE = Path.rectangle(0, 0, 60, 40)
SHAPES = {
    "rectangle": RECTANGLE,
    "L": L_SHAPE,
    "notched": NOTCHED,
    "star": star(),
    "blob": blob(3),
    "disc": Path.circle((0, 0), 20),
}
# the sharpest inner corner of the wood that stays, degrees
INNER = {
    ("notched", Side.OUTSIDE): 18.2,
    ("notched", Side.INSIDE): 80.9,
    ("star", Side.OUTSIDE): 119.5,
    ("star", Side.INSIDE): 47.5,
}


def heights(toolpath, angle: float, flat: float, points: np.ndarray, step: float = 0.04) -> np.ndarray:
    """The surface (n,) a V bit leaves at points (n, 2): its cone, level where its tip is flat, stamped all along the moves."""
    moves, _ = straightened(toolpath.xyz, toolpath.kind, toolpath.centre, chord_tolerance_mm=0.0005)
    out = np.zeros(len(points))
    slope = tan(radians(angle / 2))
    for a, b in zip(moves[:-1], moves[1:], strict=True):
        if min(a[2], b[2]) >= 0:
            continue
        count = max(2, int(np.hypot(*(b - a)[:2]) / step) + 2)
        places = a + np.linspace(0, 1, count)[:, None] * (b - a)
        near = np.flatnonzero(
            (points >= places[:, :2].min(axis=0) - 12).all(axis=1)
            & (points <= places[:, :2].max(axis=0) + 12).all(axis=1)
        )
        if not len(near):
            continue
        away = np.hypot(*(points[near, None, :] - places[None, :, :2]).transpose(2, 0, 1))
        low = (places[None, :, 2] + np.maximum(away - flat / 2, 0.0) / slope).min(axis=1)
        out[near] = np.minimum(out[near], low)
    return out


def around(area: shapely.Geometry, width: float, *, inside: bool, count: int = 900) -> np.ndarray:
    """Places up to a little farther than ``width`` from an outline, on one side of it, corners well covered."""
    rng = np.random.default_rng(7)
    ring = shapely.get_coordinates(area.segmentize(0.3).boundary)
    corners = shapely.get_coordinates(area.simplify(0.01).boundary)
    if len(corners) > 60:
        corners = corners[::20]
    at = np.vstack((ring[rng.integers(len(ring), size=count)], corners[rng.integers(len(corners), size=count)]))
    points = at + rng.uniform(-1.4, 1.4, at.shape) * width
    is_in = shapely.contains(area, shapely.points(points))
    return points[is_in if inside else ~is_in]


def off_true(toolpath, area, *, width: float, depth: float, angle: float, flat: float, side: Side) -> float:
    """How far the surface is anywhere from the bevel: as deep as ``depth`` at the outline, and on the face ``width`` away from it."""
    kept = side is not Side.INSIDE
    points = around(area, width, inside=kept)
    away = shapely.distance(area.boundary, shapely.points(points))
    true = -np.maximum(depth - away / tan(radians(angle / 2)), 0.0)
    return float(np.abs(heights(toolpath, angle, flat, points) - true).max())


def chamfer(*paths: Path, angle: float = 90.0, flat: float = 0.0, diameter: float = 12.0, **fields):
    bit = replace(vee_bit(angle, diameter, flat), cutting_length=10.0)
    return planned(*paths, kind=ChamferCut, bit=bit, sheet=SHEET, **({"end_depth": 0.0} | fields))


class TestTheBevel:
    @pytest.mark.parametrize("side", [Side.OUTSIDE, Side.INSIDE])
    @pytest.mark.parametrize("name", list(SHAPES))
    @pytest.mark.parametrize(
        ("angle", "flat", "past"), [(90.0, 0.0, 0.5), (60.0, 0.2, 0.8), (90.0, 0.1, 0.0), (120.0, 0.0, 0.3)]
    )
    def test_it_is_as_wide_and_as_deep_as_asked_into_every_corner(self, side, name, angle, flat, past):
        toolpath, findings, board = chamfer(SHAPES[name], angle=angle, flat=flat, side=side, width=1.2, past=past)
        assert findings == ()
        depth = 1.2 / tan(radians(angle / 2))
        off = off_true(toolpath, area_of(board), width=1.2, depth=depth, angle=angle, flat=flat, side=side)
        inner = INNER.get((name, side), 90.0)  # a flat tip does not get into the last of an inner corner
        rounded = flat / 2 * (1 / sin(radians(inner / 2)) - 1) / tan(radians(angle / 2))
        assert off < 0.02 + rounded

    @pytest.mark.parametrize("turned", [0.0, 17.0, 45.0, 133.0])
    @pytest.mark.parametrize("direction", list(Direction))
    def test_turned_and_walked_the_other_way_it_is_the_same(self, turned, direction):
        path = NOTCHED.transform(Affine.turn(turned))
        toolpath, _, board = chamfer(path, side=Side.OUTSIDE, width=1.0, direction=direction)
        assert off_true(toolpath, area_of(board), width=1.0, depth=1.0, angle=90.0, flat=0.0, side=Side.OUTSIDE) < 0.02

    def test_holes_in_a_part_are_edges_of_the_part_too(self):
        toolpath, findings, board = chamfer(RECTANGLE, Path.circle((20, 20), 8), side=Side.OUTSIDE, width=1.0)
        assert findings == ()
        assert off_true(toolpath, area_of(board), width=1.0, depth=1.0, angle=90.0, flat=0.0, side=Side.OUTSIDE) < 0.02

    @pytest.mark.parametrize("radius", [0.05, 0.2, 0.45, 0.5, 0.55, 1.5])
    @pytest.mark.parametrize("side", [Side.OUTSIDE, Side.INSIDE])
    def test_corners_rounder_or_sharper_than_the_bit_is_beside_the_edge(self, side, radius):
        """The axis runs half a mm beside the edge; inner corners of smaller radius are followed along the edge itself."""
        from archimetra.geometry import figures

        path = figures.rectangle((0.0, 0.0), 40.0, 30.0, radius)
        toolpath, findings, board = chamfer(path, side=side, width=1.2, past=0.5)
        assert findings == ()
        assert off_true(toolpath, area_of(board), width=1.2, depth=1.2, angle=90.0, flat=0.0, side=side) < 0.02

    @pytest.mark.parametrize("past", [0.0, 0.3])
    def test_what_is_drawn_within_the_area_is_no_edge(self, past):
        over = (Path.rectangle(0, 0, 40, 30), Path.rectangle(25, 10, 40, 30))
        job, board, cut = board_with(over[0], kind=ChamferCut, bit=vee_bit(90.0), end_depth=0.0, width=1.0, past=past)
        second = replace(board.shapes[0], id="shape9", at=board.shapes[0].at.then(Affine.shift(25, 10)))
        board = replace(board, shapes=(board.shapes[0], second), cuts=(replace(cut, shapes=(cut.shapes[0], "shape9")),))
        toolpath, findings = plan_cut(resolve(with_boards(job, (board,)), board, board.cuts[0]))
        assert findings == ()
        whole = shapely.union_all([area_of(board, k) for k in range(2)])
        assert off_true(toolpath, whole, width=1.0, depth=1.0, angle=90.0, flat=0.0, side=Side.OUTSIDE) < 0.02

    @pytest.mark.parametrize("by_depth", [False, True])
    def test_a_width_or_a_depth_say_the_same(self, by_depth):
        fields = {"width": 0.0, "end_depth": 1.5} if by_depth else {"width": 1.5 * tan(radians(30))}
        toolpath, _, _ = chamfer(RECTANGLE, angle=60.0, past=0.4, **fields)
        assert -toolpath.xyz[:, 2].min() == pytest.approx(1.9)

    def test_from_a_start_depth_it_begins_there(self):
        toolpath, _, board = chamfer(L_SHAPE, width=1.0, start_depth=2.0, past=0.5)
        points = around(area_of(board), 1.0, inside=True)
        away = shapely.distance(area_of(board).boundary, shapely.points(points))
        on = away < 0.95
        got = heights(toolpath, 90.0, 0.0, points[on])
        assert np.abs(got - -(3.0 - away[on])).max() < 0.02

    def test_in_passes_none_goes_deeper_than_its_share_or_leaves_the_bevel(self):
        toolpath, _, board = chamfer(L_SHAPE, width=3.0, past=1.0, run=_per_pass(1.0), diameter=20.0)
        depths = sorted({round(-z, 6) for z in toolpath.xyz[toolpath.pass_no > 0, 2] if z < 0})
        assert {1.0, 2.0, 3.0, 4.0} <= set(depths)
        assert off_true(toolpath, area_of(board), width=3.0, depth=3.0, angle=90.0, flat=0.0, side=Side.OUTSIDE) < 0.02

    @pytest.mark.parametrize("entry", [Entry.PLUNGE, Entry.RAMP])
    def test_however_entered_it_is_whole(self, entry):
        toolpath, _, board = chamfer(NOTCHED, width=2.0, entry=entry, run=_per_pass(1.0))
        assert off_true(toolpath, area_of(board), width=2.0, depth=2.0, angle=90.0, flat=0.0, side=Side.OUTSIDE) < 0.02
        assert no_rapid_in_wood(toolpath, hop=3.0)


class TestOnLines:
    @pytest.mark.parametrize("flat", [0.0, 0.4])
    def test_both_edges_of_a_line_get_it(self, flat):
        line = Path.polyline([(0, 0), (40, 0), (60, 25)], closed=False)
        toolpath, findings, board = chamfer(line, side=Side.ON, width=1.5, flat=flat)
        assert findings == ()
        drawn = shapely.linestrings(board.shapes[0].placed()[0].flatten(0.001))
        rng = np.random.default_rng(3)
        along = shapely.get_coordinates(shapely.line_interpolate_point(drawn, rng.uniform(0, drawn.length, 600)))
        points = along + rng.uniform(-2, 2, along.shape)
        away = shapely.distance(drawn, shapely.points(points))
        deep = 1.5 - flat / 2
        true = -np.clip(1.5 - away, 0.0, deep)
        assert np.abs(heights(toolpath, 90.0, flat, points) - true).max() < 0.02

    @pytest.mark.parametrize("side", [Side.LEFT, Side.RIGHT])
    def test_one_edge_of_a_line(self, side):
        line = Path.polyline([(0, 0), (60, 0)], closed=False)
        toolpath, _, board = chamfer(line, side=side, width=1.0, past=0.5)
        (x0, y0), (x1, _) = board.shapes[0].placed()[0].nodes
        points = np.array([[(x0 + x1) / 2, y0 + dy] for dy in (-0.9, -0.5, -0.1, 0.1, 0.5, 0.9)])
        got = heights(toolpath, 90.0, 0.0, points)
        edge = (
            points[:, 1] < y0 if side is Side.LEFT else points[:, 1] > y0
        )  # the wood lies on the other side of the bit
        assert np.abs(got[edge] - -(1.0 - np.abs(points[edge, 1] - y0))).max() < 0.02


class TestWhatCannotBe:
    @pytest.mark.parametrize(("more", "is_told"), [(-0.01, False), (0.0, False), (0.01, True)])
    @pytest.mark.parametrize("side", [Side.OUTSIDE, Side.INSIDE, Side.ON])
    def test_a_bevel_wider_than_the_bit_is_told_and_not_cut(self, more, is_told, side):
        widest = 6.0 if side is Side.ON else 5.5  # of 12 mm across at 90 degrees, half a mm past the bevel
        toolpath, findings, _ = chamfer(RECTANGLE, side=side, width=widest + more, past=0.5)
        assert [f.code for f in findings] == (["chamfer-wide"] if is_told else [])
        assert bool(len(toolpath)) != is_told
        if is_told:
            assert f"{widest:g} mm wide or less" in findings[0].fix

    def test_another_bit_than_a_v_is_told(self):
        toolpath, findings, _ = planned(RECTANGLE, kind=ChamferCut, bit=straight_bit(6.0), end_depth=0.0)
        assert [f.code for f in findings] == ["chamfer-bit"]
        assert not len(toolpath)

    @pytest.mark.parametrize(
        "fields", [{"width": 0.0, "end_depth": 0.0}, {"width": 0.0, "end_depth": 2.0, "start_depth": 2.0}]
    )
    def test_without_width_and_depth_nothing_is_cut(self, fields):
        toolpath, findings, _ = chamfer(RECTANGLE, **fields)
        assert findings[0].code in ("depth-zero", "depth-order")
        assert not len(toolpath)

    @pytest.mark.parametrize(("gap", "is_told"), [(0.9, True), (1.1, False)])
    def test_an_edge_the_tip_cannot_get_beside_is_told(self, gap, is_told):
        slit = Path.polyline([(10, 10), (50, 10), (50, 10 + gap), (10, 10 + gap)], closed=True)
        toolpath, findings, board = chamfer(
            slit, side=Side.INSIDE, width=0.8, past=0.5
        )  # the axis runs half a mm beside the edge
        assert ("chamfer-tight" in {f.code for f in findings}) == is_told
        if not is_told:
            off = off_true(toolpath, area_of(board), width=0.8, depth=0.8, angle=90.0, flat=0.0, side=Side.INSIDE)
            assert off < 0.02

    def test_an_open_line_has_no_inside(self):
        line = Path.polyline([(0, 0), (60, 0)], closed=False)
        _, findings, _ = chamfer(line, side=Side.OUTSIDE, width=1.0)
        assert "profile-open" in {f.code for f in findings}

    @pytest.mark.parametrize(
        "fields",
        [{"width": -1.0}, {"past": -0.1}, {"entry": Entry.HELIX}, {"goes_through": True}, {"ramp_degrees": 0.1}],
    )
    def test_settings_out_of_bounds_are_refused(self, fields):
        with pytest.raises(ValueError, match=r"is|has|goes"):
            ChamferCut(id="cut1", name="C", bit="bit1", **fields)


def test_it_comes_before_the_outline_that_cuts_its_part_out():
    job, board, cut = board_with(RECTANGLE, kind=ChamferCut, bit=vee_bit(90.0), end_depth=0.0)
    for side in (Side.OUTSIDE, Side.INSIDE):
        out = ProfileCut(id="cut8", name="Out", bit=cut.bit, shapes=cut.shapes, side=side, goes_through=True)
        order = suited_order(replace(board, cuts=(out, cut)))
        assert [c.id for c in order] == [cut.id, out.id]
        with_boards(job, (replace(board, cuts=order),))


def _per_pass(depth: float):
    from archimetra.job.cut_parts import Overrides

    return Overrides(depth_per_pass=depth)
