"""Where two figures are just equal: an arm as wide as the bit, a gap of the bit's width, an opening of its size, a depth that is a whole
number of passes. Each a hair below, equal and a hair above, near the origin and far from it, straight and turned.

Measured by GEOS on the drawn areas: nothing outside is touched, and what a disc of the bit's size reaches is cut or told.
"""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from archimetra.base.findings import Severity
from archimetra.edits import leftovers
from archimetra.engine.planning import plan_board
from archimetra.geometry.path import Path
from archimetra.job.bits import Recipe
from archimetra.job.cut_parts import Entry, Pattern, Side, Tabs
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.ids import BitId
from archimetra.job.job import with_boards
from archimetra.job.sheet import Sheet
from archimetra.toolpath.kinds import plan_cut
from archimetra.toolpath.resolve import resolve
from archimetra.toolpath.shared.moves import straightened
from cutting_board import area_of, board_with, planned, reachable, swept
from load import load_of
from shapes import replace, straight_bit

HAIRS = (-1e-3, -1e-4, -1e-6, 0.0, 1e-6, 1e-4, 1e-3)
WIDE = Sheet(width=620.0, height=600.0, readings=(18.0,))


def ring_of(area: shapely.Polygon) -> Path:
    return Path.polyline(shapely.get_coordinates(area.exterior)[:-1], closed=True)


def arms(kind: str, width: float) -> shapely.Polygon:
    half = width / 2
    across, up = shapely.box(-20, -half, 20, half), shapely.box(-half, -20, half, 20)
    if kind == "L":
        up = shapely.box(-20, -half, -20 + width, 30)
    if kind == "T":
        up = shapely.box(-half, -half, half, 25)
    return shapely.union(across, up)


def gouge(toolpath, area: shapely.Geometry, radius: float) -> float:
    """How far the bit reaches past the drawn outline, by the distance of its centre's way to it."""
    points, _ = straightened(toolpath.xyz, toolpath.kind, toolpath.centre, chord_tolerance_mm=0.0005)
    low = np.minimum(points[:-1, 2], points[1:, 2]) < -0.001
    ways = shapely.linestrings(np.stack((points[:-1, :2], points[1:, :2]), axis=1)[low])
    assert shapely.contains(area, shapely.points(points[1:, :2][low])).all()
    return float(radius - shapely.distance(area.boundary, ways).min())


class TestArmsAsWideAsTheBit:
    @pytest.mark.parametrize("pattern", list(Pattern))
    @pytest.mark.parametrize("kind", ["L", "T", "cross"])
    @pytest.mark.parametrize("diameter", [3.0, 6.0, 6.35])
    def test_a_pocket_stays_in_its_arms_and_clears_them(self, kind, diameter, pattern):
        for hair in HAIRS:
            for turn, degrees in ((0.0, 0.0), (0.0, 30.0), (33.0, 90.0)):
                area = shapely.affinity.rotate(arms(kind, diameter + hair), turn)
                path = ring_of(area)
                toolpath, findings, board = planned(
                    path,
                    kind=PocketCut,
                    bit=straight_bit(diameter),
                    sheet=WIDE,
                    pattern=pattern,
                    raster_degrees=degrees,
                )
                where = f"{kind} {diameter} {hair} {turn} {degrees}"
                drawn = area_of(board)
                if len(toolpath):
                    assert gouge(toolpath, drawn, diameter / 2) < 0.011, where
                left = reachable(drawn.buffer(0.002), diameter / 2).difference(
                    swept(toolpath, diameter / 2, deeper_than=5.9)
                )
                assert left.buffer(-0.03).area < 0.1 or findings, where

    def test_it_makes_no_difference_how_far_out_the_pocket_lies(self):
        for at in ((10.0, 10.0), (300.0, 20.0), (580.0, 560.0)):
            path = ring_of(shapely.affinity.translate(arms("T", 6.0), *at))
            job, board, cut = board_with(path, kind=PocketCut, sheet=WIDE, pattern=Pattern.RASTER)
            shape = board.shapes[0]
            board = replace(board, shapes=(replace(shape, at=shape.at.shift(at[0] - 310, at[1] - 300)),))
            toolpath, _ = plan_cut(resolve(job, board, cut))
            x0, y0, x1, y1 = board.shapes[0].bounds()
            low = toolpath.xyz[toolpath.xyz[:, 2] < 0]
            assert low[:, 0].min() > x0 + 2.98
            assert low[:, 0].max() < x1 - 2.98
            assert low[:, 1].min() > y0 + 2.98
            assert low[:, 1].max() < y1 - 2.98


