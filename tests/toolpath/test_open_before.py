"""What lies open when a cut begins is what earlier cuts really took: holes as wide as they were drilled, faces where they lie by then,
a start depth only over wood that is gone."""

from __future__ import annotations

import numpy as np
import pytest

from archimetra.base.findings import Severity
from archimetra.engine.planning import plan_board
from archimetra.geometry.path import Path
from archimetra.job.bits import Bit, BitKind, Recipe
from archimetra.job.cut_parts import Entry, HoleStep, Pattern
from archimetra.job.cuts.carve import CarveCut
from archimetra.job.cuts.engrave import EngraveCut
from archimetra.job.cuts.facing import FacingCut
from archimetra.job.cuts.hole import HoleCut, HoleMethod
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.ids import BitId, CutId
from archimetra.job.job import with_boards
from archimetra.job.materials import Material
from archimetra.job.sheet import Machine, Sheet, Zero, ZeroAt, ZeroZ
from archimetra.toolpath.hole.planner import drilled_holes
from archimetra.toolpath.kinds import plan_cut
from archimetra.toolpath.resolve import resolve
from cutting_board import board_with
from load import load_of
from shapes import replace, sentence_of, straight_bit, vee_bit

POCKET = Path.rectangle(-20, -15, 40, 30)


def drilled(hole: float, bit: Bit, **fields):
    """A pocket with a hole in its middle that another bit drills before it."""
    job, board, cut = board_with(
        POCKET, kind=PocketCut, bit=straight_bit(6.0, can_plunge=False), entry=Entry.HOLE, end_depth=6.0
    )
    drill = replace(bit, id=BitId("bit2"), place=1)
    shape = board.shapes[0]
    circle = replace(shape, id="hole", paths=(Path.circle((0, 0), hole / 2),), at=shape.at)
    settings = {"end_depth": 8.0} | fields
    before = HoleCut(id=CutId("before"), name="Hole", bit=drill.id, shapes=("hole",), **settings)
    board = replace(board, shapes=(shape, circle), cuts=(before, cut))
    return with_boards(job, (board,), bits=(job.bits[0], drill)), board


def plunges_there(job, board) -> bool:
    toolpath, _ = plan_cut(resolve(job, board, board.cuts[-1]))
    x, y = board.shapes[1].at.point(0.0, 0.0)
    steps = np.diff(toolpath.xyz, axis=0)
    straight = (np.hypot(steps[:, 0], steps[:, 1]) < 1e-9) & (steps[:, 2] < 0) & (toolpath.xyz[1:, 2] < -0.1)
    return bool((np.hypot(*(toolpath.xyz[1:][straight][:, :2] - (x, y)).T) < 1e-6).any())


class TestDrilledHoles:
    @pytest.mark.parametrize(("bit", "method", "is_wide"), [
        (6.0, HoleMethod.DRILL, True), (5.9, HoleMethod.DRILL, False), (3.0, HoleMethod.DRILL, False), (3.0, HoleMethod.PECK, False),
        (3.0, HoleMethod.BORE, True), (3.0, HoleMethod.FITTING, True),
    ])  # fmt: skip
    def test_a_hole_is_as_wide_as_its_bit_left_it(self, bit, method, is_wide):
        job, board = drilled(6.0 if bit > 5 else 8.0, straight_bit(bit), method=method)
        assert plunges_there(job, board) == is_wide
        if not is_wide:
            toolpath, _ = plan_cut(resolve(job, board, board.cuts[-1]))
            load, _, _ = load_of(toolpath, job.bits[0], per_pass=5.0)
            assert load.steep[load.solid > 5].max(initial=0.0) < 4.5, "down a ramp instead"

    @pytest.mark.parametrize(
        ("depth", "to_shoulder", "is_deep"),
        [(6.0, True, True), (5.99, True, False), (6.0, False, False), (8.0, False, True)],
    )
    def test_and_as_deep_as_it_is_that_wide(self, depth, to_shoulder, is_deep):
        drill = Bit(id=BitId("d"), name="drill", kind=BitKind.DRILL, diameter=6.0, cutting_length=40.0, angle=118.0)
        job, board = drilled(6.0, drill, end_depth=depth, to_shoulder=to_shoulder)
        assert plunges_there(job, board) == is_deep

    @pytest.mark.parametrize("faced_first", [True, False])
    def test_facing_between_takes_its_part_of_the_hole(self, faced_first):
        job, board = drilled(6.0, straight_bit(6.0), method=HoleMethod.DRILL, end_depth=7.0)
        facing = FacingCut(id=CutId("face"), name="Face", bit=job.bits[0].id, end_depth=1.5)
        hole, pocket = board.cuts
        board = replace(board, cuts=(facing, hole, pocket) if faced_first else (hole, facing, pocket))
        job = with_boards(job, (board,))
        (found,) = drilled_holes(resolve(job, board, pocket))
        assert found.depth == pytest.approx(7.0 if faced_first else 5.5)
        assert plunges_there(job, board) == faced_first

    def test_steps_count_as_deep_as_they_are(self):
        job, board = drilled(4.0, straight_bit(3.0), steps=(HoleStep(diameter=9.0, depth=3.0),))
        found = {round(h.diameter, 2): h.depth for h in drilled_holes(resolve(job, board, board.cuts[-1]))}
        assert found == {4.0: pytest.approx(8.0), 9.0: pytest.approx(3.0)}


class TestStartDepths:
    def told(self, *order: str, start: float = 6.0, opener: float = 6.0) -> list:
        job, board, cut = board_with(POCKET, kind=PocketCut, end_depth=opener)
        second = EngraveCut(
            id=CutId("second"), name="Second", bit=cut.bit, shapes=("inner",), start_depth=start, end_depth=start + 2
        )
        shape = board.shapes[0]
        inner = replace(shape, id="inner", paths=(Path.rectangle(-10, -5, 20, 10),))
        known = {"opener": cut, "second": second}
        board = replace(board, shapes=(shape, inner), cuts=tuple(known[name] for name in order))
        return [f for f in plan_board(with_boards(job, (board,)), board, {}).findings if f.code == "start-closed"]

    def test_over_a_pocket_as_deep_all_is_well(self):
        assert not self.told("opener", "second")
        assert not self.told("opener", "second", start=5.0)

    @pytest.mark.parametrize(
        ("order", "opener", "standing"),
        [(("second",), 6.0, 6.0), (("second", "opener"), 6.0, 6.0), (("opener", "second"), 4.0, 2.0)],
    )
    def test_over_wood_that_stands_it_is_told_with_how_much(self, order, opener, standing):
        (found,) = self.told(*order, opener=opener)
        assert found.severity is Severity.STOP
        assert f"{standing:.1f} mm of wood" in found.sentence

    def test_a_switched_off_opener_opens_nothing(self):
        job, board, cut = board_with(POCKET, kind=PocketCut, end_depth=6.0, is_on=False)
        second = replace(cut, id=CutId("second"), name="Second", is_on=True, start_depth=6.0, end_depth=8.0)
        board = replace(board, cuts=(cut, second))
        codes = {f.code for f in plan_board(with_boards(job, (board,)), board, {}).findings}
        assert "start-closed" in codes


class TestHeavyStrokes:
    @pytest.mark.parametrize(("per_pass", "is_told"), [(12.0, True), (6.0, True), (2.0, False)])
    def test_a_v_bit_that_takes_too_much_at_once_is_told_with_what_to_enter(self, per_pass, is_told):
        bit = replace(vee_bit(60.0, 25.0), cutting_length=30.0, recipe=Recipe(depth_per_pass=per_pass))
        sheet = Sheet(width=200, height=120, readings=(18.0,), material=Material.OAK)
        job, board, _cut = board_with(
            Path.rectangle(0, 0, 60, 11.6), kind=CarveCut, bit=bit, sheet=sheet, end_depth=0.0
        )
        found = [f for f in plan_board(job, board, {}).findings if f.code == "carve-heavy"]
        assert bool(found) == is_told
        if found:
            better = float(found[0].fix.split("per pass ")[1].split(" mm")[0])
            bit = replace(bit, recipe=Recipe(depth_per_pass=better))
            again = plan_board(replace(job, bits=(bit,)), board, {})
            assert "carve-heavy" not in {f.code for f in again.findings}


class TestBallFloors:
    @pytest.mark.parametrize("pattern", list(Pattern))
    @pytest.mark.parametrize("scallop", [0.05, 0.2, 0.5])
    def test_ridges_are_no_higher_than_asked_where_loops_meet_too(self, pattern, scallop):
        bit = straight_bit(6.0, kind=BitKind.BALL, recipe=Recipe(depth_per_pass=10.0))
        for path in (Path.rectangle(0, 0, 40, 30), Path.circle((0, 0), 17.3), Path.rectangle(0, 0, 33.3, 33.3)):
            (
                toolpath,
                _,
            ) = _planned(path, bit, pattern, scallop)
            _, field, origin = load_of(toolpath, bit, per_pass=10.0, cell=0.1)
            x0, y0, x1, y1 = (
                float(v)
                for v in (
                    *toolpath.xyz[toolpath.xyz[:, 2] < -1][:, :2].min(axis=0),
                    *toolpath.xyz[toolpath.xyz[:, 2] < -1][:, :2].max(axis=0),
                )
            )
            inner = field[
                int((y0 - origin[1]) / 0.1) + 2 : int((y1 - origin[1]) / 0.1) - 2,
                int((x0 - origin[0]) / 0.1) + 2 : int((x1 - origin[0]) / 0.1) - 2,
            ]
            if len(path) == 2:  # a disc: what lies well inside its circle
                yy, xx = np.mgrid[: inner.shape[0], : inner.shape[1]]
                middle = np.array(inner.shape) / 2
                inner = inner[np.hypot(yy - middle[0], xx - middle[1]) < min(inner.shape) / 2 - 4]
            assert inner.max() + 5.0 <= scallop * 1.1 + 0.02