class TestOpeningsAsWideAsTheBit:
    @pytest.mark.parametrize("hair", HAIRS)
    def test_a_ring_a_bit_wide_is_gone_round_and_its_disc_kept(self, hair):
        outer, inner = 20.0, 14.0 - hair
        toolpath, findings, board = planned(
            Path.circle((0, 0), outer), Path.circle((0, 0), inner), kind=ProfileCut, side=Side.INSIDE, sheet=WIDE
        )
        kept = shapely.Point(310, 300).buffer(inner - 0.02, quad_segs=90)
        cut = swept(toolpath, 3.0, deeper_than=0.001)
        assert cut.intersection(kept).area < 0.01
        if not findings:
            ring = area_of(board)
            assert ring.difference(cut.buffer(0.05)).area < 0.1

    @pytest.mark.parametrize("gap", [2.0, 4.0, 5.9])
    def test_a_ring_too_narrow_is_told_with_its_width_and_nothing_is_cut(self, gap):
        for island in (Path.circle((0, 0), 20 - gap), ring_of(shapely.box(gap - 20, gap - 20, 20 - gap, 20 - gap))):
            if gap > 5 and len(island) > 2:
                continue  # the corners of a square ring are wide enough
            outer = Path.circle((0, 0), 20.0) if len(island) == 2 else ring_of(shapely.box(-20, -20, 20, 20))
            toolpath, findings, _ = planned(outer, island, kind=ProfileCut, side=Side.INSIDE)
            assert len(toolpath) == 0
            assert [f.code for f in findings] == ["profile-too-small"]
            # in a square the corners are wider by the root of two
            widths = (gap, 2 * gap / (1 + np.sqrt(0.5)) * 1.0)
            told = float(findings[0].sentence.split(" mm wide")[0].split()[-1])
            assert min(abs(told - width) for width in widths) < 0.2

    def test_a_disc_in_a_hole_it_nearly_fills_is_not_drilled(self):
        paths = [Path.circle((0, 0), r) for r in (40.0, 15.0, 12.0)]
        toolpath, findings, _board = planned(*paths, kind=ProfileCut, side=Side.OUTSIDE)
        disc = shapely.Point(200, 150).buffer(11.9)
        assert swept(toolpath, 3.0, deeper_than=0.001).intersection(disc).is_empty
        assert any(f.severity is Severity.STOP and f.code == "profile-too-small" for f in findings)

    @pytest.mark.parametrize("off", [0.5, 2.5, 4.0])
    def test_a_gap_that_closes_on_one_side_is_told(self, off):
        toolpath, findings, _ = planned(
            Path.circle((0, 0), 20.0), Path.circle((off, 0), 13.5), kind=ProfileCut, side=Side.INSIDE
        )
        narrowest = 6.5 - off
        assert len(toolpath)
        told = {f.code for f in findings if f.severity is not Severity.NOTE}
        assert ("profile-narrow" in told) == (narrowest < 5.9)

    @pytest.mark.parametrize("width", [5.0, 5.9, 6.0, 6.1, 8.0])
    def test_a_neck_the_bit_does_not_pass_is_told(self, width):
        area = shapely.union_all(
            [shapely.box(-30, -10, -10, 10), shapely.box(10, -10, 30, 10), shapely.box(-12, -width / 2, 12, width / 2)]
        )
        _, findings, _ = planned(ring_of(area), kind=ProfileCut, side=Side.INSIDE)
        assert ("profile-neck" in {f.code for f in findings}) == (width < 6.0)