def _planned(path: Path, bit: Bit, pattern: Pattern, scallop: float):
    job, board, cut = board_with(path, kind=PocketCut, bit=bit, end_depth=5.0, scallop=scallop, pattern=pattern)
    return plan_cut(resolve(job, board, cut))


class TestMachine:
    def codes(
        self, *, zero: Zero | None = None, machine: Machine | None = None, thick: float = 18.0, park: float = 30.0
    ) -> set[str]:
        sheet = Sheet(width=300, height=200, readings=(thick,))
        job, board, _ = board_with(POCKET, kind=PocketCut, sheet=sheet, end_depth=3.0)
        board = replace(board, zero=zero or Zero(), heights=replace(board.heights, park=park))
        job = with_boards(job, (board,), machine=machine or Machine())
        return {f.code for f in plan_board(job, board, {}).findings}

    @pytest.mark.parametrize(
        ("x", "is_out"), [(0.0, False), (610.0, False), (610.5, True), (800.0, True), (-5.0, True)]
    )
    def test_the_park_point_is_within_the_travel(self, x, is_out):
        assert ("park-out-of-travel" in self.codes(zero=Zero(at=ZeroAt.TYPED, x=x, y=50.0))) == is_out

    @pytest.mark.parametrize(
        ("thick", "park", "is_out"), [(18.0, 30.0, False), (60.0, 30.0, False), (60.0, 31.0, True), (60.0, 50.0, True)]
    )
    @pytest.mark.parametrize("z", list(ZeroZ))
    def test_the_park_height_is_within_the_travel_over_the_spoilboard(self, thick, park, is_out, z):
        assert ("out-of-travel-z" in self.codes(zero=Zero(z=z), thick=thick, park=park)) == is_out

    def test_a_least_speed_above_the_greatest_is_refused_in_words(self):
        assert "least spindle speed" in sentence_of(ValueError, lambda: Machine(min_rpm=20_000, max_rpm=10_000))

    def test_feeds_the_machine_cannot_reach_are_told_whichever_they_are(self):
        job, board, _cut = board_with(POCKET, kind=ProfileCut, finish=0.3, finish_feed=9000.0)
        bit = replace(job.bits[0], recipe=Recipe(plunge=6000.0))
        job = replace(job, bits=(bit,))
        (found,) = [f for f in plan_board(job, board, {}).findings if f.code == "feed-limit"]
        assert "a plunge of 6000" in found.sentence
        assert "a finishing feed of 9000" in found.sentence

    def test_a_finishing_feed_goes_with_the_spindle(self):
        job, board, cut = board_with(POCKET, kind=ProfileCut, finish=0.3, finish_feed=1000.0)
        job = replace(
            job, machine=Machine(max_rpm=8000.0), bits=(replace(job.bits[0], recipe=Recipe(spindle_rpm=16000.0)),)
        )
        assert resolve(job, board, cut).cut.finish_feed == pytest.approx(500.0)


class TestKeptOrder:
    def test_an_outline_before_its_hole_is_told(self):
        job, board, cut = board_with(Path.rectangle(0, 0, 60, 60), kind=ProfileCut, goes_through=True, keeps_order=True)
        shape = board.shapes[0]
        hole = replace(shape, id="hole", paths=(Path.circle((30, 30), 12),))
        for order, is_told in (((shape, hole), True), ((hole, shape), False)):
            own = replace(cut, shapes=tuple(s.id for s in order))
            b = replace(board, shapes=order, cuts=(own,))
            _, found = plan_cut(resolve(with_boards(job, (b,)), b, own))
            assert ("order-kept" in {f.code for f in found}) == is_told

    def test_of_one_shape_the_hole_comes_first(self):
        job, board, cut = board_with(
            Path.rectangle(0, 0, 60, 60),
            Path.circle((30, 30), 12),
            kind=ProfileCut,
            goes_through=True,
            keeps_order=True,
        )
        toolpath, found = plan_cut(resolve(job, board, cut))
        assert "order-kept" not in {f.code for f in found}
        low = toolpath.xyz[toolpath.xyz[:, 2] < -1]
        assert np.hypot(*(low[0, :2] - (200, 150))) < 12