class TestPartsAGapApart:
    @pytest.mark.parametrize("gap", [5.0, 5.9, 5.99, 5.999, 6.0, 6.001, 6.1, 9.5])
    def test_shared_edges_never_cut_into_the_part_beside(self, gap):
        boxes = [shapely.box(k * (40 + gap), 0, k * (40 + gap) + 40, 30) for k in range(3)]
        toolpath, findings, board = planned(
            *[ring_of(box) for box in boxes], kind=ProfileCut, goes_through=True, shares_edges=True, tabs=Tabs()
        )
        parts = area_of(board)
        gouge = swept(toolpath, 3.0, deeper_than=0.001).intersection(parts)
        assert gouge.is_empty or gouge.buffer(-0.006).is_empty, gouge.area
        assert ("profile-gap" in {f.code for f in findings}) == (gap < 5.985)
        free = shapely.difference(parts.buffer(5.9), swept(toolpath, 3.0, deeper_than=17.9).union(parts))
        if gap >= 5.99:
            assert free.buffer(-0.2).is_empty, "cut all round"


class TestWholeNumbersOfPasses:
    @pytest.mark.parametrize("hair", [-1e-9, 0.0, 1e-9, 1e-4])
    @pytest.mark.parametrize("kind", [ProfileCut, PocketCut])
    def test_a_depth_of_three_passes_takes_three(self, hair, kind):
        bit = straight_bit(6.0, recipe=Recipe(depth_per_pass=2.0))
        toolpath, _, _ = planned(Path.rectangle(0, 0, 50, 40), kind=kind, bit=bit, end_depth=6.0 + hair)
        assert toolpath.pass_no.max() == (4 if hair > 1e-8 else 3)
        assert toolpath.xyz[:, 2].min() == pytest.approx(-6.0 - hair, abs=1e-12)
        load, _, _ = load_of(toolpath, bit, per_pass=2.0)
        assert load.wide.max() < 1.0


class TestAllowances:
    def test_the_rest_of_a_pocket_takes_the_walls_allowance_in_its_corners(self):
        job, board, cut = board_with(Path.rectangle(0, 0, 40, 30), kind=PocketCut, wall_allowance=0.5)
        job = replace(job, bits=(job.bits[0], replace(straight_bit(2.0), id=BitId("bit2"), place=1)))
        job = leftovers.add_rest(with_boards(job, (board,)), cut.id, BitId("bit2"))[0].job
        cuts = plan_board(job, job.boards[0], {}).cuts
        cut = shapely.union_all([
            swept(p.toolpath, radius, deeper_than=5.99) for p, radius in zip(cuts, (3.0, 1.0), strict=True)
        ])  # fmt: skip
        left = reachable(area_of(board), 1.0).difference(cut)
        assert left.buffer(-0.012).is_empty, left.area

    @pytest.mark.parametrize("slot", [2.0, 2.0 + 1e-6, 2.5, 2.999, 3.0, 3.001, 3.5])
    @pytest.mark.parametrize("entry", [Entry.HELIX, Entry.PLUNGE])
    def test_a_slot_with_room_for_the_bit_but_not_for_its_allowance_is_cut_in_passes(self, slot, entry):
        bit = straight_bit(2.0, recipe=Recipe(depth_per_pass=1.5))
        room = shapely.union(shapely.box(0, 0, 20, 20), shapely.box(15, 8, 40, 8 + slot))
        for area in (room, shapely.box(0, 0, 40, slot)):
            toolpath, findings, board = planned(
                ring_of(area), kind=PocketCut, bit=bit, wall_allowance=0.5, end_depth=6.0, entry=entry
            )
            assert not findings
            left = reachable(area_of(board), 1.0).difference(swept(toolpath, 1.0, deeper_than=5.99))
            assert left.buffer(-0.02).is_empty
            load, _, _ = load_of(toolpath, bit, per_pass=1.5, cell=0.05)
            assert load.wide.max() < 1.75
            assert load.fall[load.solid > 0.8].max(initial=0.0) < 605
